package lindquill

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"path/filepath"
	"sync"
	"time"
)

// record is an order as the shop keeps it.
type record struct {
	Order   orderRequest `json:"order"`
	Number  int64        `json:"number"` // Agonal's number; 0 while it does not have the order
	Total   string       `json:"total"`  // as charged, for the thank-you page
	Name    string       `json:"name"`
	Account string       `json:"account,omitempty"` // who was signed in; empty: nobody
	// PlacedAt is when it was sent.
	PlacedAt time.Time `json:"placed_at,omitzero"`
	Payment  *charge   `json:"payment,omitempty"` // while it is not known whether it was charged
	Away     bool      `json:"away,omitempty"`
	Refused  string    `json:"refused,omitempty"` // why it is sent no more
	Told     bool      `json:"told,omitempty"`    // whether the merchant has been told so
	Void     bool      `json:"void,omitempty"`    // it came to nothing, and nothing was charged
	// Of what is bought by a plan, how many later parcels were sent, and whether it has ended.
	Parcels   int  `json:"parcels,omitempty"`
	PlanEnded bool `json:"plan_ended,omitempty"`
}

// placed tells whether there is such an order, and not only one that was begun.
func (r *record) placed() bool { return r.Payment == nil && !r.Void }

// ledger keeps orders and what was added to them. What Agonal does not have yet is sent
// until it does, or until it refuses it or has failed at it too often; then the merchant is
// told. What was begun is written down before it is charged, so that no crash leaves a
// charge without goods.
type ledger struct {
	orders   *journal[record]
	added    *journal[addition]
	payments *payments
	mu       sync.Mutex
	tries    map[string]*attempts
	client   *client
	log      *slog.Logger
	every    time.Duration // how often it is looked what is to be sent
}

// attempts is how often something was sent in vain, and when it is sent again.
type attempts struct {
	failed int
	next   time.Time
}

const (
	// mostFailures is how often Agonal may fail at one order before it is given up.
	mostFailures = 12
	longestWait  = 10 * time.Minute
)

// openLedger opens what a shop has written down, and settles what a crash left begun.
func openLedger(dir string, c *client, log *slog.Logger) (*ledger, error) {
	l := &ledger{tries: map[string]*attempts{}, client: c, log: log, every: time.Second}
	var err error
	if l.payments, err = openPayments(filepath.Join(dir, "payments.jsonl")); err != nil {
		return nil, err
	}
	if l.orders, err = openJournal(filepath.Join(dir, "orders.jsonl"), func(r record) string { return r.Order.Key }); err != nil {
		return nil, err
	}
	if l.added, err = openJournal(filepath.Join(dir, "additions.jsonl"), addition.key); err != nil {
		return nil, err
	}
	return l, l.settle()
}

// settle brings to an end what was begun: what was charged is sent, what was not is dropped,
// and can be charged no more.
func (l *ledger) settle() error {
	for _, r := range l.orders.those(func(r record) bool { return r.Payment != nil }) {
		if l.payments.charged(r.Payment.Key) {
			l.charged(&r)
		} else if err := l.drop(&r); err != nil {
			return err
		}
		if err := l.orders.put(r); err != nil {
			return err
		}
	}
	for _, a := range l.added.those(func(a addition) bool { return a.State == begun }) {
		if l.payments.charged(a.Payment.Key) {
			a.State = paid
		} else if err := l.payments.undo(a.Payment); err != nil {
			return err
		} else {
			a.State = void
		}
		if err := l.added.put(a); err != nil {
			return err
		}
	}
	return nil
}

// charged makes an order one that was charged while Agonal does not have it.
func (l *ledger) charged(r *record) {
	at := time.Now().UTC()
	r.Order.Charged, r.Order.PlacedAt, r.Away, r.Payment = true, &at, true, nil
}

// drop makes an order one that came to nothing.
func (l *ledger) drop(r *record) error {
	err := l.payments.undo(*r.Payment)
	r.Payment, r.Void = nil, true
	return err
}

// place writes an order down, charges it and sends it, in this order. It returns Agonal's
// refusal, or what else is wrong, for the shopper; then nothing is charged.
func (l *ledger) place(ctx context.Context, r *record, how string, outside func(func())) (no *refusal, err error) {
	if err := l.orders.put(*r); err != nil {
		return nil, errWrittenNot
	}
	before := *r
	if outside(func() { err = l.payments.charge(ctx, *r.Payment, how) }); err != nil {
		if e := l.undo(before); e != nil {
			return nil, e
		}
		return nil, err
	}
	var answer placed
	outside(func() { answer, err = l.client.order(ctx, r.Order) })
	var refused refusal
	switch {
	case err == nil:
		r.Number, r.Payment = answer.Number, nil
	case errors.As(err, &refused):
		if err := l.undo(before); err != nil {
			return nil, err
		}
		return &refused, nil
	default:
		l.charged(r)
	}
	if err := l.orders.put(*r); err != nil { // it is charged, and settled when the shop starts anew
		l.log.Error("writing an order down", "error", err)
		return nil, errPaid
	}
	return nil, nil
}

// undo drops an order that was begun, and writes that down.
func (l *ledger) undo(r record) error {
	err := l.drop(&r)
	if err == nil {
		err = l.orders.put(r)
	}
	if err != nil {
		l.log.Error("dropping an order", "key", r.Order.Key, "error", err)
		return errPaid
	}
	return nil
}

// deliver sends what Agonal does not have yet, each order by its own clock.
func (l *ledger) deliver(ctx context.Context) {
	for {
		for _, r := range l.waiting() {
			if l.due(r.Order.Key) {
				l.send(ctx, r)
			}
		}
		for _, r := range l.untold() {
			if l.due(r.Order.Key) {
				l.tell(ctx, r)
			}
		}
		for _, a := range l.added.those(func(a addition) bool { return a.State == paid }) {
			if l.due(a.key()) {
				l.sendAdded(ctx, a)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(l.every):
		}
	}
}

// fate is what came of sending something.
type fate int

const (
	later   fate = iota // it is sent again
	taken               // Agonal has it
	refused             // it is sent no more
)

// cameOf tells what came of sending what a key has: what Agonal refuses, or fails at too often,
// is sent no more.
func (l *ledger) cameOf(err error, key string) fate {
	var no refusal
	var failed failure
	switch {
	case err == nil:
		return taken
	case errors.As(err, &no) && no.Status != http.StatusTooManyRequests:
		return refused
	case errors.As(err, &failed) && failed.Status != http.StatusServiceUnavailable:
		if l.putOff(key, true) >= mostFailures {
			return refused
		}
	default:
		l.putOff(key, false) // it is away, which is no fault of what is sent
	}
	return later
}

// send sends an order and writes down what came of it.
func (l *ledger) send(ctx context.Context, r record) {
	p, err := l.client.deliver(ctx, r.Order)
	switch l.cameOf(err, r.Order.Key) {
	case taken:
		r.Number = p.Number
	case refused:
		if r.Refused = err.Error(); errors.As(err, new(failure)) {
			r.Refused = fmt.Sprintf("Agonal failed at it %d times, the last time: %v", mostFailures, err)
		}
		l.log.Error("an order is given up", "key", r.Order.Key, "why", r.Refused)
	default:
		return
	}
	l.write(r)
}

// tell tells the merchant of an order that is given up.
func (l *ledger) tell(ctx context.Context, r record) {
	g := givenUp{Key: r.Order.Key, Why: r.Total + ": " + r.Refused, Charged: r.Order.Expect, PlacedAt: r.Order.PlacedAt}
	if err := l.client.giveUp(ctx, g); err != nil {
		l.putOff(r.Order.Key, false)
		return
	}
	r.Told = true
	l.write(r)
}

func (l *ledger) write(r record) {
	if err := l.orders.put(r); err != nil {
		l.log.Error("writing an order down", "error", err)
		return
	}
	l.done(r.Order.Key)
}

// done forgets how often something was sent in vain.
func (l *ledger) done(key string) {
	l.mu.Lock()
	delete(l.tries, key)
	l.mu.Unlock()
}

// due tells whether it is an order's turn.
func (l *ledger) due(key string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	t := l.tries[key]
	return t == nil || !time.Now().Before(t.next)
}

// putOff puts off what is sent, longer each time, and returns how often Agonal has failed at
// it.
func (l *ledger) putOff(key string, failed bool) int {
	l.mu.Lock()
	defer l.mu.Unlock()
	t := l.tries[key]
	if t == nil {
		t = &attempts{}
		l.tries[key] = t
	}
	wait := l.every
	if failed {
		t.failed++
		wait = min(longestWait, l.every<<min(t.failed, 20))
	}
	t.next = time.Now().Add(wait)
	return t.failed
}

func (l *ledger) waiting() []record {
	return l.orders.those(func(r record) bool { return r.placed() && r.Number == 0 && r.Refused == "" })
}

// untold lists the orders that are given up and the merchant has not been told of.
func (l *ledger) untold() []record {
	return l.orders.those(func(r record) bool { return r.Refused != "" && !r.Told })
}
