package storefront_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
)

const thanks = `{"version":1,"name":"Thanks","ladder":{"basis":"before_nudges","rungs":[{"thresholds":{"home":"0.00 EUR"},"rewards":[{"kind":"order_percent","percent":"10"}]}]},
	"audience":{"regions":["home"],"pool":"thanks","earned_by":"link_shared"},"placements":["cart_drawer"],"wording":{"en":{"not_yet":"Share and pay {difference}.","reached":"Thank you."}}}`

// A visit is given one code, however often and however many at one moment ask; it works once.
func TestACodeIsEarnedOnce(t *testing.T) {
	a := newAPI(t)
	a.publish(t, "thanks", thanks)
	made, err := a.app.GenerateCodes(t.Context(), demo.Shop, "thanks", "", 8, 3)
	require.NoError(t, err)
	earn := func(visit string) (int, string) {
		rec := a.call(t, http.MethodPost, "/v1/codes/earn", demo.PublishableKey, fmt.Sprintf(`{"nudge":"thanks","act":"link_shared","visit":"%s"}`, visit))
		var got struct{ Code string }
		_ = json.Unmarshal(rec.Body.Bytes(), &got)
		return rec.Code, got.Code
	}
	var mu sync.Mutex
	by := map[string]map[string]bool{}
	var all sync.WaitGroup
	for i := range 24 {
		all.Go(func() {
			visit := fmt.Sprint("visit-", i%3)
			status, code := earn(visit)
			mu.Lock()
			defer mu.Unlock()
			assert.Equal(t, http.StatusOK, status)
			if by[visit] == nil {
				by[visit] = map[string]bool{}
			}
			by[visit][code] = true
		})
	}
	all.Wait()
	var given []string
	for visit, codes := range by {
		assert.Len(t, codes, 1, visit)
		for c := range codes {
			given = append(given, c)
		}
	}
	assert.ElementsMatch(t, made, given, "nobody has another's")
	status, _ := earn("visit-4")
	assert.Equal(t, http.StatusConflict, status, "none is left")

	decide := func(codes string) string {
		rec := a.call(t, http.MethodPost, "/v1/decisions", demo.PublishableKey, `{"cart":{"lines":[{"sku":"HARBLU-30","quantity":1}],"destination":{"country":"DE"},"codes":[`+codes+`]},"visit":{"id":"v"},"moment":{}}`)
		require.Equal(t, http.StatusOK, rec.Code, rec.Body)
		return rec.Body.String()
	}
	assert.Contains(t, decide(`"`+given[0]+`"`), `"state":"used"`)
	assert.NotContains(t, decide(""), "Share and pay", "what cannot be earned any more is not promised")
}

// A shared cart is opened by its link; visits and orders that come by it are counted, not
// those of who shared it.
func TestASharedCartIsCounted(t *testing.T) {
	a := newAPI(t)
	a.publish(t, "thanks", thanks)
	_, err := a.app.GenerateCodes(t.Context(), demo.Shop, "thanks", "", 8, 3)
	require.NoError(t, err)
	post := func(path, key, body string, status int) (out struct {
		Token string
		Lines []map[string]any
	}) {
		rec := a.call(t, http.MethodPost, path, key, body)
		require.Equal(t, status, rec.Code, rec.Body)
		_ = json.Unmarshal(rec.Body.Bytes(), &out)
		return out
	}
	share := `{"nudge":"thanks","visit":"ilse","cart":{"lines":[{"sku":"HARBLU-30","quantity":%d},{"sku":"BLOPAP-A5","quantity":1,"origin":{"kind":"gift","nudge":"x"}}]}}`
	first := post("/v1/links", demo.PublishableKey, fmt.Sprintf(share, 1), 200)
	again := post("/v1/links", demo.PublishableKey, fmt.Sprintf(share, 2), 200)
	assert.Equal(t, first.Token, again.Token)
	post("/v1/links", demo.PublishableKey, `{"nudge":"thanks","visit":"ilse","cart":{"lines":[]}}`, 422)
	post("/v1/links", demo.PublishableKey, `{"nudge":"nowhere","visit":"ilse","cart":{"lines":[{"sku":"HARBLU-30","quantity":1}]}}`, 404)

	for _, visit := range []string{"ilse", "arne", "arne", "mara"} {
		got := post("/v1/links/open", demo.SecretKey, fmt.Sprintf(`{"token":"%s","visit":"%s"}`, first.Token, visit), 200)
		require.Len(t, got.Lines, 1, "a gift is nobody else's")
		assert.EqualValues(t, 2, got.Lines[0]["quantity"])
	}
	post("/v1/links/open", demo.SecretKey, `{"token":"nothing","visit":"arne"}`, 404)
	for visit, key := range map[string]string{"arne": "one", "ilse": "two"} {
		body := fmt.Sprintf(`{"idempotency_key":"%s","cart":{"lines":[{"sku":"HARBLU-30","quantity":2}],"destination":{"country":"DE"}},"visit":{"id":"%s"},"moment":{},"customer":"","expect_to_pay":3390,"charged":true,"shared_link":"%s"}`, key, visit, first.Token)
		post("/v1/orders", demo.SecretKey, body, 201)
	}
	n, err := a.app.Store.Shares(t.Context(), demo.Shop, "thanks")
	require.NoError(t, err)
	assert.EqualValues(t, []int64{1, 2, 1, 0}, []int64{n.Links, n.Visits, n.Orders, n.Codes})
}
