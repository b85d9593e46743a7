package decide

import (
	"slices"
	"sync"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/choice"
	"agonal.dev/agonal/core/pricing"
)

// desk is the room that a decision takes while it is made. Desks are used again;
// nothing of a finished decision lies on one.
type desk struct {
	finder     finder
	order      []int32
	lines      []line
	candidates []candidate
	taking     []taking
	counts     []bool
	facts      audience.Facts
	contenders []choice.Candidate
	speakers   []speaker
	cart       room // for the problem of the cart
	added      room // and for that of the cart with an added unit
}

// room is the room that a pricing problem takes.
type room struct {
	lines  []pricing.Line
	nudges []pricing.Nudge
	units  []pricing.Unit
	orders []pricing.Order
	ships  []pricing.Shipping
	gifts  []pricing.Gift
	takers []taker
	refs   []pricing.Ref
	places [][]taker
	scopes []bool
}

var desks = sync.Pool{New: func() any { return new(desk) }}

// clear makes a desk ready for another decision.
func (d *desk) clear() {
	d.finder.clear()
	d.facts.Reset()
	desks.Put(d)
}

// emptied returns a slice of so many zero values, in the room of one that is no longer
// needed.
func emptied[T any](s []T, n int) []T {
	s = slices.Grow(s[:0], n)[:n]
	clear(s)
	return s
}
