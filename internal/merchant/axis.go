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
	Unit                       money.Minor // minor units of a whole one
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

// axisMost is a round amount beyond the last threshold and beyond a cart's value.
func axisMost(d *nudge.Definition, r catalog.Region, cart money.Minor) (most, step money.Minor) {
	top := money.Minor(0)
	for _, rung := range d.Ladder.Rungs {
		top = max(top, rung.Thresholds[r.ID].Minor)
	}
	unit := stepOf(r.Currency)
	top = max(min(top, money.Most)*13/10, 20*unit)
	top = max(top, min(cart, money.Most)*11/10)
	return roundUp(top, unit, 9)
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
	most, _ := axisMost(d, r, cart)
	v := axisView{
		Most: most, Step: stepOf(r.Currency), Wide: box.Wide, Scale: box.Scale, Left: box.of(30), Right: box.Wide - box.of(34),
		FlagWide: min(box.of(208), box.Wide*2/3), FlagHigh: box.of(36), Margin: box.of(9), AtY: box.of(15), GivesY: box.of(30),
	}
	v.Unit = 1
	for range r.Currency.Digits() {
		v.Unit *= 10
	}
	_, step := roundUp(most, v.Step, min(9, money.Minor(max(2, box.Wide/box.of(110)))))
	show := func(m money.Minor) string { return money.Format(money.Amount{Minor: m, Currency: r.Currency}, locale) }
	for m := money.Minor(0); m <= most; m += step {
		v.Ticks = append(v.Ticks, tickView{v.x(m), true, show(m)})
		for i := money.Minor(1); i < 5 && m+step*i/5 <= most; i++ {
			v.Ticks = append(v.Ticks, tickView{X: v.x(m + step*i/5)})
		}
	}
	v.pins(d, r, cat, locale, box)
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
func (v *axisView) pins(d *nudge.Definition, r catalog.Region, cat *catalog.Catalog, locale string, box axisBox) {
	var ends []int // where the last flag of each row ends
	for i, rung := range d.Ladder.Rungs {
		t, ok := rung.Thresholds[r.ID]
		if !ok {
			continue
		}
		p := pinView{Rung: i, X: v.x(t.Minor), At: money.Format(t, locale)}
		if t.Minor%v.Unit == 0 {
			p.Whole = strconv.FormatInt(t.Minor/v.Unit, 10)
		}
		text := nudge.RewardsText(rung.Rewards, nudge.Voice{Region: r, Language: "en", Locale: locale, Label: cat.Label})
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
