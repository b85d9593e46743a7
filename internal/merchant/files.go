package merchant

import (
	"errors"
	"fmt"
	"io"
	"net/http"

	ics "github.com/arran4/golang-ical"
	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// fileView is what a file of nudges would do.
type fileView struct {
	Error      string
	Name       string // of the file
	Text       string // of the file, looked at and not yet brought in
	AsNew      bool
	Seen       string
	New, Other int // how many come new, and how many change a draft
	Nudges     []broughtView
	Count      int // how many the shop has
}

type broughtView struct {
	ID, Name, Outcome, Sentence string
	Diff                        []diffLine
}

func (s *server) nudgeFile(c *echo.Context) error {
	return s.showFile(c, http.StatusOK, fileView{})
}

func (s *server) showFile(c *echo.Context, status int, v fileView) error {
	ns, err := s.app.Nudges(c.Request().Context(), at(c).shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	v.Count = len(ns)
	return s.render(c, status, "nudge-file", page{Title: "Nudges as a file", Place: "nudges", Data: v})
}

// nudgesJSON gives all drafts as a file.
func (s *server) nudgesJSON(c *echo.Context) error {
	b, err := s.app.NudgesFile(c.Request().Context(), at(c).shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="`+at(c).shop.ID+`-nudges.json"`)
	return c.Blob(http.StatusOK, "application/json", b)
}

// nudgesCalendar gives the times at which nudges are in force as a calendar.
func (s *server) nudgesCalendar(c *echo.Context) error {
	h := at(c)
	ns, err := s.app.Nudges(c.Request().Context(), h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	snap, err := s.app.Snapshots.Get(c.Request().Context(), h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="`+h.shop.ID+`-nudges.ics"`)
	return c.Blob(http.StatusOK, "text/calendar; charset=utf-8", []byte(calendarOf(h, ns, snap.Regions(), snap.Catalog().Label)))
}

// calendarOf has one entry for each nudge that begins or ends; what has no end in the
// calendar is said to go on.
func calendarOf(h *here, ns []store.Nudge, regions []catalog.Region, label func(string) string) string {
	cal := ics.NewCalendarFor("-//Agonal//Nudges//EN")
	cal.SetMethod(ics.MethodPublish)
	cal.SetName("Nudges of " + h.shop.Name)
	for i := range ns {
		n := &ns[i]
		d := &n.Draft
		live := n.State == store.StateLive || n.State == store.StatePaused
		from, until := d.Schedule.From, d.Schedule.Until
		if from == nil && until == nil && !live {
			continue
		}
		e := cal.AddEvent(n.ID + "@" + h.shop.ID + ".agonal")
		e.SetDtStampTime(n.ChangedAt.UTC())
		e.SetSummary(d.Name)
		begins := n.StateSince
		if from != nil {
			begins = *from
		}
		e.SetStartAt(begins.UTC())
		about := d.Say(nudge.Voice{Region: d.FirstRegion(regions), Locale: h.shop.Locale, Label: label})
		if until != nil {
			e.SetEndAt(until.UTC())
		} else {
			about += " It has no end."
		}
		e.SetDescription(about)
		e.SetURL(h.url("/nudges/" + n.ID))
		status := ics.ObjectStatusTentative
		if live {
			status = ics.ObjectStatusConfirmed
		}
		e.SetStatus(status)
	}
	return cal.Serialize()
}

// lookAtFile shows what a file would do, and does nothing yet.
func (s *server) lookAtFile(c *echo.Context) error {
	header, err := c.FormFile("file")
	if err != nil {
		return s.showFile(c, http.StatusUnprocessableEntity, fileView{Error: "Choose a JSON file first."})
	}
	file, err := header.Open()
	if err != nil {
		return s.fail(c, err)
	}
	defer func() { _ = file.Close() }()
	b, err := io.ReadAll(io.LimitReader(file, nudge.MostFileBytes+1))
	if err != nil {
		return s.showFile(c, http.StatusBadRequest, fileView{Error: "The file did not arrive whole; choose it again."})
	}
	return s.showBrought(c, fileView{Name: header.Filename, Text: string(b), AsNew: c.FormValue("as") == "new"}, "")
}

// bringFile makes drafts of what was looked at.
func (s *server) bringFile(c *echo.Context) error {
	return s.showBrought(c, fileView{Name: c.FormValue("name"), Text: c.FormValue("text"), AsNew: c.FormValue("as") == "new"}, c.FormValue("seen"))
}

// showBrought brings a file in where what it does is what was seen, else it shows what it
// would do.
func (s *server) showBrought(c *echo.Context, v fileView, seen string) error {
	ctx, h := c.Request().Context(), at(c)
	f, err := nudge.ParseFile([]byte(v.Text))
	var wrong nudge.FieldError
	if errors.As(err, &wrong) {
		return s.showFile(c, http.StatusUnprocessableEntity, fileView{Error: v.Name + ", " + wrong.Field + ": " + wrong.Why + ". Nothing was brought in."})
	}
	all, err := s.app.BringNudges(ctx, h.shop.ID, h.account.Name, f, v.AsNew, seen)
	var said app.Problem
	switch {
	case errors.As(err, &said):
		if all, err = s.app.BringNudges(ctx, h.shop.ID, h.account.Name, f, v.AsNew, ""); err != nil {
			return s.fail(c, err)
		}
		v.Error = said.Say
	case err != nil:
		return s.fail(c, err)
	case seen != "":
		return s.done(c, h.url("/nudges"), broughtSay(all))
	}
	shop, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	v.Seen = app.Digest(all)
	t := teller{regions: shop.Regions(), label: shop.Catalog().Label, h: h}
	for _, b := range all {
		x := broughtView{ID: b.ID, Name: b.Name, Outcome: string(b.Outcome)}
		switch b.Outcome {
		case app.BroughtNew:
			v.New++
		case app.BroughtChanged:
			v.Other++
			x.Diff = compareDefinitions(*b.Was, b.Now, t)
		}
		v.Nudges = append(v.Nudges, x)
	}
	return s.showFile(c, http.StatusOK, v)
}

func broughtSay(all []app.Brought) string {
	n := map[app.BroughtAs]int{}
	for _, b := range all {
		n[b.Outcome]++
	}
	return fmt.Sprintf("Brought in: %s, %s. Nothing is published by it.", count(n[app.BroughtNew], "new draft"), count(n[app.BroughtChanged], "changed draft"))
}

// count is a number of things.
func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
