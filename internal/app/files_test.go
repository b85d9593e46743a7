package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store/storetest"
)

func TestNudgesComeAndGoAsAFile(t *testing.T) {
	a := storetest.Demo(t)
	b, err := a.NudgesFile(ctx, demo.Shop)
	require.NoError(t, err)
	f, err := nudge.ParseFile(b)
	require.NoError(t, err)
	before, err := a.Nudges(ctx, demo.Shop)
	require.NoError(t, err)
	require.Len(t, f.Nudges, len(before))

	// As it is, it changes nothing, looked at or brought in.
	all, err := a.BringNudges(ctx, demo.Shop, "Test", f, false, "")
	require.NoError(t, err)
	for _, x := range all {
		assert.Equal(t, app.BroughtSame, x.Outcome, x.ID)
	}
	// One is changed, one is new; looking keeps nothing.
	f.Nudges = f.Nudges[:2]
	f.Nudges[0].Definition.Name = "Another name"
	f.Nudges[1].ID = "start" // a page has this name
	look := func() []app.Brought {
		all, err := a.BringNudges(ctx, demo.Shop, "Test", f, false, "")
		require.NoError(t, err)
		return all
	}
	all = look()
	assert.Equal(t, app.BroughtChanged, all[0].Outcome)
	assert.Equal(t, before[0].Draft.Name, all[0].Was.Name)
	assert.Equal(t, app.BroughtNew, all[1].Outcome)
	assert.NotEqual(t, "start", all[1].ID)
	after, err := a.Nudges(ctx, demo.Shop)
	require.NoError(t, err)
	assert.Equal(t, before, after)
	// What was seen is what is kept: where a draft has changed since, nothing is.
	seen := app.Digest(all)
	_, err = a.EditDraft(ctx, demo.Shop, before[0].ID, "Somebody", before[0].DraftVersion, func(d *nudge.Definition) error {
		d.Name = "In between"
		return nil
	})
	require.NoError(t, err)
	_, err = a.BringNudges(ctx, demo.Shop, "Test", f, false, seen)
	assert.ErrorAs(t, err, new(app.Problem))
	after, err = a.Nudges(ctx, demo.Shop)
	require.NoError(t, err)
	assert.Len(t, after, len(before))
	// Seen as it is now it comes in, as drafts: what is live stays as it was.
	_, err = a.BringNudges(ctx, demo.Shop, "Test", f, false, app.Digest(look()))
	require.NoError(t, err)
	after, err = a.Nudges(ctx, demo.Shop)
	require.NoError(t, err)
	require.Len(t, after, len(before)+1)
	assert.Equal(t, "Another name", after[0].Draft.Name)
	assert.Equal(t, before[0].LiveRevision, after[0].LiveRevision)
	assert.Equal(t, before[0].State, after[0].State)
	assert.Equal(t, "draft", string(after[len(after)-1].State))
	// As new ones each gets an id of its own.
	all, err = a.BringNudges(ctx, demo.Shop, "Test", f, true, "")
	require.NoError(t, err)
	assert.Equal(t, app.BroughtNew, all[0].Outcome)
	assert.NotEqual(t, f.Nudges[0].ID, all[0].ID)
}
