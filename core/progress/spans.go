package progress

import "agonal.dev/agonal/core/money"

// verdict is what holds over a range of additions.
type verdict int

const (
	maybe verdict = iota
	always
	never
)

// certain is what holds over a range of something that holds at its ends, if it
// changes once at most.
func certain(lo, hi bool) verdict {
	switch {
	case lo && hi:
		return always
	case !lo && !hi:
		return never
	}
	return maybe
}

// and is what holds of two things together.
func (v verdict) and(o verdict) verdict {
	switch {
	case v == never || o == never:
		return never
	case v == always && o == always:
		return always
	}
	return maybe
}

// not is what holds of the contrary.
func (v verdict) not() verdict {
	switch v {
	case always:
		return never
	case never:
		return always
	}
	return maybe
}

// span is a range of minor units, both ends possible.
type span struct{ lo, hi money.Minor }

func (a span) plus(b span) span { return span{a.lo + b.lo, a.hi + b.hi} }

// one is a span of a single amount.
func one(m money.Minor) span { return span{m, m} }

// sharesOf bounds the share that an uncapped percentage takes from a line: the
// sum is rounded by at most half a minor unit, of which a line bears its part at
// most, and the share is that rounded down or up.
func sharesOf(rate money.Rate, line money.Minor) span {
	exact := int64(rate) * (line % int64(money.Whole))
	whole := int64(rate) * (line / int64(money.Whole))
	half := int64(money.Whole) / 2
	return span{max(0, whole+floorDiv(exact-half, int64(money.Whole))), whole - floorDiv(-exact-half, int64(money.Whole))}
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// portion is off × weight ÷ base, for a base of at least one minor unit.
func portion(off, weight, base money.Minor) money.Minor {
	m, err := money.MulDiv(off, weight, max(1, base))
	if err != nil {
		return money.Most
	}
	return m
}

// on is the tax on an amount.
func on(rate money.Rate, m money.Minor) money.Minor {
	t, _ := rate.Of(m)
	return t
}

// net is an amount without the tax it includes.
func net(rate money.Rate, m money.Minor) money.Minor {
	t, _ := rate.Within(m)
	return m - t
}
