// Package weeks gives the demo its past: eight weeks of made-up visits, which come through
// the API like any other, each at its own time.
package weeks

import (
	"bytes"
	"context"
	"embed"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/simulate"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/storefront"
)

// Weeks is how far the demo's past reaches back.
const Weeks = 8

// Model is how the demo's shoppers behave. They go for a goal that is near, and order more
// often where the parcel is free.
func Model(visits int) simulate.Model {
	line := func(sku string, n int64) decide.CartLine { return decide.CartLine{SKU: sku, Quantity: n} }
	return simulate.Model{
		Seed: 4, Visits: visits, Carts: 0.5, Conversion: 0.16, Going: 0.9, Half: 0.3, Lift: 0.8, Codes: 0.1, Code: "HARBOUR10", Noise: 0.08, Weekend: 0.25,
		Baskets: []simulate.Basket{
			{Weight: 5, Lines: []decide.CartLine{line("HARBLU-30", 2), line("DUNA5-D", 1)}},
			{Weight: 4, Lines: []decide.CartLine{line("HARBLU-30", 3)}},
			{Weight: 4, Lines: []decide.CartLine{line("BEARED-30", 1), line("DUNA5-P", 2)}},
			{Weight: 3, Lines: []decide.CartLine{line("KIT-F", 1)}},
			{Weight: 3, Lines: []decide.CartLine{line("KELGRE-30", 2), line("BLOPAP-A5", 1)}},
			{Weight: 2, Lines: []decide.CartLine{line("HARBLU-100", 1), line("OYSCON", 1)}},
			{Weight: 2, Lines: []decide.CartLine{line("CUR-M", 1), line("BRI-30", 2)}},
			{Weight: 2, Lines: []decide.CartLine{line("DUNA5-L", 3)}},
			{Weight: 1, Lines: []decide.CartLine{line("BOX-FIRST", 1)}},
			{Weight: 2, Lines: []decide.CartLine{line("WAXSTIRED-5", 2)}},
		},
		Countries: []simulate.Country{{Weight: 70, Code: "DE", Language: "de"}, {Weight: 12, Code: "AT", Language: "de"}, {Weight: 10, Code: "PL", Language: "pl"}, {Weight: 8, Code: "FR", Language: "en"}},
	}
}

// autumn is a nudge of the demo's past that gave more than it brought: most orders lay above
// its goal already.
func autumn() nudge.Definition {
	share := money.Whole / 5
	home := nudge.Amounts{"home": {Minor: 2000, Currency: "EUR"}, "eu": {Minor: 2000, Currency: "EUR"}}
	return nudge.Definition{
		Version: nudge.Version, Name: "A fifth for autumn",
		Ladder:     nudge.Ladder{Basis: nudge.BeforeNudges, Rungs: []nudge.Rung{{Thresholds: home, Rewards: []nudge.Reward{{Kind: nudge.OrderPercent, Percent: &share}}}}},
		Audience:   nudge.Audience{Regions: []string{"home", "eu"}},
		Placements: []nudge.Placement{nudge.CartBlock, nudge.CartDrawer},
		Wording: nudge.Wording{
			"en": {nudge.NotYet: "Add {to_add} and take {reward}.", nudge.Reached: "Yours this autumn: {reward}."},
			"de": {nudge.NotYet: "Noch {to_add}, dann: {reward}.", nudge.Reached: "Diesen Herbst: {reward}."},
			"pl": {nudge.NotYet: "Dodaj {to_add} i masz: {reward}.", nudge.Reached: "Tej jesieni: {reward}."},
		},
	}
}

// atOnce is how many visits go on beside each other: what they report is stored together.
const atOnce = 32

const who = "Ilse Marrin"

// Make makes the past of the demo's shop, so many visits a day, where there is none yet.
func Make(ctx context.Context, a *app.App, visits int) error {
	var there int64
	if err := a.Store.DB.WithContext(ctx).Model(&store.Order{}).Where("shop_id = ? AND idempotency_key LIKE 'made-up-%'", demo.Shop).Limit(1).Count(&there).Error; err != nil || there > 0 || visits <= 0 {
		return err
	}
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	if err != nil {
		return err
	}
	shelves, err := a.Store.Products(ctx, demo.Shop)
	if err != nil {
		return err
	}
	past := *a
	var present time.Time
	past.Now = func() time.Time { return present }
	api, err := through(&past)
	if err != nil {
		return err
	}
	model, today := Model(visits), a.Now().In(snap.Zone)
	first := time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, snap.Zone).AddDate(0, 0, -7*Weeks)
	present = first
	if err := a.Store.DB.WithContext(ctx).Model(&store.Revision{}).Where("shop_id = ?", demo.Shop).Update("published_at", first).Error; err != nil {
		return err
	}
	tenth := money.Whole / 10
	if err := past.ChangeConfig(ctx, demo.Shop, who, false, func(c *app.ShopConfig) error {
		c.Settings.Holdout = &tenth
		return nil
	}); err != nil {
		return err
	}
	old, err := past.Create(ctx, demo.Shop, who, autumn())
	if err != nil {
		return err
	}
	for n := range 7 * Weeks {
		day := first.AddDate(0, 0, n)
		present = day.AddDate(0, 0, 1).Add(-time.Second)
		switch n {
		case 7:
			_, err = past.Publish(ctx, demo.Shop, old.ID, who, old.DraftVersion)
		case 42:
			_, err = past.SetState(ctx, demo.Shop, old.ID, who, store.StateLive, store.StateEnded)
		case 35:
			err = tryEarlier(ctx, &past)
		}
		if err == nil {
			_, err = past.Snapshots.Refresh(ctx, demo.Shop)
		}
		if err == nil {
			_, err = model.Day(ctx, api, day, present, atOnce)
		}
		if err == nil && n%7 == 6 { // the shelves are filled again
			err = a.Store.SaveProducts(ctx, demo.Shop, demo.Goods(), present, nil)
		}
		if err != nil {
			return fmt.Errorf("making the demo's past: %w", err)
		}
	}
	if err := subscribe(ctx, &past, first, &present); err != nil {
		return fmt.Errorf("making the demo's plans: %w", err)
	}
	if err := a.Store.SaveProducts(ctx, demo.Shop, shelves, a.Now(), nil); err != nil {
		return err
	}
	_, err = a.Snapshots.Refresh(ctx, demo.Shop)
	return err
}

// subscriptions are sets of letters that were bought by a plan: on which day of the past, for how
// many months each, and whether the plan was ended later.
var subscriptions = []struct {
	day, months int
	ends        bool
}{{0, 1, false}, {1, 1, true}, {3, 1, false}, {4, 2, false}, {9, 1, false}, {12, 1, true}, {20, 2, false}, {26, 1, false}, {33, 1, false}, {41, 2, true}, {48, 1, false}}

// subscribe makes plans of the past, and what became of them until now.
func subscribe(ctx context.Context, past *app.App, first time.Time, present *time.Time) error {
	snap, err := past.Snapshots.Get(ctx, demo.Shop)
	if err != nil {
		return err
	}
	end := *present
	defer func() { *present = end }()
	for i, s := range subscriptions {
		at := first.AddDate(0, 0, s.day).Add(time.Duration(10+i) * time.Hour / 2).UTC()
		*present = at
		cart := decide.Cart{Destination: &decide.Destination{Country: "DE"}}
		for _, sku := range []string{"HARBLU-4", "BEARED-4", "OYSGRE-4", "KELGRE-4"}[:3+i%2] {
			cart.Lines = append(cart.Lines, decide.CartLine{SKU: sku, Quantity: 1, Plan: map[int]string{1: "1 month", 2: "2 months"}[s.months], Build: &decide.Build{Nudge: "a-letter-a-week", ID: "one"}})
		}
		var d decide.Decision
		var visit decide.Visit
		for n := 0; len(d.Rewards) == 0; n++ { // somebody who is not kept from it
			visit.Visitor = fmt.Sprintf("subscriber-%d-%d", i, n)
			if d, err = decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Visit: visit, Moment: decide.Moment{At: at}}); err != nil || n > 50 {
				return err
			}
		}
		order := app.OrderRequest{Key: fmt.Sprint("made-up-plan-", i), Cart: cart, Visit: visit, Customer: fmt.Sprintf("Subscriber %d", i+1), Expect: d.ToPay, Charged: true, PlacedAt: &at}
		if _, err := past.PlaceOrder(ctx, demo.Shop, order); err != nil {
			return err
		}
		tell := func(id string, kind results.PlanKind, at time.Time) error {
			*present = at
			_, err := past.PlanEvent(ctx, demo.Shop, app.PlanEventInput{Order: order.Key, ID: id, Kind: kind, At: &at})
			return err
		}
		sent := 0
		for next := at.AddDate(0, s.months, 0); next.Before(end); next = next.AddDate(0, s.months, 0) {
			if sent++; err == nil {
				err = tell(fmt.Sprint("parcel-", sent), results.PlanParcel, next)
			}
		}
		if over := at.AddDate(0, 0, 36); s.ends && err == nil && over.Before(end) {
			err = tell("ended", results.PlanEnded, over)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// tryEarlier begins a trial that still goes on today: whether the first step of the prices by
// the stack should come earlier.
func tryEarlier(ctx context.Context, past *app.App) error {
	n, err := past.Nudge(ctx, demo.Shop, "notebooks-by-the-stack")
	if err != nil {
		return err
	}
	n, err = past.EditDraft(ctx, demo.Shop, n.ID, who, n.DraftVersion, func(d *nudge.Definition) error {
		d.Ladder.Rungs[0].Count = 2
		return nil
	})
	if err != nil {
		return err
	}
	_, err = past.StartTrial(ctx, demo.Shop, n.ID, who, n.DraftVersion, app.TrialAsked{Worth: money.Whole / 5, Share: money.Whole / 2})
	return err
}

// through is the API of an application, without a network in between.
func through(a *app.App) (*simulate.API, error) {
	e := echo.New()
	if err := storefront.Mount(e, a, storefront.Config{Dist: embed.FS{}, PerSecond: 1_000_000}); err != nil {
		return nil, err
	}
	return &simulate.API{URL: "http://past.invalid", Publishable: demo.PublishableKey, Safe: demo.SecretKey, Client: &http.Client{Transport: direct{e}}}, nil
}

// direct hands requests to a handler.
type direct struct{ to http.Handler }

func (d direct) RoundTrip(req *http.Request) (*http.Response, error) {
	in := req.Clone(req.Context())
	in.RequestURI, in.RemoteAddr = req.URL.RequestURI(), "127.0.0.1:1"
	w := &kept{header: http.Header{}, status: http.StatusOK}
	d.to.ServeHTTP(w, in)
	return &http.Response{StatusCode: w.status, Header: w.header, Body: io.NopCloser(&w.body), Request: req, ContentLength: int64(w.body.Len())}, nil
}

// kept keeps what a handler answers.
type kept struct {
	header http.Header
	status int
	body   bytes.Buffer
}

func (k *kept) Header() http.Header         { return k.header }
func (k *kept) WriteHeader(status int)      { k.status = status }
func (k *kept) Write(b []byte) (int, error) { return k.body.Write(b) }
