package decide

import (
	"slices"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/nudge"
)

// madeUpCode stands for the code of a pool that an act would earn.
func madeUpCode(pool string) string { return "EARNED:" + pool }

// Earned is a cart with a code of a pool in it, as if that had been earned.
func (c Cart) Earned(pool string) Cart {
	code := madeUpCode(pool)
	if slices.Contains(c.Codes, code) {
		return c
	}
	c.Codes = append(slices.Clone(c.Codes), code)
	pools := map[string]string{code: pool}
	for code, p := range c.PoolCodes {
		pools[code] = p
	}
	c.PoolCodes = pools
	return c
}

// earning finds what the code would give that an act earns: the rungs that would be
// reached, and what the order costs then. false where it would give nothing.
func (w *work) earning(d *Decision, t *taking, o *NudgeOutcome) bool {
	with, ok := w.pricedCart(w.req.Cart.Earned(t.n.Definition.Audience.Pool))
	if !ok {
		return false
	}
	i := slices.IndexFunc(with.Nudges, func(n NudgeOutcome) bool { return n.Nudge == o.Nudge })
	if i < 0 {
		return false
	}
	var rungs []RungOutcome
	for _, r := range with.Nudges[i].Rungs {
		if r.State == RungReached {
			r.State, r.ToAdd, r.Lasting, r.Reason = RungOpen, nil, nil, string(CodeMissing)
			rungs = append(rungs, r)
		}
	}
	more, toPay := with.ToPay-d.ToPay, with.ToPay
	gifts := len(with.Gifts) > len(d.Gifts) || len(with.Offers) > len(d.Offers)
	if len(rungs) == 0 || more >= 0 && !gifts {
		return false
	}
	if w.byAct == nil {
		w.byAct = map[string]*OfferItem{}
	}
	o.Rungs = rungs[len(rungs)-1:]
	w.byAct[o.Nudge] = &OfferItem{More: &more, ToPay: &toPay}
	return true
}

// earn adds the act that earns what a nudge gives.
func (w *work) earn(t *taking, said *Said) {
	if !t.earns || w.byAct[said.Nudge] == nil {
		return
	}
	d := &t.n.Definition
	said.Earn = &SaidEarn{Act: d.Audience.EarnedBy, Text: d.EarnAnswer(said.Language), No: d.Answers.No[said.Language], Gone: nudge.EarnWordsIn(said.Language).Gone}
	if d.Audience.EarnedBy == audience.LinkShared {
		said.Earn.Share = d.ShareTextIn(said.Language)
	}
}
