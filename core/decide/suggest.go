package decide

import (
	"cmp"
	"slices"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/choice"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// How widely suggestions are looked for. Counts, never a clock.
const (
	mostSuggested = 3  // suggestions of one nudge
	mostTriedSets = 6  // goods decided on with one nudge
	mostInSets    = 40 // different goods that sets are made of
	mostQuantity  = 50 // of one suggested product
	mostAlike     = 4  // different goods of one quantity
	mostWeighed   = 3  // goods decided on to weigh one nudge against others
	mostWeighing  = 8  // nudges weighed against one another, the first in the merchant's order

	// How many steps of the search deciding with other goods may take: each time, and
	// in all. What is not certain by then is no suggestion.
	mostTry    = 1 << 13
	mostTrying = 1 << 15
)

// suggest finds goods that close the gap of each nudge that shows a promise.
func (w *work) suggest(d *Decision) {
	if !w.req.Suggest {
		return
	}
	for i := range d.Nudges {
		d.Nudges[i].Suggestions = w.suggestions(d, &d.Nudges[i], mostTriedSets)
	}
}

// good is something in scope that may be suggested.
type good struct {
	item  catalog.Item
	price money.Minor
	adds  int64 // to the measure, by one
}

// suggestions ranks goods that reach the nudge's next open rung, deciding on at
// most so many of them.
func (w *work) suggestions(d *Decision, o *NudgeOutcome, most int) []Suggestion {
	at := slices.IndexFunc(o.Rungs, func(r RungOutcome) bool { return r.promises() })
	if o.Reason != "" || at < 0 || slices.Contains(w.req.Visit.Declined, o.Nudge) {
		return nil
	}
	t := w.taken(o.Nudge)
	r := &o.Rungs[at]
	missing, _ := r.missing()
	shelf := shelf(w.s, t.n, w.region, w.req.Moment.At)
	goods := w.close(shelf, r, missing)
	if len(goods) == 0 {
		return nil
	}
	var tries [][]SuggestedItem
	for _, g := range goods[:min(len(goods), most)] {
		tries = append(tries, []SuggestedItem{{g.item.Variant.SKU, g.item.Label(), quantity(g, missing)}})
	}
	if r.Measure == nudge.Value && overshoot(goods[0], missing)*5 > r.Threshold {
		together := w.sets(shelf, missing)
		tries = append(tries, together[:min(len(together), most)]...)
	}
	var out []Suggestion
	for _, items := range tries {
		if s, ok := w.try(d, o.Nudge, r, items); ok {
			out = append(out, s)
		}
	}
	w.rank(t.n.Definition.Suggest, out)
	return out[:min(len(out), mostSuggested)]
}

// quantity is how many of a good are expected to close a gap.
func quantity(g good, missing int64) int64 { return max(1, (missing+g.adds-1)/g.adds) }

// overshoot is how far beyond the gap a good is expected to lead.
func overshoot(g good, missing int64) int64 { return quantity(g, missing)*g.adds - missing }

// shelfKey names the goods of a scope in a region on an hour: sales begin and end.
type shelfKey struct {
	nudge  string
	region string
	hour   int64
}

// shelf lists what a nudge counts and the shop sells, the cheapest first. It is
// kept with the snapshot, since many carts ask for it.
func shelf(s *snapshot.Snapshot, n *snapshot.Compiled, region *catalog.Region, at time.Time) []good {
	key := shelfKey{n.ID, region.ID, at.Unix() / 3600}
	if n.Scope.IsEverything() {
		key.nudge = ""
	}
	if known, ok := s.Shelves.Load(key); ok {
		if goods, ok := known.([]good); ok {
			return goods
		}
	}
	out := []good{}
	look := func(p *catalog.Product) {
		for i := range p.Variants {
			v := &p.Variants[i]
			price, sold := v.PriceIn(region.Currency, "", at)
			it := catalog.Item{Product: p, Variant: v}
			if !sold || price.Price == 0 || p.GiftCard {
				continue
			}
			if facts := catalog.FactsOf(it, price, region.ID); n.Scope.Matches(&facts) {
				out = append(out, good{it, price.Price, price.Price})
			}
		}
	}
	if ids := n.Scope.Include.Products; len(ids) > 0 {
		for _, id := range ids {
			if p, ok := s.Shop.Catalog.Product(id); ok {
				look(p)
			}
		}
	} else {
		for i := range s.Shop.Catalog.Products {
			look(&s.Shop.Catalog.Products[i])
		}
	}
	slices.SortFunc(out, func(a, b good) int {
		return cmp.Or(cmp.Compare(a.price, b.price), cmp.Compare(a.item.Variant.SKU, b.item.Variant.SKU))
	})
	s.Shelves.Store(key, out)
	return out
}

// firstFrom returns the place of the first good that costs at least so much.
func firstFrom(goods []good, price money.Minor) int {
	i, _ := slices.BinarySearchFunc(goods, price, func(g good, p money.Minor) int { return cmp.Compare(g.price, p) })
	return i
}

// close lists goods in stock that come close to closing a gap, the least expected
// overshoot first.
func (w *work) close(shelf []good, r *RungOutcome, missing int64) []good {
	var out []good
	seen := map[string]bool{}
	put := func(g good) bool {
		g.adds = w.adds(r, g.item, g.price)
		if g.adds == 0 || seen[g.item.Variant.SKU] {
			return false
		}
		if q := quantity(g, missing); q > mostQuantity || !w.inStock(g.item.Variant.SKU, q) {
			return false
		}
		seen[g.item.Variant.SKU] = true
		out = append(out, g)
		return true
	}
	if r.Measure == nudge.Value {
		for q := int64(1); q <= mostQuantity && q <= missing; q++ {
			n := 0
			for i := firstFrom(shelf, (missing+q-1)/q); i < len(shelf) && n < mostAlike && i < firstFrom(shelf, (missing+q-1)/q)+mostTriedSets*2; i++ {
				if put(shelf[i]) {
					n++
				}
			}
		}
	} else {
		for i := range shelf {
			if put(shelf[i]) && len(out) >= mostInSets && r.Measure != nudge.Weight {
				break
			}
		}
	}
	slices.SortFunc(out, func(a, b good) int {
		return cmp.Or(cmp.Compare(overshoot(a, missing), overshoot(b, missing)), cmp.Compare(quantity(a, missing), quantity(b, missing)), cmp.Compare(a.item.Variant.SKU, b.item.Variant.SKU))
	})
	return out
}

// adds is what one more of a good adds to a rung's measure.
func (w *work) adds(r *RungOutcome, it catalog.Item, price money.Minor) int64 {
	switch r.Measure {
	case nudge.Units:
		return 1
	case nudge.Weight:
		return it.Variant.Weight
	case nudge.Distinct, nudge.SameProduct, nudge.SameVariant:
		same := slices.ContainsFunc(w.lines, func(l line) bool {
			if r.Measure == nudge.SameVariant {
				return l.item.Variant == it.Variant
			}
			return l.item.Product == it.Product
		})
		if same == (r.Measure != nudge.Distinct) {
			return 1
		}
		return 0
	}
	return price
}

// sets makes sets of two and three different goods in stock, the least overshoot
// first.
func (w *work) sets(shelf []good, missing int64) [][]SuggestedItem {
	var pool []good
	for i := firstFrom(shelf, missing) - 1; i >= 0 && len(pool) < mostInSets; i-- {
		if w.inStock(shelf[i].item.Variant.SKU, 1) {
			pool = append(pool, shelf[i]) // the dearest first: they need the fewest
		}
	}
	slices.Reverse(pool)
	type set struct {
		over int64
		of   []int
	}
	var all []set
	for a := range pool {
		for b := a + 1; b < len(pool); b++ {
			if pool[a].item.Product == pool[b].item.Product {
				continue
			}
			two := pool[a].adds + pool[b].adds
			if two >= missing {
				all = append(all, set{two - missing, []int{a, b}})
				continue
			}
			for c := b + 1; c < len(pool); c++ {
				if p := pool[c].item.Product; p != pool[a].item.Product && p != pool[b].item.Product && two+pool[c].adds >= missing {
					all = append(all, set{two + pool[c].adds - missing, []int{a, b, c}})
				}
			}
		}
	}
	slices.SortStableFunc(all, func(x, y set) int {
		return cmp.Or(cmp.Compare(x.over, y.over), cmp.Compare(len(x.of), len(y.of)), slices.Compare(x.of, y.of))
	})
	var out [][]SuggestedItem
	for _, s := range all[:min(len(all), mostTriedSets/2)] {
		var items []SuggestedItem
		for _, k := range s.of {
			items = append(items, SuggestedItem{pool[k].item.Variant.SKU, pool[k].item.Label(), 1})
		}
		out = append(out, items)
	}
	return out
}

// try decides again with goods added, with one more of the last while the rung is
// not reached: a quantity break may move the total either way.
func (w *work) try(d *Decision, id string, r *RungOutcome, items []SuggestedItem) (Suggestion, bool) {
	for range 4 {
		with, ok := w.with(items)
		if !ok {
			return Suggestion{}, false
		}
		for _, n := range with.Nudges {
			if n.Nudge != id {
				continue
			}
			for _, o := range n.Rungs {
				if o.Rung == r.Rung && o.State == RungReached {
					s := Suggestion{Items: items, Overshoot: o.Counted - o.Threshold, Net: with.ToPay - d.ToPay}
					for _, g := range with.Gifts {
						s.Gift += g.Worth
					}
					for _, g := range d.Gifts {
						s.Gift -= g.Worth
					}
					if a, known := w.profit(&with); known {
						if b, known := w.profit(d); known {
							p := a - b
							s.Profit = &p
						}
					}
					return s, true
				}
			}
		}
		if len(items) > 1 {
			return Suggestion{}, false
		}
		items = []SuggestedItem{{items[0].SKU, items[0].Label, items[0].Quantity + 1}}
	}
	return Suggestion{}, false
}

// with prices the cart with goods added, false where there is not so much of them.
func (w *work) with(items []SuggestedItem) (Decision, bool) {
	r := *w.req
	r.Suggest, r.Trace, r.Every = false, false, false
	r.Cart.Lines = slices.Clone(r.Cart.Lines)
	for _, it := range items {
		if !w.inStock(it.SKU, it.Quantity) {
			return Decision{}, false
		}
		i := slices.IndexFunc(r.Cart.Lines, func(l CartLine) bool { return l.SKU == it.SKU && l.Plan == "" && l.Origin == nil })
		if i >= 0 {
			r.Cart.Lines[i].Quantity += it.Quantity
			continue
		}
		r.Cart.Lines = append(r.Cart.Lines, CartLine{SKU: it.SKU, Quantity: it.Quantity})
	}
	return w.priced(r)
}

// priced prices another cart, false where it cannot be, or not for certain.
func (w *work) priced(r Request) (Decision, bool) {
	if w.tries <= 0 {
		return Decision{}, false
	}
	d, steps, err := decide(w.s, r, true, min(mostTry, w.tries))
	w.tries -= steps
	return d, err == nil && d.Exact
}

// profit is what the shop earns by a decision: what is paid for goods and shipping
// without tax, less the goods' cost, the parcel's and that of gifts. false where a
// cost is not known.
func (w *work) profit(d *Decision) (money.Minor, bool) {
	var out money.Minor
	cost := func(sku string, n int64) bool {
		it, ok := w.s.Shop.Catalog.Item(sku)
		if !ok {
			return false
		}
		p, sold := it.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
		if !sold || p.Cost == nil {
			return false
		}
		out -= *p.Cost * n
		return true
	}
	for _, l := range d.Lines {
		it, ok := w.s.Shop.Catalog.Item(l.SKU)
		if !ok || !cost(l.SKU, l.Quantity) {
			return 0, false
		}
		out += w.net(l.Paid, w.region.Rate(it.Variant.TaxClass))
	}
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			if !cost(it.SKU, it.Quantity) {
				return 0, false
			}
		}
	}
	if s := d.Shipping; s != nil && (s.ListFee > 0 || s.Fee > 0) {
		m, _ := w.region.Method(s.Method)
		out += w.net(s.Fee, w.region.ShippingTax) - m.Cost
	}
	return out, true
}

// rank puts suggestions in the merchant's chosen order.
func (w *work) rank(by nudge.Suggest, all []Suggestion) {
	keys := func(a, b *Suggestion) int {
		return cmp.Or(cmp.Compare(a.Overshoot, b.Overshoot), cmp.Compare(a.Net, b.Net), cmp.Compare(len(a.Items), len(b.Items)), cmp.Compare(a.Items[0].SKU, b.Items[0].SKU))
	}
	profit := func(a, b *Suggestion) int {
		pa, pb := money.Minor(-1<<60), money.Minor(-1<<60)
		if a.Profit != nil {
			pa = *a.Profit
		}
		if b.Profit != nil {
			pb = *b.Profit
		}
		return cmp.Compare(pb, pa)
	}
	companion := func(a, b *Suggestion) int { return cmp.Compare(w.lift(b), w.lift(a)) }
	switch by {
	case nudge.MostProfit:
		slices.SortStableFunc(all, func(a, b Suggestion) int { return cmp.Or(profit(&a, &b), keys(&a, &b)) })
	case nudge.BestCompanion:
		slices.SortStableFunc(all, func(a, b Suggestion) int { return cmp.Or(companion(&a, &b), keys(&a, &b)) })
	case nudge.Blend:
		place := map[string]int{}
		for _, order := range []func(a, b *Suggestion) int{keys, profit, companion} {
			slices.SortStableFunc(all, func(a, b Suggestion) int { return cmp.Or(order(&a, &b), keys(&a, &b)) })
			for i := range all {
				place[all[i].name()] += i
			}
		}
		slices.SortStableFunc(all, func(a, b Suggestion) int {
			return cmp.Or(cmp.Compare(place[a.name()], place[b.name()]), keys(&a, &b))
		})
	default:
		slices.SortStableFunc(all, func(a, b Suggestion) int { return keys(&a, &b) })
	}
}

func (s *Suggestion) name() string {
	out := ""
	for _, it := range s.Items {
		out += it.SKU + "\x00"
	}
	return out
}

// lift is how much likelier the suggested goods are beside what is in the cart: the
// greatest lift of any pair, in thousandths.
func (w *work) lift(s *Suggestion) int64 {
	var best int64
	for _, it := range s.Items {
		a, ok := w.s.Shop.Catalog.Item(it.SKU)
		if !ok {
			continue
		}
		for i := range w.lines {
			if b := w.lines[i].item.Product; b != nil {
				best = max(best, w.s.Shop.Companions[a.Product.ID][b.ID])
			}
		}
	}
	return best
}

// Bands are the gap bands, by the share of the threshold that is missing.
var Bands = []string{"10", "20", "30", "50", "beyond"}

// BandOf returns the band of a gap to a threshold.
func BandOf(gap, threshold int64) string {
	for i, most := range []int64{10, 20, 30, 50} {
		if gap*100 <= most*threshold {
			return Bands[i]
		}
	}
	return Bands[4]
}

// gain is what showing a nudge is expected to earn: the mean of the posterior for
// its gap band, and the change in profit with its first suggestion or its offered
// item. nil where there is neither, or a cost is not known.
func (w *work) gain(d *Decision, o *NudgeOutcome, st standing) *Gain {
	change, ok := w.change(d, o)
	if !ok || len(o.Rungs) == 0 {
		return nil
	}
	r := &o.Rungs[st.rung]
	prior := w.s.Shop.Settings.Prior
	if prior.IsZero() {
		prior = snapshot.DefaultPrior
	}
	out := &Gain{Band: BandOf(r.Gap, r.Threshold), Profit: change}
	seen := w.req.Usage[o.Nudge].Bands[out.Band]
	g := choice.Posterior(change, prior.Accepted, prior.Refused, seen.Shows, seen.Accepted)
	out.Accepted, out.Shows = g.Accepted, g.Shows
	return out
}

func (w *work) change(d *Decision, o *NudgeOutcome) (money.Minor, bool) {
	for _, offer := range d.Offers {
		if offer.Nudge != o.Nudge || offer.Accepted {
			continue
		}
		now, known := w.profit(d)
		if !known {
			return 0, false
		}
		r := *w.req
		r.Suggest, r.Trace = false, false
		r.Cart.Lines = append(slices.Clone(r.Cart.Lines), CartLine{SKU: offer.Items[0].SKU, Quantity: offer.Items[0].Quantity, Origin: &Origin{FromOffer, o.Nudge}})
		with, ok := w.priced(r)
		if !ok {
			return 0, false
		}
		then, known := w.profit(&with)
		return then - now, known
	}
	suggested := o.Suggestions
	if suggested == nil {
		suggested = w.suggestions(d, o, mostWeighed)
	}
	if len(suggested) == 0 || suggested[0].Profit == nil {
		return 0, false
	}
	return *suggested[0].Profit, true
}
