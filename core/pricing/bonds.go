package pricing

// Bonds says what, besides prices and goals, restricts which rungs may be given
// together.
type Bonds struct {
	Units  bool // exclusive groups or refusals among rungs at all
	Ships  bool // a shipping rung is bound to others, or has a budget
	Budget bool // a shipping rung has a budget
	Gifts  bool // a gift is bound to others
	Limits bool // a floor, a budget or a limit may forbid an order reward
}

// Any tells whether anything binds.
func (b Bonds) Any() bool { return b.Units || b.Ships || b.Gifts || b.Limits }

// member is a rung as far as bonds go.
type member struct {
	id    string
	nudge int
	class Class
}

func (p *Problem) members() []member {
	out := make([]member, 0, len(p.Units)+len(p.Orders)+len(p.Ships)+len(p.Gifts))
	for i := range p.Units {
		out = append(out, member{p.Units[i].Key.Nudge, p.Units[i].Nudge, UnitClass})
	}
	for i := range p.Orders {
		out = append(out, member{p.Orders[i].Key.Nudge, p.Orders[i].Nudge, OrderClass})
	}
	for i := range p.Ships {
		out = append(out, member{p.Ships[i].Key.Nudge, p.Ships[i].Nudge, ShippingClass})
	}
	for i := range p.Gifts {
		out = append(out, member{p.Gifts[i].Key.Nudge, p.Gifts[i].Nudge, GiftClass})
	}
	return out
}

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
	loose := true
	for i := range p.Nudges {
		n := &p.Nudges[i]
		loose = loose && n.Group == "" && n.Refuses == 0 && !n.HasBudget && n.Floor == 0
	}
	if loose {
		return b
	}
	for i := range p.Orders {
		if n := p.nudge(p.Orders[i].Nudge); n.HasBudget || n.Floor > 0 {
			b.Limits = true
		}
	}
	for i := range p.Units {
		// The floor of a unit reward also holds for what order rewards take of its
		// lines.
		b.Limits = b.Limits || p.nudge(p.Units[i].Nudge).Floor > 0
	}
	for i := range p.Ships {
		b.Budget = b.Budget || p.nudge(p.Ships[i].Nudge).HasBudget
	}
	b.Ships = b.Budget
	all := p.members()
	for i, x := range all {
		for _, y := range all[:i] {
			if x.id == y.id || !clash(p.nudge(x.nudge), p.nudge(y.nudge), x.class, y.class) {
				continue
			}
			b.Units = true
			b.Ships = b.Ships || x.class == ShippingClass || y.class == ShippingClass
			b.Gifts = b.Gifts || x.class == GiftClass || y.class == GiftClass
		}
	}
	return b
}

// bound tells whether groups or refusals bind rungs to one another, or floors do,
// so that it matters which rungs gave a price.
func (p *Problem) bound() bool {
	b := p.Bonds()
	return b.Units || b.Limits
}

// GiftAgainst tells, for the unit and order rungs given, whether one of higher
// priority keeps a gift from being given, and whether the gift keeps one of lower
// priority from being given.
func (p *Problem) GiftAgainst(gift int, units, orders []bool) (blocked, blocks bool) {
	g := &p.Gifts[gift]
	against := func(key Key, nudge int, class Class) {
		switch {
		case key.Nudge == g.Key.Nudge || !clash(p.nudge(g.Nudge), p.nudge(nudge), GiftClass, class):
		case g.Key.Compare(key) < 0:
			blocks = true
		default:
			blocked = true
		}
	}
	for i, is := range units {
		if is {
			against(p.Units[i].Key, p.Units[i].Nudge, UnitClass)
		}
	}
	for i, is := range orders {
		if is {
			against(p.Orders[i].Key, p.Orders[i].Nudge, OrderClass)
		}
	}
	return blocked, blocks
}

// GiftsBound tells whether a gift is bound to another gift.
func (p *Problem) GiftsBound(gift int) bool {
	g := &p.Gifts[gift]
	for i := range p.Gifts {
		o := &p.Gifts[i]
		if o.Key.Nudge != g.Key.Nudge && clash(p.nudge(g.Nudge), p.nudge(o.Nudge), GiftClass, GiftClass) {
			return true
		}
	}
	return false
}
