package checks

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"

	"agonal.dev/agonal/core/nudge"
)

// CopyMark ends the name of a copy until it has one of its own.
const CopyMark = " (copy)"

// Copied points out what a copy still says of what it was copied from: its name, its code,
// what stands above it, and words that it wrote by hand.
func Copied(d, from nudge.Definition) []Finding {
	f := finder{d: &d}
	if strings.HasSuffix(d.Name, CopyMark) {
		f.doubt("name", "It is still called a copy; give it a name of its own.")
	}
	if code := d.Audience.Code; code != "" && code == from.Audience.Code {
		f.doubt("audience.code", "The code %s is that of “%s”, too; who enters it has both.", code, from.Name)
	}
	if d.Audience.Pool != "" && d.Audience.Pool == from.Audience.Pool {
		f.doubt("audience.pool", "Its codes are of the pool of “%s”.", from.Name)
	}
	if d.Schedule.From != nil && from.Schedule.From != nil && d.Schedule.From.Equal(*from.Schedule.From) {
		f.doubt("schedule.from", "It begins when “%s” does.", from.Name)
	}
	for _, l := range slices.Sorted(maps.Keys(d.Headings)) {
		if d.Headings[l] != "" && d.Headings[l] == from.Headings[l] {
			f.doubt("headings."+l, "What stands above it in %s is that of “%s”.", LanguageName(l), from.Name)
		}
	}
	old := ownWords(from.Name, d.Name)
	for _, l := range d.Wording.Languages() {
		for _, s := range nudge.States {
			text := d.Wording[l][s]
			if text == "" || text != from.Wording[l][s] {
				continue
			}
			if word := firstOf(text, old); word != "" {
				f.doubt(fmt.Sprintf("wording.%s.%s", l, s), "The %s sentence for “%s” still says “%s”.", LanguageName(l), StateName(s), word)
			}
		}
	}
	return f.out
}

// ownWords are the words of a name that another does not have, of four letters or more.
func ownWords(name, other string) (out []string) {
	has := words(strings.TrimSuffix(other, CopyMark))
	for _, w := range words(name) {
		if len([]rune(w)) >= 4 && (strings.HasSuffix(other, CopyMark) || !slices.Contains(has, w)) {
			out = append(out, w)
		}
	}
	return out
}

func words(s string) []string {
	return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// firstOf is the first of some words that plain text of a sentence holds.
func firstOf(text string, wanted []string) string {
	pieces, _ := nudge.ParseSentence(text)
	for _, p := range pieces {
		for _, w := range words(p.Text) {
			if slices.Contains(wanted, w) {
				return w
			}
		}
	}
	return ""
}
