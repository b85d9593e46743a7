package merchant

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/app"
)

// weekly lets a person have a report each Monday, or no more.
func (s *server) weekly(c *echo.Context) error {
	h := at(c)
	base, say := "", "No report comes any more."
	if c.FormValue("do") == "on" {
		base, say = s.base(c), fmt.Sprintf("Each Monday at %02d:00 the report of the week before goes to %s; the first one is on its way.", app.ReportHour, h.account.Email)
	}
	if err := s.app.AskForReports(c.Request().Context(), h.shop.ID, h.account.ID, base); err != nil {
		return s.fail(c, err)
	}
	return s.done(c, h.url("/results"), say)
}

// SendReports sends the reports that are due.
func SendReports(ctx context.Context, a *app.App) error {
	due, err := a.DueReports(ctx)
	if err != nil {
		return err
	}
	s := &server{app: a}
	var failed []error // what fails in one shop keeps no other waiting
	for _, r := range due {
		if err := s.sendReport(ctx, r); err != nil {
			failed = append(failed, fmt.Errorf("report of %s: %w", r.Shop, err))
		}
	}
	return errors.Join(failed...)
}

func (s *server) sendReport(ctx context.Context, r app.DueReport) error {
	snap, err := s.app.Snapshots.Get(ctx, r.Shop)
	if err != nil {
		return err
	}
	subject, body, err := s.report(ctx, snap, r)
	if err != nil {
		return err
	}
	return s.app.SendReport(ctx, r, subject, body)
}

// report writes the report of a week, as plain text.
func (s *server) report(ctx context.Context, snap *app.ShopSnapshot, r app.DueReport) (subject, body string, err error) {
	now := s.app.Now()
	h := &here{shop: app.ShopRole{Shop: snap.Shop}, zone: snap.Zone, now: now}
	y, m, d := now.In(snap.Zone).Date()
	today := time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
	var b strings.Builder
	line := func(format string, with ...any) { fmt.Fprintf(&b, format+"\n", with...) }
	seen := map[money.Currency]bool{}
	period, any := "", false
	for _, region := range snap.Regions() {
		if seen[region.Currency] {
			continue
		}
		seen[region.Currency] = true
		q := &asking{Where: string(region.Currency), locale: snap.Shop.Locale}
		q.From, q.To, q.Currency = r.Week, r.Week.AddDate(0, 0, 6), region.Currency
		q.periods(today)
		period = q.Period
		v, err := s.resultsAbout(ctx, h, snap, q)
		if err != nil {
			return "", "", err
		}
		if !v.Any {
			continue
		}
		any = true
		line("In %s", region.Currency)
		for _, card := range v.Cards {
			line("  %s", strings.TrimSpace(card.Figure+" "+card.Text+" "+card.More))
		}
		// A week seldom tells what a nudge earned.
		long := &asking{Where: q.Where, locale: q.locale}
		long.From, long.To, long.Currency = q.To.AddDate(0, 0, 1-usualDays), q.To, q.Currency
		weeks, err := s.resultsAbout(ctx, h, snap, long)
		if err != nil {
			return "", "", err
		}
		for _, row := range v.Rows {
			i := slices.IndexFunc(weeks.Rows, func(r resultRow) bool { return r.ID == row.ID })
			line("  %s: %s given; over %d weeks: %s", row.Name, row.Given, usualDays/7, weeks.Rows[i].Words)
		}
		line("")
		line("  %s%s?%s", r.Base, h.url("/results"), v.Query())
		line("")
	}
	if !any {
		line("Nobody came, as far as Agonal knows.")
		line("")
	}
	trials, err := s.reportTrials(ctx, h, r)
	if err != nil {
		return "", "", err
	}
	b.WriteString(trials)
	line("You asked for this; the page of results has the button that ends it.")
	return fmt.Sprintf("%s, %s", snap.Shop.Name, period), plainText(fmt.Sprintf("%s, %s\n\n%s", snap.Shop.Name, period, b.String())), nil
}

// reportTrials are the trials that go on, or ended since the week began.
func (s *server) reportTrials(ctx context.Context, h *here, r app.DueReport) (string, error) {
	ns, err := s.app.Nudges(ctx, r.Shop)
	if err != nil {
		return "", err
	}
	rows, err := s.trialRows(ctx, h, s.names(ns))
	if err != nil {
		return "", err
	}
	var b strings.Builder
	for _, t := range rows {
		if t.ended != nil && t.ended.Before(r.Week) {
			continue
		}
		if b.Len() == 0 {
			b.WriteString("Trials\n")
		}
		fmt.Fprintf(&b, "  %s, %s: %s\n  %s%s\n", t.Name, t.State, t.Words, r.Base, h.url("/results/trials/"+t.ID))
	}
	if b.Len() > 0 {
		b.WriteString("\n")
	}
	return b.String(), nil
}

// plainText leaves out what only a page needs.
func plainText(s string) string { return strings.ReplaceAll(s, joiner, "") }
