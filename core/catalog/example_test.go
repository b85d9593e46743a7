package catalog_test

import (
	"fmt"

	"agonal.dev/agonal/core/catalog"
)

func ExampleMethod_Fee() {
	m := catalog.Method{Bands: []catalog.Band{{From: 0, Fee: 590}, {From: 6000, Fee: 290}}}
	fmt.Println(m.Fee(5999, 0), m.Fee(6000, 0))
	// Output: 590 290
}

func ExampleRegion_Covers() {
	r := catalog.Region{Countries: []string{"AT"}}
	_, ok := r.Covers("AT", "1010")
	_, elsewhere := r.Covers("DE", "10115")
	fmt.Println(ok, elsewhere)
	// Output: true false
}

func ExamplePostcode() {
	fmt.Println(catalog.Postcode(" sw1a 1aa "))
	// Output: SW1A1AA
}
