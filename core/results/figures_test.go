package results_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/results"
)

func TestFiguresOfANudgeAreSumsOfWhatBelongsToIt(t *testing.T) {
	n := func(many int64) results.Visits { return results.Visits{Visits: many} }
	counts := []results.Count{
		{Kind: results.Could, Nudge: "a", Visits: results.Visits{Visits: 800, Orders: 80, Margin: 4000}},
		{Kind: results.Could, Nudge: "a", Arm: "t:B", Visits: results.Visits{Visits: 100, Orders: 10, Margin: 500}},
		{Kind: results.Could, Nudge: "a", Arm: results.ArmHeld, Visits: results.Visits{Visits: 90, Orders: 5, Margin: 300}},
		{Kind: results.Could, Nudge: "a", Arm: results.ArmNone, Visits: n(70)}, // they miss the others, too
		{Kind: results.Shown, Nudge: "a", Visits: results.Visits{Visits: 600, Orders: 30}},
		{Kind: results.Reached, Nudge: "a", Visits: n(225)},
		{Kind: results.Reached, Nudge: "a", Rung: 1, Visits: n(40)},
		{Kind: results.Reached, Nudge: "a", Arm: results.ArmNone, Visits: n(9)},
		{Kind: results.Used, Nudge: "a", Visits: results.Visits{Orders: 50}, Given: 300},
		{Kind: results.UsedRung, Nudge: "a", Visits: results.Visits{Orders: 50}, Given: 200},
		{Kind: results.UsedRung, Nudge: "a", Rung: 1, Visits: results.Visits{Orders: 20}, Given: 100},
		{Kind: results.Taken, Nudge: "a", Visits: n(3)},
		{Kind: results.Visit, Visits: n(1000)},
	}
	all := results.OfNudges(counts, 28)
	assert.Len(t, all, 1)
	f := all["a"]
	assert.Equal(t, []int64{900, 90, 600, 225, 50, 30, 300}, []int64{f.Could, f.Held, f.Shown, f.Reached, f.Used, f.AfterShow, f.Given})
	assert.EqualValues(t, 4500, f.With.Margin)
	assert.EqualValues(t, 300, f.Without.Margin)
	assert.Equal(t, []results.Step{{Rung: 0, Reached: 225, Used: 50, Given: 200}, {Rung: 1, Reached: 40, Used: 20, Given: 100}}, f.Rungs)
	assert.Equal(t, map[results.Kind]int64{results.Taken: 3}, f.Acts)
	assert.Equal(t, results.TooFew, f.Effect.State) // 5 orders of those kept from it
}

func TestDaysAndTheWeeksBefore(t *testing.T) {
	day := func(d int) time.Time { return time.Date(2026, 11, d, 0, 0, 0, 0, time.UTC) }
	orders := func(kind results.Kind, d int, many int64) results.Count {
		return results.Count{Kind: kind, Day: day(d), Visits: results.Visits{Orders: many}}
	}
	days := results.OfDays([]results.Count{orders(results.Order, 2, 7), orders(results.OrderWith, 2, 3), orders(results.Order, 4, 2), orders(results.Order, 9, 5)}, day(2), day(4))
	assert.Equal(t, []results.Day{{Day: day(2), With: 3, Without: 4}, {Day: day(3)}, {Day: day(4), Without: 2}}, days)
	from, to := results.WeeksBefore(day(9), day(18)) // ten days: two weeks back, the same weekdays
	assert.Equal(t, []time.Time{day(9).AddDate(0, 0, -14), day(4)}, []time.Time{from, to})
}

func TestTheMarginOfAHundredVisitsIsRoundedAwayFromZero(t *testing.T) {
	for margin, want := range map[int64]int64{17: 2, -17: -2, 14: 1, -14: -1, 15: 2, -15: -2, 0: 0} {
		v := results.Visits{Visits: 1000, Margin: margin} // 1.7, −1.7, 1.4 …
		assert.Equal(t, want, v.PerHundred(), margin)
	}
	assert.Zero(t, (&results.Visits{}).PerHundred())
}
