package catalog

import (
	"slices"
	"time"

	"agonal.dev/agonal/core/money"
)

// Sale is a price for a while: from (in it) until (not in it). Before and after
// it the variant's own price is in force, by itself.
type Sale struct {
	From  time.Time   `json:"from"`
	Until time.Time   `json:"until"`
	Price money.Minor `json:"price"`
}

// Percent is what a sale takes off a usual price, rounded down; 0 of nothing.
func (s Sale) Percent(usual money.Minor) int64 {
	if usual <= 0 {
		return 0
	}
	return (usual - s.Price) * 100 / usual
}

// Change is a price that came into force at a moment.
type Change struct {
	At    time.Time   `json:"at"`
	Price money.Minor `json:"price"`
	Sale  bool        `json:"sale,omitempty"` // a public, automatic reduction
}

// PriorDays is how far back from the beginning of a reduction the prior price is
// looked for.
const PriorDays = 30

// At returns the price in force at a moment: in a sale the sale's, with the usual
// price as its reference where there is none.
func (p Price) At(at time.Time) Price {
	for _, s := range p.Sales {
		if at.Before(s.From) || !at.Before(s.Until) || s.Price >= p.Price {
			continue
		}
		if p.Reference == nil {
			usual := p.Price
			p.Reference = &usual
		}
		p.Price = s.Price
		return p
	}
	return p
}

// Timeline returns every change of the price up to a moment, those that sales make
// among them, in the order of time.
func (p Price) Timeline(until time.Time) []Change {
	out := slices.Clone(p.History)
	usual := func(at time.Time) (Change, bool) {
		var last Change
		found := false
		for _, c := range p.History {
			if !c.At.After(at) && (!found || !c.At.Before(last.At)) {
				last, found = c, true
			}
		}
		return last, found
	}
	for _, s := range p.Sales {
		out = append(out, Change{s.From, s.Price, true})
		if back, ok := usual(s.Until); ok {
			out = append(out, Change{s.Until, back.Price, back.Sale})
		} else {
			out = append(out, Change{s.Until, p.Price, false})
		}
	}
	slices.SortStableFunc(out, func(a, b Change) int { return a.At.Compare(b.At) })
	return slices.DeleteFunc(out, func(c Change) bool { return c.At.After(until) })
}

// Reduction returns when the reduction in force at a moment began: the first of the
// unbroken run of sale prices up to then; further cuts keep that beginning. false
// where the price is no sale price.
func Reduction(timeline []Change) (time.Time, bool) {
	n := len(timeline)
	if n == 0 || !timeline[n-1].Sale {
		return time.Time{}, false
	}
	for n > 0 && timeline[n-1].Sale {
		n--
	}
	return timeline[n].At, true
}

// Prior returns the lowest price in force in the 30 days before a moment, earlier
// sales included; with less history, of what there is. false where there is none.
func Prior(timeline []Change, start time.Time) (money.Minor, bool) {
	from := start.AddDate(0, 0, -PriorDays)
	var low money.Minor
	found := false
	for i, c := range timeline {
		if !c.At.Before(start) {
			break
		}
		if i+1 < len(timeline) && !timeline[i+1].At.After(from) {
			continue // it had ended before
		}
		if !found || c.Price < low {
			low, found = c.Price, true
		}
	}
	return low, found
}

// Badge is what a sale badge shows: the price before, and the percentage rounded
// down to a whole number.
type Badge struct {
	Now     money.Minor `json:"now"`
	Was     money.Minor `json:"was"`
	Percent int64       `json:"percent"`
}

// BadgeAt returns the badge of a price at a moment: against the prior price where
// the law asks for it, else against the reference price. false where there is no
// badge: no such price, none above today's, or a percentage that rounds down to 0.
func (p Price) BadgeAt(at time.Time, prior bool) (Badge, bool) {
	now := p.At(at)
	b := Badge{Now: now.Price}
	if prior {
		timeline := p.Timeline(at)
		start, on := Reduction(timeline)
		if !on {
			return Badge{}, false
		}
		was, ok := Prior(timeline, start)
		if !ok {
			return Badge{}, false
		}
		b.Was = was
	} else if now.Reference != nil {
		b.Was = *now.Reference
	}
	if b.Was <= b.Now {
		return Badge{}, false
	}
	// Within money.Most this stays below 10¹⁴.
	b.Percent = (b.Was - b.Now) * 100 / b.Was
	return b, b.Percent > 0
}

// ProductBadge is the badge of a product: of its variants, the greatest percentage
// and the lowest price.
type ProductBadge struct {
	Percent int64       `json:"percent"`
	UpTo    bool        `json:"up_to"` // variants differ in the percentage
	Now     money.Minor `json:"now"`
	From    bool        `json:"from"` // variants differ in the price
	Was     money.Minor `json:"was"`  // of the variant with the greatest percentage
	// Off is the greatest amount that a variant is lowered by.
	Off     money.Minor `json:"off"`
	UpToOff bool        `json:"up_to_off"` // variants differ in the amount
}

// BadgeAt returns the badge of a product in a region at a moment, false where no
// variant has one.
func (p *Product) BadgeAt(r *Region, at time.Time) (ProductBadge, bool) {
	var out ProductBadge
	found := false
	first := true
	var percent int64
	var off money.Minor
	for i := range p.Variants {
		price, sold := p.Variants[i].Prices[r.Currency]
		if !sold {
			continue
		}
		b, ok := price.BadgeAt(at, r.PriorPrice)
		now := price.At(at).Price
		less := max(b.Was-b.Now, 0) // nothing where there is no badge
		if first {
			out.Now, percent, off = now, b.Percent, less
		}
		out.UpToOff, out.Off = out.UpToOff || !first && less != off, max(out.Off, less)
		out.From = out.From || !first && now != out.Now
		out.UpTo = out.UpTo || !first && b.Percent != percent
		out.Now = min(out.Now, now)
		first = false
		if ok && b.Percent > out.Percent {
			out.Percent, out.Was, found = b.Percent, b.Was, true
		}
	}
	return out, found
}

// Carry puts what a file of goods does not hold into products that are brought in:
// sales, plans and the price history of the variants there are, with a change where
// the price is another than before.
func Carry(old *Catalog, products []Product, now time.Time) {
	for i := range products {
		for j := range products[i].Variants {
			v := &products[i].Variants[j]
			had, ok := old.Item(v.SKU)
			if ok && v.Plans == nil {
				v.Plans = had.Variant.Plans
			}
			for c, price := range v.Prices {
				if ok {
					before := had.Variant.Prices[c]
					price.Sales, price.History = before.Sales, before.History
				}
				last := len(price.History) - 1
				if last < 0 || price.History[last].Price != price.Price || price.History[last].Sale != price.OnSale() {
					price.History = append(slices.Clone(price.History), Change{now, price.Price, price.OnSale()})
				}
				v.Prices[c] = price
			}
		}
	}
}

// Step is a price in force from a moment until another.
type Step struct {
	From, Until time.Time
	Price       money.Minor
	Sale        bool
}

// Steps lays out the prices in force from a moment until another, one after the other.
func (p Price) Steps(from, until time.Time) []Step {
	var out []Step
	add := func(at time.Time, price money.Minor, sale bool) {
		if n := len(out); n > 0 {
			if out[n-1].Price == price && out[n-1].Sale == sale {
				return
			}
			out[n-1].Until = at
		}
		out = append(out, Step{at, until, price, sale})
	}
	moments := []time.Time{from}
	for _, c := range p.Timeline(until) {
		if c.At.After(from) && c.At.Before(until) {
			moments = append(moments, c.At)
		}
	}
	slices.SortFunc(moments, time.Time.Compare)
	for _, at := range moments {
		price, sale := p.inForce(at)
		add(at, price, sale)
	}
	return out
}

// inForce is the price at a moment that may lie in the past: a sale's, else the last one
// of the history, else today's.
func (p Price) inForce(at time.Time) (money.Minor, bool) {
	for _, s := range p.Sales {
		if !at.Before(s.From) && at.Before(s.Until) {
			return s.Price, true
		}
	}
	price, sale, found := p.Price, false, time.Time{}
	for i, c := range p.History {
		if i == 0 {
			price, sale = c.Price, c.Sale // before the history begins, what it begins with
		}
		if !c.At.After(at) && !c.At.Before(found) {
			price, sale, found = c.Price, c.Sale, c.At
		}
	}
	return price, sale
}

// PriorSpan is what a badge's lowest earlier price is looked for in, and found: the 30
// days before a reduction that begins at a moment.
type PriorSpan struct {
	From, Until time.Time
	Low         money.Minor
	Found       bool
}

// PriorOf tells where the lowest price of the 30 days before a reduction lies that is in
// force at a moment; false where none is.
func (p Price) PriorOf(at time.Time) (PriorSpan, bool) {
	timeline := p.Timeline(at)
	start, on := Reduction(timeline)
	if !on {
		return PriorSpan{}, false
	}
	s := PriorSpan{From: start.AddDate(0, 0, -PriorDays), Until: start}
	s.Low, s.Found = Prior(timeline, start)
	return s, true
}
