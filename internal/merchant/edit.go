package merchant

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
)

// fieldErrors is what is wrong with a panel, by field.
type fieldErrors map[string]string

func (e fieldErrors) Error() string {
	for k, v := range e {
		return k + ": " + v
	}
	return "nothing"
}

// editing is one change of a draft, as a panel sends it.
type editing struct {
	reading
	drawer  drawer
	regions []catalog.Region
	rung    int
	say     string // what was changed besides what was asked for
	focus   string // the part that the change made
	open    string // the panel that the change opens
}

// edits are the changes that can be made, by the name a form sends.
var edits = map[string]func(*editing, *nudge.Definition) error{
	"panel":          (*editing).panel,
	"add-rung":       (*editing).addRung,
	"drop-rung":      (*editing).dropRung,
	"add-slot":       (*editing).addSlot,
	"drop-slot":      (*editing).dropSlot,
	"add-reward":     (*editing).addReward,
	"drop-reward":    (*editing).dropReward,
	"add-condition":  (*editing).addCondition,
	"drop-condition": (*editing).dropCondition,
	"move-moment":    (*editing).moveMoment,
	"wording":        (*editing).wording,
}

// edit changes the draft and answers with the workbench as it is then; a change
// that cannot be made is shown where it was typed.
func (s *server) edit(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	form, err := c.FormValues()
	if err != nil {
		return s.oops(c, http.StatusBadRequest, "The form could not be read; load the page again.")
	}
	do, known := edits[form.Get("do")]
	if !known {
		return s.oops(c, http.StatusUnprocessableEntity, "There is no such change.")
	}
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	e := &editing{reading: reading{form, h.shop.Locale, h.zone, h.now, fieldErrors{}}, regions: snap.Regions(), rung: atoi(form.Get("rung"))}
	n, err := s.app.EditDraft(ctx, h.shop.ID, c.Param("nudge"), h.account.Name, atoi(form.Get("version")), func(d *nudge.Definition) error {
		if e.rung < 0 || e.rung >= max(len(d.Ladder.Rungs), len(d.Ladder.Slots)) {
			return app.Problem{Field: "rung", Say: "This rung is not there any more; look at the sentence as it is now."}
		}
		e.drawer = drawerFor(h, d, snap)
		return do(e, d)
	})
	if err != nil {
		return s.refuseEdit(c, form, err)
	}
	if !isHTMX(c) {
		if e.say != "" {
			s.tell(c, flash{Say: e.say, Tone: "open"})
		}
		return c.Redirect(http.StatusSeeOther, h.url("/nudges/"+n.ID)+keptView(c))
	}
	v, err := s.benchView(c, &n)
	if err != nil {
		return s.fail(c, err)
	}
	v.Open = e.open
	events := map[string]any{}
	if e.say != "" {
		events["agonal:say"] = map[string]string{"value": e.say}
	}
	if e.focus != "" {
		events["agonal:focus"] = map[string]string{"value": e.focus}
	}
	if b, err := json.Marshal(events); err == nil && len(events) > 0 {
		c.Response().Header().Set("HX-Trigger-After-Settle", string(b))
	}
	return s.renderPart(c, http.StatusOK, "bench", "bench-changed", page{Data: v})
}

// refuseEdit shows the panel again with what was typed and what is wrong, on the
// draft as it is now.
func (s *server) refuseEdit(c *echo.Context, form url.Values, err error) error {
	v, viewErr := s.benchView(c, nil)
	if viewErr != nil {
		return s.fail(c, viewErr)
	}
	status := http.StatusUnprocessableEntity
	var fields fieldErrors
	var field nudge.FieldError
	var said app.Problem
	conflict, moved := asConflict(err)
	switch {
	case moved:
		status = http.StatusConflict
		v.Conflict = "Not saved: " + changedBy(at(c), conflict) + " Around it you see the draft as it is now; what you typed is still here. Save again if it still fits."
	case errors.As(err, &fields):
		v.Err = fields
	case errors.As(err, &field):
		v.Err = map[string]string{"": upperFirst(field.Why) + "."}
	case errors.As(err, &said):
		v.Err = map[string]string{"": said.Say}
	default:
		return s.fail(c, err)
	}
	if v.Open = form.Get("panel"); v.Panels[v.Open] == nil && !strings.HasPrefix(v.Open, "say-") {
		v.Open = "" // what is wrong is said above everything
	}
	v.retype(form)
	name := "layout"
	if isHTMX(c) {
		name = "bench-changed"
	}
	return s.renderPart(c, status, "bench", name, page{Title: v.D.Name, Place: "nudges", Data: v})
}

// retype puts what was typed into the panel it was typed in.
func (v *benchView) retype(form url.Values) {
	if p := v.Panels[v.Open]; p != nil && form.Get("do") == "panel" {
		p.retype(form, v.Err)
	}
	if form.Get("do") != "wording" {
		return
	}
	for i := range v.States {
		if v.States[i].Panel == v.Open {
			v.States[i].Text, v.States[i].Error = form.Get("text"), v.Err["text"]
			for k := range v.States[i].Forms {
				x := &v.States[i].Forms[k]
				x.Text, x.Error = form.Get(x.Field), v.Err[x.Field]
			}
		}
	}
}

// panel reads a panel into the part of the definition it stands for.
func (e *editing) panel(d *nudge.Definition) error {
	p := e.drawer.panel(e.form.Get("panel"), d)
	if p == nil {
		return fieldErrors{"": "This part is not there any more; look at the sentence as it is now."}
	}
	return p.read(e)
}

// addRung puts a rung after the last: half as much again, with the same reward,
// for the merchant to change.
func (e *editing) addRung(d *nudge.Definition) error {
	if len(d.Ladder.Rungs) >= nudge.MostRungs {
		return fieldErrors{"": fmt.Sprintf("A ladder has at most %d rungs; three read well.", nudge.MostRungs)}
	}
	last := d.Ladder.Rungs[len(d.Ladder.Rungs)-1]
	next := nudge.Rung{Thresholds: nudge.Amounts{}, Rewards: append([]nudge.Reward{}, last.Rewards...)}
	for id, a := range last.Thresholds {
		next.Thresholds[id] = money.Amount{Minor: a.Minor + max(a.Minor/2, 1), Currency: a.Currency}
	}
	next.Basis = last.Basis
	if last.Count > 0 {
		next.Count = last.Count + max(last.Count/2, 1)
	}
	d.Ladder.Rungs = append(d.Ladder.Rungs, next)
	e.focus = "goal-" + itoa(len(d.Ladder.Rungs)-1)
	return nil
}

func (e *editing) dropRung(d *nudge.Definition) error {
	if len(d.Ladder.Rungs) == 1 {
		return fieldErrors{"": "A nudge needs at least one rung."}
	}
	if e.rung >= len(d.Ladder.Rungs) {
		return fieldErrors{"": "This rung is not there any more; look at the sentence as it is now."}
	}
	d.Ladder.Rungs = append(d.Ladder.Rungs[:e.rung], d.Ladder.Rungs[e.rung+1:]...)
	e.focus = "goal-" + itoa(max(0, e.rung-1))
	return nil
}

// addSlot puts one more slot, that may stay empty, beside the others of a set.
func (e *editing) addSlot(d *nudge.Definition) error {
	if len(d.Ladder.Slots) == 0 || len(d.Ladder.Slots) >= nudge.MostSlots {
		return fieldErrors{"": fmt.Sprintf("A set that is put together has at most %d slots.", nudge.MostSlots)}
	}
	d.Ladder.Slots = append(slices.Clone(d.Ladder.Slots), nudge.Slot{Most: 1})
	e.open = "slot-" + itoa(len(d.Ladder.Slots)-1)
	return nil
}

func (e *editing) dropSlot(d *nudge.Definition) error {
	i := atoi(e.form.Get("rung"))
	if len(d.Ladder.Slots) < 2 || i >= len(d.Ladder.Slots) {
		return fieldErrors{"": "A set that is put together needs at least one slot."}
	}
	d.Ladder.Slots = slices.Delete(slices.Clone(d.Ladder.Slots), i, i+1)
	e.focus = "slot-" + itoa(max(0, i-1))
	return nil
}

// addReward gives something more with a rung, of a kind that it does not give yet.
func (e *editing) addReward(d *nudge.Definition) error {
	r := &d.Ladder.Rungs[e.rung]
	for _, fresh := range []nudge.Reward{{Kind: nudge.FreeShipping}, {Kind: nudge.OrderAmount, Amounts: nudge.SuggestAmounts(e.drawer.regions, 5)}, {Kind: nudge.Gift, Items: e.drawer.anyGoods()}} {
		if slices.ContainsFunc(r.Rewards, func(w nudge.Reward) bool { return w.Kind.Class() == fresh.Kind.Class() }) {
			continue
		}
		r.Rewards = append(slices.Clone(r.Rewards), fresh)
		e.fitGoal(&d.Ladder, e.rung)
		e.fitBasis(&d.Ladder, e.rung)
		e.open = fmt.Sprintf("reward-%d-%d", e.rung, len(r.Rewards)-1)
		return nil
	}
	return fieldErrors{"": "This rung gives of every kind already; change one of its rewards."}
}

func (e *editing) dropReward(d *nudge.Definition) error {
	r, j := &d.Ladder.Rungs[e.rung], atoi(e.form.Get("reward"))
	switch {
	case len(r.Rewards) == 1:
		return fieldErrors{"": "A rung gives at least one thing; remove the rung, or change what it gives."}
	case j < 0 || j >= len(r.Rewards):
		return fieldErrors{"": "This reward is not there any more; look at the sentence as it is now."}
	}
	r.Rewards = slices.Delete(slices.Clone(r.Rewards), j, j+1)
	e.fitGoal(&d.Ladder, e.rung)
	e.fitBasis(&d.Ladder, e.rung)
	e.focus = fmt.Sprintf("reward-%d-0", e.rung)
	return nil
}

// momentOf reads a day and time of the shop; wrong says what is not right with it.
func momentOf(text string, zone *time.Location, now time.Time) (t time.Time, wrong string) {
	t, err := time.ParseInLocation(dateField, text, zone)
	switch {
	case err != nil:
		return t, "Write a day and time, such as 27.11.2026 09:00."
	case t.Format(dateField) != text:
		return t, fmt.Sprintf("Clocks go forward that night: there is no %s on %s. Choose %s or later.", text[len(text)-5:], t.Format("2 Jan 2006"), t.Format("15:04"))
	case t.Year() < now.Year()-1 || t.Year() > now.Year()+10:
		return t, fmt.Sprintf("The year %d is too far away; choose one from %d to %d.", t.Year(), now.Year()-1, now.Year()+10)
	}
	return t, ""
}

func (e *editing) wording(d *nudge.Definition) error {
	lang, st := e.form.Get("language"), nudge.State(e.form.Get("state"))
	w := d.WordsOf(atoi(e.form.Get("of")))
	wrong := fieldErrors{}
	e.sentence(w, lang, st, "text", wrong)
	for _, f := range nudge.FormsOf(lang) {
		if field := "text." + string(f); e.form.Has(field) {
			e.sentence(w, lang, st.With(f), field, wrong)
		}
	}
	if len(wrong) > 0 {
		return wrong
	}
	return nil
}

// sentence reads what is said in a language and state; what is wrong with it stands in wrong.
func (e *editing) sentence(w *nudge.Wording, lang string, st nudge.State, field string, wrong fieldErrors) {
	if e.form.Get(field) == (*w)[lang][st] {
		return
	}
	text := strings.Join(strings.Fields(e.form.Get(field)), " ")
	if _, err := nudge.ParseSentence(text); err != nil {
		wrong[field] = upperFirst(err.Error()) + "."
		return
	}
	if *w == nil {
		*w = nudge.Wording{}
	}
	if (*w)[lang] == nil {
		(*w)[lang] = map[nudge.State]string{}
	}
	if text == "" {
		delete((*w)[lang], st)
	} else {
		(*w)[lang][st] = text
	}
	if len((*w)[lang]) == 0 {
		delete(*w, lang)
	}
}

func asConflict(err error) (app.Conflict, bool) {
	var c app.Conflict
	return c, errors.As(err, &c)
}

func asBlocked(err error, b *app.Blocked) bool { return errors.As(err, b) }

// atoi reads a whole number; what is none counts as -1 and is refused later.
func atoi(s string) int {
	if s == "" {
		return 0
	}
	n, err := strconv.Atoi(s)
	if err != nil {
		return -1
	}
	return n
}

func itoa(n int) string { return strconv.Itoa(n) }
