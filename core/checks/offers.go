package checks

import (
	"fmt"
	"slices"
	"strings"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
)

// offers looks at what is offered by a rule: goods that have no next size get no offer.
func (f *finder) offers(r *catalog.Region) {
	for i := range f.d.Ladder.Rungs {
		for j := range f.d.Ladder.Rungs[i].Rewards {
			reward := &f.d.Ladder.Rungs[i].Rewards[j]
			if reward.Choose == nudge.NextSize {
				f.nextSizes(r, nudge.RewardField(i, j))
			}
			if reward.Choose == nudge.BoughtTogether && len(reward.Items) == 0 {
				f.doubt(nudge.RewardField(i, j), "Where past orders do not tell yet what is bought together nothing is shown; choose some by hand besides.")
			}
		}
	}
}

// sizesKey names what is known of the next sizes of a scope in a region.
type sizesKey struct{ scope, region string }

// sizes is how it stands with the next sizes of goods: whether any has one, and which have
// none.
type sizes struct {
	some bool
	none []string
}

func (f *finder) nextSizes(r *catalog.Region, field string) {
	l := &f.d.Ladder
	found := catalog.Keep(f.c.Catalog, sizesKey{l.Scope.Key(), r.ID}, f.c.Now, func() sizes { return f.sizes(r) })
	const named = 2
	switch none := found.none; {
	case !found.some:
		f.stop(field, "Nothing that it counts has a next size in %s; count smaller sizes, or choose by hand.", r.Name)
	case len(none) > named:
		f.doubt(field, "%s and %d more have no next size in %s: no offer there.", strings.Join(none[:named], "; "), len(none)-named, r.Name)
	case len(none) > 0:
		f.doubt(field, "No next size in %s, so no offer there: %s.", r.Name, strings.Join(none, "; "))
	}
}

func (f *finder) sizes(r *catalog.Region) (out sizes) {
	for i := range f.c.Catalog.Products {
		p := &f.c.Catalog.Products[i]
		for k := range p.Variants {
			it := catalog.Item{Product: p, Variant: &p.Variants[k]}
			price, sold := it.Variant.PriceIn(r.Currency, "", f.c.Now)
			if facts := catalog.FactsOf(it, price, r.ID); !sold || p.GiftCard || !f.d.Ladder.Holds(&facts) {
				continue
			}
			next, ok := it.NextSize(r.Currency, f.c.Now)
			if ok = ok && (next.Stock == nil || *next.Stock > 0); !ok {
				out.none = append(out.none, it.Label())
			}
			out.some = out.some || ok
		}
	}
	return out
}

// offerWords looks for the one sentence that an offer needs, and whether it says what taking
// it costs.
func (f *finder) offerWords(needed []string) {
	any := false
	for _, l := range f.d.Wording.Languages() {
		text := f.d.Wording.Sentence(l, nudge.Reached)
		any = any || text != ""
		told := slices.ContainsFunc([]nudge.Placeholder{nudge.Difference, nudge.OfferPrice, nudge.OrderTotal}, func(p nudge.Placeholder) bool {
			return strings.Contains(text, "{"+string(p)+"}")
		})
		if text != "" && !told && !f.d.Notices() && !f.d.Accompanies() {
			f.doubt(fmt.Sprintf("wording.%s.%s", l, nudge.Reached), "The %s sentence does not say what it costs; put {difference} in.", LanguageName(l))
		}
	}
	if !any {
		f.stop("wording", "It has no sentence that asks; write one for “%s”.", StateName(nudge.Reached))
		return
	}
	for _, l := range needed {
		if f.d.Wording.Sentence(l, nudge.Reached) == "" {
			f.doubt(fmt.Sprintf("wording.%s.%s", l, nudge.Reached), "%s has no sentence that asks; shoppers there read another language.", LanguageName(l))
		}
	}
}

// dialogs points out another live nudge that opens a dialog at the same moment.
func (f *finder) dialogs() {
	if !slices.Contains(f.d.Placements, nudge.Dialog) {
		return
	}
	for _, o := range f.c.Others {
		d := &o.Definition
		if slices.Contains(d.Placements, nudge.Dialog) && d.Moment == f.d.Moment && sharesRegion(f.d.Audience.Regions, d.Audience.Regions) {
			f.doubt("moment", "“%s” is live and opens a dialog at the same moment; a shopper meets one of them at a time.", d.Name)
		}
	}
}
