package decide_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// The distribution of the benchmark is fixed: 50,000 SKUs on shelves of 50; ten
// nudges count everything, the others a shelf each, spread evenly; a cart has 30
// lines from 30 shelves, so that about 30 nudges touch it at 1,000.
const (
	benchSKUs  = 50_000
	benchShelf = 50
	benchBroad = 10
	benchLines = 30
)

func benchShop(b *testing.B, nudges int) *decide.Snapshot {
	shelves := benchSKUs / benchShelf
	products := make([]catalog.Product, benchSKUs)
	for i := range products {
		products[i] = catalog.Product{ID: fmt.Sprintf("p%d", i), Title: "P", Collections: []string{fmt.Sprintf("shelf-%d", i%shelves)},
			Variants: []catalog.Variant{{SKU: fmt.Sprintf("s%d", i), Prices: map[money.Currency]catalog.Price{"EUR": {Price: money.Minor(100 + i*37%3900)}}}}}
	}
	cat, err := catalog.New(products)
	require.NoError(b, err)
	live := make([]decide.Live, nudges)
	for i := range live {
		d := decidetest.Ladder(fmt.Sprintf("Nudge %d", i), nudge.AfterOrder, decidetest.Rung(money.Minor(4000+i%50*100), decidetest.Free))
		if i >= benchBroad {
			d.Ladder.Scope.Include.Collections = []string{fmt.Sprintf("shelf-%d", i%shelves)}
		}
		live[i] = decide.Live{ID: fmt.Sprintf("n%d", i), Revision: 1, Priority: i + 1, Definition: d}
	}
	s, err := decide.Compile(decide.Shop{Settings: decide.Settings{Choice: decide.MerchantOrder}, Catalog: cat, Regions: []catalog.Region{decidetest.Region(590)}, Nudges: live})
	require.NoError(b, err)
	return s
}

func BenchmarkDecision(b *testing.B) {
	for _, n := range []int{100, 1_000, 10_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			s := benchShop(b, n)
			carts := make([]decide.Request, 200)
			for i := range carts {
				var lines []line
				for j := range benchLines {
					lines = append(lines, line{SKU: fmt.Sprintf("s%d", (i*7919+j*1667)%benchSKUs), Quantity: int64(1 + (i+j)%3)})
				}
				carts[i] = decide.Request{Cart: decidetest.Cart(lines...), Moment: decide.Moment{Locale: "en"}}
			}
			times := make([]time.Duration, 0, b.N)
			b.ReportAllocs()
			for i := 0; b.Loop(); i++ {
				began := time.Now()
				if _, err := s.Decide(carts[i%len(carts)]); err != nil {
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
