package nudge

import (
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"
	"unicode/utf8"
)

// MostWording is the longest sentence accepted, in characters.
const MostWording = 280

// Placeholder is a name that stands in braces in a sentence.
type Placeholder string

// The placeholders.
const (
	ToAdd      Placeholder = "to_add"      // what a shopper must add
	Threshold  Placeholder = "threshold"   // the rung's threshold
	RewardName Placeholder = "reward"      // what the rung gives
	NextReward Placeholder = "next_reward" // what the rung after it gives
	NextToAdd  Placeholder = "next_to_add" // what must be added to reach that
	CartValue  Placeholder = "counted"     // the counted value of the cart

	// The same as bare numbers, for sentences that count things in their own words.
	ToAddNumber     Placeholder = "to_add_number"
	ThresholdNumber Placeholder = "threshold_number"
	CartNumber      Placeholder = "counted_number"
	NextToAddNumber Placeholder = "next_to_add_number"

	Product    Placeholder = "product"     // the first of the cart that is counted, what was just put in before all
	Offered    Placeholder = "offered"     // what an offer is about
	InsteadOf  Placeholder = "instead_of"  // what of the cart it would take the place of
	OfferPrice Placeholder = "offer_price" // what one of it costs then
	Difference Placeholder = "difference"  // what the order costs more with it: "€8.80 more"
	OrderTotal Placeholder = "order_total" // what the whole order costs with it
)

// Placeholders lists every placeholder with what it stands for.
var Placeholders = []struct {
	Name  Placeholder
	Means string
}{
	{ToAdd, "to add"},
	{Threshold, "threshold"},
	{RewardName, "reward"},
	{NextReward, "next reward"},
	{NextToAdd, "to add for the next reward"},
	{CartValue, "counted value"},
	{ToAddNumber, "to add, as a number"},
	{ThresholdNumber, "threshold, as a number"},
	{CartNumber, "counted, as a number"},
	{NextToAddNumber, "to add for the next reward, as a number"},
	{Product, "a product of the cart"},
	{Offered, "what is offered"},
	{InsteadOf, "what it takes the place of"},
	{OfferPrice, "its price"},
	{Difference, "how much more to pay"},
	{OrderTotal, "to pay with it"},
}

// OfOffer tells whether a placeholder stands for something of an offer.
func (p Placeholder) OfOffer() bool {
	return slices.Contains([]Placeholder{Offered, InsteadOf, OfferPrice, Difference, OrderTotal}, p)
}

// Number tells whether a placeholder stands for a bare number of things.
func (p Placeholder) Number() bool {
	return slices.Contains([]Placeholder{ToAddNumber, ThresholdNumber, CartNumber, NextToAddNumber}, p)
}

// Piece is a part of a sentence: plain text, or a placeholder.
type Piece struct {
	Text        string
	Placeholder Placeholder
}

// PlaceholderError says which placeholder of a sentence is wrong, and where.
type PlaceholderError struct {
	At   int // characters from the start
	Text string
	Why  string
}

func (e PlaceholderError) Error() string {
	return fmt.Sprintf("at character %d: %s", e.At+1, e.Why)
}

// ParseSentence cuts a sentence into text and placeholders. Braces are written
// doubled to stand for themselves. Errors are [PlaceholderError].
func ParseSentence(s string) ([]Piece, error) {
	if n := utf8.RuneCountInString(s); n > MostWording {
		return nil, fmt.Errorf("the sentence has %d characters; at most %d fit", n, MostWording)
	}
	if !utf8.ValidString(s) {
		return nil, fmt.Errorf("the sentence is not valid UTF-8")
	}
	var out []Piece
	var text strings.Builder
	flush := func() {
		if text.Len() > 0 {
			out = append(out, Piece{Text: text.String()})
			text.Reset()
		}
	}
	at := func(i int) int { return utf8.RuneCountInString(s[:i]) }
	for i := 0; i < len(s); {
		switch {
		case strings.HasPrefix(s[i:], "{{"), strings.HasPrefix(s[i:], "}}"):
			text.WriteByte(s[i])
			i += 2
		case s[i] == '{':
			end := strings.IndexByte(s[i:], '}')
			if end < 0 {
				return nil, PlaceholderError{at(i), s[i:], "a placeholder opens with { and never closes"}
			}
			name := Placeholder(s[i+1 : i+end])
			if !known(name) {
				return nil, PlaceholderError{at(i), string(name), fmt.Sprintf("{%s} is not known; use %s", name, placeholderList())}
			}
			flush()
			out = append(out, Piece{Placeholder: name})
			i += end + 1
		case s[i] == '}':
			return nil, PlaceholderError{at(i), "}", "a } stands alone; write }} for the sign itself"}
		default:
			text.WriteByte(s[i])
			i++
		}
	}
	flush()
	return out, nil
}

func known(p Placeholder) bool {
	return slices.ContainsFunc(Placeholders, func(x struct {
		Name  Placeholder
		Means string
	}) bool {
		return x.Name == p
	})
}

func placeholderList() string {
	names := make([]string, len(Placeholders))
	for i, p := range Placeholders {
		names[i] = "{" + string(p.Name) + "}"
	}
	return strings.Join(names[:len(names)-1], ", ") + " or " + names[len(names)-1]
}

// PrintSentence is the inverse of [ParseSentence].
func PrintSentence(pieces []Piece) string {
	var b strings.Builder
	for _, p := range pieces {
		if p.Placeholder != "" {
			b.WriteString("{" + string(p.Placeholder) + "}")
			continue
		}
		b.WriteString(strings.NewReplacer("{", "{{", "}", "}}").Replace(p.Text))
	}
	return b.String()
}

// CanWait tells whether a nudge may be reached before the goods are in the cart that
// it gives something on.
func (d Definition) CanWait() bool {
	for _, r := range d.Ladder.Rungs {
		for _, w := range r.Rewards {
			if w.Kind.Class() == UnitClass && (w.On != nil || w.Kind == Every) {
				return true
			}
		}
	}
	return false
}

// Languages lists the languages a wording is written in, sorted, English first.
func (w Wording) Languages() []string {
	out := make([]string, 0, len(w))
	for l := range w {
		out = append(out, l)
	}
	sort.Slice(out, func(i, j int) bool {
		if (out[i] == "en") != (out[j] == "en") {
			return out[i] == "en"
		}
		return out[i] < out[j]
	})
	return out
}

// SentenceOf returns what a definition says of a rung: the rung's own words, else those
// of all rungs. See [Wording.Sentence].
func (d *Definition) SentenceOf(rung int, language string, s State) string {
	if rung >= 0 && rung < len(d.Ladder.Rungs) {
		if t := d.Ladder.Rungs[rung].Wording.Sentence(language, s); t != "" {
			return t
		}
	}
	return d.Wording.Sentence(language, s)
}

// WordsOf is where the words of a rung stand, counted from 1; of 0 those of all rungs.
func (d *Definition) WordsOf(rung int) *Wording {
	if rung > 0 && rung <= len(d.Ladder.Rungs) {
		return &d.Ladder.Rungs[rung-1].Wording
	}
	return &d.Wording
}

// AllLanguages lists the languages that anything is said in, English first.
func (d *Definition) AllLanguages() []string {
	all := Wording{}
	maps.Copy(all, d.Wording)
	for i := range d.Ladder.Rungs {
		maps.Copy(all, d.Ladder.Rungs[i].Wording)
	}
	return all.Languages()
}

// Sentence returns the sentence for a state in a language. A state without its
// own sentence borrows: one step away and lost again from not yet. Outdone and
// waiting have words only where the merchant wrote some.
func (w Wording) Sentence(language string, s State) string {
	if base, form := s.Split(); form != "" {
		if t := w[language][s]; t != "" || w[language][base] != "" || base != OneStep && base != Lost {
			return t
		}
		return w[language][NotYet.With(form)]
	}
	states := []State{s}
	if s == OneStep || s == Lost {
		states = append(states, NotYet)
	}
	for _, st := range states {
		if t := w[language][st]; t != "" {
			return t
		}
	}
	return ""
}
