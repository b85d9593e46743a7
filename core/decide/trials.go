package decide

import (
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/trial"
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
		if t := c.n.Trial; t.B != nil && w.hasB(t) && !w.wasShown(c.n.ID, c.n.Revision) {
			c.n, c.at = t.B, -1
		}
	}
	return all
}

// sits tells whether a visit is in a trial, and whether it is one of those that have B.
func (w *work) sits(t *snapshot.Tried) (in, b bool) {
	if b, told := w.req.Arms[t.ID]; told {
		return true, b
	}
	if w.req.Visit.Visitor == "" || !t.Among.Holds(w.visitor) {
		return false, false
	}
	return true, t.Place.Within(w.visitor, t.Share)
}

func (w *work) hasB(t *snapshot.Tried) bool {
	_, b := w.sits(t)
	return b
}

// doesWithout tells whether a visit does without a nudge for a trial. Who was shown it keeps it.
func (w *work) doesWithout(n *snapshot.Compiled) bool {
	if n.Gates&snapshot.InTrial == 0 {
		return false
	}
	t := n.Trial
	return t.B == nil && w.hasB(t) && !w.wasShown(n.ID, n.Revision)
}

// arm is how a trial treats this visit with a nudge; empty where it is in none, or not treated
// as its visitor should be.
func (w *work) arm(n *snapshot.Compiled) string {
	if n.Gates&snapshot.InTrial == 0 {
		return ""
	}
	t := n.Trial
	in, b := w.sits(t)
	switch {
	case !in:
		return ""
	case n == t.B:
		return trial.Arm(t.ID, true)
	case t.B == nil && w.heldOut(n):
		return ""
	case w.doesWithout(n):
		return results.ArmWithout(t.ID)
	case !b:
		return trial.Arm(t.ID, false)
	}
	return ""
}
