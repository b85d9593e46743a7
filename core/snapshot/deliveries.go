package snapshot

import (
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/pricing"
)

// deliveries are the methods of a region.
type deliveries struct {
	Methods []*catalog.Method
	Fees    []pricing.Fees
	All     bool // every cart is delivered by all of them, at what their tables say
}

func deliveriesOf(r *catalog.Region) deliveries {
	out := deliveries{All: true}
	for i := range r.Methods {
		m := &r.Methods[i]
		out.Methods, out.Fees = append(out.Methods, m), append(out.Fees, m)
		out.All = out.All && len(m.Excludes) == 0 && len(m.Surcharges) == 0
	}
	return out
}
