package nudge

import (
	"fmt"
	"strconv"
	"strings"

	"agonal.dev/agonal/core/money"
)

// What a definition says besides its promise, each as a run of words that follows its
// name; where nothing is said, what that means.

// MeasureName says what a goal counts.
func MeasureName(m Measure) string {
	switch m {
	case Units:
		return "pieces"
	case SameProduct:
		return "pieces of one product, not mixed"
	case SameVariant:
		return "pieces of one variant, not mixed"
	case Distinct:
		return "different products"
	case Weight:
		return "weight"
	}
	return "value"
}

// ClassText names a class of reward.
func ClassText(n ClassName) string {
	switch ClassOf(n) {
	case UnitClass:
		return "price cuts"
	case OrderClass:
		return "money off the order"
	case ShippingClass:
		return "cheaper shipping"
	case GiftClass:
		return "gifts"
	case UnlockClass:
		return "offers"
	}
	return string(n)
}

// Text says how a nudge stands beside others.
func (b Beside) Text() string {
	var parts []string
	if b.Group != "" {
		parts = append(parts, "one of the group “"+b.Group+"” at a time")
	}
	if len(b.Refuses) > 0 {
		names := make([]string, len(b.Refuses))
		for i, n := range b.Refuses {
			names[i] = ClassText(n)
		}
		parts = append(parts, "not beside "+orList(names)+" of others")
	}
	if b.Stacks {
		parts = append(parts, "on top of other prices")
	}
	return orText(strings.Join(parts, ", "), "beside any other")
}

// Text says what a nudge may give at most, in one region's money.
func (l Limits) Text(v Voice) string {
	var parts []string
	count := func(n int64, one, many string) {
		switch {
		case n == 1:
			parts = append(parts, one)
		case n > 1:
			parts = append(parts, fmt.Sprintf(many, n))
		}
	}
	count(l.Uses, "for one order in all", "for %d orders in all")
	count(l.PerShopper, "once per shopper", "%d times per shopper")
	count(l.Units, "on one piece of an order", "on %d pieces of an order")
	if b, ok := l.Budget[v.Region.ID]; ok {
		parts = append(parts, "up to "+money.Format(b, v.Locale)+" in all")
	}
	if l.Margin != nil {
		parts = append(parts, "with at least "+l.Margin.String()+" % margin left")
	}
	switch l.Returns {
	case Keep:
		parts = append(parts, "kept when goods go back")
	case Charge:
		parts = append(parts, "a gift is charged when goods go back")
	case Recompute:
		parts = append(parts, "reckoned anew when goods go back")
	}
	return orText(strings.Join(parts, ", "), "without a limit")
}

// ShowsText says how often, and when at all, a nudge shows.
func (d *Definition) ShowsText() string {
	var parts []string
	count := func(n int64, of string) {
		switch {
		case n == 1:
			parts = append(parts, "once "+of)
		case n > 1:
			parts = append(parts, strconv.FormatInt(n, 10)+" times "+of)
		}
	}
	count(d.Frequency.PerVisit, "a visit")
	count(d.Frequency.PerDay, "a day")
	count(d.Frequency.PerShopper, "per shopper")
	if d.TakesTurns {
		parts = append(parts, "in turns with others that do")
	}
	if d.DeclinedDays > 0 {
		parts = append(parts, fmt.Sprintf("not for %d days after it was declined", d.DeclinedDays))
	}
	if d.Holdout != nil && *d.Holdout > 0 {
		parts = append(parts, "not to "+d.Holdout.String()+" % of visitors")
	}
	if d.HideWhenReached {
		parts = append(parts, "until everything is reached")
	}
	if d.HideWithoutGain {
		parts = append(parts, "where showing it is expected to earn something")
	}
	return orText(strings.Join(parts, ", "), "as often as it fits")
}

// AnswersText says how an offer is answered.
func (d *Definition) AnswersText() string {
	var own []string
	for _, side := range []map[string]string{d.Answers.Yes, d.Answers.No} {
		if text := side["en"]; text != "" {
			own = append(own, "“"+text+"”")
		}
	}
	switch {
	case d.Answers.IsZero():
		return "with the usual words"
	case len(own) == 0:
		return "with words of its own"
	}
	return orList(own)
}

// SuggestName says how goods that close the gap are ranked.
func SuggestName(s Suggest) string {
	switch s {
	case MostProfit:
		return "those that earn most first"
	case BestCompanion:
		return "those that are bought together first"
	case Blend:
		return "a blend of price, profit and what is bought together"
	}
	return "those that go least beyond the goal first"
}

// LookText says how a nudge is drawn; an offer has no bar.
func (d *Definition) LookText() string {
	if d.InVisit() {
		return orText(string(d.Look.Tone), string(ToneInk))
	}
	return d.Look.Text()
}

// Text says how a nudge is drawn.
func (l Look) Text() string {
	text := l.bar()
	if l.Goods == GoodsList {
		text += ", goods in a list"
	}
	if l.Countdown {
		text += ", counts down to its end"
	}
	return text
}

func (l Look) bar() string {
	tone := orText(string(l.Tone), string(ToneInk))
	switch l.Bar {
	case BarSolid:
		return tone + ", plain bar"
	case BarNone:
		return tone + ", words only"
	case BarSteps:
		return tone + ", a list of steps"
	}
	return tone + ", bar with marks"
}
