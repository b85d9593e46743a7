package choice_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/choice"
	"agonal.dev/agonal/core/nudge"
)

func ExamplePick() {
	got := choice.Pick([]choice.Candidate{
		{Nudge: "gift", Priority: 2, Placements: []nudge.Placement{nudge.TopBar, nudge.CartDrawer}},
		{Nudge: "ladder", Priority: 1, Placements: []nudge.Placement{nudge.TopBar}},
	})
	fmt.Println(got[nudge.TopBar], got[nudge.CartDrawer])
	// Output: 1 0
}

func TestNewlyReachedComesBeforeAnythingElse(t *testing.T) {
	bar := []nudge.Placement{nudge.TopBar}
	got := choice.Pick([]choice.Candidate{
		{Nudge: "a", Priority: 1, Placements: bar},
		{Nudge: "c", Priority: 9, Placements: bar, Newly: true},
		{Nudge: "b", Priority: 9, Placements: bar, Newly: true},
	})
	assert.Equal(t, map[nudge.Placement]int{nudge.TopBar: 2}, got, "of two equals the first id")
}

func TestTheOrderOfCandidatesDoesNotMatter(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var cs []choice.Candidate
		for i := range rapid.IntRange(0, 8).Draw(t, "n") {
			c := choice.Candidate{Nudge: fmt.Sprint(i), Priority: rapid.IntRange(1, 3).Draw(t, "priority"), Newly: rapid.Bool().Draw(t, "newly")}
			for _, p := range nudge.Placements {
				if rapid.Bool().Draw(t, "placed") {
					c.Placements = append(c.Placements, p)
				}
			}
			cs = append(cs, c)
		}
		mixed := rapid.Permutation(append([]choice.Candidate{}, cs...)).Draw(t, "mixed")
		a, b := choice.Pick(cs), choice.Pick(mixed)
		assert.Len(t, b, len(a))
		for p, i := range a {
			assert.Equal(t, cs[i].Nudge, mixed[b[p]].Nudge)
		}
	})
}
