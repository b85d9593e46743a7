package store_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

// batch are events of many visits, as a busy moment brings them.
func batch(run, n int, at time.Time) []store.Event {
	kinds := []results.Kind{results.Visit, results.Could, results.Shown, results.Reached}
	out := make([]store.Event, n)
	for i := range out {
		kind := kinds[i%len(kinds)]
		e := store.Event{
			ShopID: demo.Shop, Visit: fmt.Sprintf("bench-%d-%d", run, i/8), ID: fmt.Sprint(kind, i%8), Day: at.Truncate(24 * time.Hour), At: at, Kind: kind,
			Region: "home", Language: []string{"en", "de"}[i%2], Device: "phone", Visitor: fmt.Sprint("visitor-", i/8),
		}
		if kind != results.Visit {
			e.NudgeID, e.Revision, e.Placement = []string{"winter-ladder", "harbour-code"}[i/4%2], 1, "top_bar"
		}
		out[i] = e
	}
	return out
}

// BenchmarkEvents stores, counts and dedupes events, beside copying the same rows into the
// same table and no more.
func BenchmarkEvents(b *testing.B) {
	a := storetest.Demo(b)
	ctx, at := context.Background(), time.Now().UTC()
	const many = 5000
	_, err := a.Store.RecordEvents(ctx, batch(-1, many, at))
	require.NoError(b, err)
	var counted, copied time.Duration
	columns := []string{"shop_id", "visit", "id", "day", "at", "kind", "nudge_id", "revision", "rung", "placement", "region", "language", "device", "arm", "visitor", "band"}
	for i := range b.N {
		began := time.Now()
		n, err := a.Store.RecordEvents(ctx, batch(2*i, many, at))
		require.NoError(b, err)
		require.EqualValues(b, many, n)
		counted += time.Since(began)
		raw := batch(2*i+1, many, at)
		began = time.Now()
		_, err = a.Store.Pool.CopyFrom(ctx, pgx.Identifier{"events"}, columns, pgx.CopyFromSlice(many, func(k int) ([]any, error) {
			e := &raw[k]
			return []any{e.ShopID, e.Visit, e.ID, e.Day, e.At, string(e.Kind), e.NudgeID, e.Revision, e.Rung, e.Placement, e.Region, e.Language, e.Device, e.Arm, e.Visitor, e.Band}, nil
		}))
		require.NoError(b, err)
		copied += time.Since(began)
	}
	per := func(d time.Duration) float64 { return float64(many*b.N) / d.Seconds() }
	b.ReportMetric(per(counted), "counted/s")
	b.ReportMetric(per(copied), "copied/s")
	b.ReportMetric(100*per(counted)/per(copied), "%-of-copy")
}
