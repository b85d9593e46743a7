package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// UnitForm is a form of unit reward.
type UnitForm int

// The forms.
const (
	PercentOff UnitForm = iota // a percentage off each
	AmountOff                  // an amount off each
	FixedPrice                 // a price each
	SetPrice                   // Size units for a price
	NForM                      // Size units for the price of Pays, the cheapest free
	Every                      // for every Size units bought, Gets units of On at a percentage off
)

// Unit is a rung that lowers the price of units and takes them.
type Unit struct {
	Key   Key
	Nudge int
	Goal  Goal
	Form  UnitForm
	// On is the lines that may be rewarded; for sets and n for m, those that may
	// be used. Lines that are never discounted are not in it.
	On      Scope
	Percent money.Rate
	Amount  money.Minor // off each, the price each, or the price of a set
	Size    int64       // of a set; of n for m, n; units bought for every
	Pays    int64       // m of n for m
	Gets    int64       // units that every Size bought ones earn
	// Pick rewards only so many of the cheapest units, or of the dearest.
	Pick    int64 // 0: all
	Dearest bool
	PerLine bool // the percentage is rounded once per line, not per unit
	// Ending is what a unit's price ends with after a percentage; it is then rounded
	// per unit.
	Ending money.Ending
	// Elsewhere tells that the reward is on other goods than those counted: with
	// a goal of one and the same product it is due once any product reaches it.
	Elsewhere bool
}

// InSets tells whether the reward repeats per set and takes whole sets.
func (u *Unit) InSets() bool { return u.Form >= SetPrice }

// WholeSets tells whether the reward prices whole sets of its units.
func (u *Unit) WholeSets() bool { return u.Form == SetPrice || u.Form == NForM }

// Apart tells whether every product is judged by itself and gets the reward it
// reached.
func (u *Unit) Apart() bool {
	return !u.Elsewhere && (u.Goal.Measure == SameProduct || u.Goal.Measure == SameVariant)
}

// Kind returns the number by which lines of one product, or of one variant, are
// told together for an apart goal.
func (p *Problem) Kind(u *Unit, line int) int { return p.kindOf(&u.Goal, line) }

func (p *Problem) kindOf(g *Goal, line int) int {
	if g.Measure == SameVariant {
		return p.Lines[line].Variant
	}
	return p.Lines[line].Product
}

// off returns what one unit at a price is lowered by, never below zero and never
// a rise. It is not asked of rewards in sets.
func (u *Unit) off(price money.Minor) money.Minor {
	switch u.Form {
	case PercentOff, Every:
		m, _ := u.Percent.Of(price)
		return price - u.Ending.Lower(price-m)
	case AmountOff:
		return min(u.Amount, price)
	case FixedPrice:
		return max(0, price-u.Amount)
	}
	return 0
}

// MostOff bounds what one unit at a price is lowered by: rounded per line, a unit
// may bear up to one more than rounded by itself.
func (u *Unit) MostOff(price money.Minor) money.Minor {
	off := u.off(price)
	if u.PerLine && u.Form == PercentOff && off > 0 {
		off = min(off+1, price)
	}
	return off
}

// Part is a run of units of one line that one claim takes, each lowered by the
// same amount.
type Part struct {
	Line int
	Qty  int64
	Off  money.Minor // of one unit; 0 for units that only earn a reward
}

// Claim is the units a rung takes.
type Claim struct {
	Unit  int // index into Problem.Units
	Sets  int64
	Parts []Part
}

func (c Claim) Taken(line int) int64 {
	var n int64
	for _, part := range c.Parts {
		if part.Line == line {
			n += part.Qty
		}
	}
	return n
}

// Saved is everything the claim takes off.
func (c Claim) Saved() money.Minor {
	var m money.Minor
	for _, part := range c.Parts {
		m += part.Off * part.Qty
	}
	return m
}

func (c Claim) lowers(line int) bool {
	for _, part := range c.Parts {
		if part.Line == line && part.Off > 0 {
			return true
		}
	}
	return false
}

// Rewarded is how many units a claim rewards: of n for m those that are free, of
// "every" those that have become cheaper, else all.
func (p *Problem) Rewarded(c Claim) int64 {
	u := &p.Units[c.Unit]
	if u.WholeSets() {
		return c.Sets * p.RewardedPerSet(u)
	}
	var n int64
	for _, part := range c.Parts {
		if part.Off > 0 || u.Form != Every {
			n += part.Qty
		}
	}
	return n
}

// Saves returns what rung u takes off one unit of a line at a price, 0 where the
// line is not rewarded, nothing is saved, or the margin floor skips it.
func (p *Problem) Saves(u *Unit, line int, price money.Minor) money.Minor {
	if !u.On[line] || p.Lines[line].Quantity == 0 {
		return 0
	}
	off := u.off(price)
	if off > 0 && !p.keepsFloor(&p.Lines[line], price-off, 1, p.floorRate(u.Nudge)) {
		return 0
	}
	return off
}

func (p *Problem) floorRate(nudge int) money.Rate { return max(p.Floor, p.Nudge(nudge).Floor) }

// Parts returns the parts by which a rung takes n units of a line that cost
// price each: one, or two where rounding is per line and does not divide evenly.
func (p *Problem) Parts(u *Unit, line int, n int64, price money.Minor) []Part {
	if !u.PerLine || u.Form != PercentOff {
		return []Part{{line, n, p.Saves(u, line, price)}}
	}
	total, _ := u.Percent.Of(price * n)
	each, rest := total/n, total%n
	out := []Part{}
	if rest > 0 {
		out = append(out, Part{line, rest, each + 1})
	}
	if n > rest {
		out = append(out, Part{line, n - rest, each})
	}
	return out
}

// Run is so many free units of a line.
type Run struct {
	Line  int
	Qty   int64
	Price money.Minor
}

// Runs lists the free units of the lines in scope, dearest first, equal ones in
// the order of lines.
func (p *Problem) Runs(in Scope, free []int64) []Run {
	n := 0
	for i, ok := range in {
		if ok && free[i] > 0 {
			n++
		}
	}
	out := make([]Run, 0, n)
	for _, i := range p.dearestFirst() {
		if in[i] && free[i] > 0 {
			out = append(out, Run{i, free[i], p.Lines[i].Unit})
		}
	}
	return out
}

// RunsOf is runs for one kind of product, or for all of them (-1).
func (p *Problem) RunsOf(pk Pick, in Scope, free []int64) []Run {
	all := p.Runs(in, free)
	if pk.Kind < 0 {
		return all
	}
	u := &p.Units[pk.Unit]
	return slices.DeleteFunc(all, func(r Run) bool { return p.Kind(u, r.Line) != pk.Kind })
}

// dearestFirst lists the lines by the price of their units, equal ones in order.
func (p *Problem) dearestFirst() []int {
	if len(p.dearest) == len(p.Lines) {
		return p.dearest
	}
	p.dearest = make([]int, len(p.Lines))
	for i := range p.dearest {
		p.dearest[i] = i
	}
	slices.SortStableFunc(p.dearest, func(a, b int) int { return CompareMinor(p.Lines[b].Unit, p.Lines[a].Unit) })
	return p.dearest
}

const AnyUnits int64 = 1 << 40

// MostUnits is how many more units a rung may still reward, given how many its
// nudge has rewarded; a large number where nothing limits it.
func (p *Problem) MostUnits(u *Unit, rewarded int64) int64 {
	if m := p.Nudge(u.Nudge).MostUnits; m > 0 {
		return max(0, m-rewarded)
	}
	return AnyUnits
}

func CompareMinor(a, b money.Minor) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}
