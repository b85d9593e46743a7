package decide_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/cases"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/snapshot"
)

// A condition is judged as the decision judges it, and a group follows from its members.
func TestConditionsAreJudgedAsTheyDecide(t *testing.T) {
	all, err := cases.Load(os.DirFS("../cases/data"))
	require.NoError(t, err)
	seen := map[audience.Truth]int{}
	for _, c := range all {
		shop, err := snapshot.ParseShop(c.Shop())
		if err != nil {
			continue
		}
		s, err := snapshot.Compile(shop)
		require.NoError(t, err, c.Name)
		req, err := decide.ParseRequest(c.Request)
		if err != nil {
			continue
		}
		d, err := decide.Decide(s, req)
		if err != nil {
			continue
		}
		for i, n := range shop.Nudges {
			when := n.Definition.Audience.When
			if when == nil {
				continue
			}
			truths, err := decide.Judge(s, req, when)
			require.NoError(t, err, c.Name)
			for _, o := range d.Nudges {
				switch {
				case o.Nudge != shop.Nudges[i].ID:
				case o.Reason == decide.NotMeant:
					assert.Equal(t, audience.False, truths[""], c.Name)
				case o.Reason == decide.NotKnown:
					assert.Equal(t, audience.Unknown, truths[""], c.Name)
				case o.Reason == "":
					assert.Equal(t, audience.True, truths[""], c.Name)
				}
			}
			seen[truths[""]]++
			follows(t, c.Name, when, "", truths)
		}
	}
	assert.Greater(t, min(seen[audience.True], seen[audience.False], seen[audience.Unknown]), 5)
}

// follows holds a group against its members: the least of all, the greatest of any, the
// opposite of that of none.
func follows(t *testing.T, name string, c *audience.Condition, path string, truths map[string]audience.Truth) {
	t.Helper()
	least, greatest := audience.True, audience.False
	for _, group := range [][]audience.Condition{c.All, c.Any, c.None} {
		for i := range group {
			at := string(rune('0' + i))
			if path != "" {
				at = path + "." + at
			}
			require.Contains(t, truths, at, name)
			least, greatest = min(least, truths[at]), max(greatest, truths[at])
			follows(t, name, &group[i], at, truths)
		}
	}
	switch {
	case len(c.All) > 0:
		assert.Equal(t, least, truths[path], name)
	case len(c.Any) > 0:
		assert.Equal(t, greatest, truths[path], name)
	case len(c.None) > 0:
		assert.Equal(t, audience.True-greatest, truths[path], name)
	}
}
