package lindquill

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// till keeps two clicks on the same order apart.
type till struct {
	mu   sync.Mutex
	busy map[string]bool
}

func (t *till) begin(key string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.busy == nil {
		t.busy = map[string]bool{}
	}
	if t.busy[key] {
		return false
	}
	t.busy[key] = true
	return true
}

func (t *till) end(key string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.busy, key)
}

type checkoutView struct {
	Name, Street, Postcode, City, Method, Pay string
	Key, Quote                                string
	Expect                                    money.Minor
	Methods, Payments                         []methodView
	Errors                                    map[string]string
	Wrong                                     []string
}

type methodView struct {
	ID, Name, Fee string
	On            bool
}

// ways are what the simulated payment can be made to do.
var ways = []methodView{{ID: "approve", Name: text("A card that is approved")}, {ID: "decline", Name: text("A card that is declined")}, {ID: "hang", Name: text("A payment that does not answer")}}

// waysToPay lists them, with one chosen.
func (t tongue) waysToPay(chosen string) []methodView {
	out := slices.Clone(ways)
	for i := range out {
		out[i].Name, out[i].On = t.say(out[i].Name), out[i].ID == chosen
	}
	return out
}

func newKey() string {
	b := make([]byte, 16)
	_, _ = rand.Read(b) // never fails, see crypto/rand
	return hex.EncodeToString(b)
}

func (s *shop) checkout(c *echo.Context) error {
	if len(of(c).cart.Lines) == 0 {
		return c.Redirect(http.StatusSeeOther, "/cart")
	}
	who := of(c).who
	return s.showTill(c, http.StatusOK, checkoutView{Key: newKey(), Pay: "approve", Name: who.Name, Street: who.Street, Postcode: who.Postcode, City: who.Town})
}

// showTill shows the checkout with the total as it is now, and a quote for it.
func (s *shop) showTill(c *echo.Context, status int, view checkoutView) error {
	of(c).cart.Method = view.Method
	p, err := s.price(c, decide.Page{Kind: nudge.CheckoutPage})
	if err != nil {
		return c.Redirect(http.StatusSeeOther, "/cart")
	}
	return s.showTillAs(c, status, view, p)
}

// showTillAs shows the checkout with a cart as it was priced.
func (s *shop) showTillAs(c *echo.Context, status int, view checkoutView, p priced) error {
	v := of(c)
	if p.Shipping != nil {
		view.Method = p.Shipping.Method
		for _, m := range p.Shipping.Methods {
			fee := v.money(m.Fee)
			if m.Fee == 0 {
				fee = v.say("free")
			}
			view.Methods = append(view.Methods, methodView{m.Method, upper(m.Name), fee, m.Method == view.Method})
		}
	}
	view.Payments = v.waysToPay(view.Pay)
	view.Expect = p.ToPay
	view.Quote = s.quote(v, view.Method, p.ToPay, time.Now().Add(v.stock.quoteHolds()))
	return s.showPriced(c, status, "checkout", v.say("Checkout"), "", decide.Page{Kind: nudge.CheckoutPage}, view, p)
}

// quote signs a total for a cart, so that it can be honoured later.
func (s *shop) quote(v *visit, method string, total money.Minor, until time.Time) string {
	m := hmac.New(sha256.New, s.cfg.QuoteKey)
	_, _ = fmt.Fprintf(m, "%s|%s|%s|%s|%d|%d", printCart(v.cart.Lines), strings.Join(v.cart.Codes, " "), v.cart.Destination.Country, method, total, until.Unix())
	return fmt.Sprintf("%d.%s", until.Unix(), hex.EncodeToString(m.Sum(nil)))
}

func (s *shop) quoteHolds(v *visit, method string, total money.Minor, quote string, now time.Time) bool {
	unix, _, _ := strings.Cut(quote, ".")
	n, err := strconv.ParseInt(unix, 10, 64)
	if err != nil || now.Unix() > n {
		return false
	}
	return hmac.Equal([]byte(quote), []byte(s.quote(v, method, total, time.Unix(n, 0))))
}

func (s *shop) checkoutForm(c *echo.Context) error {
	v := of(c)
	view := checkoutView{
		Name: strings.TrimSpace(c.FormValue("name")), Street: strings.TrimSpace(c.FormValue("street")), Postcode: strings.TrimSpace(c.FormValue("postcode")),
		City: strings.TrimSpace(c.FormValue("city")), Method: c.FormValue("method"), Pay: c.FormValue("pay"), Key: c.FormValue("key"), Errors: map[string]string{},
	}
	if len(view.Key) != 32 {
		view.Key = newKey()
	}
	if view.Postcode != "" && len(view.Postcode) <= 12 && readable(view.Postcode) {
		v.cart.Destination.Postcode = view.Postcode // far corners cost more
	}
	if was, known := s.ledger.orders.get(view.Key); known && was.placed() {
		return c.Redirect(http.StatusSeeOther, "/thanks/"+view.Key)
	}
	if len(v.cart.Lines) == 0 {
		return c.Redirect(http.StatusSeeOther, "/cart")
	}
	if v.moveTo(c.FormValue("country")) {
		writeCookie(c, "lq_country", v.cart.Destination.Country)
		view.Method = ""
		if c.FormValue("go") == "place" {
			view.Wrong = []string{v.say("The country has changed, and with it what shipping costs. Nothing was charged; look at the total again.")}
			return s.showTill(c, http.StatusConflict, view)
		}
	}
	if c.FormValue("go") != "place" {
		return s.showTill(c, http.StatusOK, view)
	}
	for field, say := range map[string]string{"name": text("Your name is needed for the parcel."), "street": text("Street and number are needed."), "postcode": text("A postcode is needed."), "city": text("A town is needed.")} {
		x := c.FormValue(field)
		switch {
		case strings.TrimSpace(x) == "" || len(x) > 200:
			view.Errors[field] = v.say(say)
		case !readable(x):
			view.Errors[field] = v.say("This holds a character that cannot be printed on a parcel; type it again.")
		}
	}
	if len(view.Errors) > 0 {
		return s.showTill(c, http.StatusUnprocessableEntity, view)
	}
	if !s.till.begin(view.Key) {
		view.Wrong = []string{v.say("This order is being placed already; wait a moment and load the page again.")}
		return s.showTill(c, http.StatusConflict, view)
	}
	defer s.till.end(view.Key)
	expect, err := strconv.ParseInt(c.FormValue("expect"), 10, 64)
	if err != nil {
		return s.showTill(c, http.StatusUnprocessableEntity, view)
	}
	return s.place(c, view, expect, c.FormValue("quote"))
}

// readable tells whether a text is made of characters that can be written down.
func readable(s string) bool {
	return utf8.ValidString(s) && !strings.ContainsFunc(s, unicode.IsControl)
}

// moveTo sends the order to another country; false where it goes there already.
func (v *visit) moveTo(country string) bool {
	if country == "" || country == v.cart.Destination.Country {
		return false
	}
	for i := range v.stock.Regions {
		if slices.Contains(v.stock.Regions[i].Countries, country) {
			v.region, v.cart.Destination = &v.stock.Regions[i], &decide.Destination{Country: country}
			v.dropUnsold()
			return true
		}
	}
	return false
}

// place charges what was shown, or nothing. The total is settled before the
// payment, so that what is charged is always what was shown.
func (s *shop) place(c *echo.Context, view checkoutView, expect money.Minor, quote string) error {
	v := of(c)
	v.cart.Method = view.Method
	now, err := s.price(c, decide.Page{Kind: nudge.CheckoutPage})
	if err != nil {
		return c.Redirect(http.StatusSeeOther, "/cart")
	}
	honoured := now.Away && s.quoteHolds(v, view.Method, expect, quote, time.Now())
	if now.ToPay != expect && !honoured {
		view.Wrong = []string{v.say("The total has changed: it was %s and is %s now. Nothing was charged; look at it again.", v.money(expect), v.money(now.ToPay))}
		for _, c := range now.Codes {
			if c.State == "used_up" {
				view.Wrong = append(view.Wrong, v.say("%s is used up.", c.Code))
			}
		}
		return s.showTill(c, http.StatusConflict, view)
	}
	rec := record{
		Order: orderRequest{
			Key: view.Key, Cart: v.cart, Visit: v.state, Moment: decide.Moment{Page: decide.Page{Kind: nudge.CheckoutPage}, Locale: v.locale()},
			Customer: view.Name, Shopper: v.shopper, Expect: expect, Shared: via(c),
		},
		Total: v.money(expect), Name: view.Name, Account: v.who.ID, PlacedAt: time.Now().UTC(), Payment: &charge{Key: newKey(), Amount: expect, Currency: v.region.Currency},
	}
	no, err := s.ledger.place(c.Request().Context(), &rec, view.Pay, s.turns.outside)
	switch {
	case no != nil:
		view.Wrong = append([]string{v.say("Nothing was charged.")}, append(no.Changes, no.Detail)...)
		if no.Decision != nil { // what was refused is priced already, with what is left of limits
			return s.showTillAs(c, http.StatusConflict, view, priced{*no.Decision, false})
		}
		return s.showTill(c, http.StatusConflict, view)
	case err != nil:
		view.Wrong = []string{v.say(err.Error())}
		return s.showTill(c, http.StatusPaymentRequired, view)
	}
	writeCookie(c, "lq_cart", "")
	writeCookie(c, "lq_codes", "")
	return c.Redirect(http.StatusSeeOther, "/thanks/"+view.Key)
}

// fieldView is a line of the address.
type fieldView struct{ Name, Label, Value, Error, Auto string }

func newField(name, label, value, wrong, auto string) fieldView {
	return fieldView{name, label, value, wrong, auto}
}
