package storefront_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/demo"
)

// rewards is one of every kind, with what must come of it for three bottles of
// 14.00: a figure of the decision, and its value.
var rewards = map[nudge.Kind]struct{ reward, path, want string }{
	nudge.UnitPercent:  {`"percent":"10"`, "off", "420"},
	nudge.UnitAmount:   {`"amounts":{"home":"1.50 EUR"}`, "off", "450"},
	nudge.UnitPrice:    {`"amounts":{"home":"12.00 EUR"}`, "off", "600"},
	nudge.SetPrice:     {`"size":3,"amounts":{"home":"36.00 EUR"}`, "off", "600"},
	nudge.BuiltPrice:   {`"amounts":{"home":"36.00 EUR"}`, "builds.0.price", "3600"},
	nudge.NForM:        {`"size":3,"pay_for":2`, "off", "1400"},
	nudge.Every:        {`"size":2,"get":1,"percent":"50"`, "off", "700"},
	nudge.OrderPercent: {`"percent":"10"`, "off", "420"},
	nudge.OrderAmount:  {`"amounts":{"home":"5.00 EUR"}`, "off", "500"},
	nudge.FreeShipping: {``, "shipping.fee", "0"},
	nudge.ShippingOff:  {`"amounts":{"home":"2.00 EUR"}`, "shipping.fee", "390"},
	nudge.ShippingFlat: {`"amounts":{"home":"3.00 EUR"}`, "shipping.fee", "300"},
	nudge.Gift:         {`"items":[{"sku":"SET-QUAY"}]`, "gifts.0.state", "added"},
	nudge.GiftPick:     {`"items":[{"sku":"SET-QUAY"},{"sku":"SET-NIGHT"}],"pick":1`, "gifts.0.state", "to_pick"},
	nudge.OfferAdd:     {`"items":[{"sku":"SET-QUAY"}],"percent":"20"`, "offers.0.items.0.price", "1400"},
	nudge.OfferBetter:  {`"items":[{"sku":"HARBLU-100"}],"in_place_of":["HARBLU-30"],"amounts":{"home":"28.00 EUR"}`, "offers.0.items.0.quantity", "3"},
	nudge.OrderBump:    {`"items":[{"sku":"SET-QUAY"}],"percent":"20"`, "offers.0.kind", "order_bump"},
	nudge.OfferAfter:   {`"items":[{"sku":"SET-QUAY"}]`, "offers.0.items.0.price", "1750"},
	nudge.Companions:   {`"items":[{"sku":"SET-QUAY"}]`, "offers.0.items.0.price", "1750"},
	nudge.Notice:       {`"link":"/collections/Paper"`, "to_pay", "4790"}, // it takes nothing off
}

func at(t *testing.T, b []byte, path string) string {
	var v any
	require.NoError(t, json.Unmarshal(b, &v))
	for _, step := range strings.Split(path, ".") {
		switch x := v.(type) {
		case map[string]any:
			v = x[step]
		case []any:
			var i int
			_, err := fmt.Sscan(step, &i)
			require.NoError(t, err)
			require.Greater(t, len(x), i, "%s in %s", path, b)
			v = x[i]
		}
	}
	return fmt.Sprint(v)
}

func TestEveryKindOfRewardIsPublishedAndDecided(t *testing.T) {
	for _, kind := range nudge.Kinds {
		t.Run(string(kind), func(t *testing.T) {
			c, ok := rewards[kind]
			require.True(t, ok, "no reward of this kind is tried")
			a := newAPI(t)
			for _, live := range []string{"winter-ladder", "harbour-ten", "parcels-to-japan"} {
				_, _ = a.app.SetState(t.Context(), demo.Shop, live, "Ilse", "", "paused")
			}
			fields := `"kind":"` + string(kind) + `"`
			if c.reward != "" {
				fields += "," + c.reward
			}
			ladder, cart := `"rungs":[{"thresholds":{"home":"0.00 EUR"},"rewards":[{`+fields+`}]}]`, goodBody
			if kind == nudge.BuiltPrice { // of what was put together on purpose
				ladder = `"measure":"units","slots":[{"least":3,"most":3}],"rungs":[{"count":3,"rewards":[{` + fields + `}]}]`
				cart = strings.Replace(goodBody, `"quantity"`, `"build":{"nudge":"one-of-each","id":"a"},"quantity"`, 1)
			}
			body := `{"version":1,"name":"One of each","ladder":{"basis":"before_nudges",` + ladder + `},
				"audience":{"regions":["home"]},"placements":["top_bar"],"wording":{"en":{"not_yet":"Add {to_add} for {reward}.","reached":"Yours: {reward}."}}}`
			rec := a.call(t, http.MethodPut, "/v1/nudges/one-of-each", demo.SecretKey, body)
			require.Equal(t, http.StatusOK, rec.Code, rec.Body)
			assert.NotContains(t, at(t, rec.Body.Bytes(), "sentence"), "?")
			again := a.call(t, http.MethodPut, "/v1/nudges/one-of-each", demo.SecretKey, body)
			assert.Equal(t, "1", at(t, again.Body.Bytes(), "revision"), "the same again changes nothing")
			got := a.call(t, http.MethodPost, "/v1/decisions", demo.PublishableKey, cart)
			require.Equal(t, http.StatusOK, got.Code, got.Body)
			assert.Equal(t, c.want, at(t, got.Body.Bytes(), c.path), got.Body)
			traced := a.call(t, http.MethodPost, "/v1/decisions", demo.SecretKey, strings.Replace(cart, `{"cart"`, `{"trace":true,"suggest":true,"cart"`, 1))
			assert.Equal(t, http.StatusOK, traced.Code)
		})
	}
	assert.Len(t, rewards, len(nudge.Kinds))
}

func TestPublishingIsRefusedByField(t *testing.T) {
	a := newAPI(t)
	good := `{"version":1,"name":"X","ladder":{"basis":"before_nudges","rungs":[{"thresholds":{"home":"10.00 EUR"},"rewards":[{"kind":"gift","items":[{"sku":"SET-QUAY"}]}]}]},"audience":{"regions":["home"]},"placements":["top_bar"],"wording":{"en":{"not_yet":"Add {to_add}."}}}`
	for want, body := range map[string]string{
		"items[0].sku":                    strings.Replace(good, "SET-QUAY", "UNICORN", 1),
		"ladder.rungs[0].thresholds.home": strings.Replace(good, `"home":"10.00 EUR"`, `"home":"10.00 GBP"`, 1),
		"colour":                          strings.Replace(good, `"name"`, `"colour":"red","name"`, 1),
		"rewards[0].kind":                 strings.Replace(good, `"gift"`, `"lunch"`, 1),
		"definition":                      good[:50],
	} {
		rec := a.call(t, http.MethodPut, "/v1/nudges/x", demo.SecretKey, body)
		assert.Equal(t, http.StatusUnprocessableEntity, rec.Code, want)
		assert.Contains(t, rec.Body.String(), want)
	}
	assert.Equal(t, http.StatusForbidden, a.call(t, http.MethodPut, "/v1/nudges/x", demo.PublishableKey, good).Code)
	assert.Equal(t, http.StatusUnprocessableEntity, a.call(t, http.MethodPut, "/v1/nudges/x--y", demo.SecretKey, good).Code)
}

func TestPoolsAreFilledAndTakenAlong(t *testing.T) {
	a := newAPI(t)
	rec := a.call(t, http.MethodPost, "/v1/pools/winter/codes", demo.SecretKey, `{"count":3,"prefix":"W-"}`)
	require.Equal(t, http.StatusCreated, rec.Code, rec.Body)
	var made struct{ Codes []string }
	require.NoError(t, json.Unmarshal(rec.Body.Bytes(), &made))
	slices.Sort(made.Codes)
	out := a.call(t, http.MethodGet, "/v1/pools/winter/codes", demo.SecretKey, "")
	assert.Equal(t, "code,order\n"+strings.Join(made.Codes, ",\n")+",\n", out.Body.String())
	assert.Equal(t, http.StatusUnprocessableEntity, a.call(t, http.MethodPost, "/v1/pools/winter/codes", demo.SecretKey, `{"count":0}`).Code)
	assert.Equal(t, http.StatusForbidden, a.call(t, http.MethodGet, "/v1/pools/winter/codes", demo.PublishableKey, "").Code)
}

// What only the server knows is not taken from outside.
func TestUsageIsNotToldFromOutside(t *testing.T) {
	a := newAPI(t)
	var d decide.Decision
	rec := a.call(t, http.MethodPost, "/v1/decisions", demo.PublishableKey, strings.Replace(goodBody, `{"cart"`, `{"usage":{"winter-ladder":{"uses":1000000}},"cart"`, 1))
	require.Equal(t, http.StatusOK, rec.Code)
	require.NoError(t, json.Unmarshal(rec.Body.Bytes(), &d))
	assert.NotEmpty(t, d.Nudges[0].Rungs)
	assert.Equal(t, http.StatusForbidden, a.call(t, http.MethodPost, "/v1/decisions", demo.PublishableKey, strings.Replace(goodBody, `{"cart"`, `{"shopper":{"groups":["trade"]},"cart"`, 1)).Code)
}
