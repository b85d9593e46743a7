package storefront_test

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/shoppertoken"
)

// A browser cannot say who its shopper is; what the shop's server has signed counts, in
// decisions and in the order that follows.
func TestAShopperIsSaidByTheShopsServer(t *testing.T) {
	a := newAPI(t)
	a.publish(t, "back", `{"version":1,"name":"Back","ladder":{"basis":"before_nudges","rungs":[{"thresholds":{"home":"0.00 EUR"},"rewards":[{"kind":"order_percent","percent":"10"}]}]},
		"audience":{"regions":["home"],"when":{"past_orders":{"at_least":3}}},"placements":["cart_drawer"],"wording":{"en":{"not_yet":"x","reached":"Welcome back."}}}`)
	const body = `{"cart":{"lines":[{"sku":"HARBLU-30","quantity":1}],"destination":{"country":"DE"}},"visit":{"id":"v"},"moment":{"locale":"en"}}`
	ask := func(token string) *httptest.ResponseRecorder {
		r := httptest.NewRequest(http.MethodPost, "/v1/decisions", strings.NewReader(body))
		r.Header.Set("Authorization", "Bearer "+demo.PublishableKey)
		r.Header.Set("Content-Type", "application/json")
		if token != "" {
			r.Header.Set(shoppertoken.Header, token)
		}
		rec := httptest.NewRecorder()
		a.h.ServeHTTP(rec, r)
		return rec
	}
	sign := func(key string, orders int64, until time.Duration) string {
		token, err := shoppertoken.Sign(shoppertoken.Fingerprint(key), decide.Shopper{Orders: &orders}, a.app.Now().Add(until))
		require.NoError(t, err)
		return token
	}
	assert.Contains(t, ask("").Body.String(), `"reason":"not_known"`)
	assert.Contains(t, ask(sign(demo.SecretKey, 3, time.Hour)).Body.String(), "Welcome back.")
	assert.NotContains(t, ask(sign(demo.SecretKey, 2, time.Hour)).Body.String(), "Welcome back.")
	for name, token := range map[string]string{"another key": sign("sk_mine", 3, time.Hour), "the publishable key": sign(demo.PublishableKey, 3, time.Hour), "too old": sign(demo.SecretKey, 3, -time.Second), "nothing like one": "x"} {
		rec := ask(token)
		assert.Equal(t, http.StatusUnprocessableEntity, rec.Code, name)
		assert.Contains(t, rec.Body.String(), `"field":"shopper"`, name)
	}
	order := `{"idempotency_key":"%","cart":{"lines":[{"sku":"HARBLU-30","quantity":1}],"destination":{"country":"DE"}},"visit":{"id":"v"},"moment":{},"customer":"","expect_to_pay":1850,"shopper":{"past_orders":@}}`
	place := func(key, orders string) int {
		return a.call(t, http.MethodPost, "/v1/orders", demo.SecretKey, strings.NewReplacer("%", key, "@", orders).Replace(order)).Code
	}
	assert.Equal(t, http.StatusCreated, place("three", "3"), "14.00 less 1.40, and 5.90")
	assert.Equal(t, http.StatusConflict, place("two", "2"))
}
