package merchant

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
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
	rung    int
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
	e := &editing{form: form, regions: snap.Regions(), locale: h.shop.Locale, zone: h.zone, rung: atoi(form.Get("rung"))}
	n, err := s.app.EditDraft(ctx, h.shop.ID, c.Param("nudge"), h.account.Name, atoi(form.Get("version")), func(d *nudge.Definition) error {
		if e.rung < 0 || e.rung >= len(d.Ladder.Rungs) {
			return app.Problem{Field: "rung", Say: "This rung is not there any more; load the page again."}
		}
		return do(e, d)
	})
	if err == nil {
		if !isHTMX(c) {
			return c.Redirect(http.StatusSeeOther, h.url("/nudges/"+n.ID+"?region="+url.QueryEscape(form.Get("region"))+"&language="+url.QueryEscape(form.Get("language"))))
		}
		v, err := s.benchView(c, &n)
		if err != nil {
			return s.fail(c, err)
		}
		return s.renderPart(c, http.StatusOK, "bench", "bench-changed", page{Data: v})
	}
	if _, conflict := asConflict(err); conflict {
		return s.refused(c, err)
	}
	return s.refuseEdit(c, form, err)
}

// refuseEdit shows the panel again with what was typed and what is wrong.
func (s *server) refuseEdit(c *echo.Context, form url.Values, err error) error {
	v, viewErr := s.benchView(c, nil)
	if viewErr != nil {
		return s.fail(c, viewErr)
	}
	var fields fieldErrors
	var field nudge.FieldError
	var said app.Problem
	switch {
	case errors.As(err, &fields):
		v.Err = fields
	case errors.As(err, &field):
		v.Err = map[string]string{"": upperFirst(field.Why) + "."}
	case errors.As(err, &said):
		v.Err = map[string]string{"": said.Say}
	default:
		return s.fail(c, err)
	}
	v.Open, v.Typed = form.Get("panel"), form
	name := "layout"
	if isHTMX(c) {
		name = "bench-changed"
	}
	return s.renderPart(c, http.StatusUnprocessableEntity, "bench", name, page{Title: v.D.Name, Place: "nudges", Data: v})
}

func upperFirst(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
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

func (e *editing) reward(d *nudge.Definition) error {
	r := nudge.Reward{Kind: nudge.Kind(e.form.Get("kind")), Methods: e.form["methods"]}
	errs := fieldErrors{}
	switch r.Kind {
	case nudge.ShippingOff, nudge.ShippingFlat:
		r.Amounts, errs = e.typed("amount", nil, false)
	case nudge.OrderPercent:
		r.Methods = nil
		text := strings.ReplaceAll(strings.TrimSuffix(strings.TrimSpace(e.form.Get("percent")), "%"), ",", ".")
		p, err := money.ParsePercent(strings.TrimSpace(text))
		if err != nil {
			errs["percent"] = upperFirst(err.Error()) + "."
		} else if p == 0 {
			errs["percent"] = "A share of more than 0 is needed."
		}
		r.Percent = &p
		if d.Ladder.Basis == nudge.AfterOrder && len(d.Ladder.Rungs) == 1 {
			d.Ladder.Basis = nudge.BeforeNudges
		}
	}
	if len(errs) > 0 {
		return errs
	}
	d.Ladder.Rungs[e.rung].Rewards = []nudge.Reward{r}
	return nil
}

func (e *editing) scope(d *nudge.Definition) error {
	in, out := d.Ladder.Scope.Include, d.Ladder.Scope.Exclude
	in.Collections, out.Collections, out.Tags = e.form["in"], e.form["out"], e.form["out-tag"]
	d.Ladder.Scope = catalog.Filter{Include: in, Exclude: out}
	return nil
}

func (e *editing) basis(d *nudge.Definition) error {
	d.Ladder.Basis = nudge.Basis(e.form.Get("basis"))
	d.Ladder.WithoutTax = e.form.Get("tax") == "without"
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
	d.Ladder.Rungs = append(d.Ladder.Rungs, next)
	return nil
}

func (e *editing) dropRung(d *nudge.Definition) error {
	if len(d.Ladder.Rungs) == 1 {
		return fieldErrors{"": "A nudge needs at least one rung."}
	}
	d.Ladder.Rungs = append(d.Ladder.Rungs[:e.rung], d.Ladder.Rungs[e.rung+1:]...)
	return nil
}

func (e *editing) places(d *nudge.Definition) error {
	d.Placements = nil
	for _, p := range nudge.Placements {
		if ticked(e.form["placement"], string(p)) {
			d.Placements = append(d.Placements, p)
		}
	}
	d.Audience.Pages = nil
	if n := len(e.form["page"]); n > 0 && n < len(nudge.Pages) {
		for _, p := range nudge.Pages {
			if ticked(e.form["page"], string(p)) {
				d.Audience.Pages = append(d.Audience.Pages, p)
			}
		}
	}
	d.HideWhenReached = e.form.Get("hide") == "yes"
	return nil
}

func ticked(values []string, v string) bool {
	for _, x := range values {
		if x == v {
			return true
		}
	}
	return false
}

func (e *editing) schedule(d *nudge.Definition) error {
	errs := fieldErrors{}
	read := func(field string) *time.Time {
		text := e.form.Get(field)
		if text == "" {
			return nil
		}
		t, err := time.ParseInLocation("2006-01-02T15:04", text, e.zone)
		if err != nil {
			errs[field] = "Write a day and time, such as 27.11.2026 09:00."
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

func (e *editing) code(d *nudge.Definition) error {
	code := strings.ToUpper(strings.TrimSpace(e.form.Get("code")))
	if len(code) > 40 || strings.ContainsAny(code, " \t<>\"'&") {
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

func isBlocked(err error) bool {
	var b app.Blocked
	return errors.As(err, &b)
}

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
