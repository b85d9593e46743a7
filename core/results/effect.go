// Package results is what shows, orders and money followed a nudge. Money is summed in whole
// minor units; what is estimated from visits that were kept from a nudge is a float until it
// is rounded to a minor unit, and never becomes a price.
package results

import (
	"maps"
	"math"
	"math/big"
	"slices"

	"agonal.dev/agonal/core/money"
)

// Visits are visits that were treated alike, and what came of them. Money is in minor units
// of one currency, without tax.
type Visits struct {
	Visits   int64
	Ordering int64 // visits with an order
	Orders   int64
	Goods    money.Minor
	Margin   money.Minor
	Squares  big.Int // the sum over visits of their margin's square
	Unknown  int64   // orders whose margin is not known; they add nothing to the sums
	// The sums over visits of their goods' square, of their goods times their orders, and of
	// their orders' square.
	GoodsSquares  big.Int
	GoodsByOrders big.Int
	OrdersSquares int64
}

// Add puts other visits to these.
func (v *Visits) Add(o *Visits) {
	v.Visits += o.Visits
	v.Ordering += o.Ordering
	v.Orders += o.Orders
	v.Goods += o.Goods
	v.Margin += o.Margin
	v.Squares.Add(&v.Squares, &o.Squares)
	v.Unknown += o.Unknown
	v.GoodsSquares.Add(&v.GoodsSquares, &o.GoodsSquares)
	v.GoodsByOrders.Add(&v.GoodsByOrders, &o.GoodsByOrders)
	v.OrdersSquares += o.OrdersSquares
}

// Cap counts visits that left more margin than most as if they had left just that: so many,
// which left so much together, and so much squared.
func (v *Visits) Cap(most money.Minor, visits int64, margin money.Minor, squares *big.Int) {
	v.Margin += visits*most - margin
	square := new(big.Int).Mul(big.NewInt(most), big.NewInt(most))
	v.Squares.Add(&v.Squares, square.Mul(square, big.NewInt(visits)))
	v.Squares.Sub(&v.Squares, squares)
}

// PerVisit is the mean margin of a visit and the variance of that mean, in minor units and
// their square; both 0 for fewer than two visits.
func (v *Visits) PerVisit() (mean, variance float64) {
	return meanOf(v.Visits, v.Margin, &v.Squares)
}

// meanOf is the mean of n whole numbers by their sum and the sum of their squares, and the
// variance of that mean; both 0 for fewer than two.
func meanOf(n, sum int64, squares *big.Int) (mean, variance float64) {
	if n < 2 {
		return 0, 0
	}
	m := float64(n)
	// Exact until the last step: n·Σx² − (Σx)² in whole numbers.
	spread := new(big.Int).Mul(big.NewInt(n), squares)
	spread.Sub(spread, new(big.Int).Mul(big.NewInt(sum), big.NewInt(sum)))
	s, _ := new(big.Float).SetInt(spread).Float64()
	return float64(sum) / m, math.Max(0, s) / (m * (m - 1)) / m
}

// Timing is how long pages took, in milliseconds.
type Timing struct {
	Pages, Ms int64
	Squares   big.Int
}

// Add puts what was counted of [Loaded] to it.
func (t *Timing) Add(c *Count) {
	t.Pages += c.Visits.Visits
	t.Ms += c.Ms
	t.Squares.Add(&t.Squares, &c.MsSquares)
}

// Mean is what a page took on average, and the variance of that mean; both 0 for fewer than two.
func (t *Timing) Mean() (ms, variance float64) { return meanOf(t.Pages, t.Ms, &t.Squares) }

// PerOrder is what an order's goods cost on average, in minor units, and the variance of that
// ratio by the delta method, as visits bring orders and goods together; both 0 where fewer than
// two visits have an order.
func (v *Visits) PerOrder() (ratio, variance float64) {
	if v.Ordering < 2 || v.Orders == 0 {
		return 0, 0
	}
	o := float64(v.Orders)
	ratio = float64(v.Goods) / o
	// Σ(g − R·o)², exact until the last step: O²·Σg² − 2·G·O·Σgo + G²·Σo² in whole numbers.
	goods, orders := big.NewInt(v.Goods), big.NewInt(v.Orders)
	sum := new(big.Int).Mul(orders, orders)
	sum.Mul(sum, &v.GoodsSquares)
	cross := new(big.Int).Mul(goods, orders)
	sum.Sub(sum, cross.Mul(cross, new(big.Int).Lsh(&v.GoodsByOrders, 1)))
	last := new(big.Int).Mul(goods, goods)
	sum.Add(sum, last.Mul(last, big.NewInt(v.OrdersSquares)))
	s, _ := new(big.Float).SetInt(sum).Float64()
	n := float64(v.Ordering)
	return ratio, math.Max(0, s) / (o * o) * n / (n - 1) / (o * o)
}

// PerHundred is the margin of a hundred visits, rounded half away from zero; 0 without any.
func (v *Visits) PerHundred() money.Minor {
	if v.Visits == 0 {
		return 0
	}
	return ForEach(v.Margin, v.Visits, 100)
}

// Conversion is the share of visits with an order, and half the width of its 90 % interval.
func (v *Visits) Conversion() (share, half float64) {
	if v.Visits == 0 {
		return 0, 0
	}
	share = float64(v.Ordering) / float64(v.Visits)
	return share, z90 * math.Sqrt(share*(1-share)/float64(v.Visits))
}

// AverageOrder is what an order's goods cost on average, rounded half away from zero; false
// where there is none.
func (v *Visits) AverageOrder() (money.Minor, bool) {
	if v.Orders == 0 {
		return 0, false
	}
	return (2*v.Goods + v.Orders) / (2 * v.Orders), true
}

// z90 is the 95 % quantile of the normal distribution: 90 % lie within as many standard
// errors on both sides.
const z90 = 1.6448536269514722

// LeastOrders is how many orders visits on both sides must have before anything is said of
// the difference: below it the interval is not to be believed.
const LeastOrders = 20

// Effect is what visits that could see something earned against those that were kept from it,
// at random: the difference per visit, times the visits.
type Effect struct {
	State EffectState
	// Low, Mid and High are what was earned with its 90 % interval, in minor units, without
	// tax and after everything that was given.
	Low, Mid, High money.Minor
	// Of is how many of the visits that could see it this is of: the others came while nobody
	// was kept from it, or too few were to say anything.
	Of int64
	// Days is how many more days at this pace it takes until there is something to say, or
	// until the difference could be told from nothing, were it as large as it looks now; 0: not
	// to be foreseen.
	Days int
}

// EffectState is how much is known of an effect.
type EffectState string

// The states.
const (
	NoHoldout EffectState = "no_holdout" // nobody is kept from it
	TooFew    EffectState = "too_few"    // visits, to say anything
	Open      EffectState = "open"       // nothing is within the interval
	Earns     EffectState = "earns"
	Loses     EffectState = "loses"
)

// mostDays is how far ahead is foreseen.
const mostDays = 3 * 365

// Pair are visits that could see something, and those that were kept from it, while the share of
// visitors who are kept from it was the same: but for chance they are alike.
type Pair struct{ With, Held Visits }

// pairs are pairs by that share.
type pairs map[money.Rate]*Pair

func (p pairs) of(share money.Rate) *Pair {
	if p[share] == nil {
		p[share] = &Pair{}
	}
	return p[share]
}

func (p pairs) compare(days int) Effect {
	all := make([]Pair, 0, len(p))
	for _, share := range slices.Sorted(maps.Keys(p)) {
		all = append(all, *p[share])
	}
	return Compare(all, days)
}

// Against compares visits with those that were kept from what they could see, at one share, over
// so many days.
func (v *Visits) Against(held *Visits, days int) Effect {
	return Compare([]Pair{{*v, *held}}, days)
}

// Compare compares visits with those that were kept from what they could see, each share for
// itself, so that it does not matter that more were kept from it in one season than in another.
// Visits of a share with too few orders on either side are left out.
func Compare(all []Pair, days int) Effect {
	e := Effect{State: NoHoldout}
	var mid, variance float64
	most := int64(0) // orders on the side that has fewer, where that is most
	for i := range all {
		with, held := &all[i].With, &all[i].Held
		if held.Visits == 0 {
			continue
		}
		if e.State == NoHoldout {
			e.State = TooFew
		}
		fewest := min(with.Orders, held.Orders)
		if most = max(most, fewest); fewest < LeastOrders {
			continue
		}
		e.State = Open
		m1, v1 := with.PerVisit()
		m0, v0 := held.PerVisit()
		n := float64(with.Visits)
		mid, variance, e.Of = mid+(m1-m0)*n, variance+(v1+v0)*n*n, e.Of+with.Visits
	}
	if e.State != Open {
		if most > 0 {
			e.Days = ahead(float64(days) * (float64(LeastOrders)/float64(most) - 1))
		}
		return e
	}
	half := z90 * math.Sqrt(variance)
	e.Low, e.Mid, e.High = rounded(mid-half), rounded(mid), rounded(mid+half)
	switch {
	case e.Low > 0:
		e.State = Earns
	case e.High < 0:
		e.State = Loses
	case mid != 0:
		e.Days = ahead(float64(days) * (half*half/(mid*mid) - 1))
	}
	return e
}

func rounded(x float64) money.Minor { return money.Minor(math.Round(x)) }

func ahead(days float64) int {
	if days > mostDays {
		return 0
	}
	return max(1, int(math.Ceil(days)))
}

// ForEach is what was earned for each unit of money that was given away, as many minor units
// as a unit has, rounded half away from zero. given is above 0.
func ForEach(earned, given, unit money.Minor) money.Minor {
	q := new(big.Int).Mul(big.NewInt(earned), big.NewInt(2*unit))
	if earned < 0 {
		q.Sub(q, big.NewInt(given))
	} else {
		q.Add(q, big.NewInt(given))
	}
	return q.Quo(q, big.NewInt(2*given)).Int64()
}
