// Package pricing computes what a cart costs under the rewards that apply, and
// chooses which rewards are given.
//
// A [Problem] is a cart with everything looked up: lines with amounts and tax
// rates, rewards with the lines they count, the fee tables of the methods that
// deliver. Solve returns the choice of rungs. Stages are computed in order:
// order rewards in priority order, each on what remains of its counted lines;
// then shipping rewards in priority order on what remains of the fee.
//
// All amounts are minor units of the cart's one currency, and must stay within
// money.Most in sum.
package pricing

import (
	"cmp"
	"slices"

	"agonal.dev/agonal/core/money"
)

// Line is a cart line with its price before nudges.
type Line struct {
	Amount   money.Minor // price × quantity, as shown
	Tax      money.Rate
	GiftCard bool // a gift card or a gift: no part of the goods that fees look at
}

// Scope marks, line by line, what is counted. It is as long as Problem.Lines.
type Scope []bool

// Basis says at which point of the computation a goal looks at values.
type Basis int

// The bases. Goals of order rewards look at Before only.
const (
	Before Basis = iota
	AfterOrder
)

// Goal holds when the value of the counted lines is at least Threshold.
type Goal struct {
	Scope      Scope
	Basis      Basis
	WithoutTax bool // count net values where prices are shown with tax
	Threshold  money.Minor
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

// Order is a rung that takes a percentage off its counted lines.
type Order struct {
	Key     Key
	Goal    Goal
	Lines   Scope // the lines it takes from: counted ones that may be discounted
	Percent money.Rate
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
	Key  Key
	Goal Goal
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
// decides ties. Orders and Ships are in the order of their keys. With no
// Methods there is no shipping.
type Problem struct {
	Mode        Mode
	Lines       []Line
	Grams       int64
	TaxShown    bool // whether amounts include tax
	Orders      []Order
	Ships       []Shipping
	Methods     []Fees
	ShippingTax money.Rate
}

// counted returns the value of the goal's lines given each line's amount.
func (p *Problem) counted(g Goal, amounts []money.Minor) money.Minor {
	var v money.Minor
	for i, in := range g.Scope {
		if !in {
			continue
		}
		v += amounts[i]
		if g.WithoutTax && p.TaxShown {
			v -= taxWithin(p.Lines[i].Tax, amounts[i])
		}
	}
	return v
}

// Holds tells whether a goal holds for a counted value; a threshold of zero
// asks for at least one counted line.
func (g Goal) Holds(value money.Minor) bool {
	if g.Threshold > 0 {
		return value >= g.Threshold
	}
	for _, in := range g.Scope {
		if in {
			return true
		}
	}
	return false
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

// taxOn is the tax that comes on top of an amount shown without it.
func taxOn(r money.Rate, m money.Minor) money.Minor {
	if r == 0 {
		return 0
	}
	t, _ := r.Of(m)
	return t
}

// before fills dst with the amounts before nudges.
func (p *Problem) before(dst []money.Minor) []money.Minor {
	dst = dst[:0]
	for _, l := range p.Lines {
		dst = append(dst, l.Amount)
	}
	return dst
}

// SortRungs puts the rungs of a problem in the order of their keys.
func SortRungs(p *Problem) {
	slices.SortFunc(p.Orders, func(a, b Order) int { return a.Key.Compare(b.Key) })
	slices.SortFunc(p.Ships, func(a, b Shipping) int { return a.Key.Compare(b.Key) })
}
