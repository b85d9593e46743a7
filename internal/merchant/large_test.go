package merchant_test

import (
	"context"
	"encoding/csv"
	"flag"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store/storetest"
)

var large = flag.Bool("large", false, "hold the pages against 100,000 orders, 20,000 variants and 500 nudges")

func TestALargeShopHasEveryPageAndExport(t *testing.T) {
	a, as := start(t)
	size := storetest.Large{Orders: 12_000, Products: 1_000, Nudges: 40, Drafts: 20, Events: 20_000, Codes: 20_000}
	if *large {
		size = storetest.Large{Orders: 100_000, Products: 10_000, Nudges: 500, Drafts: 20, Events: 500_000, Codes: 100_000}
	}
	var before int64
	began := time.Now()
	require.NoError(t, a.Store.DB.Table("orders").Where("shop_id = ?", demo.Shop).Count(&before).Error)
	require.NoError(t, size.Enlarge(context.Background(), a.Store, demo.Shop))
	t.Logf("filled in %v", time.Since(began))
	began = time.Now()
	_, err := a.Snapshots.Refresh(context.Background(), demo.Shop)
	require.NoError(t, err)
	t.Logf("snapshot in %v", time.Since(began))
	b := as(demo.Email)
	get := func(path string) string {
		began := time.Now()
		status, body := b.get("/s/lindquill" + path)
		assert.Equal(t, 200, status, path)
		t.Logf("%-34s %4d ms %6d KB", path, time.Since(began).Milliseconds(), len(body)>>10)
		return body
	}
	for _, path := range []string{
		"/nudges", "/nudges?away=yes", "/nudges/start", "/nudges/large-3", "/nudges/large-3/preview", "/nudges/large-3/revisions", "/nudges/large-draft-3", "/nudges/parcels-to-japan",
		"/pick?kind=goods&q=ink", "/begin", "/rehearsal", "/shop", "/shop?q=LARGE-9", "/shop?page=9", "/shop/import", "/shop/regions", "/shop/regions.json", "/shop/orders", "/shop/orders/1000009",
		"/shop/settings", "/shop/connection", "/shop/people",
	} {
		get(path)
	}
	rows, err := csv.NewReader(strings.NewReader(get("/shop/orders.csv"))).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, size.Orders+int(before)+1)
	file := get("/shop/catalogue.csv")
	rows, err = csv.NewReader(strings.NewReader(file)).ReadAll()
	require.NoError(t, err)
	assert.Greater(t, len(rows), 2*size.Products)

	began = time.Now()
	ctx := context.Background()
	im, err := a.PreviewImport(ctx, demo.Shop, "Ilse", "all.csv", []byte(strings.ReplaceAll(file, "Ink", "Inks")))
	require.NoError(t, err)
	t.Logf("import looked at in %v", time.Since(began))
	require.NoError(t, a.Store.DB.Model(&im).Update("state", "running").Error)
	began = time.Now()
	require.NoError(t, a.RunImport(ctx, demo.Shop, im.ID))
	t.Logf("import made in %v", time.Since(began))
}
