package lindquill

import (
	"context"
	"encoding/json"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"time"

	"agonal.dev/agonal/core/snapshot"
)

// goods keeps the catalogue at hand, in memory and in a file, so that the shop
// opens also while Agonal cannot be reached.
type goods struct {
	client *client
	file   string
	log    *slog.Logger
	mu     sync.RWMutex
	now    *stock
}

// stock is the catalogue with a snapshot that has no nudges: list prices, fees
// and taxes come from the same core as every other price.
type stock struct {
	shelf
	list *snapshot.Snapshot
}

// quoteHolds is how long a shown total is honoured while Agonal is away.
func (s *stock) quoteHolds() time.Duration {
	return time.Duration(max(1, s.QuoteMinutes)) * time.Minute
}

func (g *goods) get() *stock {
	g.mu.RLock()
	defer g.mu.RUnlock()
	return g.now
}

func (g *goods) refresh(ctx context.Context) error {
	s, err := g.client.catalogue(ctx)
	if err != nil {
		return err
	}
	if err := g.use(s); err != nil {
		return err
	}
	b, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return replaceFile(g.file, b)
}

func (g *goods) use(s shelf) error {
	cat, err := newCatalog(s)
	if err != nil {
		return err
	}
	snap, err := snapshot.Compile(snapshot.Shop{Catalog: cat, Regions: s.Regions})
	if err != nil {
		return err
	}
	g.mu.Lock()
	g.now = &stock{s, snap}
	g.mu.Unlock()
	return nil
}

// keep opens what was kept in the file, and follows Agonal from then on.
func (g *goods) keep(ctx context.Context) {
	if b, err := os.ReadFile(g.file); err == nil {
		var s shelf
		if json.Unmarshal(b, &s) == nil {
			if err := g.use(s); err != nil {
				g.log.Warn("the kept catalogue cannot be used", "error", err)
			}
		}
	}
	wait := 200 * time.Millisecond
	for {
		if err := g.refresh(ctx); err == nil {
			wait = 5 * time.Second
		} else if ctx.Err() != nil {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
	}
}

// replaceFile writes a file whole or not at all.
func replaceFile(name string, b []byte) error {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	tmp := name + ".new"
	if err := os.WriteFile(tmp, b, 0o644); err != nil {
		return err
	}
	return os.Rename(tmp, name)
}
