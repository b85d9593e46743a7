package decide

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/snapshot"
)

// build is a set that the shopper is putting together.
type build struct {
	id    string
	lines []int // places among the decision's lines
	full  nudge.Filling
	fits  [][]bool // per line and slot
}

// gatherBuilds finds what has been put together of each nudge, and how it fills its slots.
func (w *work) gatherBuilds() {
	for i := range w.taking {
		t := &w.taking[i]
		t.builds = nil
		if t.reason != "" || !t.n.Definition.Built() {
			continue
		}
		for j := range w.lines {
			l := &w.lines[j]
			if l.Build == nil || l.Build.Nudge != t.n.ID {
				continue
			}
			k := slices.IndexFunc(t.builds, func(b build) bool { return b.id == l.Build.ID })
			if k < 0 {
				k = len(t.builds)
				t.builds = append(t.builds, build{id: l.Build.ID})
			}
			t.builds[k].lines = append(t.builds[k].lines, j)
		}
		slices.SortFunc(t.builds, func(a, b build) int { return cmp.Compare(a.id, b.id) })
		for k := range t.builds {
			w.fill(t, &t.builds[k])
		}
	}
}

// fill puts the pieces of a set into its slots. Goods that nothing may make cheaper fill
// none.
func (w *work) fill(t *taking, b *build) {
	slots := t.n.Definition.Ladder.Slots
	runs := make([]nudge.Run, len(b.lines))
	for k, j := range b.lines {
		l := &w.lines[j]
		runs[k] = nudge.Run{Quantity: l.Quantity, Fits: make([]bool, len(slots))}
		if t.counts[j] && w.touches(l, t.n.Scope.Include.Plans) {
			for s := range slots {
				runs[k].Fits[s] = slots[s].Scope.Matches(w.goods(l))
			}
		}
		b.fits = append(b.fits, runs[k].Fits)
	}
	b.full = nudge.Fill(slots, runs)
}

// whole tells whether a set of so many pieces is complete.
func (b *build) whole(slots []nudge.Slot, count int64) bool {
	n, ok := b.full.ToGo(slots, count)
	return ok && n == 0
}

// builds puts the price of each complete set of a rung's number into the problem: it
// takes all pieces of that set, and no others. Where there is none the rung's goal stays
// open.
func (a *assembler) builds(r *snapshot.RungPlan, key pricing.Key) []pricing.Ref {
	slots := a.t.n.Definition.Ladder.Slots
	var refs []pricing.Ref
	put := func(on pricing.Scope) {
		u := *r.Steps[slices.IndexFunc(r.Steps, func(st snapshot.Step) bool { return st.Unit != nil })].Unit
		u.Key, u.Nudge, u.On, u.Size = key, a.nudge, on, r.Goal.Threshold
		u.Goal = pricing.Goal{Scope: on, Measure: pricing.Units, Threshold: r.Goal.Threshold}
		a.p.Units = append(a.p.Units, u)
		refs = append(refs, pricing.Ref{Class: pricing.UnitClass, Index: len(a.p.Units) - 1})
	}
	for i := range a.t.builds {
		b := &a.t.builds[i]
		if !b.whole(slots, r.Goal.Threshold) {
			continue
		}
		on := a.scope()
		for _, j := range b.lines {
			on[a.extra+j] = true
		}
		put(on)
	}
	if refs == nil {
		put(a.scope())
	}
	return refs
}

// builds tells what became of each set that is put together.
func (w *work) builds(d *Decision) {
	for i := range w.taking {
		t := &w.taking[i]
		for k := range t.builds {
			d.Builds = append(d.Builds, w.buildOutcome(t, &t.builds[k]))
		}
	}
}

func (w *work) buildOutcome(t *taking, b *build) BuildOutcome {
	l := &t.n.Definition.Ladder
	out := BuildOutcome{
		Nudge: t.n.ID, ID: b.id, State: BuildOpen, Pieces: b.full.Pieces, Slots: make([]SlotFill, len(l.Slots)),
		Heading: t.n.Definition.Headings[w.tongue.Language],
	}
	v := snapshot.Voice(&w.s.Shop, w.region, w.tongue)
	for s := range l.Slots {
		slot := &l.Slots[s]
		out.Slots[s] = SlotFill{slot.Name(v), slot.Least, slot.Most, b.full.Have[s], b.full.Missing[s]}
	}
	for k, j := range b.lines {
		ln := &w.lines[j]
		out.Amount += ln.amount
		out.Price += w.outcome.AfterUnits[j]
		var lies int64
		for _, n := range b.full.Lies[k] {
			lies += n
		}
		if lies < ln.Quantity {
			out.Stray = append(out.Stray, ln.SKU)
		}
	}
	for k := range t.rungs {
		r := &t.rungs[k]
		count := r.plan.Goal.Threshold
		if b.whole(l.Slots, count) {
			out.State = BuildOutdone
			if w.builtAt(r, b.lines[0]) {
				rung := r.rung
				out.State, out.Rung = BuildGiven, &rung
			}
			continue
		}
		if gap, ok := b.full.ToGo(l.Slots, count); ok && out.Next == nil && gap > 0 {
			out.Next = &NextBuild{r.rung, count, gap, w.rewardsText(t.n, r.rung, w.tongue.Language)}
		}
	}
	if plan := w.lines[b.lines[0]].Plan; plan != "" {
		out.Plan, out.Later = w.planChoice(plan, w.tongue.Language), new(money.Minor)
		for _, j := range b.lines {
			if later := w.later(j); w.lines[j].Plan == plan {
				*out.Later += *later
			}
		}
	}
	out.Text = w.buildText(&out)
	return out
}

// buildText says how far a set is.
func (w *work) buildText(b *BuildOutcome) string {
	words := nudge.BuildWordsIn(w.tongue.Language)
	var parts []string
	switch b.State {
	case BuildGiven:
		parts = append(parts, words.Instead(w.money(b.Price), w.money(b.Amount)))
	case BuildOutdone:
		parts = append(parts, words.Same(w.money(b.Price)))
	}
	if len(b.Stray) > 0 {
		labels := make([]string, len(b.Stray))
		for i, sku := range b.Stray {
			labels[i] = w.s.Shop.Catalog.Label(sku)
		}
		parts = append(parts, words.Stray(strings.Join(labels, ", ")))
	}
	if b.Next != nil {
		parts = append(parts, words.ToGo(b.Next.Gap, b.Next.Reward))
	}
	if b.State == BuildOpen {
		parts = append(parts, words.SoFar(w.money(b.Amount)))
	}
	return strings.Join(parts, " ")
}

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

// builder adds what a set is put together from where it shows with its goods.
func (w *work) builder(t *taking, d *Decision, said *Said) {
	l := &t.n.Definition.Ladder
	if !t.n.Definition.Built() || !shownIn(d, t.n.ID, nudge.SetBuilder) && !shownIn(d, t.n.ID, nudge.ProductBlock) {
		return
	}
	v := snapshot.Voice(&w.s.Shop, w.region, w.tongue)
	b := &Builder{Words: nudge.BuildWordsIn(said.Language), Slots: make([]BuilderSlot, len(l.Slots))}
	for i := range l.Slots {
		s := &l.Slots[i]
		b.Slots[i] = BuilderSlot{Name: s.Name(v), Bounds: b.Words.Bounds(s.Least, s.Most), Least: s.Least, Most: s.Most, Goods: []BuilderGood{}}
	}
	for _, plan := range l.Scope.Include.Plans {
		b.Plans = append(b.Plans, *w.planChoice(plan, said.Language))
	}
	none := nudge.Fill(l.Slots, nil)
	for k := range t.rungs {
		count := t.rungs[k].plan.Goal.Threshold
		if gap, ok := none.ToGo(l.Slots, count); ok && b.Empty == "" {
			b.Empty = b.Words.ToGo(gap, w.rewardsText(t.n, t.rungs[k].rung, said.Language))
		}
		b.Most = max(b.Most, count)
	}
	for i := range w.s.Shop.Catalog.Products {
		w.offerGoods(l, b, &w.s.Shop.Catalog.Products[i])
	}
	said.Builder = b
}

// offerGoods puts the variants of a product into the slots that they fit.
func (w *work) offerGoods(l *nudge.Ladder, b *Builder, p *catalog.Product) {
	if p.GiftCard || p.NeverOff {
		return
	}
	for j := range p.Variants {
		it := catalog.Item{Product: p, Variant: &p.Variants[j]}
		good := BuilderGood{SKU: it.Variant.SKU, Label: it.Label(), Picture: p.Picture, By: map[string]string{}, Out: it.Variant.Stock != nil && *it.Variant.Stock <= 0}
		var facts catalog.Facts
		for _, plan := range waysOf(l) {
			price, sold := it.Variant.PriceIn(w.region.Currency, plan, w.req.Moment.At)
			facts = catalog.FactsOf(it, price, w.region.ID)
			if facts.Plan = plan; !sold || !l.Scope.Matches(&facts) {
				continue
			}
			if good.By[plan] = w.money(price.Price); good.Price == "" {
				good.Price = good.By[plan]
			}
		}
		for s := range l.Slots {
			if goods := &b.Slots[s].Goods; good.Price != "" && l.Slots[s].Scope.Matches(&facts) && len(*goods) < MostGoods {
				*goods = append(*goods, good)
			}
		}
	}
}

// waysOf lists the plans by which a set can be bought, empty for once.
func waysOf(l *nudge.Ladder) []string {
	if len(l.Scope.Include.Plans) == 0 {
		return []string{""}
	}
	var out []string
	for _, plan := range l.Scope.Include.Plans {
		if plan == catalog.Once {
			plan = ""
		}
		out = append(out, plan)
	}
	return out
}

// laterShown is how many later parcels are told.
const laterShown = 3

// planChoice says how often a plan sends a parcel, and on which days the next ones.
func (w *work) planChoice(plan, language string) *PlanChoice {
	out := &PlanChoice{Plan: plan, Text: nudge.PlanText(plan, language)}
	if plan == catalog.Once {
		out.Plan = ""
	}
	if i, ok := catalog.IntervalOf(plan); ok {
		for n := range laterShown {
			out.Next = append(out.Next, i.After(w.req.Moment.At, n+1).Format(time.DateOnly))
		}
	}
	return out
}

// block adds what belongs to a block of its own: its heading, picture and end.
func (w *work) block(t *taking, d *Decision, said *Said) {
	def := &t.n.Definition
	said.Once = def.Frequency.PerVisit == 1
	if shownIn(d, t.n.ID, nudge.SetBuilder) || shownIn(d, t.n.ID, nudge.ProductBlock) {
		said.Heading = def.Headings[said.Language]
		if p, ok := w.s.Shop.Catalog.Product(def.Look.PictureOf); ok {
			said.Picture = p.Picture
		}
	}
	if until := def.Schedule.Until; def.Look.Countdown && until != nil && until.After(w.req.Moment.At) {
		said.Ends = &Ends{Seconds: int64(until.Sub(w.req.Moment.At).Seconds()), Text: nudge.BuildWordsIn(said.Language).Left("{time}")}
	}
}

// shownIn tells whether a place shows a nudge.
func shownIn(d *Decision, id string, p nudge.Placement) bool { return slices.Contains(d.Shown[p], id) }

// builtAt tells whether a rung gives its price to the set that a line lies in.
func (w *work) builtAt(r *taker, line int) bool {
	return slices.ContainsFunc(r.refs, func(ref pricing.Ref) bool {
		return w.outcome.UnitGiven[ref.Index] && w.problem.Units[ref.Index].On[line]
	})
}

// stand tells how far a rung of a set that is put together is: of all sets of the cart
// the one that is nearest.
func (w *work) stand(o *RungOutcome, t *taking, r *taker) {
	slots := t.n.Definition.Ladder.Slots
	count := r.plan.Goal.Threshold
	o.Rung, o.Measure, o.Threshold, o.State = r.rung, nudge.Units, count, w.status(r)
	o.Reward = w.rewardsText(t.n, r.rung, w.tongue.Language)
	none := nudge.Fill(slots, nil)
	gap, ok := none.ToGo(slots, count)
	for k := range t.builds {
		if g, leads := t.builds[k].full.ToGo(slots, count); leads && (!ok || g < gap) {
			gap, ok, o.Counted = g, true, t.builds[k].full.Pieces
		}
	}
	switch o.State {
	case RungReached:
		o.Counted = count
	case RungOutdone:
		o.Reason = "better_reward"
	default:
		o.Gap = gap
	}
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
