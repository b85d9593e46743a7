package pricingtest

import (
	"math/big"
	"slices"
	"sort"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// A second, slow implementation of the rules, written from their description
// alone: every claim of every unit, every way to put claimed units into sets,
// every set of order and shipping rungs with every method, filtered by what is
// allowed. It shares no arithmetic with the search.

func round(num, den *big.Int) int64 {
	two := big.NewInt(2)
	n := new(big.Int).Add(new(big.Int).Mul(num, two), den)
	return n.Quo(n, new(big.Int).Mul(den, two)).Int64()
}

func share(rate money.Rate, m int64) int64 {
	return round(new(big.Int).Mul(big.NewInt(int64(rate)), big.NewInt(m)), big.NewInt(1_000_000))
}

func contained(rate money.Rate, m int64) int64 {
	return round(new(big.Int).Mul(big.NewInt(int64(rate)), big.NewInt(m)), big.NewInt(1_000_000+int64(rate)))
}

// spread gives the whole parts first, then one each to the largest remainders.
func spread(total int64, weights []int64) []int64 {
	var sum int64
	for _, w := range weights {
		sum += w
	}
	type rest struct {
		index int
		left  *big.Rat
	}
	out := make([]int64, len(weights))
	var rests []rest
	given := int64(0)
	for i, w := range weights {
		exact := big.NewRat(total*w, max(sum, 1))
		out[i] = new(big.Int).Quo(exact.Num(), exact.Denom()).Int64()
		given += out[i]
		rests = append(rests, rest{i, new(big.Rat).Sub(exact, new(big.Rat).SetInt64(out[i]))})
	}
	sort.SliceStable(rests, func(a, b int) bool { return rests[a].left.Cmp(rests[b].left) > 0 })
	for k := range int(total - given) {
		out[rests[k].index]++
	}
	return out
}

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
		off = share(u.Percent, price)
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

// counts tells how many units of a line a nudge may count: those that no other
// nudge has taken.
func (n *naive) counts(r int) []int64 {
	own := n.p.Units[r]
	out := make([]int64, len(n.p.Lines))
	for i, line := range n.units {
		if b := n.by[i]; b < 0 || n.p.Units[b].Key.Nudge == own.Key.Nudge || n.nudge(own.Nudge).Stacks {
			out[line]++
		}
	}
	return out
}

func (n *naive) kind(g pricing.Goal, line int) int {
	if g.Measure == pricing.SameVariant {
		return n.p.Lines[line].Variant
	}
	return n.p.Lines[line].Product
}

// measure counts; kind limits it to one product (variant), -1 takes the most of any.
func (n *naive) measure(g pricing.Goal, counts, amounts []int64, kind int) (int64, bool) {
	var value, units, weight int64
	same := map[int]int64{}
	any := false
	for i, in := range g.Scope {
		l := n.p.Lines[i]
		if !in || counts[i] == 0 && l.Quantity > 0 || kind >= 0 && n.kind(g, i) != kind {
			continue
		}
		value += amounts[i]
		if g.WithoutTax && n.p.TaxShown {
			value -= contained(l.Tax, amounts[i])
		}
		any = any || l.Quantity > 0 || g.Measure == pricing.Value
		units += counts[i]
		weight += counts[i] * l.Grams
		if counts[i] > 0 {
			same[n.kind(g, i)] += counts[i]
		}
	}
	switch g.Measure {
	case pricing.Value:
		return value, any
	case pricing.Units:
		return units, any
	case pricing.Weight:
		return weight, any
	case pricing.Distinct:
		return int64(len(same)), any
	}
	most := int64(0)
	for _, v := range same {
		most = max(most, v)
	}
	return most, any
}

func (n *naive) meets(g pricing.Goal, m int64, any bool) bool {
	if g.Most > 0 && m > g.Most {
		return false
	}
	return g.Threshold > 0 && m >= g.Threshold || g.Threshold == 0 && any
}

func (n *naive) unitGoal(r, kind int) bool {
	counts := n.counts(r)
	amounts := make([]int64, len(counts))
	for i, l := range n.p.Lines {
		amounts[i] = l.Unit * counts[i]
		if l.Quantity == 0 {
			amounts[i] = l.Amount
		}
	}
	g := n.p.Units[r].Goal
	m, any := n.measure(g, counts, amounts, kind)
	return n.meets(g, m, any)
}

func apart(u pricing.Unit) bool {
	return !u.Elsewhere && (u.Goal.Measure == pricing.SameProduct || u.Goal.Measure == pricing.SameVariant)
}

// kinds lists the products a rung has taken units of, or one entry for all.
func (n *naive) kinds(r int) []int {
	if !apart(n.p.Units[r]) {
		return []int{-1}
	}
	var out []int
	for _, i := range n.took(r) {
		if k := n.kind(n.p.Units[r].Goal, n.units[i]); !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}

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

// goalAndRung checks that a rung's goal holds and, of a replacing ladder, that it
// is the highest that does.
func (n *naive) goalAndRung(r int, rungs []int) bool {
	u := n.p.Units[r]
	for _, k := range n.kinds(r) {
		if !n.unitGoal(r, k) {
			return false
		}
		if !n.nudge(u.Nudge).Replacing && !apart(u) {
			continue // each product has the one rung that it reached
		}
		if n.nudge(u.Nudge).Replacing && n.higherElsewhere(u) {
			return false
		}
		for h, o := range n.p.Units {
			if of := k; o.Key.Nudge == u.Key.Nudge && h > r && (n.nudge(u.Nudge).Replacing || apart(o)) {
				if !apart(o) {
					of = -1
				}
				if n.unitGoal(h, of) {
					return false
				}
			}
		}
		for _, h := range rungs {
			if h != r && n.p.Units[h].Key.Nudge == u.Key.Nudge && n.nudge(u.Nudge).Replacing && (!apart(u) || !apart(n.p.Units[h])) {
				return false
			}
		}
	}
	return true
}

// higherElsewhere tells whether a higher rung of another class holds; in a ladder
// with unit rewards all goals look at values before nudges.
func (n *naive) higherElsewhere(u pricing.Unit) bool {
	before := n.beforeNudges()
	above := func(k pricing.Key, g pricing.Goal) bool {
		return k.Nudge == u.Key.Nudge && k.Rung > u.Key.Rung && n.holds(g, before, before, before)
	}
	for _, o := range n.p.Orders {
		if above(o.Key, o.Goal) {
			return true
		}
	}
	for _, s := range n.p.Ships {
		if above(s.Key, s.Goal) {
			return true
		}
	}
	for _, g := range n.p.Gifts {
		if above(g.Key, g.Goal) {
			return true
		}
	}
	return false
}

// everyProduct checks that a ladder that judges products by themselves rewards
// each that has reached it.
func (n *naive) everyProduct(r int) bool {
	u := n.p.Units[r]
	if !apart(u) {
		return true
	}
	for _, i := range n.free() {
		k := n.kind(u.Goal, n.units[i])
		if !u.Goal.Scope[n.units[i]] {
			continue
		}
		for h := len(n.p.Units) - 1; h >= 0; h-- {
			if n.p.Units[h].Key.Nudge == u.Key.Nudge && apart(n.p.Units[h]) && n.unitGoal(h, k) {
				picked := n.p.Units[h].Pick > 0 && len(n.ofKind(h, k, n.took(h))) > 0
				if n.p.Units[h].Form < pricing.SetPrice && !picked && n.saves(h, n.units[i], n.p.Lines[n.units[i]].Unit) > 0 || n.p.Units[h].Form >= pricing.SetPrice && n.oneSet(h, k) {
					return false
				}
				break
			}
		}
	}
	return true
}

// ofKind keeps the units of one product, or all where kind is below zero.
func (n *naive) ofKind(r, kind int, units []int) []int {
	var out []int
	for _, i := range units {
		if kind < 0 || n.kind(n.p.Units[r].Goal, n.units[i]) == kind {
			out = append(out, i)
		}
	}
	return out
}

// oneSet tells whether a rung could make a set that saves of the free units of a
// product.
func (n *naive) oneSet(r, kind int) bool {
	u := n.p.Units[r]
	free := n.ofKind(r, kind, n.free())
	found := false
	if u.Form != pricing.Every {
		var can []int
		for _, i := range free {
			if u.On[n.units[i]] {
				can = append(can, i)
			}
		}
		subsets(can, int(u.Size), func(set []int) { found = found || n.setOff(r, set, make([]int64, len(n.units))) })
		return found
	}
	for _, i := range free {
		if n.saves(r, n.units[i], n.p.Lines[n.units[i]].Unit) == 0 {
			continue
		}
		var earn []int
		for _, j := range free {
			if j != i && u.Goal.Scope[n.units[j]] {
				earn = append(earn, j)
			}
		}
		subsets(earn, int(u.Size), func(e []int) { found = found || n.rule(r, e, []int{i}, 1) })
	}
	return found
}

// price works out what each rung takes off its units, in every way its sets can
// be put together, and goes on when no half measure is left.
func (n *naive) price(rungs []int, at int, off []int64) {
	if at == len(rungs) {
		n.limits(rungs, off)
		return
	}
	n.ways(rungs[at], off, func(next []int64) { n.price(rungs, at+1, next) })
}

// ways gives every way in which a rung lowers the units it has taken, where that is
// no half measure.
func (n *naive) ways(r int, off []int64, f func(next []int64)) {
	u := n.p.Units[r]
	mine := n.took(r)
	switch u.Form {
	case pricing.SetPrice, pricing.NForM:
		n.partition(r, mine, nil, func(sets [][]int) {
			if !n.oneMoreSet(r, off, len(sets)) {
				n.setsOff(r, sets, off, f)
			}
		})
	case pricing.Every:
		n.everyKind(r, n.kinds(r), off, f)
	default:
		next := slices.Clone(off)
		if n.simpleOff(r, mine, next) {
			f(next)
		}
	}
}

// setsOff prices set after set; of n for m equally cheap units are told apart.
func (n *naive) setsOff(r int, sets [][]int, off []int64, f func([]int64)) {
	if len(sets) == 0 {
		f(off)
		return
	}
	seen := map[string]bool{}
	n.eachSetOff(r, sets[0], off, func(next []int64) {
		if key := string(n.lineTotals(next)); !seen[key] {
			seen[key] = true
			n.setsOff(r, sets[1:], next, f)
		}
	})
}

// eachSetOff gives every way to price one set, none where it saves nothing.
func (n *naive) eachSetOff(r int, set []int, off []int64, f func([]int64)) {
	u := n.p.Units[r]
	one := slices.Clone(off)
	if !n.setOff(r, set, one) {
		return
	}
	if u.Form == pricing.SetPrice {
		f(one)
		return
	}
	price := func(i int) int64 { return n.p.Lines[n.units[i]].Unit }
	subsets(set, int(u.Size-u.Pays), func(free []int) {
		next := slices.Clone(off)
		for _, i := range set {
			next[i] = 0
			for _, j := range free {
				if !slices.Contains(free, i) && price(i) < price(j) {
					return // a cheaper one is the free one
				}
			}
			if slices.Contains(free, i) {
				next[i] = price(i)
			}
		}
		f(next)
	})
}

// partition calls f with every way to put units into sets of the rung's size.
func (n *naive) partition(r int, units []int, sets [][]int, f func([][]int)) {
	if len(units) == 0 {
		f(sets)
		return
	}
	size := int(n.p.Units[r].Size)
	subsets(units[1:], size-1, func(rest []int) {
		set := append([]int{units[0]}, rest...)
		var left []int
		for _, i := range units {
			if !slices.Contains(set, i) {
				left = append(left, i)
			}
		}
		n.partition(r, left, append(slices.Clone(sets), set), f)
	})
}

func subsets(from []int, size int, f func([]int)) {
	if size == 0 {
		f(nil)
		return
	}
	for i := range from {
		subsets(from[i+1:], size-1, func(rest []int) { f(append([]int{from[i]}, rest...)) })
	}
}

// setOff writes what each unit of a set loses; false where the set saves nothing.
func (n *naive) setOff(r int, set []int, off []int64) bool {
	u := n.p.Units[r]
	if len(set) != int(u.Size) {
		return false
	}
	for _, i := range set {
		if apart(u) && n.kind(u.Goal, n.units[i]) != n.kind(u.Goal, n.units[set[0]]) {
			return false // a set is made of one product only
		}
	}
	set = slices.Clone(set)
	slices.Sort(set)
	var sum int64
	prices := make([]int64, len(set))
	for k, i := range set {
		prices[k] = n.p.Lines[n.units[i]].Unit
		sum += prices[k]
	}
	if u.Form == pricing.SetPrice {
		if u.Amount >= sum {
			return false
		}
		for k, s := range spread(u.Amount, prices) {
			off[set[k]] = prices[k] - s
		}
		return true
	}
	order := make([]int, len(set))
	for k := range order {
		order[k] = k
	}
	sort.SliceStable(order, func(a, b int) bool { return prices[order[a]] < prices[order[b]] })
	var saved int64
	for _, k := range order[:u.Size-u.Pays] {
		off[set[k]] = prices[k]
		saved += prices[k]
	}
	return saved > 0
}

func (n *naive) limit(r int) int64 {
	if m := n.nudge(n.p.Units[r].Nudge).MostUnits; m > 0 {
		return m
	}
	return 1000
}

// rewardedBy counts the units a nudge has made cheaper, once all is priced.
func (n *naive) rewardedBy(nudge string, off []int64) int64 {
	var c int64
	for i, b := range n.by {
		if b >= 0 && n.p.Units[b].Key.Nudge == nudge && n.p.Units[b].Form != pricing.NForM && (off[i] > 0 || n.p.Units[b].Form != pricing.Every) {
			c++
		}
	}
	for r, u := range n.p.Units {
		if u.Key.Nudge == nudge && u.Form == pricing.NForM {
			c += int64(len(n.took(r))) / u.Size * (u.Size - u.Pays)
		}
	}
	return c
}

func (n *naive) oneMoreSet(r int, off []int64, sets int) bool {
	u := n.p.Units[r]
	per := u.Size
	if u.Form == pricing.NForM {
		per = u.Size - u.Pays
	}
	if int64(sets+1)*per > n.limit(r) {
		return false
	}
	var can []int
	for _, i := range n.free() {
		if u.On[n.units[i]] && (!apart(u) || n.unitGoal(r, n.kind(u.Goal, n.units[i]))) {
			can = append(can, i)
		}
	}
	more := false
	subsets(can, int(u.Size), func(set []int) {
		more = more || n.setOff(r, set, slices.Clone(off))
	})
	return more
}

// simpleOff prices a percentage, amount or price each.
func (n *naive) simpleOff(r int, mine []int, off []int64) bool {
	u := n.p.Units[r]
	price := func(i int) int64 { return n.p.Lines[n.units[i]].Unit }
	if u.PerLine && u.Form == pricing.PercentOff {
		for line := range n.p.Lines {
			var of []int
			for _, i := range mine {
				if n.units[i] == line {
					of = append(of, i)
				}
			}
			if len(of) == 0 {
				continue
			}
			total := share(u.Percent, price(of[0])*int64(len(of)))
			for k, i := range of {
				off[i] = total / int64(len(of))
				if int64(k) < total%int64(len(of)) {
					off[i]++
				}
			}
		}
	} else {
		for _, i := range mine {
			off[i] = n.saves(r, n.units[i], price(i))
		}
	}
	// How many more it could take: its own number of cheapest (dearest), and its
	// nudge's limit.
	most := n.limit(r)
	if u.Pick > 0 {
		most = min(most, u.Pick)
	}
	all := mine
	for _, kind := range n.kinds(r) {
		if int64(len(n.ofKind(r, kind, all))) > most {
			return false
		}
	}
	for _, i := range n.free() {
		if n.saves(r, n.units[i], price(i)) == 0 || apart(u) && !n.reaches(r, n.units[i]) {
			continue
		}
		if mine = all; apart(u) {
			mine = n.ofKind(r, n.kind(u.Goal, n.units[i]), all)
		}
		others := int64(0) // units of its nudge's other rungs count against the limit
		for b := range n.p.Units {
			if b != r && n.p.Units[b].Key.Nudge == u.Key.Nudge {
				others += int64(len(n.took(b)))
			}
		}
		if int64(len(mine)) < most && int64(len(mine))+others < n.limit(r) {
			return false
		}
		for _, j := range mine {
			if u.Pick > 0 && (!u.Dearest && price(i) < price(j) || u.Dearest && price(i) > price(j)) {
				return false
			}
		}
	}
	return true
}

func (n *naive) reaches(r, line int) bool {
	return slices.Contains(n.kinds(r), n.kind(n.p.Units[r].Goal, line))
}

// everyKind prices "every" for one product after the other, where they are judged
// by themselves.
func (n *naive) everyKind(r int, kinds []int, off []int64, f func([]int64)) {
	if len(kinds) == 0 {
		f(off)
		return
	}
	n.everyWays(r, kinds[0], func(next []int64) { n.everyKind(r, kinds[1:], next, f) }, off)
}

// everyWays prices "every": each split of the units into those that earn and
// those that are rewarded.
func (n *naive) everyWays(r, kind int, f func([]int64), off []int64) {
	u := n.p.Units[r]
	mine := n.ofKind(r, kind, n.took(r))
	seen := map[string]bool{}
	for rewards := 1; rewards < len(mine); rewards++ {
		bought := len(mine) - rewards
		if bought%int(u.Size) != 0 {
			continue
		}
		sets := bought / int(u.Size)
		if rewards > sets*int(u.Gets) || rewards <= (sets-1)*int(u.Gets) || int64(rewards) > n.limit(r) {
			continue
		}
		subsets(mine, rewards, func(got []int) {
			var gave []int
			next := slices.Clone(off)
			for _, i := range mine {
				if slices.Contains(got, i) {
					next[i] = n.saves(r, n.units[i], n.p.Lines[n.units[i]].Unit)
					if next[i] == 0 {
						return
					}
				} else {
					gave = append(gave, i)
					if !u.Goal.Scope[n.units[i]] {
						return
					}
				}
			}
			key := string(n.lineTotals(next))
			if seen[key] || !n.rule(r, gave, got, sets) || n.betterReward(r, kind, gave, got, sets) {
				return
			}
			seen[key] = true
			f(next)
		})
	}
}

func (n *naive) lineTotals(off []int64) []byte {
	out := make([]byte, 0, 8*len(n.p.Lines))
	for line := range n.p.Lines {
		var sum int64
		for i, l := range n.units {
			if l == line {
				sum += off[i]
			}
		}
		for s := 0; s < 32; s += 8 {
			out = append(out, byte(sum>>s))
		}
	}
	return out
}

// rule tells whether units can be put into sets in which no rewarded unit is
// dearer than those that earned it, where a unit of the cart lies in both scopes.
func (n *naive) rule(r int, gave, got []int, sets int) bool {
	u := n.p.Units[r]
	both := false
	for _, line := range n.units {
		both = both || u.On[line] && u.Goal.Scope[line]
	}
	if !both {
		return true
	}
	var fits func(gave, got []int, sets int) bool
	fits = func(gave, got []int, sets int) bool {
		if sets == 0 {
			return len(got) == 0
		}
		ok := false
		subsets(gave, int(u.Size), func(earn []int) {
			for k := 1; k <= int(u.Gets) && !ok; k++ {
				subsets(got, k, func(take []int) {
					if ok {
						return
					}
					for _, a := range take {
						for _, b := range earn {
							if n.p.Lines[n.units[a]].Unit > n.p.Lines[n.units[b]].Unit {
								return
							}
						}
					}
					ok = ok || fits(minus(gave, earn), minus(got, take), sets-1)
				})
			}
		})
		return ok
	}
	return fits(gave, got, sets)
}

func minus(a, b []int) []int {
	var out []int
	for _, i := range a {
		if !slices.Contains(b, i) {
			out = append(out, i)
		}
	}
	return out
}

// betterReward tells whether another free unit should have been rewarded: in the
// place of a dearer (for dearest: a cheaper) one, beside it, or for one more set.
func (n *naive) betterReward(r, kind int, gave, got []int, sets int) bool {
	u := n.p.Units[r]
	price := func(i int) int64 { return n.p.Lines[n.units[i]].Unit }
	for _, i := range n.ofKind(r, kind, n.free()) {
		if n.saves(r, n.units[i], price(i)) == 0 {
			continue
		}
		if len(got) < sets*int(u.Gets) && int64(len(got)) < n.limit(r) && n.rule(r, gave, append(slices.Clone(got), i), sets) {
			return true
		}
		for _, j := range got {
			if u.Dearest && price(i) > price(j) && n.rule(r, gave, append(minus(got, []int{j}), i), sets) || !u.Dearest && price(i) < price(j) {
				return true
			}
		}
		if int64(len(got)) >= n.limit(r) {
			continue
		}
		var earn []int
		for _, j := range n.ofKind(r, kind, n.free()) {
			if j != i && u.Goal.Scope[n.units[j]] {
				earn = append(earn, j)
			}
		}
		more := false
		subsets(earn, int(u.Size), func(e []int) { more = more || n.rule(r, e, []int{i}, 1) })
		if more {
			return true
		}
	}
	return false
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

// priced goes on to orders, shipping and gifts with what lines cost by now.
func (n *naive) priced(rungs []int, price []int64, saved map[string]int64, lowered [][]int) {
	p := n.p
	before, afterUnits := make([]int64, len(p.Lines)), make([]int64, len(p.Lines))
	for i, l := range p.Lines {
		before[i] = l.Amount
		if l.Quantity == 0 {
			afterUnits[i] = l.Amount
		}
	}
	for i, line := range n.units {
		afterUnits[line] += price[i]
	}
	var keys []pricing.Key
	var given []naiveGiven
	for _, r := range rungs {
		u := p.Units[r]
		if nd := n.nudge(u.Nudge); nd.HasBudget && saved[u.Key.Nudge] > nd.Budget {
			return
		}
		if !slices.Contains(keys, u.Key) {
			keys = append(keys, u.Key)
		}
		given = append(given, naiveGiven{u.Key, n.nudge(u.Nudge), pricing.UnitClass})
	}
	if n.offLimit(before, afterUnits) || !n.floors(before, afterUnits, lowered) {
		return
	}
	methods := []int{-1}
	if len(p.Methods) > 0 {
		methods = nil
		for m := range p.Methods {
			methods = append(methods, m)
		}
	}
	for orders := range 1 << len(p.Orders) {
		o, ok := n.orders(orders, before, afterUnits, lowered)
		if !ok {
			continue
		}
		o.keys, o.given = append(slices.Clone(keys), o.keys...), append(slices.Clone(given), o.given...)
		for _, m := range methods {
			for ships := range 1 << len(p.Ships) {
				n.ships(o, m, ships, before, afterUnits)
			}
		}
	}
}

func (n *naive) offLimit(before, after []int64) bool {
	var off int64
	for i := range before {
		off += before[i] - after[i]
	}
	return n.p.MostOff > 0 && off > n.p.MostOff
}

func (n *naive) floors(before, after []int64, lowered [][]int) bool {
	for i, l := range n.p.Lines {
		if after[i] >= before[i] || l.Quantity == 0 {
			continue
		}
		rate := n.p.Floor
		for _, nudge := range lowered[i] {
			rate = max(rate, n.nudge(nudge).Floor)
		}
		if !n.floor(l, after[i], l.Quantity, rate) {
			return false
		}
	}
	return true
}

type naiveGiven struct {
	key   pricing.Key
	nudge pricing.Nudge
	class pricing.Class
}

type naiveOrders struct {
	after []int64
	keys  []pricing.Key
	given []naiveGiven
}

func (n *naive) all() []int64 {
	out := make([]int64, len(n.p.Lines))
	for i, l := range n.p.Lines {
		out[i] = l.Quantity
	}
	return out
}

// topped tells whether a higher rung of a replacing ladder holds, of whatever class.
func (n *naive) topped(key pricing.Key, nudge int, before, afterUnits, after []int64) bool {
	if !n.nudge(nudge).Replacing {
		return false
	}
	above := func(k pricing.Key) bool { return k.Nudge == key.Nudge && k.Rung > key.Rung }
	for r, u := range n.p.Units {
		if above(u.Key) && n.unitGoal(r, -1) {
			return true
		}
	}
	for _, o := range n.p.Orders {
		if above(o.Key) && n.holds(o.Goal, before, afterUnits, after) {
			return true
		}
	}
	for _, s := range n.p.Ships {
		if above(s.Key) && n.holds(s.Goal, before, afterUnits, after) {
			return true
		}
	}
	for _, g := range n.p.Gifts {
		if above(g.Key) && n.holds(g.Goal, before, afterUnits, after) {
			return true
		}
	}
	return false
}

// beforeNudges is what lines cost before nudges.
func (n *naive) beforeNudges() []int64 {
	out := make([]int64, len(n.p.Lines))
	for i, l := range n.p.Lines {
		out[i] = l.Amount
	}
	return out
}

// holds judges an order, shipping or gift goal.
func (n *naive) holds(g pricing.Goal, before, afterUnits, after []int64) bool {
	amounts := before
	switch g.Basis {
	case pricing.AfterUnit:
		amounts = afterUnits
	case pricing.AfterOrder:
		amounts = after
	}
	m, any := n.measure(g, n.all(), amounts, -1)
	return n.meets(g, m, any)
}

func (n *naive) orders(set int, before, afterUnits []int64, lowered [][]int) (naiveOrders, bool) {
	p := n.p
	out := naiveOrders{after: slices.Clone(afterUnits)}
	touched := make([][]int, len(lowered))
	for i := range lowered {
		touched[i] = slices.Clone(lowered[i])
	}
	last := -1
	var off int64
	for i := range before {
		off += before[i] - afterUnits[i]
	}
	for i := range p.Orders {
		if set>>i&1 == 1 {
			last = i
		}
	}
	for i, o := range p.Orders {
		if set>>i&1 == 0 {
			continue
		}
		if !n.holds(o.Goal, before, afterUnits, nil) {
			return out, false
		}
		if n.topped(o.Key, o.Nudge, before, afterUnits, nil) {
			return out, false
		}
		weights := make([]int64, len(out.after))
		var base int64
		for j, in := range o.Lines {
			if in {
				weights[j] = out.after[j]
				base += out.after[j]
			}
		}
		take := min(o.Amount, base)
		if o.Percent > 0 {
			take = share(o.Percent, base)
		}
		if o.Cap > 0 {
			take = min(take, o.Cap)
		}
		if p.MostOff > 0 && off+take > p.MostOff {
			if i != last {
				return out, false
			}
			take = p.MostOff - off
		}
		if nd := n.nudge(o.Nudge); take <= 0 || nd.HasBudget && take > nd.Budget {
			return out, false
		}
		off += take
		for j, s := range spread(take, weights) {
			out.after[j] -= s
			if s > 0 {
				touched[j] = append(touched[j], o.Nudge)
			}
		}
		out.keys = append(out.keys, o.Key)
		out.given = append(out.given, naiveGiven{o.Key, n.nudge(o.Nudge), pricing.OrderClass})
	}
	return out, set == 0 || n.floors(before, out.after, touched)
}

func (n *naive) ships(o naiveOrders, m, set int, before, afterUnits []int64) {
	p := n.p
	c := Choice{After: o.after, Units: afterUnits, Keys: slices.Clone(o.keys), Method: m}
	given := slices.Clone(o.given)
	var forFee int64
	shippable := false
	for i, l := range p.Lines {
		c.Pay += o.after[i]
		if !p.TaxShown {
			c.Pay += share(l.Tax, o.after[i])
		}
		if !l.GiftCard {
			forFee += o.after[i]
			shippable = true
		}
	}
	fee := int64(0)
	if m >= 0 && shippable {
		fee = p.Methods[m].Fee(forFee, p.Grams)
	}
	for i, s := range p.Ships {
		if set>>i&1 == 0 {
			continue
		}
		if m < 0 || !n.holds(s.Goal, before, afterUnits, o.after) {
			return
		}
		if n.topped(s.Key, s.Nudge, before, afterUnits, o.after) {
			return
		}
		next := fee
		switch r := s.By[m]; r.Form {
		case pricing.Free:
			next = 0
		case pricing.Off:
			next = max(0, fee-r.Amount)
		case pricing.Flat:
			next = min(fee, r.Amount)
		}
		if nd := n.nudge(s.Nudge); next == fee || nd.HasBudget && fee-next > nd.Budget {
			return
		}
		fee = next
		c.Keys = append(c.Keys, s.Key)
		given = append(given, naiveGiven{s.Key, n.nudge(s.Nudge), pricing.ShippingClass})
	}
	c.Pay += fee
	if !p.TaxShown {
		c.Pay += share(p.ShippingTax, fee)
	}
	slices.SortFunc(c.Keys, pricing.Key.Compare)
	if gifts, ok := n.gifts(given, before, afterUnits, o.after); ok {
		c.Gifts, c.Fee, c.paid = gifts, fee, given
		if n.best == nil || c.better(*n.best) {
			c.by = slices.Clone(n.by)
			n.best = &c
		}
	}
}

func against(a, b pricing.Nudge, ca, cb pricing.Class) bool {
	return a.Group != "" && a.Group == b.Group || a.Refuses&cb != 0 || b.Refuses&ca != 0
}

// gifts gives each gift whose goal holds, or says that the choice is not allowed.
func (n *naive) gifts(given []naiveGiven, before, afterUnits, after []int64) ([]bool, bool) {
	for _, a := range given {
		for _, b := range given {
			if a.key.Nudge != b.key.Nudge && against(a.nudge, b.nudge, a.class, b.class) {
				return nil, false
			}
		}
	}
	out := make([]bool, len(n.p.Gifts))
	left := make([]bool, len(n.p.Gifts)) // gifts that may be given
	for i, g := range n.p.Gifts {
		left[i] = n.holds(g.Goal, before, afterUnits, after) && !n.topped(g.Key, g.Nudge, before, afterUnits, after)
		for _, m := range given {
			if m.key.Nudge != g.Key.Nudge && against(n.nudge(g.Nudge), m.nudge, pricing.GiftClass, m.class) && m.key.Compare(g.Key) < 0 {
				left[i] = false // something of higher priority stands against it
			}
		}
	}
	for slices.Contains(left, true) {
		next := -1 // of the highest list value, or the first of those
		for i, may := range left {
			if may && (next < 0 || n.p.Gifts[i].Worth > n.p.Gifts[next].Worth) {
				next = i
			}
		}
		out[next] = true
		g := n.p.Gifts[next]
		for i, o := range n.p.Gifts {
			if i == next || o.Key.Nudge != g.Key.Nudge && against(n.nudge(g.Nudge), n.nudge(o.Nudge), pricing.GiftClass, pricing.GiftClass) {
				left[i] = false
			}
		}
		for _, m := range given {
			if m.key.Nudge != g.Key.Nudge && against(n.nudge(g.Nudge), m.nudge, pricing.GiftClass, m.class) {
				return nil, false // it is given, so that is not
			}
		}
	}
	return out, true
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
