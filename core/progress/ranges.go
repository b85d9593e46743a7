package progress

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// verdict is what holds over a range of additions.
type verdict int

const (
	maybe verdict = iota
	always
	never
)

func certain(lo, hi bool) verdict {
	switch {
	case lo && hi:
		return always
	case !lo && !hi:
		return never
	}
	return maybe
}

// span is a range of minor units, both ends possible.
type span struct{ lo, hi money.Minor }

func (a span) plus(b span) span { return span{a.lo + b.lo, a.hi + b.hi} }

// ranges bounds what can happen for additions from lo to hi. Bounds may be
// wider than the truth, never narrower. Shares of a percentage lie within two
// minor units of the exact proportion: half from rounding the sum, one from the
// largest remainder.
type ranges struct {
	*search
	lo, hi money.Minor
	bonds  pricing.Bonds
}

const slack = 2

// goods bounds the goods side under a unit choice and a set of order rewards.
type goods struct {
	units *pricing.UnitChoice
	line  []span // each line after order rewards
	taken []span // what each line lost
	off   span   // everything taken
	exact bool   // every reward of the set takes from the same lines
	mask  pricing.Scope
	sure  bool // the set is surely allowed
	fails bool // the set is surely not allowed
}

// nothing judges whether lines in a scope cost nothing any more.
func (g *goods) nothing(in pricing.Scope) verdict {
	out := always
	for j, l := range g.line {
		switch {
		case !in[j] || l.hi <= 0:
		case l.lo > 0:
			return never
		default:
			out = maybe
		}
	}
	return out
}

// orderIdle judges whether an order reward would take nothing of its lines' own prices.
func (r *ranges) orderIdle(i int) verdict {
	o := &r.p.Orders[i]
	var base span
	for j, in := range o.Lines {
		switch {
		case !in:
		case j == 0:
			base = base.plus(span{r.lo, r.hi})
		default:
			base = base.plus(span{r.p.Lines[j].Amount, r.p.Lines[j].Amount})
		}
	}
	return certain(o.Off(base.lo) == 0, o.Off(base.hi) == 0)
}

// after returns the range of a line once unit rewards are taken; none touches the
// added unit.
func (r *ranges) after(c *pricing.UnitChoice, j int) span {
	if j == 0 {
		return span{r.lo, r.hi}
	}
	return span{c.After[j], c.After[j]}
}

// allows judges whether a unit choice is allowed.
func (r *ranges) allows(c *pricing.UnitChoice) verdict {
	return r.inRange(c.From, c.To, true)
}

// inRange judges whether additions lie from one price to another.
func (r *ranges) inRange(from, to money.Minor, ok bool) verdict {
	switch {
	case !ok || r.hi < from || r.lo > to:
		return never
	case from <= r.lo && r.hi <= to:
		return always
	}
	return maybe
}

// under bounds the goods side with a unit choice and the order rewards marked in
// given.
func (r *ranges) under(c *pricing.UnitChoice, given []bool) goods {
	n := len(r.p.Lines)
	g := goods{units: c, line: make([]span, n), taken: make([]span, n), exact: true, sure: true}
	for j := range g.line {
		g.line[j] = r.after(c, j)
	}
	switch r.allows(c) {
	case never:
		g.fails = true
		return g
	case maybe:
		g.sure = false
	}
	if r.bonds.Units && r.p.Clashes(c.Given, given) {
		g.fails = true
		return g
	}
	last := -1
	for i, is := range given {
		if is {
			last = i
		}
	}
	for i := range r.p.Orders {
		if !given[i] {
			continue
		}
		o := &r.p.Orders[i]
		switch r.early(o.Goal, c) {
		case never:
			g.fails = true
			return g
		case maybe:
			g.sure = false
		}
		switch r.topped(i, c) {
		case always:
			g.fails = true
			return g
		case maybe:
			g.sure = false
		}
		off := r.take(&g, o, i == last)
		if budget, is := r.p.BudgetOf(i); is {
			g.fails = g.fails || off.lo > budget
			g.sure = g.sure && off.hi <= budget
		}
	}
	if r.bonds.Limits && last >= 0 && !g.fails {
		sure, can := r.p.FloorsOver(c, given, func(j int) money.Minor { return g.line[j].lo }, func(j int) money.Minor { return g.line[j].hi })
		g.sure, g.fails = g.sure && sure, !can
	}
	return g
}

// topped judges whether a higher rung of the same replacing ladder holds.
func (r *ranges) topped(i int, c *pricing.UnitChoice) verdict {
	out := never
	o := &r.p.Orders[i]
	for _, h := range r.p.Orders[i+1:] {
		if !r.p.Replaces(o.Nudge) || h.Key.Nudge != o.Key.Nudge {
			continue
		}
		switch r.early(h.Goal, c) {
		case always:
			return always
		case maybe:
			out = maybe
		}
	}
	return out
}

// early judges a goal that looks at values before order rewards.
func (r *ranges) early(goal pricing.Goal, c *pricing.UnitChoice) verdict {
	at := func(x money.Minor) (int64, bool) {
		amounts := make([]money.Minor, len(r.p.Lines))
		for j := range amounts {
			if goal.Basis == pricing.Before {
				amounts[j] = r.p.Lines[j].Amount
			} else {
				amounts[j] = c.After[j]
			}
		}
		amounts[0] = x
		r.p.Lines[0].Amount = x
		return r.p.MeasureOf(goal, amounts)
	}
	lo, any := at(r.lo)
	hi, anyHi := at(r.hi)
	v := certain(goal.Meets(lo, any), goal.Meets(hi, anyHi))
	if v == never && goal.Most > 0 && lo < goal.Threshold && hi > goal.Most {
		return maybe
	}
	return v
}

// take bounds what an order reward takes; the last one is trimmed to what may be
// taken off an order at most.
func (r *ranges) take(g *goods, o *pricing.Order, last bool) span {
	if g.mask == nil {
		g.mask = o.Lines
	}
	var base span
	for j, in := range o.Lines {
		g.exact = g.exact && in == g.mask[j]
		if in {
			base = base.plus(g.line[j])
		}
	}
	if g.exact {
		// All take from the same lines: what remains there is a step function of
		// the addition that never falls, so its ends are exact.
		base = span{-g.off.lo, -g.off.hi}
		for j, in := range o.Lines {
			if in {
				base = base.plus(r.after(g.units, j))
			}
		}
	}
	off := span{o.Off(base.lo), o.Off(base.hi)}
	trimmed := false
	if r.p.MostOff > 0 {
		room := r.room(g)
		switch {
		case off.hi <= room.lo:
		case last && off.lo >= room.hi:
			off, trimmed = span{max(0, room.lo), max(0, room.hi)}, true
		case !last && off.lo > room.hi:
			g.fails = true
		default:
			off, trimmed, g.exact = span{0, min(off.hi, max(0, room.hi))}, true, false
		}
	}
	if off.hi == 0 {
		g.fails = true
	}
	if off.lo == 0 {
		g.sure = false
	}
	g.off = g.off.plus(off)
	full := o.Percent > 0 && (o.Cap == 0 || off.hi < o.Cap) && !trimmed
	for j, in := range o.Lines {
		if !in {
			continue
		}
		was := g.line[j]
		var share span
		if full {
			low, high := sharesOf(o.Percent, was.lo), sharesOf(o.Percent, was.hi)
			share = span{low.lo, high.hi}
			g.line[j] = span{was.lo - low.hi, was.hi - high.lo}
		} else {
			share = span{portion(off.lo, was.lo, base.hi) - slack, portion(off.hi, was.hi, base.lo) + slack}
			g.line[j] = span{was.lo - share.hi, was.hi - share.lo}
		}
		share = span{max(0, share.lo), max(0, min(share.hi, was.hi))}
		g.line[j] = span{max(0, g.line[j].lo), max(0, g.line[j].hi)}
		g.taken[j] = g.taken[j].plus(share)
	}
	return off
}

// room bounds how much may still be taken off the order.
func (r *ranges) room(g *goods) span {
	most := r.p.MostOff
	for j := 1; j < len(r.p.Lines); j++ {
		most -= r.p.Lines[j].Amount - g.units.After[j]
	}
	return span{most - g.off.hi, most - g.off.lo}
}

// sharesOf bounds the share that an uncapped percentage takes from a line: the
// sum is rounded by at most half a minor unit, of which a line bears its part at
// most, and the share is that rounded down or up.
func sharesOf(rate money.Rate, line money.Minor) span {
	exact := int64(rate) * (line % int64(money.Whole))
	whole := int64(rate) * (line / int64(money.Whole))
	half := int64(money.Whole) / 2
	return span{max(0, whole+floorDiv(exact-half, int64(money.Whole))), whole - floorDiv(-exact-half, int64(money.Whole))}
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// portion is off × weight ÷ base, for a base of at least one minor unit.
func portion(off, weight, base money.Minor) money.Minor {
	m, err := money.MulDiv(off, weight, max(1, base))
	if err != nil {
		return money.Most
	}
	return m
}

// pay bounds what the goods cost with tax, less the price of the added unit with
// its tax: a figure that can be compared between choices.
func (r *ranges) pay(g goods) span {
	var out span
	if r.p.TaxShown {
		for j := 1; j < len(g.line); j++ {
			out = out.plus(r.after(g.units, j))
		}
		return span{out.lo - g.off.hi, out.hi - g.off.lo}
	}
	for j, l := range r.p.Lines {
		if j == 0 {
			less := span{g.taken[0].lo + on(l.Tax, g.taken[0].lo) - slack, g.taken[0].hi + on(l.Tax, g.taken[0].hi) + slack}
			out = out.plus(span{-less.hi, -less.lo})
			continue
		}
		out = out.plus(span{g.line[j].lo + on(l.Tax, g.line[j].lo), g.line[j].hi + on(l.Tax, g.line[j].hi)})
	}
	return out
}

func on(rate money.Rate, m money.Minor) money.Minor {
	t, _ := rate.Of(m)
	return t
}

// value bounds the value of lines, tight where the rewards given take from
// these lines only.
func (r *ranges) value(g goods, in func(j int) bool) span {
	all := g.exact
	var v, before span
	for j := range g.line {
		if !in(j) {
			all = all && (g.mask == nil || !g.mask[j])
			continue
		}
		v = v.plus(g.line[j])
		before = before.plus(r.after(g.units, j))
	}
	if all {
		return span{before.lo - g.off.lo, before.hi - g.off.hi}
	}
	return v
}

// goalUnder judges a goal under a unit choice and a set of order rewards.
func (r *ranges) goalUnder(goal pricing.Goal, g goods) verdict {
	if goal.Basis != pricing.AfterOrder || goal.Measure != pricing.Value {
		return r.early(goal, g.units)
	}
	v := r.value(g, func(j int) bool { return goal.Scope[j] })
	if goal.WithoutTax && r.p.TaxShown {
		v = span{}
		for j, in := range goal.Scope {
			if in {
				v = v.plus(span{net(r.p.Lines[j].Tax, g.line[j].lo), net(r.p.Lines[j].Tax, g.line[j].hi)})
			}
		}
	}
	_, any := r.p.MeasureOf(goal, amounts(r.p))
	out := certain(goal.Meets(v.lo, any), goal.Meets(v.hi, any))
	if out == never && goal.Most > 0 && v.lo < goal.Threshold && v.hi > goal.Most {
		return maybe
	}
	return out
}

func net(rate money.Rate, m money.Minor) money.Minor {
	t, _ := rate.Within(m)
	return m - t
}

// best judges the target where the best choice for the shopper is made: all
// unit choices, sets of order rewards and methods that could win must agree.
func (r *ranges) best() verdict {
	orders := len(r.p.Orders)
	if orders > 12 {
		return maybe
	}
	var options []option
	least := money.Minor(1 << 62)
	given := make([]bool, orders)
	choices := r.prepared.Choices
	for c := range choices {
		if r.allows(&choices[c]) == never {
			continue
		}
		for set := range 1 << orders {
			for i := range given {
				given[i] = set>>i&1 == 1
			}
			g := r.under(&choices[c], given)
			if g.fails {
				continue
			}
			if r.bonds.Gifts {
				allowed := r.gifts(given, &g)
				if allowed == never {
					continue
				}
				g.sure = g.sure && allowed == always && !r.bonds.Ships
			}
			pay := r.pay(g)
			for m := range max(1, len(r.p.Methods)) {
				fee, holds := r.fee(g, m)
				all := pay.plus(fee)
				if all.lo > least {
					continue
				}
				if g.sure {
					least = min(least, all.hi)
				}
				options = append(options, option{all, r.target(given, g, m, holds), c, set, m})
			}
		}
	}
	if out := agreed(options, least); out != maybe || r.lo == r.hi {
		return out
	}
	return r.steady(options, least)
}

// option is a choice that may be the best: what it costs, and what becomes of the
// target if it is.
type option struct {
	pay   span
	judge verdict
	// The unit choice, the set of order rewards and the method.
	choice, set, method int
}

// agreed is what all options say that may be the best, where one of them costs no
// more than least.
func agreed(options []option, least money.Minor) verdict {
	out, seen := maybe, false
	for _, o := range options {
		if o.pay.lo > least {
			continue
		}
		if o.judge == maybe || seen && o.judge != out {
			return maybe
		}
		out, seen = o.judge, true
	}
	return out
}

// steady judges the target where it is not the addition that makes a difference: what
// may be the best differs by the same amounts throughout, and every goal and fee stays
// as it is, so that the best choice for one addition is that for all of them.
func (r *ranges) steady(options []option, least money.Minor) verdict {
	var first *option
	given := make([]bool, len(r.p.Orders))
	for i := range options {
		o := &options[i]
		switch {
		case o.pay.lo > least:
			continue
		case first == nil:
			first = o
		case len(r.p.Orders) > 0 && (o.set != first.set || !r.costAlike(o.choice, first.choice)):
			return maybe // percentages are rounded for each addition anew
		}
		for k := range given {
			given[k] = o.set>>k&1 == 1
		}
		g := r.under(&r.prepared.Choices[o.choice], given)
		if !g.sure || !r.settled(given, &g, o.method) || !r.targetSettled(&g) {
			return maybe
		}
	}
	if first == nil {
		return maybe
	}
	if _, alone := r.cost(); r.charge(alone) && r.reached(r.lo) {
		return always
	}
	return never
}

// costAlike tells whether every line costs the same by two unit choices.
func (r *ranges) costAlike(a, b int) bool {
	return a == b || slices.Equal(r.prepared.Choices[a].After[1:], r.prepared.Choices[b].After[1:])
}

// settled tells whether all goals of shipping rungs and gifts stay as they are, and the
// fee that a method's table holds.
func (r *ranges) settled(given []bool, g *goods, m int) bool {
	return (!r.bonds.Gifts || r.gifts(given, g) != maybe) && r.goalsSettled(g) && r.feeSettled(g, m)
}

// goalsSettled tells whether all goals of shipping rungs and gifts stay as they are.
func (r *ranges) goalsSettled(g *goods) bool {
	for i := range r.p.Ships {
		if r.goalUnder(r.p.Ships[i].Goal, *g) == maybe {
			return false
		}
	}
	return r.giftsSettled(g, len(r.p.Gifts))
}

// giftsSettled tells whether the goals of the first n gifts stay as they are.
func (r *ranges) giftsSettled(g *goods, n int) bool {
	for i := range n {
		if r.goalUnder(r.p.Gifts[i].Goal, *g) == maybe {
			return false
		}
	}
	return true
}

// feeSettled tells whether a method's table holds one fee throughout.
func (r *ranges) feeSettled(g *goods, method int) bool {
	if method < 0 || len(r.p.Methods) == 0 {
		return true
	}
	fee := r.listFee(*g, method)
	return fee.lo == fee.hi
}

// targetSettled tells whether what makes the target reached, besides what is given and
// the goals of shipping rungs and gifts, stays as it is.
func (r *ranges) targetSettled(g *goods) bool {
	switch i := r.t.Index; r.t.Class {
	case pricing.UnitClass:
		u := &r.p.Units[i]
		return (u.Goal.Most == 0 || r.passed(u.Goal) != maybe) && (g.units.Given[i] || r.heldIdle(g.units) != maybe)
	case pricing.OrderClass:
		o := &r.p.Orders[i]
		idle, nothing := r.orderIdle(i), g.nothing(o.Lines)
		return idle == never && nothing == never || idle != maybe && nothing != maybe && r.early(o.Goal, g.units) != maybe
	}
	return true
}

// fee bounds the fee with its tax for method m, and tells which goals hold.
func (r *ranges) fee(g goods, m int) (span, []verdict) {
	holds := make([]verdict, len(r.p.Ships))
	for i := range r.p.Ships {
		holds[i] = r.goalUnder(r.p.Ships[i].Goal, g)
	}
	if len(r.p.Methods) == 0 {
		return span{}, holds
	}
	fee := r.listFee(g, m)
	for i, s := range r.p.Ships {
		if holds[i] != never {
			fee.lo = s.By[m].Lower(fee.lo)
		}
		if holds[i] == always && !r.bonds.Ships && !r.p.Replaces(s.Nudge) {
			fee.hi = s.By[m].Lower(fee.hi)
		}
	}
	if !r.p.TaxShown {
		fee = span{fee.lo + on(r.p.ShippingTax, fee.lo), fee.hi + on(r.p.ShippingTax, fee.hi)}
	}
	return fee, holds
}

func (r *ranges) listFee(g goods, m int) span {
	v := r.value(g, func(j int) bool { return !r.p.Lines[j].GiftCard })
	least, most := r.p.Methods[m].FeeRange(max(0, v.lo), max(0, v.hi), r.p.Grams)
	return span{least, most}
}

// target judges the target rung if this unit choice, set and method win.
func (r *ranges) target(given []bool, g goods, m int, holds []verdict) verdict {
	switch r.t.Class {
	case pricing.UnitClass:
		return r.unitTarget(g.units)
	case pricing.OrderClass:
		return r.orderTarget(given, g)
	case pricing.GiftClass:
		return r.giftTarget(given, g, m)
	}
	goal := holds[r.t.Index]
	if goal != always {
		return goal
	}
	if len(r.p.Methods) == 0 {
		return always
	}
	free := r.p.Ships[r.t.Index].By[m].Form == pricing.Free && !r.bonds.Ships && !r.bonds.Gifts && !r.p.Replaces(r.p.Ships[r.t.Index].Nudge)
	if free || r.p.Ships[r.t.Index].By[m].Form == pricing.NoShippingReward {
		return always
	}
	return r.undecided(given, g, m)
}

// undecided judges a shipping or gift rung whose goal is not all that matters.
func (r *ranges) undecided(given []bool, g goods, m int) verdict {
	if r.bonds.Ships || r.bonds.Gifts {
		return maybe
	}
	if !r.goalsSettled(&g) {
		return maybe
	}
	if len(r.p.Methods) > 0 {
		if fee := r.listFee(g, m); fee.lo != fee.hi {
			return maybe
		}
	} else {
		m = -1
	}
	return r.fixed(g.units, given, m)
}

// giftTarget judges a gift: its goal, and what is given that stands against it.
func (r *ranges) giftTarget(given []bool, g goods, m int) verdict {
	gift := &r.p.Gifts[r.t.Index]
	goal := r.goalUnder(gift.Goal, g)
	switch {
	case !r.bonds.Gifts || goal == never:
		return goal // of a replacing ladder it or one above it is given
	case r.bonds.Ships || r.p.GiftsBound(r.t.Index):
		return maybe
	}
	if blocked, _ := r.p.GiftAgainst(r.t.Index, g.units.Given, given); blocked {
		return never
	}
	return goal
}

// gifts judges whether the gifts allow a choice: one of higher priority whose goal
// holds keeps others from being given, unless a shipping rung stands against it.
func (r *ranges) gifts(given []bool, g *goods) verdict {
	out := always
	for i := range r.p.Gifts {
		blocked, blocks := r.p.GiftAgainst(i, g.units.Given, given)
		if blocked || !blocks {
			continue
		}
		switch goal := r.goalUnder(r.p.Gifts[i].Goal, *g); {
		case goal == always && !r.bonds.Ships:
			return never
		case goal != never:
			out = maybe
		}
	}
	return out
}

// unitTarget judges a unit rung: given, superseded, or with nothing to give.
func (r *ranges) unitTarget(c *pricing.UnitChoice) verdict {
	i := r.t.Index
	u := &r.p.Units[i]
	if u.Goal.Most > 0 {
		if v := r.passed(u.Goal); v != never {
			return maybe
		}
	}
	if c.Given[i] {
		return always
	}
	for j := i + 1; j < len(r.p.Units); j++ {
		if c.Given[j] && r.p.Units[j].Key.Nudge == u.Key.Nudge && r.p.Replaces(u.Nudge) {
			return always
		}
	}
	return r.heldIdle(c)
}

// heldIdle judges whether the target, a unit rung that is not given, holds and has
// nothing to give.
func (r *ranges) heldIdle(c *pricing.UnitChoice) verdict {
	if !r.p.Idle(r.t.Index) && !r.p.Waits(r.t.Index) {
		return never
	}
	return r.inRange(r.p.HeldBeside(c, r.t.Index))
}

func (r *ranges) passed(g pricing.Goal) verdict {
	measure := func(x money.Minor) bool {
		r.p.Lines[0].Amount = x
		m, _ := r.p.MeasureOf(g, amounts(r.p))
		return m > g.Most
	}
	return certain(measure(r.lo), measure(r.hi))
}

func (r *ranges) orderTarget(given []bool, g goods) verdict {
	o := &r.p.Orders[r.t.Index]
	goal := r.early(o.Goal, g.units)
	if goal == never {
		return never
	}
	if given[r.t.Index] {
		return always
	}
	for j := r.t.Index + 1; j < len(given); j++ {
		if given[j] && r.p.Orders[j].Key.Nudge == o.Key.Nudge && r.p.Replaces(o.Nudge) {
			return goal
		}
	}
	switch idle, nothing := r.orderIdle(r.t.Index), g.nothing(o.Lines); {
	case idle == always, nothing == always:
		return goal
	case idle == maybe, nothing == maybe:
		return maybe
	}
	return never
}

// fixed judges a rung over a range in which the fee and every goal stay as they
// are: the rungs given are then the same throughout.
func (r *ranges) fixed(c *pricing.UnitChoice, given []bool, m int) verdict {
	p := r.at(r.lo)
	o, ok := p.Under(*c, given, m)
	if !ok {
		return maybe
	}
	if attained(p.Status(&o, r.t)) {
		return always
	}
	return never
}

// byPriority judges the target where rungs are taken in the merchant's order: if
// every goal is certain at its turn, all additions in the range go the same way.
func (r *ranges) byPriority() verdict {
	if !r.bonds.Units && !r.bonds.Ships && !r.bonds.Gifts {
		if v := r.byGoals(); v != maybe {
			return v
		}
	}
	return r.sameWay()
}

// byGoals judges the target where nothing binds rungs, by the goals of shipping
// rungs and gifts, for whatever fee there is.
func (r *ranges) byGoals() verdict {
	out := maybe
	for m := min(0, len(r.p.Methods)-1); m < len(r.p.Methods); m++ {
		t, sure := r.walk(m)
		if !sure {
			return maybe
		}
		c := r.anytime(t)
		g := r.under(&c, t.Orders)
		holds := make([]verdict, len(r.p.Ships))
		for i := range holds {
			holds[i] = r.goalUnder(r.p.Ships[i].Goal, g)
			if holds[i] == maybe || holds[i] == always && !slices.Contains(t.Reached(), i) {
				return maybe
			}
		}
		for i, gift := range r.p.Gifts {
			if v := r.goalUnder(gift.Goal, g); v == maybe || v == always && !slices.Contains(t.ReachedGifts(), i) {
				return maybe
			}
		}
		v := r.target(t.Orders, g, max(0, m), holds)
		if m > 0 && v != out {
			return maybe
		}
		out = v
	}
	return out
}

// sameWay judges the target where the walk, the goals and the list fee are the same
// for all additions, for every method that may be the cheapest: what one of them comes
// to holds for each.
func (r *ranges) sameWay() verdict {
	var ways []way
	for m := min(0, len(r.p.Methods)-1); m < len(r.p.Methods); m++ {
		t, sure := r.walk(m)
		if !sure {
			return maybe
		}
		c := r.anytime(t)
		w := way{t: t, g: r.under(&c, t.Orders), method: m}
		w.pay = r.pay(w.g).plus(r.lowered(&w.g, t, m))
		ways = append(ways, w)
	}
	for i := range ways {
		w := &ways[i]
		if !cheapest(ways, i) {
			continue
		}
		if !r.goalsSettled(&w.g) || !r.targetSettled(&w.g) || !r.feeSettled(&w.g, w.method) {
			return maybe
		}
		// Of walks that differ only in the fee the fees alone tell the cheapest.
		for k := range ways {
			if k != i && cheapest(ways, k) && !w.alike(&ways[k]) {
				return maybe
			}
		}
	}
	if _, alone := r.cost(); r.charge(alone) && r.reached(r.lo) {
		return always
	}
	return never
}

// way is what a walk comes to for a method.
type way struct {
	t      *pricing.Turns
	g      goods
	method int
	pay    span // less the price of the added unit
}

func (w *way) alike(o *way) bool {
	return slices.Equal(w.t.Orders, o.t.Orders) && slices.Equal(w.t.Units.After[1:], o.t.Units.After[1:])
}

// cheapest tells whether a way may be the cheapest.
func cheapest(ways []way, i int) bool {
	return !slices.ContainsFunc(ways, func(o way) bool { return o.pay.hi < ways[i].pay.lo })
}

// lowered bounds the fee with its tax, once the shipping rungs of a walk have lowered it.
func (r *ranges) lowered(g *goods, t *pricing.Turns, method int) span {
	if method < 0 {
		return span{}
	}
	fee := r.listFee(*g, method)
	for _, i := range t.Reached() {
		fee = span{r.p.Ships[i].By[method].Lower(fee.lo), r.p.Ships[i].By[method].Lower(fee.hi)}
	}
	if r.bonds.Budget {
		fee.hi = r.listFee(*g, method).hi // a budget may keep some of them
	}
	if !r.p.TaxShown {
		fee = span{fee.lo + on(r.p.ShippingTax, fee.lo), fee.hi + on(r.p.ShippingTax, fee.hi)}
	}
	return fee
}

// walk takes rungs in the merchant's order for all additions at once, for a method
// (-1: there is none); false where they may go different ways.
func (r *ranges) walk(method int) (*pricing.Turns, bool) {
	sure := true
	note := func(v verdict) bool {
		sure = sure && v != maybe
		return v == always
	}
	r.p.Lines[0].Amount = r.lo
	t := r.p.InOrder(pricing.Judge{
		Unit: func(unit, kind int, units func(int) int64) bool {
			return note(r.inRange(r.p.UnitHeldFor(unit, kind, units)))
		},
		Within: func(ranges [][2]money.Minor) bool {
			out := never
			for _, x := range ranges {
				if v := r.inRange(x[0], x[1], true); v == always || v == maybe {
					out = v
				}
				if out == always {
					break
				}
			}
			return note(out)
		},
		Goal: func(g pricing.Goal, t *pricing.Turns) bool {
			c := r.anytime(t)
			return note(r.goalUnder(g, r.under(&c, t.Orders)))
		},
		Allowed: func(t *pricing.Turns) bool {
			c := r.anytime(t)
			g := r.under(&c, t.Orders)
			ok := certain(g.sure && !g.fails, !g.fails)
			if ok == always && r.bonds.Gifts && t.Asked() > 0 {
				if ok = maybe; r.giftsSettled(&g, t.Asked()) && r.feeSettled(&g, method) {
					r.p.Lines[0].Amount = r.lo
					if ok = never; r.p.AllowedNow(t, method) {
						ok = always
					}
				}
			}
			return note(ok)
		},
		Lowers: func(i int, t *pricing.Turns) bool {
			if method < 0 {
				return false
			}
			c := r.anytime(t)
			fee := r.listFee(r.under(&c, t.Orders), method)
			lowers := func(fee money.Minor) bool {
				for _, s := range t.Reached() {
					fee = r.p.Ships[s].By[method].Lower(fee)
				}
				return r.p.Ships[i].By[method].Lower(fee) < fee
			}
			return note(certain(lowers(fee.lo), lowers(fee.hi)))
		},
	})
	return t, sure
}

// anytime is the unit choice of a walk, allowed for every addition: its goals are
// judged by the walk itself.
func (r *ranges) anytime(t *pricing.Turns) pricing.UnitChoice {
	c := t.Units
	c.From, c.To = 0, 1<<60
	return c
}
