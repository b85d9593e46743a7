// Package rehearse keeps what a merchant expects of a made-up visit, and tells how a decision
// differs from it.
package rehearse

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// Expected is what of a decision a saved visit is held against: what the order costs, what is
// given with it, and what the shopper is told.
type Expected struct {
	Currency money.Currency `json:"currency"`
	Before   money.Minor    `json:"before"` // goods before nudges
	Goods    money.Minor    `json:"goods"`  // after them
	Fee      *money.Minor   `json:"fee,omitempty"`
	ToPay    money.Minor    `json:"to_pay"`
	Given    []Given        `json:"given"`
	Codes    []Code         `json:"codes,omitempty"`
	Said     []Said         `json:"said"`
	// Without is what the visit's cart asks for and cannot have, in words.
	Without []string `json:"without,omitempty"`
	// Refused is why the visit could not be decided at all; the rest is then empty.
	Refused string `json:"refused,omitempty"`
}

// Given is what a nudge takes off, or the gifts that it puts in.
type Given struct {
	Nudge string      `json:"nudge"`
	Text  string      `json:"text"`
	Worth money.Minor `json:"worth"`
}

// Code is what became of an entered code.
type Code struct {
	Code  string `json:"code"`
	State string `json:"state"`
}

// Said is a sentence and the places that it shows in.
type Said struct {
	Nudge  string            `json:"nudge"`
	Text   string            `json:"text"`
	Places []nudge.Placement `json:"places"`
}

// Of is what a decision amounts to.
func Of(d *decide.Decision) Expected {
	e := Expected{Currency: d.Currency, Before: d.Before, Goods: d.Goods, ToPay: d.ToPay, Given: []Given{}, Said: []Said{}}
	if d.Shipping != nil {
		e.Fee = &d.Shipping.Fee
	}
	for _, r := range d.Rewards {
		e.Given = append(e.Given, Given{r.Nudge, r.Text, r.Amount})
	}
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			e.Given = append(e.Given, Given{g.Nudge, it.Label, it.Unit * it.Quantity})
		}
	}
	for _, c := range d.Codes {
		e.Codes = append(e.Codes, Code{c.Code, c.State})
	}
	for _, s := range d.Says {
		said := Said{Nudge: s.Nudge, Text: strings.TrimSpace(s.Text)}
		for p, ids := range d.Shown {
			if slices.Contains(ids, s.Nudge) {
				said.Places = append(said.Places, p)
			}
		}
		slices.Sort(said.Places)
		e.Said = append(e.Said, said)
	}
	return e
}

// Difference is one thing that is not as expected. An empty side means that there is no such
// thing.
type Difference struct {
	About Aspect `json:"about"`
	Nudge string `json:"nudge,omitempty"` // the one that it is about
	Was   string `json:"was"`
	Is    string `json:"is"`
}

// Aspect is what a difference is about.
type Aspect string

// The aspects, in the order in which they are told.
const (
	Decided  Aspect = "decided"
	OfCart   Aspect = "cart"
	ToPay    Aspect = "to_pay"
	Before   Aspect = "before"
	Goods    Aspect = "goods"
	Shipping Aspect = "shipping"
	Gives    Aspect = "given"
	OfCode   Aspect = "code"
	Says     Aspect = "said"
)

// Differences tells how what is differs from what is expected; amounts are written as in
// locale.
func (e *Expected) Differences(is *Expected, locale string) []Difference {
	out := []Difference{}
	differ := func(about Aspect, nudge, was, now string) {
		if was != now {
			out = append(out, Difference{about, nudge, was, now})
		}
	}
	if differ(Decided, "", e.Refused, is.Refused); len(out) > 0 {
		return out
	}
	differ(OfCart, "", strings.Join(e.Without, " "), strings.Join(is.Without, " "))
	amount := func(m money.Minor, c money.Currency) string {
		return money.Format(money.Amount{Minor: m, Currency: c}, locale)
	}
	fee := func(x *Expected) string {
		if x.Fee == nil {
			return ""
		}
		return amount(*x.Fee, x.Currency)
	}
	differ(ToPay, "", amount(e.ToPay, e.Currency), amount(is.ToPay, is.Currency))
	differ(Before, "", amount(e.Before, e.Currency), amount(is.Before, is.Currency))
	differ(Goods, "", amount(e.Goods, e.Currency), amount(is.Goods, is.Currency))
	differ(Shipping, "", fee(e), fee(is))

	given := func(x *Expected) map[string]string {
		lines := map[string][]string{}
		for _, g := range x.Given {
			lines[g.Nudge] = append(lines[g.Nudge], g.Text+", "+amount(g.Worth, x.Currency))
		}
		return joined(lines)
	}
	pairs(given(e), given(is), func(id, was, now string) { differ(Gives, id, was, now) })
	codes := func(x *Expected) map[string]string {
		states := map[string]string{}
		for _, c := range x.Codes {
			states[c.Code] = c.Code + ": " + strings.ReplaceAll(c.State, "_", " ")
		}
		return states
	}
	pairs(codes(e), codes(is), func(_, was, now string) { differ(OfCode, "", was, now) })
	said := func(x *Expected) map[string]string {
		lines := map[string][]string{}
		for _, s := range x.Said {
			places := make([]string, len(s.Places))
			for i, p := range s.Places {
				places[i] = strings.ReplaceAll(string(p), "_", " ")
			}
			lines[s.Nudge] = append(lines[s.Nudge], strings.Join(places, ", ")+": “"+s.Text+"”")
		}
		return joined(lines)
	}
	pairs(said(e), said(is), func(id, was, now string) { differ(Says, id, was, now) })
	return out
}

func joined(lines map[string][]string) map[string]string {
	out := make(map[string]string, len(lines))
	for id, l := range lines {
		slices.Sort(l)
		out[id] = strings.Join(l, "; ")
	}
	return out
}

// pairs goes through what either side has, in the order of its key.
func pairs(was, now map[string]string, do func(key, was, now string)) {
	keys := slices.Collect(maps.Keys(was))
	for k := range now {
		if _, both := was[k]; !both {
			keys = append(keys, k)
		}
	}
	slices.SortFunc(keys, cmp.Compare[string])
	for _, k := range keys {
		do(k, was[k], now[k])
	}
}
