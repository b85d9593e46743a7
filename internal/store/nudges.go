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
	if err := s.DB.WithContext(ctx).Where("shop_id = ? AND state = ?", shop, StateLive).Find(&nudges).Error; err != nil {
		return nil, fmt.Errorf("reading live nudges: %w", err)
	}
	revisions, err := s.LastInForce(ctx, shop)
	if err != nil {
		return nil, err
	}
	out := make([]snapshot.Live, 0, len(nudges))
	for _, n := range nudges {
		if r, ok := revisions[n.ID]; ok {
			out = append(out, snapshot.Live{ID: n.ID, Revision: r.Number, Priority: n.Priority, Definition: r.Definition})
		}
	}
	return out, nil
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
		WITH seen AS (SELECT nudge_id, count(*) FILTER (WHERE shown) AS shown, count(*) FILTER (WHERE shown AND reached) AS reached
			FROM (SELECT nudge_id, visit, bool_or(kind = 'shown') AS shown, bool_or(kind = 'reached') AS reached
				FROM events WHERE shop_id = @shop AND at >= @since GROUP BY nudge_id, visit) v
			GROUP BY nudge_id),
		given AS (SELECT DISTINCT r.nudge_id, o.number, o.visit, o.placed_at FROM orders o
			JOIN order_rewards r ON r.shop_id = o.shop_id AND r.order_number = o.number
			WHERE o.shop_id = @shop AND o.placed_at >= @since),
		bought AS (SELECT g.nudge_id, count(*) AS n, count(*) FILTER (WHERE f.at <= g.placed_at) AS after_show FROM given g
			LEFT JOIN (SELECT nudge_id, visit, min(at) AS at FROM events WHERE shop_id = @shop AND kind = 'shown' GROUP BY nudge_id, visit) f
				ON f.nudge_id = g.nudge_id AND f.visit = g.visit
			GROUP BY g.nudge_id)
		SELECT n.id AS nudge_id, coalesce(seen.shown, 0) AS shown, coalesce(seen.reached, 0) AS reached, coalesce(bought.n, 0) AS orders, coalesce(bought.after_show, 0) AS after_show
		FROM nudges n LEFT JOIN seen ON seen.nudge_id = n.id LEFT JOIN bought ON bought.nudge_id = n.id
		WHERE n.shop_id = @shop`, map[string]any{"shop": shop, "since": since}).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("counting: %w", err)
	}
	out := make(map[string]Numbers, len(rows))
	for _, r := range rows {
		out[r.NudgeID] = r
	}
	return out, nil
}
