package nudge_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/nudge"
)

// The forms of the languages the demo speaks, and of two with more, from the tables of the
// Unicode CLDR (cardinals of whole numbers).
func TestPluralForms(t *testing.T) {
	for lang, want := range map[string][]nudge.Form{
		"en": {nudge.One}, "de": {nudge.One}, "ja": {}, "pl": {nudge.One, nudge.Few, nudge.Many}, "de-AT": {nudge.One},
		"ar": {nudge.Zero, nudge.One, nudge.Two, nudge.Few, nudge.Many}, "cs": {nudge.One, nudge.Few},
	} {
		assert.Equal(t, want, nudge.FormsOf(lang), lang)
	}
	for n, want := range map[int64]nudge.Form{0: nudge.Many, 1: nudge.One, 2: nudge.Few, 4: nudge.Few, 5: nudge.Many, 12: nudge.Many, 22: nudge.Few, 112: nudge.Many, 1_000_000_022: nudge.Few} {
		assert.Equal(t, want, nudge.FormIn("pl", n), n)
	}
	assert.Equal(t, []int64{2, 3, 4, 22}, nudge.NumbersOf("pl", nudge.Few, 4))
}

// What is one step away borrows the words for not yet, and with them the form for one.
func TestFormsAreBorrowedWithTheirSentence(t *testing.T) {
	w := nudge.Wording{"en": {nudge.NotYet: "{to_add_number} pens more", nudge.NotYet.With(nudge.One): "One pen more"}}
	assert.Equal(t, "One pen more", w.Sentence("en", nudge.OneStep.With(nudge.One)))
	assert.Empty(t, w.Sentence("en", nudge.Reached.With(nudge.One)))
	w["en"][nudge.OneStep] = "Nearly there"
	assert.Empty(t, w.Sentence("en", nudge.OneStep.With(nudge.One)), "it has words of its own")
	assert.Equal(t, []nudge.Form{nudge.Few, nudge.Many}, nudge.Wording{"pl": {nudge.NotYet: "a", nudge.NotYet.With(nudge.One): "b"}}.MissingForms("pl", nudge.NotYet))
	assert.Empty(t, nudge.Wording{"pl": {nudge.NotYet: "a"}}.MissingForms("pl", nudge.NotYet), "none is as it was")
}
