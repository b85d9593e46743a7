package merchant

import (
	"fmt"
	"math"
	"strings"
	"time"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/store"
)

// dayChart are the orders of each day, over a ruler of days.
type dayChart struct {
	Wide, High, Base int
	Bars             []dayBar
	Ticks            []dayTick
	Marks            []dayMark
	Most             int64
	Before           string // a line over the same weekdays before; empty: there is too little
}

// dayBar is one day: what lies above the ruler is without a nudge, below that with one.
type dayBar struct {
	X, Wide             float64
	WithY, WithHigh     float64
	OtherY, OtherHigh   float64
	Day                 string
	With, Without, Both int64
	Before              int64 // orders of the same weekday before
}

type dayTick struct {
	X    float64
	Tall int
	Text string // empty: none
}

// dayMark is something that was published on a day.
type dayMark struct {
	X, TextX float64
	Anchor   string
	Text     string
	Y        int
}

// Sizes of the picture, in its own units.
const (
	chartWide  = 1224
	chartHigh  = 132
	chartTop   = 34 // above it stand the marks
	chartBase  = 106
	mostMarked = 4
)

// chartOf draws days.
func chartOf(days, before []results.Day, published []store.Revision, names map[string]string, zone *time.Location) dayChart {
	c := dayChart{Wide: chartWide, High: chartHigh, Base: chartBase, Most: 1}
	for _, d := range days {
		c.Most = max(c.Most, d.With+d.Without)
	}
	for _, d := range before {
		if results.Comparable(before) {
			c.Most = max(c.Most, d.With+d.Without)
		}
	}
	each := float64(chartWide) / float64(max(1, len(days)))
	scale := float64(chartBase-chartTop) / float64(c.Most)
	for i, d := range days {
		x := each * float64(i)
		with, other := scale*float64(d.With), scale*float64(d.Without)
		c.Bars = append(c.Bars, dayBar{
			X: x + each*0.1, Wide: each * 0.8, WithY: chartBase - with, WithHigh: with, OtherY: chartBase - with - other, OtherHigh: other,
			Day: d.Day.Format("Mon 2 Jan 2006"), With: d.With, Without: d.Without, Both: d.With + d.Without,
		})
		tick := dayTick{X: x, Tall: 4}
		if d.Day.Weekday() == time.Monday {
			tick.Tall = 9
			if each*7 > 60 || d.Day.Day() <= 7 {
				tick.Text = d.Day.Format("2 Jan")
			}
		}
		c.Ticks = append(c.Ticks, tick)
	}
	c.line(before, each, scale)
	c.mark(days, published, names, zone, each)
	return c
}

// line draws how many orders the same weekdays before had, where there were enough to compare.
func (c *dayChart) line(before []results.Day, each, scale float64) {
	points := make([]string, len(before))
	for i, d := range before {
		points[i] = fmt.Sprintf("%.1f %.1f", each*(float64(i)+0.5), chartBase-scale*float64(d.With+d.Without))
		c.Bars[i].Before = d.With + d.Without
	}
	if results.Comparable(before) && len(points) > 1 {
		c.Before = "M" + strings.Join(points, "L")
	}
}

// mark puts what was published over the days: the last few, those of one day together.
func (c *dayChart) mark(days []results.Day, published []store.Revision, names map[string]string, zone *time.Location, each float64) {
	type on struct {
		day  int
		text string
		many int
	}
	var all []on
	for _, r := range published {
		y, m, d := r.PublishedAt.In(zone).Date()
		at := int(math.Round(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Sub(days[0].Day).Hours() / 24))
		text := names[r.NudgeID]
		if r.Number > 1 {
			text += fmt.Sprintf(", revision %d", r.Number)
		}
		if n := len(all); n > 0 && all[n-1].day == at {
			all[n-1].many++
			continue
		}
		all = append(all, on{at, text, 0})
	}
	if len(all) > mostMarked {
		all = all[len(all)-mostMarked:]
	}
	for i, o := range all {
		m := dayMark{X: each * float64(o.day), Anchor: "start", Text: o.text, Y: 12 + 14*(i%2)}
		if o.many > 0 {
			m.Text += fmt.Sprintf(" and %d more", o.many)
		}
		m.TextX = m.X + 6
		if m.X > chartWide*0.75 {
			m.Anchor, m.TextX = "end", m.X-6
		}
		c.Marks = append(c.Marks, m)
	}
}

// balanceScale is how wide money is drawn: what is given away to the left, what is earned to
// the right, or to the left where it is a loss.
type balanceScale struct {
	Left, Right money.Minor
	Wide, Zero  int
}

const balanceWide = 420

// fit lets everything have room.
func (b *balanceScale) fit(rows []resultRow) {
	b.Left, b.Right, b.Wide = 1, 1, balanceWide
	for _, r := range rows {
		e := r.figures.Effect
		b.Left = max(b.Left, r.figures.Given, -e.Low)
		b.Right = max(b.Right, e.High)
	}
	b.Zero = int(float64(balanceWide-20)*float64(b.Left)/float64(b.Left+b.Right)) + 10
}

// balanceBar is how one nudge stands: given away, earned, and between what and what that may lie.
type balanceBar struct {
	Zero                int
	GivenX, GivenWide   float64
	EarnedX, EarnedWide float64
	LowX, HighX         float64
	Known               bool
	Tone                string // of what was earned: earned, loss, or unproven
}

func (b *balanceScale) bar(f *results.Figures) balanceBar {
	scale := float64(balanceWide-20) / float64(b.Left+b.Right)
	zero := float64(b.Zero)
	given := scale * float64(f.Given)
	out := balanceBar{Zero: b.Zero, GivenX: zero - given, GivenWide: given}
	e := f.Effect
	if e.State != results.Earns && e.State != results.Loses && e.State != results.Open {
		return out
	}
	mid := scale * float64(e.Mid)
	out.Known, out.Tone = true, map[results.EffectState]string{results.Earns: "earned", results.Loses: "loss", results.Open: "unproven"}[e.State]
	out.EarnedX, out.EarnedWide = zero+min(0, mid), math.Abs(mid)
	out.LowX, out.HighX = zero+scale*float64(e.Low), zero+scale*float64(e.High)
	return out
}
