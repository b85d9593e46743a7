package pricing

import "agonal.dev/agonal/core/money"

// counted is what a goal sees of each line: how many units, and what they are
// worth at the goal's basis.
type counted struct {
	units   func(line int) int64
	amounts func(line int) money.Minor
}

// measure returns the measure of a goal over what it sees, and whether anything
// is counted at all.
func (p *Problem) measure(g Goal, c counted) (measure int64, any bool) {
	same := sameSums{}
	for i, in := range g.Scope {
		if !in {
			continue
		}
		l := &p.Lines[i]
		n := c.units(i)
		valueOnly := l.Quantity == 0
		if n == 0 && !valueOnly {
			continue
		}
		switch g.Measure {
		case Value:
			a := c.amounts(i)
			measure += a
			if g.WithoutTax && p.TaxShown {
				measure -= taxWithin(l.Tax, a)
			}
			any = true
			continue
		case Units:
			measure += n
		case SameProduct, Distinct:
			same.add(l.Product, n)
		case SameVariant:
			same.add(l.Variant, n)
		case Weight:
			measure += l.Grams * n
		}
		any = any || !valueOnly
	}
	switch g.Measure {
	case SameProduct, SameVariant:
		same.each(func(n int64) { measure = max(measure, n) })
	case Distinct:
		same.each(func(n int64) { measure += min(1, n) })
	}
	return measure, any
}

// sameSums adds numbers up by kind.
type sameSums struct {
	kinds [8]int // the first ones
	sums  [8]int64
	few   int           // how many of them there are
	more  map[int]int64 // the others
}

func (s *sameSums) add(kind int, n int64) {
	for i := range s.few {
		if s.kinds[i] == kind {
			s.sums[i] += n
			return
		}
	}
	if s.few < len(s.kinds) {
		s.kinds[s.few], s.sums[s.few] = kind, n
		s.few++
		return
	}
	if s.more == nil {
		s.more = map[int]int64{}
	}
	s.more[kind] += n
}

// each visits the sums.
func (s *sameSums) each(visit func(int64)) {
	for _, n := range s.sums[:s.few] {
		visit(n)
	}
	for _, n := range s.more {
		visit(n)
	}
}

// MeasureOf is measure with every unit counted and lines that cost amounts.
func (p *Problem) MeasureOf(g *Goal, amounts []money.Minor) (measure int64, any bool) {
	if g.Measure != Value {
		return p.measure(*g, p.all(amounts))
	}
	isNet := g.WithoutTax && p.TaxShown
	for i, in := range g.Scope {
		if !in {
			continue
		}
		a := amounts[i]
		measure += a
		if isNet {
			measure -= taxWithin(p.Lines[i].Tax, a)
		}
		any = true
	}
	return measure, any
}

// Meets tells whether a measure makes a goal; a threshold of zero asks for at
// least one counted unit.
func (g Goal) Meets(measure int64, any bool) bool {
	if g.Most > 0 && measure > g.Most {
		return false
	}
	if g.Threshold > 0 {
		return measure >= g.Threshold
	}
	return any
}

// all returns what a goal sees of lines that cost amounts, every unit counted.
func (p *Problem) all(amounts []money.Minor) counted {
	return counted{func(i int) int64 { return p.Lines[i].Quantity }, func(i int) money.Minor { return amounts[i] }}
}

// GoalHolds tells whether the goal of an order, shipping or gift rung holds under
// an outcome.
func (p *Problem) GoalHolds(g Goal, o *Outcome) bool {
	return g.Meets(p.MeasureOf(&g, p.At(g.Basis, o.AfterUnits, o.After)))
}

// Measure returns the measure of the goal of an order, shipping or gift rung
// under an outcome: minor units, pieces or grams.
func (p *Problem) Measure(g Goal, o *Outcome) int64 {
	m, _ := p.MeasureOf(&g, p.At(g.Basis, o.AfterUnits, o.After))
	return m
}

// At returns the amounts of lines at a basis, to be looked at before the next call.
func (p *Problem) At(b Basis, afterUnits, after []money.Minor) []money.Minor {
	switch b {
	case AfterUnit:
		return afterUnits
	case AfterOrder:
		return after
	}
	if len(p.Lines) == 0 {
		return nil
	}
	if p.beforesOf != &p.Lines[0] {
		p.befores, p.beforesOf = p.Before(make([]money.Minor, 0, len(p.Lines))), &p.Lines[0]
	}
	if p.Added {
		p.befores[0] = p.Lines[0].Amount
	}
	return p.befores
}

// net is an amount without the tax it includes.
func net(rate money.Rate, m money.Minor) money.Minor { return m - taxWithin(rate, m) }
