// Command agonal runs the application and its tools.
package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"github.com/alecthomas/kong"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

type cli struct {
	Database string      `env:"DATABASE_URL" help:"PostgreSQL connection URL." placeholder:"postgres://…"`
	Serve    serveCmd    `cmd:"" help:"Serve the merchant's application and the made-up shop."`
	Alive    aliveCmd    `cmd:"" help:"Tell whether the server at AGONAL_ADDR answers; for supervisors."`
	Migrate  migrate     `cmd:"" help:"Bring the database schema up to date."`
	Decide   decideCmd   `cmd:"" help:"Decide on a shop and carts in files, without a database."`
	Import   importCmd   `cmd:"" help:"Bring a catalogue CSV into a shop, all or nothing."`
	Export   exportCmd   `cmd:"" help:"Write a shop's catalogue as CSV."`
	Simulate simulateCmd `cmd:"" help:"Make visits of the demo's shop through the API of a server that runs."`
	Recount  recountCmd  `cmd:"" help:"Work a shop's results out anew from its events and orders."`
	Erase    eraseCmd    `cmd:"" help:"Take a shopper out of a shop; what was counted stays."`
	Document documentCmd `cmd:"" help:"Write a shop as the document that decide reads."`
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	var c cli
	k := kong.Parse(&c, kong.Name("agonal"), kong.Description("Purchase nudges with exact arithmetic."), kong.BindTo(ctx, (*context.Context)(nil)), kong.Bind(&c))
	if err := k.Run(); err != nil {
		fmt.Fprintln(os.Stderr, "agonal:", err)
		if errors.As(err, &refused{}) {
			os.Exit(exitRefused)
		}
		os.Exit(exitFailed)
	}
}

// open connects to the database, brings it up to date, and makes the application.
func (c *cli) open(ctx context.Context, log *slog.Logger) (*app.App, error) {
	if c.Database == "" {
		return nil, fmt.Errorf("DATABASE_URL is not set; make start sets it up, or give the URL of a PostgreSQL database")
	}
	s, err := store.Open(ctx, c.Database)
	if err != nil {
		return nil, err
	}
	if err := s.Migrate(ctx); err != nil {
		s.Close()
		return nil, err
	}
	return app.New(s, log), nil
}

func logger() *slog.Logger {
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))
}

type migrate struct{}

func (migrate) Run(ctx context.Context, c *cli) error {
	a, err := c.open(ctx, logger())
	if err != nil {
		return err
	}
	a.Store.Close()
	return nil
}
