package decidetest

import (
	"fmt"
	"time"

	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/strict"
)

// Regions are a region with tax shown and one, in yen, without.
func Regions() []catalog.Region {
	home := Region(590)
	home.Methods = append(home.Methods, catalog.Method{ID: "express", Bands: []catalog.Band{{From: 0, Fee: 990}, {From: 8000, Fee: 790}}})
	return []catalog.Region{home, {
		ID: "jp", Name: "Japan", Countries: []string{"JP"}, Languages: []string{"ja"}, Currency: "JPY",
		Tax: map[string]money.Rate{"": 100_000, "books": 80_000}, ShippingTax: 100_000,
		Methods: []catalog.Method{{ID: "standard", Bands: []catalog.Band{{From: 0, Fee: 1200}}}},
	}}
}

var names = []string{"ink", "pen", "book", "nib"}

// Random draws a shop with up to five nudges, and a request to it.
func Random(t *rapid.T) (snapshot.Shop, decide.Request) {
	var products []catalog.Product
	for i, n := range names {
		ref := rapid.Int64Range(1, 6000).Draw(t, "reference")
		products = append(products, catalog.Product{
			ID: n, Title: n, Collections: []string{"shelf-" + fmt.Sprint(i%2)}, Tags: []string{"tag-" + fmt.Sprint(i%3)},
			GiftCard: i == 3 && rapid.Bool().Draw(t, "gift card"), NeverOff: rapid.IntRange(0, 6).Draw(t, "never off") == 0,
			Variants: []catalog.Variant{{SKU: n, TaxClass: rapid.SampledFrom([]string{"", "books"}).Draw(t, "class"), Weight: 100, Prices: map[money.Currency]catalog.Price{
				"EUR": {Price: rapid.Int64Range(1, 5000).Draw(t, "eur"), Reference: &ref},
				"JPY": {Price: rapid.Int64Range(1, 5000).Draw(t, "jpy")},
			}}},
		})
	}
	cat, err := catalog.New(products)
	if err != nil {
		t.Fatal(err)
	}
	shop := snapshot.Shop{Catalog: cat, Regions: Regions()}
	if rapid.IntRange(0, 3).Draw(t, "mode") == 0 {
		shop.Settings.Stacking = snapshot.ByPriority
	}
	for i := range rapid.IntRange(2, 5).Draw(t, "nudges") {
		shop.Nudges = append(shop.Nudges, snapshot.Live{ID: fmt.Sprintf("n%d", i), Revision: 1, Priority: rapid.IntRange(1, 3).Draw(t, "priority"), Definition: Definition(t)})
	}
	r := request(t)
	gen{t}.putTogether(&shop, &r)
	if rapid.IntRange(0, 11).Draw(t, "crossing") == 0 {
		shop.Nudges = append(shop.Nudges, gen{t}.crossing(cat, r)...)
	}
	gen{t}.accepted(&shop, &r)
	return shop, r
}

// accepted draws an offer, and that some of it was taken: beside the others, or in the
// place of something.
func (g gen) accepted(shop *snapshot.Shop, r *decide.Request) {
	if !g.one(6, "offer") {
		return
	}
	sku := rapid.SampledFrom(names).Draw(g.t, "offered")
	of := nudge.Reward{Kind: nudge.OfferAdd, Items: []nudge.Item{{SKU: sku}}, Percent: g.percent(100_000, 333_300, 1_000_000)}
	from := decide.Origin{Kind: decide.FromOffer, Nudge: "o0"}
	if instead := rapid.SampledFrom(names).Draw(g.t, "instead"); instead != sku && g.one(3, "better") {
		of.Kind, of.InPlaceOf, from.Instead = nudge.OfferBetter, []string{instead}, instead
	}
	d := Ladder("offer", nudge.BeforeNudges)
	if g.one(2, "pieces") {
		d.Ladder.Measure = nudge.Units
	}
	if g.one(2, "scope") {
		d.Ladder.Scope.Include.Collections = []string{"shelf-0"}
	}
	g.rungs(&d, 1, func(int) []nudge.Reward { return []nudge.Reward{of} })
	shop.Nudges = append(shop.Nudges, snapshot.Live{ID: "o0", Revision: 1, Priority: int(g.num(1, 3, "priority")), Definition: d})
	if g.one(2, "taken") {
		r.Cart.Lines = append(r.Cart.Lines, decide.CartLine{SKU: sku, Quantity: g.num(1, 2, "quantity"), Origin: &from})
	}
}

// putTogether puts lines of a cart into sets of the nudges that are about such.
func (g gen) putTogether(shop *snapshot.Shop, r *decide.Request) {
	for i := range shop.Nudges {
		if n := &shop.Nudges[i]; n.Definition.Built() {
			for j := range r.Cart.Lines {
				if l := &r.Cart.Lines[j]; l.Origin == nil && g.one(2, "in a set") {
					l.Build = &decide.Build{Nudge: n.ID, ID: rapid.SampledFrom([]string{"a", "a", "b"}).Draw(g.t, "set")}
				}
			}
		}
	}
}

// built makes a definition one of a set that shoppers put together.
func (g gen) built(d *nudge.Definition) {
	d.Ladder.Measure, d.Ladder.WithoutTax = nudge.Units, false
	var least, most int64
	for i := range int(g.num(1, 2, "slots")) {
		s := nudge.Slot{Least: g.num(0, 2, "least")}
		s.Most = s.Least + g.num(1, 4, "most")
		if i == 1 || g.one(2, "narrow") {
			s.Scope.Include.Tags = []string{fmt.Sprint("tag-", g.num(0, 2, "tag"))}
		}
		d.Ladder.Slots = append(d.Ladder.Slots, s)
		least, most = least+s.Least, most+s.Most
	}
	for n := max(1, least); n <= most && len(d.Ladder.Rungs) < 3; n += g.num(1, 2, "step") {
		r := nudge.Reward{Kind: rapid.SampledFrom([]nudge.Kind{nudge.BuiltPrice, nudge.BuiltPrice, nudge.UnitPercent, nudge.UnitAmount}).Draw(g.t, "price")}
		if r.Kind == nudge.UnitPercent {
			r.Percent = g.percent(50_000, 333_333, 1_000_000)
		} else {
			r.Amounts = g.amounts(1, 3000*n)
		}
		d.Ladder.Rungs = append(d.Ladder.Rungs, nudge.Rung{Count: n, Rewards: []nudge.Reward{r}})
	}
}

// crossing draws free shipping not far above what a cart holds, and an amount off
// the order, worth more than the fee, that takes goods below it again.
func (g gen) crossing(cat *catalog.Catalog, r decide.Request) []snapshot.Live {
	both := func(n int64) nudge.Amounts {
		return nudge.Amounts{"home": {Minor: n, Currency: "EUR"}, "jp": {Minor: n, Currency: "JPY"}}
	}
	currency := money.Currency("EUR")
	if d := r.Cart.Destination; d != nil && d.Country == "JP" {
		currency = "JPY"
	}
	var value money.Minor
	for _, l := range r.Cart.Lines {
		it, _ := cat.Item(l.SKU)
		if !it.Product.GiftCard {
			value += it.Variant.Prices[currency].Price * l.Quantity
		}
	}
	free := value + g.num(1, 1500, "free from")
	off := g.num(1300, 2500, "off")
	from := free + g.num(0, off-1, "off from")
	ship := Ladder("crossed", nudge.AfterOrder, nudge.Rung{Thresholds: both(free), Rewards: []nudge.Reward{Free}})
	order := Ladder("crossing", nudge.AfterUnit, nudge.Rung{Thresholds: both(from), Rewards: []nudge.Reward{{Kind: nudge.OrderAmount, Amounts: both(off)}}})
	return []snapshot.Live{
		{ID: "x0", Revision: 1, Priority: int(g.num(1, 3, "priority")), Definition: ship},
		{ID: "x1", Revision: 1, Priority: int(g.num(1, 3, "priority")), Definition: order},
	}
}

// Definition draws a well-formed definition with a reward of any kind.
func Definition(t *rapid.T) nudge.Definition {
	g := gen{t}
	d := nudge.Definition{Version: nudge.Version, Name: rapid.StringN(0, 20, 60).Filter(func(s string) bool { return strict.Text(s) == "" }).Draw(t, "name"), Placements: []nudge.Placement{nudge.TopBar}}
	d.Ladder.Basis = nudge.BeforeNudges
	if g.one(4, "scope") {
		d.Ladder.Scope.Include.Collections = []string{"shelf-0"}
	}
	if g.one(5, "exclude") {
		d.Ladder.Scope.Exclude.Tags = []string{"tag-1"}
	}
	d.Ladder.WithoutTax = g.one(4, "net")
	switch g.num(0, 12, "class") {
	case 12:
		g.built(&d)
	case 0, 1, 2, 3, 4, 5:
		g.unit(&d)
	case 6, 7:
		g.order(&d)
	case 8, 9:
		g.shipping(&d)
	default:
		g.gift(&d)
	}
	if g.one(12, "group") {
		d.Beside.Group = "winter"
	}
	d.Wording = nudge.Wording{"en": {nudge.NotYet: "Add {to_add} for {reward}.", nudge.Reached: "Yours: {reward}. {next_to_add} for {next_reward}."}}
	return d
}

type gen struct{ t *rapid.T }

func (g gen) num(lo, hi int64, label string) int64 { return rapid.Int64Range(lo, hi).Draw(g.t, label) }

// one is true one time in n.
func (g gen) one(n int64, label string) bool { return g.num(1, n, label) == n }

func (g gen) amounts(least, most int64) nudge.Amounts {
	return nudge.Amounts{
		"home": {Minor: g.num(least, most, "eur"), Currency: "EUR"},
		"jp":   {Minor: g.num(least, most, "jpy"), Currency: "JPY"},
	}
}

func (g gen) percent(of ...int64) *money.Rate {
	p := money.Rate(rapid.SampledFrom(of).Draw(g.t, "percent"))
	return &p
}

// rungs adds rungs with rising thresholds, or rising counts.
func (g gen) rungs(d *nudge.Definition, most int64, reward func(i int) []nudge.Reward) {
	least, count := int64(0), int64(0)
	for i := range int(g.num(1, most, "rungs")) {
		r := nudge.Rung{Rewards: reward(i)}
		if d.Ladder.Counts() == nudge.Value {
			r.Thresholds = g.amounts(least, least+6000)
			least = max(r.Thresholds["home"].Minor, r.Thresholds["jp"].Minor) + 1
		} else {
			step := int64(3)
			if d.Ladder.Counts() == nudge.Weight {
				step = 400
			}
			count += g.num(1, step, "count")
			r.Count = count
		}
		d.Ladder.Rungs = append(d.Ladder.Rungs, r)
	}
}

func (g gen) measure(d *nudge.Definition, of ...nudge.Measure) {
	d.Ladder.Measure = rapid.SampledFrom(of).Draw(g.t, "measure")
}

func (g gen) unit(d *nudge.Definition) {
	kind := rapid.SampledFrom([]nudge.Kind{nudge.UnitPercent, nudge.UnitPercent, nudge.UnitAmount, nudge.UnitPrice, nudge.SetPrice, nudge.NForM, nudge.Every}).Draw(g.t, "kind")
	g.measure(d, nudge.Value, nudge.Units, nudge.Units, nudge.SameProduct, nudge.Distinct, nudge.Weight)
	d.Beside.Stacks = kind == nudge.UnitPercent && g.one(5, "stacks")
	if g.one(8, "most units") && !d.Beside.Stacks && d.Ladder.Counts() != nudge.SameProduct {
		d.Limits.Units = g.num(1, 4, "units")
	}
	rungs := int64(1)
	if kind == nudge.UnitPercent || kind == nudge.UnitAmount {
		d.Ladder.Replacing = true
		rungs = 2
	}
	g.rungs(d, rungs, func(int) []nudge.Reward {
		r := nudge.Reward{Kind: kind}
		switch kind {
		case nudge.UnitPercent:
			r.Percent = g.percent(100_000, 150_000, 333_300)
		case nudge.UnitAmount:
			r.Amounts = g.amounts(1, 900)
		case nudge.UnitPrice:
			r.Amounts = g.amounts(1, 4000)
		case nudge.SetPrice:
			r.Size, r.Amounts = g.num(2, 3, "size"), g.amounts(100, 8000)
		case nudge.NForM:
			r.Size = g.num(2, 3, "n")
			r.PayFor = g.num(1, r.Size-1, "m")
		case nudge.Every:
			r.Size, r.Get, r.Percent = g.num(1, 2, "buy"), g.num(1, 2, "get"), g.percent(500_000, 1_000_000)
			if g.one(2, "on") {
				r.On = &catalog.Filter{Include: catalog.Selection{Collections: []string{"shelf-1"}}}
			}
		}
		return []nudge.Reward{r}
	})
	if rungs == 1 && nudge.Repeats(kind) && g.one(2, "own goal") {
		d.Ladder.Rungs[0].Thresholds, d.Ladder.Rungs[0].Count = nil, 0
	}
}

func (g gen) order(d *nudge.Definition) {
	if g.one(2, "basis") {
		d.Ladder.Basis = nudge.AfterUnit
	}
	g.rungs(d, 1, func(int) []nudge.Reward {
		r := nudge.Reward{Kind: nudge.OrderPercent, Percent: g.percent(50_000, 100_000, 125_000, 333_300)}
		if g.one(3, "amount") {
			r = nudge.Reward{Kind: nudge.OrderAmount, Amounts: g.amounts(1, 1500)}
		} else if g.one(4, "capped") {
			r.Cap = g.amounts(1, 900)
		}
		return []nudge.Reward{r}
	})
	if g.one(2, "code") {
		d.Audience.Code = "TEN"
	}
}

func (g gen) shipping(d *nudge.Definition) {
	d.Ladder.Basis = rapid.SampledFrom([]nudge.Basis{nudge.BeforeNudges, nudge.AfterUnit, nudge.AfterOrder, nudge.AfterOrder}).Draw(g.t, "basis")
	one := g.one(2, "one method")
	g.rungs(d, 3, func(int) []nudge.Reward {
		r := nudge.Reward{Kind: rapid.SampledFrom([]nudge.Kind{nudge.FreeShipping, nudge.ShippingOff, nudge.ShippingFlat}).Draw(g.t, "kind")}
		if r.Kind != nudge.FreeShipping {
			r.Amounts = g.amounts(1, 700)
		}
		if one {
			r.Methods = []string{"standard"}
		}
		return []nudge.Reward{r}
	})
}

func (g gen) gift(d *nudge.Definition) {
	d.Ladder.Basis = rapid.SampledFrom(nudge.Bases).Draw(g.t, "basis")
	if g.one(3, "pieces") {
		g.measure(d, nudge.Units, nudge.Distinct, nudge.Weight)
	}
	g.rungs(d, 2, func(int) []nudge.Reward {
		r := nudge.Reward{Kind: nudge.Gift, Items: []nudge.Item{{SKU: "nib"}, {SKU: "pen"}}}
		if g.one(3, "pick") {
			r.Kind, r.Pick = nudge.GiftPick, 1
		}
		return []nudge.Reward{r}
	})
}

func request(t *rapid.T) decide.Request {
	r := decide.Request{Trace: true, Every: rapid.Bool().Draw(t, "every"), Moment: decide.Moment{At: time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)}}
	r.Cart.Lines = []decide.CartLine{}
	for _, n := range names {
		if rapid.Bool().Draw(t, "in") {
			r.Cart.Lines = append(r.Cart.Lines, decide.CartLine{SKU: n, Quantity: rapid.Int64Range(1, 3).Draw(t, "quantity")})
		}
	}
	r.Cart.Destination = &decide.Destination{Country: rapid.SampledFrom([]string{"DE", "JP"}).Draw(t, "country")}
	if rapid.IntRange(0, 8).Draw(t, "nowhere") == 0 {
		r.Cart.Destination = nil
	}
	if rapid.Bool().Draw(t, "code entered") {
		r.Cart.Codes = []string{"ten"}
	}
	return r
}
