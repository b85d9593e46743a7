package pricingtest

import (
	"slices"
	"sort"

	"agonal.dev/agonal/core/pricing"
)

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
