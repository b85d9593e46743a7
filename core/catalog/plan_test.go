package catalog_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/catalog"
)

func TestPlansSendTheirParcelsOnDaysThatThereAre(t *testing.T) {
	day := func(s string) time.Time {
		d, err := time.Parse("2006-01-02", s)
		assert.NoError(t, err)
		return d
	}
	for _, x := range []struct {
		plan, from string
		later      []string
	}{
		{"1 month", "2026-01-31", []string{"2026-02-28", "2026-03-31", "2026-04-30"}},
		{"2 months", "2026-11-26", []string{"2027-01-26", "2027-03-26", "2027-05-26"}},
		{"3 months", "2027-11-30", []string{"2028-02-29", "2028-05-30", "2028-08-30"}},
		{"6 weeks", "2026-11-26", []string{"2027-01-07", "2027-02-18", "2027-04-01"}},
	} {
		i, ok := catalog.IntervalOf(x.plan)
		assert.True(t, ok, x.plan)
		for n, want := range x.later {
			assert.Equal(t, want, i.After(day(x.from), n+1).Format("2006-01-02"), "%s from %s", x.plan, x.from)
		}
	}
	for _, plan := range []string{"", "monthly", "0 months", "1 months", "2 month", "1 year", "1 month more", "-1 month", "999 weeks", "01 month"} {
		_, ok := catalog.IntervalOf(plan)
		assert.False(t, ok, plan)
	}
}
