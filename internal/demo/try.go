package demo

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/app"
)

// TryGoods returns the made-up shop's goods for another shop to try things out with.
// In a currency that they have no price in, they cost what they cost in euros, or
// 150 times as many where the currency has no decimals: made-up prices.
func TryGoods(currencies []money.Currency) []catalog.Product {
	goods := Goods()
	for i := range goods {
		goods[i].Tags = append(slices.Clone(goods[i].Tags), app.TriedTag)
		for j := range goods[i].Variants {
			v := &goods[i].Variants[j]
			euros, sold := v.Prices["EUR"]
			for _, c := range currencies {
				if _, has := v.Prices[c]; !has && sold {
					v.Prices[c] = inCurrency(euros, c)
				}
			}
		}
	}
	return goods
}

func inCurrency(euros catalog.Price, c money.Currency) catalog.Price {
	as := func(m money.Minor) money.Minor {
		if c.Digits() == 0 {
			return m * 150 / 100
		}
		for range c.Digits() - 2 {
			m *= 10
		}
		return m
	}
	out := catalog.Price{Price: as(euros.Price)}
	if euros.Cost != nil {
		cost := as(*euros.Cost)
		out.Cost = &cost
	}
	return out
}
