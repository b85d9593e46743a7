package catalog

import (
	"time"

	"agonal.dev/agonal/core/money"
)

// SalePlan is a sale of many goods at once: a share off each, rounded down to an ending.
type SalePlan struct {
	Scope       Filter
	Percent     money.Rate
	Endings     map[money.Currency]money.Ending
	From, Until time.Time // from (in it) until (not in it)
}

// Reasons for which a sale leaves an item as it is.
const (
	NothingLess  = "its price would stay as it is"
	SaleThen     = "another sale of it runs then"
	NeverReduced = "it is never discounted"
)

// SaleOutcome is what a planned sale does to a variant in one currency. Amounts are minor
// units.
type SaleOutcome struct {
	Item     Item
	Currency money.Currency
	Usual    money.Minor
	Sale     money.Minor
	Percent  int64  // that is taken off, rounded down
	Loss     bool   // the sale lies below what the shop pays for it
	Why      string // it is left as it is; empty: it is reduced
}

// PlanSale says what a sale would do to everything in its scope, in the order of the
// catalogue, for each currency of the regions. Price ranges of the scope are those of the
// first region with a currency; gift cards are not in it.
func (c *Catalog) PlanSale(p SalePlan, regions []Region) []SaleOutcome {
	first := map[money.Currency]string{}
	var currencies []money.Currency
	for _, r := range regions {
		if _, has := first[r.Currency]; !has {
			first[r.Currency] = r.ID
			currencies = append(currencies, r.Currency)
		}
	}
	var out []SaleOutcome
	for _, it := range c.items {
		for _, cur := range currencies {
			price, sold := it.Variant.Prices[cur]
			facts := FactsOf(it, price.At(p.From), first[cur])
			if !sold || it.Product.GiftCard || !p.Scope.Matches(&facts) {
				continue
			}
			out = append(out, p.outcome(it, cur, price))
		}
	}
	return out
}

func (p SalePlan) outcome(it Item, cur money.Currency, price Price) SaleOutcome {
	o := SaleOutcome{Item: it, Currency: cur, Usual: price.Price, Sale: price.Price}
	off, _ := p.Percent.Of(price.Price)
	sale := p.Endings[cur].Lower(price.Price - off)
	switch {
	case it.Product.NeverOff:
		o.Why = NeverReduced
	case sale >= price.Price:
		o.Why = NothingLess
	case price.busy(p.From, p.Until):
		o.Why = SaleThen
	default:
		o.Sale = sale
		o.Percent = Sale{Price: sale}.Percent(price.Price)
		o.Loss = price.Cost != nil && sale < *price.Cost
	}
	return o
}

// TwiceAsMuch tells whether an ending makes a reduction at least twice what was asked for.
func (p SalePlan) TwiceAsMuch(o SaleOutcome) bool {
	off, _ := p.Percent.Of(o.Usual)
	return o.Usual-o.Sale >= 2*max(off, 1)
}

// busy tells whether a sale of the price runs at any moment of a time.
func (p Price) busy(from, until time.Time) bool {
	for _, s := range p.Sales {
		if s.From.Before(until) && from.Before(s.Until) {
			return true
		}
	}
	return false
}

// WithSale is a price with one more sale, in the order of time.
func (p Price) WithSale(s Sale) Price {
	at := 0
	for at < len(p.Sales) && p.Sales[at].From.Before(s.From) {
		at++
	}
	sales := append([]Sale{}, p.Sales[:at]...)
	p.Sales = append(append(sales, s), p.Sales[at:]...)
	return p
}

// WithoutSale is a price whose sale of a time is taken back: one that has begun ends at a
// moment, one that has not is gone. false where there is no such sale, or it is over.
func (p Price) WithoutSale(from, until, now time.Time) (Price, bool) {
	for i, s := range p.Sales {
		if !s.From.Equal(from) || !s.Until.Equal(until) || !now.Before(s.Until) {
			continue
		}
		sales := append([]Sale{}, p.Sales...)
		if now.Before(s.From) || now.Equal(s.From) {
			sales = append(sales[:i], sales[i+1:]...)
		} else {
			sales[i].Until = now
		}
		p.Sales = sales
		return p, true
	}
	return p, false
}
