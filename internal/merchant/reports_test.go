package merchant_test

import (
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/merchant"
)

func TestAReportComesOnceEachMonday(t *testing.T) {
	a, as := start(t)
	ctx := t.Context()
	now := time.Date(2026, 11, 23, 5, 59, 0, 0, time.UTC) // a Monday, 6:59 in Vessmark
	a.Now = func() time.Time { return now }
	ilse := as(demo.Email)
	subjects := func() (out []string) {
		// Several processes may look at once.
		var all sync.WaitGroup
		for range 3 {
			all.Go(func() { assert.NoError(t, merchant.SendReports(ctx, a)) })
		}
		all.Wait()
		mails, err := a.Mails(ctx)
		require.NoError(t, err)
		for _, m := range mails {
			assert.Equal(t, demo.Email, m.ToAddress)
			out = append(out, m.Subject)
		}
		return out
	}
	assert.Empty(t, subjects(), "nobody asked for one")
	_, body := ilse.get("/s/lindquill/results")
	assert.Contains(t, body, "can go to you each Monday")
	at := now.AddDate(0, 0, -3)
	require.NoError(t, a.Record(ctx, demo.Shop, app.EventBatch{Visit: "v", Region: "home", Events: []app.EventInput{{Kind: results.Visit, At: &at}}}))
	ilse.post("/s/lindquill/results/weekly", url.Values{"do": {"on"}})
	_, body = ilse.get("/s/lindquill/results")
	assert.Contains(t, body, "goes to you by e-mail")
	assert.Equal(t, []string{"Lindquill, 9 Nov – 15 Nov"}, subjects(), "until Monday at seven the last week is the one before")
	now = now.Add(time.Minute)
	assert.Equal(t, []string{"Lindquill, 16 Nov – 22 Nov", "Lindquill, 9 Nov – 15 Nov"}, subjects())
	for _, days := range []int{0, 1, 6} {
		now = time.Date(2026, 11, 23+days, 12, 0, 0, 0, time.UTC)
		assert.Len(t, subjects(), 2, "once a week")
	}
	mails, err := a.Mails(ctx)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(mails[1].Body, "Lindquill, 9 Nov – 15 Nov\n\nNobody came"), mails[1].Body)
	assert.Contains(t, mails[0].Body, "In EUR\n  0 orders\n  0.0 % of visits order ±0.0\n  €0.00 given away\n")
	assert.Contains(t, mails[0].Body, "/s/lindquill/results?from=2026-11-16&to=2026-11-22&where=EUR\n")
	ilse.post("/s/lindquill/results/weekly", url.Values{"do": {"off"}})
	now = now.AddDate(0, 0, 7)
	assert.Len(t, subjects(), 2, "no more")
}
