package catalog

import (
	"encoding/json"
	"fmt"
	"slices"

	"agonal.dev/agonal/core/money"
)

// Filter is a scope: which goods something is about. A piece of goods is in
// when it agrees with every kind that Include names, by any of the values given
// for that kind, and with no value of Exclude. An empty Include means everything.
type Filter struct {
	Include Selection `json:"include,omitzero"`
	Exclude Selection `json:"exclude,omitzero"`
}

// Selection names goods by kind.
type Selection struct {
	Products    []string `json:"products,omitempty"`
	Variants    []string `json:"variants,omitempty"` // SKUs
	Collections []string `json:"collections,omitempty"`
	Tags        []string `json:"tags,omitempty"`
	// Options names option values, such as size = 30 ml.
	Options []Option `json:"options,omitempty"`
	// Prices is a range of prices before nudges for each region id; goods of a
	// region without a range do not agree.
	Prices map[string]PriceRange `json:"prices,omitempty"`
	OnSale *bool                 `json:"on_sale,omitempty"`
	// Plans names purchase plans, and [Once] what is bought without one. A unit reward touches a line bought by a plan
	// only where its scope names that plan.
	Plans []string `json:"plans,omitempty"`
}

// PriceRange is a range of prices of one piece, both ends in it; an end that is
// missing is open.
type PriceRange struct {
	From *money.Amount `json:"from,omitempty"`
	To   *money.Amount `json:"to,omitempty"`
}

// holds tells whether a price lies in the range.
func (r PriceRange) holds(p money.Minor) bool {
	return (r.From == nil || p >= r.From.Minor) && (r.To == nil || p <= r.To.Minor)
}

// IsZero tells whether nothing is named.
func (s Selection) IsZero() bool {
	return len(s.Products) == 0 && len(s.Variants) == 0 && len(s.Collections) == 0 && len(s.Tags) == 0 &&
		len(s.Options) == 0 && len(s.Prices) == 0 && s.OnSale == nil && len(s.Plans) == 0
}

// IsEverything tells whether the filter lets everything through.
func (f Filter) IsEverything() bool { return f.Include.IsZero() && f.Exclude.IsZero() }

// IsZero tells whether the filter lets everything through.
func (f Filter) IsZero() bool { return f.IsEverything() }

// MostNamed is how many values of one kind a selection may name.
const MostNamed = 200

// Valid tells what is impossible about a filter: a price range that ends before it
// begins or is in two currencies, a negative price, a value that both is included
// and excluded, or too many values. The error begins with the field.
func (f Filter) Valid() error {
	for i, s := range []Selection{f.Include, f.Exclude} {
		side := []string{"include", "exclude"}[i]
		for kind, names := range map[string][]string{"products": s.Products, "variants": s.Variants, "collections": s.Collections, "tags": s.Tags, "plans": s.Plans} {
			if len(names) > MostNamed {
				return fmt.Errorf("%s.%s: %d are too many; at most %d", side, kind, len(names), MostNamed)
			}
			if slices.Contains(names, "") {
				return fmt.Errorf("%s.%s: an empty name stands among them", side, kind)
			}
		}
		for j, o := range s.Options {
			if o.Name == "" || o.Value == "" || len(s.Options) > MostNamed {
				return fmt.Errorf("%s.options[%d]: a name and a value are needed, at most %d of them", side, j, MostNamed)
			}
		}
		for region, r := range s.Prices {
			at := fmt.Sprintf("%s.prices.%s", side, region)
			switch {
			case r.From == nil && r.To == nil:
				return fmt.Errorf("%s: a range needs a from or a to", at)
			case r.From != nil && r.From.Minor < 0 || r.To != nil && r.To.Minor < 0:
				return fmt.Errorf("%s: a price cannot be below zero", at)
			case r.From != nil && r.To != nil && r.From.Currency != r.To.Currency:
				return fmt.Errorf("%s: %s and %s are two currencies", at, r.From, r.To)
			case r.From != nil && r.To != nil && r.To.Minor < r.From.Minor:
				return fmt.Errorf("%s: ends at %s, before it begins at %s", at, r.To, r.From)
			}
		}
	}
	both := func(kind string, in, out []string) error {
		for _, n := range in {
			if slices.Contains(out, n) {
				return fmt.Errorf("exclude.%s: %q is included and excluded at once", kind, n)
			}
		}
		return nil
	}
	for _, err := range []error{
		both("products", f.Include.Products, f.Exclude.Products), both("variants", f.Include.Variants, f.Exclude.Variants),
		both("collections", f.Include.Collections, f.Exclude.Collections), both("tags", f.Include.Tags, f.Exclude.Tags),
	} {
		if err != nil {
			return err
		}
	}
	return nil
}

// Facts is what a filter can know of a piece of goods.
type Facts struct {
	Product     string // empty for goods that are no product of the catalogue
	SKU         string
	Collections []string
	Tags        []string
	Options     []Option
	OnSale      bool
	Region      string      // whose price ranges apply
	Price       money.Minor // before nudges; see Priced
	Priced      bool        // false: the price is not to be judged by
	Plan        string
}

// FactsOf returns the facts of a variant sold at a price in a region.
func FactsOf(it Item, p Price, region string) Facts {
	return Facts{
		Product: it.Product.ID, SKU: it.Variant.SKU, Collections: it.Product.Collections, Tags: it.Product.Tags,
		Options: it.Variant.Options, OnSale: p.OnSale(), Region: region, Price: p.Price, Priced: true,
	}
}

// Matches tells whether goods with these facts are in scope.
func (f *Filter) Matches(g *Facts) bool {
	in := &f.Include
	if len(in.Products) > 0 && !slices.Contains(in.Products, g.Product) ||
		len(in.Variants) > 0 && !slices.Contains(in.Variants, g.SKU) ||
		len(in.Collections) > 0 && !overlap(in.Collections, g.Collections) ||
		len(in.Tags) > 0 && !overlap(in.Tags, g.Tags) ||
		len(in.Options) > 0 && !overlap(in.Options, g.Options) ||
		len(in.Prices) > 0 && !in.priced(g) ||
		in.OnSale != nil && *in.OnSale != g.OnSale ||
		len(in.Plans) > 0 && !slices.Contains(in.Plans, planOf(g.Plan)) {
		return false
	}
	out := &f.Exclude
	hit := g.Product != "" && slices.Contains(out.Products, g.Product) ||
		g.SKU != "" && slices.Contains(out.Variants, g.SKU) ||
		overlap(out.Collections, g.Collections) ||
		overlap(out.Tags, g.Tags) ||
		overlap(out.Options, g.Options) ||
		len(out.Prices) > 0 && out.priced(g) ||
		out.OnSale != nil && *out.OnSale == g.OnSale ||
		g.Plan != "" && slices.Contains(out.Plans, g.Plan)
	return !hit
}

func (s *Selection) priced(g *Facts) bool {
	r, ok := s.Prices[g.Region]
	return ok && g.Priced && r.holds(g.Price)
}

// Carried returns the facts of a made-up unit that is in scope of this filter
// and is otherwise nothing in particular: it belongs to the collections and
// tags the filter includes, bears the sale mark it includes, and is no product.
func (f *Filter) Carried() Facts {
	return Facts{
		Collections: f.Include.Collections,
		Tags:        f.Include.Tags,
		OnSale:      f.Include.OnSale != nil && *f.Include.OnSale,
	}
}

func overlap[T comparable](a, b []T) bool {
	for _, x := range a {
		if slices.Contains(b, x) {
			return true
		}
	}
	return false
}

// Key tells filters apart: two that say the same have the same.
func (f Filter) Key() string {
	b, err := json.Marshal(f)
	if err != nil {
		return ""
	}
	return string(b)
}
