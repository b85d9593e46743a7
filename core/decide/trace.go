package decide

import (
	"fmt"
	"strings"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/search"
)

// trace writes down how every figure of the decision comes about.
func (w *work) trace(d *Decision) {
	t := tracer{w: w, d: d}
	t.goods()
	t.units()
	t.orders()
	t.total()
	for i := range d.Nudges {
		t.nudge(&d.Nudges[i], w.taken(d.Nudges[i].Nudge))
	}
	d.Trace = t.steps
}

type tracer struct {
	w     *work
	d     *Decision
	steps []Step
}

func (t *tracer) add(about string, op Op, result money.Minor, say string, terms ...Term) {
	if terms == nil {
		terms = []Term{}
	}
	t.steps = append(t.steps, Step{About: about, Op: op, Terms: terms, Result: result, Say: say})
}

// list joins amounts for reading: "€28.00 + €12.90".
func (t *tracer) list(terms []Term, between string) string {
	s := make([]string, len(terms))
	for i, x := range terms {
		s[i] = t.w.money(x.Value)
	}
	if len(s) == 0 {
		return t.w.money(0)
	}
	return strings.Join(s, between)
}

// sum adds a step that adds its terms up; say has one gap, for the sum written out.
func (t *tracer) sum(about, say string, result money.Minor, terms []Term) {
	out := t.w.money(result)
	if len(terms) > 1 {
		out = t.list(terms, " + ") + " = " + out
	}
	t.add(about, Sum, result, fmt.Sprintf(say, out), terms...)
}

func (t *tracer) goods() {
	var amounts []Term
	for i, l := range t.d.Lines {
		label := t.w.lines[i].label()
		amounts = append(amounts, Term{lineName(i), l.Amount})
		t.add(lineName(i)+" amount", Times, l.Amount,
			fmt.Sprintf("%s: %s × %d = %s.", label, t.w.money(l.Unit), l.Quantity, t.w.money(l.Amount)),
			Term{"unit", l.Unit}, Term{"quantity", l.Quantity})
	}
	t.sum("before", "Goods before nudges: %s.", t.d.Before, amounts)
}

func lineName(i int) string { return fmt.Sprintf("line %d", i) }

// units shows what each unit reward takes off which units, and which is left out.
func (t *tracer) units() {
	p, o := t.w.problem, &t.w.outcome
	off := map[int][]Term{}
	for _, c := range o.Claims {
		u := &p.Units[c.Unit]
		about := fmt.Sprintf("nudge %s, rung %d", u.Key.Nudge, u.Key.Rung)
		sets := ""
		if c.Sets > 0 {
			sets = fmt.Sprintf(" (%d × a set of %d)", c.Sets, u.Size)
		}
		for _, part := range c.Parts {
			total := part.Off * part.Qty
			say := fmt.Sprintf("%s takes %s off each of %d × %s%s.", t.w.name(u.Key.Nudge), t.w.money(part.Off), part.Qty, t.w.lines[part.Line].label(), sets)
			if part.Off == 0 {
				say = fmt.Sprintf("%s uses %d × %s%s.", t.w.name(u.Key.Nudge), part.Qty, t.w.lines[part.Line].label(), sets)
			}
			t.add(fmt.Sprintf("%s on line %d", about, part.Line), Times, total, say, Term{"off one", part.Off}, Term{"quantity", part.Qty})
			off[part.Line] = append(off[part.Line], Term{about, total})
		}
	}
	for i, l := range t.d.Lines {
		if terms := off[i]; len(terms) > 0 {
			t.add(lineName(i)+" after unit rewards", Less, l.Amount-l.UnitOff,
				fmt.Sprintf("%s after unit rewards: %s.", t.w.lines[i].label(), t.w.money(l.Amount-l.UnitOff)),
				append([]Term{{"amount", l.Amount}}, terms...)...)
		}
	}
	for i, given := range o.UnitGiven {
		if given || p.Status(o, pricing.Ref{Class: pricing.UnitClass, Index: i}) != pricing.Outdone {
			continue
		}
		t.leftOut(p.Units[i].Key, pricing.Ref{Class: pricing.UnitClass, Index: i})
	}
}

// leftOut shows what the order would cost with a rung that was left out, or by which
// rule it could not be given.
func (t *tracer) leftOut(key pricing.Key, ref pricing.Ref) {
	with, refused := search.Forced(t.w.problem, ref)
	about := fmt.Sprintf("nudge %s, rung %d left out", key.Nudge, key.Rung)
	if !refused.OK() {
		t.add(about, AsIs, 0, fmt.Sprintf("%s is left out: %s.", t.w.name(key.Nudge), t.why(refused, ref)))
		return
	}
	o := &t.w.outcome
	t.add(about, Less, with.ToPay-o.ToPay,
		fmt.Sprintf("%s is left out: with it the order costs %s, without it %s.", t.w.name(key.Nudge), t.w.money(with.ToPay), t.w.money(o.ToPay)),
		Term{"to pay with it", with.ToPay}, Term{"to pay", o.ToPay})
}

// why says by which rule a choice with a rung is not allowed.
func (t *tracer) why(refused pricing.Refusal, ref pricing.Ref) string {
	switch refused.Rule {
	case pricing.GoalOpen, pricing.HigherHolds:
		return "its goal does not hold with what others have taken"
	case pricing.SavesNothing:
		return "there is nothing left for it to take off"
	case pricing.HalfDone:
		return "others take the units that it would need"
	case pricing.OverMostOff:
		return "no more may be taken off this order"
	case pricing.OverBudget:
		return "it would cost more than is left of its budget"
	case pricing.UnderFloor:
		return "a line would fall below its margin floor"
	case pricing.GiftDue:
		return "a gift of higher priority may not stand beside it"
	}
	if by := t.w.problem.KeyOf(refused.Rung).Nudge; by != t.w.problem.KeyOf(ref).Nudge {
		return fmt.Sprintf("it may not stand beside %s", t.w.name(by))
	}
	return "it may not be given beside what is given"
}

// orders shows each order reward on the sum it is taken of, and its shares.
func (t *tracer) orders() {
	p, o := t.w.problem, &t.w.outcome
	remaining := make([]money.Minor, len(p.Lines))
	copy(remaining, o.AfterUnits)
	for _, a := range o.Applied {
		r := &p.Orders[a.Order]
		about := fmt.Sprintf("nudge %s, rung %d", r.Key.Nudge, r.Key.Rung)
		var base money.Minor
		for j, in := range r.Lines {
			if in {
				base += remaining[j]
			}
		}
		t.reward(r, about, base, a.Total)
		for j, s := range a.Shares {
			if r.Lines[j] && s > 0 {
				t.add(fmt.Sprintf("%s share of line %d", about, j), Spread, s,
					fmt.Sprintf("Of that, %s falls to %s.", t.w.money(s), t.w.lines[j].label()),
					Term{"total", a.Total}, Term{"weight", remaining[j]}, Term{"sum of weights", base})
			}
			remaining[j] -= s
		}
	}
	for i, given := range o.OrderGiven {
		ref := pricing.Ref{Class: pricing.OrderClass, Index: i}
		if !given && p.Status(o, ref) == pricing.Outdone {
			t.leftOut(p.Orders[i].Key, ref)
		}
	}
	var paid, off []Term
	for i, l := range t.d.Lines {
		paid = append(paid, Term{lineName(i), l.Paid})
		off = append(off, Term{lineName(i), l.Off})
		t.add(lineName(i)+" paid", Less, l.Paid, fmt.Sprintf("%s costs %s − %s = %s.", t.w.lines[i].label(), t.w.money(l.Amount), t.w.money(l.Off), t.w.money(l.Paid)),
			Term{"amount", l.Amount}, Term{"off", l.Off})
	}
	t.sum("off", "Off the order: %s.", t.d.Off, off)
	t.sum("goods", "Goods: %s.", t.d.Goods, paid)
}

// reward shows what an order reward takes of its base.
func (t *tracer) reward(r *pricing.Order, about string, base, taken money.Minor) {
	full := r.Amount
	if r.Percent > 0 {
		full, _ = r.Percent.Of(base)
		t.add(about+" percentage", Percent, full,
			fmt.Sprintf("%s: %s %% of %s is %s.", t.w.name(r.Key.Nudge), r.Percent, t.w.money(base), t.w.money(full)),
			Term{"base", base}, Term{"rate in millionths", int64(r.Percent)})
	}
	note := ""
	switch {
	case taken == full:
	case r.Cap > 0 && taken == r.Cap:
		note = ", which is its cap"
	case taken == base:
		note = ", which is all there is"
	default:
		note = ", which is the most that may be taken off this order"
	}
	t.add(about+" reward", AsIs, taken, fmt.Sprintf("%s takes %s off the order%s.", t.w.name(r.Key.Nudge), t.w.money(taken), note), Term{"reward", taken})
}

func (t *tracer) total() {
	d, o := t.d, &t.w.outcome
	taxes := make([]Term, 0, len(d.Lines)+1)
	for i, l := range d.Lines {
		taxes = append(taxes, Term{lineName(i) + " tax", l.Tax})
	}
	pay := []Term{{"goods", d.Goods}}
	if s := d.Shipping; s != nil {
		t.add("shipping list fee", AsIs, s.ListFee, fmt.Sprintf("%s costs %s for these goods.", s.Name, t.w.money(s.ListFee)), Term{"fee table", s.ListFee})
		less := []Term{{"list fee", s.ListFee}}
		for _, g := range d.Rewards {
			if g.Class == "shipping" {
				less = append(less, Term{"nudge " + g.Nudge, g.Amount})
			}
		}
		say := fmt.Sprintf("Shipping: %s.", t.w.money(s.Fee))
		if len(less) > 1 {
			say = fmt.Sprintf("Shipping: %s = %s.", t.list(less, " − "), t.w.money(s.Fee))
		}
		t.add("shipping fee", Less, s.Fee, say, less...)
		pay = append(pay, Term{"shipping", s.Fee})
		taxes = append(taxes, Term{"shipping tax", o.FeeTax})
	}
	if !d.TaxShown {
		pay = append(pay, Term{"tax", d.Tax})
	}
	t.sum("tax", "Tax, rounded line by line: %s.", d.Tax, taxes)
	t.sum("to pay", "To pay: %s.", d.ToPay, pay)
}

func (w *work) name(id string) string {
	if n := w.taken(id).n.Definition.Name; n != "" {
		return n
	}
	return id
}

// nudge shows the measure, gap and additions of each rung, and what came of it.
func (t *tracer) nudge(o *NudgeOutcome, tk *taking) {
	name := t.w.name(o.Nudge)
	if tk.reason != "" {
		fact := ""
		if tk.fact != "" {
			fact = " (" + tk.fact + ")"
		}
		t.add("nudge "+o.Nudge, AsIs, 0, name+" has no part in this: "+Explain(tk.reason)+fact+".")
		return
	}
	ladder := &tk.n.Definition.Ladder
	for i, r := range o.Rungs {
		about := fmt.Sprintf("nudge %s, rung %d", o.Nudge, r.Rung)
		t.counted(about, name, ladder, r, tk.rungs[i].refs[0])
		t.add(about+" gap", LessNil, r.Gap, fmt.Sprintf("For %s, from %s: %s", r.Reward, t.w.amount(r.Measure, r.Threshold, "en"), gapSay(t.w, r)),
			Term{"threshold", r.Threshold}, Term{"counted", r.Counted})
		if r.ToAdd != nil {
			t.add(about+" to add", Search, *r.ToAdd, fmt.Sprintf("The least addition that reaches it is %s.", t.w.money(*r.ToAdd)), Term{"to add", *r.ToAdd})
		}
		if r.Lasting != nil {
			t.add(about+" lasting", Search, *r.Lasting, fmt.Sprintf("From %s on it stays reached; this is what the shopper reads.", t.w.money(*r.Lasting)), Term{"lasting", *r.Lasting})
		}
		if r.Reason != "" {
			t.add(about+" nothing to add", AsIs, 0, "Nothing is promised: "+map[string]string{"passed": "its upper end lies behind.", "better_reward": "a reward that is better for the shopper stands in its place.", "not_found": "rounding makes it hold for one addition and not for the next."}[r.Reason])
		}
	}
	say := name + " shows."
	if o.Reason != "" {
		say = name + " does not show: " + Explain(o.Reason) + "."
	}
	t.add("nudge "+o.Nudge+" shown", AsIs, 0, say)
}

// counted shows what a rung counts, line by line where that adds up.
func (t *tracer) counted(about, name string, ladder *nudge.Ladder, r RungOutcome, ref pricing.Ref) {
	goal := t.w.problem.GoalOf(ref)
	if goal.Measure == pricing.SameProduct || goal.Measure == pricing.SameVariant || goal.Measure == pricing.Distinct || ref.Class == pricing.UnitClass {
		t.add(about+" counted", AsIs, r.Counted, fmt.Sprintf("%s counts %s.", name, t.w.amount(r.Measure, r.Counted, "en")), Term{"counted", r.Counted})
		return
	}
	var terms []Term
	for j, in := range goal.Scope {
		if !in {
			continue
		}
		l := &t.w.lines[j]
		switch goal.Measure {
		case pricing.Units, pricing.Weight:
			n := l.Quantity
			if l.isAdded() {
				n = 0
			}
			if goal.Measure == pricing.Weight {
				n *= l.grams
			}
			terms = append(terms, Term{lineName(j), n})
		default:
			v := map[pricing.Basis]money.Minor{pricing.Before: l.amount, pricing.AfterUnit: t.w.outcome.AfterUnits[j], pricing.AfterOrder: t.w.outcome.After[j]}[goal.Basis]
			terms = append(terms, Term{lineName(j), v})
			if goal.WithoutTax && t.d.TaxShown {
				tax, _ := l.tax.Within(v)
				terms = append(terms, Term{lineName(j) + " tax", -tax})
			}
		}
	}
	if goal.Measure != pricing.Value {
		t.add(about+" counted", Sum, r.Counted, fmt.Sprintf("%s counts %s.", name, t.w.amount(r.Measure, r.Counted, "en")), terms...)
		return
	}
	t.sum(about+" counted", name+" counts "+basisSay(ladder, *goal)+": %s.", r.Counted, terms)
}

func basisSay(l *nudge.Ladder, g pricing.Goal) string {
	s := "what is left after money off the order"
	switch g.Basis {
	case pricing.Before:
		s = "prices before nudges"
	case pricing.AfterUnit:
		s = "prices after unit rewards"
	}
	if l.WithoutTax {
		s += ", without tax"
	}
	return s
}

func gapSay(w *work, r RungOutcome) string {
	if r.State == RungOutdone {
		return "the goal holds, but something better for the shopper stands in its place."
	}
	if r.State == RungWaiting {
		return "the goal holds, and the goods that the reward is given on are not in the cart yet."
	}
	if r.Gap == 0 {
		return "reached."
	}
	say := func(n int64) string { return w.amount(r.Measure, n, "en") }
	return fmt.Sprintf("%s − %s = %s are missing.", say(r.Threshold), say(r.Counted), say(r.Gap))
}

// Explain says a reason in words.
func Explain(r Reason) string {
	switch r {
	case OutsideSchedule:
		return "this is before its start or after its end"
	case OutsideRegion:
		return "it is not meant for this region"
	case CodeMissing:
		return "its code was not entered"
	case OutsidePage:
		return "it does not show on this kind of page"
	case NoThreshold:
		return "it has no threshold in this region's currency"
	case Dismissed:
		return "the shopper closed it in this visit"
	case HiddenReached:
		return "it is reached, and set to hide then"
	case BetterInPlace:
		return "something better for the shopper stands in its place"
	case NoWords:
		return "it has no sentence for its state"
	case AnotherShows:
		return "another nudge comes first in each of its places"
	case NoPlace:
		return "no placement is chosen"
	case NotMeant:
		return "it is not meant for this cart, shopper or moment"
	case NotKnown:
		return "what its audience asks for is not known"
	case LimitUsedUp:
		return "its uses or its budget are used up"
	case HeldOut:
		return "the visitor is of the share that does not see it, so that what it brings can be known"
	case TrialOnly:
		return "it is there for a trial, and this visit is not in it"
	case Quiet:
		return "another dialog was open a short while ago, and the shop keeps quiet for a time after one"
	case Declined:
		return "the shopper declined its offer"
	case OutsideMoment:
		return "what it waits for has not just happened"
	case NothingBetter:
		return "the cart holds nothing that its offer could take the place of"
	case NoCompanion:
		return "nothing that can be had goes with what the page or the cart holds"
	case OutOfStock:
		return "what it gives or offers is out of stock"
	case InCart:
		return "what it offers is in the cart"
	case BelowMargin:
		return "its offer would be below the margin floor"
	case Elsewhere:
		return "none of its places is on this page"
	case OtherGoods:
		return "its prices are those of other goods than the page shows"
	case ShownEnough:
		return "it was shown as often as its cap allows"
	case NoGain:
		return "showing it is not expected to earn anything, and it is set to hide then"
	case NothingToAdd:
		return "no addition reaches its next rung"
	}
	return string(r)
}
