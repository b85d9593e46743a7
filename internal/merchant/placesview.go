package merchant

import (
	"fmt"
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// builtHere is the id of the set that lies in the cart beside the workbench.
const builtHere = "here"

// putTogether makes the lines of a cart that fit a nudge's set a set, and leaves the
// others as they are.
func putTogether(cat *catalog.Catalog, n string, l *nudge.Ladder, r catalog.Region, lines []decide.CartLine, at decide.Moment) []decide.CartLine {
	out := append([]decide.CartLine{}, lines...)
	for i := range out {
		it, ok := cat.Item(out[i].SKU)
		if !ok || out[i].Origin != nil {
			continue
		}
		price, _ := it.Variant.PriceIn(r.Currency, out[i].Plan, at.At)
		facts := catalog.FactsOf(it, price, r.ID)
		if facts.Plan = planOf(l); l.Holds(&facts) {
			out[i].Build, out[i].Plan = &decide.Build{Nudge: n, ID: builtHere}, facts.Plan
		}
	}
	return out
}

// planOf is the plan by which a set is bought where it is not to be had without one.
func planOf(l *nudge.Ladder) string {
	plans := l.Scope.Include.Plans
	if len(plans) == 0 || slices.Contains(plans, catalog.Once) {
		return ""
	}
	return plans[0]
}

// placesView is how far a set is, place by place, and what each number of pieces costs
// with the cheapest and the dearest goods for it. Every figure is decided by the core.
type placesView struct {
	Wide, High, Top, Tall, NumberY, Left, Right int
	Scale                                       int
	Places                                      []placeView
	Flags                                       []placeFlag
	Most                                        int64
	Have                                        int64
	Say                                         string // how far it is
	Spans                                       []spanView
	Region, Currency                            string
	Put                                         string // what an arrow key puts in, or takes out
	Take                                        string
}

type placeView struct {
	N            int64
	X, Wide, Mid int
	Kind         string // filled, open or spare
	Text         string
	Put, Take    string // the SKU that a press puts in, or takes out
}

type placeFlag struct {
	Rung, X, TextX int
	Anchor         string
	At             int64
	Text, Saves    string
}

type spanView struct {
	Pieces                         int64
	Reward                         string
	CheapAmount, CheapPrice, Saves string
	DearAmount, DearPrice, Margin  string
}

// mostPlaces is how many places are drawn at most, unless a price asks for more.
const mostPlaces = 12

func placesOf(snap *snapshot.Snapshot, req decide.Request, d decide.Decision, id string, def *nudge.Definition, r catalog.Region, locale string, box axisBox) (*placesView, error) {
	spans, err := decide.SetSpans(snap, req, id)
	if err != nil {
		return nil, err
	}
	box = box.fit()
	v := &placesView{
		Wide: box.Wide, Left: box.of(14), Right: box.Wide - box.of(14), Top: box.of(44), Tall: box.of(36), NumberY: box.of(98), High: box.of(106), Scale: box.Scale,
		Region: r.Name, Currency: string(r.Currency), Say: "nothing is in it yet",
	}
	l := &def.Ladder
	show := func(m money.Minor) string { return money.Format(money.Amount{Minor: m, Currency: r.Currency}, locale) }
	voice := nudge.Voice{Region: r, Language: "en", Locale: locale, Label: snap.Shop.Catalog.Label}
	next := l.Rungs[0].Count
	for i := range l.Slots {
		v.Most += l.Slots[i].Most
	}
	top := l.Rungs[len(l.Rungs)-1].Count
	v.Most = max(min(v.Most, mostPlaces), top) // so that a number can be moved up
	labels := v.filled(d, id, snap.Shop.Catalog)
	for _, b := range d.Builds {
		if b.Nudge != id || b.ID != builtHere {
			continue
		}
		v.Have, v.Say, next = b.Pieces, b.Text, b.Pieces
		if b.Next != nil {
			next = b.Next.Pieces
		}
	}
	puts := v.puts(d, id, spans)
	pitch := (v.Right - v.Left) / int(max(v.Most, v.Have))
	gap := max(2, box.of(8)*pitch/box.of(120))
	for n := int64(1); n <= max(v.Most, v.Have); n++ {
		p := placeView{N: n, X: v.Left + int(n-1)*pitch, Wide: pitch - gap, Mid: v.Left + int(n-1)*pitch + (pitch-gap)/2, Kind: "spare", Text: "or go on"}
		switch {
		case n <= v.Have:
			p.Kind, p.Take = "filled", labels[n-1].sku
			p.Text = labels[n-1].label
		case n <= next:
			p.Kind, p.Text = "open", "to choose"
		case n > top:
			p.Kind, p.Text = "spare", "no price"
		}
		if n > v.Have && int(n-v.Have) <= len(puts) {
			p.Put = puts[n-v.Have-1]
		}
		p.Text = clip(p.Text, max(1, p.Wide/box.of(8)))
		v.Places = append(v.Places, p)
	}
	if len(puts) > 0 {
		v.Put = puts[0]
	}
	if v.Have > 0 {
		v.Take = labels[v.Have-1].sku
	}
	for i := range l.Rungs {
		f := placeFlag{Rung: i, At: l.Rungs[i].Count, X: v.Left + int(l.Rungs[i].Count)*pitch - gap, Anchor: "end", Text: fmt.Sprintf("%d: %s", l.Rungs[i].Count, nudge.RewardsText(l.Rungs[i].Rewards, voice))}
		if f.TextX = f.X - box.of(8); i == 0 && f.X < box.of(200) {
			f.Anchor, f.TextX = "start", f.X+box.of(8)
		}
		before := int64(0)
		if i > 0 {
			before = l.Rungs[i-1].Count
		}
		room := max(6, int(f.At-before)*pitch/box.of(7)-1) // letters up to the flag before it
		f.Text = clip(f.Text, room)
		for _, s := range spans {
			if s.Rung == i {
				f.Saves = clip("saves "+fromTo(show, s.Cheapest.Amount-s.Cheapest.Price, s.Dearest.Amount-s.Dearest.Price), room)
			}
		}
		v.Flags = append(v.Flags, f)
	}
	for _, s := range spans {
		x := spanView{
			Pieces: s.Pieces, Reward: nudge.RewardsText(l.Rungs[s.Rung].Rewards, voice),
			CheapAmount: show(s.Cheapest.Amount), CheapPrice: show(s.Cheapest.Price), DearAmount: show(s.Dearest.Amount), DearPrice: show(s.Dearest.Price),
			Saves: fromTo(show, s.Cheapest.Amount-s.Cheapest.Price, s.Dearest.Amount-s.Dearest.Price), Margin: "not known",
		}
		if a, b := s.Cheapest.Margin, s.Dearest.Margin; a != nil && b != nil {
			x.Margin = fromTo(show, min(*a, *b), max(*a, *b))
		}
		v.Spans = append(v.Spans, x)
	}
	return v, nil
}

func fromTo(show func(money.Minor) string, a, b money.Minor) string {
	if a, b = min(a, b), max(a, b); a == b {
		return show(a)
	}
	return show(a) + " to " + show(b)
}

type piece struct{ sku, label string }

// filled lists the pieces that lie in the set beside the workbench, one by one.
func (v *placesView) filled(d decide.Decision, id string, cat *catalog.Catalog) (out []piece) {
	for _, l := range d.Lines {
		if l.Build == nil || l.Build.Nudge != id || l.Build.ID != builtHere {
			continue
		}
		it, _ := cat.Item(l.SKU)
		for range l.Quantity {
			out = append(out, piece{l.SKU, it.Product.Title})
		}
	}
	return out
}

// puts lists what finishes the set, piece by piece: the way that costs least, or where
// nothing lies in it yet the cheapest goods for it.
func (v *placesView) puts(d decide.Decision, id string, spans []decide.SetSpan) (out []string) {
	for _, n := range d.Nudges {
		if n.Nudge == id && len(n.Suggestions) > 0 && v.Have > 0 {
			for _, it := range n.Suggestions[0].Items {
				for range it.Quantity {
					out = append(out, it.SKU)
				}
			}
			return out
		}
	}
	if len(spans) == 0 {
		return nil
	}
	for _, l := range spans[len(spans)-1].Cheapest.Lines {
		for range l.Quantity {
			out = append(out, l.SKU)
		}
	}
	return out[min(int(v.Have), len(out)):]
}

// finishing says the cheapest way to finish the set beside the workbench.
func finishing(d decide.Decision, id string, show func(money.Minor) string) (way, pays string) {
	for _, n := range d.Nudges {
		if n.Nudge != id || len(n.Suggestions) == 0 {
			continue
		}
		s := n.Suggestions[0]
		var parts []string
		for _, it := range s.Items {
			parts = append(parts, fmt.Sprintf("%d × %s", it.Quantity, it.Label))
		}
		pays = "then to pay " + show(s.Net) + " more"
		switch {
		case s.Net < 0:
			pays = "then to pay " + show(-s.Net) + " less"
		case s.Net == 0:
			pays = "then nothing more to pay"
		}
		return list(parts), pays
	}
	return "", ""
}
