package app_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/trial"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

const tried = "winter-ladder"

// changed makes the draft of the winter ladder begin elsewhere.
func changed(t *testing.T, a *app.App, change func(*nudge.Definition)) store.Nudge {
	t.Helper()
	n, err := a.Nudge(ctx, demo.Shop, tried)
	require.NoError(t, err)
	n, err = a.EditDraft(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, func(d *nudge.Definition) error {
		change(d)
		return nil
	})
	require.NoError(t, err)
	return n
}

func from(cents money.Minor) func(*nudge.Definition) {
	return func(d *nudge.Definition) {
		d.Ladder.Rungs[0].Thresholds["home"] = money.Amount{Minor: cents, Currency: "EUR"}
	}
}

// begun begins a trial of a lower goal.
func begun(t *testing.T, a *app.App) store.Trial {
	t.Helper()
	n := changed(t, a, from(2000))
	tr, err := a.StartTrial(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, money.Whole/5, money.Whole/2)
	require.NoError(t, err)
	return tr
}

// goal is where the winter ladder begins for a visit.
func goal(t *testing.T, a *app.App, v decide.Visit) (cents money.Minor, arm string) {
	t.Helper()
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	cart := decide.Cart{Lines: []decide.CartLine{{SKU: "HARBLU-30", Quantity: 1}}, Destination: &decide.Destination{Country: "DE"}}
	d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Visit: v, Moment: decide.Moment{At: a.Now()}})
	require.NoError(t, err)
	for _, n := range d.Nudges {
		if n.Nudge == tried {
			return n.Rungs[0].Threshold, n.Arm
		}
	}
	require.Fail(t, "it is not there")
	return 0, ""
}

// who finds a visitor of an arm.
func who(tr store.Trial, b bool) string {
	for i := 0; ; i++ {
		if v := fmt.Sprint("visitor-", i); trial.Within(trial.Name(tr.ID), v, tr.Share) == b {
			return v
		}
	}
}

func TestATrialGivesEachVisitorOneOfTwo(t *testing.T) {
	a := storetest.Demo(t)
	tr := begun(t, a)
	for b, want := range map[bool]money.Minor{false: 6000, true: 2000} {
		cents, arm := goal(t, a, decide.Visit{Visitor: who(tr, b)})
		assert.Equal(t, want, cents)
		assert.Equal(t, trial.Arm(tr.ID, b), arm)
	}
	n, err := a.Nudge(ctx, demo.Shop, tried)
	require.NoError(t, err)
	assert.Equal(t, 1, n.LiveRevision, "what is live is what it was")
	assert.True(t, n.Dirty)
	_, err = a.StartTrial(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, money.Whole/5, money.Whole/2)
	assert.ErrorContains(t, err, "tried already")

	// Once it ends, everybody has what was there, but for who was shown the other a moment ago.
	_, err = a.EndTrial(ctx, demo.Shop, tr.ID, "Ilse", store.Broken)
	require.NoError(t, err)
	b := who(tr, true)
	cents, arm := goal(t, a, decide.Visit{Visitor: b})
	assert.EqualValues(t, 6000, cents)
	assert.Empty(t, arm)
	cents, _ = goal(t, a, decide.Visit{Visitor: b, Shown: []decide.ShownRef{{Nudge: tried, Revision: tr.RevisionB}}})
	assert.EqualValues(t, 2000, cents, "a promise that was shown is kept for the grace time")
}

func TestWhatCannotBeTried(t *testing.T) {
	a := storetest.Demo(t)
	start := func(worth, share money.Rate) error {
		n, err := a.Nudge(ctx, demo.Shop, tried)
		require.NoError(t, err)
		_, err = a.StartTrial(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, worth, share)
		return err
	}
	half := money.Whole / 2
	assert.ErrorContains(t, start(half, half), "nothing to try")
	assert.ErrorContains(t, start(half, money.Whole), "from 5 to 95")
	assert.ErrorContains(t, start(0, half), "from 1 to 100")
	changed(t, a, from(2000))
	require.NoError(t, a.Store.DB.Model(&store.Order{}).Where("shop_id = ? AND number % 2 = 0", demo.Shop).Update("with_visitor", false).Error)
	assert.ErrorContains(t, start(half, half), "did not tell who visited")
	require.NoError(t, a.Store.DB.Model(&store.Order{}).Where("shop_id = ?", demo.Shop).Update("with_visitor", true).Error)
	n := changed(t, a, func(d *nudge.Definition) { d.Ladder.Scope.Include.Collections = []string{"Inks"} })
	assert.ErrorContains(t, start(half, half), "counts other goods")
	changed(t, a, func(d *nudge.Definition) {
		d.Ladder.Scope.Include.Collections = nil
		d.Audience.Regions = []string{"home"}
	})
	assert.ErrorContains(t, start(half, half), "is meant for others")
	_, err := a.StartTrial(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, half, half)
	assert.ErrorAs(t, err, new(app.Conflict))
	changed(t, a, func(d *nudge.Definition) {
		d.Audience.Regions = []string{"home", "eu"}
		d.Placements = nil
	})
	assert.ErrorAs(t, start(half, half), new(app.Blocked), "what a check stops is not tried")
	_, err = a.SetState(ctx, demo.Shop, tried, "Ilse", "", store.StatePaused)
	require.NoError(t, err)
	assert.ErrorContains(t, start(half, half), "while it is live")
}

// come lets visits come to both arms, with orders of which B has more.
func come(t *testing.T, a *app.App, tr store.Trial, visits int, orders map[bool]int) {
	t.Helper()
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	for _, b := range []bool{false, true} {
		for i := range visits {
			id := fmt.Sprintf("come-%v-%d", b, i)
			e := app.EventInput{Kind: results.Could, Nudge: tried, Revision: 1, Arm: trial.Arm(tr.ID, b)}
			require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: id, Region: "home", Events: []app.EventInput{e}}))
			if i >= orders[b] {
				continue
			}
			cart := decide.Cart{Lines: []decide.CartLine{{SKU: "HARBLU-30", Quantity: 1 + int64(i%4)}}, Destination: &decide.Destination{Country: "DE"}}
			v := decide.Visit{ID: id, Visitor: who(tr, b)}
			d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Visit: v, Moment: decide.Moment{At: a.Now()}})
			require.NoError(t, err)
			_, err = a.PlaceOrder(ctx, demo.Shop, app.OrderRequest{Key: id, Cart: cart, Visit: v, Expect: d.ToPay, Charged: true})
			require.NoError(t, err)
		}
	}
}

func TestATrialEndsByItselfWhenItIsSure(t *testing.T) {
	a := storetest.Demo(t)
	tr := begun(t, a)
	require.NoError(t, a.MindTrials(ctx))
	come(t, a, tr, 120, map[bool]int{false: 20, true: 90})
	f, err := a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.EqualValues(t, [4]int64{120, 120, 20, 90}, [4]int64{f.A.Visits, f.B.Visits, f.A.Orders, f.B.Orders})
	// The sums are those of the orders.
	var sum struct{ A, B money.Minor }
	for b, into := range map[bool]*money.Minor{false: &sum.A, true: &sum.B} {
		require.NoError(t, a.Store.DB.Model(&store.Order{}).Where("visit LIKE ?", fmt.Sprintf("come-%v-%%", b)).Select("sum(margin)").Scan(into).Error)
	}
	assert.Equal(t, sum.A, f.A.Margin)
	assert.Equal(t, sum.B, f.B.Margin)
	assert.True(t, f.Look.Sure())
	assert.Positive(t, f.Look.Low)
	require.NoError(t, a.MindTrials(ctx))
	f, err = a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.Equal(t, store.FoundB, f.Outcome)
	require.NotNil(t, f.EndedAt)

	// The winner is published by one act, however often that is done.
	for range 2 {
		_, err = a.EndTrial(ctx, demo.Shop, tr.ID, "Ilse", store.Took)
		require.NoError(t, err)
	}
	n, err := a.Nudge(ctx, demo.Shop, tried)
	require.NoError(t, err)
	assert.Equal(t, tr.RevisionB, n.LiveRevision)
	assert.False(t, n.Dirty)
	cents, _ := goal(t, a, decide.Visit{})
	assert.EqualValues(t, 2000, cents)
	cents, _ = goal(t, a, decide.Visit{Shown: []decide.ShownRef{{Nudge: tried, Revision: 1}}})
	assert.EqualValues(t, 6000, cents, "who was shown the first keeps it for the grace time")
}

func TestATrialEndsWhereItsNudgeChangesAndOnItsLastDay(t *testing.T) {
	a := storetest.Demo(t)
	outcome := func(tr store.Trial) store.Outcome {
		require.NoError(t, a.MindTrials(context.Background()))
		f, err := a.TrialResults(ctx, demo.Shop, tr.ID)
		require.NoError(t, err)
		return f.Outcome
	}
	first := begun(t, a)
	n := changed(t, a, from(3000))
	_, err := a.Publish(ctx, demo.Shop, tried, "Ilse", n.DraftVersion)
	require.NoError(t, err)
	cents, arm := goal(t, a, decide.Visit{Visitor: who(first, true)})
	assert.EqualValues(t, 3000, cents, "what is published now is for everybody")
	assert.Empty(t, arm)
	assert.Equal(t, store.Changed, outcome(first))
	_, err = a.EndTrial(ctx, demo.Shop, first.ID, "Ilse", store.Took)
	assert.ErrorContains(t, err, "changed meanwhile")

	second := begun(t, a)
	assert.Empty(t, outcome(second))
	late := second.Until.AddDate(0, 0, 2)
	a.Now = func() time.Time { return late }
	assert.Equal(t, store.Undecided, outcome(second))
}
