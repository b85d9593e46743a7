package merchant

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/sync/errgroup"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

type boardView struct {
	Rows   []boardRow
	Starts []startGroup
	Shop   string // where the shop's pages are served
	Away   int    // nudges that were put away
	All    bool   // whether they are listed
	Filter filterView
	Ready  bool // whether the shop has a region, so that a nudge can be begun
}

type boardRow struct {
	ID, Name, Sentence, Phase, When, Where, Regions string
	State                                           store.State
	Number                                          int
	Dirty, Published, Live, Paused, Ended, PutAway  bool
	Numbers                                         store.Numbers
	Stops, Doubts                                   int
}

// periodDays is how far back the board counts.
const periodDays = 30

// countsHold is how long the board's counts are good for: it is drawn anew after every act,
// and they reach back a month.
const countsHold = 2 * time.Second

// counts are the board's counts of the shops that were just looked at.
type counts struct {
	mu   sync.Mutex
	shop map[string]countedAt
}

type countedAt struct {
	at      time.Time
	numbers map[string]store.Numbers
}

// of gives the counts of a shop, counted anew where they are older than they hold.
func (k *counts) of(shop string, count func() (map[string]store.Numbers, error)) (map[string]store.Numbers, error) {
	k.mu.Lock()
	had := k.shop[shop]
	k.mu.Unlock()
	if time.Since(had.at) < countsHold {
		return had.numbers, nil
	}
	began := time.Now()
	numbers, err := count()
	if err != nil {
		return nil, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.shop == nil || len(k.shop) > 1000 {
		k.shop = map[string]countedAt{}
	}
	k.shop[shop] = countedAt{began, numbers}
	return numbers, nil
}

func (s *server) board(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	s.sessions.Put(ctx, "shop", h.shop.ID)
	var numbers map[string]store.Numbers
	var counting errgroup.Group // beside what follows
	counting.Go(func() (err error) {
		numbers, err = s.counted.of(h.shop.ID, func() (map[string]store.Numbers, error) {
			return s.app.Store.Numbers(ctx, h.shop.ID, s.app.Now().AddDate(0, 0, -periodDays))
		})
		return err
	})
	ns, err := s.app.Nudges(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	inForce, err := s.app.Store.LastInForce(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	check := s.app.CheckerAmong(snap, store.LiveAmong(ns, inForce))
	v := boardView{Starts: startGroups(), All: c.QueryParam("away") == "yes", Ready: len(snap.Regions()) > 0}
	if h.shop.ID == s.cfg.DemoShop {
		v.Shop = s.cfg.Storefront
	}
	for i, n := range ns {
		if n.PutAway {
			if v.Away++; !v.All {
				continue
			}
		}
		var live *nudge.Definition
		if r, ok := inForce[n.ID]; ok {
			live = &r.Definition
		}
		v.Rows = append(v.Rows, s.boardRow(h, i, n, live, append(check(n.ID, n.Draft), stillOld(&n)...), snap.Catalog(), snap.Regions()))
	}
	if err := counting.Wait(); err != nil {
		return s.fail(c, err)
	}
	for i := range v.Rows {
		v.Rows[i].Numbers = numbers[v.Rows[i].ID]
	}
	v.filter(c.QueryParam("q"), c.QueryParam("phase"))
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

func (s *server) boardRow(h *here, i int, n store.Nudge, live *nudge.Definition, found []checks.Finding, cat *catalog.Catalog, regions []catalog.Region) boardRow {
	d := &n.Draft
	if live != nil {
		d = live
	}
	r := boardRow{
		ID: n.ID, Name: d.Name, Number: i + 1, Dirty: n.Dirty && live != nil, Published: live != nil,
		State: n.State, Live: n.State == store.StateLive, Paused: n.State == store.StatePaused, Ended: n.State == store.StateEnded, PutAway: n.PutAway,
		Phase: app.Phase(n, live, s.app.Now()), Where: placementList(d.Placements), Regions: regionList(d.Audience.Regions, regions),
	}
	r.Sentence = d.Say(nudge.Voice{Region: d.FirstRegion(regions), Locale: h.shop.Locale, Label: cat.Label})
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
	snap, err := s.app.Snapshots.Get(c.Request().Context(), at(c).shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	return s.render(c, http.StatusOK, "starts", page{Title: "Start a nudge", Place: "nudges", Data: boardView{Starts: startGroups(), Ready: len(snap.Regions()) > 0}})
}

// startGroup is an intention with its starting points.
type startGroup struct {
	Name   string
	Starts []nudge.Start
}

func startGroups() (out []startGroup) {
	for _, s := range nudge.Starts() {
		if len(out) == 0 || out[len(out)-1].Name != s.Group {
			out = append(out, startGroup{Name: s.Group})
		}
		g := &out[len(out)-1]
		g.Starts = append(g.Starts, s)
	}
	return out
}

// start makes a draft from a starting point and opens it.
func (s *server) start(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	if len(snap.Regions()) == 0 {
		s.tell(c, flash{Say: "A nudge needs a region first: somewhere the shop delivers, with a currency.", Tone: "open", Link: h.url("/shop/regions/new"), Go: "Set up a region"})
		return goTo(c, h.url("/nudges/start"))
	}
	for _, st := range nudge.Starts() {
		if st.ID != c.FormValue("start") {
			continue
		}
		d := st.Build(snap.Regions(), snap.Catalog())
		if d.Valid() != nil {
			s.tell(c, flash{Say: "This needs goods of yours to begin with: bring your catalogue in first.", Tone: "open", Link: h.url("/shop/import"), Go: "Import a catalogue"})
			return goTo(c, h.url("/nudges/start"))
		}
		n, err := s.app.Create(ctx, h.shop.ID, h.account.Name, d)
		if err != nil {
			return s.fail(c, err)
		}
		return goTo(c, h.url("/nudges/"+n.ID))
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

// setState pauses, ends or resumes, and goes back to where one was. The flash
// takes it back.
func (s *server) setState(c *echo.Context) error {
	h := at(c)
	id, was, to := c.Param("nudge"), store.State(c.FormValue("was")), store.State(c.FormValue("to"))
	n, err := s.app.SetState(c.Request().Context(), h.shop.ID, id, h.account.Name, was, to)
	var said app.Problem
	var blocked app.Blocked
	switch {
	case errors.As(err, &said):
		s.tell(c, flash{Say: said.Say, Tone: "loss"})
	case asBlocked(err, &blocked):
		s.tell(c, flash{Say: fmt.Sprintf("“%s” was not resumed: %s", n.Draft.Name, blocked.Error()), Tone: "loss", Link: h.url("/nudges/"+id) + "#checks", Go: "Open it"})
	case err != nil:
		return s.fail(c, err)
	default:
		f := flash{Say: fmt.Sprintf("“%s” is %s now.", n.Draft.Name, n.State), Tone: "earned"}
		if was != "" && was != to {
			f.Undo = &undo{Action: h.url("/nudges/" + id + "/state"), Fields: map[string]string{"was": string(to), "to": string(was), "back": c.FormValue("back")}}
		}
		s.tell(c, f)
	}
	return s.back(c)
}

// putAway takes an ended nudge off the board, or puts it back.
func (s *server) putAway(c *echo.Context) error {
	h := at(c)
	id, away := c.Param("nudge"), c.FormValue("away") == "yes"
	n, err := s.app.PutAway(c.Request().Context(), h.shop.ID, id, away)
	var said app.Problem
	switch {
	case errors.As(err, &said):
		s.tell(c, flash{Say: said.Say, Tone: "loss"})
	case err != nil:
		return s.fail(c, err)
	case away:
		s.tell(c, flash{Say: fmt.Sprintf("“%s” is put away.", n.Draft.Name), Tone: "earned", Undo: &undo{Action: h.url("/nudges/" + id + "/away"), Fields: map[string]string{"away": "no"}}})
	default:
		s.tell(c, flash{Say: fmt.Sprintf("“%s” is back on the board.", n.Draft.Name), Tone: "earned"})
	}
	return s.back(c)
}

func (s *server) back(c *echo.Context) error {
	h := at(c)
	if c.FormValue("back") == "bench" {
		return goTo(c, h.url("/nudges/"+c.Param("nudge")))
	}
	return goTo(c, h.url("/nudges"))
}

func (s *server) copy(c *echo.Context) error {
	h := at(c)
	n, err := s.app.Copy(c.Request().Context(), h.shop.ID, c.Param("nudge"), h.account.Name)
	if err != nil {
		return s.fail(c, err)
	}
	return s.done(c, h.url("/nudges/"+n.ID), fmt.Sprintf("This is a copy; rename it and change what differs. Nothing of “%s” changes.", strings.TrimSuffix(n.Draft.Name, " (copy)")))
}

// deleteDraft deletes a draft, or throws the changes of one away; the flash takes
// either back.
func (s *server) deleteDraft(c *echo.Context) error {
	h := at(c)
	id := c.Param("nudge")
	n, gone, err := s.app.DeleteDraft(c.Request().Context(), h.shop.ID, id, h.account.Name)
	if err != nil {
		return s.fail(c, err)
	}
	f := flash{Say: fmt.Sprintf("The draft “%s” is deleted.", n.Draft.Name), Tone: "earned", Undo: &undo{Action: h.url("/nudges/" + id + "/undelete"), Fields: map[string]string{"version": itoa(n.DraftVersion)}}}
	if !gone {
		f.Say = fmt.Sprintf("The changes of the draft are gone; it is revision %d again.", n.LiveRevision)
	}
	s.tell(c, f)
	if gone {
		return goTo(c, h.url("/nudges"))
	}
	return s.back(c)
}

func (s *server) undelete(c *echo.Context) error {
	h := at(c)
	n, err := s.app.Undelete(c.Request().Context(), h.shop.ID, c.Param("nudge"), h.account.Name, atoi(c.FormValue("version")))
	if conflict, moved := asConflict(err); moved {
		s.tell(c, flash{Say: "Not taken back: " + changedBy(h, conflict), Tone: "loss"})
		return goTo(c, h.url("/nudges/"+c.Param("nudge")))
	}
	if err != nil {
		return s.fail(c, err)
	}
	return s.done(c, h.url("/nudges/"+n.ID), "It is back as it was.")
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
		v.Revisions = append(v.Revisions, revisionRow{r.Number, h.day(r.PublishedAt), r.PublishedBy, r.Definition.Say(nudge.Voice{Region: r.Definition.FirstRegion(snap.Regions()), Locale: h.shop.Locale, Label: snap.Catalog().Label}), compared})
		if compared {
			v.A, v.B = fmt.Sprintf("revision %d", r.Number), "the draft"
			v.Diff = compareDefinitions(r.Definition, n.Draft, teller{snap.Regions(), snap.Catalog().Label, h})
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
	return s.done(c, h.url("/nudges/"+c.Param("nudge")), fmt.Sprintf("Revision %d is the draft now; publish it to put it in force.", number))
}
