package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/results"
)

// bandTallies are the shows and acceptances of events by nudge and gap band.
func bandTallies(events string) string {
	shows, accepted := string(results.ShownAt), string(results.Accepted)
	return `SELECT shop_id, nudge_id, band, count(*) FILTER (WHERE kind = '` + shows + `') AS shows, count(*) FILTER (WHERE kind = '` + accepted + `') AS accepted
		FROM ` + events + ` e WHERE kind IN ('` + shows + `', '` + accepted + `') GROUP BY 1, 2, 3`
}

// countBands adds the shows and acceptances of what came in.
func countBands(ctx context.Context, tx pgx.Tx, events []Event) error {
	type key struct{ shop, nudge, band string }
	many := map[key]decide.Tally{}
	for i := range events {
		e := &events[i]
		k := key{e.ShopID, e.NudgeID, e.Band}
		switch t := many[k]; e.Kind {
		case results.ShownAt:
			t.Shows++
			many[k] = t
		case results.Accepted:
			t.Accepted++
			many[k] = t
		}
	}
	for k, t := range many {
		if _, err := tx.Exec(ctx, `INSERT INTO nudge_bands (shop_id, nudge_id, band, shows, accepted) VALUES ($1, $2, $3, $4, $5)
			ON CONFLICT (shop_id, nudge_id, band) DO UPDATE SET shows = nudge_bands.shows + excluded.shows, accepted = nudge_bands.accepted + excluded.accepted`,
			k.shop, k.nudge, k.band, t.Shows, t.Accepted); err != nil {
			return err
		}
	}
	return nil
}

// recountBands works a shop's tallies out anew; what was before a new beginning stays as it is.
var recountBands = []string{
	`UPDATE nudge_bands SET shows = 0, accepted = 0 WHERE shop_id = $1`,
	`INSERT INTO nudge_bands (shop_id, nudge_id, band, shows, accepted) ` + bandTallies("(SELECT * FROM events WHERE shop_id = $1)") + `
	ON CONFLICT (shop_id, nudge_id, band) DO UPDATE SET shows = excluded.shows, accepted = excluded.accepted`,
}

// Bands tell how often each nudge of a shop was shown and accepted since it was begun anew, by
// gap band.
func (s *Store) Bands(ctx context.Context, shop string) (map[string]map[string]decide.Tally, error) {
	var rows []struct {
		NudgeID, Band   string
		Shows, Accepted int64
	}
	// An acceptance may come in before its show.
	err := s.DB.WithContext(ctx).Raw(`SELECT nudge_id, band, shows - shows_before AS shows, greatest(0, least(accepted - accepted_before, shows - shows_before)) AS accepted
		FROM nudge_bands WHERE shop_id = ? AND shows > shows_before`, shop).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("reading how nudges are accepted: %w", err)
	}
	out := map[string]map[string]decide.Tally{}
	for _, r := range rows {
		if out[r.NudgeID] == nil {
			out[r.NudgeID] = map[string]decide.Tally{}
		}
		out[r.NudgeID][r.Band] = decide.Tally{Shows: r.Shows, Accepted: r.Accepted}
	}
	return out, nil
}

// ForgetBands begins a nudge's tallies anew; false where there was nothing to forget.
func (s *Store) ForgetBands(ctx context.Context, shop, id string) (bool, error) {
	done := s.DB.WithContext(ctx).Exec(`UPDATE nudge_bands SET shows_earlier = shows_before, accepted_earlier = accepted_before, shows_before = shows, accepted_before = accepted
		WHERE shop_id = ? AND nudge_id = ? AND (shows > shows_before OR accepted > accepted_before)`, shop, id)
	return done.RowsAffected > 0, done.Error
}

// RecallBands takes the last new beginning back.
func (s *Store) RecallBands(ctx context.Context, shop, id string) error {
	return s.DB.WithContext(ctx).Exec("UPDATE nudge_bands SET shows_before = shows_earlier, accepted_before = accepted_earlier WHERE shop_id = ? AND nudge_id = ?", shop, id).Error
}
