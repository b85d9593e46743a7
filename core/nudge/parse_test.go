package nudge_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

const good = `{"version":1,"name":"Winter ladder","ladder":{"basis":"after_order","rungs":[{"thresholds":{"home":"60.00 EUR","jp":"9000 JPY"},"rewards":[{"kind":"free_shipping","methods":["standard"]}]}]},"audience":{"regions":["home","jp"]},"placements":["top_bar"],"wording":{"en":{"not_yet":"Add {to_add} and {reward} is yours."}}}`

var home = catalog.Region{ID: "home", Name: "Home", Currency: "EUR", Methods: []catalog.Method{{ID: "standard", Names: map[string]string{"en": "standard shipping", "de": "Standardversand"}, Bands: []catalog.Band{{Fee: 590}}}}}

func ExampleDefinition_Say() {
	d, err := nudge.Parse([]byte(good))
	fmt.Println(d.Say(nudge.Voice{Region: home, Locale: "en"}), err)
	// Output: From €60.00, standard shipping is free. <nil>
}

func ExampleParseSentence() {
	pieces, err := nudge.ParseSentence("Add {to_add} for {{free}}.")
	fmt.Println(len(pieces), pieces[2].Text, err)
	_, err = nudge.ParseSentence("Add {amount}.")
	fmt.Println(err)
	// Output:
	// 3  for {free}. <nil>
	// at character 5: {amount} is not known; use {to_add}, {threshold}, {reward}, {next_reward}, {next_to_add}, {counted}, {to_add_number}, {threshold_number}, {counted_number}, {next_to_add_number}, {product}, {offered}, {instead_of}, {offer_price}, {difference} or {order_total}
}

func TestDefinitionsAreRefusedByField(t *testing.T) {
	for field, change := range map[string][2]string{
		"colour":                             {`"name"`, `"colour":"red","name"`},
		"version":                            {`"version":1`, `"version":2`},
		"ladder.basis":                       {`after_order`, `after_lunch`},
		"ladder.rungs[0].rewards[0].kind":    {`free_shipping`, `free_lunch`},
		"ladder.rungs[0].thresholds.home":    {`60.00 EUR`, `-60.00 EUR`},
		"placements[0]":                      {`top_bar`, `roof`},
		"wording.en.not_yet":                 {`{to_add}`, `{to_ad}`},
		"ladder.rungs[0].rewards[0].percent": {`"kind":"free_shipping"`, `"kind":"free_shipping","percent":"10"`},
		"look.tone":                          {`"placements"`, `"look":{"tone":"pink"},"placements"`},
		"audience.pages[0]":                  {`"audience":{`, `"audience":{"pages":["attic"],`},
		"schedule.until":                     {`"placements"`, `"schedule":{"from":"2026-12-02T00:00:00Z","until":"2026-12-01T00:00:00Z"},"placements"`},
	} {
		_, err := nudge.Parse([]byte(strings.Replace(good, change[0], change[1], 1)))
		require.Error(t, err, field)
		assert.Contains(t, err.Error(), field)
	}
}

func TestAGoalMayNotLookAtItsOwnClass(t *testing.T) {
	_, err := nudge.Parse([]byte(strings.Replace(good, `{"kind":"free_shipping","methods":["standard"]}`, `{"kind":"order_percent","percent":"10"}`, 1)))
	var field nudge.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "ladder.basis", field.Field)
}

func TestSentencesOfEveryRewardInFourLanguages(t *testing.T) {
	ten := money.Rate(125_000)
	for _, c := range []struct {
		r    nudge.Reward
		lang string
		want string
	}{
		{nudge.Reward{Kind: nudge.FreeShipping, Methods: []string{"standard"}}, "en", "free standard shipping"},
		{nudge.Reward{Kind: nudge.FreeShipping, Methods: []string{"standard"}}, "de", "kostenloser Standardversand"},
		{nudge.Reward{Kind: nudge.FreeShipping}, "ja", "配送料無料"},
		{nudge.Reward{Kind: nudge.FreeShipping}, "pl", "dostawa gratis"},
		{nudge.Reward{Kind: nudge.OrderPercent, Percent: &ten}, "de", "12,5 % auf die Bestellung"},
		{nudge.Reward{Kind: nudge.OrderPercent, Percent: &ten, Cap: nudge.Amounts{"home": {Minor: 900, Currency: "EUR"}}}, "en", "12.5 % off the order, up to €9.00"},
		{nudge.Reward{Kind: nudge.ShippingFlat, Amounts: nudge.Amounts{"home": {Minor: 490, Currency: "EUR"}}}, "en", "shipping for at most €4.90"},
		{nudge.Reward{Kind: nudge.ShippingOff, Amounts: nudge.Amounts{"home": {Minor: 200, Currency: "EUR"}}}, "en", "€2.00 off shipping"},
	} {
		assert.Equal(t, c.want, nudge.RewardsText([]nudge.Reward{c.r}, nudge.Voice{Region: home, Language: c.lang, Locale: "en"}))
	}
}

func TestSentencesHaveLimits(t *testing.T) {
	_, err := nudge.ParseSentence(strings.Repeat("x", 10_000))
	assert.ErrorContains(t, err, "at most 280")
	for _, bad := range []string{"{to_add", "to add}", "{}", "\xff"} {
		_, err := nudge.ParseSentence(bad)
		assert.Error(t, err, bad)
	}
	p, err := nudge.ParseSentence("<script>alert(1)</script>")
	require.NoError(t, err)
	assert.Equal(t, "<script>alert(1)</script>", p[0].Text, "markup is text")
}

func TestEveryStartIsWellFormed(t *testing.T) {
	eur := func(m money.Minor) map[money.Currency]catalog.Price {
		return map[money.Currency]catalog.Price{"EUR": {Price: m}}
	}
	var goods []catalog.Product
	for i, price := range []money.Minor{1400, 320, 290, 320, 360, 320, 290} {
		id := string(rune('a' + i))
		goods = append(goods, catalog.Product{ID: id, Title: id, Collections: []string{"Inks"}, Variants: []catalog.Variant{{SKU: id, Prices: eur(price)}}})
	}
	cat, err := catalog.New(append([]catalog.Product{{ID: "card", Title: "card", GiftCard: true, Variants: []catalog.Variant{{SKU: "card", Prices: eur(100)}}}}, goods...))
	require.NoError(t, err)
	for _, s := range nudge.Starts() {
		d := s.Build([]catalog.Region{home}, cat)
		require.NoError(t, d.Valid(), s.ID)
		switch r := d.Ladder.Rungs[0].Rewards[0]; s.ID {
		case "gift":
			assert.Equal(t, []nudge.Item{{SKU: "c"}, {SKU: "g"}}, r.Items, "the cheapest that are no gift card")
		case "set":
			// The five cheapest cost 2.90 + 2.90 + 3.20 + 3.20 + 3.20 = 15.40; six sevenths are 13.20.
			assert.Equal(t, "13.00 EUR", r.Amounts["home"].String())
			assert.Equal(t, []string{"Inks"}, d.Ladder.Scope.Include.Collections)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(good))
	f.Add([]byte(`{}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		d, err := nudge.Parse(b)
		if err != nil {
			return
		}
		first, err := nudge.Print(d)
		require.NoError(t, err)
		back, err := nudge.Parse(first)
		require.NoError(t, err)
		second, err := nudge.Print(back)
		require.NoError(t, err)
		assert.Equal(t, string(first), string(second))
	})
}

func FuzzParseSentence(f *testing.F) {
	f.Add("Add {to_add} for {{x}}.")
	f.Fuzz(func(t *testing.T, s string) {
		p, err := nudge.ParseSentence(s)
		if err != nil {
			return
		}
		back, err := nudge.ParseSentence(nudge.PrintSentence(p))
		require.NoError(t, err)
		assert.Equal(t, p, back)
	})
}
