package app

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/store"
)

// Sales of many goods at once: planned over what is in scope, kept in the prices of the
// variants, which come and go by themselves.

// RunningSale is a sale as it lies in the prices: all that begins and ends at the same
// moments.
type RunningSale struct {
	From, Until time.Time
	Variants    int
	// Least and Most are the percentages taken off, rounded down.
	Least, Most int64
	Sample      string // one of its items
}

// checkSale refuses a plan that cannot be. Errors: Problem.
func (a *App) checkSale(p catalog.SalePlan) error {
	switch {
	case p.Percent <= 0 || p.Percent >= money.Whole:
		return Problem{"percent", "A share of more than 0 and less than 100 % is needed."}
	case p.From.IsZero():
		return Problem{"from", "A beginning is needed."}
	case !p.Until.After(p.From):
		return Problem{"until", "The end must be later than the beginning."}
	case !p.Until.After(a.Now()):
		return Problem{"until", "This is over already; choose an end that lies ahead."}
	}
	if err := p.Scope.Valid(); err != nil {
		return Problem{"scope", err.Error()}
	}
	return nil
}

// PlanSale says what a sale would do. Errors: Problem.
func (a *App) PlanSale(ctx context.Context, shop string, p catalog.SalePlan) ([]catalog.SaleOutcome, error) {
	if err := a.checkSale(p); err != nil {
		return nil, err
	}
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return nil, err
	}
	return snap.Catalog().PlanSale(p, snap.Regions()), nil
}

// KeepSale puts a sale into the prices, and tells how many variants it reduces. Errors:
// Problem.
func (a *App) KeepSale(ctx context.Context, shop string, p catalog.SalePlan) (int, error) {
	if err := a.checkSale(p); err != nil {
		return 0, err
	}
	return a.changePrices(ctx, shop, func(c *catalog.Catalog, regions []catalog.Region) map[string]map[money.Currency]catalog.Price {
		changed := map[string]map[money.Currency]catalog.Price{}
		for _, o := range c.PlanSale(p, regions) {
			if o.Why != "" {
				continue
			}
			prices := pricesOf(changed, o.Item.Variant)
			prices[o.Currency] = prices[o.Currency].WithSale(catalog.Sale{From: p.From.UTC(), Until: p.Until.UTC(), Price: o.Sale})
		}
		return changed
	})
}

// EndSale takes a sale back: what has begun ends now, what has not does not begin.
func (a *App) EndSale(ctx context.Context, shop string, from, until time.Time) (int, error) {
	now := a.Now().UTC().Truncate(time.Second)
	return a.changePrices(ctx, shop, func(c *catalog.Catalog, _ []catalog.Region) map[string]map[money.Currency]catalog.Price {
		changed := map[string]map[money.Currency]catalog.Price{}
		for i := range c.Products {
			for j := range c.Products[i].Variants {
				v := &c.Products[i].Variants[j]
				for cur, price := range v.Prices {
					if p, ok := price.WithoutSale(from, until, now); ok {
						pricesOf(changed, v)[cur] = p
					}
				}
			}
		}
		return changed
	})
}

// pricesOf are the prices of a variant among those that change, its own to begin with.
func pricesOf(changed map[string]map[money.Currency]catalog.Price, v *catalog.Variant) map[money.Currency]catalog.Price {
	if changed[v.SKU] == nil {
		own := map[money.Currency]catalog.Price{}
		for c, p := range v.Prices {
			own[c] = p
		}
		changed[v.SKU] = own
	}
	return changed[v.SKU]
}

// changePrices changes prices as they are in the database, one change at a time, and
// tells of how many variants.
func (a *App) changePrices(ctx context.Context, shop string, change func(*catalog.Catalog, []catalog.Region) map[string]map[money.Currency]catalog.Price) (n int, err error) {
	err = a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		s := &store.Store{DB: tx, Pool: a.Store.Pool}
		products, err := s.Products(ctx, shop)
		if err != nil {
			return err
		}
		cat, err := catalog.New(products)
		if err != nil {
			return fmt.Errorf("the catalogue of %s: %w", shop, err)
		}
		regions, err := s.Regions(ctx, shop)
		if err != nil {
			return err
		}
		changed := change(cat, regions)
		if n = len(changed); n == 0 {
			return nil
		}
		if err := store.SavePrices(tx, shop, changed); err != nil {
			return err
		}
		return announce(tx, shop)
	})
	return n, a.refreshed(ctx, shop, err)
}

// Sales lists the sales that run or are to come, the first to begin first.
func (a *App) Sales(ctx context.Context, shop string) ([]RunningSale, error) {
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return nil, err
	}
	return salesIn(snap.Catalog(), a.Now()), nil
}

func salesIn(c *catalog.Catalog, now time.Time) []RunningSale {
	type key struct{ from, until int64 }
	found := map[key]*RunningSale{}
	var order []*RunningSale
	for i := range c.Products {
		p := &c.Products[i]
		for j := range p.Variants {
			v := &p.Variants[j]
			counted := map[key]bool{}
			for _, price := range v.Prices {
				for _, s := range price.Sales {
					if !now.Before(s.Until) {
						continue
					}
					k := key{s.From.Unix(), s.Until.Unix()}
					r := found[k]
					percent := s.Percent(price.Price)
					if r == nil {
						r = &RunningSale{From: s.From, Until: s.Until, Least: percent, Most: percent, Sample: catalog.Item{Product: p, Variant: v}.Label()}
						found[k] = r
						order = append(order, r)
					}
					if !counted[k] {
						counted[k] = true
						r.Variants++
					}
					r.Least, r.Most = min(r.Least, percent), max(r.Most, percent)
				}
			}
		}
	}
	out := make([]RunningSale, len(order))
	for i, r := range order {
		out[i] = *r
	}
	slices.SortStableFunc(out, func(a, b RunningSale) int { return cmp.Or(a.From.Compare(b.From), a.Until.Compare(b.Until)) })
	return out
}
