package app_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store/storetest"
)

const letter = "a-letter-a-week"

// subscribed places an order of a set of that nudge, by a plan, at a time.
func subscribed(t *testing.T, a *app.App, key, country, plan string, at time.Time) decide.Decision {
	t.Helper()
	cart := decide.Cart{Destination: &decide.Destination{Country: country}}
	for _, sku := range []string{"HARBLU-4", "BEARED-4", "OYSGRE-4"} {
		cart.Lines = append(cart.Lines, decide.CartLine{SKU: sku, Quantity: 1, Plan: plan, Build: &decide.Build{Nudge: letter, ID: "one"}})
	}
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Moment: decide.Moment{At: at}})
	require.NoError(t, err)
	_, err = a.PlaceOrder(ctx, demo.Shop, app.OrderRequest{Key: key, Cart: cart, Expect: d.ToPay, Charged: true, PlacedAt: &at})
	require.NoError(t, err)
	return d
}

func TestWhatBecameOfAPlanCountsOnce(t *testing.T) {
	a := storetest.Demo(t)
	now := a.Now().UTC()
	d := subscribed(t, a, "letters", "DE", "1 month", now.AddDate(0, 0, -40))
	later := money.Minor(0)
	for _, l := range d.Lines {
		later += *l.Later
	}
	require.Positive(t, later)
	subscribed(t, a, "once", "DE", "", now)
	tell := func(in app.PlanEventInput) (app.PlanState, error) { return a.PlanEvent(ctx, demo.Shop, in) }
	for range 2 {
		s, err := tell(app.PlanEventInput{Order: "letters", ID: "1", Kind: results.PlanParcel})
		require.NoError(t, err)
		assert.Equal(t, app.PlanState{Paid: later, Currency: "EUR", Parcels: 1}, s)
	}
	paid := money.Minor(990)
	s, err := tell(app.PlanEventInput{Order: "letters", ID: "2", Kind: results.PlanRenewed, Paid: &paid})
	require.NoError(t, err)
	assert.Equal(t, app.PlanState{Paid: paid, Currency: "EUR", Parcels: 1, Renewed: 1}, s)
	s, err = tell(app.PlanEventInput{Order: "letters", ID: "3", Kind: results.PlanEnded})
	require.NoError(t, err)
	assert.True(t, s.Ended)
	before, coming, less := now.AddDate(0, 0, -41), now.AddDate(0, 0, 1), money.Minor(-1)
	for say, in := range map[string]app.PlanEventInput{
		"1 to 200 characters":      {Order: "letters", Kind: results.PlanParcel},
		"must be one of":           {Order: "letters", ID: "4", Kind: "lost"},
		"not found":                {Order: "nowhere", ID: "4", Kind: results.PlanParcel},
		"bought by a plan":         {Order: "once", ID: "4", Kind: results.PlanParcel},
		"before the order was":     {Order: "letters", ID: "4", Kind: results.PlanParcel, At: &before},
		"in the future":            {Order: "letters", ID: "4", Kind: results.PlanParcel, At: &coming},
		"minor units are possible": {Order: "letters", ID: "4", Kind: results.PlanParcel, Paid: &less},
	} {
		_, err := tell(in)
		assert.ErrorContains(t, err, say)
	}
}

func TestPlansEqualANaiveCount(t *testing.T) {
	a := storetest.Demo(t)
	r := rand.New(rand.NewPCG(9, 1))
	now := a.Now().UTC()
	type told struct {
		at   time.Time
		kind results.PlanKind
		paid money.Minor
	}
	type plan struct {
		placed time.Time
		euros  bool
		all    []told
	}
	var plans []plan
	for i := range 25 {
		p := plan{placed: now.AddDate(0, 0, -r.IntN(50)).Add(-time.Minute), euros: r.IntN(4) > 0}
		country, key := map[bool]string{true: "DE", false: "GB"}[p.euros], fmt.Sprint("plan-", i)
		subscribed(t, a, key, country, []string{"1 month", "2 months"}[r.IntN(2)], p.placed)
		for n := range r.IntN(4) {
			e := told{p.placed.Add(time.Duration(r.Float64() * float64(now.Sub(p.placed)))), results.PlanKinds[r.IntN(3)], r.Int64N(2000)}
			p.all = append(p.all, e)
			_, err := a.PlanEvent(ctx, demo.Shop, app.PlanEventInput{Order: key, ID: fmt.Sprint(n), Kind: e.kind, At: &e.at, Paid: &e.paid})
			require.NoError(t, err)
		}
		plans = append(plans, p)
	}
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	for _, days := range []int{7, 30, 60} {
		from := now.AddDate(0, 0, -days)
		q := app.Asked{From: from, To: now.AddDate(0, 0, -2), Currency: "EUR"}
		begin, end := snap.Begin(q.From), snap.Begin(q.To.AddDate(0, 0, 1))
		within := func(at time.Time) bool { return !at.Before(begin) && at.Before(end) }
		var want results.Plans
		for _, p := range plans {
			if !p.euros || !p.placed.Before(end) {
				continue
			}
			if within(p.placed) {
				want.Begun++
			}
			over := false
			for _, e := range p.all {
				if over = over || e.kind == results.PlanEnded && e.at.Before(end); !within(e.at) {
					continue
				}
				want.Paid += e.paid
				switch e.kind {
				case results.PlanParcel:
					want.Parcels++
				case results.PlanRenewed:
					want.Renewed++
				case results.PlanEnded:
					want.Ended++
				}
			}
			if !over {
				want.GoingOn++
			}
		}
		got, err := a.Plans(ctx, demo.Shop, letter, q)
		require.NoError(t, err)
		assert.Equal(t, want, got, "%d days", days)
		require.Positive(t, got.GoingOn)
	}
	none, err := a.Plans(ctx, demo.Shop, "winter-ladder", app.Asked{From: now.AddDate(0, 0, -60), To: now, Currency: "EUR"})
	require.NoError(t, err)
	assert.True(t, none.IsZero())
}
