package decide

import (
	"fmt"
	"strings"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
)

// trace writes down how every figure of the decision comes about.
func (w *work) trace(d *Decision) {
	t := tracer{w: w, d: d}
	t.goods()
	t.orders()
	t.total()
	for i := range d.Nudges {
		t.nudge(&d.Nudges[i], &w.taking[i])
	}
	d.Trace = t.steps
}

type tracer struct {
	w     *work
	d     *Decision
	steps []Step
}

func (t *tracer) add(about string, op Op, result money.Minor, say string, terms ...Term) {
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
		label := t.w.lines[i].label
		amounts = append(amounts, Term{lineName(i), l.Amount})
		t.add(lineName(i)+" amount", Times, l.Amount,
			fmt.Sprintf("%s: %s × %d = %s.", label, t.w.money(l.Unit), l.Quantity, t.w.money(l.Amount)),
			Term{"unit", l.Unit}, Term{"quantity", l.Quantity})
	}
	t.sum("before", "Goods before nudges: %s.", t.d.Before, amounts)
}

func lineName(i int) string { return fmt.Sprintf("line %d", i) }

// orders shows each order reward on the sum it is taken of, and its shares.
func (t *tracer) orders() {
	p, o := t.w.problem, &t.w.outcome
	remaining := make([]money.Minor, len(p.Lines))
	for i, l := range p.Lines {
		remaining[i] = l.Amount
	}
	for _, a := range o.Applied {
		r := &p.Orders[a.Order]
		about := fmt.Sprintf("nudge %s, rung %d", r.Key.Nudge, r.Key.Rung)
		var base money.Minor
		for j, in := range r.Lines {
			if in {
				base += remaining[j]
			}
		}
		full, _ := r.Percent.Of(base)
		t.add(about+" percentage", Percent, full,
			fmt.Sprintf("%s: %s %% of %s is %s.", t.w.name(r.Key.Nudge), r.Percent, t.w.money(base), t.w.money(full)),
			Term{"base", base}, Term{"rate in millionths", int64(r.Percent)})
		t.add(about+" reward", AsIs, a.Total, fmt.Sprintf("%s takes %s off the order%s.", t.w.name(r.Key.Nudge), t.w.money(a.Total), capNote(full, a.Total)), Term{"reward", a.Total})
		for j, s := range a.Shares {
			if r.Lines[j] && s > 0 {
				t.add(fmt.Sprintf("%s share of line %d", about, j), Spread, s,
					fmt.Sprintf("Of that, %s falls to %s.", t.w.money(s), t.w.lines[j].label),
					Term{"total", a.Total}, Term{"weight", remaining[j]}, Term{"sum of weights", base})
			}
			remaining[j] -= s
		}
	}
	for i, given := range o.OrderGiven {
		if given || p.OrderStatus(o, i) != pricing.Outdone {
			continue
		}
		forced := append([]bool{}, o.OrderGiven...)
		forced[i] = true
		if with, ok := p.Under(forced, o.Method); ok {
			t.add(fmt.Sprintf("nudge %s, rung %d left out", p.Orders[i].Key.Nudge, p.Orders[i].Key.Rung), Less, with.ToPay-o.ToPay,
				fmt.Sprintf("%s is left out: with it the order costs %s, without it %s.", t.w.name(p.Orders[i].Key.Nudge), t.w.money(with.ToPay), t.w.money(o.ToPay)),
				Term{"to pay with it", with.ToPay}, Term{"to pay", o.ToPay})
		}
	}
	var paid, off []Term
	for i, l := range t.d.Lines {
		paid = append(paid, Term{lineName(i), l.Paid})
		off = append(off, Term{lineName(i), l.Off})
		t.add(lineName(i)+" paid", Less, l.Paid, fmt.Sprintf("%s costs %s − %s = %s.", t.w.lines[i].label, t.w.money(l.Amount), t.w.money(l.Off), t.w.money(l.Paid)),
			Term{"amount", l.Amount}, Term{"off", l.Off})
	}
	t.sum("off", "Off the order: %s.", t.d.Off, off)
	t.sum("goods", "Goods: %s.", t.d.Goods, paid)
}

func capNote(full, taken money.Minor) string {
	if taken < full {
		return ", which is its cap"
	}
	return ""
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
		t.add("nudge "+o.Nudge, AsIs, 0, name+" has no part in this: "+Explain(tk.reason)+".")
		return
	}
	ladder := &tk.n.Definition.Ladder
	for i, r := range o.Rungs {
		about := fmt.Sprintf("nudge %s, rung %d", o.Nudge, r.Rung)
		goal := t.w.goal(tk.rungs[i].target)
		var terms []Term
		for j, in := range goal.Scope {
			if !in {
				continue
			}
			v := t.d.Lines[j].Amount
			if goal.Basis == pricing.AfterOrder {
				v = t.d.Lines[j].Paid
			}
			terms = append(terms, Term{lineName(j), v})
			if goal.WithoutTax && t.d.TaxShown {
				tax, _ := t.w.lines[j].tax.Within(v)
				terms = append(terms, Term{lineName(j) + " tax", -tax})
			}
		}
		t.sum(about+" counted", name+" counts "+basisSay(ladder)+": %s.", r.Counted, terms)
		t.add(about+" gap", LessNil, r.Gap, fmt.Sprintf("For %s, from %s: %s", r.Reward, t.w.money(r.Threshold), gapSay(t.w, r)),
			Term{"threshold", r.Threshold}, Term{"counted", r.Counted})
		if r.ToAdd != nil {
			t.add(about+" to add", Search, *r.ToAdd, fmt.Sprintf("The least addition that reaches it is %s.", t.w.money(*r.ToAdd)), Term{"to add", *r.ToAdd})
		}
		if r.Lasting != nil {
			t.add(about+" lasting", Search, *r.Lasting, fmt.Sprintf("From %s on it stays reached; this is what the shopper reads.", t.w.money(*r.Lasting)), Term{"lasting", *r.Lasting})
		}
		if r.Reason != "" {
			t.add(about+" nothing to add", AsIs, 0, "Nothing is promised: "+map[string]string{"better_reward": "a reward that is better for the shopper stands in its place.", "not_found": "rounding makes it hold for one addition and not for the next."}[r.Reason])
		}
	}
	say := name + " shows."
	if o.Reason != "" {
		say = name + " does not show: " + Explain(o.Reason) + "."
	}
	t.add("nudge "+o.Nudge+" shown", AsIs, 0, say)
}

func basisSay(l *nudge.Ladder) string {
	s := "what is left after money off the order"
	if l.Basis == nudge.BeforeNudges {
		s = "prices before nudges"
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
	if r.Gap == 0 {
		return "reached."
	}
	return fmt.Sprintf("%s − %s = %s are missing.", w.money(r.Threshold), w.money(r.Counted), w.money(r.Gap))
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
	case NothingToAdd:
		return "no addition reaches its next rung"
	}
	return string(r)
}
