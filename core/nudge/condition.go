package nudge

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// ConditionText says one condition as a clause about the shopper or the cart: "the cart
// holds at least 3 pieces". Of a group it says how its members are joined.
func ConditionText(c *audience.Condition, v Voice, regions []catalog.Region) string {
	t := conditionText{v, regions}
	switch {
	case c.All != nil:
		return "all of these"
	case c.Any != nil:
		return "at least one of these"
	case c.None != nil:
		return "none of these"
	case c.CartValue != nil:
		return "the cart is worth " + t.money(c.CartValue)
	case c.Units != nil:
		return "the cart holds " + t.count(c.Units, "piece", "pieces")
	case c.Distinct != nil:
		return "the cart holds " + t.count(c.Distinct, "product", "different products")
	case c.Weight != nil:
		return "the cart weighs " + t.count(c.Weight, "g", "g")
	case c.Holds != nil:
		return "the cart holds " + t.count(&c.Holds.Count, "piece", "pieces") + of(orText(FilterText(c.Holds.Goods, v), "anything"))
	case c.Only != nil:
		return "the cart holds nothing but " + orText(FilterText(*c.Only, v), "anything")
	case c.Sale != nil:
		return t.either(*c.Sale, "something on sale is in the cart", "nothing on sale is in the cart")
	case c.Empty != nil:
		return t.either(*c.Empty, "the cart is empty", "the cart is not empty")
	case c.Code != "":
		return "the code " + c.Code + " is entered"
	}
	if s := t.place(c); s != "" {
		return s
	}
	if s := t.shopper(c); s != "" {
		return s
	}
	if s := t.visit(c); s != "" {
		return s
	}
	return t.moment(c)
}

type conditionText struct {
	v       Voice
	regions []catalog.Region
}

func (t conditionText) either(yes bool, a, b string) string {
	if yes {
		return a
	}
	return b
}

func (t conditionText) count(c *audience.Count, one, many string) string {
	n := func(n int64) string {
		if n == 1 {
			return "1 " + one
		}
		return fmt.Sprintf("%d %s", n, many)
	}
	switch {
	case c.Exactly != nil:
		return "exactly " + n(*c.Exactly)
	case c.Least != nil && c.Most != nil:
		return fmt.Sprintf("%d to %s", *c.Least, n(*c.Most))
	case c.Least != nil:
		return "at least " + n(*c.Least)
	case c.Most != nil:
		return "at most " + n(*c.Most)
	}
	return "any number of " + many
}

func (t conditionText) money(m *audience.Money) string {
	least, from := m.Least[t.v.Region.ID]
	most, to := m.Most[t.v.Region.ID]
	switch {
	case from && to:
		return money.Format(least, t.v.Locale) + " to " + money.Format(most, t.v.Locale)
	case from:
		return "at least " + money.Format(least, t.v.Locale)
	case to:
		return "at most " + money.Format(most, t.v.Locale)
	}
	return "an amount that is not set for " + orText(t.v.Region.Name, "this region")
}

func (t conditionText) place(c *audience.Condition) string {
	switch {
	case c.Regions != nil:
		return "the order goes to " + orText(orList(regionNames(c.Regions, t.regions)), orList(c.Regions))
	case c.Countries != nil:
		return "the order goes to " + orList(c.Countries)
	case c.Postcodes != nil:
		return "the postcode begins with " + orList(c.Postcodes)
	case c.Methods != nil:
		names := make([]string, len(c.Methods))
		for i, id := range c.Methods {
			names[i] = id
			if m, ok := t.v.Region.Method(id); ok {
				names[i] = m.Name("en")
			}
		}
		return "it is sent by " + orList(names)
	}
	return ""
}

func (t conditionText) shopper(c *audience.Condition) string {
	switch {
	case c.SignedIn != nil:
		return t.either(*c.SignedIn, "the shopper is signed in", "the shopper is not signed in")
	case c.Groups != nil:
		return "the shopper is of the group " + orList(c.Groups)
	case c.Orders != nil:
		return "the shopper has placed " + t.count(c.Orders, "order", "orders")
	case c.Since != nil:
		return "the last order was " + t.count(c.Since, "day", "days") + " ago"
	case c.Lifetime != nil:
		return "the shopper has spent " + t.money(c.Lifetime) + " in all"
	case c.Bought != nil:
		return "the shopper has bought " + orList(c.Bought) + " before"
	}
	return ""
}

func (t conditionText) visit(c *audience.Condition) string {
	switch {
	case c.Campaign != nil:
		var parts []string
		for _, name := range slices.Sorted(maps.Keys(c.Campaign)) {
			parts = append(parts, name+" is "+orList(c.Campaign[name]))
		}
		return "the visit came by a link whose " + strings.Join(parts, " and ")
	case c.Devices != nil:
		return "the shopper looks on a " + orList(texts(c.Devices))
	case c.Page != nil:
		return t.page(c.Page)
	case c.Acts != nil:
		names := make([]string, len(c.Acts))
		for i, a := range c.Acts {
			names[i] = ActName(a)
		}
		return "the shopper has just " + orList(names)
	case c.Arm != nil:
		return "the visit is in arm " + c.Arm.Arm + " of the trial " + c.Arm.Trial
	}
	return ""
}

func (t conditionText) page(p *audience.Page) string {
	s := "the page is any"
	if len(p.Kinds) > 0 {
		s = "the page is of the kind " + orList(p.Kinds)
	}
	if p.Goods != nil {
		s += ", showing " + orText(FilterText(*p.Goods, t.v), "anything")
	}
	if p.InStock != nil {
		s += t.either(*p.InStock, ", in stock", ", sold out")
	}
	if p.HasImage != nil {
		s += t.either(*p.HasImage, ", with a picture", ", without a picture")
	}
	return s
}

func (t conditionText) moment(c *audience.Condition) string {
	switch {
	case c.Between != nil:
		s := "it is"
		if f := c.Between.From; f != nil {
			s += " after " + f.UTC().Format("2 Jan 2006 15:04") + " UTC"
		}
		if u := c.Between.Until; u != nil {
			s += " before " + u.UTC().Format("2 Jan 2006 15:04") + " UTC"
		}
		return s
	case c.Weekdays != nil:
		names := make([]string, len(c.Weekdays))
		for i, d := range c.Weekdays {
			names[i] = d.Name()
		}
		return "it is " + orList(names)
	case c.Hours != nil:
		return "it is between " + c.Hours.From + " and " + c.Hours.Until
	}
	return "nothing is asked"
}

// ActName says what a shopper has just done.
func ActName(a audience.Act) string {
	switch a {
	case audience.ItemAdded:
		return "added something"
	case audience.CartOpened:
		return "opened the cart"
	case audience.CheckoutBegun:
		return "begun the checkout"
	case audience.OrderPlaced:
		return "placed an order"
	case audience.Leaving:
		return "turned to leave"
	case audience.LinkShared:
		return "shared a link"
	}
	return string(a)
}

func texts[T ~string](list []T) []string {
	out := make([]string, len(list))
	for i, x := range list {
		out[i] = string(x)
	}
	return out
}
