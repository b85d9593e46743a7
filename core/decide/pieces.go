package decide

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// How much is decided beside the cart for tables and hints.
const (
	mostTables = 8 // variants of the page's product
	mostHinted = 2 // pieces that a line is asked for
	mostHints  = 3
)

// PieceStep is what so many pieces of an item cost, as decided.
type PieceStep struct {
	Pieces int64
	List   money.Minor // before nudges
	Paid   money.Minor // after unit rewards, before those of the order
	Each   money.Minor // the most that one of them costs
	ToPay  money.Minor // the whole order
	Rung   int         // the highest rung of the nudge that is reached, -1: none
}

// PieceSteps decides a cart with each number of pieces of an item from 1 to most, all
// else unchanged. Errors are those of [Decide].
func PieceSteps(s *snapshot.Snapshot, req Request, id, sku string, most int64) ([]PieceStep, error) {
	out := make([]PieceStep, 0, most)
	for n := int64(1); n <= most; n++ {
		d, err := Price(s, req.WithPieces("", sku, n))
		if err != nil {
			return nil, err
		}
		step := PieceStep{Pieces: n, ToPay: d.ToPay, Rung: -1}
		for i := range d.Lines {
			if l := &d.Lines[i]; l.SKU == sku && l.plain() {
				step.List += l.Amount
				step.Paid += l.AfterUnit()
				step.Each = max(step.Each, l.dearest())
			}
		}
		for _, o := range d.Nudges {
			for i := range o.Rungs {
				if o.Nudge == id && o.Rungs[i].State == RungReached {
					step.Rung = max(step.Rung, o.Rungs[i].Rung)
				}
			}
		}
		out = append(out, step)
	}
	return out, nil
}

// WithPieces is a request whose cart holds so many pieces of an item on a line: on the
// one with an id, else on its first plain one, else on a new one.
func (r Request) WithPieces(id, sku string, n int64) Request {
	r.Cart.Lines = slices.Clone(r.Cart.Lines)
	i := slices.IndexFunc(r.Cart.Lines, func(l CartLine) bool {
		return l.SKU == sku && l.Plain() && (id == "" || l.ID == id)
	})
	if i < 0 {
		r.Cart.Lines = append(r.Cart.Lines, CartLine{SKU: sku, Quantity: n})
		return r
	}
	r.Cart.Lines[i].Quantity = n
	return r
}

// dearest is the most that one piece of a line costs after unit rewards.
func (l *PricedLine) dearest() money.Minor {
	least, taken := l.Unit, int64(0)
	for i, p := range l.Parts {
		if taken += p.Quantity; i == 0 || p.Off < least {
			least = p.Off
		}
	}
	if taken < l.Quantity {
		return l.Unit
	}
	return l.Unit - least
}

// pieces adds the tables and hints of a nudge that shows.
func (w *work) pieces(t *taking, d *Decision, said *Said) {
	if !t.n.Definition.ByPiece() {
		return
	}
	in := func(p nudge.Placement) bool { return shownIn(d, t.n.ID, p) }
	words := nudge.PieceWordsIn(said.Language)
	if in(nudge.ProductBlock) {
		w.tables(t, said, words)
	}
	if in(nudge.CartDrawer) || in(nudge.CartBlock) {
		w.hints(t, d, said, words)
	}
}

// ofOthers tells whether a nudge is about prices by the number of pieces of other goods
// than those of the product that the page shows.
func (w *work) ofOthers(n *snapshot.Compiled) bool {
	p, ok := w.s.Shop.Catalog.Product(w.req.Moment.Page.Product)
	if !ok || !n.Definition.ByPiece() && !n.Definition.Built() && !n.Definition.Accompanies() || !slices.Contains(n.Definition.Placements, nudge.ProductBlock) {
		return false
	}
	for i := range p.Variants {
		it := catalog.Item{Product: p, Variant: &p.Variants[i]}
		price, sold := it.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
		if facts := catalog.FactsOf(it, price, w.region.ID); sold && !p.GiftCard && n.Definition.Ladder.Holds(&facts) {
			return false
		}
	}
	return true
}

// pieceCount is how many pieces of the cart count together with an item.
func (w *work) pieceCount(t *taking, it catalog.Item) (n int64) {
	for i := range w.lines {
		if w.together(t, i, it) {
			n += w.lines[i].Quantity
		}
	}
	return n
}

// together tells whether a line counts together with pieces of an item.
func (w *work) together(t *taking, i int, it catalog.Item) bool {
	l := &w.lines[i]
	if !t.counts[i] || l.isAdded() {
		return false
	}
	switch t.n.Definition.Ladder.Counts() {
	case nudge.SameProduct:
		return l.item.Product == it.Product
	case nudge.SameVariant:
		return l.item.Variant == it.Variant
	}
	return true
}

// apart leaves out the lines that count together with an item, but for its own plain one.
func (w *work) apart(t *taking, it catalog.Item, lines []CartLine) []CartLine {
	var out []CartLine
	for _, c := range lines {
		i := slices.IndexFunc(w.lines, func(l line) bool { return l.ID == c.ID && l.SKU == c.SKU && l.Plan == c.Plan })
		if c.Plain() && c.SKU == it.Variant.SKU || i < 0 || !w.together(t, i, it) {
			out = append(out, c)
		}
	}
	return out
}

// onLine is how many pieces of an item lie on its plain line.
func (w *work) onLine(sku string) int64 {
	for i := range w.lines {
		if l := &w.lines[i]; l.SKU == sku && l.Plain() {
			return l.Quantity
		}
	}
	return 0
}

// tables says what each variant that the page shows costs by the number of pieces.
func (w *work) tables(t *taking, said *Said, words nudge.PieceWords) {
	p, ok := w.s.Shop.Catalog.Product(w.req.Moment.Page.Product)
	if !ok || p.GiftCard {
		return
	}
	for i := range p.Variants {
		it := catalog.Item{Product: p, Variant: &p.Variants[i]}
		price, sold := it.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
		facts := catalog.FactsOf(it, price, w.region.ID)
		if !sold || len(said.Tables) == mostTables || !t.n.Definition.Ladder.Scope.Matches(&facts) {
			continue
		}
		if rows := w.rows(t, it, words); len(rows) > 1 {
			said.Tables = append(said.Tables, PriceTable{SKU: it.Variant.SKU, Rows: rows})
		}
	}
}

// rows are the steps of a variant's price: one piece, then each rung.
func (w *work) rows(t *taking, it catalog.Item, words nudge.PieceWords) []PriceRow {
	have, lying := w.pieceCount(t, it), w.onLine(it.Variant.SKU)
	rungs := t.n.Definition.Ladder.Rungs
	var rows []PriceRow
	add := func(i int) bool {
		row := PriceRow{From: rungs[i].Count, Marked: t.n.Definition.Look.Marked == int64(i+1)}
		last := i+1 == len(rungs) || have < rungs[i+1].Count
		var req Request
		switch {
		case row.From > have:
			row.Add = row.From - have
			req = w.req.WithPieces("", it.Variant.SKU, lying+row.Add)
		case last && lying > 0:
			req = *w.req
		default: // as it would be if only this variant lay there, and just so many of it
			req = w.req.WithPieces("", it.Variant.SKU, row.From)
			req.Cart.Lines = w.apart(t, it, req.Cart.Lines)
		}
		d, ok := w.priced(req)
		if !ok {
			return false
		}
		for i := range d.Lines {
			if l := &d.Lines[i]; l.SKU == it.Variant.SKU && l.plain() {
				if row.Each = l.dearest(); l.Quantity == row.From || l.Quantity == have {
					row.Total = w.money(l.AfterUnit())
				}
			}
		}
		if it.Variant.Stock != nil && lying+row.Add > *it.Variant.Stock {
			row.Add = 0
		}
		rows = append(rows, row)
		return true
	}
	if rungs[0].Count > 1 {
		price, _ := it.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
		rows = append(rows, PriceRow{From: 1, Each: price.Price, Total: w.money(price.Price)})
	}
	for i := range rungs {
		if rungs[i].Count == 0 || !add(i) {
			return nil
		}
	}
	for i := range rows {
		r := &rows[i]
		if i+1 < len(rows) {
			r.To = rows[i+1].From - 1
		}
		r.Here = have >= r.From && (r.To == 0 || have <= r.To)
		if r.Range = words.Range(r.From, r.To); r.Here {
			r.Act = words.Have(have)
		} else if r.Add > 0 {
			r.Act = words.AddSome(r.Add)
		}
		r.Price = words.Each(w.money(r.Each))
	}
	return rows
}

// hints says of lines that a few more pieces of would be cheaper what those cost.
func (w *work) hints(t *taking, d *Decision, said *Said, words nudge.PieceWords) {
	asked := map[any]bool{} // once for pieces that count together
	for i := range w.lines {
		l := &w.lines[i]
		if !t.counts[i] || l.isAdded() || !l.Plain() || len(said.Hints) == mostHints {
			continue
		}
		together := any(t)
		switch t.n.Definition.Ladder.Counts() {
		case nudge.SameProduct:
			together = l.item.Product
		case nudge.SameVariant:
			together = l.item.Variant
		}
		lacks := nextPieces(&t.n.Definition.Ladder, w.pieceCount(t, l.item))
		if stock := l.item.Variant.Stock; asked[together] || lacks == 0 || lacks > mostHinted || stock != nil && l.Quantity+lacks > *stock {
			continue
		}
		asked[together] = true
		then, ok := w.priced(w.req.WithPieces(l.ID, l.SKU, l.Quantity+lacks))
		if !ok {
			continue // nothing is said that is not certain
		}
		h := Hint{ID: l.ID, SKU: l.SKU, Add: lacks, More: then.ToPay - d.ToPay, Act: words.Put(lacks)}
		h.Was, h.Each = dearestOn(d.Lines, l), dearestOn(then.Lines, l)
		if h.More >= l.unit*lacks {
			continue // they cost no less than by themselves
		}
		if h.Each < h.Was {
			h.Text = words.Cheaper(lacks, w.money(h.Each), w.money(h.Was), w.money(max(h.More, -h.More)), h.More < 0)
		} else {
			h.Text = words.Costs(lacks, w.money(max(h.More, -h.More)), h.More < 0, h.More == 0)
		}
		said.Hints = append(said.Hints, h)
	}
}

func dearestOn(lines []PricedLine, of *line) money.Minor {
	for i := range lines {
		if l := &lines[i]; l.SKU == of.SKU && l.ID == of.ID && l.plain() {
			return l.dearest()
		}
	}
	return of.unit
}

// nextPieces is how many pieces lead from so many to the next rung, or to one more set;
// 0: nothing comes.
func nextPieces(l *nudge.Ladder, have int64) int64 {
	for i := range l.Rungs {
		r := &l.Rungs[i]
		if r.Count > have {
			return r.Count - have
		}
		if w := &r.Rewards[0]; i == len(l.Rungs)-1 && nudge.Repeats(w.Kind) {
			size := w.Size
			if w.Kind == nudge.Every {
				return 0 // what is cheaper may be other goods
			}
			return size - have%size
		}
	}
	return 0
}
