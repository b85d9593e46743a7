// Package serving is what both sites have in common of being served: headers, cookies
// behind a proxy, compression, assets that browsers keep, and the server with its
// deadlines.
package serving

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
)

// Config is how a site is served.
type Config struct {
	Log *slog.Logger
	// Proxies are the addresses of proxies before the server. What they say of who asks
	// (X-Forwarded-For) and how (X-Forwarded-Proto) is believed, and of nobody else.
	Proxies []netip.Prefix
	// Robots is the text of /robots.txt.
	Robots string
}

// ParseProxies reads addresses and networks (10.0.0.0/8) separated by commas.
func ParseProxies(list string) ([]netip.Prefix, error) {
	var out []netip.Prefix
	for _, part := range strings.FieldsFunc(list, func(r rune) bool { return r == ',' || r == ' ' }) {
		p, err := netip.ParsePrefix(part)
		if err != nil {
			a, wrong := netip.ParseAddr(part)
			if wrong != nil {
				return nil, fmt.Errorf("the proxy %q is no address such as 10.0.0.7 and no network such as 10.0.0.0/8", part)
			}
			p = netip.PrefixFrom(a, a.BitLen())
		}
		out = append(out, p.Masked())
	}
	return out, nil
}

// leastCompressed is the size in bytes from which answers are compressed.
const leastCompressed = 1 << 10

// New makes a router whose answers carry what every answer should.
func New(cfg Config) *echo.Echo {
	e := echo.New()
	e.Logger = cfg.Log
	e.IPExtractor = echo.ExtractIPDirect()
	if len(cfg.Proxies) > 0 {
		trust := []echo.TrustOption{echo.TrustLoopback(false), echo.TrustLinkLocal(false), echo.TrustPrivateNet(false)}
		for _, p := range cfg.Proxies {
			trust = append(trust, echo.TrustIPRange(&net.IPNet{IP: p.Addr().AsSlice(), Mask: net.CIDRMask(p.Bits(), p.Addr().BitLen())}))
		}
		e.IPExtractor = echo.ExtractIPFromXFFHeader(trust...)
	}
	e.Pre(headAsGet)
	e.Use(middleware.Recover(), guarded(cfg.Proxies), middleware.GzipWithConfig(middleware.GzipConfig{
		MinLength: leastCompressed,
		Skipper: func(c *echo.Context) bool { // parts of a file, and what is compressed already
			r := c.Request()
			return r.Header.Get("Range") != "" || strings.HasSuffix(r.URL.Path, ".woff2")
		},
	}))
	e.GET("/robots.txt", func(c *echo.Context) error { return c.String(http.StatusOK, cfg.Robots) })
	return e
}

// headAsGet answers a HEAD as the GET; the server leaves the body out.
func headAsGet(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if r := c.Request(); r.Method == http.MethodHead {
			get := r.WithContext(r.Context())
			get.Method = http.MethodGet
			c.SetRequest(get)
		}
		return next(c)
	}
}

// guarded sets the headers of every answer, and lets cookies travel by https only where
// the browser came by it.
func guarded(proxies []netip.Prefix) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			h := c.Response().Header()
			h.Set("X-Content-Type-Options", "nosniff")
			h.Set("X-Frame-Options", "SAMEORIGIN")
			h.Set("Referrer-Policy", "strict-origin-when-cross-origin")
			h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'") // of what is no page
			if res, err := echo.UnwrapResponse(c.Response()); err == nil && byHTTPS(c.Request(), proxies) {
				res.Before(func() {
					for i, cookie := range h["Set-Cookie"] {
						if !strings.Contains(cookie, "; Secure") {
							h["Set-Cookie"][i] = cookie + "; Secure"
						}
					}
				})
			}
			return next(c)
		}
	}
}

// byHTTPS tells whether a browser came by https: to this server, or to a trusted proxy.
func byHTTPS(r *http.Request, proxies []netip.Prefix) bool {
	if r.TLS != nil {
		return true
	}
	from, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return false
	}
	for _, p := range proxies {
		if p.Contains(from.Addr().Unmap()) {
			return strings.EqualFold(r.Header.Get("X-Forwarded-Proto"), "https")
		}
	}
	return false
}

// Deadlines are how long a client may take for its part.
type Deadlines struct{ Header, Read, Write, Idle time.Duration }

// Usual are the deadlines of the program; a file that is brought in or out has longer.
var Usual = Deadlines{Header: 10 * time.Second, Read: 30 * time.Second, Write: 60 * time.Second, Idle: 2 * time.Minute}

// Run serves until the context ends, then lets what is under way finish.
func Run(ctx context.Context, l net.Listener, h http.Handler, d Deadlines) error {
	srv := &http.Server{
		Handler: h, ReadHeaderTimeout: d.Header, ReadTimeout: d.Read, WriteTimeout: d.Write, IdleTimeout: d.Idle, MaxHeaderBytes: 64 << 10,
	}
	done := make(chan struct{})
	go func() {
		defer close(done)
		<-ctx.Done()
		wait, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		_ = srv.Shutdown(wait) // connections that do not end are cut
	}()
	if err := srv.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	<-done
	return nil
}

// LongTransfer gives the file of a request longer than a page has.
func LongTransfer(c *echo.Context) {
	till := time.Now().Add(10 * time.Minute)
	rc := http.NewResponseController(c.Response())
	_ = rc.SetReadDeadline(till) // a recorder of a test has none
	_ = rc.SetWriteDeadline(till)
}
