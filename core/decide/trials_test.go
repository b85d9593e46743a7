package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/trial"
)

func TestAShareOfVisitorsHasTheOtherRevision(t *testing.T) {
	half := money.Whole / 2
	a := decidetest.Ladder("Fifty", nudge.AfterOrder, decidetest.Rung(5000, decidetest.Free))
	b := decidetest.Ladder("Twenty", nudge.AfterOrder, decidetest.Rung(2000, decidetest.Free))
	s, err := snapshot.Compile(snapshot.Shop{
		Catalog: decidetest.Goods(t, map[string]money.Minor{"ink": 1400}), Regions: []catalog.Region{decidetest.Region(590)},
		Nudges: []snapshot.Live{{ID: heldNudge, Revision: 1, Definition: a}},
		Trials: []snapshot.Trial{{ID: "t1", Nudge: heldNudge, Share: half, B: snapshot.Live{ID: heldNudge, Revision: 2, Definition: b}}},
	})
	require.NoError(t, err)
	hasB := func(v string) bool { return trial.Within(trial.Name("t1"), v, half) }
	other, usual := someone(t, hasB), someone(t, func(v string) bool { return !hasB(v) })
	for name, c := range map[string]struct {
		visit    decide.Visit
		revision int
		arm      string
		toPay    money.Minor
	}{
		"nobody in particular": {decide.Visit{}, 1, "", 2*1400 + 590},
		"who has the first":    {decide.Visit{Visitor: usual}, 1, "t1:A", 2*1400 + 590},
		"who has the other":    {decide.Visit{Visitor: other}, 2, "t1:B", 2 * 1400},
		"who saw the first":    {decide.Visit{Visitor: other, Shown: []decide.ShownRef{{Nudge: heldNudge, Revision: 1}}}, 1, "", 2*1400 + 590},
		"who saw the other":    {decide.Visit{Visitor: other, Shown: []decide.ShownRef{{Nudge: heldNudge, Revision: 2}}}, 2, "t1:B", 2 * 1400},
	} {
		d, why := askHeld(t, s, c.visit)
		assert.Empty(t, why, name)
		assert.Equal(t, c.revision, d.Nudges[0].Revision, name)
		assert.Equal(t, c.arm, d.Nudges[0].Arm, name)
		assert.Equal(t, c.toPay, d.ToPay, name)
		assert.Equal(t, c.toPay, d.ToPay, name)
	}
}

func TestAShareOfVisitorsDoesWithoutForATrial(t *testing.T) {
	half, tenth := money.Whole/2, money.Whole/10
	free := decidetest.Ladder("Free", nudge.AfterOrder, decidetest.Rung(2000, decidetest.Free))
	s, err := snapshot.Compile(snapshot.Shop{
		Catalog: decidetest.Goods(t, map[string]money.Minor{"ink": 1400}), Regions: []catalog.Region{decidetest.Region(590)}, Settings: snapshot.Settings{Holdout: &tenth},
		Nudges: []snapshot.Live{{ID: heldNudge, Revision: 1, Definition: free}}, Trials: []snapshot.Trial{{ID: "t1", Nudge: heldNudge, Share: half, Without: true}},
	})
	require.NoError(t, err)
	hasB := func(v string) bool { return trial.Within(trial.Name("t1"), v, half) }
	kept := func(v string) bool { return trial.Within("", v, tenth) || trial.Within(heldNudge, v, tenth) }
	shown := []decide.ShownRef{{Nudge: heldNudge, Revision: 1}}
	for name, c := range map[string]struct {
		visit decide.Visit
		why   decide.Reason
		arm   string
		toPay money.Minor
	}{
		"nobody in particular": {decide.Visit{}, "", "", 2 * 1400},
		"who has it":           {decide.Visit{Visitor: someone(t, func(v string) bool { return !hasB(v) && !kept(v) })}, "", "t1:A", 2 * 1400},
		"who does without":     {decide.Visit{Visitor: someone(t, func(v string) bool { return hasB(v) && !kept(v) })}, decide.HeldOut, "t1:without", 2*1400 + 590},
		"who was shown it":     {decide.Visit{Visitor: someone(t, func(v string) bool { return hasB(v) && !kept(v) }), Shown: shown}, "", "", 2 * 1400},
		"who is kept from it":  {decide.Visit{Visitor: someone(t, func(v string) bool { return !hasB(v) && kept(v) })}, decide.HeldOut, "", 2*1400 + 590},
		"who is, and would do": {decide.Visit{Visitor: someone(t, func(v string) bool { return hasB(v) && kept(v) })}, decide.HeldOut, "", 2*1400 + 590},
	} {
		d, why := askHeld(t, s, c.visit)
		assert.Equal(t, c.why, why, name)
		assert.Equal(t, c.arm, d.Nudges[0].Arm, name)
		assert.Equal(t, c.toPay, d.ToPay, name)
	}
}

func TestAVisitSitsInTheArmThatIsAskedFor(t *testing.T) {
	half, none := money.Whole/2, trial.Part{Layer: trial.Named("apart"), From: money.Whole - 1, To: money.Whole}
	a := decidetest.Ladder("Fifty", nudge.AfterOrder, decidetest.Rung(5000, decidetest.Free))
	b := decidetest.Ladder("Twenty", nudge.AfterOrder, decidetest.Rung(2000, decidetest.Free))
	s, err := snapshot.Compile(snapshot.Shop{
		Catalog: decidetest.Goods(t, map[string]money.Minor{"ink": 1400}), Regions: []catalog.Region{decidetest.Region(590)}, Settings: snapshot.Settings{Holdout: &half},
		Nudges: []snapshot.Live{{ID: heldNudge, Revision: 1, Definition: a}},
		Trials: []snapshot.Trial{{ID: "t1", Nudge: heldNudge, Share: half, Among: none, B: snapshot.Live{ID: heldNudge, Revision: 2, Definition: b}}},
	})
	require.NoError(t, err)
	for name, c := range map[string]struct {
		arms     map[string]bool
		visitor  string
		revision int
		arm      string
	}{
		"in none":           {nil, "", 1, ""},
		"not among them":    {nil, someone(t, func(v string) bool { return !trial.Within("", v, half) && !trial.Within(heldNudge, v, half) }), 1, ""},
		"in A":              {map[string]bool{"t1": false}, "", 1, "t1:A"},
		"in B":              {map[string]bool{"t1": true}, "", 2, "t1:B"},
		"in one that ended": {map[string]bool{"t0": true}, "", 1, ""},
	} {
		d, err := decide.Decide(s, decide.Request{Cart: decidetest.Cart(decide.CartLine{SKU: "ink", Quantity: 2}), Visit: decide.Visit{Visitor: c.visitor}, Arms: c.arms})
		require.NoError(t, err)
		assert.Equal(t, c.revision, d.Nudges[0].Revision, name)
		assert.Equal(t, c.arm, d.Nudges[0].Arm, name)
	}
}
