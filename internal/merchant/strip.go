package merchant

import (
	"fmt"
	"strings"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// The strip is drawn in a box of stripWide × stripHigh units; the scale runs from
// stripLeft to stripRight, fees stand between stripTop (the highest) and stripBase.
const (
	stripWide  = 560
	stripHigh  = 104
	stripLeft  = 8
	stripRight = 552
	stripTop   = 26
	stripBase  = 78
)

// stripView draws a method's fee over goods value or weight.
type stripView struct {
	Wide, High, Base int
	Steps            []stripStep
	Path             string // the fee as a line
	Area             string // and what is below it
	Label            string // the same in words
}

// stripStep is a band: from where it begins, and its fee.
type stripStep struct {
	X, Y      int
	From, Fee string
	FeeY      int
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
	v := &stripView{Wide: stripWide, High: stripHigh, Base: stripBase}
	scale := func(part, whole int64, span int) int {
		x, err := money.MulDiv(int64(span), part, whole)
		if err != nil {
			return span
		}
		return int(x)
	}
	var path strings.Builder
	var say []string
	for i, b := range m.Bands {
		x := stripLeft + scale(b.From, most, stripRight-stripLeft)
		if len(m.Bands) == 1 {
			x = stripLeft
		}
		y := stripBase - scale(b.Fee, high, stripBase-stripTop)
		if i == 0 {
			fmt.Fprintf(&path, "M%d %d", x, y)
		} else {
			fmt.Fprintf(&path, "H%dV%d", x, y)
		}
		v.Steps = append(v.Steps, stripStep{X: x, Y: y, From: from(b.From), Fee: show(b.Fee), FeeY: y - 5})
		say = append(say, "from "+from(b.From)+" "+show(b.Fee))
	}
	fmt.Fprintf(&path, "H%d", stripRight)
	v.Path = path.String()
	v.Area = v.Path + fmt.Sprintf("V%dH%dZ", stripBase, stripLeft)
	v.Label = "Fee: " + strings.Join(say, ", ")
	return v
}
