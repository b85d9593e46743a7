package pricingtest

import (
	"slices"

	"agonal.dev/agonal/core/pricing"
)

// Reached tells whether a choice asks for nothing more of what a rung counts: the goal
// of one of its rewards holds, and the reward is given, superseded by a later rung, has
// nothing left to give, or waits for the goods it could be given on.
func (c Choice) Reached(p *pricing.Problem, rung pricing.Key) bool {
	n := apartUnits(p)
	if c.by != nil {
		n.by = c.by
	}
	s := state{n, c, n.beforeNudges()}
	for i, u := range p.Units {
		if u.Key == rung && (s.given(u.Key, pricing.UnitClass) || s.goalOfAll(u.Goal) && (s.later(u.Key, u.Nudge, pricing.UnitClass) || n.unitGoal(i, -1) && (s.waits(i) || s.idle(i)))) {
			return true
		}
	}
	for _, o := range p.Orders {
		if o.Key == rung && s.holds(o.Goal) && (s.given(o.Key, pricing.OrderClass) || s.later(o.Key, o.Nudge, pricing.OrderClass) || s.nothingOff(o)) {
			return true
		}
	}
	for _, x := range p.Ships {
		if x.Key == rung && s.holds(x.Goal) && (s.given(x.Key, pricing.ShippingClass) || s.later(x.Key, x.Nudge, pricing.ShippingClass) || c.Method < 0 || lower(x, c.Method, c.Fee) == c.Fee) {
			return true
		}
	}
	for i, g := range p.Gifts {
		if g.Key == rung && s.holds(g.Goal) && (c.Gifts[i] || s.later(g.Key, g.Nudge, pricing.GiftClass)) {
			return true
		}
	}
	return false
}

// state is a choice of which is asked what became of its rungs.
type state struct {
	*naive
	c      Choice
	before []int64
}

func (s state) holds(g pricing.Goal) bool { return s.naive.holds(g, s.before, s.c.Units, s.c.After) }

// goalOfAll judges a unit goal with every unit counted.
func (s state) goalOfAll(g pricing.Goal) bool { return s.naive.holds(g, s.before, s.before, s.before) }

func (s state) given(key pricing.Key, class pricing.Class) bool {
	return slices.ContainsFunc(s.c.paid, func(o naiveGiven) bool { return o.key == key && o.class == class })
}

// later tells whether a later rung stands in the place of one: of a replacing ladder
// any that is given; of others a later shipping reward, or gift, of the same kind.
func (s state) later(key pricing.Key, nudge int, class pricing.Class) bool {
	replacing := s.nudge(nudge).Replacing
	is := func(k pricing.Key, c pricing.Class) bool {
		return k.Nudge == key.Nudge && k.Rung > key.Rung && (replacing || c == class && c >= pricing.ShippingClass)
	}
	for i, g := range s.p.Gifts {
		if s.c.Gifts[i] && is(g.Key, pricing.GiftClass) {
			return true
		}
	}
	return slices.ContainsFunc(s.c.paid, func(o naiveGiven) bool { return is(o.key, o.class) })
}

// nothingOff tells whether an order reward has nothing left to give: its goods cost
// nothing, or what it takes of their own prices rounds to nothing.
func (s state) nothingOff(o pricing.Order) bool {
	var before, after int64
	for i, in := range o.Lines {
		if in {
			before, after = before+s.before[i], after+s.c.After[i]
		}
	}
	take := min(o.Amount, before)
	if o.Percent > 0 {
		take = share(o.Percent, before)
	}
	if o.Cap > 0 {
		take = min(take, o.Cap)
	}
	return after == 0 || take == 0
}

// waits tells whether the cart has no goods that a unit reward could be given on.
func (s state) waits(r int) bool {
	u := s.p.Units[r]
	if u.Form == pricing.SetPrice || u.Form == pricing.NForM {
		return false
	}
	for i, line := range s.units {
		if !u.On[line] {
			continue
		}
		if u.Form != pricing.Every {
			return false
		}
		var earn []int
		for j, other := range s.units {
			if j != i && u.Goal.Scope[other] {
				earn = append(earn, j)
			}
		}
		can := false
		subsets(earn, int(u.Size), func(e []int) { can = can || s.rule(r, e, []int{i}, 1) })
		if can {
			return false
		}
	}
	return true
}

// idle tells whether a unit reward has nothing to give: its goods cost nothing, or its
// percentage of each rounds to nothing.
func (s state) idle(r int) bool {
	u := s.p.Units[r]
	for _, line := range s.units {
		price := s.p.Lines[line].Unit
		if !u.On[line] || price == 0 {
			continue
		}
		if u.Form != pricing.PercentOff && u.Form != pricing.Every || percentOff(&u, price) > 0 {
			return false
		}
	}
	return true
}
