package merchant

import (
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/store"
)

// rehearsalView is a made-up visit, kept whole in the page's address, so that it
// can be reloaded, gone back to and sent to a colleague.
type rehearsalView struct {
	Regions, Pages, Languages, Drafts []choiceView
	At, Code                          string
	Lines                             []rehearsalLine
	Goods                             []choiceView
	Error                             string
	Refused                           []string
	Decided                           bool
	D                                 decide.Decision
	Cart                              []string // the priced cart in words
	Outcomes                          []outcomeView
	Locale                            string
	Amount                            func(money.Minor) string
}

type rehearsalLine struct {
	SKU, Name, Price string
	Quantity         int64
}

type outcomeView struct {
	ID, Name, Sentence, Why string
	Shows, Draft            bool
	Places                  string
	Rungs                   []rungOutcomeView
	Steps                   []string
}

type rungOutcomeView struct {
	Reward, Threshold, Counted, Gap, Lasting, State string
	Open                                            bool
}

func (s *server) rehearsal(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	shop, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	ns, err := s.app.Nudges(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	q := c.QueryParams()
	region := regionByID(shop.Regions(), q.Get("region"))
	v := &rehearsalView{Code: q.Get("code"), Locale: h.shop.Locale}
	v.Amount = func(m money.Minor) string {
		return money.Format(money.Amount{Minor: m, Currency: region.Currency}, h.shop.Locale)
	}
	for _, r := range shop.Regions() {
		v.Regions = append(v.Regions, choiceView{r.ID, r.Name, r.ID == region.ID})
	}
	for _, p := range nudge.Pages {
		v.Pages = append(v.Pages, choiceView{string(p), checks.PageName(p), string(p) == orElse(q.Get("page"), "cart")})
	}
	for _, l := range region.Languages {
		v.Languages = append(v.Languages, choiceView{l, checks.LanguageName(l), l == orElse(q.Get("language"), region.Languages[0])})
	}
	snap, names, err := s.rehearse(shop.Snapshot, ns, q, v)
	if err != nil {
		return s.fail(c, err)
	}
	v.Goods = goodsFor(shop.Catalog(), region, h.shop.Locale)
	moment := s.moment(h, q.Get("at"), v)
	lines, refused := sellable(shop.Catalog(), region, linesOf(q))
	v.Refused = refused
	for _, l := range lines {
		it, _ := shop.Catalog().Item(l.SKU)
		v.Lines = append(v.Lines, rehearsalLine{l.SKU, it.Label(), v.Amount(it.Variant.Prices[region.Currency].Price), l.Quantity})
	}
	s.decideRehearsal(v, snap, names, ns, region, decide.Request{
		Cart:  decide.Cart{Lines: lines, Destination: &decide.Destination{Country: region.Countries[0]}, Codes: codesOf(v.Code)},
		Every: true, Trace: true,
		Moment: decide.Moment{At: moment, Page: decide.Page{Kind: nudge.Page(orElse(q.Get("page"), "cart"))}, Locale: orElse(q.Get("language"), region.Languages[0])},
	})
	if c.QueryParam("part") == "outcome" && isHTMX(c) {
		return s.renderPart(c, http.StatusOK, "rehearsal", "rehearsal-body", page{Data: v})
	}
	return s.render(c, http.StatusOK, "rehearsal", page{Title: "Rehearsal", Place: "rehearsal", Data: v})
}

// rehearse puts the chosen drafts among what is live.
func (s *server) rehearse(shop *decide.Snapshot, ns []store.Nudge, q url.Values, v *rehearsalView) (*decide.Snapshot, map[string]bool, error) {
	drafts := map[string]bool{}
	var put []decide.Live
	for _, n := range ns {
		if n.State == store.StateLive && !n.Dirty {
			continue
		}
		on := slices.Contains(q["draft"], n.ID)
		v.Drafts = append(v.Drafts, choiceView{n.ID, n.Draft.Name, on})
		if on {
			drafts[n.ID] = true
			put = append(put, decide.Live{ID: n.ID, Revision: n.LiveRevision + 1, Priority: n.Priority, Definition: n.Draft})
		}
	}
	snap, err := shop.With(put...)
	return snap, drafts, err
}

func (s *server) moment(h *here, text string, v *rehearsalView) time.Time {
	moment := s.app.Now()
	if text != "" {
		t, err := time.ParseInLocation("2006-01-02T15:04", text, h.zone)
		if err != nil {
			v.Error = "The moment could not be read; write a day and time. Now is used instead."
		} else {
			moment = t
		}
	}
	v.At = moment.In(h.zone).Format("2006-01-02T15:04")
	return moment
}

// linesOf reads the cart from the address: sku=… and qty.SKU=…, put=… adds one.
func linesOf(q url.Values) []decide.CartLine {
	var out []decide.CartLine
	add := func(sku string, n int64) {
		if sku == "" {
			return
		}
		if i := slices.IndexFunc(out, func(l decide.CartLine) bool { return l.SKU == sku }); i >= 0 {
			out[i].Quantity += n
			return
		}
		out = append(out, decide.CartLine{SKU: sku, Quantity: n})
	}
	for _, sku := range q["sku"] {
		n := int64(1)
		if t := q.Get("qty." + sku); t != "" {
			n = int64(max(0, min(atoi(t), decide.MostQuantity)))
		}
		add(sku, n)
	}
	add(q.Get("put"), 1)
	return slices.DeleteFunc(out, func(l decide.CartLine) bool { return l.Quantity < 1 })
}

func codesOf(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' })
}

func (s *server) decideRehearsal(v *rehearsalView, snap *decide.Snapshot, drafts map[string]bool, ns []store.Nudge, region catalog.Region, req decide.Request) {
	d, err := snap.Decide(req)
	if err != nil {
		v.Error = "This visit cannot be decided: " + err.Error() + "."
		return
	}
	v.D, v.Decided = d, true
	for _, st := range d.Trace {
		if !strings.HasPrefix(st.About, "nudge ") {
			v.Cart = append(v.Cart, st.Say)
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
		}
		var places []string
		for _, p := range nudge.Placements {
			for _, sh := range d.Shown[p] {
				if sh.Nudge == o.Nudge {
					places = append(places, checks.PlacementName(p))
					w.Sentence = sh.Text
				}
			}
		}
		w.Places = list(places)
		for _, r := range o.Rungs {
			x := rungOutcomeView{Reward: r.Reward, Threshold: v.Amount(r.Threshold), Counted: v.Amount(r.Counted), Gap: v.Amount(r.Gap), State: string(r.State), Open: r.State == decide.RungOpen, Lasting: "–"}
			if r.Lasting != nil {
				x.Lasting = v.Amount(*r.Lasting)
			}
			w.Rungs = append(w.Rungs, x)
		}
		for _, st := range d.Trace {
			if strings.HasPrefix(st.About, "nudge "+o.Nudge+",") || st.About == "nudge "+o.Nudge || st.About == "nudge "+o.Nudge+" shown" {
				if !slices.Contains(w.Steps, st.Say) { // rungs of a ladder count the same
					w.Steps = append(w.Steps, st.Say)
				}
			}
		}
		v.Outcomes = append(v.Outcomes, w)
	}
}
