package progress

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// option is a unit choice with a set of order rewards, as the search for the best
// choice may come to it.
type option struct {
	choice, set int
	// Of the range last looked at.
	pay    span // with the fee, less the price of the added unit
	fee    span
	target verdict
	sure   bool
	// What goods cost at the ends of the range, and by how much what they cost between
	// may differ from a line between those; no number where that is not known.
	ends  [2]money.Minor
	noise money.Minor
}

// far is a difference that no two payments have.
const far = money.Most

// mostOrders is how many order rewards are tried in every set.
const mostOrders = 12

// options lists every unit choice with every set of order rewards that may stand beside
// one another.
func (s *hunt) options() []option {
	orders := len(s.p.Orders)
	choices := s.prepared.Choices
	if orders > mostOrders || len(choices)<<orders > *s.left {
		return nil
	}
	out := make([]option, 0, len(choices)<<orders)
	given := make([]bool, orders)
	for c := range choices {
		for set := 1<<orders - 1; set >= 0; set-- {
			if s.f.bonds.Units && s.p.Clashes(choices[c].Given, marks(given, set)) {
				continue
			}
			out = append(out, option{choice: c, set: set})
		}
	}
	return out
}

// marks writes a set as marks.
func marks(given []bool, set int) []bool {
	for i := range given {
		given[i] = set>>i&1 == 1
	}
	return given
}

// best judges the target where the best choice for the shopper is made: all options
// that may be the best must agree. Those are put on the pile.
func (s *hunt) best(among []option) (verdict, []option) {
	v, from := s.view, len(s.f.pile)
	least := money.Minor(1 << 62)
	for _, o := range among {
		goods := s.turn(o)
		if v.fails || goods.lo > least {
			continue
		}
		o.fee = v.fee()
		if o.pay = goods.plus(o.fee); o.pay.lo > least {
			continue
		}
		o.target = s.target(v)
		if o.sure = v.sure; o.sure {
			least = min(least, o.pay.hi)
		}
		if !v.single() {
			s.measure(&o)
		}
		s.f.pile = append(s.f.pile, o)
	}
	left := s.f.pile[from:]
	left = slices.DeleteFunc(left, func(o option) bool { return o.pay.lo > least })
	out := agreed(left)
	if out == maybe && !v.single() {
		left = unbeaten(left)
		if out = agreed(left); out == maybe {
			out = s.steady(left)
		}
	}
	return out, left
}

// unbeaten drops the options that one which is surely allowed beats at both ends of the
// range by more than rounding: it beats them between, too.
func unbeaten(of []option) []option {
	var pivots [2]option
	n := 0
	for end := range 2 {
		at := -1
		for i, o := range of {
			if o.sure && o.noise < far && (at < 0 || o.ends[end]+o.fee.hi < of[at].ends[end]+of[at].fee.hi) {
				at = i
			}
		}
		if at >= 0 {
			pivots[n] = of[at]
			n++
		}
	}
	return slices.DeleteFunc(of, func(o option) bool {
		for _, b := range pivots[:n] {
			by, noise := o.fee.lo-b.fee.hi, o.noise+b.noise
			if o.noise < far && o.ends[0]-b.ends[0]+by > noise && o.ends[1]-b.ends[1]+by > noise {
				return true
			}
		}
		return false
	})
}

// turn turns the view to an option and returns what its goods cost.
func (s *hunt) turn(o option) span {
	v := s.view
	v.look(&s.f.choices[o.choice], marks(s.given, o.set))
	if s.f.bonds.Gifts && !v.fails {
		v.giftsAllow()
	}
	return v.pay()
}

// agreed is what all options say.
func agreed(of []option) verdict {
	out := never
	for i, o := range of {
		if i == 0 {
			out = o.target
		}
		if o.target == maybe || o.target != out {
			return maybe
		}
	}
	return out
}
