// Package trial is about comparing visitors with others who were treated otherwise, at
// random: who belongs to which share, how long it takes until a difference can be told, and
// what can be said of it at any look. Money stays in whole minor units; statistics are
// floats, and never become a price.
package trial

import (
	"crypto/sha256"
	"encoding/binary"

	"agonal.dev/agonal/core/money"
)

// Point places a visitor in what is being compared, evenly from 0 up to and without
// [money.Whole]: the same at every time and on every page, and unrelated to where the
// visitor stands in any other comparison. Both names together should have at most 500 bytes; longer ones work, too, and cost an allocation.
func Point(name, visitor string) money.Rate {
	var b [512]byte
	in := append(b[:0], name...)
	in = append(in, 0)
	in = append(in, visitor...)
	sum := sha256.Sum256(in)
	return money.Rate(binary.BigEndian.Uint64(sum[:8]) % uint64(money.Whole))
}

// Within tells whether a visitor belongs to the first share of a comparison. Somebody who is
// in it stays in it while the share grows.
func Within(name, visitor string, share money.Rate) bool {
	return share > 0 && Point(name, visitor) < share
}

// Name is what a trial is called where visitors are placed in it.
func Name(id string) string { return "trial:" + id }

// Arm names an arm of a trial: what was there before, or the other one.
func Arm(id string, other bool) string {
	if other {
		return id + ":B"
	}
	return id + ":A"
}
