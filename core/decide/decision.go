package decide

import (
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// Decision is the priced cart, what is missing to every promise, and what shows
// where. Amounts are whole minor units of Currency.
type Decision struct {
	Region   string         `json:"region"`
	Currency money.Currency `json:"currency"`
	Decimals int            `json:"decimals"`
	Locale   string         `json:"locale"`
	// TaxShown tells whether lines, goods and fees include tax; ToPay always does.
	TaxShown bool         `json:"tax_shown"`
	Lines    []PricedLine `json:"lines"`
	// Before is the goods before nudges, Off what order rewards take, Goods what remains.
	Before money.Minor `json:"before"`
	Off    money.Minor `json:"off"`
	Goods  money.Minor `json:"goods"`
	// Tax is all tax of the order: contained in it, or on top where TaxShown is false.
	Tax      money.Minor                 `json:"tax"`
	Shipping *Shipping                   `json:"shipping"` // null: no destination
	ToPay    money.Minor                 `json:"to_pay"`
	Rewards  []Given                     `json:"rewards"`
	Codes    []CodeOutcome               `json:"codes"`
	Nudges   []NudgeOutcome              `json:"nudges"`
	Shown    map[nudge.Placement][]Shown `json:"shown"`
	// Exact is false where a better choice was not ruled out; Bound is then the
	// most it could save.
	Exact bool        `json:"exact"`
	Bound money.Minor `json:"bound,omitempty"`
	Trace []Step      `json:"trace,omitempty"`
}

// PricedLine is a cart line with what it costs.
type PricedLine struct {
	ID       string      `json:"id,omitempty"`
	SKU      string      `json:"sku"` // empty: the added unit
	Quantity int64       `json:"quantity"`
	Unit     money.Minor `json:"unit"`   // price of one, before nudges
	Amount   money.Minor `json:"amount"` // Unit × Quantity
	Off      money.Minor `json:"off"`    // the line's share of order rewards
	Paid     money.Minor `json:"paid"`   // Amount − Off
	Tax      money.Minor `json:"tax"`
}

// Shipping is the method that applies and what it costs; Methods lists every
// method that delivers there, each as if it were chosen.
type Shipping struct {
	Method  string        `json:"method"`
	Name    string        `json:"name"`
	ListFee money.Minor   `json:"list_fee"`
	Fee     money.Minor   `json:"fee"`
	Methods []MethodQuote `json:"methods"`
}

// MethodQuote is what a method would cost.
type MethodQuote struct {
	Method  string      `json:"method"`
	Name    string      `json:"name"`
	ListFee money.Minor `json:"list_fee"`
	Fee     money.Minor `json:"fee"`
	ToPay   money.Minor `json:"to_pay"`
}

// Given is a reward that was given.
type Given struct {
	Nudge    string      `json:"nudge"`
	Revision int         `json:"revision"`
	Rung     int         `json:"rung"`
	Class    string      `json:"class"` // order or shipping
	Amount   money.Minor `json:"amount"`
	Text     string      `json:"text"`
}

// CodeOutcome is what became of an entered code.
type CodeOutcome struct {
	Code string `json:"code"`
	// State is used, left_out (paying without it costs less), not_yet (its goal
	// does not hold), or unknown.
	State string `json:"state"`
}

// NudgeOutcome is what became of a nudge.
type NudgeOutcome struct {
	Nudge    string        `json:"nudge"`
	Revision int           `json:"revision"`
	Name     string        `json:"-"`
	Rungs    []RungOutcome `json:"rungs"`
	State    nudge.State   `json:"state,omitempty"`
	// Reason is the first reason for which it does not show; empty where it may.
	Reason Reason `json:"reason,omitempty"`
}

// RungOutcome is how far a rung is.
type RungOutcome struct {
	Rung      int         `json:"rung"`
	State     RungState   `json:"state"`
	Threshold money.Minor `json:"threshold"`
	Counted   money.Minor `json:"counted"` // the measure
	Gap       money.Minor `json:"gap"`
	// ToAdd is the least addition that reaches the rung, Lasting the least from
	// which it stays reached: what a shopper reads. Null: there is none.
	ToAdd   *money.Minor `json:"to_add"`
	Lasting *money.Minor `json:"lasting"`
	// Reason says why there is nothing to add: better_reward, or not_found where
	// the search came to its bound.
	Reason string `json:"reason,omitempty"`
	Reward string `json:"reward"`
}

// RungState is open, reached or outdone.
type RungState string

// The states of a rung.
const (
	RungOpen    RungState = "open"
	RungReached RungState = "reached"
	RungOutdone RungState = "outdone"
)

// Reason is a reason for which a nudge does not show.
type Reason string

// The reasons.
const (
	OutsideSchedule Reason = "schedule"      // before its start or after its end
	OutsideRegion   Reason = "region"        // not for this region
	CodeMissing     Reason = "code"          // its code was not entered
	OutsidePage     Reason = "page"          // not on this kind of page
	NoThreshold     Reason = "no_threshold"  // no threshold for this region
	Dismissed       Reason = "dismissed"     // closed by the shopper
	HiddenReached   Reason = "reached"       // reached, and set to hide then
	BetterInPlace   Reason = "outdone"       // something better stands in its place
	NoWords         Reason = "no_words"      // no sentence for its state
	AnotherShows    Reason = "another_shows" // another nudge has the place
	NoPlace         Reason = "no_place"      // it has no placement
)

// Shown is a nudge as a placement shows it.
type Shown struct {
	Nudge    string      `json:"nudge"`
	Revision int         `json:"revision"`
	Rung     int         `json:"rung"`
	State    nudge.State `json:"state"`
	Newly    bool        `json:"newly,omitempty"` // reached for the first time in this visit
	Language string      `json:"language"`
	Text     string      `json:"text"`
	Pieces   []Words     `json:"pieces"`
	Progress Progress    `json:"progress"`
	Look     nudge.Look  `json:"look"`
}

// Words is a run of text; Strong where it stands for a placeholder.
type Words struct {
	Text   string `json:"text"`
	Strong bool   `json:"strong,omitempty"`
}

// Progress is how far a ladder is: Value of Most minor units, with a mark for
// each rung.
type Progress struct {
	Value money.Minor `json:"value"`
	Most  money.Minor `json:"most"`
	Marks []Mark      `json:"marks"`
	Text  string      `json:"text"` // for those who do not see the bar
}

// Mark is a rung on the bar.
type Mark struct {
	At      money.Minor `json:"at"`
	Reached bool        `json:"reached"`
	Label   string      `json:"label"`
}

// Step is one step of the trace: a figure, how it comes about, and the same in
// words. Op applied to Terms gives Result.
type Step struct {
	About  string      `json:"about"` // such as nudge winter-ladder, rung 0, gap
	Op     Op          `json:"op"`
	Terms  []Term      `json:"terms"`
	Result money.Minor `json:"result"`
	Say    string      `json:"say"`
}

// Term is an input of a step.
type Term struct {
	Name  string      `json:"name"`
	Value money.Minor `json:"value"`
}

// Op is how the terms of a step make its result.
type Op string

// The operations.
const (
	Sum     Op = "sum"      // all added up
	Less    Op = "less"     // the first less all others
	LessNil Op = "less_nil" // the first less all others, never below zero
	Times   Op = "times"    // the first times the second
	Percent Op = "percent"  // the first times the second, in millionths, half away from zero
	AsIs    Op = "as_is"    // taken as it is from the term
	Search  Op = "search"   // found by deciding again with an added unit
	Spread  Op = "spread"   // a share by largest remainder: total, own weight, sum of weights
)
