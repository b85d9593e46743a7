package decide

import (
	"slices"
	"strings"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
)

// sentences are what a nudge says in a language: per state, in the order of
// nudge.States; empty where it has no words for it.
type sentences struct {
	language string
	of       [][]nudge.Piece
}

// spoken returns a language, where a region speaks it as that region's own text, so that
// comparing the two is quick.
func spoken(regions []catalog.Region, language string) string {
	for i := range regions {
		if at := slices.Index(regions[i].Languages, language); at >= 0 {
			return regions[i].Languages[at]
		}
	}
	return language
}

// sentence finds the words for a state: in the shopper's language, else in the
// region's, else in English, else in any.
func (n *compiled) sentence(t *tongue, region []string, st nudge.State) (string, []nudge.Piece) {
	at := slices.Index(nudge.States, st)
	in := func(language string) []nudge.Piece {
		for i := range n.sentences {
			if n.sentences[i].language == language {
				return n.sentences[i].of[at]
			}
		}
		return nil
	}
	if p := in(t.locale); len(p) > 0 {
		return t.locale, p
	}
	if p := in(t.language); len(p) > 0 {
		return t.language, p
	}
	for _, l := range region {
		if p := in(l); len(p) > 0 {
			return l, p
		}
	}
	for i := range n.sentences {
		if p := n.sentences[i].of[at]; len(p) > 0 {
			return n.sentences[i].language, p
		}
	}
	return t.language, nil
}

// tongue is how a decision speaks: in a manner (BCP 47) and its language.
type tongue struct {
	locale, language string
	at               int // its place among the region's languages, -1: it is none of them
}

func tongueOf(locale string) tongue {
	language, _, _ := strings.Cut(locale, "-")
	return tongue{locale: locale, language: language}
}

// tongueIn is how a request is answered in a region.
func tongueIn(region *catalog.Region, locale string) tongue {
	switch {
	case locale != "":
	case len(region.Languages) > 0:
		locale = region.Languages[0]
	default:
		locale = "en"
	}
	at := slices.Index(region.Languages, locale)
	if at >= 0 {
		locale = region.Languages[at]
	}
	t := tongueOf(locale)
	t.at = at
	return t
}

// voice is how rewards are named in a region.
func voice(shop *Shop, region *catalog.Region, t tongue) nudge.Voice {
	return nudge.Voice{Region: *region, Language: t.language, Locale: t.locale, Label: shop.Catalog.Label}
}
