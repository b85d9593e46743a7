package audience

import (
	"slices"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Truth is a value of three-valued logic. The zero value is false.
type Truth int8

// The values, in the order that and and or take the lesser and the greater of.
const (
	False Truth = iota
	Unknown
	True
)

// String says the value in words.
func (t Truth) String() string { return [...]string{"false", "not known", "true"}[t] }

func truth(b bool) Truth {
	if b {
		return True
	}
	return False
}

// Line is a cart line as conditions see it.
type Line struct {
	Goods    *catalog.Facts // needed where a tree asks for them; see [Tree.Goods]
	Quantity int64
	Amount   money.Minor // before nudges, as shown
	Grams    int64
	GiftCard bool // counts as goods, not as value
}

// Facts is what conditions are judged by. Pointers and nil slices stand for what
// is not known.
type Facts struct {
	Region   string
	Lines    []Line // without gifts
	Codes    []string
	Country  string // empty: no destination
	Postcode string
	Method   string // empty: none chosen

	SignedIn  *bool
	Groups    []string // nil: not known
	Orders    *int64
	LastOrder *time.Time // with Orders known and this nil: never ordered
	Lifetime  *money.Minor
	Bought    []string // product ids, nil: not known

	Campaign map[string]string // utm parameters of the landing URL
	Device   Device            // empty: not known
	Page     string            // kind, empty: not known
	Goods    *catalog.Facts    // what the page shows
	InStock  *bool
	HasImage *bool
	Acts     []Act
	Arms     map[string]string // trial to arm, what this visit was given

	At   time.Time      // zero: not known
	Zone *time.Location // the shop's

	judged   []Truth // of the conditions that trees share: 0, or one more than what was found
	sums     sums    // of the lines
	sumsDone bool
}

// sums is what all lines of a cart come to.
type sums struct {
	value        money.Minor // without gift cards
	units, grams int64
}

func (f *Facts) totals() sums {
	if f.sumsDone {
		return f.sums
	}
	var out sums
	for i := range f.Lines {
		l := &f.Lines[i]
		out.units += l.Quantity
		out.grams += l.Grams
		if !l.GiftCard {
			out.value += l.Amount
		}
	}
	return out
}

// Remember makes conditions that trees of one [Shared] have in common be judged
// once; n is their count. The facts must not change from here on.
func (f *Facts) Remember(n int) {
	f.sums, f.sumsDone = f.totals(), true
	f.judged = slices.Grow(f.judged[:0], n)[:n]
	clear(f.judged)
}

// Reset empties facts for another use of their room.
func (f *Facts) Reset() { *f = Facts{Lines: f.Lines[:0], judged: f.judged[:0]} }
