package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"reflect"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/store"
)

// Brought is what a file does to a nudge.
type Brought struct {
	ID      string // in the shop
	Name    string
	Outcome BroughtAs
	Was     *nudge.Definition // the draft that it takes the place of
	Now     nudge.Definition
}

// BroughtAs is how a nudge of a file comes in.
type BroughtAs string

// The ways.
const (
	BroughtNew     BroughtAs = "new"
	BroughtChanged BroughtAs = "changed"
	BroughtSame    BroughtAs = "same"
)

// NudgesFile is the drafts of a shop, those that are put away too, in the merchant's order.
func (a *App) NudgesFile(ctx context.Context, shop string) ([]byte, error) {
	ns, err := a.Nudges(ctx, shop)
	if err != nil {
		return nil, err
	}
	filed := make([]nudge.Filed, len(ns))
	for i, n := range ns {
		filed[i] = nudge.Filed{ID: n.ID, Definition: n.Draft}
	}
	return nudge.PrintFile(filed)
}

// errLook ends a transaction that was only to show what it would do.
var errLook = errors.New("only to be looked at")

// BringNudges makes drafts of the nudges of a file, all of them or none: each with the id it
// has in the file takes the place of the draft of that id, or, asNew, every one is another. seen is
// what was looked at before, by [Digest]; empty: it is only to be looked at, and nothing is
// kept. Nothing that is live changes by it. Errors: Problem, where what would happen is not
// what was seen.
func (a *App) BringNudges(ctx context.Context, shop, who string, f nudge.File, asNew bool, seen string) ([]Brought, error) {
	var out []Brought
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		for i := range f.Nudges {
			b, err := a.bring(tx, shop, who, &f.Nudges[i], asNew)
			if err != nil {
				return err
			}
			out = append(out, b)
		}
		switch {
		case seen == "":
			return errLook
		case seen != Digest(out):
			return Problem{"file", "The nudges have changed since this was looked at. Look at it again."}
		}
		return nil
	})
	if errors.Is(err, errLook) {
		err = nil
	}
	return out, err
}

func (a *App) bring(tx *gorm.DB, shop, who string, f *nudge.Filed, asNew bool) (Brought, error) {
	d := f.Definition.Clone()
	out := Brought{ID: f.ID, Name: d.Name, Outcome: BroughtNew, Now: d}
	var had store.Nudge
	err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("shop_id = ? AND id = ? AND deleted_at IS NULL", shop, f.ID).Take(&had).Error
	switch {
	case err != nil && !errors.Is(err, gorm.ErrRecordNotFound):
		return out, err
	case err != nil || asNew:
		id := f.ID
		if err == nil || freeID(id, nil) != id {
			id = "" // the id is another's
		}
		n, err := a.createIn(tx, shop, who, d, id)
		out.ID = n.ID
		return out, err
	case reflect.DeepEqual(d, had.Draft.Clone()):
		out.Outcome = BroughtSame
		return out, nil
	}
	was := had.Draft.Clone()
	out.Outcome, out.Was = BroughtChanged, &was
	if err := a.redraft(tx, &had, who, d); err != nil {
		return out, err
	}
	return out, tx.Save(&had).Error
}

// Digest tells what a file would do from what it would do otherwise.
func Digest(all []Brought) string {
	h := sha256.New()
	for _, b := range all {
		var was []byte
		if b.Was != nil {
			was, _ = nudge.Print(*b.Was)
		}
		now, _ := nudge.Print(b.Now)
		_, _ = fmt.Fprintf(h, "%s %s %d %s %d %s\n", b.ID, b.Outcome, len(was), was, len(now), now)
	}
	return hex.EncodeToString(h.Sum(nil))
}
