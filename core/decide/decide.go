package decide

import (
	"slices"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/progress"
	"agonal.dev/agonal/core/search"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/trial"
)

// Decide prices a cart, measures every promise, and chooses what shows. Errors
// are [FieldErrors], naming fields of the request.
func Decide(s *snapshot.Snapshot, req Request) (Decision, error) {
	d, _, err := decide(s, req, false, 0)
	return d, err
}

// Price is Decide without what must be added, suggestions and what shows: prices,
// rewards, gifts, and the state of every rung.
func Price(s *snapshot.Snapshot, req Request) (Decision, error) {
	d, _, err := decide(s, req, true, 0)
	return d, err
}

// decide decides with at most so many steps of the search, 0 for all there are, and
// tells how many it took.
func decide(s *snapshot.Snapshot, req Request, brief bool, effort int) (Decision, int, error) {
	if len(req.Cart.Lines) > MostLines {
		return Decision{}, 0, req.Check()
	}
	desk := desks.Get().(*desk)
	defer desk.clear()
	desk.order = req.Cart.order(desk.order[:0])
	if err := req.check(desk.order); err != nil {
		return Decision{}, 0, err
	}
	at, err := regionOf(s, req.Cart)
	if err != nil {
		return Decision{}, 0, err
	}
	w := &work{desk: desk, s: s, req: &req, region: &s.Shop.Regions[at], at: at, nodes: progress.MostNodes, tries: mostTrying, brief: brief, effort: effort}
	w.place()
	w.tongue = snapshot.TongueIn(w.region, req.Moment.Locale)
	if err := w.look(desk.order); err != nil {
		return Decision{}, 0, err
	}
	if err := w.gather(); err != nil {
		return Decision{}, 0, err
	}
	d, err := w.decide()
	return d, w.outcome.Steps, err
}

// work is one decision in the making.
type work struct {
	desk      *desk
	s         *snapshot.Snapshot
	req       *Request
	region    *catalog.Region
	at        int // the region's place
	methods   []*catalog.Method
	fees      []pricing.Fees // of methods
	chosen    int            // index into methods, -1: none chosen
	lines     []line
	usual     bool       // no line is apart from the others: never discounted, bought by a plan, or made up
	giftLines []CartLine // free gifts of the request's cart
	known     *audience.Facts
	codes     []string // entered, and applied by nudges
	taking    []taking
	problem   *pricing.Problem
	outcome   pricing.Outcome
	nodes     int  // of the searches for additions, still to be spent
	brief     bool // prices and states only
	effort    int  // the most steps of the search, 0: all there are
	tries     int  // steps of the searches with other goods, still to be spent
	added     *added
	// quietMatters tells that nudges which only additions touch may give or bind
	// something that decides whether a rung which is plain is reached.
	quietMatters bool
	byAct        map[string]*OfferItem // by nudge: what the order costs with the code that an act earns
	noOffer      map[string]Reason     // by nudge: why an offer that is due has nothing to offer
	visitor      trial.Visitor         // who visits, where that is told
	seesNone     bool                  // the visitor sees no nudge at all
	tongue       snapshot.Tongue
	placed       []*snapshot.Compiled // the problem's nudges
	told         []int32              // per nudge of the decision: its place in taking
	amounts      []money.Minor        // room for amounts that outcomes point to
}

// taking is a candidate nudge: outside its audience with a reason, or taking
// part with its rungs.
type taking struct {
	n      *snapshot.Compiled
	at     int32 // its place in the snapshot, -1: it stands in the place of another
	reason Reason
	fact   string  // the condition behind the reason
	counts []bool  // per line
	builds []build // what shoppers have put together of it
	rungs  []taker
	// earns tells that only a code is missing, which an act earns.
	earns bool
	// quiet tells that neither the cart nor the page touch it: it matters only to
	// what is added for others.
	quiet bool
}

// taker is a rung that takes part, at its places among the problem's rungs: first
// that of its money, then those of gifts and offers.
type taker struct {
	rung int
	plan *snapshot.RungPlan
	refs []pricing.Ref
}

func (w *work) gather() error {
	if err := w.delivery(); err != nil {
		return err
	}
	candidates := w.candidates()
	w.taking = w.desk.taking[:0]
	w.codes = w.req.Cart.Codes
	for _, c := range candidates {
		if c.n.Gates&snapshot.Applying == 0 || w.outside(c.n).reason != "" {
			continue
		}
		w.codes = append(slices.Clone(w.codes), c.n.Definition.AppliesCode)
	}
	for _, c := range candidates {
		t := w.outside(c.n)
		if t.at, t.quiet = c.at, c.quiet; !t.quiet || t.reason == "" {
			w.taking = append(w.taking, t)
			w.quietMatters = w.quietMatters || t.quiet && !t.n.Lone
		}
	}
	w.desk.taking = w.taking
	w.count()
	return nil
}

// outside finds the first reason for which a nudge has no part in this decision,
// or none. Pages of the audience's list are not looked at: they say where a nudge
// shows, and a reward that is due stays due at the checkout.
func (w *work) outside(n *snapshot.Compiled) taking {
	d := &n.Definition
	t := taking{n: n}
	switch g := n.Gates; {
	case g&snapshot.Scheduled != 0 && !d.Schedule.Holds(w.req.Moment.At) && !w.justEnded(n):
		t.reason = OutsideSchedule
	case g&snapshot.Regional != 0 && !slices.Contains(d.Audience.Regions, w.region.ID):
		t.reason = OutsideRegion
	case g&snapshot.Coded != 0 && !w.hasCode(n):
		t.reason, t.earns = CodeMissing, w.canEarn(n)
	case g&snapshot.Limited != 0 && w.usedUp(n):
		t.reason = LimitUsedUp
	case len(n.Blueprints[w.at].Rungs) == 0:
		t.reason = NoThreshold
	}
	if t.reason == "" && n.When != nil {
		if fact, v := n.When.Why(w.facts()); v == audience.False {
			t.reason, t.fact = NotMeant, fact
		} else if v == audience.Unknown {
			t.reason, t.fact = NotKnown, fact
		}
	}
	switch {
	case t.reason != "":
	case w.heldOut(n):
		t.reason = HeldOut
	default:
		t.reason = w.keeps(n)
	}
	return t
}

// canEarn tells whether an act may earn the code that a nudge asks for, as far as its own
// limits and audience tell.
func (w *work) canEarn(n *snapshot.Compiled) bool {
	own := slices.ContainsFunc(w.req.Cart.Lines, func(l CartLine) bool { return l.Origin == nil })
	if by := n.Definition.Audience.EarnedBy; by == "" || len(w.req.Cart.Lines) == 0 || by == audience.LinkShared && !own || w.brief {
		return false // what comes from nudges is no part of a cart that is shared
	}
	usage := w.req.Usage[n.ID]
	if usage.NoCodes || w.usedUp(n) || len(n.Blueprints[w.at].Rungs) == 0 {
		return false
	}
	if n.When == nil {
		return true
	}
	_, v := n.When.Why(w.facts())
	return v == audience.True
}

// hasCode tells whether the code that a nudge needs was entered.
func (w *work) hasCode(n *snapshot.Compiled) bool {
	a := &n.Definition.Audience
	switch {
	case a.Code != "":
		return slices.ContainsFunc(w.codes, func(c string) bool { return codes.Normal(c) == codes.Normal(a.Code) })
	case a.Pool != "":
		return slices.ContainsFunc(w.req.Cart.Codes, func(c string) bool { return w.req.Cart.PoolCodes[c] == a.Pool })
	}
	return true
}

// usedUp tells whether a limit of a nudge leaves nothing to give.
func (w *work) usedUp(n *snapshot.Compiled) bool {
	l, u := &n.Definition.Limits, w.req.Usage[n.ID]
	budget, bounded := l.Budget[w.region.ID]
	return l.Uses > 0 && u.Uses >= l.Uses || l.PerShopper > 0 && u.ByShopper >= l.PerShopper || bounded && u.Spent >= budget.Minor
}

// justEnded tells whether a nudge's schedule ended so recently that this visit,
// which was shown it, still has it.
func (w *work) justEnded(n *snapshot.Compiled) bool {
	until := n.Definition.Schedule.Until
	return until != nil && w.within(*until) && w.wasShown(n.ID, n.Revision)
}

func (w *work) decide() (Decision, error) {
	w.price()
	d := Decision{
		Region: w.region.ID, Currency: w.region.Currency, Decimals: w.region.Currency.Digits(),
		Locale: w.tongue.Locale, TaxShown: w.region.TaxShown, Exact: w.outcome.Exact, Bound: w.outcome.Gap,
		Lines: make([]PricedLine, 0, len(w.lines)), Goods: w.outcome.Goods, ToPay: w.outcome.ToPay,
		Rewards: []Given{}, Codes: []CodeOutcome{},
		Tax: w.outcome.GoodsTax + w.outcome.FeeTax,
	}
	for i := range w.lines {
		d.Lines = append(d.Lines, w.pricedLine(i))
		d.Before += w.lines[i].amount
	}
	d.Off = d.Before - d.Goods
	d.Shipping = w.shipping()
	w.nudges(&d)
	d.Rewards = w.given(d.Rewards)
	d.Codes = w.codeOutcomes()
	w.builds(&d)
	w.gifts(&d)
	w.offers(&d)
	if w.brief {
		return d, nil
	}
	d.Theme = w.s.Theme
	w.show(&d)
	w.suggest(&d)
	w.drawn(&d)
	if w.req.Trace {
		w.trace(&d)
	}
	return d, nil
}

// price solves the cart as it is.
func (w *work) price() {
	problem, places, _ := w.build(0, &w.desk.cart)
	w.placed = make([]*snapshot.Compiled, 0, len(problem.Nudges))
	for i := range w.taking {
		if t := &w.taking[i]; places[i] != nil {
			t.rungs = places[i]
			w.placed = append(w.placed, t.n)
		}
	}
	w.problem, w.outcome = problem, search.Solve(problem)
}

func (w *work) pricedLine(i int) PricedLine {
	l := &w.lines[i]
	paid := w.outcome.After[i]
	out := PricedLine{
		ID: l.ID, SKU: l.SKU, Quantity: l.Quantity, Plan: l.Plan, Origin: l.Origin, Build: l.Build, Unit: l.unit, Amount: l.amount,
		UnitOff: l.amount - w.outcome.AfterUnits[i], Off: l.amount - paid, Paid: paid, Tax: w.outcome.Tax[i],
	}
	for _, c := range w.outcome.Claims {
		key := w.problem.Units[c.Unit].Key
		for _, part := range c.Parts {
			if part.Line == i && part.Off > 0 {
				out.Parts = append(out.Parts, LinePart{part.Qty, part.Off, key.Nudge, key.Rung})
			}
		}
	}
	if l.Plan != "" {
		out.Later = w.later(i)
	}
	return out
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
	out := &Shipping{Method: m.ID, Name: m.Name(w.tongue.Language), ListFee: w.outcome.ListFee, Fee: w.outcome.Fee}
	if len(w.methods) == 1 || w.effort > 0 {
		out.Methods = []MethodQuote{{m.ID, out.Name, out.ListFee, out.Fee, w.outcome.ToPay}}
		return out
	}
	all := w.problem
	if w.chosen >= 0 {
		each := *w
		each.chosen = -1
		all, _, _ = each.build(0, new(room))
	}
	for i, m := range w.methods {
		o := w.outcome
		if i != applied {
			o = search.SolveFor(all, i)
		}
		out.Methods = append(out.Methods, MethodQuote{m.ID, m.Name(w.tongue.Language), o.ListFee, o.Fee, o.ToPay})
	}
	return out
}

// given lists the rewards that were given, in the order of computing.
func (w *work) given(out []Given) []Given {
	add := func(key pricing.Key, at int, class string, amount money.Minor) {
		n := w.placed[at]
		out = append(out, Given{
			Nudge: key.Nudge, Revision: n.Revision, Rung: key.Rung, Class: class, Amount: amount,
			Text: w.rewardsOf(n, key.Rung, w.tongue.Language, func(c nudge.Class) bool { return c == nudge.ClassOf(nudge.ClassName(class)) }),
		})
	}
	for _, c := range w.outcome.Claims {
		add(w.problem.Units[c.Unit].Key, w.problem.Units[c.Unit].Nudge, "unit", c.Saved())
	}
	out = joinGiven(out)
	for _, a := range w.outcome.Applied {
		add(w.problem.Orders[a.Order].Key, w.problem.Orders[a.Order].Nudge, "order", a.Total)
	}
	fee := w.outcome.ListFee
	for i, g := range w.outcome.ShipGiven {
		if g {
			s := &w.problem.Ships[i]
			next := s.By[max(0, w.outcome.Method)].Lower(fee)
			add(s.Key, s.Nudge, "shipping", fee-next)
			fee = next
		}
	}
	return out
}

// joinGiven puts what one rung gave in several claims together.
func joinGiven(in []Given) []Given {
	out := in[:0]
	for _, g := range in {
		i := slices.IndexFunc(out, func(o Given) bool { return o.Nudge == g.Nudge && o.Rung == g.Rung })
		if i >= 0 {
			out[i].Amount += g.Amount
			continue
		}
		out = append(out, g)
	}
	return out
}

func (w *work) taken(id string) *taking {
	return &w.taking[max(0, slices.IndexFunc(w.taking, func(t taking) bool { return t.n.ID == id }))]
}

// codeOutcomes tells what became of each entered code.
func (w *work) codeOutcomes() []CodeOutcome {
	out := []CodeOutcome{}
	for _, c := range w.req.Cart.Codes {
		o := CodeOutcome{Code: c, State: "unknown"}
		found := false
		for i := range w.taking {
			t := &w.taking[i]
			a := &t.n.Definition.Audience
			mine := a.Code != "" && codes.Normal(a.Code) == codes.Normal(c) || a.Pool != "" && w.req.Cart.PoolCodes[c] == a.Pool
			switch {
			case !mine:
				continue
			}
			found = true
			switch {
			case t.reason == LimitUsedUp && o.State == "unknown":
				o.State = "used_up"
				continue
			case t.reason != "":
				continue
			}
			if o.State == "unknown" || o.State == "used_up" {
				o.State = "not_yet"
			}
			for k := range t.rungs {
				switch w.status(&t.rungs[k]) {
				case RungReached:
					o.State = "used"
				case RungOutdone:
					if o.State != "used" {
						o.State = "left_out"
					}
				}
			}
		}
		if !found && w.req.Cart.PoolsAway {
			o.State = "not_checked"
		}
		out = append(out, o)
	}
	return out
}

// status returns what became of a rung: with gifts or offers beside its money,
// it is reached as soon as any of them is given.
func (w *work) status(t *taker) RungState {
	out := RungState("")
	for _, ref := range t.refs {
		s := states[w.problem.Status(&w.outcome, ref)]
		if out == "" || s == RungReached || s == RungWaiting && out != RungReached {
			out = s
		}
	}
	return out
}

var states = [...]RungState{RungOpen, RungReached, RungOutdone, RungPassed, RungWaiting}
