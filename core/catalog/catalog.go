// Package catalog holds what a shop sells and where it delivers: products with
// their variants, collections and tags, the filters that pick some of them, and
// regions with their taxes and shipping methods.
//
// Everything is plain data. A [Catalog] is built once, checked, and only read
// afterwards.
package catalog

import (
	"fmt"
	"slices"
	"sync"
	"time"

	"agonal.dev/agonal/core/money"
)

// Product is one thing in several variants. ID is unique in a shop and is the
// product's handle in URLs.
type Product struct {
	ID          string    `json:"id"`
	Title       string    `json:"title"`
	Description string    `json:"description,omitempty"`
	Picture     string    `json:"picture,omitempty"`
	Collections []string  `json:"collections,omitempty"`
	Tags        []string  `json:"tags,omitempty"`
	GiftCard    bool      `json:"gift_card,omitempty"`
	NeverOff    bool      `json:"never_discounted,omitempty"`
	Variants    []Variant `json:"variants"`
}

// Option is one choice that tells variants of a product apart, such as
// size = 30 ml.
type Option struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Variant is what is put in a cart. A currency without an entry in Prices means
// that the variant is not sold in that currency.
type Variant struct {
	SKU     string                   `json:"sku"`
	Options []Option                 `json:"options,omitempty"`
	Prices  map[money.Currency]Price `json:"prices"`
	// Plans holds, by plan id, what one shipment costs when it is bought by a
	// purchase plan.
	Plans    map[string]map[money.Currency]Price `json:"plans,omitempty"`
	Stock    *int64                              `json:"stock,omitempty"` // nil: unlimited
	Weight   int64                               `json:"weight_g"`        // grams
	TaxClass string                              `json:"tax_class,omitempty"`
}

// Price is a variant's price in one currency, in minor units, per piece.
type Price struct {
	Price     money.Minor  `json:"price"`
	Reference *money.Minor `json:"reference,omitempty"` // nil: none
	Cost      *money.Minor `json:"cost,omitempty"`      // nil: unknown
	Sales     []Sale       `json:"sales,omitempty"`     // for a while, with the return by itself
	History   []Change     `json:"history,omitempty"`   // in the order of time
}

// PriceIn returns the price in a currency at a moment, bought once or by a plan;
// false where it is not sold so.
func (v *Variant) PriceIn(c money.Currency, plan string, at time.Time) (Price, bool) {
	prices := v.Prices
	if plan != "" {
		prices = v.Plans[plan]
	}
	p, ok := prices[c]
	return p.At(at), ok
}

// OnSale tells whether the price lies below its reference price.
func (p Price) OnSale() bool { return p.Reference != nil && *p.Reference > p.Price }

// Item is a variant together with its product.
type Item struct {
	Product *Product
	Variant *Variant
}

// Label is the product's title with the variant's option values: "Harbour Blue, 30 ml".
func (it Item) Label() string {
	s := it.Product.Title
	for _, o := range it.Variant.Options {
		s += ", " + o.Value
	}
	return s
}

// Catalog finds products by id and variants by SKU.
type Catalog struct {
	Products []Product
	byID     map[string]int
	bySKU    map[string]int32 // places in items
	items    []Item

	kept *sync.Map // what was worked out of it, see Keep

	collections, tags []string
	cheapest          map[money.Currency]money.Minor
}

// New builds a catalogue. It refuses two products with one id, two variants
// with one SKU, negative prices, weights and stock.
func New(products []Product) (*Catalog, error) {
	c := &Catalog{Products: products, byID: make(map[string]int, len(products)), bySKU: make(map[string]int32, len(products)), cheapest: map[money.Currency]money.Minor{}, kept: &sync.Map{}}
	for i := range products {
		p := &products[i]
		if _, twice := c.byID[p.ID]; twice || p.ID == "" {
			return nil, fmt.Errorf("product %q: the id is empty or used twice", p.ID)
		}
		c.byID[p.ID] = i
		for j := range p.Variants {
			v := &p.Variants[j]
			if _, twice := c.bySKU[v.SKU]; twice || v.SKU == "" {
				return nil, fmt.Errorf("product %q: SKU %q is empty or used twice", p.ID, v.SKU)
			}
			if err := v.check(); err != nil {
				return nil, fmt.Errorf("SKU %q: %w", v.SKU, err)
			}
			c.bySKU[v.SKU] = int32(len(c.items))
			c.items = append(c.items, Item{p, v})
			c.compare(p, v)
		}
	}
	c.collections = c.names(func(p *Product) []string { return p.Collections })
	c.tags = c.names(func(p *Product) []string { return p.Tags })
	return c, nil
}

// kept is something worked out of a catalogue for an hour.
type keptFor struct {
	hour int64
	what any
}

// Keep returns what is worked out of a catalogue, from what was kept of it where it was
// asked for in the same hour: prices change by the hour. about names it, with all that it
// depends on but the catalogue and the hour.
func Keep[T any](c *Catalog, about any, at time.Time, work func() T) T {
	hour := at.Unix() / 3600
	if c.kept == nil { // made by hand, not by New
		return work()
	}
	if was, ok := c.kept.Load(about); ok {
		if k, ok := was.(keptFor); ok && k.hour == hour {
			if out, ok := k.what.(T); ok {
				return out
			}
		}
	}
	out := work()
	c.kept.Store(about, keptFor{hour, out})
	return out
}

func (c *Catalog) compare(p *Product, v *Variant) {
	if p.GiftCard {
		return
	}
	for cur, price := range v.Prices {
		if least, ok := c.cheapest[cur]; !ok || price.Price < least {
			c.cheapest[cur] = price.Price
		}
	}
}

// Cheapest is the lowest price of anything sold in a currency, gift cards aside.
func (c *Catalog) Cheapest(cur money.Currency) (least money.Minor, ok bool) {
	least, ok = c.cheapest[cur]
	return least, ok
}

func (v *Variant) check() error {
	all := []map[money.Currency]Price{v.Prices}
	for _, p := range v.Plans {
		all = append(all, p)
	}
	for _, prices := range all {
		for cur, p := range prices {
			if err := p.check(cur); err != nil {
				return err
			}
		}
	}
	if v.Weight < 0 || v.Weight > 1_000_000_000 {
		return fmt.Errorf("a weight of %d g is out of range", v.Weight)
	}
	if v.Stock != nil && *v.Stock < 0 {
		return fmt.Errorf("a stock of %d is below zero", *v.Stock)
	}
	return nil
}

func (p Price) check(cur money.Currency) error {
	for _, m := range []*money.Minor{&p.Price, p.Reference, p.Cost} {
		if m != nil && (*m < 0 || *m > money.Most) {
			return fmt.Errorf("%s is out of range", money.Amount{Minor: *m, Currency: cur})
		}
	}
	for i, s := range p.Sales {
		switch {
		case !s.Until.After(s.From):
			return fmt.Errorf("sales[%d] ends before it begins", i)
		case s.Price < 0 || s.Price >= p.Price:
			return fmt.Errorf("sales[%d]: %s is not below the usual price", i, money.Amount{Minor: s.Price, Currency: cur})
		}
		for _, o := range p.Sales[:i] {
			if s.From.Before(o.Until) && o.From.Before(s.Until) {
				return fmt.Errorf("sales[%d] overlaps another sale", i)
			}
		}
	}
	for i := 1; i < len(p.History); i++ {
		if p.History[i].At.Before(p.History[i-1].At) {
			return fmt.Errorf("history[%d] lies before the one above it", i)
		}
	}
	return nil
}

// Item returns the variant with a SKU.
func (c *Catalog) Item(sku string) (Item, bool) {
	n, ok := c.bySKU[sku]
	if !ok {
		return Item{}, false
	}
	return c.items[n], true
}

// Items lists all variants. The place of one in it is its number.
func (c *Catalog) Items() []Item { return c.items }

// Number returns the number of the variant with a SKU; see [Catalog.Items].
func (c *Catalog) Number(sku string) (int, bool) {
	n, ok := c.bySKU[sku]
	return int(n), ok
}

// Label names the goods of a SKU; an unknown one by the SKU itself.
func (c *Catalog) Label(sku string) string {
	if n, ok := c.bySKU[sku]; ok {
		return c.items[n].Label()
	}
	return sku
}

// Product returns the product with an id.
func (c *Catalog) Product(id string) (*Product, bool) {
	i, ok := c.byID[id]
	if !ok {
		return nil, false
	}
	return &c.Products[i], true
}

// Collections lists the names of all collections, sorted. It is not to be changed.
func (c *Catalog) Collections() []string { return c.collections }

// Tags lists all tags, sorted. It is not to be changed.
func (c *Catalog) Tags() []string { return c.tags }

// OptionNames lists the names of the options by which variants differ, sorted.
func (c *Catalog) OptionNames() []string {
	return c.names(func(p *Product) (names []string) {
		for i := range p.Variants {
			for _, o := range p.Variants[i].Options {
				if !slices.Contains(names, o.Name) {
					names = append(names, o.Name)
				}
			}
		}
		return names
	})
}

func (c *Catalog) names(of func(*Product) []string) []string {
	var all []string
	for i := range c.Products {
		all = append(all, of(&c.Products[i])...)
	}
	slices.Sort(all)
	return slices.Compact(all)
}
