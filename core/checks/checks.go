// Package checks finds what is wrong or doubtful in a nudge before it goes live.
package checks

import (
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// Severity tells whether a finding stops publishing.
type Severity string

// The severities.
const (
	Stop  Severity = "stop"
	Doubt Severity = "doubt"
)

// Finding is something wrong or doubtful. Field is a path into the definition.
type Finding struct {
	Severity Severity `json:"severity"`
	Field    string   `json:"field"`
	Say      string   `json:"say"`
}

// Context is what a definition is held against.
type Context struct {
	Regions []catalog.Region
	Catalog *catalog.Catalog
	Others  []snapshot.Live // the other nudges that are live
	Now     time.Time
	Locale  string // in which amounts are written in findings
}

// Find lists findings, those that stop publishing first.
func Find(d nudge.Definition, c Context) []Finding {
	f := finder{d: &d, c: &c}
	if err := d.Valid(); err != nil {
		f.stop("definition", "%s", err)
	}
	if strings.TrimSpace(d.Name) == "" {
		f.stop("name", "Give the nudge a name.")
	}
	f.audience()
	f.scope()
	for _, r := range f.regions() {
		f.thresholds(r)
		f.rewards(r)
		f.offers(r)
	}
	f.twice()
	f.goods()
	f.placements()
	f.schedule()
	f.wording()
	f.others()
	f.dialogs()
	slices.SortStableFunc(f.out, func(a, b Finding) int { return strings.Compare(string(b.Severity), string(a.Severity)) })
	return f.out
}

// Stops tells whether any finding stops publishing.
func Stops(fs []Finding) bool {
	return slices.ContainsFunc(fs, func(f Finding) bool { return f.Severity == Stop })
}

type finder struct {
	d   *nudge.Definition
	c   *Context
	out []Finding
}

func (f *finder) stop(field, say string, args ...any) {
	f.out = append(f.out, Finding{Stop, field, fmt.Sprintf(say, args...)})
}

func (f *finder) doubt(field, say string, args ...any) {
	f.out = append(f.out, Finding{Doubt, field, fmt.Sprintf(say, args...)})
}

// regions lists the regions the nudge is for.
func (f *finder) regions() []*catalog.Region {
	var out []*catalog.Region
	for i := range f.c.Regions {
		r := &f.c.Regions[i]
		if len(f.d.Audience.Regions) == 0 || slices.Contains(f.d.Audience.Regions, r.ID) {
			out = append(out, r)
		}
	}
	return out
}

func (f *finder) audience() {
	for _, id := range f.d.Audience.Regions {
		if !slices.ContainsFunc(f.c.Regions, func(r catalog.Region) bool { return r.ID == id }) {
			f.stop("audience.regions", "The shop has no region %q; choose another.", id)
		}
	}
}

func (f *finder) scope() {
	known := func(kind string, all []string, names ...[]string) {
		for _, list := range names {
			for _, n := range list {
				if !slices.Contains(all, n) {
					f.stop("ladder.scope", "The shop has no %s %q; choose another.", kind, n)
				}
			}
		}
	}
	s := f.d.Ladder.Scope
	known("collection", f.c.Catalog.Collections(), s.Include.Collections, s.Exclude.Collections)
	known("tag", f.c.Catalog.Tags(), s.Include.Tags, s.Exclude.Tags)
	for _, id := range slices.Concat(s.Include.Products, s.Exclude.Products) {
		if _, ok := f.c.Catalog.Product(id); !ok {
			f.stop("ladder.scope", "The shop has no product %q; choose another.", id)
		}
	}
}

func (f *finder) thresholds(r *catalog.Region) {
	if f.d.Ladder.Counts() != nudge.Value {
		return
	}
	last := money.Amount{Minor: -1}
	for i, rung := range f.d.Ladder.Rungs {
		field := fmt.Sprintf("ladder.rungs[%d].thresholds.%s", i, r.ID)
		t, ok := rung.Thresholds[r.ID]
		switch {
		case len(rung.Thresholds) == 0 && len(rung.Rewards) > 0 && nudge.Repeats(rung.Rewards[0].Kind):
			continue // the goal of a set is its size
		case !ok:
			f.stop(field, "Rung %d has no threshold for %s; write one in %s.", i+1, r.Name, r.Currency)
			continue
		case t.Currency != r.Currency:
			f.stop(field, "Rung %d is in %s for %s, which pays in %s.", i+1, t.Currency, r.Name, r.Currency)
			continue
		case t.Minor <= last.Minor:
			f.stop(field, "Rung %d for %s is %s and must be more than the rung before it, %s.", i+1, r.Name, f.money(t), f.money(last))
		}
		last = t
		if least, ok := f.c.Catalog.Cheapest(r.Currency); ok && t.Minor > 0 && t.Minor <= least {
			f.doubt(field, "Rung %d for %s begins at %s: any one piece reaches it, the cheapest costs %s.", i+1, r.Name, f.money(t), f.money(money.Amount{Minor: least, Currency: r.Currency}))
		}
	}
}

// twice finds rungs that give what an earlier one gives.
func (f *finder) twice() {
	for i := range f.d.Ladder.Rungs {
		for j := range f.d.Ladder.Rungs[:i] {
			if reflect.DeepEqual(f.d.Ladder.Rungs[i].Rewards, f.d.Ladder.Rungs[j].Rewards) {
				f.doubt(fmt.Sprintf("ladder.rungs[%d].rewards", i), "Rung %d gives the same as rung %d; change what it gives, or remove it.", i+1, j+1)
				break
			}
		}
	}
}

func (f *finder) rewards(r *catalog.Region) {
	for i, rung := range f.d.Ladder.Rungs {
		for j, w := range rung.Rewards {
			field := fmt.Sprintf("ladder.rungs[%d].rewards[%d]", i, j)
			if needsAmounts(w.Kind) {
				if a, ok := w.Amounts[r.ID]; !ok || a.Currency != r.Currency {
					f.stop(field+".amounts."+r.ID, "Rung %d has no amount for %s; write one in %s.", i+1, r.Name, r.Currency)
				}
			}
			if w.Kind.Class() == nudge.ShippingClass {
				f.methods(r, i, field, rung, w)
			}
			if w.Percent != nil && *w.Percent == money.Whole && (w.Kind == nudge.OrderPercent || w.Kind == nudge.UnitPercent) && r == f.regions()[0] {
				f.doubt(field, "Rung %d takes 100 %% off: the goods cost nothing.", i+1)
			}
		}
	}
}

// needsAmounts tells whether a reward is an amount or a price for each region.
func needsAmounts(k nudge.Kind) bool {
	return slices.Contains([]nudge.Kind{nudge.ShippingOff, nudge.ShippingFlat, nudge.UnitAmount, nudge.UnitPrice, nudge.SetPrice, nudge.BuiltPrice, nudge.OrderAmount}, k)
}

// goods finds what the shop does not have.
func (f *finder) goods() {
	if err := snapshot.CheckGoods(f.d, f.c.Catalog, f.c.Regions); err != nil {
		var field nudge.FieldError
		if errors.As(err, &field) {
			f.stop(field.Field, "%s", strings.ToUpper(field.Why[:1])+field.Why[1:]+".")
		}
	}
}

func (f *finder) methods(r *catalog.Region, i int, field string, rung nudge.Rung, w nudge.Reward) {
	any, costs, dearest := false, false, money.Minor(0)
	for _, m := range r.Methods {
		if !w.Names(m.ID) {
			continue
		}
		any = true
		for _, b := range m.Bands {
			dearest = max(dearest, b.Fee)
		}
		for _, s := range m.Surcharges {
			dearest += s.Fee
		}
		costs = costs || m.ByWeight || m.Fee(rung.Thresholds[r.ID].Minor, 0) > 0
	}
	switch {
	case !any:
		f.stop(field+".methods", "Rung %d: %s has no shipping method called %s.", i+1, r.Name, strings.Join(w.Methods, " or "))
	case !costs:
		f.doubt(field+".methods", "Rung %d gives nothing in %s: shipping costs nothing there from %s anyway.", i+1, r.Name, f.money(rung.Thresholds[r.ID]))
	case w.Kind == nudge.ShippingOff && w.Amounts[r.ID].Minor > dearest:
		f.doubt(field+".amounts."+r.ID, "Rung %d takes %s off shipping in %s, where it costs %s at most.", i+1, f.money(w.Amounts[r.ID]), r.Name, f.money(money.Amount{Minor: dearest, Currency: r.Currency}))
	}
}

// pageOf is the only kind of page that has a placement.
var pageOf = map[nudge.Placement]nudge.Page{nudge.ProductBlock: nudge.ProductPage, nudge.CartBlock: nudge.CartPage, nudge.CheckoutBump: nudge.CheckoutPage, nudge.AfterBuy: nudge.ThanksPage, nudge.SetBuilder: nudge.SetPage}

func (f *finder) placements() {
	if len(f.d.Placements) == 0 {
		f.stop("placements", "Choose where it shows, or no shopper will know of it.")
	}
	for _, p := range f.d.Placements {
		on, fixed := pageOf[p]
		if fixed && len(f.d.Audience.Pages) > 0 && !slices.Contains(f.d.Audience.Pages, on) {
			f.doubt("audience.pages", "It is to show in the %s, but on none of the pages that have one; tick %s, or choose another place.", PlacementName(p), PageName(on))
		}
	}
}

func (f *finder) schedule() {
	if u := f.d.Schedule.Until; u != nil && !u.After(f.c.Now) {
		f.stop("schedule.until", "Its end lies in the past; choose a later one.")
	}
}

func (f *finder) wording() {
	var needed []string
	for _, r := range f.regions() {
		for _, l := range r.Languages {
			if !slices.Contains(needed, l) {
				needed = append(needed, l)
			}
		}
	}
	slices.Sort(needed)
	if f.d.Offers() {
		f.offerWords(needed)
		return
	}
	any := false
	for _, l := range f.d.Wording.Languages() {
		any = any || f.d.Wording[l][nudge.NotYet] != ""
		f.sentences(l)
	}
	if !any {
		f.stop("wording", "It has no sentence for the time before the goal is reached; write one.")
		return
	}
	for _, l := range needed {
		for _, s := range []nudge.State{nudge.NotYet, nudge.Reached} {
			if f.d.Wording.Sentence(l, s) == "" {
				f.doubt(fmt.Sprintf("wording.%s.%s", l, s), "%s has no sentence for “%s”; shoppers there read another language.", LanguageName(l), StateName(s))
			}
		}
	}
}

// sentences looks for numbers written by hand where a placeholder belongs, and
// for a promise that does not say what is missing.
func (f *finder) sentences(language string) {
	for _, s := range nudge.States {
		text := f.d.Wording[language][s]
		if text == "" {
			continue
		}
		field := fmt.Sprintf("wording.%s.%s", language, s)
		pieces, err := nudge.ParseSentence(text)
		if err != nil {
			continue // Valid has said so
		}
		has := false
		if missing := f.d.Wording.MissingForms(language, s); len(missing) > 0 {
			f.doubt(field, "%s has no form of “%s” for %s; such numbers read as the others.", LanguageName(language), StateName(s), FormNames(language, missing))
		}
		for _, p := range pieces {
			has = has || p.Placeholder == nudge.ToAdd || p.Placeholder == nudge.ToAddNumber
			if n := f.typedNumber(p.Text); n != "" {
				f.doubt(field, "“%s” is written by hand in %s; use {threshold} or {to_add}, so that it follows when you change it.", n, LanguageName(language))
			}
		}
		if s == nudge.NotYet && !has && f.asksForSomething() {
			f.doubt(field, "The %s sentence does not say what to add; put {to_add} in.", LanguageName(language))
		}
	}
}

// asksForSomething tells whether any rung asks for more than an order.
func (f *finder) asksForSomething() bool {
	for _, r := range f.d.Ladder.Rungs {
		for _, a := range r.Thresholds {
			if a.Minor > 0 {
				return true
			}
		}
	}
	return false
}

// typedNumber finds a number in plain text that is one of the thresholds.
func (f *finder) typedNumber(text string) string {
	for _, n := range strings.FieldsFunc(text, func(r rune) bool { return !strings.ContainsRune("0123456789.,", r) }) {
		plain := strings.Trim(n, ".,")
		for _, rung := range f.d.Ladder.Rungs {
			for _, a := range rung.Thresholds {
				if m, ok := handWritten(plain, a.Currency); ok && m == a.Minor && m > 0 {
					return plain
				}
			}
		}
	}
	return ""
}

// handWritten reads a number as people write it, with a point or a comma before the
// decimals and either between thousands.
func handWritten(text string, c money.Currency) (money.Minor, bool) {
	for _, locale := range []string{"en", "de"} {
		if m, err := money.ParseTyped(text, locale, c); err == nil {
			return m, true
		}
	}
	return 0, false
}

// others points out another live nudge that makes the same kind of promise in
// the same place and region.
func (f *finder) others() {
	for _, o := range f.c.Others {
		if code := f.d.Audience.Code; code != "" && codes.Normal(code) == codes.Normal(o.Definition.Audience.Code) && sharesRegion(f.d.Audience.Regions, o.Definition.Audience.Regions) {
			f.doubt("audience.code", "“%s” is live with the same code %s: whoever enters it gets both.", o.Definition.Name, code)
		}
		if !sharesRegion(f.d.Audience.Regions, o.Definition.Audience.Regions) || f.d.Audience.Code != o.Definition.Audience.Code {
			continue
		}
		for _, p := range f.d.Placements {
			if slices.Contains(o.Definition.Placements, p) && sameKinds(*f.d, o.Definition) {
				f.doubt("placements", "“%s” is live with the same kind of reward in the same place (%s); only one of them shows at a time.", o.Definition.Name, PlacementName(p))
				break
			}
		}
	}
}

func sharesRegion(a, b []string) bool {
	if len(a) == 0 || len(b) == 0 {
		return true
	}
	return slices.ContainsFunc(a, func(r string) bool { return slices.Contains(b, r) })
}

func sameKinds(a, b nudge.Definition) bool {
	for _, r := range a.Ladder.Rungs {
		for _, s := range b.Ladder.Rungs {
			if len(r.Rewards) > 0 && len(s.Rewards) > 0 && r.Rewards[0].Kind == s.Rewards[0].Kind {
				return true
			}
		}
	}
	return false
}

func (f *finder) money(a money.Amount) string { return money.Format(a, f.c.Locale) }
