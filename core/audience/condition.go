// Package audience tells for whom and when a nudge is meant: a tree of conditions
// over the cart, the shopper, the visit and the moment.
//
// Logic is three-valued (Kleene): a fact that is not known is neither true nor
// false. A tree that comes out unknown does not hold.
package audience

import (
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Condition is one condition, or a group of conditions. Exactly one field is set.
type Condition struct {
	All  []Condition `json:"all,omitempty"`  // every one holds
	Any  []Condition `json:"any,omitempty"`  // at least one holds
	None []Condition `json:"none,omitempty"` // not one holds

	// The cart, before nudges and without gifts.
	CartValue *Money          `json:"cart_value,omitempty"` // as shown, without gift cards
	Units     *Count          `json:"units,omitempty"`
	Distinct  *Count          `json:"distinct_products,omitempty"`
	Weight    *Count          `json:"weight_g,omitempty"`
	Holds     *Holds          `json:"holds,omitempty"`
	Only      *catalog.Filter `json:"only,omitempty"` // nothing else is in the cart
	Sale      *bool           `json:"sale_in_cart,omitempty"`
	Empty     *bool           `json:"empty_cart,omitempty"`
	Code      string          `json:"code,omitempty"` // entered

	// Where it goes.
	Regions   []string `json:"regions,omitempty"`
	Countries []string `json:"countries,omitempty"`
	Postcodes []string `json:"postcodes,omitempty"` // prefixes
	Methods   []string `json:"methods,omitempty"`   // chosen shipping method

	// The shopper.
	SignedIn *bool    `json:"signed_in,omitempty"`
	Groups   []string `json:"groups,omitempty"`
	Orders   *Count   `json:"past_orders,omitempty"`
	Since    *Count   `json:"days_since_order,omitempty"` // full days since the last order
	Lifetime *Money   `json:"lifetime_spend,omitempty"`
	Bought   []string `json:"bought_before,omitempty"` // product ids, any of them

	// The visit.
	Campaign map[string][]string `json:"campaign,omitempty"` // utm parameter to accepted values
	Devices  []Device            `json:"devices,omitempty"`
	Page     *Page               `json:"page,omitempty"`
	Acts     []Act               `json:"acts,omitempty"` // any of them is what just happened
	Arm      *Arm                `json:"trial_arm,omitempty"`

	// The moment, in the shop's time zone.
	Between  *Between  `json:"between,omitempty"`
	Weekdays []Weekday `json:"weekdays,omitempty"`
	Hours    *Hours    `json:"hours,omitempty"`
}

// Count asks for a whole number: at least, at most, or exactly so many.
type Count struct {
	Least   *int64 `json:"at_least,omitempty"`
	Most    *int64 `json:"at_most,omitempty"`
	Exactly *int64 `json:"exactly,omitempty"`
}

// Money asks for an amount per region id, both ends in the range. A region
// without an amount never meets it.
type Money struct {
	Least map[string]money.Amount `json:"at_least,omitempty"`
	Most  map[string]money.Amount `json:"at_most,omitempty"`
}

// Holds asks how many pieces of some goods the cart holds.
type Holds struct {
	Goods catalog.Filter `json:"goods"`
	Count
}

// Device is a class of device.
type Device string

// The classes of devices.
const (
	Phone   Device = "phone"
	Tablet  Device = "tablet"
	Desktop Device = "desktop"
)

// Page asks for the page the shopper looks at and what it shows. Kinds and Goods
// must both agree where both are set.
type Page struct {
	Kinds    []string        `json:"kinds,omitempty"`
	Goods    *catalog.Filter `json:"goods,omitempty"` // of the product shown, or of its collection
	InStock  *bool           `json:"in_stock,omitempty"`
	HasImage *bool           `json:"has_image,omitempty"`
}

// Act is something a shopper has just done.
type Act string

// The acts.
const (
	ItemAdded     Act = "item_added"
	CartOpened    Act = "cart_opened"
	CheckoutBegun Act = "checkout_begun"
	OrderPlaced   Act = "order_placed"
	Leaving       Act = "leaving"
	LinkShared    Act = "link_shared"
)

// Acts are all acts, Devices all devices.
var (
	Acts    = []Act{ItemAdded, CartOpened, CheckoutBegun, OrderPlaced, Leaving, LinkShared}
	Devices = []Device{Phone, Tablet, Desktop}
)

// Arm is an arm of a trial.
type Arm struct {
	Trial string `json:"trial"`
	Arm   string `json:"arm"`
}

// Between is a range of dates and times, from (in it) until (not in it).
type Between struct {
	From  *time.Time `json:"from,omitempty"`
	Until *time.Time `json:"until,omitempty"`
}

// Weekday is a day of the week: mon, tue, wed, thu, fri, sat, sun.
type Weekday string

// Weekdays lists the days of a week.
var Weekdays = []Weekday{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// Name is the day in English.
func (w Weekday) Name() string { return weekdays[w].String() }

var weekdays = map[Weekday]time.Weekday{
	"mon": time.Monday, "tue": time.Tuesday, "wed": time.Wednesday, "thu": time.Thursday,
	"fri": time.Friday, "sat": time.Saturday, "sun": time.Sunday,
}

// Hours is a range of the day, from (in it) until (not in it), as 15:04. A range
// that ends before it begins goes over midnight.
type Hours struct {
	From  string `json:"from"`
	Until string `json:"until"`
}

// PageKinds lists the kinds of page a store has.
var PageKinds = []string{"home", "collection", "product", "cart", "checkout", "thanks"}
