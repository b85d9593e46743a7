// Package apiwalk goes through the API's document and makes, for every field of every
// body, values that it forbids or only just allows.
package apiwalk

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"
)

// Schema is as much of a schema as the document uses for what comes in.
type Schema struct {
	Ref           string             `json:"$ref"`
	Type          any                `json:"type"`
	Properties    map[string]*Schema `json:"properties"`
	Additional    any                `json:"additionalProperties"`
	Required      []string           `json:"required"`
	Items         *Schema            `json:"items"`
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

// Document is the API as it describes itself.
type Document struct {
	Paths map[string]map[string]struct {
		ID         string `json:"operationId"`
		Parameters []struct {
			Name   string  `json:"name"`
			In     string  `json:"in"`
			Schema *Schema `json:"schema"`
		} `json:"parameters"`
		Body struct {
			Content map[string]struct {
				Schema *Schema `json:"schema"`
			} `json:"content"`
		} `json:"requestBody"`
		Responses map[string]any `json:"responses"`
	} `json:"paths"`
	Components struct {
		Schemas map[string]*Schema `json:"schemas"`
	} `json:"components"`
}

// Read reads the document.
func Read(openapi []byte) (*Document, error) {
	var d Document
	return &d, json.Unmarshal(openapi, &d)
}

func (d *Document) of(s *Schema) *Schema {
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
	"events[0].nudge": "parcels-to-japan", "events[0].kind": "shown", "nudge": "walk-thanks", "act": "link_shared",
}

// Sample is a value that a schema allows, with everything in it.
func (d *Document) Sample(s *Schema, path string) any {
	for end, v := range good {
		if path == end || strings.HasSuffix(path, "."+end) {
			return v
		}
	}
	switch s = d.of(s); {
	case len(s.Enum) > 0:
		return s.Enum[0]
	case s.Format == "date-time":
		return time.Now().UTC().AddDate(0, 0, -7).Format(time.RFC3339)
	}
	switch s.Type {
	case "string":
		return "x"
	case "integer":
		return max(1, Or(s.Minimum, 1))
	case "boolean":
		return false
	case "array":
		return []any{d.Sample(s.Items, path+"[0]")}
	}
	out := map[string]any{}
	for name, p := range s.Properties {
		if v := d.Sample(p, join(path, name)); v != nil {
			out[name] = v
		}
	}
	if a := additional(s); a != nil {
		out["x"] = d.Sample(a, join(path, "x"))
	}
	return out
}

// Or is what a pointer points to, or something else where it points to nothing.
func Or[T any](p *T, otherwise T) T {
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

func additional(s *Schema) *Schema {
	m, ok := s.Additional.(map[string]any)
	if !ok {
		return nil
	}
	b, _ := json.Marshal(m)
	var a Schema
	_ = json.Unmarshal(b, &a)
	return &a
}

// Wrong is a body with one thing about it.
type Wrong struct {
	What, Field string
	Body        any
	Refused     bool // it must be
}

// wrongs walks through a schema; put makes a whole body with a value in this place.
func (d *Document) wrongs(s *Schema, path string, sample any, put func(any) any, out *[]Wrong) {
	s = d.of(s)
	add := func(what string, v any, refused bool) {
		*out = append(*out, Wrong{what, path, put(v), refused})
	}
	field := func(what, name string, v any) { *out = append(*out, Wrong{what, name, put(v), true}) }
	switch s.Type {
	case "string":
		add("a number", 7, true)
		add("a list", []any{}, true)
		add("NUL", "a\x00b", true)
		for _, c := range []string{"a\x01b", "a\u2028b", "a\u202eb", "\ufeff", "a\r\nb", "a\x7fb"} {
			add(fmt.Sprintf("%+q", c), c, false)
		}
		switch most := Or(s.MaxLength, 0); {
		case len(s.Enum) > 0:
			add("none of the words", "something_else", true)
			add("no word", "", false)
		case s.Format == "date-time":
			add("no moment", "yesterday", true)
			add("a moment that is none", "2026-02-30T00:00:00Z", true)
		case bounded(most):
			add("as long as can be", strings.Repeat("é", most), false)
			add("too long", strings.Repeat("é", most+1), true)
		default:
			add("not bounded by the document", nil, true)
		}
		if Or(s.MinLength, 0) > 0 {
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
		most, one := Or(s.MaxItems, 0), d.Sample(s.Items, path+"[0]")
		if l, ok := sample.([]any); ok {
			one = l[0]
		}
		if !bounded(most) {
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
			most := Or(s.MaxProperties, 0)
			many := map[string]any{}
			for i := range most + 1 {
				many[fmt.Sprint("x", i)] = m["x"]
			}
			if !bounded(most) {
				add("not bounded by the document", nil, true)
			}
			add("too many", many, true)
			d.wrongs(a, join(path, "x"), m["x"], func(v any) any { return put(with("x", v)) }, out)
		} else {
			field("a field that is not known", "nobody_knows_this", with("nobody_knows_this", 1))
		}
	}
}

func bounded(most int) bool { return most > 0 && most <= 200 }

// Wrongs lists bodies of a schema, each the sample with one thing about it.
func (d *Document) Wrongs(s *Schema, sample any) []Wrong {
	var out []Wrong
	d.wrongs(s, "", sample, func(v any) any { return v }, &out)
	return out
}
