package pricing

import (
	"cmp"
	"slices"
)

// Paid lists the rungs given that cost the shop money.
func (p *Problem) Paid(units, orders []bool, ships []int) []Ref {
	var out []Ref
	for i, g := range units {
		if g {
			out = append(out, Ref{UnitClass, i})
		}
	}
	for i, g := range orders {
		if g {
			out = append(out, Ref{OrderClass, i})
		}
	}
	for _, i := range ships {
		out = append(out, Ref{ShippingClass, i})
	}
	return out
}

// Clash tells whether two rungs may not stand together: their nudges share an
// exclusive group, or one refuses the other's class.
func (p *Problem) Clash(a, b Ref) bool {
	na, ka := p.Rung(a)
	nb, kb := p.Rung(b)
	return ka.Nudge != kb.Nudge && Clash(p.Nudge(na), p.Nudge(nb), a.Class, b.Class)
}

// Clash tells whether rewards of two nudges, of classes ca and cb, may not be
// given together.
func Clash(a, b *Nudge, ca, cb Class) bool {
	return a.Group != "" && a.Group == b.Group || a.Refuses&cb != 0 || b.Refuses&ca != 0
}

// RefusedBy tells whether a rung may not stand beside one of others.
func (p *Problem) RefusedBy(r Ref, others []Ref) bool {
	for _, o := range others {
		if p.Clash(r, o) {
			return true
		}
	}
	return false
}

// RefuseOneAnother names a rung that may not stand beside another one of some.
func (p *Problem) RefuseOneAnother(of []Ref) Refusal {
	for i, r := range of {
		if p.RefusedBy(r, of[:i]) {
			return Refusal{StandsAgainst, r}
		}
	}
	return Refusal{}
}

// Clashes tells whether two of the unit and order rungs given may not stand
// together.
func (p *Problem) Clashes(units, orders []bool) bool {
	return !p.RefuseOneAnother(p.Paid(units, orders, nil)).OK()
}

// GiftsBeside tells which of the first n gifts are given beside rungs that cost money;
// false where those are not allowed, because one of them may not stand beside a gift of
// higher priority. Every gift whose goal holds is given, save where a rung of higher
// priority stands against it; of gifts that may not stand together the one of the
// higher list value is.
func (p *Problem) GiftsBeside(paid []Ref, n int, holds func(Ref) bool) ([]bool, bool) {
	out := make([]bool, len(p.Gifts))
	order := p.giftsByWorth()
	for _, i := range order {
		r := Ref{GiftClass, i}
		if i >= n || !holds(r) || p.Topped(r, holds) {
			continue
		}
		blocked, blocks := p.giftAgainst(r, paid)
		if blocked || slices.ContainsFunc(order, func(o int) bool { return out[o] && p.Clash(r, Ref{GiftClass, o}) }) {
			continue
		}
		if blocks {
			return nil, false
		}
		out[i] = true
	}
	return out, true
}

// giftsByWorth lists the gifts, those of the highest list value first.
func (p *Problem) giftsByWorth() []int {
	out := make([]int, len(p.Gifts))
	for i := range out {
		out[i] = i
	}
	slices.SortStableFunc(out, func(a, b int) int { return cmp.Compare(p.Gifts[b].Worth, p.Gifts[a].Worth) })
	return out
}

// giftAgainst tells whether a rung of higher priority keeps a gift from being given,
// and whether the gift keeps one of lower priority from being given.
func (p *Problem) giftAgainst(gift Ref, paid []Ref) (blocked, blocks bool) {
	_, key := p.Rung(gift)
	for _, r := range paid {
		if !p.Clash(gift, r) {
			continue
		}
		if _, other := p.Rung(r); key.Compare(*other) < 0 {
			blocks = true
		} else {
			blocked = true
		}
	}
	return blocked, blocks
}
