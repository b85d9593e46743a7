package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/store"
)

// MostInSets is how many nudges two sets that are compared have together.
const MostInSets = 20

// mostTrialName bounds the name of a trial, in characters.
const mostTrialName = 80

// SetsAsked is how one set of nudges is to be compared with another.
type SetsAsked struct {
	Name string
	A, B []string // the nudges that those in A have and those in B do not, and the other way round
	TrialAsked
}

// check tells what no two sets can be. Errors: Problem.
func (q *SetsAsked) check() error {
	switch {
	case len(q.A)+len(q.B) == 0:
		return Problem{"sets", "Choose at least one nudge that A or B alone has."}
	case len(q.A)+len(q.B) > MostInSets:
		return Problem{"sets", fmt.Sprintf("Two sets have at most %d nudges together.", MostInSets)}
	case slices.ContainsFunc(q.A, func(id string) bool { return slices.Contains(q.B, id) }):
		return Problem{"sets", "A nudge is in one of the sets only."}
	case strings.TrimSpace(q.Name) == "":
		return Problem{"name", "Give the trial a name."}
	case utf8.RuneCountInString(q.Name) > mostTrialName:
		return Problem{"name", fmt.Sprintf("A name has at most %d characters.", mostTrialName)}
	}
	return q.TrialAsked.check()
}

// PlanSets tells how long a trial of two sets takes, by the visits that could see the one of
// their nudges that most could see, or where none is live, by all visits.
func (a *App) PlanSets(ctx context.Context, shop string, asked SetsAsked) (TrialPlan, error) {
	p := TrialPlan{TrialAsked: asked.TrialAsked}
	if err := asked.check(); err != nil {
		return p, err
	}
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return p, err
	}
	usual, err := a.usualCurrency(ctx, snap, slices.Concat(asked.A, asked.B))
	if err != nil {
		return p, err
	}
	p.Currency = asked.currency(snap, usual)
	when := a.lately(snap, p.Currency)
	query, err := a.query(ctx, shop, &when)
	if err != nil {
		return p, err
	}
	query = asked.narrow(query)
	query.Kinds = []results.Kind{results.Could, results.Visit}
	counts, err := a.Store.Counts(ctx, shop, query)
	if err != nil {
		return p, err
	}
	var v results.Visits
	for i := range counts {
		if c := &counts[i]; c.Kind == results.Visit && c.Arm != results.ArmNone {
			v.Add(&c.Visits)
		}
	}
	most := ""
	figures := results.OfNudges(counts, judgedFrom)
	for _, id := range slices.Concat(asked.A, asked.B) {
		if f := figures[id]; f != nil && len(snap.Find(id)) > 0 && (most == "" || f.With.Visits > figures[most].With.Visits) {
			most = id
		}
	}
	past, err := a.behind(ctx, shop, most, &when)
	if err != nil {
		return p, err
	}
	if past.Regions = query.Regions; most == "" {
		past.Kind = results.Visit
	} else {
		v = figures[most].With
	}
	p.By = most
	return p, a.foresee(ctx, &p, v, past)
}

// usualCurrency is that of the first region in which one of some nudges promises something.
// Errors: Problem.
func (a *App) usualCurrency(ctx context.Context, snap *ShopSnapshot, ids []string) (money.Currency, error) {
	for _, id := range ids {
		n, err := a.Nudge(ctx, snap.Shop.ID, id)
		if errors.Is(err, ErrNotFound) {
			return "", errNudgeGone
		}
		if err != nil {
			return "", err
		}
		if r := n.Draft.FirstRegion(snap.Regions()); r.Currency != "" {
			return r.Currency, nil
		}
	}
	return "", Problem{"sets", "None of these nudges promises anything in a region of the shop."}
}

var errNudgeGone = Problem{"sets", "One of the nudges is not there any more; look at the list as it is now."}

// StartSets compares one set of nudges with another from now on: those that only B has, or only
// A, and are not in force are put in force for it. Errors: Problem.
func (a *App) StartSets(ctx context.Context, shop, who string, asked SetsAsked) (store.Trial, error) {
	var t store.Trial
	plan, err := a.PlanSets(ctx, shop, asked)
	if err != nil {
		return t, err
	}
	if err := a.toldVisitors(ctx, shop); err != nil {
		return t, err
	}
	err = a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		members, err := a.members(ctx, tx, shop, who, &asked)
		if err != nil {
			return err
		}
		from, err := room(tx, shop, &asked.TrialAsked)
		if err != nil {
			return err
		}
		var earlier int64
		if err := tx.Model(&store.Trial{}).Where("shop_id = ? AND nudge_id = ''", shop).Count(&earlier).Error; err != nil {
			return err
		}
		t = plan.trial(shop, who, from, a.Now().UTC())
		t.ID, t.Name, t.Members = fmt.Sprintf("sets--%d", earlier+1), strings.TrimSpace(asked.Name), members
		if err := tx.Create(&t).Error; err != nil {
			return err
		}
		return announce(tx, shop)
	})
	return t, a.refreshed(ctx, shop, err)
}

// members locks the nudges of both sets, puts those in force that are not, and tells which
// revisions are compared.
func (a *App) members(ctx context.Context, tx *gorm.DB, shop, who string, asked *SetsAsked) ([]store.Member, error) {
	ns, err := lockNudges(tx, shop, slices.Concat(asked.A, asked.B))
	if err != nil {
		return nil, err
	}
	if len(ns) < len(asked.A)+len(asked.B) {
		return nil, errNudgeGone
	}
	var running []store.Trial
	if err := tx.Where("shop_id = ? AND ended_at IS NULL", shop).Find(&running).Error; err != nil {
		return nil, err
	}
	var out []store.Member
	for i := range ns {
		n := &ns[i]
		if slices.ContainsFunc(running, func(t store.Trial) bool { return slices.Contains(t.Nudges(), n.ID) }) {
			return nil, Problem{"sets", n.Draft.Name + " is being tried already; stop that trial first."}
		}
		m := store.Member{Nudge: n.ID, OnlyB: slices.Contains(asked.B, n.ID), Begun: n.State != store.StateLive}
		if m.Begun {
			if err := a.inForce(ctx, tx, n, who); err != nil {
				return nil, named(err, n.Draft.Name)
			}
			n.ChangedBy = who
			if err := tx.Save(n).Error; err != nil {
				return nil, err
			}
		}
		live, err := revision(tx, shop, n.ID, n.LiveRevision)
		if err != nil {
			return nil, err
		}
		if live.Definition.ByCode() {
			return nil, Problem{"sets", n.Draft.Name + " needs a code, which was promised to people elsewhere, so it is kept from nobody."}
		}
		m.Revision = n.LiveRevision
		out = append(out, m)
	}
	return out, nil
}

// named says of which nudge a refusal is.
func named(err error, name string) error {
	var blocked Blocked
	if errors.As(err, &blocked) {
		return Problem{"sets", name + " cannot go live: " + blocked.Error()}
	}
	return err
}

// lockNudges reads nudges that are not deleted and locks them, always in the same order.
func lockNudges(tx *gorm.DB, shop string, ids []string) (out []store.Nudge, err error) {
	return out, tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("shop_id = ? AND id IN ? AND deleted_at IS NULL", shop, ids).Order("id").Find(&out).Error
}

// endSets ends a trial of two sets. What was put in force for it ends with it, unless its set is
// kept alone: then the nudges of the other set end. Who was shown one of those keeps it for the
// time that the shop keeps its word.
func (a *App) endSets(ctx context.Context, t *store.Trial, who string, how store.Outcome) error {
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		ns, err := lockNudges(tx, t.ShopID, t.Nudges())
		if err != nil {
			return err
		}
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("shop_id = ? AND id = ?", t.ShopID, t.ID).Take(t).Error; err != nil {
			return err
		}
		takes := how == store.Took || how == store.TookA
		switch {
		case takes && (t.Outcome == store.Took || t.Outcome == store.TookA), !takes && !t.Running():
			return nil // it is in force, or ended, already
		case takes && setsMoved(t, ns):
			return Problem{"state", "One of the nudges was changed meanwhile, so nothing is put in force over it. Look at the nudges."}
		}
		now := a.Now().UTC()
		for i := range ns {
			if err := a.afterwards(ctx, tx, t, &ns[i], who, how); err != nil {
				return err
			}
		}
		if t.Running() {
			err = end(tx, t, who, how, now)
		} else {
			t.Outcome, t.EndedBy = how, who
			err = tx.Save(t).Error
		}
		if err != nil {
			return err
		}
		return announce(tx, t.ShopID)
	})
	return a.refreshed(ctx, t.ShopID, err)
}

// setsMoved tells whether a nudge of the sets is not as the trial left it.
func setsMoved(t *store.Trial, ns []store.Nudge) bool {
	return len(ns) < len(t.Members) || slices.ContainsFunc(ns, func(n store.Nudge) bool {
		m := memberOf(t, n.ID)
		is := store.StateLive
		if m.Begun && !t.Running() {
			is = store.StateEnded
		}
		return n.LiveRevision != m.Revision || n.State != is
	})
}

func memberOf(t *store.Trial, nudge string) store.Member {
	return t.Members[slices.IndexFunc(t.Members, func(m store.Member) bool { return m.Nudge == nudge })]
}

// afterwards puts a nudge of two sets in force, or ends it, as the trial's end asks for.
func (a *App) afterwards(ctx context.Context, tx *gorm.DB, t *store.Trial, n *store.Nudge, who string, how store.Outcome) error {
	m, state := memberOf(t, n.ID), n.State
	switch {
	case (how == store.Took || how == store.TookA) && m.OnlyB == (how == store.Took):
		state = store.StateLive
	case how == store.Took || how == store.TookA, m.Begun && n.State == store.StateLive && n.LiveRevision == m.Revision:
		state = store.StateEnded
	}
	if state == n.State {
		return nil
	}
	if state == store.StateLive {
		if err := a.mayResume(ctx, tx, n); err != nil {
			return named(err, n.Draft.Name)
		}
	}
	n.State, n.StateSince, n.ChangedBy, n.PutAway = state, a.Now().UTC(), who, false
	return tx.Save(n).Error
}
