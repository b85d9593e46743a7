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
	tr, err := a.StartTrial(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, app.TrialAsked{Worth: money.Whole / 5, Share: money.Whole / 2})
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
	_, err = a.StartTrial(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, app.TrialAsked{Worth: money.Whole / 5, Share: money.Whole / 2})
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
		_, err = a.StartTrial(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, app.TrialAsked{Worth: worth, Share: share})
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
	_, err := a.StartTrial(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, app.TrialAsked{Worth: half, Share: half})
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

func TestANudgeIsTriedAgainstDoingWithout(t *testing.T) {
	a := storetest.Demo(t)
	half := money.Whole / 2
	_, err := a.StartWithout(ctx, demo.Shop, "harbour-code", "Ilse", app.TrialAsked{Worth: half, Share: half})
	assert.ErrorContains(t, err, "kept from nobody")
	tr, err := a.StartWithout(ctx, demo.Shop, tried, "Ilse", app.TrialAsked{Worth: half, Share: half})
	require.NoError(t, err)
	assert.Equal(t, tried+"-without-1", tr.ID)
	n := changed(t, a, from(2000))
	_, err = a.StartTrial(ctx, demo.Shop, tried, "Ilse", n.DraftVersion, app.TrialAsked{Worth: half, Share: half})
	assert.ErrorContains(t, err, "tried already")

	// They are counted as those of the trial, and neither as those who could see it nor as those who are kept from it.
	for visit, e := range map[string]app.EventInput{
		"has":  {Kind: results.Could, Nudge: tried, Revision: 1, Arm: tr.ArmA()},
		"does": {Kind: results.Could, Nudge: tried, Revision: 1, Held: true, Arm: tr.ArmB()},
		"kept": {Kind: results.Could, Nudge: tried, Revision: 1, Held: true},
	} {
		require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: visit, Region: "home", Events: []app.EventInput{e}}))
	}
	f, err := a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.Equal(t, [2]int64{1, 1}, [2]int64{f.A.Visits, f.B.Visits})
	day := a.Now().UTC()
	found, err := a.Results(ctx, demo.Shop, app.Asked{From: day.AddDate(0, 0, -2), To: day.AddDate(0, 0, 2), Currency: "EUR"})
	require.NoError(t, err)
	assert.Equal(t, [2]int64{1, 1}, [2]int64{found.Nudges[tried].Could, found.Nudges[tried].Held})

	// Whoever takes B has the nudge paused, however often that is said.
	for range 2 {
		_, err = a.EndTrial(ctx, demo.Shop, tr.ID, "Ilse", store.Took)
		require.NoError(t, err)
	}
	n, err = a.Nudge(ctx, demo.Shop, tried)
	require.NoError(t, err)
	assert.Equal(t, store.StatePaused, n.State)
	_, err = a.StartWithout(ctx, demo.Shop, tried, "Ilse", app.TrialAsked{Worth: half, Share: half})
	assert.ErrorContains(t, err, "while it is live")
	_, err = a.SetState(ctx, demo.Shop, tried, "Ilse", store.StatePaused, store.StateLive)
	require.NoError(t, err)
	tr, err = a.StartWithout(ctx, demo.Shop, tried, "Ilse", app.TrialAsked{Worth: half, Share: half})
	require.NoError(t, err)
	assert.Equal(t, tried+"-without-2", tr.ID)
}

func TestTrialsThatAreKeptApartHaveRoomForEachOther(t *testing.T) {
	a := storetest.Demo(t)
	asked := app.TrialAsked{Worth: money.Whole / 5, Share: money.Whole / 2, Part: 600_000, Apart: true}
	first, err := a.StartWithout(ctx, demo.Shop, tried, "Ilse", asked)
	require.NoError(t, err)
	_, err = a.StartWithout(ctx, demo.Shop, "notebooks-by-the-stack", "Ilse", asked)
	assert.ErrorContains(t, err, "40 % are free together")
	asked.Part = 400_000
	second, err := a.StartWithout(ctx, demo.Shop, "notebooks-by-the-stack", "Ilse", asked)
	require.NoError(t, err)
	both := 0
	for i := range 2000 {
		v := trial.Of(fmt.Sprint(i))
		if first.Among().Holds(v) == second.Among().Holds(v) {
			both++
		}
	}
	assert.Zero(t, both)
	// One that is not kept apart takes no room, and once one ends its room is free.
	other := app.TrialAsked{Worth: money.Whole / 5, Share: money.Whole / 2}
	_, err = a.StartWithout(ctx, demo.Shop, "a-sampler-with-a-full-basket", "Ilse", other)
	require.NoError(t, err)
	_, err = a.EndTrial(ctx, demo.Shop, first.ID, "Ilse", store.Broken)
	require.NoError(t, err)
	asked.Part = 600_000
	again, err := a.StartWithout(ctx, demo.Shop, tried, "Ilse", asked)
	require.NoError(t, err)
	assert.EqualValues(t, 0, again.PartFrom)
	other.Part = money.Whole / 100
	_, err = a.StartWithout(ctx, demo.Shop, "three-nibs-for-two", "Ilse", other)
	assert.ErrorContains(t, err, "from 5 to 100")
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
	// And what was given away, that of the traces of those orders.
	for b, got := range map[bool]money.Minor{false: f.GivenA, true: f.GivenB} {
		var orders []store.Order
		require.NoError(t, a.Store.DB.Preload("Rewards").Where("visit LIKE ?", fmt.Sprintf("come-%v-%%", b)).Find(&orders).Error)
		given := money.Minor(0)
		for _, o := range orders {
			for _, r := range o.Decision.Rewards {
				if r.Nudge == tried {
					given += r.Amount
				}
			}
		}
		assert.Equal(t, given, got)
		assert.Equal(t, b, got > 0, "of four pieces and fewer only B's goal is reached")
	}
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

func TestALargeOrderDecidesNoTrial(t *testing.T) {
	a := storetest.Demo(t)
	tr := begun(t, a)
	assert.Nil(t, tr.Cap, "too few orders in the weeks before")
	come(t, a, tr, 60, map[bool]int{false: 40, true: 40})
	plain, err := a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	const most = 2500
	require.NoError(t, a.Store.DB.Model(&store.Trial{}).Where("id = ?", tr.ID).Update("cap", most).Error)
	f, err := a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	above := int64(0)
	for b, v := range map[bool]*results.Visits{false: &f.A, true: &f.B} {
		var margins []money.Minor
		require.NoError(t, a.Store.DB.Model(&store.Order{}).Where("visit LIKE ?", fmt.Sprintf("come-%v-%%", b)).Pluck("margin", &margins).Error)
		require.Len(t, margins, 40)
		sum, squares := money.Minor(0), int64(0)
		for _, m := range margins {
			if m > most {
				m, above = most, above+1
			}
			sum, squares = sum+m, squares+m*m
		}
		assert.Equal(t, sum, v.Margin)
		assert.Equal(t, fmt.Sprint(squares), v.Squares.String())
	}
	assert.Equal(t, above, f.Capped)
	assert.Positive(t, above)
	assert.Less(t, f.Look.High-f.Look.Low, plain.Look.High-plain.Look.Low, "the band is narrower")
	assert.InDelta(t, 0, f.Conversion.Mid, 1e-9, "40 of 60 both")
	assert.True(t, f.OrderValue.Enough)
}

func TestVisitsThatDidWithoutAreNoPartOfAPlan(t *testing.T) {
	a := storetest.Demo(t)
	past := a.Now()
	tr, err := a.StartWithout(ctx, demo.Shop, tried, "Ilse", app.TrialAsked{Worth: money.Whole / 5, Share: money.Whole / 2})
	require.NoError(t, err)
	for i := range 120 { // all of them with an order
		arm := tr.ArmA()
		if i%2 == 0 {
			arm = tr.ArmB()
		}
		id := fmt.Sprint("planned-", i)
		require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: id, Region: "home", Events: []app.EventInput{{Kind: results.Could, Nudge: tried, Revision: 1, Held: i%2 == 0, Arm: arm}}}))
		cart := decide.Cart{Lines: []decide.CartLine{{SKU: "HARBLU-30", Quantity: 1}}, Destination: &decide.Destination{Country: "DE"}}
		_, err := a.PlaceOrder(ctx, demo.Shop, app.OrderRequest{Key: id, Cart: cart, Visit: decide.Visit{ID: id, Visitor: id}, Expect: 1, Charged: true})
		require.NoError(t, err)
	}
	// 60 visits that have it leave 8.00 each; of those that do without 59 leave 10.00, and one 900.00.
	require.NoError(t, a.Store.DB.Exec(`UPDATE orders o SET margin = CASE WHEN e.arm = ? THEN 800 WHEN o.visit = 'planned-0' THEN 90000 ELSE 1000 END
		FROM events e WHERE e.shop_id = o.shop_id AND e.visit = o.visit AND o.visit LIKE 'planned-%'`, tr.ArmA()).Error)
	_, err = a.Store.Recount(ctx, demo.Shop)
	require.NoError(t, err)
	next := past.AddDate(0, 0, 1)
	a.Now = func() time.Time { return next }
	p, err := a.PlanTrial(ctx, demo.Shop, tried, app.TrialAsked{Worth: money.Whole / 5, Share: money.Whole / 2})
	require.NoError(t, err)
	require.NotNil(t, p.Cap)
	assert.Less(t, *p.Cap, money.Minor(90000), "one visit of more than a hundred does not set it")
	assert.InDelta(t, 800, p.Margin, 1e-9, "of those who have it, whatever the others left")
}

func TestATrialEndsWhereMoreOfBComesBack(t *testing.T) {
	a := storetest.Demo(t)
	tr := begun(t, a)
	come(t, a, tr, 80, map[bool]int{false: 60, true: 60})
	require.NoError(t, a.MindTrials(ctx))
	f, err := a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	require.Empty(t, f.Outcome)
	require.NoError(t, a.Store.DB.Exec(`INSERT INTO order_returns (shop_id, order_number, number, lines, way, refund, restocked, at, by)
		SELECT shop_id, number, 1, '[]', 'keep', 100, true, now(), 'Ilse' FROM orders WHERE visit LIKE 'come-true-%' ORDER BY number LIMIT 45`).Error)
	require.NoError(t, a.MindTrials(ctx))
	f, err = a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.EqualValues(t, [2]int64{0, 45}, [2]int64{f.BackA, f.BackB})
	assert.Equal(t, store.Harmed, f.Outcome)
}

func TestVisitsThatSawTheOtherAreLeftOut(t *testing.T) {
	a := storetest.Demo(t)
	tr := begun(t, a)
	next := a.Now().AddDate(0, 0, 1)
	a.Now = func() time.Time { return next }
	for i, e := range []app.EventInput{
		{Kind: results.Could, Nudge: tried, Revision: tr.RevisionA},                               // a visitor of B who was shown A
		{Kind: results.Could, Nudge: tried, Revision: tr.RevisionA, Held: true},                   // kept from it
		{Kind: results.Could, Nudge: tried, Revision: tr.RevisionA, Arm: trial.Arm(tr.ID, false)}, // A
	} {
		require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: fmt.Sprint("left-", i), Region: "home", Events: []app.EventInput{e}}))
	}
	f, err := a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.EqualValues(t, 1, f.Left)
	assert.EqualValues(t, 1, f.A.Visits)
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

func TestATrialEndsWherePagesOfBAreSlow(t *testing.T) {
	a := storetest.Demo(t)
	tr := begun(t, a)
	load := func(tr store.Trial, nudge string, visits int, slower int) {
		for _, b := range []bool{false, true} {
			for i := range visits {
				e := app.EventInput{Kind: results.Loaded, Nudge: nudge, Revision: 1, Arm: trial.Arm(tr.ID, b), Ms: 800 + i%400}
				if b {
					e.Ms += slower
				}
				id := fmt.Sprintf("load-%s-%v-%d", tr.ID, b, i)
				for range 2 { // a second report is none
					require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: id, Region: "home", Events: []app.EventInput{e}}))
				}
			}
		}
	}
	load(tr, tried, 110, 90)
	require.NoError(t, a.MindTrials(ctx))
	f, err := a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.True(t, f.Running(), "less than a tenth of a second is not noticed")
	assert.EqualValues(t, [2]int64{110, 110}, [2]int64{f.SpeedA.Pages, f.SpeedB.Pages})
	assert.InDelta(t, 90, f.Speed.Mid, 1e-9)
	_, err = a.EndTrial(ctx, demo.Shop, tr.ID, "Ilse", store.Broken)
	require.NoError(t, err)

	sets := startSets(t, a)
	load(sets, sampler, 110, 900)
	require.NoError(t, a.MindTrials(ctx))
	f, err = a.TrialResults(ctx, demo.Shop, sets.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Slowed, f.Outcome)
	assert.InDelta(t, 900, f.Speed.Mid, 1e-9)
	for _, ms := range []int{-1, 0} {
		err = a.Record(ctx, demo.Shop, app.EventBatch{Visit: "none", Region: "home", Events: []app.EventInput{{Kind: results.Loaded, Nudge: tried, Revision: 1, Ms: ms}}})
		assert.ErrorContains(t, err, "1 or more milliseconds")
	}
}
