package checks_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

var now = time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)

func sound(t testing.TB) (nudge.Definition, checks.Context) {
	d := decidetest.Ladder("Winter", nudge.AfterOrder,
		nudge.Rung{Thresholds: nudge.Amounts{"home": decidetest.EUR(6000), "jp": {Minor: 9000, Currency: "JPY"}}, Rewards: []nudge.Reward{{Kind: nudge.FreeShipping, Methods: []string{"standard"}}}})
	d.Wording = nudge.DefaultWording()
	return d, checks.Context{Regions: decidetest.Regions(), Catalog: decidetest.Goods(t, map[string]money.Minor{"ink": 1400}), Now: now, Locale: "en"}
}

func says(fs []checks.Finding) []string {
	out := make([]string, len(fs))
	for i, f := range fs {
		out[i] = fmt.Sprintf("%s %s: %s", f.Severity, f.Field, f.Say)
	}
	return out
}

func TestASoundNudgeHasNoFindings(t *testing.T) {
	d, c := sound(t)
	assert.Empty(t, says(checks.Find(d, c)))
}

func TestWhatIsFound(t *testing.T) {
	past := now.Add(-time.Hour)
	for name, c := range map[string]struct {
		change func(*nudge.Definition)
		want   string
	}{
		"no name":               {func(d *nudge.Definition) { d.Name = " " }, "stop name: Give the nudge a name."},
		"no threshold":          {func(d *nudge.Definition) { delete(d.Ladder.Rungs[0].Thresholds, "jp") }, "stop ladder.rungs[0].thresholds.jp: Rung 1 has no threshold for Japan; write one in JPY."},
		"wrong currency":        {func(d *nudge.Definition) { d.Ladder.Rungs[0].Thresholds["jp"] = decidetest.EUR(100) }, "stop ladder.rungs[0].thresholds.jp: Rung 1 is in EUR for Japan, which pays in JPY."},
		"rungs do not rise":     {func(d *nudge.Definition) { d.Ladder.Rungs = append(d.Ladder.Rungs, d.Ladder.Rungs[0]) }, "stop ladder.rungs[1].thresholds.home: Rung 2 for Home is €60.00 and must be more than the rung before it, €60.00."},
		"no such region":        {func(d *nudge.Definition) { d.Audience.Regions = []string{"home", "moon"} }, "stop audience.regions: The shop has no region \"moon\"; choose another."},
		"no such method":        {func(d *nudge.Definition) { d.Ladder.Rungs[0].Rewards[0].Methods = []string{"balloon"} }, "stop ladder.rungs[0].rewards[0].methods: Rung 1: Home has no shipping method called balloon."},
		"method of one region":  {func(d *nudge.Definition) { d.Ladder.Rungs[0].Rewards[0].Methods = []string{"express"} }, "stop ladder.rungs[0].rewards[0].methods: Rung 1: Japan has no shipping method called express."},
		"amount missing":        {func(d *nudge.Definition) { d.Ladder.Rungs[0].Rewards[0] = nudge.Reward{Kind: nudge.ShippingFlat} }, "stop ladder.rungs[0].rewards[0].amounts.home: Rung 1 has no amount for Home; write one in EUR."},
		"no such collection":    {func(d *nudge.Definition) { d.Ladder.Scope.Include.Collections = []string{"hats"} }, "stop ladder.scope: The shop has no collection \"hats\"; choose another."},
		"no such product":       {func(d *nudge.Definition) { d.Ladder.Scope.Exclude.Products = []string{"hat"} }, "stop ladder.scope: The shop has no product \"hat\"; choose another."},
		"nowhere":               {func(d *nudge.Definition) { d.Placements = nil }, "stop placements: Choose where it shows, or no shopper will know of it."},
		"over already":          {func(d *nudge.Definition) { d.Schedule.Until = &past }, "stop schedule.until: Its end lies in the past; choose a later one."},
		"no words":              {func(d *nudge.Definition) { d.Wording = nil }, "stop wording: It has no sentence for the time before the goal is reached; write one."},
		"a language is missing": {func(d *nudge.Definition) { delete(d.Wording, "ja") }, "doubt wording.ja.not_yet: Japanese has no sentence for “not yet”; shoppers there read another language."},
		"a number by hand":      {func(d *nudge.Definition) { d.Wording["en"][nudge.NotYet] = "Free from 60, add {to_add}." }, "doubt wording.en.not_yet: “60” is written by hand in English; use {threshold} or {to_add}, so that it follows when you change it."},
		"by hand in German":     {func(d *nudge.Definition) { d.Wording["de"][nudge.NotYet] = "Ab 60,00 €, noch {to_add}." }, "doubt wording.de.not_yet: “60,00” is written by hand in German; use {threshold} or {to_add}, so that it follows when you change it."},
		"by hand, grouped":      {func(d *nudge.Definition) { d.Wording["en"][nudge.NotYet] = "Free from ¥9,000, add {to_add}." }, "doubt wording.en.not_yet: “9,000” is written by hand in English; use {threshold} or {to_add}, so that it follows when you change it."},
		"by hand with a comma": {func(d *nudge.Definition) {
			d.Ladder.Rungs[0].Thresholds["home"] = decidetest.EUR(5550)
			d.Wording["en"][nudge.Reached] = "55,50 is reached."
		}, "doubt wording.en.reached: “55,50” is written by hand in English; use {threshold} or {to_add}, so that it follows when you change it."},
		"the same twice": {func(d *nudge.Definition) { second(d, d.Ladder.Rungs[0].Rewards[0]) }, "doubt ladder.rungs[1].rewards: Rung 2 gives the same as rung 1; change what it gives, or remove it."},
		"a cent":         {func(d *nudge.Definition) { d.Ladder.Rungs[0].Thresholds["home"] = decidetest.EUR(1) }, "doubt ladder.rungs[0].thresholds.home: Rung 1 for Home begins at €0.01: any one piece reaches it, the cheapest costs €14.00."},
		"more than the fee": {func(d *nudge.Definition) {
			d.Ladder.Rungs[0].Rewards[0] = nudge.Reward{Kind: nudge.ShippingOff, Methods: []string{"standard"}, Amounts: nudge.Amounts{"home": decidetest.EUR(900), "jp": {Minor: 100, Currency: "JPY"}}}
		}, "doubt ladder.rungs[0].rewards[0].amounts.home: Rung 1 takes €9.00 off shipping in Home, where it costs €5.90 at most."},
		"everything off": {func(d *nudge.Definition) {
			all := money.Whole
			second(d, nudge.Reward{Kind: nudge.OrderPercent, Percent: &all})
		}, "doubt ladder.rungs[1].rewards[0]: Rung 2 takes 100 % off: the goods cost nothing."},
		"a place on no page": {func(d *nudge.Definition) {
			d.Placements = append(d.Placements, nudge.ProductBlock)
			d.Audience.Pages = []nudge.Page{nudge.CartPage}
		}, "doubt audience.pages: It is to show in the product page block, but on none of the pages that have one; tick product pages, or choose another place."},
		"says not what to add": {func(d *nudge.Definition) { d.Wording["en"][nudge.NotYet] = "Nearly there." }, "doubt wording.en.not_yet: The English sentence does not say what to add; put {to_add} in."},
	} {
		d, ctx := sound(t)
		c.change(&d)
		assert.Contains(t, says(checks.Find(d, ctx)), c.want, name)
	}
}

// second puts a rung of twice as much on top.
func second(d *nudge.Definition, r nudge.Reward) {
	d.Ladder.Rungs = append(d.Ladder.Rungs, nudge.Rung{Basis: nudge.BeforeNudges, Thresholds: nudge.Amounts{"home": decidetest.EUR(12000), "jp": {Minor: 18000, Currency: "JPY"}}, Rewards: []nudge.Reward{r}})
}

func TestTwoLiveNudgesWithOneCodeAreDoubted(t *testing.T) {
	d, c := sound(t)
	d.Audience.Code = "HARBOUR10"
	other := d.Clone()
	other.Name, other.Audience.Code, other.Placements = "Autumn", "harbour10", []nudge.Placement{nudge.CartBlock}
	c.Others = []snapshot.Live{{ID: "autumn", Definition: other}}
	assert.Contains(t, says(checks.Find(d, c)), "doubt audience.code: “Autumn” is live with the same code HARBOUR10: whoever enters it gets both.")
	other.Audience.Code = "WINTER"
	c.Others[0].Definition = other
	assert.Empty(t, says(checks.Find(d, c)))
}

func TestEveryCountryHasItsName(t *testing.T) {
	all := checks.Countries()
	assert.Len(t, all, 250, "249 of ISO 3166-1, and Kosovo")
	assert.Equal(t, "AF", all[0])
	assert.Equal(t, "Switzerland", checks.CountryName("CH"))
	assert.True(t, checks.KnownCountry("AX"))
	for _, no := range []string{"EU", "ZZ", "UK", "de", "", "AC"} {
		assert.False(t, checks.KnownCountry(no), no)
	}
}

func TestShippingThatIsFreeAnywayIsDoubted(t *testing.T) {
	d, c := sound(t)
	c.Regions = []catalog.Region{decidetest.Region(0)}
	assert.Contains(t, says(checks.Find(d, c)), "doubt ladder.rungs[0].rewards[0].methods: Rung 1 gives nothing in Home: shipping costs nothing there from €60.00 anyway.")
}

func TestTwoOfAKindInOnePlaceAreDoubted(t *testing.T) {
	d, c := sound(t)
	other := d.Clone()
	other.Name = "Autumn"
	c.Others = []snapshot.Live{{ID: "autumn", Definition: other}}
	require.Len(t, checks.Find(d, c), 1)
	assert.Equal(t, "doubt placements: “Autumn” is live with the same kind of reward in the same place (top bar); only one of them shows at a time.", says(checks.Find(d, c))[0])
	other.Audience.Regions, d.Audience.Regions = []string{"home"}, []string{"jp"}
	c.Others[0].Definition = other
	assert.Empty(t, says(checks.Find(d, c)), "not where they share no region")
}

func TestANudgeThatAsksForNothingNeedNotSayWhatToAdd(t *testing.T) {
	d, c := sound(t)
	for id, a := range d.Ladder.Rungs[0].Thresholds {
		d.Ladder.Rungs[0].Thresholds[id] = money.Amount{Currency: a.Currency}
	}
	d.Wording["en"][nudge.NotYet] = "Put something in."
	assert.Empty(t, says(checks.Find(d, c)))
}

func TestStopsComeFirst(t *testing.T) {
	d, c := sound(t)
	delete(d.Wording, "ja")
	d.Placements = nil
	fs := checks.Find(d, c)
	assert.True(t, checks.Stops(fs))
	assert.Equal(t, checks.Stop, fs[0].Severity)
	assert.Equal(t, checks.Doubt, fs[len(fs)-1].Severity)
}
