package merchant

import (
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// madeUp decides a made-up visit as its address says it.
func (s *server) madeUp(h *here, shop *app.ShopSnapshot, ns []store.Nudge, q url.Values) *rehearsalView {
	region := regionOr(shop.Regions(), q.Get("region"))
	v := &rehearsalView{Code: q.Get("code"), Ready: region.ID != "", Region: region, Locale: h.shop.Locale, Visit: q.Encode()}
	v.Amount = func(m money.Minor) string {
		return money.Format(money.Amount{Minor: m, Currency: region.Currency}, h.shop.Locale)
	}
	if !v.Ready {
		return v
	}
	language := region.Languages[0]
	if slices.Contains(region.Languages, q.Get("language")) {
		language = q.Get("language")
	}
	for _, r := range shop.Regions() {
		v.Regions = append(v.Regions, choiceView{Value: r.ID, Name: r.Name, On: r.ID == region.ID})
	}
	page := orElse(q.Get("page"), string(nudge.CartPage))
	for _, p := range nudge.Pages {
		v.Pages = append(v.Pages, choiceView{Value: string(p), Name: checks.PageName(p), On: string(p) == page})
	}
	for _, l := range region.Languages {
		v.Languages = append(v.Languages, choiceView{Value: l, Name: checks.LanguageName(l), On: l == language})
	}
	snap, drafts, err := withDrafts(shop.Snapshot, ns, q, v)
	if err != nil {
		v.Error = "This cannot be rehearsed: " + err.Error() + "."
		return v
	}
	moment := s.moment(h, q.Get("at"), v)
	lines := v.lines(q, shop.Catalog(), region)
	set := v.sets(snap, q.Get("set"))
	if set != nil {
		lines = putTogether(shop.Catalog(), set.ID, &set.Definition.Ladder, region, lines, decide.Moment{At: moment})
	}
	where := decide.Page{Kind: nudge.Page(page)}
	if set != nil && where.Kind == nudge.SetPage {
		where.Set = set.ID
	}
	req := decide.Request{
		Cart:  decide.Cart{Lines: lines, Destination: destinationOf(region), Codes: codesOf(v.Code)},
		Every: true, Trace: true,
		Moment: decide.Moment{At: moment, Page: where, Locale: language, Placements: append(slices.Clone(placesOn[where.Kind]), nudge.CartDrawer)},
	}
	v.who(&req, q, moment)
	v.sits(&req, shop.Snapshot.Shop.Trials, ns, q)
	v.did(snap, &req, q, h, ns)
	if v.D, err = decide.Decide(snap, req); err != nil {
		v.Error = "This visit cannot be decided: " + err.Error() + "."
		return v
	}
	v.Decided = true
	v.outcomes(h, drafts, ns, q)
	return v
}

// who reads who the shopper is, and what has just happened.
func (v *rehearsalView) who(req *decide.Request, q url.Values, now time.Time) {
	pick := func(into *[]choiceView, name string, choices []choiceView) string {
		for _, c := range choices {
			c.On = c.Value == q.Get(name)
			*into = append(*into, c)
		}
		if slices.ContainsFunc(choices, func(c choiceView) bool { return c.Value == q.Get(name) }) {
			return q.Get(name)
		}
		return ""
	}
	if v.Postcode = strings.TrimSpace(q.Get("postcode")); v.Postcode != "" {
		req.Cart.Destination.Postcode = clip(v.Postcode, 12)
	}
	happened := []choiceView{{Value: "", Name: "Nothing in particular"}}
	for _, a := range audience.Acts {
		happened = append(happened, choiceView{Value: string(a), Name: "The shopper has " + nudge.ActName(a)})
	}
	if act := pick(&v.Acts, "act", happened); act != "" {
		req.Visit.Acts = []audience.Act{audience.Act(act)}
	}
	req.Shopper = shopperOf(pick(&v.Shoppers, "shopper", shoppers), now)
	v.Groups = strings.TrimSpace(q.Get("groups"))
	if names := strings.FieldsFunc(v.Groups, func(r rune) bool { return r == ',' }); len(names) > 0 {
		for i := range names {
			names[i] = strings.TrimSpace(names[i])
		}
		req.Shopper.Groups = names
	}
	devices := []choiceView{{Value: "", Name: "not known"}}
	for _, d := range audience.Devices {
		devices = append(devices, choiceView{Value: string(d), Name: string(d)})
	}
	req.Visit.Device = audience.Device(pick(&v.Devices, "device", devices))
	if v.Quiet = strings.TrimSpace(q.Get("quiet")); v.Quiet != "" {
		minutes, err := strconv.ParseInt(v.Quiet, 10, 64)
		if err != nil || minutes < 0 || minutes > snapshot.MostMinutes {
			v.Error = "Write how many minutes ago a dialog was open as a whole number, or leave it empty."
			return
		}
		seconds := minutes * 60
		req.Visit.SinceDialog = &seconds
	}
}

// What a shopper may have done in a visit, before what it is about.
const (
	hasTaken    = "take"
	hasDeclined = "decline"
	hasClosed   = "close"
	hasSeen     = "see"
	hasEarned   = "earn"
	hasTogether = "together"
)

// mostDid bounds what is played of a visit.
const mostDid = 40

// did plays what the shopper did with what was shown, one after the other.
func (v *rehearsalView) did(snap *snapshot.Snapshot, req *decide.Request, q url.Values, h *here, ns []store.Nudge) {
	names := map[string]string{}
	for _, n := range ns {
		names[n.ID] = n.Draft.Name
	}
	list := q["did"]
	for i, text := range list[:min(len(list), mostDid)] {
		f := append(strings.SplitN(text, ":", 4), "", "", "")
		id, name := f[1], orElse(names[f[1]], f[1])
		x := didView{Value: text}
		switch f[0] {
		case hasTaken:
			x.Say = v.take(snap, req, id, f[2], f[3], name)
		case hasDeclined:
			x.Say, req.Visit.Declined = "“"+name+"” was declined.", append(req.Visit.Declined, id)
		case hasClosed:
			x.Say, req.Visit.Dismissed = "“"+name+"” was closed.", append(req.Visit.Dismissed, id)
		case hasSeen:
			if req.Visit.Shows == nil {
				req.Visit.Shows = map[string]int64{}
			}
			req.Visit.Shows[id]++
			x.Say = "“" + name + "” was shown."
		case hasEarned:
			if i := slices.IndexFunc(snap.Nudges, func(n snapshot.Compiled) bool { return n.ID == id }); i >= 0 {
				req.Cart = req.Cart.Earned(snap.Nudges[i].Definition.Audience.Pool)
			}
			x.Say = "The code of “" + name + "” was earned."
		case hasTogether:
			x.Say = v.takeAll(snap, req, id, name)
		default:
			continue
		}
		without := clone(q)
		without["did"] = slices.Delete(slices.Clone(list), i, i+1)
		x.Without = h.url("/rehearsal?" + without.Encode())
		v.Did = append(v.Did, x)
	}
	anew := clone(q)
	anew.Del("did")
	v.Anew = h.url("/rehearsal?" + anew.Encode())
}

// take puts what a nudge offers into the cart, at the price that is decided.
func (v *rehearsalView) take(snap *snapshot.Snapshot, req *decide.Request, id, sku, instead, name string) string {
	d, err := decide.Decide(snap, *req)
	if err == nil {
		for _, o := range d.Offers {
			for _, it := range o.Items {
				if o.Nudge == id && it.SKU == sku && it.Instead == instead && !it.Taken {
					req.Cart = req.Cart.Take(id, it)
					return it.Label + " was taken from “" + name + "”."
				}
			}
		}
	}
	return "“" + name + "” does not offer this any more; nothing was taken."
}

// takeAll puts what goes together into the cart: what the page shows, and its companions.
func (v *rehearsalView) takeAll(snap *snapshot.Snapshot, req *decide.Request, id, name string) string {
	d, err := decide.Decide(snap, *req)
	for _, o := range d.Offers {
		if err != nil || o.Nudge != id || o.Main == nil {
			continue
		}
		if !o.Main.InCart {
			req.Cart = req.Cart.With(o.Main.SKU, 1)
		}
		for _, it := range o.Items {
			if !it.Taken {
				req.Cart = req.Cart.Take(id, it)
			}
		}
		return o.Main.Label + " and all its companions were put in from “" + name + "”."
	}
	return "“" + name + "” does not offer this any more; nothing was put in."
}

// acts are what a shopper could do with a nudge as it is decided.
func acts(h *here, q url.Values, d *decide.Decision, id string) (out []actView) {
	then := func(say string, parts ...string) {
		next := clone(q)
		next.Add("did", strings.TrimRight(strings.Join(parts, ":"), ":"))
		out = append(out, actView{say, h.url("/rehearsal?" + next.Encode())})
	}
	shown := slices.ContainsFunc(d.Says, func(s decide.Said) bool { return s.Nudge == id })
	if !shown || len(q["did"]) >= mostDid {
		return nil
	}
	offers := false
	if i := slices.IndexFunc(d.Says, func(s decide.Said) bool { return s.Nudge == id && s.Earn != nil }); i >= 0 {
		offers = true
		then("earn the code", hasEarned, id)
	}
	for _, o := range d.Offers {
		if o.Nudge == id && o.Main != nil {
			offers = true
			then("put all in together", hasTogether, id)
			continue
		}
		for _, it := range o.Items {
			if o.Nudge == id && !it.Taken {
				offers = true
				then("take "+it.Label, hasTaken, id, it.SKU, it.Instead)
			}
		}
	}
	if offers {
		then("decline it", hasDeclined, id)
	} else {
		then("close it", hasClosed, id)
	}
	then("count it as shown", hasSeen, id)
	return out
}

func clone(q url.Values) url.Values {
	out := make(url.Values, len(q))
	for k, v := range q {
		out[k] = slices.Clone(v)
	}
	return out
}

// deciding is the part of the workbench that decides a reason for not showing.
var deciding = map[decide.Reason]string{
	decide.OutsideSchedule: "schedule", decide.OutsideRegion: "regions", decide.CodeMissing: "code", decide.OutsidePage: "places", decide.NotMeant: "when-add",
	decide.NotKnown: "when-add", decide.LimitUsedUp: "limits", decide.ShownEnough: "shown", decide.NoPlace: "places", decide.Elsewhere: "places",
	decide.OutsideMoment: "moment", decide.HiddenReached: "shown", decide.NoGain: "shown", decide.BelowMargin: "limits", decide.Quiet: "moment",
}
