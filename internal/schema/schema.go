// Package schema writes the JSON Schemas (2020-12) of the documents that go in and
// come out, from the types and their comments.
package schema

import (
	"encoding/json"
	"fmt"
	"path"
	"reflect"
	"slices"

	"github.com/invopop/jsonschema"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// Document is a document with a schema.
type Document struct {
	Name    string // of the file: nudge.schema.json
	Title   string
	About   string
	Example string // JSON
	value   any
}

// Documents lists every document with a schema.
var Documents = []Document{
	{"nudge", "Nudge", "One designed promise: goals, rewards, audience, placements, wording and look.",
		`{"version":1,"name":"Winter ladder","ladder":{"basis":"after_order","rungs":[{"thresholds":{"home":"60.00 EUR"},"rewards":[{"kind":"free_shipping","methods":["standard"]}]}]},"audience":{"regions":["home"]},"placements":["top_bar"]}`,
		nudge.Definition{}},
	{"shop", "Shop", "Everything decisions are made from: settings, regions, catalogue and nudges.",
		`{"version":1,"regions":[{"id":"home","name":"Home","countries":["DE"],"languages":["en"],"currency":"EUR","tax_shown":true,"tax":{"":"19"},"shipping_tax":"19","methods":[{"id":"standard","names":{"en":"standard shipping"},"bands":[{"from":0,"fee":590}],"cost":0}]}],"products":[{"id":"ink","title":"Ink","variants":[{"sku":"INK-30","prices":{"EUR":{"price":1400}},"weight_g":90}]}],"nudges":[]}`,
		snapshot.Document{}},
	{"request", "Request", "A cart, a shopper, a visit and a moment to decide on.",
		`{"cart":{"lines":[{"sku":"INK-30","quantity":2}],"destination":{"country":"DE"}},"moment":{"at":"2026-11-25T12:00:00Z","page":{"kind":"cart"}}}`,
		decide.Request{}},
	{"decision", "Decision", "The priced cart, what is missing to every promise, and what shows where.", "", decide.Decision{}},
}

// enums are the words that a type's values come from.
var enums = map[reflect.Type][]string{
	reflect.TypeFor[nudge.Kind]():          words(nudge.Kinds),
	reflect.TypeFor[nudge.Measure]():       words(nudge.Measures),
	reflect.TypeFor[nudge.Basis]():         words(nudge.Bases),
	reflect.TypeFor[nudge.ClassName]():     {"unit", "order", "shipping", "gift", "unlock"},
	reflect.TypeFor[nudge.Page]():          words(nudge.Pages),
	reflect.TypeFor[nudge.Placement]():     words(nudge.Placements),
	reflect.TypeFor[nudge.State]():         words(nudge.States),
	reflect.TypeFor[nudge.Tone]():          {"", "ink", "paper", "accent"},
	reflect.TypeFor[nudge.Bar]():           {"", "rule", "solid", "none", "steps"},
	reflect.TypeFor[nudge.Goods]():         {"", "cards", "list"},
	reflect.TypeFor[nudge.Returns]():       {"keep", "charge_gift", "recompute"},
	reflect.TypeFor[nudge.Suggest]():       {"least_overshoot", "most_profit", "best_companion", "blend"},
	reflect.TypeFor[nudge.Choose]():        append([]string{""}, words(nudge.Rules)...),
	reflect.TypeFor[nudge.Shipments]():     {"first", "later", "every"},
	reflect.TypeFor[audience.Device]():     {"phone", "tablet", "desktop"},
	reflect.TypeFor[audience.Act]():        {"item_added", "cart_opened", "checkout_begun", "order_placed", "leaving", "link_shared"},
	reflect.TypeFor[audience.Weekday]():    {"mon", "tue", "wed", "thu", "fri", "sat", "sun"},
	reflect.TypeFor[snapshot.Stacking]():   {"", "best_for_shopper", "by_priority"},
	reflect.TypeFor[snapshot.Rounding]():   {"", "per_unit", "per_line"},
	reflect.TypeFor[snapshot.BadgeShape](): {"", "label", "seal"},
	reflect.TypeFor[snapshot.BadgeShows](): {"", "percent", "amount"},
	reflect.TypeFor[snapshot.Choice]():     {"", "expected_gain", "merchant_order"},
	reflect.TypeFor[decide.OriginKind]():   {"gift", "offer"},
	reflect.TypeFor[decide.RungState]():    {"open", "reached", "waiting", "outdone", "passed"},
	reflect.TypeFor[decide.BuildState]():   {"open", "given", "outdone"},
	reflect.TypeFor[decide.GiftState]():    {"added", "to_pick", "offered", "removed", "out_of_stock"},
}

func words[T ~string](in []T) []string {
	out := make([]string, len(in))
	for i, v := range in {
		out[i] = string(v)
	}
	return out
}

// types describes types that are not what their Go form suggests.
func types(t reflect.Type) *jsonschema.Schema {
	if of, ok := enums[t]; ok {
		s := &jsonschema.Schema{Type: "string"}
		for _, v := range of {
			s.Enum = append(s.Enum, v)
		}
		return s
	}
	switch t {
	case reflect.TypeFor[money.Amount]():
		return &jsonschema.Schema{Type: "string", Pattern: `^-?[0-9]+(\.[0-9]+)? [A-Z]{3}$`, Description: "a decimal with exactly the currency's decimals, a space and an ISO 4217 code", Examples: []any{"60.00 EUR", "9000 JPY"}}
	case reflect.TypeFor[money.Rate]():
		return &jsonschema.Schema{Type: "string", Pattern: `^[0-9]{1,3}(\.[0-9]{1,4})?$`, Description: "a percentage from 0 to 100 with at most four decimals", Examples: []any{"10", "33.33"}}
	case reflect.TypeFor[money.Currency]():
		return &jsonschema.Schema{Type: "string", Pattern: "^[A-Z]{3}$", Description: "ISO 4217"}
	}
	return nil
}

// Write returns the schema of a document. root is the project's folder, whose
// comments become descriptions.
func (d Document) Write(root string) ([]byte, error) {
	r := &jsonschema.Reflector{Mapper: types, ExpandedStruct: true, Anonymous: true, Namer: func(t reflect.Type) string {
		if t.Name() == "" {
			return ""
		}
		return path.Base(t.PkgPath()) + "." + t.Name() // packages share names such as Page
	}}
	for _, pkg := range []string{"audience", "catalog", "decide", "money", "nudge", "snapshot"} {
		if err := r.AddGoComments("agonal.dev/agonal", "core/"+pkg); err != nil {
			return nil, fmt.Errorf("reading the comments of %s below %s: %w", pkg, root, err)
		}
	}
	s := r.Reflect(d.value)
	s.Version = jsonschema.Version
	s.ID = jsonschema.ID("urn:agonal:" + d.Name + ":1")
	s.Title, s.Description = d.Title, d.About
	if d.Example != "" {
		var v any
		if err := json.Unmarshal([]byte(d.Example), &v); err != nil {
			return nil, err
		}
		s.Examples = []any{v}
	}
	if v, ok := s.Properties.Get("version"); ok {
		v.Const = 1
	}
	b, err := json.MarshalIndent(s, "", "  ")
	return append(b, '\n'), err
}

// Of returns the document of a name.
func Of(name string) Document {
	return Documents[slices.IndexFunc(Documents, func(d Document) bool { return d.Name == name })]
}
