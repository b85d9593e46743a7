package lindquill

import (
	"context"
	"errors"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// stage is how far an addition to an order has come.
type stage string

const (
	begun stage = "begun" // it is not known whether it was charged
	paid  stage = "paid"  // charged, and not yet at Agonal
	added stage = "added"
	void  stage = "void" // it came to nothing, and nothing is charged
)

// addition is what is added to a placed order: what one nudge offers, once.
type addition struct {
	Order    string      `json:"order"`
	Nudge    string      `json:"nudge"`
	SKU      string      `json:"sku"`
	Instead  string      `json:"instead,omitempty"`
	Label    string      `json:"label"`
	Quantity int64       `json:"quantity"`
	More     money.Minor `json:"more"`
	Told     string      `json:"told"`    // More, as it is said
	Payment  charge      `json:"payment"` // its key is the key by which Agonal knows the addition, too
	State    stage       `json:"state"`
	At       time.Time   `json:"at"`
}

func (a addition) key() string { return a.Order + ":" + a.Nudge }

// request is how an addition is told to Agonal.
func (a addition) request(charged bool) additionRequest {
	return additionRequest{Key: a.Payment.Key, Order: a.Order, Nudge: a.Nudge, SKU: a.SKU, Instead: a.Instead, Expect: a.More, Charged: charged}
}

// Says is what became of it, for who placed the order.
func (a addition) Says(t tongue) string {
	more := t.say("We charged %s for it.", a.Told)
	if a.More < 0 {
		more = t.say("We paid back %s.", a.Told)
	}
	if a.State == paid {
		return t.say("%d × %s is paid for and goes with your order.", a.Quantity, a.Label) + " " + more
	}
	return t.say("%d × %s is added to your order.", a.Quantity, a.Label) + " " + more
}

// thanksView is what stands on the page of a placed order.
type thanksView struct {
	record
	Greeting string
	Added    []addition
	Offered  bool
	Decision template.JS // what is offered after the order
	Payments []methodView
	ByPlan   bool
	Next     int // the later parcel that is sent next, from 1
}

func (s *shop) thanks(c *echo.Context) error {
	v := of(c)
	rec, ok := s.ledger.orders.get(c.Param("key"))
	if !ok || !rec.placed() {
		return s.missing(c)
	}
	view := thanksView{record: rec, Greeting: v.say("Thank you."), Added: s.ledger.of(rec.Order.Key), Payments: v.waysToPay("approve"), ByPlan: rec.byPlan(), Next: rec.Parcels + 1}
	if rec.Name != "" {
		view.Greeting = v.say("Thank you, %s.", rec.Name)
	}
	if rec.Number != 0 {
		if after, err := s.client.after(c.Request().Context(), rec.Order.Key); err == nil {
			view.Offered, view.Decision = len(after.Decision.Shown[nudge.AfterBuy]) > 0, jsonFor(after.Decision)
		}
	}
	return s.show(c, http.StatusOK, "thanks", v.say("Thank you"), "", decide.Page{Kind: nudge.ThanksPage}, view)
}

// addAfter adds what is offered after an order to it: written down, charged, sent, in this
// order, so that nothing is charged without goods, and nothing twice.
func (s *shop) addAfter(c *echo.Context) error {
	rec, ok := s.ledger.orders.get(c.Param("key"))
	if !ok || !rec.placed() {
		return s.missing(c)
	}
	say := func(what string, args ...any) error {
		if what != "" {
			tell(c, slip{Say: of(c).say(what, args...)})
		}
		return c.Redirect(http.StatusSeeOther, "/thanks/"+rec.Order.Key)
	}
	expect, err := strconv.ParseInt(c.FormValue("expect"), 10, 64)
	for _, name := range []string{"nudge", "sku", "instead"} {
		if x := c.FormValue(name); err != nil || !readable(x) || len(x) > 100 || x == "" && name != "instead" {
			return say("This could not be read. Nothing was charged; try again.")
		}
	}
	a := addition{
		Order: rec.Order.Key, Nudge: c.FormValue("nudge"), SKU: c.FormValue("sku"), Instead: c.FormValue("instead"), More: expect, State: begun, At: time.Now().UTC(),
	}
	if !s.till.begin(a.key()) {
		return say("This is being added already; wait a moment.")
	}
	defer s.till.end(a.key())
	if was, ok := s.ledger.added.get(a.key()); ok && was.State != void {
		return say("") // what became of it stands on the page
	}
	after, err := s.client.after(c.Request().Context(), a.Order)
	if err != nil {
		return say("Nothing can be added at this moment. Nothing was charged; try again a little later.")
	}
	item, there := offered(after.Decision, a.Nudge, a.SKU, a.Instead)
	if !there || item.More == nil {
		return say("This offer does not hold any more. Nothing was charged.")
	}
	cur := after.Decision.Currency
	amount := func(m money.Minor) string {
		return money.Format(money.Amount{Minor: max(m, -m), Currency: cur}, after.Decision.Locale)
	}
	if *item.More != a.More {
		return say("It costs %s more now, and not %s. Nothing was charged; look at it again.", amount(*item.More), amount(a.More))
	}
	a.Quantity, a.Label, a.Told = item.Quantity, item.Label, amount(a.More)
	a.Payment = charge{Key: newKey(), Amount: a.More, Currency: cur}
	return say(s.ledger.add(c.Request().Context(), a, c.FormValue("pay"), s.turns.outside))
}

// add brings an addition to an end, or leaves it to be sent; it returns what is wrong, for
// who placed the order. outside is told what is waited for.
func (l *ledger) add(ctx context.Context, a addition, how string, outside func(func())) (wrong string) {
	if err := l.added.put(a); err != nil {
		return errWrittenNot.Error()
	}
	var err error
	if outside(func() { err = l.payments.charge(ctx, a.Payment, how) }); err == nil {
		outside(func() { _, err = l.client.add(ctx, a.request(false)) })
		var no refusal
		switch {
		case err == nil:
			a.State = added
		case errors.As(err, &no) && no.Status != http.StatusTooManyRequests:
			a.State, wrong = void, text("It cannot be added any more. Nothing was charged.")
		default:
			a.State = paid // it is sent until Agonal has it
		}
	} else {
		a.State, wrong = void, err.Error()
	}
	l.end(a)
	return wrong
}

// end writes down what became of an addition, and pays back what came to nothing. Where that
// cannot be written down it stays begun, and is settled when the shop starts anew.
func (l *ledger) end(a addition) {
	err := error(nil)
	if a.State == void {
		err = l.payments.undo(a.Payment)
	}
	if err == nil {
		err = l.added.put(a)
	}
	if err != nil {
		l.log.Error("writing an addition down", "error", err)
		return
	}
	l.done(a.key())
}

// of lists what was added to an order and came to something, the first first.
func (l *ledger) of(order string) []addition {
	out := l.added.those(func(a addition) bool { return a.Order == order && (a.State == paid || a.State == added) })
	slices.SortFunc(out, func(a, b addition) int { return a.At.Compare(b.At) })
	return out
}

// sendAdded sends an addition that is charged, and pays it back where Agonal will not have it.
func (l *ledger) sendAdded(ctx context.Context, a addition) {
	_, err := l.client.deliverAdded(ctx, a.request(true))
	switch l.cameOf(err, a.key()) {
	case taken:
		a.State = added
	case refused:
		l.log.Error("an addition is given up and paid back", "key", a.key(), "why", err)
		a.State = void
	default:
		return
	}
	l.end(a)
}
