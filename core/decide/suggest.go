package decide

import (
	"cmp"
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
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
	t := w.taken(o.Nudge)
	at := promisedOf(o, &t.n.Definition)
	if o.Reason != "" || at < 0 || slices.Contains(w.req.Visit.Declined, o.Nudge) {
		return nil
	}
	r := &o.Rungs[at]
	missing, _ := r.missing()
	shelf := shelf(w.s, t.n, w.region, w.req.Moment.At)
	if t.n.Definition.Built() {
		return w.tried(d, o, t, r, w.finishing(t, r, shelf, most))
	}
	goods := w.close(shelf, r, missing)
	if len(goods) == 0 {
		return nil
	}
	var tries [][]SuggestedItem
	for _, g := range goods[:min(len(goods), most)] {
		tries = append(tries, []SuggestedItem{{SKU: g.item.Variant.SKU, Label: g.item.Label(), Quantity: quantity(g, missing)}})
	}
	if r.Measure == nudge.Value && overshoot(goods[0], missing)*5 > r.Threshold {
		together := w.sets(shelf, missing)
		tries = append(tries, together[:min(len(together), most)]...)
	}
	return w.tried(d, o, t, r, tries)
}

// tried decides with each of some goods, and ranks those that reach the rung.
func (w *work) tried(d *Decision, o *NudgeOutcome, t *taking, r *RungOutcome, tries [][]SuggestedItem) []Suggestion {
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
