package decide

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/progress"
	"agonal.dev/agonal/core/snapshot"
)

// nudges measures every rung of every nudge that the cart or the page touch.
func (w *work) nudges(d *Decision) {
	rungs := 0
	for i := range w.taking {
		rungs += len(w.taking[i].rungs)
	}
	d.Nudges = make([]NudgeOutcome, 0, len(w.taking))
	w.told = make([]int32, 0, len(w.taking))
	w.amounts = make([]money.Minor, 0, 2*rungs)
	all := make([]RungOutcome, rungs)
	for i := range w.taking {
		t := &w.taking[i]
		if t.quiet {
			continue
		}
		n := len(t.rungs)
		d.Nudges = append(d.Nudges, NudgeOutcome{Nudge: t.n.ID, Revision: t.n.Revision, Name: t.n.Definition.Name, Reason: t.reason, Arm: w.arm(t.n), Fact: t.fact, Rungs: all[:n:n]})
		w.told = append(w.told, int32(i))
		for k := range t.rungs {
			w.rungOutcome(&all[k], t, &t.rungs[k])
		}
		all = all[n:]
	}
}

// pointTo returns a pointer to an amount.
func (w *work) pointTo(m money.Minor) *money.Minor {
	if len(w.amounts) == cap(w.amounts) {
		w.amounts = make([]money.Minor, 0, 16)
	}
	w.amounts = append(w.amounts, m)
	return &w.amounts[len(w.amounts)-1]
}

// added is the cart with one more unit, built when first asked about.
type added struct {
	places [][]taker
	scopes [][]pricing.Scope
	q      *progress.Question
	target *taking // the nudge that asks
}

// find asks what must be added for a rung of a nudge.
func (w *work) find(t *taking, rung int) progress.ToAdd {
	if w.added == nil {
		p, places, scopes := w.build(1, &w.desk.added)
		w.added = &added{places: places, scopes: scopes, q: progress.Ask(p)}
	}
	a := w.added
	if a.target != t {
		a.target = t
		for i := range a.scopes {
			if len(a.scopes[i]) == 0 {
				continue
			}
			in := &w.taking[i] == t || countsCarried(w.taking[i].n, t.n)
			for _, s := range a.scopes[i] {
				s[0] = in
			}
		}
		a.q.Changed()
	}
	for i := range w.taking {
		if &w.taking[i] != t {
			continue
		}
		for _, r := range a.places[i] {
			if r.rung == rung {
				return a.q.Find(r.refs[0], &w.nodes, r.refs[1:]...)
			}
		}
	}
	return progress.ToAdd{}
}

// countsCarried tells whether a nudge counts a made-up unit in the scope of another.
func countsCarried(n *snapshot.Compiled, o *snapshot.Compiled) bool {
	switch {
	case n.All:
		return true
	case n.Only:
		return slices.ContainsFunc(n.Names, func(name int32) bool { return slices.Contains(o.Names, name) })
	}
	return n.Scope.Matches(&o.Carried)
}

func (w *work) rungOutcome(o *RungOutcome, t *taking, r *taker) {
	if t.n.Definition.Built() {
		w.stand(o, t, r)
		return
	}
	ref := r.refs[0]
	status, counted := w.problem.Stand(&w.outcome, ref)
	o.Rung, o.Measure, o.Threshold, o.Counted, o.State = r.rung, r.plan.Measure, r.plan.Goal.Threshold, counted, states[status]
	if len(r.refs) > 1 {
		o.State = w.status(r)
	}
	o.Reward = w.rewardsText(t.n, r.rung, w.tongue.Language)
	o.Gap = max(0, o.Threshold-o.Counted)
	if r.plan.Repeats {
		o.Again = w.again(ref)
	}
	switch {
	case o.State == RungReached, o.State == RungWaiting:
		o.Gap = 0
		if o.Measure == nudge.Value {
			o.ToAdd, o.Lasting = w.pointTo(0), w.pointTo(0)
		}
	case o.State == RungPassed:
		o.Reason = "passed"
	case o.Measure != nudge.Value:
		if o.State == RungOutdone {
			o.Reason = "better_reward"
		}
	case !w.brief:
		w.toAdd(o, t, r.refs)
	}
}

func (w *work) toAdd(o *RungOutcome, t *taking, refs []pricing.Ref) {
	var found progress.ToAdd
	if ref := refs[0]; len(refs) == 1 && !w.quietMatters && progress.Plain(w.problem, ref) {
		found = progress.FindPlain(w.problem, w.problem.GoalOf(ref), o.Counted, w.region.Rate(""))
	} else {
		found = w.find(t, o.Rung)
	}
	if found.Exists {
		o.ToAdd = w.pointTo(found.Least)
	}
	switch {
	case found.Lasts:
		o.Lasting = w.pointTo(found.Lasting)
	case found.Spent:
		o.Reason = "not_found"
	default:
		o.Reason = "better_reward"
	}
}

// again is how many units are missing to one more set, once one is made.
func (w *work) again(ref pricing.Ref) *int64 {
	if ref.Class != pricing.UnitClass || !w.outcome.UnitGiven[ref.Index] {
		return nil
	}
	u := &w.problem.Units[ref.Index]
	free := w.problem.UnitMeasure(&w.outcome, ref.Index)
	if u.Goal.Measure != pricing.Units {
		return nil
	}
	for _, c := range w.outcome.Claims {
		if c.Unit == ref.Index {
			for _, part := range c.Parts {
				if u.Goal.Scope[part.Line] {
					free -= part.Qty
				}
			}
		}
	}
	missing := max(0, u.Size-free)
	return &missing
}
