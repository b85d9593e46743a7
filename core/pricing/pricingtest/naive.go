package pricingtest

import (
	"slices"
	"sort"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Choice is a choice of rungs and what it comes to.
type Choice struct {
	Pay    int64
	Keys   []pricing.Key // of the rungs given, gifts apart, in order
	After  []int64       // each line in the end
	Units  []int64       // each line after unit rewards
	Gifts  []bool
	Method int
	Fee    int64        // after shipping rewards
	paid   []naiveGiven // rungs given, gifts apart
	by     []int        // per unit: the unit rung that takes it, -1: none; those that stack apart
}

// naive is one problem taken apart into single units.
type naive struct {
	p     *pricing.Problem
	units []int // the line of each unit
	by    []int // which unit rung takes each unit, -1: none
	best  *Choice
}

// Best tries every choice that is allowed, for the one that is best for the shopper.
func Best(p *pricing.Problem) Choice {
	n := apartUnits(p)
	n.assign(0)
	return *n.best
}

// apartUnits takes a problem apart into units, none of them taken.
func apartUnits(p *pricing.Problem) *naive {
	n := &naive{p: p}
	for i, l := range p.Lines {
		for range l.Quantity {
			n.units = append(n.units, i)
			n.by = append(n.by, -1)
		}
	}
	return n
}

func (n *naive) nudge(i int) pricing.Nudge {
	if i < 0 || i >= len(n.p.Nudges) {
		return pricing.Nudge{}
	}
	return n.p.Nudges[i]
}

// assign lets every unit be taken by every rung that does not stack, or by none.
// Units of one line are alike: they are taken in rising order of rungs.
func (n *naive) assign(at int) {
	if at == len(n.units) {
		n.claimed()
		return
	}
	least := -1
	if at > 0 && n.units[at-1] == n.units[at] {
		least = n.by[at-1]
	}
	for r := least; r < len(n.p.Units); r++ {
		if r >= 0 && n.nudge(n.p.Units[r].Nudge).Stacks {
			continue
		}
		if r >= 0 && !n.may(r, n.units[at]) {
			continue
		}
		n.by[at] = r
		n.assign(at + 1)
	}
}

// may tells whether a rung may take a unit of a line at all.
func (n *naive) may(r, line int) bool {
	u := n.p.Units[r]
	if u.Form == pricing.Every {
		return u.On[line] || u.Goal.Scope[line]
	}
	return u.On[line] && (u.Form >= pricing.SetPrice || n.saves(r, line, n.p.Lines[line].Unit) > 0)
}

// saves is what a rung takes off one unit, 0 where the margin floor skips it.
func (n *naive) saves(r, line int, price int64) int64 {
	u, l := n.p.Units[r], n.p.Lines[line]
	if !u.On[line] {
		return 0
	}
	var off int64
	switch u.Form {
	case pricing.PercentOff, pricing.Every:
		off = percentOff(&u, price)
	case pricing.AmountOff:
		off = min(u.Amount, price)
	case pricing.FixedPrice:
		off = max(0, price-u.Amount)
	}
	if !n.floor(l, price-off, 1, max(n.p.Floor, n.nudge(u.Nudge).Floor)) {
		return 0
	}
	return off
}

// percentOff is what a percentage takes off one unit, and its ending beyond that: the
// first price down from what remains that ends so.
func percentOff(u *pricing.Unit, price int64) int64 {
	left := price - share(u.Percent, price)
	if u.Ending.Every > 0 {
		for p := left; p > 0; p-- {
			if p%u.Ending.Every == u.Ending.At {
				return price - p
			}
		}
	}
	return price - left
}

func (n *naive) floor(l pricing.Line, amount, qty int64, rate money.Rate) bool {
	if !l.HasCost || rate == 0 {
		return true
	}
	if n.p.TaxShown {
		amount -= contained(l.Tax, amount)
	}
	return amount*(1_000_000-int64(rate)) >= l.Cost*qty*1_000_000
}

// took lists the units a rung has taken.
func (n *naive) took(r int) []int {
	var out []int
	for i, b := range n.by {
		if b == r {
			out = append(out, i)
		}
	}
	return out
}

func (n *naive) free() []int { return n.took(-1) }

// claimed checks an assignment of units, then tries every way to price it.
func (n *naive) claimed() {
	var rungs []int
	for r := range n.p.Units {
		if len(n.took(r)) > 0 {
			rungs = append(rungs, r)
		}
	}
	for _, r := range rungs {
		if !n.goalAndRung(r, rungs) || !n.everyProduct(r) {
			return
		}
	}
	n.price(rungs, 0, make([]int64, len(n.units)))
}

// limits checks what a nudge may reward, then puts stacking nudges on top.
func (n *naive) limits(rungs []int, off []int64) {
	for _, r := range rungs {
		u := n.p.Units[r]
		saved := int64(0)
		for i, b := range n.by {
			if b == r {
				saved += off[i]
			}
		}
		if saved == 0 || n.rewardedBy(u.Key.Nudge, off) > n.limit(r) {
			return
		}
	}
	// Rungs that stand or fall together: those of a ladder that judges every
	// product by itself.
	var stacking [][]int
	for r, u := range n.p.Units {
		if !n.nudge(u.Nudge).Stacks {
			continue
		}
		if k := len(stacking) - 1; k >= 0 && apart(u) && n.p.Units[stacking[k][0]].Key.Nudge == u.Key.Nudge {
			stacking[k] = append(stacking[k], r)
			continue
		}
		stacking = append(stacking, []int{r})
	}
	for set := range 1 << len(stacking) {
		all := slices.Clone(rungs)
		price := make([]int64, len(n.units))
		for i, line := range n.units {
			price[i] = n.p.Lines[line].Unit - off[i]
		}
		saved := map[string]int64{}
		for i, b := range n.by {
			if b >= 0 {
				saved[n.p.Units[b].Key.Nudge] += off[i]
			}
		}
		lowered := make([][]int, len(n.p.Lines)) // rungs that touch a line
		for i, b := range n.by {
			if b >= 0 && off[i] > 0 {
				lowered[n.units[i]] = append(lowered[n.units[i]], n.p.Units[b].Nudge)
			}
		}
		ok := true
		for k, together := range stacking {
			if set>>k&1 == 0 {
				continue
			}
			any := false
			for _, r := range together {
				if n.stack(r, price, saved, lowered, append(slices.Clone(all), together...)) {
					all = append(all, r)
					any = true
				}
			}
			ok = ok && any
		}
		if ok {
			n.priced(all, price, saved, lowered)
		}
	}
}

// stack puts one rung on top of what units cost; false where it is not allowed.
func (n *naive) stack(r int, price []int64, saved map[string]int64, lowered [][]int, all []int) bool {
	u := n.p.Units[r]
	for h, o := range n.p.Units {
		if h == r || o.Key.Nudge != u.Key.Nudge || !n.nudge(u.Nudge).Replacing || apart(u) {
			continue
		}
		if h > r && n.unitGoal(h, -1) || h != r && slices.Contains(all, h) {
			return false
		}
	}
	if !apart(u) && !n.unitGoal(r, -1) || n.nudge(u.Nudge).Replacing && n.higherElsewhere(u) {
		return false
	}
	did := false
	for line := range n.p.Lines {
		if apart(u) && (!n.unitGoal(r, n.kind(u.Goal, line)) || !n.highest(r, n.kind(u.Goal, line))) {
			continue
		}
		var units []int
		var prices []int64
		var sum int64
		for i, l := range n.units {
			if l == line && n.saves(r, line, price[i]) > 0 {
				units = append(units, i)
			}
		}
		sort.SliceStable(units, func(a, b int) bool { return price[units[a]] > price[units[b]] })
		for _, i := range units {
			prices = append(prices, price[i])
			sum += price[i]
		}
		var off []int64
		if u.PerLine && u.Form == pricing.PercentOff {
			off = spread(share(u.Percent, sum), prices)
		} else {
			for _, at := range prices {
				off = append(off, n.saves(r, line, at))
			}
		}
		for k, i := range units {
			price[i] -= off[k]
			saved[u.Key.Nudge] += off[k]
			lowered[line] = append(lowered[line], u.Nudge)
			did = true
		}
	}
	return did
}

// highest tells whether no higher rung of the nudge holds for a product.
func (n *naive) highest(r, kind int) bool {
	for h, o := range n.p.Units {
		if h > r && o.Key.Nudge == n.p.Units[r].Key.Nudge && n.unitGoal(h, kind) {
			return false
		}
	}
	return true
}

func (c Choice) better(o Choice) bool {
	if c.Pay != o.Pay {
		return c.Pay < o.Pay
	}
	if len(c.Keys) != len(o.Keys) {
		return len(c.Keys) < len(o.Keys)
	}
	if x := slices.CompareFunc(c.Keys, o.Keys, pricing.Key.Compare); x != 0 {
		return x < 0
	}
	if d := slices.Compare(c.After, o.After); d != 0 {
		return d < 0
	}
	if d := slices.Compare(c.Units, o.Units); d != 0 {
		return d < 0
	}
	if c.Method != o.Method {
		return c.Method < o.Method
	}
	for i := range c.Gifts {
		if c.Gifts[i] != o.Gifts[i] {
			return c.Gifts[i] // a choice that gives a gift comes first
		}
	}
	return false
}
