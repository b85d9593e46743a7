package decide

import (
	"cmp"
	"slices"
	"time"

	"agonal.dev/agonal/core/snapshot"
)

// wasShown tells whether this visit was shown a revision.
func (w *work) wasShown(id string, revision int) bool {
	return slices.Contains(w.req.Visit.Shown, ShownRef{id, revision})
}

// honoured returns the revision of a nudge that this visit was shown and that
// was retired so recently that it still stands; nil where there is none, or where
// the visit has seen the one in force as well.
func (w *work) honoured(id string, live int) *snapshot.Compiled {
	if len(w.req.Visit.Shown) == 0 || w.wasShown(id, live) {
		return nil
	}
	var out *snapshot.Compiled
	for i := range w.s.Retired {
		r := &w.s.Retired[i]
		if r.ID == id && w.wasShown(id, r.Revision) && w.within(r.At) && (out == nil || r.Revision > out.Revision) {
			out = &r.Compiled
		}
	}
	return out
}

// within tells whether the grace time that begins at a moment is running.
func (w *work) within(from time.Time) bool {
	at := w.req.Moment.At
	return !at.Before(from) && at.Before(from.Add(w.s.Shop.Settings.Grace()))
}

// inPlace puts what this visit was shown in the place of what has replaced or ended
// it, in the merchant's order.
func (w *work) inPlace(all []candidate) []candidate {
	if len(w.req.Visit.Shown) == 0 || len(w.s.Retired) == 0 {
		return all
	}
	for i := range all {
		if kept := w.honoured(all[i].n.ID, all[i].n.Revision); kept != nil {
			all[i].n, all[i].at = kept, -1
		}
	}
	for _, ref := range w.req.Visit.Shown {
		has := slices.ContainsFunc(all, func(c candidate) bool { return c.n.ID == ref.Nudge })
		if kept := w.honoured(ref.Nudge, 0); kept != nil && !has && w.s.Find(ref.Nudge) == nil {
			all = append(all, candidate{n: kept, at: -1})
		}
	}
	slices.SortStableFunc(all, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(a.n.Priority, b.n.Priority), cmp.Compare(a.n.ID, b.n.ID))
	})
	return all
}
