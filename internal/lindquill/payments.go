package lindquill

import (
	"context"
	"errors"
	"time"

	"agonal.dev/agonal/core/money"
)

// payments stands in for a payment service: it has a memory of its own, charges a key once,
// and undoes it once. What it does with a card is chosen on the page.
type payments struct {
	charges *journal[charge]
	answers time.Duration // after this the shop waits no longer
	late    time.Duration // after this a payment that hangs is charged after all
}

// charge is what the payment service knows of a key.
type charge struct {
	Key      string         `json:"key"`
	Amount   money.Minor    `json:"amount"` // below 0: paid back
	Currency money.Currency `json:"currency"`
	Charged  bool           `json:"charged,omitempty"`
	Undone   bool           `json:"undone,omitempty"` // paid back, or never to be charged
}

func openPayments(name string) (*payments, error) {
	j, err := openJournal(name, func(c charge) string { return c.Key })
	return &payments{charges: j, answers: 3 * time.Second, late: 5 * time.Second}, err
}

// What is said to shoppers, as it is.
var (
	errDeclined   = errors.New(text("The card was declined. Nothing was charged; try another one."))
	errNoAnswer   = errors.New(text("The payment did not answer in time. Nothing was charged; try again."))
	errChooseHow  = errors.New(text("Choose how to pay."))
	errFails      = errors.New(text("The payment failed. Nothing was charged; try again in a moment."))
	errWrittenNot = errors.New(text("This could not be written down. Nothing was charged; try again later."))
	errPaid       = errors.New(text("We cannot tell yet whether this was paid. Do not pay again; ask us for it."))
)

// charge charges a key once. Where no answer came it may be charged nonetheless; undo
// settles it.
func (p *payments) charge(ctx context.Context, c charge, how string) error {
	switch how {
	case "approve":
		return p.commit(c)
	case "decline":
		return errDeclined
	case "hang":
		time.AfterFunc(p.late, func() { _ = p.commit(c) })
		select {
		case <-ctx.Done():
		case <-time.After(p.answers):
		}
		return errNoAnswer
	}
	return errChooseHow
}

// commit charges, unless that is undone already.
func (p *payments) commit(c charge) error {
	err := error(nil)
	failed := p.charges.change(c.Key, func(was charge, known bool) (charge, bool) {
		if was.Undone {
			err = errFails
		}
		c.Charged = true
		return c, !known
	})
	if failed != nil {
		return errFails
	}
	return err
}

// undo pays back what was charged under a key, and keeps it from being charged later.
func (p *payments) undo(c charge) error {
	return p.charges.change(c.Key, func(was charge, known bool) (charge, bool) {
		if known {
			c = was
		}
		c.Undone = true
		return c, !was.Undone
	})
}

// charged tells whether a key is charged and not paid back.
func (p *payments) charged(key string) bool {
	c, ok := p.charges.get(key)
	return ok && c.Charged && !c.Undone
}
