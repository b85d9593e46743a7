package decide

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// amount writes a number in its measure's unit.
func (w *work) amount(m nudge.Measure, n int64, language string) string {
	return nudge.MeasureText(m, n, w.region.Currency, language, w.tongue.Locale)
}

func (w *work) money(m money.Minor) string {
	return money.Format(money.Amount{Minor: m, Currency: w.region.Currency}, w.tongue.Locale)
}

func (w *work) says(d *Decision, c *snapshot.Compiled, o *NudgeOutcome, st standing, language string, pieces []nudge.Piece) Said {
	r := &o.Rungs[st.rung]
	value := func(p nudge.Placeholder) (string, bool) {
		switch p {
		case nudge.Product:
			return w.product(d, w.taken(c.ID))
		case nudge.Offered, nudge.InsteadOf, nudge.OfferPrice, nudge.Difference, nudge.OrderTotal:
			item := w.byAct[c.ID]
			if item == nil {
				item = firstOf(d, c.ID, language)
			}
			return w.offerSays(item, p, language)
		case nudge.Threshold:
			return w.amount(r.Measure, r.Threshold, language), true
		case nudge.CartValue:
			return w.amount(r.Measure, r.Counted, language), true
		case nudge.ThresholdNumber:
			return strconv.FormatInt(r.Threshold, 10), r.Measure.Countable()
		case nudge.CartNumber:
			return strconv.FormatInt(r.Counted, 10), r.Measure.Countable()
		case nudge.ToAddNumber:
			missing, ok := r.missing()
			return strconv.FormatInt(missing, 10), ok && r.Measure.Countable() && st.state != nudge.Reached && st.state != nudge.Waiting
		case nudge.RewardName:
			text := w.reward(c, r, language)
			if r.State == RungReached {
				text = w.rewardGiven(c, r, language)
			}
			return text, text != "" // a notice gives nothing
		case nudge.ToAdd:
			missing, ok := r.missing()
			return w.amount(r.Measure, missing, language), ok && st.state != nudge.Reached && st.state != nudge.Waiting
		}
		for i := st.rung + 1; i < len(o.Rungs); i++ {
			next := &o.Rungs[i]
			missing, ok := next.missing()
			switch {
			case !ok:
			case p == nudge.NextToAdd:
				return w.amount(next.Measure, missing, language), true
			case p == nudge.NextToAddNumber:
				return strconv.FormatInt(missing, 10), next.Measure.Countable()
			case p == nudge.NextReward:
				return w.reward(c, next, language), true
			}
		}
		return "", false
	}
	out := Said{
		Nudge: o.Nudge, Revision: o.Revision, Rung: r.Rung, State: st.state, Newly: st.newly, Language: language, RTL: w.s.Shop.Settings.Theme.IsRightToLeft(language),
		Pieces: fill(pieces, value), Look: c.Definition.Look, Progress: w.progress(o),
	}
	n := 0
	for _, p := range out.Pieces {
		n += len(p.Text)
	}
	var text strings.Builder
	text.Grow(n)
	for _, p := range out.Pieces {
		text.WriteString(p.Text)
	}
	out.Text = text.String()
	return out
}

// reward names what a rung gives, in the language of a sentence.
func (w *work) reward(n *snapshot.Compiled, r *RungOutcome, language string) string {
	if language == w.tongue.Language {
		return r.Reward
	}
	return w.rewardsText(n, r.Rung, language)
}

// rewardGiven names what of a reached rung is given; all of it where that is nothing,
// since there was nothing left to give.
func (w *work) rewardGiven(c *snapshot.Compiled, r *RungOutcome, language string) string {
	if len(c.Definition.Ladder.Rungs[r.Rung].Rewards) == 1 {
		return w.reward(c, r, language)
	}
	var given []nudge.Class
	for _, g := range w.given(nil) {
		if g.Nudge == c.ID && g.Rung == r.Rung {
			given = append(given, nudge.ClassOf(nudge.ClassName(g.Class)))
		}
	}
	return w.rewardsOf(c, r.Rung, language, func(class nudge.Class) bool {
		return len(given) == 0 || class >= nudge.GiftClass || slices.Contains(given, class)
	})
}

// rewardsOf names those of a rung's rewards whose class is kept; all of them where
// none is.
func (w *work) rewardsOf(c *snapshot.Compiled, rung int, language string, keep func(nudge.Class) bool) string {
	all := c.Definition.Ladder.Rungs[rung].Rewards
	if len(all) == 1 {
		return w.rewardsText(c, rung, language)
	}
	var some []nudge.Reward
	for _, r := range all {
		if keep(r.Kind.Class()) {
			some = append(some, r)
		}
	}
	if len(some) == 0 || len(some) == len(all) {
		return w.rewardsText(c, rung, language)
	}
	t := w.tongue
	t.Language = language
	return nudge.RewardsText(some, snapshot.Voice(&w.s.Shop, w.region, t))
}

// rewardsText names what a rung gives.
func (w *work) rewardsText(n *snapshot.Compiled, rung int, language string) string {
	if w.tongue.At >= 0 && language == w.tongue.Language {
		rungs := n.Blueprints[w.at].Rungs
		for i := range rungs {
			if rungs[i].Rung == rung {
				return rungs[i].Says[w.tongue.At]
			}
		}
	}
	t := w.tongue
	t.Language = language
	return nudge.RewardsText(n.Definition.Ladder.Rungs[rung].Rewards, snapshot.Voice(&w.s.Shop, w.region, t))
}

// partOf says how much of something is there.
var partOf = map[string]string{"en": "%[1]s of %[2]s", "de": "%[1]s von %[2]s", "pl": "%[1]s z %[2]s", "ja": "%[2]s中%[1]s"}

func (w *work) progress(o *NudgeOutcome) Progress {
	top := o.Rungs[len(o.Rungs)-1]
	p := Progress{Most: top.Threshold, Value: min(top.Counted, top.Threshold), Marks: make([]Mark, 0, len(o.Rungs))}
	for _, r := range o.Rungs {
		p.Marks = append(p.Marks, Mark{At: r.Threshold, Reached: r.State == RungReached, Label: r.Reward, Goal: w.amount(r.Measure, r.Threshold, w.tongue.Language)})
	}
	of, ok := partOf[w.tongue.Language]
	if !ok {
		of = partOf["en"]
	}
	p.Text = fmt.Sprintf(of, w.amount(top.Measure, top.Counted, w.tongue.Language), w.amount(top.Measure, top.Threshold, w.tongue.Language))
	return p
}

// Values adds to a map what the placeholders of a sentence stand for in what was said by it,
// where all of it was said.
func (s *Said) Values(sentence string, into map[nudge.Placeholder]string) {
	pieces, err := nudge.ParseSentence(sentence)
	var names []nudge.Placeholder
	for _, p := range pieces {
		if p.Placeholder != "" {
			names = append(names, p.Placeholder)
		}
	}
	var values []string
	for _, w := range s.Pieces {
		if w.Strong {
			values = append(values, w.Text)
		}
	}
	if err != nil || len(names) != len(values) {
		return
	}
	for i, name := range names {
		into[name] = values[i]
	}
}

// fill puts values in the place of placeholders. A sentence of the text that
// holds a placeholder with no value (such as the next reward on the last rung)
// is left out whole.
func fill(pieces []nudge.Piece, value func(nudge.Placeholder) (string, bool)) []Words {
	out := make([]Words, 0, len(pieces)+2)
	begin, whole := 0, true // of the present sentence
	flush := func() {
		if !whole {
			out = out[:begin]
		}
		begin, whole = len(out), true
	}
	for _, p := range pieces {
		if p.Placeholder != "" {
			v, ok := value(p.Placeholder)
			whole = whole && ok
			out = append(out, Words{Text: v, Strong: true})
			continue
		}
		rest := p.Text
		for rest != "" {
			end := sentenceEnd(rest)
			out = append(out, Words{Text: rest[:end]})
			if end < len(rest) || endsSentence(rest) {
				flush()
			}
			rest = rest[end:]
		}
	}
	flush()
	return out
}

// sentenceEnd returns the length of the first sentence of s with the spaces
// that follow it, or all of s.
func sentenceEnd(s string) int {
	for i, r := range s {
		switch r {
		case '。', '！', '？':
			return i + len(string(r))
		case '.', '!', '?':
			if rest := s[i+1:]; strings.HasPrefix(rest, " ") {
				return i + 1 + len(rest) - len(strings.TrimLeft(rest, " "))
			}
		}
	}
	return len(s)
}

func endsSentence(s string) bool {
	s = strings.TrimRight(s, " ")
	for _, end := range []string{".", "!", "?", "。", "！", "？"} {
		if strings.HasSuffix(s, end) {
			return true
		}
	}
	return false
}
