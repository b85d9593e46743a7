package audience_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/audience"
)

func number(n int64) *int64 { return &n }

func yes(b bool) *bool { return &b }

func ExampleCompile() {
	tree, err := audience.Compile(&audience.Condition{All: []audience.Condition{
		{Units: &audience.Count{Least: number(2)}},
		{SignedIn: yes(true)},
	}})
	anonymous := &audience.Facts{Lines: []audience.Line{{Quantity: 3}}}
	fmt.Println(tree.Holds(anonymous), err)
	fmt.Println(tree.Why(anonymous))
	// Output:
	// not known <nil>
	// signed_in not known
}

// leaf is a condition that is true, false or not known for the facts below.
func leaf(t *rapid.T) (audience.Condition, audience.Truth) {
	switch rapid.IntRange(0, 2).Draw(t, "leaf") {
	case 0:
		return audience.Condition{Empty: yes(true)}, audience.True
	case 1:
		return audience.Condition{Empty: yes(false)}, audience.False
	}
	return audience.Condition{SignedIn: yes(true)}, audience.Unknown
}

// random draws a tree and works its truth out from the tables of three-valued logic:
// false as soon as one is false, else not known as soon as one is not known.
func random(t *rapid.T, depth int) (audience.Condition, audience.Truth) {
	if depth == 0 || rapid.IntRange(0, 2).Draw(t, "group") == 0 {
		return leaf(t)
	}
	var kids []audience.Condition
	seen := map[audience.Truth]int{}
	for range rapid.IntRange(1, 3).Draw(t, "kids") {
		c, v := random(t, depth-1)
		kids = append(kids, c)
		seen[v]++
	}
	switch rapid.IntRange(0, 2).Draw(t, "kind") {
	case 0:
		switch {
		case seen[audience.False] > 0:
			return audience.Condition{All: kids}, audience.False
		case seen[audience.Unknown] > 0:
			return audience.Condition{All: kids}, audience.Unknown
		}
		return audience.Condition{All: kids}, audience.True
	case 1:
		return audience.Condition{Any: kids}, anyOf(seen)
	}
	return audience.Condition{None: kids}, map[audience.Truth]audience.Truth{
		audience.True: audience.False, audience.False: audience.True, audience.Unknown: audience.Unknown,
	}[anyOf(seen)]
}

func anyOf(seen map[audience.Truth]int) audience.Truth {
	switch {
	case seen[audience.True] > 0:
		return audience.True
	case seen[audience.Unknown] > 0:
		return audience.Unknown
	}
	return audience.False
}

func TestTreesFollowThreeValuedLogic(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c, want := random(t, 3)
		tree, err := audience.Compile(&c)
		if err != nil {
			require.ErrorContains(t, err, "true and false at once", "only what contradicts itself is refused")
			return
		}
		facts := &audience.Facts{}
		require.Equal(t, want, tree.Holds(facts))
		why, v := tree.Why(facts)
		require.Equal(t, want, v)
		require.Equal(t, want == audience.True, why == "")
	})
}

// Trees that share conditions, judged for the same facts, come out as each by itself,
// since what one has found the others use.
func TestTreesThatShareConditionsComeOutAsByThemselves(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var shared audience.Shared
		var together, alone []*audience.Tree
		for range rapid.IntRange(1, 6).Draw(t, "trees") {
			c, _ := random(t, 2)
			least := rapid.Int64Range(0, 5).Draw(t, "least")
			c = audience.Condition{Any: []audience.Condition{c, {Units: &audience.Count{Least: &least}}}}
			tree, err := shared.Compile(&c)
			if err != nil {
				require.ErrorContains(t, err, "true and false at once")
				continue
			}
			single, err := audience.Compile(&c)
			require.NoError(t, err)
			together, alone = append(together, tree), append(alone, single)
		}
		facts := &audience.Facts{}
		for range 2 { // the second time in the room of the first
			for range rapid.IntRange(0, 2).Draw(t, "lines") {
				facts.Lines = append(facts.Lines, audience.Line{Quantity: rapid.Int64Range(1, 3).Draw(t, "quantity")})
			}
			plain := &audience.Facts{Lines: facts.Lines}
			facts.Remember(shared.Count())
			for i, tree := range together {
				require.Equal(t, alone[i].Holds(plain), tree.Holds(facts))
				why, v := alone[i].Why(plain)
				gotWhy, got := tree.Why(facts)
				require.Equal(t, why, gotWhy)
				require.Equal(t, v, got)
			}
			facts.Reset()
		}
	})
}

func TestImpossibleTreesAreRefusedByPath(t *testing.T) {
	deep := audience.Condition{Empty: yes(true)}
	for range 8 {
		deep = audience.Condition{All: []audience.Condition{deep}}
	}
	many := audience.Condition{}
	for range 200 {
		many.Any = append(many.Any, audience.Condition{Empty: yes(true)})
	}
	for want, c := range map[string]audience.Condition{
		"when: a condition is empty":               {},
		"all: a group needs":                       {All: []audience.Condition{}},
		"empty_cart: a condition asks for one":     {Empty: yes(true), Units: &audience.Count{Least: number(1)}},
		"units: at least 3":                        {Units: &audience.Count{Least: number(3), Most: number(2)}},
		"units: exactly stands alone":              {Units: &audience.Count{Least: number(3), Exactly: number(3)}},
		"past_orders: a number cannot":             {Orders: &audience.Count{Least: number(-1)}},
		"all[1]: no number fulfils both":           {All: []audience.Condition{{Units: &audience.Count{Least: number(3)}}, {Units: &audience.Count{Most: number(2)}}}},
		"all[1]: an empty cart holds nothing":      {All: []audience.Condition{{Empty: yes(true)}, {Units: &audience.Count{Least: number(1)}}}},
		"all[1]: no country is in both":            {All: []audience.Condition{{Countries: []string{"DE"}}, {Countries: []string{"FR"}}}},
		"any[0].devices: \"toaster\"":              {Any: []audience.Condition{{Devices: []audience.Device{"toaster"}}}},
		"weekdays: \"monday\"":                     {Weekdays: []audience.Weekday{"monday"}},
		"hours: needs two different times":         {Hours: &audience.Hours{From: "9", Until: "17:00"}},
		"campaign: \"source\" must begin":          {Campaign: map[string][]string{"source": {"x"}}},
		"regions: the list is empty":               {Regions: []string{}},
		"page.kinds":                               {Page: &audience.Page{}},
		"groups lie more than 6 deep":              deep,
		"more than 100 conditions":                 many,
		"acts: \"sneezed\" is not an act":          {Acts: []audience.Act{"sneezed"}},
		"trial_arm: a trial and an arm are needed": {Arm: &audience.Arm{Trial: "t"}},
	} {
		_, err := audience.Compile(&c)
		require.Error(t, err, want)
		assert.Contains(t, err.Error(), strings.Replace(want, "page.kinds", "needs kinds", 1))
	}
}
