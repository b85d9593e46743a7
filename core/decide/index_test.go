package decide_test

import (
	"encoding/json"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// goods draws products on shelves and with tags, some of them gift cards.
func goods(t *rapid.T) *catalog.Catalog {
	some := func(of ...string) []string {
		return rapid.SliceOfNDistinct(rapid.SampledFrom(of), 0, len(of), rapid.ID[string]).Draw(t, "some")
	}
	products := make([]catalog.Product, 5)
	for i := range products {
		products[i] = catalog.Product{
			ID: fmt.Sprint("p", i), Title: "P", Collections: some("ink", "paper", "pens"), Tags: some("new", "ink", "blue"),
			GiftCard: rapid.IntRange(0, 5).Draw(t, "gift card") == 0,
		}
		for v := range rapid.IntRange(1, 2).Draw(t, "variants") {
			price := catalog.Price{Price: rapid.Int64Range(100, 900).Draw(t, "price")}
			if rapid.Bool().Draw(t, "on sale") {
				usual := price.Price + 50
				price.Reference = &usual
			}
			products[i].Variants = append(products[i].Variants, catalog.Variant{SKU: fmt.Sprintf("s%d-%d", i, v), Prices: map[money.Currency]catalog.Price{"EUR": price}})
		}
	}
	cat, err := catalog.New(products)
	if err != nil {
		t.Fatal(err)
	}
	return cat
}

// scope draws a filter: nothing named, one kind, or several, with or without what it
// leaves out.
func scope(t *rapid.T) catalog.Filter {
	side := func() (s catalog.Selection) {
		some := func(label string, of ...string) []string {
			if rapid.Bool().Draw(t, label) {
				return nil
			}
			return rapid.SliceOfNDistinct(rapid.SampledFrom(of), 1, 2, rapid.ID[string]).Draw(t, label)
		}
		s.Products, s.Collections, s.Tags = some("products", "p0", "p1", "p2"), some("collections", "ink", "pens", "elsewhere"), some("tags", "ink", "new", "nowhere")
		if rapid.IntRange(0, 4).Draw(t, "sale") == 0 {
			yes := rapid.Bool().Draw(t, "on sale")
			s.OnSale = &yes
		}
		return s
	}
	f := catalog.Filter{Include: side()}
	if rapid.IntRange(0, 2).Draw(t, "leaves out") == 0 {
		f.Exclude = side()
	}
	return f
}

// However a nudge is found, it counts the lines that its scope holds and no other;
// and it is found wherever it counts anything.
func TestWhatANudgeCountsIsWhatItsScopeHolds(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		cat := goods(t)
		shop := snapshot.Shop{Catalog: cat, Regions: []catalog.Region{decidetest.Region(590)}}
		for i := range rapid.IntRange(1, 4).Draw(t, "nudges") {
			d := decidetest.Ladder("n", nudge.BeforeNudges, decidetest.Rung(5000, decidetest.Free))
			d.Ladder.Scope = scope(t)
			if d.Valid() == nil {
				shop.Nudges = append(shop.Nudges, snapshot.Live{ID: fmt.Sprint("n", i), Revision: 1, Priority: i + 1, Definition: d})
			}
		}
		var lines []line
		for _, it := range cat.Items() {
			if rapid.IntRange(0, 2).Draw(t, "in") == 0 {
				lines = append(lines, line{SKU: it.Variant.SKU, Quantity: rapid.Int64Range(1, 3).Draw(t, "quantity")})
			}
		}
		s, err := snapshot.Compile(shop)
		require.NoError(t, err)
		d, err := decide.Decide(s, decide.Request{Cart: decidetest.Cart(lines...)})
		require.NoError(t, err)
		for _, n := range shop.Nudges {
			var want money.Minor
			for _, l := range lines {
				it, _ := cat.Item(l.SKU)
				p := it.Variant.Prices["EUR"]
				f := catalog.FactsOf(it, p, "home")
				if !it.Product.GiftCard && n.Definition.Ladder.Scope.Matches(&f) {
					want += p.Price * l.Quantity
				}
			}
			told := rungs(d, n.ID)
			if len(told) == 0 {
				assert.Zero(t, want, "%s counts goods of the cart and was not found", n.ID)
				continue
			}
			assert.Equal(t, want, told[0].Counted, n.ID)
		}
	})
}

// Decisions share room while they are made: neither those before, nor those made at
// the same time, nor those after leave a trace in one.
func TestDecisionsDoNotTouchOneAnother(t *testing.T) {
	t.Parallel()
	type question struct {
		S *snapshot.Snapshot
		R decide.Request
	}
	var all []question
	gen := rapid.Custom(func(t *rapid.T) question {
		shop, r := decidetest.Random(t)
		r.Suggest = true
		s, err := snapshot.Compile(shop)
		require.NoError(t, err)
		return question{S: s, R: r}
	})
	for i := range 60 {
		all = append(all, gen.Example(i))
	}
	write := func(d decide.Decision) string {
		b, err := json.Marshal(d)
		require.NoError(t, err)
		return string(b)
	}
	first, kept := make([]string, len(all)), make([]decide.Decision, len(all))
	for i, q := range all {
		d, err := decide.Decide(q.S, q.R)
		require.NoError(t, err)
		first[i], kept[i] = write(d), d
	}
	var wg sync.WaitGroup
	for k := range 4 {
		wg.Go(func() {
			for i := range all {
				at := (i*7 + k*13) % len(all)
				d, err := decide.Decide(all[at].S, all[at].R)
				assert.NoError(t, err)
				assert.Equal(t, first[at], write(d))
			}
		})
	}
	wg.Wait()
	for i, d := range kept {
		assert.Equal(t, first[i], write(d), "what was decided changed afterwards")
	}
}

// A sale that begins and ends is priced by the moment, though the variant lies ready.
func TestASaleIsPricedByItsMoment(t *testing.T) {
	noon := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	price := catalog.Price{Price: 4800, Sales: []catalog.Sale{{Price: 3900, From: noon, Until: noon.Add(time.Hour)}}}
	cat, err := catalog.New([]catalog.Product{{ID: "ink", Title: "Ink", Collections: []string{"all"}, Variants: []catalog.Variant{{SKU: "ink", Prices: map[money.Currency]catalog.Price{"EUR": price}}}}})
	require.NoError(t, err)
	d := decidetest.Ladder("On sale", nudge.BeforeNudges, decidetest.Rung(1000, decidetest.Free))
	yes := true
	d.Ladder.Scope.Include.OnSale = &yes
	s := decidetest.Snapshot(t, 590, cat, snapshot.Live{ID: "n", Revision: 1, Priority: 1, Definition: d})
	for at, want := range map[time.Time]money.Minor{noon.Add(-time.Second): 4800 + 590, noon: 3900, noon.Add(time.Hour - time.Second): 3900, noon.Add(time.Hour): 4800 + 590} {
		got, err := decide.Decide(s, decide.Request{Cart: decidetest.Cart(line{SKU: "ink", Quantity: 1}), Moment: decide.Moment{At: at}})
		require.NoError(t, err)
		assert.Equal(t, want, got.ToPay, at)
	}
}

// A draft may name a collection that nothing in the shop has; what is live is not
// touched by it.
func TestADraftMayNameWhatTheShopDoesNotKnow(t *testing.T) {
	d := decidetest.Ladder("Draft", nudge.BeforeNudges, decidetest.Rung(1000, decidetest.Free))
	d.Ladder.Scope.Include.Collections = []string{"not there yet"}
	s := decidetest.Snapshot(t, 590, decidetest.Goods(t, map[string]money.Minor{"ink": 1290}))
	with, err := s.With(snapshot.Live{ID: "draft", Revision: 1, Priority: 1, Definition: d})
	require.NoError(t, err)
	r := decide.Request{Cart: decidetest.Cart(line{SKU: "ink", Quantity: 1}), Every: true}
	got, err := decide.Decide(with, r)
	require.NoError(t, err)
	assert.Zero(t, rungs(got, "draft")[0].Counted)
	assert.Equal(t, money.Minor(1290+590), got.ToPay)
	r.Moment.Page.Collection = "not there yet"
	live, err := decide.Decide(s, r)
	require.NoError(t, err)
	assert.Empty(t, live.Nudges)
}
