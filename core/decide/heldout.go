package decide

import (
	"slices"

	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/trial"
)

// everyNudge is what the comparison is called with visitors who see none of a shop's nudges.
const everyNudge = ""

// heldOut tells whether a nudge is kept from a visitor, so that what it brings can be known:
// the visitor is of the share that sees none, or of the nudge's own. A nudge that needs a
// code, or applies one, is kept from nobody, for its code was promised elsewhere; nor is one
// that this visit was shown already.
func (w *work) heldOut(n *snapshot.Compiled) bool {
	visitor := w.req.Visit.Visitor
	if visitor == "" || n.Gates&(snapshot.Coded|snapshot.Applying) != 0 {
		return false
	}
	all := w.s.Shop.Settings.HeldOut()
	own := all
	if h := n.Definition.Holdout; h != nil {
		own = *h
	}
	if max(all, own) == 0 || slices.ContainsFunc(w.req.Visit.Shown, func(r ShownRef) bool { return r.Nudge == n.ID }) {
		return false
	}
	if w.none == nil { // once for all nudges
		none := trial.Within(everyNudge, visitor, all)
		w.none = &none
	}
	return *w.none || trial.Within(n.ID, visitor, own)
}

// SeesNone tells whether a visitor is of the share that sees none of a shop's nudges.
func SeesNone(s *snapshot.Snapshot, visitor string) bool {
	return visitor != "" && trial.Within(everyNudge, visitor, s.Shop.Settings.HeldOut())
}
