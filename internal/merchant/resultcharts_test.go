package merchant

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/results"
)

func TestAPeriodInWhichAShopBeganIsNotHeldAgainst(t *testing.T) {
	days := func(each ...int64) (out []results.Day) {
		for i, n := range each {
			out = append(out, results.Day{Day: time.Date(2026, 11, 2+i, 0, 0, 0, 0, time.UTC), Without: n})
		}
		return out
	}
	assert.True(t, results.Comparable(days(10, 0, 5, 5)))
	assert.False(t, results.Comparable(days(10, 0, 5, 4)), "19 orders are too few")
	assert.False(t, results.Comparable(days(0, 0, 0, 26)), "all of them on its last day")
	assert.False(t, results.Comparable(nil))
	now := days(4, 8, 2, 6)
	c := chartOf(now, days(16, 4, 0, 8), nil, nil, time.UTC)
	assert.EqualValues(t, 16, c.Most)
	// 306 a day, and from the ruler at 106 up to 34 for 16 orders: 4.5 each.
	assert.Equal(t, "M153.0 34.0L459.0 88.0L765.0 106.0L1071.0 70.0", c.Before)
	c = chartOf(now, days(0, 0, 0, 26), nil, nil, time.UTC)
	assert.EqualValues(t, 8, c.Most)
	assert.Empty(t, c.Before)
}
