package results

import "agonal.dev/agonal/core/money"

// PlanKind is what became of something that was bought by a plan, after its first parcel.
type PlanKind string

// The kinds.
const (
	PlanParcel  PlanKind = "parcel"  // a later parcel was sent
	PlanRenewed PlanKind = "renewed" // it goes on for another term
	PlanEnded   PlanKind = "ended"
)

// PlanKinds lists them.
var PlanKinds = []PlanKind{PlanParcel, PlanRenewed, PlanEnded}

// Plans are what came of orders with a plan of which a nudge gave something, or whose set it is.
// Orders and what became of them are each of the period; money is in minor units of one currency,
// as it was charged.
type Plans struct {
	Begun   int64 // orders with a plan: their first parcels
	Parcels int64 // later ones
	Paid    money.Minor
	Renewed int64
	Ended   int64
	GoingOn int64 // at the end of the period, whenever they began
}

// IsZero tells whether there were none.
func (p Plans) IsZero() bool { return p == Plans{} }
