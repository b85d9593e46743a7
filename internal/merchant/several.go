package merchant

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

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
