package pricing

import "math/bits"

// atLeast tells whether a·b ≥ c·d, in 128 bits, for b and d that are not
// negative.
func atLeast(a, b, c, d int64) bool {
	switch {
	case a < 0 && c >= 0:
		return b == 0 && (c == 0 || d == 0)
	case a >= 0 && c < 0:
		return true
	case a < 0:
		return atLeast(-c, d, -a, b)
	}
	hi, lo := bits.Mul64(uint64(a), uint64(b))
	hi2, lo2 := bits.Mul64(uint64(c), uint64(d))
	return hi > hi2 || hi == hi2 && lo >= lo2
}

// portion returns a·b ÷ c rounded down and the remainder, for 0 ≤ a ≤ c and b ≥ 0.
func portion(a, b, c int64) (int64, uint64) {
	if c == 0 {
		return 0, 0
	}
	hi, lo := bits.Mul64(uint64(a), uint64(b))
	q, r := bits.Div64(hi, lo, uint64(c))
	return int64(q), r
}
