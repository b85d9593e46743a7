package merchant_test

import (
	"encoding/json"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"agonal.dev/agonal/core/cases"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
)

// Every definition of the cases opens in the workbench, reads there as the core says it,
// and is the same after every panel was saved as it stands.
func TestEveryDefinitionIsReadAndKept(t *testing.T) {
	a, as := start(t)
	b := as(demo.Email)
	all, err := cases.Load(os.DirFS("../../core/cases/data"))
	require.NoError(t, err)
	file, seen, opened, saved := "", map[string]bool{}, 0, 0
	controls := map[string]bool{}
	for _, c := range all {
		shop, err := snapshot.ParseShop(c.Shop())
		if err != nil {
			assert.NotEmpty(t, c.Refused, c.Name)
			continue // no shop can have it
		}
		if name, _, _ := strings.Cut(c.Name, ":"); name != file {
			file = name
			b.shopIs(a, shop)
		}
		for _, n := range shop.Nudges {
			raw, err := json.Marshal(n.Definition)
			require.NoError(t, err)
			if seen[string(raw)] {
				continue
			}
			seen[string(raw)] = true
			opened++
			saved += b.keeps(a, &c, n.Definition, controls)
		}
	}
	t.Logf("%d definitions opened, %d panels saved", opened, saved)
	assert.Greater(t, opened, 200)
	assert.Greater(t, saved, 12*opened)

	schema, err := os.ReadFile("../../docs/schema/nudge.schema.json")
	require.NoError(t, err)
	var root map[string]any
	require.NoError(t, json.Unmarshal(schema, &root))
	var lacking []string
	fields := leaves(root, root, "", nil)
	for _, field := range fields {
		if field != "version" && !controls[field] {
			lacking = append(lacking, field)
		}
	}
	assert.Empty(t, lacking, "fields of the schema that nothing on the screen changes")
	assert.Greater(t, len(fields), 100)
}

// leaves are the fields of a schema that have no fields of their own, as the workbench
// names them: goods and options, which one field says, by that field.
func leaves(root, at map[string]any, path string, within []string) []string {
	if ref, ok := at["$ref"].(string); ok {
		if slices.Contains(within, ref) {
			return nil // groups of conditions hold conditions
		}
		def := root["$defs"].(map[string]any)[strings.TrimPrefix(ref, "#/$defs/")].(map[string]any)
		return leaves(root, def, path, append(slices.Clone(within), ref))
	}
	if items, ok := at["items"].(map[string]any); ok {
		if strings.HasSuffix(path, ".items") || strings.HasSuffix(path, ".options") || items["$ref"] == nil {
			return []string{path}
		}
		return leaves(root, items, path+"[]", within)
	}
	fields, ok := at["properties"].(map[string]any)
	if !ok {
		return []string{path}
	}
	var out []string
	for name, f := range fields {
		out = append(out, leaves(root, f.(map[string]any), strings.TrimPrefix(path+"."+name, "."), within)...)
	}
	return out
}

var (
	places = regexp.MustCompile(`\[\d+\]`)
	steps  = regexp.MustCompile(`^audience\.when(\.\d+)+`)
)

// mark notes what the fields of a form change; an amount of a region stands for its map.
func mark(controls map[string]bool, form *html.Node, do string) {
	if do == "wording" {
		controls["wording"] = true
		controls["ladder.rungs[].wording"] = len(sentBy(form)["of"]) > 0 // said of one rung
	}
	walk(form, func(n *html.Node) {
		name := steps.ReplaceAllString(places.ReplaceAllString(attr(n, "name"), "[]"), "audience.when")
		if name == "" {
			return
		}
		controls[name] = true
		for _, end := range []string{".home", ".jp", ".home.from", ".en"} {
			if short, is := strings.CutSuffix(name, end); is {
				controls[short] = true
			}
		}
	})
}

// shopIs gives the demo's shop the regions and goods of another.
func (b *browser) shopIs(a *app.App, shop snapshot.Shop) {
	b.t.Helper()
	ctx := b.t.Context()
	require.NoError(b.t, a.Store.SaveProducts(ctx, demo.Shop, shop.Catalog.Products, time.Now(), func(int) {}))
	require.NoError(b.t, a.ChangeConfig(ctx, demo.Shop, "Ilse", true, func(c *app.ShopConfig) error {
		c.Regions = slices.Clone(shop.Regions)
		return nil
	}))
}

// keeps opens a definition, saves every panel as it stands, and returns how many there were.
func (b *browser) keeps(a *app.App, c *cases.Case, d nudge.Definition, controls map[string]bool) int {
	b.t.Helper()
	name := c.Name
	ctx := b.t.Context()
	n, err := a.Create(ctx, demo.Shop, "Ilse", d)
	require.NoError(b.t, err, name)
	status, body := b.get("/s/lindquill/nudges/" + n.ID)
	require.Equal(b.t, http.StatusOK, status, "%s: %s", name, body)
	doc, err := html.Parse(strings.NewReader(body))
	require.NoError(b.t, err)

	snap, err := a.Snapshots.Get(ctx, demo.Shop)
	require.NoError(b.t, err)
	want := ""
	region := n.Draft.FirstRegion(snap.Regions())
	for _, p := range n.Draft.Tell(nudge.Voice{Region: region, Language: "en", Locale: "en", Label: snap.Catalog().Label}, snap.Regions()) {
		want += p.Text
	}
	promise := find(doc, func(x *html.Node) bool { return attr(x, "class") == "promise" })
	assert.Equal(b.t, strings.Join(strings.Fields(want), " "), read(promise), name)

	saved := 0
	plain := http.Client{Jar: b.http.Jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	walk(doc, func(x *html.Node) {
		form := sentBy(x)
		if x.Data != "form" || form.Get("do") != "panel" && form.Get("do") != "wording" {
			return
		}
		mark(controls, x, form.Get("do"))
		if c.Refused != "" {
			return // it is not to be kept
		}
		saved++
		form.Set("csrf", b.csrf)
		r, err := plain.PostForm(b.base+"/s/lindquill/nudges/"+n.ID+"/edit", form)
		require.NoError(b.t, err)
		defer func() { _ = r.Body.Close() }()
		assert.Equal(b.t, http.StatusSeeOther, r.StatusCode, "%s: %s", name, form.Encode())
	})
	is, err := a.Nudge(ctx, demo.Shop, n.ID)
	require.NoError(b.t, err)
	assert.Equal(b.t, string(asJSON(b.t, n.Draft)), string(asJSON(b.t, is.Draft)), name)
	assert.Equal(b.t, 1, is.DraftVersion, "%s: nothing was changed", name)
	return saved
}

func asJSON(t testing.TB, d nudge.Definition) []byte {
	t.Helper()
	out, err := json.MarshalIndent(d, "", " ")
	require.NoError(t, err)
	return out
}

// read is what one reads of a sentence: what panels and buttons say is left out.
func read(n *html.Node) string {
	var b strings.Builder
	var add func(*html.Node)
	add = func(x *html.Node) {
		if x.Data == "form" {
			return
		}
		if x.Type == html.TextNode {
			b.WriteString(x.Data)
		}
		for c := x.FirstChild; c != nil; c = c.NextSibling {
			if x.Data != "details" || c.Data == "summary" {
				add(c)
			}
		}
	}
	add(n)
	return strings.Join(strings.Fields(b.String()), " ")
}
