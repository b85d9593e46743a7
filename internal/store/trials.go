package store

import (
	"context"
	"fmt"
	"time"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// Trial compares a live nudge with another revision of it.
type Trial struct {
	ShopID    string `gorm:"primaryKey"`
	ID        string `gorm:"primaryKey"`
	NudgeID   string
	RevisionA int
	RevisionB int
	Share     money.Rate     `gorm:"type:int"` // of visitors who have B
	Worth     money.Rate     `gorm:"type:int"` // the difference worth finding, of the margin per visit
	Planned   int64          // visits of both arms together; 0: more than can be foreseen
	Until     time.Time      // the last day
	Currency  money.Currency // in which it is judged
	StartedAt time.Time
	StartedBy string
	EndedAt   *time.Time
	EndedBy   string // empty: it stopped by itself
	Outcome   Outcome
}

// Outcome is how a trial ended.
type Outcome string

// The outcomes.
const (
	FoundB    Outcome = "b"         // B is better
	FoundA    Outcome = "a"         // B is worse
	Undecided Outcome = "undecided" // its last day is over
	Broken    Outcome = "stopped"   // somebody stopped it
	Changed   Outcome = "changed"   // the nudge was changed, paused or ended meanwhile
	Took      Outcome = "took_b"    // somebody published B
)

// Running tells whether it goes on.
func (t *Trial) Running() bool { return t.EndedAt == nil }

// Trials lists a shop's trials, the last begun first.
func (s *Store) Trials(ctx context.Context, shop string) (out []Trial, err error) {
	return out, s.DB.WithContext(ctx).Where("shop_id = ?", shop).Order("started_at DESC, id").Find(&out).Error
}

// RunningTrials reads the trials that go on, with what they try.
func (s *Store) RunningTrials(ctx context.Context, shop string, live []snapshot.Live) ([]snapshot.Trial, error) {
	var trials []Trial
	if err := s.DB.WithContext(ctx).Where("shop_id = ? AND ended_at IS NULL", shop).Order("id").Find(&trials).Error; err != nil {
		return nil, fmt.Errorf("reading trials: %w", err)
	}
	var out []snapshot.Trial
	for _, t := range trials {
		for _, l := range live {
			if l.ID != t.NudgeID || l.Revision != t.RevisionA {
				continue
			}
			var b Revision
			if err := s.DB.WithContext(ctx).Where("shop_id = ? AND nudge_id = ? AND number = ?", shop, t.NudgeID, t.RevisionB).Take(&b).Error; err != nil {
				return nil, fmt.Errorf("reading what is tried: %w", err)
			}
			out = append(out, snapshot.Trial{ID: t.ID, Nudge: t.NudgeID, Share: t.Share, B: snapshot.Live{ID: l.ID, Revision: b.Number, Priority: l.Priority, Definition: b.Definition}})
		}
	}
	return out, nil
}

// retiredTrials reads the revisions that trials have tried which ended after a moment, and the
// first ones where the other was published instead.
func (s *Store) retiredTrials(ctx context.Context, shop string, since time.Time) ([]snapshot.Retired, error) {
	var rows []struct {
		NudgeID, Definition string
		Number, Priority    int
		EndedAt             time.Time
	}
	err := s.DB.WithContext(ctx).Raw(`
		SELECT r.nudge_id, r.number, r.definition, n.priority, t.ended_at FROM trials t
			JOIN revisions r ON r.shop_id = t.shop_id AND r.nudge_id = t.nudge_id AND r.number IN (t.revision_a, t.revision_b)
			JOIN nudges n ON n.shop_id = t.shop_id AND n.id = t.nudge_id
		WHERE t.shop_id = ? AND t.ended_at > ? AND n.state IN ('live', 'ended') AND r.number <> n.live_revision ORDER BY 1, 2`, shop, since).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("reading what was tried: %w", err)
	}
	var out []snapshot.Retired
	for _, r := range rows {
		d, err := nudge.Parse([]byte(r.Definition))
		if err != nil {
			return nil, fmt.Errorf("revision %d of %s: %w", r.Number, r.NudgeID, err)
		}
		out = append(out, snapshot.Retired{Live: snapshot.Live{ID: r.NudgeID, Revision: r.Number, Priority: r.Priority, Definition: d}, At: r.EndedAt})
	}
	return out, nil
}
