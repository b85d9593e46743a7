package pricingtest

import (
	"fmt"
	"strings"

	"agonal.dev/agonal/core/pricing"
)

// Describe writes a problem down for whoever has to understand a failure.
func Describe(p *pricing.Problem) string {
	var b strings.Builder
	fmt.Fprintf(&b, "mode %d, added %t, tax shown %t, most off %d, floor %s, shipping tax %s\n", p.Mode, p.Added, p.TaxShown, p.MostOff, p.Floor, p.ShippingTax)
	for i, l := range p.Lines {
		fmt.Fprintf(&b, "line %d: %+v\n", i, l)
	}
	for i, n := range p.Nudges {
		fmt.Fprintf(&b, "nudge %d: %+v\n", i, n)
	}
	for _, u := range p.Units {
		fmt.Fprintf(&b, "unit rung %+v\n", u)
	}
	for _, o := range p.Orders {
		fmt.Fprintf(&b, "order rung %+v\n", o)
	}
	for _, s := range p.Ships {
		fmt.Fprintf(&b, "shipping rung %+v\n", s)
	}
	for _, g := range p.Gifts {
		fmt.Fprintf(&b, "gift rung %+v\n", g)
	}
	for _, m := range p.Methods {
		fmt.Fprintf(&b, "method %+v\n", m)
	}
	return b.String()
}

// Contended tells whether two nudges may take the same unit.
func Contended(p *pricing.Problem) bool {
	for i, a := range p.Units {
		for _, b := range p.Units[:i] {
			if a.Key.Nudge == b.Key.Nudge {
				continue
			}
			for j, l := range p.Lines {
				if l.Quantity > 0 && takes(a, j) && takes(b, j) {
					return true
				}
			}
		}
	}
	return false
}

func takes(u pricing.Unit, line int) bool {
	return u.On[line] || u.Form == pricing.Every && u.Goal.Scope[line]
}
