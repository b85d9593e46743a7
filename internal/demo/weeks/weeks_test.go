package weeks_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/demo/weeks"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

func TestThePastIsMadeOnceAndLeavesTheShopAsItWas(t *testing.T) {
	ctx := context.Background()
	a := storetest.Demo(t)
	before, err := a.Store.Products(ctx, demo.Shop)
	require.NoError(t, err)
	require.NoError(t, weeks.Make(ctx, a, 5))
	now := a.Now().UTC()
	to := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, time.UTC)
	f, err := a.Results(ctx, demo.Shop, app.Asked{From: to.AddDate(0, 0, -7*weeks.Weeks), To: to, Currency: "EUR"})
	require.NoError(t, err)
	assert.InDelta(t, 5*7*weeks.Weeks*0.9, float64(f.Total.Visits.Visits), 5*7*weeks.Weeks*0.2)
	assert.Greater(t, f.Total.Orders, int64(20))
	assert.Positive(t, f.Total.Given)
	n, err := a.Nudge(ctx, demo.Shop, "a-fifth-for-autumn")
	require.NoError(t, err)
	assert.Equal(t, store.StateEnded, n.State)
	after, err := a.Store.Products(ctx, demo.Shop)
	require.NoError(t, err)
	assert.Equal(t, before, after, "the shelves are as they were")
	require.NoError(t, weeks.Make(ctx, a, 5))
	again, err := a.Results(ctx, demo.Shop, f.Asked)
	require.NoError(t, err)
	assert.Equal(t, f.Total, again.Total)
}
