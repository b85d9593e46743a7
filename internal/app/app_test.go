package app_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

var ctx = context.Background()

// nowQueue runs imports at once, after the transaction.
type nowQueue struct{ todo []uuid.UUID }

func (q *nowQueue) EnqueueImport(_ context.Context, _ pgx.Tx, _ string, id uuid.UUID) error {
	q.todo = append(q.todo, id)
	return nil
}

func cart(country string, lines ...decide.CartLine) decide.Cart {
	return decide.Cart{Lines: lines, Destination: &decide.Destination{Country: country}}
}

func order(key string, expect money.Minor) app.OrderRequest {
	return app.OrderRequest{Key: key, Cart: cart("DE", decide.CartLine{SKU: "KIT-F", Quantity: 1}), Customer: "Nora", Expect: expect, Visit: decide.Visit{ID: "v-" + key}}
}

func TestADraftGoesLiveAsARevisionAndCanBeBroughtBack(t *testing.T) {
	a := storetest.Demo(t)
	n, err := a.Nudge(ctx, demo.Shop, "winter-ladder")
	require.NoError(t, err)
	require.Equal(t, 1, n.LiveRevision)

	n, err = a.EditDraft(ctx, demo.Shop, n.ID, "Tam", n.DraftVersion, func(d *nudge.Definition) error {
		d.Ladder.Rungs[0].Thresholds["home"] = money.Amount{Minor: 5500, Currency: "EUR"}
		return nil
	})
	require.NoError(t, err)
	assert.True(t, n.Dirty)
	counted := func() money.Minor {
		s, err := a.Snapshots.Get(ctx, demo.Shop)
		require.NoError(t, err)
		d, err := decide.Decide(s.Snapshot, decide.Request{Cart: cart("DE"), Moment: decide.Moment{At: time.Now()}})
		require.NoError(t, err)
		return d.Nudges[0].Rungs[0].Threshold
	}
	assert.Equal(t, money.Minor(6000), counted(), "a draft changes nothing for shoppers")

	n, err = a.Publish(ctx, demo.Shop, n.ID, "Tam", n.DraftVersion)
	require.NoError(t, err)
	assert.Equal(t, 2, n.LiveRevision)
	assert.Equal(t, money.Minor(5500), counted())

	again, err := a.Publish(ctx, demo.Shop, n.ID, "Tam", n.DraftVersion)
	require.NoError(t, err, "a second click does no harm")
	assert.Equal(t, 2, again.LiveRevision)

	n, err = a.Restore(ctx, demo.Shop, n.ID, "Tam", 1)
	require.NoError(t, err)
	n, err = a.Publish(ctx, demo.Shop, n.ID, "Tam", n.DraftVersion)
	require.NoError(t, err)
	assert.Equal(t, 3, n.LiveRevision)
	assert.Equal(t, money.Minor(6000), counted())
}

func TestTwoPeopleOnOneDraftFindOut(t *testing.T) {
	a := storetest.Demo(t)
	n, err := a.Nudge(ctx, demo.Shop, "winter-ladder")
	require.NoError(t, err)
	rename := func(who, name string) error {
		_, err := a.EditDraft(ctx, demo.Shop, n.ID, who, n.DraftVersion, func(d *nudge.Definition) error { d.Name = name; return nil })
		return err
	}
	require.NoError(t, rename("Ilse", "By Ilse"))
	var c app.Conflict
	require.ErrorAs(t, rename("Tam", "By Tam"), &c)
	assert.Equal(t, "Ilse", c.By)
	_, err = a.Publish(ctx, demo.Shop, n.ID, "Tam", n.DraftVersion)
	require.ErrorAs(t, err, &c, "nor can what one has not seen be published")
	now, err := a.Nudge(ctx, demo.Shop, n.ID)
	require.NoError(t, err)
	assert.Equal(t, "By Ilse", now.Draft.Name)
}

func TestTwoTabsPublishingAtOnceMakeOneRevision(t *testing.T) {
	a := storetest.Demo(t)
	n, err := a.Create(ctx, demo.Shop, "Ilse", nudge.Starts()[0].Build(demo.Regions(), nil))
	require.NoError(t, err)
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			_, err := a.Publish(ctx, demo.Shop, n.ID, "Ilse", n.DraftVersion)
			assert.NoError(t, err)
		})
	}
	wg.Wait()
	rs, err := a.Revisions(ctx, demo.Shop, n.ID)
	require.NoError(t, err)
	assert.Len(t, rs, 1)
}

func TestChecksStopWhatCannotBeKept(t *testing.T) {
	a := storetest.Demo(t)
	d := nudge.Starts()[0].Build(demo.Regions(), nil)
	delete(d.Ladder.Rungs[0].Thresholds, "jp")
	n, err := a.Create(ctx, demo.Shop, "Ilse", d)
	require.NoError(t, err)
	_, err = a.Publish(ctx, demo.Shop, n.ID, "Ilse", n.DraftVersion)
	var b app.Blocked
	require.ErrorAs(t, err, &b)
	assert.Contains(t, b.Error(), "no threshold for Japan")
}

func TestPausedIsGoneAndResumedIsBack(t *testing.T) {
	a := storetest.Demo(t)
	live := func() int {
		s, err := a.Snapshots.Get(ctx, demo.Shop)
		require.NoError(t, err)
		d, err := decide.Decide(s.Snapshot, decide.Request{Cart: cart("DE"), Moment: decide.Moment{At: time.Now()}})
		require.NoError(t, err)
		n := 0
		for _, o := range d.Nudges {
			if o.Nudge == "winter-ladder" {
				n++
			}
		}
		return n
	}
	require.Equal(t, 1, live())
	_, err := a.SetState(ctx, demo.Shop, "winter-ladder", "Ilse", "", store.StatePaused)
	require.NoError(t, err)
	assert.Equal(t, 0, live())
	_, err = a.SetState(ctx, demo.Shop, "winter-ladder", "Ilse", "", store.StateLive)
	require.NoError(t, err)
	assert.Equal(t, 1, live())
	_, err = a.SetState(ctx, demo.Shop, "parcels-to-japan", "Ilse", "", store.StateLive)
	assert.ErrorContains(t, err, "never published")
}

func TestTheMerchantsOrderIsKept(t *testing.T) {
	a := storetest.Demo(t)
	require.NoError(t, a.Reorder(ctx, demo.Shop, []string{"parcels-to-japan", "not-there"}))
	ns, err := a.Nudges(ctx, demo.Shop)
	require.NoError(t, err)
	assert.Equal(t, "parcels-to-japan", ns[0].ID)
	assert.Equal(t, []int{1, 2, 3}, []int{ns[0].Priority, ns[1].Priority, ns[2].Priority})
	assert.Equal(t, []string{"winter-ladder", "harbour-code"}, []string{ns[1].ID, ns[2].ID})
}

func TestAnOrderIsPricedAgainAndStoredOnce(t *testing.T) {
	a := storetest.Demo(t)
	_, err := a.PlaceOrder(ctx, demo.Shop, order("k1", 5800))
	var changed app.QuoteChanged
	require.ErrorAs(t, err, &changed, "58.00 leaves out the fee of 5.90")
	assert.Equal(t, money.Minor(6390), changed.Decision.ToPay)
	assert.Contains(t, changed.Changes[0], "€63.90 instead of €58.00")

	var wg sync.WaitGroup
	var number atomic.Int64
	for range 12 {
		wg.Go(func() {
			o, err := a.PlaceOrder(ctx, demo.Shop, order("k2", 6390))
			if assert.NoError(t, err) && !number.CompareAndSwap(0, o.Number) {
				assert.Equal(t, number.Load(), o.Number, "the same key is the same order")
			}
		})
	}
	wg.Wait()
	other := order("k2", 6390)
	other.Customer = "Somebody else"
	_, err = a.PlaceOrder(ctx, demo.Shop, other)
	assert.ErrorIs(t, err, app.ErrKeyReused)

	late := order("k2", 6390)
	late.Charged = true
	o, err := a.PlaceOrder(ctx, demo.Shop, late)
	require.NoError(t, err, "sent again as charged, it is known as the same")
	assert.Equal(t, number.Load(), o.Number)
}

func TestAnOrderChargedWhileAgonalWasAwayIsTakenOverAsItIs(t *testing.T) {
	a := storetest.Demo(t)
	req := order("k3", 6666)
	req.Charged = true
	o, err := a.PlaceOrder(ctx, demo.Shop, req)
	require.NoError(t, err)
	assert.Equal(t, money.Minor(6666), o.ToPay)
	assert.True(t, o.AsQuoted)
	assert.Empty(t, o.Rewards)
}

func TestOrdersNeedWhatAnOrderNeeds(t *testing.T) {
	a := storetest.Demo(t)
	for field, change := range map[string]func(*app.OrderRequest){
		"idempotency_key":  func(r *app.OrderRequest) { r.Key = "" },
		"cart.lines":       func(r *app.OrderRequest) { r.Cart.Lines = nil },
		"cart.destination": func(r *app.OrderRequest) { r.Cart.Destination = nil },
		"expect_to_pay":    func(r *app.OrderRequest) { r.Charged, r.Expect = true, -5 },
		"placed_at":        func(r *app.OrderRequest) { r.Charged, r.PlacedAt = true, &time.Time{} },
		"customer":         func(r *app.OrderRequest) { r.Customer = strings.Repeat("x", 201) },
	} {
		r := order("x", 1)
		change(&r)
		_, err := a.PlaceOrder(ctx, demo.Shop, r)
		var p app.Problem
		require.ErrorAs(t, err, &p)
		assert.Equal(t, field, p.Field)
	}
}

func TestWhatIsSentTwiceCountsOnce(t *testing.T) {
	a := storetest.Demo(t)
	before, err := a.Store.Numbers(ctx, demo.Shop, time.Time{})
	require.NoError(t, err)
	e := app.EventInput{Kind: results.Shown, Nudge: "winter-ladder", Revision: 1}
	for range 3 {
		require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: "visit-9", Events: []app.EventInput{e, e}}))
	}
	after, err := a.Store.Numbers(ctx, demo.Shop, time.Time{})
	require.NoError(t, err)
	assert.Equal(t, before["winter-ladder"].Shown+1, after["winter-ladder"].Shown)
	for field, in := range map[string]app.EventInput{
		"events[0].nudge": {Kind: results.Shown, Nudge: "stranger"},
		"events[0].kind":  {Kind: "stared_at", Nudge: "winter-ladder"},
		"events[0].rung":  {Kind: results.Reached, Nudge: "winter-ladder", Rung: -1},
	} {
		var p app.Problem
		require.ErrorAs(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: "v", Events: []app.EventInput{in}}), &p)
		assert.Equal(t, field, p.Field)
	}
}

func TestShopsDoNotSeeEachOther(t *testing.T) {
	a := storetest.Demo(t)
	_, err := a.Nudge(ctx, "vessmark-trade", "winter-ladder")
	assert.ErrorIs(t, err, app.ErrNotFound)
	_, err = a.SetState(ctx, "vessmark-trade", "winter-ladder", "x", "", store.StateEnded)
	assert.ErrorIs(t, err, app.ErrNotFound)
	os, err := a.Orders(ctx, "vessmark-trade", 10)
	require.NoError(t, err)
	assert.Empty(t, os)
}

func TestSignInSlowsGuessingDown(t *testing.T) {
	a := storetest.Demo(t)
	acc, err := a.SignIn(ctx, strings.ToUpper(demo.Email), demo.Password, "10.0.0.1")
	require.NoError(t, err)
	assert.Equal(t, "Ilse Marrin", acc.Name)
	for range 5 {
		_, err := a.SignIn(ctx, demo.Email, "wrong", "10.0.0.2")
		assert.ErrorContains(t, err, "do not belong together")
	}
	_, err = a.SignIn(ctx, demo.Email, demo.Password, "10.0.0.2")
	var wait app.ErrTooManyAttempts
	require.ErrorAs(t, err, &wait)
	assert.Greater(t, wait.Seconds(), 800)
	_, err = a.SignIn(ctx, demo.Email, demo.Password, "10.0.0.1")
	assert.NoError(t, err, "from elsewhere the right person comes in")
	_, err = a.SignIn(ctx, demo.Email, demo.Password, "10.0.0.2")
	assert.ErrorAs(t, err, &wait, "and that resets nothing for who guesses")
	a.Now = func() time.Time { return time.Now().Add(16 * time.Minute) }
	_, err = a.SignIn(ctx, demo.Email, demo.Password, "10.0.0.2")
	assert.NoError(t, err)
}

// Guesses that come all at once are counted before any password is looked at.
func TestGuessesAtOnceAreManyGuesses(t *testing.T) {
	a := storetest.Demo(t)
	var looked, waited atomic.Int64
	var all sync.WaitGroup
	for range 64 {
		all.Go(func() {
			_, err := a.SignIn(ctx, demo.Email, "wrong", "10.0.0.3")
			var wait app.ErrTooManyAttempts
			if errors.As(err, &wait) {
				waited.Add(1)
			} else {
				looked.Add(1)
			}
		})
	}
	all.Wait()
	assert.LessOrEqual(t, looked.Load(), int64(5))
	assert.GreaterOrEqual(t, waited.Load(), int64(59))
}

// Signing in to an account of one's own does not let one guess on from there.
func TestOnesOwnAccountResetsNothingForOthers(t *testing.T) {
	a := storetest.Demo(t)
	for i := range 20 {
		_, err := a.SignIn(ctx, fmt.Sprintf("nobody-%d@lindquill.example", i%7), "wrong", "10.0.0.4")
		require.Error(t, err)
		var wait app.ErrTooManyAttempts
		if errors.As(err, &wait) {
			t.Fatalf("waits after %d attempts", i)
		}
		if i == 10 {
			_, err := a.SignIn(ctx, demo.Email, demo.Password, "10.0.0.4")
			require.NoError(t, err)
		}
	}
	_, err := a.SignIn(ctx, "nobody-8@lindquill.example", "wrong", "10.0.0.4")
	assert.ErrorAs(t, err, &app.ErrTooManyAttempts{})
}

// An account that is guessed at from everywhere answers more slowly, but its owner comes
// in within half a minute.
func TestAnAccountIsNeverLocked(t *testing.T) {
	a := storetest.Demo(t)
	now := time.Now()
	a.Now = func() time.Time { return now }
	var wait app.ErrTooManyAttempts
	slowed := false
	for i := range 60 {
		_, err := a.SignIn(ctx, demo.Email, "wrong", fmt.Sprintf("10.1.0.%d", i))
		if errors.As(err, &wait) {
			slowed = true
			assert.LessOrEqual(t, wait.Seconds(), 31)
			now = now.Add(wait.Wait)
		}
	}
	assert.True(t, slowed)
	_, err := a.SignIn(ctx, demo.Email, demo.Password, "10.2.0.1")
	if errors.As(err, &wait) {
		now = now.Add(wait.Wait)
		_, err = a.SignIn(ctx, demo.Email, demo.Password, "10.2.0.1")
	}
	assert.NoError(t, err)
}

func TestAFileIsPreviewedThenBroughtInWhole(t *testing.T) {
	a := storetest.Demo(t)
	q := &nowQueue{}
	a.UseJobs(q)
	first, err := a.ExportCatalogue(ctx, demo.Shop)
	require.NoError(t, err)
	file := strings.Replace(string(first), "HARBLU-4,size,4 ml", "HARBLU-4,size,5 ml", 1)
	header, _, _ := strings.Cut(string(first), "\r\n")
	cells := strings.Split(header, ",")
	for i, name := range cells {
		cells[i] = map[string]string{"product": "quill", "title": "Goose quill", "sku": "QUILL", "weight g": "3", "price EUR": "3.00"}[name]
	}
	file += strings.Join(cells, ",") + "\r\n"

	im, err := a.PreviewImport(ctx, demo.Shop, "Ilse", "goods.csv", []byte(file))
	require.NoError(t, err)
	assert.Empty(t, im.Summary.Refused)
	assert.Equal(t, 1, im.Summary.New)
	assert.Equal(t, 1, im.Summary.Changed)
	assert.Equal(t, im.Summary.RowsRead-2, im.Summary.Unchanged)

	require.NoError(t, a.StartImport(ctx, demo.Shop, im.ID))
	require.NoError(t, a.StartImport(ctx, demo.Shop, im.ID), "a double click")
	require.Len(t, q.todo, 1)
	require.NoError(t, a.RunImport(ctx, demo.Shop, im.ID))
	done, err := a.Import(ctx, demo.Shop, im.ID)
	require.NoError(t, err)
	assert.Equal(t, store.ImportDone, done.State)
	back, err := a.ExportCatalogue(ctx, demo.Shop)
	require.NoError(t, err)
	assert.Equal(t, file, string(back), "what comes in goes out, byte for byte")
}

func TestARefusedLineStopsTheWholeFile(t *testing.T) {
	a := storetest.Demo(t)
	q := &nowQueue{}
	a.UseJobs(q)
	im, err := a.PreviewImport(ctx, demo.Shop, "Ilse", "bad.csv", []byte("product,title,sku,price EUR\nok,Fine,OK-1,1.00\nbad,Bad,BAD-1,-1.00\n"))
	require.NoError(t, err)
	require.Len(t, im.Summary.Refused, 1)
	assert.Equal(t, 3, im.Summary.Refused[0].Line)
	require.NoError(t, a.StartImport(ctx, demo.Shop, im.ID))
	assert.Empty(t, q.todo)
}

// A page that tells a price and that something is sold out changes that and nothing else.
func TestAPageOfProductsIsBroughtIn(t *testing.T) {
	a := storetest.Demo(t)
	a.UseJobs(&nowQueue{})
	page := `<html><script type="application/ld+json">{"@type": "ProductGroup", "productGroupID": "harbour-blue", "hasVariant": [
		{"@type": "Product", "sku": "HARBLU-30", "offers": {"price": "15.00", "priceCurrency": "EUR", "availability": "InStock"}},
		{"@type": "Product", "sku": "HARBLU-4", "offers": {"price": "3.20", "priceCurrency": "EUR", "availability": "OutOfStock"}}]}</script></html>`
	im, err := a.PreviewImport(ctx, demo.Shop, "Ilse", "page.html", []byte(page))
	require.NoError(t, err)
	assert.Empty(t, im.Summary.Refused)
	assert.Equal(t, [3]int{0, 2, 0}, [3]int{im.Summary.New, im.Summary.Changed, im.Summary.Unchanged})
	var changes []string
	for _, c := range im.Summary.Changes {
		changes = append(changes, c.SKU+" "+c.Column+" "+c.After)
	}
	assert.ElementsMatch(t, []string{"HARBLU-30 price EUR 15.00", "HARBLU-4 stock 0"}, changes)
	require.NoError(t, a.StartImport(ctx, demo.Shop, im.ID))
	require.NoError(t, a.RunImport(ctx, demo.Shop, im.ID))
	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(t, err)
	it, _ := snap.Catalog().Item("HARBLU-30")
	assert.Equal(t, money.Minor(1500), it.Variant.Prices["EUR"].Price)
	assert.NotEmpty(t, it.Variant.Prices["JPY"])
	assert.Contains(t, it.Product.Collections, "Inks")

	// All or nothing: one that says too little stops the file, and is named.
	im, err = a.PreviewImport(ctx, demo.Shop, "Ilse", "page.json", []byte(`[{"@type": "Product", "sku": "HARBLU-30", "offers": {"price": "9.00", "priceCurrency": "EUR"}}, {"@type": "Product", "sku": "NO-PRICE"}]`))
	require.NoError(t, err)
	require.Len(t, im.Summary.Refused, 1)
	assert.Equal(t, "NO-PRICE, offers: it has no price", im.Summary.Refused[0].Why)
	require.NoError(t, a.StartImport(ctx, demo.Shop, im.ID))
	again, err := a.Import(ctx, demo.Shop, im.ID)
	require.NoError(t, err)
	assert.Equal(t, store.ImportPreviewed, again.State)
}

// Twenty thousand variants; the time is a figure of make bench, not of a test.
func bigFile(n int) []byte {
	var b strings.Builder
	b.WriteString("product,title,collections,sku,option 1,value 1,price EUR,price JPY,stock,weight g\r\n")
	for i := range n {
		fmt.Fprintf(&b, "big-%d,Big %d,Shelf %d,BIG-%d,size,%d ml,%d.50,%d,5,100\r\n", i/4, i/4, i/4%20, i, i%4, i%90+1, i%9000+100)
	}
	return []byte(b.String())
}

func BenchmarkImport20000Variants(b *testing.B) {
	a := storetest.Demo(b)
	a.UseJobs(&nowQueue{})
	file := bigFile(20_000)
	for b.Loop() {
		im, err := a.PreviewImport(ctx, demo.Shop, "Ilse", "big.csv", file)
		require.NoError(b, err)
		require.NoError(b, a.StartImport(ctx, demo.Shop, im.ID))
		require.NoError(b, a.RunImport(ctx, demo.Shop, im.ID))
	}
}

func TestAVisitKeepsTheRevisionItWasShown(t *testing.T) {
	a := storetest.Demo(t)
	n, err := a.Nudge(ctx, demo.Shop, "winter-ladder")
	require.NoError(t, err)
	n, err = a.EditDraft(ctx, demo.Shop, n.ID, "Tam", n.DraftVersion, func(d *nudge.Definition) error {
		d.Ladder.Rungs[0].Thresholds["home"] = money.Amount{Minor: 7000, Currency: "EUR"}
		return nil
	})
	require.NoError(t, err)
	_, err = a.Publish(ctx, demo.Shop, n.ID, "Tam", n.DraftVersion)
	require.NoError(t, err)
	threshold := func(shown ...decide.ShownRef) money.Minor {
		s, err := a.Snapshots.Get(ctx, demo.Shop)
		require.NoError(t, err)
		d, err := decide.Decide(s.Snapshot, decide.Request{Cart: cart("DE"), Visit: decide.Visit{Shown: shown}, Moment: decide.Moment{At: time.Now()}})
		require.NoError(t, err)
		for _, o := range d.Nudges {
			if o.Nudge == "winter-ladder" {
				return o.Rungs[0].Threshold
			}
		}
		return -1
	}
	saw := decide.ShownRef{Nudge: "winter-ladder", Revision: 1}
	assert.Equal(t, money.Minor(7000), threshold())
	assert.Equal(t, money.Minor(6000), threshold(saw), "a change is not held against who saw the old promise")

	_, err = a.SetState(ctx, demo.Shop, n.ID, "Tam", "", store.StatePaused)
	require.NoError(t, err)
	assert.Equal(t, money.Minor(-1), threshold(saw), "a pause is at once")
	_, err = a.SetState(ctx, demo.Shop, n.ID, "Tam", "", store.StateEnded)
	require.NoError(t, err)
	assert.Equal(t, money.Minor(7000), threshold(decide.ShownRef{Nudge: "winter-ladder", Revision: 2}), "an end is honoured for who saw it")
}

// A rung that gives two kinds of reward and a gift at once is stored with all three.
func TestAnOrderIsStoredWithEverythingThatARungGives(t *testing.T) {
	a := storetest.Demo(t)
	d := nudge.Definition{
		Version: nudge.Version, Name: "All at once", Placements: []nudge.Placement{nudge.TopBar}, Audience: nudge.Audience{Regions: []string{"home"}},
		Ladder: nudge.Ladder{Basis: nudge.BeforeNudges, Rungs: []nudge.Rung{{Thresholds: eur(4000), Rewards: []nudge.Reward{
			{Kind: nudge.FreeShipping}, {Kind: nudge.OrderAmount, Amounts: eur(300)}, {Kind: nudge.Gift, Items: []nudge.Item{{SKU: "BRI-4"}}},
		}}}},
		Wording: nudge.Wording{"en": {nudge.NotYet: "Add {to_add}.", nudge.Reached: "Yours."}},
	}
	_, _, err := a.PublishDefinition(ctx, demo.Shop, "all-at-once", "Ilse", d)
	require.NoError(t, err)
	o, err := a.PlaceOrder(ctx, demo.Shop, order("all", 5500)) // 58.00 of goods, 3.00 off, no fee
	require.NoError(t, err)
	read, err := a.Order(ctx, demo.Shop, o.Number)
	require.NoError(t, err)
	byClass := map[string]money.Minor{}
	for _, r := range read.Rewards {
		assert.Equal(t, []any{"all-at-once", 1, 0}, []any{r.NudgeID, r.Revision, r.Rung})
		byClass[r.Class] = r.Amount
	}
	assert.Equal(t, map[string]money.Minor{"shipping": 590, "order": 300, "gift": 320}, byClass, "a gift is worth its list price")
	numbers, err := a.Store.Numbers(ctx, demo.Shop, time.Now().Add(-time.Hour))
	require.NoError(t, err)
	assert.Equal(t, int64(1), numbers["all-at-once"].Orders)
}
