package app

import (
	"context"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/store"
)

// OutOfStock says that there is not enough of some goods for an order.
type OutOfStock struct{ Lacks []store.Lack }

func (o OutOfStock) Error() string { return "some of the goods have run out" }

// Says tells it in words, a sentence for each of the goods.
func (o OutOfStock) Says(c *catalog.Catalog) []string {
	out := make([]string, len(o.Lacks))
	for i, l := range o.Lacks {
		if out[i] = fmt.Sprintf("Only %d of %s are left.", l.Left, c.Label(l.SKU)); l.Left <= 0 {
			out[i] = c.Label(l.SKU) + " has run out."
		}
	}
	return out
}

// goodsOf is how many of each SKU an order takes, gifts among them.
func goodsOf(d *decide.Decision) map[string]int64 {
	out := map[string]int64{}
	for i := range d.Lines {
		out[d.Lines[i].SKU] += d.Lines[i].Quantity
	}
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			out[it.SKU] += it.Quantity
		}
	}
	return out
}

// takeStock takes an order's goods out of stock, inside its transaction. Errors:
// OutOfStock.
func takeStock(tx *gorm.DB, o *store.Order, charged bool) error {
	lacks, low, err := store.TakeStock(tx, o.ShopID, goodsOf(&o.Decision), charged)
	switch {
	case err != nil:
		return err
	case len(lacks) > 0:
		return OutOfStock{lacks}
	case low:
		return announce(tx, o.ShopID) // shops must know what is nearly sold out
	}
	return nil
}

// Returned is an order with what came back of it.
type Returned struct {
	store.Order
	Returns []store.OrderReturn
	Added   []store.OrderAddition
	Back    []int64 // pieces of each line
	Paid    money.Minor
}

// Left is what was charged and not paid back.
func (r *Returned) Left() money.Minor { return r.ToPay - r.Paid }

// AllBack tells whether nothing of the order stays.
func (r *Returned) AllBack() bool {
	for i := range r.Decision.Lines {
		if r.Back[i] < r.Decision.Lines[i].Quantity {
			return false
		}
	}
	return true
}

// ReturnedOrder reads an order and what came back of it.
func (a *App) ReturnedOrder(ctx context.Context, shop string, number int64) (Returned, error) {
	o, err := a.Order(ctx, shop, number)
	if err != nil {
		return Returned{}, err
	}
	return returned(a.Store.DB.WithContext(ctx), o)
}

func returned(tx *gorm.DB, o store.Order) (r Returned, err error) {
	r = Returned{Order: o, Back: make([]int64, len(o.Decision.Lines))}
	if r.Added, err = store.Additions(tx, o.ShopID, o.Number); err != nil {
		return r, err
	}
	if err := tx.Where("shop_id = ? AND order_number = ?", o.ShopID, o.Number).Order("number").Find(&r.Returns).Error; err != nil {
		return r, err
	}
	for _, x := range r.Returns {
		r.Paid += x.Refund
		for i, n := range x.Lines {
			if i < len(r.Back) {
				r.Back[i] += n
			}
		}
	}
	return r, nil
}

// QuoteReturn works out what goes back where so many more pieces of each line come back.
// Errors: Problem.
func (a *App) QuoteReturn(ctx context.Context, r *Returned, now []int64) (decide.Refunds, error) {
	if len(now) != len(r.Back) || slices.Max(now) < 1 {
		return decide.Refunds{}, Problem{"back", "Write how many pieces came back, of one line at least."}
	}
	for i, n := range now {
		if stays := r.Decision.Lines[i].Quantity - r.Back[i]; n < 0 || n > stays {
			return decide.Refunds{}, Problem{fmt.Sprintf("back-%d", i), fmt.Sprintf("At most %d can come back.", stays)}
		}
	}
	snap, err := a.Snapshots.Get(ctx, r.ShopID)
	if err != nil {
		return decide.Refunds{}, err
	}
	definitions, err := given(a.Store.DB.WithContext(ctx), r)
	if err != nil {
		return decide.Refunds{}, err
	}
	shop, err := decide.AsPlaced(snap.Snapshot.Shop, &r.Decision, definitions)
	if err != nil {
		return decide.Refunds{}, err
	}
	then, err := snapshot.Compile(shop)
	if err != nil {
		return decide.Refunds{}, err
	}
	req := decide.Request{
		Cart:   decide.Cart{Destination: &decide.Destination{Country: r.Country}, Method: r.Method},
		Visit:  decide.Visit{Picks: picksOf(&r.Decision)},
		Moment: decide.Moment{At: r.PlacedAt, Locale: r.Decision.Locale},
	}
	return decide.Refund(then, decide.Placed{Decision: r.Decision, ToPay: r.ToPay, Back: r.Back, Refunded: r.Paid}, now, req)
}

// picksOf are the gifts that the shopper had.
func picksOf(d *decide.Decision) map[string][]string {
	out := map[string][]string{}
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			out[g.Nudge] = append(out[g.Nudge], it.SKU)
		}
	}
	return out
}

// given are the nudges that gave something with an order, as they were then.
func given(tx *gorm.DB, r *Returned) ([]snapshot.Live, error) {
	var out []snapshot.Live
	priority := map[string]int{}
	for i, n := range r.Decision.Nudges {
		priority[n.Nudge] = i + 1 // they stand in the merchant's order
	}
	for _, w := range r.Rewards {
		if slices.ContainsFunc(out, func(l snapshot.Live) bool { return l.ID == w.NudgeID }) {
			continue
		}
		var rev store.Revision
		if err := tx.Where("shop_id = ? AND nudge_id = ? AND number = ?", r.ShopID, w.NudgeID, w.Revision).Take(&rev).Error; err != nil {
			return nil, fmt.Errorf("reading revision %d of %s: %w", w.Revision, w.NudgeID, err)
		}
		out = append(out, snapshot.Live{ID: w.NudgeID, Revision: w.Revision, Priority: priority[w.NudgeID], Definition: rev.Definition})
	}
	return out, nil
}

// Return writes down what came back of an order, and what was paid back for it by a way.
// seen is how many returns whoever asks knew of. Errors: Problem.
func (a *App) Return(ctx context.Context, shop string, number int64, by string, seen int, now []int64, way nudge.Returns, restock bool) (store.OrderReturn, error) {
	var out store.OrderReturn
	r, err := a.ReturnedOrder(ctx, shop, number)
	if err != nil {
		return out, err
	}
	q, err := a.QuoteReturn(ctx, &r, now)
	if err != nil {
		return out, err
	}
	refund, ok := map[nudge.Returns]money.Minor{nudge.Keep: q.Keep, nudge.Charge: q.Charge, nudge.Recompute: q.Recompute}[way]
	if !ok {
		return out, Problem{"way", "Choose what happens to the rewards."}
	}
	err = a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		again, err := returned(tx, r.Order)
		if err != nil {
			return err
		}
		if len(again.Returns) != seen || len(again.Returns) != len(r.Returns) {
			return Problem{"", "Meanwhile something else of this order was written down as back; look at it as it is now."}
		}
		out = store.OrderReturn{ShopID: shop, OrderNumber: number, Number: seen + 1, Lines: now, Way: way, Refund: refund, Restocked: restock, At: a.Now().UTC(), By: by}
		if out.GivenBack, err = a.undo(tx, &r, q, now, way, restock); err != nil {
			return err
		}
		return tx.Create(&out).Error
	})
	return out, err
}

// undo gives uses of limits back, and goods to the shelf. It returns whose uses those were.
func (a *App) undo(tx *gorm.DB, r *Returned, q decide.Refunds, now []int64, way nudge.Returns, restock bool) ([]string, error) {
	spent, back := uses(&r.Decision), []string{}
	for _, id := range q.Gone {
		lost := slices.ContainsFunc(q.Lost, func(g decide.LostGift) bool { return g.Nudge == id })
		if !q.All && way != nudge.Recompute && (way != nudge.Charge || !lost) {
			continue // it was kept
		}
		if slices.ContainsFunc(r.Returns, func(x store.OrderReturn) bool { return slices.Contains(x.GivenBack, id) }) {
			continue // its use was given back before
		}
		if err := store.GiveBack(tx, r.ShopID, id, r.Region, shopperKey(r.Customer), spent[id]); err != nil {
			return nil, err
		}
		back = append(back, id)
	}
	if q.All {
		if err := store.FreeCodes(tx, r.ShopID, r.Number, codesOf(&r.Decision)); err != nil {
			return nil, err
		}
	}
	if !restock {
		return back, nil
	}
	goods := map[string]int64{}
	for i, n := range now {
		if n > 0 {
			goods[r.Decision.Lines[i].SKU] += n
		}
	}
	if q.All {
		for _, g := range r.Decision.Gifts {
			for _, it := range g.Items {
				goods[it.SKU] += it.Quantity
			}
		}
	}
	if err := store.PutStock(tx, r.ShopID, goods); err != nil {
		return nil, err
	}
	return back, announce(tx, r.ShopID)
}

func codesOf(d *decide.Decision) (out []string) {
	for _, c := range d.Codes {
		out = append(out, c.Code)
	}
	return out
}
