package merchant

import (
	"fmt"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// priceLine is the price of a variant over time, with a sale that is planned in it. Every
// figure is the core's.
type priceLine struct {
	SKU, Label, Currency   string
	Wide, High, Base, Top  int
	Left, Right            int
	First, Last            string // days at the ends, for the script
	Steps                  []priceStep
	Ticks                  []tickView // Y
	Days                   []tickView
	Flags                  []saleFlag
	NowX                   int
	Prior                  *priorView
	Badge                  string
	Others                 []choiceView // other variants to look at
	FromSeconds, ToSeconds int64
}

type priceStep struct {
	X, Wide, Y, Height int
	Sale               bool
	Planned            bool
	Price, From, Until string
}

type saleFlag struct {
	Name, Label, Text string
	X                 int
	At                string // as the form's field writes it
}

type priorView struct {
	X, Wide, Y int
	Text       string
}

// mostLines is how many variants one can look at.
const mostLines = 40

// priceLineOf draws the price of an outcome's variant from before the sale to after it.
func priceLineOf(h *here, plan catalog.SalePlan, outcomes []catalog.SaleOutcome, want string, regions []catalog.Region) *priceLine {
	var o *catalog.SaleOutcome
	v := &priceLine{Wide: 900, High: 250, Left: 70, Right: 880, Top: 46, Base: 205}
	for i := range outcomes {
		x := &outcomes[i]
		if x.Why != "" {
			continue
		}
		key := x.Item.Variant.SKU + " " + string(x.Currency)
		if o == nil || key == want {
			o = x
		}
		if len(v.Others) < mostLines {
			v.Others = append(v.Others, choiceView{Value: key, Name: x.Item.Label() + ", " + string(x.Currency)})
		}
	}
	if o == nil {
		return nil
	}
	for i := range v.Others {
		v.Others[i].On = v.Others[i].Value == o.Item.Variant.SKU+" "+string(o.Currency)
	}
	v.SKU, v.Label, v.Currency = o.Item.Variant.SKU, o.Item.Label(), string(o.Currency)
	price := o.Item.Variant.Prices[o.Currency]
	price.Sales = append(append([]catalog.Sale{}, price.Sales...), catalog.Sale{From: plan.From, Until: plan.Until, Price: o.Sale})
	day := func(t time.Time) time.Time { return t.In(h.zone).Truncate(24 * time.Hour) }
	first := day(plan.From.AddDate(0, 0, -catalog.PriorDays-15))
	last := day(plan.Until.AddDate(0, 0, 16))
	v.FromSeconds, v.ToSeconds = first.Unix(), last.Unix()
	x := func(t time.Time) int {
		share := float64(t.Sub(first)) / float64(last.Sub(first)) // a place on the screen, no price
		return v.Left + int(share*float64(v.Right-v.Left))
	}
	show := func(m money.Minor) string {
		return money.Format(money.Amount{Minor: m, Currency: o.Currency}, h.shop.Locale)
	}
	steps := price.Steps(first, last)
	top := money.Minor(1)
	for _, s := range steps {
		top = max(top, s.Price)
	}
	rounded, tick := roundUp(top, max(stepOf(o.Currency)/100, 1), 3)
	y := func(m money.Minor) int { return v.Base - int(m*int64(v.Base-v.Top)/rounded) }
	for m := money.Minor(0); m <= rounded; m += tick {
		v.Ticks = append(v.Ticks, tickView{X: y(m), Text: show(m)})
	}
	for _, s := range steps {
		v.Steps = append(v.Steps, priceStep{
			X: x(s.From), Wide: max(x(s.Until)-x(s.From), 1), Y: y(s.Price), Height: v.Base - y(s.Price), Sale: s.Sale, Planned: s.From.Equal(plan.From),
			Price: show(s.Price), From: h.day(s.From), Until: h.day(s.Until),
		})
	}
	for t := first; t.Before(last); t = t.AddDate(0, 0, 14) {
		v.Days = append(v.Days, tickView{X: x(t), Text: t.Format("2 Jan")})
	}
	for _, f := range []struct {
		name, label string
		at          time.Time
	}{{"from", "Begins", plan.From}, {"until", "Ends", plan.Until}} {
		v.Flags = append(v.Flags, saleFlag{f.name, f.label, f.label + " " + f.at.In(h.zone).Format("2 Jan 15:04"), x(f.at), f.at.In(h.zone).Format(dateField)})
	}
	v.NowX = -1
	if n := x(h.now); n > v.Left && n < v.Right {
		v.NowX = n
	}
	law := false
	for _, r := range regions {
		law = law || r.Currency == o.Currency && r.PriorPrice
	}
	if s, on := price.PriorOf(plan.From); on && s.Found && law {
		v.Prior = &priorView{X: max(x(s.From), v.Left), Wide: x(s.Until) - max(x(s.From), v.Left), Y: y(s.Low), Text: "lowest of 30 days: " + show(s.Low)}
	}
	if b, on := price.BadgeAt(plan.From, law); on {
		v.Badge = fmt.Sprintf("−%d %%, was %s", b.Percent, show(b.Was))
	}
	return v
}
