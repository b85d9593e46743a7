package demo

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// What the demo signs in with. It is for a server on loopback with made-up data.
const (
	Email    = "ilse@lindquill.example"
	Password = "nine-quiet-harbours"
	// Shop is the demo's first shop.
	Shop = "lindquill"
	// Keys of the shop for the API.
	PublishableKey = "pk_lindquill_demo"
	SecretKey      = "sk_lindquill_demo"
)

// Load makes the demo where it is not there yet. origin is where the made-up
// shop is served, such as http://127.0.0.1:8081.
func Load(ctx context.Context, a *app.App, origins []string) error {
	var there store.Shop
	err := a.Store.DB.WithContext(ctx).Where("id = ?", Shop).Take(&there).Error
	if err == nil {
		return allow(ctx, a, &there, origins)
	}
	if !errors.Is(err, gorm.ErrRecordNotFound) {
		return err
	}
	if err := people(ctx, a, origins); err != nil {
		return fmt.Errorf("making the demo's people and shops: %w", err)
	}
	if err := a.Store.SaveProducts(ctx, Shop, Goods(), a.Now(), nil); err != nil {
		return fmt.Errorf("filling the shop: %w", err)
	}
	if err := a.Store.SaveProducts(ctx, "vessmark-trade", tradeGoods(), a.Now(), nil); err != nil {
		return fmt.Errorf("filling the second shop: %w", err)
	}
	if err := nudges(ctx, a); err != nil {
		return fmt.Errorf("making the demo's nudges: %w", err)
	}
	return orders(ctx, a)
}

// allow adds the addresses the made-up shop is served at to those that are allowed.
func allow(ctx context.Context, a *app.App, shop *store.Shop, origins []string) error {
	had := len(shop.Origins)
	for _, o := range origins {
		if !slices.Contains(shop.Origins, o) {
			shop.Origins = append(shop.Origins, o)
		}
	}
	if len(shop.Origins) == had {
		return nil
	}
	return a.Store.DB.WithContext(ctx).Model(shop).Select("Origins").Updates(shop).Error
}

func people(ctx context.Context, a *app.App, origins []string) error {
	db := a.Store.DB.WithContext(ctx)
	now := a.Now().UTC()
	shops := []store.Shop{
		{ID: Shop, Name: "Lindquill", Town: "Vessmark", TimeZone: "Europe/Berlin", Locale: "en", Origins: origins, CreatedAt: now, Settings: snapshot.Settings{PerPlacement: map[nudge.Placement]int{nudge.CartDrawer: 3}}},
		{ID: "vessmark-trade", Name: "Lindquill Trade", Town: "Vessmark", TimeZone: "Europe/Berlin", Locale: "de", Origins: []string{}, CreatedAt: now},
	}
	if err := db.Create(&shops).Error; err != nil {
		return err
	}
	for _, k := range []struct {
		shop string
		kind store.KeyKind
		name string
		key  string
	}{
		{Shop, store.Publishable, "The shop’s pages", PublishableKey}, {Shop, store.Secret, "The shop’s server", SecretKey},
		{"vessmark-trade", store.Publishable, "The shop’s pages", "pk_trade_demo"}, {"vessmark-trade", store.Secret, "The shop’s server", "sk_trade_demo"},
	} {
		if err := a.AddKey(ctx, k.shop, "Ilse Marrin", k.kind, k.name, k.key); err != nil {
			return err
		}
	}
	for _, p := range []struct {
		email, name string
		role        store.Role
	}{{Email, "Ilse Marrin", store.Owner}, {"tam@lindquill.example", "Tam Osk", store.Editor}, {"vera@lindquill.example", "Vera Holm", store.Viewer}} {
		acc, err := a.CreateAccount(ctx, p.email, p.name, Password)
		if err != nil {
			return err
		}
		for _, s := range shops {
			if err := db.Create(&store.Membership{AccountID: acc.ID, ShopID: s.ID, Role: p.role}).Error; err != nil {
				return err
			}
		}
	}
	for i, r := range Regions() {
		rows := []store.Region{{ShopID: Shop, ID: r.ID, Position: i, Definition: r}}
		if r.ID == "home" {
			rows = append(rows, store.Region{ShopID: "vessmark-trade", ID: r.ID, Definition: r})
		}
		if err := db.Create(&rows).Error; err != nil {
			return err
		}
	}
	return nil
}

func tradeGoods() []catalog.Product {
	goods := paper()
	for i := range goods {
		goods[i].Collections = []string{"Paper by the case"}
	}
	return goods
}

func amounts(home, eu, uk, jp money.Minor) nudge.Amounts {
	return nudge.Amounts{
		"home": {Minor: home, Currency: "EUR"}, "eu": {Minor: eu, Currency: "EUR"},
		"uk": {Minor: uk, Currency: "GBP"}, "jp": {Minor: jp, Currency: "JPY"},
	}
}

// winter is the ladder that is live when the demo begins.
func winter() nudge.Definition {
	return nudge.Definition{
		Version: nudge.Version, Name: "Winter ladder",
		Ladder: nudge.Ladder{Basis: nudge.AfterOrder, Rungs: []nudge.Rung{
			{Thresholds: amounts(6000, 8000, 7000, 11000), Rewards: []nudge.Reward{{Kind: nudge.FreeShipping, Methods: []string{"standard"}}}},
			{Thresholds: amounts(9500, 12500, 11000, 18000), Rewards: []nudge.Reward{{Kind: nudge.ShippingFlat, Methods: []string{"express"}, Amounts: amounts(490, 690, 590, 900)}}},
		}},
		Audience:   nudge.Audience{Regions: []string{"home", "eu"}},
		Placements: []nudge.Placement{nudge.TopBar, nudge.CartDrawer, nudge.CartBlock},
		Wording: nudge.Wording{
			"en": {
				nudge.NotYet: "Add {to_add} and get {reward}.", nudge.OneStep: "Just {to_add} more: {reward}.",
				nudge.Reached: "Yours: {reward}. {next_to_add} more for {next_reward}.", nudge.Lost: "Add {to_add} to have {reward} back.",
			},
			"de": {nudge.NotYet: "Noch {to_add}, dann: {reward}.", nudge.Reached: "Geschafft: {reward}. Mit {next_to_add} mehr: {next_reward}."},
			"pl": {nudge.NotYet: "Dodaj {to_add} i masz: {reward}.", nudge.Reached: "Masz to: {reward}. Jeszcze {next_to_add} i dojdzie: {next_reward}."},
		},
	}
}

// harbour is the code that is live when the demo begins.
func harbour() nudge.Definition {
	return nudge.Definition{
		Version: nudge.Version, Name: "Harbour code",
		Ladder:   nudge.Ladder{Basis: nudge.BeforeNudges, Rungs: []nudge.Rung{{Thresholds: amounts(0, 0, 0, 0), Rewards: []nudge.Reward{{Kind: nudge.OrderPercent, Percent: rate(100_000)}}}}},
		Audience: nudge.Audience{Code: "HARBOUR10"}, Placements: []nudge.Placement{nudge.CartBlock},
		Wording: nudge.Wording{
			"en": {nudge.NotYet: "Put something in and the code takes {reward}.", nudge.Reached: "Your code takes {reward}.", nudge.Outdone: "Your code is left out: without it you pay less."},
			"de": {nudge.NotYet: "Mit dem Code gibt es {reward}.", nudge.Reached: "Dein Code: {reward}.", nudge.Outdone: "Dein Code bleibt weg: ohne ihn zahlst du weniger."},
			"pl": {nudge.NotYet: "Z kodem: {reward}.", nudge.Reached: "Twój kod: {reward}."},
			"ja": {nudge.NotYet: "コードで{reward}。", nudge.Reached: "コードが使われました：{reward}。"},
		},
	}
}

func rate(r money.Rate) *money.Rate { return &r }

// orders gives the board something to count: a few visits and orders of the
// last days, decided like any other.
func orders(ctx context.Context, a *app.App) error {
	then := a.Now().Add(-72 * time.Hour)
	past := *a
	step := 0
	past.Now = func() time.Time { return then.Add(time.Duration(step) * 97 * time.Minute) }
	snap, err := a.Snapshots.Get(ctx, Shop)
	if err != nil {
		return err
	}
	for i, o := range demoOrders() {
		step = i
		visit := fmt.Sprintf("demo-visit-%d", i)
		o.req.Cart.Destination = &decide.Destination{Country: o.country}
		d, err := decide.Decide(snap.Snapshot, requestOf(o.req.Cart, past.Now()))
		if err != nil {
			return err
		}
		if events := seen(d); len(events) > 0 {
			if err := past.Record(ctx, Shop, app.EventBatch{Visit: visit, Events: events}); err != nil {
				return err
			}
		}
		if !o.ordered {
			continue
		}
		o.req.Visit.Visitor = "demo-visitor-" + strconv.Itoa(i)
		o.req.Key, o.req.Visit.ID, o.req.Expect, o.req.Customer = visit, visit, d.ToPay, o.customer
		if _, err := past.PlaceOrder(ctx, Shop, o.req); err != nil {
			return err
		}
	}
	return nil
}
