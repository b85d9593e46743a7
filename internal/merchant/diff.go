package merchant

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// diffLine is something that differs between two definitions, in words; empty:
// not there.
type diffLine struct{ Field, Before, After string }

// teller says fields of a definition in the merchant's words.
type teller struct {
	regions []catalog.Region
	label   func(sku string) string
	h       *here
}

// fact is a field of a definition as the merchant knows it.
type fact struct{ name, value string }

// compareDefinitions lists in what two definitions differ.
func compareDefinitions(a, b nudge.Definition, t teller) []diffLine {
	x, y := t.facts(a), t.facts(b)
	var out []diffLine
	for _, f := range x {
		i := slices.IndexFunc(y, func(o fact) bool { return o.name == f.name })
		switch {
		case i < 0:
			out = append(out, diffLine{f.name, f.value, ""})
		case y[i].value != f.value:
			out = append(out, diffLine{f.name, f.value, y[i].value})
		}
	}
	for _, f := range y {
		if !slices.ContainsFunc(x, func(o fact) bool { return o.name == f.name }) {
			out = append(out, diffLine{f.name, "", f.value})
		}
	}
	return out
}

// facts flattens the JSON form into named facts, in the form's order.
func (t teller) facts(d nudge.Definition) []fact {
	b, err := json.Marshal(d)
	if err != nil {
		return nil
	}
	var v any
	if json.Unmarshal(b, &v) != nil {
		return nil
	}
	var out []fact
	t.flatten(&out, nil, v)
	slices.SortStableFunc(out, func(a, b fact) int { return strings.Compare(a.name, b.name) })
	return out
}

func (t teller) flatten(out *[]fact, path []string, v any) {
	switch v := v.(type) {
	case map[string]any:
		for _, k := range sortedKeys(v) {
			t.flatten(out, append(slices.Clone(path), k), v[k])
		}
	case []any:
		if words, ok := plainWords(v); ok {
			for i := range words {
				words[i] = t.value(path, words[i])
			}
			*out = append(*out, fact{t.name(path), list(words)})
			return
		}
		for i, x := range v {
			t.flatten(out, append(slices.Clone(path), strconv.Itoa(i+1)), x)
		}
	default:
		*out = append(*out, fact{t.name(path), t.value(path, fmt.Sprint(v))})
	}
}

// plainWords tells whether a list holds words only.
func plainWords(v []any) ([]string, bool) {
	out := make([]string, len(v))
	for i, x := range v {
		s, ok := x.(string)
		if !ok {
			return nil, false
		}
		out[i] = s
	}
	return out, true
}

// fieldWords are what fields are called; empty: the field says nothing by itself.
var fieldWords = map[string]string{
	"ladder": "", "version": "Version", "name": "Name", "audience": "", "scope": "Counted", "include": "only", "exclude": "but not", "measure": "What is counted",
	"basis": "Value counted", "without_tax": "Counted without tax", "replacing": "Only the highest rung", "rungs": "Rung", "thresholds": "from", "count": "from",
	"upper": "up to", "upper_count": "up to", "rewards": "Reward", "kind": "gives", "amounts": "amount", "percent": "share", "methods": "shipping methods",
	"cap": "at most", "regions": "Regions", "pages": "Pages", "code": "Code", "pool": "Pool of codes", "when": "Only when", "schedule": "", "from": "Begins",
	"until": "Ends", "placements": "Shows in", "hide_when_reached": "Hidden when reached", "hide_without_gain": "Hidden without gain", "wording": "Words",
	"look": "", "tone": "Colours", "bar": "Progress", "limits": "Limit", "uses": "of uses", "per_shopper": "per shopper", "budget": "budget", "beside": "Beside others",
	"collections": "collections", "products": "products", "variants": "variants", "tags": "tags", "on_sale": "on sale", "size": "pieces", "items": "goods", "sku": "",
	"frequency": "Shown at most", "holdout": "Kept from", "per_visit": "in a visit", "per_day": "in a day", "per_placement": "in a place",
}

// name says a path as the merchant would: "Rung 2, from, Japan".
func (t teller) name(path []string) string {
	var out []string
	for i, p := range path {
		if _, err := strconv.Atoi(p); err == nil && len(out) > 0 {
			out[len(out)-1] += " " + p
			continue
		}
		word, known := fieldWords[p]
		switch {
		case i > 0 && path[0] == "wording" && i == 1:
			word = checks.LanguageName(p)
		case i > 0 && path[0] == "wording" && i == 2:
			word = checks.StateName(nudge.State(p))
		case !known:
			word = strings.ReplaceAll(p, "_", " ")
			for _, r := range t.regions {
				if r.ID == p {
					word = r.Name
				}
			}
		}
		if word != "" {
			out = append(out, word)
		}
	}
	return upperFirst(strings.Join(out, ", "))
}

// valueWords say values that are names of the JSON form.
var valueWords = map[string]string{
	"true": "yes", "false": "no", "free_shipping": "free shipping", "shipping_off": "an amount off shipping", "shipping_flat": "shipping for at most an amount",
	"order_percent": "a share off the order", "order_amount": "an amount off the order", "before_nudges": valueCounted(nudge.BeforeNudges),
	"after_unit": valueCounted(nudge.AfterUnit), "after_order": valueCounted(nudge.AfterOrder), "rule": "bar with marks", "solid": "plain bar", "none": "words only",
}

func (t teller) value(path []string, s string) string {
	field := path[len(path)-1]
	if path[0] == "wording" || field == "name" || field == "code" {
		return s
	}
	if w, ok := valueWords[s]; ok {
		return w
	}
	if field == "percent" {
		return s + " %"
	}
	if number, code, ok := strings.Cut(s, " "); ok && len(code) == 3 {
		if cur, err := money.ParseCurrency(code); err == nil {
			if m, err := money.ParseDecimal(number, cur.Digits()); err == nil {
				return money.Format(money.Amount{Minor: m, Currency: cur}, t.h.shop.Locale)
			}
		}
	}
	if at, err := time.Parse(time.RFC3339, s); err == nil {
		return t.h.day(at)
	}
	switch path[0] {
	case "placements":
		return checks.PlacementName(nudge.Placement(s))
	case "audience":
		for _, r := range t.regions {
			if r.ID == s {
				return r.Name
			}
		}
		return checks.PageName(nudge.Page(s))
	}
	if field == "sku" && t.label != nil {
		return t.label(s)
	}
	return strings.ReplaceAll(s, "_", " ")
}
