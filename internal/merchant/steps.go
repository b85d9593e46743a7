package merchant

import (
	"fmt"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// stepsView is what each number of pieces of an item costs, laid out as bars. Every
// figure is decided by the core for the cart beside it.
type stepsView struct {
	SKU, Item, Region, Currency string
	Have                        int64
	Wide, High, Base            int
	Left, Right                 int
	Bars                        []barView
	Tiers                       []tierView
	Ticks                       []tickView // X is the height
	PiecesY, EachY              int
	Say                         string // of the cart as it is, for those who do not see it
	Most                        int64
	Scale                       int
}

type barView struct {
	Pieces         int64
	X, Wide, Mid   int
	Y, High        int // of what is paid
	ListY, ListTop int // of the price before nudges
	Kind           string
	Paid, Each     string
	Rung           string // what it gives, for the table
	Open           string // said above the next step
	OpenX, OpenY   int
}

type tierView struct {
	Rung, X, TextX int
	At             int64
	Text           string
}

const mostSteps = 24

// stepsOf draws prices by the number of pieces of the cart's first item that counts, or
// of the first that the shop sells.
func stepsOf(snap *snapshot.Snapshot, req decide.Request, id string, d *nudge.Definition, r catalog.Region, locale string, box axisBox) (*stepsView, error) {
	it, have := stepItem(snap.Catalog(), req, &d.Ladder, r)
	if it.Variant == nil {
		return nil, nil
	}
	box = box.fit()
	most := have + 2
	for i := range d.Ladder.Rungs {
		most = max(most, d.Ladder.Rungs[i].Count+2)
		for _, w := range d.Ladder.Rungs[i].Rewards {
			most = max(most, 2*(w.Size+w.Get))
		}
	}
	most = min(max(most, 6), mostSteps)
	room := int64(box.Wide-box.of(80)) / int64(box.of(20))
	steps, err := decide.PieceSteps(snap, req, id, it.Variant.SKU, min(most, max(room, 3)))
	if err != nil {
		return nil, err
	}
	return drawSteps(steps, it, have, d, r, locale, box, snap.Catalog()), nil
}

// stepItem is the item whose pieces are counted out, and how many of it are there.
func stepItem(cat *catalog.Catalog, req decide.Request, scope *nudge.Ladder, r catalog.Region) (catalog.Item, int64) {
	in := func(it catalog.Item) bool {
		price, sold := it.Variant.PriceIn(r.Currency, "", req.Moment.At)
		facts := catalog.FactsOf(it, price, r.ID)
		return sold && !it.Product.GiftCard && scope.Holds(&facts)
	}
	for _, l := range req.Cart.Lines {
		if it, ok := cat.Item(l.SKU); ok && l.Plain() && in(it) {
			return it, l.Quantity
		}
	}
	for i := range cat.Products {
		p := &cat.Products[i]
		for j := range p.Variants {
			if it := (catalog.Item{Product: p, Variant: &p.Variants[j]}); in(it) {
				return it, 0
			}
		}
	}
	return catalog.Item{}, 0
}

func drawSteps(steps []decide.PieceStep, it catalog.Item, have int64, d *nudge.Definition, r catalog.Region, locale string, box axisBox, cat *catalog.Catalog) *stepsView {
	show := func(m money.Minor) string { return money.Format(money.Amount{Minor: m, Currency: r.Currency}, locale) }
	v := &stepsView{
		SKU: it.Variant.SKU, Item: it.Label(), Region: r.Name, Currency: string(r.Currency), Have: have, Most: int64(len(steps)), Scale: box.Scale,
		Wide: box.Wide, Left: box.of(70), Right: box.Wide - box.of(28), Base: box.of(138), PiecesY: box.of(154), EachY: box.of(169), High: box.of(176),
	}
	top := money.Minor(1)
	for _, s := range steps {
		top = max(top, s.List, s.Paid)
	}
	rounded, tick := roundUp(top, max(stepOf(r.Currency)/100, 1), 3)
	height := func(m money.Minor) int { return int(m * int64(v.Base-box.of(26)) / rounded) }
	for m := money.Minor(0); m <= rounded; m += tick {
		v.Ticks = append(v.Ticks, tickView{X: v.Base - height(m), Text: show(m)})
	}
	pitch := (v.Right - v.Left) / len(steps)
	crowded := pitch < box.of(46)
	for i, s := range steps {
		b := barView{Pieces: s.Pieces, X: v.Left + i*pitch + pitch/6, Wide: pitch * 2 / 3, Mid: v.Left + i*pitch + pitch/2, Paid: show(s.Paid), Each: show(s.Each), Kind: "past"}
		b.High, b.ListTop = height(s.Paid), height(s.List)
		b.Y, b.ListY = v.Base-b.High, v.Base-b.ListTop
		switch s.Pieces {
		case have:
			b.Kind = "now"
			v.Say = fmt.Sprintf("%d, %s in all, %s each at most", have, show(s.Paid), show(s.Each))
		case have + 1:
			b.Kind = "next"
			more := s.ToPay
			if i > 0 {
				more -= steps[i-1].ToPay
			}
			b.Open, b.OpenX, b.OpenY = "one more: to pay "+show(more)+" more", min(max(b.Mid, v.Left+box.of(90)), v.Right-box.of(90)), min(b.Y, b.ListY)-box.of(6)
			if more < 0 {
				b.Open = "one more: to pay " + show(-more) + " less"
			}
		}
		if crowded {
			b.Each = ""
		}
		if s.Rung >= 0 {
			b.Rung = nudge.RewardsText(d.Ladder.Rungs[s.Rung].Rewards, nudge.Voice{Region: r, Language: "en", Locale: locale, Label: cat.Label})
		}
		v.Bars = append(v.Bars, b)
	}
	for i := range d.Ladder.Rungs {
		n := d.Ladder.Rungs[i].Count
		if n == 0 || n > int64(len(steps)) {
			continue
		}
		x := v.Left + int(n-1)*pitch
		text := nudge.RewardsText(d.Ladder.Rungs[i].Rewards, nudge.Voice{Region: r, Language: "en", Locale: locale, Label: cat.Label})
		v.Tiers = append(v.Tiers, tierView{Rung: i, At: n, X: x, TextX: x + box.of(7), Text: clip(fmt.Sprintf("from %d: %s", n, text), max(8, (v.Right-x)/box.of(7)))})
	}
	return v
}
