package nudge

import (
	"cmp"
	"slices"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Start is a starting point: an intention, and a definition that fits it.
type Start struct {
	ID    string
	Group string // the intention that it belongs to
	Title string // the intention, in the merchant's words
	About string
	build func(regions []catalog.Region, cat *catalog.Catalog) Definition
}

// The groups of starting points.
const (
	FillTheCart = "Fill the cart"
	SellMore    = "Sell more of one thing"
	Propose     = "Propose something at the right moment"
	Tell        = "Say something where it helps"
)

// Starts lists the starting points, group by group.
func Starts() []Start {
	return []Start{
		{"free-shipping", FillTheCart, "Free shipping from an amount", "One goal. Carts grow towards it, and the fee stops being a surprise at the end.", func(rs []catalog.Region, _ *catalog.Catalog) Definition {
			return ladder("Free shipping", rungAt(rs, 60, Reward{Kind: FreeShipping, Methods: shared(rs)}))
		}},
		{"two-steps", FillTheCart, "A cheaper parcel first, a free one later", "Two goals. The first is close for nearly everybody, the second rewards a full basket.", func(rs []catalog.Region, _ *catalog.Catalog) Definition {
			return ladder("Two steps to free shipping",
				rungAt(rs, 35, Reward{Kind: ShippingFlat, Methods: shared(rs), Amounts: SuggestAmounts(rs, 3)}),
				rungAt(rs, 75, Reward{Kind: FreeShipping, Methods: shared(rs)}))
		}},
		{"gift", FillTheCart, "A gift from an amount", "It is put in by itself and leaves again when the goal is lost. Or let the shopper pick one of a few.", func(rs []catalog.Region, cat *catalog.Catalog) Definition {
			return ladder("A small gift", rungAt(rs, 80, Reward{Kind: Gift, Items: smallGifts(rs, cat)}))
		}},
		{"money-off", FillTheCart, "Money off the order from an amount", "A share or a sum, for everybody who comes that far.", func(rs []catalog.Region, _ *catalog.Catalog) Definition {
			tenth := money.Rate(100_000)
			d := ladder("Ten percent off a full basket", rungAt(rs, 90, Reward{Kind: OrderPercent, Percent: &tenth}))
			d.Ladder.Basis = AfterUnit
			return d
		}},
		{"code", FillTheCart, "A code that takes a share off the order", "For a newsletter or a parcel insert. It needs no goal, only the code.", func(rs []catalog.Region, _ *catalog.Catalog) Definition {
			tenth := money.Rate(100_000)
			d := ladder("Ten percent with a code", rungAt(rs, 0, Reward{Kind: OrderPercent, Percent: &tenth}))
			d.Ladder.Basis = BeforeNudges
			d.Audience.Code = "HARBOUR10"
			return d
		}},
		{"by-number", SellMore, "Cheaper by the number", "Three, six, twelve: each piece costs less. A table on the product’s page, a hint in the cart.", func(_ []catalog.Region, _ *catalog.Catalog) Definition {
			off := func(count int64, percent money.Rate) Rung {
				return Rung{Count: count, Rewards: []Reward{{Kind: UnitPercent, Percent: &percent}}}
			}
			d := byPiece("Cheaper by the number", SameProduct, off(3, 50_000), off(6, 100_000), off(12, 150_000))
			d.Ladder.Replacing = true
			return d
		}},
		{"some-free", SellMore, "Buy some, one is free", "Three for the price of two: the cheapest of every three costs nothing.", func(_ []catalog.Region, cat *catalog.Catalog) Definition {
			d := byPiece("Three for two", Units, Rung{Rewards: []Reward{{Kind: NForM, Size: 3, PayFor: 2}}})
			d.Ladder.Scope = firstShelf(cat)
			return d
		}},
		{"set", SellMore, "So many for one price", "Any five of a shelf for a round sum, as often as they fit.", func(rs []catalog.Region, cat *catalog.Catalog) Definition {
			const size = 5
			shelf := firstShelf(cat)
			d := byPiece("Any five", Units, Rung{Rewards: []Reward{{Kind: SetPrice, Size: size, Amounts: setPrices(rs, cat, shelf, size)}}})
			d.Ladder.Scope = shelf
			return d
		}},
		{"built", SellMore, "A set that shoppers put together", "Five from a shelf, chosen on a page of its own, for less together. Slot by slot if you like.", func(rs []catalog.Region, cat *catalog.Catalog) Definition {
			shelf := firstShelf(cat)
			d := byPiece("Put together", Units,
				Rung{Count: 3, Rewards: []Reward{{Kind: BuiltPrice, Amounts: setPrices(rs, cat, shelf, 3)}}},
				Rung{Count: 5, Rewards: []Reward{{Kind: BuiltPrice, Amounts: setPrices(rs, cat, shelf, 5)}}})
			d.Ladder.Scope, d.Ladder.Slots = shelf, []Slot{{Least: 3, Most: 5}}
			d.Headings = map[string]string{"en": "Put your own set together", "de": "Stell dein Set zusammen", "pl": "Ułóż własny zestaw", "ja": "お好きに組み合わせ"}
			d.Placements = []Placement{SetBuilder, ProductBlock, CartDrawer}
			return d
		}},
		{"better", Propose, "The next size in its place", "Somebody puts the small one in: ask once whether the larger one would be better, and say what that costs more.", func(_ []catalog.Region, cat *catalog.Catalog) Definition {
			tenth := money.Rate(100_000)
			d := offer("The larger one instead", Reward{Kind: OfferBetter, Choose: NextSize, Percent: &tenth}, firstSize(cat), Dialog)
			d.Moment, d.Frequency.PerVisit = audience.ItemAdded, 1
			return d
		}},
		{"beside", Propose, "Something small beside it", "An add-on in the cart, cheaper there than on its own page.", func(rs []catalog.Region, cat *catalog.Catalog) Definition {
			tenth := money.Rate(100_000)
			return offer("Something small beside it", Reward{Kind: OfferAdd, Items: smallGifts(rs, cat), Percent: &tenth}, catalog.Filter{}, CartDrawer, CartBlock)
		}},
		{"companions", Propose, "What goes with it, put in together", "On the product’s page: what else it needs, each ticked, with the right total before anything is put in.", func(_ []catalog.Region, cat *catalog.Catalog) Definition {
			tenth := money.Rate(100_000)
			d := offer("What goes with it", Reward{Kind: Companions, Choose: SameCollection, Percent: &tenth}, firstShelf(cat), ProductBlock)
			d.Headings = map[string]string{"en": "Goes with it", "de": "Passt dazu", "pl": "Pasuje do tego", "ja": "一緒にどうぞ"}
			return d
		}},
		{"bump", Propose, "A tick at the checkout", "One small thing to tick before paying. The total follows at once; unticked it is gone again.", func(rs []catalog.Region, cat *catalog.Catalog) Definition {
			items := smallGifts(rs, cat)
			return offer("A tick at the checkout", Reward{Kind: OrderBump, Items: items[:min(1, len(items))]}, catalog.Filter{}, CheckoutBump)
		}},
		{"after", Propose, "One thing more for the same parcel", "The order is placed. For half an hour something small can still go with it, charged by one press; what was paid stays as it is.", func(rs []catalog.Region, cat *catalog.Catalog) Definition {
			items, tenth := smallGifts(rs, cat), money.Rate(100_000)
			return offer("One thing more for the parcel", Reward{Kind: OfferAfter, Items: items[:min(1, len(items))], Percent: &tenth}, catalog.Filter{}, AfterBuy)
		}},
		{"share", Propose, "A thank-you for sharing the cart", "Who shows their cart to somebody gets a code that works once. Visits and orders by the link are counted.", func(rs []catalog.Region, _ *catalog.Catalog) Definition {
			return earned("A thank-you for sharing", audience.LinkShared, "sharing", rs, CartDrawer, CartBlock)
		}},
		{"stay", Propose, "A word to who is about to leave", "The pointer goes to the edge, back is pressed, the phone rests: ask once, with a code that works once.", func(rs []catalog.Region, _ *catalog.Catalog) Definition {
			d := earned("A word before leaving", audience.Leaving, "staying", rs, Dialog)
			d.Moment, d.Frequency.PerVisit = audience.Leaving, 1
			return d
		}},
		{"notice", Tell, "A word about what is in the cart", "A sentence with the product’s name and a link, for who has something of a shelf in the cart. It gives nothing.", func(_ []catalog.Region, cat *catalog.Catalog) Definition {
			return offer("A word beside it", Reward{Kind: Notice, Link: "/"}, firstShelf(cat), CartDrawer, CartBlock)
		}},
		{"block", Tell, "A block of your own, before and after a goal", "Free words with a picture and a link, on the product’s page and in the cart; others once the goal is reached. It gives nothing.", func(rs []catalog.Region, _ *catalog.Catalog) Definition {
			d := ladder("From the workshop", rungAt(rs, 60, Reward{Kind: Notice, Link: "/"}))
			d.Ladder.Basis, d.Placements, d.Look.Tone = BeforeNudges, []Placement{ProductBlock, CartBlock}, TonePaper
			d.Headings = map[string]string{"en": "From the workshop", "de": "Aus der Werkstatt", "pl": "Z warsztatu", "ja": "工房から"}
			return d
		}},
	}
}

// Build makes the definition for a shop's regions and goods.
func (s Start) Build(regions []catalog.Region, cat *catalog.Catalog) Definition {
	d := s.build(regions, cat)
	switch d.Wording = DefaultWording(); {
	case d.Built():
		d.Wording = builtWording()
	case d.Audience.EarnedBy != "":
		d.Wording = earnWording(d.Audience.EarnedBy)
	case d.SaysBefore():
		d.Wording = blockWording()
	case d.Offers():
		d.Wording = offerWording(d.Ladder.Rungs[0].Rewards[0].Kind)
	}
	return d
}

// earned is a tenth off any order, for who has earned a code of a pool.
func earned(name string, by audience.Act, pool string, rs []catalog.Region, places ...Placement) Definition {
	tenth := money.Rate(100_000)
	d := ladder(name, rungAt(rs, 0, Reward{Kind: OrderPercent, Percent: &tenth}))
	d.Ladder.Basis = BeforeNudges
	d.Audience.Pool, d.Audience.EarnedBy, d.Placements, d.Look.Bar = pool, by, places, BarNone
	return d
}

// byPiece is a nudge about prices by pieces.
func byPiece(name string, m Measure, rungs ...Rung) Definition {
	return Definition{
		Version: Version, Name: name, Ladder: Ladder{Basis: BeforeNudges, Measure: m, Rungs: rungs},
		Placements: []Placement{ProductBlock, CartDrawer, CartBlock},
	}
}

// offer is a nudge that proposes something to who has one piece of some goods.
func offer(name string, r Reward, of catalog.Filter, places ...Placement) Definition {
	return Definition{
		Version: Version, Name: name, Placements: places,
		Ladder: Ladder{Basis: BeforeNudges, Measure: Units, Scope: of, Rungs: []Rung{{Count: 1, Rewards: []Reward{r}}}},
	}
}

// firstSize is the cheapest of the sizes, or whatever else tells them apart, of the first
// product that has several.
func firstSize(cat *catalog.Catalog) (f catalog.Filter) {
	for i := range cat.Products {
		p := &cat.Products[i]
		if !p.GiftCard && len(p.Variants) > 1 && len(p.Variants[0].Options) == 1 {
			f.Include.Collections, f.Include.Options = p.Collections[:min(1, len(p.Collections))], p.Variants[0].Options
			break
		}
	}
	return f
}

// smallGifts are the cheapest things that every region sells and that are there, the
// second in case the first runs out.
func smallGifts(rs []catalog.Region, cat *catalog.Catalog) []Item {
	type good struct {
		sku   string
		price money.Minor
	}
	var all []good
	for i := range cat.Products {
		p := &cat.Products[i]
		for j := range p.Variants {
			v := &p.Variants[j]
			everywhere := !p.GiftCard && len(rs) > 0 && (v.Stock == nil || *v.Stock > 0)
			for k := range rs {
				_, sold := v.Prices[rs[k].Currency]
				everywhere = everywhere && sold
			}
			if everywhere {
				all = append(all, good{v.SKU, v.Prices[rs[0].Currency].Price})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b good) int { return cmp.Compare(a.price, b.price) })
	var out []Item
	for _, g := range all[:min(2, len(all))] {
		out = append(out, Item{SKU: g.sku})
	}
	return out
}

// firstShelf is the first product's first collection; everything where there is none.
func firstShelf(cat *catalog.Catalog) (f catalog.Filter) {
	for i := range cat.Products {
		if p := &cat.Products[i]; !p.GiftCard && len(p.Collections) > 0 {
			f.Include.Collections = p.Collections[:1]
			break
		}
	}
	return f
}

// setPrices suggest what so many pieces cost in each region: six sevenths of what the
// cheapest of them would cost, in whole units.
func setPrices(rs []catalog.Region, cat *catalog.Catalog, shelf catalog.Filter, size int) Amounts {
	out := Amounts{}
	for i := range rs {
		r := &rs[i]
		var prices []money.Minor
		for j := range cat.Products {
			p := &cat.Products[j]
			for k := range p.Variants {
				price, sold := p.Variants[k].Prices[r.Currency]
				facts := catalog.FactsOf(catalog.Item{Product: p, Variant: &p.Variants[k]}, price, r.ID)
				if sold && !p.GiftCard && shelf.Matches(&facts) {
					prices = append(prices, price.Price)
				}
			}
		}
		slices.Sort(prices)
		whole := money.Minor(1)
		for range r.Currency.Digits() {
			whole *= 10
		}
		sum := money.Minor(0)
		for _, p := range prices[:min(size, len(prices))] {
			sum += p
		}
		out[r.ID] = money.Amount{Minor: max(sum*6/7/whole, 1) * whole, Currency: r.Currency}
	}
	return out
}

func ladder(name string, rungs ...Rung) Definition {
	return Definition{Version: Version, Name: name, Ladder: Ladder{Basis: AfterOrder, Rungs: rungs}, Placements: []Placement{TopBar, CartDrawer}}
}

// SuggestAmounts suggests an amount for every region: so many euros, as a shopkeeper
// would write it in the region's currency.
func SuggestAmounts(rs []catalog.Region, euros int64) Amounts {
	out := Amounts{}
	for _, r := range rs {
		whole := euros
		if r.Currency == "JPY" {
			whole = euros * 150
		}
		for range r.Currency.Digits() {
			whole *= 10
		}
		out[r.ID] = money.Amount{Minor: whole, Currency: r.Currency}
	}
	return out
}

func rungAt(rs []catalog.Region, euros int64, r Reward) Rung {
	return Rung{Thresholds: SuggestAmounts(rs, euros), Rewards: []Reward{r}}
}

// shared names the first method that every region has, or none.
func shared(rs []catalog.Region) []string {
	if len(rs) == 0 {
		return nil
	}
	for _, m := range rs[0].Methods {
		everywhere := true
		for i := range rs {
			_, ok := rs[i].Method(m.ID)
			everywhere = everywhere && ok
		}
		if everywhere {
			return []string{m.ID}
		}
	}
	return nil
}

// DefaultWording is a first wording in English, German, Polish and Japanese.
func DefaultWording() Wording {
	return Wording{
		"en": {
			NotYet:  "Add {to_add} and get {reward}.",
			OneStep: "Only {to_add} to go: {reward} is one small thing away.",
			Reached: "It’s yours: {reward}. {next_to_add} more and you get {next_reward}.",
			Lost:    "Add {to_add} to get {reward} back.",
		},
		"de": {
			NotYet:  "Noch {to_add} bis: {reward}.",
			Reached: "Erreicht: {reward}. Mit weiteren {next_to_add} gibt es: {next_reward}.",
			Lost:    "Mit {to_add} mehr ist es wieder da: {reward}.",
		},
		"pl": {
			NotYet:  "Dodaj {to_add}, a czeka: {reward}.",
			Reached: "Gotowe: {reward}. Jeszcze {next_to_add} i będzie: {next_reward}.",
			Lost:    "Dodaj {to_add}, a wróci: {reward}.",
		},
		"ja": {
			NotYet:  "あと{to_add}で{reward}になります。",
			Reached: "{reward}になりました。あと{next_to_add}で{next_reward}です。",
			Lost:    "あと{to_add}で、もう一度{reward}になります。",
		},
	}
}

// builtWording is a first wording for sets that shoppers put together.
func builtWording() Wording {
	return Wording{
		"en": {
			NotYet:  "Choose {to_add}: {reward}.",
			OneStep: "One more piece: {reward}.",
			Reached: "Complete: {reward}. With {next_to_add} more: {next_reward}.",
			Lost:    "Choose {to_add} more: {reward}.",
		},
		"de": {
			NotYet:  "Such dir {to_add} aus: {reward}.",
			OneStep: "Noch ein Stück: {reward}.",
			Reached: "Vollständig: {reward}. Mit weiteren {next_to_add}: {next_reward}.",
			Lost:    "Noch {to_add} aussuchen: {reward}.",
		},
		"pl": {
			NotYet:  "Wybierz {to_add}: {reward}.",
			OneStep: "Jeszcze jedna sztuka: {reward}.",
			Reached: "Komplet: {reward}. Jeszcze {next_to_add}: {next_reward}.",
			Lost:    "Wybierz jeszcze {to_add}: {reward}.",
		},
		"ja": {
			NotYet:  "{to_add}選ぶと{reward}です。",
			OneStep: "あと1点で{reward}です。",
			Reached: "揃いました。{reward}です。あと{next_to_add}で{next_reward}です。",
			Lost:    "あと{to_add}選ぶと{reward}です。",
		},
	}
}
