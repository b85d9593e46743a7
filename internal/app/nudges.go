package app

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/store"
)

// Conflict says that somebody else changed what one was about to change.
type Conflict struct {
	By   string // their name
	At   time.Time
	Have int // the version one had
	Now  int // the version there is
}

func (c Conflict) Error() string {
	return fmt.Sprintf("%s changed this draft in the meantime", c.By)
}

// Blocked says that checks stop a nudge from being published.
type Blocked struct{ Findings []checks.Finding }

func (b Blocked) Error() string {
	for _, f := range b.Findings {
		if f.Severity == checks.Stop {
			return f.Say
		}
	}
	return "checks stop this nudge"
}

// Nudge reads one nudge, or ErrNotFound.
func (a *App) Nudge(ctx context.Context, shop, id string) (store.Nudge, error) {
	var n store.Nudge
	err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND id = ? AND deleted_at IS NULL", shop, id).Take(&n).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return n, ErrNotFound
	}
	return n, err
}

// Nudges lists a shop's nudges by priority, without those that were deleted.
func (a *App) Nudges(ctx context.Context, shop string) ([]store.Nudge, error) {
	var ns []store.Nudge
	err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND deleted_at IS NULL", shop).Order("priority, id").Find(&ns).Error
	return ns, err
}

// Revisions lists a nudge's revisions, the newest first.
func (a *App) Revisions(ctx context.Context, shop, id string) ([]store.Revision, error) {
	var rs []store.Revision
	err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND nudge_id = ?", shop, id).Order("number DESC").Find(&rs).Error
	return rs, err
}

// Create makes a new draft at the end of the merchant's order. Its id is made
// from its name and never changes.
func (a *App) Create(ctx context.Context, shop, who string, d nudge.Definition) (store.Nudge, error) {
	return a.createAs(ctx, shop, who, d, "")
}

// createAs is Create with an id of one's choice, or one made from the name.
func (a *App) createAs(ctx context.Context, shop, who string, d nudge.Definition, id string) (store.Nudge, error) {
	if err := d.Valid(); err != nil {
		return store.Nudge{}, err
	}
	var n store.Nudge
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) (err error) {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		n, err = a.createIn(tx, shop, who, d, id)
		return err
	})
	return n, err
}

// createIn is createAs inside a transaction that holds the shop's lock.
func (a *App) createIn(tx *gorm.DB, shop, who string, d nudge.Definition, id string) (store.Nudge, error) {
	now := a.Now().UTC()
	n := store.Nudge{ShopID: shop, State: store.StateDraft, Draft: d, DraftVersion: 1, Dirty: true, CreatedAt: now, ChangedAt: now, ChangedBy: who, StateSince: now}
	// What was deleted can be taken back for a day, or until its id is wanted.
	if err := tx.Where("shop_id = ? AND (deleted_at < ? OR deleted_at IS NOT NULL AND id = ?)", shop, now.Add(-undoHolds), id).Delete(&store.Nudge{}).Error; err != nil {
		return n, err
	}
	var ids []string
	if err := tx.Model(&store.Nudge{}).Where("shop_id = ?", shop).Pluck("id", &ids).Error; err != nil {
		return n, err
	}
	if n.ID = id; id == "" {
		n.ID = freeID(d.Name, ids)
	}
	if err := tx.Model(&store.Nudge{}).Where("shop_id = ?", shop).Select("coalesce(max(priority), 0) + 1").Scan(&n.Priority).Error; err != nil {
		return n, err
	}
	return n, tx.Create(&n).Error
}

// lockShop makes changes to the list of a shop's nudges wait for each other.
func lockShop(tx *gorm.DB, shop string) error {
	return tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("id = ?", shop).Take(&store.Shop{}).Error
}

// IDFrom makes an id of a name that is not among those taken: a-z, 0-9 and hyphens.
func IDFrom(name string, taken []string) string { return freeID(name, taken) }

func freeID(name string, taken []string) string {
	base := strings.Trim(strings.Join(strings.FieldsFunc(strings.ToLower(name), func(r rune) bool {
		return (r < 'a' || r > 'z') && (r < '0' || r > '9')
	}), "-"), "-")
	if base == "" {
		base = "nudge"
	}
	if len(base) > 50 {
		base = strings.Trim(base[:50], "-")
	}
	has := map[string]bool{"start": true, "order": true, "several": true} // pages beside those of nudges
	for _, t := range taken {
		has[t] = true
	}
	id := base
	for i := 2; has[id]; i++ {
		id = fmt.Sprintf("%s-%d", base, i)
	}
	return id
}

// undoHolds is how long what was deleted can be taken back.
const undoHolds = 24 * time.Hour

// locked runs a change on a nudge whose row is locked, and stores it.
func (a *App) locked(ctx context.Context, shop, id string, change func(tx *gorm.DB, n *store.Nudge) error) (store.Nudge, error) {
	return a.lockedAlso(ctx, shop, id, func(tx *gorm.DB, n *store.Nudge) error {
		if n.DeletedAt != nil {
			return ErrNotFound
		}
		return change(tx, n)
	})
}

// lockedAlso is locked for a nudge that may have been deleted.
func (a *App) lockedAlso(ctx context.Context, shop, id string, change func(tx *gorm.DB, n *store.Nudge) error) (store.Nudge, error) {
	var n store.Nudge
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("shop_id = ? AND id = ?", shop, id).Take(&n).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if err := change(tx, &n); err != nil {
			return err
		}
		return tx.Save(&n).Error
	})
	return n, err
}

// EditDraft changes a draft. version is the one the person saw; if the draft has
// moved on, nothing is changed and a Conflict is returned.
func (a *App) EditDraft(ctx context.Context, shop, id, who string, version int, edit func(*nudge.Definition) error) (store.Nudge, error) {
	return a.locked(ctx, shop, id, func(tx *gorm.DB, n *store.Nudge) error {
		if n.DraftVersion != version {
			return Conflict{By: n.ChangedBy, At: n.ChangedAt, Have: version, Now: n.DraftVersion}
		}
		d := n.Draft.Clone()
		if err := edit(&d); err != nil {
			return err
		}
		if err := d.Valid(); err != nil {
			return err
		}
		return a.redraft(tx, n, who, d)
	})
}

// redraft gives a nudge another draft, unless it is the same.
func (a *App) redraft(tx *gorm.DB, n *store.Nudge, who string, d nudge.Definition) error {
	if reflect.DeepEqual(d, n.Draft) {
		return nil
	}
	n.Draft = d
	n.DraftVersion++
	n.ChangedAt, n.ChangedBy = a.Now().UTC(), who
	n.Dirty = true
	if n.LiveRevision > 0 {
		live, err := revision(tx, n.ShopID, n.ID, n.LiveRevision)
		if err != nil {
			return err
		}
		n.Dirty = !reflect.DeepEqual(live.Definition.Clone(), d)
	}
	return nil
}

func revision(tx *gorm.DB, shop, id string, number int) (store.Revision, error) {
	var r store.Revision
	err := tx.Where("shop_id = ? AND nudge_id = ? AND number = ?", shop, id, number).Take(&r).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return r, ErrNotFound
	}
	return r, err
}

// Revision reads one revision of a nudge.
func (a *App) Revision(ctx context.Context, shop, id string, number int) (store.Revision, error) {
	return revision(a.Store.DB.WithContext(ctx), shop, id, number)
}

// Check finds what is wrong or doubtful in a definition for a shop.
func (a *App) Check(ctx context.Context, shop, id string, d nudge.Definition) ([]checks.Finding, error) {
	check, err := a.Checker(ctx, shop)
	if err != nil {
		return nil, err
	}
	return check(id, d), nil
}

// Checker is Check for many nudges of a shop, which is read once.
func (a *App) Checker(ctx context.Context, shop string) (func(id string, d nudge.Definition) []checks.Finding, error) {
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return nil, err
	}
	live, err := a.Store.Live(ctx, shop)
	if err != nil {
		return nil, err
	}
	return a.CheckerAmong(snap, live), nil
}

// CheckerAmong is Checker for who has read what is live already.
func (a *App) CheckerAmong(snap *ShopSnapshot, live []snapshot.Live) func(id string, d nudge.Definition) []checks.Finding {
	return func(id string, d nudge.Definition) []checks.Finding {
		others := slices.DeleteFunc(slices.Clone(live), func(l snapshot.Live) bool { return l.ID == id })
		return checks.Find(d, checks.Context{
			Regions: snap.Regions(), Catalog: snap.Catalog(), Others: others, Now: a.Now(), Locale: snap.Shop.Locale,
		})
	}
}

// Publish makes the draft a new revision and puts it in force as a whole.
// Publishing what is in force already changes nothing, so that a double click or
// a second tab does no harm. Errors: Conflict, Blocked.
func (a *App) Publish(ctx context.Context, shop, id, who string, version int) (store.Nudge, error) {
	n, err := a.locked(ctx, shop, id, func(tx *gorm.DB, n *store.Nudge) error {
		if n.DraftVersion != version {
			return Conflict{By: n.ChangedBy, At: n.ChangedAt, Have: version, Now: n.DraftVersion}
		}
		if n.State == store.StateLive && !n.Dirty {
			return nil
		}
		if err := a.inForce(ctx, tx, n, who); err != nil {
			return err
		}
		return announce(tx, shop)
	})
	return n, a.refreshed(ctx, shop, err)
}

// inForce makes the draft of a nudge that is locked a new revision, if it differs from the last
// one, and puts it in force, where no check stops it. Errors: Blocked.
func (a *App) inForce(ctx context.Context, tx *gorm.DB, n *store.Nudge, who string) error {
	found, err := a.Check(ctx, n.ShopID, n.ID, n.Draft)
	if err != nil {
		return err
	}
	if checks.Stops(found) {
		return Blocked{found}
	}
	now := a.Now().UTC()
	if n.Dirty {
		r, err := newRevision(tx, n, who, now)
		if err != nil {
			return err
		}
		n.LiveRevision, n.Dirty = r.Number, false
	}
	if n.State != store.StateLive {
		n.State, n.StateSince, n.PutAway = store.StateLive, now, false
	}
	return nil
}

// newRevision makes a nudge's draft its next revision.
func newRevision(tx *gorm.DB, n *store.Nudge, who string, now time.Time) (store.Revision, error) {
	var last int
	if err := tx.Model(&store.Revision{}).Where("shop_id = ? AND nudge_id = ?", n.ShopID, n.ID).Select("coalesce(max(number), 0)").Scan(&last).Error; err != nil {
		return store.Revision{}, err
	}
	r := store.Revision{ShopID: n.ShopID, NudgeID: n.ID, Number: last + 1, Definition: n.Draft, PublishedAt: now, PublishedBy: who}
	return r, tx.Create(&r).Error
}

// PublishDefinition puts a definition in force under an id, making the nudge where
// there is none. The same definition as is in force changes nothing. Errors:
// nudge.FieldError, Blocked, Problem.
func (a *App) PublishDefinition(ctx context.Context, shop, id, who string, d nudge.Definition) (store.Nudge, []checks.Finding, error) {
	if id != freeID(id, nil) {
		return store.Nudge{}, nil, Problem{"id", "an id has 1 to 50 of a-z, 0-9 and hyphens"}
	}
	found, err := a.Check(ctx, shop, id, d)
	if err != nil {
		return store.Nudge{}, nil, err
	}
	if checks.Stops(found) {
		return store.Nudge{}, found, Blocked{found}
	}
	n, err := a.Nudge(ctx, shop, id)
	if errors.Is(err, ErrNotFound) {
		n, err = a.createAs(ctx, shop, who, d, id)
	} else if err == nil {
		n, err = a.EditDraft(ctx, shop, id, who, n.DraftVersion, func(draft *nudge.Definition) error {
			*draft = d
			return nil
		})
	}
	if err != nil {
		return n, found, err
	}
	n, err = a.Publish(ctx, shop, id, who, n.DraftVersion)
	return n, found, err
}

func announce(tx *gorm.DB, shop string) error {
	return tx.Exec("SELECT pg_notify(?, ?)", store.Channel, shop).Error
}

// refreshed makes this instance see its own change at once, before the
// announcement comes back.
func (a *App) refreshed(ctx context.Context, shop string, err error) error {
	if err != nil {
		return err
	}
	_, err = a.Snapshots.Refresh(ctx, shop)
	return err
}

// SetState pauses, ends or resumes a nudge that was published before. Resuming
// puts the last published revision in force, where no check stops it. was is the
// state one saw, empty for any: a nudge that is in another by now is let be.
// Errors: Problem, Blocked.
func (a *App) SetState(ctx context.Context, shop, id, who string, was, to store.State) (store.Nudge, error) {
	n, err := a.locked(ctx, shop, id, func(tx *gorm.DB, n *store.Nudge) error {
		switch {
		case n.LiveRevision == 0:
			return Problem{"state", "This nudge was never published; publish it first."}
		case to != store.StateLive && to != store.StatePaused && to != store.StateEnded:
			return Problem{"state", "A nudge can be resumed, paused or ended."}
		case n.State == to:
			return nil
		case was != "" && n.State != was:
			return Problem{"state", fmt.Sprintf("This nudge is %s by now (%s changed it). Nothing was changed; look at it as it is.", n.State, orSomebody(n.ChangedBy))}
		}
		if to == store.StateLive {
			if err := a.mayResume(ctx, tx, n); err != nil {
				return err
			}
		}
		n.State, n.StateSince, n.ChangedBy, n.PutAway = to, a.Now().UTC(), who, false
		return announce(tx, shop)
	})
	return n, a.refreshed(ctx, shop, err)
}

// mayResume tells what keeps the last published revision of a nudge from being in force again.
// Errors: Blocked.
func (a *App) mayResume(ctx context.Context, tx *gorm.DB, n *store.Nudge) error {
	last, err := revision(tx, n.ShopID, n.ID, n.LiveRevision)
	if err != nil {
		return err
	}
	found, err := a.Check(ctx, n.ShopID, n.ID, last.Definition)
	if err == nil && checks.Stops(found) {
		err = Blocked{found}
	}
	return err
}

func orSomebody(name string) string {
	if name == "" {
		return "somebody else"
	}
	return name
}

// PutAway takes an ended nudge off the board, or puts it back.
func (a *App) PutAway(ctx context.Context, shop, id string, away bool) (store.Nudge, error) {
	return a.locked(ctx, shop, id, func(_ *gorm.DB, n *store.Nudge) error {
		if away && n.State != store.StateEnded {
			return Problem{"state", "Only a nudge that has ended can be put away."}
		}
		n.PutAway = away
		return nil
	})
}

// Copy makes a new draft from a nudge's draft, under a name of its own.
func (a *App) Copy(ctx context.Context, shop, id, who string) (store.Nudge, error) {
	n, err := a.Nudge(ctx, shop, id)
	if err != nil {
		return n, err
	}
	d := n.Draft.Clone()
	runes := []rune(d.Name)
	d.Name = string(runes[:min(len(runes), nudge.MostName-len(checks.CopyMark))]) + checks.CopyMark
	made, err := a.Create(ctx, shop, who, d)
	if err != nil {
		return made, err
	}
	from := n.Draft
	return a.locked(ctx, shop, made.ID, func(_ *gorm.DB, n *store.Nudge) error {
		n.CopyOf = &from
		return nil
	})
}

// DeleteDraft deletes a nudge that was never published; pressing twice does no
// harm. For one that was published it throws the draft's changes away: the live
// revision is the draft again. Both can be taken back, see Undelete.
func (a *App) DeleteDraft(ctx context.Context, shop, id, who string) (n store.Nudge, gone bool, err error) {
	n, err = a.lockedAlso(ctx, shop, id, func(tx *gorm.DB, n *store.Nudge) error {
		if n.LiveRevision == 0 {
			gone = true
			if n.DeletedAt == nil {
				now := a.Now().UTC()
				n.DeletedAt = &now
			}
			return nil
		}
		if !n.Dirty {
			return nil
		}
		thrown := n.Draft
		if err := a.putBack(tx, n, n.LiveRevision, who); err != nil {
			return err
		}
		n.ThrownDraft = &thrown
		return nil
	})
	return n, gone, err
}

// Undelete takes the last deletion back: a deleted nudge is there again, and a
// draft that was thrown away is the draft again, unless it was changed since.
func (a *App) Undelete(ctx context.Context, shop, id, who string, version int) (store.Nudge, error) {
	return a.lockedAlso(ctx, shop, id, func(_ *gorm.DB, n *store.Nudge) error {
		switch {
		case n.DeletedAt != nil:
			n.DeletedAt = nil
		case n.ThrownDraft == nil:
			return nil // taken back already
		case n.DraftVersion != version:
			return Conflict{By: n.ChangedBy, At: n.ChangedAt, Have: version, Now: n.DraftVersion}
		default:
			n.Draft, n.ThrownDraft = *n.ThrownDraft, nil
			n.DraftVersion++
			n.Dirty, n.ChangedAt, n.ChangedBy = true, a.Now().UTC(), who
		}
		return nil
	})
}

// Restore puts an earlier revision into the draft; publishing it is a step of
// its own.
func (a *App) Restore(ctx context.Context, shop, id, who string, number int) (store.Nudge, error) {
	return a.locked(ctx, shop, id, func(tx *gorm.DB, n *store.Nudge) error { return a.putBack(tx, n, number, who) })
}

func (a *App) putBack(tx *gorm.DB, n *store.Nudge, number int, who string) error {
	r, err := revision(tx, n.ShopID, n.ID, number)
	if err != nil {
		return err
	}
	n.Draft = r.Definition
	n.DraftVersion++
	n.Dirty = number != n.LiveRevision
	n.ChangedAt, n.ChangedBy = a.Now().UTC(), who
	return nil
}

// Reorder puts nudges in the merchant's order. Ids that are not named keep their
// order after those that are; unknown ids are passed over.
func (a *App) Reorder(ctx context.Context, shop string, ids []string) error {
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		var all []string
		if err := tx.Model(&store.Nudge{}).Where("shop_id = ?", shop).Order("priority, id").Pluck("id", &all).Error; err != nil {
			return err
		}
		for i, id := range inOrder(ids, all) {
			if err := tx.Model(&store.Nudge{}).Where("shop_id = ? AND id = ?", shop, id).Update("priority", i+1).Error; err != nil {
				return err
			}
		}
		return announce(tx, shop)
	})
	return a.refreshed(ctx, shop, err)
}

func inOrder(first, all []string) []string {
	known, used := map[string]bool{}, map[string]bool{}
	for _, id := range all {
		known[id] = true
	}
	var out []string
	for _, id := range append(append([]string{}, first...), all...) {
		if known[id] && !used[id] {
			used[id] = true
			out = append(out, id)
		}
	}
	return out
}

// Phase is a nudge's state as people speak of it: a live one whose start is to
// come is scheduled, one whose end has passed is ended.
func Phase(n store.Nudge, live *nudge.Definition, now time.Time) string {
	if n.State != store.StateLive || live == nil {
		return string(n.State)
	}
	switch s := live.Schedule; {
	case s.Until != nil && !now.Before(*s.Until):
		return "ended"
	case s.From != nil && now.Before(*s.From):
		return "scheduled"
	}
	return "live"
}
