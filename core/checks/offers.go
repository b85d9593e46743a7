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
			if reward.Kind == nudge.Companions && len(reward.Items) == 0 && (reward.Choose == nudge.SameCollection || reward.Choose == nudge.SameOption) {
				f.companions(r, reward, nudge.RewardField(i, j))
			}
			if reward.Choose == nudge.BoughtTogether && len(reward.Items) == 0 {
				f.doubt(nudge.RewardField(i, j), "Where past orders do not tell yet what is bought together nothing is shown; choose some by hand besides.")
			}
		}
	}
}

// sizesKey names what is known of the next sizes of a scope in a region.
type sizesKey struct{ scope, region string }

// goWithKey names what is known of the companions of a scope in a region.
type goWithKey struct {
	scope, region string
	choose        nudge.Choose
	alike         string
}

// having is how it stands with goods that should have a next size or companions: whether
// any has, and which have none.
type having struct {
	some bool
	none []string
}

// companions looks for goods that nothing goes with by the rule, and none was chosen by hand.
func (f *finder) companions(r *catalog.Region, reward *nudge.Reward, field string) {
	key := goWithKey{f.d.Ladder.Scope.Key(), r.ID, reward.Choose, reward.Alike}
	found := catalog.Keep(f.c.Catalog, key, f.c.Now, func() having {
		sold := func(it catalog.Item) bool {
			_, sold := it.Variant.PriceIn(r.Currency, "", f.c.Now)
			return sold && (it.Variant.Stock == nil || *it.Variant.Stock > 0)
		}
		return f.having(r, func(main catalog.Item) bool {
			return slices.ContainsFunc(reward.Like(f.c.Catalog, main), func(p *catalog.Product) bool {
				for i := range p.Variants {
					if it := (catalog.Item{Product: p, Variant: &p.Variants[i]}); reward.GoTogether(main, it) && sold(it) {
						return true
					}
				}
				return false
			})
		})
	})
	switch none := found.none; {
	case !found.some:
		f.stop(field, "Nothing goes by this rule with what it counts in %s; choose another rule, or choose by hand.", r.Name)
	case len(none) > named:
		f.doubt(field, "Nothing goes with %s and %d more in %s: no block there. Choose some by hand besides.", strings.Join(none[:named], "; "), len(none)-named, r.Name)
	case len(none) > 0:
		f.doubt(field, "Nothing goes with %s in %s: no block there. Choose some by hand besides.", strings.Join(none, "; "), r.Name)
	}
}

// named is how many goods a finding names.
const named = 2

func (f *finder) nextSizes(r *catalog.Region, field string) {
	l := &f.d.Ladder
	found := catalog.Keep(f.c.Catalog, sizesKey{l.Scope.Key(), r.ID}, f.c.Now, func() having {
		return f.having(r, func(it catalog.Item) bool {
			next, ok := it.NextSize(r.Currency, f.c.Now)
			return ok && (next.Stock == nil || *next.Stock > 0)
		})
	})
	switch none := found.none; {
	case !found.some:
		f.stop(field, "Nothing that it counts has a next size in %s; count smaller sizes, or choose by hand.", r.Name)
	case len(none) > named:
		f.doubt(field, "%s and %d more have no next size in %s: no offer there.", strings.Join(none[:named], "; "), len(none)-named, r.Name)
	case len(none) > 0:
		f.doubt(field, "No next size in %s, so no offer there: %s.", r.Name, strings.Join(none, "; "))
	}
}

// having asks of all goods that are counted and sold in a region whether they have something.
func (f *finder) having(r *catalog.Region, has func(catalog.Item) bool) (out having) {
	for i := range f.c.Catalog.Products {
		p := &f.c.Catalog.Products[i]
		for k := range p.Variants {
			it := catalog.Item{Product: p, Variant: &p.Variants[k]}
			price, sold := it.Variant.PriceIn(r.Currency, "", f.c.Now)
			if facts := catalog.FactsOf(it, price, r.ID); !sold || p.GiftCard || !f.d.Ladder.Holds(&facts) {
				continue
			}
			if has(it) {
				out.some = true
			} else {
				out.none = append(out.none, it.Label())
			}
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
