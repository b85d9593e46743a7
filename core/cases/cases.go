// Package cases reads and runs readable cases of decisions: a shop, nudges, a
// cart, and the figures that must come out, each with a line that says why.
package cases

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strconv"
	"strings"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/strict"
)

// File is one file of cases that share a shop.
type File struct {
	About string          `json:"about"`
	Shop  json.RawMessage `json:"shop"` // a shop document without nudges
	Cases []Case          `json:"cases"`
}

// Case is one case. Nudges are definitions by id, in the order of priority, with
// what every definition needs filled in where it is left out.
type Case struct {
	Name     string                     `json:"name"`
	Why      string                     `json:"why"`
	Settings json.RawMessage            `json:"settings,omitempty"`
	Nudges   []map[string]any           `json:"nudges"`
	Request  json.RawMessage            `json:"request"`
	Expect   map[string]json.RawMessage `json:"expect,omitempty"`
	// Refused is part of the error where the shop or the request is refused.
	Refused string `json:"refused,omitempty"`

	shop []byte
}

// Load reads every case of a folder, by file and then in the file's order; the
// name of a case begins with its file's.
func Load(dir fs.FS) ([]Case, error) {
	names, err := fs.Glob(dir, "*.json")
	if err != nil {
		return nil, err
	}
	var out []Case
	for _, name := range names {
		b, err := fs.ReadFile(dir, name)
		if err != nil {
			return nil, err
		}
		var f File
		if err := strict.Decode(b, &f, name, 16<<20); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		for _, c := range f.Cases {
			c.Name = strings.TrimSuffix(name, ".json") + ": " + c.Name
			if c.shop, err = c.document(f.Shop); err != nil {
				return nil, fmt.Errorf("%s: %w", c.Name, err)
			}
			out = append(out, c)
		}
	}
	return out, nil
}

// document builds the case's shop document.
func (c *Case) document(shop json.RawMessage) ([]byte, error) {
	doc := map[string]any{}
	if err := json.Unmarshal(shop, &doc); err != nil {
		return nil, fmt.Errorf("shop: %w", err)
	}
	doc["version"] = snapshot.DocumentVersion
	if len(c.Settings) > 0 {
		doc["settings"] = c.Settings
	}
	nudges := make([]any, 0, len(c.Nudges))
	for i, n := range c.Nudges {
		d := maps.Clone(n)
		id, _ := d["id"].(string)
		delete(d, "id")
		priority := any(i + 1)
		if p, ok := d["priority"]; ok {
			priority = p
			delete(d, "priority")
		}
		for field, usual := range map[string]any{"version": 1, "name": id, "audience": map[string]any{}, "placements": []string{"top_bar"},
			"wording": map[string]any{"en": map[string]string{"not_yet": "Add {to_add} for {reward}.", "reached": "Yours: {reward}."}}} {
			if _, ok := d[field]; !ok {
				d[field] = usual
			}
		}
		nudges = append(nudges, map[string]any{"id": id, "priority": priority, "revision": 1, "definition": d})
	}
	doc["nudges"] = nudges
	return json.MarshalIndent(doc, "", "  ")
}

// Shop returns the case's shop document, as agonal decide reads it.
func (c *Case) Shop() []byte { return c.shop }

// Run decides a case and returns what came out otherwise than expected, nothing
// where all is as it should be.
func (c *Case) Run() []string {
	got, err := c.decide()
	if err != nil {
		if c.Refused != "" && strings.Contains(err.Error(), c.Refused) {
			return nil
		}
		return []string{"refused: " + err.Error()}
	}
	if c.Refused != "" {
		return []string{"not refused; expected " + c.Refused}
	}
	var out []string
	for _, path := range slices.Sorted(maps.Keys(c.Expect)) {
		want, err := compact(c.Expect[path])
		if err != nil {
			return []string{err.Error()}
		}
		is, ok := find(got, strings.Split(path, "/"))
		if !ok {
			is = nil
		}
		have, _ := json.Marshal(is)
		if string(have) != want {
			out = append(out, fmt.Sprintf("%s is %s, expected %s", path, have, want))
		}
	}
	return out
}

func (c *Case) decide() (any, error) {
	shop, err := snapshot.ParseShop(c.shop)
	if err != nil {
		return nil, err
	}
	for _, n := range shop.Nudges {
		if err := snapshot.CheckGoods(&n.Definition, shop.Catalog, shop.Regions); err != nil {
			return nil, err
		}
	}
	s, err := snapshot.Compile(shop)
	if err != nil {
		return nil, err
	}
	r, err := decide.ParseRequest(c.Request)
	if err != nil {
		return nil, err
	}
	d, err := decide.Decide(s, r)
	if err != nil {
		return nil, err
	}
	b, err := json.Marshal(d)
	if err != nil {
		return nil, err
	}
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.UseNumber()
	var out any
	err = dec.Decode(&out)
	return out, err
}

func compact(b json.RawMessage) (string, error) {
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.UseNumber()
	var v any
	if err := dec.Decode(&v); err != nil {
		return "", err
	}
	out, err := json.Marshal(v)
	return string(out), err
}

// find follows a path: a field's name, a number of a list, or of a list of things
// the one whose nudge, sku, code, method or id is named.
func find(v any, path []string) (any, bool) {
	for _, step := range path {
		switch x := v.(type) {
		case map[string]any:
			next, ok := x[step]
			if !ok {
				return nil, false
			}
			v = next
		case []any:
			next, ok := among(x, step)
			if !ok {
				return nil, false
			}
			v = next
		default:
			return nil, false
		}
	}
	return v, true
}

func among(list []any, step string) (any, bool) {
	if i, err := strconv.Atoi(step); err == nil {
		if i < 0 || i >= len(list) {
			return nil, false
		}
		return list[i], true
	}
	if step == "count" {
		return json.Number(strconv.Itoa(len(list))), true
	}
	for _, e := range list {
		m, ok := e.(map[string]any)
		if !ok {
			continue
		}
		for _, key := range []string{"nudge", "sku", "code", "method", "id"} {
			if m[key] == step {
				return e, true
			}
		}
	}
	return nil, false
}
