package merchant_test

import (
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store/storetest"
)

// BenchmarkPages is how long the merchant's pages take with 60 nudges, 20,000 variants and
// 12,000 orders: the median of each, in milliseconds.
func BenchmarkPages(b *testing.B) {
	a, as := start(b)
	size := storetest.Large{Orders: 12_000, Products: 10_000, Nudges: 40, Drafts: 20, Events: 20_000, Codes: 2_000}
	require.NoError(b, size.Enlarge(b.Context(), a.Store, demo.Shop))
	_, err := a.Snapshots.Refresh(b.Context(), demo.Shop)
	require.NoError(b, err)
	ilse := as(demo.Email)
	pages(b, ilse, "nudges", "nudges/start", "nudges/winter-ladder", "nudges/notebooks-by-the-stack", "rehearsal?sku=HARBLU-30", "shop", "shop/orders", "shop/regions", "shop/codes", "shop/sales", "shop/settings")
}

// pages gets pages again and again, and reports the median.
func pages(b *testing.B, who *browser, paths ...string) {
	for _, path := range paths {
		name, _, _ := strings.Cut(strings.ReplaceAll(path, "/", "_"), "?")
		b.Run(name, func(b *testing.B) {
			var took []time.Duration
			for b.Loop() {
				began := time.Now()
				status, _ := who.get("/s/lindquill/" + path)
				took = append(took, time.Since(began))
				require.Equal(b, http.StatusOK, status)
			}
			slices.Sort(took)
			b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "median-ms")
		})
	}
}

// BenchmarkResults are the pages of results where 10 million events and a million orders came
// within eight weeks; BUSY makes it as many visits instead.
func BenchmarkResults(b *testing.B) {
	a, as := start(b)
	require.NoError(b, storetest.Large{Nudges: 40}.Enlarge(b.Context(), a.Store, demo.Shop))
	busy := storetest.Busy{Visits: 1_700_000, Orders: 1_000_000}
	if n, err := strconv.Atoi(os.Getenv("BUSY")); err == nil {
		busy = storetest.Busy{Visits: n, Orders: n * 10 / 17}
	}
	began := time.Now()
	require.NoError(b, busy.Come(b.Context(), a.Store, demo.Shop))
	var n struct{ Events, Orders, Cells int64 }
	require.NoError(b, a.Store.DB.Raw("SELECT (SELECT count(*) FROM events) AS events, (SELECT count(*) FROM orders) AS orders, (SELECT count(*) FROM result_cells) AS cells").Scan(&n).Error)
	b.Logf("%d events, %d orders, %d cells, made in %v", n.Events, n.Orders, n.Cells, time.Since(began).Round(time.Second))
	_, err := a.Snapshots.Refresh(b.Context(), demo.Shop)
	require.NoError(b, err)
	pages(b, as(demo.Email), "results", "results/large-1", "results/trials", "nudges")
}
