// Package jsonld reads products as web pages tell them to search engines: schema.org terms as
// JSON-LD, in a file or inside a page.
package jsonld

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// MostBytes is how long what is read may be.
const MostBytes = 32 << 20

// Fault says what of a product could not be read.
type Fault struct {
	Product string // its SKU or name, or its number
	Field   string
	Why     string
}

func (f Fault) Error() string {
	switch {
	case f.Product == "":
		return f.Why
	case f.Field == "":
		return f.Product + ": " + f.Why
	}
	return f.Product + ", " + f.Field + ": " + f.Why
}

// Is tells whether something looks like JSON or a page rather than like a table.
func Is(b []byte) bool {
	b = bytes.TrimSpace(bytes.TrimPrefix(b, []byte("\xef\xbb\xbf")))
	return len(b) > 0 && bytes.IndexByte([]byte("{[<"), b[0]) >= 0
}

// node is a JSON-LD node.
type node map[string]any

// Read reads products. What says too little of itself is named among the faults and left
// out; a file that cannot be read at all gives a single fault. A variant's stock is 0 where
// it is said to be sold out, and else not known (nil).
func Read(b []byte) ([]catalog.Product, []Fault) {
	if len(b) > MostBytes {
		return nil, []Fault{{Why: fmt.Sprintf("The file has %d MB; at most %d MB can be read.", len(b)>>20, MostBytes>>20)}}
	}
	documents, err := documents(b)
	if err != nil {
		return nil, []Fault{{Why: err.Error()}}
	}
	r := reader{ids: map[string]int{}, skus: map[string]bool{}}
	for _, d := range documents {
		r.walk(d, 0)
	}
	if len(r.out) == 0 && len(r.faults) == 0 {
		return nil, []Fault{{Why: "There is no product in it: nothing with the type Product or ProductGroup of schema.org."}}
	}
	return r.out, r.faults
}

// documents are the JSON documents of a file, or those inside a page.
func documents(b []byte) ([]any, error) {
	b = bytes.TrimSpace(bytes.TrimPrefix(b, []byte("\xef\xbb\xbf")))
	if len(b) > 0 && b[0] != '<' {
		v, err := parse(b)
		if err != nil {
			return nil, fmt.Errorf("This is no JSON: %w.", err) //nolint:staticcheck // shown to people as it is
		}
		return []any{v}, nil
	}
	var out []any
	inside := false
	for z := html.NewTokenizer(bytes.NewReader(b)); ; {
		switch z.Next() {
		case html.ErrorToken:
			if err := z.Err(); !errors.Is(err, io.EOF) {
				return nil, fmt.Errorf("This page cannot be read: %w.", err) //nolint:staticcheck // shown to people as it is
			}
			return out, nil
		case html.StartTagToken:
			t := z.Token()
			inside = t.DataAtom == atom.Script && slices.ContainsFunc(t.Attr, func(a html.Attribute) bool {
				return a.Key == "type" && strings.EqualFold(strings.TrimSpace(a.Val), "application/ld+json")
			})
		case html.TextToken:
			if !inside {
				continue
			}
			v, err := parse(z.Text())
			if err != nil {
				return nil, fmt.Errorf("What the page says in JSON-LD is no JSON: %w.", err) //nolint:staticcheck // shown to people as it is
			}
			out = append(out, v)
		default:
			inside = false
		}
	}
}

func parse(b []byte) (v any, err error) {
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.UseNumber() // amounts are never floats
	if err := dec.Decode(&v); err != nil {
		return nil, err
	}
	if _, err := dec.Token(); !errors.Is(err, io.EOF) {
		return nil, errors.New("something follows after its end")
	}
	return v, nil
}

type reader struct {
	out    []catalog.Product
	ids    map[string]int // of products by id
	skus   map[string]bool
	faults []Fault
}

const mostDeep = 32

// walk looks for products in whatever holds them: lists, graphs, pages.
func (r *reader) walk(v any, deep int) {
	if deep > mostDeep {
		return
	}
	switch v := v.(type) {
	case []any:
		for _, x := range v {
			r.walk(x, deep+1)
		}
	case map[string]any:
		n := node(v)
		switch {
		case n.is("ProductGroup"):
			r.group(n)
		case n.is("Product"):
			r.product(n)
		default:
			for _, key := range []string{"@graph", "itemListElement", "item", "mainEntity", "hasPart"} {
				r.walk(v[key], deep+1)
			}
		}
	}
}

func (n node) is(kind string) bool {
	for _, t := range n.texts("@type") {
		if strings.TrimPrefix(strings.TrimPrefix(t, "https://schema.org/"), "http://schema.org/") == kind {
			return true
		}
	}
	return false
}

// texts are the values of a field that are text or numbers, one or several.
func (n node) texts(key string) (out []string) {
	for _, x := range list(n[key]) {
		switch x := x.(type) {
		case string:
			out = append(out, strings.TrimSpace(x))
		case json.Number:
			out = append(out, x.String())
		}
	}
	return out
}

func (n node) text(keys ...string) string {
	for _, key := range keys {
		for _, t := range n.texts(key) {
			if t != "" {
				return t
			}
		}
	}
	return ""
}

func (n node) nodes(key string) (out []node) {
	for _, x := range list(n[key]) {
		if m, ok := x.(map[string]any); ok {
			out = append(out, m)
		}
	}
	return out
}

func list(v any) []any {
	switch v := v.(type) {
	case nil:
		return nil
	case []any:
		return v
	}
	return []any{v}
}

// group reads a product in several variants.
func (r *reader) group(n node) {
	p := shared(n)
	for _, v := range n.nodes("hasVariant") {
		if x, ok := r.variant(v, n); ok {
			p.Variants = append(p.Variants, x)
		}
	}
	r.file(p, n.text("productGroupID", "@id", "url", "name"))
}

// product reads a product that is sold as one thing, or a variant of a group that names it.
func (r *reader) product(n node) {
	p, of := shared(n), n
	if groups := n.nodes("isVariantOf"); len(groups) > 0 {
		of = groups[0]
		if g := shared(of); g.Title != "" {
			p = g
		}
	}
	if x, ok := r.variant(n, of); ok {
		if p.Title == "" {
			p.Title = n.text("name")
		}
		p.Variants = []catalog.Variant{x}
		r.file(p, of.text("productGroupID", "@id", "url", "name"))
	}
}

func shared(n node) catalog.Product {
	p := catalog.Product{Title: n.text("name"), Description: n.text("description"), Picture: n.text("image")}
	for _, image := range n.nodes("image") {
		if p.Picture == "" {
			p.Picture = image.text("url", "contentUrl")
		}
	}
	for _, c := range n.texts("category") {
		parts := strings.Split(c, ">")
		if last := strings.TrimSpace(parts[len(parts)-1]); last != "" && !slices.Contains(p.Collections, last) {
			p.Collections = append(p.Collections, last)
		}
	}
	return p
}

// file puts a product away, with others of the same id as its variants.
func (r *reader) file(p catalog.Product, named string) {
	if len(p.Variants) == 0 {
		return
	}
	p.ID = idOf(named)
	if p.ID == "" {
		p.ID = orText(idOf(p.Variants[0].SKU), fmt.Sprintf("product-%d", len(r.out)+1))
	}
	if i, known := r.ids[p.ID]; known {
		r.out[i].Variants = append(r.out[i].Variants, p.Variants...)
		return
	}
	r.ids[p.ID] = len(r.out)
	r.out = append(r.out, p)
}

// idOf makes an id of a name or of the last part of an address: a-z, 0-9 and hyphens.
func idOf(s string) string {
	if strings.Contains(s, "://") || strings.HasPrefix(s, "/") {
		s, _, _ = strings.Cut(s, "?")
		s, _, _ = strings.Cut(s, "#")
		s = strings.TrimSuffix(path.Base(s), ".html")
	}
	words := strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') })
	id := strings.Join(words, "-")
	return strings.Trim(id[:min(len(id), 80)], "-")
}

// told are the properties that tell variants apart, with what they are called.
var told = []string{"color", "size", "material", "pattern"}

func (r *reader) variant(n, group node) (catalog.Variant, bool) {
	name := orText(n.text("sku"), n.text("name"), fmt.Sprintf("product %d", len(r.out)+1))
	fail := func(field, why string, args ...any) (catalog.Variant, bool) {
		r.faults = append(r.faults, Fault{name, field, fmt.Sprintf(why, args...)})
		return catalog.Variant{}, false
	}
	v := catalog.Variant{SKU: n.text("sku", "mpn", "gtin13", "gtin"), Prices: map[money.Currency]catalog.Price{}}
	switch {
	case v.SKU == "":
		return fail("sku", "it has none, and no number of its maker either")
	case r.skus[v.SKU]:
		return fail("sku", "it stands here twice")
	}
	offers := n.nodes("offers")
	if len(offers) == 0 {
		offers = group.nodes("offers")
	}
	out := len(offers) > 0
	for i := 0; i < len(offers); i++ {
		o := offers[i]
		if inner := o.nodes("offers"); len(inner) > 0 && len(offers) < 200 {
			offers = append(offers, inner...) // of an aggregate
			continue
		}
		if o.is("AggregateOffer") {
			return fail("offers", "only a range of prices is told; what one costs is needed")
		}
		text := o.text("price")
		for _, s := range o.nodes("priceSpecification") {
			text = orText(text, s.text("price"))
		}
		c, err := money.ParseCurrency(o.text("priceCurrency"))
		if err != nil {
			return fail("priceCurrency", "%v", err)
		}
		m, err := money.ParseDecimal(text, c.Digits())
		if err == nil && m < 0 {
			err = errors.New("it is below zero")
		}
		if err != nil {
			return fail("price", "%v", err)
		}
		if was, twice := v.Prices[c]; twice && was.Price != m {
			return fail("price", "two prices in %s are told", c)
		}
		v.Prices[c] = catalog.Price{Price: m}
		out = out && slices.Contains([]string{"OutOfStock", "SoldOut", "Discontinued"}, path.Base(o.text("availability")))
	}
	if len(v.Prices) == 0 {
		return fail("offers", "it has no price")
	}
	if out {
		none := int64(0)
		v.Stock = &none
	}
	for _, key := range told {
		if value := n.text(key); value != "" && len(v.Options) < 3 {
			v.Options = append(v.Options, catalog.Option{Name: key, Value: value})
		}
	}
	for _, w := range n.nodes("weight") {
		v.Weight = grams(w)
	}
	r.skus[v.SKU] = true
	return v, true
}

// grams is a weight in whole grams; 0 where its unit is not known.
func grams(w node) int64 {
	digits, known := map[string]int{"GRM": 0, "g": 0, "KGM": 3, "kg": 3}[w.text("unitCode", "unitText")]
	m, err := money.ParseDecimal(w.text("value"), digits)
	if !known || err != nil || m < 0 {
		return 0
	}
	return m
}

func orText(texts ...string) string {
	for _, t := range texts {
		if t != "" {
			return t
		}
	}
	return ""
}

// Over puts what was read over what a shop has: of a variant that is known only what a page
// tells changes; its stock only where it is sold out now. What is new comes as it is.
func Over(have, read []catalog.Product) []catalog.Product {
	type place struct{ product, variant int }
	at := map[string]place{}
	for i := range have {
		for j := range have[i].Variants {
			at[have[i].Variants[j].SKU] = place{i, j}
		}
	}
	var out []catalog.Product
	index := map[string]int{} // of out by product
	put := func(p catalog.Product, v catalog.Variant) {
		i, there := index[p.ID]
		if !there {
			i = len(out)
			index[p.ID] = i
			p.Variants = nil
			out = append(out, p)
		}
		out[i].Variants = append(out[i].Variants, v)
	}
	for _, p := range read {
		for _, v := range p.Variants {
			was, known := at[v.SKU]
			if !known {
				if n := slices.IndexFunc(have, func(h catalog.Product) bool { return h.ID == p.ID }); n >= 0 {
					put(have[n], v) // another variant of a product that is there
				} else {
					put(p, v)
				}
				continue
			}
			old := have[was.product]
			old.Title, old.Description, old.Picture = orText(p.Title, old.Title), orText(p.Description, old.Description), orText(p.Picture, old.Picture)
			put(old, over(old.Variants[was.variant], v))
		}
	}
	return out
}

func over(old, v catalog.Variant) catalog.Variant {
	prices := map[money.Currency]catalog.Price{}
	for c, p := range old.Prices {
		prices[c] = p
	}
	for c, p := range v.Prices {
		was := prices[c]
		was.Price = p.Price
		prices[c] = was
	}
	old.Prices = prices
	if v.Stock != nil {
		old.Stock = v.Stock
	}
	if v.Weight > 0 {
		old.Weight = v.Weight
	}
	return old
}
