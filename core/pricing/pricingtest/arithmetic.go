package pricingtest

import (
	"math/big"
	"sort"

	"agonal.dev/agonal/core/money"
)

// A second, slow implementation of the rules, written from their description
// alone: every claim of every unit, every way to put claimed units into sets,
// every set of order and shipping rungs with every method, filtered by what is
// allowed. It shares no arithmetic with the search.

func round(num, den *big.Int) int64 {
	two := big.NewInt(2)
	n := new(big.Int).Add(new(big.Int).Mul(num, two), den)
	return n.Quo(n, new(big.Int).Mul(den, two)).Int64()
}

func share(rate money.Rate, m int64) int64 {
	return round(new(big.Int).Mul(big.NewInt(int64(rate)), big.NewInt(m)), big.NewInt(1_000_000))
}

func contained(rate money.Rate, m int64) int64 {
	return round(new(big.Int).Mul(big.NewInt(int64(rate)), big.NewInt(m)), big.NewInt(1_000_000+int64(rate)))
}

// spread gives the whole parts first, then one each to the largest remainders.
func spread(total int64, weights []int64) []int64 {
	var sum int64
	for _, w := range weights {
		sum += w
	}
	type rest struct {
		index int
		left  *big.Rat
	}
	out := make([]int64, len(weights))
	var rests []rest
	given := int64(0)
	for i, w := range weights {
		exact := big.NewRat(total*w, max(sum, 1))
		out[i] = new(big.Int).Quo(exact.Num(), exact.Denom()).Int64()
		given += out[i]
		rests = append(rests, rest{i, new(big.Rat).Sub(exact, new(big.Rat).SetInt64(out[i]))})
	}
	sort.SliceStable(rests, func(a, b int) bool { return rests[a].left.Cmp(rests[b].left) > 0 })
	for k := range int(total - given) {
		out[rests[k].index]++
	}
	return out
}
