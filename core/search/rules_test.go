package search_test

import (
	"cmp"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/pricing/pricingtest"
	"agonal.dev/agonal/core/search"
)

// every enumerates every choice there is of a small problem: any units for any rung,
// any sets, any order and shipping rungs and any method. It knows no rule but how the
// units of one rung are priced; what is allowed, the rules tell.
type every struct {
	p      *pricing.Problem
	free   []int64
	picks  []pricing.Pick
	claims []pricing.Claim
	stacks []pricing.Pick
	least  pricing.Outcome
	keys   []pricing.Key
	any    bool
}

// kinds is the products of the cart, for a rung that judges each by itself.
func (e *every) kinds(u *pricing.Unit) []int {
	out := []int{-1}
	if u.Apart() {
		out = nil
		for i := range e.p.Lines {
			if k := e.p.Kind(u, i); !slices.Contains(out, k) {
				out = append(out, k)
			}
		}
	}
	return out
}

// rung lets a unit rung take nothing, or anything, product by product.
func (e *every) rung(r int) {
	if r == len(e.p.Units) {
		e.taken()
		return
	}
	u := &e.p.Units[r]
	if e.p.Nudge(u.Nudge).Stacks {
		e.stacking(r, e.kinds(u))
		return
	}
	e.products(r, e.kinds(u), pricing.Claim{Unit: r})
}

// stacking puts a rung on top, of some products or of none.
func (e *every) stacking(r int, kinds []int) {
	if len(kinds) == 0 {
		e.rung(r + 1)
		return
	}
	picks, stacks := e.picks, e.stacks
	e.stacking(r, kinds[1:])
	pk := pricing.Pick{Unit: r, Kind: kinds[0]}
	e.picks, e.stacks = append(slices.Clone(picks), pk), append(slices.Clone(stacks), pk)
	e.stacking(r, kinds[1:])
	e.picks, e.stacks = picks, stacks
}

func (e *every) products(r int, kinds []int, c pricing.Claim) {
	if len(kinds) == 0 {
		claims := e.claims
		if len(c.Parts) > 0 {
			e.claims = append(slices.Clone(claims), c)
		}
		e.rung(r + 1)
		e.claims = claims
		return
	}
	e.products(r, kinds[1:], c)
	picks := e.picks
	e.picks = append(slices.Clone(picks), pricing.Pick{Unit: r, Kind: kinds[0]})
	e.takings(r, kinds[0], func(sets int64, parts []pricing.Part) {
		for _, part := range parts {
			e.free[part.Line] -= part.Qty
		}
		next := c
		next.Sets, next.Parts = c.Sets+sets, append(slices.Clone(c.Parts), parts...)
		e.products(r, kinds[1:], next)
		for _, part := range parts {
			e.free[part.Line] += part.Qty
		}
	})
	e.picks = picks
}

// takings gives every way in which a rung may take free units of a product.
func (e *every) takings(r, kind int, yield func(sets int64, parts []pricing.Part)) {
	p, u := e.p, &e.p.Units[r]
	mine := func(in pricing.Scope, line int) bool { return in[line] && (kind < 0 || p.Kind(u, line) == kind) }
	switch u.Form {
	case pricing.SetPrice, pricing.NForM:
		e.sets(u, mine, nil, 0, slices.Clone(e.free), yield)
	case pricing.Every:
		e.draw(func(i int) bool { return mine(u.Goal.Scope, i) }, e.free, func(bought []pricing.Run) {
			n := units(bought)
			if n == 0 || n%u.Size != 0 {
				return
			}
			left := slices.Clone(e.free)
			var parts []pricing.Part
			for _, b := range bought {
				left[b.Line] -= b.Qty
				parts = append(parts, pricing.Part{Line: b.Line, Qty: b.Qty})
			}
			sets := n / u.Size
			e.draw(func(i int) bool { return mine(u.On, i) && p.Saves(u, i, p.Lines[i].Unit) > 0 }, left, func(got []pricing.Run) {
				if g := units(got); g <= (sets-1)*u.Gets || g > sets*u.Gets || p.Overlaps(u) && !pricing.Matched(bought, got, sets, u.Size, u.Gets) {
					return
				}
				all := slices.Clone(parts)
				for _, x := range got {
					all = append(all, pricing.Part{Line: x.Line, Qty: x.Qty, Off: p.Saves(u, x.Line, x.Price)})
				}
				yield(sets, all)
			})
		})
	default:
		e.draw(func(i int) bool { return mine(u.On, i) && p.Saves(u, i, p.Lines[i].Unit) > 0 }, e.free, func(of []pricing.Run) {
			var parts []pricing.Part
			for _, x := range of {
				parts = append(parts, p.Parts(u, x.Line, x.Qty, x.Price)...)
			}
			if len(parts) > 0 {
				yield(0, parts)
			}
		})
	}
}

// sets gives every way to make sets, one after the other.
func (e *every) sets(u *pricing.Unit, mine func(pricing.Scope, int) bool, made []pricing.Part, n int64, free []int64, yield func(int64, []pricing.Part)) {
	if n > 0 {
		yield(n, made)
	}
	e.draw(func(i int) bool { return mine(u.On, i) }, free, func(set []pricing.Run) {
		if units(set) != u.Size {
			return
		}
		left := slices.Clone(free)
		for _, x := range set {
			left[x.Line] -= x.Qty
		}
		if parts := e.p.SetParts(u, set); parts != nil {
			e.sets(u, mine, append(slices.Clone(made), parts...), n+1, left, yield)
			e.p.OtherWays(u, set, func(parts []pricing.Part) {
				e.sets(u, mine, append(slices.Clone(made), parts...), n+1, left, yield)
			})
		}
	})
}

func units(of []pricing.Run) (n int64) {
	for _, x := range of {
		n += x.Qty
	}
	return n
}

// draw gives every selection of free units from some lines.
func (e *every) draw(from func(int) bool, free []int64, yield func([]pricing.Run)) {
	var next func(line int, have []pricing.Run)
	next = func(line int, have []pricing.Run) {
		if line == len(free) {
			yield(have)
			return
		}
		next(line+1, have)
		for n := int64(1); from(line) && n <= free[line]; n++ {
			next(line+1, append(slices.Clone(have), pricing.Run{Line: line, Qty: n, Price: e.p.Lines[line].Unit}))
		}
	}
	next(0, nil)
}

// taken goes on where the rules allow what has been taken.
func (e *every) taken() {
	p := e.p
	allowed, no := p.Allowed(&pricing.Taking{Picks: e.picks, Claims: e.claims, Free: e.free})
	if !no.OK() || allowed[0].From > 0 {
		return
	}
	units, no := p.Priced(slices.Clone(e.claims), e.free, e.stacks)
	if !no.OK() {
		return
	}
	for set := range 1 << len(p.Orders) {
		given := make([]bool, len(p.Orders))
		ok, holds := true, p.HoldsUnder(&units, nil)
		for i := range given {
			r := pricing.Ref{Class: pricing.OrderClass, Index: i}
			if given[i] = set>>i&1 == 1; given[i] {
				ok = ok && holds(r) && !p.Topped(r, holds)
			}
		}
		if !ok {
			continue
		}
		if goods, no := p.Order(&units, given); no.OK() {
			e.shipped(&units, &goods)
		}
	}
}

func (e *every) shipped(units *pricing.UnitChoice, goods *pricing.GoodsSide) {
	p, holds := e.p, e.p.HoldsUnder(units, goods.After)
	methods := []int{-1}
	for m := range p.Methods {
		methods = append(methods[:m:m], m)
	}
	for _, m := range methods {
		for set := range 1 << len(p.Ships) {
			var use []int
			ok := true
			for i := range p.Ships {
				if r := (pricing.Ref{Class: pricing.ShippingClass, Index: i}); set>>i&1 == 1 {
					use = append(use, i)
					ok = ok && m >= 0 && holds(r) && !p.Topped(r, holds)
				}
			}
			ship, no := p.Shipping(goods, m, use)
			paid := p.Paid(units.Given, goods.Given, use)
			if !ok || !no.OK() || !p.RefuseOneAnother(paid).OK() {
				continue
			}
			if gifts, ok := p.GiftsBeside(paid, len(p.Gifts), holds); ok {
				e.consider(pricing.Outcome{
					Method: m, UnitGiven: units.Given, OrderGiven: goods.Given, ShipGiven: ship.Given, GiftGiven: gifts, AfterUnits: units.After, After: goods.After,
					ToPay: goods.ToPay(p.TaxShown) + ship.ToPay(p.TaxShown),
				})
			}
		}
	}
}

// consider keeps the outcome to be preferred: less to pay, fewer rungs, the list that
// comes first, earlier lines that pay less.
func (e *every) consider(o pricing.Outcome) {
	keys := givenKeys(e.p, o)
	if e.any && cmp.Or(cmp.Compare(e.least.ToPay, o.ToPay), cmp.Compare(len(e.keys), len(keys)), slices.CompareFunc(e.keys, keys, pricing.Key.Compare),
		slices.Compare(e.least.After, o.After), slices.Compare(e.least.AfterUnits, o.AfterUnits), cmp.Compare(e.least.Method, o.Method), moreGifts(e.least.GiftGiven, o.GiftGiven)) <= 0 {
		return
	}
	e.least, e.keys, e.any = o, keys, true
}

// moreGifts puts a choice first that gives a gift which the other does not.
func moreGifts(a, b []bool) int {
	for i := range a {
		switch {
		case a[i] && !b[i]:
			return -1
		case b[i] && !a[i]:
			return 1
		}
	}
	return 0
}

func TestTheSearchEqualsTryingEveryChoiceTheRulesAllow(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		shape := pricingtest.Small
		shape.Units, shape.UnitNudges = 5, 2
		p := shape.Draw(t)
		p.Mode = pricing.BestForShopper
		e := &every{p: p, free: p.Quantities()}
		e.rung(0)
		got := search.Solve(p)
		if e.least.ToPay != got.ToPay || !slices.Equal(e.keys, givenKeys(p, got)) {
			t.Log(pricingtest.Describe(p))
		}
		require.Equal(t, e.least.ToPay, got.ToPay)
		require.Equal(t, e.keys, givenKeys(p, got))
		require.Equal(t, e.least.After, got.After)
		require.Equal(t, e.least.GiftGiven, got.GiftGiven)
	})
}
