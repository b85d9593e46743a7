package nudge

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Kind is a form of reward.
type Kind string

// The forms of reward.
const (
	UnitPercent Kind = "unit_percent" // a percentage off each
	UnitAmount  Kind = "unit_amount"  // an amount off each
	UnitPrice   Kind = "unit_price"   // a fixed price each
	SetPrice    Kind = "set_price"    // so many for a price
	BuiltPrice  Kind = "built_price"  // a price for all that was put together
	NForM       Kind = "n_for_m"      // so many for the price of fewer, the cheapest free
	Every       Kind = "every"        // for every so many bought, some at a percentage off

	OrderPercent Kind = "order_percent" // a percentage off the counted lines
	OrderAmount  Kind = "order_amount"  // an amount off the counted lines

	FreeShipping Kind = "free_shipping" // the named methods cost nothing
	ShippingOff  Kind = "shipping_off"  // an amount off the fee of the named methods
	ShippingFlat Kind = "shipping_flat" // a fee that the named methods never exceed

	Gift     Kind = "gift"      // these items; the first that is in stock
	GiftPick Kind = "gift_pick" // the shopper picks some of these

	OfferAdd    Kind = "offer_add"    // the right to add an item at a special price
	OfferBetter Kind = "offer_better" // the right to a better version in place of an item
	OrderBump   Kind = "order_bump"   // one more item at the checkout
	OfferAfter  Kind = "offer_after"  // an item after the purchase
	Companions  Kind = "companions"   // what goes with the product shown, ticked and put in together

	Notice Kind = "notice" // gives nothing: something is said, with one act
)

// Kinds lists every form of reward, in the order of computing.
var Kinds = []Kind{
	UnitPercent, UnitAmount, UnitPrice, SetPrice, BuiltPrice, NForM, Every, OrderPercent, OrderAmount,
	FreeShipping, ShippingOff, ShippingFlat, Gift, GiftPick, OfferAdd, OfferBetter, OfferAfter, OrderBump, Companions, Notice,
}

// Class says at which stage of computing a reward is given.
type Class int

// The classes, in the order of computing.
const (
	UnitClass Class = iota + 1
	OrderClass
	ShippingClass
	GiftClass
	UnlockClass
)

// ClassName is a class in the JSON form.
type ClassName string

var classNames = []ClassName{"", "unit", "order", "shipping", "gift", "unlock"}

// Name returns the class in the JSON form.
func (c Class) Name() ClassName { return classNames[c] }

// ClassOf returns the class of a name, 0 for an unknown one.
func ClassOf(n ClassName) Class { return Class(max(0, slices.Index(classNames, n))) }

// Class returns the kind's class, 0 for an unknown kind.
func (k Kind) Class() Class {
	switch k {
	case UnitPercent, UnitAmount, UnitPrice, SetPrice, BuiltPrice, NForM, Every:
		return UnitClass
	case OrderPercent, OrderAmount:
		return OrderClass
	case FreeShipping, ShippingOff, ShippingFlat:
		return ShippingClass
	case Gift, GiftPick:
		return GiftClass
	case OfferAdd, OfferBetter, OfferAfter, OrderBump, Companions, Notice:
		return UnlockClass
	}
	return 0
}

// Item is a quantity of a SKU.
type Item struct {
	SKU      string `json:"sku"`
	Quantity int64  `json:"quantity,omitempty"` // 0: one
}

// Reward is what is given. Which fields count depends on Kind.
type Reward struct {
	Kind Kind `json:"kind"`
	// Methods names shipping methods; empty means all of them.
	Methods []string `json:"methods,omitempty"`
	// Amounts is, per region, the amount off, the price, or the flat fee.
	Amounts Amounts `json:"amounts,omitempty"`
	// Percent is the share taken off.
	Percent *money.Rate `json:"percent,omitempty"`
	// Endings is, per region, what a unit's price ends with after the percentage: below
	// one whole unit of the currency what follows the point (0.90), else what it is a
	// multiple of. Prices are rounded down to it, never up and never to nothing.
	Endings Amounts `json:"endings,omitempty"`
	// Cap is the most that an order reward takes off, per region.
	Cap Amounts `json:"cap,omitempty"`

	// On is what a unit reward is on; nil: the counted lines.
	On *catalog.Filter `json:"on,omitempty"`
	// Size is how many make a set, n of n for m, or are bought for every.
	Size int64 `json:"size,omitempty"`
	// PayFor is m of n for m.
	PayFor int64 `json:"pay_for,omitempty"`
	// Get is how many units every Size bought ones earn.
	Get int64 `json:"get,omitempty"`
	// Cheapest and Dearest reward only so many of the cheapest or dearest units.
	Cheapest int64 `json:"cheapest,omitempty"`
	Dearest  int64 `json:"dearest,omitempty"`
	// DearestFirst makes every reward the dearest units in place of the cheapest.
	DearestFirst bool `json:"dearest_first,omitempty"`
	// Shipments says which shipments of a purchase plan it is for; empty: the
	// first, which is the one an order pays.
	Shipments Shipments `json:"shipments,omitempty"`

	// Items is what a gift or an offer is about.
	Items []Item `json:"items,omitempty"`
	// Pick is how many of Items the shopper picks.
	Pick int64 `json:"pick,omitempty"`
	// InPlaceOf names the SKUs that a better version replaces.
	InPlaceOf []string `json:"in_place_of,omitempty"`
	// Choose is the rule by which an offer is found; empty: by hand, by the two above. Items
	// of companions that have a rule are taken where that finds too few.
	Choose Choose `json:"choose,omitempty"`
	// Alike is the option whose value companions share with the product, by [SameOption].
	Alike string `json:"alike,omitempty"`
	// Most is how many companions are shown at once; 0: [UsualCompanions].
	Most int64 `json:"most,omitempty"`
	// Link is where a notice leads, a path of the shop or an address, and Code what it
	// enters; one of them, or the Items that it puts in, or nothing.
	Link string `json:"link,omitempty"`
	Code string `json:"code,omitempty"`
}

// Choose is a rule by which what is offered is found.
type Choose string

// The rules.
const (
	// NextSize offers the next dearer variant of the same product that differs in one
	// option only, for what is counted of the cart.
	NextSize Choose = "next_size"
	// The others find companions: other products of one of the product's collections, that
	// have the same value of an option, or that past orders hold beside it.
	SameCollection Choose = "same_collection"
	SameOption     Choose = "same_option"
	BoughtTogether Choose = "bought_together"
)

// Rules lists the rules by which companions are found.
var Rules = []Choose{SameCollection, SameOption, NextSize, BoughtTogether}

// How many companions are shown at once.
const (
	UsualCompanions = 3
	MostCompanions  = 3 // every choice among them is decided beforehand
)

// Shipments is which shipments of a purchase plan a reward is for.
type Shipments string

// The shipments.
const (
	FirstShipment  Shipments = "first"
	LaterShipments Shipments = "later"
	EveryShipment  Shipments = "every"
)

// Companions is how many companions are shown at once.
func (r Reward) Companions() int {
	if r.Most > 0 {
		return int(r.Most)
	}
	return UsualCompanions
}

// Names tells whether the reward is about a shipping method.
func (r Reward) Names(method string) bool {
	return len(r.Methods) == 0 || slices.Contains(r.Methods, method)
}

// Free tells whether a gift costs the shopper nothing.
func (r Reward) Free() bool { return r.Percent == nil || *r.Percent == money.Whole }

// Many returns how many of an item are meant.
func (i Item) Many() int64 { return max(1, i.Quantity) }

// ByPiece tells whether a nudge is about prices by the number of pieces: it counts
// pieces and lowers what they cost, or makes sets of them as they come.
func (d *Definition) ByPiece() bool {
	if d.Built() {
		return false
	}
	pieces := slices.Contains([]Measure{Units, SameProduct, SameVariant}, d.Ladder.Counts())
	for i := range d.Ladder.Rungs {
		for _, r := range d.Ladder.Rungs[i].Rewards {
			if Repeats(r.Kind) || pieces && r.Kind.Class() == UnitClass {
				return true
			}
		}
	}
	return false
}
