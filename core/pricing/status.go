package pricing

import "agonal.dev/agonal/core/money"

// Status is what became of a rung in an outcome.
type Status int

// The statuses.
const (
	Open    Status = iota // the goal does not hold
	Reached               // it holds; the reward is given, superseded, or has nothing left to give
	Outdone               // it holds, and something better for the shopper stands in its place
)

// ShipStatus returns the status of shipping rung i.
func (p *Problem) ShipStatus(o *Outcome, i int) Status {
	s := &p.Ships[i]
	switch {
	case !p.GoalHolds(s.Goal, o.After):
		return Open
	case o.ShipGiven[i], o.Method < 0, o.Fee == 0,
		s.By[o.Method].Lower(o.ListFee) == o.ListFee,
		p.superseded(o, i):
		return Reached
	}
	return Outdone
}

// superseded tells whether a later rung of the same nudge is given.
func (p *Problem) superseded(o *Outcome, i int) bool {
	for j := i + 1; j < len(p.Ships); j++ {
		if o.ShipGiven[j] && p.Ships[j].Key.Nudge == p.Ships[i].Key.Nudge {
			return true
		}
	}
	return false
}

// OrderStatus returns the status of order rung i.
func (p *Problem) OrderStatus(o *Outcome, i int) Status {
	switch {
	case !p.GoalHolds(p.Orders[i].Goal, o.After):
		return Open
	case o.OrderGiven[i], p.take(i, p.before(make([]money.Minor, 0, len(p.Lines)))).Total == 0:
		return Reached
	}
	return Outdone
}
