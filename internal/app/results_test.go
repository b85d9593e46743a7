package app_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

// sums are what a cell holds, by what it is about.
type sums struct {
	n, ordering, orders, goods, given, margin, unknown, ordersSq int64
	sq, goodsSq, goodsOrders, msSq                               big.Int
	ms                                                           int64
}

// line writes sums as those of a stored cell are written; empty where they hold nothing.
func (s *sums) line() string {
	return cellLine(store.Cell{N: s.n, Ordering: s.ordering, Orders: s.orders, Goods: s.goods, Given: s.given, Margin: s.margin, MarginSq: s.sq.String(), Unknown: s.unknown,
		GoodsSq: s.goodsSq.String(), GoodsOrders: s.goodsOrders.String(), OrdersSq: s.ordersSq, Ms: s.ms, MsSq: s.msSq.String()})
}

func cellLine(c store.Cell) string {
	line := fmt.Sprint(c.N, " ", c.Ordering, " ", c.Orders, " ", c.Goods, " ", c.Given, " ", c.Margin, " ", c.MarginSq, " ", c.Unknown, " ", c.GoodsSq, " ", c.GoodsOrders, " ", c.OrdersSq, " ", c.Ms, " ", c.MsSq)
	if strings.Trim(line, "0 ") == "" {
		return ""
	}
	return line
}

func keyOf(c store.Cell) string {
	return fmt.Sprint(c.Day.Format(time.DateOnly), " ", c.Kind, " ", c.NudgeID, " ", c.Revision, " ", c.Rung, " ", c.Placement, " ", c.Region, " ", c.Language, " ", c.Device, " ", c.Arm, " ", c.Share)
}

// cells reads a shop's cells as lines; those that hold nothing are left out.
func cells(t *testing.T, a *app.App, shop string) map[string]string {
	t.Helper()
	var all []store.Cell
	require.NoError(t, a.Store.DB.Where("shop_id = ?", shop).Find(&all).Error)
	out := map[string]string{}
	for _, c := range all {
		if line := cellLine(c); line != "" {
			out[keyOf(c)] = line
		}
	}
	return out
}

// naive counts everything from what is stored, one thing after the other.
func naive(t *testing.T, a *app.App, shop string, zone *time.Location) map[string]string {
	t.Helper()
	var events []store.Event
	var orders []store.Order
	require.NoError(t, a.Store.DB.Where("shop_id = ?", shop).Find(&events).Error)
	require.NoError(t, a.Store.DB.Preload("Rewards").Where("shop_id = ?", shop).Order("number").Find(&orders).Error)
	out := map[string]*sums{}
	cell := func(c store.Cell) *sums {
		if out[keyOf(c)] == nil {
			out[keyOf(c)] = &sums{}
		}
		return out[keyOf(c)]
	}
	margin := func(o *store.Order) int64 {
		if o.Margin == nil {
			return 0
		}
		return *o.Margin
	}
	for _, e := range events {
		if slices.Contains(store.OfBands, e.Kind) {
			continue
		}
		c := store.Cell{Day: e.Day, Kind: e.Kind, NudgeID: e.NudgeID, Revision: e.Revision, Rung: e.Rung, Placement: e.Placement, Region: e.Region, Language: e.Language, Device: e.Device, Arm: e.Arm, Share: e.Share}
		cell(c).n++
		cell(c).ms += int64(e.Ms)
		cell(c).msSq.Add(&cell(c).msSq, big.NewInt(int64(e.Ms)*int64(e.Ms)))
		if e.Kind != results.Visit && e.Kind != results.Could && e.Kind != results.Shown {
			continue
		}
		first, byRegion := true, map[string][3]int64{} // margin, goods, orders
		for i := range orders {
			o := &orders[i]
			gave := slices.ContainsFunc(o.Rewards, func(r store.OrderReward) bool { return r.NudgeID == e.NudgeID })
			if o.Visit != e.Visit || e.Kind == results.Shown && (o.PlacedAt.Before(e.At) || !gave) {
				continue
			}
			c.Region = o.Region
			s := cell(c)
			if first {
				s.ordering++
			}
			first = false
			s.orders++
			s.goods += o.Goods
			s.margin += margin(o)
			if o.Margin == nil {
				s.unknown++
			}
			b := byRegion[o.Region]
			byRegion[o.Region] = [3]int64{b[0] + margin(o), b[1] + o.Goods, b[2] + 1}
		}
		for region, b := range byRegion {
			c.Region = region
			s := cell(c)
			add := func(to *big.Int, x, y int64) { to.Add(to, new(big.Int).Mul(big.NewInt(x), big.NewInt(y))) }
			add(&s.sq, b[0], b[0])
			add(&s.goodsSq, b[1], b[1])
			add(&s.goodsOrders, b[1], b[2])
			s.ordersSq += b[2] * b[2]
		}
	}
	for i := range orders {
		o := &orders[i]
		y, m, d := o.PlacedAt.In(zone).Date()
		base := store.Cell{Day: time.Date(y, m, d, 0, 0, 0, 0, time.UTC), Region: o.Region, Language: o.Language, Device: o.Device, Arm: o.Arm}
		add := func(kind results.Kind, r *store.OrderReward, given int64) {
			c := base
			if c.Kind = kind; r != nil {
				c.NudgeID, c.Revision, c.Rung = r.NudgeID, r.Revision, r.Rung
			}
			s := cell(c)
			s.n, s.orders, s.goods, s.given, s.margin = s.n+1, s.orders+1, s.goods+o.Goods, s.given+given, s.margin+margin(o)
			if o.Margin == nil {
				s.unknown++
			}
		}
		all := int64(0)
		whole, rungs := map[[2]any]int64{}, map[[3]any]int64{}
		for k := range o.Rewards {
			r := &o.Rewards[k]
			cost := r.Amount
			if r.Cost != nil {
				cost = *r.Cost
			}
			all += cost
			whole[[2]any{r.NudgeID, r.Revision}] += cost
			rungs[[3]any{r.NudgeID, r.Revision, r.Rung}] += cost
		}
		for k, given := range whole {
			add(results.Used, &store.OrderReward{NudgeID: k[0].(string), Revision: k[1].(int)}, given)
		}
		for k, given := range rungs {
			add(results.UsedRung, &store.OrderReward{NudgeID: k[0].(string), Revision: k[1].(int), Rung: k[2].(int)}, given)
		}
		add(results.Order, nil, all)
		if len(o.Rewards) > 0 {
			add(results.OrderWith, nil, all)
		}
	}
	lines := map[string]string{}
	for k, s := range out {
		if line := s.line(); line != "" {
			lines[k] = line
		}
	}
	return lines
}

func TestCountsEqualANaiveRecountOfAnyHistory(t *testing.T) {
	a := storetest.Demo(t)
	now := time.Date(2026, 11, 25, 22, 30, 0, 0, time.UTC) // 23:30 in Vessmark: days change in between
	a.Now = func() time.Time { return now }
	zone, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(7, 11))
	nudges := []string{"winter-ladder", "two-at-once", "a-sampler-with-a-full-basket"}
	goods := []string{"HARBLU-30", "BEARED-30", "KIT-F", "DUNA5-D", "WAXSTIRED-5"}
	// One that gives something of two classes, and by two rungs, with one order.
	two := nudge.Definition{
		Version: nudge.Version, Name: "Two at once", Placements: []nudge.Placement{nudge.CartBlock},
		Ladder: nudge.Ladder{Basis: nudge.BeforeNudges, Rungs: []nudge.Rung{
			{Thresholds: nudge.Amounts{"home": {Minor: 1000, Currency: "EUR"}}, Rewards: []nudge.Reward{{Kind: nudge.ShippingFlat, Methods: []string{"standard"}, Amounts: nudge.Amounts{"home": {Minor: 190, Currency: "EUR"}}}}},
			{Thresholds: nudge.Amounts{"home": {Minor: 2000, Currency: "EUR"}}, Rewards: []nudge.Reward{{Kind: nudge.OrderAmount, Amounts: nudge.Amounts{"home": {Minor: 100, Currency: "EUR"}}}, {Kind: nudge.Gift, Items: []nudge.Item{{SKU: "BLOPAP-A5"}}}}},
		}},
		Audience: nudge.Audience{Regions: []string{"home"}}, Wording: nudge.Wording{"en": {nudge.NotYet: "Add {to_add}.", nudge.Reached: "Yours."}},
	}
	_, _, err = a.PublishDefinition(ctx, demo.Shop, "two-at-once", "Ilse", two)
	require.NoError(t, err)
	var sent []app.EventBatch
	orders := 0
	for step := range 160 {
		now = now.Add(time.Duration(r.IntN(900)) * time.Second)
		visit := fmt.Sprint("history-", r.IntN(25))
		switch {
		case len(sent) > 0 && r.IntN(4) == 0: // the same once more, late
			require.NoError(t, a.Record(ctx, demo.Shop, sent[r.IntN(len(sent))]))
		case r.IntN(3) > 0:
			b := app.EventBatch{Visit: visit, Visitor: "v-" + visit, Region: []string{"home", "eu", "jp"}[r.IntN(3)], Language: []string{"en", "de"}[r.IntN(2)]}
			for range 1 + r.IntN(6) {
				kind := store.EventKinds[r.IntN(len(store.EventKinds))]
				e := app.EventInput{Kind: kind, Held: r.IntN(5) == 0}
				if !slices.Contains(store.OfTheVisit, kind) {
					e.Nudge, e.Revision, e.Rung = nudges[r.IntN(len(nudges))], 1+r.IntN(2), r.IntN(2)
					e.Placement = nudge.Placements[r.IntN(len(nudge.Placements))]
				}
				if kind == results.Loaded {
					e.Ms = 1 + r.IntN(20_000) // some count for ten seconds
				}
				if slices.Contains(store.OfBands, kind) {
					e.Band = decide.Bands[r.IntN(len(decide.Bands))]
				}
				at := now.Add(-time.Duration(r.IntN(6*24)) * time.Hour)
				e.At = &at
				b.Events = append(b.Events, e)
			}
			sent = append(sent, b)
			require.NoError(t, a.Record(ctx, demo.Shop, b))
		default:
			orders++
			cart := decide.Cart{Destination: &decide.Destination{Country: []string{"DE", "FR", "JP"}[r.IntN(3)]}}
			for _, i := range r.Perm(len(goods))[:1+r.IntN(3)] {
				cart.Lines = append(cart.Lines, decide.CartLine{SKU: goods[i], Quantity: 1 + int64(r.IntN(3))})
			}
			req := app.OrderRequest{Key: fmt.Sprint("order-", step), Cart: cart, Visit: decide.Visit{ID: visit, Visitor: "v-" + visit}, Charged: true}
			snap, err := a.Snapshots.Get(ctx, demo.Shop)
			require.NoError(t, err)
			d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Visit: req.Visit, Moment: decide.Moment{At: now}})
			require.NoError(t, err)
			req.Expect = d.ToPay
			_, err = a.PlaceOrder(ctx, demo.Shop, req)
			require.NoError(t, err)
		}
	}
	require.Greater(t, orders, 20)
	want := naive(t, a, demo.Shop, zone)
	require.Greater(t, len(want), 100)
	assert.Equal(t, want, cells(t, a, demo.Shop), "kept up as it came")
	bands := naiveBands(t, a, demo.Shop)
	require.GreaterOrEqual(t, len(bands), 10)
	assert.Equal(t, bands, tallies(t, a, demo.Shop), "kept up as it came")
	recounted(t, a)
	assert.Equal(t, want, cells(t, a, demo.Shop), "counted anew")
	assert.Equal(t, bands, tallies(t, a, demo.Shop), "counted anew")

	// What Results say was given away is what the traces of the orders say, to the cent; gifts at their cost.
	for _, currency := range []money.Currency{"EUR", "JPY"} {
		// The demo's own orders lie around today, those of the history around its own day.
		f, err := a.Results(ctx, demo.Shop, app.Asked{From: now.AddDate(-1, 0, 0), To: time.Now().AddDate(1, 0, 0), Currency: currency})
		require.NoError(t, err)
		traced, goods := tracedIn(t, a, currency)
		require.True(t, len(traced) > 0 || currency != "EUR")
		all := money.Minor(0)
		for id, given := range traced {
			assert.Equal(t, given, f.Nudges[id].Given, "%s in %s", id, currency)
			all += given
		}
		assert.Equal(t, all, f.Total.Given)
		assert.Equal(t, goods, f.Total.Goods)
	}
}

// tracedIn sums up from the decisions of orders what each nudge gave away, and what was paid
// for goods.
func tracedIn(t *testing.T, a *app.App, currency money.Currency) (map[string]money.Minor, money.Minor) {
	t.Helper()
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	var orders []store.Order
	require.NoError(t, a.Store.DB.Where("shop_id = ? AND currency = ? AND number > 0", demo.Shop, currency).Find(&orders).Error)
	out, goods := map[string]money.Minor{}, money.Minor(0)
	for _, o := range orders {
		for _, r := range o.Decision.Rewards {
			out[r.Nudge] += r.Amount
		}
		for _, l := range o.Decision.Lines {
			goods += l.Paid
		}
		for _, g := range o.Decision.Gifts {
			for _, it := range g.Items {
				item, ok := snap.Catalog().Item(it.SKU)
				require.True(t, ok)
				p, _ := item.Variant.PriceIn(currency, "", o.PlacedAt)
				require.NotNil(t, p.Cost)
				out[g.Nudge] += *p.Cost * it.Quantity
			}
		}
	}
	return out, goods
}

// recounted counts anew, which changes nothing.
func recounted(t *testing.T, a *app.App) {
	t.Helper()
	otherwise, err := a.Store.Recount(ctx, demo.Shop)
	require.NoError(t, err)
	assert.Zero(t, otherwise)
}

func TestCountingAnewSetsRightAndTellsWhatWasWrong(t *testing.T) {
	a := storetest.Demo(t)
	require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: "v", Region: "home", Events: []app.EventInput{{Kind: results.Visit}}}))
	before := cells(t, a, demo.Shop)
	require.NoError(t, a.Store.DB.Exec("UPDATE result_cells SET goods = goods + 1, n = n + 1 WHERE kind = 'visit'").Error)
	otherwise, err := a.Store.Recount(ctx, demo.Shop)
	require.NoError(t, err)
	assert.EqualValues(t, 1, otherwise)
	assert.Equal(t, before, cells(t, a, demo.Shop))
}

// naiveBands counts shows and acceptances from what is stored, one after the other.
func naiveBands(t *testing.T, a *app.App, shop string) map[string]decide.Tally {
	t.Helper()
	var events []store.Event
	require.NoError(t, a.Store.DB.Where("shop_id = ?", shop).Find(&events).Error)
	out := map[string]decide.Tally{}
	for _, e := range events {
		of := out[e.NudgeID+" "+e.Band]
		switch e.Kind {
		case results.ShownAt:
			of.Shows++
		case results.Accepted:
			of.Accepted++
		default:
			continue
		}
		out[e.NudgeID+" "+e.Band] = of
	}
	for k, of := range out { // here some are made up without a show
		if of.Accepted = min(of.Accepted, of.Shows); of.Shows == 0 {
			delete(out, k)
			continue
		}
		out[k] = of
	}
	return out
}

func tallies(t *testing.T, a *app.App, shop string) map[string]decide.Tally {
	t.Helper()
	all, err := a.Store.Bands(ctx, shop)
	require.NoError(t, err)
	out := map[string]decide.Tally{}
	for id, bands := range all {
		for band, of := range bands {
			out[id+" "+band] = of
		}
	}
	return out
}

func TestAWrongClockIsSetRightAndWhatIsTooOldIsLeftOut(t *testing.T) {
	a := storetest.Demo(t)
	now := time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	a.Now = func() time.Time { return now }
	days := func(visit string) (out []string) {
		var es []store.Event
		require.NoError(t, a.Store.DB.Where("shop_id = ? AND visit = ?", demo.Shop, visit).Order("at").Find(&es).Error)
		for _, e := range es {
			out = append(out, e.At.UTC().Format("2 15:04"))
		}
		return out
	}
	record := func(visit string, sent *time.Time, at ...time.Time) {
		b := app.EventBatch{Visit: visit, SentAt: sent}
		for i := range at {
			b.Events = append(b.Events, app.EventInput{ID: fmt.Sprint(i), Kind: results.Visit, At: &at[i]})
		}
		require.NoError(t, a.Record(ctx, demo.Shop, b))
	}
	ahead := now.AddDate(0, 0, 3) // a device whose clock is three days ahead
	record("ahead", &ahead, ahead.Add(-2*time.Hour), ahead.Add(-time.Minute))
	assert.Equal(t, []string{"25 10:00", "25 11:59"}, days("ahead"))
	behind := now.AddDate(0, -2, 0)
	record("behind", &behind, behind.Add(-time.Hour))
	assert.Equal(t, []string{"25 11:00"}, days("behind"))
	record("late", &now, now.AddDate(0, 0, -7), now.AddDate(0, 0, -7).Add(-time.Second), now.AddDate(0, 0, -6))
	assert.Equal(t, []string{"18 12:00", "19 12:00"}, days("late"), "to 7 days into their own day")
	later := now.Add(30 * time.Second)
	record("soon", nil, later)
	assert.Equal(t, []string{"25 12:00"}, days("soon"), "nothing was later than now")
}

// The share of visitors who see none changes between two days: what each day tells is told of its own.
func TestVisitsOfOneShareAreHeldAgainstEachOther(t *testing.T) {
	a := storetest.Demo(t)
	day := time.Now().UTC().AddDate(0, 0, -1)
	shares := func() (out map[money.Rate][2]int64) {
		counts, err := a.Store.Counts(ctx, demo.Shop, store.CountQuery{From: day, To: day.AddDate(0, 0, 2), Nudge: "winter-ladder", Kinds: []results.Kind{results.Could}, By: []store.By{store.ByShare}})
		require.NoError(t, err)
		out = map[money.Rate][2]int64{}
		for _, c := range counts {
			of := out[c.Share]
			if c.Arm == results.ArmHeld {
				of[1] += c.Visits.Visits
			} else {
				of[0] += c.Visits.Visits
			}
			out[c.Share] = of
		}
		return out
	}
	come := func(from, visits int) {
		for i := from; i < from+visits; i++ {
			e := app.EventInput{Kind: results.Could, Nudge: "winter-ladder", Revision: 1, Held: i%4 == 0}
			require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: fmt.Sprint("share-", i), Region: "home", Events: []app.EventInput{e}}))
		}
	}
	come(0, 8)
	n, err := a.Nudge(ctx, demo.Shop, "winter-ladder")
	require.NoError(t, err)
	n, err = a.EditDraft(ctx, demo.Shop, n.ID, "Ilse", n.DraftVersion, func(d *nudge.Definition) error {
		third := money.Whole / 3
		d.Holdout = &third
		return nil
	})
	require.NoError(t, err)
	_, err = a.Publish(ctx, demo.Shop, n.ID, "Ilse", n.DraftVersion)
	require.NoError(t, err)
	come(8, 4)
	assert.Equal(t, map[money.Rate][2]int64{0: {6, 2}, money.Whole / 3: {3, 1}}, shares())
	recounted(t, a)
	assert.Equal(t, map[money.Rate][2]int64{0: {6, 2}, money.Whole / 3: {3, 1}}, shares())
}
