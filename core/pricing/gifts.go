package pricing

// given is a rung that a choice gives.
type given struct {
	key   Key
	nudge *Nudge
	class Class
}

// money lists the rungs a choice gives that cost the shop money.
func (p *Problem) money(c *candidate) []given {
	out := make([]given, 0, c.count())
	for i, g := range c.units.Given {
		if g {
			out = append(out, given{p.Units[i].Key, p.nudge(p.Units[i].Nudge), UnitClass})
		}
	}
	for i, g := range c.goodsStage.given {
		if g {
			out = append(out, given{p.Orders[i].Key, p.nudge(p.Orders[i].Nudge), OrderClass})
		}
	}
	for i, g := range c.shipStage.given {
		if g {
			out = append(out, given{p.Ships[i].Key, p.nudge(p.Ships[i].Nudge), ShippingClass})
		}
	}
	return out
}

// gifts tells which gifts are given beside a choice, false where the choice is
// not allowed: two of its nudges may not stand together, or one of them may not
// stand beside a gift of higher priority whose goal holds. Every gift whose goal
// holds is given, save where a nudge of higher priority stands against it; of
// two gifts of one group the one of the higher list value is given.
func (p *Problem) gifts(c *candidate) ([]bool, bool) { return p.giftsOf(c, len(p.Gifts)) }

// giftsOf is gifts for the first n of them alone.
func (p *Problem) giftsOf(c *candidate, n int) ([]bool, bool) {
	paid := p.money(c)
	for i, a := range paid {
		for _, b := range paid[:i] {
			if a.key.Nudge != b.key.Nudge && clash(a.nudge, b.nudge, a.class, b.class) {
				return nil, false
			}
		}
	}
	out := make([]bool, len(p.Gifts))
	holds := func(g Goal) bool { return g.meets(p.measureAt(&g, p.at(g.Basis, c.units.After, c.after))) }
	for i := range n {
		g := &p.Gifts[i]
		if !holds(g.Goal) || p.topped(Ref{GiftClass, i}, holds) {
			continue
		}
		blocked, blocks := false, false
		for _, m := range paid {
			if m.key.Nudge == g.Key.Nudge || !clash(p.nudge(g.Nudge), m.nudge, GiftClass, m.class) {
				continue
			}
			if g.Key.Compare(m.key) < 0 {
				blocks = true
			} else {
				blocked = true
			}
		}
		if blocks && !blocked {
			return nil, false
		}
		out[i] = !blocked
	}
	for i := range p.Gifts {
		for j := range p.Gifts {
			a, b := &p.Gifts[i], &p.Gifts[j]
			if !out[i] || !out[j] || a.Key.Nudge == b.Key.Nudge || !clash(p.nudge(a.Nudge), p.nudge(b.Nudge), GiftClass, GiftClass) {
				continue
			}
			if b.Worth > a.Worth || b.Worth == a.Worth && b.Key.Compare(a.Key) < 0 {
				out[i] = false
			}
		}
	}
	return out, true
}
