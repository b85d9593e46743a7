package checks_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/nudge"
)

// A copy says what it still has of the old: its name, code, heading, and its words.
func TestACopyMarksWhatIsStillOld(t *testing.T) {
	from := nudge.Definition{
		Name: "Winter ladder", Headings: map[string]string{"en": "For cold days"},
		Wording: nudge.Wording{"en": {nudge.NotYet: "Add {to_add}: winter begins.", nudge.Reached: "{reward} is yours."}},
	}
	from.Audience.Code = "WINTER5"
	d := from.Clone()
	d.Name += checks.CopyMark
	fields := func() (out []string) {
		for _, f := range checks.Copied(d, from) {
			assert.Equal(t, checks.Doubt, f.Severity)
			out = append(out, f.Field)
		}
		return out
	}
	assert.Equal(t, []string{"name", "audience.code", "headings.en", "wording.en.not_yet"}, fields())
	d.Name = "Spring ladder"
	d.Audience.Code, d.Headings["en"] = "SPRING5", "For mild days"
	assert.Equal(t, []string{"wording.en.not_yet"}, fields())
	d.Wording["en"][nudge.NotYet] = "Add {to_add}: spring begins."
	assert.Empty(t, fields())
}
