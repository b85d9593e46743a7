package catalog

import (
	"fmt"
	"time"
)

// Once is how a scope names goods that are bought once, without a plan.
const Once = "once"

// Interval is how often a purchase plan sends a parcel.
type Interval struct {
	Every int
	Unit  string // week or month
}

// IntervalOf reads the id of a plan such as “1 month”, “2 months” or “6 weeks”; false
// where it is called something else.
func IntervalOf(plan string) (Interval, bool) {
	var i Interval
	if n, err := fmt.Sscanf(plan, "%d %s", &i.Every, &i.Unit); n != 2 || err != nil || i.Every < 1 || i.Every > 60 {
		return Interval{}, false
	}
	for _, unit := range []string{"week", "month"} {
		if i.Unit == unit && i.Every == 1 || i.Unit == unit+"s" && i.Every > 1 {
			i.Unit = unit
			return i, plan == i.id()
		}
	}
	return Interval{}, false
}

func (i Interval) id() string {
	if i.Every == 1 {
		return "1 " + i.Unit
	}
	return fmt.Sprintf("%d %ss", i.Every, i.Unit)
}

// After returns the day of the nth later parcel of what is bought on a day. A month that
// has no such day sends it on its last one.
func (i Interval) After(day time.Time, n int) time.Time {
	if i.Unit == "week" {
		return day.AddDate(0, 0, 7*i.Every*n)
	}
	next := day.AddDate(0, i.Every*n, 0)
	if next.Day() != day.Day() { // 31 January and a month is in March: the last of February
		next = next.AddDate(0, 0, -next.Day())
	}
	return next
}

// planOf is how a scope names the plan that goods are bought by.
func planOf(plan string) string {
	if plan == "" {
		return Once
	}
	return plan
}
