package decide_test

import (
	"fmt"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/snapshot"
)

func ExampleParseRequest() {
	r, err := decide.ParseRequest([]byte(`{"cart": {"lines": [{"sku": "INK-01", "quantity": 2}]}}`))
	fmt.Println(r.Cart.Lines[0].SKU, r.Cart.Lines[0].Quantity, err)
	_, err = decide.ParseRequest([]byte(`{"cart": {"line": []}}`))
	fmt.Println(err)
	// Output:
	// INK-01 2 <nil>
	// line: this field is not known
}

func ExampleParseShop() {
	_, err := snapshot.ParseShop([]byte(`{"version": 2, "regions": [], "products": [], "nudges": []}`))
	fmt.Println(err)
	// Output: version: must be 1
}
