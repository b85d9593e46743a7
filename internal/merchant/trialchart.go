package merchant

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"agonal.dev/agonal/internal/app"
)

// bandChart is what could be said of the difference at the end of each day, as a band.
type bandChart struct {
	Wide, High    int
	Left, Today   float64
	Zero          float64
	Band, Line    string
	Levels        []bandLevel
	Ticks         []dayTick
	Base          int
	TodayText     string
	TodayX        float64
	Anchor        string
	Rows          []bandRow
	Known, Coming bool
	LastX, LastY  float64
}

type bandLevel struct {
	Y    float64
	Text string
}

type bandRow struct{ Day, Low, Mid, High string }

const (
	bandWide, bandHigh = 900, 320
	bandLeft, bandBase = 90, 290
)

// bandOf draws a trial.
func bandOf(q *asking, f *app.TrialFound, first time.Time, day, days int) bandChart {
	c := bandChart{Wide: bandWide, High: bandHigh, Left: bandLeft, Base: bandBase, Coming: f.Running()}
	each := float64(bandWide-bandLeft) / float64(max(1, days))
	var shown []app.TrialDay
	most := 1.0
	for _, d := range f.Days {
		if d.Look.Enough {
			shown = append(shown, d)
		}
	}
	for i, d := range shown {
		if i >= len(shown)/2 { // the first days are too wide to be drawn whole
			most = max(most, 1.2*max(d.Look.High, -d.Look.Low))
		}
	}
	y := func(x float64) float64 { return bandBase/2 - min(max(x/most, -1), 1)*(bandBase/2-8) }
	x := func(d time.Time) float64 { return bandLeft + each*(d.Sub(first).Hours()/24+1) }
	c.Zero = y(0)
	var top, bottom, line []string
	for _, d := range shown {
		top = append(top, fmt.Sprintf("%.1f %.1f", x(d.Day), y(d.Look.High)))
		bottom = append(bottom, fmt.Sprintf("%.1f %.1f", x(d.Day), y(d.Look.Low)))
		line = append(line, fmt.Sprintf("%.1f %.1f", x(d.Day), y(d.Look.Mid)))
		c.Rows = append(c.Rows, bandRow{d.Day.Format("Mon 2 Jan 2006"), q.hundred(d.Look.Low), q.hundred(d.Look.Mid), q.hundred(d.Look.High)})
	}
	if c.Known = len(shown) > 0; c.Known {
		slices.Reverse(bottom)
		last := shown[len(shown)-1]
		c.LastX, c.LastY = x(last.Day), y(last.Look.Mid)
		c.Band, c.Line = "M"+strings.Join(append(top, bottom...), "L")+"Z", "M"+strings.Join(line, "L")
		step := roundStep(100*most/2.5) / 100
		for k := -2.0; k <= 2; k++ {
			if math.Abs(k*step) <= most {
				c.Levels = append(c.Levels, bandLevel{y(k * step), q.hundred(k * step)})
			}
		}
	}
	for i := range days + 1 {
		t := dayTick{X: bandLeft + each*float64(i), Tall: 4}
		if i%7 == 0 {
			t.Tall = 9
			if i < days && (each*7 > 60 || i%28 == 0) {
				t.Text = first.AddDate(0, 0, i).Format("2 Jan")
			}
		}
		c.Ticks = append(c.Ticks, t)
	}
	c.Today = bandLeft + each*float64(min(day, days))
	c.TodayText, c.TodayX, c.Anchor = fmt.Sprintf("day %d of %d", min(day, days), days), c.Today+8, "start"
	if c.Today > bandWide*0.8 {
		c.TodayX, c.Anchor = c.Today-8, "end"
	}
	return c
}

// roundStep is the largest of 1, 2 and 5, ten times as often as one likes, that is no larger; in
// minor units 1 at least.
func roundStep(most float64) float64 {
	ten := math.Pow(10, math.Floor(math.Log10(math.Max(1, most))))
	for _, k := range []float64{5, 2} {
		if k*ten <= most {
			return k * ten
		}
	}
	return ten
}
