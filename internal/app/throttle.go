package app

import (
	"context"
	"crypto/sha256"
	"fmt"
	"sync"
	"time"
)

// ErrTooManyAttempts says that sign-in must wait.
type ErrTooManyAttempts struct{ Wait time.Duration }

func (e ErrTooManyAttempts) Error() string {
	if e.Wait < time.Minute {
		return fmt.Sprintf("Too many attempts. Try again in %d seconds.", e.Seconds())
	}
	return fmt.Sprintf("Too many attempts. Try again in %d minutes.", int(e.Wait.Minutes())+1)
}

// Seconds is how long to wait, at least one second.
func (e ErrTooManyAttempts) Seconds() int { return int(e.Wait.Seconds()) + 1 }

// throttle slows guessing down. An attempt counts before the password is looked at, so
// that many at once are many. Attempts at one account from one network address wait once
// there were five in a quarter of an hour; so do all from one network address once there
// were twenty. An account that is guessed at from many addresses answers ever more slowly,
// but always answers: nobody can lock its owner out.
type throttle struct {
	mu   sync.Mutex
	runs map[throttleKey]*run
}

// throttleKey is what attempts are counted by, hashed: a hundred thousand of them, or
// long ones, take no more memory than others.
type throttleKey [16]byte

func guessKey(kind string, parts ...string) throttleKey {
	h := sha256.New()
	for _, p := range append([]string{kind}, parts...) {
		_, _ = fmt.Fprintf(h, "%d:%s", len(p), p) // never fails
	}
	return throttleKey(h.Sum(nil)[:16])
}

type run struct {
	attempts    int
	since, last time.Time
}

const (
	attemptsOfPair    = 5  // at one account from one network address
	attemptsOfAddress = 20 // from one network address
	attemptsOfAccount = 10 // at one account, before it answers more slowly
	slowest           = 30 * time.Second
	throttleTime      = 15 * time.Minute
	// throttleKeys bounds the memory that guessing can take.
	throttleKeys = 20_000
)

func newThrottle() *throttle { return &throttle{runs: map[throttleKey]*run{}} }

// begin counts an attempt, or tells how long it must wait; done is to be called if it
// succeeds, and takes back what it counted.
func (t *throttle) begin(now time.Time, email, from string) (done func(), wait time.Duration) {
	pair, address, account := guessKey("pair", email, from), guessKey("address", from), guessKey("account", email)
	t.mu.Lock()
	defer t.mu.Unlock()
	for key, most := range map[throttleKey]int{pair: attemptsOfPair, address: attemptsOfAddress} {
		if r := t.of(now, key); r != nil && r.attempts >= most {
			wait = max(wait, throttleTime-now.Sub(r.since))
		}
	}
	if r := t.of(now, account); r != nil && r.attempts >= attemptsOfAccount {
		pause := min(slowest, time.Second<<min(5, (r.attempts-attemptsOfAccount)/5))
		wait = max(wait, pause-now.Sub(r.last))
	}
	if wait > 0 {
		return nil, wait
	}
	for _, key := range []throttleKey{pair, address, account} {
		t.count(now, key)
	}
	return func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		delete(t.runs, pair)
		for _, key := range []throttleKey{address, account} {
			if r := t.runs[key]; r != nil {
				r.attempts--
			}
		}
	}, 0
}

// of is a run that still counts, nil where there is none.
func (t *throttle) of(now time.Time, key throttleKey) *run {
	r := t.runs[key]
	if r != nil && now.Sub(r.since) > throttleTime {
		delete(t.runs, key)
		return nil
	}
	return r
}

func (t *throttle) count(now time.Time, key throttleKey) {
	r := t.of(now, key)
	if r == nil {
		if len(t.runs) >= throttleKeys {
			t.makeRoom(now)
		}
		r = &run{since: now}
		t.runs[key] = r
	}
	r.attempts++
	r.last = now
}

// makeRoom forgets runs that are over, or else those with the fewest attempts.
func (t *throttle) makeRoom(now time.Time) {
	for k, r := range t.runs {
		if now.Sub(r.since) > throttleTime {
			delete(t.runs, k)
		}
	}
	for few := 1; len(t.runs) >= throttleKeys; few++ {
		for k, r := range t.runs {
			if r.attempts <= few && len(t.runs) > throttleKeys*9/10 {
				delete(t.runs, k)
			}
		}
	}
}

// hashing bounds how many passwords are hashed at once, since each takes memory: others
// wait for a moment, and are sent away when too many do.
type hashing struct{ at, queue chan struct{} }

const (
	hashesAtOnce = 2
	hashesQueued = 8
	hashesWait   = 2 * time.Second
)

func newHashing() *hashing {
	return &hashing{make(chan struct{}, hashesAtOnce), make(chan struct{}, hashesAtOnce+hashesQueued)}
}

// do hashes when it is its turn. Errors: ErrTooManyAttempts, and the context's.
func (h *hashing) do(ctx context.Context, hash func()) error {
	select {
	case h.queue <- struct{}{}:
		defer func() { <-h.queue }()
	default:
		return ErrTooManyAttempts{hashesWait}
	}
	ctx, cancel := context.WithTimeout(ctx, hashesWait)
	defer cancel()
	select {
	case h.at <- struct{}{}:
		defer func() { <-h.at }()
	case <-ctx.Done():
		return ErrTooManyAttempts{hashesWait}
	}
	hash()
	return nil
}
