package pricing

import "agonal.dev/agonal/core/money"

// Ref names a rung of a problem: its class and its place among the rungs of that
// class.
type Ref struct {
	Class Class
	Index int
}

// GoalOf returns the goal of a rung.
func (p *Problem) GoalOf(r Ref) *Goal {
	switch r.Class {
	case UnitClass:
		return &p.Units[r.Index].Goal
	case OrderClass:
		return &p.Orders[r.Index].Goal
	case GiftClass:
		return &p.Gifts[r.Index].Goal
	}
	return &p.Ships[r.Index].Goal
}

// Rung returns the nudge of a rung, as an index into Nudges, and its key.
func (p *Problem) Rung(r Ref) (nudge int, key *Key) {
	switch r.Class {
	case UnitClass:
		return p.Units[r.Index].Nudge, &p.Units[r.Index].Key
	case OrderClass:
		return p.Orders[r.Index].Nudge, &p.Orders[r.Index].Key
	case GiftClass:
		return p.Gifts[r.Index].Nudge, &p.Gifts[r.Index].Key
	}
	return p.Ships[r.Index].Nudge, &p.Ships[r.Index].Key
}

// KeyOf returns the key of a rung.
func (p *Problem) KeyOf(r Ref) Key {
	_, key := p.Rung(r)
	return *key
}

// EachRung visits the rungs, class by class.
func (p *Problem) EachRung(visit func(Ref)) {
	for i := range p.Units {
		visit(Ref{UnitClass, i})
	}
	for i := range p.Orders {
		visit(Ref{OrderClass, i})
	}
	for i := range p.Ships {
		visit(Ref{ShippingClass, i})
	}
	for i := range p.Gifts {
		visit(Ref{GiftClass, i})
	}
}

// Topped tells whether a higher rung of the same replacing ladder holds, of whatever
// class: then a lower one is never given in its place.
func (p *Problem) Topped(r Ref, holds func(Ref) bool) bool {
	out := false
	p.HigherOf(r, func(o Ref) { out = out || holds(o) })
	return out
}

// HigherOf visits the rungs above one of a replacing ladder, of whatever class.
func (p *Problem) HigherOf(r Ref, visit func(Ref)) {
	nudge, key := p.Rung(r)
	if !p.Nudge(nudge).Replacing {
		return
	}
	p.kin(r, func(o Ref) {
		if _, k := p.Rung(o); k.Rung > key.Rung {
			visit(o)
		}
	})
}

// kin visits the rungs of one's nudge.
func (p *Problem) kin(r Ref, visit func(Ref)) {
	p.Bonds() // that finds the classes
	nudge, key := p.Rung(r)
	classes := UnitClass | OrderClass | ShippingClass | GiftClass
	if nudge >= 0 && nudge < len(p.classes) {
		classes = p.classes[nudge]
	}
	each := func(c Class, n int) {
		if classes&c == 0 {
			return
		}
		from, to := 0, n
		if c == r.Class { // they stand together
			for from = r.Index; from > 0; from-- {
				if _, k := p.Rung(Ref{c, from - 1}); k.Nudge != key.Nudge {
					break
				}
			}
		}
		for i := from; i < to; i++ {
			if _, k := p.Rung(Ref{c, i}); k.Nudge == key.Nudge {
				visit(Ref{c, i})
			} else if c == r.Class {
				break
			}
		}
	}
	each(UnitClass, len(p.Units))
	each(OrderClass, len(p.Orders))
	each(ShippingClass, len(p.Ships))
	each(GiftClass, len(p.Gifts))
}

// Replaces tells whether the nudge of a rung gives one rung only.
func (p *Problem) Replaces(nudge int) bool { return p.Nudge(nudge).Replacing }

func (p *Problem) eachGoal(f func(*Goal)) {
	for i := range p.Units {
		f(&p.Units[i].Goal)
	}
	for i := range p.Orders {
		f(&p.Orders[i].Goal)
	}
	for i := range p.Ships {
		f(&p.Ships[i].Goal)
	}
	for i := range p.Gifts {
		f(&p.Gifts[i].Goal)
	}
}

// MostThreshold is the highest threshold of a value goal.
func (p *Problem) MostThreshold() money.Minor {
	var out money.Minor
	p.eachGoal(func(g *Goal) {
		if g.Measure == Value {
			out = max(out, g.Threshold)
		}
	})
	return out
}

// UnitsTouch tells whether a unit rung may make units of lines in a scope cheaper.
func (p *Problem) UnitsTouch(scope Scope) bool {
	if p.units == nil {
		p.units = make(Scope, len(p.Lines))
		for i := range p.Units {
			for j, on := range p.Units[i].On {
				p.units[j] = p.units[j] || on
			}
		}
	}
	for j, in := range scope {
		if in && p.units[j] {
			return true
		}
	}
	return false
}

// UnitsSettled tells whether no goal of a unit rung looks at the added unit.
func (p *Problem) UnitsSettled() bool {
	for i := range p.Units {
		if p.Units[i].Goal.Measure == Value {
			return false
		}
	}
	return true
}

// CountAdded lets every goal count the added unit, and every order reward take from
// it; what it returns puts things back.
func (p *Problem) CountAdded() (back func()) {
	var scopes []Scope
	p.eachGoal(func(g *Goal) { scopes = append(scopes, g.Scope) })
	for i := range p.Orders {
		scopes = append(scopes, p.Orders[i].Lines)
	}
	was := make([]bool, len(scopes))
	for i, s := range scopes {
		was[i] = s[0]
	}
	for _, s := range scopes {
		s[0] = true
	}
	return func() {
		for i, s := range scopes {
			s[0] = was[i]
		}
	}
}
