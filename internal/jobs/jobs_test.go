package jobs_test

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/jobs"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

// An import that was started outlives the process: the queue is worked by the
// next one.
func TestAnImportStartedBeforeARestartIsFinishedAfterIt(t *testing.T) {
	ctx := t.Context()
	a := storetest.Demo(t)
	quiet := slog.New(slog.DiscardHandler)
	_, err := jobs.New(a, quiet) // takes work in, and is never started
	require.NoError(t, err)
	im, err := a.PreviewImport(ctx, demo.Shop, "Ilse", "new.csv", []byte("product,title,sku,price EUR\nnew,New,NEW-1,1.00\n"))
	require.NoError(t, err)
	require.NoError(t, a.StartImport(ctx, demo.Shop, im.ID))

	next, err := jobs.New(a, quiet)
	require.NoError(t, err)
	require.NoError(t, next.Start(ctx))
	defer func() {
		stop, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		assert.NoError(t, next.Stop(stop))
	}()
	require.Eventually(t, func() bool {
		now, err := a.Import(ctx, demo.Shop, im.ID)
		if err != nil || now.State != store.ImportDone {
			return false
		}
		snap, err := a.Snapshots.Get(ctx, demo.Shop)
		if err != nil {
			return false
		}
		_, there := snap.Catalog().Item("NEW-1") // and decisions know it
		return there
	}, 20*time.Second, 50*time.Millisecond)
}
