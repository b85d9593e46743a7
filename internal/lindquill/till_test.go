package lindquill

import (
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
)

func quiet() *slog.Logger { return slog.New(slog.DiscardHandler) }

func testVisit() *visit {
	return &visit{region: &catalog.Region{Currency: "EUR"}, cart: decide.Cart{Lines: []decide.CartLine{{SKU: "INK", Quantity: 2}}, Codes: []string{"TEN"}, Destination: &decide.Destination{Country: "DE"}}}
}

func TestAQuoteHoldsForExactlyWhatItWasGivenFor(t *testing.T) {
	s := &shop{cfg: Config{QuoteKey: []byte("a key of the shop's own")}}
	now := time.Now()
	q := s.quote(testVisit(), "standard", 6000, now.Add(15*time.Minute))
	assert.True(t, s.quoteHolds(testVisit(), "standard", 6000, q, now))
	assert.False(t, s.quoteHolds(testVisit(), "standard", 5999, q, now), "another total")
	assert.False(t, s.quoteHolds(testVisit(), "express", 6000, q, now), "another method")
	assert.False(t, s.quoteHolds(testVisit(), "standard", 6000, q, now.Add(16*time.Minute)), "too late")
	other := testVisit()
	other.cart.Lines[0].Quantity = 3
	assert.False(t, s.quoteHolds(other, "standard", 6000, q, now), "another cart")
	other = testVisit()
	other.cart.Destination.Country = "JP"
	assert.False(t, s.quoteHolds(other, "standard", 6000, q, now), "another country")
	for _, forged := range []string{"", "x", "99999999999.00", q[:len(q)-1] + "0"} {
		assert.False(t, s.quoteHolds(testVisit(), "standard", 6000, forged, now) && forged != q, forged)
	}
}

func TestACartSurvivesItsCookie(t *testing.T) {
	lines := []decide.CartLine{{SKU: "HARBLU-30", Quantity: 2}, {SKU: "KIT-F", Quantity: 1}}
	assert.Equal(t, lines, parseCart(printCart(lines)).Lines)
	for _, bad := range []string{"", "|", "INK", "INK:", "INK:0", "INK:-1", "INK:x", "INK:99999999999999999999"} {
		assert.Empty(t, parseCart(bad).Lines, bad)
	}
	assert.Equal(t, decide.Visit{}, parseVisit("not json"))
	assert.Equal(t, "v", parseVisit(`{"id":"v","reached":[{"nudge":"n","rung":1}],"shown":[{"nudge":"n","revision":2}]}`).ID)
}

func FuzzParseCart(f *testing.F) {
	f.Add("INK:2|PEN:1")
	f.Add("HARBLU-4:2::1:a-letter:2 months|X:1:gift")
	f.Fuzz(func(t *testing.T, s string) {
		lines := parseCart(s).Lines
		assert.LessOrEqual(t, len(lines), 60)
		for _, l := range lines {
			assert.Positive(t, l.Quantity)
			assert.False(t, l.Origin != nil && l.Build != nil, "a gift is no part of a set")
			assert.False(t, l.Build != nil && (l.Build.ID == "" || l.Build.Nudge == ""))
		}
	})
}

func TestOrdersWrittenDownOutliveACrash(t *testing.T) {
	dir := t.TempDir()
	name := filepath.Join(dir, "orders.jsonl")
	l, err := openLedger(dir, nil, quiet())
	require.NoError(t, err)
	require.NoError(t, l.orders.put(record{Order: orderRequest{Key: "a"}, Number: 7}))
	require.NoError(t, l.orders.put(record{Order: orderRequest{Key: "b"}, Away: true}))
	f, err := os.OpenFile(name, os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(t, err)
	_, err = f.WriteString(`{"order":{"idempotency_key":"c","ca`) // killed in the middle of a line
	require.NoError(t, err)
	require.NoError(t, f.Close())

	again, err := openLedger(dir, nil, quiet())
	require.NoError(t, err)
	a, ok := again.orders.get("a")
	assert.True(t, ok)
	assert.Equal(t, int64(7), a.Number)
	_, ok = again.orders.get("c")
	assert.False(t, ok, "what was never confirmed is not there")
	require.NoError(t, again.orders.put(record{Order: orderRequest{Key: "d"}, Number: 8}))
	third, err := openLedger(dir, nil, quiet())
	require.NoError(t, err)
	_, ok = third.orders.get("d")
	assert.True(t, ok, "a broken line does not swallow the next one")
	assert.Len(t, third.waiting(), 1)
}

func TestWhatAgonalDoesNotHaveIsSentUntilItDoes(t *testing.T) {
	var calls atomic.Int64
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if calls.Add(1) < 3 {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		w.WriteHeader(http.StatusCreated)
		_ = json.NewEncoder(w).Encode(placed{Number: 1042})
	}))
	defer srv.Close()
	l, err := openLedger(t.TempDir(), &client{base: srv.URL, http: srv.Client()}, quiet())
	require.NoError(t, err)
	require.NoError(t, l.orders.put(record{Order: orderRequest{Key: "k", Charged: true}, Away: true}))
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	go l.deliver(ctx)
	require.Eventually(t, func() bool { r, _ := l.orders.get("k"); return r.Number == 1042 }, 30*time.Second, 50*time.Millisecond)
	assert.Empty(t, l.waiting())
}

// answering is Agonal answering everything with a status, or nothing for a while.
func answering(t *testing.T, status int, after time.Duration) (*client, *atomic.Int64) {
	calls := &atomic.Int64{}
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		calls.Add(1)
		select {
		case <-r.Context().Done():
		case <-time.After(after):
		}
		w.WriteHeader(status)
	}))
	t.Cleanup(srv.Close)
	return &client{base: srv.URL, http: srv.Client()}, calls
}

func TestWhereNoAnswerComesNobodyWaitsAgainForAWhile(t *testing.T) {
	c, calls := answering(t, http.StatusOK, 2*decideWithin)
	for range 5 {
		_, err := c.decide(t.Context(), decide.Request{})
		assert.ErrorIs(t, err, errAway)
	}
	assert.Equal(t, int64(1), calls.Load())
}

// What is answered costs nobody a wait, so that no answer keeps the shop from asking for
// the next shopper: neither a refusal nor a failure.
func TestNoAnswerKeepsOthersFromAsking(t *testing.T) {
	for _, status := range []int{http.StatusUnprocessableEntity, http.StatusTooManyRequests, http.StatusInternalServerError, http.StatusServiceUnavailable} {
		c, calls := answering(t, status, 0)
		for range 5 {
			_, err := c.decide(t.Context(), decide.Request{})
			assert.Error(t, err)
			_, err = c.order(t.Context(), orderRequest{})
			assert.Error(t, err)
		}
		assert.Equal(t, int64(10), calls.Load(), status)
	}
}

func TestAShopperWhoLeavesEarlyKeepsNobodyFromAsking(t *testing.T) {
	c, calls := answering(t, http.StatusOK, decideWithin/2)
	for range 5 {
		ctx, leave := context.WithTimeout(t.Context(), 20*time.Millisecond)
		_, err := c.decide(ctx, decide.Request{})
		leave()
		assert.NotErrorIs(t, err, errSilent)
	}
	assert.Equal(t, int64(5), calls.Load())
}

// An order that Agonal refuses is sent once, one that it fails at some times, each later
// than the last; the merchant is told of both, and others are sent meanwhile.
func TestAnOrderThatIsNoUseIsGivenUpAndTold(t *testing.T) {
	var mu sync.Mutex
	sent, told := map[string]int{}, map[string]string{}
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		if r.URL.Path == "/v1/orders/given-up" {
			var g givenUp
			_ = json.NewDecoder(r.Body).Decode(&g)
			told[g.Key] = g.Why
			w.WriteHeader(http.StatusNoContent)
			return
		}
		var o orderRequest
		_ = json.NewDecoder(r.Body).Decode(&o)
		sent[o.Key]++
		switch o.Key {
		case "poison":
			w.WriteHeader(http.StatusInternalServerError)
		case "refused":
			w.WriteHeader(http.StatusUnprocessableEntity)
			_ = json.NewEncoder(w).Encode(refusal{Title: "The request cannot be used", Detail: "customer: holds a NUL character"})
		default:
			w.WriteHeader(http.StatusCreated)
			_ = json.NewEncoder(w).Encode(placed{Number: 1001})
		}
	}))
	defer srv.Close()
	l, err := openLedger(t.TempDir(), &client{base: srv.URL, http: srv.Client()}, quiet())
	require.NoError(t, err)
	l.every = time.Millisecond
	for _, key := range []string{"poison", "refused", "fine"} {
		require.NoError(t, l.orders.put(record{Order: orderRequest{Key: key, Charged: true}, Away: true, Total: "€5.00"}))
	}
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	go l.deliver(ctx)
	require.Eventually(t, func() bool { mu.Lock(); defer mu.Unlock(); return len(told) == 2 }, 60*time.Second, 5*time.Millisecond)
	mu.Lock()
	defer mu.Unlock()
	assert.Equal(t, map[string]int{"poison": mostFailures, "refused": 1, "fine": 1}, sent)
	assert.Contains(t, told["poison"], "status 500")
	assert.Contains(t, told["refused"], "holds a NUL character")
	assert.Eventually(t, func() bool { return len(l.waiting())+len(l.untold()) == 0 }, 10*time.Second, time.Millisecond)
}

func TestWhatCannotBeWrittenDownIsNotSent(t *testing.T) {
	assert.True(t, readable("Łucja Ferro 🖋"))
	for _, s := range []string{"a\x00b", "a\nb", "\xff"} {
		assert.False(t, readable(s))
	}
	assert.Empty(t, parseVisit(`{"id":"a\u0000b"}`).ID)
	assert.Equal(t, "v1", parseVisit(`{"id":"v1"}`).ID)
	now := time.UnixMilli(1_000_000_000_000)
	assert.Equal(t, map[string]decide.Remembered{"a": {Shows: 7, Today: 2}, "b": {Shows: 3}, "c": {Shows: 1}},
		parseRemembered(`{"a":[7,999999999000,2],"b":[3,999000000000,3],"c":[1,1000000000001,1]}`, now), "a second ago, longer than a day, and by a clock that is ahead")
	assert.Empty(t, parseRemembered(`{"a":7}`, now))
}

func TestOneOrderIsPlacedAtATime(t *testing.T) {
	var tl till
	assert.True(t, tl.begin("k"))
	assert.False(t, tl.begin("k"), "a double click")
	assert.True(t, tl.begin("other"))
	tl.end("k")
	assert.True(t, tl.begin("k"))
}

func TestNamesBeginWithACapitalInEveryScript(t *testing.T) {
	for typed, want := range map[string]string{"": "", "standard shipping": "Standard shipping", "通常配送": "通常配送", "écru": "Écru", "łódź": "Łódź", "\xff": "\xff"} {
		assert.Equal(t, want, upper(typed))
	}
}
