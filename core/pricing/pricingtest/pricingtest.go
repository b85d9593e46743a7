// Package pricingtest makes small random pricing problems for property tests.
package pricingtest

import (
	"fmt"

	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Small draws a problem with amounts of up to a few hundred minor units, so that
// a test can try every addition in turn. Line 0 is an added unit of price 0.
func Small(t *rapid.T) *pricing.Problem {
	n := rapid.IntRange(1, 4).Draw(t, "lines") + 1
	p := &pricing.Problem{
		Mode:        pricing.Mode(rapid.IntRange(0, 2).Draw(t, "mode") / 2),
		TaxShown:    rapid.Bool().Draw(t, "tax shown"),
		ShippingTax: money.Rate(rapid.SampledFrom([]int64{0, 190_000}).Draw(t, "shipping tax")),
		Lines:       make([]pricing.Line, n),
		Grams:       100,
	}
	rates := []int64{0, 70_000, 190_000}
	for i := range p.Lines {
		p.Lines[i].Tax = money.Rate(rapid.SampledFrom(rates).Draw(t, "tax"))
		if i > 0 {
			p.Lines[i].Amount = rapid.Int64Range(0, 90).Draw(t, "amount")
			p.Lines[i].GiftCard = rapid.IntRange(0, 9).Draw(t, "gift card") == 0
		}
	}
	for m := range rapid.IntRange(0, 2).Draw(t, "methods") {
		p.Methods = append(p.Methods, fees(t, m))
	}
	for i := range rapid.IntRange(0, 3).Draw(t, "orders") {
		counted := scope(t, p)
		o := pricing.Order{
			Key:     pricing.Key{Priority: rapid.IntRange(1, 3).Draw(t, "priority"), Nudge: fmt.Sprintf("order-%d", i)},
			Goal:    pricing.Goal{Scope: counted, Threshold: rapid.Int64Range(0, 120).Draw(t, "threshold"), WithoutTax: rapid.Bool().Draw(t, "net")},
			Lines:   append(pricing.Scope{}, counted...),
			Percent: money.Rate(rapid.SampledFrom([]int64{50_000, 100_000, 125_000, 333_300}).Draw(t, "percent")),
		}
		if rapid.IntRange(0, 3).Draw(t, "capped") == 0 {
			o.Cap = rapid.Int64Range(1, 20).Draw(t, "cap")
		}
		p.Orders = append(p.Orders, o)
	}
	for i := range rapid.IntRange(1, 3).Draw(t, "ships") {
		s := pricing.Shipping{
			Key:  pricing.Key{Priority: rapid.IntRange(1, 3).Draw(t, "priority"), Nudge: fmt.Sprintf("ship-%d", i)},
			Goal: pricing.Goal{Scope: scope(t, p), Basis: pricing.Basis(rapid.IntRange(0, 2).Draw(t, "basis") % 2), Threshold: rapid.Int64Range(0, 120).Draw(t, "threshold"), WithoutTax: rapid.IntRange(0, 2).Draw(t, "net") == 0},
		}
		for range p.Methods {
			s.By = append(s.By, pricing.ShippingReward{
				Form:   pricing.ShippingForm(rapid.IntRange(0, 3).Draw(t, "form")),
				Amount: rapid.Int64Range(1, 15).Draw(t, "off"),
			})
		}
		p.Ships = append(p.Ships, s)
	}
	pricing.SortRungs(p)
	return p
}

// scope draws which lines are counted, gift cards never; the added unit often.
func scope(t *rapid.T, p *pricing.Problem) pricing.Scope {
	s := make(pricing.Scope, len(p.Lines))
	everything := rapid.Bool().Draw(t, "everything")
	for i, l := range p.Lines {
		s[i] = !l.GiftCard && (everything || rapid.IntRange(0, 2).Draw(t, "in") > 0)
	}
	return s
}

func fees(t *rapid.T, m int) catalog.Method {
	method := catalog.Method{ID: fmt.Sprint(m), ByWeight: rapid.IntRange(0, 3).Draw(t, "by weight") == 0}
	from := int64(0)
	for range rapid.IntRange(1, 3).Draw(t, "bands") {
		method.Bands = append(method.Bands, catalog.Band{From: from, Fee: rapid.Int64Range(0, 25).Draw(t, "fee")})
		from += rapid.Int64Range(1, 100).Draw(t, "band")
	}
	return method
}

// Alone returns the least price at which the added unit alone, under every order
// reward there is, makes the goal; false where none up to 2,000 does.
func Alone(p *pricing.Problem, goal pricing.Goal) (money.Minor, bool) {
	q := *p
	q.Lines = make([]pricing.Line, len(p.Lines))
	q.Lines[0] = p.Lines[0]
	given := make([]bool, len(p.Orders))
	for i := range given {
		given[i] = true
	}
	for x := money.Minor(1); x < 2000; x++ {
		q.Lines[0].Amount = x
		if q.GoalHolds(goal, q.AfterOrders(given)) {
			return x, true
		}
	}
	return 0, false
}
