package app

import (
	"context"
	"strings"

	"agonal.dev/agonal/internal/store"
)

// Erase takes a shopper out of a shop, by the name that orders have or by the number that the
// browser keeps; all that is counted stays. It returns how many orders and visits were theirs.
// Errors: ErrNotFound where there is no such shopper, Problem.
func (a *App) Erase(ctx context.Context, shop, customer, visitor string) (orders, visits int64, err error) {
	customer, visitor = strings.TrimSpace(customer), strings.TrimSpace(visitor)
	if customer == "" && visitor == "" {
		return 0, 0, Problem{"customer", "Say whom to erase: the name that orders have, or the visitor."}
	}
	orders, visits, err = a.Store.Erase(ctx, shop, store.Erased{Customer: customer, Key: shopperKey(customer), Visitor: visitor})
	if err == nil && orders+visits == 0 {
		err = ErrNotFound
	}
	a.usage.stale(shop)
	return orders, visits, err
}
