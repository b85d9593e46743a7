package nudge

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"
	"unicode/utf8"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/theme"
)

// Limits of numbers in a definition.
const (
	MostCount = 1_000_000 // of a goal's count, and of units in a limit
	MostSize  = 100       // of a set
	MostItems = 20        // of a gift's list

	MostAnswer = 40 // characters of an answer to an offer
)

// Valid tells what makes the definition impossible by itself, as the first
// [FieldError] found, or nil.
func (d Definition) Valid() error {
	if d.Version != Version {
		return FieldError{"version", fmt.Sprintf("must be %d", Version)}
	}
	if utf8.RuneCountInString(d.Name) > MostName || !utf8.ValidString(d.Name) {
		return FieldError{"name", fmt.Sprintf("at most %d characters", MostName)}
	}
	for _, check := range []func() error{d.validLadder, d.validAudience, d.validBeside, d.validLimits, d.validPlaces, d.validLook, d.validWording, d.validAnswers} {
		if err := check(); err != nil {
			return err
		}
	}
	return nil
}

func (d Definition) validLadder() error {
	l := &d.Ladder
	if !slices.Contains(Bases, l.Basis) {
		return FieldError{"ladder.basis", "must be before_nudges, after_unit or after_order"}
	}
	if l.Measure != "" && !slices.Contains(Measures, l.Measure) {
		return FieldError{"ladder.measure", fmt.Sprintf("must be one of %v", Measures)}
	}
	if err := l.Scope.Valid(); err != nil {
		return FieldError{"ladder.scope", err.Error()}
	}
	if len(l.Slots) > 0 {
		if err := l.validSlots(); err != nil {
			return err
		}
	}
	if n := len(l.Rungs); n == 0 || n > MostRungs {
		return FieldError{"ladder.rungs", fmt.Sprintf("from 1 to %d rungs are possible", MostRungs)}
	}
	for i := range l.Rungs {
		at := fmt.Sprintf("ladder.rungs[%d]", i)
		if err := l.validRung(at, &l.Rungs[i]); err != nil {
			return err
		}
		if i > 0 {
			if err := l.rises(at, &l.Rungs[i-1], &l.Rungs[i]); err != nil {
				return err
			}
		}
	}
	return nil
}

// rises tells what keeps a rung from standing above the one before it.
func (l *Ladder) rises(at string, below, r *Rung) error {
	if l.Counts() != Value && r.Count <= below.Count {
		return FieldError{at + ".count", fmt.Sprintf("%d is not more than the rung before it, %d", r.Count, below.Count)}
	}
	for _, region := range r.Thresholds.Regions() {
		if a, b := below.Thresholds[region], r.Thresholds[region]; a.Currency == b.Currency && b.Minor <= a.Minor {
			return FieldError{at + ".thresholds." + region, fmt.Sprintf("%s is not more than the rung before it, %s", b, a)}
		}
	}
	if l.Replacing && l.BasisOf(below) != l.BasisOf(r) {
		return FieldError{at, "the rungs of a replacing ladder have one basis"}
	}
	return nil
}

func (l *Ladder) validRung(at string, r *Rung) error {
	for _, side := range []struct {
		field string
		a     Amounts
	}{{".thresholds", r.Thresholds}, {".upper", r.Upper}} {
		if err := validAmounts(at+side.field, side.a); err != nil {
			return err
		}
	}
	if err := l.validGoal(at, r); err != nil {
		return err
	}
	if len(r.Rewards) == 0 || len(r.Rewards) > 4 {
		return FieldError{at + ".rewards", "from 1 to 4 rewards are possible"}
	}
	last := Class(0) // the latest class in which it gives something
	for _, w := range r.Rewards {
		if c := w.Kind.Class(); c != UnlockClass {
			last = max(last, c)
		}
	}
	for i, w := range r.Rewards {
		field := fmt.Sprintf("%s.rewards[%d]", at, i)
		c := w.Kind.Class()
		switch {
		case c == 0:
			return FieldError{field + ".kind", fmt.Sprintf("%q is not a kind of reward", w.Kind)}
		case w.Kind == BuiltPrice && len(l.Slots) == 0:
			return FieldError{field + ".kind", "is the price of a set that is put together; that needs slots"}
		case c <= OrderClass && slices.ContainsFunc(r.Rewards[:i], func(o Reward) bool { return o.Kind.Class() == c && !apartByShipment(&o, &w) }):
			return FieldError{field, "one reward of this class is enough"}
		case c == ShippingClass && slices.ContainsFunc(r.Rewards[:i], func(o Reward) bool { return sameMethod(&o, &r.Rewards[i]) }):
			return FieldError{field + ".methods", "a rung gives one reward for each shipping method; name the methods of each"}
		}
		if c != UnlockClass && (!l.Replacing || len(l.Rungs) == 1 || l.Counts() != Value) {
			c = last // an earlier reward looks as far as it may; in the place of another it looks where that does
		}
		if err := l.validBasis(at, r, c); err != nil {
			return err
		}
		if err := w.valid(field); err != nil {
			return err
		}
	}
	return nil
}

// apartByShipment tells whether one of two rewards is for later parcels of a plan and
// the other for the first.
func apartByShipment(a, b *Reward) bool {
	return a.Shipments != EveryShipment && b.Shipments != EveryShipment && (a.Shipments == LaterShipments) != (b.Shipments == LaterShipments)
}

// sameMethod tells whether two shipping rewards are about one method; without
// methods a reward is about all.
func sameMethod(a, b *Reward) bool {
	if a.Kind.Class() != ShippingClass || b.Kind.Class() != ShippingClass {
		return false
	}
	return len(a.Methods) == 0 || len(b.Methods) == 0 || slices.ContainsFunc(a.Methods, func(m string) bool { return slices.Contains(b.Methods, m) })
}

// validGoal checks the threshold against the measure.
func (l *Ladder) validGoal(at string, r *Rung) error {
	value := l.Counts() == Value
	sets := len(r.Rewards) == 1 && Repeats(r.Rewards[0].Kind)
	switch {
	case value && r.Count != 0:
		return FieldError{at + ".count", "belongs to ladders that count pieces or weight; a value has thresholds"}
	case value && r.UpperCount != 0:
		return FieldError{at + ".upper_count", "belongs to ladders that count pieces or weight"}
	case !value && (len(r.Thresholds) > 0 || len(r.Upper) > 0):
		return FieldError{at + ".thresholds", "belong to ladders that count a value; " + string(l.Measure) + " has a count"}
	case !value && r.Count == 0 && !sets:
		return FieldError{at + ".count", fmt.Sprintf("must be from 1 to %d", MostCount)}
	case r.Count < 0 || r.Count > MostCount || r.UpperCount < 0 || r.UpperCount > MostCount:
		return FieldError{at + ".count", fmt.Sprintf("must be from 1 to %d", MostCount)}
	case r.Basis != "" && !slices.Contains(Bases, r.Basis):
		return FieldError{at + ".basis", "must be before_nudges, after_unit or after_order"}
	case r.Basis != "" && r.Basis != l.Basis && l.Replacing:
		return FieldError{at + ".basis", "the rungs of a replacing ladder have one basis"}
	}
	if (r.UpperCount > 0 || len(r.Upper) > 0) && !l.Replacing {
		return FieldError{at + ".upper", "only a rung of a replacing ladder has an upper end"}
	}
	if r.UpperCount > 0 && r.UpperCount < r.Count {
		return FieldError{at + ".upper_count", fmt.Sprintf("%d lies below the count, %d", r.UpperCount, r.Count)}
	}
	for _, region := range r.Upper.Regions() {
		if a, b := r.Thresholds[region], r.Upper[region]; b.Minor < a.Minor || b.Minor == 0 {
			return FieldError{at + ".upper." + region, fmt.Sprintf("%s lies below the threshold, %s", b, a)}
		}
	}
	return nil
}

// Repeats tells whether a reward is given per set.
func Repeats(k Kind) bool { return k == SetPrice || k == NForM || k == Every }

// validBasis refuses a goal that would look at what its own reward changes.
func (l *Ladder) validBasis(at string, r *Rung, c Class) error {
	field := "ladder.basis"
	if r.Basis != "" {
		field = at + ".basis"
	}
	b := l.BasisOf(r)
	switch {
	case c == UnitClass && b != BeforeNudges:
		return FieldError{field, "a goal for a lower unit price cannot look at the value after it; count before nudges"}
	case c == OrderClass && b == AfterOrder:
		return FieldError{field, "a goal for money off the order cannot look at the value after it; count before nudges or after unit rewards"}
	case c == UnlockClass && b != BeforeNudges:
		return FieldError{field, "a goal for an offer counts the other lines before nudges"}
	}
	return nil
}

func (d Definition) validAudience() error {
	a := &d.Audience
	for i, p := range a.Pages {
		if !slices.Contains(Pages, p) {
			return FieldError{fmt.Sprintf("audience.pages[%d]", i), fmt.Sprintf("%q is not a kind of page", p)}
		}
	}
	if len(a.Code) > 40 || len(a.Pool) > 40 || len(d.AppliesCode) > 40 {
		return FieldError{"audience.code", "at most 40 characters"}
	}
	if a.Code != "" && a.Pool != "" {
		return FieldError{"audience.pool", "a nudge needs a shared code or one of a pool, not both"}
	}
	switch {
	case a.EarnedBy != "" && a.Pool == "":
		return FieldError{"audience.pool", "what is earned is a code of a pool; name one"}
	case a.EarnedBy != "" && !slices.Contains(EarningActs, a.EarnedBy):
		return FieldError{"audience.earned_by", "must be link_shared or leaving"}
	case len(d.ShareText) > 0 && a.EarnedBy != audience.LinkShared:
		return FieldError{"share_text", "belongs to a code that sharing the cart earns"}
	}
	for language, text := range d.ShareText {
		if utf8.RuneCountInString(text) > MostWording {
			return FieldError{"share_text." + language, fmt.Sprintf("at most %d characters", MostWording)}
		}
	}
	if a.When == nil {
		return nil
	}
	if err := a.When.Valid(); err != nil {
		var e audience.Error
		if errors.As(err, &e) {
			if e.Field == "when" {
				return FieldError{"audience.when", e.Why}
			}
			return FieldError{"audience.when." + e.Field, e.Why}
		}
		return FieldError{"audience.when", err.Error()}
	}
	return nil
}

func (d Definition) validBeside() error {
	b := &d.Beside
	if len(b.Group) > 40 {
		return FieldError{"beside.group", "at most 40 characters"}
	}
	for i, n := range b.Refuses {
		if ClassOf(n) == 0 || n == "" {
			return FieldError{fmt.Sprintf("beside.refuses[%d]", i), fmt.Sprintf("%q is not a class of reward: unit, order, shipping, gift or unlock", n)}
		}
	}
	if !b.Stacks {
		return nil
	}
	for i, r := range d.Ladder.Rungs {
		for _, w := range r.Rewards {
			if w.Kind.Class() != UnitClass || Repeats(w.Kind) || w.Cheapest > 0 || w.Dearest > 0 {
				return FieldError{"beside.stacks", fmt.Sprintf("only a percentage, amount or price each goes on top of other prices; rung %d gives something else", i+1)}
			}
		}
	}
	if d.Limits.Units > 0 {
		return FieldError{"limits.units", "a nudge that goes on top of others has no limit of units"}
	}
	if len(d.Ladder.Rungs) > 1 && !d.Ladder.Replacing {
		return FieldError{"ladder.replacing", "goes on top of a price once, so its rungs must replace one another"}
	}
	return nil
}

func (d Definition) validLimits() error {
	l := &d.Limits
	for field, n := range map[string]int64{"limits.uses": l.Uses, "limits.per_shopper": l.PerShopper, "limits.units": l.Units, "frequency.per_visit": d.Frequency.PerVisit, "frequency.per_day": d.Frequency.PerDay, "frequency.per_shopper": d.Frequency.PerShopper} {
		if n < 0 || n > 1_000_000_000 {
			return FieldError{field, fmt.Sprintf("%d is not from 0 (no limit) to 1000000000", n)}
		}
	}
	if err := validAmounts("limits.budget", l.Budget); err != nil {
		return err
	}
	if l.Margin != nil && *l.Margin >= money.Whole {
		return FieldError{"limits.margin", "must be below 100"}
	}
	if h := d.Holdout; h != nil && *h > MostHoldout {
		return FieldError{"holdout", "must be at most 50"}
	}
	if !slices.Contains([]Returns{"", Keep, Charge, Recompute}, l.Returns) {
		return FieldError{"limits.returns", "must be keep, charge_gift or recompute"}
	}
	if !slices.Contains([]Suggest{"", LeastOvershoot, MostProfit, BestCompanion, Blend}, d.Suggest) {
		return FieldError{"suggest", "must be least_overshoot, most_profit, best_companion or blend"}
	}
	return nil
}

func (d Definition) validPlaces() error {
	for i, p := range d.Placements {
		if !slices.Contains(Placements, p) || slices.Contains(d.Placements[:i], p) {
			return FieldError{fmt.Sprintf("placements[%d]", i), fmt.Sprintf("%q is not a placement, or stands twice", p)}
		}
	}
	if d.Moment != "" && !slices.Contains(audience.Acts, d.Moment) {
		return FieldError{"moment", fmt.Sprintf("must be one of %v", audience.Acts)}
	}
	if s := d.Schedule; s.From != nil && s.Until != nil && !s.Until.After(*s.From) {
		return FieldError{"schedule.until", "must be later than the start, " + s.From.Format(time.RFC3339)}
	}
	return nil
}

func (d Definition) validLook() error {
	if !slices.Contains([]Tone{"", ToneInk, TonePaper, ToneAccent}, d.Look.Tone) {
		return FieldError{"look.tone", "must be ink, paper or accent"}
	}
	if !slices.Contains([]Bar{"", BarRule, BarSolid, BarNone, BarSteps}, d.Look.Bar) {
		return FieldError{"look.bar", "must be rule, solid, none or steps"}
	}
	if !slices.Contains([]Goods{"", GoodsCards, GoodsList}, d.Look.Goods) {
		return FieldError{"look.goods", "must be cards or list"}
	}
	if m := d.Look.Marked; m < 0 || m > int64(len(d.Ladder.Rungs)) {
		return FieldError{"look.marked", fmt.Sprintf("there is no rung %d; 0 points out none", m)}
	}
	if err := d.Look.validColours(); err != nil {
		return err
	}
	switch {
	case !leads(d.Look.Picture) || len(d.Look.Picture) > MostLink:
		return FieldError{"look.picture", "must be a path of the shop such as /pictures/quay.svg, or begin with https://"}
	case d.Look.Picture == "" && len(d.Look.PictureAlt) > 0:
		return FieldError{"look.picture_alt", "belongs to a picture of its own"}
	case d.DeclinedDays < 0 || d.DeclinedDays > MostDays:
		return FieldError{"declined_days", fmt.Sprintf("%d is not from 0 to %d", d.DeclinedDays, MostDays)}
	}
	for language, text := range d.Look.PictureAlt {
		if utf8.RuneCountInString(text) > MostWording {
			return FieldError{"look.picture_alt." + language, fmt.Sprintf("at most %d characters", MostWording)}
		}
	}
	for language, text := range d.Headings {
		if utf8.RuneCountInString(text) > MostName {
			return FieldError{"headings." + language, fmt.Sprintf("at most %d characters", MostName)}
		}
	}
	return nil
}

// validColours tells what is wrong with colours of its own: words on them must be read.
func (l *Look) validColours() error {
	for field, c := range map[string]theme.Colour{"look.own_ground": l.OwnGround, "look.own_text": l.OwnText} {
		switch {
		case c == "" && l.OwnGround+l.OwnText != "":
			return FieldError{field, "its own colours are a ground and the words on it, both or neither"}
		case c != "" && !c.Valid():
			return FieldError{field, "must be a colour such as #1b2a4a"}
		}
	}
	if l.OwnGround == "" {
		return nil
	}
	if r := theme.Contrast(l.OwnGround, l.OwnText); r < theme.LeastText {
		return FieldError{"look.own_text", fmt.Sprintf("has a contrast of %s on its ground; at least %s are needed", theme.Ratio(r), theme.Ratio(theme.LeastText))}
	}
	return nil
}

func (d Definition) validWording() error {
	if err := d.Wording.valid("wording"); err != nil {
		return err
	}
	for i := range d.Ladder.Rungs {
		if err := d.Ladder.Rungs[i].Wording.valid(RungField(i, "wording")); err != nil {
			return err
		}
	}
	return nil
}

func (d Definition) validAnswers() error {
	for _, side := range []struct {
		field string
		texts map[string]string
	}{{"answers.yes", d.Answers.Yes}, {"answers.no", d.Answers.No}} {
		for _, language := range slices.Sorted(maps.Keys(side.texts)) {
			if utf8.RuneCountInString(side.texts[language]) > MostAnswer {
				return FieldError{side.field + "." + language, fmt.Sprintf("at most %d characters", MostAnswer)}
			}
		}
	}
	return nil
}

func (w Wording) valid(at string) error {
	for _, l := range w.Languages() {
		for s, text := range w[l] {
			field := fmt.Sprintf("%s.%s.%s", at, l, s)
			if !s.knownIn(l) {
				return FieldError{field, fmt.Sprintf("is not a state of a nudge, nor one with a plural form of the language, of %v", FormsOf(l))}
			}
			if _, err := ParseSentence(text); err != nil {
				return FieldError{field, err.Error()}
			}
		}
	}
	return nil
}

func validAmounts(at string, a Amounts) error {
	for _, region := range a.Regions() {
		v := a[region]
		if v.Minor < 0 || v.Minor > money.Most {
			return FieldError{at + "." + region, fmt.Sprintf("%s is not from 0 to %s", v, money.Amount{Minor: money.Most, Currency: v.Currency})}
		}
	}
	return nil
}
