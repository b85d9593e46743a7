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
