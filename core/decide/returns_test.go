package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// given are the nudges that gave something with a decision.
func given(shop snapshot.Shop, d decide.Decision) (out []snapshot.Live) {
	for _, n := range shop.Nudges {
		gave := false
		for _, g := range d.Rewards {
			gave = gave || g.Nudge == n.ID
		}
		for _, g := range d.Gifts {
			gave = gave || g.Nudge == n.ID
		}
		if gave {
			out = append(out, n)
		}
	}
	return out
}

func refund(t require.TestingT, shop snapshot.Shop, r decide.Request, p decide.Placed, now []int64) decide.Refunds {
	then, err := decide.AsPlaced(shop, &p.Decision, given(shop, p.Decision))
	require.NoError(t, err)
	s, err := snapshot.Compile(then)
	require.NoError(t, err)
	out, err := decide.Refund(s, p, now, r)
	require.NoError(t, err)
	return out
}

// 4 × 14.00 and 41.00 make 97.00: shipping (5.90) is free from 60.00, a blotter of 7.00
// comes from 95.00.
func TestWhatGoesBackForGoodsThatComeBack(t *testing.T) {
	goods := decidetest.Goods(t, map[string]money.Minor{"ink": 1400, "pen": 4100, "blotter": 700})
	shop := decidetest.Snapshot(t, 590, goods,
		snapshot.Live{ID: "free", Priority: 1, Definition: decidetest.Ladder("Free", nudge.BeforeNudges, decidetest.Rung(6000, decidetest.Free))},
		snapshot.Live{ID: "gift", Priority: 2, Definition: decidetest.Ladder("Gift", nudge.BeforeNudges, decidetest.Rung(9500, nudge.Reward{Kind: nudge.Gift, Items: []nudge.Item{{SKU: "blotter"}}}))}).Shop
	s, err := snapshot.Compile(shop)
	require.NoError(t, err)
	r := decide.Request{Cart: decidetest.Cart(line{SKU: "ink", Quantity: 4}, line{SKU: "pen", Quantity: 1})}
	d := must(t, s, r)
	require.Equal(t, money.Minor(9700), d.ToPay)
	p := decide.Placed{Decision: d, ToPay: d.ToPay, Back: []int64{0, 0}}

	one := refund(t, shop, r, p, []int64{1, 0}) // 83.00 stay
	assert.Equal(t, []money.Minor{1400, 700, 1400}, []money.Minor{one.Keep, one.Charge, one.Recompute})
	require.Len(t, one.Lost, 1)
	assert.Equal(t, "blotter", one.Lost[0].Item.SKU)
	assert.Equal(t, []string{"gift"}, one.Gone)

	pen := refund(t, shop, r, p, []int64{0, 1}) // 56.00 stay, and would have cost 5.90 to send
	assert.Equal(t, []money.Minor{4100, 3400, 3510}, []money.Minor{pen.Keep, pen.Charge, pen.Recompute})
	assert.Equal(t, []string{"free", "gift"}, pen.Gone)

	all := refund(t, shop, r, p, []int64{4, 1})
	assert.True(t, all.All)
	assert.Equal(t, []money.Minor{9700, 9700, 9700}, []money.Minor{all.Keep, all.Charge, all.Recompute})

	p.Back, p.Refunded = []int64{1, 0}, 700 // an ink came back before, and the gift was charged for it
	rest := refund(t, shop, r, p, []int64{3, 1})
	assert.Equal(t, money.Minor(9000), rest.Keep, "what is left of it")
	_, err = decide.Refund(s, p, []int64{4, 0}, r)
	assert.Error(t, err, "more than were bought")
}

// However goods come back, no refund is below zero, and together they are what was paid.
func TestRefundsAddUpToWhatWasPaid(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		if passes(t) {
			return
		}
		shop, r := decidetest.Random(t)
		r.Trace = false
		_, d := decideOn(t, shop, r)
		if len(d.Lines) == 0 {
			return
		}
		p := decide.Placed{Decision: d, ToPay: d.ToPay, Back: make([]int64, len(d.Lines))}
		for range 8 {
			now, last := make([]int64, len(d.Lines)), true
			for i, l := range d.Lines {
				now[i] = rapid.Int64Range(0, l.Quantity-p.Back[i]).Draw(t, "back")
				last = last && p.Back[i]+now[i] == l.Quantity
			}
			out := refund(t, shop, r, p, now)
			for _, m := range []money.Minor{out.Keep, out.Charge, out.Recompute} {
				if m < 0 || m > d.ToPay-p.Refunded {
					dump(t, shop, r)
					t.Fatalf("refund %d of %d, %d refunded before", m, d.ToPay, p.Refunded)
				}
			}
			p.Refunded += rapid.SampledFrom([]money.Minor{out.Keep, out.Charge, out.Recompute}).Draw(t, "choice")
			for i := range now {
				p.Back[i] += now[i]
			}
			if last {
				assert.Equal(t, d.ToPay, p.Refunded, "everything came back")
				return
			}
		}
	})
}
