package merchant_test

import (
	"net/http"
	"net/url"
	"regexp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/demo"
)

// A sale is planned, its outcome is seen, it is kept, runs by itself, and is taken back.
func TestASaleIsSeenKeptAndTakenBack(t *testing.T) {
	a, as := start(t)
	b := as(demo.Email)
	now := time.Now()
	berlin, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	from, until := now.AddDate(0, 0, 3).In(berlin), now.AddDate(0, 0, 5).In(berlin)
	plan := url.Values{"percent": {"10"}, "from": {from.Format("2006-01-02T15:04")}, "until": {until.Format("2006-01-02T15:04")}, "scope.include.collections": {"Inks"}, "ending.EUR": {"0.90"}, "ending.JPY": {"10"}}
	price := func(at time.Time) money.Minor {
		snap, err := a.Snapshots.Get(t.Context(), demo.Shop)
		require.NoError(t, err)
		it, ok := snap.Catalog().Item("HARBLU-30")
		require.True(t, ok)
		p, _ := it.Variant.PriceIn("EUR", "", at)
		return p.Price
	}
	status, body := b.get("/s/lindquill/shop/sales?" + plan.Encode())
	require.Equal(t, http.StatusOK, status, body)
	// 14.00 less 1.40 is 12.60, down to 11.90; 3.20 less 0.32 is 2.88, down to 1.90.
	assert.Regexp(t, `(?s)Harbour Blue, 30 ml.*€14\.00.*€11\.90.*−15 %`, body)
	// 24 colours in three sizes, and two sets of them.
	assert.Contains(t, body, "24 come down by twice as much as you asked for")
	assert.Equal(t, money.Minor(1400), price(from.Add(time.Hour)), "looking changes nothing")

	status, body = b.post("/s/lindquill/shop/sales", plan)
	assert.Equal(t, http.StatusOK, status)
	assert.Regexp(t, `74 variants are reduced from .* until`, body)
	start := from.Truncate(time.Minute)
	assert.Equal(t, money.Minor(1400), price(start.Add(-time.Second)))
	assert.Equal(t, money.Minor(1190), price(start))
	assert.Equal(t, money.Minor(1400), price(until.Truncate(time.Minute)))

	// The same goods cannot be in two sales at once, and a second press changes nothing.
	_, body = b.post("/s/lindquill/shop/sales", plan)
	assert.Contains(t, body, "Nothing is reduced by this any more")
	_, body = b.get("/s/lindquill/shop/sales?" + plan.Encode())
	assert.Contains(t, body, "another sale of it runs then")

	end := regexp.MustCompile(`name="sale-from" value="(\d+)"[\s\S]*?name="sale-until" value="(\d+)"`).FindStringSubmatch(body)
	require.Len(t, end, 3)
	_, body = b.post("/s/lindquill/shop/sales", url.Values{"do": {"end"}, "sale-from": {end[1]}, "sale-until": {end[2]}})
	assert.Contains(t, body, "74 variants are back at the usual price.")
	assert.Equal(t, money.Minor(1400), price(start))

	for say, change := range map[string]url.Values{
		"A share of more than 0 is needed":         {"percent": {"0"}},
		"A share of more than 0 and less than 100": {"percent": {"100"}},
		"A beginning is needed":                    {"from": {""}},
		"The end must be later than the beginning": {"until": plan["from"]},
		"This is over already":                     {"from": {now.AddDate(0, 0, -9).Format("2006-01-02T15:04")}, "until": {now.AddDate(0, 0, -8).Format("2006-01-02T15:04")}},
		"is not an amount":                         {"ending.EUR": {"ninety"}},
	} {
		wrong := url.Values{}
		for k, v := range plan {
			wrong[k] = v
		}
		for k, v := range change {
			wrong[k] = v
		}
		status, body := b.post("/s/lindquill/shop/sales", wrong)
		assert.Equal(t, http.StatusUnprocessableEntity, status, say)
		assert.Contains(t, body, say)
		assert.Equal(t, money.Minor(1400), price(start), say)
	}
	viewer := as("vera@lindquill.example")
	status, _ = viewer.post("/s/lindquill/shop/sales", plan)
	assert.Equal(t, http.StatusForbidden, status)
}
