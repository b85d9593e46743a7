package audience

import (
	"fmt"
	"slices"
	"strings"

	"agonal.dev/agonal/core/money"
)

// Limits of a tree.
const (
	MostDepth      = 6
	MostConditions = 100
)

// Error names a condition by its path ("all[1].units") and says what is wrong.
type Error struct {
	Field string
	Why   string
}

func (e Error) Error() string { return e.Field + ": " + e.Why }

// Kind is the name of the field that is set: what the condition asks, or how a group joins
// its members. It is empty where not exactly one is.
func (c *Condition) Kind() string {
	if names := c.set(); len(names) == 1 {
		return names[0]
	}
	return ""
}

// set lists the fields of a condition that are set, in the order they are declared.
func (c *Condition) set() []string {
	fields := []struct {
		name string
		is   bool
	}{
		{"all", c.All != nil}, {"any", c.Any != nil}, {"none", c.None != nil},
		{"cart_value", c.CartValue != nil}, {"units", c.Units != nil}, {"distinct_products", c.Distinct != nil}, {"weight_g", c.Weight != nil},
		{"holds", c.Holds != nil}, {"only", c.Only != nil}, {"sale_in_cart", c.Sale != nil}, {"empty_cart", c.Empty != nil}, {"code", c.Code != ""},
		{"regions", c.Regions != nil}, {"countries", c.Countries != nil}, {"postcodes", c.Postcodes != nil}, {"methods", c.Methods != nil},
		{"signed_in", c.SignedIn != nil}, {"groups", c.Groups != nil}, {"past_orders", c.Orders != nil}, {"days_since_order", c.Since != nil},
		{"lifetime_spend", c.Lifetime != nil}, {"bought_before", c.Bought != nil},
		{"campaign", c.Campaign != nil}, {"devices", c.Devices != nil}, {"page", c.Page != nil}, {"acts", c.Acts != nil}, {"trial_arm", c.Arm != nil},
		{"between", c.Between != nil}, {"weekdays", c.Weekdays != nil}, {"hours", c.Hours != nil},
	}
	var out []string
	for _, f := range fields {
		if f.is {
			out = append(out, f.name)
		}
	}
	return out
}

// Valid tells what makes a tree impossible, as the first [Error] found: an empty
// group, a range that holds nothing, conditions that contradict one another.
func (c *Condition) Valid() error {
	left := MostConditions
	return c.valid("", 1, &left)
}

func at(path, field string) string {
	if path == "" {
		return field
	}
	return path + "." + field
}

func (c *Condition) valid(path string, depth int, left *int) error {
	set := c.set()
	here := path
	if here == "" {
		here = "when"
	}
	switch *left--; {
	case *left < 0:
		return Error{here, fmt.Sprintf("more than %d conditions", MostConditions)}
	case depth > MostDepth:
		return Error{here, fmt.Sprintf("groups lie more than %d deep", MostDepth)}
	case len(set) == 0:
		return Error{here, "a condition is empty; name what it asks for"}
	case len(set) > 1:
		return Error{at(path, set[1]), "a condition asks for one thing; put " + set[0] + " and " + set[1] + " in an all group"}
	}
	field := at(path, set[0])
	switch set[0] {
	case "all", "any", "none":
		kids := slices.Concat(c.All, c.Any, c.None)
		if len(kids) == 0 {
			return Error{field, "a group needs a condition"}
		}
		for i := range kids {
			if err := kids[i].valid(fmt.Sprintf("%s[%d]", field, i), depth+1, left); err != nil {
				return err
			}
		}
		if set[0] == "all" {
			return contradiction(field, kids)
		}
		return nil
	}
	if why := c.wrong(set[0]); why != "" {
		return Error{field, why}
	}
	return nil
}

// wrong says what is impossible about a single condition.
func (c *Condition) wrong(name string) string {
	switch name {
	case "cart_value":
		return c.CartValue.wrong()
	case "lifetime_spend":
		return c.Lifetime.wrong()
	case "units", "distinct_products", "weight_g", "past_orders", "days_since_order":
		for _, n := range []*Count{c.Units, c.Distinct, c.Weight, c.Orders, c.Since} {
			if n != nil {
				return n.wrong()
			}
		}
	case "holds":
		if err := c.Holds.Goods.Valid(); err != nil {
			return "goods: " + err.Error()
		}
		return c.Holds.wrong()
	case "only":
		if err := c.Only.Valid(); err != nil {
			return err.Error()
		}
	case "page":
		return c.Page.wrong()
	case "campaign":
		for k, v := range c.Campaign {
			if !strings.HasPrefix(k, "utm_") || len(v) == 0 {
				return fmt.Sprintf("%q must begin with utm_ and have a value", k)
			}
		}
		if len(c.Campaign) == 0 {
			return "a parameter is needed"
		}
	case "trial_arm":
		if c.Arm.Trial == "" || c.Arm.Arm == "" {
			return "a trial and an arm are needed"
		}
	case "between":
		b := c.Between
		switch {
		case b.From == nil && b.Until == nil:
			return "a from or an until is needed"
		case b.From != nil && b.Until != nil && !b.Until.After(*b.From):
			return "ends before it begins"
		}
	case "hours":
		_, from := clock(c.Hours.From)
		_, until := clock(c.Hours.Until)
		if !from || !until || c.Hours.From == c.Hours.Until {
			return "needs two different times such as 09:00 and 17:30"
		}
	}
	return c.wrongList(name)
}

func (c *Condition) wrongList(name string) string {
	lists := map[string][]string{
		"regions": c.Regions, "countries": c.Countries, "postcodes": c.Postcodes, "methods": c.Methods, "groups": c.Groups, "bought_before": c.Bought,
	}
	for _, d := range c.Devices {
		if !slices.Contains(Devices, d) {
			return fmt.Sprintf("%q is not phone, tablet or desktop", d)
		}
	}
	for _, a := range c.Acts {
		if !slices.Contains(Acts, a) {
			return fmt.Sprintf("%q is not an act", a)
		}
	}
	for _, w := range c.Weekdays {
		if _, ok := weekdays[w]; !ok {
			return fmt.Sprintf("%q is not a day such as mon", w)
		}
	}
	lists["devices"], lists["acts"], lists["weekdays"] = text(c.Devices), text(c.Acts), text(c.Weekdays)
	l, ok := lists[name]
	switch {
	case !ok:
		return ""
	case len(l) == 0:
		return "the list is empty, so nobody would be meant"
	case len(l) > 200:
		return "more than 200 entries"
	case slices.Contains(l, ""):
		return "an empty entry stands in the list"
	}
	return ""
}

func text[T ~string](in []T) []string {
	out := make([]string, len(in))
	for i, v := range in {
		out[i] = string(v)
	}
	return out
}

func (c *Count) wrong() string {
	switch {
	case c.Least == nil && c.Most == nil && c.Exactly == nil:
		return "needs at_least, at_most or exactly"
	case c.Exactly != nil && (c.Least != nil || c.Most != nil):
		return "exactly stands alone"
	case c.Least != nil && *c.Least < 0, c.Most != nil && *c.Most < 0, c.Exactly != nil && *c.Exactly < 0:
		return "a number cannot be below zero"
	case c.Least != nil && c.Most != nil && *c.Least > *c.Most:
		return fmt.Sprintf("at least %d and at most %d cannot both hold", *c.Least, *c.Most)
	}
	return ""
}

func (m *Money) wrong() string {
	if len(m.Least) == 0 && len(m.Most) == 0 {
		return "needs at_least or at_most"
	}
	for _, side := range []map[string]money.Amount{m.Least, m.Most} {
		for r, a := range side {
			if a.Minor < 0 || a.Minor > money.Most {
				return fmt.Sprintf("%s for %s is out of range", a, r)
			}
		}
	}
	for r, a := range m.Least {
		if b, ok := m.Most[r]; ok && (b.Currency != a.Currency || b.Minor < a.Minor) {
			return fmt.Sprintf("at least %s and at most %s for %s cannot both hold", a, b, r)
		}
	}
	return ""
}

func (p *Page) wrong() string {
	if len(p.Kinds) == 0 && p.Goods == nil && p.InStock == nil && p.HasImage == nil {
		return "needs kinds, goods, in_stock or has_image"
	}
	for _, k := range p.Kinds {
		if !slices.Contains(PageKinds, k) {
			return fmt.Sprintf("%q is not a kind of page", k)
		}
	}
	if p.Goods != nil {
		if err := p.Goods.Valid(); err != nil {
			return "goods: " + err.Error()
		}
	}
	return ""
}

// contradiction finds conditions of one all group that cannot hold together.
func contradiction(path string, kids []Condition) error {
	for i := range kids {
		for j := range i {
			if why := kids[j].against(&kids[i]); why != "" {
				return Error{fmt.Sprintf("%s[%d]", path, i), why}
			}
		}
	}
	return nil
}

func (c *Condition) against(o *Condition) string {
	apart := func(a, b []string, what string) string {
		if len(a) == 0 || len(b) == 0 || slices.ContainsFunc(a, func(x string) bool { return slices.Contains(b, x) }) {
			return ""
		}
		return "no " + what + " is in both lists, so nobody would be meant"
	}
	opposite := func(a, b *bool, what string) string {
		if a == nil || b == nil || *a == *b {
			return ""
		}
		return what + " cannot be true and false at once"
	}
	for _, why := range []string{
		apart(c.Regions, o.Regions, "region"), apart(c.Countries, o.Countries, "country"), apart(c.Methods, o.Methods, "method"),
		apart(text(c.Devices), text(o.Devices), "device"), apart(text(c.Weekdays), text(o.Weekdays), "day"),
		opposite(c.Empty, o.Empty, "empty_cart"), opposite(c.SignedIn, o.SignedIn, "signed_in"), opposite(c.Sale, o.Sale, "sale_in_cart"),
		c.Units.against(o.Units), c.Distinct.against(o.Distinct), c.Weight.against(o.Weight), c.Orders.against(o.Orders), c.Since.against(o.Since),
	} {
		if why != "" {
			return why
		}
	}
	if e, n := c.Empty, o; e != nil && *e && (n.Holds != nil && n.Holds.asks() || n.Units != nil && n.Units.asks()) {
		return "an empty cart holds nothing"
	}
	if e, n := o.Empty, c; e != nil && *e && (n.Holds != nil && n.Holds.asks() || n.Units != nil && n.Units.asks()) {
		return "an empty cart holds nothing"
	}
	return ""
}

// asks tells whether a count asks for at least one.
func (c *Count) asks() bool {
	return c.Least != nil && *c.Least > 0 || c.Exactly != nil && *c.Exactly > 0
}

func (c *Count) ends() (least, most int64) {
	least, most = 0, 1<<62
	if c.Least != nil {
		least = *c.Least
	}
	if c.Most != nil {
		most = *c.Most
	}
	if c.Exactly != nil {
		least, most = *c.Exactly, *c.Exactly
	}
	return least, most
}

func (c *Count) against(o *Count) string {
	if c == nil || o == nil {
		return ""
	}
	a, b := c.ends()
	x, y := o.ends()
	if a > y || x > b {
		return "no number fulfils both conditions"
	}
	return ""
}
