package nudge

import (
	"slices"
	"strings"
	"sync"

	"golang.org/x/text/feature/plural"
	"golang.org/x/text/language"
)

// Form is a plural form of a language (Unicode CLDR). Other is what a sentence has that has
// no form for a number.
type Form string

// The forms.
const (
	Zero  Form = "zero"
	One   Form = "one"
	Two   Form = "two"
	Few   Form = "few"
	Many  Form = "many"
	Other Form = "other"
)

var forms = map[plural.Form]Form{plural.Zero: Zero, plural.One: One, plural.Two: Two, plural.Few: Few, plural.Many: Many, plural.Other: Other}

// FormIn is the form that a language has for a whole number.
func FormIn(lang string, n int64) Form {
	return forms[plural.Cardinal.MatchPlural(language.Make(lang), int(n%10_000_000), 0, 0, 0, 0)]
}

// mostCounted is how far the forms of a language are looked for; all of them are met before.
const mostCounted = 200

var formsKnown sync.Map // of a language: its forms

// FormsOf lists the forms that a language has for whole numbers, besides Other.
func FormsOf(lang string) []Form {
	if known, ok := formsKnown.Load(lang); ok {
		return known.([]Form)
	}
	out := []Form{}
	for _, f := range []Form{Zero, One, Two, Few, Many} {
		if len(NumbersOf(lang, f, 1)) > 0 {
			out = append(out, f)
		}
	}
	formsKnown.Store(lang, out)
	return out
}

// NumbersOf lists the first numbers, at most so many, that have a form in a language.
func NumbersOf(lang string, f Form, most int) (out []int64) {
	for n := int64(0); n <= mostCounted && len(out) < most; n++ {
		if FormIn(lang, n) == f {
			out = append(out, n)
		}
	}
	return out
}

// With is the state whose sentence is for a plural form only: not_yet.few.
func (s State) With(f Form) State { return s + "." + State(f) }

// Split tells a state and the plural form that a sentence is for; empty: any.
func (s State) Split() (State, Form) {
	state, form, _ := strings.Cut(string(s), ".")
	return State(state), Form(form)
}

// knownIn tells whether a state, and the form it may name, are ones of a language.
func (s State) knownIn(lang string) bool {
	state, form := s.Split()
	return slices.Contains(States, state) && (!strings.Contains(string(s), ".") || slices.Contains(FormsOf(lang), form))
}

// Countable tells whether a measure is told in numbers of things.
func (m Measure) Countable() bool {
	return slices.Contains([]Measure{Units, SameProduct, SameVariant, Distinct}, m)
}

// MissingForms lists the forms that a sentence has no text for, in a language in which it has
// some.
func (w Wording) MissingForms(lang string, s State) (out []Form) {
	some := false
	for _, f := range FormsOf(lang) {
		if w[lang][s.With(f)] == "" {
			out = append(out, f)
		} else {
			some = true
		}
	}
	if !some {
		return nil
	}
	return out
}
