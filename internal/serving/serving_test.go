package serving_test

import (
	"context"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/lindquill"
	"agonal.dev/agonal/internal/merchant"
	"agonal.dev/agonal/internal/pictures"
	"agonal.dev/agonal/internal/serving"
	"agonal.dev/agonal/internal/store/storetest"
	"agonal.dev/agonal/internal/storefront"
	"agonal.dev/agonal/web"
)

// sites serves both sites, as the program does.
func sites(t *testing.T) (agonal, shop string) {
	log := slog.New(slog.DiscardHandler)
	a := storetest.Demo(t)
	e := serving.New(serving.Config{Log: log, Robots: "User-agent: *\nDisallow: /\n"})
	pictures.Mount(e)
	require.NoError(t, storefront.Mount(e, a, storefront.Config{Dist: web.Dist(), PerSecond: 1e6}))
	require.NoError(t, merchant.Mount(e, a, merchant.Config{Templates: web.Templates(), Dist: web.Dist(), DemoShop: demo.Shop}))
	main := httptest.NewServer(e)
	t.Cleanup(main.Close)
	l := serving.New(serving.Config{Log: log})
	ctx, stop := context.WithCancel(t.Context())
	t.Cleanup(stop)
	require.NoError(t, lindquill.Mount(ctx, l, lindquill.Config{
		Agonal: main.URL, Embed: main.URL, Publishable: demo.PublishableKey, Secret: demo.SecretKey, StateDir: t.TempDir(), Dist: web.Dist(), QuoteKey: make([]byte, 32),
	}, log))
	till := httptest.NewServer(l)
	t.Cleanup(till.Close)
	require.Eventually(t, func() bool {
		r, err := http.Get(till.URL)
		return err == nil && r.Body.Close() == nil && r.StatusCode == 200
	}, 10*time.Second, 50*time.Millisecond)
	return main.URL, till.URL
}

func ask(t *testing.T, method, address string, header map[string]string) (*http.Response, string) {
	r, err := http.NewRequest(method, address, nil)
	require.NoError(t, err)
	for k, v := range header {
		r.Header.Set(k, v)
	}
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := client.Do(r)
	require.NoError(t, err)
	b, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	return res, string(b)
}

func TestEveryAnswerIsGuarded(t *testing.T) {
	agonal, shop := sites(t)
	for _, address := range []string{
		agonal + "/", agonal + "/sign-in", agonal + "/nowhere", agonal + "/s/lindquill/nudges", agonal + "/assets/app.css", agonal + "/assets/", agonal + "/pictures/bottle-1f3f7a.svg",
		agonal + "/embed/v1.js", agonal + "/openapi.json", agonal + "/v1/decisions", agonal + "/v1/nowhere", agonal + "/robots.txt",
		shop + "/", shop + "/cart", shop + "/nowhere", shop + "/products/nothing", shop + "/assets/shop.css", shop + "/assets/", shop + "/robots.txt",
	} {
		res, _ := ask(t, http.MethodGet, address, nil)
		h := res.Header
		assert.Equal(t, "nosniff", h.Get("X-Content-Type-Options"), address)
		assert.Equal(t, "SAMEORIGIN", h.Get("X-Frame-Options"), address)
		assert.NotEmpty(t, h.Get("Referrer-Policy"), address)
		csp := h.Get("Content-Security-Policy")
		assert.Contains(t, csp, "frame-ancestors", address)
		assert.Contains(t, csp, "default-src", address)
		assert.NotContains(t, csp, "unsafe", address)
		assert.Less(t, res.StatusCode, 500, address)
	}
}

func TestAnUnknownAddressIsAPage(t *testing.T) {
	agonal, shop := sites(t)
	for _, address := range []string{agonal + "/nowhere", agonal + "/pictures/none.svg", shop + "/nowhere", shop + "/a/b/c", shop + "/products/none"} {
		res, body := ask(t, http.MethodGet, address, nil)
		assert.Equal(t, 404, res.StatusCode, address)
		assert.Contains(t, res.Header.Get("Content-Type"), "text/html", address)
		assert.Contains(t, body, "<h1", address)
	}
	res, _ := ask(t, http.MethodGet, agonal+"/v1/nowhere", nil)
	assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"))
	for _, address := range []string{agonal + "/assets/", agonal + "/assets/fonts", agonal + "/assets/fonts/", shop + "/assets/fonts/", shop + "/assets/../"} {
		res, body := ask(t, http.MethodGet, address, nil)
		assert.Equal(t, 404, res.StatusCode, address)
		assert.NotContains(t, body, ".woff2", address)
	}
	res, body := ask(t, http.MethodHead, shop+"/", nil)
	assert.Equal(t, 200, res.StatusCode)
	assert.Empty(t, body)
}

func TestPagesSayWhatTheyAreAndWhatIsLookedThrough(t *testing.T) {
	agonal, shop := sites(t)
	for _, address := range []string{agonal + "/sign-in", shop + "/", shop + "/collections/Inks", shop + "/products/harbour-blue"} {
		_, body := ask(t, http.MethodGet, address, nil)
		assert.Contains(t, body, `<meta name="description" content="`, address)
		assert.NotContains(t, body, `content=""`, address)
	}
	_, body := ask(t, http.MethodGet, agonal+"/robots.txt", nil)
	assert.Equal(t, "User-agent: *\nDisallow: /\n", body)
}

func TestTheShopLeadsOnlyToItsOwnPages(t *testing.T) {
	_, shop := sites(t)
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	for _, back := range []string{"//evil.example", "/\t/evil.example", "\t//evil.example", "/\\evil.example", "https://evil.example", "/\n/evil.example", "javascript:alert(1)", "/%09/evil.example", "/%2Fevil.example", "", "x"} {
		res, err := client.PostForm(shop+"/deliver-to", url.Values{"country": {"DE"}, "back": {back}})
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		to := res.Header.Get("Location")
		assert.Regexp(t, `^/($|[^/\\\t\r\n])`, to, back)
	}
}

func TestALargeFormIsRefusedBeforeItIsKept(t *testing.T) {
	agonal, shop := sites(t)
	large := strings.Repeat("name=aaaaaaaaaa&", 2<<20/16)
	for _, address := range []string{agonal + "/sign-in", agonal + "/account/new", agonal + "/v1/decisions", shop + "/checkout", shop + "/cart/add", shop + "/cart/set", shop + "/cart/code", shop + "/deliver-to"} {
		r, err := http.NewRequest(http.MethodPost, address, strings.NewReader(large))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("Authorization", "Bearer "+demo.PublishableKey)
		res, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		assert.Equal(t, http.StatusRequestEntityTooLarge, res.StatusCode, address)
	}
}

func TestWhoSendsSlowlyKeepsNobodyFromTheirPage(t *testing.T) {
	_, shop := sites(t)
	for range 40 { // more than pages are made at a time
		c, err := net.Dial("tcp", strings.TrimPrefix(shop, "http://"))
		require.NoError(t, err)
		t.Cleanup(func() { _ = c.Close() })
		_, err = c.Write([]byte("POST /checkout HTTP/1.1\r\nHost: x\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 5000\r\n\r\na="))
		require.NoError(t, err)
	}
	time.Sleep(200 * time.Millisecond)
	began := time.Now()
	res, _ := ask(t, http.MethodGet, shop+"/", nil)
	assert.Equal(t, 200, res.StatusCode)
	assert.Less(t, time.Since(began), 2*time.Second)
}

func TestACookieOfAnyKindLeavesEveryPage(t *testing.T) {
	_, shop := sites(t)
	codes := make([]string, 21)
	for i := range codes {
		codes[i] = "CODE" + string(rune('A'+i))
	}
	for _, cookie := range []string{
		"lq_codes=" + url.QueryEscape(strings.Join(codes, " ")), "lq_codes=" + strings.Repeat("x", 3000), "lq_cart=" + strings.Repeat("HARBLU-30:1%7C", 200), "lq_cart=HARBLU-30%00:1",
		"agonal_visit=%7B%22id%22%3A%22%00%22%7D", "agonal_visit=null", "lq_country=%00", "lq_slip=null", "lq_slip=%7B%22say%22%3A%22%00%22%7D",
	} {
		for _, path := range []string{"/", "/cart", "/checkout", "/products/harbour-blue"} {
			res, _ := ask(t, http.MethodGet, shop+path, map[string]string{"Cookie": cookie})
			assert.Less(t, res.StatusCode, 400, "%s with %.60s", path, cookie)
		}
	}
}

func TestAssetsAreKeptAsLongAsTheyAreTheSame(t *testing.T) {
	one := serving.NewAssets(fstest.MapFS{"app.js": {Data: []byte("1")}, "fonts/a.woff2": {Data: []byte("f")}})
	two := serving.NewAssets(fstest.MapFS{"app.js": {Data: []byte("2")}, "fonts/a.woff2": {Data: []byte("f")}})
	assert.NotEqual(t, one.URL("app.js"), two.URL("app.js"))
	e := serving.New(serving.Config{})
	two.Mount(e)
	get := func(path string) *httptest.ResponseRecorder {
		rec := httptest.NewRecorder()
		e.ServeHTTP(rec, httptest.NewRequest(http.MethodGet, path, nil))
		return rec
	}
	assert.Equal(t, "public, max-age=31536000, immutable", get(two.URL("app.js")).Header().Get("Cache-Control"))
	old := get(one.URL("app.js"))
	assert.Equal(t, "no-cache", old.Header().Get("Cache-Control"), "a page of before finds what there is now, and keeps it not")
	assert.Equal(t, "2", old.Body.String())
	assert.Equal(t, 404, get("/assets/none.js").Code)
}

func TestAProxyIsBelievedAndNobodyElse(t *testing.T) {
	proxies, err := serving.ParseProxies("192.0.2.1, 10.0.0.0/8")
	require.NoError(t, err)
	_, err = serving.ParseProxies("10.0.0.1, proxy")
	require.ErrorContains(t, err, `"proxy" is no address`)
	e := serving.New(serving.Config{Proxies: proxies})
	e.GET("/", func(c *echo.Context) error {
		c.SetCookie(&http.Cookie{Name: "a", Value: "b"})
		return c.String(200, c.RealIP())
	})
	call := func(from, proto string) (cookie, ip string) {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr = from
		r.Header.Set("X-Forwarded-Proto", proto)
		r.Header.Set("X-Forwarded-For", "198.51.100.7")
		rec := httptest.NewRecorder()
		e.ServeHTTP(rec, r)
		return rec.Header().Get("Set-Cookie"), rec.Body.String()
	}
	cookie, ip := call("192.0.2.1:1000", "https")
	assert.Equal(t, "a=b; Secure", cookie)
	assert.Equal(t, "198.51.100.7", ip)
	cookie, ip = call("10.1.2.3:1000", "http")
	assert.Equal(t, "a=b", cookie)
	assert.Equal(t, "198.51.100.7", ip)
	cookie, ip = call("203.0.113.9:1000", "https")
	assert.Equal(t, "a=b", cookie, "a stranger says it")
	assert.Equal(t, "203.0.113.9", ip)
}

func TestAnswersAreCompressed(t *testing.T) {
	agonal, shop := sites(t)
	for _, address := range []string{agonal + "/sign-in", agonal + "/openapi.json", agonal + "/assets/app.css", shop + "/"} {
		res, _ := ask(t, http.MethodGet, address, map[string]string{"Accept-Encoding": "gzip"})
		assert.Equal(t, "gzip", res.Header.Get("Content-Encoding"), address)
		res, _ = ask(t, http.MethodGet, address, map[string]string{"Accept-Encoding": "gzip", "Range": "bytes=0-9"})
		assert.Empty(t, res.Header.Get("Content-Encoding"), address)
	}
}

func TestWhoIsSlowIsCutOff(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	e := serving.New(serving.Config{Log: slog.New(slog.DiscardHandler)})
	e.POST("/", func(c *echo.Context) error {
		_, err := io.ReadAll(c.Request().Body)
		return err
	})
	e.GET("/large", func(c *echo.Context) error { return c.Blob(200, "text/plain", make([]byte, 64<<20)) })
	ctx, stop := context.WithCancel(t.Context())
	served := make(chan error, 1)
	go func() {
		served <- serving.Run(ctx, l, e, serving.Deadlines{Header: 300 * time.Millisecond, Read: 300 * time.Millisecond, Write: 600 * time.Millisecond, Idle: 300 * time.Millisecond})
	}()
	for name, begin := range map[string]string{
		"no header":     "POST / HTTP/1.1\r\nHost: x\r\n",
		"half a body":   "POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 1000\r\n\r\nab",
		"reads nothing": "GET /large HTTP/1.1\r\nHost: x\r\n\r\n",
	} {
		c, err := net.Dial("tcp", l.Addr().String())
		require.NoError(t, err)
		_, err = c.Write([]byte(begin))
		require.NoError(t, err)
		time.Sleep(1200 * time.Millisecond)
		require.NoError(t, c.SetReadDeadline(time.Now().Add(2*time.Second)))
		n, err := io.Copy(io.Discard, c)
		assert.False(t, err != nil && strings.Contains(err.Error(), "timeout"), "%s: held open", name)
		assert.Less(t, n, int64(64<<20), name)
		require.NoError(t, c.Close())
	}
	stop()
	require.NoError(t, <-served)
}
