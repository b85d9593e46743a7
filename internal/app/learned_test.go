package app_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store/storetest"
)

// sees reports that visits were shown a nudge in a gap band, and that some accepted it.
func sees(t *testing.T, a *app.App, from, shows, accepted int, band string) {
	t.Helper()
	for i := range shows {
		b := app.EventBatch{Visit: fmt.Sprint("sees-", from+i), Events: []app.EventInput{{Kind: results.ShownAt, Nudge: "winter-ladder", Revision: 1, Band: band}}}
		if i < accepted {
			b.Events = append(b.Events, app.EventInput{Kind: results.Accepted, Nudge: "winter-ladder", Revision: 1, Band: band})
		}
		require.NoError(t, a.Record(ctx, demo.Shop, b))
		require.NoError(t, a.Record(ctx, demo.Shop, b), "the same again counts once")
	}
}

func TestDecisionsLearnFromWhatWasAccepted(t *testing.T) {
	a := storetest.Demo(t)
	sees(t, a, 0, 10, 3, "20")
	sees(t, a, 100, 2, 0, "beyond")
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	known := func() map[string]decide.Tally { return a.Usage(ctx, snap, "home")["winter-ladder"].Bands }
	assert.Equal(t, map[string]decide.Tally{"20": {Shows: 10, Accepted: 3}, "beyond": {Shows: 2}}, known())
	assert.Equal(t, "13.3333", known()["20"].Mean(snap.Snapshot.Shop.Settings.Believed()).String(), "(1 + 3) of (20 + 10)")

	had, err := a.Forget(ctx, demo.Shop, "winter-ladder")
	require.NoError(t, err)
	assert.True(t, had)
	sees(t, a, 200, 4, 1, "20")
	// A decision does not wait for what it knows nearly.
	require.Eventually(t, func() bool { return known()["20"] == decide.Tally{Shows: 4, Accepted: 1} && len(known()) == 1 }, 10*time.Second, 50*time.Millisecond)
	recounted(t, a)
	seen, err := a.Learned(ctx, demo.Shop, "winter-ladder")
	require.NoError(t, err)
	assert.Equal(t, map[string]decide.Tally{"20": {Shows: 4, Accepted: 1}}, seen, "counted anew, what was forgotten stays so")

	require.NoError(t, a.Recall(ctx, demo.Shop, "winter-ladder"))
	seen, err = a.Learned(ctx, demo.Shop, "winter-ladder")
	require.NoError(t, err)
	assert.Equal(t, map[string]decide.Tally{"20": {Shows: 14, Accepted: 4}, "beyond": {Shows: 2}}, seen)
}

func TestABandIsOfWhatIsCountedByIt(t *testing.T) {
	a := storetest.Demo(t)
	for _, c := range []struct {
		e    app.EventInput
		want string
	}{
		{app.EventInput{Kind: results.ShownAt, Nudge: "winter-ladder", Revision: 1}, "must be one of [10 20 30 50 beyond]"},
		{app.EventInput{Kind: results.Accepted, Nudge: "winter-ladder", Revision: 1, Band: "40"}, "must be one of [10 20 30 50 beyond]"},
		{app.EventInput{Kind: results.Shown, Nudge: "winter-ladder", Revision: 1, Band: "15"}, "must be one of [10 20 30 50 beyond]"},
	} {
		err := a.Record(ctx, demo.Shop, app.EventBatch{Visit: "v", Events: []app.EventInput{c.e}})
		assert.Equal(t, app.Problem{Field: "events[0].band", Say: c.want}, err)
	}
}
