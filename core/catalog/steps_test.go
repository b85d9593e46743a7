package catalog_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Hour by hour the steps say what one finds by looking at the sales, and then back through
// the history.
func TestStepsArePricesHourByHour(t *testing.T) {
	begin := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	hour := func(n int) time.Time { return begin.Add(time.Duration(n) * time.Hour) }
	rapid.Check(t, func(t *rapid.T) {
		p := catalog.Price{Price: rapid.Int64Range(50, 99).Draw(t, "price")}
		at := -5
		for range rapid.IntRange(0, 4).Draw(t, "changes") {
			at += rapid.IntRange(1, 20).Draw(t, "after")
			p.History = append(p.History, catalog.Change{At: hour(at), Price: rapid.Int64Range(50, 99).Draw(t, "was")})
		}
		if n := len(p.History); n > 0 {
			p.History[n-1].Price = p.Price
		}
		at = 0
		for range rapid.IntRange(0, 2).Draw(t, "sales") {
			from := at + rapid.IntRange(1, 20).Draw(t, "from")
			at = from + rapid.IntRange(1, 10).Draw(t, "long")
			p.Sales = append(p.Sales, catalog.Sale{From: hour(from), Until: hour(at), Price: rapid.Int64Range(1, 49).Draw(t, "sale")})
		}
		steps := p.Steps(hour(0), hour(80))
		assert.Equal(t, hour(0), steps[0].From)
		assert.Equal(t, hour(80), steps[len(steps)-1].Until)
		for i := 1; i < len(steps); i++ {
			assert.Equal(t, steps[i-1].Until, steps[i].From, "no hole between them")
		}
		for n := range 80 {
			want, sale := p.Price, false
			if len(p.History) > 0 {
				want = p.History[0].Price
			}
			for _, c := range p.History {
				if !c.At.After(hour(n)) {
					want = c.Price
				}
			}
			for _, s := range p.Sales {
				if !hour(n).Before(s.From) && hour(n).Before(s.Until) {
					want, sale = s.Price, true
				}
			}
			for _, s := range steps {
				if !hour(n).Before(s.From) && hour(n).Before(s.Until) {
					assert.Equal(t, []any{want, sale}, []any{s.Price, s.Sale}, n)
				}
			}
		}
	})
}

// 48.00, but 45.00 for a week that ended 20 days before this reduction to 39.00.
func TestTheLowestEarlierPriceIsShownWhereItLies(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC).AddDate(0, 0, n) }
	p := catalog.Price{Price: 4800, Sales: []catalog.Sale{{From: day(-27), Until: day(-20), Price: 4500}, {From: day(0), Until: day(7), Price: 3900}}}
	s, on := p.PriorOf(day(1))
	assert.True(t, on)
	assert.Equal(t, catalog.PriorSpan{From: day(-30), Until: day(0), Low: money.Minor(4500), Found: true}, s)
	_, on = p.PriorOf(day(-1))
	assert.False(t, on, "nothing is reduced then")
}
