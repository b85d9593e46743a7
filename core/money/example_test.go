package money_test

import (
	"fmt"
	"math"

	"agonal.dev/agonal/core/money"
)

func ExampleParseAmount() {
	a, err := money.ParseAmount("60.00 EUR")
	fmt.Println(a.Minor, err)
	a, err = money.ParseAmount("60 JPY")
	fmt.Println(a.Minor, err)
	// Output:
	// 6000 <nil>
	// 60 <nil>
}

func ExampleParseTyped() {
	m, err := money.ParseTyped("1.234,50 €", "de", "EUR")
	fmt.Println(m, err)
	_, err = money.ParseTyped("12,555", "de", "EUR")
	fmt.Println(err != nil)
	// Output:
	// 123450 <nil>
	// true
}

func ExampleFormat() {
	fmt.Println(money.Format(money.Amount{Minor: 123450, Currency: "EUR"}, "en"))
	// Output: €1,234.50
}

func ExampleRate_Of() {
	rate, _ := money.ParsePercent("15")
	off, _ := rate.Of(333) // 49.95
	fmt.Println(off, 333-off)
	// Output: 50 283
}

func ExampleRate_Within() {
	rate, _ := money.ParsePercent("19")
	tax, _ := rate.Within(11900)
	fmt.Println(tax)
	// Output: 1900
}

func ExampleAdd() {
	_, err := money.Add(math.MaxInt64, 1)
	fmt.Println(err)
	// Output: the amount is too large
}

func ExampleMulDiv() {
	m, _ := money.MulDiv(-5, 1, 2) // half away from zero
	fmt.Println(m)
	// Output: -3
}
