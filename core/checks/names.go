package checks

import (
	"slices"
	"strconv"
	"strings"
	"sync"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"agonal.dev/agonal/core/nudge"
)

// LanguageName is a language's English name.
func LanguageName(tag string) string {
	t, err := language.Parse(tag)
	if err != nil {
		return tag
	}
	return display.English.Languages().Name(t)
}

// CountryName is a country's English name, by its ISO 3166-1 code; an unknown code
// is its own name.
func CountryName(code string) string {
	r, err := language.ParseRegion(code)
	if err != nil {
		return code
	}
	return display.English.Regions().Name(r)
}

// KnownCountry tells whether a code is one of ISO 3166-1 alpha-2.
func KnownCountry(code string) bool { return slices.Contains(Countries(), code) }

// reserved are codes that CLDR names and that are no country of ISO 3166-1.
var reserved = []string{"AC", "CP", "DG", "EA", "EZ", "IC", "TA", "UN"}

// Countries lists every country's code, by English name. Source: CLDR.
var Countries = sync.OnceValue(func() []string {
	var out []string
	for a := 'A'; a <= 'Z'; a++ {
		for b := 'A'; b <= 'Z'; b++ {
			code := string(a) + string(b)
			r, err := language.ParseRegion(code)
			if err == nil && r.IsCountry() && r.Canonicalize() == r && display.English.Regions().Name(r) != "" && !slices.Contains(reserved, code) {
				out = append(out, code)
			}
		}
	}
	by := collate.New(language.English)
	slices.SortFunc(out, func(a, b string) int { return by.CompareString(CountryName(a), CountryName(b)) })
	return out
})

// StateName says a state of the wording in words.
func StateName(s nudge.State) string {
	s, form := s.Split()
	if form != "" {
		return StateName(s) + ", " + string(form)
	}
	switch s {
	case nudge.NotYet:
		return "not yet"
	case nudge.OneStep:
		return "one step away"
	case nudge.Reached:
		return "reached"
	case nudge.Lost:
		return "lost again"
	case nudge.Outdone:
		return "better given"
	case nudge.Waiting:
		return "goods missing"
	}
	return string(s)
}

// FormNames says which numbers have some plural forms of a language.
func FormNames(language string, forms []nudge.Form) string {
	var parts []string
	for _, f := range forms {
		var numbers []string
		known := nudge.NumbersOf(language, f, 4)
		for _, n := range known[:min(3, len(known))] {
			numbers = append(numbers, strconv.FormatInt(n, 10))
		}
		if len(known) > 3 {
			numbers = append(numbers, "…")
		}
		parts = append(parts, strings.Join(numbers, ", "))
	}
	return strings.Join(parts, " and ")
}

// PlacementName says a placement in words.
func PlacementName(p nudge.Placement) string {
	switch p {
	case nudge.TopBar:
		return "top bar"
	case nudge.ProductBlock:
		return "product page block"
	case nudge.CartDrawer:
		return "cart drawer"
	case nudge.CartBlock:
		return "cart page"
	case nudge.Launcher:
		return "corner mark"
	case nudge.SetBuilder:
		return "set’s own page"
	case nudge.AfterBuy:
		return "thank-you page"
	}
	return strings.ReplaceAll(string(p), "_", " ")
}

// PageName says a kind of page in words.
func PageName(p nudge.Page) string {
	switch p {
	case nudge.HomePage:
		return "home page"
	case nudge.CollectionPage:
		return "collection pages"
	case nudge.ProductPage:
		return "product pages"
	case nudge.CartPage:
		return "cart page"
	case nudge.CheckoutPage:
		return "checkout"
	case nudge.ThanksPage:
		return "thank-you page"
	case nudge.SetPage:
		return "set page"
	}
	return string(p)
}
