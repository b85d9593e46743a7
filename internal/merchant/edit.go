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
	form    url.Values
	regions []catalog.Region
	locale  string
	zone    *time.Location
	now     time.Time
	rung    int
	say     string // what was changed besides what was asked for
	focus   string // the part that the change made
}

// edits are the changes a panel can make, by the name it sends.
var edits = map[string]func(*editing, *nudge.Definition) error{
	"name":      (*editing).name,
	"regions":   (*editing).audience,
	"threshold": (*editing).threshold,
	"reward":    (*editing).reward,
	"scope":     (*editing).scope,
	"basis":     (*editing).basis,
	"add-rung":  (*editing).addRung,
	"drop-rung": (*editing).dropRung,
	"places":    (*editing).places,
	"schedule":  (*editing).schedule,
	"code":      (*editing).code,
	"look":      (*editing).look,
	"wording":   (*editing).wording,
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
	e := &editing{form: form, regions: snap.Regions(), locale: h.shop.Locale, zone: h.zone, now: h.now, rung: atoi(form.Get("rung"))}
	n, err := s.app.EditDraft(ctx, h.shop.ID, c.Param("nudge"), h.account.Name, atoi(form.Get("version")), func(d *nudge.Definition) error {
		if e.rung < 0 || e.rung >= len(d.Ladder.Rungs) {
			return app.Problem{Field: "rung", Say: "This rung is not there any more; look at the sentence as it is now."}
		}
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
	v.Open = form.Get("panel")
	v.retype(form)
	name := "layout"
	if isHTMX(c) {
		name = "bench-changed"
	}
	return s.renderPart(c, status, "bench", name, page{Title: v.D.Name, Place: "nudges", Data: v})
}

// retype puts what was typed into the panel it was typed in.
func (v *benchView) retype(form url.Values) {
	tick := func(cs []choiceView, name string) {
		for i := range cs {
			cs[i].On = slices.Contains(form[name], cs[i].Value)
		}
	}
	amounts := func(as []amountView) {
		for i := range as {
			as[i].Value, as[i].Error = form.Get(as[i].Field), v.Err[as[i].Field]
		}
	}
	rung := atoi(form.Get("rung"))
	switch {
	case form.Get("do") == "name":
		v.Name = form.Get("name")
	case form.Get("do") == "regions":
		tick(v.Regions, "regions")
	case form.Get("do") == "threshold" && rung >= 0 && rung < len(v.Rungs):
		amounts(v.Rungs[rung].Thresholds)
		v.Rungs[rung].Count = form.Get("count")
	case form.Get("do") == "reward" && rung >= 0 && rung < len(v.Rungs):
		r := &v.Rungs[rung]
		r.Kind, r.Percent = form.Get("kind"), form.Get("percent")
		amounts(r.Amounts)
		tick(r.Methods, "methods")
	case form.Get("do") == "places":
		tick(v.Placements, "placement")
		tick(v.Pages, "page-kind")
	case form.Get("do") == "schedule":
		v.From, v.To = form.Get("from"), form.Get("until")
	case form.Get("do") == "code":
		v.Code = form.Get("code")
	case form.Get("do") == "wording":
		for i := range v.States {
			if v.States[i].Panel == v.Open {
				v.States[i].Text, v.States[i].Error = form.Get("text"), v.Err["text"]
			}
		}
	}
}

func (e *editing) name(d *nudge.Definition) error {
	name := strings.TrimSpace(e.form.Get("name"))
	if name == "" {
		return fieldErrors{"name": "A name is needed, so that you find it again."}
	}
	if len([]rune(name)) > nudge.MostName {
		return fieldErrors{"name": fmt.Sprintf("At most %d characters.", nudge.MostName)}
	}
	d.Name = name
	return nil
}

// audience sets the regions. None ticked means everywhere.
func (e *editing) audience(d *nudge.Definition) error {
	d.Audience.Regions = nil
	ticked := e.form["regions"]
	if len(ticked) == 0 || len(ticked) == len(e.regions) {
		return nil
	}
	for _, r := range e.regions {
		for _, t := range ticked {
			if t == r.ID {
				d.Audience.Regions = append(d.Audience.Regions, r.ID)
			}
		}
	}
	return nil
}

// typed reads an amount for each region that the form has a field for. Empty
// fields take the amount out where that is allowed.
func (e *editing) typed(prefix string, into nudge.Amounts, emptyOK bool) (nudge.Amounts, fieldErrors) {
	out, errs := nudge.Amounts{}, fieldErrors{}
	for id, a := range into {
		out[id] = a
	}
	for _, r := range e.regions {
		field := prefix + "." + r.ID
		if !e.form.Has(field) {
			continue
		}
		text := e.form.Get(field)
		if strings.TrimSpace(text) == "" && emptyOK {
			delete(out, r.ID)
			continue
		}
		m, err := money.ParseTyped(text, e.locale, r.Currency)
		if err != nil {
			errs[field] = upperFirst(err.Error()) + "."
			continue
		}
		out[r.ID] = money.Amount{Minor: m, Currency: r.Currency}
	}
	return out, errs
}

func (e *editing) threshold(d *nudge.Definition) error {
	if d.Ladder.Counts() != nudge.Value {
		return e.count(d)
	}
	amounts, errs := e.typed("threshold", d.Ladder.Rungs[e.rung].Thresholds, false)
	for id, a := range amounts {
		if a.Minor == 0 && len(d.Ladder.Rungs) > 1 {
			errs["threshold."+id] = "0 means “with every order”; that is for a nudge of one rung."
		}
		for i, r := range d.Ladder.Rungs {
			other, ok := r.Thresholds[id]
			if !ok || !e.form.Has("threshold."+id) {
				continue
			}
			if i < e.rung && a.Minor <= other.Minor {
				errs["threshold."+id] = "Must be more than the rung before it, " + money.Format(other, e.locale) + "."
			}
			if i > e.rung && a.Minor >= other.Minor {
				errs["threshold."+id] = "Must be less than the next rung, " + money.Format(other, e.locale) + "."
			}
		}
	}
	if len(errs) > 0 {
		return errs
	}
	d.Ladder.Rungs[e.rung].Thresholds = amounts
	return nil
}

// count sets the goal of a ladder that counts pieces, products or grams.
func (e *editing) count(d *nudge.Definition) error {
	n, err := strconv.ParseInt(strings.TrimSpace(e.form.Get("count")), 10, 64)
	if err != nil || n < 1 || n > nudge.MostCount {
		return fieldErrors{"count": fmt.Sprintf("Write a whole number from 1 to %d.", nudge.MostCount)}
	}
	for i, r := range d.Ladder.Rungs {
		if i < e.rung && n <= r.Count {
			return fieldErrors{"count": fmt.Sprintf("Must be more than the rung before it, %d.", r.Count)}
		}
		if i > e.rung && n >= r.Count {
			return fieldErrors{"count": fmt.Sprintf("Must be less than the next rung, %d.", r.Count)}
		}
	}
	d.Ladder.Rungs[e.rung].Count = n
	return nil
}

func (e *editing) reward(d *nudge.Definition) error {
	rung := &d.Ladder.Rungs[e.rung]
	r := nudge.Reward{Kind: nudge.Kind(e.form.Get("kind"))}
	if was := rung.Rewards[0]; was.Kind == r.Kind {
		r = was // what this panel does not show stays
	}
	errs := fieldErrors{}
	switch r.Kind {
	case nudge.FreeShipping:
		r.Methods = e.form["methods"]
	case nudge.ShippingOff, nudge.ShippingFlat:
		r.Methods = e.form["methods"]
		r.Amounts, errs = e.typed("amount", r.Amounts, false)
	case nudge.OrderAmount:
		r.Amounts, errs = e.typed("amount", r.Amounts, false)
	case nudge.OrderPercent:
		text := strings.ReplaceAll(strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(e.form.Get("percent")), "%")), ",", ".")
		p, err := money.ParsePercent(strings.TrimSpace(text))
		if err != nil {
			errs["percent"] = upperFirst(err.Error()) + "."
		} else if p == 0 {
			errs["percent"] = "A share of more than 0 is needed."
		}
		r.Percent = &p
	default:
		return fieldErrors{"kind": "Choose what is given."}
	}
	if len(errs) > 0 {
		return errs
	}
	rung.Rewards = []nudge.Reward{r}
	e.fitBasis(&d.Ladder, e.rung)
	return nil
}

// fitBasis makes a rung count at a point that its own reward does not change, and
// says so where that is another than the ladder's.
func (e *editing) fitBasis(l *nudge.Ladder, i int) {
	r := &l.Rungs[i]
	if r.Rewards[0].Kind.Class() != nudge.OrderClass {
		r.Basis = ""
		return
	}
	if l.BasisOf(r) != nudge.AfterOrder {
		return
	}
	r.Basis = nudge.AfterUnit
	e.say = fmt.Sprintf("Rung %d now counts %s: money off the order cannot be earned by what is left after it.", i+1, valueCounted(nudge.AfterUnit))
}

func (e *editing) scope(d *nudge.Definition) error {
	in, out := d.Ladder.Scope.Include, d.Ladder.Scope.Exclude
	in.Collections, in.Products = unique(e.form["in"]), unique(e.form["in-product"])
	out.Collections, out.Products, out.Tags = unique(e.form["out"]), unique(e.form["out-product"]), unique(e.form["out-tag"])
	for _, names := range [][2][]string{{in.Collections, out.Collections}, {in.Products, out.Products}} {
		for _, n := range names[0] {
			if slices.Contains(names[1], n) {
				return fieldErrors{"scope": fmt.Sprintf("“%s” is counted and left out at once; choose one of the two.", n)}
			}
		}
	}
	d.Ladder.Scope = catalog.Filter{Include: in, Exclude: out}
	return nil
}

func (e *editing) basis(d *nudge.Definition) error {
	d.Ladder.Basis = nudge.Basis(e.form.Get("basis"))
	d.Ladder.WithoutTax = e.form.Get("tax") == "without"
	for i := range d.Ladder.Rungs {
		e.fitBasis(&d.Ladder, i)
	}
	return nil
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
	e.focus = "threshold-" + itoa(len(d.Ladder.Rungs)-1)
	return nil
}

func (e *editing) dropRung(d *nudge.Definition) error {
	if len(d.Ladder.Rungs) == 1 {
		return fieldErrors{"": "A nudge needs at least one rung."}
	}
	d.Ladder.Rungs = append(d.Ladder.Rungs[:e.rung], d.Ladder.Rungs[e.rung+1:]...)
	e.focus = "threshold-" + itoa(max(0, e.rung-1))
	return nil
}

func (e *editing) places(d *nudge.Definition) error {
	d.Placements = nil
	for _, p := range nudge.Placements {
		if slices.Contains(e.form["placement"], string(p)) {
			d.Placements = append(d.Placements, p)
		}
	}
	d.Audience.Pages = nil
	if n := len(e.form["page-kind"]); n > 0 && n < len(nudge.Pages) {
		for _, p := range nudge.Pages {
			if slices.Contains(e.form["page-kind"], string(p)) {
				d.Audience.Pages = append(d.Audience.Pages, p)
			}
		}
	}
	d.HideWhenReached = e.form.Get("hide") == "yes"
	return nil
}

func (e *editing) schedule(d *nudge.Definition) error {
	errs := fieldErrors{}
	read := func(field string) *time.Time {
		if strings.TrimSpace(e.form.Get(field)) == "" {
			return nil
		}
		t, wrong := e.moment(e.form.Get(field))
		if wrong != "" {
			errs[field] = wrong
			return nil
		}
		t = t.UTC()
		return &t
	}
	s := nudge.Schedule{From: read("from"), Until: read("until")}
	if s.From != nil && s.Until != nil && !s.Until.After(*s.From) {
		errs["until"] = "The end must be later than the start."
	}
	if len(errs) > 0 {
		return errs
	}
	d.Schedule = s
	return nil
}

// moment reads a day and time of the shop; wrong says what is not right with it.
func (e *editing) moment(text string) (t time.Time, wrong string) {
	t, err := time.ParseInLocation(dateField, text, e.zone)
	switch {
	case err != nil:
		return t, "Write a day and time, such as 27.11.2026 09:00."
	case t.Format(dateField) != text:
		return t, fmt.Sprintf("Clocks go forward that night: there is no %s on %s. Choose %s or later.", text[len(text)-5:], t.Format("2 Jan 2006"), t.Format("15:04"))
	case t.Year() < e.now.Year()-1 || t.Year() > e.now.Year()+10:
		return t, fmt.Sprintf("The year %d is too far away; choose one from %d to %d.", t.Year(), e.now.Year()-1, e.now.Year()+10)
	}
	return t, ""
}

func (e *editing) code(d *nudge.Definition) error {
	code := strings.ToUpper(strings.TrimSpace(e.form.Get("code")))
	if len(code) > 40 || strings.Trim(code, "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-") != "" {
		return fieldErrors{"code": "A code has at most 40 letters, digits and hyphens, without spaces."}
	}
	d.Audience.Code = code
	return nil
}

func (e *editing) look(d *nudge.Definition) error {
	d.Look = nudge.Look{Tone: nudge.Tone(e.form.Get("tone")), Bar: nudge.Bar(e.form.Get("bar"))}
	return nil
}

func (e *editing) wording(d *nudge.Definition) error {
	lang, st := e.form.Get("language"), nudge.State(e.form.Get("state"))
	text := strings.Join(strings.Fields(e.form.Get("text")), " ")
	if _, err := nudge.ParseSentence(text); err != nil {
		return fieldErrors{"text": upperFirst(err.Error()) + "."}
	}
	if d.Wording == nil {
		d.Wording = nudge.Wording{}
	}
	if d.Wording[lang] == nil {
		d.Wording[lang] = map[nudge.State]string{}
	}
	if text == "" {
		delete(d.Wording[lang], st)
	} else {
		d.Wording[lang][st] = text
	}
	if len(d.Wording[lang]) == 0 {
		delete(d.Wording, lang)
	}
	return nil
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
