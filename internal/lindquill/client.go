package lindquill

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"sync/atomic"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/snapshot"
)

// client speaks to Agonal through its public API. Where no answer came it does not ask
// for a few seconds, so that a hanging Agonal costs a shopper one short wait and not one
// on every page. An answer, whatever it says, costs nobody a wait; and a shopper who has
// left says nothing about Agonal.
type client struct {
	base, publishable, secret string
	http                      *http.Client
	decisions, orders         breaker
}

// breaker keeps one kind of call quiet for a while.
type breaker struct {
	until   atomic.Int64 // Unix nanoseconds
	probing atomic.Bool
}

func (b *breaker) quiet() bool { return time.Now().UnixNano() < b.until.Load() }

func (b *breaker) open() { b.until.Store(time.Now().Add(quietFor).UnixNano()) }

// probe asks again beside the shoppers' way, and closes the breaker with the first answer.
func (b *breaker) probe(ask func() error) {
	if !b.probing.CompareAndSwap(false, true) {
		return
	}
	go func() {
		defer b.probing.Store(false)
		for b.quiet() {
			time.Sleep(probeEvery)
			if err := ask(); !errors.Is(err, errSilent) {
				b.until.Store(0)
				return
			}
			b.open()
		}
	}()
}

const (
	decideWithin = 900 * time.Millisecond
	orderWithin  = 4 * time.Second
	quietFor     = 4 * time.Second
	probeEvery   = 250 * time.Millisecond
)

// newClient keeps as many connections to Agonal as pages are made at a time.
func newClient(cfg Config) *client {
	way := &http.Transport{MaxIdleConns: pagesAtATime, MaxIdleConnsPerHost: pagesAtATime, IdleConnTimeout: time.Minute, DisableCompression: true}
	return &client{base: cfg.Agonal, publishable: cfg.Publishable, secret: cfg.Secret, http: &http.Client{Transport: way}}
}

// errAway says that Agonal cannot be reached, or fails.
var errAway = errors.New("agonal cannot be reached")

// errSilent says, besides, that no answer came.
var errSilent = errors.New("no answer came")

// failure is an answer by which Agonal says that it failed.
type failure struct{ Status int }

func (f failure) Error() string { return fmt.Sprintf("agonal failed with status %d", f.Status) }

// refusal is a problem that Agonal answered (RFC 9457).
type refusal struct {
	Status   int                 `json:"status"`
	Title    string              `json:"title"`
	Detail   string              `json:"detail"`
	Errors   []decide.FieldError `json:"errors"`
	Changes  []string            `json:"changes"`
	Decision *decide.Decision    `json:"decision"`
}

func (r refusal) Error() string { return fmt.Sprintf("%d %s: %s", r.Status, r.Title, r.Detail) }

func (c *client) call(ctx context.Context, within time.Duration, method, path, key string, body, into any) error {
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	var in io.Reader
	if body != nil {
		b, err := json.Marshal(body)
		if err != nil {
			return err
		}
		in = bytes.NewReader(b)
	}
	req, err := http.NewRequestWithContext(ctx, method, c.base+path, in)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+key)
	req.Header.Set("Content-Type", "application/json")
	res, err := c.http.Do(req)
	if err != nil {
		return errors.Join(errAway, errSilent, err)
	}
	defer func() { _ = res.Body.Close() }()
	b, err := io.ReadAll(io.LimitReader(res.Body, 64<<20))
	switch {
	case err != nil:
		return errors.Join(errAway, errSilent, err)
	case res.StatusCode >= 500:
		return away(failure{res.StatusCode})
	case res.StatusCode >= 400:
		r := refusal{Title: http.StatusText(res.StatusCode)}
		_ = json.Unmarshal(b, &r) // something between us and Agonal may have answered
		r.Status = res.StatusCode
		return r
	}
	if into == nil {
		return nil
	}
	if err := json.Unmarshal(b, into); err != nil {
		return away(err)
	}
	return nil
}

// waited is a call that a shopper waits for.
func (c *client) waited(ctx context.Context, b *breaker, within time.Duration, method, path, key string, body, into any) error {
	if b.quiet() {
		return errAway
	}
	err := c.call(ctx, within, method, path, key, body, into)
	if errors.Is(err, errSilent) && ctx.Err() == nil {
		b.open()
	}
	return err
}

func away(err error) error { return errors.Join(errAway, err) }

// decide asks for a decision. It is waited for to its end, which is near, also where the
// shopper leaves meanwhile: a call that is broken off costs its connection.
func (c *client) decide(ctx context.Context, r decide.Request) (decide.Decision, error) {
	var d decide.Decision
	ctx = context.WithoutCancel(ctx)
	err := c.waited(ctx, &c.decisions, decideWithin, http.MethodPost, "/v1/decisions", c.secret, r, &d)
	if errors.Is(err, errSilent) {
		c.decisions.probe(func() error {
			return c.call(ctx, decideWithin, http.MethodPost, "/v1/decisions", c.secret, r, nil)
		})
	}
	return d, err
}

// placed is what Agonal answers to an order.
type placed struct {
	Number int64 `json:"number"`
}

func (c *client) order(ctx context.Context, o orderRequest) (placed, error) {
	var p placed
	return p, c.waited(ctx, &c.orders, orderWithin, http.MethodPost, "/v1/orders", c.secret, o, &p)
}

// deliver is order for what the ledger sends, apart from the shoppers' way.
func (c *client) deliver(ctx context.Context, o orderRequest) (placed, error) {
	var p placed
	return p, c.call(ctx, orderWithin, http.MethodPost, "/v1/orders", c.secret, o, &p)
}

// afterOrder is what Agonal offers after an order.
type afterOrder struct {
	Decision decide.Decision `json:"decision"`
}

// after asks what is offered after an order.
func (c *client) after(ctx context.Context, order string) (afterOrder, error) {
	var a afterOrder
	return a, c.waited(ctx, &c.decisions, decideWithin, http.MethodPost, "/v1/orders/after", c.secret, map[string]string{"order": order}, &a)
}

// additionRequest is the API's addition to an order.
type additionRequest struct {
	Key     string      `json:"idempotency_key"`
	Order   string      `json:"order"`
	Nudge   string      `json:"nudge"`
	SKU     string      `json:"sku"`
	Instead string      `json:"instead,omitempty"`
	Expect  money.Minor `json:"expect_more"`
	Charged bool        `json:"charged,omitempty"`
}

func (c *client) add(ctx context.Context, r additionRequest) (placed, error) {
	var p placed
	return p, c.waited(ctx, &c.orders, orderWithin, http.MethodPost, "/v1/orders/add", c.secret, r, &p)
}

// deliverAdded is add for what the ledger sends, apart from the shoppers' way.
func (c *client) deliverAdded(ctx context.Context, r additionRequest) (placed, error) {
	var p placed
	return p, c.call(ctx, orderWithin, http.MethodPost, "/v1/orders/add", c.secret, r, &p)
}

// givenUp is an order that the ledger sends no more.
type givenUp struct {
	Key      string     `json:"idempotency_key"`
	Why      string     `json:"why"`
	Charged  int64      `json:"charged"`
	Currency string     `json:"currency,omitempty"`
	PlacedAt *time.Time `json:"placed_at,omitempty"`
}

// giveUp tells the merchant of an order that is sent no more.
func (c *client) giveUp(ctx context.Context, g givenUp) error {
	return c.call(ctx, orderWithin, http.MethodPost, "/v1/orders/given-up", c.secret, g, nil)
}

// orderRequest is the API's order.
type orderRequest struct {
	Key      string         `json:"idempotency_key"`
	Cart     decide.Cart    `json:"cart"`
	Visit    decide.Visit   `json:"visit"`
	Moment   decide.Moment  `json:"moment"`
	Customer string         `json:"customer"`
	Shopper  decide.Shopper `json:"shopper,omitzero"`
	Expect   int64          `json:"expect_to_pay"`
	Shared   string         `json:"shared_link,omitempty"`
	Charged  bool           `json:"charged,omitempty"`
	PlacedAt *time.Time     `json:"placed_at,omitempty"`
}

// linked is the cart of a shared link, for a visit that came by it.
func (c *client) linked(ctx context.Context, token, visit string) ([]decide.CartLine, error) {
	var out struct {
		Lines []decide.CartLine `json:"lines"`
	}
	err := c.waited(ctx, &c.decisions, decideWithin, http.MethodPost, "/v1/links/open", c.secret, map[string]string{"token": token, "visit": visit}, &out)
	return out.Lines, err
}

// shelf is what the shop sells and where it delivers.
type shelf struct {
	Shop     string            `json:"shop"`
	Regions  []catalog.Region  `json:"regions"`
	Products []catalog.Product `json:"products"`
	// Badges and Reductions say what is on sale, by region.
	Badges     map[string]map[string]catalog.ProductBadge `json:"badges"`
	Reductions map[string]map[string]catalog.Badge        `json:"reductions"`
	// BadgeStyle is how the merchant wants badges to look.
	BadgeStyle snapshot.BadgeStyle `json:"badge_style"`
	// Sets are those that shoppers can put together.
	Sets []setPage `json:"sets"`
	// QuoteMinutes is how long a checkout's total is held.
	QuoteMinutes int `json:"quote_minutes"`
}

// setPage is a set that shoppers put together.
type setPage struct {
	Nudge    string            `json:"nudge"`
	Regions  []string          `json:"regions"`
	Headings map[string]string `json:"headings"`
	Product  string            `json:"product"`
}

func (c *client) catalogue(ctx context.Context) (shelf, error) {
	var s shelf
	return s, c.call(ctx, 5*time.Second, http.MethodGet, "/v1/catalogue", c.publishable, nil, &s)
}
