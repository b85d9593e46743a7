package merchant

import (
	"fmt"
	"slices"
	"strings"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// What is mended, and said, where a change of one part makes another impossible.

// rises refuses a goal that does not lie between its neighbours', where it was typed.
func (e *editing) rises(l *nudge.Ladder, i int) {
	at := fmt.Sprintf("ladder.rungs[%d]", i)
	r := &l.Rungs[i]
	for id, a := range r.Thresholds {
		field := at + ".thresholds." + id
		if a.Minor == 0 && len(l.Rungs) > 1 {
			e.errs[field] = "0 means “with every order”; that is for a nudge of one rung."
		}
		for k := range l.Rungs {
			other, ok := l.Rungs[k].Thresholds[id]
			switch {
			case !ok || !e.form.Has(field):
			case k < i && a.Minor <= other.Minor:
				e.errs[field] = "Must be more than the rung before it, " + money.Format(other, e.locale) + "."
			case k > i && a.Minor >= other.Minor:
				e.errs[field] = "Must be less than the next rung, " + money.Format(other, e.locale) + "."
			}
		}
	}
	if l.Counts() == nudge.Value {
		return
	}
	for k := range l.Rungs {
		switch other := l.Rungs[k].Count; {
		case k < i && r.Count <= other:
			e.errs[at+".count"] = fmt.Sprintf("Must be more than the rung before it, %d.", other)
		case k > i && r.Count >= other:
			e.errs[at+".count"] = fmt.Sprintf("Must be less than the next rung, %d.", other)
		}
	}
}

// fitGoal gives a rung whose reward is of another kind now a goal that fits it.
func (e *editing) fitGoal(l *nudge.Ladder, i int) {
	r := &l.Rungs[i]
	sets := len(r.Rewards) == 1 && nudge.Repeats(r.Rewards[0].Kind)
	if !sets && len(r.Thresholds) == 0 && r.Count == 0 {
		e.drawer.anew(r, l.Counts(), int64(i+1))
		e.say = strings.TrimSpace(e.say + fmt.Sprintf(" Rung %d has a goal now, since what it gives is no set: look whether it fits.", i+1))
	}
}

// fitBasis makes a rung count at a point that its own rewards do not change, and says so
// where that is another than the ladder's.
func (e *editing) fitBasis(l *nudge.Ladder, i int) {
	r := &l.Rungs[i]
	latest := slices.Index(nudge.Bases, latestBasis(l, r))
	if slices.Index(nudge.Bases, l.Basis) <= latest {
		if r.Basis != "" && slices.Index(nudge.Bases, r.Basis) > latest {
			r.Basis = ""
		}
		return
	}
	if r.Basis != "" && slices.Index(nudge.Bases, r.Basis) <= latest {
		return
	}
	b := nudge.Bases[latest]
	if l.Replacing {
		l.Basis, r.Basis = b, ""
	} else {
		r.Basis = b
	}
	if l.Counts() != nudge.Value {
		return // nothing is said of what is not counted
	}
	e.say = strings.TrimSpace(e.say + fmt.Sprintf(" Rung %d now counts %s: a goal cannot look at what its own reward changes.", i+1, valueCounted(b)))
}

// latestBasis is the latest point at which a rung may count with the rewards it has.
func latestBasis(l *nudge.Ladder, r *nudge.Rung) nudge.Basis {
	first, last, unlock := nudge.Class(99), nudge.Class(0), false
	for _, x := range r.Rewards {
		c := x.Kind.Class()
		if c == nudge.UnlockClass {
			unlock = true
			continue
		}
		first, last = min(first, c), max(last, c)
	}
	c := last
	if l.Replacing && len(l.Rungs) > 1 && l.Counts() == nudge.Value {
		c = first
	}
	switch {
	case unlock || c == nudge.UnitClass:
		return nudge.BeforeNudges
	case c == nudge.OrderClass:
		return nudge.AfterUnit
	}
	return nudge.AfterOrder
}
