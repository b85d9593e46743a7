package decide

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/progress"
)

// nudgeOutcome measures every rung of a nudge.
func (w *work) nudgeOutcome(t *taking) NudgeOutcome {
	out := NudgeOutcome{Nudge: t.n.ID, Revision: t.n.Revision, Name: t.n.Definition.Name, Reason: t.reason, Rungs: []RungOutcome{}}
	if t.reason != "" {
		return out
	}
	var with *pricing.Problem // the cart with one more unit, built when first needed
	for _, r := range slices.Clone(t.rungs) {
		goal := w.goal(r.target)
		counted := w.problem.Measure(goal, w.outcome.After)
		o := RungOutcome{
			Rung: r.rung, Threshold: goal.Threshold, Counted: counted, Gap: max(0, goal.Threshold-counted),
			Reward: nudge.RewardsText(t.n.Definition.Ladder.Rungs[r.rung].Rewards, *w.region, w.language(), w.locale()),
		}
		status := w.status(r.target)
		o.State = [...]RungState{RungOpen, RungReached, RungOutdone}[status]
		if status == pricing.Reached {
			o.ToAdd, o.Lasting = new(money.Minor), new(money.Minor)
		} else {
			var found progress.ToAdd
			if progress.Plain(w.problem, r.target) {
				found = progress.FindPlain(w.problem, goal, counted, w.region.Rate(""))
			} else {
				if with == nil {
					with = w.assemble(t)
				}
				found = progress.Find(with, r.target, &w.nodes)
			}
			if found.Exists {
				o.ToAdd = &found.Least
			}
			if found.Lasts {
				o.Lasting = &found.Lasting
			} else if found.Spent {
				o.Reason = "not_found"
			} else {
				o.Reason = "better_reward"
			}
		}
		out.Rungs = append(out.Rungs, o)
	}
	return out
}

func (w *work) goal(t progress.Target) pricing.Goal {
	if t.Order {
		return w.problem.Orders[t.Index].Goal
	}
	return w.problem.Ships[t.Index].Goal
}
