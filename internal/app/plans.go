package app

import (
	"context"
	"fmt"
	"slices"
	"time"
	"unicode/utf8"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/store"
)

// PlanEventInput is what became of what an order holds by a plan, after its first parcel, as the
// shop's server tells it.
type PlanEventInput struct {
	Order string `json:"order"` // the key of the order
	// ID tells it from all else of the order: told again under the same id it counts once.
	ID   string           `json:"id"`
	Kind results.PlanKind `json:"kind"`
	At   *time.Time       `json:"at,omitempty"` // absent: now
	// Paid is what was charged for it, in minor units of the order's currency; absent: of a parcel
	// what the order said that a later one costs, of anything else nothing.
	Paid *money.Minor `json:"paid,omitempty"`
}

// PlanState is how far an order's plan is.
type PlanState struct {
	Paid     money.Minor    `json:"paid"` // for what was told
	Currency money.Currency `json:"currency"`
	Parcels  int            `json:"parcels"` // later ones, so far
	Renewed  int            `json:"renewed"`
	Ended    bool           `json:"ended"`
}

func (e *PlanEventInput) check() error {
	for field, text := range map[string]string{"order": e.Order, "id": e.ID} {
		if n := utf8.RuneCountInString(text); n < 1 || n > 200 {
			return Problem{field, "1 to 200 characters are needed"}
		}
	}
	switch {
	case !slices.Contains(results.PlanKinds, e.Kind):
		return Problem{"kind", fmt.Sprintf("must be one of %v", results.PlanKinds)}
	case e.Paid != nil && (*e.Paid < 0 || *e.Paid > money.Most):
		return Problem{"paid", fmt.Sprintf("from 0 to %d minor units are possible", money.Most)}
	}
	return nil
}

// PlanEvent stores what became of an order's plan, before it returns. Errors: ErrNotFound, Problem.
func (a *App) PlanEvent(ctx context.Context, shop string, in PlanEventInput) (PlanState, error) {
	var out PlanState
	if err := in.check(); err != nil {
		return out, err
	}
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		o, err := orderNamed(tx, shop, in.Order)
		if err != nil {
			return err
		}
		later, has := laterParcel(&o.Decision)
		e := store.PlanEvent{ShopID: shop, OrderNumber: o.Number, ID: in.ID, Kind: in.Kind, At: a.Now().UTC()}
		if in.At != nil {
			e.At = in.At.UTC()
		}
		switch {
		case !has:
			return Problem{"order", "nothing of this order was bought by a plan"}
		case e.At.Before(o.PlacedAt.Add(-time.Hour)):
			return Problem{"at", "lies before the order was placed"}
		case e.At.After(a.Now().Add(time.Hour)):
			return Problem{"at", "lies in the future"}
		case in.Paid != nil:
			e.Paid = *in.Paid
		case in.Kind == results.PlanParcel:
			e.Paid = later
		}
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&e).Error; err != nil {
			return err
		}
		out, err = planState(tx, &o, in.ID)
		return err
	})
	return out, err
}

// planState is how far an order's plan is, and what was paid for one thing of it.
func planState(tx *gorm.DB, o *store.Order, id string) (PlanState, error) {
	out := PlanState{Currency: o.Currency}
	var all []store.PlanEvent
	if err := tx.Where("shop_id = ? AND order_number = ?", o.ShopID, o.Number).Find(&all).Error; err != nil {
		return out, err
	}
	for _, e := range all {
		switch e.Kind {
		case results.PlanParcel:
			out.Parcels++
		case results.PlanRenewed:
			out.Renewed++
		case results.PlanEnded:
			out.Ended = true
		}
		if e.ID == id {
			out.Paid = e.Paid
		}
	}
	return out, nil
}

// PlanOf is how far an order's plan is; false where nothing of it is bought by one. Paid is what
// was charged for all that became of it.
func (a *App) PlanOf(ctx context.Context, o *store.Order) (PlanState, bool, error) {
	if _, has := laterParcel(&o.Decision); !has {
		return PlanState{}, false, nil
	}
	db := a.Store.DB.WithContext(ctx)
	out, err := planState(db, o, "")
	if err == nil {
		err = db.Model(&store.PlanEvent{}).Where("shop_id = ? AND order_number = ?", o.ShopID, o.Number).Select("coalesce(sum(paid), 0)").Scan(&out.Paid).Error
	}
	return out, true, err
}

// laterParcel is what a later parcel of all that an order holds by a plan costs; false where it
// holds nothing by one.
func laterParcel(d *decide.Decision) (sum money.Minor, has bool) {
	for i := range d.Lines {
		if l := &d.Lines[i]; l.Plan != "" {
			if has = true; l.Later != nil {
				sum += *l.Later
			}
		}
	}
	return sum, has
}

// planOrders are the nudges of an order that gave something on what it holds by a plan, or whose
// sets that is.
func planOrders(o *store.Order) (out []store.PlanOrder) {
	if o.ToPay != o.Decision.ToPay {
		return nil // what was charged is not what the nudges made of it
	}
	add := func(nudge string) {
		p := store.PlanOrder{ShopID: o.ShopID, OrderNumber: o.Number, NudgeID: nudge}
		if nudge != "" && !slices.Contains(out, p) {
			out = append(out, p)
		}
	}
	for i := range o.Decision.Lines {
		l := &o.Decision.Lines[i]
		if l.Plan == "" {
			continue
		}
		if l.Build != nil {
			add(l.Build.Nudge)
		}
		for _, p := range l.Parts {
			add(p.Nudge)
		}
	}
	return out
}

// Plans are what came of a nudge's plans within a period.
func (a *App) Plans(ctx context.Context, shop, id string, q Asked) (results.Plans, error) {
	of, err := a.behind(ctx, shop, id, &q)
	if err != nil {
		return results.Plans{}, err
	}
	return a.Store.Plans(ctx, of)
}
