package merchant

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// resultOfView is the page of one nudge's results.
type resultOfView struct {
	*asking
	ID, Name, Sentence string
	Found              app.FoundOfNudge
	Row                resultRow
	Chart              dayChart
	Funnel             []funnelStep
	Cuts               []cutTable
	Arms               []armRow
	Plans              *cutTable
	Told               string // of which visits what it earned is known
	Learned            *learnedView
	Given              *cutTable
	Earned             string // by an act, so far, whatever the period
	Take               takeAlongView
	CanTry             bool // against doing without it
	Orders             []orderRow
	plans              results.Plans
}

// funnelStep is how many visits came so far.
type funnelStep struct {
	Name, Many, Share string
	Wide              float64 // of 100
	Earned            bool
	many              int64
}

// cutTable tells figures apart by one thing: its first column names what.
type cutTable struct {
	Head []string
	Rows []cutRow
}

type cutRow struct {
	Cells []string
	sums  cutSums
}

type cutSums struct{ shown, after, used, given int64 }

// armRow are visits that could see it, or were kept from it.
type armRow struct{ Name, Visits, Orders, Conversion, Average, Margin, PerHundred string }

// orderRow is an order in which it gave something.
type orderRow struct {
	Number             int64
	Day, Paid, Given   string
	Margin, Rung, Tone string
}

func (s *server) resultOf(c *echo.Context) error {
	v, err := s.resultOfView(c)
	if err != nil {
		return s.fail(c, err)
	}
	status := http.StatusOK
	if v.Wrong != "" {
		status = http.StatusUnprocessableEntity
	}
	return s.render(c, status, "result", page{Title: v.Name + ", results", Place: "results", Data: v})
}

func (s *server) resultOfView(c *echo.Context) (*resultOfView, error) {
	ctx, h := c.Request().Context(), at(c)
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	n, err := s.app.Nudge(ctx, h.shop.ID, c.Param("nudge"))
	if err != nil {
		return nil, err
	}
	v := &resultOfView{asking: s.ask(c, snap.Regions()), ID: n.ID}
	if v.Found, err = s.app.NudgeResults(ctx, h.shop.ID, n.ID, v.Asked); err != nil {
		return nil, err
	}
	d, err := s.liveDefinition(c, n)
	if err != nil {
		return nil, err
	}
	if d == nil {
		d = &n.Draft
	}
	given, err := s.app.GivenMost(ctx, h.shop.ID, n.ID, d, v.Asked)
	if err != nil {
		return nil, err
	}
	if len(given) > 0 {
		v.Given = &cutTable{Head: []string{"Given most", "Orders"}}
	}
	for _, g := range given {
		name := g.Code
		if g.SKU != "" {
			name = snap.Catalog().Label(g.SKU)
		}
		v.Given.Rows = append(v.Given.Rows, cutRow{[]string{name, whole(g.Orders, v.locale)}, cutSums{used: g.Orders}})
	}
	plans, err := s.app.Plans(ctx, h.shop.ID, n.ID, v.Asked)
	if err != nil {
		return nil, err
	}
	v.plans = plans
	v.planTable()
	if by := d.Audience.EarnedBy; by != "" {
		if v.Earned, err = s.earned(ctx, h.shop.ID, n.ID, by); err != nil {
			return nil, err
		}
	}
	v.Take = takeAlongView{Tables: h.url("/results/" + n.ID + "/tables"), Query: v.Query()}
	v.CanTry = n.State == store.StateLive && !d.ByCode()
	v.Name, v.Sentence = d.Name, d.Say(nudge.Voice{Region: d.FirstRegion(snap.Regions()), Locale: h.shop.Locale, Label: snap.Catalog().Label})
	v.Row = v.row(n.ID, &v.Found.Figures)
	v.Row.coded(d)
	var scale balanceScale
	scale.fit([]resultRow{v.Row})
	v.Row.Bar = scale.bar(&v.Found.Figures)
	v.Chart = chartOf(v.Found.Days, nil, v.Found.Published, map[string]string{n.ID: "published"}, h.zone)
	v.funnel(d, snap.Regions())
	v.arms()
	if e := v.Found.Effect; e.Of > 0 && e.Of < v.Found.With.Visits {
		v.Told = fmt.Sprintf("What it earned is told of %s of these visits: while the others came, nobody was kept from it, or too few to say anything.", whole(e.Of, v.locale))
	}
	v.cuts(snap.Regions())
	seen, err := s.app.Learned(ctx, h.shop.ID, n.ID)
	if err != nil {
		return nil, err
	}
	v.learn(&snap.Snapshot.Shop.Settings, d, seen)
	v.Learned.Action = h.url("/results/" + n.ID + "/forget")
	for i := range v.Found.Orders {
		v.Orders = append(v.Orders, v.orderRow(h, &v.Found.Orders[i]))
	}
	return v, nil
}

// funnel lays out how far visits came: could see it, saw it, each rung, ordered with it.
func (v *resultOfView) funnel(d *nudge.Definition, regions []catalog.Region) {
	f := &v.Found.Figures
	most := max(1, f.Could, f.Shown)
	step := func(name string, n int64, earned bool) {
		v.Funnel = append(v.Funnel, funnelStep{Name: name, Many: whole(n, v.locale), Share: percent(n, max(f.Could, 1)), Wide: 100 * float64(n) / float64(most), Earned: earned, many: n})
	}
	step("could see it", f.Could, false)
	step("saw it", f.Shown, false)
	for _, r := range f.Rungs {
		name := fmt.Sprintf("reached rung %d", r.Rung+1)
		if r.Rung < len(d.Ladder.Rungs) {
			if region := d.FirstRegion(regions); region.ID != "" {
				if t, ok := d.Ladder.Rungs[r.Rung].Thresholds[region.ID]; ok && t.Minor > 0 {
					name += ", " + money.Format(t, v.locale)
				}
			}
		}
		step(name, r.Reached, true)
	}
	step("orders in which it gave something", f.Used, true)
}

// planTable lays out what came of plans, where there are any.
func (v *resultOfView) planTable() {
	p := &v.plans
	if p.IsZero() {
		return
	}
	v.Plans = &cutTable{Head: []string{"Plans", "Number"}}
	for _, r := range []struct {
		name string
		n    int64
	}{{"begun, with a first parcel", p.Begun}, {"later parcels", p.Parcels}, {"renewed", p.Renewed}, {"ended", p.Ended}, {"going on at the end of the period", p.GoingOn}} {
		v.Plans.Rows = append(v.Plans.Rows, cutRow{[]string{r.name, whole(r.n, v.locale)}, cutSums{used: r.n}})
	}
	v.Plans.Rows = append(v.Plans.Rows, cutRow{[]string{"paid for what came later", v.money(p.Paid)}, cutSums{given: p.Paid}})
}

// arms lays out visits that could see it beside those that were kept from it.
func (v *resultOfView) arms() {
	row := func(name string, x *results.Visits) {
		if x.Visits == 0 {
			return
		}
		share, half := x.Conversion()
		r := armRow{Name: name, Visits: whole(x.Visits, v.locale), Orders: whole(x.Orders, v.locale), Conversion: fmt.Sprintf("%.1f %% ±%.1f", 100*share, 100*half), Average: "–", Margin: v.money(x.Margin)}
		if avg, ok := x.AverageOrder(); ok {
			r.Average = v.money(avg)
		}
		r.PerHundred = v.money(x.PerHundred())
		v.Arms = append(v.Arms, r)
	}
	row("could see it", &v.Found.With)
	row("were kept from it", &v.Found.Without)
}

// cuts tells the figures apart by place, language, device, region and revision.
func (v *resultOfView) cuts(regions []catalog.Region) {
	name := map[store.By]func(results.Count) string{
		store.ByPlacement: func(c results.Count) string {
			if c.Placement == "" {
				return ""
			}
			return checks.PlacementName(nudge.Placement(c.Placement))
		},
		store.ByLanguage: func(c results.Count) string {
			if c.Language == "" {
				return ""
			}
			return checks.LanguageName(c.Language)
		},
		store.ByDevice: func(c results.Count) string { return c.Device },
		store.ByRegion: func(c results.Count) string {
			for _, r := range regions {
				if r.ID == c.Region {
					return r.Name
				}
			}
			return c.Region
		},
		store.ByRevision: func(c results.Count) string {
			if c.Revision == 0 {
				return ""
			}
			return "Revision " + strconv.Itoa(c.Revision)
		},
	}
	for _, by := range []struct {
		by    store.By
		title string
	}{{store.ByPlacement, "Place"}, {store.ByRevision, "Revision"}, {store.ByRegion, "Region"}, {store.ByLanguage, "Language"}, {store.ByDevice, "Device"}} {
		if t := v.cut(by.title, v.Found.By[by.by], name[by.by]); len(t.Rows) > 0 {
			v.Cuts = append(v.Cuts, t)
		}
	}
}

func (v *resultOfView) cut(title string, counts []results.Count, name func(results.Count) string) cutTable {
	all := map[string]*cutSums{}
	var order []string
	for _, c := range counts {
		if c.Kind != results.Shown && c.Kind != results.Used {
			continue
		}
		n := name(c)
		if n == "" {
			continue
		}
		if all[n] == nil {
			all[n], order = &cutSums{}, append(order, n)
		}
		s := all[n]
		if c.Kind == results.Shown {
			s.shown, s.after = s.shown+c.Visits.Visits, s.after+c.Orders
		} else {
			s.used, s.given = s.used+c.Orders, s.given+c.Given
		}
	}
	slices.SortStableFunc(order, func(a, b string) int { return cmp.Compare(all[b].shown+all[b].used, all[a].shown+all[a].used) })
	t := cutTable{Head: []string{title, "Visits shown", "Orders after", "Orders with it", "Given away"}}
	for _, n := range order {
		s := all[n]
		used, given := whole(s.used, v.locale), v.money(s.given)
		if title == "Place" { // an order has no place
			used, given = "–", "–"
		}
		t.Rows = append(t.Rows, cutRow{[]string{n, whole(s.shown, v.locale), whole(s.after, v.locale), used, given}, *s})
	}
	return t
}

// givenBy is what a nudge gave away with an order, at its cost.
func givenBy(o *store.Order, id string) (given money.Minor) {
	for _, w := range o.Rewards {
		switch {
		case w.NudgeID != id:
		case w.Cost != nil:
			given += *w.Cost
		default:
			given += w.Amount
		}
	}
	return given
}

func (v *resultOfView) orderRow(h *here, o *store.Order) orderRow {
	r := orderRow{Number: o.Number, Day: h.day(o.PlacedAt), Paid: v.money(o.ToPay), Margin: "not known"}
	for _, w := range o.Rewards {
		if w.NudgeID == v.ID {
			r.Rung = strconv.Itoa(w.Rung + 1)
		}
	}
	if r.Given = v.money(givenBy(o, v.ID)); o.Margin != nil {
		if r.Margin = v.money(*o.Margin); *o.Margin < 0 {
			r.Margin, r.Tone = v.signed(*o.Margin), "loss"
		}
	}
	return r
}
