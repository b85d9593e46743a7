package nudge_test

import (
	"fmt"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

func ExampleParse() {
	_, err := nudge.Parse([]byte(`{"version": 1, "name": "Free shipping", "ladderr": {}}`))
	fmt.Println(err)
	// Output: ladderr: this field is not known
}

func ExampleRewardsText() {
	ten := money.Rate(100_000)
	fmt.Println(nudge.RewardsText([]nudge.Reward{{Kind: nudge.FreeShipping}, {Kind: nudge.OrderPercent, Percent: &ten}}, nudge.Voice{Language: "en", Locale: "en"}))
	// Output: free shipping and 10 % off the order
}
