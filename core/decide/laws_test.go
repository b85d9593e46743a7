package decide_test

import (
	"encoding/json"
	"math/big"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing/pricingtest"
	"agonal.dev/agonal/core/snapshot"
)

func TestMain(m *testing.M) { os.Exit(pricingtest.Main(m, "10000")) }

func decideOn(t *rapid.T, shop snapshot.Shop, r decide.Request) (*snapshot.Snapshot, decide.Decision) {
	s, err := snapshot.Compile(shop)
	require.NoError(t, err)
	d, err := decide.Decide(s, r)
	require.NoError(t, err)
	return s, d
}

// dump writes a case down for whoever has to understand a failure.
func dump(t *rapid.T, shop snapshot.Shop, r decide.Request) {
	for _, n := range shop.Nudges {
		b, _ := json.Marshal(n.Definition)
		t.Logf("%s priority %d: %s", n.ID, n.Priority, b)
	}
	for _, p := range shop.Catalog.Products {
		b, _ := json.Marshal(p)
		t.Logf("%s", b)
	}
	b, _ := json.Marshal(r)
	t.Logf("%s settings %+v", b, shop.Settings)
}

// attained tells whether a rung asks for nothing more of what it counts.
func attained(s decide.RungState) bool { return s == decide.RungReached || s == decide.RungWaiting }

func state(t *rapid.T, s *snapshot.Snapshot, r decide.Request, id string, rung int, x money.Minor) decide.RungState {
	r.Added = &decide.Added{Nudge: id, Price: x}
	d, err := decide.Price(s, r)
	require.NoError(t, err)
	for _, o := range rungs(d, id) {
		if o.Rung == rung {
			return o.State
		}
	}
	t.Fatalf("rung %d of %s is gone", rung, id)
	return ""
}

// passes lets four of five cases pass: for what needs fewer than the laws of prices.
func passes(t *rapid.T) bool { return rapid.IntRange(0, 4).Draw(t, "one of five") > 0 }

// What the laws below are held against: each share is of all random shops.
func TestTheRandomShopsCoverWhatTheyShould(t *testing.T) {
	t.Parallel()
	const contended, unlike, notGap, lost, gift, currency, apart = "two nudges contend for a unit", "best is not by priority", "to add is not the gap", "a rung is lost by adding", "a gift is involved", "another currency than EUR", "tax is shown apart"
	seen, cases := map[string]int{}, 0
	rapid.Check(t, func(t *rapid.T) {
		if passes(t) {
			return
		}
		shop, r := decidetest.Random(t)
		r.Trace = false
		shop.Settings.Stacking = snapshot.BestForShopper
		_, d := decideOn(t, shop, r)
		shop.Settings.Stacking = snapshot.ByPriority
		_, byPriority := decideOn(t, shop, r)
		cases++
		has := map[string]bool{
			contended: contend(shop, d), unlike: d.ToPay != byPriority.ToPay, gift: len(d.Gifts) > 0,
			currency: d.Currency != "EUR", apart: !d.TaxShown,
		}
		for _, n := range d.Nudges {
			for _, o := range n.Rungs {
				if o.ToAdd == nil || attained(o.State) {
					continue
				}
				has[notGap] = has[notGap] || *o.ToAdd != o.Gap
				has[lost] = has[lost] || o.Lasting == nil || *o.Lasting != *o.ToAdd
			}
		}
		for k, is := range has {
			if is {
				seen[k]++
			}
		}
	})
	if cases < 500 {
		return // too few to say what they cover
	}
	for what, least := range map[string]int{contended: 40, unlike: 10, notGap: 15, lost: 2, gift: 15, currency: 20, apart: 10} {
		t.Logf("%s: %.1f %%, at least %d %%", what, 100*float64(seen[what])/float64(cases), least)
		assert.GreaterOrEqual(t, seen[what]*100, cases*least, what)
	}
}

// contend tells whether two nudges that take part may take a unit of one line.
func contend(shop snapshot.Shop, d decide.Decision) bool {
	for _, l := range d.Lines {
		it, _ := shop.Catalog.Item(l.SKU)
		if it.Product.NeverOff || it.Product.GiftCard {
			continue
		}
		facts := catalog.FactsOf(it, it.Variant.Prices[d.Currency], d.Region)
		n := 0
		for _, o := range d.Nudges {
			at := slices.IndexFunc(shop.Nudges, func(x snapshot.Live) bool { return x.ID == o.Nudge })
			ladder := &shop.Nudges[at].Definition.Ladder
			for _, w := range ladder.Rungs[0].Rewards {
				on := ladder.Scope
				if w.On != nil {
					on = *w.On
				}
				if len(o.Rungs) > 0 && w.Kind.Class() == nudge.UnitClass && on.Matches(&facts) {
					n++
				}
			}
		}
		if n > 1 {
			return true
		}
	}
	return false
}

// Where there is something to add, adding exactly it reaches the rung, one minor
// unit less does not, and from the lasting addition on it stays.
func TestAPromiseIsKept(t *testing.T) {
	t.Parallel()
	asked := 0
	rapid.Check(t, func(t *rapid.T) {
		shop, r := decidetest.Random(t)
		r.Trace = false
		s, d := decideOn(t, shop, r)
		for _, n := range d.Nudges {
			for _, o := range n.Rungs {
				if attained(o.State) || o.ToAdd == nil {
					continue
				}
				asked++
				assert.True(t, attained(state(t, s, r, n.Nudge, o.Rung, *o.ToAdd)), "%s rung %d at %d", n.Nudge, o.Rung, *o.ToAdd)
				if *o.ToAdd > 1 {
					assert.False(t, attained(state(t, s, r, n.Nudge, o.Rung, *o.ToAdd-1)), "%s rung %d, one less than %d", n.Nudge, o.Rung, *o.ToAdd)
				}
				if o.Lasting == nil {
					continue
				}
				for range 4 {
					more := *o.Lasting + rapid.Int64Range(0, max(o.Threshold, 1)).Draw(t, "more")
					if !attained(state(t, s, r, n.Nudge, o.Rung, more)) {
						dump(t, shop, r)
						t.Fatalf("%s rung %d at %d, lasting %d", n.Nudge, o.Rung, more, *o.Lasting)
					}
				}
			}
		}
	})
	t.Logf("%d promises", asked)
}

func TestSumsAreWhatTheSummarySays(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		shop, r := decidetest.Random(t)
		snap, err := snapshot.Compile(shop)
		require.NoError(t, err)
		d, err := decide.Price(snap, r)
		require.NoError(t, err)
		var amount, off, paid, tax int64
		for _, l := range d.Lines {
			require.GreaterOrEqual(t, l.Paid, int64(0))
			require.GreaterOrEqual(t, l.Off, int64(0))
			require.Equal(t, l.Unit*l.Quantity, l.Amount)
			amount, off, paid, tax = amount+l.Amount, off+l.Off, paid+l.Paid, tax+l.Tax
		}
		require.Equal(t, d.Before, amount)
		require.Equal(t, d.Off, off)
		require.Equal(t, d.Goods, paid)
		pay, given := d.Goods, int64(0)
		for _, g := range d.Rewards {
			if g.Class != "shipping" {
				given += g.Amount
			}
		}
		require.Equal(t, d.Off, given)
		if d.Shipping != nil {
			require.GreaterOrEqual(t, d.Shipping.Fee, int64(0))
			require.LessOrEqual(t, d.Shipping.Fee, d.Shipping.ListFee)
			pay += d.Shipping.Fee
		}
		if !d.TaxShown {
			pay += d.Tax
		}
		require.Equal(t, d.ToPay, pay)
		require.GreaterOrEqual(t, d.Tax, tax)
	})
}

func TestTheOrderOfTheInputDoesNotMatter(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		if passes(t) {
			return
		}
		shop, r := decidetest.Random(t)
		_, first := decideOn(t, shop, r)
		mixed := shop
		mixed.Nudges = rapid.Permutation(shop.Nudges).Draw(t, "nudges")
		again := r
		if len(r.Cart.Lines) > 0 {
			again.Cart.Lines = rapid.Permutation(r.Cart.Lines).Draw(t, "lines")
		}
		_, second := decideOn(t, mixed, again)
		a, err := json.Marshal(first)
		require.NoError(t, err)
		b, err := json.Marshal(second)
		require.NoError(t, err)
		assert.Equal(t, string(a), string(b))
	})
}

// replay works a step of the trace out again from its terms.
func replay(t *rapid.T, s decide.Step) int64 {
	v := make([]int64, len(s.Terms))
	for i, x := range s.Terms {
		v[i] = x.Value
	}
	sum := func(from []int64) (n int64) {
		for _, x := range from {
			n += x
		}
		return n
	}
	switch s.Op {
	case decide.Sum:
		return sum(v)
	case decide.Less:
		return v[0] - sum(v[1:])
	case decide.LessNil:
		return max(0, v[0]-sum(v[1:]))
	case decide.Times:
		return v[0] * v[1]
	case decide.Percent:
		n := new(big.Int).Mul(big.NewInt(v[0]), big.NewInt(v[1]))
		n.Add(n, big.NewInt(500_000))
		return n.Quo(n, big.NewInt(1_000_000)).Int64()
	case decide.Spread:
		floor := v[0] * v[1] / v[2]
		if s.Result == floor+1 && v[0]*v[1]%v[2] != 0 {
			return floor + 1 // one of the largest remainders
		}
		return floor
	case decide.AsIs, decide.Search:
		return sum(v)
	}
	t.Fatalf("step %q has the unknown operation %q", s.About, s.Op)
	return 0
}

func TestEveryFigureCanBeTraced(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		shop, r := decidetest.Random(t)
		_, d := decideOn(t, shop, r)
		traced := map[string]int64{}
		for _, s := range d.Trace {
			assert.Equal(t, replay(t, s), s.Result, "%s: %s", s.About, s.Say)
			assert.NotEmpty(t, s.Say)
			traced[s.About] = s.Result
		}
		want := map[string]int64{"before": d.Before, "off": d.Off, "goods": d.Goods, "tax": d.Tax, "to pay": d.ToPay}
		if d.Shipping != nil {
			want["shipping list fee"], want["shipping fee"] = d.Shipping.ListFee, d.Shipping.Fee
		}
		for _, n := range d.Nudges {
			for _, o := range n.Rungs {
				at := "nudge " + n.Nudge + ", rung " + string(rune('0'+o.Rung))
				want[at+" counted"], want[at+" gap"] = o.Counted, o.Gap
				if o.ToAdd != nil {
					want[at+" to add"] = *o.ToAdd
				}
				if o.Lasting != nil {
					want[at+" lasting"] = *o.Lasting
				}
			}
		}
		for about, v := range want {
			got, ok := traced[about]
			assert.True(t, ok, "%s has no step", about)
			assert.Equal(t, v, got, about)
		}
	})
}

func TestADefinitionPrintedAndReadIsTheSame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := decidetest.Definition(t)
		b, err := nudge.Print(d)
		require.NoError(t, err)
		back, err := nudge.Parse(b)
		require.NoError(t, err)
		again, err := nudge.Print(back)
		require.NoError(t, err)
		assert.Equal(t, string(b), string(again))
		assert.Equal(t, d.Clone(), back.Clone())
	})
}

// A nudge outside its audience changes nothing at all.
func TestOutsideItsAudienceANudgeChangesNothing(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		if passes(t) {
			return
		}
		shop, r := decidetest.Random(t)
		r.Trace, r.Every = false, false
		_, without := decideOn(t, shop, r)
		more := shop
		d := decidetest.Definition(t)
		d.Audience.Code = "NOBODY-KNOWS-THIS"
		more.Nudges = append(slices.Clone(shop.Nudges), snapshot.Live{ID: "stranger", Priority: 1, Definition: d})
		_, with := decideOn(t, more, r)
		a, err := json.Marshal(without)
		require.NoError(t, err)
		b, err := json.Marshal(with)
		require.NoError(t, err)
		assert.Equal(t, string(a), string(b))
	})
}

// A page that asks for its own places gets there what it would get among all, and
// nothing else of the decision depends on what was asked.
func TestAskingForSomePlacesChangesOnlyWhatIsShownElsewhere(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		if passes(t) {
			return
		}
		shop, r := decidetest.Random(t)
		r.Trace = false
		_, all := decideOn(t, shop, r)
		n := rapid.IntRange(1, len(nudge.Placements)).Draw(t, "places")
		r.Moment.Placements = rapid.Permutation(nudge.Placements).Draw(t, "order")[:n]
		_, some := decideOn(t, shop, r)
		for _, p := range nudge.Placements {
			want := all.In(p)
			if !slices.Contains(r.Moment.Placements, p) {
				want = nil
			}
			assert.Equal(t, want, some.In(p), p)
		}
		for i := range some.Nudges {
			a, b := &all.Nudges[i], &some.Nudges[i]
			a.Reason, b.Reason, a.Gain, b.Gain = "", "", nil, nil
		}
		all.Shown, some.Shown, all.Says, some.Says = nil, nil, nil, nil
		for _, d := range []*decide.Decision{&all, &some} {
			for _, o := range d.Offers {
				for i := range o.Items {
					o.Items[i].More, o.Items[i].ToPay, o.Items[i].Profit = nil, nil, nil // told where the offer shows
				}
			}
		}
		assert.Equal(t, all, some)
	})
}

func TestRequestsAreRefusedByField(t *testing.T) {
	goods := decidetest.Goods(t, map[string]money.Minor{"pen": money.Most / 200})
	s := decidetest.Snapshot(t, 590, goods)
	for name, c := range map[string]struct {
		R     decide.Request
		Field string
	}{
		"unknown SKU":      {decide.Request{Cart: decidetest.Cart(line{SKU: "quill", Quantity: 1})}, "cart.lines[0].sku"},
		"quantity 0":       {decide.Request{Cart: decidetest.Cart(line{SKU: "pen", Quantity: 0})}, "cart.lines[0].quantity"},
		"negative":         {decide.Request{Cart: decidetest.Cart(line{SKU: "pen", Quantity: -1})}, "cart.lines[0].quantity"},
		"a billion":        {decide.Request{Cart: decidetest.Cart(line{SKU: "pen", Quantity: 1_000_000_000})}, "cart.lines[0].quantity"},
		"too much money":   {decide.Request{Cart: decidetest.Cart(line{SKU: "pen", Quantity: 3})}, "cart.lines[0].quantity"},
		"nowhere":          {decide.Request{Cart: decide.Cart{Destination: &decide.Destination{Country: "AQ"}}}, "cart.destination.country"},
		"no such region":   {decide.Request{Cart: decide.Cart{Region: "moon"}}, "cart.region"},
		"no such method":   {decide.Request{Cart: decide.Cart{Destination: &decide.Destination{Country: "DE"}, Method: "balloon"}}, "cart.method"},
		"line twice":       {decide.Request{Cart: decidetest.Cart(line{SKU: "pen", Quantity: 1}, line{SKU: "pen", Quantity: 1})}, "cart.lines[1].id"},
		"page":             {decide.Request{Moment: decide.Moment{Page: decide.Page{Kind: "attic"}}}, "moment.page.kind"},
		"place":            {decide.Request{Moment: decide.Moment{Placements: []nudge.Placement{nudge.TopBar, "attic"}}}, "moment.placements[1]"},
		"place twice":      {decide.Request{Moment: decide.Moment{Placements: []nudge.Placement{nudge.TopBar, nudge.TopBar}}}, "moment.placements[1]"},
		"added to nothing": {decide.Request{Added: &decide.Added{Nudge: "none", Price: 1}}, "added.nudge"},
		"added 0":          {decide.Request{Added: &decide.Added{Nudge: "none"}}, "added.price"},
		"many codes":       {decide.Request{Cart: decide.Cart{Codes: strings.Split(strings.Repeat("A,", 30), ",")}}, "cart.codes"},
		"many lines":       {decide.Request{Cart: decide.Cart{Lines: make([]line, 501)}}, "cart.lines"},
	} {
		_, err := decide.Decide(s, c.R)
		var fields decide.FieldErrors
		require.ErrorAs(t, err, &fields, name)
		assert.Equal(t, c.Field, fields[0].Field, name)
	}
}

func FuzzDecide(f *testing.F) {
	f.Add([]byte(`{"cart":{"lines":[{"sku":"pen","quantity":2}],"destination":{"country":"DE"}}}`))
	goods := decidetest.Goods(f, map[string]money.Minor{"pen": 5400})
	s := decidetest.Snapshot(f, 590, goods, snapshot.Live{ID: "free", Priority: 1, Definition: decidetest.Ladder("Free", nudge.AfterOrder, decidetest.Rung(6000, decidetest.Free))})
	f.Fuzz(func(t *testing.T, b []byte) {
		var r decide.Request
		if json.Unmarshal(b, &r) != nil {
			return
		}
		if _, err := decide.Decide(s, r); err != nil {
			var fields decide.FieldErrors
			require.ErrorAs(t, err, &fields)
		}
	})
}

// Any bytes give a shop or a request, or an error that says what is wrong.
func FuzzParseShopAndRequest(f *testing.F) {
	f.Add([]byte(`{"version":1,"regions":[{"id":"home","name":"Home","countries":["DE"],"languages":["en"],"currency":"EUR","tax_shown":true,"tax":{},"shipping_tax":"0","methods":[]}],"products":[{"id":"ink","title":"Ink","variants":[{"sku":"ink","prices":{"EUR":{"price":1400}},"weight_g":1}]}],"nudges":[]}`), []byte(`{"cart":{"lines":[{"sku":"ink","quantity":1}]}}`))
	f.Fuzz(func(t *testing.T, shop, request []byte) {
		r, err := decide.ParseRequest(request)
		if err != nil {
			require.NotEmpty(t, err.Error())
		}
		s, err := snapshot.ParseShop(shop)
		if err != nil {
			require.NotEmpty(t, err.Error())
			return
		}
		printed, err := snapshot.PrintShop(s)
		require.NoError(t, err)
		back, err := snapshot.ParseShop(printed)
		require.NoError(t, err)
		again, err := snapshot.PrintShop(back)
		require.NoError(t, err)
		assert.Equal(t, string(printed), string(again))
		snap, err := snapshot.Compile(s)
		require.NoError(t, err)
		_, _ = decide.Decide(snap, r)
	})
}
