package lindquill

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
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
	Away    bool         `json:"away,omitempty"`
	Refused string       `json:"refused,omitempty"` // why it is sent no more
	Told    bool         `json:"told,omitempty"`    // whether the merchant has been told so
}

// ledger keeps orders in a file, one JSON document a line, the last line of a
// key counts. Orders that Agonal does not have yet are sent until it does, or until it
// refuses them or has failed at them too often; then the merchant is told.
type ledger struct {
	mu     sync.Mutex
	file   *os.File
	byKey  map[string]record
	tries  map[string]*attempts
	client *client
	log    *slog.Logger
	every  time.Duration // how often it is looked what is to be sent
}

// attempts is how often an order was sent in vain, and when it is sent again.
type attempts struct {
	failed int
	next   time.Time
}

const (
	// mostFailures is how often Agonal may fail at one order before it is given up.
	mostFailures = 12
	longestWait  = 10 * time.Minute
)

func openLedger(name string, c *client, log *slog.Logger) (*ledger, error) {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return nil, err
	}
	f, err := os.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return nil, err
	}
	l := &ledger{file: f, byKey: map[string]record{}, tries: map[string]*attempts{}, client: c, log: log, every: time.Second}
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 4<<20)
	for lines.Scan() {
		var r record
		if json.Unmarshal(lines.Bytes(), &r) == nil { // a line broken off by a crash was never confirmed
			l.byKey[r.Order.Key] = r
		}
	}
	return l, lines.Err()
}

func (l *ledger) get(key string) (record, bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	r, ok := l.byKey[key]
	return r, ok
}

// put writes an order down for good.
func (l *ledger) put(r record) error {
	b, err := json.Marshal(r)
	if err != nil {
		return err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	// A line feed first: what a crash left half-written stays a line of its own.
	if _, err := l.file.Write(append([]byte("\n"), append(b, '\n')...)); err != nil {
		return err
	}
	if err := l.file.Sync(); err != nil {
		return err
	}
	l.byKey[r.Order.Key] = r
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
		select {
		case <-ctx.Done():
			return
		case <-time.After(l.every):
		}
	}
}

// send sends an order and writes down what came of it.
func (l *ledger) send(ctx context.Context, r record) {
	p, err := l.client.deliver(ctx, r.Order)
	var no refusal
	var failed failure
	switch {
	case err == nil:
		r.Number = p.Number
	case errors.As(err, &no) && no.Status != http.StatusTooManyRequests:
		r.Refused = no.Error()
	case errors.As(err, &failed) && failed.Status != http.StatusServiceUnavailable && l.later(r.Order.Key, true) >= mostFailures:
		r.Refused = fmt.Sprintf("Agonal failed at it %d times, the last time with status %d", mostFailures, failed.Status)
	default:
		if !errors.As(err, &failed) || failed.Status == http.StatusServiceUnavailable {
			l.later(r.Order.Key, false) // it is away, which is no fault of the order
		}
		return
	}
	if r.Refused != "" {
		l.log.Error("an order is given up", "key", r.Order.Key, "why", r.Refused)
	}
	l.write(r)
}

// tell tells the merchant of an order that is given up.
func (l *ledger) tell(ctx context.Context, r record) {
	g := givenUp{Key: r.Order.Key, Why: r.Total + ": " + r.Refused, Charged: r.Order.Expect, PlacedAt: r.Order.PlacedAt}
	if err := l.client.giveUp(ctx, g); err != nil {
		l.later(r.Order.Key, false)
		return
	}
	r.Told = true
	l.write(r)
}

func (l *ledger) write(r record) {
	if err := l.put(r); err != nil {
		l.log.Error("writing an order down", "error", err)
		return
	}
	l.mu.Lock()
	delete(l.tries, r.Order.Key)
	l.mu.Unlock()
}

// due tells whether it is an order's turn.
func (l *ledger) due(key string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	t := l.tries[key]
	return t == nil || !time.Now().Before(t.next)
}

// later puts an order off, longer each time, and returns how often Agonal has failed at
// it.
func (l *ledger) later(key string, failed bool) int {
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
	return l.those(func(r record) bool { return r.Number == 0 && r.Refused == "" })
}

// untold lists the orders that are given up and the merchant has not been told of.
func (l *ledger) untold() []record {
	return l.those(func(r record) bool { return r.Refused != "" && !r.Told })
}

func (l *ledger) those(which func(record) bool) []record {
	l.mu.Lock()
	defer l.mu.Unlock()
	var out []record
	for _, r := range l.byKey {
		if which(r) {
			out = append(out, r)
		}
	}
	return out
}
