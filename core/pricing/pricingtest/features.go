package pricingtest

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/pricing"
)

// Features counts, over the problems a test draws, those that hold what makes choices
// hard.
type Features struct {
	cases int
	seen  map[string]int
}

// least is, for each feature, the least share of problems in percent.
var least = map[string]int{
	"a group": 20, "a refusal": 15, "a replacing ladder": 25, "two classes in one ladder": 15, "a set of one and the same product": 8,
	"equal prices of different goods": 25, "a nil or fully lowered fee": 8, "a gift in a group": 8,
}

// Note counts a problem and its outcome.
func (f *Features) Note(p *pricing.Problem, o *pricing.Outcome) {
	if f.seen == nil {
		f.seen = map[string]int{}
	}
	f.cases++
	classes := map[string]pricing.Class{}
	rungs := map[string]int{}
	nudges := map[string]int{}
	note := func(k pricing.Key, nudge int, c pricing.Class) {
		classes[k.Nudge] |= c
		rungs[k.Nudge] = max(rungs[k.Nudge], k.Rung+1)
		nudges[k.Nudge] = nudge
	}
	is := map[string]bool{"a nil or fully lowered fee": o.Method >= 0 && o.Fee == 0}
	for _, u := range p.Units {
		note(u.Key, u.Nudge, pricing.UnitClass)
		if u.Form >= pricing.SetPrice && apart(u) {
			is["a set of one and the same product"] = true
		}
	}
	for _, x := range p.Orders {
		note(x.Key, x.Nudge, pricing.OrderClass)
	}
	for _, s := range p.Ships {
		note(s.Key, s.Nudge, pricing.ShippingClass)
	}
	for _, g := range p.Gifts {
		note(g.Key, g.Nudge, pricing.GiftClass)
	}
	grouped := 0
	for id, at := range nudges {
		n := p.Nudges[at]
		if n.Group != "" {
			grouped++
		}
		for other, c := range classes {
			if other != id && n.Refuses&c != 0 {
				is["a refusal"] = true
			}
		}
		if n.Replacing && rungs[id] > 1 {
			is["a replacing ladder"] = true
		}
		if classes[id]&(classes[id]-1) != 0 {
			is["two classes in one ladder"] = true
		}
		if n.Group != "" && classes[id]&pricing.GiftClass != 0 {
			is["a gift in a group"] = true
		}
	}
	is["a group"] = grouped > 1
	is["a gift in a group"] = is["a gift in a group"] && grouped > 1
	for i, a := range p.Lines {
		for _, b := range p.Lines[:i] {
			if a.Quantity > 0 && b.Quantity > 0 && a.Unit == b.Unit {
				is["equal prices of different goods"] = true
			}
		}
	}
	for k, yes := range is {
		if yes {
			f.seen[k]++
		}
	}
}

// Check says how often each feature occurred, and fails where that was too seldom.
func (f *Features) Check(t *testing.T) {
	if f.cases < 500 {
		return // too few to say
	}
	for what, share := range least {
		t.Logf("%s: %d of %d, at least %d %%", what, f.seen[what], f.cases, share)
		assert.GreaterOrEqual(t, f.seen[what]*100, f.cases*share, what)
	}
}
