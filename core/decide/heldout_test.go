package decide_test

import (
	"fmt"
	"testing"
	"time"

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

const heldNudge = "shipping"

// heldShop has one nudge and a share of visitors who see none; its ink is at 14.00, its fee 5.90.
func heldShop(t *testing.T, share *money.Rate, d nudge.Definition) *snapshot.Snapshot {
	t.Helper()
	s, err := snapshot.Compile(snapshot.Shop{
		Catalog: decidetest.Goods(t, map[string]money.Minor{"ink": 1400}), Regions: []catalog.Region{decidetest.Region(590)},
		Nudges: []snapshot.Live{{ID: heldNudge, Revision: 1, Definition: d}}, Settings: snapshot.Settings{Holdout: share},
	})
	require.NoError(t, err)
	return s
}

// askHeld decides a cart of two inks for a visit, and tells why the nudge has no part.
func askHeld(t *testing.T, s *snapshot.Snapshot, v decide.Visit, codes ...string) (decide.Decision, decide.Reason) {
	t.Helper()
	cart, no := decidetest.Cart(decide.CartLine{SKU: "ink", Quantity: 2}), false
	cart.Codes = codes
	at := time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	d, err := decide.Decide(s, decide.Request{Cart: cart, Visit: v, Shopper: decide.Shopper{SignedIn: &no}, Moment: decide.Moment{At: at, Locale: "en"}})
	require.NoError(t, err)
	require.Len(t, d.Nudges, 1)
	return d, d.Nudges[0].Reason
}

// someone finds a visitor of whom something is so.
func someone(t *testing.T, is func(visitor string) bool) string {
	t.Helper()
	for i := range 10_000 {
		if v := fmt.Sprint("visitor-", i); is(v) {
			return v
		}
	}
	require.Fail(t, "there is nobody like that")
	return ""
}

func TestAShareOfVisitorsSeesNoNudgeAndIsGivenNothing(t *testing.T) {
	tenth, zero := money.Whole/10, money.Rate(0)
	free := decidetest.Ladder("Free", nudge.AfterOrder, decidetest.Rung(2000, decidetest.Free))
	none := someone(t, func(v string) bool { return trial.Within("", v, tenth) && !trial.Within(heldNudge, v, tenth) })
	own := someone(t, func(v string) bool { return !trial.Within("", v, tenth) && trial.Within(heldNudge, v, tenth) })
	sees := someone(t, func(v string) bool { return !trial.Within("", v, tenth) && !trial.Within(heldNudge, v, tenth) })
	s := heldShop(t, &tenth, free)
	for visitor, want := range map[string]decide.Reason{none: decide.HeldOut, own: decide.HeldOut, sees: "", "": ""} {
		d, why := askHeld(t, s, decide.Visit{Visitor: visitor})
		assert.Equal(t, want, why, visitor)
		if want == decide.HeldOut {
			assert.Empty(t, d.Rewards)
			assert.Empty(t, d.In(nudge.TopBar))
			assert.EqualValues(t, 2*1400+590, d.ToPay)
		} else {
			assert.EqualValues(t, 2*1400, d.ToPay)
		}
	}
	assert.True(t, decide.SeesNone(s, none))
	assert.False(t, decide.SeesNone(s, own))
	assert.False(t, decide.SeesNone(s, ""))
	_, why := askHeld(t, s, decide.Visit{Visitor: none, Shown: []decide.ShownRef{{Nudge: heldNudge, Revision: 1}}})
	assert.Empty(t, why, "what a visit was shown it keeps")

	free.Holdout = &zero // kept from nobody of its own, but from those who see none
	s = heldShop(t, &tenth, free)
	_, why = askHeld(t, s, decide.Visit{Visitor: none})
	assert.Equal(t, decide.HeldOut, why)
	_, why = askHeld(t, s, decide.Visit{Visitor: own})
	assert.Empty(t, why)
	free.Holdout = &tenth // of a shop where everybody sees some
	s = heldShop(t, nil, free)
	_, why = askHeld(t, s, decide.Visit{Visitor: none})
	assert.Empty(t, why)
	_, why = askHeld(t, s, decide.Visit{Visitor: own})
	assert.Equal(t, decide.HeldOut, why)
}

func TestACodeIsKeptFromNobody(t *testing.T) {
	half := money.Whole / 2
	code := decidetest.Ladder("Code", nudge.BeforeNudges, decidetest.Rung(0, decidetest.Percent(100_000)))
	code.Audience.Code = "HARBOUR10"
	s := heldShop(t, &half, code)
	for i := range 50 {
		d, why := askHeld(t, s, decide.Visit{Visitor: fmt.Sprint(i)}, "HARBOUR10")
		assert.Empty(t, why)
		assert.Len(t, d.Rewards, 1, i)
	}
}

func TestWhoIsNotMeantIsNotHeldOut(t *testing.T) {
	// Whether somebody could have seen a nudge is told alike of those who do and of those who do not.
	half, yes := money.Whole/2, true
	n := decidetest.Ladder("Signed in", nudge.BeforeNudges, decidetest.Rung(2000, decidetest.Free))
	n.Audience.When = &audience.Condition{SignedIn: &yes}
	s := heldShop(t, &half, n)
	for i := range 50 {
		_, why := askHeld(t, s, decide.Visit{Visitor: fmt.Sprint(i)})
		assert.Equal(t, decide.NotMeant, why)
	}
}
