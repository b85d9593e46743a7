package app

import (
	"context"

	"agonal.dev/agonal/core/decide"
)

// Learned tells how often a nudge was shown and accepted, by gap band, since it was begun anew.
func (a *App) Learned(ctx context.Context, shop, id string) (map[string]decide.Tally, error) {
	all, err := a.Store.Bands(ctx, shop)
	return all[id], err
}

// Forget begins anew what is learned of a nudge; false where there is nothing to forget.
func (a *App) Forget(ctx context.Context, shop, id string) (bool, error) {
	had, err := a.Store.ForgetBands(ctx, shop, id)
	a.usage.stale(shop)
	return had, err
}

// Recall takes the last [App.Forget] back.
func (a *App) Recall(ctx context.Context, shop, id string) error {
	err := a.Store.RecallBands(ctx, shop, id)
	a.usage.stale(shop)
	return err
}
