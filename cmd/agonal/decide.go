package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"agonal.dev/agonal/core/cases"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/snapshot"
)

// Exit codes of agonal decide.
const (
	exitFailed  = 1 // a file could not be read or written
	exitRefused = 2 // the shop or a request was refused, or a case came out otherwise
)

type decideCmd struct {
	Shop    string `help:"Shop document (JSON), - for standard input." placeholder:"FILE"`
	Request string `help:"Request (JSON), or one a line (JSON Lines); - for standard input." placeholder:"FILE" default:"-"`
	Trace   bool   `help:"Say every step."`
	Format  string `help:"json is the API's decision, byte for byte; text is for reading." enum:"json,text" default:"json"`
	Cases   string `help:"Run every case of a folder in place of a request." placeholder:"DIR" type:"existingdir"`
}

func (decideCmd) Help() string {
	return `No database is needed. One decision a line is written, in the order of the requests.
Exit codes: 0 all decided, 1 a file could not be read, 2 the shop or a request was refused.`
}

// refused is what a shop, a request or a case was refused for.
type refused struct{ error }

func (d decideCmd) Run() error {
	out := bufio.NewWriter(os.Stdout)
	err := d.run(os.Stdin, out)
	return errors.Join(err, out.Flush())
}

func (d decideCmd) run(stdin io.Reader, out io.Writer) error {
	if d.Cases != "" {
		return runCases(d.Cases, out)
	}
	if d.Shop == "" || d.Shop == "-" && d.Request == "-" {
		return refused{errors.New("--shop and --request are needed, and only one of them can be standard input")}
	}
	b, err := read(d.Shop, stdin)
	if err != nil {
		return err
	}
	shop, err := snapshot.ParseShop(b)
	if err != nil {
		return refused{fmt.Errorf("shop: %w", err)}
	}
	s, err := snapshot.Compile(shop)
	if err != nil {
		return refused{fmt.Errorf("shop: %w", err)}
	}
	b, err = read(d.Request, stdin)
	if err != nil {
		return err
	}
	requests := documents(b)
	var bad []error
	for i, r := range requests {
		if err := d.one(s, r, out); err != nil {
			if len(requests) > 1 {
				err = fmt.Errorf("request %d: %w", i+1, err)
			}
			bad = append(bad, err)
		}
	}
	if len(bad) > 0 {
		return refused{errors.Join(bad...)}
	}
	return nil
}

func read(path string, stdin io.Reader) ([]byte, error) {
	if path == "-" {
		return io.ReadAll(stdin)
	}
	return os.ReadFile(path)
}

// documents splits JSON Lines; a text that is one document in several lines is
// one.
func documents(b []byte) [][]byte {
	b = bytes.TrimSpace(b)
	if json.Valid(b) {
		return [][]byte{b}
	}
	var out [][]byte
	for line := range bytes.Lines(b) {
		if line = bytes.TrimSpace(line); len(line) > 0 {
			out = append(out, line)
		}
	}
	return out
}

func (d decideCmd) one(s *snapshot.Snapshot, b []byte, out io.Writer) error {
	r, err := decide.ParseRequest(b)
	if err != nil {
		return err
	}
	r.Trace = r.Trace || d.Trace
	decision, err := decide.Decide(s, r)
	if err != nil {
		return err
	}
	if d.Format == "text" {
		_, err = io.WriteString(out, text(&decision))
		return err
	}
	b, err = json.Marshal(decision)
	if err != nil {
		return err
	}
	_, err = out.Write(append(b, '\n'))
	return err
}

// text writes a decision for reading.
func text(d *decide.Decision) string {
	var b strings.Builder
	show := func(m money.Minor) string {
		return money.Format(money.Amount{Minor: m, Currency: d.Currency}, "en")
	}
	for _, l := range d.Lines {
		fmt.Fprintf(&b, "%4d × %-24s %12s", l.Quantity, l.SKU, show(l.Paid))
		if l.Off > 0 {
			fmt.Fprintf(&b, "   instead of %s", show(l.Amount))
		}
		b.WriteByte('\n')
	}
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			fmt.Fprintf(&b, "%4d × %-24s %12s\n", it.Quantity, it.SKU, "a gift")
		}
	}
	if s := d.Shipping; s != nil {
		fmt.Fprintf(&b, "       %-24s %12s\n", s.Name, show(s.Fee))
	}
	fmt.Fprintf(&b, "       %-24s %12s\n", "to pay", show(d.ToPay))
	for _, g := range d.Rewards {
		fmt.Fprintf(&b, "given: %s (%s), %s\n", g.Text, g.Nudge, show(g.Amount))
	}
	for _, l := range d.Left {
		fmt.Fprintf(&b, "%s\n", l.Say)
	}
	for _, c := range d.Codes {
		fmt.Fprintf(&b, "code %s: %s\n", c.Code, strings.ReplaceAll(c.State, "_", " "))
	}
	for _, n := range d.Nudges {
		for _, r := range n.Rungs {
			fmt.Fprintf(&b, "%s, rung %d: %s", n.Nudge, r.Rung+1, r.State)
			if r.Lasting != nil && r.State == decide.RungOpen {
				fmt.Fprintf(&b, ", add %s for %s", show(*r.Lasting), r.Reward)
			}
			b.WriteByte('\n')
		}
		if n.Reason != "" {
			fmt.Fprintf(&b, "%s does not show: %s\n", n.Nudge, decide.Explain(n.Reason))
		}
	}
	for _, s := range d.Trace {
		fmt.Fprintf(&b, "  %s\n", s.Say)
	}
	if !d.Exact {
		fmt.Fprintf(&b, "A better choice was not ruled out; it could save at most %s.\n", show(d.Bound))
	}
	return b.String()
}

func runCases(dir string, out io.Writer) error {
	all, err := cases.Load(os.DirFS(dir))
	if err != nil {
		return refused{err}
	}
	wrong := 0
	var b strings.Builder
	for _, c := range all {
		if faults := c.Run(); len(faults) > 0 {
			wrong++
			fmt.Fprintf(&b, "%s (%s)\n", c.Name, c.Why)
			for _, f := range faults {
				fmt.Fprintf(&b, "  %s\n", f)
			}
		}
	}
	fmt.Fprintf(&b, "%d cases, %d as expected\n", len(all), len(all)-wrong)
	if _, err := io.WriteString(out, b.String()); err != nil {
		return err
	}
	if wrong > 0 {
		return refused{fmt.Errorf("%d cases came out otherwise than expected", wrong)}
	}
	return nil
}
