package trial_test

import (
	"math"
	"math/big"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/trial"
)

// day draws visits of a day: so many, so many of which order, for so much on average.
func day(r *rand.Rand, into *results.Visits, n int, conversion, lift float64) {
	for range n {
		into.Visits++
		if r.Float64() >= conversion {
			continue
		}
		m := money.Minor(math.Round(lift * math.Exp(7+0.6*r.NormFloat64())))
		into.Ordering++
		into.Orders++
		into.Margin += m
		into.Squares.Add(&into.Squares, new(big.Int).Mul(big.NewInt(m), big.NewInt(m)))
		g := 3 * m // goods go with the margin, and one visit in ten orders twice
		orders := int64(1)
		if r.IntN(10) == 0 {
			orders, g = 2, 2*g
			into.Orders++
		}
		into.Goods += g
		into.GoodsSquares.Add(&into.GoodsSquares, new(big.Int).Mul(big.NewInt(g), big.NewInt(g)))
		into.GoodsByOrders.Add(&into.GoodsByOrders, new(big.Int).Mul(big.NewInt(g), big.NewInt(orders)))
		into.OrdersSquares += orders * orders
	}
}

// spread is the variance of a visit's margin, and mean its mean, of what day draws.
func spread(conversion float64) (mean, variance float64) {
	m, second := math.Exp(7+0.18), math.Exp(14+0.72)
	mean = conversion * m
	return mean, conversion*second - mean*mean
}

func runs(short, long int) int {
	if os.Getenv("LAWS") != "" {
		return long
	}
	return short
}

// Two arms that are the same, looked at daily to the end: at most one trial of twenty ever
// calls a winner, by whatever it is judged.
func TestATrialWithoutADifferenceSeldomCallsOne(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	n := runs(300, 1000)
	const each, days = 150, 28
	called := map[string]int{}
	for range n {
		var a, b results.Visits
		backA, backB, sure := int64(0), int64(0), map[string]bool{}
		for range days {
			for _, arm := range []struct {
				visits *results.Visits
				back   *int64
			}{{&a, &backA}, {&b, &backB}} {
				before := arm.visits.Orders
				day(r, arm.visits, each, 0.1, 1)
				for range arm.visits.Orders - before {
					if r.IntN(12) == 0 {
						*arm.back++
					}
				}
			}
			for name, l := range map[string]trial.Look{
				"margin": trial.At(&a, &b, 2*each*days), "conversion": trial.Conversion(&a, &b, 2*each*days),
				"order value": trial.OrderValue(&a, &b, 2*each*days), "returns": trial.Returned(&a, &b, backA, backB, 2*each*days),
			} {
				sure[name] = sure[name] || l.Sure()
			}
		}
		for name, is := range sure {
			if is {
				called[name]++
			}
		}
	}
	t.Logf("of %d call a winner: %v", n, called)
	for name, c := range called {
		assert.LessOrEqual(t, float64(c)/float64(n), 0.05, name)
	}
}

// A difference as large as it was planned for is found by the planned end in four of five.
func TestADifferenceThatWasPlannedForIsFound(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	n, found := runs(200, 1000), 0
	const conversion, lift, days = 0.2, 1.4, 28
	mean, variance := spread(conversion)
	// B's visits vary more; the plan is made with what is known before, that of A, and then some.
	planned := trial.Plan(variance*(1+lift*lift)/2, mean*(lift-1), 0.5)
	each := int(math.Ceil(float64(planned) / days / 2))
	sum := 0
	for range n {
		var a, b results.Visits
		for d := range days {
			day(r, &a, each, conversion, 1)
			day(r, &b, each, conversion, lift)
			if l := trial.At(&a, &b, planned); l.Sure() {
				if l.Low > 0 {
					found++
				}
				sum += d + 1
				break
			}
		}
	}
	t.Logf("%d of %d find it, with %d visits, after %.0f days of %d on average", found, n, planned, float64(sum)/float64(max(1, found)), days)
	assert.GreaterOrEqual(t, float64(found)/float64(n), 0.8-2*math.Sqrt(0.16/float64(n)))
}

func TestAPlanGrowsAsItShould(t *testing.T) {
	of := func(difference, share float64) int64 { return trial.Plan(1e6, difference, share) }
	assert.InEpsilon(t, 4*of(20, 0.5), of(10, 0.5), 0.01, "half the difference needs four times the visits")
	assert.Equal(t, of(10, 0.5), of(-10, 0.5))
	assert.Greater(t, of(10, 0.1), of(10, 0.5), "uneven shares need more")
	assert.Zero(t, of(0, 0.5))
	assert.Zero(t, trial.Plan(1e30, 1e-9, 0.5), "a trial that can never tell says so")
	// As many as a look once needs, by hand: (1.96 + 0.84)² · 4 · 1,000,000 ÷ 20² = 78,400; looking
	// at any time costs more, but not twice as much.
	once := 78_400.0
	assert.Greater(t, float64(of(20, 0.5)), once)
	assert.Less(t, float64(of(20, 0.5)), 2*once)
}

func TestTooFewOrdersSayNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	var a, b results.Visits
	day(r, &a, 1000, 0.1, 1)
	day(r, &b, 40, 0.1, 9)
	assert.False(t, trial.At(&a, &b, 10_000).Enough)
}

func TestSharesThatDoNotFallAsTheyShouldAreSeen(t *testing.T) {
	assert.False(t, trial.Mismatch(5050, 4950, 0.5))
	assert.True(t, trial.Mismatch(5300, 4700, 0.5))
	assert.False(t, trial.Mismatch(9010, 990, 0.1))
	assert.True(t, trial.Mismatch(9400, 600, 0.1))
	r := rand.New(rand.NewPCG(7, 8))
	wrong, n := 0, runs(300, 1000)
	for range n {
		a, b := int64(0), int64(0)
		for range 40 {
			for range 50 {
				if r.Float64() < 0.3 {
					b++
				} else {
					a++
				}
			}
			if trial.Mismatch(a, b, 0.3) {
				wrong++
				break
			}
		}
	}
	assert.LessOrEqual(t, wrong, n/100)
}

func TestHowVisitsFell(t *testing.T) {
	a, b := trial.Fell(1, 3)
	assert.InDelta(t, 0.25, a, 1e-12)
	assert.InDelta(t, 0.75, b, 1e-12)
	a, b = trial.Fell(0, 0)
	assert.Zero(t, a+b)
}

// A tenth of a second that is not there is seldom called, one that is there is found.
func TestSlowPagesAreFound(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 21))
	timed := func(n int, more float64) (v results.Timing) {
		for range n {
			ms := int64(min(10_000, math.Round(math.Exp(6.8+0.5*r.NormFloat64())+more)))
			v.Add(&results.Count{Visits: results.Visits{Visits: 1}, Ms: ms, MsSquares: *big.NewInt(ms * ms)})
		}
		return v
	}
	called, found := 0, 0
	const trials = 200
	for range trials {
		a, same, slow := timed(2000, 0), timed(2000, 0), timed(2000, 300)
		if trial.Speed(&a, &same, 4000).Low > trial.Slower {
			called++
		}
		if trial.Speed(&a, &slow, 4000).Low > trial.Slower {
			found++
		}
	}
	assert.Zero(t, called)
	assert.Greater(t, found, trials*4/5)
	few, enough := timed(trial.LeastPages-1, 0), timed(trial.LeastPages, 0)
	assert.False(t, trial.Speed(&few, &enough, 4000).Enough)
	// Of 1, 2 and 6 ms the mean is 3 and the variance of the mean (4+1+9)/2/3.
	v := results.Timing{}
	for _, ms := range []int64{1, 2, 6} {
		v.Add(&results.Count{Visits: results.Visits{Visits: 1}, Ms: ms, MsSquares: *big.NewInt(ms * ms)})
	}
	mean, variance := v.Mean()
	assert.InDelta(t, 3, mean, 1e-12)
	assert.InDelta(t, 14.0/6, variance, 1e-12)
}
