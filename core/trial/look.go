package trial

import (
	"math"

	"agonal.dev/agonal/core/results"
)

// Alpha is how often a trial without any difference may ever call one, at whatever look.
const Alpha = 0.05

// Look is what can be said of a difference, B less A. The bounds hold at every look at once:
// however often somebody looks, they miss the truth in no more than [Alpha] of all trials.
type Look struct {
	Enough         bool // whether there is enough to say anything
	Low, Mid, High float64
}

// Sure tells whether no difference lies outside the bounds.
func (l Look) Sure() bool { return l.Enough && (l.Low > 0 || l.High < 0) }

// apart looks at the difference of two means with their variances, of n cases together, where
// so many are planned.
//
// The bounds are an asymptotic confidence sequence for a mean: with n cases, of which the
// difference of the two means has the variance V, they are
//
//	√(n·V) · √( 2(nρ²+1) / (n²ρ²) · ln( √(nρ²+1) / α ) )
//
// apart from it, where ρ is such that they are narrowest when the planned cases are there.
func apart(n, planned, meanA, meanB, variance float64) Look {
	half := math.Sqrt(n*variance) * boundary(n, math.Max(planned, 1))
	return Look{Enough: true, Low: meanB - meanA - half, Mid: meanB - meanA, High: meanB - meanA + half}
}

// At looks at the margin per visit, in minor units, of a trial whose arms should have planned
// visits together once it ends.
func At(a, b *results.Visits, planned int64) Look {
	if few(a, b) {
		return Look{}
	}
	ma, va := a.PerVisit()
	mb, vb := b.PerVisit()
	return apart(float64(a.Visits+b.Visits), float64(planned), ma, mb, va+vb)
}

// Conversion looks at the share of visits with an order, from 0 to 1.
func Conversion(a, b *results.Visits, planned int64) Look {
	if few(a, b) {
		return Look{}
	}
	share := func(v *results.Visits) (p, variance float64) {
		n := float64(v.Visits)
		p = float64(v.Ordering) / n
		return p, p * (1 - p) / (n - 1)
	}
	pa, va := share(a)
	pb, vb := share(b)
	return apart(float64(a.Visits+b.Visits), float64(planned), pa, pb, va+vb)
}

// OrderValue looks at what an order's goods cost on average, in minor units.
func OrderValue(a, b *results.Visits, planned int64) Look {
	if few(a, b) {
		return Look{}
	}
	ra, va := a.PerOrder()
	rb, vb := b.PerOrder()
	n := float64(a.Ordering + b.Ordering)
	return apart(n, float64(planned)*n/float64(a.Visits+b.Visits), ra, rb, va+vb)
}

// Returned looks at the share of orders of which something came back, from 0 to 1: backA of A's
// and backB of B's. They are few, so both arms together tell how much shares vary.
func Returned(a, b *results.Visits, backA, backB, planned int64) Look {
	if few(a, b) || backA+backB < results.LeastOrders {
		return Look{}
	}
	na, nb := float64(a.Orders), float64(b.Orders)
	p := float64(backA+backB) / (na + nb)
	return apart(na+nb, float64(planned)*(na+nb)/float64(a.Visits+b.Visits), float64(backA)/na, float64(backB)/nb, p*(1-p)*(1/na+1/nb))
}

// LeastPages is how many pages must have been timed on both sides before anything is said of
// how fast they are.
const LeastPages = 100

// Slower is how much longer B's pages take on average, in milliseconds, before that is harm: less
// is not noticed.
const Slower = 100

// Speed looks at how long pages took, in milliseconds.
func Speed(a, b *results.Timing, planned int64) Look {
	if min(a.Pages, b.Pages) < LeastPages {
		return Look{}
	}
	ma, va := a.Mean()
	mb, vb := b.Mean()
	return apart(float64(a.Pages+b.Pages), float64(planned), ma, mb, va+vb)
}

// few tells whether there are too few orders to say anything.
func few(a, b *results.Visits) bool { return min(a.Orders, b.Orders) < results.LeastOrders }

// boundary is how many standard deviations of one visit a mean of n visits may stray.
func boundary(n, planned float64) float64 {
	l := -2 * math.Log(Alpha)
	rho2 := (l + math.Log(l) + 1) / planned
	return math.Sqrt(2 * (n*rho2 + 1) / (n * n * rho2) * math.Log(math.Sqrt(n*rho2+1)/Alpha))
}

// z80 is the 80 % quantile of the normal distribution.
const z80 = 0.8416212335729143

// mostVisits is the longest trial that is planned for.
const mostVisits = 1 << 40

// Plan is how many visits both arms need together until a difference of so many minor units a
// visit is found in four of five trials, where a visit's margin has the variance spread and B
// gets a share of the visits above 0 and below 1; 0: more than anybody has.
func Plan(spread, difference, share float64) int64 {
	if difference == 0 || spread <= 0 {
		return 0
	}
	// A visit tells of the difference with this variance, for n·(s/(n·share) + s/(n·(1−share))).
	sd := math.Sqrt(spread / (share * (1 - share)))
	enough := func(n float64) bool {
		return sd*boundary(n, n)+z80*sd/math.Sqrt(n) <= math.Abs(difference)
	}
	low, high := 2.0, 2.0
	for !enough(high) {
		if low, high = high, high*2; high > mostVisits {
			return 0
		}
	}
	for high-low > 1 {
		if mid := math.Floor((low + high) / 2); enough(mid) {
			high = mid
		} else {
			low = mid
		}
	}
	return int64(high)
}

// Fell are the shares of visits that fell to A and to B, from 0 to 1; both 0 where none came.
func Fell(a, b int64) (toA, toB float64) {
	if a+b == 0 {
		return 0, 0
	}
	all := float64(a + b)
	return float64(a) / all, float64(b) / all
}

// Mismatch tells whether visits fell into the arms otherwise than they should: a share of them
// to B. It holds at every look: in one of a thousand trials without a fault it ever says so.
func Mismatch(a, b int64, share float64) bool {
	const wrong, weight = 0.001, 200 // the prior is worth so many visits
	beta := func(x, y float64) float64 {
		lx, _ := math.Lgamma(x)
		ly, _ := math.Lgamma(y)
		lxy, _ := math.Lgamma(x + y)
		return lx + ly - lxy
	}
	na, nb, pa, pb := float64(a), float64(b), weight*(1-share), weight*share
	odds := beta(pb+nb, pa+na) - beta(pb, pa) - nb*math.Log(share) - na*math.Log(1-share)
	return odds > -math.Log(wrong)
}
