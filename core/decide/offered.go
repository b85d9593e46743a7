package decide

import (
	"slices"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// mostOffered is how many items of an offer are told what the order costs with them.
const mostOffered = 4

// offers lists the rights to buy something at a special price, and says which
// accepted ones no longer hold.
func (w *work) offers(d *Decision) {
	w.earned(nudge.UnlockClass, func(t *taking, rung int, r *nudge.Reward) {
		if r.Kind == nudge.Notice {
			if !w.ofAdded(t) {
				w.noOfferFor(t.n.ID, OutsideMoment)
			} else if why := w.nothingToPut(r); why != "" {
				w.noOfferFor(t.n.ID, why)
			}
			return
		}
		o := OfferOutcome{Nudge: t.n.ID, Rung: rung, Kind: r.Kind}
		for i := range w.lines {
			if l := &w.lines[i]; l.by(FromOffer, t.n.ID) && w.isOf(t, r, l) {
				o.Accepted = true
				item := w.offerItem(r, nudge.Item{SKU: l.SKU}, l.Origin.Instead)
				item.Quantity, item.Taken = l.Quantity, true
				o.Items = append(o.Items, item)
			}
		}
		toHave := w.toHave
		if r.Kind == nudge.Companions {
			toHave = w.toHaveWith
		}
		if r.Kind == nudge.Companions && o.Accepted {
			toHave = func(*taking, *nudge.Reward, *OfferOutcome) Reason { return InCart } // asked once
		}
		if why := toHave(t, r, &o); why != "" && !o.Accepted {
			w.noOfferFor(t.n.ID, why)
		} else if why != "" && r.Kind != nudge.OrderBump {
			w.noOfferFor(t.n.ID, InCart)
		}
		if len(o.Items) > 0 {
			d.Offers = append(d.Offers, o)
		}
	})
	w.companions(d)
	for i := range w.lines {
		l := &w.lines[i]
		if l.Origin == nil || l.isAdded() || w.stands(d, l) {
			continue
		}
		d.Left = append(d.Left, Leaving{SKU: l.SKU, Nudge: l.Origin.Nudge, Reason: "goal", Say: nudge.LeaveText(nudge.LeftPrice, w.tongue.Language, l.label())})
	}
}

// stands tells whether a line that came from a nudge still has its price.
func (w *work) stands(d *Decision, l *line) bool {
	if l.Origin.Kind == FromGift {
		return slices.ContainsFunc(d.Gifts, func(g GiftOutcome) bool { return g.Nudge == l.Origin.Nudge })
	}
	return slices.ContainsFunc(d.Offers, func(o OfferOutcome) bool {
		return o.Nudge == l.Origin.Nudge && slices.ContainsFunc(o.Items, func(it OfferItem) bool { return it.Taken && it.SKU == l.SKU && it.Instead == l.Origin.Instead })
	})
}

func (w *work) noOfferFor(id string, why Reason) {
	if w.noOffer == nil {
		w.noOffer = map[string]Reason{}
	}
	w.noOffer[id] = why
}

// toHave adds what can be had of an offer, that which was just put in first, or tells why
// there is nothing.
func (w *work) toHave(t *taking, r *nudge.Reward, o *OfferOutcome) Reason {
	if r.Kind == nudge.OfferAfter && len(r.InPlaceOf) > 0 && !w.onlyThese(r.InPlaceOf) {
		return NothingBetter // a whole order is replaced only where it holds nothing else
	}
	if !w.ofAdded(t) {
		return OutsideMoment
	}
	had := len(o.Items)
	why := w.open(t, r, o, w.choices(t, r))
	switch {
	case len(o.Items) > had:
		return ""
	case why == "":
		return NothingBetter
	}
	return why
}

// open adds those of some items that can be had, and tells why the last of the others
// cannot.
func (w *work) open(t *taking, r *nudge.Reward, o *OfferOutcome, choices []offerChoice) (why Reason) {
	for _, c := range choices {
		item := w.offerItem(r, c.item, c.instead)
		switch {
		case item.Unit == 0 || !w.inStock(item.SKU, item.Quantity):
			why = OutOfStock
		case w.inCart(item.SKU):
			why = InCart
		case !w.aboveFloor(t, item):
			why = BelowMargin
		default:
			o.Items = append(o.Items, item)
		}
	}
	return why
}

// offerChoice is an item to offer, and what of the cart it would take the place of.
type offerChoice struct {
	item    nudge.Item
	instead string
}

// choices lists what an offer could be about in this cart, by hand or by its rule.
func (w *work) choices(t *taking, r *nudge.Reward) (out []offerChoice) {
	if r.Kind != nudge.OfferBetter && (r.Kind != nudge.OfferAfter || len(r.InPlaceOf) == 0) {
		for _, it := range r.Items {
			out = append(out, offerChoice{item: it})
		}
		return out
	}
	for i := range w.lines {
		l := &w.lines[i]
		if !l.Plain() || l.isAdded() || slices.ContainsFunc(out, func(c offerChoice) bool { return c.instead == l.SKU }) {
			continue
		}
		if t.n.Definition.Moment == audience.ItemAdded && len(w.req.Visit.Added) > 0 && !slices.Contains(w.req.Visit.Added, l.SKU) {
			continue
		}
		switch {
		case r.Choose == nudge.NextSize && t.counts[i]:
			if next, ok := w.nextSize(l.item); ok {
				out = append(out, offerChoice{nudge.Item{SKU: next.SKU}, l.SKU})
			}
		case r.Choose == "" && slices.Contains(r.InPlaceOf, l.SKU):
			for _, it := range r.Items {
				out = append(out, offerChoice{it, l.SKU})
			}
		}
	}
	return out
}

// ofAdded tells whether an offer that waits for something to be put in counts what was.
func (w *work) ofAdded(t *taking) bool {
	added := w.req.Visit.Added
	if t.n.Definition.Moment != audience.ItemAdded || len(added) == 0 {
		return true
	}
	for i := range w.lines {
		if t.counts[i] && slices.Contains(added, w.lines[i].SKU) {
			return true
		}
	}
	return false
}

// nextSize is the next dearer variant of a product that differs in one option only.
func (w *work) nextSize(it catalog.Item) (*catalog.Variant, bool) {
	return it.NextSize(w.region.Currency, w.req.Moment.At)
}

// isOf tells whether a line is of what a gift at a price or an offer is about.
func (w *work) isOf(t *taking, r *nudge.Reward, l *line) bool {
	switch {
	case r.Kind == nudge.Companions:
		return w.isCompanion(t, r, l)
	case r.Kind != nudge.OfferBetter:
		return hasItem(r.Items, l.SKU)
	case r.Choose == nudge.NextSize:
		it, ok := w.s.Shop.Catalog.Item(l.Origin.Instead)
		if !ok {
			return false
		}
		next, ok := w.nextSize(it)
		return ok && next.SKU == l.SKU
	}
	return hasItem(r.Items, l.SKU) && slices.Contains(r.InPlaceOf, l.Origin.Instead)
}

// countsInstead tells whether a nudge counts an accepted better version: as it would count
// what that has taken the place of.
func (w *work) countsInstead(n *snapshot.Compiled, l *line) bool {
	if l.Origin.Kind != FromOffer || l.Origin.Instead == "" {
		return false
	}
	it, ok := w.s.Shop.Catalog.Item(l.Origin.Instead)
	if !ok || it.Product.GiftCard {
		return false
	}
	price, sold := it.Variant.PriceIn(w.region.Currency, l.Plan, w.req.Moment.At)
	facts := catalog.FactsOf(it, price, w.region.ID)
	facts.Plan = l.Plan
	return sold && n.Scope.Matches(&facts)
}

// onlyThese tells whether the cart holds exactly some SKUs and nothing else.
func (w *work) onlyThese(skus []string) bool {
	for i := range w.lines {
		if !slices.Contains(skus, w.lines[i].SKU) {
			return false
		}
	}
	return len(w.lines) > 0
}

// offerItem prices an offered item: a better version keeps the quantity of what it
// replaces.
func (w *work) offerItem(r *nudge.Reward, it nudge.Item, instead string) OfferItem {
	price, _ := w.listPrice(it.SKU)
	out := OfferItem{SKU: it.SKU, Label: w.label(it.SKU), Quantity: it.Many(), Unit: price, Price: price, Instead: instead}
	if r.Percent != nil {
		off, _ := r.Percent.Of(price)
		out.Price = price - off
	} else if a, ok := r.Amounts[w.region.ID]; ok {
		out.Price = min(price, a.Minor)
	}
	if instead != "" {
		out.Quantity = 0
		for i := range w.lines {
			if w.lines[i].SKU == instead && w.lines[i].Plain() {
				out.Quantity += w.lines[i].Quantity
			}
		}
	}
	return out
}

// justNow tells whether what a nudge waits for has just happened.
func (w *work) justNow(m audience.Act) bool {
	switch kind := w.req.Moment.Page.Kind; {
	case m == audience.CheckoutBegun && kind == nudge.CheckoutPage, m == audience.OrderPlaced && kind == nudge.ThanksPage:
		return true
	}
	return slices.Contains(w.req.Visit.Acts, m)
}

// unavailable tells why what a nudge gives or offers cannot be had: sold out, in
// the cart already, below the margin floor, or better than nothing that is there.
func (w *work) unavailable(t *taking) Reason {
	if r := w.noOffer[t.n.ID]; r != "" {
		return r
	}
	if items := t.n.Items; len(items) > 0 && !slices.ContainsFunc(items, func(it nudge.Item) bool { return w.inStock(it.SKU, it.Many()) || w.inCart(it.SKU) }) {
		return OutOfStock
	}
	return ""
}

func (w *work) inCart(sku string) bool {
	return slices.ContainsFunc(w.lines, func(l line) bool { return l.SKU == sku })
}

// aboveFloor tells whether an offered item's price leaves the margin floor.
func (w *work) aboveFloor(t *taking, it OfferItem) bool {
	var floor money.Rate
	if m := w.s.Shop.Settings.Margin; m != nil {
		floor = *m
	}
	if m := t.n.Definition.Limits.Margin; m != nil {
		floor = max(floor, *m)
	}
	item, ok := w.s.Shop.Catalog.Item(it.SKU)
	if !ok || floor == 0 {
		return true
	}
	price, sold := item.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
	if !sold || price.Cost == nil {
		return true
	}
	net := w.net(it.Price, w.region.Rate(item.Variant.TaxClass))
	return net*int64(money.Whole-floor) >= *price.Cost*int64(money.Whole)
}

// net is an amount without the tax it includes where prices are shown with tax.
func (w *work) net(m money.Minor, rate money.Rate) money.Minor {
	if !w.region.TaxShown {
		return m
	}
	tax, _ := rate.Within(m)
	return m - tax
}

// hasOffer tells whether a nudge has an offer to show.
func (w *work) hasOffer(d *Decision, id string) bool {
	return slices.ContainsFunc(d.Offers, func(o OfferOutcome) bool { return o.Nudge == id })
}

// firstOf is the item that a nudge proposes, of what is taken the first where there is no
// other; nil: it offers nothing.
func firstOf(d *Decision, id, language string) *OfferItem {
	for i := range d.Offers {
		if o := &d.Offers[i]; o.Nudge == id && o.Kind == nudge.Companions {
			return o.allTogether(language)
		}
		if items := d.Offers[i].Items; d.Offers[i].Nudge == id {
			return &items[max(0, slices.IndexFunc(items, func(it OfferItem) bool { return !it.Taken }))]
		}
	}
	return nil
}

// Take is a cart in which an offered item of a nudge was taken: beside the others, or in
// the place of what it is better than.
func (c Cart) Take(id string, it OfferItem) Cart {
	from := &Origin{Kind: FromOffer, Nudge: id, Instead: it.Instead}
	c.Lines = slices.DeleteFunc(slices.Clone(c.Lines), func(l CartLine) bool { return it.Instead != "" && l.SKU == it.Instead && l.Plain() })
	if i := slices.IndexFunc(c.Lines, func(l CartLine) bool { return l.SKU == it.SKU && l.Origin != nil && *l.Origin == *from }); i >= 0 {
		c.Lines[i].Quantity += it.Quantity
		return c
	}
	c.Lines = append(c.Lines, CartLine{SKU: it.SKU, Quantity: it.Quantity, Origin: from})
	return c
}

// weighOffer finds what the order costs with each item that a nudge offers, by deciding
// again with it taken.
func (w *work) weighOffer(d *Decision, id string) {
	for i := range d.Offers {
		o := &d.Offers[i]
		if o.Nudge != id {
			continue
		}
		if o.Kind == nudge.Companions {
			if !w.weighTogether(d, o) {
				o.Items = slices.DeleteFunc(o.Items, func(it OfferItem) bool { return !it.Taken })
				w.noOfferFor(id, NoCompanion)
			}
			continue
		}
		now, known := w.profit(d)
		for k := range o.Items[:min(len(o.Items), mostOffered)] {
			it := &o.Items[k]
			if it.Taken {
				continue
			}
			with, ok := w.pricedCart(w.req.Cart.Take(id, *it))
			if !ok {
				continue
			}
			more, toPay := with.ToPay-d.ToPay, with.ToPay
			it.More, it.ToPay = &more, &toPay
			if then, sure := w.profit(&with); known && sure {
				change := then - now
				it.Profit = &change
			}
		}
	}
}

// offerSays is what a placeholder of an offer stands for.
func (w *work) offerSays(it *OfferItem, p nudge.Placeholder, language string) (string, bool) {
	switch {
	case it == nil:
		return "", false
	case p == nudge.Offered:
		return it.Label, it.Label != ""
	case p == nudge.InsteadOf:
		return w.label(it.Instead), it.Instead != ""
	case p == nudge.OfferPrice:
		return w.money(it.Price), it.Label != ""
	case it.More == nil:
		return "", false
	case p == nudge.OrderTotal:
		return w.money(*it.ToPay), true
	}
	return nudge.OfferWordsIn(language).Difference(sign(*it.More), w.money(max(*it.More, -*it.More))), true
}

// offer adds what is offered as it is drawn.
func (w *work) offer(t *taking, d *Decision, said *Said) {
	for i := range d.Offers {
		o := &d.Offers[i]
		if o.Nudge != t.n.ID {
			continue
		}
		said.Offer = &SaidOffer{Kind: o.Kind, Was: nudge.CartWordsIn(said.Language).Was, Items: make([]SaidItem, len(o.Items))}
		said.Offer.Yes, said.Offer.No = t.n.Definition.AnswersIn(said.Language, o.Kind)
		for k := range o.Items {
			said.Offer.Items[k] = w.saidItem(o.Kind, &o.Items[k], said.Language)
		}
		said.Offer.Together = w.saidTogether(o, said.Language)
		return
	}
}

// notice adds the act of a notice.
func (w *work) notice(t *taking, said *Said) {
	for i := range t.n.Definition.Ladder.Rungs[said.Rung].Rewards {
		r := &t.n.Definition.Ladder.Rungs[said.Rung].Rewards[i]
		if text := t.n.Definition.NoticeAnswer(said.Language, r); r.Kind == nudge.Notice && text != "" && w.nothingToPut(r) == "" {
			said.Act = &SaidAct{Text: text, Link: r.Link, Code: r.Code, Put: w.toPut(r)}
		}
	}
}

// toPut lists the goods that a notice puts in and that are not in the cart yet.
func (w *work) toPut(r *nudge.Reward) (out []Put) {
	for _, it := range r.Items {
		if r.Kind == nudge.Notice && !w.inCart(it.SKU) {
			out = append(out, Put{it.SKU, it.Many()})
		}
	}
	return out
}

// nothingToPut tells why the goods that a notice puts in cannot be put in; empty where they
// can, or where it is about none.
func (w *work) nothingToPut(r *nudge.Reward) Reason {
	put := w.toPut(r)
	if len(r.Items) > 0 && len(put) == 0 {
		return InCart
	}
	for _, it := range put {
		if _, sold := w.listPrice(it.SKU); !sold || !w.inStock(it.SKU, it.Quantity) {
			return OutOfStock
		}
	}
	return ""
}

// weighPut finds what the order costs with the goods that a notice puts in, and names them
// in the language of its sentence.
func (w *work) weighPut(d *Decision, t *taking, rung int, language string) {
	for i := range t.n.Definition.Ladder.Rungs[rung].Rewards {
		r := &t.n.Definition.Ladder.Rungs[rung].Rewards[i]
		put := w.toPut(r)
		if len(put) == 0 || w.nothingToPut(r) != "" {
			continue
		}
		cart, item := w.req.Cart, &OfferItem{}
		var names []string
		for _, it := range put {
			cart = cart.With(it.SKU, it.Quantity)
			price, _ := w.listPrice(it.SKU)
			item.Price += price * it.Quantity
			names = append(names, w.label(it.SKU))
		}
		item.Label = nudge.OfferWordsIn(language).All(names)
		if with, ok := w.pricedCart(cart); ok {
			more, toPay := with.ToPay-d.ToPay, with.ToPay
			item.More, item.ToPay = &more, &toPay
		}
		if w.byAct == nil {
			w.byAct = map[string]*OfferItem{}
		}
		w.byAct[t.n.ID] = item
	}
}

// product is the first good of the cart that a nudge counts, of those just put in the
// first; false where there is none.
func (w *work) product(d *Decision, t *taking) (string, bool) {
	for i := range d.Offers {
		if o := &d.Offers[i]; o.Nudge == t.n.ID && o.Main != nil {
			it, ok := w.s.Shop.Catalog.Item(o.Main.SKU)
			return it.Product.Title, ok
		}
	}
	first := -1
	for i := range w.lines {
		switch {
		case !t.counts[i] || w.lines[i].isAdded():
		case slices.Contains(w.req.Visit.Added, w.lines[i].SKU):
			return w.lines[i].item.Product.Title, true
		case first < 0:
			first = i
		}
	}
	if first < 0 {
		return "", false
	}
	return w.lines[first].item.Product.Title, true
}

func (w *work) saidItem(k nudge.Kind, it *OfferItem, language string) SaidItem {
	out := SaidItem{SKU: it.SKU, Label: it.Label, Price: w.money(it.Price), Taken: it.Taken, Instead: it.Instead}
	if item, ok := w.s.Shop.Catalog.Item(it.SKU); ok {
		out.Picture = item.Product.Picture
	}
	if it.Price < it.Unit {
		out.Was = w.money(it.Unit)
	}
	out.More, _ = w.offerSays(it, nudge.Difference, language)
	switch {
	case k == nudge.OfferAfter:
		out.Total = out.More // the rest is paid
	case it.ToPay != nil:
		out.Total = nudge.OfferWordsIn(language).Total(w.money(*it.ToPay))
	}
	if item, ok := w.s.Shop.Catalog.Item(it.Instead); ok {
		price, _ := w.listPrice(it.Instead)
		out.InsteadLabel, out.InsteadPicture, out.InsteadPrice = item.Label(), item.Product.Picture, w.money(price)
	}
	return out
}
