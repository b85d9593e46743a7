package decide

import (
	"slices"

	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/trial"
)

// everyNudge is the comparison with visitors who see none of a shop's nudges.
var everyNudge = trial.Named("")

// place finds where the visitor stands in what is compared.
func (w *work) place() {
	if id := w.req.Visit.Visitor; id != "" {
		w.visitor = trial.Of(id)
		w.seesNone = everyNudge.Within(w.visitor, w.s.Shop.Settings.HeldOut())
	}
}

// heldOut tells whether a nudge is kept from a visitor, so that what it brings can be known:
// the visitor is of the share that sees none, or of the nudge's own. A nudge that needs a
// code, or applies one, is kept from nobody, for its code was promised elsewhere; nor is one
// that this visit was shown already.
func (w *work) heldOut(n *snapshot.Compiled) bool {
	if w.req.Visit.Visitor == "" || n.Gates&(snapshot.Coded|snapshot.Applying) != 0 {
		return false
	}
	return (w.seesNone || n.Place.Within(w.visitor, n.Kept)) &&
		!slices.ContainsFunc(w.req.Visit.Shown, func(r ShownRef) bool { return r.Nudge == n.ID })
}

// SeesNone tells whether a visitor is of the share that sees none of a shop's nudges.
func SeesNone(s *snapshot.Snapshot, visitor string) bool {
	return visitor != "" && everyNudge.Within(trial.Of(visitor), s.Shop.Settings.HeldOut())
}
