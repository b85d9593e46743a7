package decide

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// finishing lists ways to finish the set that is nearest to a rung: for each place that
// is open the cheapest goods that fit it, or as many of one of the others.
func (w *work) finishing(t *taking, r *RungOutcome, shelf []good, most int) [][]SuggestedItem {
	slots := t.n.Definition.Ladder.Slots
	var b *build
	for k := range t.builds {
		if gap, ok := t.builds[k].full.ToGo(slots, r.Threshold); ok && gap == r.Gap {
			b = &t.builds[k]
			break
		}
	}
	if b == nil {
		return nil
	}
	var tries [][]SuggestedItem
	for first := 0; first < len(shelf) && len(tries) < most; first++ {
		if items := w.finish(t, b, shelf[first:], r.Gap); items != nil {
			tries = append(tries, items)
			if first > 0 && len(items) > 1 {
				tries = tries[:len(tries)-1] // mixed only once: the cheapest way
			}
		}
	}
	return tries
}

// finish fills a set's open places from a shelf, the first goods of it first.
func (w *work) finish(t *taking, b *build, shelf []good, gap int64) []SuggestedItem {
	slots := t.n.Definition.Ladder.Slots
	missing, room := slices.Clone(b.full.Missing), b.full.Room(slots)
	plan := ""
	if len(b.lines) > 0 {
		plan = w.lines[b.lines[0]].Plan
	}
	free := gap
	for _, n := range missing {
		free -= n
	}
	var items []SuggestedItem
	put := func(g good, n int64) {
		i := slices.IndexFunc(items, func(it SuggestedItem) bool { return it.SKU == g.item.Variant.SKU })
		if i < 0 {
			i = len(items)
			items = append(items, SuggestedItem{SKU: g.item.Variant.SKU, Label: g.item.Label(), Build: &Build{t.n.ID, b.id}, plan: plan})
		}
		items[i].Quantity += n
	}
	for _, g := range shelf {
		price, _ := g.item.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
		facts := catalog.FactsOf(g.item, price, w.region.ID)
		for s := range slots {
			n := min(missing[s]+free, room[s])
			if n <= 0 || g.item.Product.NeverOff || !slots[s].Scope.Matches(&facts) || !w.inStock(g.item.Variant.SKU, n) {
				continue
			}
			put(g, n)
			must := min(n, missing[s])
			missing[s], room[s], free, gap = missing[s]-must, room[s]-n, free-(n-must), gap-n
		}
		if gap == 0 {
			return items
		}
	}
	return nil
}

// SetSpan is what a set of so many pieces costs with the cheapest goods for it, and with
// the dearest.
type SetSpan struct {
	Rung              int
	Pieces            int64
	Cheapest, Dearest SetCost
}

// SetCost is one set by itself: its goods' own prices, what they cost together, what that
// leaves after their cost and tax (nil: a cost is not known), and what lies in it.
type SetCost struct {
	Amount, Price money.Minor
	Margin        *money.Minor
	Lines         []CartLine
}

// SetSpans tells what each number of pieces of a set that is put together costs where a
// cart goes, alone in the cart. A number for which the shop has no goods is left out.
func SetSpans(s *snapshot.Snapshot, req Request, id string) ([]SetSpan, error) {
	at, err := regionOf(s, req.Cart)
	if err != nil {
		return nil, err
	}
	w := &work{desk: new(desk), s: s, req: &req, region: &s.Shop.Regions[at], at: at, tries: mostTrying}
	found := s.Find(id)
	if len(found) == 0 {
		return nil, FieldErrors{{"nudge", "there is no nudge " + id}}
	}
	t := &taking{n: &s.Nudges[found[0]]}
	l := &t.n.Definition.Ladder
	up := shelf(s, t.n, w.region, req.Moment.At)
	down := slices.Clone(up)
	slices.Reverse(down)
	var out []SetSpan
	for i := range l.Rungs {
		span := SetSpan{Rung: i, Pieces: l.Rungs[i].Count}
		ok := true
		for _, side := range []struct {
			from []good
			to   *SetCost
		}{{up, &span.Cheapest}, {down, &span.Dearest}} {
			b := &build{id: "set", full: nudge.Fill(l.Slots, nil)}
			items := w.finish(t, b, side.from, span.Pieces)
			if ok = ok && items != nil; !ok {
				break
			}
			*side.to, ok = w.setCost(req, items)
		}
		if ok {
			out = append(out, span)
		}
	}
	return out, nil
}

// setCost prices goods as a set alone in the cart.
func (w *work) setCost(req Request, items []SuggestedItem) (c SetCost, ok bool) {
	req.Cart = Cart{Region: w.region.ID, Codes: req.Cart.Codes}
	for _, it := range items {
		req.Cart.Lines = append(req.Cart.Lines, CartLine{SKU: it.SKU, Quantity: it.Quantity, Build: it.Build})
	}
	c.Lines = req.Cart.Lines
	d, ok := w.priced(req)
	if !ok || len(d.Builds) == 0 {
		return c, false
	}
	c.Amount, c.Price = d.Builds[0].Amount, d.Builds[0].Price
	if p, known := w.profit(&d); known {
		c.Margin = &p
	}
	return c, true
}
