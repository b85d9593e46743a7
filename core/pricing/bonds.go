package pricing

// Bonds says what, besides prices and goals, restricts which rungs may be given
// together.
type Bonds struct {
	Units  bool // exclusive groups or refusals among rungs at all
	Ships  bool // a shipping rung is bound to others, or has a budget
	Budget bool // a shipping rung has a budget
	Gifts  bool // a gift is bound to others
	Limits bool // a floor, a budget or a limit may forbid an order reward
	Mixed  bool // a replacing ladder has rungs of several classes
}

// Any tells whether anything binds.
func (b Bonds) Any() bool { return b.Units || b.Ships || b.Gifts || b.Limits || b.Mixed }

// Bonds finds what binds the rungs of a problem: a group or a refusal counts only
// where there is another nudge that it stands against.
func (p *Problem) Bonds() Bonds {
	if p.bonds == nil {
		b := p.findBonds()
		p.bonds = &b
	}
	return *p.bonds
}

func (p *Problem) findBonds() Bonds {
	b := Bonds{Limits: p.Floor > 0 || p.MostOff > 0}
	if p.classes = p.few[:min(len(p.few), len(p.Nudges))]; len(p.classes) < len(p.Nudges) {
		p.classes = make([]Class, len(p.Nudges))
	}
	clear(p.classes)
	p.EachRung(func(r Ref) {
		if n, _ := p.Rung(r); n >= 0 && n < len(p.Nudges) {
			p.classes[n] |= r.Class
			b.Mixed = b.Mixed || p.Nudges[n].Replacing && p.classes[n] != r.Class
		}
	})
	loose := true
	for i := range p.Nudges {
		n := &p.Nudges[i]
		loose = loose && n.Group == "" && n.Refuses == 0 && !n.HasBudget && n.Floor == 0
	}
	if loose {
		return b
	}
	for i := range p.Orders {
		if n := p.Nudge(p.Orders[i].Nudge); n.HasBudget || n.Floor > 0 {
			b.Limits = true
		}
	}
	for i := range p.Units {
		// The floor of a unit reward also holds for what order rewards take of its
		// lines.
		b.Limits = b.Limits || p.Nudge(p.Units[i].Nudge).Floor > 0
	}
	for i := range p.Ships {
		b.Budget = b.Budget || p.Nudge(p.Ships[i].Nudge).HasBudget
	}
	b.Ships = b.Budget
	var all []Ref
	p.EachRung(func(r Ref) { all = append(all, r) })
	for i, x := range all {
		for _, y := range all[:i] {
			if p.Clash(x, y) {
				b.Units = true
				b.Ships = b.Ships || (x.Class|y.Class)&ShippingClass != 0
				b.Gifts = b.Gifts || (x.Class|y.Class)&GiftClass != 0
			}
		}
	}
	return b
}

// Bound tells whether groups, refusals or ladders bind rungs to one another, or floors do,
// so that it matters which rungs gave a price.
func (p *Problem) Bound() bool {
	b := p.Bonds()
	return b.Units || b.Limits || b.Mixed
}
