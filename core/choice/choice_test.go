package choice_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/choice"
	"agonal.dev/agonal/core/nudge"
)

func ExamplePick() {
	got := choice.Pick([]choice.Candidate{
		{Nudge: "gift", Priority: 2, Placements: []nudge.Placement{nudge.TopBar, nudge.CartDrawer}},
		{Nudge: "ladder", Priority: 1, Placements: []nudge.Placement{nudge.TopBar}},
	}, choice.One)
	fmt.Println(got[nudge.TopBar], got[nudge.CartDrawer])
	// Output: [1] [0]
}

func TestNewlyReachedComesBeforeAnythingElse(t *testing.T) {
	bar := []nudge.Placement{nudge.TopBar}
	got := choice.Pick([]choice.Candidate{
		{Nudge: "a", Priority: 1, Placements: bar},
		{Nudge: "c", Priority: 9, Placements: bar, Newly: true},
		{Nudge: "b", Priority: 9, Placements: bar, Newly: true},
	}, choice.One)
	assert.Equal(t, map[nudge.Placement][]int{nudge.TopBar: {2}}, got, "of two equals the first id")
}

func TestTheOrderOfCandidatesDoesNotMatter(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var cs []choice.Candidate
		for i := range rapid.IntRange(0, 8).Draw(t, "n") {
			c := choice.Candidate{Nudge: fmt.Sprint(i), Priority: rapid.IntRange(1, 3).Draw(t, "priority"), Newly: rapid.Bool().Draw(t, "newly"),
				Gain: choice.Posterior(rapid.Int64Range(-5, 5).Draw(t, "profit"), 1, 19, rapid.Int64Range(0, 3).Draw(t, "shows"), 0)}
			for _, p := range nudge.Placements {
				if rapid.Bool().Draw(t, "placed") {
					c.Placements = append(c.Placements, p)
				}
			}
			cs = append(cs, c)
		}
		mixed := rapid.Permutation(append([]choice.Candidate{}, cs...)).Draw(t, "mixed")
		two := func(nudge.Placement) int { return 2 }
		a, b := choice.Pick(cs, two), choice.Pick(mixed, two)
		assert.Len(t, b, len(a))
		for p, list := range a {
			require.Len(t, b[p], len(list))
			for k, i := range list {
				assert.Equal(t, cs[i].Nudge, mixed[b[p][k]].Nudge)
			}
		}
	})
}

// 300 at 2 in 40 is 15, 1,000 at 1 in 80 is 12.5: the smaller profit is shown; a
// gain of nothing ranks last and still shows where there is room.
func TestTheGreatestExpectedGainShows(t *testing.T) {
	bar := []nudge.Placement{nudge.TopBar}
	cs := []choice.Candidate{
		{Nudge: "none", Priority: 1, Placements: bar},
		{Nudge: "rare", Priority: 2, Placements: bar, Gain: choice.Posterior(1000, 1, 19, 60, 0)},
		{Nudge: "often", Priority: 3, Placements: bar, Gain: choice.Posterior(300, 1, 19, 20, 1)},
		{Nudge: "loss", Priority: 0, Placements: bar, Gain: choice.Posterior(-50, 1, 19, 0, 0)},
	}
	assert.Equal(t, []int{2}, choice.Pick(cs, choice.One)[nudge.TopBar])
	all := choice.Pick(cs, func(nudge.Placement) int { return 4 })[nudge.TopBar]
	assert.Equal(t, []int{2, 1, 3, 0}, all, "without a gain the merchant's order decides")
	assert.Equal(t, 0, choice.Posterior(300, 1, 19, 20, 1).Compare(choice.Posterior(150, 1, 19, 20, 3)), "15 and 15")
}

// A page that shows a nudge beside the product or in the cart does not show it in its top
// bar as well, and another may have the bar.
func TestTheFartherPlaceKeepsStill(t *testing.T) {
	bar, block, drawer := nudge.TopBar, nudge.CartBlock, nudge.CartDrawer
	pick := choice.Pick([]choice.Candidate{
		{Nudge: "first", Priority: 1, Placements: []nudge.Placement{bar, block, drawer}, Nearest: true},
		{Nudge: "second", Priority: 2, Placements: []nudge.Placement{bar, block}, Nearest: true},
	}, choice.One)
	assert.Equal(t, map[nudge.Placement][]int{block: {0}, drawer: {0}, bar: {1}}, pick)
	pick = choice.Pick([]choice.Candidate{{Nudge: "first", Priority: 1, Placements: []nudge.Placement{bar, block}}}, choice.One)
	assert.Equal(t, map[nudge.Placement][]int{block: {0}, bar: {0}}, pick, "where the merchant says otherwise")
	pick = choice.Pick([]choice.Candidate{{Nudge: "first", Priority: 1, Placements: []nudge.Placement{bar, drawer}, Nearest: true}}, choice.One)
	assert.Equal(t, map[nudge.Placement][]int{bar: {0}, drawer: {0}}, pick, "the drawer lies over the page")
}

// Who takes turns takes the place that one of them has, the least shown first; the others
// stay where they are.
func TestTurnsAreTaken(t *testing.T) {
	bar := []nudge.Placement{nudge.TopBar}
	all := []choice.Candidate{
		{Nudge: "ladder", Priority: 1, Placements: bar, Turn: -1}, {Nudge: "paper", Priority: 2, Placements: bar, Turn: 2},
		{Nudge: "code", Priority: 3, Placements: bar, Turn: -1}, {Nudge: "quay", Priority: 4, Placements: bar, Turn: 1},
	}
	three := func(nudge.Placement) int { return 3 }
	names := func(turns ...int64) (out []string) {
		c := slices.Clone(all)
		c[1].Turn, c[3].Turn = turns[0], turns[1]
		for _, i := range choice.Pick(c, three)[nudge.TopBar] {
			out = append(out, c[i].Nudge)
		}
		return out
	}
	assert.Equal(t, []string{"ladder", "quay", "code"}, names(2, 1))
	assert.Equal(t, []string{"ladder", "paper", "code"}, names(2, 2), "shown as often, the merchant's order decides")
	assert.Equal(t, []string{"ladder", "paper", "code"}, names(-1, -1))
}
