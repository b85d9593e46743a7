package decide_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// A visit that was shown 50.00 keeps it for a quarter of an hour after the
// merchant made it 60.00, and so does one that was shown a nudge that ended.
func TestWhatAVisitWasShownIsHonouredForTheGraceTime(t *testing.T) {
	changed := time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	old := decidetest.Ladder("Old", nudge.AfterOrder, decidetest.Rung(5000, decidetest.Free))
	now := decidetest.Ladder("New", nudge.AfterOrder, decidetest.Rung(6000, decidetest.Free))
	ending := decidetest.Ladder("Ending", nudge.AfterOrder, decidetest.Rung(4000, decidetest.Free))
	ending.Schedule.Until = &changed
	s, err := snapshot.Compile(snapshot.Shop{
		Catalog: decidetest.Goods(t, map[string]money.Minor{"pen": 5400}), Regions: []catalog.Region{decidetest.Region(590)},
		Nudges: []snapshot.Live{{ID: "ladder", Revision: 2, Priority: 1, Definition: now}, {ID: "ending", Revision: 1, Priority: 2, Definition: ending}},
		Retired: []snapshot.Retired{
			{Live: snapshot.Live{ID: "ladder", Revision: 1, Priority: 1, Definition: old}, At: changed},
			{Live: snapshot.Live{ID: "ended", Revision: 3, Priority: 3, Definition: old}, At: changed},
		},
	})
	require.NoError(t, err)
	fee := func(after time.Duration, shown ...decide.ShownRef) (money.Minor, []string) {
		d := must(t, s, decide.Request{Cart: decidetest.Cart(line{SKU: "pen", Quantity: 1}), Moment: decide.Moment{At: changed.Add(after)}, Visit: decide.Visit{Shown: shown}})
		var reached []string
		for _, n := range d.Nudges {
			if len(n.Rungs) > 0 && n.Rungs[0].State == decide.RungReached {
				reached = append(reached, n.Nudge)
			}
		}
		return d.Shipping.Fee, reached
	}
	for name, c := range map[string]struct {
		After time.Duration
		Shown []decide.ShownRef
		Fee   money.Minor
		Whose []string
	}{
		"a new visit has the new promise":          {time.Minute, nil, 590, nil},
		"one that saw the old one keeps it":        {time.Minute, []decide.ShownRef{{Nudge: "ladder", Revision: 1}}, 0, []string{"ladder"}},
		"to the end of the quarter of an hour":     {15*time.Minute - 1, []decide.ShownRef{{Nudge: "ladder", Revision: 1}}, 0, []string{"ladder"}},
		"and no longer":                            {15 * time.Minute, []decide.ShownRef{{Nudge: "ladder", Revision: 1}}, 590, nil},
		"one that saw both has the new one":        {time.Minute, []decide.ShownRef{{Nudge: "ladder", Revision: 1}, {Nudge: "ladder", Revision: 2}}, 590, nil},
		"an ended nudge is kept by who saw it":     {time.Minute, []decide.ShownRef{{Nudge: "ended", Revision: 3}}, 0, []string{"ended"}},
		"another revision of it is not":            {time.Minute, []decide.ShownRef{{Nudge: "ended", Revision: 2}}, 590, nil},
		"an end by schedule is kept by who saw it": {time.Minute, []decide.ShownRef{{Nudge: "ending", Revision: 1}}, 0, []string{"ending"}},
		"an end by schedule is an end for others":  {time.Minute, []decide.ShownRef{{Nudge: "ladder", Revision: 2}}, 590, nil},
		"nothing is kept before it changed at all": {-time.Minute, []decide.ShownRef{{Nudge: "ended", Revision: 3}}, 0, []string{"ending"}},
	} {
		got, whose := fee(c.After, c.Shown...)
		assert.Equal(t, c.Fee, got, name)
		assert.Equal(t, c.Whose, whose, name)
	}
}
