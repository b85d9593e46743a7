package pricingtest

import "slices"

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
