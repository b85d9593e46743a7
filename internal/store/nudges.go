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
	db := s.DB.WithContext(ctx)
	if err := db.Where("shop_id = ? AND state = ?", shop, StateLive).Find(&nudges).Error; err != nil {
		return nil, fmt.Errorf("reading live nudges: %w", err)
	}
	var revisions []Revision
	err := db.Raw(`SELECT r.* FROM revisions r JOIN nudges n ON n.shop_id = r.shop_id AND n.id = r.nudge_id AND n.live_revision = r.number
		WHERE n.shop_id = ? AND n.state = ?`, shop, StateLive).Scan(&revisions).Error
	if err != nil {
		return nil, fmt.Errorf("reading live revisions: %w", err)
	}
	byNudge := make(map[string]Revision, len(revisions))
	for _, r := range revisions {
		byNudge[r.NudgeID] = r
	}
	out := make([]snapshot.Live, 0, len(nudges))
	for _, n := range nudges {
		if r, ok := byNudge[n.ID]; ok {
			out = append(out, snapshot.Live{ID: n.ID, Revision: r.Number, Priority: n.Priority, Definition: r.Definition})
		}
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
	return out, nil
}

// Numbers is what a nudge did: visits that saw it, those of them that reached a rung,
// and orders in which its reward was given, those after a show counted apart.
type Numbers struct {
	NudgeID   string
	Shown     int64
	Reached   int64
	Orders    int64
	AfterShow int64
}

// Numbers counts per nudge since a moment.
func (s *Store) Numbers(ctx context.Context, shop string, since time.Time) (map[string]Numbers, error) {
	var rows []Numbers
	err := s.DB.WithContext(ctx).Raw(`
		SELECT n.id AS nudge_id,
			(SELECT count(DISTINCT visit) FROM events e WHERE e.shop_id = n.shop_id AND e.nudge_id = n.id AND e.kind = 'shown' AND e.at >= @since) AS shown,
			(SELECT count(DISTINCT visit) FROM events e WHERE e.shop_id = n.shop_id AND e.nudge_id = n.id AND e.kind = 'reached' AND e.at >= @since
				AND EXISTS (SELECT 1 FROM events s WHERE s.shop_id = e.shop_id AND s.nudge_id = e.nudge_id AND s.kind = 'shown' AND s.visit = e.visit AND s.at >= @since)) AS reached,
			(SELECT count(DISTINCT o.number) FROM order_rewards r JOIN orders o ON o.shop_id = r.shop_id AND o.number = r.order_number
				WHERE r.shop_id = n.shop_id AND r.nudge_id = n.id AND o.placed_at >= @since) AS orders,
			(SELECT count(DISTINCT o.number) FROM order_rewards r JOIN orders o ON o.shop_id = r.shop_id AND o.number = r.order_number
				WHERE r.shop_id = n.shop_id AND r.nudge_id = n.id AND o.placed_at >= @since AND EXISTS (SELECT 1 FROM events e
					WHERE e.shop_id = n.shop_id AND e.nudge_id = n.id AND e.kind = 'shown' AND e.visit = o.visit AND e.at <= o.placed_at)) AS after_show
		FROM nudges n WHERE n.shop_id = @shop`, map[string]any{"shop": shop, "since": since}).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("counting: %w", err)
	}
	out := make(map[string]Numbers, len(rows))
	for _, r := range rows {
		out[r.NudgeID] = r
	}
	return out, nil
}
