package merchant

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/store"
)

// cartFor looks for a cart in which a nudge has a state: it sets the value to have (at), or
// returns lines where pieces are counted. Lost again is what was reached in this visit.
func cartFor(cat *catalog.Catalog, req *decide.Request, n *store.Nudge, m measured, r catalog.Region, want nudge.State, at **int64) []decide.CartLine {
	d := &n.Draft
	first, last := &d.Ladder.Rungs[0], &d.Ladder.Rungs[len(d.Ladder.Rungs)-1]
	goal, _ := m.goal(first)
	top, _ := m.goal(last)
	if d.Built() {
		return builtFor(cat, req, n, r, want)
	}
	pieces := d.ByPiece() && goal == 0
	if pieces {
		goal = max(first.Rewards[0].Size, 1)
		top = goal
	}
	target := map[nudge.State]int64{nudge.NotYet: goal / 2, nudge.OneStep: goal - max(goal/20, 1), nudge.Lost: goal - max(goal/20, 1), nudge.Reached: top}[want]
	req.Visit = decide.Visit{}
	for i := range d.Ladder.Rungs {
		if want == nudge.Lost {
			req.Visit.Reached = append(req.Visit.Reached, decide.RungRef{Nudge: n.ID, Rung: i})
		}
	}
	if m.of == nudge.Value && !d.ByPiece() {
		*at = &target
		return nil
	}
	if !pieces && m.of == nudge.Distinct {
		req.Cart.Lines = nil
		return linesFor(cat, *req, d, r, target)
	}
	it, _ := stepItem(cat, *req, &d.Ladder, r)
	req.Cart.Lines = nil // only what counts, and just so much of it
	if it.Variant == nil {
		return nil
	}
	if m.of == nudge.Weight {
		each := max(it.Variant.Weight, 1)
		target = map[bool]int64{true: (target + each - 1) / each, false: target / each}[want == nudge.Reached]
	}
	if target <= 0 {
		return []decide.CartLine{}
	}
	return req.WithPieces("", it.Variant.SKU, target).Cart.Lines
}

// mostOutdoneTries bounds how many carts are decided to find one.
const mostOutdoneTries = 24

// outdoneFor looks for a cart in which something better stands in a nudge's place: one
// that would have reached it, as it is and with each code of the shop's other nudges.
func outdoneFor(snap *snapshot.Snapshot, req *decide.Request, n *store.Nudge, m measured, r catalog.Region) []decide.CartLine {
	codes := []string{""}
	for i := range snap.Nudges {
		if c := snap.Nudges[i].Definition.Audience.Code; c != "" && snap.Nudges[i].ID != n.ID {
			codes = append(codes, c)
		}
	}
	had := req.Cart.Codes
	for tries, more := 0, int64(1); more <= 4; more++ {
		var at *int64
		lines := cartFor(snap.Catalog(), req, n, m, r, nudge.Reached, &at)
		if at != nil { // a value is had by goods here, since no made-up piece is outdone
			lines = worth(snap.Catalog(), req, &n.Draft, r, *at*more)
		}
		for _, code := range codes {
			if tries++; tries > mostOutdoneTries {
				break
			}
			req.Cart.Lines, req.Cart.Codes = lines, had
			if code != "" {
				req.Cart.Codes = append(append([]string{}, had...), code)
			}
			if d, err := decide.Decide(snap, *req); err == nil && outdone(d, n.ID) {
				return lines
			}
		}
	}
	req.Cart.Codes = had
	return nil
}

// worth is a cart of the first item that a nudge counts, worth at least so much.
func worth(cat *catalog.Catalog, req *decide.Request, d *nudge.Definition, r catalog.Region, value int64) []decide.CartLine {
	req.Cart.Lines = nil
	it, _ := stepItem(cat, *req, &d.Ladder, r)
	if it.Variant == nil {
		return nil
	}
	price, _ := it.Variant.PriceIn(r.Currency, "", req.Moment.At)
	each := max(price.Price, 1)
	return []decide.CartLine{{SKU: it.Variant.SKU, Quantity: min((value+each-1)/each, decide.MostQuantity)}}
}

// outdone tells whether something better stands in the place of a nudge's reward.
func outdone(d decide.Decision, id string) bool {
	for _, n := range d.Nudges {
		if n.Nudge == id {
			return slices.ContainsFunc(n.Rungs, func(r decide.RungOutcome) bool { return r.State == decide.RungOutdone })
		}
	}
	return false
}

// builtFor is cartFor for a set that is put together: of its cheapest goods all, all but
// one, or half of them.
func builtFor(cat *catalog.Catalog, req *decide.Request, n *store.Nudge, r catalog.Region, want nudge.State) []decide.CartLine {
	l := &n.Draft.Ladder
	req.Visit, req.Cart.Lines = decide.Visit{}, nil
	first, last := &l.Rungs[0], &l.Rungs[len(l.Rungs)-1]
	count := map[nudge.State]int64{nudge.NotYet: first.Count / 2, nudge.OneStep: first.Count - 1, nudge.Lost: first.Count - 1, nudge.Reached: last.Count}[want]
	if want == nudge.Lost {
		for i := range l.Rungs {
			req.Visit.Reached = append(req.Visit.Reached, decide.RungRef{Nudge: n.ID, Rung: i})
		}
	}
	var lines []decide.CartLine
	for s := range l.Slots {
		part := nudge.Ladder{Scope: l.Scope, Slots: l.Slots[s : s+1]}
		for i := range cat.Products {
			if j := firstIn(&cat.Products[i], &part, r, req.Moment.At); j >= 0 && count > 0 {
				take := min(count, l.Slots[s].Most)
				lines = append(lines, decide.CartLine{SKU: cat.Products[i].Variants[j].SKU, Quantity: take})
				count -= take
				break
			}
		}
	}
	return putTogether(cat, n.ID, l, r, lines, req.Moment)
}

// linesFor is a cart that counts about so much more, or less: more or fewer pieces of its
// first item that counts, or of different products one each.
func linesFor(cat *catalog.Catalog, req decide.Request, d *nudge.Definition, r catalog.Region, more int64) []decide.CartLine {
	lines := append([]decide.CartLine{}, req.Cart.Lines...)
	scope := &d.Ladder
	if d.Ladder.Counts() == nudge.Distinct {
		for i := len(lines) - 1; i >= 0 && more < 0; i-- {
			if it, ok := cat.Item(lines[i].SKU); ok && firstIn(it.Product, scope, r, req.Moment.At) >= 0 {
				lines = slices.Delete(lines, i, i+1)
				more++
			}
		}
		for i := 0; i < len(cat.Products) && more > 0; i++ {
			p := &cat.Products[i]
			j := firstIn(p, scope, r, req.Moment.At)
			has := slices.ContainsFunc(lines, func(l decide.CartLine) bool {
				it, ok := cat.Item(l.SKU)
				return ok && it.Product == p
			})
			if j >= 0 && !has {
				lines = append(lines, decide.CartLine{SKU: p.Variants[j].SKU, Quantity: 1})
				more--
			}
		}
		return lines
	}
	it, have := stepItem(cat, req, scope, r)
	if it.Variant == nil {
		return lines
	}
	each := int64(1)
	if d.Ladder.Counts() == nudge.Weight {
		each = max(it.Variant.Weight, 1)
	}
	n := min(max(have+(more+each/2)/each, 0), decide.MostQuantity)
	lines = slices.DeleteFunc(lines, func(l decide.CartLine) bool { return l.SKU == it.Variant.SKU && n == 0 })
	req.Cart.Lines = lines
	if n > 0 {
		lines = req.WithPieces("", it.Variant.SKU, n).Cart.Lines
	}
	return lines
}
