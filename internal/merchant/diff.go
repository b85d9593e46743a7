package merchant

import (
	"encoding/json"
	"fmt"
	"sort"

	"agonal.dev/agonal/core/nudge"
)

// diffLine is a field that differs between two definitions; empty: not there.
type diffLine struct{ Field, Before, After string }

// compareDefinitions lists the fields in which two definitions differ.
func compareDefinitions(a, b nudge.Definition) []diffLine {
	x, y := fields(a), fields(b)
	names := map[string]bool{}
	for k := range x {
		names[k] = true
	}
	for k := range y {
		names[k] = true
	}
	var out []diffLine
	for k := range names {
		if x[k] != y[k] {
			out = append(out, diffLine{k, x[k], y[k]})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Field < out[j].Field })
	return out
}

// fields flattens the JSON form to paths and values.
func fields(d nudge.Definition) map[string]string {
	out := map[string]string{}
	b, err := json.Marshal(d)
	if err != nil {
		return out
	}
	var v any
	if json.Unmarshal(b, &v) == nil {
		flatten(out, "", v)
	}
	return out
}

func flatten(out map[string]string, path string, v any) {
	switch v := v.(type) {
	case map[string]any:
		for k, x := range v {
			flatten(out, join(path, k), x)
		}
	case []any:
		for i, x := range v {
			flatten(out, fmt.Sprintf("%s %d", path, i+1), x)
		}
	default:
		out[path] = fmt.Sprint(v)
	}
}

func join(path, k string) string {
	if path == "" {
		return k
	}
	return path + " · " + k
}
