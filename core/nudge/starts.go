package nudge

import (
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Start is a starting point: an intention, and a definition that fits it.
type Start struct {
	ID    string
	Title string // the intention, in the merchant's words
	About string
	build func(regions []catalog.Region) Definition
}

// Starts lists the starting points.
func Starts() []Start {
	return []Start{
		{"free-shipping", "Free shipping from an amount", "One goal. Carts grow towards it, and the fee stops being a surprise at the end.", func(rs []catalog.Region) Definition {
			return ladder("Free shipping", rungAt(rs, 60, Reward{Kind: FreeShipping, Methods: shared(rs)}))
		}},
		{"two-steps", "A cheaper parcel first, a free one later", "Two goals. The first is close for nearly everybody, the second rewards a full basket.", func(rs []catalog.Region) Definition {
			return ladder("Two steps to free shipping",
				rungAt(rs, 35, Reward{Kind: ShippingFlat, Methods: shared(rs), Amounts: SuggestAmounts(rs, 3)}),
				rungAt(rs, 75, Reward{Kind: FreeShipping, Methods: shared(rs)}))
		}},
		{"code", "A code that takes a share off the order", "For a newsletter or a parcel insert. It needs no goal, only the code.", func(rs []catalog.Region) Definition {
			tenth := money.Rate(100_000)
			d := ladder("Ten percent with a code", rungAt(rs, 0, Reward{Kind: OrderPercent, Percent: &tenth}))
			d.Ladder.Basis = BeforeNudges
			d.Audience.Code = "HARBOUR10"
			return d
		}},
	}
}

// Build makes the definition for a shop's regions.
func (s Start) Build(regions []catalog.Region) Definition {
	d := s.build(regions)
	d.Wording = DefaultWording()
	return d
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
