package app

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"agonal.dev/agonal/internal/store"
)

// intake stores events of many visits together: what comes while a transaction is on its way
// is stored by the next one. Everybody waits until what they brought is safe.
type intake struct {
	store *store.Store

	mu      sync.Mutex
	waiting []delivery
	running bool

	idsMu sync.Mutex
	known map[string]knownIDs // by shop
}

// knownIDs are the ids of a shop's nudges as they were a moment ago.
type knownIDs struct {
	at  time.Time
	ids map[string]bool
}

// delivery is what somebody brought and waits for.
type delivery struct {
	events []store.Event
	done   chan error
}

const (
	mostTogether = 5000             // events of one transaction
	intakeTime   = 10 * time.Second // for one
	idsGoodFor   = 2 * time.Second
	mostWaiting  = 10_000 // that wait; more are refused
)

func newIntake(s *store.Store) *intake { return &intake{store: s, known: map[string]knownIDs{}} }

// take stores events, and returns once they are safe or cannot be stored.
func (t *intake) take(ctx context.Context, events []store.Event) error {
	d := delivery{events, make(chan error, 1)}
	t.mu.Lock()
	if len(t.waiting) >= mostWaiting {
		t.mu.Unlock()
		return fmt.Errorf("too many events wait to be stored: %w", context.DeadlineExceeded)
	}
	t.waiting = append(t.waiting, d)
	if !t.running {
		t.running = true
		go t.run()
	}
	t.mu.Unlock()
	select {
	case err := <-d.done:
		return err
	case <-ctx.Done():
		return ctx.Err() // it may be stored yet; sent again it counts once
	}
}

// run stores what waits until nothing does.
func (t *intake) run() {
	for {
		t.mu.Lock()
		if len(t.waiting) == 0 {
			t.running = false
			t.mu.Unlock()
			return
		}
		n, many := 0, 0
		for n < len(t.waiting) && (n == 0 || many+len(t.waiting[n].events) <= mostTogether) {
			many += len(t.waiting[n].events)
			n++
		}
		batch := append([]delivery(nil), t.waiting[:n]...)
		t.waiting = append(t.waiting[:0], t.waiting[n:]...)
		t.mu.Unlock()
		t.storeAll(batch, many)
	}
}

// storeAll stores deliveries in one transaction, or where that cannot be, each by itself.
func (t *intake) storeAll(batch []delivery, many int) {
	ctx, cancel := context.WithTimeout(context.Background(), intakeTime)
	defer cancel()
	all := make([]store.Event, 0, many)
	for _, d := range batch {
		all = append(all, d.events...)
	}
	_, err := t.store.RecordEvents(ctx, all)
	if err != nil && len(batch) > 1 { // one of them may be to blame: each by itself
		for _, d := range batch {
			_, err := t.store.RecordEvents(ctx, d.events)
			d.done <- err
		}
		return
	}
	for _, d := range batch {
		d.done <- err
	}
}

// ids returns the ids of a shop's nudges, read anew where they are not known from a moment
// ago, or one that is wanted is not among them.
func (t *intake) ids(shop string, now time.Time, wanted []EventInput, read func() ([]string, error)) (map[string]bool, error) {
	t.idsMu.Lock()
	defer t.idsMu.Unlock()
	if k, ok := t.known[shop]; ok && now.Sub(k.at).Abs() < idsGoodFor && !slices.ContainsFunc(wanted, func(e EventInput) bool { return e.Nudge != "" && !k.ids[e.Nudge] }) {
		return k.ids, nil
	}
	list, err := read()
	if err != nil {
		return nil, err
	}
	ids := make(map[string]bool, len(list))
	for _, id := range list {
		ids[id] = true
	}
	t.known[shop] = knownIDs{now, ids}
	return ids, nil
}
