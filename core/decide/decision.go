package decide

import (
	"slices"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/theme"
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
	Tax      money.Minor `json:"tax"`
	Shipping *Shipping   `json:"shipping" jsonschema:"nullable"` // null: no destination
	ToPay    money.Minor `json:"to_pay"`
	Rewards  []Given     `json:"rewards"`
	// Gifts are the gifts earned: in the cart, to be had, or why not.
	Gifts []GiftOutcome `json:"gifts"`
	// Builds are the sets that the shopper is putting together, in the order of Nudges
	// and of their ids.
	Builds []BuildOutcome `json:"builds,omitempty"`
	// Left are gifts of the request's cart that are no longer earned, and offers
	// whose special price no longer holds.
	Left   []Leaving      `json:"left,omitempty"`
	Offers []OfferOutcome `json:"offers,omitempty"`
	Codes  []CodeOutcome  `json:"codes"`
	Nudges []NudgeOutcome `json:"nudges"`
	// Says is what each nudge that shows says, once, by the order of Nudges; Shown
	// is which of them show where: by placement their ids, the first one first.
	Says  []Said                       `json:"says"`
	Shown map[nudge.Placement][]string `json:"shown"`
	// Awaits is what nudges wait for that would show if it had just happened.
	Awaits []audience.Act `json:"awaits,omitempty"`
	// Theme is what the shop's theme sets of the embed's style; none: nothing.
	Theme *theme.Vars `json:"theme,omitempty"`
	// Cart is the cart as it is drawn, where that was asked for.
	Cart *DrawnCart `json:"cart,omitempty"`
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
	Plan     string      `json:"plan,omitempty"`
	Origin   *Origin     `json:"origin,omitempty"`
	Build    *Build      `json:"build,omitempty"`
	Unit     money.Minor `json:"unit"`               // price of one, before nudges
	Amount   money.Minor `json:"amount"`             // Unit × Quantity
	UnitOff  money.Minor `json:"unit_off,omitempty"` // what unit rewards take
	Off      money.Minor `json:"off"`                // unit rewards and the line's share of order rewards
	Paid     money.Minor `json:"paid"`               // Amount − Off
	Tax      money.Minor `json:"tax"`
	// Parts says at what price which units are had after unit rewards, where they
	// differ from Unit.
	Parts []LinePart `json:"parts,omitempty"`
	// Later is what one shipment after the first costs, for lines bought by a plan.
	Later *money.Minor `json:"later,omitempty"`
}

// LinePart is a run of units that a nudge has taken.
type LinePart struct {
	Quantity int64       `json:"quantity"`
	Off      money.Minor `json:"off"` // of one
	Nudge    string      `json:"nudge"`
	Rung     int         `json:"rung"`
}

// plain tells that the shopper put the line in, once, by itself.
func (l *PricedLine) plain() bool { return l.Plan == "" && l.Origin == nil && l.Build == nil }

// AfterUnit is what the line costs after unit rewards, before those of the order.
func (l PricedLine) AfterUnit() money.Minor { return l.Amount - l.UnitOff }

// PartPrice is what one unit of a part costs after unit rewards.
func (l PricedLine) PartPrice(p LinePart) money.Minor { return l.Unit - p.Off }

// OrderOff is the line's share of order rewards.
func (l PricedLine) OrderOff() money.Minor { return l.Off - l.UnitOff }

// BuildOutcome is what became of a set that the shopper puts together.
type BuildOutcome struct {
	Nudge string     `json:"nudge"`
	ID    string     `json:"id"`
	State BuildState `json:"state"`
	// Rung is the one whose price it has, where it is given.
	Rung   *int        `json:"rung,omitempty"`
	Pieces int64       `json:"pieces"`
	Amount money.Minor `json:"amount"` // before nudges
	Price  money.Minor `json:"price"`  // after unit rewards
	// Plan is how it is bought, Later what a later parcel costs; none: bought once.
	Plan  *PlanChoice  `json:"plan,omitempty"`
	Later *money.Minor `json:"later,omitempty"`
	Slots []SlotFill   `json:"slots"`
	// Stray are SKUs that no slot has room for.
	Stray []string `json:"stray,omitempty"`
	// Next is the next number of pieces that has a price; none: adding leads to none.
	Next *NextBuild `json:"next,omitempty"`
	// Heading is what the merchant calls it, Text how far it is, in words.
	Heading string `json:"heading,omitempty"`
	Text    string `json:"text"`
}

// BuildState is how far a set is.
type BuildState string

// The states of a set.
const (
	BuildOpen    BuildState = "open"    // not whole: its goods keep their own prices
	BuildGiven   BuildState = "given"   // it has its price
	BuildOutdone BuildState = "outdone" // it is whole, and its goods cost no less by it, or less by something better
)

// SlotFill is how far a slot is filled.
type SlotFill struct {
	Name    string `json:"name,omitempty"`
	Least   int64  `json:"least"`
	Most    int64  `json:"most"`
	Have    int64  `json:"have"`
	Missing int64  `json:"missing"` // to the least
}

// NextBuild is the next number of pieces that has a price.
type NextBuild struct {
	Rung   int    `json:"rung"`
	Pieces int64  `json:"pieces"`
	Gap    int64  `json:"gap"`
	Reward string `json:"reward"`
}

// GiftOutcome is a gift that is earned.
type GiftOutcome struct {
	Nudge string    `json:"nudge"`
	Rung  int       `json:"rung"`
	State GiftState `json:"state"`
	// Items are what is in the cart as a gift; Choice what may be picked or, for a
	// gift at a price, taken.
	Items  []GiftItem  `json:"items,omitempty"`
	Choice []GiftItem  `json:"choice,omitempty"`
	Pick   int64       `json:"pick,omitempty"` // how many of Choice may be had
	Worth  money.Minor `json:"worth"`          // list value of Items
}

// GiftItem is an item with what it costs the shopper.
type GiftItem struct {
	SKU      string      `json:"sku"`
	Label    string      `json:"label"`
	Quantity int64       `json:"quantity"`
	Unit     money.Minor `json:"unit"`  // list price of one
	Price    money.Minor `json:"price"` // what one costs the shopper
}

// Worth is the item's list value, all of it.
func (g GiftItem) Worth() money.Minor { return g.Unit * g.Quantity }

// GiftState is what becomes of an earned gift.
type GiftState string

// The states of a gift.
const (
	GiftAdded      GiftState = "added"        // it lies in the cart
	GiftToPick     GiftState = "to_pick"      // the shopper has yet to pick
	GiftOffered    GiftState = "offered"      // at a price: only offered
	GiftRemoved    GiftState = "removed"      // the shopper took it out, and it stays out
	GiftOutOfStock GiftState = "out_of_stock" // nothing of its list is there
)

// Leaving is something of the request's cart that does not stand.
type Leaving struct {
	SKU    string `json:"sku"`
	Nudge  string `json:"nudge"`
	Reason string `json:"reason"` // goal, audience, removed, out_of_stock, unknown
	Say    string `json:"say"`
}

// OfferOutcome is the right to buy something at a special price.
type OfferOutcome struct {
	Nudge string     `json:"nudge"`
	Rung  int        `json:"rung"`
	Kind  nudge.Kind `json:"kind"`
	// Items are what can be had, the one that is proposed first, and what was taken.
	Items    []OfferItem `json:"items"`
	Accepted bool        `json:"accepted,omitempty"` // some of it was taken
	// Main is what companions go with, and Together what the order costs with each choice
	// among them, all of them first, where they show.
	Main     *OfferMain `json:"main,omitempty"`
	Together []Together `json:"together,omitempty"`
}

// OfferItem is an item that is offered.
type OfferItem struct {
	SKU      string      `json:"sku"`
	Label    string      `json:"label"`
	Quantity int64       `json:"quantity"`
	Unit     money.Minor `json:"unit"`  // list price of one
	Price    money.Minor `json:"price"` // what one costs by the offer
	// Instead is the SKU of the cart that it would take, or has taken, the place of.
	Instead string `json:"instead,omitempty"`
	Taken   bool   `json:"taken,omitempty"`
	// More is to pay with it less to pay without it, and ToPay what the whole order costs
	// with it, where the offer shows; null: not known for certain, or taken.
	More  *money.Minor `json:"more,omitempty"`
	ToPay *money.Minor `json:"to_pay,omitempty"`
	// Profit is the change in the whole order's profit; null: a cost is unknown.
	Profit *money.Minor `json:"profit,omitempty"`
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
	Class    string      `json:"class"` // unit, order or shipping
	Amount   money.Minor `json:"amount"`
	Text     string      `json:"text"`
}

// CodeOutcome is what became of an entered code.
type CodeOutcome struct {
	Code string `json:"code"`
	// State is used, left_out (paying without it costs less), not_yet (its goal
	// does not hold), used_up, not_checked (its pool could not be looked up in time),
	// or unknown.
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
	// Arm is how a trial treats the visit, as [Arm] names it; empty: it is in none.
	Arm string `json:"arm,omitempty"`
	// Fact names the condition behind audience or not_known.
	Fact string `json:"fact,omitempty"`
	// Gain is what showing it is expected to earn, where the choice asked for it.
	Gain        *Gain        `json:"gain,omitempty"`
	Suggestions []Suggestion `json:"suggestions,omitempty"`
}

// Gain is an expected gain: p · Profit, with p = Accepted ÷ Shows of the posterior.
type Gain struct {
	Band     string      `json:"band"`
	Accepted int64       `json:"accepted"` // with the prior
	Shows    int64       `json:"shows"`    // with the prior
	Profit   money.Minor `json:"profit"`   // of the order, if it works
}

// Suggestion is goods that close the gap to a nudge's next rung.
type Suggestion struct {
	Items []SuggestedItem `json:"items"`
	// Overshoot is how far beyond the threshold it leads, in the measure's unit.
	Overshoot int64 `json:"overshoot"`
	// Net is to pay with it less to pay without it, shipping included.
	Net money.Minor `json:"net"`
	// Profit is the change in the whole order's profit; null: a cost is unknown.
	Profit *money.Minor `json:"profit" jsonschema:"nullable"`
	// Gift names the worth of gifts it earns, which Net does not subtract.
	Gift money.Minor `json:"gift,omitempty"`
}

// SuggestedItem is a quantity of a SKU to add.
type SuggestedItem struct {
	SKU      string `json:"sku"`
	Label    string `json:"label"`
	Quantity int64  `json:"quantity"`
	Build    *Build `json:"build,omitempty"` // the set that it finishes
	plan     string // by which that is bought
}

// RungOutcome is how far a rung is.
type RungOutcome struct {
	Rung    int           `json:"rung"`
	State   RungState     `json:"state"`
	Measure nudge.Measure `json:"measure"`
	// Threshold, Counted (the measure) and Gap are minor units, pieces or grams.
	Threshold int64 `json:"threshold"`
	Counted   int64 `json:"counted"`
	Gap       int64 `json:"gap"`
	// Again is what is missing to one more set, for rewards that repeat; null:
	// it does not repeat.
	Again *int64 `json:"again,omitempty"`
	// ToAdd is the least addition that reaches the rung, Lasting the least from
	// which it stays reached: what a shopper reads. Null: there is none, or the
	// goal is not one of value.
	ToAdd   *money.Minor `json:"to_add" jsonschema:"nullable"`
	Lasting *money.Minor `json:"lasting" jsonschema:"nullable"`
	// Reason says why there is nothing to add: better_reward, or not_found where
	// the search came to its bound.
	Reason string `json:"reason,omitempty"`
	Reward string `json:"reward"`
}

// RungState is open, reached, waiting, outdone or passed.
type RungState string

// The states of a rung.
const (
	RungOpen    RungState = "open"
	RungReached RungState = "reached"
	RungOutdone RungState = "outdone"
	RungPassed  RungState = "passed"  // its upper end lies behind
	RungWaiting RungState = "waiting" // its goal holds; the goods it gives something on are not in the cart
)

// Reason is a reason for which a nudge does not show.
type Reason string

// The reasons.
const (
	OutsideSchedule Reason = "schedule"       // before its start or after its end
	OutsideRegion   Reason = "region"         // not for this region
	CodeMissing     Reason = "code"           // its code was not entered
	OutsidePage     Reason = "page"           // not on this kind of page
	NoThreshold     Reason = "no_threshold"   // no threshold for this region
	Dismissed       Reason = "dismissed"      // closed by the shopper
	HiddenReached   Reason = "reached"        // reached, and set to hide then
	BetterInPlace   Reason = "outdone"        // something better stands in its place
	NoWords         Reason = "no_words"       // no sentence for its state
	AnotherShows    Reason = "another_shows"  // another nudge has the place
	NoPlace         Reason = "no_place"       // it has no placement
	NotMeant        Reason = "audience"       // its audience does not hold
	NotKnown        Reason = "not_known"      // its audience asks for what is not known
	LimitUsedUp     Reason = "limit"          // its uses or budget are used up
	Declined        Reason = "declined"       // the shopper declined its offer
	Quiet           Reason = "quiet"          // another dialog was open a short while ago
	OutsideMoment   Reason = "moment"         // what it waits for has not just happened
	NothingBetter   Reason = "nothing_better" // the cart holds nothing that its offer could take the place of
	NoCompanion     Reason = "no_companion"   // nothing goes with what the page or the cart holds
	OutOfStock      Reason = "out_of_stock"   // what it gives or offers is not there
	InCart          Reason = "in_cart"        // what it offers is in the cart
	BelowMargin     Reason = "margin"         // its offer would be below the margin floor
	Elsewhere       Reason = "elsewhere"      // none of its placements was asked for
	OtherGoods      Reason = "other_goods"    // its prices are those of other goods than the page shows
	ShownEnough     Reason = "shown_enough"   // shown as often as its cap allows
	NoGain          Reason = "no_gain"        // no gain is expected, and it is set to hide then
	HeldOut         Reason = "held_out"       // the visitor is of the share that does not see it, so that what it brings can be known
	TrialOnly       Reason = "trial_only"     // it is there for a trial, and the visit is not in it
)

// OffGoods are the rewards that lower what the goods cost: those of units and of the order.
func (d Decision) OffGoods() []Given {
	return slices.DeleteFunc(slices.Clone(d.Rewards), func(g Given) bool {
		return g.Class == string(nudge.ShippingClass.Name()) || g.Amount == 0
	})
}

// In is what a placement shows, in its order.
func (d Decision) In(p nudge.Placement) []Said {
	var out []Said
	for _, id := range d.Shown[p] {
		// A decision may have come from elsewhere: what says nothing is left out.
		if i := slices.IndexFunc(d.Says, func(s Said) bool { return s.Nudge == id }); i >= 0 {
			out = append(out, d.Says[i])
		}
	}
	return out
}

// Said is what a nudge says, the same in all its places.
type Said struct {
	Nudge    string      `json:"nudge"`
	Revision int         `json:"revision"`
	Rung     int         `json:"rung"`
	State    nudge.State `json:"state"`
	// Band is the gap band in which it asks for something; empty: it asks for nothing. A show
	// and what comes of it are counted by it.
	Band     string     `json:"band,omitempty"`
	Newly    bool       `json:"newly,omitempty"` // reached for the first time in this visit
	Language string     `json:"language"`
	RTL      bool       `json:"rtl,omitempty"` // written from right to left
	Text     string     `json:"text"`
	Pieces   []Words    `json:"pieces"`
	Progress Progress   `json:"progress"`
	Look     nudge.Look `json:"look"`
	// Tables say what a piece costs by the number of pieces, for each variant that the
	// page shows; Hints what a few more pieces of a line would cost. Both are for
	// nudges that count pieces and lower their prices.
	Tables []PriceTable `json:"tables,omitempty"`
	Hints  []Hint       `json:"hints,omitempty"`
	// Builder is what a set is put together from, where it shows with its goods.
	Builder *Builder `json:"builder,omitempty"`
	// Offer is what is offered, and the answers to it.
	Offer *SaidOffer `json:"offer,omitempty"`
	// Act is the one act of a notice.
	Act *SaidAct `json:"act,omitempty"`
	// Earn is what earns a code, where that is all that is missing.
	Earn *SaidEarn `json:"earn,omitempty"`
	// Heading, Picture and Ends belong to a block: what stands above it, a path of the
	// shop's picture, and for how long it is still to be had.
	Heading string `json:"heading,omitempty"`
	Picture string `json:"picture,omitempty"`
	// PictureAlt says what the picture shows; empty: it is an ornament.
	PictureAlt string `json:"picture_alt,omitempty"`
	Ends       *Ends  `json:"ends,omitempty"`
	// Once tells that it is to be offered once in a visit, however often it is earned.
	Once bool `json:"once,omitempty"`
	// Remember tells that the device is to remember its shows beyond the visit.
	Remember bool `json:"remember,omitempty"`
}

// SaidOffer is an offer as it is drawn.
type SaidOffer struct {
	Kind  nudge.Kind `json:"kind"`
	Yes   string     `json:"yes"`
	No    string     `json:"no,omitempty"`
	Was   string     `json:"was"` // before a price that is lowered, for those who do not see it struck through
	Items []SaidItem `json:"items"`
	// Together is what is ticked and put in together.
	Together *SaidTogether `json:"together,omitempty"`
}

// SaidTogether is companions as they are drawn: what they go with, and what each choice
// among them costs, all of them first.
type SaidTogether struct {
	Main   SaidItem  `json:"main"`
	InCart string    `json:"in_cart,omitempty"` // said of what lies in the cart already
	Sums   []SaidSum `json:"sums"`
}

// SaidSum is a choice among companions, every figure in words.
type SaidSum struct {
	SKUs  []string `json:"skus"`
	More  string   `json:"more"`
	Total string   `json:"total"`
	Saved string   `json:"saved,omitempty"`
}

// SaidAct is what a notice leads to: an address, a code that a press enters, or goods that
// it puts in.
type SaidAct struct {
	Text string `json:"text"`
	Link string `json:"link,omitempty"`
	Code string `json:"code,omitempty"`
	Put  []Put  `json:"put,omitempty"`
}

// Put is a quantity of a SKU to put in.
type Put struct {
	SKU      string `json:"sku"`
	Quantity int64  `json:"quantity"`
}

// SaidEarn is an act that earns a code: what a press is called, what is written beforehand
// for who shares the cart, and what is said where no code is left.
type SaidEarn struct {
	Act   audience.Act `json:"act"`
	Text  string       `json:"text"`
	No    string       `json:"no,omitempty"`
	Share string       `json:"share,omitempty"`
	Gone  string       `json:"gone"`
}

// SaidItem is an offered item, every figure in words.
type SaidItem struct {
	SKU     string `json:"sku"`
	Label   string `json:"label"`
	Picture string `json:"picture,omitempty"`
	Was     string `json:"was,omitempty"` // where it costs less by the offer
	Price   string `json:"price"`
	More    string `json:"more,omitempty"`  // how much more the order costs with it
	Total   string `json:"total,omitempty"` // what the whole order costs with it; after an order, what is charged for it
	Taken   bool   `json:"taken,omitempty"`
	// Instead is the SKU that it would take the place of, with its name, picture and price.
	Instead        string `json:"instead,omitempty"`
	InsteadLabel   string `json:"instead_label,omitempty"`
	InsteadPicture string `json:"instead_picture,omitempty"`
	InsteadPrice   string `json:"instead_price,omitempty"`
}

// Ends is for how long a nudge is still to be had from the decision's moment, and how
// that is said: {time} stands for the time that is left.
type Ends struct {
	Seconds int64  `json:"seconds"`
	Text    string `json:"text"`
}

// Builder is what a set is put together from.
type Builder struct {
	Slots []BuilderSlot    `json:"slots"`
	Empty string           `json:"empty"` // what is said while nothing is in it
	Most  int64            `json:"most"`  // places
	Words nudge.BuildWords `json:"words"`
	// Plans is how it can be bought; none: once.
	Plans []PlanChoice `json:"plans,omitempty"`
}

// BuilderSlot is a slot with the goods that fit it, at most [MostGoods].
type BuilderSlot struct {
	Name   string        `json:"name,omitempty"`
	Bounds string        `json:"bounds"` // "3 to 4"
	Least  int64         `json:"least"`
	Most   int64         `json:"most"`
	Goods  []BuilderGood `json:"goods"`
}

// MostGoods is how many different goods a slot offers.
const MostGoods = 60

// BuilderGood is a variant to choose.
type BuilderGood struct {
	SKU     string `json:"sku"`
	Label   string `json:"label"`
	Picture string `json:"picture,omitempty"`
	Price   string `json:"price"`
	// By is what it costs by each plan; what is missing is not sold by that.
	By  map[string]string `json:"by,omitempty"`
	Out bool              `json:"out,omitempty"` // not in stock
}

// PlanChoice is a way to buy: by a plan, or once.
type PlanChoice struct {
	Plan string `json:"plan"` // empty: once
	Text string `json:"text"` // "every 2 months"
	// Next are the days of the next parcels, as in 2027-01-26.
	Next []string `json:"next,omitempty"`
}

// PriceTable is what one piece of a variant costs by the number of pieces that count,
// each row as the cart would be decided with so many.
type PriceTable struct {
	SKU  string     `json:"sku"`
	Rows []PriceRow `json:"rows"`
}

// PriceRow is one step of a price by pieces.
type PriceRow struct {
	From int64       `json:"from"`
	To   int64       `json:"to,omitempty"` // 0: no end
	Each money.Minor `json:"each"`         // the most that one of them costs
	Here bool        `json:"here,omitempty"`
	// Add is how many pieces of the variant lead to it; 0: it is reached, or they are
	// not in stock.
	Add   int64  `json:"add,omitempty"`
	Range string `json:"range"` // "3 – 5", "12 and more"
	Price string `json:"price"` // "€11.40 each"
	Act   string `json:"act"`   // "add 1", "you have 5"; may be empty
	Total string `json:"total"` // what so many pieces cost: "€57.00"
	// Marked tells that the merchant points this row out.
	Marked bool `json:"marked,omitempty"`
}

// Hint is what a few more pieces of a cart line would cost.
type Hint struct {
	ID  string `json:"id,omitempty"` // of the line
	SKU string `json:"sku"`
	Add int64  `json:"add"`
	// Was and Each are the most that a piece of the line costs now and then.
	Was  money.Minor `json:"was"`
	Each money.Minor `json:"each"`
	More money.Minor `json:"more"` // to pay then, less to pay now: below 0 where it lowers the total
	Text string      `json:"text"`
	Act  string      `json:"act"`
}

// Words is a run of text; Strong where it stands for a placeholder.
type Words struct {
	Text   string `json:"text"`
	Strong bool   `json:"strong,omitempty"`
}

// Progress is how far a ladder is: Value of Most in the measure's unit, with a
// mark for each rung.
type Progress struct {
	Value int64  `json:"value"`
	Most  int64  `json:"most"`
	Marks []Mark `json:"marks"`
	Text  string `json:"text"` // for those who do not see the bar
}

// Mark is a rung on the bar.
type Mark struct {
	At      int64  `json:"at"`
	Reached bool   `json:"reached"`
	Label   string `json:"label"` // what it gives
	Goal    string `json:"goal"`  // its goal, in words
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
