package snapshot

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
	forms    []map[nudge.Form][]nudge.Piece // for some numbers only
}

// say is the sentence for a state and a number of things, below 0 for none.
func (s *sentences) say(at int, n int64) []nudge.Piece {
	if n >= 0 && len(s.forms[at]) > 0 {
		if p := s.forms[at][nudge.FormIn(s.language, n)]; len(p) > 0 {
			return p
		}
	}
	return s.of[at]
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

// Sentence finds the words for a rung's state and the number of things that it is about
// (below 0: none): in the shopper's language, else in the region's, else in English, else in
// any.
func (n *Compiled) Sentence(t *Tongue, region []string, rung int, st nudge.State, things int64) (string, []nudge.Piece) {
	at := slices.Index(nudge.States, st)
	said := n.sentences[min(rung, len(n.sentences)-1)]
	in := func(language string) []nudge.Piece {
		for i := range said {
			if said[i].language == language {
				return said[i].say(at, things)
			}
		}
		return nil
	}
	if p := in(t.Locale); len(p) > 0 {
		return t.Locale, p
	}
	if p := in(t.Language); len(p) > 0 {
		return t.Language, p
	}
	for _, l := range region {
		if p := in(l); len(p) > 0 {
			return l, p
		}
	}
	for i := range said {
		if p := said[i].say(at, things); len(p) > 0 {
			return said[i].language, p
		}
	}
	return t.Language, nil
}

// Tongue is how a decision speaks: in a manner (BCP 47) and its language.
type Tongue struct {
	Locale, Language string
	At               int // its place among the region's languages, -1: it is none of them
}

func tongueOf(locale string) Tongue {
	language, _, _ := strings.Cut(locale, "-")
	return Tongue{Locale: locale, Language: language}
}

// TongueIn is how a request is answered in a region.
func TongueIn(region *catalog.Region, locale string) Tongue {
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
	t.At = at
	return t
}

// Voice is how rewards are named in a region.
func Voice(shop *Shop, region *catalog.Region, t Tongue) nudge.Voice {
	return nudge.Voice{Region: *region, Language: t.Language, Locale: t.Locale, Label: shop.Catalog.Label}
}
