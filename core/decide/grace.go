package decide

import (
	"cmp"
	"slices"
	"time"
)

// wasShown tells whether this visit was shown a revision.
func (w *work) wasShown(id string, revision int) bool {
	return slices.Contains(w.req.Visit.Shown, ShownRef{id, revision})
}

// honoured returns the revision of a nudge that this visit was shown and that
// was retired so recently that it still stands; nil where there is none, or where
// the visit has seen the one in force as well.
func (w *work) honoured(id string, live int) *compiled {
	if len(w.req.Visit.Shown) == 0 || w.wasShown(id, live) {
		return nil
	}
	var out *compiled
	for i := range w.s.retired {
		r := &w.s.retired[i]
		if r.ID == id && w.wasShown(id, r.Revision) && w.within(r.at) && (out == nil || r.Revision > out.Revision) {
			out = &r.compiled
		}
	}
	return out
}

// within tells whether the grace time that begins at a moment is running.
func (w *work) within(from time.Time) bool {
	at := w.req.Moment.At
	return !at.Before(from) && at.Before(from.Add(w.s.shop.Settings.grace()))
}

// inPlace returns the candidates, with what this visit was shown in the place
// of what has replaced or ended it, in the merchant's order.
func (w *work) inPlace(candidates []int) []*compiled {
	out := make([]*compiled, 0, len(candidates))
	for _, i := range candidates {
		n := &w.s.nudges[i]
		if kept := w.honoured(n.ID, n.Revision); kept != nil {
			n = kept
		}
		out = append(out, n)
	}
	if len(w.req.Visit.Shown) == 0 {
		return out
	}
	for _, ref := range w.req.Visit.Shown {
		has := slices.ContainsFunc(out, func(n *compiled) bool { return n.ID == ref.Nudge })
		if kept := w.honoured(ref.Nudge, 0); kept != nil && !has && w.s.find(ref.Nudge) == nil {
			out = append(out, kept)
		}
	}
	slices.SortStableFunc(out, func(a, b *compiled) int {
		return cmp.Or(cmp.Compare(a.Priority, b.Priority), cmp.Compare(a.ID, b.ID))
	})
	return out
}
