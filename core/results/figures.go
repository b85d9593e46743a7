package results

import (
	"cmp"
	"math/big"
	"slices"
	"strings"
	"time"

	"agonal.dev/agonal/core/money"
)

// Kind is what was counted.
type Kind string

// The kinds: what a visit saw and did, and orders, whatever visit they came of.
const (
	Visit     Kind = "visit"      // a visit began
	Checkout  Kind = "checkout"   // checkout was begun
	Could     Kind = "could"      // it could have seen a nudge: it was meant, whether or not it was kept from it
	Shown     Kind = "shown"      // half of it was to be seen for a second
	Reached   Kind = "reached"    // a rung
	Clicked   Kind = "clicked"    // what an announcement leads to
	Added     Kind = "added"      // goods that it suggested, or a step of its prices
	Picked    Kind = "picked"     // a gift
	Taken     Kind = "taken"      // what it offers
	Declined  Kind = "declined"   // what it offers
	Dismissed Kind = "dismissed"  // it was closed
	Shared    Kind = "shared"     // the cart
	ShownAt   Kind = "shown_at"   // shown for the first time in the visit with a gap of a band
	Accepted  Kind = "accepted"   // what was shown in a band was reached later in the visit, or taken
	InTrial   Kind = "in_trial"   // it could have seen a nudge of two sets that are compared, counted under their trial
	Loaded    Kind = "loaded"     // how long the first page took on which a visit could see a nudge that is tried
	Order     Kind = "order"      // an order was placed
	OrderWith Kind = "order_with" // one in which some nudge gave something
	Used      Kind = "used"       // one in which a nudge gave something
	UsedRung  Kind = "used_rung"  // one in which a nudge's rung did
)

// The arms of visits that were kept from something: ArmNone of those whose visitor sees no
// nudge at all, ArmHeld of those that see others, but not the one that is counted.
const (
	ArmNone = "none"
	ArmHeld = "held"
)

// without ends the name of the arm of a trial whose visits do without the nudge.
const without = ":without"

// ArmWithout is the arm of a trial whose visits do without the nudge.
func ArmWithout(trial string) string { return trial + without }

// DoesWithout tells whether visits of an arm do without the nudge for a trial.
func DoesWithout(arm string) bool { return strings.HasSuffix(arm, without) }

// Count is how often something was counted, by all that Results are looked at by, or by some
// of it with the rest left empty. Of kinds that stand for visits (Visit, Could, Shown) the
// sums are of the orders that came of those visits, of Shown those in which the nudge gave
// something after it was shown; of Order, OrderWith, Used and UsedRung, of the orders themselves. Given is what was given away with them.
type Count struct {
	Kind      Kind
	Day       time.Time
	Nudge     string // empty: of the visit or order itself
	Revision  int
	Rung      int
	Placement string
	Region    string
	Language  string
	Device    string
	Arm       string
	Share     money.Rate // of visitors from whom what is counted is kept, as it was then
	Visits
	Given money.Minor
	// Of Loaded, milliseconds: their sum, and the sum of their squares.
	Ms        int64
	MsSquares big.Int
}

// Figures are a nudge's figures of a period, in one currency. docs/figures.md says each in a
// sentence.
type Figures struct {
	Could     int64 // visits that could see it
	Held      int64 // visits that were kept from it
	Shown     int64 // visits that saw it
	Reached   int64 // visits that reached its first rung
	Used      int64 // orders in which it gave something
	AfterShow int64 // of those, after a show in the same visit
	Given     money.Minor
	Effect    Effect
	With      Visits // that could see it
	Without   Visits // that were kept from it
	pairs     pairs
	Rungs     []Step
	Acts      map[Kind]int64 // clicked, added, picked, taken, declined, dismissed, shared
}

// Step is one rung of a nudge: visits that reached it, orders in which it gave something, and
// what it gave away.
type Step struct {
	Rung    int
	Reached int64
	Used    int64
	Given   money.Minor
}

// OfNudges sums counts up to the figures of each nudge, over so many days.
func OfNudges(counts []Count, days int) map[string]*Figures {
	out := map[string]*Figures{}
	for i := range counts {
		c := &counts[i]
		if c.Nudge == "" || c.Kind == InTrial || c.Kind == Loaded {
			continue
		}
		f := out[c.Nudge]
		if f == nil {
			f = &Figures{Acts: map[Kind]int64{}, pairs: pairs{}}
			out[c.Nudge] = f
		}
		f.add(c)
	}
	for _, f := range out {
		slices.SortFunc(f.Rungs, func(a, b Step) int { return cmp.Compare(a.Rung, b.Rung) })
		f.Effect = f.pairs.compare(days)
	}
	return out
}

func (f *Figures) add(c *Count) {
	switch c.Kind {
	case Could:
		if DoesWithout(c.Arm) {
			return // the trial tells of them
		}
		switch c.Arm {
		case ArmNone: // they miss the others, too, and tell nothing of this one
		case ArmHeld:
			f.Held += c.Visits.Visits
			f.Without.Add(&c.Visits)
			f.pairs.of(c.Share).Held.Add(&c.Visits)
		default:
			f.Could += c.Visits.Visits
			f.With.Add(&c.Visits)
			f.pairs.of(c.Share).With.Add(&c.Visits)
		}
	case Shown:
		f.Shown += c.Visits.Visits
		f.AfterShow += c.Orders
	case Reached:
		if c.Arm == ArmNone || DoesWithout(c.Arm) {
			return // as of those who could see it
		}
		if c.Rung == 0 {
			f.Reached += c.Visits.Visits
		}
		f.step(c.Rung).Reached += c.Visits.Visits
	case Used:
		f.Used += c.Orders
		f.Given += c.Given
	case UsedRung:
		s := f.step(c.Rung)
		s.Used, s.Given = s.Used+c.Orders, s.Given+c.Given
	default:
		f.Acts[c.Kind] += c.Visits.Visits
	}
}

// Before orders figures for reading: those of which something is known come first, the largest
// effect first, then by what was given away.
func (f *Figures) Before(o *Figures) int {
	weight := func(f *Figures) (bool, money.Minor) {
		if f.Effect.State == Earns || f.Effect.State == Loses {
			return true, max(f.Effect.Mid, -f.Effect.Mid)
		}
		return false, f.Given
	}
	known, much := weight(f)
	other, most := weight(o)
	if known != other {
		if known {
			return -1
		}
		return 1
	}
	return cmp.Compare(most, much)
}

func (f *Figures) step(rung int) *Step {
	i := slices.IndexFunc(f.Rungs, func(s Step) bool { return s.Rung == rung })
	if i < 0 {
		i, f.Rungs = len(f.Rungs), append(f.Rungs, Step{Rung: rung})
	}
	return &f.Rungs[i]
}

// Total are a shop's figures of a period, in one currency.
type Total struct {
	Orders int64
	With   int64 // orders in which some nudge gave something
	Goods  money.Minor
	Given  money.Minor
	Visits Visits // all of them
	Effect Effect // of all nudges together, against visitors who see none
}

// AverageOrder is what an order's goods cost on average; false where there is none.
func (t *Total) AverageOrder() (money.Minor, bool) {
	v := Visits{Orders: t.Orders, Goods: t.Goods}
	return v.AverageOrder()
}

// OfShop sums counts up to a shop's figures, over so many days.
func OfShop(counts []Count, days int) Total {
	var t Total
	apart := pairs{}
	for i := range counts {
		switch c := &counts[i]; c.Kind {
		case Order:
			t.Orders, t.Goods, t.Given = t.Orders+c.Orders, t.Goods+c.Goods, t.Given+c.Given
		case OrderWith:
			t.With += c.Orders
		case Visit:
			t.Visits.Add(&c.Visits)
			if c.Arm == ArmNone {
				apart.of(c.Share).Held.Add(&c.Visits)
			} else {
				apart.of(c.Share).With.Add(&c.Visits)
			}
		}
	}
	t.Effect = apart.compare(days)
	return t
}

// Day is one day of a shop: orders in which some nudge, or the one that is looked at, gave
// something, and the others.
type Day struct {
	Day           time.Time
	With, Without int64
}

// OfDays counts the orders of each day from the first to the last, those without any as well:
// counts of Order, and of OrderWith or of one nudge's Used.
func OfDays(counts []Count, from, to time.Time) []Day {
	var out []Day
	at := map[time.Time]int{}
	for d := from; !d.After(to); d = d.AddDate(0, 0, 1) {
		at[d] = len(out)
		out = append(out, Day{Day: d})
	}
	for i := range counts {
		c := &counts[i]
		k, in := at[c.Day]
		switch {
		case !in:
		case c.Kind == Order:
			out[k].Without += c.Orders
		case c.Kind == OrderWith || c.Kind == Used:
			out[k].With, out[k].Without = out[k].With+c.Orders, out[k].Without-c.Orders
		}
	}
	return out
}

// WeeksBefore is the period that a period is held against: of the same length and the same
// weekdays, right before it.
func WeeksBefore(from, to time.Time) (time.Time, time.Time) {
	days := int(to.Sub(from).Hours()/24+0.5) + 1
	back := (days + 6) / 7 * 7
	return from.AddDate(0, 0, -back), to.AddDate(0, 0, -back)
}

// Comparable tells whether a period can be held against: it has some orders, and on most of its
// days, so that it is not just where a shop began.
func Comparable(before []Day) bool {
	orders, busy := int64(0), 0
	for _, d := range before {
		if n := d.With + d.Without; n > 0 {
			orders, busy = orders+n, busy+1
		}
	}
	return orders >= LeastOrders && 2*busy >= len(before)
}
