package merchant_test

import (
	"net/http"
	"slices"
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
	for _, path := range []string{"nudges", "nudges/start", "nudges/winter-ladder", "nudges/notebooks-by-the-stack", "rehearsal?sku=HARBLU-30", "shop", "shop/orders", "shop/regions", "shop/codes", "shop/sales", "shop/settings"} {
		name, _, _ := strings.Cut(strings.ReplaceAll(path, "/", "_"), "?")
		b.Run(name, func(b *testing.B) {
			var took []time.Duration
			for b.Loop() {
				began := time.Now()
				status, _ := ilse.get("/s/lindquill/" + path)
				took = append(took, time.Since(began))
				require.Equal(b, http.StatusOK, status)
			}
			slices.Sort(took)
			b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "median-ms")
		})
	}
}
