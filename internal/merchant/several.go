package merchant

import (
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// filterView is what of the board is shown.
type filterView struct {
	Text   string
	Phases []choiceView
	On     bool // whether it leaves something out
	Shown  bool // whether there is so much that one would look for something
}

// fewNudges are so few that nobody looks for one among them.
const fewNudges = 5

// phases are the phases of a nudge, in the order of its life.
var phases = []choiceView{
	{Value: "", Name: "in any state"}, {Value: "draft", Name: "draft"}, {Value: "scheduled", Name: "scheduled"}, {Value: "live", Name: "live"},
	{Value: "paused", Name: "paused"}, {Value: "ended", Name: "ended"}, {Value: "differs", Name: "with a draft that differs"}, {Value: "looks", Name: "with something to look at"},
}

// filter leaves the rows that are looked for.
func (v *boardView) filter(text, phase string) {
	f := &v.Filter
	f.Text, f.Shown = strings.TrimSpace(text), len(v.Rows) > fewNudges
	for _, p := range phases {
		p.On = p.Value == phase
		f.Phases = append(f.Phases, p)
	}
	words := strings.Fields(strings.ToLower(f.Text))
	if f.On = len(words) > 0 || phase != ""; !f.On {
		return
	}
	v.Rows = slices.DeleteFunc(v.Rows, func(r boardRow) bool {
		in := strings.ToLower(strings.Join([]string{r.Name, r.ID, r.Sentence, r.Where, r.Regions}, " "))
		if slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(in, w) }) {
			return true
		}
		switch phase {
		case "":
			return false
		case "differs":
			return !r.Dirty
		case "looks":
			return r.Stops+r.Doubts == 0
		}
		return r.Phase != phase
	})
}

// several pauses, resumes or ends several nudges; the flash takes back what was done.
func (s *server) several(c *echo.Context) error {
	h := at(c)
	form, err := c.FormValues()
	if err != nil {
		return s.fail(c, err)
	}
	moves := form["move"] // id:was:to, of what is taken back
	to := store.State(form.Get("to"))
	if to == scheduled || form.Has("plan") {
		return s.scheduleSeveral(c, form)
	}
	for _, id := range unique(form["id"]) {
		moves = append(moves, id+"::"+string(to))
	}
	if len(moves) == 0 {
		s.tell(c, flash{Say: "Tick the nudges first that this is about.", Tone: "open"})
		return goTo(c, h.url("/nudges"))
	}
	var done, back, not []string
	for _, m := range moves[:min(len(moves), 1000)] {
		f := append(strings.SplitN(m, ":", 3), "", "")
		id, to := f[0], store.State(f[2])
		n, err := s.app.Nudge(c.Request().Context(), h.shop.ID, id)
		was := store.State(orElse(f[1], string(n.State)))
		if err == nil && n.State == to {
			continue
		}
		if err == nil {
			n, err = s.app.SetState(c.Request().Context(), h.shop.ID, id, h.account.Name, was, to)
		}
		var said app.Problem
		var blocked app.Blocked
		switch {
		case errors.Is(err, app.ErrNotFound):
			not = append(not, "One of them is not here any more.")
		case errors.As(err, &said):
			not = append(not, "“"+n.Draft.Name+"”: "+said.Say)
		case asBlocked(err, &blocked):
			not = append(not, "“"+n.Draft.Name+"”: "+blocked.Error())
		case err != nil:
			return s.fail(c, err)
		default:
			done, back = append(done, n.Draft.Name), append(back, id+":"+string(to)+":"+string(was))
		}
	}
	f := flash{Tone: "earned", Say: severalSay(done, to, form.Has("move"))}
	if len(not) > 0 {
		f.Tone, f.Say = "loss", strings.TrimSpace(f.Say+" "+strings.Join(not, " "))
	}
	if len(back) > 0 && !form.Has("move") {
		f.Undo = &undo{Action: h.url("/nudges/several"), Several: map[string][]string{"move": back}}
	}
	s.tell(c, f)
	return goTo(c, h.url("/nudges"))
}

// scheduled is what several nudges are to be, besides the states there are.
const scheduled = "scheduled"

// scheduleSeveral gives several nudges a beginning and an end. What is in force without other
// changes in its draft is published with them; of the others only the draft changes.
func (s *server) scheduleSeveral(c *echo.Context, form url.Values) error {
	ctx, h := c.Request().Context(), at(c)
	zone, now := h.zone, s.app.Now()
	plans := map[string]nudge.Schedule{}
	ids := unique(form["id"])
	if form.Has("plan") { // id|from|until, of what is taken back
		for _, text := range form["plan"] {
			f := append(strings.SplitN(text, "|", 3), "", "")
			plan := nudge.Schedule{From: instant(f[1]), Until: instant(f[2])}
			ids, plans[f[0]] = append(ids, f[0]), plan
		}
	} else {
		var plan nudge.Schedule
		for _, end := range []struct {
			field string
			into  **time.Time
		}{{"from", &plan.From}, {"until", &plan.Until}} {
			if text := strings.TrimSpace(form.Get(end.field)); text != "" {
				t, wrong := momentOf(text, zone, now)
				if wrong != "" {
					s.tell(c, flash{Say: wrong, Tone: "loss"})
					return goTo(c, h.url("/nudges"))
				}
				t = t.UTC()
				*end.into = &t
			}
		}
		for _, id := range ids {
			plans[id] = plan
		}
	}
	if len(ids) == 0 {
		s.tell(c, flash{Say: "Tick the nudges first that this is about.", Tone: "open"})
		return goTo(c, h.url("/nudges"))
	}
	var done, drafts, back, not []string
	for _, id := range ids[:min(len(ids), 1000)] {
		n, err := s.app.Nudge(ctx, h.shop.ID, id)
		if errors.Is(err, app.ErrNotFound) {
			not = append(not, "One of them is not here any more.")
			continue
		} else if err != nil {
			return s.fail(c, err)
		}
		was, clean := n.Draft.Schedule, n.LiveRevision > 0 && !n.Dirty
		if n, err = s.app.EditDraft(ctx, h.shop.ID, id, h.account.Name, n.DraftVersion, func(d *nudge.Definition) error {
			d.Schedule = plans[id]
			return nil
		}); err == nil && clean && n.Dirty {
			n, err = s.app.Publish(ctx, h.shop.ID, id, h.account.Name, n.DraftVersion)
		}
		var blocked app.Blocked
		switch {
		case asBlocked(err, &blocked):
			not = append(not, "“"+n.Draft.Name+"”: "+blocked.Error())
			continue
		case err != nil:
			not = append(not, "“"+n.Draft.Name+"”: "+upperFirst(err.Error())+".")
			continue
		case clean:
			done = append(done, n.Draft.Name)
		default:
			drafts = append(drafts, n.Draft.Name)
		}
		back = append(back, id+"|"+instantText(was.From)+"|"+instantText(was.Until))
	}
	say := ""
	if len(done) > 0 {
		say = plural(int64(len(done)), "nudge is", "nudges are") + " in force by the new times. "
	}
	if len(drafts) > 0 {
		say += plural(int64(len(drafts)), "draft has", "drafts have") + " them and wait to be published. "
	}
	f := flash{Tone: "earned", Say: strings.TrimSpace(say)}
	if len(not) > 0 {
		f.Tone, f.Say = "loss", strings.TrimSpace(say+strings.Join(not, " "))
	}
	if len(back) > 0 && !form.Has("plan") {
		f.Undo = &undo{Action: h.url("/nudges/several"), Several: map[string][]string{"plan": back}}
	}
	s.tell(c, f)
	return goTo(c, h.url("/nudges"))
}

// instantText is a moment as an undo keeps it; instant reads it.
func instantText(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.UTC().Format(time.RFC3339)
}

func instant(text string) *time.Time {
	t, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return nil
	}
	return &t
}

func severalSay(names []string, to store.State, again bool) string {
	switch {
	case len(names) == 0:
		return "Nothing was changed."
	case again:
		return fmt.Sprintf("%s as before.", map[bool]string{true: "It is", false: "They are"}[len(names) == 1])
	case len(names) == 1:
		return fmt.Sprintf("“%s” is %s now.", names[0], to)
	}
	return fmt.Sprintf("%d nudges are %s now.", len(names), to)
}
