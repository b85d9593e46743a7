// Command attack misbehaves towards both sites in every way that is known to have hurt
// them, while honest shoppers go on, and prints a line a figure. scripts/attack.sh
// starts it.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// attack is one way to misbehave; it goes on until the context ends or it is done.
type attack struct {
	name string
	run  func(context.Context, *field) error
}

var attacks = []attack{
	{"quiet", wait},
	{"race", race},
	{"kill", kill},
	{"restart", restart},
	{"stop", stop},
	{"freeze", freeze},
	{"leavers", leavers},
	{"poison", poison},
	{"slow", slow},
	{"guesses", guesses},
	{"forms", forms},
}

// field is where it takes place.
type field struct {
	agonal, shop *process
	honest       *honest
	db           *pgx.Conn
	each         time.Duration
}

func main() {
	ctx, cancel := signal.NotifyContext(context.Background(), os.Interrupt)
	defer cancel()
	if err := run(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "attack:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	f := &field{
		agonal: &process{name: "agonal", address: "127.0.0.1:18480", args: []string{"serve", "--only", "agonal"}},
		shop:   &process{name: "lindquill", address: "127.0.0.1:18481", args: []string{"serve", "--only", "lindquill"}},
		each:   8 * time.Second,
	}
	if n, err := strconv.Atoi(os.Getenv("SECONDS_EACH")); err == nil && n > 0 {
		f.each = time.Duration(n) * time.Second
	}
	for _, p := range []*process{f.agonal, f.shop} {
		if err := p.start(ctx); err != nil {
			return err
		}
		defer p.end()
	}
	if err := f.begin(ctx); err != nil {
		return err
	}
	only := strings.Split(os.Getenv("ONLY"), ",")
	for _, a := range attacks {
		if only[0] != "" && !slices.Contains(only, a.name) {
			continue
		}
		if err := f.under(ctx, a); err != nil {
			return fmt.Errorf("%s: %w", a.name, err)
		}
	}
	return nil
}

// under runs an attack with honest shoppers beside it, and prints what they met.
func (f *field) under(ctx context.Context, a attack) error {
	f.agonal.resetPeak()
	f.shop.resetPeak()
	f.honest = newHonest(f)
	going, stop := context.WithCancel(ctx)
	done := f.honest.go_(going)
	err := a.run(ctx, f)
	stop()
	done()
	f.honest.print(a.name)
	say(a.name+".agonal_peak", f.agonal.peak(), "MB")
	say(a.name+".lindquill_peak", f.shop.peak(), "MB")
	return err
}

func say(name string, value any, unit string) { fmt.Printf("attack.%-34s %8v %s\n", name, value, unit) }

func wait(ctx context.Context, f *field) error {
	sleep(ctx, f.each)
	return nil
}

func sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}
