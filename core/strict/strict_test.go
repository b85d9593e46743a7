package strict_test

import (
	"fmt"

	"agonal.dev/agonal/core/strict"
)

func ExampleDecode() {
	var v struct {
		Units int64 `json:"units"`
	}
	fmt.Println(strict.Decode([]byte(`{"units": 3}`), &v, "request", 1<<10), v.Units)
	fmt.Println(strict.Decode([]byte(`{"unit": 3}`), &v, "request", 1<<10))
	// Output:
	// <nil> 3
	// unit: this field is not known
}
