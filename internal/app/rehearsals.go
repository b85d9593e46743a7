package app

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"
	"gorm.io/gorm"

	"agonal.dev/agonal/core/rehearse"
	"agonal.dev/agonal/internal/store"
)

// MostRehearsals is how many visits a shop keeps.
const MostRehearsals = 50

// Rehearsals lists the visits that a shop keeps, by name.
func (a *App) Rehearsals(ctx context.Context, shop string) (out []store.Rehearsal, err error) {
	return out, a.Store.DB.WithContext(ctx).Where("shop_id = ?", shop).Order("name, id").Find(&out).Error
}

// KeepRehearsal keeps a visit under a name; one of the same name is replaced where it is the
// same visit. Errors: Problem.
func (a *App) KeepRehearsal(ctx context.Context, shop, who, name, visit string, expected rehearse.Expected) (store.Rehearsal, error) {
	out := store.Rehearsal{ShopID: shop, Name: strings.Join(strings.Fields(name), " "), Visit: visit, Expected: expected, By: who, At: a.Now().UTC()}
	if n := utf8.RuneCountInString(out.Name); n < 1 || n > 80 {
		return out, Problem{"name", "Give the visit a name of 1 to 80 characters."}
	}
	if len(visit) > 8000 {
		return out, Problem{"name", "This visit is too long to be kept; take something out of its cart."}
	}
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		var had store.Rehearsal
		err := tx.Where("shop_id = ? AND name = ?", shop, out.Name).Take(&had).Error
		switch {
		case err == nil && had.Visit != visit:
			return Problem{"name", fmt.Sprintf("There is a visit called “%s” already. Give this one another name.", out.Name)}
		case err == nil:
			out.ID = had.ID
			return tx.Save(&out).Error
		case !errors.Is(err, gorm.ErrRecordNotFound):
			return err
		}
		var n int64
		if err := tx.Model(&store.Rehearsal{}).Where("shop_id = ?", shop).Count(&n).Error; err != nil {
			return err
		}
		if n >= MostRehearsals {
			return Problem{"name", fmt.Sprintf("%d visits are kept, as many as there can be. Delete one first.", MostRehearsals)}
		}
		out.ID = uuid.New()
		return tx.Create(&out).Error
	})
	return out, err
}

// ExpectOf makes what is decided now what is expected of a visit, if it is still the same
// that was expected before. Errors: ErrNotFound, Problem.
func (a *App) ExpectOf(ctx context.Context, shop, who string, was store.Rehearsal, now rehearse.Expected) error {
	done := a.Store.DB.WithContext(ctx).Model(&store.Rehearsal{}).Where("shop_id = ? AND id = ? AND at = ?", shop, was.ID, was.At).
		Select("Expected", "By", "At").Updates(&store.Rehearsal{Expected: now, By: who, At: a.Now().UTC()})
	if done.Error == nil && done.RowsAffected == 0 {
		return Problem{"", "Somebody else has just changed what is expected of “" + was.Name + "”. Look at it again."}
	}
	return done.Error
}

// DropRehearsal forgets a visit; one that is gone already is no error.
func (a *App) DropRehearsal(ctx context.Context, shop string, id uuid.UUID) error {
	return a.Store.DB.WithContext(ctx).Where("shop_id = ? AND id = ?", shop, id).Delete(&store.Rehearsal{}).Error
}
