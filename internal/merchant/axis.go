package merchant

import (
	"strconv"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// axisBox is the room an axis is drawn for, in units of the screen: how wide it is,
// and how large letters are, in percent of the usual size.
type axisBox struct {
	Wide  int `json:"wide"`
	Scale int `json:"scale"`
}

// usualBox is drawn before the page has told its own.
var usualBox = axisBox{1224, 100}

// fit keeps a box within what can be drawn.
func (b axisBox) fit() axisBox {
	if b.Wide == 0 {
		return usualBox
	}
	return axisBox{min(max(b.Wide, 260), 2400), min(max(b.Scale, 100), 300)}
}

func (b axisBox) of(n int) int { return n * b.Scale / 100 }

// axisView is an axis laid out. Money runs from Left to Right; bench.ts moves the
// marker along Base.
type axisView struct {
	Most, Step                 money.Minor
	Unit                       int64 // minor units of a whole one
	Counts                     bool  // pieces, products or grams, not a value
	Label                      string
	Wide, High                 int
	Left, Right, Base          int
	Scale                      int
	Ticks                      []tickView
	Pins                       []pinView
	FlagWide, FlagHigh, Margin int
	AtY, GivesY                int // of the two lines within a flag
	TickY, OpenY, LabelY       int
	LabelHigh, LabelText       int
}

type tickView struct {
	X    int
	Big  bool
	Text string
}

type pinView struct {
	X, FlagX, FlagY int
	At, Reward      string
	Rung            int
	Whole           string // the goal in whole units, where it is one
	row             int
}

// measured is a measure as an axis counts it, in a region.
type measured struct {
	of     nudge.Measure
	region catalog.Region
	locale string
	step   int64 // by which the marker and flags move
	whole  int64 // of its unit: what a goal is typed in
	least  int64 // of the axis
}

func measuredBy(d *nudge.Definition, r catalog.Region, locale string) measured {
	m := measured{of: d.Ladder.Counts(), region: r, locale: locale, step: 1, whole: 1, least: 5}
	switch m.of {
	case nudge.Weight:
		m.step, m.least = 100, 2000
	case nudge.Value:
		m.step = stepOf(r.Currency)
		m.least = 20 * m.step
		for range r.Currency.Digits() {
			m.whole *= 10
		}
	}
	return m
}

// goal is a rung's, and whether it has one.
func (m measured) goal(r *nudge.Rung) (int64, bool) {
	if m.of != nudge.Value {
		return r.Count, r.Count > 0
	}
	t, ok := r.Thresholds[m.region.ID]
	return t.Minor, ok
}

// show writes so many.
func (m measured) show(n int64) string {
	return nudge.MeasureText(m.of, n, m.region.Currency, "en", m.locale)
}

// tick writes a number beneath the axis.
func (m measured) tick(n int64) string {
	if m.of == nudge.Value || m.of == nudge.Weight {
		return m.show(n)
	}
	return strconv.FormatInt(n, 10)
}

// axisMost is a round amount beyond the last goal and beyond what a cart counts.
func axisMost(d *nudge.Definition, m measured, cart int64) (most, step int64) {
	top := int64(0)
	for i := range d.Ladder.Rungs {
		goal, _ := m.goal(&d.Ladder.Rungs[i])
		top = max(top, goal)
	}
	top = max(min(top, money.Most)*13/10, m.least)
	top = max(top, min(cart, money.Most)*11/10)
	return roundUp(top, m.step, 9)
}

// roundUp rounds an amount up to a whole number of steps, at most so many.
func roundUp(top, unit money.Minor, most money.Minor) (rounded, step money.Minor) {
	step = unit
	for i := 0; top/step > most; i++ {
		step = step * []money.Minor{2, 5, 2}[i%3] / []money.Minor{1, 2, 1}[i%3]
	}
	return (top + step - 1) / step * step, step
}

func (v *axisView) x(m money.Minor) int {
	x, err := money.MulDiv(int64(v.Right-v.Left), min(m, v.Most), max(v.Most, 1))
	if err != nil {
		return v.Right
	}
	return v.Left + int(x)
}

// axisOf draws the rungs of a nudge on an axis that also holds a cart's value.
func axisOf(d *nudge.Definition, r catalog.Region, cat *catalog.Catalog, locale string, cart money.Minor, box axisBox) axisView {
	box = box.fit()
	m := measuredBy(d, r, locale)
	most, _ := axisMost(d, m, cart)
	v := axisView{
		Most: most, Step: m.step, Unit: m.whole, Counts: m.of != nudge.Value, Label: "Value of the cart", Wide: box.Wide, Scale: box.Scale, Left: box.of(30), Right: box.Wide - box.of(34),
		FlagWide: min(box.of(208), box.Wide*2/3), FlagHigh: box.of(36), Margin: box.of(9), AtY: box.of(15), GivesY: box.of(30),
	}
	if v.Counts {
		v.Label = "What counts of the cart: " + nudge.MeasureName(m.of)
	}
	_, step := roundUp(most, v.Step, min(9, money.Minor(max(2, box.Wide/box.of(110)))))
	for n := int64(0); n <= most; n += step {
		v.Ticks = append(v.Ticks, tickView{v.x(n), true, m.tick(n)})
		for i := int64(1); i < 5 && n+step*i/5 <= most && step >= 5; i++ {
			v.Ticks = append(v.Ticks, tickView{X: v.x(n + step*i/5)})
		}
	}
	v.pins(d, m, cat, box)
	rows := 1
	for _, p := range v.Pins {
		rows = max(rows, p.row+1)
	}
	v.Base = box.of(4+rows*42) + box.of(32)
	v.OpenY = v.Base - box.of(26)
	v.TickY = v.Base + box.of(24)
	v.LabelY, v.LabelHigh, v.LabelText = box.of(13), box.of(24), box.of(29)
	v.High = v.Base + box.of(40)
	return v
}

// pins places a flag for each rung, in a row where it covers no other.
func (v *axisView) pins(d *nudge.Definition, m measured, cat *catalog.Catalog, box axisBox) {
	var ends []int // where the last flag of each row ends
	for i, rung := range d.Ladder.Rungs {
		goal, ok := m.goal(&rung)
		if !ok {
			continue
		}
		p := pinView{Rung: i, X: v.x(goal), At: m.show(goal)}
		if goal%v.Unit == 0 {
			p.Whole = strconv.FormatInt(goal/v.Unit, 10)
		}
		text := nudge.RewardsText(rung.Rewards, nudge.Voice{Region: m.region, Language: "en", Locale: m.locale, Label: cat.Label})
		p.Reward = clip(text, max(8, (v.FlagWide-2*v.Margin)*100/(box.Scale*6)))
		p.FlagX = min(p.X, v.Right-v.FlagWide)
		for p.row < len(ends) && ends[p.row]+box.of(8) > p.FlagX {
			p.row++
		}
		if p.row == len(ends) {
			ends = append(ends, 0)
		}
		ends[p.row] = p.FlagX + v.FlagWide
		p.FlagY = box.of(4 + p.row*42)
		v.Pins = append(v.Pins, p)
	}
}

// clip shortens a text to so many letters.
func clip(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
