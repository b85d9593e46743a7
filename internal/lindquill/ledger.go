package lindquill

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"log/slog"
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
	Refused string       `json:"refused,omitempty"`
}

// ledger keeps orders in a file, one JSON document a line, the last line of a
// key counts. Orders that Agonal does not have yet are sent until it does.
type ledger struct {
	mu     sync.Mutex
	file   *os.File
	byKey  map[string]record
	client *client
	log    *slog.Logger
}

func openLedger(name string, c *client, log *slog.Logger) (*ledger, error) {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return nil, err
	}
	f, err := os.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return nil, err
	}
	l := &ledger{file: f, byKey: map[string]record{}, client: c, log: log}
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

// deliver sends what Agonal does not have yet.
func (l *ledger) deliver(ctx context.Context) {
	for {
		for _, r := range l.waiting() {
			p, err := l.client.order(ctx, r.Order)
			var no refusal
			switch {
			case err == nil:
				r.Number = p.Number
			case errors.As(err, &no):
				r.Refused = no.Error()
				l.log.Error("an order was refused", "key", r.Order.Key, "why", r.Refused)
			default:
				continue
			}
			if err := l.put(r); err != nil {
				l.log.Error("writing an order down", "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Second):
		}
	}
}

func (l *ledger) waiting() []record {
	l.mu.Lock()
	defer l.mu.Unlock()
	var out []record
	for _, r := range l.byKey {
		if r.Number == 0 && r.Refused == "" {
			out = append(out, r)
		}
	}
	return out
}
