package lindquill

import (
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
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
	f.Fuzz(func(t *testing.T, s string) {
		lines := parseCart(s).Lines
		assert.LessOrEqual(t, len(lines), 60)
		for _, l := range lines {
			assert.Positive(t, l.Quantity)
		}
	})
}

func TestOrdersWrittenDownOutliveACrash(t *testing.T) {
	name := filepath.Join(t.TempDir(), "orders.jsonl")
	l, err := openLedger(name, nil, quiet())
	require.NoError(t, err)
	require.NoError(t, l.put(record{Order: orderRequest{Key: "a"}, Number: 7}))
	require.NoError(t, l.put(record{Order: orderRequest{Key: "b"}, Away: true}))
	f, err := os.OpenFile(name, os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(t, err)
	_, err = f.WriteString(`{"order":{"idempotency_key":"c","ca`) // killed in the middle of a line
	require.NoError(t, err)
	require.NoError(t, f.Close())

	again, err := openLedger(name, nil, quiet())
	require.NoError(t, err)
	a, ok := again.get("a")
	assert.True(t, ok)
	assert.Equal(t, int64(7), a.Number)
	_, ok = again.get("c")
	assert.False(t, ok, "what was never confirmed is not there")
	require.NoError(t, again.put(record{Order: orderRequest{Key: "d"}, Number: 8}))
	third, err := openLedger(name, nil, quiet())
	require.NoError(t, err)
	_, ok = third.get("d")
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
	l, err := openLedger(filepath.Join(t.TempDir(), "o.jsonl"), &client{base: srv.URL, http: srv.Client()}, quiet())
	require.NoError(t, err)
	require.NoError(t, l.put(record{Order: orderRequest{Key: "k", Charged: true}, Away: true}))
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	go l.deliver(ctx)
	require.Eventually(t, func() bool { r, _ := l.get("k"); return r.Number == 1042 }, 30*time.Second, 50*time.Millisecond)
	assert.Empty(t, l.waiting())
}

func TestAfterAFailureNobodyWaitsAgainForAWhile(t *testing.T) {
	var calls atomic.Int64
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		calls.Add(1)
		w.WriteHeader(http.StatusInternalServerError)
	}))
	defer srv.Close()
	c := &client{base: srv.URL, http: srv.Client()}
	for range 5 {
		_, err := c.decide(t.Context(), decide.Request{})
		assert.ErrorIs(t, err, errAway)
	}
	assert.Equal(t, int64(1), calls.Load())
}

func TestOneOrderIsPlacedAtATime(t *testing.T) {
	var tl till
	assert.True(t, tl.begin("k"))
	assert.False(t, tl.begin("k"), "a double click")
	assert.True(t, tl.begin("other"))
	tl.end("k")
	assert.True(t, tl.begin("k"))
}

func TestSimulatedPayment(t *testing.T) {
	assert.NoError(t, pay(t.Context(), "approve"))
	assert.ErrorContains(t, pay(t.Context(), "decline"), "Nothing was charged")
	assert.ErrorContains(t, pay(t.Context(), ""), "Choose how to pay")
	gone, stop := context.WithCancel(t.Context())
	stop()
	assert.ErrorContains(t, pay(gone, "hang"), "Nothing was charged")
}

func TestNamesBeginWithACapitalInEveryScript(t *testing.T) {
	for typed, want := range map[string]string{"": "", "standard shipping": "Standard shipping", "通常配送": "通常配送", "écru": "Écru", "łódź": "Łódź", "\xff": "\xff"} {
		assert.Equal(t, want, upper(typed))
	}
}
