// Package decide is the front door of the core: a [Snapshot] of a shop and a
// [Request] give a [Decision]. Everything a decision depends on is in these two;
// the same input gives the same bytes out.
package decide

import (
	"fmt"
	"strings"
	"time"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// Limits of a request.
const (
	MostLines    = 500
	MostQuantity = 100_000
	MostCodes    = 20

	mostRemembered = 100
)

// Request is a shopper's cart, visit and moment.
type Request struct {
	Cart   Cart   `json:"cart"`
	Visit  Visit  `json:"visit,omitzero"`
	Moment Moment `json:"moment,omitzero"`
	// Added puts one made-up unit beside the cart, as a rehearsal does.
	Added *Added `json:"added,omitempty"`
	// Every asks for all nudges, also those that neither the cart nor the page touch.
	Every bool `json:"every,omitempty"`
	// Trace asks for the steps behind every figure.
	Trace bool `json:"trace,omitempty"`
}

// Cart is what a shopper has put together.
type Cart struct {
	Lines       []CartLine   `json:"lines"`
	Codes       []string     `json:"codes,omitempty"`
	Destination *Destination `json:"destination,omitempty"` // nil: goods only, no shipping
	// Region names the region whose prices are shown while there is no
	// destination; empty: the shop's first.
	Region string `json:"region,omitempty"`
	// Method is the chosen shipping method; empty: the one with least to pay.
	Method string `json:"method,omitempty"`
}

// CartLine is a quantity of one SKU. IDs tell lines of one SKU apart.
type CartLine struct {
	ID       string `json:"id,omitempty"`
	SKU      string `json:"sku"`
	Quantity int64  `json:"quantity"`
}

// Destination is where the order goes.
type Destination struct {
	Country  string `json:"country"` // ISO 3166-1 alpha-2
	Postcode string `json:"postcode,omitempty"`
}

// Visit is what happened in this visit so far.
type Visit struct {
	ID        string    `json:"id,omitempty"`
	Dismissed []string  `json:"dismissed,omitempty"` // nudge ids
	Reached   []RungRef `json:"reached,omitempty"`   // rungs whose reached state was shown
	// Shown is what this visit was shown: a revision that has ended or changed
	// since is honoured for the shop's grace time.
	Shown []ShownRef `json:"shown,omitempty"`
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
}

// Page is the page the shopper looks at.
type Page struct {
	Kind       nudge.Page `json:"kind,omitempty"`
	Product    string     `json:"product,omitempty"`
	Collection string     `json:"collection,omitempty"`
}

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
	var errs FieldErrors
	bad := func(field, why string, args ...any) {
		errs = append(errs, FieldError{field, fmt.Sprintf(why, args...)})
	}
	if len(r.Cart.Lines) > MostLines {
		bad("cart.lines", "%d lines are too many; at most %d", len(r.Cart.Lines), MostLines)
		return errs
	}
	ids := map[string]bool{}
	for i, l := range r.Cart.Lines {
		at := fmt.Sprintf("cart.lines[%d]", i)
		if l.SKU == "" || len(l.SKU) > 100 {
			bad(at+".sku", "a SKU of 1 to 100 characters is needed")
		}
		if l.Quantity < 1 || l.Quantity > MostQuantity {
			bad(at+".quantity", "%d is not from 1 to %d", l.Quantity, MostQuantity)
		}
		key := l.SKU + "\x00" + l.ID
		if ids[key] {
			bad(at+".id", "the same SKU stands in two lines with one id; give each line its own id, or put the quantities together")
		}
		ids[key] = true
	}
	if len(r.Cart.Codes) > MostCodes {
		bad("cart.codes", "%d codes are too many; at most %d", len(r.Cart.Codes), MostCodes)
	}
	if v := r.Visit; len(v.Shown) > mostRemembered || len(v.Reached) > mostRemembered || len(v.Dismissed) > mostRemembered {
		bad("visit", "a visit remembers at most %d of each kind", mostRemembered)
	}
	if r.Added != nil && (r.Added.Price < 1 || r.Added.Price > money.Most/100) {
		bad("added.price", "%d is not from 1 to %d", r.Added.Price, money.Most/100)
	}
	if k := r.Moment.Page.Kind; k != "" && !knownPage(k) {
		bad("moment.page.kind", "%q is not one of %v", k, nudge.Pages)
	}
	if len(errs) > 0 {
		return errs
	}
	return nil
}

func knownPage(k nudge.Page) bool {
	for _, p := range nudge.Pages {
		if p == k {
			return true
		}
	}
	return false
}
