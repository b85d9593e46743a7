package merchant

import (
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// The axis is drawn in a box of 1280 × axisHigh units; money runs from axisLeft
// to axisRight. bench.ts moves the marker within the same box.
const (
	axisLeft  = 46
	axisRight = 1234
	flagWide  = 208
)

type axisView struct {
	Most  money.Minor
	Ticks []tickView
	Pins  []pinView
}

type tickView struct {
	X    int
	Big  bool
	Text string
}

type pinView struct {
	X, FlagX, FlagY int
	At, Reward      string
}

// axisMost is a round amount beyond the last threshold.
func axisMost(d *nudge.Definition, r catalog.Region) (most, step money.Minor) {
	top := money.Minor(0)
	for _, rung := range d.Ladder.Rungs {
		top = max(top, rung.Thresholds[r.ID].Minor)
	}
	unit := stepOf(r.Currency)
	top = max(top*13/10, 20*unit)
	step = unit
	for i := 0; top/step > 9; i++ {
		step = step * []money.Minor{2, 5, 2}[i%3] / []money.Minor{1, 2, 1}[i%3]
	}
	return (top + step - 1) / step * step, step
}

func axisX(m, most money.Minor) int {
	x, err := money.MulDiv(axisRight-axisLeft, min(m, most), max(most, 1))
	if err != nil {
		return axisRight
	}
	return axisLeft + int(x)
}

func axisOf(d *nudge.Definition, r catalog.Region, cat *catalog.Catalog, locale string) axisView {
	most, step := axisMost(d, r)
	v := axisView{Most: most}
	for m := money.Minor(0); m <= most; m += step {
		v.Ticks = append(v.Ticks, tickView{axisX(m, most), true, money.Format(money.Amount{Minor: m, Currency: r.Currency}, locale)})
		for i := money.Minor(1); i < 5 && m < most; i++ {
			v.Ticks = append(v.Ticks, tickView{X: axisX(m+step*i/5, most)})
		}
	}
	row := 0
	for _, rung := range d.Ladder.Rungs {
		t, ok := rung.Thresholds[r.ID]
		if !ok {
			continue
		}
		p := pinView{X: axisX(t.Minor, most), At: money.Format(t, locale), Reward: nudge.RewardsText(rung.Rewards, nudge.Voice{Region: r, Language: "en", Locale: locale, Label: cat.Label})}
		if len(v.Pins) > 0 && p.X-v.Pins[len(v.Pins)-1].X < flagWide+10 {
			row++
		} else {
			row = 0
		}
		p.FlagX, p.FlagY = min(p.X, axisRight-flagWide), 4+(row%2)*42
		v.Pins = append(v.Pins, p)
	}
	return v
}
