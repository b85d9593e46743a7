package merchant

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// conditionRow is a condition of the audience, as a line of an indented sentence.
type conditionRow struct {
	Path, Key string
	Depth     int
	Text      string
	Group     bool
	Join      string // how it stands to the line before it
}

// conditionKinds are what can be asked, in the merchant's words.
var conditionKinds = []choiceView{
	{Value: "cart_value", Name: "What the cart is worth"}, {Value: "units", Name: "How many pieces it holds"}, {Value: "distinct_products", Name: "How many different products"},
	{Value: "weight_g", Name: "What it weighs"}, {Value: "holds", Name: "How many of some goods it holds"}, {Value: "only", Name: "Nothing but some goods"},
	{Value: "sale_in_cart", Name: "Something on sale in it"}, {Value: "empty_cart", Name: "An empty cart"}, {Value: "code", Name: "A code that is entered"},
	{Value: "regions", Name: "The region"}, {Value: "countries", Name: "The country"}, {Value: "postcodes", Name: "The postcode"}, {Value: "methods", Name: "The shipping method"},
	{Value: "signed_in", Name: "Whether the shopper is signed in"}, {Value: "groups", Name: "The shopper’s group"}, {Value: "past_orders", Name: "Past orders"},
	{Value: "days_since_order", Name: "Days since the last order"}, {Value: "lifetime_spend", Name: "What the shopper has spent in all"}, {Value: "bought_before", Name: "What the shopper has bought before"},
	{Value: "campaign", Name: "The link the visit came by"}, {Value: "devices", Name: "The device"}, {Value: "page", Name: "The page"}, {Value: "acts", Name: "What has just happened"},
	{Value: "trial_arm", Name: "The arm of a trial"}, {Value: "between", Name: "Between two moments"}, {Value: "weekdays", Name: "The day of the week"}, {Value: "hours", Name: "The time of day"},
}

var groupKinds = []choiceView{{Value: "all", Name: "All of these"}, {Value: "any", Name: "At least one of these"}, {Value: "none", Name: "None of these"}}

// members is the list of a group, nil of a single condition.
func members(c *audience.Condition) *[]audience.Condition {
	switch {
	case c.All != nil:
		return &c.All
	case c.Any != nil:
		return &c.Any
	case c.None != nil:
		return &c.None
	}
	return nil
}

// conditionAt is the condition at a path such as 0.2, places in groups; nil where there is
// none.
func conditionAt(root *audience.Condition, path string) *audience.Condition {
	c := root
	for _, step := range strings.FieldsFunc(path, func(r rune) bool { return r == '.' }) {
		if c == nil {
			return nil
		}
		m, i := members(c), atoi(step)
		if m == nil || i < 0 || i >= len(*m) {
			return nil
		}
		c = &(*m)[i]
	}
	return c
}

// conditionRows lays a tree out in lines.
func conditionRows(c *audience.Condition, path string, depth int, v nudge.Voice, regions []catalog.Region) []conditionRow {
	if c == nil {
		return nil
	}
	key := "when"
	if path != "" {
		key += "-" + path
	}
	m := members(c)
	out := []conditionRow{{Path: path, Key: key, Depth: depth, Text: nudge.ConditionText(c, v, regions), Group: m != nil}}
	if m == nil {
		return out
	}
	join := map[string]string{"all": "and", "any": "or", "none": "nor"}[c.Kind()]
	for i := range *m {
		rows := conditionRows(&(*m)[i], strings.TrimPrefix(path+"."+strconv.Itoa(i), "."), depth+1, v, regions)
		if i > 0 {
			rows[0].Join = join
		}
		out = append(out, rows...)
	}
	return out
}

// when is the panel of one condition, or of a group.
func (w drawer) when(p *panel, d *nudge.Definition, path string) *panel {
	c := conditionAt(d.Audience.When, path)
	if c == nil {
		return nil
	}
	p.Path, p.anyway = path, true
	at := "audience.when"
	if path != "" {
		at += "." + path
	}
	kind := c.Kind()
	if m := members(c); m != nil {
		p.Controls = []control{choice(at+".kind", "How these stand together", &kind, groupKinds)}
		p.CanDrop = "condition"
		p.after = func(*editing) {
			list := *m
			*c = audience.Condition{}
			*map[string]*[]audience.Condition{"all": &c.All, "any": &c.Any, "none": &c.None}[kind] = list
		}
		return p
	}
	was := kind
	ask := choice(at+".kind", "What is asked", &kind, conditionKinds)
	p.Controls = append(p.Controls, ask)
	fields := w.conditionFields(at, c)
	if was == "holds" || was == "only" || was == "page" {
		p.Controls, p.More = splitFilter(p.Controls, fields)
	} else {
		p.Controls = append(p.Controls, fields...)
	}
	p.CanDrop = "condition"
	p.after = func(e *editing) {
		if kind == was {
			return
		}
		for _, f := range fields { // what was asked before counts no more
			delete(e.errs, f.Name)
			for _, a := range f.Amounts {
				delete(e.errs, a.Field)
			}
		}
		*c = w.condition(kind)
		e.open = p.Key
	}
	return p
}

// splitFilter puts what is seldom needed of a filter apart.
func splitFilter(often, fields []control) (_, more []control) {
	for _, f := range fields {
		if strings.Contains(f.Name, ".exclude.") || strings.HasSuffix(f.Name, ".options") || strings.HasSuffix(f.Name, ".on_sale") || strings.HasSuffix(f.Name, ".prices") || strings.HasSuffix(f.Name, ".plans") || strings.HasSuffix(f.Name, ".variants") {
			more = append(more, f)
		} else {
			often = append(often, f)
		}
	}
	return often, more
}

func (w drawer) counted(at string, c *audience.Count, unit string) []control {
	return []control{
		w.number(at+".at_least", "At least; empty: any", &c.Least, unit), w.number(at+".at_most", "At most; empty: any", &c.Most, unit), w.number(at+".exactly", "Or exactly", &c.Exactly, unit),
	}
}

func (w drawer) ranged(at string, m *audience.Money) []control {
	return []control{
		w.amounts(at+".at_least", "At least, in each region; empty: any", asAmounts(&m.Least), never),
		w.amounts(at+".at_most", "At most, in each region; empty: any", asAmounts(&m.Most), never),
	}
}

// conditionFields are the controls of what a condition asks.
func (w drawer) conditionFields(at string, c *audience.Condition) []control {
	name := at + "." + c.Kind()
	var regions, methods []choiceView
	for _, g := range w.all {
		regions = append(regions, choiceView{Value: g.ID, Name: g.Name})
		for _, m := range g.Methods {
			methods = append(methods, choiceView{Value: m.ID, Name: m.Name("en")})
		}
	}
	switch {
	case c.CartValue != nil:
		return w.ranged(name, c.CartValue)
	case c.Lifetime != nil:
		return w.ranged(name, c.Lifetime)
	case c.Units != nil:
		return w.counted(name, c.Units, "pieces")
	case c.Distinct != nil:
		return w.counted(name, c.Distinct, "products")
	case c.Weight != nil:
		return w.counted(name, c.Weight, "g")
	case c.Orders != nil:
		return w.counted(name, c.Orders, "orders")
	case c.Since != nil:
		return w.counted(name, c.Since, "days")
	case c.Holds != nil:
		return append(w.counted(name, &c.Holds.Count, "pieces"), w.filter(name+".goods", &c.Holds.Goods, "Of", "Not of")...)
	case c.Only != nil:
		return w.filter(name, c.Only, "Of", "Not of")
	case c.Sale != nil:
		return []control{yesNo(name, "On sale", &c.Sale, "", "something on sale is in it", "nothing on sale is in it")}
	case c.Empty != nil:
		return []control{yesNo(name, "The cart", &c.Empty, "", "is empty", "is not empty")}
	case c.SignedIn != nil:
		return []control{yesNo(name, "The shopper", &c.SignedIn, "", "is signed in", "is not signed in")}
	case c.Code != "":
		return []control{w.code(name, "Which code", &c.Code)}
	case c.Regions != nil:
		return []control{needed(boxes(name, "Any of these regions", &c.Regions, regions), func() bool { return len(c.Regions) == 0 })}
	case c.Countries != nil:
		return []control{needed(w.tokens(name, "Any of these countries", "countries", &c.Countries), func() bool { return len(c.Countries) == 0 })}
	case c.Postcodes != nil:
		return []control{needed(w.words(name, "Beginnings of postcodes, with commas between", &c.Postcodes), func() bool { return len(c.Postcodes) == 0 })}
	case c.Methods != nil:
		return []control{needed(boxes(name, "Any of these methods", &c.Methods, distinct(methods)), func() bool { return len(c.Methods) == 0 })}
	case c.Groups != nil:
		return []control{needed(w.words(name, "Any of these groups, with commas between", &c.Groups), func() bool { return len(c.Groups) == 0 })}
	case c.Bought != nil:
		return []control{needed(w.tokens(name, "Any of these products", "products", &c.Bought), func() bool { return len(c.Bought) == 0 })}
	}
	return w.visitFields(name, c)
}

func (w drawer) visitFields(name string, c *audience.Condition) []control {
	options := func(list []string, say func(string) string) (out []choiceView) {
		for _, x := range list {
			out = append(out, choiceView{Value: x, Name: say(x)})
		}
		return out
	}
	same := func(s string) string { return s }
	switch {
	case c.Campaign != nil:
		var shown [][2]string
		for _, param := range slices.Sorted(maps.Keys(c.Campaign)) {
			for _, x := range c.Campaign[param] {
				shown = append(shown, [2]string{param, x})
			}
		}
		return []control{w.pairs(name, "Parameters of the link, such as utm_source = newsletter", shown, func(ps [][2]string) {
			c.Campaign = map[string][]string{}
			for _, p := range ps {
				c.Campaign[p[0]] = append(c.Campaign[p[0]], p[1])
			}
		})}
	case c.Devices != nil:
		return []control{needed(boxes(name, "Any of these devices", &c.Devices, options(asTexts(audience.Devices), same)), func() bool { return len(c.Devices) == 0 })}
	case c.Page != nil:
		goods := c.Page.Goods
		if goods == nil {
			goods = onEverything()
		}
		fields := append([]control{
			boxes(name+".kinds", "Any of these pages; none ticked means all", &c.Page.Kinds, pageNames(audience.PageKinds)),
			yesNo(name+".in_stock", "What it shows is", &c.Page.InStock, "in stock or sold out", "in stock", "sold out"),
			yesNo(name+".has_image", "What it shows has", &c.Page.HasImage, "a picture or none", "a picture", "no picture"),
		}, w.filter(name+".goods", goods, "Showing", "Not showing")...)
		last := &fields[len(fields)-1]
		read := last.read
		last.read = func(r *reading) { // the filter has been read by then
			if read(r); goods.IsZero() {
				c.Page.Goods = nil
			} else {
				c.Page.Goods = goods
			}
		}
		return fields
	case c.Acts != nil:
		return []control{needed(boxes(name, "The shopper has just", &c.Acts, options(asTexts(audience.Acts), func(a string) string { return nudge.ActName(audience.Act(a)) })), func() bool { return len(c.Acts) == 0 })}
	case c.Arm != nil:
		return []control{w.text(name+".trial", "Trial", &c.Arm.Trial, 60), w.text(name+".arm", "Arm", &c.Arm.Arm, 60)}
	case c.Between != nil:
		return []control{w.moment(name+".from", "From; empty: from ever", &c.Between.From), w.moment(name+".until", "Until; empty: for ever", &c.Between.Until)}
	case c.Weekdays != nil:
		return []control{needed(boxes(name, "On these days", &c.Weekdays, options(asTexts(audience.Weekdays), func(d string) string { return audience.Weekday(d).Name() })), func() bool { return len(c.Weekdays) == 0 })}
	case c.Hours != nil:
		return []control{w.text(name+".from", "From, such as 18:00", &c.Hours.From, 5), w.text(name+".until", "Until, such as 23:00", &c.Hours.Until, 5)}
	}
	return nil
}

// condition is one to begin with, for the merchant to change.
func (w drawer) condition(kind string) audience.Condition {
	n := func(n int64) *int64 { return &n }
	yes := true
	first := func(of func(catalog.Region) string) []string {
		for _, g := range w.all {
			if x := of(g); x != "" {
				return []string{x}
			}
		}
		return []string{"–"}
	}
	amounts := func(euros int64) *audience.Money {
		return &audience.Money{Least: map[string]money.Amount(nudge.SuggestAmounts(w.all, euros))}
	}
	switch kind {
	case "all":
		return audience.Condition{All: []audience.Condition{w.condition("units")}}
	case "any":
		return audience.Condition{Any: []audience.Condition{w.condition("units")}}
	case "none":
		return audience.Condition{None: []audience.Condition{w.condition("units")}}
	case "cart_value":
		return audience.Condition{CartValue: amounts(50)}
	case "distinct_products":
		return audience.Condition{Distinct: &audience.Count{Least: n(2)}}
	case "weight_g":
		return audience.Condition{Weight: &audience.Count{Least: n(1000)}}
	case "holds":
		return audience.Condition{Holds: &audience.Holds{Count: audience.Count{Least: n(1)}}}
	case "only":
		return audience.Condition{Only: onEverything()}
	case "sale_in_cart":
		return audience.Condition{Sale: &yes}
	case "empty_cart":
		return audience.Condition{Empty: &yes}
	case "code":
		return audience.Condition{Code: "WELCOME"}
	case "regions":
		return audience.Condition{Regions: first(func(g catalog.Region) string { return g.ID })}
	case "countries":
		return audience.Condition{Countries: first(func(g catalog.Region) string { return g.Countries[0] })}
	case "postcodes":
		return audience.Condition{Postcodes: []string{"1"}}
	case "methods":
		return audience.Condition{Methods: first(func(g catalog.Region) string {
			if len(g.Methods) == 0 {
				return ""
			}
			return g.Methods[0].ID
		})}
	case "signed_in":
		return audience.Condition{SignedIn: &yes}
	case "groups":
		return audience.Condition{Groups: []string{"regulars"}}
	case "past_orders":
		return audience.Condition{Orders: &audience.Count{Least: n(1)}}
	case "days_since_order":
		return audience.Condition{Since: &audience.Count{Least: n(30)}}
	case "lifetime_spend":
		return audience.Condition{Lifetime: amounts(200)}
	case "bought_before":
		for _, p := range w.catalog.Products {
			return audience.Condition{Bought: []string{p.ID}}
		}
		return audience.Condition{Bought: []string{"–"}}
	case "campaign":
		return audience.Condition{Campaign: map[string][]string{"utm_source": {"newsletter"}}}
	case "devices":
		return audience.Condition{Devices: []audience.Device{audience.Phone}}
	case "page":
		return audience.Condition{Page: &audience.Page{Kinds: []string{"product"}}}
	case "acts":
		return audience.Condition{Acts: []audience.Act{audience.Leaving}}
	case "trial_arm":
		return audience.Condition{Arm: &audience.Arm{Trial: "trial", Arm: "a"}}
	case "between":
		return audience.Condition{Between: &audience.Between{From: &w.now}}
	case "weekdays":
		return audience.Condition{Weekdays: []audience.Weekday{"sat", "sun"}}
	case "hours":
		return audience.Condition{Hours: &audience.Hours{From: "18:00", Until: "23:00"}}
	}
	return audience.Condition{Units: &audience.Count{Least: n(2)}}
}

// addCondition puts a condition or a group into a group; beside a single one it makes them
// a group.
func (e *editing) addCondition(d *nudge.Definition) error {
	path, kind := e.form.Get("path"), orElse(e.form.Get("kind"), "units")
	fresh := e.drawer.condition(kind)
	if d.Audience.When == nil {
		if fresh.Kind() == "all" || fresh.Kind() == "any" || fresh.Kind() == "none" {
			d.Audience.When = &fresh
		} else {
			d.Audience.When = &audience.Condition{All: []audience.Condition{fresh}}
		}
		e.open = "when-0"
		return nil
	}
	c := conditionAt(d.Audience.When, path)
	if c == nil {
		return fieldErrors{"": "This condition is not there any more; look at the audience as it is now."}
	}
	m := members(c)
	if m == nil {
		*c = audience.Condition{All: []audience.Condition{*c}}
		m = &c.All
	}
	*m = append(*m, fresh)
	e.open = "when-" + strings.TrimPrefix(fmt.Sprintf("%s.%d", path, len(*m)-1), ".")
	return nil
}

// dropCondition takes a condition out, and the groups that are empty then.
func (e *editing) dropCondition(d *nudge.Definition) error {
	path := e.form.Get("path")
	for path != "" {
		up, last := "", path
		if i := strings.LastIndexByte(path, '.'); i >= 0 {
			up, last = path[:i], path[i+1:]
		}
		parent := conditionAt(d.Audience.When, up)
		if parent == nil {
			return fieldErrors{"": "This condition is not there any more; look at the audience as it is now."}
		}
		m, i := members(parent), atoi(last)
		if m == nil || i < 0 || i >= len(*m) {
			return fieldErrors{"": "This condition is not there any more; look at the audience as it is now."}
		}
		*m = append((*m)[:i], (*m)[i+1:]...)
		e.focus = "when-add"
		if len(*m) > 0 {
			return nil
		}
		path = up // a group without members asks nothing
	}
	d.Audience.When = nil
	return nil
}

func onEverything() *catalog.Filter { return &catalog.Filter{} }

func asTexts[T ~string](list []T) []string {
	out := make([]string, len(list))
	for i, x := range list {
		out[i] = string(x)
	}
	return out
}

// distinct leaves out what stands twice.
func distinct(list []choiceView) (out []choiceView) {
	seen := map[string]bool{}
	for _, c := range list {
		if !seen[c.Value] {
			seen[c.Value] = true
			out = append(out, c)
		}
	}
	return out
}

// asAmounts sees the amounts of a condition as those of a definition.
func asAmounts(m *map[string]money.Amount) *nudge.Amounts { return (*nudge.Amounts)(m) }
