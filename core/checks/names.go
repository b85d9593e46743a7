package checks

import (
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

// StateName says a state of the wording in words.
func StateName(s nudge.State) string {
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
		return "outdone"
	}
	return string(s)
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
	}
	return string(p)
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
	}
	return string(p)
}
