package decide

import (
	"cmp"
	"slices"
	"strings"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/snapshot"
)

// build is a set that the shopper is putting together.
type build struct {
	id    string
	lines []int // places among the decision's lines
	full  nudge.Filling
	fits  [][]bool // per line and slot
}

// gatherBuilds finds what has been put together of each nudge, and how it fills its slots.
func (w *work) gatherBuilds() {
	for i := range w.taking {
		t := &w.taking[i]
		t.builds = nil
		if t.reason != "" || !t.n.Definition.Built() {
			continue
		}
		for j := range w.lines {
			l := &w.lines[j]
			if l.Build == nil || l.Build.Nudge != t.n.ID {
				continue
			}
			k := slices.IndexFunc(t.builds, func(b build) bool { return b.id == l.Build.ID })
			if k < 0 {
				k = len(t.builds)
				t.builds = append(t.builds, build{id: l.Build.ID})
			}
			t.builds[k].lines = append(t.builds[k].lines, j)
		}
		slices.SortFunc(t.builds, func(a, b build) int { return cmp.Compare(a.id, b.id) })
		for k := range t.builds {
			w.fill(t, &t.builds[k])
		}
	}
}

// fill puts the pieces of a set into its slots. Goods that nothing may make cheaper fill
// none.
func (w *work) fill(t *taking, b *build) {
	slots := t.n.Definition.Ladder.Slots
	runs := make([]nudge.Run, len(b.lines))
	for k, j := range b.lines {
		l := &w.lines[j]
		runs[k] = nudge.Run{Quantity: l.Quantity, Fits: make([]bool, len(slots))}
		if t.counts[j] && w.touches(l, t.n.Scope.Include.Plans) {
			for s := range slots {
				runs[k].Fits[s] = slots[s].Scope.Matches(w.goods(l))
			}
		}
		b.fits = append(b.fits, runs[k].Fits)
	}
	b.full = nudge.Fill(slots, runs)
}

// whole tells whether a set of so many pieces is complete.
func (b *build) whole(slots []nudge.Slot, count int64) bool {
	n, ok := b.full.ToGo(slots, count)
	return ok && n == 0
}

// builds puts the price of each complete set of a rung's number into the problem: it
// takes all pieces of that set, and no others. Where there is none the rung's goal stays
// open.
func (a *assembler) builds(r *snapshot.RungPlan, key pricing.Key) []pricing.Ref {
	slots := a.t.n.Definition.Ladder.Slots
	var refs []pricing.Ref
	put := func(on pricing.Scope) {
		u := *r.Steps[slices.IndexFunc(r.Steps, func(st snapshot.Step) bool { return st.Unit != nil })].Unit
		u.Key, u.Nudge, u.On, u.Size = key, a.nudge, on, r.Goal.Threshold
		u.Goal = pricing.Goal{Scope: on, Measure: pricing.Units, Threshold: r.Goal.Threshold}
		a.p.Units = append(a.p.Units, u)
		refs = append(refs, pricing.Ref{Class: pricing.UnitClass, Index: len(a.p.Units) - 1})
	}
	for i := range a.t.builds {
		b := &a.t.builds[i]
		if !b.whole(slots, r.Goal.Threshold) {
			continue
		}
		on := a.scope()
		for _, j := range b.lines {
			on[a.extra+j] = true
		}
		put(on)
	}
	if refs == nil {
		put(a.scope())
	}
	return refs
}

// builds tells what became of each set that is put together.
func (w *work) builds(d *Decision) {
	for i := range w.taking {
		t := &w.taking[i]
		for k := range t.builds {
			d.Builds = append(d.Builds, w.buildOutcome(t, &t.builds[k]))
		}
	}
}

func (w *work) buildOutcome(t *taking, b *build) BuildOutcome {
	l := &t.n.Definition.Ladder
	out := BuildOutcome{
		Nudge: t.n.ID, ID: b.id, State: BuildOpen, Pieces: b.full.Pieces, Slots: make([]SlotFill, len(l.Slots)),
		Heading: t.n.Definition.Headings[w.tongue.Language],
	}
	v := snapshot.Voice(&w.s.Shop, w.region, w.tongue)
	for s := range l.Slots {
		slot := &l.Slots[s]
		out.Slots[s] = SlotFill{slot.Name(v), slot.Least, slot.Most, b.full.Have[s], b.full.Missing[s]}
	}
	for k, j := range b.lines {
		ln := &w.lines[j]
		out.Amount += ln.amount
		out.Price += w.outcome.AfterUnits[j]
		var lies int64
		for _, n := range b.full.Lies[k] {
			lies += n
		}
		if lies < ln.Quantity {
			out.Stray = append(out.Stray, ln.SKU)
		}
	}
	for k := range t.rungs {
		r := &t.rungs[k]
		count := r.plan.Goal.Threshold
		if b.whole(l.Slots, count) {
			out.State = BuildOutdone
			if w.builtAt(r, b.lines[0]) {
				rung := r.rung
				out.State, out.Rung = BuildGiven, &rung
			}
			continue
		}
		if gap, ok := b.full.ToGo(l.Slots, count); ok && out.Next == nil && gap > 0 {
			out.Next = &NextBuild{r.rung, count, gap, w.rewardsText(t.n, r.rung, w.tongue.Language)}
		}
	}
	if plan := w.lines[b.lines[0]].Plan; plan != "" {
		out.Plan, out.Later = w.planChoice(plan, w.tongue.Language), new(money.Minor)
		for _, j := range b.lines {
			if later := w.later(j); w.lines[j].Plan == plan {
				*out.Later += *later
			}
		}
	}
	out.Text = w.buildText(&out)
	return out
}

// buildText says how far a set is.
func (w *work) buildText(b *BuildOutcome) string {
	words := nudge.BuildWordsIn(w.tongue.Language)
	var parts []string
	switch b.State {
	case BuildGiven:
		parts = append(parts, words.Instead(w.money(b.Price), w.money(b.Amount)))
	case BuildOutdone:
		parts = append(parts, words.Same(w.money(b.Price)))
	}
	if len(b.Stray) > 0 {
		labels := make([]string, len(b.Stray))
		for i, sku := range b.Stray {
			labels[i] = w.s.Shop.Catalog.Label(sku)
		}
		parts = append(parts, words.Stray(strings.Join(labels, ", ")))
	}
	if b.Next != nil {
		parts = append(parts, words.ToGo(b.Next.Gap, b.Next.Reward))
	}
	if b.State == BuildOpen {
		parts = append(parts, words.SoFar(w.money(b.Amount)))
	}
	return strings.Join(parts, " ")
}

// builtAt tells whether a rung gives its price to the set that a line lies in.
func (w *work) builtAt(r *taker, line int) bool {
	return slices.ContainsFunc(r.refs, func(ref pricing.Ref) bool {
		return w.outcome.UnitGiven[ref.Index] && w.problem.Units[ref.Index].On[line]
	})
}

// stand tells how far a rung of a set that is put together is: of all sets of the cart
// the one that is nearest.
func (w *work) stand(o *RungOutcome, t *taking, r *taker) {
	slots := t.n.Definition.Ladder.Slots
	count := r.plan.Goal.Threshold
	o.Rung, o.Measure, o.Threshold, o.State = r.rung, nudge.Units, count, w.status(r)
	o.Reward = w.rewardsText(t.n, r.rung, w.tongue.Language)
	none := nudge.Fill(slots, nil)
	gap, ok := none.ToGo(slots, count)
	for k := range t.builds {
		if g, leads := t.builds[k].full.ToGo(slots, count); leads && (!ok || g < gap) {
			gap, ok, o.Counted = g, true, t.builds[k].full.Pieces
		}
	}
	switch o.State {
	case RungReached:
		o.Counted = count
	case RungOutdone:
		o.Reason = "better_reward"
	default:
		o.Gap = gap
	}
}
