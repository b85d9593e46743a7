package merchant_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/demo"
)

// What was published through the API is shown on every page, whatever it gives.
func TestNudgesOfOtherKindsAreShown(t *testing.T) {
	a, as := start(t)
	b := as(demo.Email)
	for id, ladder := range map[string]string{
		"three-for-thirty": `{"basis":"before_nudges","scope":{"include":{"collections":["Notebooks"]}},"rungs":[{"rewards":[{"kind":"set_price","size":3,"amounts":{"home":"30.00 EUR"}}]}]}`,
		"by-the-piece":     `{"basis":"before_nudges","measure":"units","replacing":true,"rungs":[{"count":3,"rewards":[{"kind":"unit_percent","percent":"10"}]},{"count":6,"rewards":[{"kind":"unit_percent","percent":"20"}]}]}`,
		"a-gift":           `{"basis":"after_order","rungs":[{"thresholds":{"home":"80.00 EUR"},"rewards":[{"kind":"gift","items":[{"sku":"SET-QUAY"}]}]}]}`,
	} {
		d, err := nudge.Parse([]byte(`{"version":1,"name":"` + id + `","ladder":` + ladder + `,"audience":{"regions":["home"]},"placements":["top_bar"],"wording":{"en":{"not_yet":"Add {to_add} for {reward}.","reached":"Yours: {reward}."}}}`))
		require.NoError(t, err, id)
		_, _, err = a.PublishDefinition(t.Context(), demo.Shop, id, "API", d)
		require.NoError(t, err, id)
		for _, page := range []string{"/s/lindquill/nudges", "/s/lindquill/nudges/" + id, "/s/lindquill/rehearsal"} {
			status, body := b.get(page)
			assert.Equal(t, 200, status, "%s: %s", page, body)
		}
	}
	_, body := b.get("/s/lindquill/nudges")
	for _, want := range []string{"each piece is 10 % less", "is a gift", "any 3 cost €30.00 together"} {
		assert.Contains(t, strings.ToLower(body), strings.ToLower(want))
	}
}
