package decide

import (
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/progress"
)

// nudgeOutcome measures every rung of a nudge.
func (w *work) nudgeOutcome(t *taking) NudgeOutcome {
	out := NudgeOutcome{Nudge: t.n.ID, Revision: t.n.Revision, Name: t.n.Definition.Name, Reason: t.reason, Fact: t.fact, Rungs: []RungOutcome{}}
	if t.reason != "" {
		return out
	}
	for _, r := range t.rungs {
		out.Rungs = append(out.Rungs, w.rungOutcome(t, r))
	}
	return out
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
		p, places, scopes := w.build(1)
		w.added = &added{places: places, scopes: scopes, q: progress.Ask(p)}
	}
	a := w.added
	if a.target != t {
		a.target = t
		carried := &t.n.carried
		for i := range a.scopes {
			in := &w.taking[i] == t || len(a.scopes[i]) > 0 && w.taking[i].n.scope.Matches(carried)
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
				return a.q.Find(r.refs[0], &w.nodes)
			}
		}
	}
	return progress.ToAdd{}
}

func (w *work) rungOutcome(t *taking, r taker) RungOutcome {
	ref := r.refs[0]
	goal := w.problem.Goal(ref)
	ladder := &t.n.Definition.Ladder
	o := RungOutcome{
		Rung: r.rung, Measure: ladder.Counts(), Threshold: goal.Threshold, State: w.status(r),
		Reward: w.rewardsText(t.n, r.rung, w.language()),
	}
	if goal.Measure == pricing.Units {
		o.Measure = nudge.Units // a set has a goal of pieces, whatever the ladder counts
	}
	o.Counted = w.measure(ref, goal)
	o.Gap = max(0, goal.Threshold-o.Counted)
	if nudge.Repeats(ladder.Rungs[r.rung].Rewards[0].Kind) {
		o.Again = w.again(ref)
	}
	switch {
	case o.State == RungReached:
		if o.Measure == nudge.Value {
			o.ToAdd, o.Lasting = new(money.Minor), new(money.Minor)
		}
	case o.State == RungPassed:
		o.Reason = "passed"
	case goal.Measure != pricing.Value:
		if o.State == RungOutdone {
			o.Reason = "better_reward"
		}
	case !w.brief:
		w.toAdd(&o, t, ref, goal)
	}
	return o
}

// measure returns a rung's measure: of unit rungs over the units that no other
// nudge has taken.
func (w *work) measure(ref pricing.Ref, goal pricing.Goal) int64 {
	if ref.Class == pricing.UnitClass {
		return w.problem.UnitMeasure(&w.outcome, ref.Index)
	}
	return w.problem.Measure(goal, &w.outcome)
}

func (w *work) toAdd(o *RungOutcome, t *taking, ref pricing.Ref, goal pricing.Goal) {
	var found progress.ToAdd
	if !w.quietMatter() && progress.Plain(w.problem, ref) {
		found = progress.FindPlain(w.problem, goal, o.Counted, w.region.Rate(""))
	} else {
		found = w.find(t, o.Rung)
	}
	if found.Exists {
		o.ToAdd = &found.Least
	}
	switch {
	case found.Lasts:
		o.Lasting = &found.Lasting
	case found.Spent:
		o.Reason = "not_found"
	default:
		o.Reason = "better_reward"
	}
}

// quietMatter tells whether nudges that only additions touch may give or bind
// something that decides whether a rung which is plain is reached.
func (w *work) quietMatter() bool {
	for i := range w.taking {
		t := &w.taking[i]
		if t.quiet && t.reason == "" && !t.n.lone {
			return true
		}
	}
	return false
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
