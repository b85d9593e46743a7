package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"
	"unicode/utf8"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/store"
)

// OrderRequest is an order as a shop places it.
type OrderRequest struct {
	// Key makes placing repeatable: the same key and order give the same result.
	Key      string        `json:"idempotency_key"`
	Cart     decide.Cart   `json:"cart"`
	Visit    decide.Visit  `json:"visit"`
	Moment   decide.Moment `json:"moment"`
	Customer string        `json:"customer"`
	// Shopper is what the shop knows of the person.
	Shopper decide.Shopper `json:"shopper,omitzero"`
	// Expect is the total the shopper was shown, in minor units.
	Expect money.Minor `json:"expect_to_pay"`
	// Charged tells that the shop has charged Expect already, while Agonal could
	// not be reached; the order is then taken over as it is.
	Charged bool `json:"charged,omitempty"`
	// SharedLink is the token of the shared link by which its visit came; empty: none.
	SharedLink string `json:"shared_link,omitempty"`
	// PlacedAt is when it was charged; only with Charged.
	PlacedAt *time.Time `json:"placed_at,omitempty"`
}

// QuoteChanged says that the total is no longer what the shopper was shown.
type QuoteChanged struct {
	Expected money.Minor
	Decision decide.Decision
	Changes  []string
}

func (q QuoteChanged) Error() string { return "the total has changed since it was shown" }

// ErrKeyReused says that an idempotency key came with another order.
var ErrKeyReused = errors.New("this idempotency key was used for another order")

// PlaceOrder prices an order again and stores it. Errors: decide.FieldErrors,
// Problem, QuoteChanged, OutOfStock, ErrKeyReused.
func (a *App) PlaceOrder(ctx context.Context, shop string, req OrderRequest) (store.Order, error) {
	if req.Key == "" || utf8.RuneCountInString(req.Key) > 200 {
		return store.Order{}, Problem{"idempotency_key", "an idempotency key of 1 to 200 characters is needed"}
	}
	if err := req.check(a.Now()); err != nil {
		return store.Order{}, err
	}
	// Whether the shop has charged already is no part of what was ordered: an order
	// sent again after Agonal was away must be known as the same.
	same := req
	same.Charged, same.PlacedAt = false, nil
	body, err := json.Marshal(same)
	if err != nil {
		return store.Order{}, err
	}
	sum := sha256.Sum256(body)
	hash := hex.EncodeToString(sum[:])
	if o, err := a.orderByKey(ctx, shop, req.Key, hash); err == nil || !errors.Is(err, ErrNotFound) {
		return o, err
	}
	now := a.Now().UTC()
	if req.Charged && req.PlacedAt != nil && req.PlacedAt.Before(now) {
		now = req.PlacedAt.UTC()
	}
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return store.Order{}, err
	}
	moment := req.Moment
	moment.At = now
	for range mostTries {
		o, err := a.price(ctx, snap, req, hash, moment)
		a.usesChanged(ctx, snap, err)
		switch {
		case errors.Is(err, errTaken):
			continue // somebody took the last use: decide again without it
		case errors.Is(err, gorm.ErrDuplicatedKey), errors.As(err, new(QuoteChanged)), errors.As(err, new(OutOfStock)):
			// The same order, sent twice at one moment, may have been stored meanwhile; then
			// it stands, whatever it has used up.
			if same, found := a.placedMeanwhile(ctx, shop, req.Key, hash); found == nil || errors.Is(found, ErrKeyReused) {
				return same, found
			}
		}
		return o, err
	}
	return store.Order{}, fmt.Errorf("placing the order: %w", errTaken)
}

// usesChanged lets decisions know what an order has used up: at once where one was refused
// for it, so that the next answer is not the one that was just refused.
func (a *App) usesChanged(ctx context.Context, snap *ShopSnapshot, err error) {
	switch {
	case !snap.Limited:
	case err == nil:
		a.usage.stale(snap.Shop.ID)
	case errors.As(err, new(QuoteChanged)):
		a.readUsage(ctx, snap)
	}
}

// placedMeanwhile is orderByKey once whoever places orders at this moment is done.
func (a *App) placedMeanwhile(ctx context.Context, shop, key, hash string) (o store.Order, err error) {
	return o, a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		o, err = orderByKey(tx, shop, key, hash)
		return err
	})
}

// Bounds of what an order says besides its cart.
const (
	mostCustomer = 200
	mostToken    = 40
	// oldestOrder is how long after it was charged an order may come.
	oldestOrder = 60 * 24 * time.Hour
)

// check tells what an order says that no order can say. Errors: Problem.
func (r *OrderRequest) check(now time.Time) error {
	switch {
	case len(r.Cart.Lines) == 0:
		return Problem{"cart.lines", "an order needs at least one line"}
	case r.Cart.Destination == nil:
		return Problem{"cart.destination", "an order needs a destination"}
	case utf8.RuneCountInString(r.Customer) > mostCustomer:
		return Problem{"customer", fmt.Sprintf("a customer has at most %d characters", mostCustomer)}
	case utf8.RuneCountInString(r.SharedLink) > mostToken:
		return Problem{"shared_link", fmt.Sprintf("at most %d characters", mostToken)}
	case r.Expect < 0 || r.Expect > money.Most:
		return Problem{"expect_to_pay", fmt.Sprintf("%d is no total; from 0 to %d minor units are possible", r.Expect, money.Most)}
	case r.PlacedAt != nil && !r.Charged:
		return Problem{"placed_at", "belongs to orders that were charged already"}
	case r.PlacedAt != nil && (r.PlacedAt.Before(now.Add(-oldestOrder)) || r.PlacedAt.After(now.Add(time.Hour))):
		return Problem{"placed_at", "lies more than 60 days back, or in the future"}
	}
	return nil
}

// mostTries is how often an order is decided again because a limit was used up
// between pricing and storing it. Each time one more nudge has gone.
const mostTries = 20

// price decides what an order costs with what is left of the limits, and stores
// it. Errors: QuoteChanged, OutOfStock, errTaken.
func (a *App) price(ctx context.Context, snap *ShopSnapshot, req OrderRequest, hash string, moment decide.Moment) (store.Order, error) {
	shop := snap.Shop.ID
	region, err := decide.RegionOf(snap.Snapshot, req.Cart)
	if err != nil {
		return store.Order{}, err
	}
	usage, err := store.Usage(a.Store.DB.WithContext(ctx), shop, region, shopperKey(req.Customer))
	if err != nil {
		return store.Order{}, err
	}
	cart := req.Cart
	if cart.PoolCodes, err = a.PoolCodes(ctx, snap, cart.Codes); err != nil {
		return store.Order{}, err
	}
	d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Visit: req.Visit, Shopper: req.Shopper, Moment: moment, Usage: usage})
	if err != nil {
		return store.Order{}, err
	}
	if d.ToPay != req.Expect && !req.Charged {
		return store.Order{}, QuoteChanged{req.Expect, d, changes(req.Expect, d)}
	}
	o := orderOf(shop, snap.Snapshot, req, hash, d, moment.At)
	err = a.storeOrder(ctx, &o, func(tx *gorm.DB) error {
		if err := takeUses(tx, snap, &o, cart.Codes, cart.PoolCodes, req.Charged); err != nil {
			return err
		}
		return takeStock(tx, &o, req.Charged)
	})
	return o, err
}

func orderOf(shop string, snap *snapshot.Snapshot, req OrderRequest, hash string, d decide.Decision, now time.Time) store.Order {
	o := store.Order{
		ShopID: shop, IdempotencyKey: req.Key, RequestHash: hash, Visit: req.Visit.ID, Region: d.Region,
		Country: req.Cart.Destination.Country, Currency: d.Currency, Goods: d.Goods, Off: d.Off, Tax: d.Tax,
		ToPay: d.ToPay, Customer: req.Customer, SharedLink: req.SharedLink, Decision: d, PlacedAt: now,
		Language: d.Locale, Device: string(req.Visit.Device), WithVisitor: req.Visit.Visitor != "",
	}
	if decide.SeesNone(snap, req.Visit.Visitor) {
		o.Arm = results.ArmNone
	}
	if m, known := decide.Profit(snap, &d, now); known {
		o.Margin = &m
	}
	if d.Shipping != nil {
		o.Fee, o.ListFee, o.Method = d.Shipping.Fee, d.Shipping.ListFee, d.Shipping.Method
	}
	if req.Charged {
		o.AsQuoted, o.ToPay = true, req.Expect
	}
	for _, g := range d.Rewards {
		o.Rewards = append(o.Rewards, store.OrderReward{ShopID: shop, NudgeID: g.Nudge, Revision: g.Revision, Rung: g.Rung, Class: g.Class, Currency: d.Currency, Amount: g.Amount, Cost: &g.Amount})
	}
	for _, g := range d.Gifts {
		if len(g.Items) == 0 {
			continue
		}
		i := slices.IndexFunc(d.Nudges, func(n decide.NudgeOutcome) bool { return n.Nudge == g.Nudge })
		r := store.OrderReward{ShopID: shop, NudgeID: g.Nudge, Rung: g.Rung, Class: string(nudge.GiftClass.Name()), Currency: d.Currency, Amount: g.Worth}
		if i >= 0 {
			r.Revision = d.Nudges[i].Revision
		}
		if cost, known := decide.GiftCost(snap, &d, &g, now); known {
			r.Cost = &cost
		}
		o.Rewards = append(o.Rewards, r)
	}
	if req.Charged && d.ToPay != req.Expect {
		o.Rewards, o.Margin = nil, nil // what was charged is not what these rewards make
	}
	return o
}

func (a *App) storeOrder(ctx context.Context, o *store.Order, take func(tx *gorm.DB) error) error {
	return a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, o.ShopID); err != nil {
			return err
		}
		if err := tx.Model(&store.Order{}).Where("shop_id = ?", o.ShopID).Select("coalesce(max(number), 1000) + 1").Scan(&o.Number).Error; err != nil {
			return err
		}
		for i := range o.Rewards {
			o.Rewards[i].OrderNumber = o.Number
		}
		if err := take(tx); err != nil {
			return err
		}
		if err := tx.Create(o).Error; err != nil {
			return err
		}
		if by := planOrders(o); len(by) > 0 {
			if err := tx.Create(&by).Error; err != nil {
				return err
			}
		}
		return store.CountOrder(tx, o, store.Counted)
	})
}

func (a *App) orderByKey(ctx context.Context, shop, key, hash string) (store.Order, error) {
	return orderByKey(a.Store.DB.WithContext(ctx), shop, key, hash)
}

func orderByKey(db *gorm.DB, shop, key, hash string) (store.Order, error) {
	var o store.Order
	err := db.Preload("Rewards").Where("shop_id = ? AND idempotency_key = ?", shop, key).Take(&o).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return o, ErrNotFound
	}
	if err == nil && o.RequestHash != hash {
		return o, ErrKeyReused
	}
	return o, err
}

// changes says in words what is different from what was shown.
func changes(expected money.Minor, d decide.Decision) []string {
	show := func(m money.Minor) string {
		return money.Format(money.Amount{Minor: m, Currency: d.Currency}, d.Locale)
	}
	out := []string{fmt.Sprintf("The total is now %s instead of %s.", show(d.ToPay), show(expected))}
	if d.Shipping != nil {
		out = append(out, fmt.Sprintf("Goods are %s, %s is %s.", show(d.Goods), d.Shipping.Name, show(d.Shipping.Fee)))
	}
	for _, n := range d.Nudges {
		if n.Reason == decide.LimitUsedUp {
			out = append(out, fmt.Sprintf("%s is used up.", n.Name))
		}
	}
	return out
}

// Orders lists a shop's orders, the newest first, without their decisions.
func (a *App) Orders(ctx context.Context, shop string, limit int) ([]store.Order, error) {
	var os []store.Order
	err := a.Store.DB.WithContext(ctx).Omit("Decision").Preload("Rewards").Where("shop_id = ?", shop).Order("number DESC").Limit(limit).Find(&os).Error
	return os, err
}

// EachOrder calls f with every order of a shop, the newest first, without holding them
// all: it reads them by the thousand, without their decisions. It ends with the first
// error of f.
func (a *App) EachOrder(ctx context.Context, shop string, f func(*store.Order) error) error {
	const batch = 1000
	for below := int64(math.MaxInt64); ; {
		var os []store.Order
		db := a.Store.DB.WithContext(ctx)
		if err := db.Omit("Decision").Where("shop_id = ? AND number < ?", shop, below).Order("number DESC").Limit(batch).Find(&os).Error; err != nil || len(os) == 0 {
			return err
		}
		var rewards []store.OrderReward
		last := os[len(os)-1].Number
		if err := db.Where("shop_id = ? AND order_number BETWEEN ? AND ?", shop, last, os[0].Number).Order("order_number DESC, nudge_id, rung").Find(&rewards).Error; err != nil {
			return err
		}
		for i := range os {
			n := 0
			for n < len(rewards) && rewards[n].OrderNumber == os[i].Number {
				n++
			}
			os[i].Rewards, rewards = rewards[:n], rewards[n:]
			if err := f(&os[i]); err != nil {
				return err
			}
		}
		below = last
	}
}

// Order reads one order.
func (a *App) Order(ctx context.Context, shop string, number int64) (store.Order, error) {
	var o store.Order
	err := a.Store.DB.WithContext(ctx).Preload("Rewards").Where("shop_id = ? AND number = ?", shop, number).Take(&o).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return o, ErrNotFound
	}
	return o, err
}
