package decide

import (
	"slices"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/progress"
)

// Decide prices a cart, measures every promise, and chooses what shows. Errors
// are [FieldErrors], naming fields of the request.
func (s *Snapshot) Decide(req Request) (Decision, error) {
	if err := req.Check(); err != nil {
		return Decision{}, err
	}
	at, err := s.regionOf(req.Cart)
	if err != nil {
		return Decision{}, err
	}
	region := &s.shop.Regions[at]
	lines, err := s.lines(&req, region)
	if err != nil {
		return Decision{}, err
	}
	w := &work{s: s, req: &req, region: region, lines: lines, nodes: progress.MostNodes}
	if err := w.gather(s.candidates(at, lines, &req)); err != nil {
		return Decision{}, err
	}
	return w.decide()
}

// work is one decision in the making.
type work struct {
	s       *Snapshot
	req     *Request
	region  *catalog.Region
	methods []catalog.Method
	chosen  int // index into methods, -1: none chosen
	lines   []line
	taking  []taking
	problem *pricing.Problem
	outcome pricing.Outcome
	nodes   int // of the searches for additions, still to be spent
}

// taking is a candidate nudge: outside its audience with a reason, or taking
// part with its rungs.
type taking struct {
	n      *compiled
	reason Reason
	counts []bool // per line
	rungs  []taker
}

// taker is a rung that takes part, at its place among the problem's rungs.
type taker struct {
	rung   int
	target progress.Target
}

func (w *work) gather(candidates []int) error {
	w.chosen = -1
	if w.req.Cart.Destination != nil {
		w.methods = w.region.Methods
		if id := w.req.Cart.Method; id != "" {
			w.chosen = slices.IndexFunc(w.methods, func(m catalog.Method) bool { return m.ID == id })
			if w.chosen < 0 {
				return FieldErrors{{"cart.method", "there is no such method for this destination"}}
			}
		}
	}
	w.taking = make([]taking, 0, len(candidates))
	for _, n := range w.inPlace(candidates) {
		t := taking{n: n, reason: w.outside(n)}
		if t.reason == "" {
			t.counts = make([]bool, len(w.lines))
			for j := range w.lines {
				t.counts[j] = n.counts(&w.lines[j], w.req.Added)
			}
		}
		w.taking = append(w.taking, t)
	}
	return nil
}

// outside returns the first reason for which a nudge has no part in this
// decision, or none. Pages are not looked at: they say where a nudge shows, and
// a reward that is due stays due at the checkout.
func (w *work) outside(n *compiled) Reason {
	d := &n.Definition
	if !inForce(d.Schedule, w.req.Moment.At) && !w.justEnded(n) {
		return OutsideSchedule
	}
	if r := d.Audience.Regions; len(r) > 0 && !slices.Contains(r, w.region.ID) {
		return OutsideRegion
	}
	if d.Audience.Code != "" && !slices.ContainsFunc(w.req.Cart.Codes, func(c string) bool { return codeKey(c) == codeKey(d.Audience.Code) }) {
		return CodeMissing
	}
	for _, r := range d.Ladder.Rungs {
		if _, ok := w.threshold(r); ok {
			return ""
		}
	}
	return NoThreshold
}

func inForce(s nudge.Schedule, at time.Time) bool {
	return (s.From == nil || !at.Before(*s.From)) && (s.Until == nil || at.Before(*s.Until))
}

// justEnded tells whether a nudge's schedule ended so recently that this visit,
// which was shown it, still has it.
func (w *work) justEnded(n *compiled) bool {
	until := n.Definition.Schedule.Until
	return until != nil && w.within(*until) && w.wasShown(n.ID, n.Revision)
}

// threshold returns a rung's threshold in this region; false where it has none
// in the region's currency.
func (w *work) threshold(r nudge.Rung) (money.Minor, bool) {
	a, ok := r.Thresholds[w.region.ID]
	return a.Minor, ok && a.Currency == w.region.Currency
}

// assemble builds the pricing problem. With a target nudge, line 0 is one more
// added unit that counts for it.
func (w *work) assemble(target *taking) *pricing.Problem {
	p := &pricing.Problem{Mode: w.s.mode(), TaxShown: w.region.TaxShown, ShippingTax: w.region.ShippingTax}
	extra := 0
	if target != nil {
		extra = 1
		p.Lines = append(make([]pricing.Line, 0, len(w.lines)+1), pricing.Line{Tax: w.region.Rate("")})
	}
	for i := range w.lines {
		p.Lines = append(p.Lines, toPricing(&w.lines[i]))
		p.Grams += w.lines[i].grams
	}
	methods := w.methods
	if w.chosen >= 0 {
		methods = w.methods[w.chosen : w.chosen+1]
	}
	for _, m := range methods {
		p.Methods = append(p.Methods, m)
	}
	for i := range w.taking {
		t := &w.taking[i]
		if t.reason != "" {
			continue
		}
		counted := make(pricing.Scope, extra+len(w.lines))
		copy(counted[extra:], t.counts)
		if target != nil {
			counted[0] = t == target || t.n.scope.Matches(target.n.scope.Carried())
		}
		w.put(p, t, counted, methods)
	}
	return p
}

func (w *work) put(p *pricing.Problem, t *taking, counted pricing.Scope, methods []catalog.Method) {
	t.rungs = t.rungs[:0]
	ladder := &t.n.Definition.Ladder
	for i, r := range ladder.Rungs {
		threshold, ok := w.threshold(r)
		if !ok {
			continue
		}
		key := pricing.Key{Priority: t.n.Priority, Nudge: t.n.ID, Rung: i}
		goal := pricing.Goal{Scope: counted, WithoutTax: ladder.WithoutTax, Threshold: threshold}
		if ladder.Basis == nudge.AfterOrder {
			goal.Basis = pricing.AfterOrder
		}
		if r.Rewards[0].Kind.Class() == nudge.OrderClass {
			t.rungs = append(t.rungs, taker{i, progress.Target{Order: true, Index: len(p.Orders)}})
			p.Orders = append(p.Orders, w.orderRung(key, goal, r.Rewards[0], len(counted)-len(w.lines)))
			continue
		}
		t.rungs = append(t.rungs, taker{i, progress.Target{Index: len(p.Ships)}})
		p.Ships = append(p.Ships, pricing.Shipping{Key: key, Goal: goal, By: w.shippingRewards(r.Rewards, methods)})
	}
}

func (w *work) orderRung(key pricing.Key, goal pricing.Goal, r nudge.Reward, extra int) pricing.Order {
	o := pricing.Order{Key: key, Goal: goal, Percent: *r.Percent, Cap: r.Cap[w.region.ID].Minor}
	o.Lines = slices.Clone(goal.Scope)
	for j := range w.lines {
		o.Lines[extra+j] = o.Lines[extra+j] && !w.lines[j].neverOff
	}
	return o
}

func (w *work) shippingRewards(rewards []nudge.Reward, methods []catalog.Method) []pricing.ShippingReward {
	by := make([]pricing.ShippingReward, len(methods))
	for i, m := range methods {
		for _, r := range rewards {
			if !r.Names(m.ID) || by[i].Form != pricing.NoShippingReward {
				continue
			}
			switch r.Kind {
			case nudge.FreeShipping:
				by[i] = pricing.ShippingReward{Form: pricing.Free}
			case nudge.ShippingOff:
				by[i] = pricing.ShippingReward{Form: pricing.Off, Amount: r.Amounts[w.region.ID].Minor}
			case nudge.ShippingFlat:
				if a, ok := r.Amounts[w.region.ID]; ok {
					by[i] = pricing.ShippingReward{Form: pricing.Flat, Amount: a.Minor}
				}
			}
		}
	}
	return by
}

func (w *work) decide() (Decision, error) {
	w.problem = w.assemble(nil)
	w.outcome = w.problem.Solve()
	d := Decision{
		Region: w.region.ID, Currency: w.region.Currency, Decimals: w.region.Currency.Digits(),
		Locale: w.locale(), TaxShown: w.region.TaxShown, Exact: w.outcome.Exact, Bound: w.outcome.Gap,
		Lines: make([]PricedLine, 0, len(w.lines)), Goods: w.outcome.Goods, ToPay: w.outcome.ToPay,
		Rewards: []Given{}, Codes: []CodeOutcome{}, Nudges: make([]NudgeOutcome, 0, len(w.taking)),
		Tax: w.outcome.GoodsTax + w.outcome.FeeTax,
	}
	for i, l := range w.lines {
		paid := w.outcome.After[i]
		d.Lines = append(d.Lines, PricedLine{
			ID: l.ID, SKU: l.SKU, Quantity: l.Quantity, Unit: l.unit, Amount: l.amount,
			Off: l.amount - paid, Paid: paid, Tax: w.outcome.Tax[i],
		})
		d.Before += l.amount
	}
	d.Off = d.Before - d.Goods
	d.Shipping = w.shipping()
	for i := range w.taking {
		d.Nudges = append(d.Nudges, w.nudgeOutcome(&w.taking[i]))
	}
	d.Rewards = w.given(d.Rewards)
	d.Codes = w.codes()
	w.show(&d)
	if w.req.Trace {
		w.trace(&d)
	}
	return d, nil
}

// shipping tells what the method that applies costs, and what each would.
func (w *work) shipping() *Shipping {
	if len(w.methods) == 0 {
		return nil
	}
	applied := w.outcome.Method
	if w.chosen >= 0 {
		applied = w.chosen
	}
	m := w.methods[applied]
	out := &Shipping{Method: m.ID, Name: m.Name(w.language()), ListFee: w.outcome.ListFee, Fee: w.outcome.Fee}
	all := w.problem
	if w.chosen >= 0 {
		each := *w
		each.chosen, each.taking = -1, slices.Clone(w.taking)
		for j := range each.taking {
			each.taking[j].rungs = nil
		}
		all = each.assemble(nil)
	}
	for i, m := range w.methods {
		o := w.outcome
		if i != applied {
			o = all.SolveFor(i)
		}
		out.Methods = append(out.Methods, MethodQuote{m.ID, m.Name(w.language()), o.ListFee, o.Fee, o.ToPay})
	}
	return out
}

// given lists the rewards that were given, in the order of computing.
func (w *work) given(out []Given) []Given {
	add := func(key pricing.Key, class string, amount money.Minor) {
		n := w.taken(key.Nudge).n
		out = append(out, Given{
			Nudge: key.Nudge, Revision: n.Revision, Rung: key.Rung, Class: class, Amount: amount,
			Text: nudge.RewardsText(n.Definition.Ladder.Rungs[key.Rung].Rewards, *w.region, w.language(), w.locale()),
		})
	}
	for _, a := range w.outcome.Applied {
		add(w.problem.Orders[a.Order].Key, "order", a.Total)
	}
	fee := w.outcome.ListFee
	for i, g := range w.outcome.ShipGiven {
		if g {
			s := &w.problem.Ships[i]
			next := s.By[max(0, w.outcome.Method)].Lower(fee)
			add(s.Key, "shipping", fee-next)
			fee = next
		}
	}
	return out
}

func (w *work) taken(id string) *taking {
	i := slices.IndexFunc(w.taking, func(t taking) bool { return t.n.ID == id })
	return &w.taking[i]
}

// codes tells what became of each entered code.
func (w *work) codes() []CodeOutcome {
	out := []CodeOutcome{}
	for _, c := range w.req.Cart.Codes {
		o := CodeOutcome{Code: c, State: "unknown"}
		for i := range w.taking {
			t := &w.taking[i]
			if t.reason != "" || codeKey(t.n.Definition.Audience.Code) != codeKey(c) {
				continue
			}
			o.State = "not_yet"
			for _, r := range t.rungs {
				switch w.status(r.target) {
				case pricing.Reached:
					o.State = "used"
				case pricing.Outdone:
					if o.State != "used" {
						o.State = "left_out"
					}
				}
			}
		}
		out = append(out, o)
	}
	return out
}

func (w *work) status(t progress.Target) pricing.Status {
	if t.Order {
		return w.problem.OrderStatus(&w.outcome, t.Index)
	}
	return w.problem.ShipStatus(&w.outcome, t.Index)
}
