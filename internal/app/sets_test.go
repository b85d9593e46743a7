package app_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

const (
	sampler = "a-sampler-with-a-full-basket"
	draft   = "three-colours-one-parcel" // never published
)

var setsAsked = app.SetsAsked{Name: " Ladder or colours ", A: []string{tried, sampler}, B: []string{draft}, TrialAsked: app.TrialAsked{Worth: money.Whole / 5, Share: money.Whole / 2}}

func startSets(t *testing.T, a *app.App) store.Trial {
	t.Helper()
	tr, err := a.StartSets(ctx, demo.Shop, "Ilse", setsAsked)
	require.NoError(t, err)
	return tr
}

// given are the nudges that give something to a visit of three colours of ink, or would with more.
func given(t *testing.T, a *app.App, v decide.Visit) map[string]decide.Reason {
	t.Helper()
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	cart := decide.Cart{Destination: &decide.Destination{Country: "DE"}}
	for _, sku := range []string{"HARBLU-30", "BEARED-30", "OYSGRE-30"} {
		cart.Lines = append(cart.Lines, decide.CartLine{SKU: sku, Quantity: 1})
	}
	d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Visit: v, Every: true, Moment: decide.Moment{At: a.Now()}})
	require.NoError(t, err)
	out := map[string]decide.Reason{}
	for _, n := range d.Nudges {
		out[n.Nudge] = n.Reason
	}
	return out
}

func states(t *testing.T, a *app.App) (out [3]store.State) {
	t.Helper()
	for i, id := range []string{tried, sampler, draft} {
		n, err := a.Nudge(ctx, demo.Shop, id)
		require.NoError(t, err)
		out[i] = n.State
	}
	return out
}

func TestTwoSetsAreComparedUntilOneIsKept(t *testing.T) {
	a := storetest.Demo(t)
	tr := startSets(t, a)
	assert.Equal(t, "Ladder or colours", tr.Name)
	assert.Equal(t, [3]store.State{store.StateLive, store.StateLive, store.StateLive}, states(t, a))
	// Each visitor has one of the sets, and who is not told has what was there before.
	inA, inB, nobody := given(t, a, decide.Visit{Visitor: who(tr, false)}), given(t, a, decide.Visit{Visitor: who(tr, true)}), given(t, a, decide.Visit{})
	assert.Equal(t, decide.HeldOut, inA[draft])
	assert.NotEqual(t, decide.HeldOut, inA[tried])
	assert.Equal(t, [2]decide.Reason{decide.HeldOut, decide.HeldOut}, [2]decide.Reason{inB[tried], inB[sampler]})
	assert.NotEqual(t, decide.HeldOut, inB[draft])
	assert.Equal(t, decide.TrialOnly, nobody[draft])
	for _, x := range []struct{ a, b []string }{{[]string{tried}, nil}, {nil, []string{draft}}} {
		_, err := a.StartSets(ctx, demo.Shop, "Ilse", app.SetsAsked{Name: "Once more", A: x.a, B: x.b, TrialAsked: setsAsked.TrialAsked})
		assert.ErrorContains(t, err, "being tried already")
	}
	_, err := a.StartWithout(ctx, demo.Shop, sampler, "Ilse", setsAsked.TrialAsked)
	assert.ErrorContains(t, err, "tried already")

	// A visit counts once for the trial, however many of its nudges it could see, as the arm says.
	could := func(visit, nudge, arm string, held bool) {
		e := app.EventInput{Kind: results.Could, Nudge: nudge, Revision: 1, Arm: arm, Held: held}
		require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: visit, Region: "home", Events: []app.EventInput{e}}))
	}
	for range 2 {
		could("one", tried, tr.ID+":A", false)
		could("one", sampler, tr.ID+":A", false)
		could("one", draft, tr.ID+":A:without", true)
		could("two", draft, tr.ID+":B", false)
		could("three", tried, tr.ID+":B:without", true)
		could("kept", tried, "", true)
	}
	cart := decide.Cart{Lines: []decide.CartLine{{SKU: "HARBLU-30", Quantity: 5}}, Destination: &decide.Destination{Country: "DE"}}
	v := decide.Visit{ID: "one", Visitor: who(tr, false)}
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: cart, Visit: v, Moment: decide.Moment{At: a.Now()}})
	require.NoError(t, err)
	o, err := a.PlaceOrder(ctx, demo.Shop, app.OrderRequest{Key: "one", Cart: cart, Visit: v, Expect: d.ToPay, Charged: true})
	require.NoError(t, err)
	f, err := a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.Equal(t, [4]int64{1, 2, 1, 0}, [4]int64{f.A.Visits, f.B.Visits, f.A.Orders, f.B.Orders})
	require.NotNil(t, o.Margin)
	assert.Equal(t, *o.Margin, f.A.Margin)
	sum := money.Minor(0)
	for _, r := range d.Rewards {
		if r.Nudge == tried || r.Nudge == sampler {
			sum += r.Amount
		}
	}
	assert.Equal(t, sum, f.GivenA)
	assert.Positive(t, sum)
	recounted(t, a)
	again, err := a.TrialResults(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.Equal(t, f, again)

	// Keeping B alone ends what A has, however often it is said; what was shown is kept for a while.
	for range 2 {
		_, err = a.EndTrial(ctx, demo.Shop, tr.ID, "Ilse", store.Took)
		require.NoError(t, err)
	}
	assert.Equal(t, [3]store.State{store.StateEnded, store.StateEnded, store.StateLive}, states(t, a))
	after := given(t, a, decide.Visit{Visitor: who(tr, true)})
	assert.NotContains(t, after, tried)
	assert.NotEqual(t, decide.HeldOut, after[draft])
	after = given(t, a, decide.Visit{Visitor: who(tr, false), Shown: []decide.ShownRef{{Nudge: tried, Revision: 1}}})
	assert.Contains(t, after, tried)
}

func TestHowTwoSetsEnd(t *testing.T) {
	for name, c := range map[string]struct {
		how   []store.Outcome
		want  [3]store.State
		ended store.Outcome
	}{
		"stopped":                    {[]store.Outcome{store.Broken, store.Broken}, [3]store.State{store.StateLive, store.StateLive, store.StateEnded}, store.Broken},
		"A kept":                     {[]store.Outcome{store.TookA, store.TookA}, [3]store.State{store.StateLive, store.StateLive, store.StateEnded}, store.TookA},
		"found better, and kept":     {[]store.Outcome{store.FoundB, store.Took}, [3]store.State{store.StateEnded, store.StateEnded, store.StateLive}, store.Took},
		"found, and the other kept":  {[]store.Outcome{store.FoundB, store.TookA}, [3]store.State{store.StateLive, store.StateLive, store.StateEnded}, store.TookA},
		"kept, then stopped at once": {[]store.Outcome{store.Took, store.Broken}, [3]store.State{store.StateEnded, store.StateEnded, store.StateLive}, store.Took},
	} {
		t.Run(name, func(t *testing.T) {
			a := storetest.Demo(t)
			tr := startSets(t, a)
			for _, how := range c.how {
				_, err := a.EndTrial(ctx, demo.Shop, tr.ID, "Ilse", how)
				require.NoError(t, err)
			}
			assert.Equal(t, c.want, states(t, a))
			f, err := a.TrialVerdict(ctx, demo.Shop, tr.ID)
			require.NoError(t, err)
			assert.Equal(t, c.ended, f.Outcome)
		})
	}
}

func TestTwoSetsEndWhereOneOfThemChanges(t *testing.T) {
	a := storetest.Demo(t)
	tr := startSets(t, a)
	require.NoError(t, a.MindTrials(ctx))
	f, err := a.TrialVerdict(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.True(t, f.Running())
	_, err = a.SetState(ctx, demo.Shop, sampler, "Ilse", "", store.StatePaused)
	require.NoError(t, err)
	_, err = a.EndTrial(ctx, demo.Shop, tr.ID, "Ilse", store.Took)
	assert.ErrorContains(t, err, "changed meanwhile")
	require.NoError(t, a.MindTrials(ctx))
	f, err = a.TrialVerdict(ctx, demo.Shop, tr.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Changed, f.Outcome)
	assert.Equal(t, [3]store.State{store.StateLive, store.StatePaused, store.StateEnded}, states(t, a), "what is the merchant's own is let be")
}

func TestWhatSetsCannotBe(t *testing.T) {
	a := storetest.Demo(t)
	many := make([]string, app.MostInSets+1)
	for i := range many {
		many[i] = fmt.Sprint("n", i)
	}
	for say, change := range map[string]func(*app.SetsAsked){
		"at least one nudge":     func(q *app.SetsAsked) { q.A, q.B = nil, nil },
		"in one of the sets":     func(q *app.SetsAsked) { q.B = q.A },
		"at most 20":             func(q *app.SetsAsked) { q.A = many },
		"a name":                 func(q *app.SetsAsked) { q.Name = " " },
		"not there any more":     func(q *app.SetsAsked) { q.A = []string{"nowhere"} },
		"needs a code":           func(q *app.SetsAsked) { q.A = []string{"harbour-code"} },
		"from 5 to 95":           func(q *app.SetsAsked) { q.Share = 1 },
		"one of these devices":   func(q *app.SetsAsked) { q.Who.Device = "watch" },
		"Choose which shoppers.": func(q *app.SetsAsked) { q.Who.Shoppers = "some" },
	} {
		asked := setsAsked
		change(&asked)
		_, err := a.StartSets(ctx, demo.Shop, "Ilse", asked)
		assert.ErrorContains(t, err, say)
	}
	assert.Equal(t, store.StateDraft, states(t, a)[2], "nothing is half begun")
}

func TestATrialOfSomeVisitsOnly(t *testing.T) {
	a := storetest.Demo(t)
	asked := setsAsked
	asked.Who = app.TrialWho{Regions: []string{"jp"}, Device: audience.Phone, Shoppers: app.KnownShoppers}
	tr, err := a.StartSets(ctx, demo.Shop, "Ilse", asked)
	require.NoError(t, err)
	assert.EqualValues(t, "JPY", tr.Currency, "it is judged where it is held")
	far, err := a.StartSets(ctx, demo.Shop, "Ilse", app.SetsAsked{Name: "Japan", B: []string{"parcels-to-japan"}, TrialAsked: setsAsked.TrialAsked})
	require.NoError(t, err)
	assert.EqualValues(t, "JPY", far.Currency, "there alone it promises something")
	in := given(t, a, decide.Visit{Visitor: who(tr, false)}) // to Germany
	assert.Equal(t, decide.TrialOnly, in[draft])
	assert.NotEqual(t, decide.HeldOut, in[tried])
}
