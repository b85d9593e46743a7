package audience

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/core/money"
)

// Tree is a compiled condition. It is never changed, so any number of decisions
// may be made with it at once. The nil tree holds for everyone.
type Tree struct {
	name  string // the condition's field
	kind  kind
	test  func(*Facts) Truth
	place int // among the conditions that trees share, from 1; 0: by itself
	goods bool
	kids  []*Tree
}

type kind uint8

const (
	leaf kind = iota
	all
	anyOf
	none
)

// Shared compiles the conditions of many audiences: what several of them ask is
// judged once for the same facts. Its zero value is ready for use.
type Shared struct {
	leaves map[string]*Tree // by the condition's JSON
}

// Compile checks a condition and prepares it. Errors are [Error].
func (s *Shared) Compile(c *Condition) (*Tree, error) {
	if c == nil {
		return nil, nil
	}
	if err := c.Valid(); err != nil {
		return nil, err
	}
	return c.tree(s), nil
}

// Count is how many different conditions have been compiled.
func (s *Shared) Count() int { return len(s.leaves) }

// Compile checks a condition and prepares it, for itself. Errors are [Error].
func Compile(c *Condition) (*Tree, error) { return (*Shared)(nil).Compile(c) }

// Goods tells whether the tree asks what goods are in the cart: whether
// [Line.Goods] must be set.
func (t *Tree) Goods() bool { return t != nil && t.goods }

// Holds judges the facts.
func (t *Tree) Holds(f *Facts) Truth {
	if t == nil {
		return True
	}
	return t.eval(f)
}

func (t *Tree) eval(f *Facts) Truth {
	switch t.kind {
	case all:
		out := True
		for _, k := range t.kids {
			if out = min(out, k.eval(f)); out == False {
				break
			}
		}
		return out
	case anyOf, none:
		out := False
		for _, k := range t.kids {
			if out = max(out, k.eval(f)); out == True {
				break
			}
		}
		if t.kind == none {
			return True - out
		}
		return out
	}
	if t.place == 0 || t.place > len(f.judged) {
		return t.test(f)
	}
	known := &f.judged[t.place-1]
	if *known == 0 {
		*known = 1 + t.test(f)
	}
	return *known - 1
}

// Why names the first condition that keeps the tree from holding, and whether it
// is false or not known; empty where the tree holds.
func (t *Tree) Why(f *Facts) (string, Truth) {
	if t == nil {
		return "", True
	}
	v := t.eval(f)
	if v == True {
		return "", True
	}
	if t.kind == all {
		for _, k := range t.kids {
			if k.eval(f) == v {
				return k.Why(f)
			}
		}
	}
	if t.kind == anyOf && len(t.kids) == 1 {
		return t.kids[0].Why(f)
	}
	return t.name, v
}

func group(k kind, name string, of []Condition, s *Shared) *Tree {
	t := &Tree{name: name, kind: k}
	for i := range of {
		kid := of[i].tree(s)
		t.kids = append(t.kids, kid)
		t.goods = t.goods || kid.goods
	}
	return t
}

// tree compiles a valid condition.
func (c *Condition) tree(s *Shared) *Tree {
	switch {
	case c.All != nil:
		return group(all, "all", c.All, s)
	case c.Any != nil:
		return group(anyOf, "any", c.Any, s)
	case c.None != nil:
		return group(none, "none", c.None, s)
	}
	name := c.set()[0]
	key, err := json.Marshal(c)
	if s == nil || err != nil {
		return c.compiled(name)
	}
	t := s.leaves[string(key)]
	if t == nil {
		t = c.compiled(name)
		t.place = len(s.leaves) + 1
		if s.leaves == nil {
			s.leaves = map[string]*Tree{}
		}
		s.leaves[string(key)] = t
	}
	return t
}

func (c *Condition) compiled(name string) *Tree {
	goods := name == "distinct_products" || name == "holds" || name == "only" || name == "sale_in_cart"
	return &Tree{name: name, test: c.leaf(name), goods: goods}
}

func (c *Condition) leaf(name string) func(*Facts) Truth {
	switch name {
	case "cart_value", "units", "distinct_products", "weight_g", "holds", "only", "sale_in_cart", "empty_cart":
		return c.cart(name)
	case "code":
		want := codes.Normal(c.Code)
		return func(f *Facts) Truth {
			return truth(slices.ContainsFunc(f.Codes, func(s string) bool { return codes.Normal(s) == want }))
		}
	case "regions":
		return func(f *Facts) Truth { return truth(slices.Contains(c.Regions, f.Region)) }
	case "countries":
		return known(func(f *Facts) bool { return f.Country != "" }, func(f *Facts) bool { return slices.Contains(c.Countries, f.Country) })
	case "postcodes":
		return known(func(f *Facts) bool { return f.Postcode != "" }, func(f *Facts) bool {
			return slices.ContainsFunc(c.Postcodes, func(p string) bool { return strings.HasPrefix(catalog.Postcode(f.Postcode), catalog.Postcode(p)) })
		})
	case "methods":
		return known(func(f *Facts) bool { return f.Method != "" }, func(f *Facts) bool { return slices.Contains(c.Methods, f.Method) })
	case "signed_in", "groups", "past_orders", "days_since_order", "lifetime_spend", "bought_before":
		return c.shopper(name)
	}
	return c.visit(name)
}

// known makes a test that is unknown where its fact is.
func known(is, holds func(*Facts) bool) func(*Facts) Truth {
	return func(f *Facts) Truth {
		if !is(f) {
			return Unknown
		}
		return truth(holds(f))
	}
}

// cart judges what is in the cart, which is always known.
func (c *Condition) cart(name string) func(*Facts) Truth {
	switch name {
	case "cart_value":
		return func(f *Facts) Truth { return c.CartValue.holds(f.Region, f.totals().value) }
	case "units":
		return func(f *Facts) Truth { return c.Units.holds(f.totals().units) }
	case "distinct_products":
		return func(f *Facts) Truth {
			seen := map[string]bool{}
			for i := range f.Lines {
				seen[f.Lines[i].Goods.Product] = true
			}
			return c.Distinct.holds(int64(len(seen)))
		}
	case "weight_g":
		return func(f *Facts) Truth { return c.Weight.holds(f.totals().grams) }
	case "holds":
		return func(f *Facts) Truth {
			var n int64
			for i := range f.Lines {
				if c.Holds.Goods.Matches(f.Lines[i].Goods) {
					n += f.Lines[i].Quantity
				}
			}
			return c.Holds.holds(n)
		}
	case "only":
		return func(f *Facts) Truth {
			for i := range f.Lines {
				if !c.Only.Matches(f.Lines[i].Goods) {
					return False
				}
			}
			return truth(len(f.Lines) > 0)
		}
	case "sale_in_cart":
		return func(f *Facts) Truth {
			return truth(*c.Sale == slices.ContainsFunc(f.Lines, func(l Line) bool { return l.Goods.OnSale }))
		}
	}
	return func(f *Facts) Truth { return truth(*c.Empty == (len(f.Lines) == 0)) }
}

// shopper judges who is shopping; of an anonymous shopper little is known.
func (c *Condition) shopper(name string) func(*Facts) Truth {
	switch name {
	case "signed_in":
		return known(func(f *Facts) bool { return f.SignedIn != nil }, func(f *Facts) bool { return *f.SignedIn == *c.SignedIn })
	case "groups":
		return known(func(f *Facts) bool { return f.Groups != nil }, func(f *Facts) bool {
			return slices.ContainsFunc(f.Groups, func(g string) bool { return slices.Contains(c.Groups, g) })
		})
	case "past_orders":
		return known(func(f *Facts) bool { return f.Orders != nil }, func(f *Facts) bool { return c.Orders.holds(*f.Orders) == True })
	case "days_since_order":
		return func(f *Facts) Truth {
			switch {
			case f.LastOrder != nil && !f.At.IsZero():
				return c.Since.holds(int64(f.At.Sub(*f.LastOrder) / (24 * time.Hour)))
			case f.Orders != nil && *f.Orders == 0:
				return False // there is no order to be so long ago
			}
			return Unknown
		}
	case "lifetime_spend":
		return func(f *Facts) Truth {
			if f.Lifetime == nil {
				return Unknown
			}
			return c.Lifetime.holds(f.Region, *f.Lifetime)
		}
	}
	return known(func(f *Facts) bool { return f.Bought != nil }, func(f *Facts) bool {
		return slices.ContainsFunc(f.Bought, func(p string) bool { return slices.Contains(c.Bought, p) })
	})
}

// visit judges the visit and the moment.
func (c *Condition) visit(name string) func(*Facts) Truth {
	timed := func(f *Facts) bool { return !f.At.IsZero() }
	switch name {
	case "campaign":
		keys := slices.Sorted(maps.Keys(c.Campaign))
		return func(f *Facts) Truth {
			for _, k := range keys {
				if !slices.Contains(c.Campaign[k], f.Campaign[k]) {
					return False
				}
			}
			return True
		}
	case "devices":
		return known(func(f *Facts) bool { return f.Device != "" }, func(f *Facts) bool { return slices.Contains(c.Devices, f.Device) })
	case "page":
		return c.page
	case "acts":
		return func(f *Facts) Truth {
			return truth(slices.ContainsFunc(f.Acts, func(a Act) bool { return slices.Contains(c.Acts, a) }))
		}
	case "trial_arm":
		return func(f *Facts) Truth {
			arm, ok := f.Arms[c.Arm.Trial]
			if !ok {
				return Unknown
			}
			return truth(arm == c.Arm.Arm)
		}
	case "between":
		return known(timed, func(f *Facts) bool {
			b := c.Between
			return (b.From == nil || !f.At.Before(*b.From)) && (b.Until == nil || f.At.Before(*b.Until))
		})
	case "weekdays":
		return known(timed, func(f *Facts) bool {
			day := f.local().Weekday()
			return slices.ContainsFunc(c.Weekdays, func(w Weekday) bool { return weekdays[w] == day })
		})
	}
	from, _ := clock(c.Hours.From)
	until, _ := clock(c.Hours.Until)
	return known(timed, func(f *Facts) bool {
		at := f.local()
		now := at.Hour()*60 + at.Minute()
		if from <= until {
			return from <= now && now < until
		}
		return now >= from || now < until
	})
}

func (f *Facts) local() time.Time {
	if f.Zone == nil {
		return f.At.UTC()
	}
	return f.At.In(f.Zone)
}

// clock reads 15:04 as minutes of the day; 24:00 is the end of it.
func clock(s string) (int, bool) {
	if s == "24:00" {
		return 24 * 60, true
	}
	t, err := time.Parse("15:04", s)
	return t.Hour()*60 + t.Minute(), err == nil
}

func (c *Condition) page(f *Facts) Truth {
	out := True
	also := func(isKnown, holds bool) {
		switch {
		case !isKnown:
			out = min(out, Unknown)
		case !holds:
			out = False
		}
	}
	p := c.Page
	if len(p.Kinds) > 0 {
		also(f.Page != "", slices.Contains(p.Kinds, f.Page))
	}
	if p.Goods != nil {
		also(f.Goods != nil || f.Page != "", f.Goods != nil && p.Goods.Matches(f.Goods))
	}
	if p.InStock != nil {
		also(f.InStock != nil, f.InStock != nil && *f.InStock == *p.InStock)
	}
	if p.HasImage != nil {
		also(f.HasImage != nil, f.HasImage != nil && *f.HasImage == *p.HasImage)
	}
	return out
}

func (c *Count) holds(n int64) Truth {
	return truth((c.Least == nil || n >= *c.Least) && (c.Most == nil || n <= *c.Most) && (c.Exactly == nil || n == *c.Exactly))
}

func (m *Money) holds(region string, v money.Minor) Truth {
	if m.Least != nil {
		if a, ok := m.Least[region]; !ok || v < a.Minor {
			return False
		}
	}
	if m.Most != nil {
		if a, ok := m.Most[region]; !ok || v > a.Minor {
			return False
		}
	}
	return True
}
