// Package decide is what happens for one visit: a [snapshot.Snapshot] of a shop and a
// [Request] give a [Decision]. Everything a decision depends on is in these two; the
// same input gives the same bytes out. It finds the nudges that can matter, puts the
// problem together, has it priced and its gaps searched, and chooses what is shown.
package decide

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/strict"
)

// Limits of a request.
const (
	MostLines    = 200
	MostQuantity = 10_000 // of a line, and of all lines together
	MostCodes    = 20
	MostVisitID  = 100 // characters

	mostRemembered = 100
)

// Request is a shopper's cart, visit and moment.
type Request struct {
	Cart    Cart    `json:"cart"`
	Visit   Visit   `json:"visit,omitzero"`
	Moment  Moment  `json:"moment,omitzero"`
	Shopper Shopper `json:"shopper,omitzero"`
	// Arms tells, by trial, whether the visit has B, whoever its visitor is; of other trials the
	// visitor decides. It is for rehearsals.
	Arms map[string]bool `json:"arms,omitempty"`
	// Usage is how far the limits of nudges are used up, by nudge id.
	Usage map[string]Usage `json:"usage,omitempty"`
	// Suggest asks for goods that close the gap of the nudges that show.
	Suggest bool `json:"suggest,omitempty"`
	// Drawn asks for the cart as it is drawn, every figure in words.
	Drawn bool `json:"drawn,omitempty"`
	// Added puts one made-up unit beside the cart, as a rehearsal does.
	Added *Added `json:"added,omitempty"`
	// OfferedUntil is the end of what is offered, where there is one besides the nudges' own.
	OfferedUntil *time.Time `json:"-"`
	// Every asks for all nudges, also those that neither the cart nor the page touch.
	Every bool `json:"every,omitempty"`
	// Trace asks for the steps behind every figure.
	Trace bool `json:"trace,omitempty"`
}

// Cart is what a shopper has put together.
type Cart struct {
	Lines []CartLine `json:"lines"`
	Codes []string   `json:"codes,omitempty"`
	// PoolCodes names, for entered codes that are unused ones of a pool, the pool.
	PoolCodes map[string]string `json:"pool_codes,omitempty"`
	// PoolsAway tells that codes of pools could not be looked up in time: a code that
	// nothing else knows is then not checked rather than unknown.
	PoolsAway   bool         `json:"-"`
	Destination *Destination `json:"destination,omitempty"` // nil: goods only, no shipping
	// Region names the region whose prices are shown while there is no
	// destination; empty: the shop's first.
	Region string `json:"region,omitempty"`
	// Method is the chosen shipping method; empty: the one with least to pay.
	Method string `json:"method,omitempty"`
}

// CartLine is a quantity of one SKU. IDs tell lines of one SKU apart.
type CartLine struct {
	ID       string  `json:"id,omitempty"`
	SKU      string  `json:"sku"`
	Quantity int64   `json:"quantity"`
	Plan     string  `json:"plan,omitempty"` // purchase plan; empty: bought once
	Origin   *Origin `json:"origin,omitempty"`
	// Build names the set that the shopper has put the goods into; none: they are
	// bought by themselves.
	Build *Build `json:"build,omitempty"`
}

// Build names a set that a shopper puts together: of which nudge, and which of those
// of the cart.
type Build struct {
	Nudge string `json:"nudge"`
	ID    string `json:"id"`
}

// Origin says where a line comes from; none: the shopper put it in.
type Origin struct {
	Kind  OriginKind `json:"kind"`
	Nudge string     `json:"nudge"`
	// Instead is the SKU that an accepted better version has taken the place of.
	Instead string `json:"instead,omitempty"`
}

// OriginKind is how a line came into the cart.
type OriginKind string

// The kinds of origin.
const (
	FromGift  OriginKind = "gift"  // a gift of the nudge; at a price, where the gift is not free
	FromOffer OriginKind = "offer" // an accepted offer of the nudge
)

// Plain tells that the shopper put the line in, once, by itself.
func (l *CartLine) Plain() bool { return l.Plan == "" && l.Origin == nil && l.Build == nil }

// by tells whether a line comes from a nudge in a way.
func (l *CartLine) by(kind OriginKind, nudge string) bool {
	return l.Origin != nil && l.Origin.Kind == kind && l.Origin.Nudge == nudge
}

// Shopper is what is known of the person; null stands for what is not known.
type Shopper struct {
	SignedIn  *bool        `json:"signed_in,omitempty"`
	Groups    []string     `json:"groups,omitempty"`
	Orders    *int64       `json:"past_orders,omitempty"`
	LastOrder *time.Time   `json:"last_order,omitempty"`
	Lifetime  *money.Minor `json:"lifetime_spend,omitempty"` // minor units of the region's currency
	Bought    []string     `json:"bought,omitempty"`         // SKUs
}

// IsZero tells whether nothing is known.
func (s Shopper) IsZero() bool {
	return s.SignedIn == nil && s.Groups == nil && s.Orders == nil && s.LastOrder == nil && s.Lifetime == nil && s.Bought == nil
}

// Usage is how far a nudge's limits are used up, and what is known of how it
// works.
type Usage struct {
	Uses      int64       `json:"uses,omitempty"`       // orders in total
	ByShopper int64       `json:"by_shopper,omitempty"` // orders of this shopper
	Spent     money.Minor `json:"spent,omitempty"`      // of the region's budget
	Shows     int64       `json:"shows,omitempty"`      // to this shopper, in all visits
	NoCodes   bool        `json:"no_codes,omitempty"`   // its pool has none left to be earned
	// Bands counts first shows of a visit and what came of them, by gap band.
	Bands map[string]Tally `json:"bands,omitempty"`
}

// Tally counts shows and acceptances.
type Tally struct {
	Shows    int64 `json:"shows"`
	Accepted int64 `json:"accepted"`
}

// Destination is where the order goes.
type Destination struct {
	Country  string `json:"country"` // ISO 3166-1 alpha-2
	Postcode string `json:"postcode,omitempty"`
}

// Visit is what happened in this visit so far.
type Visit struct {
	ID string `json:"id,omitempty"`
	// Visitor is who visits, by a random number that the browser keeps for 30 days and that
	// is joined with no name. By it a share of visitors sees no nudge; empty: nobody is kept
	// from anything.
	Visitor   string    `json:"visitor,omitempty"`
	Dismissed []string  `json:"dismissed,omitempty"` // nudge ids
	Reached   []RungRef `json:"reached,omitempty"`   // rungs whose reached state was shown
	// Shown is what this visit was shown: a revision that has ended or changed
	// since is honoured for the shop's grace time.
	Shown []ShownRef `json:"shown,omitempty"`
	// Shows counts how often each nudge was shown in this visit.
	Shows map[string]int64 `json:"shows,omitempty"`
	// Remembered is what the shopper's device remembers of shows in this and earlier visits.
	Remembered map[string]Remembered `json:"remembered,omitempty"`
	// Declined are nudges whose offer the shopper declined, RemovedGifts those
	// whose gift the shopper took out.
	Declined     []string `json:"declined,omitempty"`
	RemovedGifts []string `json:"removed_gifts,omitempty"`
	// Picks are the SKUs picked among a nudge's gifts.
	Picks map[string][]string `json:"picks,omitempty"`
	Acts  []audience.Act      `json:"acts,omitempty"` // what just happened
	// Added are the SKUs that were just put in, where that is what happened.
	Added []string `json:"added,omitempty"`
	// SinceDialog is how many seconds ago a dialog was last open; absent: none was.
	SinceDialog *int64            `json:"since_dialog,omitempty"`
	Campaign    map[string]string `json:"campaign,omitempty"`
	Device      audience.Device   `json:"device,omitempty"`
	Arms        map[string]string `json:"arms,omitempty"` // trial to arm
}

// Remembered counts how often a nudge was shown to a shopper.
type Remembered struct {
	Shows int64 `json:"shows,omitempty"` // ever
	Today int64 `json:"today,omitempty"` // within a day of the first of them, 0 once that is over
	// SinceDeclined is how many seconds ago it was declined; absent: it was not.
	SinceDeclined *int64 `json:"since_declined,omitempty"`
}

// ShownRef names a revision of a nudge.
type ShownRef struct {
	Nudge    string `json:"nudge"`
	Revision int    `json:"revision"`
}

// RungRef names a rung of a nudge, the first is 0.
type RungRef struct {
	Nudge string `json:"nudge"`
	Rung  int    `json:"rung"`
}

// Moment is when and where.
type Moment struct {
	At     time.Time `json:"at,omitzero"`
	Page   Page      `json:"page,omitzero"`
	Locale string    `json:"locale,omitempty"` // BCP 47; empty: the region's first language
	// Placements are those that the page has; empty: all are answered.
	Placements []nudge.Placement `json:"placements,omitempty"`
}

// Page is the page the shopper looks at.
type Page struct {
	Kind       nudge.Page `json:"kind,omitempty"`
	Product    string     `json:"product,omitempty"`
	Variant    string     `json:"variant,omitempty"` // SKU that is chosen there; empty: the first that can be had
	Collection string     `json:"collection,omitempty"`
	Set        string     `json:"set,omitempty"` // the nudge whose set is put together there
}

// MostArms is of how many trials a request may tell the arm.
const MostArms = 100

// mostTrial is how long the id of a trial may be, in bytes.
const mostTrial = 200

// MostUsage is how many nudges a request may tell the usage of.
const MostUsage = 20_000

// Added is one made-up unit that always counts for a rung, and is otherwise of
// the collections and tags which that rung's scope includes.
type Added struct {
	Nudge string      `json:"nudge"`
	Price money.Minor `json:"price"` // minor units, as shown
}

// FieldError names a field of a request as a path and says what is wrong.
type FieldError struct {
	Field string `json:"field"`
	Why   string `json:"why"`
}

func (e FieldError) Error() string { return e.Field + ": " + e.Why }

// FieldErrors is everything that is wrong with a request.
type FieldErrors []FieldError

func (e FieldErrors) Error() string {
	s := make([]string, len(e))
	for i, f := range e {
		s[i] = f.Error()
	}
	return strings.Join(s, "; ")
}

// Check tells what is wrong with a request by itself.
func (r Request) Check() error {
	if len(r.Cart.Lines) > MostLines {
		return FieldErrors{{"cart.lines", fmt.Sprintf("%d lines are too many; at most %d", len(r.Cart.Lines), MostLines)}}
	}
	return r.check(r.Cart.order(nil))
}

func (r *Request) check(order []int32) error {
	var errs FieldErrors
	bad := func(field, why string, args ...any) {
		errs = append(errs, FieldError{field, fmt.Sprintf(why, args...)})
	}
	var units int64
	twice := r.Cart.repeated(order)
	for i := range r.Cart.Lines {
		l := &r.Cart.Lines[i]
		at := func(field string) string { return fmt.Sprintf("cart.lines[%d].%s", i, field) }
		if l.SKU == "" || len(l.SKU) > 100 {
			bad(at("sku"), "a SKU of 1 to 100 characters is needed")
		}
		if l.Quantity < 1 || l.Quantity > MostQuantity {
			bad(at("quantity"), "%d is not from 1 to %d", l.Quantity, MostQuantity)
		} else {
			units += l.Quantity
		}
		if o := l.Origin; o != nil && (o.Kind != FromGift && o.Kind != FromOffer || o.Nudge == "") {
			bad(at("origin"), "needs a kind, gift or offer, and a nudge")
		} else if o != nil && (len(o.Instead) > 100 || o.Instead != "" && o.Kind != FromOffer) {
			bad(at("origin.instead"), "names the SKU that an accepted offer has taken the place of, of 1 to 100 characters")
		}
		if b := l.Build; b != nil {
			for field, text := range map[string]string{"build.nudge": b.Nudge, "build.id": b.ID} {
				if n := utf8.RuneCountInString(text); n < 1 || n > 100 {
					bad(at(field), "1 to 100 characters are needed")
				}
			}
			if l.Origin != nil {
				bad(at("build"), "what comes from a nudge is no part of a set that is put together")
			}
		}
		if slices.Contains(twice, int32(i)) {
			bad(at("id"), "the same SKU stands in two lines with one id; give each line its own id, or put the quantities together")
		}
	}
	if units > MostQuantity {
		bad("cart.lines", "%d pieces in all lines together are too many; at most %d", units, MostQuantity)
	}
	if r.Shopper.Orders != nil && *r.Shopper.Orders < 0 {
		bad("shopper.past_orders", "%d is below zero", *r.Shopper.Orders)
	}
	if r.Shopper.Lifetime != nil && (*r.Shopper.Lifetime < 0 || *r.Shopper.Lifetime > money.Most) {
		bad("shopper.lifetime_spend", "%d is not from 0 to %d", *r.Shopper.Lifetime, money.Most)
	}
	if len(r.Arms) > MostArms {
		bad("arms", "%d trials are too many; at most %d", len(r.Arms), MostArms)
	}
	for id := range r.Arms {
		if len(id) > mostTrial {
			bad("arms", "a trial's id is longer than %d characters", mostTrial)
		}
	}
	if len(r.Usage) > MostUsage {
		bad("usage", "%d nudges are too many; at most %d", len(r.Usage), MostUsage)
	}
	for id, u := range r.Usage {
		if u.Uses < 0 || u.ByShopper < 0 || u.Spent < 0 || u.Shows < 0 {
			bad("usage."+id, "a number is below zero")
		}
		for band, t := range u.Bands {
			if t.Shows < 0 || t.Accepted < 0 || t.Accepted > t.Shows {
				bad("usage."+id+".bands."+band, "accepted must be from 0 to shows")
			}
		}
	}
	if len(r.Cart.Codes) > MostCodes {
		bad("cart.codes", "%d codes are too many; at most %d", len(r.Cart.Codes), MostCodes)
	}
	r.Visit.check(bad)
	if r.Added != nil && (r.Added.Price < 1 || r.Added.Price > money.Most/100) {
		bad("added.price", "%d is not from 1 to %d", r.Added.Price, money.Most/100)
	}
	if k := r.Moment.Page.Kind; k != "" && !knownPage(k) {
		bad("moment.page.kind", "%q is not one of %v", k, nudge.Pages)
	}
	for i, p := range r.Moment.Placements {
		if !slices.Contains(nudge.Placements, p) || slices.Contains(r.Moment.Placements[:i], p) {
			bad(fmt.Sprintf("moment.placements[%d]", i), "%q is not one of %v, or stands there twice", p, nudge.Placements)
			break
		}
	}
	if len(errs) > 0 {
		return errs
	}
	return nil
}

// check finds what no visit can remember.
func (v *Visit) check(bad func(field, why string, args ...any)) {
	for _, l := range [...]struct {
		name string
		n    int
	}{
		{"shown", len(v.Shown)}, {"reached", len(v.Reached)}, {"dismissed", len(v.Dismissed)}, {"declined", len(v.Declined)}, {"removed_gifts", len(v.RemovedGifts)},
		{"picks", len(v.Picks)}, {"acts", len(v.Acts)}, {"added", len(v.Added)}, {"campaign", len(v.Campaign)}, {"arms", len(v.Arms)}, {"shows", len(v.Shows)}, {"remembered", len(v.Remembered)},
	} {
		if l.n > mostRemembered {
			bad("visit."+l.name, "%d are too many; a visit remembers at most %d of each kind", l.n, mostRemembered)
			return
		}
	}
	if utf8.RuneCountInString(v.ID) > MostVisitID {
		bad("visit.id", "it is longer than %d characters", MostVisitID)
	}
	if utf8.RuneCountInString(v.Visitor) > MostVisitID {
		bad("visit.visitor", "it is longer than %d characters", MostVisitID)
	}
	if v.SinceDialog != nil && *v.SinceDialog < 0 {
		bad("visit.since_dialog", "%d seconds are below zero", *v.SinceDialog)
	}
	for i, r := range v.Reached {
		if r.Rung < 0 {
			bad(fmt.Sprintf("visit.reached[%d].rung", i), "%d is below zero", r.Rung)
		}
	}
	if v.Device != "" && !slices.Contains(audience.Devices, v.Device) {
		bad("visit.device", "%q is not one of %v", v.Device, audience.Devices)
	}
	for i, a := range v.Acts {
		if !slices.Contains(audience.Acts, a) {
			bad(fmt.Sprintf("visit.acts[%d]", i), "%q is not one of %v", a, audience.Acts)
		}
	}
}

// order lists the places of the cart's lines in the order in which they are decided:
// by SKU, plan, origin, id, set. It appends them to what is given.
func (c *Cart) order(order []int32) []int32 {
	for i := range c.Lines {
		order = append(order, int32(i))
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Or(c.Lines[a].compare(&c.Lines[b]), int(a-b)) })
	return order
}

// compare puts lines in order; lines that cannot be told apart are equal.
func (l *CartLine) compare(o *CartLine) int {
	if c := strings.Compare(l.SKU, o.SKU); c != 0 {
		return c
	}
	var x, y Build
	if l.Build != nil {
		x = *l.Build
	}
	if o.Build != nil {
		y = *o.Build
	}
	var a, b Origin
	if l.Origin != nil {
		a = *l.Origin
	}
	if o.Origin != nil {
		b = *o.Origin
	}
	return cmp.Or(strings.Compare(l.Plan, o.Plan), cmp.Compare(a.Kind, b.Kind), strings.Compare(a.Nudge, b.Nudge), strings.Compare(l.ID, o.ID),
		strings.Compare(a.Instead, b.Instead), strings.Compare(x.Nudge, y.Nudge), strings.Compare(x.ID, y.ID))
}

// repeated lists the lines that cannot be told from one before; order is that of the
// lines.
func (c *Cart) repeated(order []int32) []int32 {
	var out []int32
	for k := 1; k < len(order); k++ {
		if c.Lines[order[k]].compare(&c.Lines[order[k-1]]) == 0 {
			out = append(out, order[k])
		}
	}
	return out
}

func knownPage(k nudge.Page) bool {
	for _, p := range nudge.Pages {
		if p == k {
			return true
		}
	}
	return false
}

// ParseRequest reads a request. Unknown fields are refused by name.
func ParseRequest(b []byte) (Request, error) {
	var r Request
	if err := strict.Decode(b, &r, "request", snapshot.MostRequestBytes); err != nil {
		return Request{}, err
	}
	return r, nil
}
