// Package choice picks which nudges a placement shows.
package choice

import (
	"cmp"
	"math/big"
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
	// Gain is what showing it is expected to earn; zero where nothing is known, or
	// where the merchant's order decides.
	Gain Gain
	// Turn is how often it was shown in this visit, where it takes turns; −1: it does not.
	Turn int64
	// Nearest tells that it keeps still in the top bar of a page that shows it in a
	// nearer place, such as beside the product or in the cart.
	Nearest bool
}

// near are the places of a page that are nearer than its top bar.
var near = []nudge.Placement{nudge.ProductBlock, nudge.CartBlock}

// nearFirst returns placements with those that are near first.
func nearFirst(placements []nudge.Placement) []nudge.Placement {
	out := slices.Clone(placements)
	slices.SortStableFunc(out, func(a, b nudge.Placement) int {
		return cmp.Compare(slices.Index(near, b), slices.Index(near, a)) // -1 for what is not near
	})
	return out
}

// Gain is an expected gain, compared exactly: Profit × Accepted ÷ Shows, in minor
// units. The zero value is no gain.
type Gain struct {
	Profit          int64
	Accepted, Shows int64 // of the posterior; Shows 0: no gain
}

// Posterior returns the gain of a profit where a Beta prior of accepted and
// refused has seen so many shows and acceptances: p is its mean.
func Posterior(profit, accepted, refused, shows, acceptances int64) Gain {
	return Gain{Profit: profit, Accepted: accepted + acceptances, Shows: accepted + refused + shows}
}

// Compare tells which gain is less: −1, 0 or 1.
func (g Gain) Compare(o Gain) int {
	if g.Shows == 0 || o.Shows == 0 {
		return cmp.Compare(g.sign(), o.sign())
	}
	// Profit·Accepted of 2⁴⁰·2²¹ by Shows of 2²¹ leave int64; big numbers are exact.
	times := func(a, b, c int64) *big.Int {
		x := new(big.Int).Mul(big.NewInt(a), big.NewInt(b))
		return x.Mul(x, big.NewInt(c))
	}
	return times(g.Profit, g.Accepted, o.Shows).Cmp(times(o.Profit, o.Accepted, g.Shows))
}

func (g Gain) sign() int {
	if g.Shows == 0 || g.Accepted == 0 {
		return 0
	}
	return cmp.Compare(g.Profit, 0)
}

// Positive tells whether anything is earned.
func (g Gain) Positive() bool { return g.sign() > 0 }

// compare puts candidates in the order in which they are shown: newly reached
// ones; then those with a positive gain, the greatest first; then by the
// merchant's order, then by id.
func compare(a, b *Candidate) int {
	if a.Newly != b.Newly {
		if a.Newly {
			return -1
		}
		return 1
	}
	if !a.Newly && (a.Gain.Positive() || b.Gain.Positive()) {
		if c := b.Gain.Compare(a.Gain); c != 0 {
			return c
		}
	}
	return cmp.Or(cmp.Compare(a.Priority, b.Priority), cmp.Compare(a.Nudge, b.Nudge))
}

// Pick returns, for each placement that has candidates, those shown there, as
// their indexes in the order they are shown: one, or as many as the placement
// lists. The same candidates give the same pick in whatever order they come.
func Pick(candidates []Candidate, most func(nudge.Placement) int) map[nudge.Placement][]int {
	order := make([]int, 0, len(candidates))
	for _, newly := range []bool{true, false} {
		for i := range candidates {
			if candidates[i].Newly == newly {
				order = append(order, i)
			}
		}
	}
	less := func(a, b int) int { return compare(&candidates[a], &candidates[b]) }
	if !slices.IsSortedFunc(order, less) { // most often the merchant's order decides, and they come in it
		slices.SortFunc(order, less)
	}
	takeTurns(candidates, order)
	full := make([]nudge.Placement, 0, len(nudge.Placements))
	out := map[nudge.Placement][]int{}
	for _, i := range order {
		places, nearby := candidates[i].Placements, false
		if candidates[i].Nearest && len(places) > 1 {
			places = nearFirst(places)
		}
		for _, p := range places {
			if slices.Contains(full, p) || nearby && p == nudge.TopBar {
				continue
			}
			n := most(p)
			if len(out[p]) < n {
				out[p] = append(out[p], i)
				nearby = nearby || candidates[i].Nearest && slices.Contains(near, p)
			}
			if len(out[p]) >= n {
				full = append(full, p)
			}
		}
	}
	return out
}

// takeTurns puts those that take turns, at the places that they have among the others, in
// the order in which they were shown least.
func takeTurns(candidates []Candidate, order []int) {
	var places, who []int
	for at, i := range order {
		if candidates[i].Turn >= 0 {
			places, who = append(places, at), append(who, i)
		}
	}
	slices.SortStableFunc(who, func(a, b int) int { return cmp.Compare(candidates[a].Turn, candidates[b].Turn) })
	for n, at := range places {
		order[at] = who[n]
	}
}

// One lists one nudge for every placement.
func One(nudge.Placement) int { return 1 }

// Contended tells whether two candidates want the same place, so that a gain
// would decide between them.
func Contended(candidates []Candidate) bool {
	seen := map[nudge.Placement]bool{}
	for _, c := range candidates {
		if c.Newly {
			continue
		}
		for _, p := range c.Placements {
			if seen[p] {
				return true
			}
			seen[p] = true
		}
	}
	return false
}
