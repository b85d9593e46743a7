package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

func TestWhatANudgeGaveMost(t *testing.T) {
	a := storetest.Demo(t)
	for key, with := range map[string]struct {
		pieces int64
		codes  []string
	}{"one": {11, nil}, "two": {12, nil}, "three": {2, []string{"harbour10"}}, "four": {1, nil}} {
		cart := decide.Cart{Destination: &decide.Destination{Country: "DE"}, Lines: []decide.CartLine{{SKU: "HARBLU-30", Quantity: with.pieces}}, Codes: with.codes}
		snap, err := a.Snapshots.Get(ctx, demo.Shop)
		require.NoError(t, err)
		d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Moment: decide.Moment{At: a.Now()}})
		require.NoError(t, err)
		_, err = a.PlaceOrder(ctx, demo.Shop, app.OrderRequest{Key: key, Cart: cart, Expect: d.ToPay, Charged: true})
		require.NoError(t, err)
	}
	day := a.Now().UTC()
	most := func(id string, from int) []store.GivenOften {
		n, err := a.Nudge(ctx, demo.Shop, id)
		require.NoError(t, err)
		got, err := a.GivenMost(ctx, demo.Shop, id, &n.Draft, app.Asked{From: day.AddDate(0, 0, from), To: day.AddDate(0, 0, 1), Currency: "EUR"})
		require.NoError(t, err)
		return got
	}
	assert.Equal(t, []store.GivenOften{{SKU: "SET-QUAY", Orders: 2}}, most("a-sampler-with-a-full-basket", -1))
	assert.Equal(t, []store.GivenOften{{Code: "HARBOUR10", Orders: 1}}, most("harbour-code", -1))
	assert.Empty(t, most("winter-ladder", -1), "it gives no goods and needs no code")
	assert.Empty(t, most("a-sampler-with-a-full-basket", 1), "not within the period")
}
