package lindquill

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/money"
)

// killed is what a process panics with where it is to die.
type killed struct{}

// clock lets a process do so many things, and dies at the next.
type clock struct{ left int }

func (k *clock) tick() {
	if k.left--; k.left < 0 {
		panic(killed{})
	}
}

// mortal is a file of a process that may die before it has written, half-way, and after.
type mortal struct {
	durable
	clock *clock
}

func (f mortal) Write(b []byte) (int, error) {
	f.clock.tick()
	if n, err := f.durable.Write(b[:len(b)/2]); err != nil {
		return n, err
	}
	f.clock.tick()
	_, err := f.durable.Write(b[len(b)/2:])
	f.clock.tick()
	return len(b), err
}

// fakeAgonal takes orders and additions, each key once. status is what it answers; what it
// answers with lost is taken, but nobody hears of it.
type fakeAgonal struct {
	clock  *clock
	status int
	lost   bool
	has    map[string]money.Minor
	times  int
}

func (f *fakeAgonal) RoundTrip(r *http.Request) (*http.Response, error) {
	f.clock.tick()
	var body struct {
		Key    string       `json:"idempotency_key"`
		More   *money.Minor `json:"expect_more"`
		Expect money.Minor  `json:"expect_to_pay"`
	}
	if err := json.NewDecoder(r.Body).Decode(&body); err != nil {
		return nil, err
	}
	if f.status < 300 {
		if _, had := f.has[body.Key]; !had {
			f.times++
		}
		if f.has[body.Key] = body.Expect; body.More != nil {
			f.has[body.Key] = *body.More
		}
	}
	f.clock.tick()
	if f.status == 0 || f.lost {
		return nil, errors.New("no way there")
	}
	return &http.Response{StatusCode: f.status, Header: http.Header{}, Body: io.NopCloser(bytes.NewBufferString(`{"number":1001}`))}, nil
}

func mortalLedger(t *testing.T, dir string, k *clock, f *fakeAgonal) *ledger {
	l, err := openLedger(dir, &client{http: &http.Client{Transport: f}}, quiet())
	require.NoError(t, err)
	l.payments.answers, l.payments.late, l.every = time.Millisecond, time.Hour, 0
	l.orders.file, l.added.file, l.payments.charges.file = mortal{l.orders.file, k}, mortal{l.added.file, k}, mortal{l.payments.charges.file, k}
	return l
}

func here(do func()) { do() }

// TestNothingIsChargedWithoutGoods kills the shop at every step of placing an order and of
// adding to it, whatever the payment and Agonal do, starts it anew and sees that in the end
// what is charged is what Agonal has, once.
func TestNothingIsChargedWithoutGoods(t *testing.T) {
	order := record{Order: orderRequest{Key: "order", Expect: 4200}, Payment: &charge{Key: "p", Amount: 4200, Currency: "EUR"}}
	more := addition{Order: "order", Nudge: "n", SKU: "INK", Quantity: 1, More: 960, Payment: charge{Key: "a", Amount: 960, Currency: "EUR"}, State: begun}
	deaths := 0
	for _, how := range []string{"approve", "decline", "hang", "?"} {
		for _, f := range []fakeAgonal{{status: 201}, {status: 201, lost: true}, {status: 0}, {status: 500}, {status: 503}, {status: 409}} {
			for _, what := range []string{"an order", "an addition"} {
				for n := 0; ; n++ {
					k, name := &clock{n}, fmt.Sprintf("%s, %s, %d %v, killed at step %d", what, how, f.status, f.lost, n)
					agonal, dir := f, t.TempDir()
					agonal.clock, agonal.has = k, map[string]money.Minor{}
					died := !runs(func() {
						l := mortalLedger(t, dir, k, &agonal)
						if r := order; what == "an order" {
							_, _ = l.place(t.Context(), &r, how, here)
						} else {
							l.add(t.Context(), more, how, here)
						}
					})
					// It starts anew; Agonal is back.
					k.left, agonal.lost = 1000, false
					if agonal.status != 409 {
						agonal.status = 201
					}
					l := mortalLedger(t, dir, k, &agonal)
					for _, r := range l.waiting() {
						l.send(t.Context(), r)
					}
					for _, a := range l.added.those(func(a addition) bool { return a.State == paid }) {
						l.sendAdded(t.Context(), a)
					}
					if what == "an order" {
						r, _ := l.orders.get("order")
						assert.Equal(t, l.payments.charged("p"), r.placed() && r.Order.Key != "", name)
						assert.True(t, !l.payments.charged("p") || agonal.has["order"] == 4200 || r.Refused != "", "%s: charged and not at Agonal", name)
						assert.Nil(t, r.Payment, name)
					} else {
						a, _ := l.added.get(more.key())
						assert.Equal(t, l.payments.charged("a"), agonal.has["a"] == 960, "%s: %s", name, a.State)
						assert.Equal(t, l.payments.charged("a"), a.State == added, name)
					}
					if how != "approve" {
						assert.Empty(t, agonal.has, name)
					}
					assert.LessOrEqual(t, agonal.times, 1, name)
					if !died {
						break
					}
					deaths++
				}
			}
		}
	}
	t.Logf("died %d times", deaths)
	assert.Greater(t, deaths, 200)
}

// runs tells whether something came to its end.
func runs(do func()) (whole bool) {
	defer func() {
		if x := recover(); x != nil {
			if _, is := x.(killed); !is {
				panic(x)
			}
		}
	}()
	do()
	return true
}

func TestAPaymentIsChargedOnceAndUndoneForGood(t *testing.T) {
	p, err := openPayments(t.TempDir() + "/p.jsonl")
	require.NoError(t, err)
	p.answers, p.late = time.Millisecond, 5*time.Millisecond
	ctx := t.Context()
	assert.NoError(t, p.charge(ctx, charge{Key: "a", Amount: 5}, "approve"))
	assert.NoError(t, p.charge(ctx, charge{Key: "a", Amount: 5}, "approve"), "a key is charged once, however often it is asked")
	assert.True(t, p.charged("a"))
	require.NoError(t, p.undo(charge{Key: "a"}))
	assert.False(t, p.charged("a"))
	assert.ErrorIs(t, p.charge(ctx, charge{Key: "a", Amount: 5}, "approve"), errFails)

	assert.ErrorIs(t, p.charge(ctx, charge{Key: "b", Amount: 5}, "decline"), errDeclined)
	assert.NoError(t, p.charge(ctx, charge{Key: "b", Amount: 5}, "approve"), "another card")
	assert.ErrorIs(t, p.charge(ctx, charge{Key: "c", Amount: 5}, ""), errChooseHow)

	// One that hangs is charged after all, unless it was undone meanwhile.
	assert.ErrorIs(t, p.charge(ctx, charge{Key: "late", Amount: 5}, "hang"), errNoAnswer)
	assert.ErrorIs(t, p.charge(ctx, charge{Key: "never", Amount: 5}, "hang"), errNoAnswer)
	require.NoError(t, p.undo(charge{Key: "never", Amount: 5}))
	assert.Eventually(t, func() bool { return p.charged("late") }, 10*time.Second, time.Millisecond)
	time.Sleep(20 * time.Millisecond)
	assert.False(t, p.charged("never"))
}

func TestAnAdditionSaysWhatItCost(t *testing.T) {
	a := addition{Quantity: 2, Label: "Kelp Green", More: 960, Told: "€9.60", State: added}
	assert.Equal(t, "2 × Kelp Green is added to your order. We charged €9.60 for it.", a.Says(english))
	a.State = paid
	assert.Equal(t, "2 × Kelp Green is paid for and goes with your order. We charged €9.60 for it.", a.Says(english))
	a.State, a.More = added, -100
	a.Told = "€1.00"
	assert.Equal(t, "2 × Kelp Green is added to your order. We paid back €1.00.", a.Says(english))
}
