// Package choice picks which nudge a placement shows.
package choice

import (
	"cmp"
	"slices"

	"agonal.dev/agonal/core/nudge"
)

// Candidate is a nudge that may show.
type Candidate struct {
	Nudge      string
	Priority   int // 1 is first
	Placements []nudge.Placement
	// Newly tells that a rung was reached for the first time in this visit; such
	// a nudge shows before anything else.
	Newly bool
}

// Compare puts candidates in the order in which they are shown: newly reached
// ones, then by the merchant's order, then by id.
func Compare(a, b Candidate) int {
	if a.Newly != b.Newly {
		if a.Newly {
			return -1
		}
		return 1
	}
	return cmp.Or(cmp.Compare(a.Priority, b.Priority), cmp.Compare(a.Nudge, b.Nudge))
}

// Pick returns, for each placement that has candidates, the one shown there, as
// its index. Every placement shows one nudge. The same candidates give the same
// pick in whatever order they come.
func Pick(candidates []Candidate) map[nudge.Placement]int {
	out := map[nudge.Placement]int{}
	for _, p := range nudge.Placements {
		best := -1
		for i, c := range candidates {
			if slices.Contains(c.Placements, p) && (best < 0 || Compare(c, candidates[best]) < 0) {
				best = i
			}
		}
		if best >= 0 {
			out[p] = best
		}
	}
	return out
}
