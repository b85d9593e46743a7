package audience_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

const (
	no      = audience.False
	unknown = audience.Unknown
	holds   = audience.True
)

// verdict is what a condition makes of some facts.
type verdict struct {
	why   string
	facts audience.Facts
	want  audience.Truth
}

func judged(t *testing.T, c audience.Condition, all ...verdict) {
	t.Helper()
	tree, err := audience.Compile(&c)
	require.NoError(t, err)
	for _, v := range all {
		got := tree.Holds(&v.facts)
		assert.Equal(t, v.want, got, "%s: %s, not %s", v.why, v.want, got)
	}
}

// lines makes a cart of pieces of goods in collection ink, each at 10.00 and 100 g.
func lines(quantities ...int64) audience.Facts {
	f := audience.Facts{Region: "home"}
	for i, q := range quantities {
		g := &catalog.Facts{Product: string(rune('a' + i)), SKU: string(rune('a' + i)), Collections: []string{"ink"}, OnSale: i == 1}
		f.Lines = append(f.Lines, audience.Line{Goods: g, Quantity: q, Amount: 1000 * q, Grams: 100 * q})
	}
	return f
}

func eur(cents money.Minor) map[string]money.Amount {
	return map[string]money.Amount{"home": {Minor: cents, Currency: "EUR"}}
}

func TestWhatTheCartHolds(t *testing.T) {
	card := lines(2)
	card.Lines[0].GiftCard = true
	abroad := lines(2)
	abroad.Region = "jp"
	judged(t, audience.Condition{CartValue: &audience.Money{Least: eur(2000), Most: eur(3000)}},
		verdict{"20.00 is the lower end", lines(2), holds}, verdict{"10.00 is below it", lines(1), no},
		verdict{"30.00 is the upper end", lines(3), holds}, verdict{"40.00 is above it", lines(3, 1), no},
		verdict{"a gift card is no value", card, no}, verdict{"another region has no amount", abroad, no})
	judged(t, audience.Condition{CartValue: &audience.Money{Most: eur(2000)}}, verdict{"no amount for the region", abroad, no}, verdict{"20.00", lines(2), holds})
	judged(t, audience.Condition{Units: &audience.Count{Least: number(2), Most: number(3)}},
		verdict{"two", lines(1, 1), holds}, verdict{"one", lines(1), no}, verdict{"three", lines(3), holds}, verdict{"four", lines(2, 2), no},
		verdict{"a gift card is a piece", card, holds})
	judged(t, audience.Condition{Units: &audience.Count{Exactly: number(2)}}, verdict{"two", lines(2), holds}, verdict{"three", lines(3), no}, verdict{"one", lines(1), no})
	judged(t, audience.Condition{Distinct: &audience.Count{Least: number(2)}}, verdict{"two products", lines(1, 1), holds}, verdict{"one product", lines(5), no})
	judged(t, audience.Condition{Weight: &audience.Count{Least: number(300)}}, verdict{"300 g", lines(2, 1), holds}, verdict{"200 g", lines(2), no})
	judged(t, audience.Condition{Sale: yes(true)}, verdict{"the second is on sale", lines(1, 1), holds}, verdict{"nothing is", lines(1), no})
	judged(t, audience.Condition{Sale: yes(false)}, verdict{"the second is on sale", lines(1, 1), no}, verdict{"nothing is", lines(1), holds})
	judged(t, audience.Condition{Empty: yes(true)}, verdict{"nothing", lines(), holds}, verdict{"something", lines(1), no})
	ink := catalog.Filter{Include: catalog.Selection{Collections: []string{"ink"}}}
	judged(t, audience.Condition{Holds: &audience.Holds{Goods: ink, Count: audience.Count{Least: number(3)}}},
		verdict{"three of it", lines(2, 1), holds}, verdict{"two of it", lines(2), no})
	first := catalog.Filter{Include: catalog.Selection{Products: []string{"a"}}}
	judged(t, audience.Condition{Only: &first}, verdict{"nothing else", lines(2), holds}, verdict{"something else", lines(2, 1), no}, verdict{"nothing at all", lines(), no})
	entered := lines()
	entered.Codes = []string{"spring", " ten "}
	judged(t, audience.Condition{Code: "TEN"}, verdict{"however it is written", entered, holds}, verdict{"none", lines(), no})
}

func TestWhereItGoes(t *testing.T) {
	judged(t, audience.Condition{Regions: []string{"home"}}, verdict{"home", audience.Facts{Region: "home"}, holds}, verdict{"jp", audience.Facts{Region: "jp"}, no})
	judged(t, audience.Condition{Countries: []string{"DE"}},
		verdict{"there", audience.Facts{Country: "DE"}, holds}, verdict{"elsewhere", audience.Facts{Country: "FR"}, no}, verdict{"no destination", audience.Facts{}, unknown})
	judged(t, audience.Condition{Postcodes: []string{"27 4"}},
		verdict{"begins so", audience.Facts{Postcode: "27498"}, holds}, verdict{"begins otherwise", audience.Facts{Postcode: "28498"}, no}, verdict{"none", audience.Facts{}, unknown})
	judged(t, audience.Condition{Methods: []string{"express"}},
		verdict{"chosen", audience.Facts{Method: "express"}, holds}, verdict{"another", audience.Facts{Method: "standard"}, no}, verdict{"none chosen", audience.Facts{}, unknown})
}

func TestWhoIsShopping(t *testing.T) {
	at := time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	ago := func(d time.Duration) *time.Time { then := at.Add(-d); return &then }
	day := 24 * time.Hour
	nobody := verdict{"nothing is known", audience.Facts{}, unknown}
	judged(t, audience.Condition{SignedIn: yes(true)}, verdict{"signed in", audience.Facts{SignedIn: yes(true)}, holds}, verdict{"not", audience.Facts{SignedIn: yes(false)}, no}, nobody)
	judged(t, audience.Condition{Groups: []string{"trade"}},
		verdict{"in it", audience.Facts{Groups: []string{"press", "trade"}}, holds}, verdict{"in none", audience.Facts{Groups: []string{}}, no}, nobody)
	judged(t, audience.Condition{Orders: &audience.Count{Most: number(1)}},
		verdict{"one", audience.Facts{Orders: number(1)}, holds}, verdict{"two", audience.Facts{Orders: number(2)}, no}, nobody)
	judged(t, audience.Condition{Since: &audience.Count{Least: number(30)}},
		verdict{"30 full days", audience.Facts{At: at, LastOrder: ago(30 * day)}, holds}, verdict{"a second less", audience.Facts{At: at, LastOrder: ago(30*day - time.Second)}, no},
		verdict{"never ordered", audience.Facts{At: at, Orders: number(0)}, no}, verdict{"ordered, not known when", audience.Facts{At: at, Orders: number(2)}, unknown},
		verdict{"no moment", audience.Facts{LastOrder: ago(day)}, unknown})
	spent := func(m money.Minor) audience.Facts { return audience.Facts{Region: "home", Lifetime: &m} }
	judged(t, audience.Condition{Lifetime: &audience.Money{Least: eur(50000)}}, verdict{"500.00", spent(50000), holds}, verdict{"499.99", spent(49999), no}, nobody)
	judged(t, audience.Condition{Bought: []string{"ink"}},
		verdict{"bought", audience.Facts{Bought: []string{"pen", "ink"}}, holds}, verdict{"not bought", audience.Facts{Bought: []string{}}, no}, nobody)
}

func TestTheVisit(t *testing.T) {
	judged(t, audience.Condition{Campaign: map[string][]string{"utm_source": {"letter", "card"}, "utm_medium": {"post"}}},
		verdict{"both", audience.Facts{Campaign: map[string]string{"utm_source": "card", "utm_medium": "post"}}, holds},
		verdict{"one of them", audience.Facts{Campaign: map[string]string{"utm_source": "card"}}, no}, verdict{"none", audience.Facts{}, no})
	judged(t, audience.Condition{Devices: []audience.Device{audience.Phone}},
		verdict{"a phone", audience.Facts{Device: audience.Phone}, holds}, verdict{"a tablet", audience.Facts{Device: audience.Tablet}, no}, verdict{"not known", audience.Facts{}, unknown})
	judged(t, audience.Condition{Acts: []audience.Act{audience.Leaving, audience.ItemAdded}},
		verdict{"it has happened", audience.Facts{Acts: []audience.Act{audience.ItemAdded}}, holds}, verdict{"something else has", audience.Facts{Acts: []audience.Act{audience.LinkShared}}, no})
	judged(t, audience.Condition{Arm: &audience.Arm{Trial: "t", Arm: "b"}},
		verdict{"in it", audience.Facts{Arms: map[string]string{"t": "b"}}, holds}, verdict{"in the other", audience.Facts{Arms: map[string]string{"t": "a"}}, no}, verdict{"in none", audience.Facts{}, unknown})
	ink := catalog.Filter{Include: catalog.Selection{Collections: []string{"ink"}}}
	shows := func(kind string, goods *catalog.Facts, stock, image *bool) audience.Facts {
		return audience.Facts{Page: kind, Goods: goods, InStock: stock, HasImage: image}
	}
	bottle := &catalog.Facts{Product: "a", Collections: []string{"ink"}}
	judged(t, audience.Condition{Page: &audience.Page{Kinds: []string{"product"}, Goods: &ink, InStock: yes(true), HasImage: yes(true)}},
		verdict{"all of it", shows("product", bottle, yes(true), yes(true)), holds},
		verdict{"another page", shows("cart", bottle, yes(true), yes(true)), no},
		verdict{"other goods", shows("product", &catalog.Facts{Product: "b"}, yes(true), yes(true)), no},
		verdict{"out of stock", shows("product", bottle, yes(false), yes(true)), no},
		verdict{"without an image", shows("product", bottle, yes(true), yes(false)), no},
		verdict{"the stock is not known", shows("product", bottle, nil, yes(true)), unknown},
		verdict{"the image is not known", shows("product", bottle, yes(true), nil), unknown},
		verdict{"what is false stays so", shows("product", bottle, yes(false), nil), no})
	judged(t, audience.Condition{Page: &audience.Page{Goods: &ink}}, verdict{"no page", audience.Facts{}, unknown}, verdict{"a page without goods", shows("home", nil, nil, nil), no})
}

func TestTheMoment(t *testing.T) {
	berlin, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	at := func(day, hour, minute int) audience.Facts {
		return audience.Facts{At: time.Date(2026, 11, day, hour, minute, 0, 0, berlin).UTC(), Zone: berlin}
	}
	never := verdict{"no moment", audience.Facts{}, unknown}
	from, until := at(25, 9, 0).At, at(26, 9, 0).At
	judged(t, audience.Condition{Between: &audience.Between{From: &from, Until: &until}},
		verdict{"its beginning", at(25, 9, 0), holds}, verdict{"before it", at(25, 8, 59), no}, verdict{"its end", at(26, 9, 0), no}, verdict{"just before the end", at(26, 8, 59), holds}, never)
	judged(t, audience.Condition{Between: &audience.Between{Until: &until}}, verdict{"long before", at(1, 0, 0), holds}, verdict{"its end", at(26, 9, 0), no})
	// The 25th is a Wednesday; at half past midnight in Berlin it is still Tuesday in UTC.
	judged(t, audience.Condition{Weekdays: []audience.Weekday{"wed"}}, verdict{"in the shop's zone", at(25, 0, 30), holds}, verdict{"the day after", at(26, 0, 0), no}, never)
	judged(t, audience.Condition{Hours: &audience.Hours{From: "09:00", Until: "17:30"}},
		verdict{"nine", at(25, 9, 0), holds}, verdict{"a minute before", at(25, 8, 59), no}, verdict{"half past five", at(25, 17, 30), no}, verdict{"a minute before that", at(25, 17, 29), holds}, never)
	judged(t, audience.Condition{Hours: &audience.Hours{From: "22:00", Until: "06:00"}},
		verdict{"in the evening", at(25, 22, 0), holds}, verdict{"at night", at(25, 5, 59), holds}, verdict{"in the morning", at(25, 6, 0), no}, verdict{"before it", at(25, 21, 59), no})
	judged(t, audience.Condition{Hours: &audience.Hours{From: "18:00", Until: "24:00"}}, verdict{"to the end of the day", at(25, 23, 59), holds}, verdict{"the next day", at(26, 0, 0), no})
	london := audience.Facts{At: time.Date(2026, 11, 25, 9, 0, 0, 0, time.UTC)}
	judged(t, audience.Condition{Hours: &audience.Hours{From: "09:00", Until: "10:00"}}, verdict{"without a zone it is UTC", london, holds})
}

// Only some conditions ask what goods lie in the cart; a group does where one of its
// own does.
func TestWhichConditionsAskForGoods(t *testing.T) {
	asks := func(c audience.Condition) bool {
		tree, err := audience.Compile(&c)
		require.NoError(t, err)
		return tree.Goods()
	}
	all := catalog.Filter{}
	one := audience.Count{Least: number(1)}
	distinct := audience.Condition{Distinct: &one}
	for _, c := range []audience.Condition{distinct, {Holds: &audience.Holds{Count: one}}, {Only: &all}, {Sale: yes(true)}} {
		assert.True(t, asks(c), "%+v", c)
	}
	for _, c := range []audience.Condition{{Units: &one}, {Weight: &one}, {CartValue: &audience.Money{Least: eur(1)}}, {Empty: yes(true)}, {Countries: []string{"DE"}}} {
		assert.False(t, asks(c), "%+v", c)
	}
	assert.True(t, asks(audience.Condition{All: []audience.Condition{{Units: &one}, {None: []audience.Condition{distinct}}}}))
	assert.False(t, asks(audience.Condition{Any: []audience.Condition{{Units: &one}, {Weight: &one}}}))
	var everyone *audience.Tree
	assert.False(t, everyone.Goods())
	assert.Equal(t, holds, everyone.Holds(&audience.Facts{}))
}

func TestMoreThatCannotBe(t *testing.T) {
	long := make([]string, 201)
	for i := range long {
		long[i] = "x"
	}
	now := time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC)
	wrong := catalog.Filter{Include: catalog.Selection{Products: []string{""}}}
	dear := map[string]money.Amount{"home": {Minor: money.Most + 1, Currency: "EUR"}}
	yen := map[string]money.Amount{"home": {Minor: 9000, Currency: "JPY"}}
	for want, c := range map[string]audience.Condition{
		"regions: more than 200":                     {Regions: long},
		"countries: an empty entry":                  {Countries: []string{"DE", ""}},
		"cart_value: needs at_least":                 {CartValue: &audience.Money{}},
		"cart_value: -0.01 EUR for home":             {CartValue: &audience.Money{Least: eur(-1)}},
		"lifetime_spend: 10000":                      {Lifetime: &audience.Money{Most: dear}},
		"cart_value: at least 30.00 EUR":             {CartValue: &audience.Money{Least: eur(3000), Most: eur(2999)}},
		"cart_value: at least 20.00 EUR":             {CartValue: &audience.Money{Least: eur(2000), Most: yen}},
		"weight_g: needs at_least":                   {Weight: &audience.Count{}},
		"units: a number cannot be below zero":       {Units: &audience.Count{Most: number(-1)}},
		"past_orders: a number cannot be below zero": {Orders: &audience.Count{Exactly: number(-1)}},
		"holds: goods: include.products":             {Holds: &audience.Holds{Goods: wrong, Count: audience.Count{Least: number(1)}}},
		"holds: needs at_least":                      {Holds: &audience.Holds{}},
		"only: include.products":                     {Only: &wrong},
		"page: \"shelf\" is not a kind of page":      {Page: &audience.Page{Kinds: []string{"shelf"}}},
		"page: goods: include.products":              {Page: &audience.Page{Goods: &wrong}},
		"between: a from or an until":                {Between: &audience.Between{}},
		"between: ends before it begins":             {Between: &audience.Between{From: &now, Until: &now}},
		"hours: needs two different times":           {Hours: &audience.Hours{From: "09:00", Until: "09:00"}},
		"campaign: a parameter is needed":            {Campaign: map[string][]string{}},
		"campaign: \"utm_source\" must":              {Campaign: map[string][]string{"utm_source": {}}},
		"trial_arm: a trial":                         {Arm: &audience.Arm{Arm: "b"}},
		"all[1]: no region is in both":               {All: []audience.Condition{{Regions: []string{"home"}}, {Regions: []string{"jp"}}}},
		"all[1]: no day is in both":                  {All: []audience.Condition{{Weekdays: []audience.Weekday{"mon"}}, {Weekdays: []audience.Weekday{"tue"}}}},
		"all[1]: signed_in cannot be":                {All: []audience.Condition{{SignedIn: yes(true)}, {SignedIn: yes(false)}}},
		"all[1]: an empty cart holds":                {All: []audience.Condition{{Holds: &audience.Holds{Count: audience.Count{Exactly: number(1)}}}, {Empty: yes(true)}}},
		"all[2]: no number fulfils":                  {All: []audience.Condition{{Units: &audience.Count{Exactly: number(2)}}, {Empty: yes(false)}, {Units: &audience.Count{Exactly: number(3)}}}},
	} {
		_, err := audience.Compile(&c)
		assert.ErrorContains(t, err, want)
	}
	for why, c := range map[string]audience.Condition{
		"both ends may meet":           {All: []audience.Condition{{Units: &audience.Count{Least: number(3)}}, {Units: &audience.Count{Most: number(3)}}}},
		"equal amounts":                {CartValue: &audience.Money{Least: eur(2000), Most: eur(2000)}},
		"one value in both lists":      {All: []audience.Condition{{Countries: []string{"DE", "AT"}}, {Countries: []string{"AT"}}}},
		"200 entries":                  {Regions: long[:200]},
		"an empty cart holds at most":  {All: []audience.Condition{{Empty: yes(true)}, {Units: &audience.Count{Most: number(1)}}}},
		"what any holds may differ":    {Any: []audience.Condition{{SignedIn: yes(true)}, {SignedIn: yes(false)}}},
		"the most an amount can be":    {CartValue: &audience.Money{Most: eur(money.Most)}},
		"nothing at all can be asked":  {Units: &audience.Count{Exactly: number(0)}},
		"what none holds may differ":   {None: []audience.Condition{{Empty: yes(true)}, {Empty: yes(false)}}},
		"a range of dates of a second": {Between: &audience.Between{From: &now, Until: func() *time.Time { s := now.Add(time.Second); return &s }()}},
	} {
		_, err := audience.Compile(&c)
		assert.NoError(t, err, why)
	}
}
