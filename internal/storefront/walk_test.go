package storefront_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/storefront/apiwalk"
)

func document(t *testing.T) *apiwalk.Document {
	b, err := os.ReadFile("openapi.json")
	require.NoError(t, err)
	d, err := apiwalk.Read(b)
	require.NoError(t, err)
	return d
}

// Whatever comes in, for every operation and field of the document: no answer is a failure
// of ours, and a refusal names the field as the document does.
func TestEveryFieldOfTheDocumentIsGuarded(t *testing.T) {
	a, d := newAPI(t), document(t)
	a.publish(t, "walk-thanks", `{"version":1,"name":"Thanks","ladder":{"basis":"before_nudges","rungs":[{"thresholds":{"home":"0.00 EUR"},"rewards":[{"kind":"order_percent","percent":"10"}]}]},
		"audience":{"regions":["home"],"pool":"walk-thanks","earned_by":"link_shared"},"placements":["cart_drawer"],"wording":{"en":{"not_yet":"Share."}}}`)
	_, err := a.app.GenerateCodes(t.Context(), demo.Shop, "walk-thanks", "", 8, 50)
	require.NoError(t, err)
	tried := 0
	for _, path := range slices.Sorted(maps.Keys(d.Paths)) {
		for method, op := range d.Paths[path] {
			assert.NotEmpty(t, op.ID, "%s %s has no id", method, path)
			for _, code := range []string{"401", "403", "429", "500", "503"} {
				assert.Contains(t, op.Responses, code, "%s %s", method, path)
			}
			content, ok := op.Body.Content["application/json"]
			if !ok || op.ID == "publishNudge" { // a definition has its own schema and its own test
				continue
			}
			address := strings.ReplaceAll(path, "{pool}", "walk")
			n := 0
			call := func(body any) *httptest.ResponseRecorder {
				n++
				if m, ok := body.(map[string]any); ok && m["idempotency_key"] == "x" {
					m = maps.Clone(m)
					m["idempotency_key"] = fmt.Sprint("walk ", n)
					body = m
				}
				b, err := json.Marshal(body)
				require.NoError(t, err)
				return a.call(t, strings.ToUpper(method), address, demo.SecretKey, string(b))
			}
			sample := d.Sample(content.Schema, "")
			if op.ID == "placeOrder" {
				sample.(map[string]any)["charged"] = true // any total is taken then
				sample.(map[string]any)["expect_to_pay"] = 4790
			}
			first := call(sample)
			if slices.Contains([]string{"afterOrder", "addToOrder", "tellOfPlan", "openLink"}, op.ID) {
				require.Equal(t, http.StatusNotFound, first.Code, "%s: the sample's order or link was never made: %s", op.ID, first.Body)
			} else {
				require.Less(t, first.Code, 300, "%s: %s", op.ID, first.Body)
			}
			all := d.Wrongs(content.Schema, sample)
			for _, w := range all {
				rec := call(w.Body)
				said := rec.Body.String()
				assert.Less(t, rec.Code, 500, "%s: %s is %s: %s", op.ID, w.Field, w.What, said)
				if rec.Code >= 400 {
					assert.Equal(t, "application/problem+json", rec.Header().Get("Content-Type"))
				}
				switch {
				case rec.Code >= 400 && strings.HasPrefix(w.What, "as ") && (strings.Contains(said, "longer than") || strings.Contains(said, "too many") || strings.Contains(said, "at most")):
					t.Errorf("%s: %s is %s, and no more: %s", op.ID, w.Field, w.What, said)
				case w.Refused && rec.Code < 400:
					t.Errorf("%s: %s is %s, and was taken", op.ID, w.Field, w.What)
				case w.Refused && w.Field != "" && !strings.Contains(said, `"`+w.Field+`"`) && !strings.Contains(said, `"`+w.Field+`.`):
					t.Errorf("%s: %s is %s, and another name was given: %s", op.ID, w.Field, w.What, said)
				}
			}
			tried += len(all)
		}
	}
	t.Logf("%d bodies", tried)
	assert.Greater(t, tried, 800)
}

func TestEveryParameterIsGuarded(t *testing.T) {
	a, d := newAPI(t), document(t)
	for path, methods := range d.Paths {
		for method, op := range methods {
			for _, p := range op.Parameters {
				for _, v := range []string{"", "%00", "a%00b", "%FF", "%ED%A0%80", "..", "%2E%2E%2F", "a%0Ab", "%F0%9F%98%80", strings.Repeat("a", apiwalk.Or(p.Schema.MaxLength, 0)), strings.Repeat("a", apiwalk.Or(p.Schema.MaxLength, 0)+1), strings.Repeat("a", 5000)} {
					address, body := path+"?"+p.Name+"="+v, goodBody
					if p.In == "path" {
						address, body = strings.ReplaceAll(path, "{"+p.Name+"}", v), `{"count":1}`
					}
					r := httptest.NewRequest(strings.ToUpper(method), "/", strings.NewReader(body))
					u, err := r.URL.Parse(address)
					if err != nil {
						continue
					}
					r.URL = u
					r.Header.Set("Authorization", "Bearer "+demo.SecretKey)
					rec := httptest.NewRecorder()
					a.h.ServeHTTP(rec, r)
					assert.Less(t, rec.Code, 500, "%s %.80s: %s", method, address, rec.Body)
					if rec.Code >= 400 && rec.Code != http.StatusNotFound {
						assert.Contains(t, rec.Body.String(), `"field":"`, "%s %.80s", method, address)
					}
				}
			}
		}
	}
}
