package app

import (
	"context"
	"fmt"
	"unicode/utf8"

	"gorm.io/gorm/clause"

	"agonal.dev/agonal/internal/store"
)

// MostEvents is how many events one batch may hold.
const MostEvents = 100

// EventInput is something a visit saw or reached, as the embed reports it.
type EventInput struct {
	Kind     store.EventKind `json:"kind"`
	Nudge    string          `json:"nudge"`
	Revision int             `json:"revision"`
	Rung     int             `json:"rung"`
}

// Record stores a visit's events. What was recorded before counts once; events
// of nudges that are not the shop's are refused by field.
func (a *App) Record(ctx context.Context, shop, visit string, in []EventInput) error {
	if visit == "" || utf8.RuneCountInString(visit) > 100 {
		return Problem{"visit", "a visit id of 1 to 100 characters is needed"}
	}
	if len(in) == 0 {
		return Problem{"events", "at least one event is needed"}
	}
	if len(in) > MostEvents {
		return Problem{"events", fmt.Sprintf("%d events are too many; at most %d", len(in), MostEvents)}
	}
	var ids []string
	if err := a.Store.DB.WithContext(ctx).Model(&store.Nudge{}).Where("shop_id = ?", shop).Pluck("id", &ids).Error; err != nil {
		return err
	}
	known := map[string]bool{}
	for _, id := range ids {
		known[id] = true
	}
	now := a.Now().UTC()
	rows := make([]store.Event, 0, len(in))
	for i, e := range in {
		switch {
		case e.Kind != store.EventShown && e.Kind != store.EventReached:
			return Problem{fmt.Sprintf("events[%d].kind", i), "must be shown or reached"}
		case !known[e.Nudge]:
			return Problem{fmt.Sprintf("events[%d].nudge", i), fmt.Sprintf("there is no nudge %q", e.Nudge)}
		case e.Rung < 0 || e.Rung > 100:
			return Problem{fmt.Sprintf("events[%d].rung", i), "must be from 0 to 100"}
		case e.Revision < 1 || e.Revision > 1<<30:
			return Problem{fmt.Sprintf("events[%d].revision", i), "must be 1 or more"}
		}
		row := store.Event{ShopID: shop, NudgeID: e.Nudge, Kind: e.Kind, Visit: visit, Rung: e.Rung, Revision: e.Revision, At: now}
		if e.Kind == store.EventShown {
			row.Rung = 0 // a show counts once per visit and nudge
		}
		rows = append(rows, row)
	}
	return a.Store.DB.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(&rows).Error
}
