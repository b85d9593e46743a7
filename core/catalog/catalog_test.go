package catalog_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

func ExampleFilter_Matches() {
	f := catalog.Filter{
		Include: catalog.Selection{Collections: []string{"Inks", "Pens"}},
		Exclude: catalog.Selection{Tags: []string{"heavy"}},
	}
	fmt.Println(f.Matches(&catalog.Facts{Collections: []string{"Inks"}}), f.Matches(&catalog.Facts{Collections: []string{"Inks"}, Tags: []string{"heavy"}}), f.Matches(&catalog.Facts{Collections: []string{"Paper"}}))
	// Output: true false false
}

func TestAScopeIsAnyValueOfAKindAndAllKindsTogetherMinusExclusions(t *testing.T) {
	yes, no := true, false
	ink := catalog.Facts{Product: "ink", Collections: []string{"Inks"}, Tags: []string{"blue"}, OnSale: true}
	for name, c := range map[string]struct {
		in, out catalog.Selection
		want    bool
	}{
		"everything":                     {catalog.Selection{}, catalog.Selection{}, true},
		"this product":                   {catalog.Selection{Products: []string{"pen", "ink"}}, catalog.Selection{}, true},
		"another product":                {catalog.Selection{Products: []string{"pen"}}, catalog.Selection{}, false},
		"collection and tag":             {catalog.Selection{Collections: []string{"Inks"}, Tags: []string{"blue", "red"}}, catalog.Selection{}, true},
		"collection, but not the tag":    {catalog.Selection{Collections: []string{"Inks"}, Tags: []string{"red"}}, catalog.Selection{}, false},
		"on sale":                        {catalog.Selection{OnSale: &yes}, catalog.Selection{}, true},
		"not on sale":                    {catalog.Selection{OnSale: &no}, catalog.Selection{}, false},
		"excluded by product":            {catalog.Selection{}, catalog.Selection{Products: []string{"ink"}}, false},
		"excluded by collection":         {catalog.Selection{Products: []string{"ink"}}, catalog.Selection{Collections: []string{"Inks"}}, false},
		"excluded by sale":               {catalog.Selection{}, catalog.Selection{OnSale: &yes}, false},
		"an exclusion that does not hit": {catalog.Selection{}, catalog.Selection{Tags: []string{"red"}, OnSale: &no}, true},
	} {
		assert.Equal(t, c.want, (&catalog.Filter{Include: c.in, Exclude: c.out}).Matches(&ink), name)
	}
}

func TestAMadeUpUnitIsInTheScopeItIsMadeFor(t *testing.T) {
	yes := true
	f := catalog.Filter{Include: catalog.Selection{Collections: []string{"Inks"}, Tags: []string{"blue"}, OnSale: &yes}, Exclude: catalog.Selection{Products: []string{""}, Tags: []string{"heavy"}}}
	carried := f.Carried()
	assert.True(t, f.Matches(&carried))
	assert.Empty(t, f.Carried().Product)
}

func TestCataloguesThatCannotBe(t *testing.T) {
	one := func(v catalog.Variant) []catalog.Product {
		return []catalog.Product{{ID: "p", Variants: []catalog.Variant{v}}}
	}
	minus := int64(-1)
	for name, ps := range map[string][]catalog.Product{
		"an id twice":    {{ID: "p"}, {ID: "p"}},
		"no id":          {{}},
		"a SKU twice":    {{ID: "a", Variants: []catalog.Variant{{SKU: "x"}}}, {ID: "b", Variants: []catalog.Variant{{SKU: "x"}}}},
		"no SKU":         one(catalog.Variant{}),
		"a minus price":  one(catalog.Variant{SKU: "x", Prices: map[money.Currency]catalog.Price{"EUR": {Price: -1}}}),
		"a huge price":   one(catalog.Variant{SKU: "x", Prices: map[money.Currency]catalog.Price{"EUR": {Price: money.Most + 1}}}),
		"a minus stock":  one(catalog.Variant{SKU: "x", Stock: &minus}),
		"a minus weight": one(catalog.Variant{SKU: "x", Weight: -1}),
	} {
		_, err := catalog.New(ps)
		assert.Error(t, err, name)
	}
}

func TestFeeBandsIncludeTheirLowerEnd(t *testing.T) {
	m := catalog.Method{Bands: []catalog.Band{{From: 0, Fee: 890}, {From: 10000, Fee: 490}, {From: 20000, Fee: 700}}}
	assert.Equal(t, []money.Minor{890, 890, 490, 490, 700}, []money.Minor{m.Fee(0, 0), m.Fee(9999, 0), m.Fee(10000, 0), m.Fee(19999, 0), m.Fee(20000, 0)})
	least, most := m.FeeRange(9000, 15000, 0)
	assert.Equal(t, [2]money.Minor{490, 890}, [2]money.Minor{least, most})
	least, most = m.FeeRange(0, 30000, 0)
	assert.Equal(t, [2]money.Minor{490, 890}, [2]money.Minor{least, most})
	heavy := catalog.Method{ByWeight: true, Bands: []catalog.Band{{From: 0, Fee: 890}, {From: 2000, Fee: 1290}}}
	assert.Equal(t, []money.Minor{890, 1290}, []money.Minor{heavy.Fee(99999, 1999), heavy.Fee(0, 2000)})
	least, most = heavy.FeeRange(0, 99999, 2000)
	assert.Equal(t, [2]money.Minor{1290, 1290}, [2]money.Minor{least, most})
}

func TestRegionsThatCannotBe(t *testing.T) {
	good := func() catalog.Region {
		return catalog.Region{ID: "home", Countries: []string{"DE"}, Currency: "EUR", Methods: []catalog.Method{{ID: "standard", Bands: []catalog.Band{{Fee: 590}}}}}
	}
	require.NoError(t, catalog.CheckRegions([]catalog.Region{good()}))
	for name, change := range map[string]func(*catalog.Region){
		"no country":        func(r *catalog.Region) { r.Countries = nil },
		"no such currency":  func(r *catalog.Region) { r.Currency = "XYZ" },
		"a country in full": func(r *catalog.Region) { r.Countries = []string{"Germany"} },
		"bands that fall":   func(r *catalog.Region) { r.Methods[0].Bands = []catalog.Band{{From: 0}, {From: 50}, {From: 50}} },
		"a first band late": func(r *catalog.Region) { r.Methods[0].Bands = []catalog.Band{{From: 5}} },
		"a fee below zero":  func(r *catalog.Region) { r.Methods[0].Bands[0].Fee = -1 },
	} {
		r := good()
		change(&r)
		assert.Error(t, catalog.CheckRegions([]catalog.Region{r}), name)
	}
	assert.ErrorContains(t, catalog.CheckRegions([]catalog.Region{good(), {ID: "eu", Countries: []string{"DE"}, Currency: "EUR"}}), "DE is also in region home")
}

func TestNamesOfMethodsFallBackToEnglish(t *testing.T) {
	m := catalog.Method{ID: "standard", Names: map[string]string{"en": "standard shipping", "de": "Standardversand"}}
	assert.Equal(t, []string{"Standardversand", "standard shipping", "standard"}, []string{m.Name("de"), m.Name("ja"), catalog.Method{ID: "standard"}.Name("ja")})
}
