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
)

// client speaks to Agonal through its public API. After a failure it does not
// ask for a few seconds, so that a hanging Agonal costs a shopper one short wait
// and not one on every page.
type client struct {
	base, publishable, secret string
	http                      *http.Client
	quietUntil                atomic.Int64 // Unix nanoseconds
}

const (
	decideWithin = 900 * time.Millisecond
	orderWithin  = 4 * time.Second
	quietFor     = 4 * time.Second
)

// errAway says that Agonal cannot be reached, or fails.
var errAway = errors.New("agonal cannot be reached")

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
		return away(err)
	}
	defer func() { _ = res.Body.Close() }()
	b, err := io.ReadAll(io.LimitReader(res.Body, 64<<20))
	if err != nil || res.StatusCode >= 500 {
		return away(fmt.Errorf("status %d, %w", res.StatusCode, errors.Join(err, errAway)))
	}
	if res.StatusCode >= 400 {
		var r refusal
		if json.Unmarshal(b, &r) != nil {
			return away(fmt.Errorf("status %d", res.StatusCode))
		}
		return r
	}
	if err := json.Unmarshal(b, into); err != nil {
		return away(err)
	}
	return nil
}

// waited is a call that a shopper waits for.
func (c *client) waited(ctx context.Context, within time.Duration, method, path, key string, body, into any) error {
	if time.Now().UnixNano() < c.quietUntil.Load() {
		return errAway
	}
	err := c.call(ctx, within, method, path, key, body, into)
	if errors.Is(err, errAway) {
		c.quietUntil.Store(time.Now().Add(quietFor).UnixNano())
	}
	return err
}

func away(err error) error { return errors.Join(errAway, err) }

func (c *client) decide(ctx context.Context, r decide.Request) (decide.Decision, error) {
	var d decide.Decision
	return d, c.waited(ctx, decideWithin, http.MethodPost, "/v1/decisions", c.secret, r, &d)
}

// placed is what Agonal answers to an order.
type placed struct {
	Number int64 `json:"number"`
}

func (c *client) order(ctx context.Context, o orderRequest) (placed, error) {
	var p placed
	return p, c.waited(ctx, orderWithin, http.MethodPost, "/v1/orders", c.secret, o, &p)
}

// orderRequest is the API's order.
type orderRequest struct {
	Key      string        `json:"idempotency_key"`
	Cart     decide.Cart   `json:"cart"`
	Visit    decide.Visit  `json:"visit"`
	Moment   decide.Moment `json:"moment"`
	Customer string        `json:"customer"`
	Expect   int64         `json:"expect_to_pay"`
	Charged  bool          `json:"charged,omitempty"`
	PlacedAt *time.Time    `json:"placed_at,omitempty"`
}

// shelf is what the shop sells and where it delivers.
type shelf struct {
	Shop     string            `json:"shop"`
	Regions  []catalog.Region  `json:"regions"`
	Products []catalog.Product `json:"products"`
	// QuoteMinutes is how long a checkout's total is held.
	QuoteMinutes int `json:"quote_minutes"`
}

func (c *client) catalogue(ctx context.Context) (shelf, error) {
	var s shelf
	return s, c.call(ctx, 5*time.Second, http.MethodGet, "/v1/catalogue", c.publishable, nil, &s)
}
