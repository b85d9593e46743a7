package nudge_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/nudge"
)

const filed = `{"version": 1, "nudges": [
  {"id": "free", "definition": {"version": 1, "name": "Free from 60", "ladder": {"basis": "after_order", "rungs": [{"thresholds": {"home": "60.00 EUR"}, "rewards": [{"kind": "free_shipping"}]}]}, "wording": {"en": {"not_yet": "Add {to_add}."}}, "placements": ["top_bar"]}},
  {"id": "by-3", "definition": {"version": 1, "name": "By three", "ladder": {"basis": "before_nudges", "measure": "units", "rungs": [{"count": 3, "rewards": [{"kind": "unit_percent", "percent": "10"}]}]}}}
]}`

func TestAFileOfNudgesReadsAsItWasWritten(t *testing.T) {
	f, err := nudge.ParseFile([]byte(filed))
	require.NoError(t, err)
	require.Len(t, f.Nudges, 2)
	assert.Equal(t, "by-3", f.Nudges[1].ID)
	assert.Equal(t, int64(3), f.Nudges[1].Definition.Ladder.Rungs[0].Count)
	printed, err := nudge.PrintFile(f.Nudges)
	require.NoError(t, err)
	again, err := nudge.ParseFile(printed)
	require.NoError(t, err)
	assert.Equal(t, f, again)
}

func TestAFileOfNudgesIsRefusedByNudgeAndField(t *testing.T) {
	for want, change := range map[string][2]string{
		`version: 2 is not known`:                       {`"version": 1, "nudges"`, `"version": 2, "nudges"`},
		`nudges[1].id: "free" is nudges[0] already`:     {`"by-3"`, `"free"`},
		`nudges[0].id: "Free!" is no id`:                {`"id": "free"`, `"id": "Free!"`},
		`nudges[1].definition.ladder.rungs[0].count`:    {`"count": 3`, `"count": -3`},
		`nudges[0].definition.ladder.rungs[0].rewards[`: {`"free_shipping"`, `"free_lunch"`},
		`nudges[0].definition.naem: this field is not`:  {`"name": "Free`, `"naem": "Free`},
		`file: something follows`: {`}}}
]}`, `}}}
]} {}`},
	} {
		bad := strings.Replace(filed, change[0], change[1], 1)
		if bad == filed {
			bad = strings.TrimSpace(filed) + " {}"
		}
		_, err := nudge.ParseFile([]byte(bad))
		assert.ErrorContains(t, err, want)
	}
	_, err := nudge.ParseFile([]byte(`{"version": 1, "nudges": []}`))
	assert.ErrorContains(t, err, "nudges: there are none")
	many := make([]string, nudge.MostFiled+1)
	for i := range many {
		many[i] = fmt.Sprintf(`{"id": "n%d", "definition": {"version": 1}}`, i)
	}
	_, err = nudge.ParseFile([]byte(`{"version": 1, "nudges": [` + strings.Join(many, ",") + `]}`))
	assert.ErrorContains(t, err, "501 are too many")
	_, err = nudge.ParseFile(make([]byte, nudge.MostFileBytes+1))
	assert.ErrorContains(t, err, "at most")
}

func FuzzParseFile(f *testing.F) {
	f.Add([]byte(filed))
	f.Add([]byte(`{"version":1,"nudges":[{"id":"a"}]}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		file, err := nudge.ParseFile(b)
		if err != nil {
			assert.ErrorAs(t, err, new(nudge.FieldError))
			return
		}
		printed, err := nudge.PrintFile(file.Nudges)
		require.NoError(t, err)
		_, err = nudge.ParseFile(printed)
		assert.NoError(t, err)
	})
}
