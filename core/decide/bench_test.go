package decide_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/google/cel-go/cel"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// The distribution of the benchmark is fixed: 50,000 SKUs on as many shelves as
// there are nudges; four nudges count everything, the others a shelf each. A cart
// has 30 lines from 30 shelves, so that 30 to 34 nudges touch it, however many are
// live. One cart in ten has a code entered for a percentage off everything.
const (
	benchSKUs  = 50_000
	benchBroad = 4
	benchLines = 30
	benchCarts = 200
)

// benchNudge is the nudge at a place: free shipping (half of them), gifts (a fifth),
// quantity breaks (a fifth), three for the price of two, and percentages off the
// order for a code.
func benchNudge(i int) nudge.Definition {
	rung := func(r ...nudge.Reward) nudge.Rung { return decidetest.Rung(money.Minor(2000+i%50*100), r[0]) }
	var d nudge.Definition
	switch i % 20 {
	case 4, 5, 6, 7:
		d = decidetest.Ladder("Gift", nudge.BeforeNudges, rung(nudge.Reward{Kind: nudge.Gift, Items: []nudge.Item{{SKU: "s7"}}}))
	case 8, 9, 10, 11:
		d = decidetest.Ladder("Break", nudge.BeforeNudges)
		d.Ladder.Measure, d.Ladder.Replacing = nudge.SameProduct, true
		for k, rate := range []money.Rate{50_000, 100_000, 150_000} {
			d.Ladder.Rungs = append(d.Ladder.Rungs, nudge.Rung{Count: int64(3 * (k + 1)), Rewards: []nudge.Reward{{Kind: nudge.UnitPercent, Percent: &rate}}})
		}
	case 12:
		d = decidetest.Ladder("Three for two", nudge.BeforeNudges, nudge.Rung{Rewards: []nudge.Reward{{Kind: nudge.NForM, Size: 3, PayFor: 2}}})
	case 13:
		d = decidetest.Ladder("Code", nudge.AfterUnit, rung(decidetest.Percent(100_000)))
		d.Audience.Code = fmt.Sprintf("TEN%d", i)
	default:
		d = decidetest.Ladder("Free", nudge.AfterOrder, rung(decidetest.Free))
	}
	if i >= benchBroad && i != 13 {
		d.Ladder.Scope.Include.Collections = []string{fmt.Sprintf("shelf-%d", i)}
	}
	d.Name = fmt.Sprintf("%s %d", d.Name, i)
	units, value := benchLeast(i)
	d.Audience.When = &audience.Condition{All: []audience.Condition{
		{Countries: []string{"DE", "AT", "CH"}[:1+i%3]},
		{Units: &audience.Count{Least: &units}},
		{CartValue: &audience.Money{Least: map[string]money.Amount{"home": decidetest.EUR(value)}}},
		{Devices: []audience.Device{"phone", "desktop", "tablet"}[:1+i%2]},
	}}
	return d
}

// benchLeast is how many pieces, and goods of what value, a nudge asks a cart to hold:
// less than every cart of the benchmark does.
func benchLeast(i int) (units int64, value money.Minor) {
	return int64(1 + i%5), money.Minor(500 + i%40*25)
}

func benchShop(b *testing.B, nudges int) *snapshot.Snapshot {
	return benchShopOf(b, nudges, snapshot.Settings{Choice: snapshot.MerchantOrder})
}

func benchShopOf(b *testing.B, nudges int, settings snapshot.Settings) *snapshot.Snapshot {
	products := make([]catalog.Product, benchSKUs)
	for i := range products {
		products[i] = catalog.Product{ID: fmt.Sprintf("p%d", i), Title: "P", Collections: []string{fmt.Sprintf("shelf-%d", i%nudges)},
			Variants: []catalog.Variant{{SKU: fmt.Sprintf("s%d", i), Prices: map[money.Currency]catalog.Price{"EUR": {Price: money.Minor(100 + i*37%3900)}}}}}
	}
	cat, err := catalog.New(products)
	require.NoError(b, err)
	live := make([]snapshot.Live, nudges)
	for i := range live {
		live[i] = snapshot.Live{ID: fmt.Sprintf("n%d", i), Revision: 1, Priority: i + 1, Definition: benchNudge(i)}
	}
	s, err := snapshot.Compile(snapshot.Shop{Settings: settings, Catalog: cat, Regions: []catalog.Region{decidetest.Region(590)}, Nudges: live})
	require.NoError(b, err)
	return s
}

func benchRequests() []decide.Request {
	carts := make([]decide.Request, benchCarts)
	for i := range carts {
		var lines []line
		for j := range benchLines {
			lines = append(lines, line{SKU: fmt.Sprintf("s%d", (i*7919+j*1667)%benchSKUs), Quantity: int64(1 + (i+j)%3)})
		}
		carts[i] = decide.Request{Cart: decidetest.Cart(lines...), Moment: decide.Moment{Locale: "en"}, Visit: decide.Visit{Device: "phone"}}
		if i%10 == 0 {
			carts[i].Cart.Codes = []string{"ten13"}
		}
	}
	return carts
}

func BenchmarkDecision(b *testing.B) {
	for _, n := range []int{100, 1_000, 10_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			s, carts := benchShop(b, n), benchRequests()
			times := make([]time.Duration, 0, b.N)
			b.ReportAllocs()
			for i := 0; b.Loop(); i++ {
				began := time.Now()
				if _, err := decide.Decide(s, carts[i%len(carts)]); err != nil {
					b.Fatal(err)
				}
				times = append(times, time.Since(began))
			}
			slices.Sort(times)
			b.ReportMetric(float64(times[len(times)/2].Nanoseconds())/1000, "median-µs")
			b.ReportMetric(float64(times[len(times)*99/100].Nanoseconds())/1000, "p99-µs")
		})
	}
}

// BenchmarkAssignment is what it costs to place a visitor in the holdout of every nudge, as a
// share of a decision: the same carts in turn without and with a visitor whom no nudge is kept
// from, so that both decide the same; of each cart the quickest of all times.
func BenchmarkAssignment(b *testing.B) {
	least := money.Rate(1)
	s, carts := benchShopOf(b, 1_000, snapshot.Settings{Choice: snapshot.MerchantOrder, Holdout: &least}), benchRequests()
	visitors := [2]string{"", "0c1f2a8e-7b57-4c3b-9f6e-0f2f6a4f9f11"}
	var quickest [benchCarts][2]time.Duration
	for i := 0; b.Loop(); i++ {
		at := i % len(carts)
		for j := range visitors {
			who := (i/len(carts) + j) % 2 // each is first as often as the other
			req := carts[at]
			req.Visit.Visitor = visitors[who]
			began := time.Now()
			if _, err := decide.Decide(s, req); err != nil {
				b.Fatal(err)
			}
			if took := time.Since(began); quickest[at][who] == 0 || took < quickest[at][who] {
				quickest[at][who] = took
			}
		}
	}
	var sum [2]time.Duration
	for _, q := range quickest {
		sum[0], sum[1] = sum[0]+q[0], sum[1]+q[1]
	}
	b.ReportMetric(100*float64(sum[1]-sum[0])/float64(sum[0]), "%-of-decision")
}

// BenchmarkSuggestions is a decision that also looks for goods that close the gap of
// the one nudge that shows: of those that touch the cart the first that is open.
func BenchmarkSuggestions(b *testing.B) {
	s, carts := benchShop(b, 1_000), benchRequests()
	for i := range carts {
		d, err := decide.Decide(s, carts[i])
		require.NoError(b, err)
		for _, n := range d.Nudges {
			open := slices.ContainsFunc(n.Rungs, func(r decide.RungOutcome) bool { return r.State == decide.RungOpen && r.Lasting != nil })
			if open {
				break
			}
			carts[i].Visit.Dismissed = append(carts[i].Visit.Dismissed, n.Nudge)
		}
		carts[i].Suggest = true
	}
	found := 0
	for i := 0; b.Loop(); i++ {
		d, err := decide.Decide(s, carts[i%len(carts)])
		if err != nil {
			b.Fatal(err)
		}
		for _, n := range d.Nudges {
			found += len(n.Suggestions)
		}
	}
	if found == 0 {
		b.Fatal("nothing is suggested")
	}
}

// BenchmarkLargestCart prices a cart of 200 lines and 10,000 pieces under three
// nudges of each of six kinds that all contend for every unit.
func BenchmarkLargestCart(b *testing.B) {
	prices := map[string]money.Minor{}
	var lines []line
	for i := range decide.MostLines {
		sku := fmt.Sprintf("s%03d", i)
		prices[sku] = money.Minor(100 + i*37%3900)
		lines = append(lines, line{SKU: sku, Quantity: decide.MostQuantity / decide.MostLines})
	}
	var live []snapshot.Live
	for k := range 3 {
		rate := money.Rate(100_000 + k*10_000)
		for _, d := range []nudge.Definition{
			decidetest.Ladder("percent", nudge.BeforeNudges, decidetest.Rung(1000, nudge.Reward{Kind: nudge.UnitPercent, Percent: &rate})),
			decidetest.Ladder("every", nudge.BeforeNudges, nudge.Rung{Rewards: []nudge.Reward{{Kind: nudge.Every, Size: 2, Get: 1, Percent: &rate, DearestFirst: k%2 == 0}}}),
			decidetest.Ladder("n for m", nudge.BeforeNudges, nudge.Rung{Rewards: []nudge.Reward{{Kind: nudge.NForM, Size: 3, PayFor: 2}}}),
			decidetest.Ladder("set", nudge.BeforeNudges, nudge.Rung{Rewards: []nudge.Reward{{Kind: nudge.SetPrice, Size: 4, Amounts: nudge.Amounts{"home": decidetest.EUR(4000)}}}}),
			decidetest.Ladder("order", nudge.AfterUnit, decidetest.Rung(5000, decidetest.Percent(rate))),
			decidetest.Ladder("free", nudge.AfterOrder, decidetest.Rung(6000+money.Minor(k)*3_000_000, decidetest.Free)),
		} {
			live = append(live, snapshot.Live{ID: fmt.Sprint("n", len(live)), Revision: 1, Priority: len(live) + 1, Definition: d})
		}
	}
	s := decidetest.Snapshot(b, 590, decidetest.Goods(b, prices), live...)
	req := decide.Request{Cart: decidetest.Cart(lines...)}
	for b.Loop() {
		if _, err := decide.Decide(s, req); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkConditionPrograms evaluates the conditions of 1,000 nudges, each as one
// compiled program, over the same carts: who is meant, and whether the cart holds
// anything that the nudge counts. It prices nothing.
func BenchmarkConditionPrograms(b *testing.B) {
	const n = 1_000
	env, err := cel.NewEnv(cel.Variable("country", cel.StringType), cel.Variable("device", cel.StringType), cel.Variable("units", cel.IntType), cel.Variable("value", cel.IntType),
		cel.Variable("collections", cel.ListType(cel.StringType)))
	require.NoError(b, err)
	programs := make([]cel.Program, n)
	for i := range programs {
		d := benchNudge(i)
		units, value := benchLeast(i)
		text := fmt.Sprintf(`country in %s && units >= %d && value >= %d && device in %s`,
			[]string{`["DE"]`, `["DE", "AT"]`, `["DE", "AT", "CH"]`}[i%3], units, value, []string{`["phone"]`, `["phone", "desktop"]`}[i%2])
		if c := d.Ladder.Scope.Include.Collections; len(c) > 0 {
			text += fmt.Sprintf(" && collections.exists(c, c == %q)", c[0])
		}
		ast, issues := env.Compile(text)
		require.NoError(b, issues.Err())
		programs[i], err = env.Program(ast, cel.EvalOptions(cel.OptOptimize))
		require.NoError(b, err)
	}
	s, carts := benchShop(b, n), benchRequests()
	facts := make([]map[string]any, len(carts))
	for i, c := range carts {
		var units, value int64
		var collections []string
		for _, l := range c.Cart.Lines {
			it, _ := s.Catalog().Item(l.SKU)
			units += l.Quantity
			value += it.Variant.Prices["EUR"].Price * l.Quantity
			collections = append(collections, it.Product.Collections...)
		}
		facts[i] = map[string]any{"country": c.Cart.Destination.Country, "device": string(c.Visit.Device), "units": units, "value": value, "collections": collections}
	}
	for i := 0; b.Loop(); i++ {
		for _, p := range programs {
			if _, _, err := p.Eval(facts[i%len(facts)]); err != nil {
				b.Fatal(err)
			}
		}
	}
}

// BenchmarkPromises reports how many open value rungs have no promise because the
// search for what to add came to its end, in small random shops.
func BenchmarkPromises(b *testing.B) {
	type visit struct {
		Shop snapshot.Shop
		R    decide.Request
	}
	drawn := rapid.Custom(func(t *rapid.T) visit {
		shop, r := decidetest.Random(t)
		r.Trace, r.Every = false, true
		return visit{Shop: shop, R: r}
	})
	for _, mode := range []snapshot.Stacking{snapshot.BestForShopper, snapshot.ByPriority} {
		name := "best"
		if mode == snapshot.ByPriority {
			name = "by_priority"
		}
		b.Run(name, func(b *testing.B) {
			open, lost := 0, 0
			for b.Loop() {
				open, lost = 0, 0
				for seed := range 3000 {
					v := drawn.Example(seed)
					v.Shop.Settings.Stacking = mode
					s, err := snapshot.Compile(v.Shop)
					require.NoError(b, err)
					d, err := decide.Decide(s, v.R)
					require.NoError(b, err)
					for _, n := range d.Nudges {
						for _, o := range n.Rungs {
							if o.State != decide.RungOpen || o.Measure != nudge.Value || n.Reason != "" && n.Reason != decide.NothingToAdd {
								continue
							}
							open++
							if o.Reason == "not_found" {
								lost++
							}
						}
					}
				}
			}
			b.ReportMetric(float64(open), "open-rungs")
			b.ReportMetric(100*float64(lost)/float64(max(1, open)), "%-not-found")
		})
	}
}
