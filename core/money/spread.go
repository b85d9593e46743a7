package money

import (
	"fmt"
	"math/bits"
	"slices"
)

// Spread divides total over weights in proportion, by the largest remainder:
// each share is the exact proportion rounded down, and what is left goes, one
// minor unit each, to the largest remainders, ties to the earlier weight.
//
// Weights and total must not be negative and total must not exceed their sum,
// so that no share exceeds its weight. The shares are written to dst, which
// must be as long as weights.
func Spread(dst []Minor, total Minor, weights []Minor) error {
	if len(dst) != len(weights) {
		return fmt.Errorf("room for %d shares, but %d weights", len(dst), len(weights))
	}
	var sum Minor
	for _, w := range weights {
		if w < 0 {
			return fmt.Errorf("a weight of %d is negative", w)
		}
		var err error
		if sum, err = Add(sum, w); err != nil {
			return err
		}
	}
	if total < 0 || total > sum {
		return fmt.Errorf("%d cannot be spread over %d", total, sum)
	}
	clear(dst)
	if total == 0 {
		return nil
	}
	var room [32]remainder
	rest := room[:0]
	left := total
	for i, w := range weights {
		q, r := part(total, w, sum)
		dst[i] = q
		left -= q
		if r > 0 {
			rest = append(rest, remainder{r, i})
		}
	}
	if left == 0 {
		return nil
	}
	slices.SortFunc(rest, func(a, b remainder) int {
		if a.rest != b.rest {
			if a.rest > b.rest {
				return -1
			}
			return 1
		}
		return a.index - b.index
	})
	for _, r := range rest[:left] {
		dst[r.index]++
	}
	return nil
}

// ShareOf is the sum of the shares of some weights, those marked in of, when total is
// spread over all as [Spread] does. It asks of its arguments what Spread asks, and
// does not check it. rests is room for as many numbers as there are weights.
func ShareOf(total Minor, weights []Minor, of []bool, rests []uint64) Minor {
	var sum Minor
	for _, w := range weights {
		sum += w
	}
	if total == 0 || sum == 0 {
		return 0
	}
	var out Minor
	left := total
	for i, w := range weights {
		q, r := part(total, w, sum)
		if rests[i] = r; of[i] {
			out += q
		}
		left -= q
	}
	if left == 0 {
		return out
	}
	for i, r := range rests {
		if !of[i] || r == 0 {
			continue
		}
		// One more is due where fewer than left remainders go before this one.
		var before Minor
		for j, o := range rests {
			if o > r || o == r && j < i {
				before++
			}
		}
		if before < left {
			out++
		}
	}
	return out
}

// part is total · weight ÷ sum, rounded down, and what remains; total is at most sum.
func part(total, weight, sum Minor) (Minor, uint64) {
	if total|weight < 1<<31 {
		p := uint64(total) * uint64(weight)
		q := p / uint64(sum)
		return Minor(q), p - q*uint64(sum)
	}
	hi, lo := bits.Mul64(uint64(total), uint64(weight))
	q, r := bits.Div64(hi, lo, uint64(sum)) // hi < sum because total ≤ sum
	return Minor(q), r
}

type remainder struct {
	rest  uint64
	index int
}
