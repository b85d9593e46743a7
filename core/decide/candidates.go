package decide

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/core/snapshot"
)

// candidate is a nudge that can matter to a cart or page. A quiet one only what is
// added for the others can touch.
type candidate struct {
	n     *snapshot.Compiled
	at    int32 // its place in the snapshot, -1: it stands in the place of another
	quiet bool
}

// finder finds the candidates of one decision.
type finder struct {
	slots []int32 // per nudge of the snapshot: 0, or how it was found; in the end its place among those taking part, from 1
	found []int32
	hits  []hit
}

// hit is a line that holds goods by which a nudge is found.
type hit struct{ nudge, line int32 }

const (
	touched = 1 // by the cart or the page
	quiet   = 2 // by what may be added only
)

// clear forgets what was found.
func (f *finder) clear() {
	for _, i := range f.found {
		f.slots[i] = 0
	}
	f.found, f.hits = f.found[:0], f.hits[:0]
}

func (f *finder) add(nudges []int32, how int32) {
	for _, i := range nudges {
		if f.slots[i] == 0 {
			f.slots[i] = how
			f.found = append(f.found, i)
		}
	}
}

// hit adds nudges found by the goods of a line.
func (f *finder) hit(nudges []int32, line int) {
	f.add(nudges, touched)
	for _, i := range nudges {
		f.hits = append(f.hits, hit{i, int32(line)})
	}
}

// candidates returns the nudges that can matter to a cart or page, in order.
func (w *work) candidates() []candidate {
	s, req := w.s, w.req
	x := &s.Index[w.at]
	f := &w.desk.finder
	if len(f.slots) < len(s.Nudges) {
		f.slots = make([]int32, len(s.Nudges))
	}
	for i := range w.lines {
		l := &w.lines[i]
		if len(x.ByProduct) > 0 && l.item.Product != nil {
			f.hit(x.ByProduct[l.item.Product.ID], i)
		}
		for _, name := range l.names {
			f.hit(x.ByName.At(name), i)
		}
	}
	if req.Every {
		f.add(x.All, touched)
	} else {
		w.reach(x, f)
	}
	out := w.desk.candidates[:0]
	slices.Sort(f.found)
	for _, i := range f.found {
		out = append(out, candidate{&s.Nudges[i], i, f.slots[i] == quiet})
	}
	w.desk.candidates = out
	return w.withTrials(w.inPlace(out))
}

// reach adds the nudges that are not found by what lies in the cart.
func (w *work) reach(x *snapshot.Index, f *finder) {
	s, req := w.s, w.req
	f.add(x.Broad, touched)
	for _, c := range req.Cart.Codes {
		f.add(x.ByCode[codes.Normal(c)], touched)
		if pool, ok := req.Cart.PoolCodes[c]; ok {
			f.add(x.ByPool[pool], touched)
		}
	}
	for i := range req.Cart.Lines {
		if o := req.Cart.Lines[i].Origin; o != nil {
			f.add(s.Find(o.Nudge), touched)
		}
		if b := req.Cart.Lines[i].Build; b != nil {
			f.add(s.Find(b.Nudge), touched)
		}
	}
	for _, i := range f.found {
		if s.Nudges[i].Gates&snapshot.Applying != 0 {
			f.add(x.ByCode[codes.Normal(s.Nudges[i].Definition.AppliesCode)], touched)
		}
	}
	page := &req.Moment.Page
	if page.Set != "" {
		f.add(s.Find(page.Set), touched)
	}
	if p, ok := s.Shop.Catalog.Product(page.Product); ok {
		f.add(x.ByProduct[p.ID], touched)
		for _, c := range p.Collections {
			f.add(x.ByName.At(s.Names.Collections[c]), touched)
		}
		for _, t := range p.Tags {
			f.add(x.ByName.At(s.Names.Tags[t]), touched)
		}
	}
	if c, ok := s.Names.Collections[page.Collection]; ok {
		f.add(x.ByName.At(c), touched)
	}
	if req.Added != nil {
		f.add(s.Find(req.Added.Nudge), touched)
	}
	for _, i := range f.found {
		// An added unit is of the collections and tags that the asking scope includes.
		for _, name := range s.Nudges[i].Names {
			f.add(x.ByName.At(name), quiet)
		}
	}
}

// count marks, for every nudge that takes part, the lines that it counts.
func (w *work) count() {
	w.desk.counts = emptied(w.desk.counts, len(w.taking)*len(w.lines))
	all := w.desk.counts
	bought := false // whether a line comes from a nudge
	for j := range w.lines {
		bought = bought || w.lines[j].Origin != nil
	}
	for i := range w.taking {
		t := &w.taking[i]
		t.counts, all = all[:len(w.lines):len(w.lines)], all[len(w.lines):]
		if t.reason != "" {
			continue
		}
		if t.at >= 0 {
			w.desk.finder.slots[t.at] = int32(i) + 1
			if t.n.Keyed {
				continue
			}
		}
		for j := range w.lines {
			t.counts[j] = w.counts(t.n, &w.lines[j], t.n.All)
		}
	}
	for _, h := range w.desk.finder.hits {
		if i := w.desk.finder.slots[h.nudge] - 1; i >= 0 {
			if t := &w.taking[i]; t.at == h.nudge && t.reason == "" {
				t.counts[h.line] = w.counts(t.n, &w.lines[h.line], t.n.Only)
			}
		}
	}
	w.gatherBuilds()
	a := w.req.Added
	for i := range w.taking {
		t := &w.taking[i]
		if a == nil && !bought || t.reason != "" {
			continue
		}
		for j := range w.lines {
			l := &w.lines[j]
			switch {
			case l.isAdded() && a != nil && a.Nudge == t.n.ID:
				t.counts[j] = true
			case l.Origin != nil && l.Origin.Nudge == t.n.ID:
				// What a nudge's own offer or gift brought is judged by the other lines; a better
				// version by what it has taken the place of.
				t.counts[j] = w.countsInstead(t.n, l)
			}
		}
	}
}

// counts tells whether a nudge counts a line; sure tells that its scope holds it.
func (w *work) counts(n *snapshot.Compiled, l *line, sure bool) bool {
	if n.Definition.Built() && (l.Build == nil || l.Build.Nudge != n.ID) {
		return false
	}
	return !l.giftCard && (sure || n.Scope.Matches(w.goods(l)))
}

// goods is what filters see of a line.
func (w *work) goods(l *line) *catalog.Facts { return l.facts(w.region) }
