package app_test

import (
	"errors"
	"fmt"
	"strings"
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

func eur(m money.Minor) nudge.Amounts { return nudge.Amounts{"home": {Minor: m, Currency: "EUR"}} }

// limited is 5.00 off every order at home, in the place of every other nudge.
func limited(t *testing.T, a *app.App, change func(*nudge.Definition)) {
	ns, err := a.Nudges(ctx, demo.Shop)
	require.NoError(t, err)
	for _, n := range ns {
		if n.LiveRevision > 0 {
			_, err := a.SetState(ctx, demo.Shop, n.ID, "Ilse", "", "paused")
			require.NoError(t, err)
		}
	}
	d := nudge.Definition{
		Version: 1, Name: "Five off", Placements: []nudge.Placement{nudge.TopBar}, Wording: nudge.DefaultWording(),
		Audience: nudge.Audience{Regions: []string{"home"}},
		Ladder:   nudge.Ladder{Basis: nudge.BeforeNudges, Rungs: []nudge.Rung{{Thresholds: eur(0), Rewards: []nudge.Reward{{Kind: nudge.OrderAmount, Amounts: eur(500)}}}}},
	}
	change(&d)
	_, _, err = a.PublishDefinition(ctx, demo.Shop, "five-off", "Ilse", d)
	require.NoError(t, err)
	require.NoError(t, a.Store.DB.Exec("UPDATE variants SET stock = NULL").Error, "limits bind here, and not what is there")
}

// price is what the order costs now, with and without the 5.00 off.
func price(t *testing.T, a *app.App, codes ...string) (with, without money.Minor) {
	s, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	c := order("x", 0).Cart
	c.Codes = codes
	c.PoolCodes, err = a.PoolCodes(ctx, s, codes)
	require.NoError(t, err)
	d, err := decide.Decide(s.Snapshot, decide.Request{Cart: c, Moment: decide.Moment{At: a.Now()}})
	require.NoError(t, err)
	return d.ToPay, d.ToPay + d.Off
}

// A thousand checkouts at once against a limit of a hundred: exactly a hundred
// get it, and each of the others is told.
func TestALimitIsTakenExactly(t *testing.T) {
	a := storetest.Demo(t)
	limited(t, a, func(d *nudge.Definition) { d.Limits.Uses = 100 })
	with, _ := price(t, a)
	var got, refused, other atomic.Int64
	var wg sync.WaitGroup
	gate := make(chan struct{}, 24) // as many as the connections there are to a database
	for i := range 1000 {
		wg.Go(func() {
			gate <- struct{}{}
			defer func() { <-gate }()
			r := order(fmt.Sprintf("k-%d", i), with)
			r.Customer = fmt.Sprintf("shopper-%d", i)
			_, err := a.PlaceOrder(ctx, demo.Shop, r)
			var changed app.QuoteChanged
			switch {
			case err == nil:
				got.Add(1)
			case errors.As(err, &changed) && strings.Contains(strings.Join(changed.Changes, " "), "Five off is used up."):
				refused.Add(1)
			default:
				t.Log(err)
				other.Add(1)
			}
		})
	}
	wg.Wait()
	assert.Equal(t, []int64{100, 900, 0}, []int64{got.Load(), refused.Load(), other.Load()})
}

func TestABudgetIsNeverPassed(t *testing.T) {
	a := storetest.Demo(t)
	limited(t, a, func(d *nudge.Definition) { d.Limits.Budget = eur(1400) })
	with, without := price(t, a)
	for i, want := range []bool{true, true, false} { // 5.00 + 5.00, and 4.00 are not enough for a third
		_, err := a.PlaceOrder(ctx, demo.Shop, order(fmt.Sprint(i), with))
		assert.Equal(t, want, err == nil, i)
	}
	_, err := a.PlaceOrder(ctx, demo.Shop, order("full", without))
	assert.NoError(t, err, "at the full price it is taken")
}

func TestAShopperUsesItOnce(t *testing.T) {
	a := storetest.Demo(t)
	limited(t, a, func(d *nudge.Definition) { d.Limits.PerShopper = 1 })
	with, _ := price(t, a)
	first, again, other := order("1", with), order("2", with), order("3", with)
	again.Customer, other.Customer = " NORA ", "Tam"
	_, err := a.PlaceOrder(ctx, demo.Shop, first)
	require.NoError(t, err)
	_, err = a.PlaceOrder(ctx, demo.Shop, first)
	require.NoError(t, err, "the same order sent twice is one")
	_, err = a.PlaceOrder(ctx, demo.Shop, again)
	assert.ErrorAs(t, err, &app.QuoteChanged{})
	_, err = a.PlaceOrder(ctx, demo.Shop, other)
	assert.NoError(t, err)
}

// The same order, sent several times at one moment, is one order for each of the senders,
// also where it takes the only use there is.
func TestTheSameOrderSentTwiceAtOneMomentIsOne(t *testing.T) {
	a := storetest.Demo(t)
	limited(t, a, func(d *nudge.Definition) { d.Limits.PerShopper = 1 })
	with, _ := price(t, a)
	for round := range 12 {
		req := order(fmt.Sprint("twice-", round), with)
		req.Customer = fmt.Sprint("shopper ", round)
		numbers, errs := make([]int64, 6), make([]error, 6)
		var all sync.WaitGroup
		for i := range numbers {
			all.Go(func() {
				o, err := a.PlaceOrder(ctx, demo.Shop, req)
				numbers[i], errs[i] = o.Number, err
			})
		}
		all.Wait()
		for i := range numbers {
			require.NoError(t, errs[i])
			assert.Equal(t, numbers[0], numbers[i])
		}
	}
}

func TestASingleUseCodeIsUsedOnce(t *testing.T) {
	a := storetest.Demo(t)
	limited(t, a, func(d *nudge.Definition) { d.Audience.Pool = "winter" })
	made, err := a.GenerateCodes(ctx, demo.Shop, "winter", "W-", 8, 2)
	require.NoError(t, err)
	with, without := price(t, a, made[0])
	require.Less(t, with, without)
	_, err = a.PlaceOrder(ctx, demo.Shop, order("none", with))
	assert.ErrorAs(t, err, &app.QuoteChanged{}, "without a code")
	var got atomic.Int64
	var wg sync.WaitGroup
	for i := range 20 {
		wg.Go(func() {
			r := order(fmt.Sprint(i), with)
			r.Cart.Codes = []string{strings.ToLower(made[0])}
			if _, err := a.PlaceOrder(ctx, demo.Shop, r); err == nil {
				got.Add(1)
			}
		})
	}
	wg.Wait()
	assert.EqualValues(t, 1, got.Load())
	rows, err := a.Store.Codes(ctx, demo.Shop, "winter")
	require.NoError(t, err)
	used := 0
	for _, r := range rows {
		if r.Order != 0 {
			used++
			assert.Equal(t, made[0], r.Code)
		}
	}
	assert.Equal(t, 1, used)
	_, err = a.ImportCodes(ctx, demo.Shop, "other", strings.NewReader("code\nNEW1\n"+made[1]+"\n"))
	assert.ErrorContains(t, err, made[1], "all or none, and no code twice in a shop")
	n, err := a.ImportCodes(ctx, demo.Shop, "other", strings.NewReader("code\nNEW1\nNEW2\n"))
	require.NoError(t, err)
	assert.Equal(t, 2, n)
}
