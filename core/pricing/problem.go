// Package pricing is the rules: what a cart costs under the rewards that are given, to
// the minor unit, and whether such a choice is allowed, or by which rule it is not.
// Nothing here searches: how a choice is found is none of its business.
//
// A [Problem] is a cart with everything looked up. Unit rewards come first, each on the
// units it takes; then order rewards in priority order, each on what remains of its
// lines; then shipping rewards in priority order on what remains of the fee. All amounts
// are minor units of the cart's one currency, and must stay within money.Most in sum.
package pricing

import (
	"cmp"
	"slices"

	"agonal.dev/agonal/core/money"
)

// Line is a cart line with its price before nudges. A line without quantity adds
// value and nothing else: it holds no unit that could be counted or taken.
type Line struct {
	Unit     money.Minor // price of one, as shown
	Quantity int64
	Amount   money.Minor // Unit × Quantity
	Tax      money.Rate
	GiftCard bool // a gift card: no part of the goods that fees look at
	Cost     money.Minor
	HasCost  bool  // whether Cost, the cost of one, is known
	Product  int   // lines of one product share a number
	Variant  int   // lines of one variant share a number
	Grams    int64 // weight of one
}

// Scope marks, line by line, what is counted. It is as long as Problem.Lines.
type Scope []bool

// Basis says at which point of the computation a goal looks at values.
type Basis int

// The bases. Goals of unit rewards look at Before only, goals of order rewards
// never at AfterOrder.
const (
	Before Basis = iota
	AfterUnit
	AfterOrder
)

// Measure is what a goal counts of the counted lines.
type Measure int

// The measures.
const (
	Value       Measure = iota // minor units
	Units                      // pieces
	SameProduct                // pieces of one and the same product, the most there are
	SameVariant                // pieces of one and the same variant, the most there are
	Distinct                   // different products
	Weight                     // grams
)

// Goal holds when the measure of the counted lines is at least Threshold and,
// where Most is set, at most that.
type Goal struct {
	Scope      Scope
	Measure    Measure
	Basis      Basis
	WithoutTax bool // count net values where prices are shown with tax
	Threshold  int64
	Most       int64 // 0: no upper end
}

// Key names a rung and puts rungs in order: by priority, then nudge id, then rung.
type Key struct {
	Priority int
	Nudge    string
	Rung     int
}

// Compare orders keys.
func (k Key) Compare(o Key) int {
	return cmp.Or(cmp.Compare(k.Priority, o.Priority), cmp.Compare(k.Nudge, o.Nudge), cmp.Compare(k.Rung, o.Rung))
}

// Class is the stage of computing at which a reward is given.
type Class uint8

// The classes, as bits of a set.
const (
	UnitClass Class = 1 << iota
	OrderClass
	ShippingClass
	GiftClass
)

// Nudge is what all rungs of one nudge share. Its zero value binds nothing.
type Nudge struct {
	Replacing bool        // one rung is given, the highest that holds, or none
	Stacks    bool        // its unit rewards go on top of others
	Group     string      // of an exclusive group one nudge is given; empty: none
	Refuses   Class       // classes of other nudges' rewards it does not stand beside
	Budget    money.Minor // the most its rewards may cost in this order; see HasBudget
	HasBudget bool
	Floor     money.Rate // least margin rate of the lines it touches
	MostUnits int64      // the most units it rewards in one order; 0: no limit
}

// Order is a rung that takes money off its counted lines: a percentage, or an
// amount.
type Order struct {
	Key     Key
	Nudge   int // index into Problem.Nudges, -1: nothing is shared
	Goal    Goal
	Lines   Scope // the lines it takes from: counted ones that may be discounted
	Percent money.Rate
	Amount  money.Minor // taken where Percent is 0
	Cap     money.Minor // 0: none
}

// ShippingForm is a form of shipping reward.
type ShippingForm int

// The forms.
const (
	NoShippingReward ShippingForm = iota // not about this method
	Free
	Off
	Flat
)

// Shipping is a rung that lowers the fee of some methods.
type Shipping struct {
	Key   Key
	Nudge int
	Goal  Goal
	// By holds, for each method of the problem, what the rung does to it.
	By []ShippingReward
}

// ShippingReward is what a rung does to the fee of one method.
type ShippingReward struct {
	Form   ShippingForm
	Amount money.Minor // off, or the flat fee
}

// Lower returns the fee after the reward; it never lifts it.
func (r ShippingReward) Lower(fee money.Minor) money.Minor {
	switch r.Form {
	case Free:
		return 0
	case Off:
		return max(0, fee-r.Amount)
	case Flat:
		return min(fee, r.Amount)
	}
	return fee
}

// Gift is a rung that gives something outside the money of the order: a gift, or
// the right to an offer. It is not traded against money; only exclusive groups
// and refusals bind it to the choice.
type Gift struct {
	Key   Key
	Nudge int
	Goal  Goal
	// Worth is the list value of what would be given: between gifts of one group
	// the higher one is given.
	Worth money.Minor
}

// Fees is a method's fee table.
type Fees interface {
	// Fee returns the list fee for goods of a value in minor units and a weight
	// in grams.
	Fee(goods money.Minor, grams int64) money.Minor
	// FeeRange returns the lowest and highest list fee for goods valued anywhere
	// from lo to hi.
	FeeRange(lo, hi money.Minor, grams int64) (least, most money.Minor)
}

// Mode is how rewards that cannot all be given are chosen.
type Mode int

// The modes.
const (
	BestForShopper Mode = iota
	ByPriority
)

// Problem is a cart with everything looked up. Lines are in the order that
// decides ties. Units, Orders, Ships and Gifts are in the order of their keys.
// With no Methods there is no shipping. Once something has been asked of a problem,
// only its mode and the price of the added unit may change.
type Problem struct {
	Mode Mode
	// Added tells that line 0 is an added unit: it has a price and no quantity,
	// and its price is what searches for additions vary.
	Added       bool
	Lines       []Line
	Grams       int64
	TaxShown    bool // whether amounts include tax
	Nudges      []Nudge
	Units       []Unit
	Orders      []Order
	Ships       []Shipping
	Gifts       []Gift
	Methods     []Fees
	ShippingTax money.Rate
	Floor       money.Rate  // least margin rate of every line a reward touches
	MostOff     money.Minor // the most that may be taken off the goods; 0: no limit
	// Effort is how many steps a search may take at most; 0: as many as it is given.
	Effort int

	dearest   []int // the lines by price, once they have been put in order
	Scratch   []money.Minor
	befores   []money.Minor // what lines cost before nudges, once that has been asked
	beforesOf *Line         // the first of those lines
	bonds     *Bonds        // what binds its rungs, once that has been found
	classes   []Class       // per nudge: of its rungs, likewise
	few       [64]Class     // room for them
	firsts    []int         // per unit rung: the first one of its nudge, likewise
	InTurn    []Ref         // its rungs in the merchant's order, likewise
	Lows      []money.Minor // what lines can cost at least after unit rewards, likewise
	units     Scope         // the lines that unit rungs may make cheaper, likewise
}

var unbound Nudge

// Nudge returns what the rungs of a nudge share.
func (p *Problem) Nudge(i int) *Nudge {
	if i < 0 || i >= len(p.Nudges) {
		return &unbound
	}
	return &p.Nudges[i]
}

// taxWithin is the tax that a shown amount includes. Amounts in a problem lie
// within money.Most, where this cannot overflow.
func taxWithin(r money.Rate, m money.Minor) money.Minor {
	if r == 0 {
		return 0
	}
	t, _ := r.Within(m)
	return t
}

// TaxOn is the tax that comes on top of an amount shown without it.
func TaxOn(r money.Rate, m money.Minor) money.Minor {
	if r == 0 {
		return 0
	}
	t, _ := r.Of(m)
	return t
}

// Before fills dst with the amounts before nudges.
func (p *Problem) Before(dst []money.Minor) []money.Minor {
	dst = dst[:0]
	for _, l := range p.Lines {
		dst = append(dst, l.Amount)
	}
	return dst
}

// Quantities is how many units each line has.
func (p *Problem) Quantities() []int64 {
	out := make([]int64, len(p.Lines))
	for i, l := range p.Lines {
		out[i] = l.Quantity
	}
	return out
}

// SortRungs puts the rungs of a problem in the order of their keys.
func SortRungs(p *Problem) {
	slices.SortFunc(p.Units, func(a, b Unit) int { return a.Key.Compare(b.Key) })
	slices.SortFunc(p.Orders, func(a, b Order) int { return a.Key.Compare(b.Key) })
	slices.SortFunc(p.Ships, func(a, b Shipping) int { return a.Key.Compare(b.Key) })
	slices.SortFunc(p.Gifts, func(a, b Gift) int { return a.Key.Compare(b.Key) })
}
