package merchant

import (
	"fmt"
	"strings"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Across, the strip is drawn in thousandths of the room there is, so that its
// letters keep their size; up and down in units of the screen: fees stand between
// stripTop (the highest) and stripBase.
const (
	stripHigh = 104
	stripTop  = 26
	stripBase = 78
	// stripApart is how far labels are apart at least; closer ones are left to the
	// words and the bands beside it.
	stripApart = 150
)

// stripView draws a method's fee over goods value or weight.
type stripView struct {
	High, Base, TickY, FromY int
	Steps                    []stripStep
	Label                    string // the same in words
}

// stripStep is a band: where it begins and ends, and its fee.
type stripStep struct {
	X, To, Wide string // of the room across, as a percentage
	Y, High     int
	Before      int    // where the fee before it stands
	From, Fee   string // empty: too close to the one before
	FeeY        int
}

func stripOf(m catalog.Method, cur money.Currency, locale string) *stripView {
	if len(m.Bands) == 0 {
		return nil
	}
	show := func(x money.Minor) string { return money.Format(money.Amount{Minor: x, Currency: cur}, locale) }
	from := func(x int64) string {
		if m.ByWeight {
			return fmt.Sprintf("%d g", x)
		}
		return show(x)
	}
	last := m.Bands[len(m.Bands)-1]
	most := max(last.From*14/10, last.From+1)
	high := money.Minor(1)
	for _, b := range m.Bands {
		high = max(high, b.Fee)
	}
	v := &stripView{High: stripHigh, Base: stripBase, TickY: stripBase + 5, FromY: stripBase + 18}
	scale := func(part, whole, span int64) int {
		x, err := money.MulDiv(span, part, whole)
		if err != nil {
			return int(span)
		}
		return int(x)
	}
	share := func(thousandths int) string { return fmt.Sprintf("%d.%d%%", thousandths/10, thousandths%10) }
	begins := func(i int) int {
		switch {
		case i == len(m.Bands):
			return 1000
		case len(m.Bands) == 1:
			return 0
		}
		return scale(m.Bands[i].From, most, 1000)
	}
	var say []string
	before, labelled := stripBase, -stripApart
	for i, b := range m.Bands {
		x, to := begins(i), begins(i+1)
		y := stripBase - scale(b.Fee, high, stripBase-stripTop)
		step := stripStep{X: share(x), To: share(to), Wide: share(max(0, to-x)), Y: y, High: stripBase - y, Before: before, FeeY: y - 5}
		if i == 0 {
			step.Before = y
		}
		if x-labelled >= stripApart {
			step.From, step.Fee, labelled = from(b.From), show(b.Fee), x
		}
		v.Steps = append(v.Steps, step)
		say = append(say, "from "+from(b.From)+" "+show(b.Fee))
		before = y
	}
	v.Label = "Fee: " + strings.Join(say, ", ")
	return v
}
