package app_test

import (
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store/storetest"
)

// afterwards publishes an offer after orders: a blotter, a tenth cheaper.
func afterwards(t *testing.T, a *app.App, change func(*nudge.Definition)) {
	t.Helper()
	tenth := money.Rate(100_000)
	d := nudge.Definition{
		Version: nudge.Version, Name: "One more", Placements: []nudge.Placement{nudge.AfterBuy}, Wording: nudge.Wording{"en": {nudge.Reached: "{offered}? You pay {difference}."}},
		Ladder: nudge.Ladder{Basis: nudge.BeforeNudges, Measure: nudge.Units, Rungs: []nudge.Rung{{Count: 1, Rewards: []nudge.Reward{
			{Kind: nudge.OfferAfter, Items: []nudge.Item{{SKU: "BLOPAP-A5"}}, Percent: &tenth},
		}}}},
	}
	change(&d)
	_, _, err := a.PublishDefinition(ctx, demo.Shop, "one-more", "Test", d)
	require.NoError(t, err)
}

// placed places an order of three bottles, and of what else there is, for what it costs.
func placed(t *testing.T, a *app.App, key string, more ...decide.CartLine) {
	t.Helper()
	req := order(key, 0)
	req.Cart.Lines = append([]decide.CartLine{{SKU: "HARBLU-30", Quantity: 3}}, more...)
	_, err := a.PlaceOrder(ctx, demo.Shop, req)
	var now app.QuoteChanged
	require.ErrorAs(t, err, &now)
	req.Expect = now.Decision.ToPay
	_, err = a.PlaceOrder(ctx, demo.Shop, req)
	require.NoError(t, err)
}

// offeredAfter is what is offered after an order; nil: nothing.
func offeredAfter(t *testing.T, a *app.App, key string) *decide.OfferItem {
	t.Helper()
	after, err := a.AfterOrder(ctx, demo.Shop, key)
	require.NoError(t, err)
	if len(after.Decision.Says) == 0 || len(after.Decision.Offers) == 0 {
		return nil
	}
	return &after.Decision.Offers[0].Items[0]
}

func adds(key, to string, more money.Minor) app.AdditionRequest {
	return app.AdditionRequest{Key: key, Order: to, Nudge: "one-more", SKU: "BLOPAP-A5", Expect: more}
}

// 4.50 less a tenth is 4.05; what is added costs what was said, comes from the shelf, and is
// one order with the first.
func TestAnOfferAfterAnOrderIsAddedToIt(t *testing.T) {
	a := storetest.Demo(t)
	afterwards(t, a, func(*nudge.Definition) {})
	placed(t, a, "first")
	before, err := a.AfterOrder(ctx, demo.Shop, "first")
	require.NoError(t, err)
	it := offeredAfter(t, a, "first")
	require.NotNil(t, it)
	assert.Equal(t, money.Minor(405), *it.More)
	assert.Equal(t, "Blotting paper, A5? You pay €4.05 more.", before.Decision.Says[0].Text)
	require.NotNil(t, before.Decision.Says[0].Ends)
	assert.InDelta(t, app.AfterHolds.Seconds(), before.Decision.Says[0].Ends.Seconds, 60, "it counts down to when nothing can be added any more")
	had := stockOf(t, a, "BLOPAP-A5")

	_, _, err = a.AddToOrder(ctx, demo.Shop, adds("add", "first", 400))
	assert.ErrorAs(t, err, &app.QuoteChanged{}, "another difference was shown")
	_, _, err = a.AddToOrder(ctx, demo.Shop, adds("add", "nowhere", 405))
	assert.ErrorIs(t, err, app.ErrNotFound)
	x, o, err := a.AddToOrder(ctx, demo.Shop, adds("add", "first", 405))
	require.NoError(t, err)
	assert.Equal(t, money.Minor(405), x.More)
	assert.Equal(t, before.Decision.ToPay+405, o.ToPay)
	assert.Equal(t, had-1, stockOf(t, a, "BLOPAP-A5"))
	stored, err := a.Order(ctx, demo.Shop, o.Number)
	require.NoError(t, err)
	assert.Equal(t, o.ToPay, stored.ToPay)
	assert.Equal(t, stored.ToPay, stored.Decision.ToPay)
	assert.Len(t, stored.Decision.Lines, 2)
	assert.Nil(t, offeredAfter(t, a, "first"), "it is asked once")

	_, again, err := a.AddToOrder(ctx, demo.Shop, adds("add", "first", 405))
	require.NoError(t, err, "sent twice, it counts once")
	assert.Equal(t, o.ToPay, again.ToPay)
	_, _, err = a.AddToOrder(ctx, demo.Shop, adds("another", "first", 405))
	assert.ErrorAs(t, err, &app.Problem{})
	_, _, err = a.AddToOrder(ctx, demo.Shop, adds("add", "first", 1))
	assert.ErrorIs(t, err, app.ErrKeyReused)
	assert.Equal(t, had-1, stockOf(t, a, "BLOPAP-A5"))

	// What comes back of it pays back what was paid, all of it together.
	r, err := a.ReturnedOrder(ctx, demo.Shop, o.Number)
	require.NoError(t, err)
	q, err := a.QuoteReturn(ctx, &r, []int64{r.Decision.Lines[0].Quantity, r.Decision.Lines[1].Quantity})
	require.NoError(t, err)
	assert.Equal(t, o.ToPay, q.Keep)
}

// Thirty presses at once, each with a key of its own: one of them adds.
func TestAnOfferAfterAnOrderIsTakenOnce(t *testing.T) {
	a := storetest.Demo(t)
	afterwards(t, a, func(*nudge.Definition) {})
	placed(t, a, "first")
	more := *offeredAfter(t, a, "first").More
	var done, told atomic.Int64
	var all sync.WaitGroup
	for i := range 30 {
		all.Go(func() {
			_, _, err := a.AddToOrder(ctx, demo.Shop, adds(fmt.Sprint("k", i), "first", more))
			var said app.Problem
			switch {
			case err == nil:
				done.Add(1)
			case errors.As(err, &said):
				told.Add(1)
			default:
				t.Error(err)
			}
		})
	}
	all.Wait()
	assert.Equal(t, []int64{1, 29}, []int64{done.Load(), told.Load()})
}

// Its deadline, an empty shelf and a limit that another order has used up end it.
func TestWhatEndsAnOfferAfterAnOrder(t *testing.T) {
	a := storetest.Demo(t)
	afterwards(t, a, func(d *nudge.Definition) { d.Limits.Uses = 1 })
	placed(t, a, "first")
	placed(t, a, "second")
	more := *offeredAfter(t, a, "first").More
	require.NotNil(t, offeredAfter(t, a, "second"))
	_, _, err := a.AddToOrder(ctx, demo.Shop, adds("a", "first", more))
	require.NoError(t, err)
	assert.Nil(t, offeredAfter(t, a, "second"), "its only use is taken")
	_, _, err = a.AddToOrder(ctx, demo.Shop, adds("b", "second", more))
	assert.ErrorAs(t, err, &app.Problem{})

	afterwards(t, a, func(*nudge.Definition) {})
	placed(t, a, "third")
	require.NotNil(t, offeredAfter(t, a, "third"))
	require.NoError(t, a.Store.DB.Exec("UPDATE variants SET stock = 0 WHERE sku = 'BLOPAP-A5'").Error)
	_, _, err = a.AddToOrder(ctx, demo.Shop, adds("c", "third", more))
	assert.ErrorAs(t, err, &app.OutOfStock{})
	require.NoError(t, a.Store.DB.Exec("UPDATE variants SET stock = 9 WHERE sku = 'BLOPAP-A5'").Error)
	require.NoError(t, a.Store.DB.Exec("UPDATE orders SET placed_at = placed_at - ? * interval '1 second' WHERE idempotency_key = 'third'", (app.AfterHolds+time.Second).Seconds()).Error)
	assert.Nil(t, offeredAfter(t, a, "third"), "its time is over")
	_, _, err = a.AddToOrder(ctx, demo.Shop, adds("d", "third", more))
	assert.ErrorAs(t, err, &app.Problem{})
	late := adds("e", "third", more)
	late.Charged = true
	_, o, err := a.AddToOrder(ctx, demo.Shop, late)
	require.NoError(t, err, "what a shop has charged in time is taken over")
	assert.Equal(t, o.ToPay, o.Decision.ToPay)
}

// An order that holds exactly one thing may have it replaced; the difference is charged, and
// the smaller one goes back to the shelf.
func TestAWholeOrderIsReplaced(t *testing.T) {
	a := storetest.Demo(t)
	afterwards(t, a, func(d *nudge.Definition) {
		d.Ladder.Rungs[0].Rewards[0] = nudge.Reward{Kind: nudge.OfferAfter, Items: []nudge.Item{{SKU: "HARBLU-100"}}, InPlaceOf: []string{"HARBLU-30"}}
	})
	placed(t, a, "first")
	it := offeredAfter(t, a, "first")
	require.NotNil(t, it)
	assert.Equal(t, []any{"HARBLU-100", "HARBLU-30", int64(3)}, []any{it.SKU, it.Instead, it.Quantity})
	small, large := stockOf(t, a, "HARBLU-30"), stockOf(t, a, "HARBLU-100")
	req := adds("swap", "first", *it.More)
	req.SKU, req.Instead = it.SKU, it.Instead
	_, o, err := a.AddToOrder(ctx, demo.Shop, req)
	require.NoError(t, err)
	require.Len(t, o.Decision.Lines, 1)
	assert.Equal(t, "HARBLU-100", o.Decision.Lines[0].SKU)
	assert.Equal(t, []int64{small + 3, large - 3}, []int64{stockOf(t, a, "HARBLU-30"), stockOf(t, a, "HARBLU-100")})

	placed(t, a, "two", decide.CartLine{SKU: "BLOPAP-A5", Quantity: 1})
	assert.Nil(t, offeredAfter(t, a, "two"), "it holds something else as well")
}
