package app

import (
	"context"
	"fmt"
	"slices"
	"time"
	"unicode/utf8"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/store"
)

// MostEvents is how many events one batch may hold.
const MostEvents = 100

// Bounds of what a batch says of itself.
const (
	mostVisit   = 100 // characters of the ids of visits and visitors
	mostEventID = 200
	mostTag     = 35     // of a language
	longestPage = 10_000 // milliseconds that a page counts for at most
	wrongClock  = 2 * time.Minute
	soonerClock = time.Minute // how far ahead of ours a clock may be that is right
)

// EventInput is something a visit saw or did, as the embed reports it.
type EventInput struct {
	// ID tells an event of a visit from all others of it; empty: what it is about does.
	ID        string          `json:"id,omitempty"`
	Kind      results.Kind    `json:"kind"`
	Nudge     string          `json:"nudge,omitempty"`
	Revision  int             `json:"revision,omitempty"`
	Rung      int             `json:"rung,omitempty"`
	Placement nudge.Placement `json:"placement,omitempty"`
	// Band is the gap band, of what is counted by it; of anything else it is left out.
	Band string `json:"band,omitempty"`
	// Ms is how many milliseconds a page took until its largest part was to be seen, of loaded; of
	// anything else it is left out.
	Ms int `json:"ms,omitempty"`
	// Held tells that the visit is kept from the nudge.
	Held bool `json:"held,omitempty"`
	// Arm is how a trial treats the visit with the nudge, as the decision says.
	Arm string `json:"arm,omitempty"`
	// At is when it was, by the sender's clock; absent: now.
	At *time.Time `json:"at,omitempty"`
}

// EventBatch is what one visit reports at once.
type EventBatch struct {
	Visit   string `json:"visit"`
	Visitor string `json:"visitor,omitempty"`
	// SentAt is when it was sent, by the clock that the events' times are of. A clock that is
	// wrong is set right by it.
	SentAt   *time.Time      `json:"sent_at,omitempty"`
	Region   string          `json:"region,omitempty"`
	Language string          `json:"language,omitempty"` // a BCP 47 tag
	Device   audience.Device `json:"device,omitempty"`
	Events   []EventInput    `json:"events"`
}

// Record stores what a visit reports, before it returns. What was recorded before counts once;
// what lies more than [store.LatestEvent] days back is left out; events of nudges that are not
// the shop's are refused by field, and nothing of the batch is stored then.
func (a *App) Record(ctx context.Context, shop string, b EventBatch) error {
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return err
	}
	if err := b.check(); err != nil {
		return err
	}
	known, err := a.nudgeIDs(ctx, shop, b.Events)
	if err != nil {
		return err
	}
	now := a.Now().UTC()
	rows := make([]store.Event, 0, len(b.Events))
	for i := range b.Events {
		e := &b.Events[i]
		if err := e.check(fmt.Sprintf("events[%d].", i), known); err != nil {
			return err
		}
		at := b.at(e, now)
		if at.Before(now.AddDate(0, 0, -store.LatestEvent)) {
			continue
		}
		row := b.row(shop, e, at, snap.Snapshot)
		rows = append(rows, row)
		if set, is := snap.sets[row.Arm]; is && (row.Kind == results.Could || row.Kind == results.Loaded) {
			rows = append(rows, inTrial(row, set))
		}
	}
	if len(rows) == 0 {
		return nil
	}
	return a.intake.take(ctx, rows)
}

// nudgeIDs are the ids of a shop's nudges, also of those that are live no more.
func (a *App) nudgeIDs(ctx context.Context, shop string, wanted []EventInput) (map[string]bool, error) {
	return a.intake.ids(shop, a.Now(), wanted, func() ([]string, error) {
		var ids []string
		return ids, a.Store.DB.WithContext(ctx).Model(&store.Nudge{}).Where("shop_id = ?", shop).Pluck("id", &ids).Error
	})
}

// check tells what no batch can say. Errors: Problem.
func (b *EventBatch) check() error {
	switch {
	case b.Visit == "" || utf8.RuneCountInString(b.Visit) > mostVisit:
		return Problem{"visit", "a visit id of 1 to 100 characters is needed"}
	case utf8.RuneCountInString(b.Visitor) > mostVisit:
		return Problem{"visitor", "at most 100 characters"}
	case utf8.RuneCountInString(b.Region) > mostVisit:
		return Problem{"region", "at most 100 characters"}
	case utf8.RuneCountInString(b.Language) > mostTag:
		return Problem{"language", "a BCP 47 tag has at most 35 characters"}
	case b.Device != "" && !slices.Contains(audience.Devices, b.Device):
		return Problem{"device", "must be desktop, phone or tablet"}
	case len(b.Events) == 0:
		return Problem{"events", "at least one event is needed"}
	case len(b.Events) > MostEvents:
		return Problem{"events", fmt.Sprintf("%d events are too many; at most %d", len(b.Events), MostEvents)}
	}
	return nil
}

// check tells what no event can say. Errors: Problem.
func (e *EventInput) check(field string, known map[string]bool) error {
	ofVisit, ofBand := slices.Contains(store.OfTheVisit, e.Kind), slices.Contains(store.OfBands, e.Kind)
	switch {
	case !slices.Contains(store.EventKinds, e.Kind):
		return Problem{field + "kind", fmt.Sprintf("must be one of %v", store.EventKinds)}
	case utf8.RuneCountInString(e.ID) > mostEventID:
		return Problem{field + "id", fmt.Sprintf("at most %d characters", mostEventID)}
	case utf8.RuneCountInString(e.Arm) > mostVisit:
		return Problem{field + "arm", "at most 100 characters"}
	case ofVisit && e.Nudge != "":
		return Problem{field + "nudge", fmt.Sprintf("%s is of a visit, not of a nudge", e.Kind)}
	case !ofVisit && !known[e.Nudge]:
		return Problem{field + "nudge", fmt.Sprintf("there is no nudge %q", e.Nudge)}
	case e.Rung < 0 || e.Rung > 100:
		return Problem{field + "rung", "must be from 0 to 100"}
	case !ofVisit && e.Revision < 1 || e.Revision < 0 || e.Revision > 1<<30:
		return Problem{field + "revision", "must be 1 or more"}
	case (ofBand || e.Band != "") && !slices.Contains(decide.Bands, e.Band):
		return Problem{field + "band", fmt.Sprintf("must be one of %v", decide.Bands)}
	case e.Ms < 0 || e.Kind == results.Loaded && e.Ms == 0:
		return Problem{field + "ms", "must be 1 or more milliseconds"}
	case e.Placement != "" && !slices.Contains(nudge.Placements, e.Placement):
		return Problem{field + "placement", fmt.Sprintf("must be one of %v", nudge.Placements)}
	}
	return nil
}

// at is when something was. A sender's clock that is wrong is set right by when the batch was
// sent; nothing was later than now.
func (b *EventBatch) at(e *EventInput, now time.Time) time.Time {
	if e.At == nil {
		return now
	}
	at := e.At.UTC()
	if b.SentAt != nil {
		if wrong := now.Sub(b.SentAt.UTC()); wrong > wrongClock || wrong < -soonerClock {
			at = at.Add(wrong)
		}
	}
	if at.After(now) {
		return now
	}
	return at
}

// inTrial counts a visit that could have seen a nudge of two sets, and how long its page took, once
// for their trial.
func inTrial(e store.Event, of setArm) store.Event {
	if e.Kind == results.Could {
		e.Kind = results.InTrial
	}
	e.NudgeID, e.Revision, e.Placement, e.Arm, e.Share = of.trial, 0, "", of.arm, 0
	e.ID = fmt.Sprintf("%s:%s", e.Kind, of.trial)
	return e
}

// row is an event as it is stored, on its day in the shop's time zone.
func (b *EventBatch) row(shop string, e *EventInput, at time.Time, snap *snapshot.Snapshot) store.Event {
	y, m, d := at.In(snap.Zone).Date()
	row := store.Event{
		ShopID: shop, Visit: b.Visit, ID: e.ID, Day: time.Date(y, m, d, 0, 0, 0, 0, time.UTC), At: at, Kind: e.Kind, NudgeID: e.Nudge, Revision: e.Revision, Rung: e.Rung,
		Placement: string(e.Placement), Region: b.Region, Language: b.Language, Device: string(b.Device), Visitor: b.Visitor,
	}
	switch {
	case decide.SeesNone(snap, b.Visitor):
		row.Arm = results.ArmNone
	case e.Held && !results.DoesWithout(e.Arm):
		row.Arm = results.ArmHeld
	default:
		row.Arm = e.Arm
	}
	switch at := snap.Find(e.Nudge); {
	case e.Kind == results.Visit:
		row.Share = snap.Shop.Settings.HeldOut()
	case e.Kind == results.Could && len(at) > 0:
		row.Share = snap.Nudges[at[0]].Kept
	}
	if slices.Contains(store.ForOrders, e.Kind) {
		row.Rung = 0 // it counts once a visit and nudge
	}
	if slices.Contains(store.OfBands, e.Kind) {
		row.Band = e.Band
	}
	if e.Kind == results.Loaded {
		row.Ms, row.Rung = min(e.Ms, longestPage), 0
	}
	switch {
	case row.ID != "":
	case row.Band != "":
		row.ID = fmt.Sprintf("%s:%s:%s", e.Kind, e.Nudge, row.Band)
	default:
		row.ID = fmt.Sprintf("%s:%s:%d", e.Kind, e.Nudge, row.Rung)
	}
	return row
}
