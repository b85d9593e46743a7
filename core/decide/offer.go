package decide

import (
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
)

// offer is what a rung is in a region: whether it has what it needs in the region's
// currency, its threshold and the amounts of its rewards; and whether the threshold
// is the one that a set has of itself.
type offer struct {
	ok, own   bool
	threshold int64
}

// offers works out what a nudge's rungs are in each region.
func offers(l *nudge.Ladder, regions []catalog.Region) [][]offer {
	out := make([][]offer, len(regions))
	for i := range regions {
		for j := range l.Rungs {
			out[i] = append(out[i], offerOf(l, &l.Rungs[j], &regions[i]))
		}
	}
	return out
}

func offerOf(l *nudge.Ladder, r *nudge.Rung, region *catalog.Region) offer {
	o := thresholdOf(l, r, region)
	for i := range r.Rewards {
		if k := r.Rewards[i].Kind; k == nudge.UnitAmount || k == nudge.UnitPrice || k == nudge.SetPrice || k == nudge.OrderAmount {
			a, ok := r.Rewards[i].Amounts[region.ID]
			o.ok = o.ok && ok && a.Currency == region.Currency
		}
	}
	return o
}

func thresholdOf(l *nudge.Ladder, r *nudge.Rung, region *catalog.Region) offer {
	if l.Counts() != nudge.Value {
		if r.Count > 0 {
			return offer{true, false, r.Count}
		}
		return offer{true, true, r.Rewards[0].Size}
	}
	if len(r.Thresholds) == 0 && nudge.Repeats(r.Rewards[0].Kind) {
		return offer{true, true, r.Rewards[0].Size}
	}
	a, ok := r.Thresholds[region.ID]
	return offer{ok && a.Currency == region.Currency, false, a.Minor}
}

// offered tells whether any rung of a nudge has what it needs in a region.
func (n *compiled) offered(region int) bool {
	for _, o := range n.offers[region] {
		if o.ok {
			return true
		}
	}
	return false
}
