package choice_test

import (
	"fmt"

	"agonal.dev/agonal/core/choice"
)

// Three acceptances in twenty shows, on top of one in twenty believed beforehand,
// against none seen: 2.00 gained rarely is less than 1.20 gained often.
func ExampleGain_Compare() {
	often := choice.Posterior(120, 1, 19, 20, 3) // 120 × 4 ÷ 40 = 12
	rarely := choice.Posterior(200, 1, 19, 0, 0) // 200 × 1 ÷ 20 = 10
	fmt.Println(often.Compare(rarely))
	// Output: 1
}
