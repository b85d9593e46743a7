package merchant

import (
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/theme"
)

// control is one field of a panel: how it is shown, and how what is typed in it is read
// into the definition it was made for.
type control struct {
	Name    string // the field's path in the definition
	Label   string
	Kind    string // whole, percent, text, choice, flag, boxes, amounts, tokens, goods or moment
	Value   string
	Unit    string
	On      bool
	Choices []choiceView
	Amounts []amountView
	Tokens  []tokenView
	Of      string // what its search looks for
	For     string // the kinds of reward it is for; empty: any
	Hidden  bool   // for other kinds than the one that is chosen
	Error   string
	read    func(*reading)
}

// hideFor hides what is for other kinds of reward than one.
func (c *control) hideFor(kind string) {
	c.Hidden = c.For != "" && !slices.Contains(strings.Fields(c.For), kind)
	for i := range c.Choices {
		c.Choices[i].Hidden = c.Choices[i].For != "" && c.Choices[i].For != kind
	}
}

// ID is the control's in the page.
func (c control) ID() string {
	return strings.Map(func(r rune) rune {
		if r == '.' || r == '[' || r == ']' {
			return '-'
		}
		return r
	}, c.Name)
}

// Mode is the keyboard that a phone shows for it.
func (c control) Mode() string {
	if c.Kind == "percent" {
		return "decimal"
	}
	return "numeric"
}

// always tells whether a form that has the control always sends its field.
func (c *control) always() bool {
	return slices.Contains([]string{"whole", "percent", "text", "choice", "moment"}, c.Kind)
}

// reading is a form, and what is wrong with it by field.
type reading struct {
	form   url.Values
	locale string
	zone   *time.Location
	now    time.Time
	errs   fieldErrors
}

func (r *reading) text(name string) string { return strings.TrimSpace(r.form.Get(name)) }

// drawer makes controls for a shop; its regions are those of the nudge.
type drawer struct {
	regions []catalog.Region
	all     []catalog.Region
	locale  string
	zone    *time.Location
	town    string
	catalog *catalog.Catalog
	now     time.Time
}

func never() bool { return false }

// changed reads a field only where something else stands in it than was shown, so that
// what a field cannot say in full, such as seconds, is kept.
func (c control) changed(read func(*reading)) control {
	shown := c.Value
	c.read = func(r *reading) {
		if r.form.Get(c.Name) != shown {
			read(r)
		}
	}
	return c
}

// needed refuses an empty list.
func needed(c control, empty func() bool) control {
	read := c.read
	c.read = func(r *reading) {
		if read(r); r.errs[c.Name] == "" && empty() {
			r.errs[c.Name] = "Choose at least one."
		}
	}
	return c
}

// whole is a whole number; an empty field is 0 where that is allowed.
func (w drawer) whole(name, label string, at *int64, least, most int64, unit string) control {
	c := control{Name: name, Label: label, Kind: "whole", Unit: unit}
	if *at != 0 {
		c.Value = strconv.FormatInt(*at, 10)
	}
	c.read = func(r *reading) {
		text := r.text(name)
		if text == "" && least <= 0 {
			*at = 0
			return
		}
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil || n < least || n > most {
			r.errs[name] = fmt.Sprintf("Write a whole number from %d to %d.", max(0, least), most)
			return
		}
		*at = n
	}
	return c
}

// colour is a colour, or none.
func (w drawer) colour(name, label string, at *theme.Colour) control {
	text := string(*at)
	c := w.text(name, label, &text, 7)
	read := c.read
	c.read = func(r *reading) {
		if read(r); text == "" {
			*at = ""
			return
		}
		colour, err := theme.ParseColour(text)
		if err != nil {
			r.errs[name] = upperFirst(err.Error()) + "."
			return
		}
		*at = colour
	}
	return c
}

// option is the name of one of the options by which the catalogue's variants differ.
func (w drawer) option(name, label string, at *string) control {
	choices := []choiceView{{Value: "", Name: "None"}}
	for _, o := range w.catalog.OptionNames() {
		choices = append(choices, choiceView{Value: o, Name: o})
	}
	if *at != "" && !slices.ContainsFunc(choices, func(c choiceView) bool { return c.Value == *at }) {
		choices = append(choices, choiceView{Value: *at, Name: *at})
	}
	return choice(name, label, at, choices)
}

// number is a whole number that may be left open.
func (w drawer) number(name, label string, at **int64, unit string) control {
	c := control{Name: name, Label: label, Kind: "whole", Unit: unit}
	if *at != nil {
		c.Value = strconv.FormatInt(**at, 10)
	}
	c.read = func(r *reading) {
		text := r.text(name)
		if text == "" {
			*at = nil
			return
		}
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil || n < 0 || n > 1_000_000_000 {
			r.errs[name] = "Write a whole number, 0 or more."
			return
		}
		*at = &n
	}
	return c
}

// percent is a share; an empty field is none where that is allowed.
func (w drawer) percent(name, label string, at **money.Rate, must func() bool) control {
	c := control{Name: name, Label: label, Kind: "percent", Unit: "%"}
	if *at != nil {
		c.Value = (*at).String()
	}
	c.read = func(r *reading) {
		text := strings.ReplaceAll(strings.TrimSpace(strings.TrimSuffix(r.text(name), "%")), ",", ".")
		if text == "" && !must() {
			*at = nil
			return
		}
		p, err := money.ParsePercent(text)
		switch {
		case err != nil:
			r.errs[name] = upperFirst(err.Error()) + "."
		case p == 0:
			r.errs[name] = "A share of more than 0 is needed."
		default:
			*at = &p
		}
	}
	return c
}

// amounts are an amount for each region; an empty field takes it out where that is allowed.
func (w drawer) amounts(name, label string, at *nudge.Amounts, must func() bool) control {
	c := control{Name: name, Label: label, Kind: "amounts"}
	for _, g := range w.regions {
		f := amountView{Region: g.ID, Name: g.Name, Currency: g.Currency, Field: name + "." + g.ID}
		if x, ok := (*at)[g.ID]; ok {
			f.Value = money.Format(x, w.locale)
		}
		c.Amounts = append(c.Amounts, f)
	}
	c.read = func(r *reading) {
		out := nudge.Amounts{}
		for id, a := range *at {
			out[id] = a
		}
		for _, g := range w.all {
			field := name + "." + g.ID
			if !r.form.Has(field) {
				continue
			}
			if _, has := (*at)[g.ID]; r.text(field) == "" && (!must() || !has && len(*at) > 0) {
				delete(out, g.ID) // checks say what is still lacking
				continue
			}
			m, err := money.ParseTyped(r.form.Get(field), r.locale, g.Currency)
			if err != nil {
				r.errs[field] = upperFirst(err.Error()) + "."
				continue
			}
			out[g.ID] = money.Amount{Minor: m, Currency: g.Currency}
		}
		*at = out
		if len(out) == 0 {
			*at = nil
		}
	}
	return c
}

// text is a line of text.
func (w drawer) text(name, label string, at *string, most int) control {
	return control{Name: name, Label: label, Kind: "text", Value: *at}.changed(func(r *reading) {
		if text := r.text(name); len([]rune(text)) > most {
			r.errs[name] = fmt.Sprintf("At most %d characters.", most)
		} else {
			*at = text
		}
	})
}

// translated is a text in each of the languages of the shop's regions.
func (w drawer) translated(name, label string, at *map[string]string, most int) []control {
	var out []control
	for _, r := range w.all {
		for _, language := range r.Languages {
			field := name + "." + language
			if slices.ContainsFunc(out, func(c control) bool { return c.Name == field }) {
				continue
			}
			text := (*at)[language]
			c := w.text(field, label+", in "+checks.LanguageName(language), &text, most)
			read := c.read
			c.read = func(r *reading) {
				read(r)
				if (*at)[language] == text {
					return
				}
				next := maps.Clone(*at)
				if next == nil {
					next = map[string]string{}
				}
				if next[language] = text; text == "" {
					delete(next, language)
				}
				*at = next
			}
			out = append(out, c)
		}
	}
	return out
}

// code is a text in the form of codes.
func (w drawer) code(name, label string, at *string) control {
	return control{Name: name, Label: label, Kind: "text", Value: *at}.changed(func(r *reading) {
		code := strings.ToUpper(r.text(name))
		if len(code) > 40 || strings.Trim(code, "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-") != "" {
			r.errs[name] = "A code has at most 40 letters, digits and hyphens, without spaces."
			return
		}
		*at = code
	})
}

// words are texts separated by commas.
func (w drawer) words(name, label string, at *[]string) control {
	return control{Name: name, Label: label, Kind: "text", Value: strings.Join(*at, ", ")}.changed(func(r *reading) {
		*at = nil
		for _, x := range strings.Split(r.form.Get(name), ",") {
			if x = strings.TrimSpace(x); x != "" && !slices.Contains(*at, x) {
				*at = append(*at, x)
			}
		}
	})
}

// pairs are texts such as “size = 30 ml, colour = blue”.
func (w drawer) pairs(name, label string, shown [][2]string, set func([][2]string)) control {
	parts := make([]string, len(shown))
	for i, p := range shown {
		parts[i] = p[0] + " = " + p[1]
	}
	return control{Name: name, Label: label, Kind: "text", Value: strings.Join(parts, ", ")}.changed(func(r *reading) {
		var out [][2]string
		for _, x := range strings.Split(r.form.Get(name), ",") {
			if x = strings.TrimSpace(x); x == "" {
				continue
			}
			a, b, ok := strings.Cut(x, "=")
			if a, b = strings.TrimSpace(a), strings.TrimSpace(b); !ok || a == "" || b == "" {
				r.errs[name] = fmt.Sprintf("“%s” is not written as a name and what it is, such as size = 30 ml.", x)
				return
			}
			out = append(out, [2]string{a, b})
		}
		set(out)
	})
}

// flag is a box to tick.
func (w drawer) flag(name, label string, at *bool) control {
	return control{Name: name, Label: label, Kind: "flag", On: *at, read: func(r *reading) { *at = r.form.Get(name) == "yes" }}
}

// moment is a day and time of the shop.
func (w drawer) moment(name, label string, at **time.Time) control {
	c := control{Name: name, Label: label, Kind: "moment"}
	if *at != nil {
		c.Value = (*at).In(w.zone).Format(dateField)
	}
	return c.changed(func(r *reading) {
		if r.text(name) == "" {
			*at = nil
			return
		}
		t, wrong := momentOf(r.form.Get(name), r.zone, r.now)
		if wrong != "" {
			r.errs[name] = wrong
			return
		}
		t = t.UTC()
		*at = &t
	})
}

// choice is one of some words.
func choice[T ~string](name, label string, at *T, options []choiceView) control {
	c := control{Name: name, Label: label, Kind: "choice"}
	for _, o := range options {
		o.On = o.Value == string(*at)
		c.Choices = append(c.Choices, o)
	}
	c.read = func(r *reading) {
		v := r.form.Get(name)
		if !slices.ContainsFunc(options, func(o choiceView) bool { return o.Value == v }) {
			r.errs[name] = "Choose one of these."
			return
		}
		*at = T(v)
	}
	return c
}

// usually is a choice whose first option is also meant where nothing is stored.
func usually[T ~string](name, label string, at *T, options []choiceView) control {
	usual := T(options[0].Value)
	if *at != "" {
		return choice(name, label, at, options)
	}
	shown := usual
	c := choice(name, label, &shown, options)
	read := c.read
	c.read = func(r *reading) {
		if read(r); shown != usual {
			*at = shown
		}
	}
	return c
}

// yesNo is a condition's yes or no, or not asked for.
func yesNo(name, label string, at **bool, any, yes, no string) control {
	is := ""
	if *at != nil {
		is = map[bool]string{true: "yes", false: "no"}[**at]
	}
	options := []choiceView{{Value: "yes", Name: yes}, {Value: "no", Name: no}}
	if any != "" {
		options = append([]choiceView{{Value: "", Name: any}}, options...)
	}
	c := choice(name, label, &is, options)
	read := c.read
	c.read = func(r *reading) {
		if read(r); r.errs[name] != "" {
			return
		}
		*at = nil
		if is != "" {
			on := is == "yes"
			*at = &on
		}
	}
	return c
}

// boxes are some of some words, in the order of the words.
func boxes[T ~string](name, label string, at *[]T, options []choiceView) control {
	c := control{Name: name, Label: label, Kind: "boxes"}
	known := map[T]bool{}
	for _, o := range options {
		o.On = slices.Contains(*at, T(o.Value))
		known[T(o.Value)] = true
		c.Choices = append(c.Choices, o)
	}
	was := slices.Clone(*at)
	c.read = func(r *reading) {
		var out []T
		same := true
		for _, o := range options {
			if slices.Contains(r.form[name], o.Value) {
				out = append(out, T(o.Value))
			}
			same = same && slices.Contains(r.form[name], o.Value) == slices.Contains(was, T(o.Value))
		}
		if same {
			return
		}
		for _, x := range was { // what cannot be ticked here stays
			if !known[x] {
				out = append(out, x)
			}
		}
		*at = out
	}
	return c
}

// some are boxes of which all ticked mean the same as none.
func some[T ~string](name, label string, at *[]T, options []choiceView) control {
	c := boxes(name, label, at, options)
	was, read := slices.Clone(*at), c.read
	c.read = func(r *reading) {
		if read(r); len(*at) >= len(options) && !slices.Equal(*at, was) {
			*at = nil
		}
	}
	return c
}

// retype shows what was typed in place of what is stored, and what is wrong with it.
func (c *control) retype(form url.Values, errs fieldErrors) {
	c.Error = errs[c.Name]
	switch c.Kind {
	case "whole", "percent", "text", "moment":
		c.Value = form.Get(c.Name)
	case "flag":
		c.On = form.Get(c.Name) == "yes"
	case "choice", "boxes":
		for i := range c.Choices {
			c.Choices[i].On = slices.Contains(form[c.Name], c.Choices[i].Value)
		}
	case "amounts":
		for i := range c.Amounts {
			c.Amounts[i].Value, c.Amounts[i].Error = form.Get(c.Amounts[i].Field), errs[c.Amounts[i].Field]
		}
	case "tokens", "goods":
		var kept []tokenView
		for i, x := range unique(form[c.Name]) {
			t := tokenView{Value: x, Name: x, Many: 1}
			if many := form[c.Name+".quantity"]; i < len(many) {
				t.Many, _ = strconv.ParseInt(many[i], 10, 64)
			}
			kept = append(kept, t)
		}
		c.Tokens = kept
	}
}
