package store

import (
	"context"
	"fmt"
	"time"

	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// Live reads the revisions in force: of live nudges, also those whose start is
// to come or whose end has passed, since decisions look at the moment.
func (s *Store) Live(ctx context.Context, shop string) ([]snapshot.Live, error) {
	var nudges []Nudge
	if err := s.DB.WithContext(ctx).Where("shop_id = ? AND state = ?", shop, StateLive).Order("priority, id").Find(&nudges).Error; err != nil {
		return nil, fmt.Errorf("reading live nudges: %w", err)
	}
	revisions, err := s.LastInForce(ctx, shop)
	if err != nil {
		return nil, err
	}
	return LiveAmong(nudges, revisions), nil
}

// LiveAmong lists the nudges in force, as the revisions that are in force have them.
func LiveAmong(nudges []Nudge, revisions map[string]Revision) []snapshot.Live {
	out := make([]snapshot.Live, 0, len(nudges))
	for _, n := range nudges {
		if r, ok := revisions[n.ID]; ok && n.State == StateLive {
			out = append(out, snapshot.Live{ID: n.ID, Revision: r.Number, Priority: n.Priority, Definition: r.Definition})
		}
	}
	return out
}

// LastInForce reads, by nudge, the revision that is in force or was last.
func (s *Store) LastInForce(ctx context.Context, shop string) (map[string]Revision, error) {
	var revisions []Revision
	err := s.DB.WithContext(ctx).Raw(`SELECT r.* FROM revisions r JOIN nudges n ON n.shop_id = r.shop_id AND n.id = r.nudge_id AND n.live_revision = r.number
		WHERE n.shop_id = ?`, shop).Scan(&revisions).Error
	if err != nil {
		return nil, fmt.Errorf("reading live revisions: %w", err)
	}
	out := make(map[string]Revision, len(revisions))
	for _, r := range revisions {
		out[r.NudgeID] = r
	}
	return out, nil
}

// Retired reads the revisions that were in force and were replaced or ended
// after a moment. A pause retires nothing: it takes effect at once.
func (s *Store) Retired(ctx context.Context, shop string, since time.Time) ([]snapshot.Retired, error) {
	var rows []struct {
		NudgeID, Definition string
		Number, Priority    int
		RetiredAt           time.Time
	}
	err := s.DB.WithContext(ctx).Raw(`
		SELECT * FROM (
			SELECT r.nudge_id, r.number, r.definition, n.priority,
				CASE WHEN r.number = n.live_revision THEN CASE WHEN n.state = 'ended' THEN n.state_since END
				ELSE (SELECT min(later.published_at) FROM revisions later WHERE later.shop_id = r.shop_id AND later.nudge_id = r.nudge_id AND later.number > r.number) END AS retired_at
			FROM revisions r JOIN nudges n ON n.shop_id = r.shop_id AND n.id = r.nudge_id
			WHERE r.shop_id = ? AND n.state IN ('live', 'ended') AND r.number <= n.live_revision
		) x WHERE retired_at > ? ORDER BY nudge_id, number`, shop, since).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("reading retired revisions: %w", err)
	}
	out := make([]snapshot.Retired, 0, len(rows))
	for _, r := range rows {
		d, err := nudge.Parse([]byte(r.Definition))
		if err != nil {
			return nil, fmt.Errorf("revision %d of %s: %w", r.Number, r.NudgeID, err)
		}
		out = append(out, snapshot.Retired{Live: snapshot.Live{ID: r.NudgeID, Revision: r.Number, Priority: r.Priority, Definition: d}, At: r.RetiredAt})
	}
	tried, err := s.retiredTrials(ctx, shop, since)
	return append(out, tried...), err
}

// Numbers is what a nudge did: visits that saw it, visits that reached its first rung, and
// orders in which its reward was given, those after a show counted apart.
type Numbers struct {
	NudgeID   string
	Shown     int64
	Reached   int64
	Orders    int64
	AfterShow int64
}

// Numbers counts per nudge since a day.
func (s *Store) Numbers(ctx context.Context, shop string, since time.Time) (map[string]Numbers, error) {
	var rows []Numbers
	err := s.DB.WithContext(ctx).Raw(`
		SELECT nudge_id, sum(n) FILTER (WHERE kind = 'shown') AS shown, sum(n) FILTER (WHERE kind = 'reached' AND rung = 0) AS reached,
			sum(orders) FILTER (WHERE kind = 'used') AS orders, sum(orders) FILTER (WHERE kind = 'shown') AS after_show
		FROM result_cells WHERE shop_id = @shop AND day >= @since AND nudge_id <> '' AND kind IN ('shown', 'reached', 'used') GROUP BY nudge_id`,
		map[string]any{"shop": shop, "since": since.Format(time.DateOnly)}).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("counting: %w", err)
	}
	out := make(map[string]Numbers, len(rows))
	for _, r := range rows {
		out[r.NudgeID] = r
	}
	return out, nil
}
