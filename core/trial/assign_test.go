package trial_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/trial"
)

func TestSharesAreAsLargeAsTheySay(t *testing.T) {
	const n = 40_000
	for _, per := range []money.Rate{money.Whole / 100, money.Whole / 10, money.Whole / 2} {
		in := 0
		for i := range n {
			if trial.Within("winter", fmt.Sprint("visitor-", i), per) {
				in++
			}
		}
		p := float64(per) / float64(money.Whole)
		assert.InDelta(t, p*n, float64(in), 4*math.Sqrt(n*p*(1-p)), "a share of %v", p)
	}
}

func TestWhoIsInAShareStaysInItWhileItGrows(t *testing.T) {
	for i := range 2000 {
		v := fmt.Sprint(i)
		if trial.Within("a", v, money.Whole/20) {
			assert.True(t, trial.Within("a", v, money.Whole/10))
		}
		assert.False(t, trial.Within("a", v, 0))
		assert.True(t, trial.Within("a", v, money.Whole))
	}
}

func TestOneComparisonTellsNothingOfAnother(t *testing.T) {
	const n = 40_000
	both := 0
	for i := range n {
		v := fmt.Sprint(i)
		if trial.Within("a", v, money.Whole/2) && trial.Within("b", v, money.Whole/2) {
			both++
		}
	}
	assert.InDelta(t, n/4, both, 4*math.Sqrt(n*0.25*0.75))
}

func TestAPointIsTheSameTomorrow(t *testing.T) {
	// XXH64 of "winter" and of "v-1", seed 0, mixed, all written out from their definitions in another language.
	assert.Equal(t, money.Rate(254_915), trial.Named("winter").Point(trial.Of("v-1")))
}

func TestTrialsThatAreKeptApartShareNoVisitor(t *testing.T) {
	layer := trial.Named("apart")
	var taken []trial.Part
	for _, c := range []struct {
		share, from, free money.Rate
		ok                bool
	}{
		{400_000, 0, 1_000_000, true},
		{250_000, 400_000, 600_000, true},
		{400_000, 0, 350_000, false},
		{350_000, 650_000, 350_000, true},
		{50_000, 0, 0, false},
	} {
		from, free, ok := trial.Free(taken, c.share)
		assert.Equal(t, c.ok, ok)
		assert.Equal(t, c.free, free, "the widest room")
		if ok {
			assert.Equal(t, c.from, from)
			taken = append(taken, trial.Part{Layer: layer, From: from, To: from + c.share})
		}
	}
	// Between two that are left, once the one between them has ended.
	from, _, ok := trial.Free([]trial.Part{taken[2], taken[0]}, 200_000)
	assert.True(t, ok)
	assert.EqualValues(t, 400_000, from)
	const n = 20_000
	in := make([]int, len(taken))
	for i := range n {
		v, many := trial.Of(fmt.Sprint("visitor-", i)), 0
		for k, p := range taken {
			if p.Holds(v) {
				many++
				in[k]++
			}
		}
		assert.Equal(t, 1, many)
		assert.True(t, trial.Part{}.Holds(v), "without a part everybody is in it")
	}
	for k, p := range taken {
		share := float64(p.To-p.From) / float64(money.Whole)
		assert.InDelta(t, share*n, float64(in[k]), 4*math.Sqrt(n*share*(1-share)))
	}
}
