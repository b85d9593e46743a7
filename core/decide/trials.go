package decide

import (
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/trial"
)

// withTrials puts the other revision in the place of a nudge that is tried, for visitors who are to
// have it. Who saw the first one in this visit keeps it.
func (w *work) withTrials(all []candidate) []candidate {
	if w.req.Visit.Visitor == "" {
		return all
	}
	for i := range all {
		c := &all[i]
		if t := c.n.Trial; t != nil && w.hasB(t) && !w.wasShown(c.n.ID, c.n.Revision) {
			c.n, c.at = t.B, -1
		}
	}
	return all
}

// hasB tells whether a visitor is one of those who have the other revision.
func (w *work) hasB(t *snapshot.Tried) bool {
	return trial.Within(trial.Name(t.ID), w.req.Visit.Visitor, t.Share)
}

// arm is how a trial treats this visit with a nudge; empty where it is in none, or not treated
// as its visitor should be.
func (w *work) arm(n *snapshot.Compiled) string {
	switch t := n.Trial; {
	case t == nil || w.req.Visit.Visitor == "":
		return ""
	case n == t.B:
		return trial.Arm(t.ID, true)
	case !w.hasB(t):
		return trial.Arm(t.ID, false)
	}
	return ""
}
