package nudge_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/nudge"
)

// Every way to lay pieces into slots is tried: a set of so many is reached by adding n
// pieces of any goods if some way lays all of them, and n more, within every slot's bounds.
func TestSlotsAreFilledAsWellAsAnyWayFillsThem(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		slots := make([]nudge.Slot, rapid.IntRange(1, 3).Draw(t, "slots"))
		for i := range slots {
			slots[i].Least = rapid.Int64Range(0, 2).Draw(t, "least")
			slots[i].Most = max(1, slots[i].Least+rapid.Int64Range(0, 2).Draw(t, "more"))
		}
		runs := make([]nudge.Run, rapid.IntRange(0, 4).Draw(t, "runs"))
		var pieces [][]bool
		for i := range runs {
			runs[i].Quantity = rapid.Int64Range(1, 2).Draw(t, "quantity")
			runs[i].Fits = rapid.SliceOfN(rapid.Bool(), len(slots), len(slots)).Draw(t, "fits")
			for range runs[i].Quantity {
				pieces = append(pieces, runs[i].Fits)
			}
		}
		f := nudge.Fill(slots, runs)
		assert.EqualValues(t, len(pieces), f.Pieces)
		var laid int64
		for i, lies := range f.Lies {
			var own int64
			for s, n := range lies {
				assert.True(t, n == 0 || runs[i].Fits[s], "a piece lies where it does not fit")
				own += n
			}
			assert.LessOrEqual(t, own, runs[i].Quantity)
			laid += own
		}
		assert.Equal(t, f.Pieces-f.Stray, laid)
		for count := int64(1); count <= 8; count++ {
			n, ok := f.ToGo(slots, count)
			assert.Equal(t, count-f.Pieces, n)
			assert.Equal(t, canLead(slots, pieces, make([]int64, len(slots)), n), ok, fmt.Sprint(slots, runs, count))
		}
	})
}

// canLead tells whether the pieces, and then n more that fit anywhere, can be laid.
func canLead(slots []nudge.Slot, pieces [][]bool, have []int64, n int64) bool {
	if len(pieces) == 0 {
		var least, most int64
		for i, s := range slots {
			least += max(0, s.Least-have[i])
			most += s.Most - have[i]
		}
		return n >= least && n <= most && n >= 0
	}
	for s := range slots {
		if pieces[0][s] && have[s] < slots[s].Most {
			have[s]++
			ok := canLead(slots, pieces[1:], have, n)
			have[s]--
			if ok {
				return true
			}
		}
	}
	return false
}
