package store

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
)

// incoming is where events lie of whose visits there are orders already.
const incoming = `CREATE TEMP TABLE IF NOT EXISTS incoming (LIKE events) ON COMMIT DELETE ROWS`

var eventColumns = []string{"shop_id", "visit", "id", "day", "at", "kind", "nudge_id", "revision", "rung", "placement", "region", "language", "device", "arm", "visitor", "band", "share", "ms"}

// LatestEvent is how many days back an event may lie and still be counted, on its own day.
const LatestEvent = 7

// RecordEvents stores events of one or more shops, each once by its id within its visit, and
// counts them, all or none. It returns how many were new.
func (s *Store) RecordEvents(ctx context.Context, events []Event) (fresh int64, err error) {
	byShop := map[string][]Event{}
	months := map[time.Time]bool{}
	for _, e := range once(events) {
		byShop[e.ShopID] = append(byShop[e.ShopID], e)
		months[time.Date(e.Day.Year(), e.Day.Month(), 1, 0, 0, 0, 0, time.UTC)] = true
	}
	if err := s.months(ctx, months); err != nil {
		return 0, err
	}
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		// What comes in is little beside what is there: all of that is looked up by its keys,
		// whatever the planner believes.
		if _, err := tx.Exec(ctx, "SET LOCAL jit = off; SET LOCAL enable_hashjoin = off; SET LOCAL enable_mergejoin = off; SET LOCAL enable_seqscan = off"); err != nil {
			return err
		}
		for _, shop := range slices.Sorted(maps.Keys(byShop)) {
			n, err := recordOf(ctx, tx, shop, byShop[shop])
			if err != nil {
				return err
			}
			fresh += n
		}
		return nil
	})
	if err != nil {
		return 0, err
	}
	return fresh, nil
}

// recordOf stores and counts those events of a shop that are new.
func recordOf(ctx context.Context, tx pgx.Tx, shop string, events []Event) (int64, error) {
	if _, err := tx.Exec(ctx, resultsLock, shop); err != nil {
		return 0, err
	}
	events, err := unseen(ctx, tx, shop, events)
	if err != nil || len(events) == 0 {
		return 0, err
	}
	if err := copyTo(ctx, tx, "events", events); err != nil {
		return 0, err
	}
	if err := countEvents(ctx, tx, events); err != nil {
		return 0, fmt.Errorf("counting events: %w", err)
	}
	if err := countBands(ctx, tx, events); err != nil {
		return 0, fmt.Errorf("counting events by gap band: %w", err)
	}
	// Orders of their visits that came in sooner came of them, too.
	rows, err := tx.Query(ctx, "SELECT visit FROM unnest($2::text[]) v (visit) WHERE EXISTS (SELECT FROM orders o WHERE o.shop_id = $1 AND o.visit = v.visit AND o.visit <> '' OFFSET 0)", shop, visitsOf(events))
	if err != nil {
		return 0, err
	}
	ordered, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(ordered) == 0 {
		return int64(len(events)), err
	}
	late := slices.DeleteFunc(slices.Clone(events), func(e Event) bool { return !slices.Contains(ForOrders, e.Kind) || !slices.Contains(ordered, e.Visit) })
	if _, err := tx.Exec(ctx, incoming); err != nil {
		return 0, err
	}
	if err := copyTo(ctx, tx, "incoming", late); err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, addCells(ofVisits(eventCells("incoming")))); err != nil {
		return 0, err
	}
	_, err = tx.Exec(ctx, "DELETE FROM incoming")
	return int64(len(events)), err
}

func copyTo(ctx context.Context, tx pgx.Tx, table string, events []Event) error {
	_, err := tx.CopyFrom(ctx, pgx.Identifier{table}, eventColumns, pgx.CopyFromSlice(len(events), func(i int) ([]any, error) {
		e := &events[i]
		return []any{e.ShopID, e.Visit, e.ID, e.Day, e.At, string(e.Kind), e.NudgeID, int32(e.Revision), int32(e.Rung), e.Placement, e.Region, e.Language, e.Device, e.Arm, e.Visitor, e.Band, int32(e.Share), int32(e.Ms)}, nil //nolint:gosec // all are bounded
	}))
	return err
}

func visitsOf(events []Event) []string {
	seen := map[string]bool{}
	for i := range events {
		seen[events[i].Visit] = true
	}
	return slices.Collect(maps.Keys(seen))
}

// unseen leaves of a shop's events those that were not stored before, whatever day they would
// be put on now.
func unseen(ctx context.Context, tx pgx.Tx, shop string, events []Event) ([]Event, error) {
	const near = LatestEvent + 1
	first, last := events[0].Day, events[0].Day
	for i := range events {
		if d := events[i].Day; d.Before(first) {
			first = d
		} else if d.After(last) {
			last = d
		}
	}
	rows, err := tx.Query(ctx, `SELECT v.visit, e.id, e.day FROM unnest($2::text[]) v (visit) CROSS JOIN LATERAL (
		SELECT id, day FROM events WHERE shop_id = $1 AND visit = v.visit AND day BETWEEN $3 AND $4 OFFSET 0) e`, // visit by visit
		shop, visitsOf(events), first.AddDate(0, 0, -near), last.AddDate(0, 0, near))
	if err != nil {
		return nil, err
	}
	type key struct{ visit, id string }
	stored := map[key][]time.Time{}
	var k key
	var day time.Time
	if _, err := pgx.ForEachRow(rows, []any{&k.visit, &k.id, &day}, func() error {
		stored[k] = append(stored[k], day)
		return nil
	}); err != nil {
		return nil, err
	}
	return slices.DeleteFunc(events, func(e Event) bool {
		return slices.ContainsFunc(stored[key{e.Visit, e.ID}], func(d time.Time) bool {
			return !d.Before(e.Day.AddDate(0, 0, -near)) && !d.After(e.Day.AddDate(0, 0, near))
		})
	}), nil
}

// countEvents adds one count for each event to the cells.
func countEvents(ctx context.Context, tx pgx.Tx, events []Event) error {
	type sum struct{ n, ms, squares int64 }
	many := map[Event]sum{}
	for i := range events {
		if e := &events[i]; !slices.Contains(OfBands, e.Kind) {
			cell := Event{ShopID: e.ShopID, Day: e.Day, Kind: e.Kind, NudgeID: e.NudgeID, Revision: e.Revision, Rung: e.Rung, Placement: e.Placement, Region: e.Region, Language: e.Language, Device: e.Device, Arm: e.Arm, Share: e.Share}
			s := many[cell]
			many[cell] = sum{s.n + 1, s.ms + int64(e.Ms), s.squares + int64(e.Ms)*int64(e.Ms)}
		}
	}
	var text [8][]string // shop, kind, nudge, placement, region, language, device, arm
	var days []time.Time
	var revisions, rungs, shares, n, ms, squares []int64
	for e, s := range many {
		for i, x := range []string{e.ShopID, string(e.Kind), e.NudgeID, e.Placement, e.Region, e.Language, e.Device, e.Arm} {
			text[i] = append(text[i], x)
		}
		days, revisions, rungs, shares, n = append(days, e.Day), append(revisions, int64(e.Revision)), append(rungs, int64(e.Rung)), append(shares, int64(e.Share)), append(n, s.n)
		ms, squares = append(ms, s.ms), append(squares, s.squares)
	}
	_, err := tx.Exec(ctx, addCells(`SELECT `+cellDims+`, n, 0::bigint, 0::bigint, 0::bigint, 0::bigint, 0::bigint, 0::numeric, 0::bigint, 0::numeric, 0::numeric, 0::bigint, ms, squares::numeric
		FROM unnest($1::text[], $2::date[], $3::text[], $4::text[], $5::int[], $6::int[], $7::text[], $8::text[], $9::text[], $10::text[], $11::text[], $12::int[], $13::bigint[], $14::bigint[], $15::bigint[]) c (`+cellDims+`, n, ms, squares)`),
		text[0], days, text[1], text[2], revisions, rungs, text[3], text[4], text[5], text[6], text[7], shares, n, ms, squares)
	return err
}

// once keeps of events with one id in one visit the first.
func once(events []Event) []Event {
	type key struct{ shop, visit, id string }
	seen := make(map[key]bool, len(events))
	return slices.DeleteFunc(slices.Clone(events), func(e Event) bool {
		k := key{e.ShopID, e.Visit, e.ID}
		was := seen[k]
		seen[k] = true
		return was
	})
}

// months makes the parts of the events that are not there yet.
func (s *Store) months(ctx context.Context, months map[time.Time]bool) error {
	for m := range months {
		if _, known := s.eventMonths.Load(m); known {
			continue
		}
		if err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock(hashtext('events_month'))"); err != nil {
				return err
			}
			_, err := tx.Exec(ctx, "SELECT events_month($1)", m)
			return err
		}); err != nil {
			return fmt.Errorf("making room for the events of %s: %w", m.Format("January 2006"), err)
		}
		s.eventMonths.Store(m, true)
	}
	return nil
}
