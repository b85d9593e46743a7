package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"
	"unicode/utf8"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/store"
)

// AfterHolds is how long after it was placed something can be added to an order.
const AfterHolds = 30 * time.Minute

// AfterOrder is what is offered after an order, as it stands.
type AfterOrder struct {
	Decision decide.Decision
	Until    time.Time // when it can be added no more
	Added    []store.OrderAddition
}

// AfterOrder decides what is offered to who placed an order: nothing once its time is over or
// something of it came back. Errors: ErrNotFound.
func (a *App) AfterOrder(ctx context.Context, shop, key string) (AfterOrder, error) {
	db := a.Store.DB.WithContext(ctx)
	o, err := orderNamed(db, shop, key)
	if err != nil {
		return AfterOrder{}, err
	}
	out := AfterOrder{Decision: o.Decision, Until: o.PlacedAt.Add(AfterHolds)}
	r, err := returned(db, o)
	if err != nil {
		return out, err
	}
	out.Added = r.Added
	quiet := func() {
		out.Decision.Says, out.Decision.Shown, out.Decision.Offers = []decide.Said{}, map[nudge.Placement][]string{}, nil
	}
	if quiet(); a.Now().After(out.Until) || len(r.Returns) > 0 || o.AsQuoted {
		return out, nil
	}
	then, req, err := a.asOrdered(ctx, db, &r)
	if err != nil {
		return out, err
	}
	d, err := decide.Decide(then, req)
	if err != nil || d.ToPay != o.ToPay {
		return out, nil // what was charged is not what today's shop can make of it
	}
	out.Decision = d
	return out, nil
}

// orderNamed reads an order by the key that its shop gave it.
func orderNamed(tx *gorm.DB, shop, key string) (o store.Order, err error) {
	err = tx.Preload("Rewards").Where("shop_id = ? AND idempotency_key = ?", shop, key).Take(&o).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return o, ErrNotFound
	}
	return o, err
}

// asOrdered is the shop as an order saw it, with what is offered after orders, and the
// request for the order as it stands. What was added already is offered no more.
func (a *App) asOrdered(ctx context.Context, tx *gorm.DB, r *Returned) (*snapshot.Snapshot, decide.Request, error) {
	req := decide.AsOrdered(&r.Decision, r.Country, r.Method, r.PlacedAt.Add(AfterHolds))
	snap, err := a.Snapshots.Get(ctx, r.ShopID)
	if err != nil {
		return nil, req, err
	}
	definitions, err := given(tx, r)
	if err != nil {
		return nil, req, err
	}
	shop, err := decide.AfterOrder(snap.Snapshot.Shop, &r.Decision, definitions)
	if err != nil {
		return nil, req, err
	}
	then, err := snapshot.Compile(shop)
	if err != nil {
		return nil, req, err
	}
	for _, x := range r.Added {
		req.Visit.Declined = append(req.Visit.Declined, x.NudgeID)
	}
	req.Moment.At = a.Now()
	req.Usage, err = store.Usage(tx, r.ShopID, r.Region, shopperKey(r.Customer))
	return then, req, err
}

// AdditionRequest is what is to be added to a placed order.
type AdditionRequest struct {
	// Key makes adding repeatable: the same key and addition give the same result.
	Key     string `json:"idempotency_key"`
	Order   string `json:"order"` // the key of the order
	Nudge   string `json:"nudge"`
	SKU     string `json:"sku"`
	Instead string `json:"instead,omitempty"`
	// Expect is what the shopper was told that it costs more, in minor units.
	Expect money.Minor `json:"expect_more"`
	// Charged tells that the shop has charged Expect already, while Agonal could not be
	// reached; it is then added whatever has changed.
	Charged bool `json:"charged,omitempty"`
}

// check tells what an addition says that none can say. Errors: Problem.
func (r *AdditionRequest) check() error {
	for field, text := range map[string]string{"idempotency_key": r.Key, "order": r.Order, "nudge": r.Nudge, "sku": r.SKU} {
		if n := utf8.RuneCountInString(text); n < 1 || n > 200 {
			return Problem{field, "1 to 200 characters are needed"}
		}
	}
	if utf8.RuneCountInString(r.Instead) > 200 {
		return Problem{"instead", "at most 200 characters"}
	}
	if r.Expect < -money.Most || r.Expect > money.Most {
		return Problem{"expect_more", fmt.Sprintf("%d is no difference; from -%d to %d minor units are possible", r.Expect, money.Most, money.Most)}
	}
	return nil
}

func (r AdditionRequest) hash() (string, error) {
	r.Charged = false // an addition sent again after Agonal was away is the same
	body, err := json.Marshal(r)
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:]), err
}

// AddToOrder adds what is offered after an order to it, once. Errors: ErrNotFound, Problem,
// QuoteChanged, OutOfStock, ErrKeyReused.
func (a *App) AddToOrder(ctx context.Context, shop string, req AdditionRequest) (store.OrderAddition, store.Order, error) {
	var out store.OrderAddition
	var o store.Order
	if err := req.check(); err != nil {
		return out, o, err
	}
	hash, err := req.hash()
	if err != nil {
		return out, o, err
	}
	err = a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		if o, err = orderNamed(tx, shop, req.Order); err != nil {
			return err
		}
		err := tx.Where("shop_id = ? AND idempotency_key = ?", shop, req.Key).Take(&out).Error
		switch {
		case err == nil && out.RequestHash != hash:
			return ErrKeyReused
		case err == nil:
			return nil // done before
		case !errors.Is(err, gorm.ErrRecordNotFound):
			return err
		}
		out = store.OrderAddition{
			ShopID: shop, IdempotencyKey: req.Key, RequestHash: hash, OrderNumber: o.Number, NudgeID: req.Nudge, SKU: req.SKU, Instead: req.Instead, More: req.Expect, At: a.Now().UTC(),
		}
		return a.add(ctx, tx, &o, &out, req)
	})
	if err == nil {
		a.usage.stale(shop)
	}
	return out, o, err
}

// add changes an order by an addition, inside its transaction, which holds the shop's lock.
func (a *App) add(ctx context.Context, tx *gorm.DB, o *store.Order, out *store.OrderAddition, req AdditionRequest) error {
	r, err := returned(tx, *o)
	if err != nil {
		return err
	}
	for _, x := range r.Added {
		if x.NudgeID == req.Nudge {
			return Problem{"nudge", "its offer was added to this order already"}
		}
	}
	late := a.Now().After(o.PlacedAt.Add(AfterHolds))
	if !req.Charged && (late || len(r.Returns) > 0) {
		return Problem{"order", "nothing can be added to this order any more"}
	}
	then, as, err := a.asOrdered(ctx, tx, &r)
	if err != nil {
		return err
	}
	found, ok, err := decide.AddAfter(then, as, o.ToPay, req.Nudge, req.SKU, req.Instead)
	switch {
	case err != nil:
		return err
	case ok && found.More == req.Expect, req.Charged && found.Item.SKU != "":
	case req.Charged:
		return Problem{"sku", "it is offered no more, and cannot be added by itself"}
	case !ok:
		return Problem{"sku", "it is offered no more"}
	default:
		return QuoteChanged{o.ToPay + req.Expect, found.Now, changes(o.ToPay+req.Expect, found.Now)}
	}
	out.Quantity, out.Revision, out.AsQuoted = found.Item.Quantity, found.Revision, found.More != req.Expect
	if err := move(tx, o, &found.Now, req.Charged); err != nil {
		return err
	}
	now := orderOf(o.ShopID, then, OrderRequest{Key: o.IdempotencyKey, Cart: decide.Cart{Destination: &decide.Destination{Country: o.Country}}, Customer: o.Customer}, o.RequestHash, found.Now, o.PlacedAt)
	now.Arm, now.Language, now.Device, now.WithVisitor = o.Arm, o.Language, o.Device, o.WithVisitor
	now.Number, now.Visit, now.ToPay, now.AsQuoted = o.Number, o.Visit, o.ToPay+req.Expect, o.AsQuoted || out.AsQuoted
	for i := range now.Rewards {
		now.Rewards[i].OrderNumber = o.Number
	}
	if err := store.CountOrder(tx, o, store.Uncounted); err != nil {
		return err
	}
	if err := tx.Where("shop_id = ? AND order_number = ?", o.ShopID, o.Number).Delete(&store.OrderReward{}).Error; err != nil {
		return err
	}
	if err := tx.Save(&now).Error; err != nil {
		return err
	}
	if err := store.CountOrder(tx, &now, store.Counted); err != nil {
		return err
	}
	*o = now
	return tx.Create(out).Error
}

// move takes from stock and limits what an order has more than before, and gives back what it
// has no more. Errors: OutOfStock, Problem.
func move(tx *gorm.DB, o *store.Order, now *decide.Decision, charged bool) error {
	had, has := goodsOf(&o.Decision), goodsOf(now)
	more, less := map[string]int64{}, map[string]int64{}
	for sku, n := range has {
		if n > had[sku] {
			more[sku] = n - had[sku]
		}
	}
	for sku, n := range had {
		if n > has[sku] {
			less[sku] = n - has[sku]
		}
	}
	lacks, low, err := store.TakeStock(tx, o.ShopID, more, charged)
	switch {
	case err != nil:
		return err
	case len(lacks) > 0:
		return OutOfStock{lacks}
	}
	if err := store.PutStock(tx, o.ShopID, less); err != nil {
		return err
	}
	if low || len(less) > 0 {
		if err := announce(tx, o.ShopID); err != nil {
			return err
		}
	}
	spent, spends, shopper := uses(&o.Decision), uses(now), shopperKey(o.Customer)
	for id, amount := range spends {
		was, used := spent[id]
		if used {
			err = store.Spend(tx, o.ShopID, id, o.Region, amount-was)
		} else {
			err = store.Use(tx, o.ShopID, id, o.Region, shopper, amount)
		}
		if err != nil {
			return err
		}
	}
	for id, amount := range spent {
		if _, still := spends[id]; !still {
			if err := store.GiveBack(tx, o.ShopID, id, o.Region, shopper, amount); err != nil {
				return err
			}
		}
	}
	return nil
}
