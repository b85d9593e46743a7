// Package trial is about comparing visitors with others who were treated otherwise, at
// random: who belongs to which share, how long it takes until a difference can be told, and
// what can be said of it at any look. Money stays in whole minor units; statistics are
// floats, and never become a price.
package trial

import (
	"cmp"
	"slices"

	"github.com/cespare/xxhash/v2"

	"agonal.dev/agonal/core/money"
)

// Visitor is who visits, and Comparison what is compared, by the hashes of their names. Both
// are made once, a place in a comparison as often as decisions ask for it.
type (
	Visitor    uint64
	Comparison uint64
)

// Of is a visitor by the id that the browser keeps.
func Of(id string) Visitor { return Visitor(xxhash.Sum64String(id)) }

// Named is a comparison by its name.
func Named(name string) Comparison { return Comparison(xxhash.Sum64String(name)) }

// Point places a visitor in a comparison, evenly from 0 up to and without [money.Whole]: the
// same at every time and on every page, and unrelated to where the visitor stands in any other.
// Both hashes are mixed until every bit of them moves every other; nobody gains by forging one.
func (c Comparison) Point(v Visitor) money.Rate {
	x := uint64(c) + uint64(v)*0x9e3779b97f4a7c15
	x = (x ^ x>>33) * 0xff51afd7ed558ccd
	x = (x ^ x>>33) * 0xc4ceb9fe1a85ec53
	return money.Rate((x ^ x>>33) % uint64(money.Whole))
}

// Within tells whether a visitor belongs to the first share of a comparison. Somebody who is
// in it stays in it while the share grows.
func (c Comparison) Within(v Visitor, share money.Rate) bool {
	return share > 0 && c.Point(v) < share
}

// Within is [Comparison.Within] by names.
func Within(name, visitor string, share money.Rate) bool {
	return Named(name).Within(Of(visitor), share)
}

// Part are visitors who are in a trial: those between two points of a layer. Trials whose parts of
// one layer do not overlap never have a visitor in common. The zero value is everybody.
type Part struct {
	Layer    Comparison
	From, To money.Rate // To is not included
}

// Holds tells whether a visitor is one of them.
func (p Part) Holds(v Visitor) bool {
	if p == (Part{}) {
		return true
	}
	at := p.Layer.Point(v)
	return at >= p.From && at < p.To
}

// Free finds room for a part of a layer beside those that are taken; false where there is none.
// free is the widest that there is.
func Free(taken []Part, share money.Rate) (from, free money.Rate, ok bool) {
	sorted := slices.SortedFunc(slices.Values(taken), func(a, b Part) int { return cmp.Compare(a.From, b.From) })
	at := money.Rate(0)
	for _, p := range append(sorted, Part{From: money.Whole, To: money.Whole}) {
		if room := p.From - at; room >= share && !ok {
			from, ok = at, true
		}
		free, at = max(free, p.From-at), max(at, p.To)
	}
	return from, free, ok
}

// Name is what a trial is called where visitors are placed in it.
func Name(id string) string { return "trial:" + id }

// Arm names an arm of a trial: what was there before, or the other revision. Where the other
// arm does without the nudge it is [results.ArmWithout].
func Arm(id string, other bool) string {
	if other {
		return id + ":B"
	}
	return id + ":A"
}
