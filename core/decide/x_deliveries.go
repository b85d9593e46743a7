package decide

import (
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/pricing"
)

// deliveries are the methods of a region.
type deliveries struct {
	methods []*catalog.Method
	fees    []pricing.Fees
	all     bool // every cart is delivered by all of them, at what their tables say
}

func deliveriesOf(r *catalog.Region) deliveries {
	out := deliveries{all: true}
	for i := range r.Methods {
		m := &r.Methods[i]
		out.methods, out.fees = append(out.methods, m), append(out.fees, m)
		out.all = out.all && len(m.Excludes) == 0 && len(m.Surcharges) == 0
	}
	return out
}
