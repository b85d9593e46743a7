package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/audience"
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

func TestOneSetIsComparedWithAnother(t *testing.T) {
	half, tenth := money.Whole/2, money.Whole/10
	live := func(id string, threshold money.Minor) snapshot.Live {
		return snapshot.Live{ID: id, Revision: 1, Definition: decidetest.Ladder(id, nudge.AfterOrder, decidetest.Rung(threshold, decidetest.Free))}
	}
	one, among := int64(1), trial.Part{Layer: trial.Named("part:s"), From: 0, To: money.Whole / 2}
	set := func(nudge string, onlyB, begun bool) snapshot.Trial {
		return snapshot.Trial{ID: "s", Nudge: nudge, Share: half, Among: among, When: &audience.Condition{Orders: &audience.Count{Least: &one}}, Set: true, OnlyB: onlyB, Begun: begun}
	}
	s, err := snapshot.Compile(snapshot.Shop{
		Catalog: decidetest.Goods(t, map[string]money.Minor{"ink": 1400}), Regions: []catalog.Region{decidetest.Region(590)}, Settings: snapshot.Settings{Holdout: &tenth},
		Nudges: []snapshot.Live{live("first", 9000), live("second", 8000), live("third", 7000), live("others", 6000)},
		Trials: []snapshot.Trial{set("first", false, false), set("second", true, true), set("third", true, false)},
	})
	require.NoError(t, err)
	is := func(in, b, kept bool) string {
		return someone(t, func(v string) bool {
			return among.Holds(trial.Of(v)) == in && trial.Within(trial.Name("s"), v, half) == b && trial.Within("second", v, tenth) == kept &&
				!trial.Within("", v, tenth) && !trial.Within("first", v, tenth) && !trial.Within("third", v, tenth) && !trial.Within("others", v, tenth)
		})
	}
	type of struct {
		why decide.Reason
		arm string
	}
	everybody := map[string]of{"first": {}, "second": {decide.TrialOnly, ""}, "third": {}, "others": {}}
	for name, c := range map[string]struct {
		visit decide.Visit
		known bool
		want  map[string]of
	}{
		"A":                                  {decide.Visit{Visitor: is(true, false, false)}, true, map[string]of{"first": {"", "s:A"}, "second": {decide.HeldOut, "s:A:without"}, "third": {decide.HeldOut, "s:A:without"}, "others": {}}},
		"B":                                  {decide.Visit{Visitor: is(true, true, false)}, true, map[string]of{"first": {decide.HeldOut, "s:B:without"}, "second": {"", "s:B"}, "third": {"", "s:B"}, "others": {}}},
		"kept from one, as always":           {decide.Visit{Visitor: is(true, true, true)}, true, map[string]of{"first": {decide.HeldOut, "s:B:without"}, "second": {decide.HeldOut, ""}, "third": {"", "s:B"}, "others": {}}},
		"not of its part":                    {decide.Visit{Visitor: is(false, true, false)}, true, everybody},
		"not of its visits":                  {decide.Visit{Visitor: is(true, true, false)}, false, everybody},
		"nobody in particular":               {decide.Visit{}, true, everybody},
		"A, and was shown what B has":        {decide.Visit{Visitor: is(true, false, false), Shown: []decide.ShownRef{{Nudge: "second", Revision: 1}}}, true, map[string]of{"first": {"", "s:A"}, "second": {}, "third": {decide.HeldOut, "s:A:without"}, "others": {}}},
		"in it no more, and was shown its B": {decide.Visit{Visitor: is(true, true, false), Shown: []decide.ShownRef{{Nudge: "second", Revision: 1}}}, false, map[string]of{"first": {}, "second": {}, "third": {}, "others": {}}},
	} {
		req := decide.Request{Cart: decidetest.Cart(decide.CartLine{SKU: "ink", Quantity: 2}), Visit: c.visit, Every: true}
		if orders := int64(3); c.known {
			req.Shopper.Orders = &orders
		}
		d, err := decide.Decide(s, req)
		require.NoError(t, err)
		got := map[string]of{}
		for _, n := range d.Nudges {
			r := of{n.Reason, n.Arm}
			if r.why != decide.HeldOut && r.why != decide.TrialOnly {
				r.why = "" // another shows, or it has nothing to say
			}
			got[n.Nudge] = r
		}
		assert.Equal(t, c.want, got, name)
	}
}

func TestWhoWasShownTheOtherKeepsItWhereTheTrialIsForOthersByNow(t *testing.T) {
	half := money.Whole / 2
	a := decidetest.Ladder("Fifty", nudge.AfterOrder, decidetest.Rung(5000, decidetest.Free))
	b := decidetest.Ladder("Twenty", nudge.AfterOrder, decidetest.Rung(2000, decidetest.Free))
	s, err := snapshot.Compile(snapshot.Shop{
		Catalog: decidetest.Goods(t, map[string]money.Minor{"ink": 1400}), Regions: []catalog.Region{decidetest.Region(590)},
		Nudges: []snapshot.Live{{ID: heldNudge, Revision: 1, Definition: a}},
		Trials: []snapshot.Trial{{ID: "t1", Nudge: heldNudge, Share: half, When: &audience.Condition{Devices: []audience.Device{audience.Phone}}, B: snapshot.Live{ID: heldNudge, Revision: 2, Definition: b}}},
	})
	require.NoError(t, err)
	hasB := someone(t, func(v string) bool { return trial.Within(trial.Name("t1"), v, half) })
	shown := []decide.ShownRef{{Nudge: heldNudge, Revision: 2}}
	for name, c := range map[string]struct {
		device   audience.Device
		shown    []decide.ShownRef
		revision int
		arm      string
	}{
		"a phone":               {audience.Phone, nil, 2, "t1:B"},
		"a desktop":             {audience.Desktop, nil, 1, ""},
		"what is not known":     {"", nil, 1, ""},
		"a desktop that saw it": {audience.Desktop, shown, 2, "t1:B"},
	} {
		d, err := decide.Decide(s, decide.Request{Cart: decidetest.Cart(decide.CartLine{SKU: "ink", Quantity: 2}), Visit: decide.Visit{Visitor: hasB, Shown: c.shown, Device: c.device}})
		require.NoError(t, err)
		assert.Equal(t, c.revision, d.Nudges[0].Revision, name)
		assert.Equal(t, c.arm, d.Nudges[0].Arm, name)
	}
}
