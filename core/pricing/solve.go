package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// MostSubsets bounds the search for the best choice: with more subsets of order
// rungs than this, the first ones by key are searched, and the outcome says by
// how much a better one could be cheaper. A count, never a clock, so that the
// same input gives the same answer everywhere.
const MostSubsets = 1 << 12

// Solve chooses which rungs are given. It works for any problem whose amounts
// sum up within money.Most.
func (p *Problem) Solve() Outcome {
	methods := make([]int, 0, len(p.Methods)+1)
	for m := range p.Methods {
		methods = append(methods, m)
	}
	if len(methods) == 0 {
		methods = append(methods, -1)
	}
	return p.solve(methods)
}

// SolveFor is Solve with one of the methods chosen.
func (p *Problem) SolveFor(method int) Outcome { return p.solve([]int{method}) }

func (p *Problem) solve(methods []int) Outcome {
	amounts := p.before(make([]money.Minor, 0, len(p.Lines)))
	var open []int // order rungs whose goal holds
	for i, o := range p.Orders {
		if o.Goal.Holds(p.counted(o.Goal, amounts)) {
			open = append(open, i)
		}
	}
	var best *candidate
	consider := func(c candidate) {
		if best == nil || p.better(c, *best) {
			best = &c
		}
	}
	if p.Mode == ByPriority {
		for _, m := range methods {
			consider(p.byPriority(open, m))
		}
		return p.outcome(*best)
	}
	searched := open
	for 1<<len(searched) > MostSubsets {
		searched = searched[:len(searched)-1]
	}
	for set := range 1 << len(searched) {
		given := make([]bool, len(p.Orders))
		for bit, i := range searched {
			given[i] = set>>bit&1 == 1
		}
		st, ok := p.order(given)
		if !ok {
			continue
		}
		holds := p.shipHolds(st.after)
		for _, m := range methods {
			consider(candidate{st, p.shipping(&st, m, holds)})
		}
	}
	exact := len(searched) == len(open)
	if !exact {
		for _, m := range methods {
			consider(p.byPriority(open, m))
		}
	}
	out := p.outcome(*best)
	out.Exact = exact
	if !exact {
		all := make([]bool, len(p.Orders))
		for _, i := range open {
			all[i] = true
		}
		if st, ok := p.order(all); ok {
			out.Gap = out.ToPay - st.toPay(p.TaxShown)
		}
	}
	return out
}

func (p *Problem) shipHolds(after []money.Minor) []bool {
	holds := make([]bool, len(p.Ships))
	for i, s := range p.Ships {
		holds[i] = p.GoalHolds(s.Goal, after)
	}
	return holds
}

// GoalHolds tells whether a goal holds when lines cost after, once order rewards
// are taken.
func (p *Problem) GoalHolds(g Goal, after []money.Minor) bool {
	return g.Holds(p.Measure(g, after))
}

// Measure returns the counted value of a goal when lines cost after, once order
// rewards are taken.
func (p *Problem) Measure(g Goal, after []money.Minor) money.Minor {
	if g.Basis == Before {
		return p.counted(g, p.before(make([]money.Minor, 0, len(p.Lines))))
	}
	return p.counted(g, after)
}

type candidate struct {
	goodsStage
	shipStage
}

func (p *Problem) pay(c candidate) money.Minor {
	return c.goodsStage.toPay(p.TaxShown) + c.shipStage.toPay(p.TaxShown)
}

// better tells whether a is to be preferred: less to pay; then fewer rungs;
// then the list of rungs that comes first; then earlier lines that pay less;
// then the method that comes first.
func (p *Problem) better(a, b candidate) bool {
	if x, y := p.pay(a), p.pay(b); x != y {
		return x < y
	}
	if x, y := a.goodsStage.count+a.shipStage.count, b.goodsStage.count+b.shipStage.count; x != y {
		return x < y
	}
	if c := slices.CompareFunc(p.keys(a), p.keys(b), Key.Compare); c != 0 {
		return c < 0
	}
	if c := slices.Compare(a.after, b.after); c != 0 {
		return c < 0
	}
	return a.method < b.method
}

func (p *Problem) keys(c candidate) []Key {
	var out []Key
	for i, g := range c.goodsStage.given {
		if g {
			out = append(out, p.Orders[i].Key)
		}
	}
	for i, g := range c.shipStage.given {
		if g {
			out = append(out, p.Ships[i].Key)
		}
	}
	slices.SortFunc(out, Key.Compare)
	return out
}

// byPriority takes rungs in the merchant's order.
func (p *Problem) byPriority(open []int, method int) candidate {
	given, reached := p.InOrder(
		func(i int) bool { return slices.Contains(open, i) },
		func(i int, given []bool) bool {
			return p.GoalHolds(p.Ships[i].Goal, p.AfterOrders(given))
		},
		func(given []bool) bool {
			_, ok := p.order(given)
			return ok
		},
	)
	holds := make([]bool, len(p.Ships))
	for _, i := range reached {
		holds[i] = true
	}
	st, _ := p.order(given)
	return candidate{st, p.shipping(&st, method, holds)}
}

// InOrder takes rungs in the merchant's order, each wherever its goal holds at
// its turn and no earlier one loses its own by it. The questions are asked of the
// caller: whether an order rung's goal holds, whether a shipping rung's goal
// holds under a set of order rungs, and whether a set is allowed. It returns the
// order rungs taken and the shipping rungs reached.
func (p *Problem) InOrder(
	orderHolds func(i int) bool,
	shipHolds func(i int, given []bool) bool,
	allowed func(given []bool) bool,
) (given []bool, reached []int) {
	given = make([]bool, len(p.Orders))
	for _, t := range p.turns() {
		if !t.order {
			if shipHolds(t.index, given) {
				reached = append(reached, t.index)
			}
			continue
		}
		if !orderHolds(t.index) {
			continue
		}
		try := slices.Clone(given)
		try[t.index] = true
		if allowed(try) && !slices.ContainsFunc(reached, func(i int) bool { return !shipHolds(i, try) }) {
			given = try
		}
	}
	return given, reached
}

// AfterOrders returns each line once the order rewards marked in given are taken.
func (p *Problem) AfterOrders(given []bool) []money.Minor {
	after := p.before(make([]money.Minor, 0, len(p.Lines)))
	for i, g := range given {
		if !g {
			continue
		}
		for j, s := range p.take(i, after).Shares {
			after[j] -= s
		}
	}
	return after
}

// Under returns the outcome with the given order rungs and method (-1: none),
// false where one of them would take nothing.
func (p *Problem) Under(given []bool, method int) (Outcome, bool) {
	st, ok := p.order(given)
	if !ok {
		return Outcome{}, false
	}
	return p.outcome(candidate{st, p.shipping(&st, method, p.shipHolds(st.after))}), true
}

type turn struct {
	key   Key
	order bool
	index int
}

func (p *Problem) turns() []turn {
	turns := make([]turn, 0, len(p.Orders)+len(p.Ships))
	for i, o := range p.Orders {
		turns = append(turns, turn{o.Key, true, i})
	}
	for i, s := range p.Ships {
		turns = append(turns, turn{s.Key, false, i})
	}
	slices.SortFunc(turns, func(a, b turn) int { return a.key.Compare(b.key) })
	return turns
}

func (p *Problem) outcome(c candidate) Outcome {
	return Outcome{
		Method: c.method, OrderGiven: c.goodsStage.given, ShipGiven: c.shipStage.given,
		Applied: c.applied, After: c.after, Tax: c.goodsStage.tax, Goods: c.goods, GoodsTax: c.taxSum,
		ListFee: c.listFee, Fee: c.fee, FeeTax: c.shipStage.tax, ToPay: p.pay(c), Exact: true,
	}
}
