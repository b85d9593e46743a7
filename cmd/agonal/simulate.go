package main

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/demo/weeks"
	"agonal.dev/agonal/internal/simulate"
)

// simulateCmd makes visits of the demo's shop through the API of a server that runs.
type simulateCmd struct {
	URL        string  `default:"http://127.0.0.1:8080" help:"Where Agonal answers."`
	Key        string  `default:"" help:"The shop's publishable key; empty: the demo's."`
	Secret     string  `default:"" help:"The shop's secret key; empty: the demo's."`
	Visits     int     `default:"500" help:"How many visits."`
	Seed       uint64  `default:"0" help:"The same seed makes the same shoppers; 0: others each time."`
	Going      float64 `default:"0.9" help:"The share of orders right below a goal that go for it."`
	Half       float64 `default:"0.3" help:"The share of a goal at which only half as many do."`
	Lift       float64 `default:"0.4" help:"By how much more often visits order where the parcel is free because of a nudge."`
	Carts      float64 `default:"0.5" help:"The share of visits that put something into the cart."`
	Conversion float64 `default:"0.16" help:"The share of visits that order where nothing is shown."`
	AtOnce     int     `default:"16" help:"How many go on beside each other."`
}

func (s simulateCmd) Run(ctx context.Context) error {
	m := weeks.Model(s.Visits)
	m.Going, m.Half, m.Lift, m.Carts, m.Conversion, m.Noise, m.Weekend = s.Going, s.Half, s.Lift, s.Carts, s.Conversion, 0, 0
	if m.Seed = s.Seed; m.Seed == 0 {
		m.Seed = uint64(time.Now().UnixNano())
	}
	api := simulate.API{URL: s.URL, Publishable: s.Key, Safe: s.Secret, Client: &http.Client{Timeout: 30 * time.Second}}
	if api.Publishable == "" {
		api.Publishable = demo.PublishableKey
	}
	if api.Safe == "" {
		api.Safe = demo.SecretKey
	}
	told, err := m.Now(ctx, &api, time.Now(), s.AtOnce)
	fmt.Printf("%d visits, %d orders; %d went for a goal because of a nudge (seed %d)\n", told.Visits, told.Orders, told.Went, m.Seed)
	return err
}
