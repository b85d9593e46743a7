package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/demo/weeks"
	"agonal.dev/agonal/internal/jobs"
	"agonal.dev/agonal/internal/lindquill"
	"agonal.dev/agonal/internal/merchant"
	"agonal.dev/agonal/internal/pictures"
	"agonal.dev/agonal/internal/serving"
	"agonal.dev/agonal/internal/storefront"
	"agonal.dev/agonal/web"
)

type serveCmd struct {
	Addr       string  `env:"AGONAL_ADDR" default:"127.0.0.1:8080" help:"Address of the merchant's application and the API."`
	Lindquill  string  `env:"LINDQUILL_ADDR" default:"127.0.0.1:8081" help:"Address of the made-up shop; empty leaves it out."`
	API        string  `env:"LINDQUILL_AGONAL" help:"Where the made-up shop finds Agonal; its own address unless set."`
	State      string  `env:"AGONAL_STATE" default:".state" help:"Folder for what the made-up shop keeps."`
	Gallery    bool    `env:"AGONAL_GALLERY" help:"Serve /gallery."`
	PerSecond  float64 `env:"AGONAL_RATE" default:"50" help:"API requests a second for one key and address."`
	Proxies    string  `env:"AGONAL_PROXIES" help:"Addresses or networks of proxies before this server, separated by commas; what they say of the shopper's address and of https is believed."`
	Origins    string  `env:"AGONAL_ORIGINS" help:"More origins that may call the API for the demo's shop, separated by commas."`
	Demo       bool    `env:"AGONAL_DEMO" default:"true" negatable:"" help:"Load the demo, whose password is known to all, and serve the made-up shop."`
	DemoVisits int     `env:"AGONAL_DEMO_VISITS" default:"120" help:"Made-up visits a day in the demo's past of eight weeks; 0: none."`
	Only       string  `enum:"both,agonal,lindquill" default:"both" help:"Which of the two to serve: both, agonal or lindquill."`
}

func (s serveCmd) Run(ctx context.Context, c *cli) error {
	log := logger()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	proxies, err := serving.ParseProxies(s.Proxies)
	if err != nil {
		return fmt.Errorf("AGONAL_PROXIES: %w", err)
	}
	main, shop, err := s.listen()
	if err != nil {
		return err
	}
	var servers sync.WaitGroup
	failed := make(chan error, 2)
	serve := func(l net.Listener, h http.Handler) {
		servers.Go(func() {
			if err := serving.Run(ctx, l, h, serving.Usual); err != nil {
				failed <- err
				cancel()
			}
		})
	}
	if main != nil {
		a, err := c.open(ctx, log)
		if err != nil {
			return err
		}
		defer a.Store.Close()
		stop, err := s.agonal(ctx, a, log, proxies, main, serve)
		if err != nil {
			return err
		}
		defer stop()
	}
	if shop != nil {
		e := serving.New(serving.Config{Log: log, Proxies: proxies, Robots: "User-agent: *\nDisallow: /cart\nDisallow: /checkout\nDisallow: /thanks\n"})
		err := lindquill.Mount(ctx, e, lindquill.Config{
			Agonal: s.api(), Embed: s.api(), Publishable: demo.PublishableKey, Secret: demo.SecretKey,
			StateDir: filepath.Join(s.State, "lindquill"), Dist: web.Dist(), QuoteKey: quoteKey(s.State),
		}, log)
		if err != nil {
			return err
		}
		serve(shop, e)
	}
	s.greet()
	servers.Wait()
	select {
	case err := <-failed:
		return err
	default:
		fmt.Println("Stopped.")
		return nil
	}
}

func (s serveCmd) api() string {
	if s.API != "" {
		return s.API
	}
	return "http://" + s.Addr
}

// listen takes both ports before anything else is done.
func (s serveCmd) listen() (main, shop net.Listener, err error) {
	take := func(name, addr, env string) (net.Listener, error) {
		l, err := net.Listen("tcp", addr)
		if errors.Is(err, syscall.EADDRINUSE) {
			return nil, fmt.Errorf("%s cannot use %s, another program has it; stop that one, or choose another address with %s=127.0.0.1:PORT", name, addr, env)
		}
		return l, err
	}
	if s.Only != "lindquill" {
		if main, err = take("Agonal", s.Addr, "AGONAL_ADDR"); err != nil {
			return nil, nil, err
		}
	}
	if s.Only != "agonal" && s.Lindquill != "" && (s.Demo || s.Only == "lindquill") {
		if shop, err = take("Lindquill", s.Lindquill, "LINDQUILL_ADDR"); err != nil {
			return nil, nil, err
		}
	}
	return main, shop, nil
}

func (s serveCmd) agonal(ctx context.Context, a *app.App, log *slog.Logger, proxies []netip.Prefix, l net.Listener, serve func(net.Listener, http.Handler)) (stop func(), err error) {
	queue, err := jobs.New(a, log)
	if err != nil {
		return nil, err
	}
	pages := merchant.Config{Templates: web.Templates(), Dist: web.Dist(), Gallery: s.Gallery, TryGoods: demo.TryGoods}
	if s.Demo {
		if err := demo.Load(ctx, a, s.origins()); err != nil {
			return nil, err
		}
		if _, err := a.Snapshots.Refresh(ctx, demo.Shop); err != nil {
			return nil, err
		}
		pages.Storefront, pages.DemoShop = "http://"+s.Lindquill, demo.Shop
	}
	if err := queue.Start(context.WithoutCancel(ctx)); err != nil {
		return nil, fmt.Errorf("starting the job queue: %w", err)
	}
	go a.Snapshots.Listen(ctx)
	e := serving.New(serving.Config{Log: log, Proxies: proxies, Robots: "User-agent: *\nDisallow: /\n"})
	pictures.Mount(e)
	if err := storefront.Mount(e, a, storefront.Config{Dist: web.Dist(), PerSecond: s.PerSecond}); err != nil {
		return nil, err
	}
	if err := merchant.Mount(e, a, pages); err != nil {
		return nil, err
	}
	serve(l, e)
	go mind(ctx, a, log)
	if s.Demo {
		go func() { // beside: the shop is open meanwhile
			if err := weeks.Make(ctx, a, s.DemoVisits); err != nil && ctx.Err() == nil {
				log.Error("making the demo's past", "error", err)
			}
		}()
	}
	return func() {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		_ = queue.Stop(ctx) // what is left goes on at the next start
	}, nil
}

// mindEvery is how often trials are looked at, and reports that are due.
const mindEvery = 20 * time.Second

// mind lets trials end by themselves, and sends reports, until the context ends.
func mind(ctx context.Context, a *app.App, log *slog.Logger) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(mindEvery):
		}
		if err := a.MindTrials(ctx); err != nil && ctx.Err() == nil {
			log.Warn("looking at trials", "error", err)
		}
		if err := merchant.SendReports(ctx, a); err != nil && ctx.Err() == nil {
			log.Warn("sending reports", "error", err)
		}
	}
}

// origins are the addresses under which a browser may know the made-up shop.
func (s serveCmd) origins() []string {
	out := []string{"http://" + s.Lindquill}
	if port, ok := strings.CutPrefix(s.Lindquill, "127.0.0.1:"); ok {
		out = append(out, "http://localhost:"+port)
	}
	return append(out, strings.FieldsFunc(s.Origins, func(r rune) bool { return r == ',' })...)
}

func (s serveCmd) greet() {
	if !s.Demo {
		fmt.Printf("Agonal answers at http://%s\n", s.Addr)
		return
	}
	fmt.Printf("\n  Agonal     http://%s\n  Lindquill  http://%s\n\n  Sign in as %s with the password %s\n  Ctrl-C stops.\n\n", s.Addr, s.Lindquill, demo.Email, demo.Password)
}

// quoteKey is kept in the state folder, so that quotes outlive a restart.
func quoteKey(state string) []byte {
	name := filepath.Join(state, "lindquill", "quote.key")
	if b, err := os.ReadFile(name); err == nil && len(b) == 32 {
		return b
	}
	b := make([]byte, 32)
	_, _ = rand.Read(b) // never fails, see crypto/rand
	if os.MkdirAll(filepath.Dir(name), 0o755) == nil {
		_ = os.WriteFile(name, b, 0o600) // without it, quotes end with this run
	}
	return b
}
