package lindquill

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/decide"
)

// What the cookie keeps is the cart: sets, plans and gifts at a price among it.
func TestACartIsKeptAndReadAgain(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		word := rapid.StringMatching(`[A-Z0-9-]{1,12}`)
		var lines []decide.CartLine
		for range rapid.IntRange(0, 8).Draw(t, "lines") {
			l := decide.CartLine{SKU: word.Draw(t, "sku"), Quantity: rapid.Int64Range(1, 9999).Draw(t, "quantity")}
			switch rapid.IntRange(0, 5).Draw(t, "kind") {
			case 1:
				l.Origin = &decide.Origin{Kind: decide.FromGift, Nudge: word.Draw(t, "nudge")}
			case 3:
				l.Origin = &decide.Origin{Kind: decide.FromOffer, Nudge: word.Draw(t, "nudge")}
			case 4:
				l.Origin = &decide.Origin{Kind: decide.FromOffer, Nudge: word.Draw(t, "nudge"), Instead: word.Draw(t, "instead")}
			case 2:
				l.Build = &decide.Build{Nudge: word.Draw(t, "nudge"), ID: word.Draw(t, "set")}
			}
			if rapid.Bool().Draw(t, "by a plan") {
				l.Plan = "2 months"
			}
			lines = append(lines, l)
		}
		assert.Equal(t, lines, parseCart(printCart(lines)).Lines)
	})
}

// A form of the cart is about one line, or about a whole set, and never about another.
func TestAFormIsAboutItsOwnLine(t *testing.T) {
	loose := decide.CartLine{SKU: "INK", Quantity: 1}
	gift := decide.CartLine{SKU: "INK", Quantity: 1, Origin: &decide.Origin{Kind: decide.FromGift, Nudge: "n"}}
	first := decide.CartLine{SKU: "INK", Quantity: 1, Build: &decide.Build{Nudge: "n", ID: "1"}}
	second := decide.CartLine{SKU: "WAX", Quantity: 1, Build: &decide.Build{Nudge: "n", ID: "2"}}
	for _, x := range []struct {
		sku, set, gift string
		want           []bool
	}{
		{"INK", "", "", []bool{true, false, false, false}},
		{"INK", "", "n", []bool{false, true, false, false}},
		{"INK", "1", "", []bool{false, false, true, false}},
		{"", "2", "", []bool{false, false, false, true}},
		{"", "", "", []bool{false, false, false, false}},
		{"INK", "2", "", []bool{false, false, false, false}},
	} {
		var is []bool
		for _, l := range []decide.CartLine{loose, gift, first, second} {
			is = append(is, on(&l, x.sku, x.set, x.gift))
		}
		assert.Equal(t, x.want, is, "%+v", x)
	}
	assert.Equal(t, "3", freeSet([]decide.CartLine{first, second}))
}
