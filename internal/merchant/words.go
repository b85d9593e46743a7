package merchant

import (
	"encoding/json"
	"fmt"
	"slices"

	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// wording lays out the languages that are needed, and which of them is looked at.
func (v *benchView) wording(want string) {
	var tags []string
	for _, r := range v.InRegions {
		for _, l := range r.Languages {
			if !slices.Contains(tags, l) {
				tags = append(tags, l)
			}
		}
	}
	needed := len(tags)
	for _, l := range v.D.AllLanguages() {
		if !slices.Contains(tags, l) {
			tags = append(tags, l)
		}
	}
	if len(tags) == 0 {
		tags = []string{"en"}
	}
	v.Language = tags[0]
	if len(v.Region.Languages) > 0 && slices.Contains(tags, v.Region.Languages[0]) {
		v.Language = v.Region.Languages[0]
	}
	if slices.Contains(tags, want) {
		v.Language = want
	}
	if len(v.D.Ladder.Rungs) > 1 {
		v.Ofs = append(v.Ofs, choiceView{Value: "0", Name: "every rung", On: v.Of == 0})
		for i := range v.D.Ladder.Rungs {
			v.Ofs = append(v.Ofs, choiceView{Value: itoa(i + 1), Name: fmt.Sprintf("only rung %d", i+1), On: v.Of == i+1})
		}
	}
	for i, l := range tags {
		v.Languages = append(v.Languages, languageView{l, checks.LanguageName(l), l == v.Language, i < needed && v.D.Wording.Sentence(l, v.firstState()) == ""})
	}
}

// noPlaces is a page that shows next to nothing: which of the nudges would show is not asked.
var noPlaces = []nudge.Placement{nudge.AfterBuy}

// samples shows each sentence with what it would say about the first cart.
func (v *benchView) samples(s *server, n *store.Nudge, shop *app.ShopSnapshot) {
	value := map[nudge.Placeholder]string{}
	if snap, err := s.drafts.get(shop, n); err == nil && v.Region.ID != "" {
		var lines []decide.CartLine
		if json.Unmarshal([]byte(firstCart(snap.Catalog(), &v.D, v.Region, s.app.Now())), &lines) == nil {
			req := decide.Request{Cart: decide.Cart{Lines: lines, Region: v.Region.ID}, Every: true, Moment: decide.Moment{At: s.app.Now(), Locale: v.Language, Placements: noPlaces}}
			if v.InVisit {
				req.Cart.Destination = destinationOf(v.Region)
				req = stations[stationOf(&v.D)].request(req)
			}
			if d, err := decide.Decide(snap, req); err == nil {
				v.sampleValues(d, value)
			}
			if len(lines) > 0 {
				it, _ := snap.Shop.Catalog.Item(lines[0].SKU)
				value[nudge.Product] = it.Product.Title
			}
		}
	}
	sample := map[nudge.Placeholder]string{}
	for _, p := range nudge.Placeholders {
		sample[p.Name] = orElse(value[p.Name], p.Means)
		if p.Name.Number() && !v.D.Ladder.Counts().Countable() {
			continue
		}
		if p.Name == nudge.Product || p.Name.OfOffer() == v.InVisit && !v.D.Notices() || p.Name == nudge.RewardName && !v.D.Notices() {
			v.Slots = append(v.Slots, slotView{string(p.Name), p.Means, sample[p.Name]})
		}
	}
	quiet := map[nudge.State]string{nudge.OneStep: "as “not yet”", nudge.Lost: "as “not yet”", nudge.Outdone: "says nothing then", nudge.Waiting: "says nothing then"}
	nothing := "nothing written yet"
	if v.Of > 0 {
		nothing = "as every rung"
	}
	words := *v.D.WordsOf(v.Of)
	if v.Of > 0 {
		quiet = map[nudge.State]string{}
	}
	for _, st := range nudge.States {
		if !v.speaks(st) && words[v.Language][st] == "" {
			continue
		}
		name := checks.StateName(st)
		if v.Offers && st == nudge.Reached {
			if name = "asks"; v.D.Notices() {
				name = "says"
			}
		}
		if v.D.Audience.EarnedBy != "" && (st == nudge.NotYet || st == nudge.Reached) {
			name = map[nudge.State]string{nudge.NotYet: "asks", nudge.Reached: "with the code"}[st]
		}
		sv := stateView{Forms: v.forms(words, st), State: st, Name: name, Text: words[v.Language][st], Panel: "say-" + string(st), Quiet: orElse(quiet[st], nothing)}
		pieces, _ := nudge.ParseSentence(sv.Text) // stored sentences parse
		for _, p := range pieces {
			if p.Placeholder == "" {
				sv.Pieces = append(sv.Pieces, pieceView{p.Text, false})
				continue
			}
			sv.Pieces = append(sv.Pieces, pieceView{sample[p.Placeholder], true})
		}
		v.States = append(v.States, sv)
	}
}

// speaks tells whether a nudge can come into a state in which it says something.
func (v *benchView) speaks(st nudge.State) bool {
	switch {
	case st == nudge.Reached:
		return true
	case st == nudge.NotYet:
		return !v.Offers || v.D.SaysBefore()
	case st == nudge.Waiting && !v.D.CanWait():
		return false
	}
	return !v.InVisit
}

// forms are the fields for the plural forms of a sentence, where the nudge counts things and
// the language has more than one.
func (v *benchView) forms(words nudge.Wording, st nudge.State) (out []formView) {
	if !v.D.Ladder.Counts().Countable() || v.Offers {
		return nil
	}
	for _, f := range nudge.FormsOf(v.Language) {
		out = append(out, formView{Field: "text." + string(f), Numbers: "For " + checks.FormNames(v.Language, []nudge.Form{f}), Text: words[v.Language][st.With(f)]})
	}
	return out
}

// firstState is the state whose sentence a nudge cannot do without.
func (v *benchView) firstState() nudge.State {
	if v.Offers {
		return nudge.Reached
	}
	return nudge.NotYet
}

func (v *benchView) sampleValues(d decide.Decision, value map[nudge.Placeholder]string) {
	i := slices.IndexFunc(d.Nudges, func(o decide.NudgeOutcome) bool { return o.Nudge == v.N.ID })
	if i < 0 || len(d.Nudges[i].Rungs) == 0 {
		return
	}
	for _, said := range d.Says {
		if said.Nudge != v.N.ID || said.Offer == nil {
			continue
		}
		it := said.Offer.Items[0]
		value[nudge.Offered], value[nudge.InsteadOf], value[nudge.OfferPrice], value[nudge.Difference] = it.Label, it.InsteadLabel, it.Price, it.More
	}
	for _, o := range d.Offers {
		if o.Nudge == v.N.ID && o.Items[0].ToPay != nil {
			value[nudge.OrderTotal] = money.Format(money.Amount{Minor: *o.Items[0].ToPay, Currency: v.Region.Currency}, v.Language)
		}
	}
	defer func() {
		for _, said := range d.Says {
			if said.Nudge == v.N.ID {
				said.Values(v.D.SentenceOf(said.Rung, said.Language, said.State), value)
			}
		}
	}()
	rungs := d.Nudges[i].Rungs
	text := func(r *decide.RungOutcome, n int64) string {
		return nudge.MeasureText(r.Measure, n, v.Region.Currency, v.Language, v.Language)
	}
	missing := func(r *decide.RungOutcome) int64 {
		switch {
		case r.Lasting != nil && *r.Lasting > 0:
			return *r.Lasting
		case r.Gap > 0:
			return r.Gap
		}
		return r.Threshold
	}
	first := &rungs[0]
	value[nudge.ToAdd], value[nudge.Threshold] = text(first, missing(first)), text(first, first.Threshold)
	value[nudge.CartValue], value[nudge.RewardName] = text(first, first.Counted), first.Reward
	if len(rungs) > 1 {
		value[nudge.NextToAdd], value[nudge.NextReward] = text(&rungs[1], missing(&rungs[1])), rungs[1].Reward
	}
}
