package merchant

import (
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

type boardView struct {
	Rows   []boardRow
	Starts []nudge.Start
	Shop   string // where the demo's shop is served
}

type boardRow struct {
	ID, Name, Sentence, Phase, When, Where, Regions string
	Number                                          int
	Dirty, Published, Live, Paused                  bool
	Numbers                                         store.Numbers
	Stops, Doubts                                   int
}

// periodDays is how far back the board counts.
const periodDays = 30

func (s *server) board(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	s.sessions.Put(ctx, "shop", h.shop.ID)
	ns, err := s.app.Nudges(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	numbers, err := s.app.Store.Numbers(ctx, h.shop.ID, s.app.Now().AddDate(0, 0, -periodDays))
	if err != nil {
		return s.fail(c, err)
	}
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	v := boardView{Starts: nudge.Starts(), Shop: s.cfg.Storefront}
	for i, n := range ns {
		live, err := s.liveDefinition(c, n)
		if err != nil {
			return s.fail(c, err)
		}
		found, err := s.app.Check(ctx, h.shop.ID, n.ID, n.Draft)
		if err != nil {
			return s.fail(c, err)
		}
		v.Rows = append(v.Rows, s.boardRow(h, i, n, live, numbers[n.ID], found, snap.Catalog(), snap.Regions()))
	}
	return s.render(c, http.StatusOK, "board", page{Title: "Nudges", Place: "nudges", Data: v})
}

// liveDefinition is what is in force, or was last: nil for one never published.
func (s *server) liveDefinition(c *echo.Context, n store.Nudge) (*nudge.Definition, error) {
	if n.LiveRevision == 0 {
		return nil, nil
	}
	r, err := s.app.Revision(c.Request().Context(), n.ShopID, n.ID, n.LiveRevision)
	return &r.Definition, err
}

func (s *server) boardRow(h *here, i int, n store.Nudge, live *nudge.Definition, numbers store.Numbers, found []checks.Finding, cat *catalog.Catalog, regions []catalog.Region) boardRow {
	d := &n.Draft
	if live != nil {
		d = live
	}
	r := boardRow{
		ID: n.ID, Name: d.Name, Number: i + 1, Numbers: numbers, Dirty: n.Dirty && live != nil, Published: live != nil,
		Live: n.State == store.StateLive, Paused: n.State == store.StatePaused,
		Phase: app.Phase(n, live, s.app.Now()), Where: placementList(d.Placements), Regions: regionList(d.Audience.Regions, regions),
	}
	r.Sentence = d.Say(nudge.Voice{Region: firstRegion(d, regions), Locale: h.shop.Locale, Label: cat.Label})
	r.When = when(h, n, d, r.Phase, s.app.Now())
	for _, f := range found {
		if f.Severity == checks.Stop {
			r.Stops++
		} else {
			r.Doubts++
		}
	}
	return r
}

func when(h *here, n store.Nudge, d *nudge.Definition, phase string, now time.Time) string {
	out := phase
	switch phase {
	case "scheduled":
		out += ", " + h.day(*d.Schedule.From)
	case "draft":
		return "draft, changed " + h.day(n.ChangedAt)
	default:
		out += ", since " + h.day(n.StateSince)
	}
	if u := d.Schedule.Until; u != nil && u.After(now) {
		out += ", until " + h.day(*u)
	}
	return out
}

func firstRegion(d *nudge.Definition, regions []catalog.Region) catalog.Region {
	for _, r := range regions {
		for _, id := range d.Audience.Regions {
			if r.ID == id {
				return r
			}
		}
	}
	return regions[0]
}

func placementList(ps []nudge.Placement) string {
	names := make([]string, len(ps))
	for i, p := range ps {
		names[i] = checks.PlacementName(p)
	}
	return orElse(list(names), "nowhere yet")
}

func regionList(ids []string, regions []catalog.Region) string {
	var names []string
	for _, r := range regions {
		for _, id := range ids {
			if r.ID == id {
				names = append(names, r.Name)
			}
		}
	}
	return orElse(list(names), "everywhere")
}

// list joins words as a sentence does: "home, EU and UK".
func list(words []string) string {
	switch n := len(words); n {
	case 0:
		return ""
	case 1:
		return words[0]
	default:
		s := words[0]
		for _, w := range words[1 : n-1] {
			s += ", " + w
		}
		return s + " and " + words[n-1]
	}
}

func orElse(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

func (s *server) starts(c *echo.Context) error {
	return s.render(c, http.StatusOK, "starts", page{Title: "Start a nudge", Place: "nudges", Data: boardView{Starts: nudge.Starts()}})
}

// start makes a draft from a starting point and opens it.
func (s *server) start(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	for _, st := range nudge.Starts() {
		if st.ID != c.FormValue("start") {
			continue
		}
		n, err := s.app.Create(ctx, h.shop.ID, h.account.Name, st.Build(snap.Regions()))
		if err != nil {
			return s.fail(c, err)
		}
		return c.Redirect(http.StatusSeeOther, h.url("/nudges/"+n.ID))
	}
	return s.oops(c, http.StatusUnprocessableEntity, "There is no such starting point.")
}

func (s *server) reorder(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return s.fail(c, err)
	}
	if err := s.app.Reorder(c.Request().Context(), at(c).shop.ID, form["id"]); err != nil {
		return s.fail(c, err)
	}
	return c.NoContent(http.StatusNoContent)
}

// setState pauses, ends or resumes, and goes back to where one was.
func (s *server) setState(c *echo.Context) error {
	h := at(c)
	if _, err := s.app.SetState(c.Request().Context(), h.shop.ID, c.Param("nudge"), h.account.Name, store.State(c.FormValue("to"))); err != nil {
		return s.fail(c, err)
	}
	return s.back(c)
}

func (s *server) back(c *echo.Context) error {
	h := at(c)
	if c.FormValue("back") == "bench" {
		return c.Redirect(http.StatusSeeOther, h.url("/nudges/"+c.Param("nudge")))
	}
	return c.Redirect(http.StatusSeeOther, h.url("/nudges"))
}

func (s *server) copy(c *echo.Context) error {
	h := at(c)
	n, err := s.app.Copy(c.Request().Context(), h.shop.ID, c.Param("nudge"), h.account.Name)
	if err != nil {
		return s.fail(c, err)
	}
	return c.Redirect(http.StatusSeeOther, h.url("/nudges/"+n.ID))
}

func (s *server) deleteDraft(c *echo.Context) error {
	h := at(c)
	gone, err := s.app.DeleteDraft(c.Request().Context(), h.shop.ID, c.Param("nudge"), h.account.Name)
	if err != nil {
		return s.fail(c, err)
	}
	if gone {
		return c.Redirect(http.StatusSeeOther, h.url("/nudges"))
	}
	return s.back(c)
}

type revisionsView struct {
	ID, Name  string
	Live      int
	Revisions []revisionRow
	A, B      string // what is compared
	Diff      []diffLine
	CanEdit   bool
}

type revisionRow struct {
	Number   int
	When, By string
	Sentence string
	Compared bool
}

func (s *server) revisions(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	n, err := s.app.Nudge(ctx, h.shop.ID, c.Param("nudge"))
	if err != nil {
		return s.fail(c, err)
	}
	rs, err := s.app.Revisions(ctx, h.shop.ID, n.ID)
	if err != nil {
		return s.fail(c, err)
	}
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	v := revisionsView{ID: n.ID, Name: n.Draft.Name, Live: n.LiveRevision}
	with := c.QueryParam("with")
	for _, r := range rs {
		compared := with == fmt.Sprint(r.Number) || with == "" && r.Number == n.LiveRevision
		v.Revisions = append(v.Revisions, revisionRow{r.Number, h.day(r.PublishedAt), r.PublishedBy, r.Definition.Say(nudge.Voice{Region: firstRegion(&r.Definition, snap.Regions()), Locale: h.shop.Locale, Label: snap.Catalog().Label}), compared})
		if compared {
			v.A, v.B = fmt.Sprintf("revision %d", r.Number), "the draft"
			v.Diff = compareDefinitions(r.Definition, n.Draft)
		}
	}
	return s.render(c, http.StatusOK, "revisions", page{Title: "Revisions of " + n.Draft.Name, Place: "nudges", Data: v})
}

func (s *server) restore(c *echo.Context) error {
	h := at(c)
	var number int
	if _, err := fmt.Sscan(c.FormValue("number"), &number); err != nil {
		return s.oops(c, http.StatusUnprocessableEntity, "Choose which revision to bring back.")
	}
	if _, err := s.app.Restore(c.Request().Context(), h.shop.ID, c.Param("nudge"), h.account.Name, number); err != nil {
		return s.fail(c, err)
	}
	return c.Redirect(http.StatusSeeOther, h.url("/nudges/"+c.Param("nudge")))
}
