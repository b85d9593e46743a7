package decide

import (
	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/snapshot"
)

// withTrials puts the other revision in the place of a nudge that is tried, for visitors who are to
// have it. Who saw the first one in this visit keeps it.
func (w *work) withTrials(all []candidate) []candidate {
	if w.req.Visit.Visitor == "" && len(w.req.Arms) == 0 {
		return all
	}
	for i := range all {
		c := &all[i]
		if c.n.Gates&snapshot.InTrial == 0 {
			continue
		}
		if t := c.n.Trial; t.B != nil && !w.wasShown(c.n.ID, c.n.Revision) {
			if _, b := w.sits(c.n); b {
				c.n, c.at = t.B, -1
			}
		}
	}
	return all
}

// sits tells whether a visit is in the trial of a nudge, and whether it is one of those that have
// B. A visit that was shown B stays in it, whatever became of it since.
func (w *work) sits(n *snapshot.Compiled) (in, b bool) {
	t := n.Trial
	if b, told := w.req.Arms[t.ID]; told {
		return true, b
	}
	if w.req.Visit.Visitor == "" || !t.Among.Holds(w.visitor) {
		return false, false
	}
	if t.When != nil && (t.B == nil || !w.wasShown(t.B.ID, t.B.Revision)) {
		if _, v := t.When.Why(w.facts()); v != audience.True {
			return false, false
		}
	}
	return true, t.Place.Within(w.visitor, t.Share)
}

// keeps tells why a trial keeps a nudge from a visit; empty: it does not. Who was shown the nudge
// has it.
func (w *work) keeps(n *snapshot.Compiled) Reason {
	if n.Gates&snapshot.InTrial == 0 || n.Trial.B != nil || w.wasShown(n.ID, n.Revision) {
		return ""
	}
	switch in, b := w.sits(n); {
	case !in && n.Trial.Begun:
		return TrialOnly
	case in && b != n.Trial.OnlyB:
		return HeldOut
	}
	return ""
}

// arm is how a trial treats this visit with a nudge; empty where it is in none, or not treated
// as its visitor should be.
func (w *work) arm(n *snapshot.Compiled) string {
	if n.Gates&snapshot.InTrial == 0 {
		return ""
	}
	t := n.Trial
	in, b := w.sits(n)
	switch {
	case !in:
		return ""
	case t.B != nil:
		if b != (n == t.B) {
			return ""
		}
		return t.Arm(b, false)
	case w.heldOut(n):
		return ""
	case b == t.OnlyB:
		return t.Arm(b, false)
	case w.keeps(n) == HeldOut:
		return t.Arm(b, true)
	}
	return ""
}
