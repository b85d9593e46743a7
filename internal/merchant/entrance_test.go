package merchant_test

import (
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/merchant"
)

// Text that the database cannot hold is refused wherever it may be typed, and the field
// is named; nothing fails.
func TestTextThatCannotBeStoredIsRefusedByField(t *testing.T) {
	_, sign := start(t)
	b := sign(demo.Email)
	shop := "/s/" + demo.Shop
	forms := map[string]string{
		shop + "/shop/settings": "settings-form", shop + "/shop/look": "look-form", shop + "/shop/connection": "origins-form", shop + "/shop/regions/home": "region-form",
	}
	for path, id := range forms {
		for field := range b.form(path, id) {
			if field == "csrf" {
				continue
			}
			for _, poison := range []string{"a\x00b", "a\xffb"} {
				f := b.form(path, id)
				f.Set(field, poison)
				status, body := b.post(path, f)
				assert.Equal(t, http.StatusUnprocessableEntity, status, "%s %s", path, field)
				assert.Contains(t, body, "“"+field+"”", path)
			}
		}
	}
	for path, status := range map[string]int{
		shop + "/pick?kind=goods&q=%00": http.StatusUnprocessableEntity, shop + "/nudges/%00": http.StatusNotFound, shop + "/nudges/a%FF": http.StatusNotFound,
		shop + "/rehearsal?cart=%00": http.StatusUnprocessableEntity,
	} {
		got, _ := b.get(path)
		assert.Equal(t, status, got, path)
	}
}

// Who is not signed in may send a small form only.
func TestAStrangersFormIsSmall(t *testing.T) {
	_, sign := start(t)
	b := sign("")
	f := url.Values{"email": {"nobody@example.org"}, "password": {strings.Repeat("x", merchant.MostStrangersForm)}}
	status, body := b.post("/sign-in", f)
	assert.Equal(t, http.StatusRequestEntityTooLarge, status)
	assert.Contains(t, body, "larger than any form here")
	status, _ = b.post("/s/"+demo.Shop+"/shop/import", f)
	assert.Equal(t, http.StatusRequestEntityTooLarge, status)
}

// What the shop's server was refused lately, and orders that it gave up, stand on a page.
func TestTheMerchantSeesWhatWasRefusedAndGivenUp(t *testing.T) {
	a, sign := start(t)
	b := sign(demo.Email)
	a.Refused(demo.Shop, "POST /v1/orders", http.StatusUnprocessableEntity, "customer", "holds a NUL character, which cannot be stored")
	a.Refused(demo.Shop, "POST /v1/orders", http.StatusUnprocessableEntity, "customer", "holds a NUL character, which cannot be stored")
	require.NoError(t, a.GiveUp(t.Context(), demo.Shop, "order-77", "€42.00: Agonal failed at it 12 times"))
	var body string
	require.EventuallyWithT(t, func(t *assert.CollectT) { // refusals are written down a moment later
		_, body = b.get("/s/" + demo.Shop + "/shop/connection")
		for _, want := range []string{"Orders that were given up", "order-77", "Agonal failed at it 12 times", "Refused lately", "POST /v1/orders", "holds a NUL character", "2 times"} {
			assert.Contains(t, body, want)
		}
	}, 10*time.Second, 200*time.Millisecond)
	assert.Regexp(t, `holds a NUL character[^/]*</td>\s*<td class="when">[^<]*</td>\s*<td>2 times</td>`, body)
}
