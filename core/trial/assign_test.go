package trial_test

import (
	"fmt"
	"math"
	"strings"
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
	// Another language's SHA-256 of "winter\x00v-1": its first 8 bytes as a big-endian number, modulo a million.
	assert.Equal(t, money.Rate(126_562), trial.Point("winter", "v-1"))
	assert.NotPanics(t, func() { trial.Point(strings.Repeat("x", 400), strings.Repeat("y", 400)) })
}

func BenchmarkPoint(b *testing.B) {
	b.ReportAllocs()
	for range b.N {
		trial.Point("winter-ladder", "0c1f2a8e-7b57-4c3b-9f6e-0f2f6a4f9f11")
	}
}
