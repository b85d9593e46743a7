package pricing

import "agonal.dev/agonal/core/money"

// Outcome is a choice of rungs and of units, and what the cart costs under it.
type Outcome struct {
	Method     int // index into Problem.Methods, -1: none
	UnitGiven  []bool
	OrderGiven []bool
	ShipGiven  []bool
	GiftGiven  []bool
	Claims     []Claim // the units each unit rung took
	AfterUnits []money.Minor
	Applied    []Applied
	After      []money.Minor // per line, as shown, after order rewards
	Tax        []money.Minor // per line: within or on top, by Problem.TaxShown
	Goods      money.Minor   // Σ After
	GoodsTax   money.Minor
	ListFee    money.Minor // before shipping rewards, as shown
	Fee        money.Minor
	FeeTax     money.Minor
	ToPay      money.Minor // with tax
	// Exact tells whether no better choice exists; else Gap is the most by which
	// a better one could be cheaper.
	Exact bool
	Gap   money.Minor
	Steps int // that the search took
}

// Gives tells whether an outcome gives a rung.
func (o *Outcome) Gives(r Ref) bool {
	switch r.Class {
	case UnitClass:
		return o.UnitGiven[r.Index]
	case OrderClass:
		return o.OrderGiven[r.Index]
	case GiftClass:
		return o.GiftGiven[r.Index]
	}
	return o.ShipGiven[r.Index]
}

// Status is what became of a rung in an outcome.
type Status int

// The statuses.
const (
	Open    Status = iota // the goal does not hold
	Reached               // it holds; the reward is given, superseded, or has nothing left to give
	Outdone               // it holds, or would if units others took counted; something better stands in its place
	Passed                // its upper end lies behind
	Waiting               // it holds, and the goods that the reward could be given on are not in the cart
)

// Status returns what became of a rung.
func (p *Problem) Status(o *Outcome, r Ref) Status {
	s, _ := p.stand(o, r)
	return s
}

// Stand returns what became of a rung, and its measure: of a unit rung over the units
// that no other nudge has taken.
func (p *Problem) Stand(o *Outcome, r Ref) (Status, int64) {
	s, m := p.stand(o, r)
	if r.Class == UnitClass {
		m = p.UnitMeasure(o, r.Index)
	}
	return s, m
}

// stand returns what became of a rung, and its measure as if no unit were taken.
func (p *Problem) stand(o *Outcome, r Ref) (Status, int64) {
	g := p.GoalOf(r)
	m, any := p.MeasureOf(g, p.At(g.Basis, o.AfterUnits, o.After))
	if g.Most > 0 && m > g.Most && (r.Class != UnitClass || !o.UnitGiven[r.Index]) {
		return Passed, m
	}
	if r.Class == UnitClass {
		return p.unitStatus(o, r.Index), m
	}
	switch {
	case !g.Meets(m, any):
		return Open, m
	case r.Class == OrderClass && (o.OrderGiven[r.Index] || p.Take(r.Index, p.Before(nil), -1, false).Total == 0 || costNothing(p.Orders[r.Index].Lines, o.After)),
		r.Class == GiftClass && o.GiftGiven[r.Index],
		r.Class == ShippingClass && p.nothingLeft(o, r.Index),
		p.superseded(o, r):
		return Reached, m
	}
	return Outdone, m
}

// nothingLeft tells whether a shipping rung is given or has nothing left to give,
// whoever lowered the fee.
func (p *Problem) nothingLeft(o *Outcome, i int) bool {
	return o.ShipGiven[i] || o.Method < 0 || p.Ships[i].By[o.Method].Lower(o.Fee) == o.Fee
}

// costNothing tells whether lines in a scope cost nothing any more.
func costNothing(in Scope, after []money.Minor) bool {
	for i, a := range after {
		if in[i] && a > 0 {
			return false
		}
	}
	return true
}

// superseded tells whether a later rung of the same nudge is given in the place of a
// rung: of a replacing ladder any, of others a shipping reward or gift by one of its kind.
func (p *Problem) superseded(o *Outcome, r Ref) bool {
	nudge, own := p.Rung(r)
	replacing := p.Nudge(nudge).Replacing
	if !replacing && r.Class&(UnitClass|OrderClass) != 0 {
		return false // earlier rewards are kept beside later ones
	}
	out := false
	p.kin(r, func(l Ref) {
		if _, key := p.Rung(l); !out && (replacing || l.Class == r.Class) && key.Rung > own.Rung {
			out = o.Gives(l)
		}
	})
	return out
}

func (p *Problem) unitStatus(o *Outcome, i int) Status {
	u := &p.Units[i]
	if o.UnitGiven[i] {
		return Reached
	}
	if p.superseded(o, Ref{UnitClass, i}) {
		return Reached
	}
	switch {
	case !p.HoldsNow(u, -1, func(j int) int64 { return p.Lines[j].Quantity }):
		return Open
	case !p.HoldsNow(u, -1, func(j int) int64 { return p.Lines[j].Quantity - p.takenByOthers(o.Claims, u, j) }):
		return Outdone
	case p.Waits(i):
		return Waiting
	case p.Idle(i):
		return Reached
	}
	return Outdone
}

// Waits tells whether the cart has no goods that a unit reward could be given on:
// none in its scope, or of "every" none beside those that earn it.
func (p *Problem) Waits(i int) bool {
	u := &p.Units[i]
	if u.WholeSets() {
		return false // they are given on what is counted
	}
	all := p.Quantities()
	for j, n := range all {
		if u.On[j] && n > 0 && (u.Form != Every || p.earns(Pick{i, -1}, j, all)) {
			return false
		}
	}
	return true
}

// Idle tells whether a unit reward has nothing to give on this cart: its goods cost
// nothing, or its percentage of each rounds to nothing. One that could lower prices
// but not these is something else.
func (p *Problem) Idle(i int) bool {
	u := &p.Units[i]
	for j, l := range p.Lines {
		if !u.On[j] || l.Quantity == 0 || l.Unit == 0 {
			continue
		}
		if u.Form != PercentOff && u.Form != Every || u.off(l.Unit) > 0 {
			return false
		}
	}
	return true
}

// UnitMeasure returns the measure of a unit rung's goal under an outcome: over
// the units that no other nudge has taken.
func (p *Problem) UnitMeasure(o *Outcome, i int) int64 {
	u := &p.Units[i]
	units := func(j int) int64 { return p.Lines[j].Quantity - p.takenByOthers(o.Claims, u, j) }
	m, _ := p.measure(u.Goal, counted{units, p.worth(units)})
	if p.Added && u.Goal.Measure == Value && u.Goal.Scope[0] {
		m += p.Lines[0].Amount
		if u.Goal.WithoutTax && p.TaxShown {
			m -= taxWithin(p.Lines[0].Tax, p.Lines[0].Amount)
		}
	}
	return m
}
