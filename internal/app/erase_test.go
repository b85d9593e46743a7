package app_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

// orderedBy places an order of a visit by a name.
func orderedBy(t *testing.T, a *app.App, visit, visitor, name string) int64 {
	t.Helper()
	require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: visit, Visitor: visitor, Region: "home", Events: []app.EventInput{
		{Kind: results.Visit}, {Kind: results.Could, Nudge: "winter-ladder", Revision: 1}, {Kind: results.Shown, Nudge: "winter-ladder", Revision: 1},
	}}))
	cart := decide.Cart{Destination: &decide.Destination{Country: "DE"}, Lines: []decide.CartLine{{SKU: "HARBLU-30", Quantity: 5}}}
	req := app.OrderRequest{Key: "order of " + visit, Cart: cart, Visit: decide.Visit{ID: visit, Visitor: visitor}, Charged: true, Customer: name}
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Visit: req.Visit, Moment: decide.Moment{At: a.Now()}})
	require.NoError(t, err)
	req.Expect = d.ToPay
	o, err := a.PlaceOrder(ctx, demo.Shop, req)
	require.NoError(t, err)
	return o.Number
}

func TestAShopperIsErasedAndEverySumStays(t *testing.T) {
	a := storetest.Demo(t)
	first := orderedBy(t, a, "visit-1", "browser-1", "Tomma Frisk")
	second := orderedBy(t, a, "visit-2", "browser-2", "tomma frisk ")
	partner := orderedBy(t, a, "visit-3", "browser-1", "Jorin Frisk") // at the same machine
	other := orderedBy(t, a, "visit-4", "browser-4", "Ove Lund")
	before := cells(t, a, demo.Shop)

	_, _, err := a.Erase(ctx, demo.Shop, "Nobody Known", "")
	require.ErrorIs(t, err, app.ErrNotFound)
	_, _, err = a.Erase(ctx, demo.Shop, " ", "")
	require.ErrorAs(t, err, new(app.Problem))
	orders, visits, err := a.Erase(ctx, demo.Shop, "Tomma Frisk", "")
	require.NoError(t, err)
	assert.Equal(t, [2]int64{2, 3}, [2]int64{orders, visits})

	names := map[int64]string{}
	var all []store.Order
	require.NoError(t, a.Store.DB.Where("number IN ?", []int64{first, second, partner, other}).Find(&all).Error)
	for _, o := range all {
		names[o.Number] = o.Customer
	}
	assert.Equal(t, map[int64]string{first: "", second: "", partner: "Jorin Frisk", other: "Ove Lund"}, names)
	for column, of := range map[string][]string{"visit": {"visit-1", "visit-2", "visit-3"}, "visitor": {"browser-1", "browser-2"}} {
		var left int64
		require.NoError(t, a.Store.DB.Model(&store.Event{}).Where(column+" IN ?", of).Count(&left).Error)
		assert.Zero(t, left, column)
	}
	var kept int64
	require.NoError(t, a.Store.DB.Model(&store.Event{}).Where("visit = 'visit-4' AND visitor = 'browser-4'").Count(&kept).Error)
	assert.EqualValues(t, 3, kept)
	assert.Equal(t, before, cells(t, a, demo.Shop))
	recounted(t, a) // orders still come of their visits

	orders, visits, err = a.Erase(ctx, demo.Shop, "", "browser-4")
	require.NoError(t, err)
	assert.Equal(t, [2]int64{1, 1}, [2]int64{orders, visits})
	assert.Equal(t, before, cells(t, a, demo.Shop), fmt.Sprint("order ", other))
	recounted(t, a)
}
