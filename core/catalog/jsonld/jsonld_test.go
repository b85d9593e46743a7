package jsonld_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/catalog/jsonld"
	"agonal.dev/agonal/core/money"
)

const page = `<!doctype html><html><head><title>Harbour Blue</title>
<script>let x = "<script>";</script>
<script type="application/ld+json">
{"@context": "https://schema.org", "@graph": [
  {"@type": "BreadcrumbList", "itemListElement": [{"@type": "ListItem", "name": "Inks"}]},
  {"@type": "ProductGroup", "productGroupID": "Harbour Blue", "name": "Harbour Blue", "description": "As the quay at noon.", "category": "Writing > Inks",
   "image": [{"@type": "ImageObject", "url": "https://shop.example/blue.jpg"}],
   "hasVariant": [
     {"@type": "Product", "sku": "BLUE-30", "size": "30 ml", "weight": {"value": "0.096", "unitCode": "KGM"},
      "offers": [{"@type": "Offer", "price": 14, "priceCurrency": "EUR", "availability": "https://schema.org/InStock"}, {"@type": "Offer", "price": "12.50", "priceCurrency": "GBP"}]},
     {"@type": "Product", "sku": "BLUE-4", "size": "4 ml", "offers": {"@type": "Offer", "price": "3.20", "priceCurrency": "EUR", "availability": "OutOfStock"}}
   ]}]}
</script>
<script type="application/ld+json">{"@type": "Product", "name": "Wax", "sku": "WAX", "url": "https://shop.example/things/red-wax.html?a=1", "offers": {"@type": "AggregateOffer", "offers": [{"@type": "Offer", "priceSpecification": {"price": 750}, "priceCurrency": "JPY"}]}}</script>
</head><body>…</body></html>`

func TestAPageTellsItsProducts(t *testing.T) {
	assert.True(t, jsonld.Is([]byte(page)))
	assert.False(t, jsonld.Is([]byte("product,title\r\nink,Ink")))
	got, faults := jsonld.Read([]byte(page))
	assert.Empty(t, faults)
	none := int64(0)
	assert.Equal(t, []catalog.Product{
		{
			ID: "harbour-blue", Title: "Harbour Blue", Description: "As the quay at noon.", Picture: "https://shop.example/blue.jpg", Collections: []string{"Inks"},
			Variants: []catalog.Variant{
				{SKU: "BLUE-30", Options: []catalog.Option{{Name: "size", Value: "30 ml"}}, Prices: map[money.Currency]catalog.Price{"EUR": {Price: 1400}, "GBP": {Price: 1250}}, Weight: 96},
				{SKU: "BLUE-4", Options: []catalog.Option{{Name: "size", Value: "4 ml"}}, Prices: map[money.Currency]catalog.Price{"EUR": {Price: 320}}, Stock: &none},
			},
		},
		{ID: "red-wax", Title: "Wax", Variants: []catalog.Variant{{SKU: "WAX", Prices: map[money.Currency]catalog.Price{"JPY": {Price: 750}}}}},
	}, got)
}

func TestVariantsFindTheirProduct(t *testing.T) {
	got, faults := jsonld.Read([]byte(`[
		{"@type": ["Product", "Thing"], "sku": "A", "color": "red", "isVariantOf": {"@type": "ProductGroup", "productGroupID": "pen", "name": "Pen"}, "offers": {"price": "1", "priceCurrency": "EUR"}},
		{"@type": "http://schema.org/Product", "sku": "B", "color": "blue", "isVariantOf": {"@type": "ProductGroup", "productGroupID": "pen", "name": "Pen"}, "offers": {"price": "2", "priceCurrency": "EUR"}}]`))
	assert.Empty(t, faults)
	require.Len(t, got, 1)
	assert.Equal(t, "Pen", got[0].Title)
	assert.Len(t, got[0].Variants, 2)
}

func TestWhatCannotBeReadIsNamed(t *testing.T) {
	one := func(rest string) string { return `{"@type": "Product", "name": "Ink", ` + rest + `}` }
	for text, want := range map[string]string{
		one(`"offers": {"price": "1", "priceCurrency": "EUR"}`): "Ink, sku: it has none",
		one(`"sku": "A"`): "A, offers: it has no price",
		one(`"sku": "A", "offers": {"@type": "AggregateOffer", "lowPrice": 1, "highPrice": 9, "priceCurrency": "EUR"}`):                                         "A, offers: only a range of prices",
		one(`"sku": "A", "offers": {"price": "1", "priceCurrency": "euros"}`):                                                                                   "A, priceCurrency:",
		one(`"sku": "A", "offers": {"price": "1.005", "priceCurrency": "EUR"}`):                                                                                 "A, price:",
		one(`"sku": "A", "offers": {"price": -1, "priceCurrency": "EUR"}`):                                                                                      "A, price:",
		one(`"sku": "A", "offers": [{"price": 1, "priceCurrency": "EUR"}, {"price": 2, "priceCurrency": "EUR"}]`):                                               "A, price: two prices in EUR",
		"[" + one(`"sku": "A", "offers": {"price": 1, "priceCurrency": "EUR"}`) + "," + one(`"sku": "A", "offers": {"price": 1, "priceCurrency": "EUR"}`) + "]": "A, sku: it stands here twice",
		`{"@type": "Recipe"}`: "There is no product in it",
		`{"@type": `:          "This is no JSON",
		`{} {}`:               "something follows",
		`<html><script type="application/ld+json">{</script>`: "is no JSON",
		`<p>nothing</p>`: "There is no product in it",
	} {
		_, faults := jsonld.Read([]byte(text))
		if assert.NotEmpty(t, faults, text) {
			assert.Contains(t, faults[0].Error(), want, text)
		}
	}
	_, faults := jsonld.Read([]byte(strings.Repeat(" ", jsonld.MostBytes+1)))
	assert.Contains(t, faults[0].Error(), "at most")
}

func TestWhatIsReadGoesOverWhatThereIs(t *testing.T) {
	five, cost := int64(5), money.Minor(400)
	have := []catalog.Product{{ID: "blue", Title: "Blue", Description: "Old.", Collections: []string{"Inks"}, Tags: []string{"sea"}, Variants: []catalog.Variant{
		{SKU: "A", Stock: &five, Weight: 96, TaxClass: "full", Prices: map[money.Currency]catalog.Price{"EUR": {Price: 1000, Cost: &cost}, "JPY": {Price: 1500}}},
		{SKU: "B", Prices: map[money.Currency]catalog.Price{"EUR": {Price: 300}}},
	}}}
	none := int64(0)
	read := []catalog.Product{
		{ID: "other-id", Title: "Harbour Blue", Variants: []catalog.Variant{{SKU: "A", Stock: &none, Prices: map[money.Currency]catalog.Price{"EUR": {Price: 1100}}}}},
		{ID: "blue", Title: "Blue", Variants: []catalog.Variant{{SKU: "C", Prices: map[money.Currency]catalog.Price{"EUR": {Price: 200}}}}},
		{ID: "new", Title: "New", Variants: []catalog.Variant{{SKU: "N", Prices: map[money.Currency]catalog.Price{"EUR": {Price: 100}}}}},
	}
	got := jsonld.Over(have, read)
	require.Len(t, got, 2)
	assert.Equal(t, catalog.Product{ID: "blue", Title: "Harbour Blue", Description: "Old.", Collections: []string{"Inks"}, Tags: []string{"sea"}, Variants: []catalog.Variant{
		{SKU: "A", Stock: &none, Weight: 96, TaxClass: "full", Prices: map[money.Currency]catalog.Price{"EUR": {Price: 1100, Cost: &cost}, "JPY": {Price: 1500}}},
		{SKU: "C", Prices: map[money.Currency]catalog.Price{"EUR": {Price: 200}}},
	}}, got[0])
	assert.Equal(t, "new", got[1].ID)
	assert.Equal(t, int64(5), *have[0].Variants[0].Stock, "what there is stays as it is until the file is brought in")
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(page))
	f.Add([]byte(`{"@graph":[{"@type":"Product","sku":"A","offers":{"price":1,"priceCurrency":"EUR"}}]}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		products, _ := jsonld.Read(b)
		seen := map[string]bool{}
		for _, p := range products {
			assert.NotEmpty(t, p.Variants)
			for _, v := range p.Variants {
				assert.False(t, seen[v.SKU])
				seen[v.SKU] = true
				for _, price := range v.Prices {
					assert.GreaterOrEqual(t, price.Price, money.Minor(0))
				}
			}
		}
	})
}
