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
)

// schema is as much of a schema as the document uses for what comes in.
type schema struct {
	Ref           string             `json:"$ref"`
	Type          any                `json:"type"`
	Properties    map[string]*schema `json:"properties"`
	Additional    any                `json:"additionalProperties"`
	Required      []string           `json:"required"`
	Items         *schema            `json:"items"`
	Enum          []string           `json:"enum"`
	Format        string             `json:"format"`
	Pattern       string             `json:"pattern"`
	MinLength     *int               `json:"minLength"`
	MaxLength     *int               `json:"maxLength"`
	MaxItems      *int               `json:"maxItems"`
	MaxProperties *int               `json:"maxProperties"`
	Minimum       *int64             `json:"minimum"`
	Maximum       *int64             `json:"maximum"`
}

type document struct {
	Paths map[string]map[string]struct {
		ID         string `json:"operationId"`
		Parameters []struct {
			Name   string  `json:"name"`
			In     string  `json:"in"`
			Schema *schema `json:"schema"`
		} `json:"parameters"`
		Body struct {
			Content map[string]struct {
				Schema *schema `json:"schema"`
			} `json:"content"`
		} `json:"requestBody"`
		Responses map[string]any `json:"responses"`
	} `json:"paths"`
	Components struct {
		Schemas map[string]*schema `json:"schemas"`
	} `json:"components"`
}

func readDocument(t *testing.T) *document {
	b, err := os.ReadFile("openapi.json")
	require.NoError(t, err)
	var d document
	require.NoError(t, json.Unmarshal(b, &d))
	return &d
}

func (d *document) of(s *schema) *schema {
	if s.Ref != "" {
		return d.Components.Schemas[s.Ref[strings.LastIndexByte(s.Ref, '/')+1:]]
	}
	return s
}

// good are values that fields take, by the end of their path.
var good = map[string]any{
	"cart.lines[0].sku": "HARBLU-30", "cart.lines[0].plan": nil, "cart.lines[0].origin": nil, "destination.country": "DE", "cart.region": nil, "cart.method": "standard",
	"moment.locale": "en", "moment.placements[0]": "top_bar", "moment.page.product": "harbour-blue", "moment.page.collection": "Inks",
	"visit.picks.x[0]": "HARBLU-30", "added": nil, "signs": 8, "prefix": "WALK", "count": 2, "currency": "EUR", "visit.device": "phone",
	"events[0].nudge": "parcels-to-japan",
}

// sample is a value that a schema allows, with everything in it.
func (d *document) sample(s *schema, path string) any {
	for end, v := range good {
		if path == end || strings.HasSuffix(path, "."+end) {
			return v
		}
	}
	switch s = d.of(s); {
	case len(s.Enum) > 0:
		return s.Enum[0]
	case s.Format == "date-time":
		return "2026-11-20T09:30:00Z"
	}
	switch s.Type {
	case "string":
		return "x"
	case "integer":
		return max(1, value(s.Minimum, 1))
	case "boolean":
		return false
	case "array":
		return []any{d.sample(s.Items, path+"[0]")}
	}
	out := map[string]any{}
	for name, p := range s.Properties {
		if v := d.sample(p, join(path, name)); v != nil {
			out[name] = v
		}
	}
	if a := additional(s); a != nil {
		out["x"] = d.sample(a, join(path, "x"))
	}
	return out
}

func value[T any](p *T, otherwise T) T {
	if p == nil {
		return otherwise
	}
	return *p
}

func join(path, name string) string {
	if path == "" {
		return name
	}
	return path + "." + name
}

func additional(s *schema) *schema {
	m, ok := s.Additional.(map[string]any)
	if !ok {
		return nil
	}
	b, _ := json.Marshal(m)
	var a schema
	_ = json.Unmarshal(b, &a)
	return &a
}

// wrong is a body with one thing about it.
type wrong struct {
	what, field string
	body        any
	refused     bool
}

// wrongs walks through a schema; put makes a whole body with a value in this place.
func (d *document) wrongs(s *schema, path string, sample any, put func(any) any, out *[]wrong) {
	s = d.of(s)
	add := func(what string, v any, refused bool) {
		*out = append(*out, wrong{what, path, put(v), refused})
	}
	field := func(what, name string, v any) { *out = append(*out, wrong{what, name, put(v), true}) }
	switch s.Type {
	case "string":
		add("a number", 7, true)
		add("a list", []any{}, true)
		add("NUL", "a\x00b", true)
		for _, c := range []string{"a\x01b", "a\u2028b", "a\u202eb", "\ufeff", "a\r\nb", "a\x7fb"} {
			add(fmt.Sprintf("%+q", c), c, false)
		}
		switch most := value(s.MaxLength, 0); {
		case len(s.Enum) > 0:
			add("none of the words", "something_else", true)
			add("no word", "", false)
		case s.Format == "date-time":
			add("no moment", "yesterday", true)
			add("a moment that is none", "2026-02-30T00:00:00Z", true)
		case assertBounded(most):
			add("as long as can be", strings.Repeat("é", most), false)
			add("too long", strings.Repeat("é", most+1), true)
		default:
			add("not bounded by the document", nil, true)
		}
		if value(s.MinLength, 0) > 0 {
			add("too short", "", true)
		}
	case "integer":
		add("a text", "1", true)
		add("a half", 1.5, true)
		add("too large for any", json.Number("99999999999999999999"), true)
		add("the largest", json.Number("9223372036854775807"), false)
		add("the smallest", json.Number("-9223372036854775808"), false)
		if s.Minimum != nil {
			add("the least", *s.Minimum, false)
			add("below the least", *s.Minimum-1, true)
		}
		if s.Maximum != nil {
			add("the most", *s.Maximum, false)
			add("above the most", *s.Maximum+1, true)
		}
	case "boolean":
		add("a text", "true", true)
		add("a number", 1, true)
	case "array":
		add("an object", map[string]any{}, true)
		add("a text", "x", true)
		add("nothing in it", []any{}, false)
		most, one := value(s.MaxItems, 0), d.sample(s.Items, path+"[0]")
		if l, ok := sample.([]any); ok {
			one = l[0]
		}
		if !assertBounded(most) {
			add("not bounded by the document", nil, true)
		}
		add("as many as can be", slices.Repeat([]any{one}, most), false)
		add("too many", slices.Repeat([]any{one}, most+1), true)
		d.wrongs(s.Items, path+"[0]", one, func(v any) any { return put([]any{v}) }, out)
	default:
		add("a list", []any{}, true)
		add("a text", "x", true)
		m, _ := sample.(map[string]any)
		with := func(name string, v any) map[string]any {
			c := maps.Clone(m)
			if c == nil {
				c = map[string]any{}
			}
			c[name] = v
			return c
		}
		for _, name := range s.Required {
			c := maps.Clone(m)
			delete(c, name)
			field("left out", join(path, name), c)
		}
		for _, name := range slices.Sorted(maps.Keys(s.Properties)) {
			if m[name] != nil { // what stays out needs a body of its own
				d.wrongs(s.Properties[name], join(path, name), m[name], func(v any) any { return put(with(name, v)) }, out)
			}
		}
		if a := additional(s); a != nil {
			most := value(s.MaxProperties, 0)
			many := map[string]any{}
			for i := range most + 1 {
				many[fmt.Sprint("x", i)] = m["x"]
			}
			if !assertBounded(most) {
				add("not bounded by the document", nil, true)
			}
			add("too many", many, true)
			d.wrongs(a, join(path, "x"), m["x"], func(v any) any { return put(with("x", v)) }, out)
		} else {
			field("a field that is not known", "nobody_knows_this", with("nobody_knows_this", 1))
		}
	}
}

func assertBounded(most int) bool { return most > 0 && most <= 200 }

// Whatever comes in, for every operation and field of the document: no answer is a failure
// of ours, and a refusal names the field as the document does.
func TestEveryFieldOfTheDocumentIsGuarded(t *testing.T) {
	a, d := newAPI(t), readDocument(t)
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
			sample := d.sample(content.Schema, "")
			if op.ID == "placeOrder" {
				sample.(map[string]any)["charged"] = true // any total is taken then
				sample.(map[string]any)["expect_to_pay"] = 4790
			}
			first := call(sample)
			require.Less(t, first.Code, 300, "%s: %s", op.ID, first.Body)
			var all []wrong
			d.wrongs(content.Schema, "", sample, func(v any) any { return v }, &all)
			for _, w := range all {
				rec := call(w.body)
				said := rec.Body.String()
				assert.Less(t, rec.Code, 500, "%s: %s is %s: %s", op.ID, w.field, w.what, said)
				if rec.Code >= 400 {
					assert.Equal(t, "application/problem+json", rec.Header().Get("Content-Type"))
				}
				switch {
				case rec.Code >= 400 && strings.HasPrefix(w.what, "as ") && (strings.Contains(said, "longer than") || strings.Contains(said, "too many") || strings.Contains(said, "at most")):
					t.Errorf("%s: %s is %s, and no more: %s", op.ID, w.field, w.what, said)
				case w.refused && rec.Code < 400:
					t.Errorf("%s: %s is %s, and was taken", op.ID, w.field, w.what)
				case w.refused && w.field != "" && !strings.Contains(said, `"`+w.field+`"`) && !strings.Contains(said, `"`+w.field+`.`):
					t.Errorf("%s: %s is %s, and another name was given: %s", op.ID, w.field, w.what, said)
				}
			}
			tried += len(all)
		}
	}
	t.Logf("%d bodies", tried)
	assert.Greater(t, tried, 800)
}

func TestEveryParameterIsGuarded(t *testing.T) {
	a, d := newAPI(t), readDocument(t)
	for path, methods := range d.Paths {
		for method, op := range methods {
			for _, p := range op.Parameters {
				for _, v := range []string{"", "%00", "a%00b", "%FF", "%ED%A0%80", "..", "%2E%2E%2F", "a%0Ab", "%F0%9F%98%80", strings.Repeat("a", value(p.Schema.MaxLength, 0)), strings.Repeat("a", value(p.Schema.MaxLength, 0)+1), strings.Repeat("a", 5000)} {
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
