package results_test

import (
	"math"
	"math/big"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
)

// visits makes visits of their margins; 0: no order.
func visits(margins ...money.Minor) (v results.Visits) {
	for _, m := range margins {
		one := results.Visits{Visits: 1}
		if m != 0 {
			one.Ordering, one.Orders, one.Margin, one.Goods = 1, 1, m, 2*m
			one.Squares.Mul(big.NewInt(m), big.NewInt(m))
		}
		v.Add(&one)
	}
	return v
}

func TestAMeanAndItsVariance(t *testing.T) {
	// 0, 0, 300, 500: mean 200, variance of a visit (200² + 200² + 100² + 300²) ÷ 3 = 60,000,
	// of the mean a quarter of it.
	v := visits(0, 0, 300, 500)
	mean, variance := v.PerVisit()
	assert.InDelta(t, 200, mean, 1e-9)
	assert.InDelta(t, 15_000, variance, 1e-9)
	aov, ok := v.AverageOrder()
	assert.True(t, ok)
	assert.EqualValues(t, 800, aov) // (600 + 1,000) ÷ 2
	share, half := v.Conversion()
	assert.InDelta(t, 0.5, share, 1e-9)
	assert.InDelta(t, 1.6449*0.25, half, 1e-4) // √(0.5 · 0.5 ÷ 4) = 0.25
}

func TestSumsStayExactWhereFloatsDoNot(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		margins := rapid.SliceOfN(rapid.Int64Range(-1_000_000_000, 1_000_000_000), 2, 40).Draw(t, "margins")
		mean, sq := new(big.Rat), new(big.Rat)
		n := big.NewRat(int64(len(margins)), 1)
		for _, m := range margins {
			mean.Add(mean, big.NewRat(m, 1))
		}
		mean.Quo(mean, n)
		for _, m := range margins {
			d := new(big.Rat).Sub(big.NewRat(m, 1), mean)
			sq.Add(sq, d.Mul(d, d))
		}
		sq.Quo(sq, new(big.Rat).Mul(n, big.NewRat(int64(len(margins)-1), 1)))
		want, _ := sq.Float64()
		v := visits(margins...)
		_, got := v.PerVisit()
		assert.InEpsilon(t, want+1, got+1, 1e-9)
	})
}

func TestWhatCanBeSaidOfADifference(t *testing.T) {
	many := func(n int, margin money.Minor, each int) (out []money.Minor) {
		for i := range n {
			if i%each == 0 {
				out = append(out, margin+money.Minor(i%7))
			} else {
				out = append(out, 0)
			}
		}
		return out
	}
	shown, held := visits(many(9000, 1000, 10)...), visits(many(1000, 1000, 10)...)
	for name, c := range map[string]struct {
		shown, held results.Visits
		want        results.EffectState
	}{
		"nobody is kept from it": {shown, results.Visits{}, results.NoHoldout},
		"too few orders":         {shown, visits(many(190, 1000, 10)...), results.TooFew},
		"nothing to be told":     {shown, held, results.Open},
		"it earns":               {visits(many(9000, 1000, 5)...), held, results.Earns},
		"it loses":               {visits(many(9000, 1000, 20)...), held, results.Loses},
	} {
		e := c.shown.Against(&c.held, 28)
		assert.Equal(t, c.want, e.State, name)
		assert.LessOrEqual(t, e.Low, e.Mid, name)
		assert.LessOrEqual(t, e.Mid, e.High, name)
	}
	few := visits(many(100, 1000, 10)...) // 10 orders of 20 in 28 days
	assert.Equal(t, 28, shown.Against(&few, 28).Days)
	assert.EqualValues(t, 162, results.ForEach(2960, 1830, 100)) // 1.6174…
	assert.EqualValues(t, -81, results.ForEach(-805, 1000, 100)) // −0.805, away from zero
	assert.EqualValues(t, 2, results.ForEach(3, 2, 1))           // of yen, 1.5
}

// Of many made-up shops with a true effect, the interval holds it about nine times in ten.
func TestTheIntervalHoldsTheTruth(t *testing.T) {
	runs := 300
	if os.Getenv("LAWS") != "" {
		runs = 1000
	}
	r := rand.New(rand.NewPCG(3, 5))
	draw := func(n int, conversion float64) (v results.Visits) {
		for range n {
			m := money.Minor(0)
			if r.Float64() < conversion {
				m = money.Minor(math.Round(math.Exp(6.8 + 0.7*r.NormFloat64()))) // orders are skewed
			}
			one := visits(m)
			v.Add(&one)
		}
		return v
	}
	mean := math.Exp(6.8 + 0.7*0.7/2)
	held := 0
	const shown, kept = 5400, 600
	for range runs {
		a, b := draw(shown, 0.11), draw(kept, 0.10)
		e := a.Against(&b, 28)
		require.NotEqual(t, results.TooFew, e.State)
		if truth := (0.11 - 0.10) * mean * shown; float64(e.Low) <= truth && truth <= float64(e.High) {
			held++
		}
	}
	share := float64(held) / float64(runs)
	t.Logf("%d of %d intervals hold the truth: %.1f %%", held, runs, 100*share)
	margin := 3 * math.Sqrt(0.9*0.1/float64(runs)) // chance, beyond which something is wrong
	assert.InDelta(t, 0.9, share, max(0.03, margin))
}

func TestAnOrdersGoodsVaryAsVisitsBringThem(t *testing.T) {
	// A visit with an order of 1.00, and one with two of 5.00 together: 2.00 an order, from which they
	// are −1.00 and +1.00 apart: 2 · 100² · 2/(2−1) ÷ 3² = 4,444.
	v := results.Visits{Visits: 9, Ordering: 2, Orders: 3, Goods: 600, OrdersSquares: 1 + 4}
	v.GoodsSquares.SetInt64(100*100 + 500*500)
	v.GoodsByOrders.SetInt64(100*1 + 500*2)
	ratio, variance := v.PerOrder()
	assert.InDelta(t, 200, ratio, 1e-9)
	assert.InDelta(t, 40_000.0/9, variance, 1e-6)
}

func TestALargeOrderCountsUpToItsCap(t *testing.T) {
	v := results.Visits{Visits: 3, Margin: 100 + 900 + 700}
	v.Squares.SetInt64(100*100 + 900*900 + 700*700)
	v.Cap(500, 2, 900+700, big.NewInt(900*900+700*700))
	assert.EqualValues(t, 100+500+500, v.Margin)
	assert.Equal(t, big.NewInt(100*100+500*500+500*500).String(), v.Squares.String())
}

// In a busy season, and only then, many are kept from something that changes nothing: visits of both
// seasons together would look as if it cost money.
func TestASeasonInWhichMoreAreKeptFromItIsNoEffect(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 13))
	season := func(n int, conversion float64) (v results.Visits) {
		for range n {
			m := money.Minor(0)
			if r.Float64() < conversion {
				m = 800 + r.Int64N(400)
			}
			one := visits(m)
			v.Add(&one)
		}
		return v
	}
	const runs = 300
	held := 0
	for range runs {
		quiet := results.Pair{With: season(5400, 0.08), Held: season(600, 0.08)}
		busy := results.Pair{With: season(1000, 0.25), Held: season(1000, 0.25)}
		e := results.Compare([]results.Pair{quiet, busy}, 28)
		assert.EqualValues(t, 6400, e.Of)
		if e.Low <= 0 && 0 <= e.High {
			held++
		}
		with, without := quiet.With, quiet.Held
		with.Add(&busy.With)
		without.Add(&busy.Held)
		assert.Equal(t, results.Loses, with.Against(&without, 28).State, "together")
	}
	assert.InDelta(t, 0.9, float64(held)/runs, 0.055) // three standard errors
}

func TestWhatCannotBeComparedIsLeftOut(t *testing.T) {
	enough := func(visits, orders int64) (v results.Visits) {
		v = results.Visits{Visits: visits, Ordering: orders, Orders: orders, Margin: 1000 * orders}
		v.Squares.SetInt64(1000 * 1000 * orders)
		return v
	}
	nobody := results.Pair{With: enough(5000, 900)}
	few := results.Pair{With: enough(900, 90), Held: enough(100, 10)}
	// 200 orders of 1,000 visits against 50 of 1,000: 150 a visit more, for 1,000 visits.
	told := results.Pair{With: enough(1000, 200), Held: enough(1000, 50)}
	e := results.Compare([]results.Pair{nobody, few, told}, 28)
	assert.Equal(t, results.Earns, e.State)
	assert.EqualValues(t, 150_000, e.Mid)
	assert.EqualValues(t, 1000, e.Of)
	assert.Equal(t, told.With.Against(&told.Held, 28), e)
	assert.Equal(t, results.NoHoldout, results.Compare([]results.Pair{nobody}, 28).State)
	e = results.Compare([]results.Pair{nobody, few}, 28)
	assert.Equal(t, results.TooFew, e.State)
	assert.Equal(t, 28, e.Days, "twice as many orders are needed")
	assert.Equal(t, results.NoHoldout, results.Compare(nil, 28).State)
}
