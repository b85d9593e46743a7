package app_test

import (
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store/storetest"
)

func stockOf(t *testing.T, a *app.App, sku string) (n int64) {
	t.Helper()
	require.NoError(t, a.Store.DB.Raw("SELECT stock FROM variants WHERE shop_id = ? AND sku = ?", demo.Shop, sku).Scan(&n).Error)
	return n
}

// Twelve pieces, forty checkouts of one at once: twelve get it, the others are told, and
// nothing is left.
func TestWhatIsThereIsSoldExactly(t *testing.T) {
	a := storetest.Demo(t)
	limited(t, a, func(*nudge.Definition) {})
	with, _ := price(t, a)
	sku := order("x", 0).Cart.Lines[0].SKU
	n := order("x", 0).Cart.Lines[0].Quantity
	require.NoError(t, a.Store.DB.Exec("UPDATE variants SET stock = ? WHERE sku = ?", 12*n, sku).Error)
	var got, out atomic.Int64
	var all sync.WaitGroup
	for i := range 40 {
		all.Go(func() {
			_, err := a.PlaceOrder(ctx, demo.Shop, order(fmt.Sprint("s-", i), with))
			var gone app.OutOfStock
			switch {
			case err == nil:
				got.Add(1)
			case errors.As(err, &gone) && gone.Lacks[0].SKU == sku:
				out.Add(1)
			default:
				t.Error(err)
			}
		})
	}
	all.Wait()
	assert.Equal(t, []int64{12, 28}, []int64{got.Load(), out.Load()})
	assert.Zero(t, stockOf(t, a, sku))
	charged := order("charged", with)
	charged.Charged = true
	_, err := a.PlaceOrder(ctx, demo.Shop, charged)
	assert.NoError(t, err, "what a shop has charged already is taken over")
	assert.Zero(t, stockOf(t, a, sku), "and there is never less than nothing")
}

// A limit of one use: after the order came back the next shopper can have it, and the goods
// are for sale again. A return sent twice counts once.
func TestWhatComesBackGivesUsesAndGoodsBack(t *testing.T) {
	a := storetest.Demo(t)
	limited(t, a, func(d *nudge.Definition) { d.Limits.Uses = 1 })
	with, without := price(t, a)
	req := order("one", with)
	sku, n := req.Cart.Lines[0].SKU, req.Cart.Lines[0].Quantity
	require.NoError(t, a.Store.DB.Exec("UPDATE variants SET stock = 20 WHERE sku = ?", sku).Error)
	o, err := a.PlaceOrder(ctx, demo.Shop, req)
	require.NoError(t, err)
	assert.Equal(t, 20-n, stockOf(t, a, sku))
	_, err = a.PlaceOrder(ctx, demo.Shop, order("two", with))
	assert.ErrorAs(t, err, &app.QuoteChanged{}, "the only use is taken")

	all := make([]int64, len(o.Decision.Lines))
	for i, l := range o.Decision.Lines {
		all[i] = l.Quantity
	}
	var done, told atomic.Int64
	var both sync.WaitGroup
	for range 6 {
		both.Go(func() {
			_, err := a.Return(ctx, demo.Shop, o.Number, "Ilse", 0, all, nudge.Keep, true)
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
	both.Wait()
	assert.Equal(t, []int64{1, 5}, []int64{done.Load(), told.Load()})
	r, err := a.ReturnedOrder(ctx, demo.Shop, o.Number)
	require.NoError(t, err)
	assert.Equal(t, with, r.Paid, "all of it is paid back, once")
	assert.True(t, r.AllBack())
	assert.Equal(t, int64(20), stockOf(t, a, sku))

	_, err = a.PlaceOrder(ctx, demo.Shop, order("three", with))
	assert.NoError(t, err, "the use was given back")
	_, err = a.PlaceOrder(ctx, demo.Shop, order("four", with))
	assert.ErrorAs(t, err, &app.QuoteChanged{}, "and that one is taken")
	_, err = a.PlaceOrder(ctx, demo.Shop, order("five", without))
	assert.NoError(t, err)
}

// Returns by each way, held against figures worked out by hand: 2 × 14.00 and shipping of
// 5.90, 5.00 off everything.
func TestPartOfAnOrderComesBack(t *testing.T) {
	a := storetest.Demo(t)
	limited(t, a, func(d *nudge.Definition) { d.Ladder.Rungs[0].Thresholds = eur(2000) })
	req := order("part", 0)
	req.Cart.Lines = []decide.CartLine{{SKU: "HARBLU-30", Quantity: 2}}
	s, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	d, err := decide.Decide(s.Snapshot, decide.Request{Cart: req.Cart, Moment: decide.Moment{At: a.Now()}})
	require.NoError(t, err)
	require.Equal(t, money.Minor(2800-500+590), d.ToPay)
	req.Expect = d.ToPay
	o, err := a.PlaceOrder(ctx, demo.Shop, req)
	require.NoError(t, err)
	r, err := a.ReturnedOrder(ctx, demo.Shop, o.Number)
	require.NoError(t, err)
	q, err := a.QuoteReturn(ctx, &r, []int64{1})
	require.NoError(t, err)
	// Half of 23.00 was paid for it; what stays is 14.00, below 20.00, and 5.90 to send.
	assert.Equal(t, []money.Minor{1150, 1150, 2890 - 1990}, []money.Minor{q.Keep, q.Charge, q.Recompute})
	assert.Equal(t, []string{"five-off"}, q.Gone)
	_, err = a.QuoteReturn(ctx, &r, []int64{3})
	assert.ErrorAs(t, err, &app.Problem{})
	_, err = a.QuoteReturn(ctx, &r, []int64{0})
	assert.ErrorAs(t, err, &app.Problem{})
	_, err = a.Return(ctx, demo.Shop, o.Number, "Ilse", 0, []int64{1}, "", false)
	assert.ErrorAs(t, err, &app.Problem{}, "a way is needed")
	_, err = a.Return(ctx, demo.Shop, o.Number, "Ilse", 0, []int64{1}, nudge.Recompute, false)
	require.NoError(t, err)
	r, err = a.ReturnedOrder(ctx, demo.Shop, o.Number)
	require.NoError(t, err)
	q, err = a.QuoteReturn(ctx, &r, []int64{1})
	require.NoError(t, err)
	assert.True(t, q.All)
	assert.Equal(t, money.Minor(2890-900), q.Keep, "what is left of it")
}
