package nudge

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Part is a run of the sentence that a definition reads as: plain text, or what
// one of its fields says.
type Part struct {
	Text    string
	Field   string // path into the definition, such as ladder.rungs[0].thresholds; empty: plain text
	Missing bool   // the field has nothing to say yet
}

// The fields that a sentence says. Those of a rung are made by [RungField].
const (
	RegionsField = "audience.regions"
	CodeField    = "audience.code"
	ScopeField   = "ladder.scope"
	MomentField  = "moment"
)

// RungField is the path of a field of a rung.
func RungField(rung int, field string) string { return fmt.Sprintf("ladder.rungs[%d].%s", rung, field) }

// SlotField is the path of a slot.
func SlotField(slot int) string { return fmt.Sprintf("ladder.slots[%d]", slot) }

// RewardField is the path of a reward of a rung.
func RewardField(rung, reward int) string {
	return fmt.Sprintf("ladder.rungs[%d].rewards[%d]", rung, reward)
}

// Tell returns the promise as the merchant reads and edits it, in one region's
// amounts: "When a shopper in Home or EU has €60.00 of anything in the cart,
// standard shipping is free." regions are the shop's.
func (d *Definition) Tell(v Voice, regions []catalog.Region) []Part {
	v.Language = "en"
	t := teller{d: d, v: v}
	code := d.Audience.Code != ""
	switch {
	case code:
		t.say("With the code ")
		t.part(d.Audience.Code, CodeField)
		t.say(", ")
	case d.Audience.Pool != "":
		t.say("With a code ")
		if d.Audience.EarnedBy != "" {
			t.part(d.Audience.earnText(), CodeField)
			t.say(", ")
		} else {
			t.part("of the pool “"+d.Audience.Pool+"”", CodeField)
			t.say(", ")
		}
	}
	where := orList(regionNames(d.Audience.Regions, regions))
	if where == "" {
		where = "every region"
	}
	scope := FilterText(d.Ladder.Scope, v)
	if (code || d.Audience.Pool != "") && scope == "" && d.withEveryOrder(v.Region.ID) && len(d.Ladder.Rungs) == 1 {
		t.reward(0)
		t.say(" for shoppers in ")
		t.part(where, RegionsField)
		t.say(".")
		return t.out
	}
	if code || d.Audience.Pool != "" {
		t.say("when a shopper in ")
	} else {
		t.say("When a shopper in ")
	}
	t.part(where, RegionsField)
	goal, of, missing := d.goalText(&d.Ladder.Rungs[0], v)
	if d.Built() {
		t.built(goal, scope)
		return t.out
	}
	verb, then := MomentText(d.Moment)
	if d.Moment == "" && d.Accompanies() {
		verb, then = "looks at or has", ""
	}
	if goal == "" {
		t.say(" takes from ")
	} else {
		if t.say(" "); d.Moment != "" || d.Offers() {
			t.part(verb, MomentField)
		} else {
			t.say(verb)
		}
		t.say(" ")
		t.out = append(t.out, Part{goal, RungField(0, d.goalField()), missing})
		t.say(of)
	}
	t.part(orText(scope, "anything"), ScopeField)
	if goal == "" {
		t.say(", ")
	} else {
		t.say(then + ", ")
	}
	t.reward(0)
	t.say(".")
	for i := 1; i < len(d.Ladder.Rungs); i++ {
		goal, _, missing := d.goalText(&d.Ladder.Rungs[i], v)
		t.say(" From ")
		t.out = append(t.out, Part{goal, RungField(i, d.goalField()), missing})
		t.say(", ")
		t.reward(i)
		if d.Ladder.Replacing {
			t.say(" instead")
		}
		t.say(".")
	}
	return t.out
}

// built tells what is put together, and what so many pieces of it cost.
func (t *teller) built(goal, scope string) {
	t.say(" puts together ")
	t.part(goal, RungField(0, "count"))
	t.say(" from ")
	t.part(orText(scope, "anything"), ScopeField)
	t.say(", ")
	for i := range t.d.Ladder.Slots {
		switch {
		case i > 0 && i == len(t.d.Ladder.Slots)-1:
			t.say(" and ")
		case i > 0:
			t.say(", ")
		}
		t.part(t.d.Ladder.Slots[i].Text(t.v), SlotField(i))
	}
	t.say(", ")
	t.reward(0)
	t.say(".")
	for i := 1; i < len(t.d.Ladder.Rungs); i++ {
		goal, _, _ := t.d.goalText(&t.d.Ladder.Rungs[i], t.v)
		t.say(" With ")
		t.part(goal, RungField(i, "count"))
		t.say(", ")
		t.reward(i)
		t.say(".")
	}
}

type teller struct {
	d   *Definition
	v   Voice
	out []Part
}

func (t *teller) say(s string) { t.out = append(t.out, Part{Text: s}) }

func (t *teller) part(s, field string) { t.out = append(t.out, Part{Text: s, Field: field}) }

func (t *teller) reward(i int) {
	some := FilterText(t.d.Ladder.Scope, t.v) != ""
	for j := range t.d.Ladder.Rungs[i].Rewards {
		if j > 0 {
			t.say(" and ")
		}
		text, missing := t.d.Ladder.Rungs[i].Rewards[j].clause(t.v, some)
		t.out = append(t.out, Part{text, RewardField(i, j), missing})
	}
}

// Say returns the promise as one short sentence for the merchant, in one region's
// amounts: "From €60.00, standard shipping is free; from €95.00, the order is
// 10 % less."
func (d Definition) Say(v Voice) string {
	v.Language = "en"
	scope := FilterText(d.Ladder.Scope, v)
	var parts []string
	for i := range d.Ladder.Rungs {
		gives, _ := d.gives(i, v)
		goal, of, _ := d.goalText(&d.Ladder.Rungs[i], v)
		only := scope
		if i > 0 {
			only = "" // said once
		}
		switch {
		case d.Built():
			parts = append(parts, goal+of+orText(scope, "anything")+" put together, "+gives)
		case goal == "" && only == "":
			parts = append(parts, gives)
		case goal == "":
			parts = append(parts, "of "+only+", "+gives)
		case d.withEveryOrder(v.Region.ID) && i == 0 && scope == "" && (d.Audience.Code != "" || d.Audience.Pool != ""):
			parts = append(parts, gives)
		case d.withEveryOrder(v.Region.ID) && i == 0 && scope == "":
			parts = append(parts, "with every order, "+gives)
		case d.withEveryOrder(v.Region.ID) && i == 0:
			parts = append(parts, "with anything of "+scope+", "+gives)
		case only == "":
			parts = append(parts, "from "+goal+", "+gives)
		default:
			parts = append(parts, "from "+goal+of+only+", "+gives)
		}
	}
	s := strings.Join(parts, "; ")
	if d.Ladder.Replacing && len(parts) > 1 {
		s += "; only the highest of them"
	}
	switch {
	case d.Audience.Code != "":
		s = "with the code " + d.Audience.Code + ", " + s
	case d.Audience.Pool != "":
		s = "with a code " + orText(d.Audience.earnText(), "of the pool “"+d.Audience.Pool+"”") + ", " + s
	}
	return strings.ToUpper(s[:1]) + s[1:] + "." // sentences begin with an English word
}

// FirstRegion is the first of the shop's regions that the nudge is for; the zero
// region where there is none.
func (d *Definition) FirstRegion(regions []catalog.Region) catalog.Region {
	for _, r := range regions {
		if len(d.Audience.Regions) == 0 || slices.Contains(d.Audience.Regions, r.ID) {
			return r
		}
	}
	if len(regions) > 0 {
		return regions[0]
	}
	return catalog.Region{}
}

func regionNames(ids []string, regions []catalog.Region) []string {
	var names []string
	for _, r := range regions {
		if slices.Contains(ids, r.ID) {
			names = append(names, r.Name)
		}
	}
	return names
}

// withEveryOrder tells whether the first rung asks for nothing in a region.
func (d *Definition) withEveryOrder(region string) bool {
	t, ok := d.Ladder.Rungs[0].Thresholds[region]
	return ok && t.Minor == 0 && d.Ladder.Counts() == Value
}

// goalField is the field that a rung's goal stands in.
func (d *Definition) goalField() string {
	if d.Ladder.Counts() == Value {
		return "thresholds"
	}
	return "count"
}

// goalText says what a rung asks for and how the goods follow it: "€60.00" and
// " of ", "3 pieces of one product" and " among ". It is empty where the goal is a
// set's size.
func (d *Definition) goalText(r *Rung, v Voice) (goal, of string, missing bool) {
	l := &d.Ladder
	if m := l.Counts(); m != Value {
		if r.Count == 0 {
			return "", "", false
		}
		upper := ""
		if r.UpperCount > 0 {
			upper = fmt.Sprintf(" to %d", r.UpperCount)
		}
		n := strconv.FormatInt(r.Count, 10) + upper
		switch m {
		case SameProduct:
			return n + " pieces of one product", " among ", false
		case SameVariant:
			return n + " pieces of one variant", " among ", false
		case Distinct:
			return n + " different products", " of ", false
		}
		return MeasureText(m, r.Count, v.Region.Currency, "en", v.Locale) + upper, " of ", false
	}
	t, ok := r.Thresholds[v.Region.ID]
	switch {
	case !ok && len(r.Rewards) > 0 && Repeats(r.Rewards[0].Kind) && len(r.Thresholds) == 0:
		return "", "", false
	case !ok:
		return "an amount", " of ", true
	case t.Minor == 0:
		return "any amount", " of ", false
	}
	goal = money.Format(t, v.Locale)
	if u, ok := r.Upper[v.Region.ID]; ok {
		goal += " to " + money.Format(u, v.Locale)
	}
	return goal, " of ", false
}

// gives says what a rung gives, as a clause: "standard shipping is free".
func (d *Definition) gives(rung int, v Voice) (text string, missing bool) {
	var parts []string
	for i := range d.Ladder.Rungs[rung].Rewards {
		s, lacks := d.Ladder.Rungs[rung].Rewards[i].clause(v, FilterText(d.Ladder.Scope, v) != "")
		parts = append(parts, s)
		missing = missing || lacks
	}
	return strings.Join(parts, " and "), missing
}

// clause says what a reward does, in English. some tells that only some goods
// count.
func (r *Reward) clause(v Voice, some bool) (text string, missing bool) {
	amount := func(a Amounts) string {
		if m, ok := a[v.Region.ID]; ok {
			return money.Format(m, v.Locale)
		}
		missing = true
		return "an amount"
	}
	percent := func() string {
		if r.Percent == nil {
			missing = true
			return "a share"
		}
		return r.Percent.String() + " %"
	}
	en := rewardWords["en"]
	total := "the order is "
	if some {
		total = "these goods together are "
	}
	switch r.Kind {
	case UnitPercent:
		text = r.each() + " is " + percent() + " less"
	case UnitAmount:
		text = r.each() + " is " + amount(r.Amounts) + " less"
	case UnitPrice:
		text = r.each() + " costs " + amount(r.Amounts)
	case SetPrice:
		text = fmt.Sprintf("any %d cost %s together", r.Size, amount(r.Amounts))
	case BuiltPrice:
		text = "all of it costs " + amount(r.Amounts)
	case NForM:
		text = fmt.Sprintf("%d cost as much as %d, the cheapest being free", r.Size, r.PayFor)
	case Every:
		text = fmt.Sprintf("for every %d, %d more", r.Size, r.Get)
		if r.On != nil {
			text += of(FilterText(*r.On, v))
		}
		if r.Percent != nil && *r.Percent == money.Whole {
			text += " is free"
		} else {
			text += " is " + percent() + " less"
		}
	case FreeShipping:
		text = r.method(v, en) + r.verb(" is", " are") + " free"
	case ShippingOff:
		text = r.method(v, en) + r.verb(" is ", " are ") + amount(r.Amounts) + " less"
	case ShippingFlat:
		text = r.method(v, en) + r.verb(" costs", " cost") + " at most " + amount(r.Amounts)
	case OrderPercent:
		text = total + percent() + " less"
	case OrderAmount:
		text = total + amount(r.Amounts) + " less"
	case Gift:
		are := " is "
		if len(r.Items) == 1 && r.Items[0].Many() > 1 {
			are = " are "
		}
		text = r.items(v, " or ") + are + r.giftPrice(percent)
	case GiftPick:
		text = fmt.Sprintf("%d of %s is ", r.Pick, r.items(v, " or ")) + r.giftPrice(percent)
	case Companions:
		text = r.companionsText(v)
		if r.Percent != nil {
			text += ", each " + percent() + " less"
		}
	case Notice:
		switch text = "something is said"; {
		case r.Link != "":
			text += ", with a link to " + r.Link
		case r.Code != "":
			text += ", and the code " + r.Code + " can be entered by a click"
		case len(r.Items) > 0:
			text += ", and " + r.items(v, " and ") + " can be put in by a click"
		}
	default:
		price := "its list price"
		switch {
		case r.Percent != nil:
			price = percent() + " less"
		case len(r.Amounts) > 0:
			price = amount(r.Amounts)
		}
		text = r.offered(v, en, " or ") + " is offered " + instead[r.Kind == OfferBetter] + "at " + price
	}
	switch r.Shipments {
	case LaterShipments:
		text += " in later parcels of a plan"
	case EveryShipment:
		text += " in every parcel of a plan"
	}
	if len(r.Endings) > 0 {
		text += ", rounded down to " + endingText(r.Endings, v)
	}
	if len(r.Cap) > 0 {
		text += ", by " + amount(r.Cap) + " at most"
	}
	if r.On != nil && r.Kind.Class() == UnitClass && r.Kind != Every {
		text = strings.Replace(text, " piece ", " piece"+of(FilterText(*r.On, v))+" ", 1)
	}
	return text, missing
}

// companionsText says what goes with the product shown.
func (r *Reward) companionsText(v Voice) string {
	byHand := r.items(v, " and ")
	rule := map[Choose]string{
		SameCollection: "others of its collections", SameOption: "others of the same " + strings.ToLower(r.Alike),
		NextSize: "the next size", BoughtTogether: "what past orders hold beside it",
	}[r.Choose]
	switch {
	case r.Choose == "" && len(r.Items) == 1:
		return byHand + " goes with it"
	case r.Choose == "":
		return byHand + " go with it"
	case byHand != "":
		rule += ", or else " + byHand + ","
	}
	if r.Choose == NextSize || r.Choose == BoughtTogether {
		return rule + " goes with it"
	}
	return rule + " go with it"
}

var instead = map[bool]string{true: "instead "}

// MomentText says what a shopper does at a moment with goods, and what follows them:
// "has" and " in the cart".
func MomentText(m audience.Act) (does, then string) {
	switch m {
	case audience.ItemAdded:
		return "puts", " in the cart"
	case audience.CartOpened:
		return "opens the cart with", ""
	case audience.CheckoutBegun:
		return "begins the checkout with", ""
	case audience.OrderPlaced:
		return "has ordered", ""
	case audience.Leaving:
		return "is about to leave with", " in the cart"
	case audience.LinkShared:
		return "shares the cart with", ""
	}
	return "has", " in the cart"
}

// endingText says what prices end with in a region.
func endingText(endings Amounts, v Voice) string {
	e, ok := endings[v.Region.ID]
	whole := money.Minor(1)
	for range e.Currency.Digits() {
		whole *= 10
	}
	switch {
	case !ok:
		return "exact prices"
	case e.Minor == whole:
		return "whole amounts"
	case e.Minor < whole:
		return "prices that end in ." + fmt.Sprintf("%0*d", e.Currency.Digits(), e.Minor)
	}
	return "a multiple of " + money.Format(e, v.Locale)
}

func of(goods string) string {
	if goods == "" {
		return ""
	}
	return " of " + goods
}

func (r *Reward) giftPrice(percent func() string) string {
	if r.Free() {
		return "a gift"
	}
	return percent() + " less"
}

// each names the units that a unit reward is on.
func (r *Reward) each() string {
	switch {
	case r.Cheapest == 1:
		return "the cheapest piece"
	case r.Cheapest > 1:
		return fmt.Sprintf("each of the %d cheapest pieces", r.Cheapest)
	case r.Dearest == 1:
		return "the dearest piece"
	case r.Dearest > 1:
		return fmt.Sprintf("each of the %d dearest pieces", r.Dearest)
	}
	return "each piece"
}

func (r *Reward) verb(one, many string) string {
	if len(r.Methods) > 1 {
		return many
	}
	return one
}

func orText(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

// orList joins words as a sentence does: "Desk, Nibs or Paper".
func orList(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}
