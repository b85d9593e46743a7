package cases_test

import (
	"fmt"
	"os"

	"agonal.dev/agonal/core/cases"
)

func ExampleLoad() {
	all, err := cases.Load(os.DirFS("data"))
	fmt.Println(len(all) >= 150, err)
	fmt.Println(all[0].Run()) // what came out otherwise than expected
	// Output:
	// true <nil>
	// []
}
