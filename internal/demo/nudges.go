package demo

import (
	"context"
	"time"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
)

// near are the regions that most of the demo's nudges are for.
var near = []string{"home", "eu"}

func euros(home, eu money.Minor) nudge.Amounts {
	return nudge.Amounts{"home": {Minor: home, Currency: "EUR"}, "eu": {Minor: eu, Currency: "EUR"}}
}

func shelf(names ...string) catalog.Filter {
	return catalog.Filter{Include: catalog.Selection{Collections: names}}
}

// said is a wording of the two sentences that matter most, in three languages.
func said(en, enDone, de, deDone, pl, plDone string) nudge.Wording {
	return nudge.Wording{
		"en": {nudge.NotYet: en, nudge.Reached: enDone},
		"de": {nudge.NotYet: de, nudge.Reached: deDone},
		"pl": {nudge.NotYet: pl, nudge.Reached: plDone},
	}
}

// usual is what most of the demo's nudges say.
func usual() nudge.Wording {
	return said(
		"Add {to_add} and get {reward}.", "Yours: {reward}. {next_to_add} more for {next_reward}.",
		"Noch {to_add}, dann: {reward}.", "Geschafft: {reward}. Mit {next_to_add} mehr: {next_reward}.",
		"Dodaj {to_add} i masz: {reward}.", "Masz to: {reward}. Jeszcze {next_to_add} i dojdzie: {next_reward}.",
	)
}

// of makes a nudge of the demo, with what they have in common.
func of(name string, places []nudge.Placement, l nudge.Ladder) nudge.Definition {
	return nudge.Definition{Version: nudge.Version, Name: name, Ladder: l, Placements: places, Audience: nudge.Audience{Regions: near}, Wording: usual()}
}

var (
	inCart   = []nudge.Placement{nudge.CartDrawer, nudge.CartBlock}
	atGoods  = []nudge.Placement{nudge.ProductBlock, nudge.CartDrawer, nudge.CartBlock}
	allAbout = []nudge.Placement{nudge.TopBar, nudge.CartDrawer, nudge.CartBlock}
)

func tier(count int64, off money.Minor) nudge.Rung {
	return nudge.Rung{Count: count, Rewards: []nudge.Reward{{Kind: nudge.UnitAmount, Amounts: euros(off, off)}}}
}

// liveToo are the nudges that are live besides the ladder and the code.
func liveToo() []nudge.Definition {
	stack := of("Notebooks by the stack", atGoods, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.SameProduct, Replacing: true, Scope: shelf("Notebooks"),
		Rungs: []nudge.Rung{tier(3, 150), tier(6, 225), tier(12, 300)},
	})
	nibs := of("Three nibs for two", atGoods, nudge.Ladder{
		Basis: nudge.BeforeNudges, Scope: shelf("Nibs"), Rungs: []nudge.Rung{{Rewards: []nudge.Reward{{Kind: nudge.NForM, Size: 3, PayFor: 2}}}},
	})
	sampler := of("A sampler with a full basket", inCart, nudge.Ladder{
		Basis: nudge.BeforeNudges, Rungs: []nudge.Rung{{Thresholds: euros(13000, 16000), Rewards: []nudge.Reward{{Kind: nudge.Gift, Items: []nudge.Item{{SKU: "SET-QUAY"}, {SKU: "WINQUA-4"}}}}}},
	})
	sampler.Limits = nudge.Limits{Uses: 300}
	return []nudge.Definition{stack, nibs, sampler, letter()}
}

// letter is a set that shoppers put together: some small inks, a stick of wax if they
// like, once or in a parcel that comes again.
func letter() nudge.Definition {
	small := catalog.Filter{Include: catalog.Selection{Collections: []string{"Inks"}, Options: []catalog.Option{{Name: "size", Value: "4 ml"}}}}
	wax := catalog.Filter{Include: catalog.Selection{Tags: []string{"wax"}, Options: []catalog.Option{{Name: "pack", Value: "one"}}}}
	price := func(count int64, cents money.Minor) nudge.Rung {
		return nudge.Rung{Count: count, Rewards: []nudge.Reward{
			{Kind: nudge.BuiltPrice, Amounts: euros(cents, cents)},
			{Kind: nudge.UnitPercent, Percent: rate(100_000), Shipments: nudge.LaterShipments},
		}}
	}
	d := of("A letter a week", []nudge.Placement{nudge.SetBuilder, nudge.CartDrawer, nudge.CartBlock}, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.Units,
		Scope: catalog.Filter{Include: catalog.Selection{Collections: []string{"Inks", "Wax and seals"}, Plans: []string{catalog.Once, "1 month", "2 months"}}},
		Slots: []nudge.Slot{
			{Names: map[string]string{"en": "Inks, 4 ml", "de": "Tinten, 4 ml", "pl": "Atramenty, 4 ml"}, Scope: small, Least: 3, Most: 4},
			{Names: map[string]string{"en": "A stick of wax", "de": "Siegelwachs", "pl": "Laska laku"}, Scope: wax, Most: 1},
		},
		Rungs: []nudge.Rung{price(3, 800), price(4, 1100)},
	})
	d.Headings = map[string]string{"en": "A letter a week", "de": "Ein Brief die Woche", "pl": "List na tydzień"}
	d.Look.PictureOf = "sampler-quay"
	d.Wording = said(
		"Choose {to_add}: {reward}.", "Complete: {reward}. With {next_to_add} more: {next_reward}.",
		"Such dir {to_add} aus: {reward}.", "Vollständig: {reward}. Mit weiteren {next_to_add}: {next_reward}.",
		"Wybierz {to_add}: {reward}.", "Komplet: {reward}. Jeszcze {next_to_add}: {next_reward}.",
	)
	return d
}

// drafts are those that are still thought about.
func drafts(now time.Time) []nudge.Definition {
	small := catalog.Filter{Include: catalog.Selection{Collections: []string{"Inks"}, Options: []catalog.Option{{Name: "size", Value: "4 ml"}}}}
	five := of("Five colours for a grey week", atGoods, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.Units, Scope: small, Rungs: []nudge.Rung{{Rewards: []nudge.Reward{{Kind: nudge.SetPrice, Size: 5, Amounts: euros(1300, 1300)}}}},
	})
	blotter := of("Choose your blotter", allAbout, nudge.Ladder{
		Basis: nudge.BeforeNudges, Rungs: []nudge.Rung{{Thresholds: euros(9500, 12000), Rewards: []nudge.Reward{{Kind: nudge.GiftPick, Pick: 1, Items: []nudge.Item{{SKU: "BLOPAP-A5"}, {SKU: "BLOPAP-A4"}}}}}},
	})
	blotter.Beside.Group = "gifts"
	tenth := of("Ten percent from ninety", allAbout, nudge.Ladder{
		Basis: nudge.AfterUnit, Rungs: []nudge.Rung{{Thresholds: euros(9000, 11000), Rewards: []nudge.Reward{{Kind: nudge.OrderPercent, Percent: rate(100_000), Cap: euros(2500, 2500)}}}},
	})
	one, sixty := int64(1), int64(60)
	back := of("Welcome back", allAbout, nudge.Ladder{
		Basis: nudge.AfterUnit, Rungs: []nudge.Rung{{Thresholds: euros(4000, 5000), Rewards: []nudge.Reward{{Kind: nudge.OrderAmount, Amounts: euros(500, 500)}}}},
	})
	back.Audience.When = &audience.Condition{All: []audience.Condition{{Orders: &audience.Count{Least: &one}}, {Since: &audience.Count{Least: &sixty}}}}
	back.Limits.PerShopper = 1
	reams := of("Paper by the kilo", inCart, nudge.Ladder{
		Basis: nudge.AfterOrder, Measure: nudge.Weight, Scope: shelf("Paper"),
		Rungs: []nudge.Rung{
			{Count: 3000, Rewards: []nudge.Reward{{Kind: nudge.ShippingFlat, Methods: []string{"standard"}, Amounts: euros(390, 590)}}},
			{Count: 5000, Rewards: []nudge.Reward{{Kind: nudge.FreeShipping, Methods: []string{"standard"}}}},
		},
	})
	bottle := catalog.Filter{Include: catalog.Selection{Collections: []string{"Inks"}, Options: []catalog.Option{{Name: "size", Value: "30 ml"}}}}
	pen := of("A bottle with every pen", atGoods, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.Units, Scope: shelf("Fountain pens"),
		Rungs: []nudge.Rung{{Rewards: []nudge.Reward{{Kind: nudge.Every, Size: 1, Get: 1, Percent: rate(500_000), On: &bottle}}}},
	})
	pen.Wording["en"][nudge.Waiting] = "With your pen: {reward}. Choose a bottle."
	pen.Wording["de"][nudge.Waiting] = "Zu deinem Füller: {reward}. Such dir ein Glas aus."
	mixed := of("Three colours, one parcel", allAbout, nudge.Ladder{
		Basis: nudge.AfterOrder, Measure: nudge.Distinct, Scope: shelf("Inks"),
		Rungs: []nudge.Rung{{Count: 3, Rewards: []nudge.Reward{{Kind: nudge.FreeShipping, Methods: []string{"standard"}}}}},
	})
	friday := of("Samplers for the weekend", atGoods, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.Units, Scope: shelf("Samplers"),
		Rungs: []nudge.Rung{{Count: 2, Rewards: []nudge.Reward{{Kind: nudge.UnitPercent, Percent: rate(150_000), Endings: euros(90, 90)}}}},
	})
	from := now.AddDate(0, 0, 8).Truncate(24 * time.Hour).Add(8 * time.Hour)
	until := from.AddDate(0, 0, 3)
	friday.Schedule = nudge.Schedule{From: &from, Until: &until}
	return []nudge.Definition{five, blotter, tenth, back, reams, pen, mixed, friday, instead(small), beside(), sameParcel(), paperWord(), withPen(), shared()}
}

// instead offers the bottle in the place of the small ink that was just put in.
func instead(small catalog.Filter) nudge.Definition {
	d := of("A bottle instead", []nudge.Placement{nudge.Dialog}, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.Units, Scope: small,
		Rungs: []nudge.Rung{{Count: 1, Rewards: []nudge.Reward{{Kind: nudge.OfferBetter, Choose: nudge.NextSize, Percent: rate(100_000)}}}},
	})
	d.Moment, d.Frequency.PerVisit = audience.ItemAdded, 1
	d.Headings = map[string]string{"en": "Write a while longer with it?", "de": "Länger damit schreiben?", "pl": "Może na dłużej?"}
	d.Answers = nudge.Answers{
		Yes: map[string]string{"en": "Swap it", "de": "Tauschen", "pl": "Zamień"},
		No:  map[string]string{"en": "Keep the sample", "de": "Bei der Probe bleiben", "pl": "Zostaję przy próbce"},
	}
	d.Wording = offers("Take {offered} instead. You pay {difference}.", "Nimm stattdessen {offered}. Du zahlst {difference}.", "Weź zamiast tego {offered}. Zapłacisz {difference}.")
	return d
}

// beside is a blotter to tick at the checkout.
func beside() nudge.Definition {
	d := of("A blotter beside", []nudge.Placement{nudge.CheckoutBump}, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.Units, Scope: shelf("Inks", "Fountain pens", "Nibs"),
		Rungs: []nudge.Rung{{Count: 1, Rewards: []nudge.Reward{{Kind: nudge.OrderBump, Items: []nudge.Item{{SKU: "BLOPAP-A5"}}, Percent: rate(150_000)}}}},
	})
	d.Wording = offers("Ink dries on paper, or on the sleeve. {offered} for {offer_price}.", "Tinte trocknet auf Papier oder am Ärmel. {offered} für {offer_price}.", "Atrament schnie na papierze albo na rękawie. {offered} za {offer_price}.")
	return d
}

// sameParcel is one more sample, once an order with ink is placed.
func sameParcel() nudge.Definition {
	d := of("A sample for the same parcel", []nudge.Placement{nudge.AfterBuy}, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.Units, Scope: shelf("Inks"),
		Rungs: []nudge.Rung{{Count: 1, Rewards: []nudge.Reward{{Kind: nudge.OfferAfter, Items: []nudge.Item{{SKU: "BEARED-4"}, {SKU: "KELGRE-4"}}, Percent: rate(200_000)}}}},
	})
	d.Look.Tone = nudge.TonePaper
	d.Headings = map[string]string{"en": "Before it is packed", "de": "Bevor wir packen", "pl": "Zanim zapakujemy"}
	d.Answers = nudge.Answers{
		Yes: map[string]string{"en": "Put it in the parcel", "de": "Ins Paket dazu", "pl": "Dołóż do paczki"},
		No:  map[string]string{"en": "No, thank you", "de": "Nein, danke", "pl": "Nie, dziękuję"},
	}
	d.Wording = offers("A colour to try next: {offered} for {offer_price}.", "Eine Farbe zum Probieren: {offered} für {offer_price}.", "Kolor do wypróbowania: {offered} za {offer_price}.")
	return d
}

// paperWord says which paper goes with the ink in the cart.
func paperWord() nudge.Definition {
	d := of("Good paper for good ink", inCart, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.Units, Scope: shelf("Inks"),
		Rungs: []nudge.Rung{{Count: 1, Rewards: []nudge.Reward{{Kind: nudge.Notice, Link: "/collections/Paper"}}}},
	})
	d.Look.Tone = nudge.TonePaper
	d.Answers.Yes = map[string]string{"en": "See our papers", "de": "Unsere Papiere", "pl": "Nasze papiery"}
	d.Wording = offers("{product} shows its shades on slow paper.", "Auf ruhigem Papier zeigt {product} seine Töne.", "Na wolnym papierze {product} pokazuje swoje odcienie.")
	return d
}

// withPen is what a fountain pen needs besides, on its page.
func withPen() nudge.Definition {
	d := of("What a pen needs", []nudge.Placement{nudge.ProductBlock}, nudge.Ladder{
		Basis: nudge.BeforeNudges, Measure: nudge.Units, Scope: shelf("Fountain pens"),
		Rungs: []nudge.Rung{{Count: 1, Rewards: []nudge.Reward{{Kind: nudge.Companions, Items: []nudge.Item{{SKU: "OYSCON"}, {SKU: "BEARED-4"}}, Percent: rate(100_000)}}}},
	})
	d.Look.Tone = nudge.TonePaper
	d.Headings = map[string]string{"en": "Ready to write with", "de": "Gleich losschreiben", "pl": "Gotowe do pisania"}
	d.Wording = offers("{product} writes at once with {offered}.", "{product} schreibt sofort mit: {offered}.", "{product} pisze od razu z: {offered}.")
	return d
}

// shared thanks who shows their cart to somebody.
func shared() nudge.Definition {
	d := of("Thanks for showing it", inCart, nudge.Ladder{
		Basis: nudge.BeforeNudges, Rungs: []nudge.Rung{{Thresholds: euros(0, 0), Rewards: []nudge.Reward{{Kind: nudge.OrderPercent, Percent: rate(50_000)}}}},
	})
	d.Audience.Pool, d.Audience.EarnedBy, d.Look.Bar, d.Look.Tone = sharedPool, audience.LinkShared, nudge.BarNone, nudge.TonePaper
	d.ShareText = map[string]string{"en": "Look what I found at Lindquill in Vessmark.", "de": "Schau, was ich bei Lindquill in Vessmark gefunden habe.", "pl": "Zobacz, co znalazłam w Lindquill w Vessmark."}
	d.Wording = nudge.Wording{
		"en": {nudge.NotYet: "Show your cart to somebody and pay {difference}.", nudge.Reached: "Thank you for showing it: {reward}."},
		"de": {nudge.NotYet: "Zeig jemandem deinen Warenkorb und zahl {difference}.", nudge.Reached: "Danke fürs Zeigen: {reward}."},
		"pl": {nudge.NotYet: "Pokaż komuś swój koszyk i zapłać {difference}.", nudge.Reached: "Dziękujemy za pokazanie: {reward}."},
	}
	return d
}

// sharedPool is the pool of the codes that sharing a cart earns.
const sharedPool = "sharing"

// offers is the wording of what is offered, in three languages.
func offers(en, de, pl string) nudge.Wording {
	return nudge.Wording{"en": {nudge.Reached: en}, "de": {nudge.Reached: de}, "pl": {nudge.Reached: pl}}
}

func nudges(ctx context.Context, a *app.App) error {
	japan := nudge.Starts()[0].Build(Regions(), nil)
	japan.Name = "Parcels to Japan"
	japan.Audience.Regions = []string{"jp"}
	japan.Ladder.Rungs[0].Thresholds = nudge.Amounts{"jp": {Minor: 12000, Currency: "JPY"}}
	for _, d := range append([]nudge.Definition{winter(), harbour()}, liveToo()...) {
		n, err := a.Create(ctx, Shop, "Ilse Marrin", d)
		if err != nil {
			return err
		}
		if _, err := a.Publish(ctx, Shop, n.ID, "Ilse Marrin", n.DraftVersion); err != nil {
			return err
		}
	}
	for _, d := range append([]nudge.Definition{japan}, drafts(a.Now())...) {
		if _, err := a.Create(ctx, Shop, "Ilse Marrin", d); err != nil {
			return err
		}
	}
	_, err := a.GenerateCodes(ctx, Shop, sharedPool, "", 8, 60)
	return err
}
