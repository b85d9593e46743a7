package app_test

import (
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

func account(t *testing.T, a *app.App, email string) store.Account {
	acc, err := a.CreateAccount(ctx, email, "Jo Kade", "a-long-password")
	require.NoError(t, err)
	return acc
}

func TestAShopIsMadeOnceHoweverOftenTheButtonIsPressed(t *testing.T) {
	a := storetest.App(t)
	jo := account(t, a, "jo@own.example")
	n := app.NewShop{Name: "Kade & Co", TimeZone: "Europe/Warsaw", Locale: "pl"}
	var wg sync.WaitGroup
	for range 6 {
		wg.Go(func() {
			s, err := a.CreateShop(ctx, jo, n, "form-1")
			assert.NoError(t, err)
			assert.Equal(t, "kade-co", s.ID)
		})
	}
	wg.Wait()
	second, err := a.CreateShop(ctx, jo, n, "form-2")
	require.NoError(t, err)
	assert.Equal(t, "kade-co-2", second.ID, "another form makes another shop")
	shops, err := a.ShopsOf(ctx, jo.ID)
	require.NoError(t, err)
	require.Len(t, shops, 2)
	assert.Equal(t, store.Owner, shops[0].Role)
	steps, err := a.FirstSteps(ctx, "kade-co")
	require.NoError(t, err)
	assert.Zero(t, steps.Count())
	keys, err := a.Keys(ctx, "kade-co")
	require.NoError(t, err)
	require.Len(t, keys, 1, "its pages have a key from the start")
	snap, err := a.Snapshots.Get(ctx, "kade-co")
	require.NoError(t, err)
	_, err = decide.Decide(snap.Snapshot, decide.Request{})
	assert.ErrorContains(t, err, "needs a region", "an empty shop decides nothing, and says so")

	for field, bad := range map[string]app.NewShop{
		"name": {TimeZone: "UTC", Locale: "en"}, "time_zone": {Name: "x", TimeZone: "Mars/Olympus", Locale: "en"}, "locale": {Name: "x", TimeZone: "UTC", Locale: "?"},
	} {
		_, err := a.CreateShop(ctx, jo, bad, "")
		var p app.Problem
		require.ErrorAs(t, err, &p)
		assert.Equal(t, field, p.Field)
	}
}

func TestKeysAreReplacedWithAnOverlapAndWithdrawn(t *testing.T) {
	a := storetest.Demo(t)
	now := time.Now()
	a.Now = func() time.Time { return now }
	outcome := func(key string) store.SightingOutcome {
		use, err := a.UseKey(ctx, key)
		require.NoError(t, err)
		return use.Outcome
	}
	k, first, err := a.MakeKey(ctx, demo.Shop, "Ilse", store.Secret, " The till ")
	require.NoError(t, err)
	assert.Equal(t, "The till", k.Name)
	assert.Empty(t, k.Key, "a secret key is not kept")
	assert.True(t, strings.HasPrefix(first, "sk_"))
	assert.Equal(t, store.SeenWell, outcome(first))
	_, second, err := a.ReplaceKey(ctx, demo.Shop, "Ilse", k.ID, time.Hour)
	require.NoError(t, err)
	_, _, err = a.ReplaceKey(ctx, demo.Shop, "Ilse", k.ID, time.Hour)
	assert.ErrorContains(t, err, "replaced or withdrawn already", "a double click makes one")
	now = now.Add(59 * time.Minute)
	assert.Equal(t, store.SeenWell, outcome(first), "both hold for the overlap")
	assert.Equal(t, store.SeenWell, outcome(second))
	now = now.Add(2 * time.Minute)
	assert.Equal(t, store.SeenEnded, outcome(first))
	assert.Equal(t, store.SeenWell, outcome(second))

	keys, err := a.Keys(ctx, demo.Shop)
	require.NoError(t, err)
	for _, x := range keys {
		if x.Fingerprint == app.HashKey(second) {
			_, err = a.WithdrawKey(ctx, demo.Shop, x.ID)
			require.NoError(t, err)
			_, err = a.WithdrawKey(ctx, "vessmark-trade", x.ID)
			assert.ErrorIs(t, err, app.ErrNotFound, "another shop's keys are not one's own")
		}
	}
	assert.Equal(t, store.SeenEnded, outcome(second))
	assert.Equal(t, store.SeenUnknown, outcome("sk_never"))
	_, _, err = a.MakeKey(ctx, demo.Shop, "Ilse", "golden", "x")
	assert.Error(t, err)
	_, _, err = a.MakeKey(ctx, demo.Shop, "Ilse", store.Secret, strings.Repeat("x", 61))
	assert.Error(t, err)
}

func TestWhoAsksIsWrittenDown(t *testing.T) {
	a := storetest.Demo(t)
	use, err := a.UseKey(ctx, demo.PublishableKey)
	require.NoError(t, err)
	a.Saw(use, "http://shop.example", "/inks", store.SeenWell)
	a.Saw(use, "http://shop.example", "", store.SeenWell)
	a.Saw(use, "http://other.example", "/x", store.SeenOrigin)
	unknown, err := a.UseKey(ctx, "pk_mistyped")
	require.NoError(t, err)
	a.Saw(unknown, "http://shop.example", "/inks", unknown.Outcome)
	a.Saw(unknown, "http://nowhere.example", "/", unknown.Outcome)
	seen, err := a.Sightings(ctx, demo.Shop)
	require.NoError(t, err)
	require.Len(t, seen, 3, "an unknown key from an origin that no shop allows is nobody's")
	by := map[store.SightingOutcome]store.Sighting{}
	for _, s := range seen {
		by[s.Outcome] = s
	}
	assert.Equal(t, int64(2), by[store.SeenWell].Times)
	assert.Equal(t, "/inks", by[store.SeenWell].Page, "the page that was told last")
	assert.Equal(t, "http://other.example", by[store.SeenOrigin].Origin)
	assert.Equal(t, "yped", by[store.SeenUnknown].Hint)
	steps, err := a.FirstSteps(ctx, demo.Shop)
	require.NoError(t, err)
	assert.True(t, steps.Seen)
}

func TestPeopleAreInvitedOnceAndAShopKeepsAnOwner(t *testing.T) {
	a := storetest.Demo(t)
	shop := store.Shop{ID: demo.Shop, Name: "Lindquill"}
	jo := account(t, a, "jo@own.example")
	_, token, err := a.Invite(ctx, shop, "Ilse", "jo@own.example", store.Viewer, func(s string) string { return "http://x/invite/" + s })
	require.NoError(t, err)
	mails, err := a.Mails(ctx)
	require.NoError(t, err)
	require.Len(t, mails, 1)
	assert.Contains(t, mails[0].Body, token)
	inv, _, err := a.InviteBy(ctx, token)
	require.NoError(t, err)
	assert.Equal(t, store.Viewer, inv.Role)
	to, err := a.TakeInvite(ctx, token, jo.ID)
	require.NoError(t, err)
	assert.Equal(t, demo.Shop, to)
	_, err = a.TakeInvite(ctx, token, jo.ID)
	assert.ErrorIs(t, err, app.ErrNotFound, "it works once")

	require.NoError(t, a.SetRole(ctx, demo.Shop, jo.ID, store.Viewer, store.Editor))
	assert.ErrorContains(t, a.SetRole(ctx, demo.Shop, jo.ID, store.Viewer, store.Owner), "is editor by now")
	require.NoError(t, a.SetRole(ctx, demo.Shop, jo.ID, store.Editor, store.Editor), "twice does no harm")
	var ilse store.Account
	require.NoError(t, a.Store.DB.Where("email = ?", demo.Email).Take(&ilse).Error)
	assert.ErrorContains(t, a.SetRole(ctx, demo.Shop, ilse.ID, store.Owner, ""), "needs an owner")
	require.NoError(t, a.SetRole(ctx, demo.Shop, jo.ID, store.Editor, store.Owner))
	require.NoError(t, a.SetRole(ctx, demo.Shop, ilse.ID, store.Owner, store.Viewer))

	_, token, err = a.Invite(ctx, shop, "Jo", "", store.Editor, nil)
	require.NoError(t, err)
	inv, _, err = a.InviteBy(ctx, token)
	require.NoError(t, err)
	require.NoError(t, a.WithdrawInvite(ctx, demo.Shop, inv.ID))
	_, _, err = a.InviteBy(ctx, token)
	assert.ErrorIs(t, err, app.ErrNotFound)
	_, _, err = a.Invite(ctx, shop, "Jo", "nobody", store.Editor, nil)
	assert.ErrorContains(t, err, "not an e-mail address")
}

func TestAChangedPasswordEndsOtherSessions(t *testing.T) {
	a := storetest.App(t)
	jo := account(t, a, "jo@own.example")
	_, err := a.ChangePassword(ctx, jo.ID, "wrong", "another-password")
	assert.ErrorContains(t, err, "not your present password")
	_, err = a.ChangePassword(ctx, jo.ID, "a-long-password", "short")
	assert.ErrorContains(t, err, "at least 10")
	changed, err := a.ChangePassword(ctx, jo.ID, "a-long-password", "another-password")
	require.NoError(t, err)
	assert.Equal(t, jo.SessionRound+1, changed.SessionRound)
	_, err = a.SignIn(ctx, "JO@own.example", "another-password", "1.2.3.4")
	require.NoError(t, err)
	_, err = a.SignIn(ctx, "jo@own.example", "a-long-password", "1.2.3.4")
	require.Error(t, err)
	_, err = a.CreateAccount(ctx, "jo@own.example", "Other", "a-long-password")
	assert.ErrorContains(t, err, "Somebody has an account with this address")
}

// A change that would take from a live nudge what it promises is refused by name,
// or made with the nudge paused; what is new takes nothing away.
func TestAChangeThatBreaksALiveNudgeSaysWhich(t *testing.T) {
	a := storetest.Demo(t)
	change := func(pause bool, f func(*app.ShopConfig)) error {
		return a.ChangeConfig(ctx, demo.Shop, "Ilse", pause, func(c *app.ShopConfig) error { f(c); return nil })
	}
	var b app.Breaks
	for name, f := range map[string]func(*app.ShopConfig){
		"Rung 2: Home has no shipping method called express.": func(c *app.ShopConfig) { c.Regions[0].Methods = c.Regions[0].Methods[:1] },
		"The shop has no region \"eu\"; choose another.":      func(c *app.ShopConfig) { c.Regions = append(c.Regions[:1], c.Regions[2:]...) },
		"Rung 1 is in EUR for Home, which pays in PLN.":       func(c *app.ShopConfig) { c.Regions[0].Currency = "PLN" },
	} {
		require.ErrorAs(t, change(false, f), &b, name)
		require.NotEmpty(t, b.Nudges)
		assert.Equal(t, "winter-ladder", b.Nudges[0].ID)
		assert.Contains(t, b.Nudges[0].Say, name)
	}
	config, err := a.Config(ctx, demo.Shop)
	require.NoError(t, err)
	assert.Len(t, config.Regions, 4, "nothing was changed")

	require.NoError(t, change(false, func(c *app.ShopConfig) {
		c.Regions = append(c.Regions, catalog.Region{ID: "pl", Name: "North", Countries: []string{"NO"}, Languages: []string{"en"}, Currency: "NOK", Tax: map[string]money.Rate{"": 250_000}})
	}), "a new region takes nothing away")
	require.NoError(t, change(true, func(c *app.ShopConfig) { c.Regions[0].Methods = c.Regions[0].Methods[:1] }))
	n, err := a.Nudge(ctx, demo.Shop, "winter-ladder")
	require.NoError(t, err)
	assert.Equal(t, store.StatePaused, n.State)
	_, err = a.SetState(ctx, demo.Shop, n.ID, "Ilse", store.StatePaused, store.StateLive)
	var blocked app.Blocked
	assert.ErrorAs(t, err, &blocked, "nor can it be resumed as it is")
	code, err := a.Nudge(ctx, demo.Shop, "harbour-code")
	require.NoError(t, err)
	assert.Equal(t, store.StateLive, code.State, "what does not break goes on")
}

func TestAStaleActDoesNothing(t *testing.T) {
	a := storetest.Demo(t)
	_, err := a.SetState(ctx, demo.Shop, "winter-ladder", "Tam", store.StateLive, store.StateEnded)
	require.NoError(t, err)
	_, err = a.SetState(ctx, demo.Shop, "winter-ladder", "Ilse", store.StateLive, store.StatePaused)
	assert.ErrorContains(t, err, "ended by now (Tam changed it)")
	n, err := a.SetState(ctx, demo.Shop, "winter-ladder", "Ilse", store.StateLive, store.StateEnded)
	require.NoError(t, err, "twice is once")
	assert.Equal(t, "Tam", n.ChangedBy)
	_, err = a.PutAway(ctx, demo.Shop, "harbour-code", true)
	assert.ErrorContains(t, err, "Only a nudge that has ended")
	n, err = a.PutAway(ctx, demo.Shop, "winter-ladder", true)
	require.NoError(t, err)
	assert.True(t, n.PutAway)
	n, err = a.SetState(ctx, demo.Shop, "winter-ladder", "Ilse", store.StateEnded, store.StateLive)
	require.NoError(t, err)
	assert.False(t, n.PutAway, "what lives stands on the board")
}

func TestWhatWasDeletedComesBack(t *testing.T) {
	a := storetest.Demo(t)
	_, gone, err := a.DeleteDraft(ctx, demo.Shop, "parcels-to-japan", "Ilse")
	require.NoError(t, err)
	assert.True(t, gone)
	_, err = a.Nudge(ctx, demo.Shop, "parcels-to-japan")
	assert.ErrorIs(t, err, app.ErrNotFound)
	_, _, err = a.DeleteDraft(ctx, demo.Shop, "parcels-to-japan", "Ilse")
	require.NoError(t, err, "twice is once")
	_, err = a.EditDraft(ctx, demo.Shop, "parcels-to-japan", "Tam", 1, func(*nudge.Definition) error { return nil })
	assert.ErrorIs(t, err, app.ErrNotFound)
	_, err = a.Undelete(ctx, demo.Shop, "parcels-to-japan", "Ilse", 1)
	require.NoError(t, err)
	_, err = a.Nudge(ctx, demo.Shop, "parcels-to-japan")
	require.NoError(t, err)

	rename := func(name string, version int) store.Nudge {
		n, err := a.EditDraft(ctx, demo.Shop, "winter-ladder", "Ilse", version, func(d *nudge.Definition) error { d.Name = name; return nil })
		require.NoError(t, err)
		return n
	}
	rename("Changed", 1)
	n, gone, err := a.DeleteDraft(ctx, demo.Shop, "winter-ladder", "Ilse")
	require.NoError(t, err)
	assert.False(t, gone)
	assert.Equal(t, "Winter ladder", n.Draft.Name)
	back, err := a.Undelete(ctx, demo.Shop, "winter-ladder", "Ilse", n.DraftVersion)
	require.NoError(t, err)
	assert.Equal(t, "Changed", back.Draft.Name)
	assert.True(t, back.Dirty)
	n, _, err = a.DeleteDraft(ctx, demo.Shop, "winter-ladder", "Ilse")
	require.NoError(t, err)
	rename("By Tam", n.DraftVersion)
	_, err = a.Undelete(ctx, demo.Shop, "winter-ladder", "Ilse", n.DraftVersion)
	var c app.Conflict
	assert.True(t, errors.As(err, &c), "not over what somebody else wrote since")

	// An id that was deleted can be used by the API again.
	_, _, err = a.DeleteDraft(ctx, demo.Shop, "parcels-to-japan", "Ilse")
	require.NoError(t, err)
	d := nudge.Starts()[0].Build(demo.Regions(), nil)
	_, _, err = a.PublishDefinition(ctx, demo.Shop, "parcels-to-japan", "API", d)
	require.NoError(t, err)
}

func TestSettingsAndRegionsGoOutAndComeIn(t *testing.T) {
	a := storetest.Demo(t)
	config, err := a.Config(ctx, demo.Shop)
	require.NoError(t, err)
	config.Settings.GraceMinutes = 7
	b, err := app.PrintConfig(config)
	require.NoError(t, err)
	require.NoError(t, a.ChangeConfig(ctx, demo.Shop, "Ilse", false, func(c *app.ShopConfig) error { return app.ReadConfig(b, c) }))
	again, err := a.Config(ctx, demo.Shop)
	require.NoError(t, err)
	assert.Equal(t, 7, again.Settings.GraceMinutes)
	assert.Equal(t, config.Regions, again.Regions)
	assert.Equal(t, config.Version(), again.Version())
	for bad, want := range map[string]string{
		`{`: "shop", `{"version":2,"regions":[],"products":[],"nudges":[]}`: "version", `{"version":1,"regions":[],"products":[],"nudges":[]}`: "regions",
		`{"version":1,"regionz":[]}`: "regionz", `{"version":1,"regions":[],"products":[{"id":"x"}],"nudges":[]}`: "products",
	} {
		var p app.Problem
		require.ErrorAs(t, app.ReadConfig([]byte(bad), &config), &p, bad)
		assert.Contains(t, p.Say, want)
	}
}

func TestAnImportSaysWhatChangesAndCanBeCancelled(t *testing.T) {
	a := storetest.Demo(t)
	b, err := a.ExportCatalogue(ctx, demo.Shop)
	require.NoError(t, err)
	file := strings.Replace(string(b), ",14.00,", ",14.50,", 1)
	im, err := a.PreviewImport(ctx, demo.Shop, "Ilse", "new.csv", []byte(file))
	require.NoError(t, err)
	assert.Equal(t, 1, im.Summary.Changed)
	require.Len(t, im.Summary.Changes, 1)
	assert.Equal(t, store.Change{SKU: "HARBLU-30", Label: "Harbour Blue, 30 ml", Column: "price EUR", Before: "14.00", After: "14.50"}, im.Summary.Changes[0])
	require.NoError(t, a.CancelImport(ctx, demo.Shop, im.ID))
	q := &nowQueue{}
	a.UseJobs(q)
	require.NoError(t, a.StartImport(ctx, demo.Shop, im.ID))
	assert.Empty(t, q.todo, "what was cancelled is not brought in")
	got, err := a.Import(ctx, demo.Shop, im.ID)
	require.NoError(t, err)
	assert.Equal(t, store.ImportCancelled, got.State)
}
