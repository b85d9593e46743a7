package pricing

// Rule names a rule by which a choice is not allowed.
type Rule int

// The rules. Each is told by the function named beside it.
const (
	None          Rule = iota
	GoalOpen           // a rung is given whose goal does not hold: Allowed
	HigherHolds        // a higher rung of its replacing ladder holds: Allowed
	SavesNothing       // it makes nothing cheaper: Allowed, Order, Shipping
	TooMany            // it rewards more units than it may: Allowed
	HalfDone           // it could take one more free unit, or make one more set: Allowed
	OverMostOff        // more than may be taken off the order: UnitsWithin, Order
	OverBudget         // dearer than what remains of its budget: UnitsWithin, Order, Shipping
	UnderFloor         // a line would be left below its margin floor: FloorsHold
	StandsAgainst      // another rung that is given may not stand beside it: RefuseOneAnother
	GiftDue            // a gift of higher priority may not stand beside it: GiftsBeside
)

// Refusal is why a choice is not allowed: the rule, and the rung that it is about. Its
// zero value says that it is allowed.
type Refusal struct {
	Rule Rule
	Rung Ref
}

// OK tells whether nothing is refused.
func (r Refusal) OK() bool { return r.Rule == None }
