package merchant

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// tokens are names that are searched for.
func (w drawer) tokens(name, label, of string, at *[]string) control {
	c := control{Name: name, Label: label, Kind: "tokens", Of: of}
	for _, x := range *at {
		c.Tokens = append(c.Tokens, tokenView{Value: x, Name: w.nameOf(of, x)})
	}
	c.read = func(r *reading) {
		if chosen := unique(r.form[name]); !slices.Equal(chosen, unique(*at)) {
			*at = chosen
		}
	}
	return c
}

func (w drawer) nameOf(of, x string) string {
	switch of {
	case "products":
		if p, ok := w.catalog.Product(x); ok {
			return p.Title
		}
	case "goods":
		return w.catalog.Label(x)
	}
	return x
}

// goods are SKUs with how many of each.
func (w drawer) goods(name, label string, at *[]nudge.Item) control {
	c := control{Name: name, Label: label, Kind: "goods", Of: "goods"}
	for _, it := range *at {
		c.Tokens = append(c.Tokens, tokenView{Value: it.SKU, Name: w.catalog.Label(it.SKU), Many: it.Many()})
	}
	c.read = func(r *reading) {
		many := r.form[name+".quantity"]
		var out []nudge.Item
		n := 0
		for _, sku := range r.form[name] {
			if sku = strings.TrimSpace(sku); sku == "" {
				continue
			}
			it := nudge.Item{SKU: sku}
			if n < len(many) {
				q, err := strconv.ParseInt(strings.TrimSpace(many[n]), 10, 64)
				if err != nil || q < 1 || q > 1000 {
					r.errs[name] = "Write how many of each as a whole number from 1 to 1000."
					return
				}
				if q > 1 {
					it.Quantity = q
				}
			}
			n++
			if i := slices.IndexFunc(*at, func(old nudge.Item) bool { return old.SKU == sku && old.Many() == it.Many() }); i >= 0 {
				it = (*at)[i]
			}
			if _, known := w.catalog.Item(sku); !known {
				r.errs[name] = fmt.Sprintf("The shop has no SKU “%s”; search for it and choose it.", sku)
				return
			}
			out = append(out, it)
		}
		*at = out
	}
	return c
}

// filter is which goods, first by what is often meant.
func (w drawer) filter(name string, at *catalog.Filter, in, out string) []control {
	var all []control
	for _, side := range []struct {
		path, which string
		s           *catalog.Selection
	}{{name + ".include", in, &at.Include}, {name + ".exclude", out, &at.Exclude}} {
		s := side.s
		options := make([][2]string, len(s.Options))
		for i, o := range s.Options {
			options[i] = [2]string{o.Name, o.Value}
		}
		all = append(all,
			w.tokens(side.path+".collections", side.which+" collections", "collections", &s.Collections),
			w.tokens(side.path+".products", side.which+" products", "products", &s.Products),
			w.tokens(side.path+".variants", side.which+" variants", "goods", &s.Variants),
			w.tokens(side.path+".tags", side.which+" goods tagged", "tags", &s.Tags),
			w.pairs(side.path+".options", side.which+" goods whose choice is, such as size = 30 ml", options, func(ps [][2]string) {
				s.Options = nil
				for _, p := range ps {
					s.Options = append(s.Options, catalog.Option{Name: p[0], Value: p[1]})
				}
			}),
			yesNo(side.path+".on_sale", side.which+" goods that are", &s.OnSale, "on sale or not", "on sale", "not on sale"),
			w.prices(side.path+".prices", side.which+" goods that cost, each", &s.Prices),
			w.words(side.path+".plans", side.which+" goods bought by the plan", &s.Plans),
		)
	}
	return all
}

// prices are a range of prices for each region.
func (w drawer) prices(name, label string, at *map[string]catalog.PriceRange) control {
	c := control{Name: name, Label: label, Kind: "amounts"}
	for _, g := range w.regions {
		for _, end := range []string{"from", "to"} {
			f := amountView{Region: g.ID, Name: g.Name + ", " + end, Currency: g.Currency, Field: name + "." + g.ID + "." + end}
			p := (*at)[g.ID]
			if x := map[string]*money.Amount{"from": p.From, "to": p.To}[end]; x != nil {
				f.Value = money.Format(*x, w.locale)
			}
			c.Amounts = append(c.Amounts, f)
		}
	}
	c.read = func(r *reading) {
		out := map[string]catalog.PriceRange{}
		for id, p := range *at {
			out[id] = p
		}
		for _, g := range w.all {
			if !r.form.Has(name + "." + g.ID + ".from") {
				continue
			}
			p := catalog.PriceRange{}
			for end, to := range map[string]**money.Amount{"from": &p.From, "to": &p.To} {
				field := name + "." + g.ID + "." + end
				if r.text(field) == "" {
					continue
				}
				m, err := money.ParseTyped(r.form.Get(field), r.locale, g.Currency)
				if err != nil {
					r.errs[field] = upperFirst(err.Error()) + "."
					continue
				}
				*to = &money.Amount{Minor: m, Currency: g.Currency}
			}
			if delete(out, g.ID); p.From != nil || p.To != nil {
				out[g.ID] = p
			}
		}
		if *at = out; len(out) == 0 {
			*at = nil
		}
	}
	return c
}

// anyGoods is an item to begin with: the first that is no gift card.
func (w drawer) anyGoods() []nudge.Item {
	for i := range w.catalog.Products {
		if p := &w.catalog.Products[i]; !p.GiftCard && len(p.Variants) > 0 {
			return []nudge.Item{{SKU: p.Variants[0].SKU}}
		}
	}
	return nil
}
