package storefront_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	fastjson "github.com/goccy/go-json"
	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store/storetest"
	"agonal.dev/agonal/internal/storefront"
	"agonal.dev/agonal/web"
)

type api struct {
	app    *app.App
	h      http.Handler
	router routers.Router
}

func newAPI(t testing.TB) *api {
	e := echo.New()
	shop := storetest.Demo(t)
	require.NoError(t, storefront.Mount(e, shop, storefront.Config{Dist: web.Dist(), PerSecond: 1e6}))
	a := &api{app: shop, h: e}
	rec := httptest.NewRecorder()
	e.ServeHTTP(rec, httptest.NewRequest(http.MethodGet, "/openapi.json", nil))
	doc, err := openapi3.NewLoader().LoadFromData(rec.Body.Bytes())
	require.NoError(t, err)
	require.NoError(t, doc.Validate(context.Background()))
	assert.True(t, strings.HasPrefix(doc.OpenAPI, "3.1"))
	a.router, err = gorillamux.NewRouter(doc)
	require.NoError(t, err)
	return a
}

// publish makes a nudge live.
func (a *api) publish(t testing.TB, id, definition string) {
	t.Helper()
	d, err := nudge.Parse([]byte(definition))
	require.NoError(t, err)
	_, _, err = a.app.PublishDefinition(t.Context(), demo.Shop, id, "API", d)
	require.NoError(t, err)
}

// call sends a request and holds the answer against the document.
func (a *api) call(t testing.TB, method, path, key, body string) *httptest.ResponseRecorder {
	t.Helper()
	make := func() *http.Request {
		r := httptest.NewRequest(method, path, strings.NewReader(body))
		r.Header.Set("Content-Type", "application/json")
		if key != "" {
			r.Header.Set("Authorization", "Bearer "+key)
		}
		return r
	}
	rec := httptest.NewRecorder()
	a.h.ServeHTTP(rec, make())
	route, params, err := a.router.FindRoute(make())
	require.NoError(t, err)
	in := &openapi3filter.ResponseValidationInput{
		RequestValidationInput: &openapi3filter.RequestValidationInput{Request: make(), PathParams: params, Route: route},
		Status:                 rec.Code, Header: rec.Header(),
	}
	in.SetBodyBytes(rec.Body.Bytes())
	require.NoError(t, openapi3filter.ValidateResponse(context.Background(), in), "%s %s → %d %s", method, path, rec.Code, rec.Body)
	return rec
}

const goodBody = `{"cart":{"lines":[{"sku":"HARBLU-30","quantity":3}],"destination":{"country":"DE"}},"moment":{"page":{"kind":"cart"},"placements":["top_bar","cart_drawer","cart_page"],"locale":"en"}}`

func TestADecisionIsAsTheDocumentSays(t *testing.T) {
	a := newAPI(t)
	rec := a.call(t, http.MethodPost, "/v1/decisions", demo.PublishableKey, goodBody)
	require.Equal(t, http.StatusOK, rec.Code, rec.Body)
	var d decide.Decision
	require.NoError(t, json.Unmarshal(rec.Body.Bytes(), &d))
	assert.Equal(t, int64(4200+590), d.ToPay)
	assert.Equal(t, "Add €18.00 and get free standard shipping.", d.In("top_bar")[0].Text)
	assert.Empty(t, d.Trace)

	traced := a.call(t, http.MethodPost, "/v1/decisions", demo.SecretKey, strings.Replace(goodBody, `{"cart"`, `{"trace":true,"every":true,"cart"`, 1))
	require.Equal(t, http.StatusOK, traced.Code)
	assert.Contains(t, traced.Body.String(), "To pay: €42.00 + €5.90 = €47.90.")
}

func TestBadBodiesAreRefusedByName(t *testing.T) {
	a := newAPI(t)
	for name, c := range map[string]struct {
		body   string
		status int
		want   string
	}{
		"empty":         {"", 400, "the body is empty"},
		"truncated":     {goodBody[:40], 400, "breaks off"},
		"not JSON":      {"cart=1", 400, "invalid character"},
		"two documents": {goodBody + goodBody, 400, "something follows"},
		"deep":          {`{"cart":` + strings.Repeat("[", 50_000), 400, "body"},
		"huge":          {`{"cart":{"lines":[` + strings.Repeat(`{"sku":"HARBLU-30","quantity":1},`, 20_000) + `]}}`, 413, "larger than 64 KB"},
		"unknown field": {strings.Replace(goodBody, `"cart"`, `"basket"`, 1), 422, "basket"},
		"wrong type":    {strings.Replace(goodBody, `"quantity":3`, `"quantity":"three"`, 1), 422, "quantity"},
		"half a piece":  {strings.Replace(goodBody, `"quantity":3`, `"quantity":1.5`, 1), 422, "quantity"},
		"nothing":       {"null", 400, "body"},
		"NUL":           {strings.Replace(goodBody, `"locale":"en"`, `"locale":"e\u0000n"`, 1), 422, "moment.locale"},
		"half a pair":   {strings.Replace(goodBody, `"HARBLU-30"`, `"HARBLU-30\ud800"`, 1), 422, "cart.lines[0].sku"},
		"no UTF-8":      {strings.Replace(goodBody, `"HARBLU-30"`, "\"HARBLU-30\xff\"", 1), 422, "cart.lines[0].sku"},
		"no moment":     {strings.Replace(goodBody, `"moment":{`, `"moment":{"at":"yesterday",`, 1), 422, "moment.at"},
		"unknown SKU":   {strings.Replace(goodBody, "HARBLU-30", "NOPE", 1), 422, "cart.lines[0].sku"},
		"quantity 0":    {strings.Replace(goodBody, `"quantity":3`, `"quantity":0`, 1), 422, "cart.lines[0].quantity"},
		"a billion":     {strings.Replace(goodBody, `"quantity":3`, `"quantity":1000000000`, 1), 422, "cart.lines[0].quantity"},
		"overflow":      {strings.Replace(goodBody, `"quantity":3`, `"quantity":99999999999999999999`, 1), 422, "quantity"},
		"not sold":      {`{"cart":{"lines":[{"sku":"GIFT-25","quantity":1}],"destination":{"country":"JP"}}}`, 422, "not sold in Japan"},
		"no country":    {strings.Replace(goodBody, `"DE"`, `"XX"`, 1), 422, "cart.destination.country"},
		"trace":         {strings.Replace(goodBody, `{"cart"`, `{"trace":true,"cart"`, 1), 403, "trace"},
		"another time":  {strings.Replace(goodBody, `"moment":{`, `"moment":{"at":"2030-01-01T00:00:00Z",`, 1), 403, "moment.at"},
	} {
		rec := a.call(t, http.MethodPost, "/v1/decisions", demo.PublishableKey, c.body)
		assert.Equal(t, c.status, rec.Code, "%s: %s", name, rec.Body)
		assert.Equal(t, "application/problem+json", rec.Header().Get("Content-Type"), name)
		assert.Contains(t, rec.Body.String(), c.want, name)
	}
}

// What the shop's server sends no more, and what it was refused, the merchant sees.
func TestWhatIsRefusedAndGivenUpIsWrittenDown(t *testing.T) {
	a := newAPI(t)
	assert.Equal(t, http.StatusUnprocessableEntity, a.call(t, http.MethodPost, "/v1/orders", demo.SecretKey, `{"idempotency_key":"k","customer":"a\u0000"}`).Code)
	assert.Equal(t, http.StatusUnprocessableEntity, a.call(t, http.MethodPost, "/v1/orders/given-up", demo.SecretKey, `{"idempotency_key":"","why":"x"}`).Code)
	assert.Equal(t, http.StatusForbidden, a.call(t, http.MethodPost, "/v1/orders/given-up", demo.PublishableKey, `{"idempotency_key":"k","why":"x"}`).Code)
	for range 2 { // told twice, it is one
		assert.Equal(t, http.StatusNoContent, a.call(t, http.MethodPost, "/v1/orders/given-up", demo.SecretKey, `{"idempotency_key":"k7","why":"failed 12 times","charged":4200,"currency":"EUR"}`).Code)
	}
	rows, err := a.app.Refusals(context.Background(), demo.Shop)
	require.NoError(t, err)
	said := map[string]string{}
	for _, x := range rows {
		said[x.Operation+" "+x.Field] = x.Why
	}
	assert.Equal(t, "holds a NUL character, which cannot be stored", said["POST /v1/orders customer"])
	assert.Equal(t, "€42.00: failed 12 times", said["order given up k7"])
}

func TestKeysAndOrigins(t *testing.T) {
	a := newAPI(t)
	assert.Equal(t, 401, a.call(t, http.MethodPost, "/v1/decisions", "", goodBody).Code)
	assert.Equal(t, 401, a.call(t, http.MethodPost, "/v1/decisions", "pk_nobody", goodBody).Code)
	assert.Equal(t, 403, a.call(t, http.MethodPost, "/v1/orders", demo.PublishableKey, `{}`).Code)
	from := func(origin string) *httptest.ResponseRecorder {
		r := httptest.NewRequest(http.MethodPost, "/v1/decisions", strings.NewReader(goodBody))
		r.Header.Set("Authorization", "Bearer "+demo.PublishableKey)
		r.Header.Set("Origin", origin)
		rec := httptest.NewRecorder()
		a.h.ServeHTTP(rec, r)
		return rec
	}
	ours := from("http://shop.example")
	assert.Equal(t, 200, ours.Code)
	assert.Equal(t, "http://shop.example", ours.Header().Get("Access-Control-Allow-Origin"))
	theirs := from("http://elsewhere.example")
	assert.Equal(t, 403, theirs.Code)
	assert.Empty(t, theirs.Header().Get("Access-Control-Allow-Origin"))
}

func TestAnUnknownOperationIsAProblem(t *testing.T) {
	a := newAPI(t)
	rec := httptest.NewRecorder()
	a.h.ServeHTTP(rec, httptest.NewRequest(http.MethodPost, "/v1/nothing", nil))
	assert.Equal(t, 404, rec.Code)
	assert.Equal(t, "application/problem+json", rec.Header().Get("Content-Type"))
}

func TestTooManyRequestsWait(t *testing.T) {
	e := echo.New()
	require.NoError(t, storefront.Mount(e, storetest.Demo(t), storefront.Config{Dist: web.Dist(), PerSecond: 1}))
	last := 0
	for range 12 {
		r := httptest.NewRequest(http.MethodPost, "/v1/decisions", strings.NewReader(goodBody))
		r.Header.Set("Authorization", "Bearer "+demo.PublishableKey)
		rec := httptest.NewRecorder()
		e.ServeHTTP(rec, r)
		last = rec.Code
	}
	assert.Equal(t, http.StatusTooManyRequests, last)
}

func TestOrdersEventsAndCatalogue(t *testing.T) {
	a := newAPI(t)
	body := func(key string, expect int) string {
		return fmt.Sprintf(`{"idempotency_key":%q,"cart":{"lines":[{"sku":"HARBLU-30","quantity":3}],"destination":{"country":"DE"}},"customer":"Nora","expect_to_pay":%d}`, key, expect)
	}
	placed := a.call(t, http.MethodPost, "/v1/orders", demo.SecretKey, body("a", 4790))
	require.Equal(t, 201, placed.Code, placed.Body)
	again := a.call(t, http.MethodPost, "/v1/orders", demo.SecretKey, body("a", 4790))
	assert.Equal(t, placed.Body.String(), again.Body.String())
	changed := a.call(t, http.MethodPost, "/v1/orders", demo.SecretKey, body("b", 4200))
	assert.Equal(t, 409, changed.Code)
	assert.Contains(t, changed.Body.String(), "The total is now €47.90 instead of €42.00.")
	assert.Equal(t, 409, a.call(t, http.MethodPost, "/v1/orders", demo.SecretKey, body("a", 4791)).Code)
	assert.Equal(t, 422, a.call(t, http.MethodPost, "/v1/orders", demo.SecretKey, body("", 4790)).Code)

	event := `{"visit":"v","events":[{"kind":"shown","nudge":"winter-ladder","revision":1,"rung":0}]}`
	assert.Equal(t, 204, a.call(t, http.MethodPost, "/v1/events", demo.PublishableKey, event).Code)
	assert.Equal(t, 422, a.call(t, http.MethodPost, "/v1/events", demo.PublishableKey, strings.Replace(event, "winter-ladder", "x", 1)).Code)

	goods := a.call(t, http.MethodGet, "/v1/catalogue", demo.PublishableKey, "")
	require.Equal(t, 200, goods.Code)
	var shelf struct {
		Regions  []catalog.Region  `json:"regions"`
		Products []catalog.Product `json:"products"`
	}
	require.NoError(t, json.Unmarshal(goods.Body.Bytes(), &shelf))
	require.NotEmpty(t, shelf.Products)
	for _, p := range shelf.Products {
		for _, v := range p.Variants {
			for cur, price := range v.Prices {
				assert.Nil(t, price.Cost, "%s in %s: what goods cost the shop stays with it", v.SKU, cur)
			}
		}
	}
	for _, r := range shelf.Regions {
		for _, m := range r.Methods {
			assert.Zero(t, m.Cost, "and so does what a parcel costs")
		}
	}
}

// The API's encoder writes what the standard one would, byte for byte.
func TestTheFastEncoderWritesTheSameBytes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		shop, r := decidetest.Random(t)
		r.Trace = rapid.Bool().Draw(t, "trace")
		s, err := snapshot.Compile(shop)
		require.NoError(t, err)
		d, err := decide.Decide(s, r)
		require.NoError(t, err)
		if len(d.Says) > 0 {
			d.Says[0].Text = rapid.String().Draw(t, "text")
		}
		want, err := json.Marshal(d)
		require.NoError(t, err)
		got, err := fastjson.Marshal(d)
		require.NoError(t, err)
		assert.Equal(t, string(want), string(got))
	})
}

// dayOfCarts are as the embed asks about them: most hold little, some a lot.
var dayOfCarts = []string{
	`{"cart":{"lines":[],"destination":{"country":"DE"}},"moment":{"page":{"kind":"home"},"placements":["top_bar","cart_drawer"],"locale":"en"}}`,
	goodBody,
	`{"cart":{"lines":[{"sku":"HARBLU-30","quantity":1},{"sku":"BRI-30","quantity":2}],"destination":{"country":"FR"}},"moment":{"page":{"kind":"product","product":"brine"},"placements":["top_bar","product_block","cart_drawer"],"locale":"en"},"visit":{"id":"7f0c","shown":[{"nudge":"winter-ladder","revision":1}]}}`,
	`{"cart":{"lines":[{"sku":"LEDBLU-100","quantity":2},{"sku":"DUNA5-P","quantity":3}],"destination":{"country":"JP"}},"moment":{"page":{"kind":"cart"},"placements":["top_bar","cart_drawer","cart_page"],"locale":"ja"}}`,
	`{"cart":{"lines":[{"sku":"BOX-FIRST","quantity":1},{"sku":"HARBLU-100","quantity":1},{"sku":"SET-QUAY","quantity":1},{"sku":"BLOPAP-A5","quantity":2}],"codes":["HARBOUR10"],"destination":{"country":"DE"}},"moment":{"page":{"kind":"cart"},"placements":["top_bar","cart_drawer","cart_page"],"locale":"de"}}`,
}

// A bare handler decodes and encodes the same bodies: what a decision costs
// beyond that is Agonal's own.
func BenchmarkHTTPDecision(b *testing.B) {
	for name, bodies := range map[string][]string{"one": {goodBody}, "day": dayOfCarts} {
		b.Run(name, func(b *testing.B) { benchmarkDecisions(b, bodies) })
	}
}

func benchmarkDecisions(b *testing.B, bodies []string) {
	a := newAPI(b)
	answers := make([]decide.Decision, len(bodies))
	for i, body := range bodies {
		rec := a.call(b, http.MethodPost, "/v1/decisions", demo.PublishableKey, body)
		require.NoError(b, json.Unmarshal(rec.Body.Bytes(), &answers[i]), rec.Body)
		require.Equal(b, http.StatusOK, rec.Code, rec.Body)
	}
	n := 0
	bare := echo.New()
	bare.POST("/v1/decisions", func(c *echo.Context) error {
		var r decide.Request
		if err := json.NewDecoder(c.Request().Body).Decode(&r); err != nil {
			return err
		}
		return c.JSON(200, answers[n])
	})
	ask := func(h http.Handler) time.Duration {
		r := httptest.NewRequest(http.MethodPost, "/v1/decisions", strings.NewReader(bodies[n]))
		r.Header.Set("Authorization", "Bearer "+demo.PublishableKey)
		r.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		began := time.Now()
		h.ServeHTTP(w, r)
		return time.Since(began)
	}
	// In turn, so that a slow moment of the machine meets both.
	var agonal, plain time.Duration
	for b.Loop() {
		agonal += ask(a.h)
		plain += ask(bare)
		n = (n + 1) % len(bodies)
	}
	b.ReportMetric(float64(b.N)/agonal.Seconds(), "agonal/s")
	b.ReportMetric(float64(b.N)/plain.Seconds(), "bare/s")
	b.ReportMetric(100*plain.Seconds()/agonal.Seconds(), "%-of-bare")
}

// A shop's server asks what is offered after an order, and adds it: once, for what was said.
func TestAnOrderIsAddedTo(t *testing.T) {
	a := newAPI(t)
	offer := `{"version":1,"name":"One more","ladder":{"basis":"before_nudges","measure":"units","rungs":[{"count":1,"rewards":[{"kind":"offer_after","items":[{"sku":"BLOPAP-A5"}],"percent":"10"}]}]},
		"audience":{},"placements":["after_purchase"],"wording":{"en":{"reached":"{offered}? You pay {difference}."}}}`
	require.Equal(t, http.StatusOK, a.call(t, http.MethodPut, "/v1/nudges/one-more", demo.SecretKey, offer).Code)
	order := `{"idempotency_key":"first","cart":{"lines":[{"sku":"HARBLU-30","quantity":1}],"destination":{"country":"DE"}},"customer":"Nora","expect_to_pay":1990}`
	require.Equal(t, http.StatusCreated, a.call(t, http.MethodPost, "/v1/orders", demo.SecretKey, order).Code)

	assert.Equal(t, http.StatusForbidden, a.call(t, http.MethodPost, "/v1/orders/after", demo.PublishableKey, `{"order":"first"}`).Code)
	after := a.call(t, http.MethodPost, "/v1/orders/after", demo.SecretKey, `{"order":"first"}`)
	require.Equal(t, http.StatusOK, after.Code, after.Body)
	assert.Equal(t, "Blotting paper, A5? You pay €4.05 more.", at(t, after.Body.Bytes(), "decision.says.0.text")) // 4.50 less a tenth
	add := `{"idempotency_key":"first-more","order":"first","nudge":"one-more","sku":"BLOPAP-A5","expect_more":405}`
	assert.Equal(t, http.StatusForbidden, a.call(t, http.MethodPost, "/v1/orders/add", demo.PublishableKey, add).Code)
	wrong := a.call(t, http.MethodPost, "/v1/orders/add", demo.SecretKey, strings.Replace(add, "405", "404", 1))
	assert.Equal(t, http.StatusConflict, wrong.Code, wrong.Body)
	assert.Equal(t, http.StatusUnprocessableEntity, a.call(t, http.MethodPost, "/v1/orders/add", demo.SecretKey, strings.Replace(add, `,"expect_more":405`, "", 1)).Code)
	for range 2 {
		done := a.call(t, http.MethodPost, "/v1/orders/add", demo.SecretKey, add)
		require.Equal(t, http.StatusCreated, done.Code, done.Body)
		assert.Equal(t, "2395", at(t, done.Body.Bytes(), "to_pay"))
	}
	after = a.call(t, http.MethodPost, "/v1/orders/after", demo.SecretKey, `{"order":"first"}`)
	assert.Equal(t, "405", at(t, after.Body.Bytes(), "added.0.more"))
	assert.Equal(t, "[]", at(t, after.Body.Bytes(), "decision.says"))
}
