package merchant_test

import (
	"bytes"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/merchant"
	"agonal.dev/agonal/internal/store/storetest"
	"agonal.dev/agonal/web"
)

// browser is a person at a browser: cookies, and the token of the last page.
type browser struct {
	t    testing.TB
	base string
	http *http.Client
	csrf string
}

var tokenIn = regexp.MustCompile(`name="csrf" value="([^"]+)"`)

func start(t testing.TB) (*app.App, func(email string) *browser) {
	a := storetest.Demo(t)
	e := echo.New()
	require.NoError(t, merchant.Mount(e, a, merchant.Config{Templates: web.Templates(), Dist: web.Dist(), Gallery: true}))
	srv := httptest.NewServer(e)
	t.Cleanup(srv.Close)
	return a, func(email string) *browser {
		jar, err := cookiejar.New(nil)
		require.NoError(t, err)
		b := &browser{t: t, base: srv.URL, http: &http.Client{Jar: jar}}
		b.get("/sign-in")
		if email != "" {
			status, _ := b.post("/sign-in", url.Values{"email": {email}, "password": {demo.Password}})
			require.Equal(t, 200, status)
		}
		return b
	}
}

func (b *browser) read(r *http.Response, err error) (int, string) {
	require.NoError(b.t, err)
	defer func() { _ = r.Body.Close() }()
	body, err := io.ReadAll(r.Body)
	require.NoError(b.t, err)
	if m := tokenIn.FindSubmatch(body); m != nil {
		b.csrf = string(m[1])
	}
	return r.StatusCode, string(body)
}

func (b *browser) get(path string) (int, string) { return b.read(b.http.Get(b.base + path)) }

func (b *browser) post(path string, form url.Values) (int, string) {
	form.Set("csrf", b.csrf)
	return b.read(b.http.PostForm(b.base+path, form))
}

func (b *browser) edit(version, panel string, form url.Values) (int, string) {
	form.Set("version", version)
	form.Set("panel", panel)
	return b.post("/s/lindquill/nudges/parcels-to-japan/edit", form)
}

func TestEveryPageAnswers(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	for _, p := range []string{"/shops", "/gallery", "/s/lindquill/nudges", "/s/lindquill/nudges/start", "/s/lindquill/nudges/winter-ladder", "/s/lindquill/nudges/winter-ladder/revisions",
		"/s/lindquill/nudges/winter-ladder/preview", "/s/lindquill/rehearsal", "/s/lindquill/shop", "/s/lindquill/shop/import", "/s/lindquill/shop/regions", "/s/lindquill/shop/orders",
		"/s/lindquill/shop/orders/1001", "/s/lindquill/shop/orders.csv", "/s/lindquill/shop/catalogue.csv", "/s/lindquill/shop/settings",
		"/s/lindquill/results", "/s/lindquill/results.csv", "/s/lindquill/results/winter-ladder", "/s/lindquill/results/harbour-code", "/s/lindquill/nudges/winter-ladder/try"} {
		status, body := b.get(p)
		assert.Equal(t, 200, status, p)
		assert.NotContains(t, body, "ZgotmplZ", p)
	}
	for _, p := range []string{"/s/nobody/nudges", "/s/lindquill/nudges/none", "/s/lindquill/shop/orders/7", "/s/lindquill/results/none", "/s/lindquill/results/trials/none", "/s/lindquill/shop/import/x"} {
		status, body := b.get(p)
		assert.Equal(t, 404, status, p)
		assert.Regexp(t, "not here|no such", body, p)
	}
}

func TestWhoMayDoWhat(t *testing.T) {
	a, as := start(t)
	_, body := as("").get("/s/lindquill/nudges")
	assert.Contains(t, body, "Sign in to go on where you were", "a stranger is led to the sign-in")

	viewer := as("vera@lindquill.example")
	status, body := viewer.get("/s/lindquill/nudges/winter-ladder")
	assert.Equal(t, 200, status)
	assert.NotContains(t, body, ">Pause<")
	status, _ = viewer.post("/s/lindquill/nudges/winter-ladder/state", url.Values{"to": {"paused"}})
	assert.Equal(t, 403, status)

	n, err := a.Nudge(t.Context(), demo.Shop, "winter-ladder")
	require.NoError(t, err)
	assert.Equal(t, "live", string(n.State))

	editor := as("tam@lindquill.example")
	editor.csrf = "forged"
	status, _ = editor.post("/s/lindquill/nudges/winter-ladder/state", url.Values{"to": {"paused"}})
	assert.Equal(t, 403, status, "a request without the page's token is refused")
}

func TestThresholdsThatCannotBe(t *testing.T) {
	a, as := start(t)
	b := as(demo.Email)
	for typed, want := range map[string]string{
		"−5": "below zero", "-5": "below zero", "1e18": "not an amount", "1000000000000000000": "too large", "abc": "not an amount", "12.5": "decimals", "": "is needed here",
	} {
		status, body := b.edit("1", "goal-0", panel("goal-0", "ladder.rungs[0].thresholds.jp", typed))
		assert.Equal(t, 422, status, typed)
		assert.Contains(t, body, want, typed)
	}
	n, err := a.Nudge(t.Context(), demo.Shop, "parcels-to-japan")
	require.NoError(t, err)
	assert.Equal(t, 1, n.DraftVersion, "nothing was changed")

	a.Store.DB.Exec("UPDATE shops SET locale = 'de' WHERE id = 'lindquill'")
	_, err = a.Snapshots.Refresh(t.Context(), demo.Shop)
	require.NoError(t, err)
	status, _ := b.edit("1", "goal-0", panel("goal-0", "ladder.rungs[0].thresholds.home", "1.234,50"))
	assert.Equal(t, 200, status)
	n, err = a.Nudge(t.Context(), demo.Shop, "parcels-to-japan")
	require.NoError(t, err)
	assert.Equal(t, int64(123450), n.Draft.Ladder.Rungs[0].Thresholds["home"].Minor)
}

func TestWordingThatCannotBe(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	for text, want := range map[string]string{
		"Add {amount}":              "{amount} is not known",
		strings.Repeat("x", 10_000): "at most 280",
		"Add {to_add":               "never closes",
	} {
		status, body := b.edit("1", "say-not_yet", url.Values{"do": {"wording"}, "language": {"en"}, "state": {"not_yet"}, "text": {text}})
		assert.Equal(t, 422, status)
		assert.Contains(t, body, want)
	}
	status, body := b.edit("1", "say-not_yet", url.Values{"do": {"wording"}, "language": {"en"}, "state": {"not_yet"}, "text": {"<script>alert(1)</script> {to_add}"}})
	assert.Equal(t, 200, status)
	assert.NotContains(t, body, "<script>alert(1)")
	assert.Contains(t, body, "&lt;script&gt;alert(1)")
}

func TestAChangeOfADraftThatMovedOnIsNotMade(t *testing.T) {
	_, as := start(t)
	ilse, tam := as(demo.Email), as("tam@lindquill.example")
	ilse.get("/s/lindquill/nudges/parcels-to-japan")
	tam.get("/s/lindquill/nudges/parcels-to-japan")
	status, _ := ilse.edit("1", "name", panel("name", "name", "By Ilse"))
	require.Equal(t, 200, status)
	status, body := tam.edit("1", "name", panel("name", "name", "By Tam"))
	assert.Equal(t, 409, status)
	assert.Contains(t, body, "Ilse Marrin changed this draft")
	assert.Contains(t, body, "By Ilse")
}

func TestAFileOfFiftyMegabytesIsRefusedWithWhatToDo(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	status, body := b.read(b.http.Post(b.base+"/s/lindquill/shop/import", "multipart/form-data; boundary=x", bytes.NewReader(make([]byte, 50<<20))))
	assert.Equal(t, 413, status)
	assert.Contains(t, body, "This is 50 MB; at most 32 MB")
	status, body = b.get("/nowhere")
	assert.Equal(t, 404, status)
	assert.Contains(t, body, "no such page")
}
