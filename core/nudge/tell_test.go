package nudge_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

func eur(m money.Minor) nudge.Amounts { return nudge.Amounts{"home": {Minor: m, Currency: "EUR"}} }

func percent(p money.Rate) *money.Rate { p *= 10_000; return &p }

func rung(m money.Minor, r ...nudge.Reward) nudge.Rung {
	return nudge.Rung{Thresholds: eur(m), Rewards: r}
}

// Every sentence here was read aloud: would a shopkeeper say it so?
func TestWhatADefinitionReadsAs(t *testing.T) {
	standard := map[string]string{"en": "standard shipping"}
	home := catalog.Region{ID: "home", Name: "Home", Currency: "EUR", Methods: []catalog.Method{{ID: "standard", Names: standard}, {ID: "express", Names: map[string]string{"en": "express"}}}}
	regions := []catalog.Region{home, {ID: "eu", Name: "EU", Currency: "EUR"}, {ID: "jp", Name: "Japan", Currency: "JPY"}}
	free := nudge.Reward{Kind: nudge.FreeShipping, Methods: []string{"standard"}}
	in := func(names ...string) catalog.Filter {
		return catalog.Filter{Include: catalog.Selection{Collections: names}}
	}
	for _, c := range []struct {
		d         nudge.Definition
		tell, say string
	}{
		{
			nudge.Definition{Audience: nudge.Audience{Code: "HARBOUR10"}, Ladder: nudge.Ladder{Rungs: []nudge.Rung{rung(0, nudge.Reward{Kind: nudge.OrderPercent, Percent: percent(10)})}}},
			"With the code [HARBOUR10], [the order is 10 % less] for shoppers in [every region].",
			"With the code HARBOUR10, the order is 10 % less.",
		},
		{
			nudge.Definition{Audience: nudge.Audience{Regions: []string{"home", "eu"}}, Ladder: nudge.Ladder{Rungs: []nudge.Rung{rung(6000, free), rung(9500, nudge.Reward{Kind: nudge.ShippingFlat, Methods: []string{"express"}, Amounts: eur(490)})}}},
			"When a shopper in [Home or EU] has [€60.00] of [anything] in the cart, [standard shipping is free]. From [€95.00], [express costs at most €4.90].",
			"From €60.00, standard shipping is free; from €95.00, express costs at most €4.90.",
		},
		{
			nudge.Definition{Ladder: nudge.Ladder{Scope: in("Desk", "Nibs", "Paper"), Rungs: []nudge.Rung{rung(2000, nudge.Reward{Kind: nudge.OrderAmount})}}},
			"When a shopper in [every region] has [€20.00] of [Desk, Nibs or Paper] in the cart, [these goods together are an amount less].",
			"From €20.00 of Desk, Nibs or Paper, these goods together are an amount less.",
		},
		{
			nudge.Definition{Ladder: nudge.Ladder{Rungs: []nudge.Rung{rung(0, nudge.Reward{Kind: nudge.ShippingOff, Amounts: eur(200)})}}},
			"When a shopper in [every region] has [any amount] of [anything] in the cart, [shipping is €2.00 less].",
			"With every order, shipping is €2.00 less.",
		},
		{
			nudge.Definition{Audience: nudge.Audience{Code: "INK"}, Ladder: nudge.Ladder{Scope: in("Inks"), Rungs: []nudge.Rung{rung(3000, free)}}},
			"With the code [INK], when a shopper in [every region] has [€30.00] of [Inks] in the cart, [standard shipping is free].",
			"With the code INK, from €30.00 of Inks, standard shipping is free.",
		},
		{
			nudge.Definition{Ladder: nudge.Ladder{Measure: nudge.Units, Replacing: true, Scope: in("Notebooks"), Rungs: []nudge.Rung{
				{Count: 3, Rewards: []nudge.Reward{{Kind: nudge.UnitPercent, Percent: percent(10)}}}, {Count: 6, Rewards: []nudge.Reward{{Kind: nudge.UnitAmount, Amounts: eur(225)}}}}}},
			"When a shopper in [every region] has [3 pieces] of [Notebooks] in the cart, [each piece is 10 % less]. From [6 pieces], [each piece is €2.25 less] instead.",
			"From 3 pieces of Notebooks, each piece is 10 % less; from 6 pieces, each piece is €2.25 less; only the highest of them.",
		},
		{
			nudge.Definition{Ladder: nudge.Ladder{Measure: nudge.Units, Scope: in("Samplers"), Rungs: []nudge.Rung{{Rewards: []nudge.Reward{{Kind: nudge.SetPrice, Size: 4, Amounts: eur(1000)}}}}}},
			"When a shopper in [every region] takes from [Samplers], [any 4 cost €10.00 together].",
			"Of Samplers, any 4 cost €10.00 together.",
		},
		{
			nudge.Definition{Ladder: nudge.Ladder{Rungs: []nudge.Rung{rung(9500, nudge.Reward{Kind: nudge.Gift, Items: []nudge.Item{{SKU: "BLOT"}}}), {Rewards: []nudge.Reward{free}}}}},
			"When a shopper in [every region] has [€95.00] of [anything] in the cart, [BLOT is a gift]. From [an amount!], [standard shipping is free].",
			"From €95.00, BLOT is a gift; from an amount, standard shipping is free.",
		},
	} {
		v := nudge.Voice{Region: home, Locale: "en"}
		var b strings.Builder
		for _, p := range c.d.Tell(v, regions) {
			switch {
			case p.Field == "":
				b.WriteString(p.Text)
			case p.Missing && strings.HasSuffix(p.Field, "thresholds"):
				b.WriteString("[" + p.Text + "!]")
			default:
				b.WriteString("[" + p.Text + "]")
			}
		}
		assert.Equal(t, c.tell, b.String())
		assert.Equal(t, c.say, c.d.Say(v))
	}
}
