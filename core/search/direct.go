package search

import (
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// direct finds the best choice where every unit nudge has units of its own and can
// take them in one way only: giving all that can be given makes each line as cheap
// as it can be. It tells whether no other choice can be better; where it is not so,
// or other ways are to be looked at, what it found is a bound for the search.
func (s *solver) direct() bool {
	p := s.p
	if s.bonds || p.MostOff > 0 || p.Added || p.Bonds().Mixed {
		return false
	}
	d := oneWay(p)
	if d == nil {
		return false
	}
	s.orders(&d.choice)
	if s.best == nil {
		return false
	}
	if len(d.choice.Claims) == 0 || len(p.Orders) == 0 && p.TaxShown && s.best.Fee == 0 {
		return true // any other choice of units costs more, and nothing makes up for it
	}
	high := p.Before(make([]int64, 0, len(p.Lines)))
	return s.useless(s.outlook().Least(d.choice.Goods+d.leaving, d.choice.After, high))
}

// directly is the one way in which the unit nudges of a cart take their units.
type directly struct {
	p       *pricing.Problem
	choice  pricing.UnitChoice
	leaving money.Minor // the least by which any other way is dearer, before order rewards
	owner   []int32     // per line: the ladder that may take its units, from 1
	n       int32       // ladders so far
	picks   []pricing.Pick
}

// oneWay finds the one way in which unit nudges take their units, nil where there
// may be several.
func oneWay(p *pricing.Problem) *directly {
	d := &directly{p: p, owner: make([]int32, len(p.Lines)), leaving: pricing.AnyAddition}
	d.choice = pricing.UnitChoice{Given: make([]bool, len(p.Units)), After: p.Before(make([]int64, 0, len(p.Lines))), To: pricing.AnyAddition}
	for from := 0; from < len(p.Units); {
		to := from + 1
		for to < len(p.Units) && p.Units[to].Key.Nudge == p.Units[from].Key.Nudge {
			to++
		}
		claims := len(d.choice.Claims)
		if !d.ladder(from, to) {
			return nil
		}
		var saved money.Minor
		for _, c := range d.choice.Claims[claims:] {
			saved += c.Saved()
		}
		if saved > 0 {
			d.leaving = min(d.leaving, saved)
		}
		from = to
	}
	for _, a := range d.choice.After {
		d.choice.Goods += a
	}
	if !d.stands() || !p.UnitsWithin(&d.choice).OK() {
		return nil
	}
	return d
}

// ladder gives what can be given of one nudge, the unit rungs from one up to
// another; false where there may be several ways.
func (d *directly) ladder(from, to int) bool {
	p := d.p
	n := p.Nudge(p.Units[from].Nudge)
	apart := p.Units[from].Apart()
	for i := from; i < to; i++ {
		if u := &p.Units[i]; u.Goal.Most > 0 || u.Apart() != apart || apart && (u.InSets() || u.Pick > 0) {
			return false
		}
	}
	if n.Stacks || to-from > 1 && !n.Replacing {
		return false
	}
	if apart {
		return d.apart(from, to)
	}
	at := to - 1
	for at >= from && !couldHold(p, &p.Units[at], -1, false) {
		at--
	}
	if at < from {
		return true // no goal holds
	}
	u := &p.Units[at]
	if !savesAny(p, at, -1) {
		return to-from == 1 // a lower rung is never given in its place, but look closer
	}
	if !d.own(from, to) {
		return false
	}
	d.picks = append(d.picks, pricing.Pick{Unit: at, Kind: -1})
	if u.InSets() {
		return u.Form != pricing.Every && d.sets(at)
	}
	if u.Pick > 0 || n.MostUnits > 0 {
		return false
	}
	c := pricing.Claim{Unit: at}
	for j, in := range u.On {
		if in {
			c.Parts = d.all(c.Parts, u, j)
		}
	}
	return d.take(c)
}

// own makes the lines that rungs may take a ladder's own; false where another may
// take some of them.
func (d *directly) own(from, to int) bool {
	d.n++
	for i := from; i < to; i++ {
		for j, in := range d.p.Units[i].On {
			if !in {
				continue
			}
			if d.owner[j] != 0 && d.owner[j] != d.n {
				return false
			}
			d.owner[j] = d.n
		}
	}
	return true
}

// all takes every unit of a line for a rung, where that saves something.
func (d *directly) all(parts []pricing.Part, u *pricing.Unit, line int) []pricing.Part {
	l := &d.p.Lines[line]
	if d.p.Saves(u, line, l.Unit) == 0 {
		return parts
	}
	return append(parts, d.p.Parts(u, line, l.Quantity, l.Unit)...)
}

// sets makes the sets of a rung whose units all lie in one line.
func (d *directly) sets(at int) bool {
	p, u := d.p, &d.p.Units[at]
	free := make([]int64, len(p.Lines))
	lines := 0
	for j, in := range u.On {
		if free[j] = p.Lines[j].Quantity; in && free[j] > 0 {
			lines++
		}
	}
	if lines > 1 {
		return false
	}
	return d.take(claimSets(p, pricing.Pick{Unit: at, Kind: -1}, free, p.MostUnits(u, 0)))
}

// apart gives each product the highest rung that it has reached.
func (d *directly) apart(from, to int) bool {
	p := d.p
	if p.Nudge(p.Units[from].Nudge).MostUnits > 0 {
		return false
	}
	first := &p.Units[from]
	claims := make([]pricing.Claim, 0, 1)
	for j, in := range first.Goal.Scope {
		if !in || p.Lines[j].Quantity == 0 {
			continue
		}
		kind := p.Kind(first, j)
		var n int64
		for i, in := range first.Goal.Scope {
			if in && p.Kind(first, i) == kind {
				n += p.Lines[i].Quantity
			}
		}
		at := to - 1
		for at >= from && !p.Units[at].Goal.Meets(n, n > 0) {
			at--
		}
		if at < from {
			continue
		}
		u := &p.Units[at]
		if u.Pick > 0 {
			return false
		}
		parts := d.all(nil, u, j)
		if len(parts) == 0 {
			for i := from; i < at; i++ {
				if p.Saves(&p.Units[i], j, p.Lines[j].Unit) > 0 {
					return false // where another nudge takes some units a lower rung holds
				}
			}
			continue
		}
		i := 0
		for i < len(claims) && claims[i].Unit != at {
			i++
		}
		if i == len(claims) {
			claims = append(claims, pricing.Claim{Unit: at})
			d.picks = append(d.picks, pricing.Pick{Unit: at, Kind: kind})
		}
		claims[i].Parts = append(claims[i].Parts, parts...)
	}
	if len(claims) == 0 {
		return true
	}
	if !d.own(from, to) {
		return false
	}
	for at := from; at < to; at++ {
		for _, c := range claims {
			if c.Unit == at && !d.take(c) {
				return false
			}
		}
	}
	return true
}

// take takes the units of a claim; false where there are none.
func (d *directly) take(c pricing.Claim) bool {
	if len(c.Parts) == 0 {
		return false
	}
	for _, part := range c.Parts {
		d.choice.After[part.Line] -= part.Off * part.Qty
	}
	d.choice.Given[c.Unit] = true
	d.choice.Count++
	d.choice.Claims = append(d.choice.Claims, c)
	return true
}

// stands tells whether no ladder takes units that the goal of another counts.
func (d *directly) stands() bool {
	for _, pk := range d.picks {
		u := &d.p.Units[pk.Unit]
		own := int32(0)
		for j, in := range u.On {
			if in {
				own = d.owner[j]
				break
			}
		}
		for j, in := range u.Goal.Scope {
			if in && d.owner[j] != 0 && d.owner[j] != own {
				return false
			}
		}
	}
	return true
}

// plainly completes the way in which every ladder gives its highest rung, where
// ladders do not contend for units, and tells whether no other way can be the best:
// leaving anything out makes goods dearer.
func (s *solver) plainly(e *enumerator) bool {
	if s.bonds || e.P.MostOff > 0 || e.P.Bonds().Mixed {
		return false
	}
	defer func() { e.Picks = e.Picks[:0] }()
	taken := make([]bool, len(e.P.Lines))
	for i := range e.Ladders {
		l := &e.Ladders[i]
		if l.Nudge.Stacks || len(l.Rungs) > 1 && !l.Nudge.Replacing {
			return false
		}
		for _, u := range l.Rungs {
			if e.P.Units[u].Goal.Most > 0 {
				return false // with more units left to it a lower rung may hold
			}
		}
		for j, in := range l.Lines {
			if in && taken[j] {
				return false
			}
			taken[j] = taken[j] || in
		}
		e.Picks = append(e.Picks, e.options[i][0]...)
	}
	e.look(0, firstLook)
	over := e.open < pricing.AnyAddition
	e.open = pricing.AnyAddition
	if s.best != nil && !over {
		e.SortPicks()
		e.prepare(len(e.Ladders))
		e.Reach(0, 0)
		for _, j := range e.Touched {
			e.High[j] = e.P.Lines[j].Amount
		}
		over = !s.useless(s.outlook().Least(e.Goods+1, e.Low, e.High))
	}
	return s.best != nil && !over
}
