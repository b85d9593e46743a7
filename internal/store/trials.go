package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/trial"
)

// Trial compares a live nudge with another revision of it, or with doing without; or one set of
// nudges with another.
type Trial struct {
	ShopID    string   `gorm:"primaryKey"`
	ID        string   `gorm:"primaryKey"`
	Name      string   // of one that compares sets
	NudgeID   string   // empty: it compares sets
	Members   []Member `gorm:"serializer:json"` // of both sets
	RevisionA int
	RevisionB int                 // 0: doing without
	Share     money.Rate          `gorm:"type:int"` // of visitors in it who have B
	PartFrom  money.Rate          `gorm:"type:int"` // of all visitors those are in it who lie from here
	PartTo    money.Rate          `gorm:"type:int"` // to here, which is not included
	Apart     bool                // no visitor is in another trial that is kept apart
	Who       *audience.Condition `gorm:"serializer:json"` // which visits are in it; nil: all
	Worth     money.Rate          `gorm:"type:int"`        // the difference worth finding, of the margin per visit
	Planned   int64               // visits of both arms together; 0: more than can be foreseen
	Until     time.Time           // the last day
	Currency  money.Currency      // in which it is judged
	Cap       *money.Minor        // the margin of a visit up to which it counts; nil: all of it
	StartedAt time.Time
	StartedBy string
	EndedAt   *time.Time
	EndedBy   string // empty: it stopped by itself
	Outcome   Outcome
}

// Member is a nudge of one of two sets that are compared: those who are in the trial have it in
// one arm and not in the other.
type Member struct {
	Nudge    string `json:"nudge"`
	Revision int    `json:"revision"`
	OnlyB    bool   `json:"only_b,omitempty"` // that arm is B
	Begun    bool   `json:"begun,omitempty"`  // it was put in force for the trial
}

// Outcome is how a trial ended.
type Outcome string

// The outcomes.
const (
	FoundB    Outcome = "b"         // B is better
	FoundA    Outcome = "a"         // B is worse
	Undecided Outcome = "undecided" // its last day is over
	Broken    Outcome = "stopped"   // somebody stopped it
	Harmed    Outcome = "harm"      // more of B's orders come back
	Slowed    Outcome = "slow"      // B's pages take longer
	Changed   Outcome = "changed"   // the nudge was changed, paused or ended meanwhile
	Took      Outcome = "took_b"    // somebody published B
	TookA     Outcome = "took_a"    // somebody kept A alone, of two sets
)

// Among are the visitors who are in it.
func (t *Trial) Among() trial.Part {
	layer := "part:" + t.ID
	if t.Apart {
		layer = "apart"
	}
	return trial.Part{Layer: trial.Named(layer), From: t.PartFrom, To: t.PartTo}
}

// Part is the share of visitors who are in it.
func (t *Trial) Part() money.Rate { return t.PartTo - t.PartFrom }

// Sets tells whether it compares one set of nudges with another.
func (t *Trial) Sets() bool { return len(t.Members) > 0 }

// Counted is what its visits are counted by: a kind, and the id they are counted under.
func (t *Trial) Counted() (results.Kind, string) {
	if t.Sets() {
		return results.InTrial, t.ID
	}
	return results.Could, t.NudgeID
}

// Nudges are the ids of the nudges that it compares.
func (t *Trial) Nudges() []string {
	if !t.Sets() {
		return []string{t.NudgeID}
	}
	out := make([]string, len(t.Members))
	for i := range t.Members {
		out[i] = t.Members[i].Nudge
	}
	return out
}

// Without tells whether B is doing without the nudge.
func (t *Trial) Without() bool { return !t.Sets() && t.RevisionB == 0 }

// ArmA and ArmB name its arms.
func (t *Trial) ArmA() string { return trial.Arm(t.ID, false) }

// ArmB is the arm that has the other one.
func (t *Trial) ArmB() string {
	if t.Without() {
		return results.ArmWithout(t.ID)
	}
	return trial.Arm(t.ID, true)
}

// Running tells whether it goes on.
func (t *Trial) Running() bool { return t.EndedAt == nil }

// Trials lists a shop's trials, the last begun first.
func (s *Store) Trials(ctx context.Context, shop string) (out []Trial, err error) {
	return out, s.DB.WithContext(ctx).Where("shop_id = ?", shop).Order("started_at DESC, id").Find(&out).Error
}

// Behind asks for what lies behind the figures of a nudge, of a period and of regions that pay
// in one currency: orders in which it gave something, or visits that could see it.
type Behind struct {
	Shop, Nudge string
	From, To    time.Time // of the orders, To not included
	Regions     []string
	Arms        []string     // of visits; empty: all that were kept from nothing
	Kind        results.Kind // under which visits are counted; empty: results.Could
	Givers      []string     // whose gifts are summed up; empty: the nudge's
}

// Above are visits of one day and arm that left more margin than some most.
type Above struct {
	Day     time.Time
	Arm     string
	Visits  int64
	Margin  money.Minor
	Squares string // a whole number that may be larger than 64 bits
}

func (q *Behind) args() map[string]any {
	givers := q.Givers
	if len(givers) == 0 {
		givers = []string{q.Nudge}
	}
	return map[string]any{"kind": cmp.Or(q.Kind, results.Could), "givers": givers, "shop": q.Shop, "nudge": q.Nudge, "from": q.From, "to": q.To, "regions": q.Regions, "arms": q.Arms, "all": len(q.Arms) == 0, "kept": []string{results.ArmNone, results.ArmHeld}, "without": "%" + results.ArmWithout("")}
}

// joined are the reports of visits that could see the nudge, in one of the arms that are asked for.
const joined = `JOIN events e ON e.shop_id = @shop AND e.visit = v.visit AND e.kind = @kind AND e.nudge_id = @nudge
	AND CASE WHEN @all THEN e.arm NOT IN @kept AND e.arm NOT LIKE @without ELSE e.arm IN @arms END`

// AboveCap finds the visits that left more margin than most.
func (s *Store) AboveCap(ctx context.Context, q Behind, most money.Minor) (out []Above, err error) {
	args := q.args()
	args["most"] = most
	err = s.DB.WithContext(ctx).Raw(`SELECT e.day, e.arm, count(*) AS visits, sum(v.margin)::bigint AS margin, sum(v.margin::numeric * v.margin)::text AS squares FROM (
		SELECT visit, region, sum(margin)::bigint AS margin FROM orders
		WHERE shop_id = @shop AND visit <> '' AND placed_at >= @from AND placed_at < @to AND region IN @regions GROUP BY 1, 2 HAVING sum(margin) > @most) v `+joined+`
		GROUP BY 1, 2`, args).Scan(&out).Error
	return out, err
}

// LargeMargin is what a share of the visits with orders left no more than, from 0 to 1; false
// where there are too few of them to say.
func (s *Store) LargeMargin(ctx context.Context, q Behind, share float64, least int64) (money.Minor, bool, error) {
	var row struct {
		Many, Most int64
	}
	args := q.args()
	args["share"] = share
	err := s.DB.WithContext(ctx).Raw(`SELECT count(*) AS many, coalesce(percentile_disc(@share) WITHIN GROUP (ORDER BY margin), 0) AS most FROM (
		SELECT sum(margin)::bigint AS margin FROM orders WHERE shop_id = @shop AND visit <> '' AND placed_at >= @from AND placed_at < @to AND region IN @regions GROUP BY visit, region) v`, args).Scan(&row).Error
	return row.Most, row.Many >= least, err
}

// OrdersBack counts, by arm, the orders of which something came back.
func (s *Store) OrdersBack(ctx context.Context, q Behind) (map[string]int64, error) {
	var rows []struct {
		Arm string
		N   int64
	}
	err := s.DB.WithContext(ctx).Raw(`SELECT e.arm, count(*) AS n FROM (SELECT visit, number FROM orders o
		WHERE shop_id = @shop AND visit <> '' AND placed_at >= @from AND placed_at < @to AND region IN @regions
			AND EXISTS (SELECT FROM order_returns r WHERE r.shop_id = o.shop_id AND r.order_number = o.number)) v `+joined+` GROUP BY 1`, q.args()).Scan(&rows).Error
	out := map[string]int64{}
	for _, r := range rows {
		out[r.Arm] = r.N
	}
	return out, err
}

// GivenByArm sums what nudges gave away, at its cost, with the orders of visits, by their arm.
func (s *Store) GivenByArm(ctx context.Context, q Behind) (map[string]money.Minor, error) {
	var rows []struct {
		Arm   string
		Given money.Minor
	}
	err := s.DB.WithContext(ctx).Raw(`SELECT e.arm, sum(v.given)::bigint AS given FROM (SELECT o.visit, sum(coalesce(r.cost, r.amount)) AS given
		FROM order_rewards r JOIN orders o ON o.shop_id = r.shop_id AND o.number = r.order_number
		WHERE r.shop_id = @shop AND r.nudge_id IN @givers AND o.visit <> '' AND o.placed_at >= @from AND o.placed_at < @to AND o.region IN @regions GROUP BY 1) v `+joined+` GROUP BY 1`, q.args()).Scan(&rows).Error
	out := map[string]money.Minor{}
	for _, r := range rows {
		out[r.Arm] = r.Given
	}
	return out, err
}

// RunningTrials reads the trials that go on, with what they try.
func (s *Store) RunningTrials(ctx context.Context, shop string, live []snapshot.Live) ([]snapshot.Trial, error) {
	var trials []Trial
	if err := s.DB.WithContext(ctx).Where("shop_id = ? AND ended_at IS NULL", shop).Order("id").Find(&trials).Error; err != nil {
		return nil, fmt.Errorf("reading trials: %w", err)
	}
	var out []snapshot.Trial
	for _, t := range trials {
		for _, m := range t.Members {
			if slices.ContainsFunc(live, func(l snapshot.Live) bool { return l.ID == m.Nudge && l.Revision == m.Revision }) {
				out = append(out, snapshot.Trial{ID: t.ID, Name: t.Name, Nudge: m.Nudge, Share: t.Share, Among: t.Among(), When: t.Who, Set: true, OnlyB: m.OnlyB, Begun: m.Begun})
			}
		}
		for _, l := range live {
			if l.ID != t.NudgeID || l.Revision != t.RevisionA {
				continue
			}
			if t.Without() {
				out = append(out, snapshot.Trial{ID: t.ID, Nudge: t.NudgeID, Share: t.Share, Among: t.Among(), When: t.Who, Without: true})
				continue
			}
			var b Revision
			if err := s.DB.WithContext(ctx).Where("shop_id = ? AND nudge_id = ? AND number = ?", shop, t.NudgeID, t.RevisionB).Take(&b).Error; err != nil {
				return nil, fmt.Errorf("reading what is tried: %w", err)
			}
			out = append(out, snapshot.Trial{ID: t.ID, Nudge: t.NudgeID, Share: t.Share, Among: t.Among(), When: t.Who, B: snapshot.Live{ID: l.ID, Revision: b.Number, Priority: l.Priority, Definition: b.Definition}})
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
