package search_test

import (
	"fmt"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/search"
)

// 5 % off the order from 50.00, free shipping (5.90) from 60.00 after it; the cart
// holds 62.00. With the 5 % goods fall to 58.90 and shipping is due: 64.80. Left
// out, goods are 62.00 and shipping is free.
func ExampleSolve() {
	all := pricing.Scope{true}
	five, _ := money.ParsePercent("5")
	p := &pricing.Problem{
		TaxShown: true,
		Lines:    []pricing.Line{{Unit: 6200, Quantity: 1, Amount: 6200}},
		Orders:   []pricing.Order{{Key: pricing.Key{Priority: 1, Nudge: "five"}, Nudge: -1, Lines: all, Percent: five, Goal: pricing.Goal{Scope: all, Basis: pricing.AfterUnit, Threshold: 5000}}},
		Ships:    []pricing.Shipping{{Key: pricing.Key{Priority: 2, Nudge: "free"}, Nudge: -1, By: []pricing.ShippingReward{{Form: pricing.Free}}, Goal: pricing.Goal{Scope: all, Basis: pricing.AfterOrder, Threshold: 6000}}},
		Methods:  []pricing.Fees{catalog.Method{Bands: []catalog.Band{{Fee: 590}}}},
	}
	o := search.Solve(p)
	fmt.Println(o.ToPay, o.Fee, o.OrderGiven, o.Exact)
	p.Mode = pricing.ByPriority
	fmt.Println(search.Solve(p).ToPay)
	// Output:
	// 6200 0 [false] true
	// 6480
}

// A rung is reached, or outdone where something better stands in its place.
func ExampleProblem_Status() {
	all := pricing.Scope{true}
	p := &pricing.Problem{TaxShown: true, Lines: []pricing.Line{{Unit: 1000, Quantity: 1, Amount: 1000}}}
	for i, off := range []money.Minor{200, 300} {
		p.Nudges = append(p.Nudges, pricing.Nudge{Group: "winter"}) // one of the group is given
		p.Orders = append(p.Orders, pricing.Order{Key: pricing.Key{Priority: i, Nudge: fmt.Sprint(i)}, Nudge: i, Lines: all, Amount: off, Goal: pricing.Goal{Scope: all}})
	}
	o := search.Solve(p)
	for i := range p.Orders {
		fmt.Println(p.Status(&o, pricing.Ref{Class: pricing.OrderClass, Index: i}) == pricing.Reached)
	}
	// Output:
	// false
	// true
}
