package merchant

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/store"
)

// rehearsalView is a made-up visit, kept whole in the page's address, so that it
// can be reloaded, gone back to and sent to a colleague.
type rehearsalView struct {
	Regions, Pages, Languages, Drafts []choiceView
	Acts, Shoppers, Devices           []choiceView
	Arms                              []armChoice
	trials                            map[string]string // by the nudges that are in them
	Chosen                            bool              // of an arm
	At, Code, Postcode, Groups, Quiet string
	Lines                             []rehearsalLine
	Error                             string
	Refused                           []string
	Decided                           bool
	D                                 decide.Decision
	Cart                              []string // the priced cart in words
	Outcomes                          []outcomeView
	Amount                            func(money.Minor) string
	Ready                             bool         // whether the shop has a region
	Sets                              []choiceView // of which nudge the goods are put together as a set
	Did                               []didView    // what the shopper did so far, in its order
	Anew                              string       // the address of the visit without that
	Kept                              []store.Rehearsal
	Visit                             string // the visit as its address says it
	Name, NameErr                     string // under which it was to be kept
	Region                            catalog.Region
	Locale                            string
}

// didView is something that the shopper did in the visit.
type didView struct {
	Say, Value string
	Without    string // the address of the visit without it
}

type rehearsalLine struct {
	SKU, Name, Price, Quantity, Error string
}

type outcomeView struct {
	ID, Name, Sentence, Why string
	Shows, Draft            bool
	Places                  string
	Part                    string // of the workbench: what decides it
	Acts                    []actView
	Rungs                   []rungOutcomeView
	Steps                   []string
}

// actView is something that the shopper could do with what is shown.
type actView struct{ Say, URL string }

type rungOutcomeView struct {
	Reward, Threshold, Counted, Gap, Lasting, State string
	Open                                            bool
}

func (s *server) rehearsal(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	q := c.QueryParams()
	if put := q.Get("put"); put != "" {
		foldPut(q)
		if !isHTMX(c) {
			return c.Redirect(http.StatusSeeOther, h.url("/rehearsal?"+q.Encode()))
		}
	}
	shop, ns, err := s.toRehearse(c)
	if err != nil {
		return s.fail(c, err)
	}
	v := s.madeUp(h, shop, ns, q)
	if v.Kept, err = s.app.Rehearsals(ctx, h.shop.ID); err != nil {
		return s.fail(c, err)
	}
	if isHTMX(c) && c.Request().Header.Get("HX-History-Restore-Request") == "" {
		c.Response().Header().Set("HX-Push-Url", h.url("/rehearsal?"+q.Encode()))
		return s.renderPart(c, http.StatusOK, "rehearsal", "rehearsal-body", page{Data: v})
	}
	return s.render(c, http.StatusOK, "rehearsal", page{Title: "Rehearsal", Place: "rehearsal", Data: v})
}

// foldPut makes what is put in a line of the cart, so that the address says what
// there is and not what was done.
func foldPut(q url.Values) {
	sku := q.Get("put")
	q.Del("put")
	qty := "qty." + sku
	if !slices.Contains(q["sku"], sku) {
		q.Add("sku", sku)
		q.Set(qty, "1")
		return
	}
	if n := atoi(orElse(q.Get(qty), "1")); n >= 0 {
		q.Set(qty, itoa(n+1))
	}
}

// armChoice is a trial that goes on, and in which of its arms the visit sits.
type armChoice struct {
	Field, Name string
	Choices     []choiceView
}

// sits reads in which arms of trials the visit sits; unless one is chosen it is in none.
func (v *rehearsalView) sits(req *decide.Request, trials []snapshot.Trial, ns []store.Nudge, q url.Values) {
	v.trials = map[string]string{}
	for i, t := range trials {
		v.trials[t.Nudge] = t.ID
		if slices.ContainsFunc(trials[:i], func(o snapshot.Trial) bool { return o.ID == t.ID }) {
			continue // another nudge of the same sets
		}
		arm := armChoice{Field: "arm." + t.ID, Name: t.Nudge}
		for _, n := range ns {
			if n.ID == t.Nudge {
				arm.Name = n.Draft.Name
			}
		}
		usual, other := "A, as it is live", "B, the other revision"
		switch {
		case t.Set:
			arm.Name, usual, other = t.Name, "A, with the set A", "B, with the set B"
		case t.Without:
			other = "B, without it"
		}
		at := q.Get(arm.Field)
		arm.Choices = []choiceView{{Value: "", Name: "in none"}, {Value: "a", Name: usual, On: at == "a"}, {Value: "b", Name: other, On: at == "b"}}
		if at == "a" || at == "b" {
			if req.Arms == nil {
				req.Arms = map[string]bool{}
			}
			req.Arms[t.ID] = at == "b"
			v.Chosen = true
		}
		v.Arms = append(v.Arms, arm)
	}
}

// withDrafts puts the chosen drafts among what is live.
func withDrafts(shop *snapshot.Snapshot, ns []store.Nudge, q url.Values, v *rehearsalView) (*snapshot.Snapshot, map[string]bool, error) {
	drafts := map[string]bool{}
	var put []snapshot.Live
	for _, n := range ns {
		if n.State == store.StateLive && !n.Dirty {
			continue
		}
		on := slices.Contains(q["draft"], n.ID)
		v.Drafts = append(v.Drafts, choiceView{Value: n.ID, Name: n.Draft.Name, On: on})
		if on {
			drafts[n.ID] = true
			put = append(put, snapshot.Live{ID: n.ID, Revision: n.LiveRevision + 1, Priority: n.Priority, Definition: n.Draft})
		}
	}
	snap, err := shop.With(put...)
	return snap, drafts, err
}

func (s *server) moment(h *here, text string, v *rehearsalView) time.Time {
	moment := s.app.Now()
	if text != "" {
		t, err := time.ParseInLocation(dateField, text, h.zone)
		if err != nil {
			v.Error = "The moment could not be read; write a day and time. Now is used instead."
		} else {
			moment = t
		}
	}
	v.At = moment.In(h.zone).Format(dateField)
	return moment
}

// lines reads the cart from the address: sku=… and qty.SKU=…. What cannot be is
// shown as it was typed, with what is wrong, and is not in the cart.
func (v *rehearsalView) lines(q url.Values, cat *catalog.Catalog, region catalog.Region) []decide.CartLine {
	var out []decide.CartLine
	for _, sku := range unique(q["sku"]) {
		it, known := cat.Item(sku)
		if !known {
			v.Refused = append(v.Refused, "The shop has nothing with the SKU “"+clip(sku, 40)+"”.")
			continue
		}
		price, sold := it.Variant.Prices[region.Currency]
		if !sold {
			v.Refused = append(v.Refused, it.Label()+" is not sold in "+region.Name+".")
			continue
		}
		typed := strings.TrimSpace(orElse(q.Get("qty."+sku), "1"))
		n, err := strconv.ParseInt(typed, 10, 64)
		if err == nil && n == 0 {
			continue
		}
		l := rehearsalLine{SKU: sku, Name: it.Label(), Price: v.Amount(price.Price), Quantity: typed}
		if err != nil || n < 0 || n > decide.MostQuantity {
			l.Error = fmt.Sprintf("Write a whole number from 0 to %d.", decide.MostQuantity)
		} else {
			out = append(out, decide.CartLine{SKU: sku, Quantity: n})
		}
		v.Lines = append(v.Lines, l)
	}
	return out
}

// sets lists the nudges whose sets can be put together, and returns the chosen one, if any.
func (v *rehearsalView) sets(snap *snapshot.Snapshot, want string) (chosen *snapshot.Compiled) {
	for i := range snap.Nudges {
		n := &snap.Nudges[i]
		if !n.Definition.Built() {
			continue
		}
		if n.ID == want {
			chosen = n
		}
		v.Sets = append(v.Sets, choiceView{Value: n.ID, Name: n.Definition.Name, On: n.ID == want})
	}
	return chosen
}

func codesOf(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' })
}

// outcomes tells what a decision amounts to, nudge by nudge.
func (v *rehearsalView) outcomes(h *here, drafts map[string]bool, ns []store.Nudge, q url.Values) {
	d := v.D
	steps := map[string][]string{}
	for _, st := range d.Trace {
		about, ofNudge := strings.CutPrefix(st.About, "nudge ")
		if !ofNudge {
			v.Cart = append(v.Cart, st.Say)
			continue
		}
		id, _, _ := strings.Cut(about, ",")
		id, _, _ = strings.Cut(id, " ")
		if !slices.Contains(steps[id], st.Say) { // rungs of a ladder count the same
			steps[id] = append(steps[id], st.Say)
		}
	}
	names := map[string]string{}
	for _, n := range ns {
		names[n.ID] = n.Draft.Name
	}
	for _, o := range d.Nudges {
		w := outcomeView{ID: o.Nudge, Name: orElse(o.Name, names[o.Nudge]), Shows: o.Reason == "", Draft: drafts[o.Nudge]}
		if o.Reason != "" {
			w.Why = upperFirst(decide.Explain(o.Reason)) + "."
			w.Part = h.url("/nudges/" + o.Nudge)
			if trial, tried := v.trials[o.Nudge]; tried && (o.Reason == decide.TrialOnly || o.Reason == decide.HeldOut) {
				w.Part = h.url("/results/trials/" + trial)
			} else if deciding[o.Reason] != "" {
				w.Part += "#part-" + deciding[o.Reason]
			}
		}
		w.Acts = acts(h, q, &d, o.Nudge)
		var places []string
		for _, p := range nudge.Placements {
			for _, sh := range d.In(p) {
				if sh.Nudge == o.Nudge {
					places = append(places, checks.PlacementName(p))
					w.Sentence = sh.Text
				}
			}
		}
		w.Places = list(places)
		for _, r := range o.Rungs {
			say := func(n int64) string { return nudge.MeasureText(r.Measure, n, v.Region.Currency, "en", v.Locale) }
			x := rungOutcomeView{Reward: r.Reward, Threshold: say(r.Threshold), Counted: say(r.Counted), Gap: say(r.Gap), State: string(r.State), Open: r.State == decide.RungOpen, Lasting: "–"}
			if r.Lasting != nil {
				x.Lasting = say(*r.Lasting)
			}
			w.Rungs = append(w.Rungs, x)
		}
		w.Steps = steps[o.Nudge]
		v.Outcomes = append(v.Outcomes, w)
	}
}
