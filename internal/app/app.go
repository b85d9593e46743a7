// Package app is what people and shops can do with Agonal, one file per task. It
// knows nothing of pages or HTTP.
package app

import (
	"errors"
	"log/slog"
	"time"

	"agonal.dev/agonal/internal/store"
)

// App is the application. Now is the clock; tests set it.
type App struct {
	Store     *store.Store
	Snapshots *Snapshots
	Now       func() time.Time
	Log       *slog.Logger
	throttle  *throttle
	hashing   *hashing
	ring      *keyring
	sightings *sightings
	jobs      JobQueue
	usage     *usageCache
	intake    *intake
}

// New makes an application on a store.
func New(s *store.Store, log *slog.Logger) *App {
	a := &App{
		Store: s, Now: time.Now, Log: log, throttle: newThrottle(), hashing: newHashing(), usage: &usageCache{byShop: map[string]*usageEntry{}},
		ring: &keyring{store: s}, sightings: &sightings{seen: map[sightingKey]*store.Sighting{}},
	}
	a.intake = newIntake(s)
	a.Snapshots = newSnapshots(s, func() time.Time { return a.Now() }, a.ring, log)
	return a
}

// UseJobs sets the queue that long work is put into.
func (a *App) UseJobs(q JobQueue) { a.jobs = q }

// ErrNotFound says that what was asked for is not there, or not in this shop.
var ErrNotFound = errors.New("not found")

// Problem is a refusal in words for the person who asked.
type Problem struct {
	Field string // what is wrong, as a path; may be empty
	Say   string
}

func (p Problem) Error() string { return p.Say }
