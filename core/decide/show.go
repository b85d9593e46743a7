package decide

import (
	"slices"

	"agonal.dev/agonal/core/choice"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// OneStepShare is the part of a threshold, one in so many, that may be missing
// for a rung to count as one step away.
const OneStepShare = 10

// NothingToAdd is the reason of a nudge whose open rungs no addition reaches.
const NothingToAdd Reason = "nothing_to_add"

// standing is what a nudge has to say.
type standing struct {
	state  nudge.State
	rung   int // index into NudgeOutcome.Rungs
	newly  bool
	reason Reason
}

// open tells whether what is said asks for something yet.
func (s standing) open() bool { return s.state != nudge.Reached && s.state != nudge.Outdone }

// speaker is a nudge that may show, with what it has to say.
type speaker struct {
	at       int // index into Decision.Nudges
	standing standing
	language string
	pieces   []nudge.Piece
}

// show decides the state of every nudge and fills the placements.
func (w *work) show(d *Decision) {
	candidates := slices.Grow(w.desk.contenders[:0], len(d.Nudges))
	speakers := slices.Grow(w.desk.speakers[:0], len(d.Nudges))
	w.desk.contenders, w.desk.speakers = candidates, speakers
	for i := range d.Nudges {
		o := &d.Nudges[i]
		t := &w.taking[w.told[i]]
		earns := t.earns && w.earning(d, t, o)
		if o.Reason != "" && !earns {
			continue
		}
		st := standing{state: nudge.NotYet}
		if o.Reason = ""; !earns {
			st = w.standing(o, &t.n.Definition)
		}
		st.newly = st.newly && !t.n.Definition.Offers() // nothing was reached
		o.State, o.Reason = st.state, st.reason
		if o.Reason == NothingToAdd && w.hasOffer(d, o.Nudge) {
			o.Reason, st.reason = "", ""
			o.State, st.state, st.rung = nudge.Reached, nudge.Reached, 0
		}
		if at := w.withCompanions(d, o); at >= 0 {
			st = standing{state: nudge.Reached, rung: at}
			o.State, o.Reason = st.state, ""
		}
		if o.Reason != "" {
			continue
		}
		language, pieces := t.n.Sentence(&w.tongue, w.region.Languages, o.Rungs[st.rung].Rung, st.state, things(o, st))
		if o.Reason = w.hidden(d, t, pieces); o.Reason != "" {
			if m := t.n.Definition.Moment; o.Reason == OutsideMoment && !slices.Contains(d.Awaits, m) {
				d.Awaits = append(d.Awaits, m)
			}
			continue
		}
		w.weighOffer(d, o.Nudge)
		w.weighPut(d, t, o.Rungs[st.rung].Rung, language)
		placements := w.asked(t.n.Definition.Placements)
		for _, far := range []struct {
			place nudge.Placement
			is    bool
			why   Reason
		}{{nudge.SetBuilder, w.req.Moment.Page.Set != t.n.ID, Elsewhere}, {nudge.ProductBlock, w.ofOthers(t.n), OtherGoods}} {
			if far.is && slices.Contains(placements, far.place) {
				placements = slices.DeleteFunc(slices.Clone(placements), func(p nudge.Placement) bool { return p == far.place })
				o.Reason = far.why
			}
		}
		if len(placements) == 0 {
			continue
		}
		o.Reason = ""
		turn := int64(-1)
		if t.n.Definition.TakesTurns {
			turn = w.req.Visit.Shows[t.n.ID]
		}
		candidates = append(candidates, choice.Candidate{Turn: turn, Nudge: t.n.ID, Priority: t.n.Priority, Placements: placements, Newly: st.newly, Nearest: len(w.req.Moment.Placements) > 0 && !t.n.Definition.EveryPlace})
		speakers = append(speakers, speaker{i, st, language, pieces})
	}
	candidates, speakers = w.gains(d, candidates, speakers)
	placed, picked := make([]bool, len(speakers)), choice.Pick(candidates, func(p nudge.Placement) int { return w.s.Listed(p) })
	d.Says, d.Shown = make([]Said, 0, min(len(speakers), len(picked))), make(map[nudge.Placement][]string, len(picked))
	for p, list := range picked {
		ids := make([]string, len(list))
		for n, i := range list {
			ids[n], placed[i] = candidates[i].Nudge, true
		}
		d.Shown[p] = ids
	}
	for i, s := range speakers {
		if o := &d.Nudges[s.at]; placed[i] {
			t := &w.taking[w.told[s.at]]
			said := w.says(d, t.n, o, s.standing, s.language, s.pieces)
			w.offer(t, d, &said)
			w.notice(t, &said)
			w.earn(t, &said)
			w.pieces(t, d, &said)
			w.builder(t, d, &said)
			w.block(t, d, &said)
			if said.Offer != nil || s.standing.open() {
				r := &o.Rungs[s.standing.rung]
				said.Band = BandOf(r.Gap, r.Threshold)
			}
			d.Says = append(d.Says, said)
		} else {
			o.Reason = AnotherShows
		}
	}
}

// quiet tells whether a dialog was open so lately that no other may open yet.
func (w *work) quiet() bool {
	since := w.req.Visit.SinceDialog
	return since != nil && *since < int64(w.s.Shop.Settings.QuietMinutes)*60
}

// asked leaves of a nudge's placements those that the page has and that may be used now.
func (w *work) asked(placements []nudge.Placement) []nudge.Placement {
	if slices.Contains(placements, nudge.Dialog) && w.quiet() {
		placements = slices.DeleteFunc(slices.Clone(placements), func(p nudge.Placement) bool { return p == nudge.Dialog })
	}
	has := w.req.Moment.Placements
	if len(has) == 0 || !slices.ContainsFunc(placements, func(p nudge.Placement) bool { return !slices.Contains(has, p) }) {
		return placements
	}
	return slices.DeleteFunc(slices.Clone(placements), func(p nudge.Placement) bool { return !slices.Contains(has, p) })
}

// gains works out what showing each candidate is expected to earn, where that
// decides, and leaves out those without a gain that are set to hide then.
func (w *work) gains(d *Decision, candidates []choice.Candidate, speakers []speaker) ([]choice.Candidate, []speaker) {
	if !w.s.Shop.Settings.Weighs() {
		return candidates, speakers
	}
	hides := slices.ContainsFunc(speakers, func(s speaker) bool { return w.taking[w.told[s.at]].n.Definition.HideWithoutGain })
	if !hides && !choice.Contended(candidates) {
		return candidates, speakers
	}
	weighed := 0
	keptC, keptS := candidates[:0], speakers[:0]
	for i, c := range candidates {
		o := &d.Nudges[speakers[i].at]
		if weighed++; weighed <= mostWeighing {
			o.Gain = w.gain(d, o, speakers[i].standing)
		}
		if o.Gain != nil {
			c.Gain = choice.Gain{Profit: o.Gain.Profit, Accepted: o.Gain.Accepted, Shows: o.Gain.Shows}
		}
		if w.taking[w.told[speakers[i].at]].n.Definition.HideWithoutGain && !c.Gain.Positive() && !c.Newly {
			o.Reason = NoGain
			continue
		}
		keptC, keptS = append(keptC, c), append(keptS, speakers[i])
	}
	return keptC, keptS
}

// things is the number of things that a sentence is about: how many are missing, or, once
// it is reached, to what comes next; of an amount or a weight −1.
func things(o *NudgeOutcome, st standing) int64 {
	r := &o.Rungs[st.rung]
	if !r.Measure.Countable() {
		return -1
	}
	if missing, ok := r.missing(); ok {
		return missing
	}
	for i := st.rung + 1; i < len(o.Rungs); i++ {
		if missing, ok := o.Rungs[i].missing(); ok && o.Rungs[i].Measure.Countable() {
			return missing
		}
	}
	return r.Counted
}

// hidden returns the first reason for which a nudge that has something to say
// does not show.
func (w *work) hidden(d *Decision, t *taking, pieces []nudge.Piece) Reason {
	def, id := &t.n.Definition, t.n.ID
	visit := &w.req.Visit
	f := &t.n.Caps
	switch {
	case len(def.Placements) == 0:
		return NoPlace
	case slices.Contains(visit.Dismissed, id):
		return Dismissed
	case slices.Contains(visit.Declined, id), declinedLately(def.DeclinedDays, visit.Remembered[id].SinceDeclined):
		return Declined
	case def.Moment != "" && !w.justNow(def.Moment):
		return OutsideMoment
	case t.n.Gates&snapshot.Paged != 0 && w.req.Moment.Page.Kind != "" && !slices.Contains(def.Audience.Pages, w.req.Moment.Page.Kind):
		return OutsidePage
	case len(w.asked(def.Placements)) == 0:
		if slices.Contains(def.Placements, nudge.Dialog) && w.quiet() {
			return Quiet
		}
		return Elsewhere
	case t.n.Gates&snapshot.Capped != 0 && (over(visit.Shows[id], f.PerVisit) || over(visit.Remembered[id].Today, f.PerDay) || over(max(visit.Remembered[id].Shows, w.req.Usage[id].Shows), f.PerShopper)):
		return ShownEnough
	}
	if r := w.unavailable(t); r != "" {
		return r
	}
	if len(pieces) == 0 {
		return NoWords
	}
	return ""
}

// declinedLately tells whether a shopper declined something so lately that it stays quiet.
func declinedLately(days int64, since *int64) bool {
	return since != nil && *since < days*24*60*60
}

// over tells whether a bound is reached; 0 is none.
func over(n, most int64) bool { return most > 0 && n >= most }

func (w *work) standing(o *NudgeOutcome, d *nudge.Definition) standing {
	before := func(rung int) bool { return slices.Contains(w.req.Visit.Reached, RungRef{o.Nudge, rung}) }
	last, outdone, promised, waiting := -1, -1, promisedOf(o, d), -1
	for i := range o.Rungs {
		switch o.Rungs[i].State {
		case RungReached:
			last = i
		case RungOutdone:
			outdone = i
		case RungWaiting:
			waiting = i
		}
	}
	switch {
	case last >= 0 && !before(o.Rungs[last].Rung):
		return standing{state: nudge.Reached, rung: last, newly: true}
	case waiting >= 0 && hasWords(d, o.Rungs[waiting].Rung, nudge.Waiting):
		return standing{state: nudge.Waiting, rung: waiting}
	case promised >= 0:
		r := &o.Rungs[promised]
		st := standing{state: nudge.NotYet, rung: promised}
		if before(r.Rung) {
			st.state = nudge.Lost
		} else if missing, _ := r.missing(); missing <= r.Threshold/OneStepShare || r.Measure != nudge.Value && missing == 1 {
			st.state = nudge.OneStep
		}
		return st
	case last >= 0 && d.HideWhenReached:
		return standing{state: nudge.Reached, rung: last, reason: HiddenReached}
	case last >= 0:
		return standing{state: nudge.Reached, rung: last}
	case waiting >= 0:
		return standing{state: nudge.Waiting, rung: waiting} // it has no words, and says so
	case outdone >= 0 && hasWords(d, o.Rungs[outdone].Rung, nudge.Outdone):
		return standing{state: nudge.Outdone, rung: outdone}
	case outdone >= 0:
		return standing{reason: BetterInPlace}
	}
	return standing{reason: NothingToAdd}
}

// promisedOf is the place of the rung that a nudge promises next: the first that something
// leads to; of sets that are put together the nearest. −1: none.
func promisedOf(o *NudgeOutcome, d *nudge.Definition) int {
	at := -1
	for i := range o.Rungs {
		if r := &o.Rungs[i]; r.promises() && (at < 0 || d.Built() && r.Gap < o.Rungs[at].Gap) {
			at = i
		}
	}
	return at
}

// missing is what a shopper must add to reach an open rung, in its measure's unit:
// of a value the lasting addition, of anything else the gap.
func (r *RungOutcome) missing() (int64, bool) {
	switch {
	case r.State != RungOpen:
		return 0, false
	case r.Measure != nudge.Value:
		return r.Gap, r.Gap > 0
	case r.Lasting == nil:
		return 0, false
	}
	return *r.Lasting, true
}

func (r *RungOutcome) promises() bool {
	_, ok := r.missing()
	return ok
}

// hasWords tells whether a nudge has words of its own for a rung's state.
func hasWords(d *nudge.Definition, rung int, st nudge.State) bool {
	for _, w := range []nudge.Wording{d.Wording, d.Ladder.Rungs[rung].Wording} {
		for _, states := range w {
			if states[st] != "" {
				return true
			}
		}
	}
	return false
}
