// Package simulate makes visits of a shop through its API, by shoppers who are made up by a
// seed and of whom it is known how strongly they answer to nudges. So there are results
// whose truth is known.
package simulate

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"time"

	"golang.org/x/sync/errgroup"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
)

// Model is how the made-up shoppers behave.
type Model struct {
	Seed   uint64
	Visits int // a day, on average
	// Carts is the share of visits that put something into the cart, Conversion the share that
	// ends in an order where nothing is shown.
	Carts, Conversion float64
	// Going is the share of orders right below a goal that go for it, and Half the share of
	// the threshold at which only half as many do.
	Going, Half float64
	// Lift is by how much the share of visits that order rises where the parcel is free and
	// would not be: 0.1 is a tenth.
	Lift float64
	// Codes is the share of orders that enter the shop's code, whatever was shown.
	Codes float64
	Code  string
	// Noise widens what a day brings, and Weekend is how much less Saturdays and Sundays do.
	Noise, Weekend float64
	Baskets        []Basket
	Countries      []Country
}

// Basket is something that people come for, so often.
type Basket struct {
	Weight float64
	Lines  []decide.CartLine
}

// Country is where a share of them is, and which language they read.
type Country struct {
	Weight   float64
	Code     string
	Language string
}

// API is the shop's way to Agonal.
type API struct {
	URL               string
	Publishable, Safe string // keys; Safe is the secret one
	Client            *http.Client
}

// Told is what came of some days.
type Told struct {
	Visits, Orders, Went int64 // Went: orders that went for a goal because of a nudge
}

// Day makes the visits of a day. now is the moment that the API takes for the present: the
// end of the day, or later. The shoppers are the same whatever machine makes them; which of two
// nudges they are shown may follow from what was learned of both by then.
func (m *Model) Day(ctx context.Context, api *API, day, now time.Time, atOnce int) (Told, error) {
	r := rand.New(rand.NewPCG(m.Seed, uint64(day.Unix()))) //nolint:gosec // made up, and the same each time
	many := float64(m.Visits) * (1 + m.Noise*r.NormFloat64())
	if wd := day.Weekday(); wd == time.Saturday || wd == time.Sunday {
		many *= 1 - m.Weekend
	}
	return m.some(ctx, api, day, now, r, int(math.Round(math.Max(0, many))), atOnce)
}

// Now makes the visits of a day at this moment, as many as there are on average.
func (m *Model) Now(ctx context.Context, api *API, now time.Time, atOnce int) (Told, error) {
	r := rand.New(rand.NewPCG(m.Seed, 0)) //nolint:gosec // made up, and the same each time
	return m.some(ctx, api, time.Time{}, now, r, m.Visits, atOnce)
}

// some makes visits of a day, or of now.
func (m *Model) some(ctx context.Context, api *API, day, now time.Time, r *rand.Rand, many, atOnce int) (Told, error) {
	var group errgroup.Group
	group.SetLimit(max(1, atOnce))
	counted := make(chan Told, many+1)
	for n := range many {
		seed := r.Uint64()
		group.Go(func() error {
			t, err := m.visit(ctx, api, day, now, n, seed)
			if err != nil {
				return fmt.Errorf("visit %d of %s: %w", n, day.Format(time.DateOnly), err)
			}
			counted <- t
			return nil
		})
	}
	err := group.Wait()
	close(counted)
	var all Told
	for t := range counted {
		all.Visits, all.Orders, all.Went = all.Visits+t.Visits, all.Orders+t.Orders, all.Went+t.Went
	}
	return all, err
}

// shopper is one visit on its way.
type shopper struct {
	*Model
	api     *API
	r       *rand.Rand
	cart    decide.Cart
	visit   decide.Visit
	locale  string
	at      time.Time
	now     time.Time
	device  audience.Device
	pace    int // milliseconds until a page is to be seen
	region  string
	reports []map[string]any
	told    map[string]bool
	shownIn map[decide.RungRef][]string // the gap bands in which rungs were shown
}

func (m *Model) visit(ctx context.Context, api *API, day, now time.Time, n int, seed uint64) (Told, error) {
	r := rand.New(rand.NewPCG(m.Seed, seed)) //nolint:gosec // made up, and the same each time
	s := &shopper{Model: m, api: api, r: r, now: now, told: map[string]bool{}, shownIn: map[decide.RungRef][]string{}}
	where := pick(r, m.Countries, func(c Country) float64 { return c.Weight })
	what := pick(r, m.Baskets, func(b Basket) float64 { return b.Weight })
	if s.at = day.Add(8*time.Hour + time.Duration(r.IntN(14*3600))*time.Second); day.IsZero() {
		s.at = now.Add(-10 * time.Minute)
	}
	id := fmt.Sprintf("%s-%d-%x", day.Format("20060102"), n, seed)
	s.visit = decide.Visit{ID: "made-up-" + id, Visitor: "visitor-" + id}
	s.device = []audience.Device{audience.Phone, audience.Phone, audience.Desktop, audience.Tablet}[r.IntN(4)]
	s.visit.Device = s.device
	s.pace = 700 + int(seed%800) //nolint:gosec // bounded
	s.locale, s.cart = where.Language, decide.Cart{Destination: &decide.Destination{Country: where.Code}}
	orders, wants := r.Float64(), r.Float64()
	code := r.Float64() < m.Codes
	going := r.Float64()

	if _, err := s.look(ctx, nudge.HomePage); err != nil { // an empty cart
		return Told{}, err
	}
	if wants >= m.Carts { // the others only look around
		return Told{Visits: 1}, s.report(ctx)
	}
	s.cart.Lines = append(s.cart.Lines, what.Lines...)
	if r.IntN(3) == 0 {
		more := pick(r, m.Baskets, func(b Basket) float64 { return b.Weight }).Lines[0]
		if more.SKU != s.cart.Lines[0].SKU && len(s.cart.Lines) == 1 {
			s.cart.Lines = append(s.cart.Lines, more)
		}
	}
	d, err := s.look(ctx, nudge.CartPage)
	if err != nil {
		return Told{}, err
	}
	told := Told{Visits: 1}
	if s.goFor(&d, going) {
		told.Went = 1
		if d, err = s.look(ctx, nudge.CartPage); err != nil {
			return Told{}, err
		}
	}
	if chance := m.Conversion / m.Carts; orders >= chance*(1+m.Lift*free(&d)) {
		told.Went = 0
		return told, s.report(ctx)
	}
	if code {
		s.cart.Codes = []string{m.Code}
	}
	if d, err = s.look(ctx, nudge.CheckoutPage); err != nil {
		return Told{}, err
	}
	if err := s.report(ctx); err != nil {
		return Told{}, err
	}
	told.Orders = 1
	return told, s.order(ctx, id, d.ToPay)
}

// free is 1 where the parcel is free because of a nudge.
func free(d *decide.Decision) float64 {
	if s := d.Shipping; s != nil && s.Fee == 0 && s.ListFee > 0 {
		return 1
	}
	return 0
}

// goFor puts in what is suggested where a goal is near and the shopper is one of those who go.
func (s *shopper) goFor(d *decide.Decision, going float64) bool {
	for _, n := range d.Nudges {
		for _, r := range n.Rungs {
			if r.State != decide.RungOpen || r.Lasting == nil || r.Threshold == 0 || len(n.Suggestions) == 0 {
				continue
			}
			if going >= s.Going*math.Pow(2, -float64(r.Gap)/float64(r.Threshold)/s.Half) {
				break
			}
			for _, it := range n.Suggestions[0].Items {
				s.cart = s.cart.With(it.SKU, it.Quantity)
			}
			return true
		}
	}
	return false
}

// look asks for a decision as the embed does, and keeps what it reports.
func (s *shopper) look(ctx context.Context, page nudge.Page) (decide.Decision, error) {
	s.at = s.at.Add(time.Duration(20+s.r.IntN(90)) * time.Second)
	places := []nudge.Placement{nudge.TopBar}
	if page != nudge.HomePage {
		places = append(places, nudge.CartBlock)
	}
	var d decide.Decision
	req := decide.Request{Cart: s.cart, Visit: s.visit, Moment: decide.Moment{Page: decide.Page{Kind: page}, Locale: s.locale, Placements: places}, Suggest: true}
	if err := s.post(ctx, "/v1/decisions", s.api.Publishable, req, &d); err != nil {
		return d, err
	}
	s.region = d.Region
	s.note(results.Visit, "", 0, 0, nil)
	if page == nudge.CheckoutPage {
		s.note(results.Checkout, "", 0, 0, nil)
	}
	for _, n := range d.Nudges {
		held := n.Reason == decide.HeldOut
		if held || len(n.Rungs) > 0 {
			s.note(results.Could, n.Nudge, n.Revision, 0, map[string]any{"held": held, "arm": n.Arm})
		}
		if n.Arm != "" {
			s.note(results.Loaded, n.Nudge, n.Revision, 0, map[string]any{"arm": n.Arm, "ms": s.pace})
		}
		for _, r := range n.Rungs {
			if r.State == decide.RungReached {
				s.note(results.Reached, n.Nudge, n.Revision, r.Rung, nil)
				for _, band := range s.shownIn[decide.RungRef{Nudge: n.Nudge, Rung: r.Rung}] {
					s.noteIn(results.Accepted, n.Nudge, n.Revision, r.Rung, band)
				}
			}
		}
	}
	for _, p := range places {
		for _, said := range d.In(p) {
			s.note(results.Shown, said.Nudge, said.Revision, 0, map[string]any{"placement": p})
			s.visit.Shown = append(s.visit.Shown, decide.ShownRef{Nudge: said.Nudge, Revision: said.Revision})
			if said.Band != "" && said.Offer == nil && s.noteIn(results.ShownAt, said.Nudge, said.Revision, said.Rung, said.Band) {
				rung := decide.RungRef{Nudge: said.Nudge, Rung: said.Rung}
				s.shownIn[rung] = append(s.shownIn[rung], said.Band)
			}
		}
	}
	return d, nil
}

// note keeps something to report, once.
func (s *shopper) note(kind results.Kind, of string, revision, rung int, more map[string]any) {
	s.once(fmt.Sprintf("%s:%s:%d", kind, of, rung), kind, of, revision, rung, more)
}

// noteIn keeps something that is counted by gap band, once; false where it was kept before.
func (s *shopper) noteIn(kind results.Kind, of string, revision, rung int, band string) bool {
	return s.once(fmt.Sprintf("%s:%s:%s", kind, of, band), kind, of, revision, rung, map[string]any{"band": band})
}

func (s *shopper) once(id string, kind results.Kind, of string, revision, rung int, more map[string]any) bool {
	if s.told[id] {
		return false
	}
	s.told[id] = true
	e := map[string]any{"id": id, "kind": kind, "at": s.at}
	if of != "" {
		e["nudge"], e["revision"], e["rung"] = of, revision, rung
	}
	for k, v := range more {
		e[k] = v
	}
	s.reports = append(s.reports, e)
	return true
}

// report sends what was kept.
func (s *shopper) report(ctx context.Context) error {
	if len(s.reports) == 0 {
		return nil
	}
	return s.post(ctx, "/v1/events", s.api.Publishable, map[string]any{
		"visit": s.visit.ID, "visitor": s.visit.Visitor, "sent_at": s.now, "region": s.region, "language": s.locale, "device": s.device, "events": s.reports,
	}, nil)
}

// order places an order as the shop's server does once the payment is through.
func (s *shopper) order(ctx context.Context, id string, toPay int64) error {
	placed := s.at.Add(time.Minute)
	return s.post(ctx, "/v1/orders", s.api.Safe, map[string]any{
		"idempotency_key": "made-up-" + id, "cart": s.cart, "visit": s.visit, "moment": map[string]any{"page": map[string]any{"kind": nudge.CheckoutPage}, "locale": s.locale},
		"customer": "Made-up shopper " + id[len(id)-4:], "expect_to_pay": toPay, "charged": true, "placed_at": placed,
	}, nil)
}

func (s *shopper) post(ctx context.Context, path, key string, body, into any) error {
	b, err := json.Marshal(body)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, s.api.URL+path, bytes.NewReader(b))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Authorization", "Bearer "+key)
	res, err := s.api.Client.Do(req)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	text, err := io.ReadAll(res.Body)
	switch {
	case err != nil:
		return err
	case res.StatusCode >= http.StatusMultipleChoices:
		return fmt.Errorf("%s answers %d: %.300s", path, res.StatusCode, text)
	case into == nil:
		return nil
	}
	return json.Unmarshal(text, into)
}

// pick takes one of several by their weights.
func pick[T any](r *rand.Rand, of []T, weight func(T) float64) T {
	sum := 0.0
	for _, x := range of {
		sum += weight(x)
	}
	at := r.Float64() * sum
	for _, x := range of {
		if at -= weight(x); at < 0 {
			return x
		}
	}
	return of[len(of)-1]
}
