package demo

import (
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

func names(en, de, pl, ja string) map[string]string {
	return map[string]string{"en": en, "de": de, "pl": pl, "ja": ja}
}

var (
	standard = names("standard shipping", "Standardversand", "dostawa standardowa", "通常配送")
	express  = names("express", "Expressversand", "dostawa ekspresowa", "速達")
)

// Regions returns where Lindquill delivers.
func Regions() []catalog.Region {
	return []catalog.Region{
		{
			ID: "home", Name: "Home", Countries: []string{"DE"}, Languages: []string{"en", "de"}, Currency: "EUR", TaxShown: true, PriorPrice: true,
			Tax: map[string]money.Rate{"": 190_000, "reduced": 70_000}, ShippingTax: 190_000,
			Methods: []catalog.Method{
				{ID: "standard", Names: standard, Cost: 410, Bands: []catalog.Band{{From: 0, Fee: 590}}},
				{ID: "express", Names: express, Cost: 990, Bands: []catalog.Band{{From: 0, Fee: 1290}}},
			},
		},
		{
			ID: "eu", Name: "EU", Countries: []string{"AT", "BE", "CZ", "DK", "ES", "FI", "FR", "IE", "IT", "LU", "NL", "PL", "PT", "SE"},
			Languages: []string{"en", "pl", "de"}, Currency: "EUR", TaxShown: true,
			Tax: map[string]money.Rate{"": 210_000, "reduced": 90_000}, ShippingTax: 210_000,
			Methods: []catalog.Method{
				{ID: "standard", Names: standard, Cost: 780, ByWeight: true, Bands: []catalog.Band{{From: 0, Fee: 890}, {From: 2000, Fee: 1290}, {From: 5000, Fee: 1890}}},
				{ID: "express", Names: express, Cost: 1650, Bands: []catalog.Band{{From: 0, Fee: 1990}}},
			},
		},
		{
			ID: "uk", Name: "UK", Countries: []string{"GB"}, Languages: []string{"en"}, Currency: "GBP", TaxShown: true,
			Tax: map[string]money.Rate{"": 200_000}, ShippingTax: 200_000,
			Methods: []catalog.Method{
				{ID: "standard", Names: standard, Cost: 760, Bands: []catalog.Band{{From: 0, Fee: 890}, {From: 10000, Fee: 490}}},
			},
		},
		{
			ID: "jp", Name: "Japan", Countries: []string{"JP"}, Languages: []string{"ja", "en"}, Currency: "JPY", TaxShown: false,
			Tax: map[string]money.Rate{"": 100_000}, ShippingTax: 100_000,
			Methods: []catalog.Method{
				{ID: "standard", Names: standard, Cost: 1500, ByWeight: true, Bands: []catalog.Band{{From: 0, Fee: 1800}, {From: 1500, Fee: 2600}}},
			},
		},
	}
}
