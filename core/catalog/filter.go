package catalog

import "slices"

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
	Collections []string `json:"collections,omitempty"`
	Tags        []string `json:"tags,omitempty"`
	OnSale      *bool    `json:"on_sale,omitempty"`
}

// IsZero tells whether nothing is named.
func (s Selection) IsZero() bool {
	return len(s.Products) == 0 && len(s.Collections) == 0 && len(s.Tags) == 0 && s.OnSale == nil
}

// IsEverything tells whether the filter lets everything through.
func (f Filter) IsEverything() bool { return f.Include.IsZero() && f.Exclude.IsZero() }

// Facts is what a filter can know of a piece of goods.
type Facts struct {
	Product     string // empty for goods that are no product of the catalogue
	Collections []string
	Tags        []string
	OnSale      bool
}

// FactsOf returns the facts of a variant sold at a price.
func FactsOf(it Item, p Price) Facts {
	return Facts{it.Product.ID, it.Product.Collections, it.Product.Tags, p.OnSale()}
}

// Matches tells whether goods with these facts are in scope.
func (f Filter) Matches(g Facts) bool {
	in := f.Include
	if len(in.Products) > 0 && !slices.Contains(in.Products, g.Product) ||
		len(in.Collections) > 0 && !overlap(in.Collections, g.Collections) ||
		len(in.Tags) > 0 && !overlap(in.Tags, g.Tags) ||
		in.OnSale != nil && *in.OnSale != g.OnSale {
		return false
	}
	out := f.Exclude
	hit := g.Product != "" && slices.Contains(out.Products, g.Product) ||
		overlap(out.Collections, g.Collections) ||
		overlap(out.Tags, g.Tags) ||
		out.OnSale != nil && *out.OnSale == g.OnSale
	return !hit
}

// Carried returns the facts of a made-up unit that is in scope of this filter
// and is otherwise nothing in particular: it belongs to the collections and
// tags the filter includes, bears the sale mark it includes, and is no product.
func (f Filter) Carried() Facts {
	return Facts{
		Collections: f.Include.Collections,
		Tags:        f.Include.Tags,
		OnSale:      f.Include.OnSale != nil && *f.Include.OnSale,
	}
}

func overlap(a, b []string) bool {
	for _, x := range a {
		if slices.Contains(b, x) {
			return true
		}
	}
	return false
}
