package merchant

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// drafts keeps the snapshot with a draft put in, for as long as neither changes:
// while a marker is dragged the same one serves every frame.
type drafts struct {
	mu   sync.Mutex
	last map[string]draftSnapshot
}

type draftSnapshot struct {
	of      *app.ShopSnapshot
	version int
	snap    *snapshot.Snapshot
}

// get returns the shop with a draft in the place of its live revision, first in
// the merchant's order so that it shows.
func (d *drafts) get(shop *app.ShopSnapshot, n *store.Nudge) (*snapshot.Snapshot, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	key := n.ShopID + "/" + n.ID
	if have, ok := d.last[key]; ok && have.of == shop && have.version == n.DraftVersion {
		return have.snap, nil
	}
	def := n.Draft.Clone()
	def.Schedule = nudge.Schedule{} // a preview shows it whenever it is due
	snap, err := shop.With(snapshot.Live{ID: n.ID, Revision: n.LiveRevision + 1, Priority: 0, Definition: def})
	if err != nil {
		return nil, err
	}
	if d.last == nil || len(d.last) > 200 {
		d.last = map[string]draftSnapshot{}
	}
	d.last[key] = draftSnapshot{shop, n.DraftVersion, snap}
	return snap, nil
}

// frameRequest is a state of the workbench: the cart beside the preview, and
// where the marker stands (null: at the cart).
type frameRequest struct {
	Lines    []decide.CartLine `json:"lines"`
	At       *money.Minor      `json:"at"`
	Region   string            `json:"region"`
	Page     nudge.Page        `json:"page"`
	Language string            `json:"language"`
	Shopper  string            `json:"shopper"` // one of shoppers
	Station  string            `json:"station"` // the moment of a visit; empty: where the nudge stands, on that page
	As       drawnAs           `json:"as"`      // how it is drawn; empty: as usual
	State    nudge.State       `json:"state"`   // find a cart in which the nudge has it; empty: the cart as it is
	// The axis as it is drawn: its end, and the room there is for it.
	Most  money.Minor `json:"most"`
	Wide  int         `json:"wide"`
	Scale int         `json:"scale"`
	Drawn axisBox     `json:"drawn"`
}

type frameReply struct {
	Decision    decide.Decision    `json:"decision"`
	Cart        string             `json:"cart"`
	Counted     money.Minor        `json:"counted"`
	At          money.Minor        `json:"at"`
	Lasting     *money.Minor       `json:"lasting"`
	LastingText string             `json:"lastingText"`
	Most        money.Minor        `json:"most"`
	Marker      string             `json:"marker"`
	Axis        string             `json:"axis,omitempty"`  // the axis, where it must be drawn anew
	Table       string             `json:"table,omitempty"` // its figures, where they follow the cart
	Head        string             `json:"head,omitempty"`  // what it is about
	Product     string             `json:"product"`         // that the preview must show, where its page shows one
	Lines       string             `json:"lines"`           // the cart as the preview's shop lists it
	Say         string             `json:"say"`             // what the preview shows, in words
	Put         *[]decide.CartLine `json:"put,omitempty"`   // the cart that it became
	Item        string             `json:"item,omitempty"`  // whose pieces the arrow keys count
	When        map[string]string  `json:"when,omitempty"`  // what is true of the audience, by path
}

// frame decides one state of the workbench.
func (s *server) frame(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	var f frameRequest
	if err := json.NewDecoder(http.MaxBytesReader(c.Response(), c.Request().Body, 64<<10)).Decode(&f); err != nil {
		return c.JSON(http.StatusBadRequest, map[string]string{"error": "The workbench sent something that cannot be read."})
	}
	n, err := s.app.Nudge(ctx, h.shop.ID, c.Param("nudge"))
	if err != nil {
		return s.fail(c, err)
	}
	shop, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	snap, err := s.drafts.get(shop, &n)
	if err != nil {
		return s.fail(c, err)
	}
	region := regionOr(snap.Regions(), f.Region)
	if region.ID == "" {
		return c.JSON(http.StatusUnprocessableEntity, map[string]string{"error": "The shop has no region yet; set one up under Shop, Regions."})
	}
	if f.As == asLongest {
		f.Language = longestOf(&n.Draft, region.Languages, f.Language)
	}
	var refused []string
	f.Lines, refused = sellable(snap.Catalog(), region, f.Lines)
	at := decide.Page{Kind: f.Page}
	if f.Page == drawerPage {
		at.Kind = nudge.ProductPage // what the drawer lies over
	}
	if at.Kind == nudge.ProductPage {
		at.Product = previewGoods(snap.Catalog(), &n.Draft.Ladder, region, s.app.Now()).First.ID
	}
	req := decide.Request{
		Cart:    decide.Cart{Lines: f.Lines, Destination: destinationOf(region)},
		Moment:  decide.Moment{At: s.app.Now(), Page: at, Locale: f.Language, Placements: placesOn[f.Page]},
		Shopper: shopperOf(f.Shopper, s.app.Now()),
		Suggest: n.Draft.Built(),
	}
	if n.Draft.Built() {
		req.Cart.Lines = putTogether(snap.Catalog(), n.ID, &n.Draft.Ladder, region, f.Lines, req.Moment)
	}
	if f.Page == nudge.SetPage {
		req.Moment.Page.Set = n.ID
	}
	here := stationCalled(f.Station)
	if own := stationOf(&n.Draft); here < 0 && stations[own].Page == f.Page {
		here = own
	}
	if here >= 0 && stations[here].Act != "" {
		req.Visit.Acts = []audience.Act{stations[here].Act}
	}
	req.Drawn = slices.Contains(n.Draft.Placements, nudge.Dialog) // gifts to choose are drawn from the cart
	if n.Draft.Audience.Code != "" {
		req.Cart.Codes = []string{n.Draft.Audience.Code}
	}
	if pool := n.Draft.Audience.Pool; pool != "" && (n.Draft.Audience.EarnedBy == "" || f.State == nudge.Reached) {
		req.Cart = req.Cart.Earned(pool)
	}
	base, err := decide.Decide(snap, req)
	if err != nil {
		return c.JSON(http.StatusUnprocessableEntity, map[string]string{"error": "This cart cannot be decided: " + err.Error() + "."})
	}
	m := measuredBy(&n.Draft, region, h.shop.Locale)
	counted := countedBy(base, n.ID)
	var put []decide.CartLine
	withCode := n.Draft.Audience.EarnedBy != "" && stateOf(base, n.ID) == f.State // the code alone makes the difference
	if f.State != "" && !withCode {
		if f.State == nudge.Outdone {
			put = outdoneFor(snap, &req, &n, m, region)
		} else {
			put = cartFor(snap.Catalog(), &req, &n, m, region, f.State, &f.At)
		}
		if put != nil {
			f.At, req.Cart.Lines = nil, put
		}
		if base, err = decide.Decide(snap, req); err != nil {
			return c.JSON(http.StatusUnprocessableEntity, map[string]string{"error": "This cart cannot be decided: " + err.Error() + "."})
		}
		counted = countedBy(base, n.ID)
	}
	d, alone := base, false
	if f.At != nil && *f.At != counted {
		switch x := *f.At; {
		case m.of != nudge.Value:
			put = linesFor(snap.Catalog(), req, &n.Draft, region, x-counted)
			req.Cart.Lines = put
		case x > counted:
			req.Added = &decide.Added{Nudge: n.ID, Price: min(x-counted, money.Most/100)}
		case x > 0:
			req.Cart.Lines, req.Added, alone = nil, &decide.Added{Nudge: n.ID, Price: x}, true
		default:
			req.Cart.Lines, alone = nil, true
		}
		if d, err = decide.Decide(snap, req); err != nil {
			return c.JSON(http.StatusUnprocessableEntity, map[string]string{"error": "This cart cannot be decided: " + err.Error() + "."})
		}
		if put != nil {
			counted = countedBy(d, n.ID)
		}
	}
	when, err := judged(snap, req, n.Draft.Audience.When)
	if err != nil {
		return s.fail(c, err)
	}
	if f.State == nudge.Reached && stateOf(d, n.ID) != f.State {
		// The reward may take more than its goal: what lasts is what is added.
		if l := nextMissing(d, n.ID); l != nil && m.of == nudge.Value && !n.Draft.ByPiece() {
			req.Cart.Lines, req.Added, alone = f.Lines, &decide.Added{Nudge: n.ID, Price: min(countedBy(d, n.ID)-countedBy(base, n.ID)+*l, money.Most/100)}, false
			if better, err := decide.Decide(snap, req); err == nil {
				d = better
			}
		}
	}
	out := frameReply{When: when, Decision: f.As.of(d, shop.Shop.Settings.Theme), Counted: counted, At: countedBy(d, n.ID), Say: previewSay(d, &n, f.Page, snap)}
	if is := stateOf(d, n.ID); f.State != "" && is != f.State && (f.State != nudge.Outdone || !outdone(d, n.ID)) {
		out.Say = "No such cart was found: here it is “" + checks.StateName(is) + "”. " + out.Say
	}
	box := axisBox{f.Wide, f.Scale}.fit()
	switch {
	case n.Draft.Built():
		if err := s.placesPart(&out, snap, req, d, &n, region, h.shop.Locale, box); err != nil {
			return s.fail(c, err)
		}
	case n.Draft.InVisit():
		if err := s.visitPart(&out, snap, req, &n, here, region, box); err != nil {
			return s.fail(c, err)
		}
	case n.Draft.ByPiece():
		if err := s.stepsPart(&out, snap, req, &n, region, h.shop.Locale, box); err != nil {
			return s.fail(c, err)
		}
	default:
		if out.Most, _ = axisMost(&n.Draft, m, counted); out.Most != f.Most || box != f.Drawn {
			if out.Axis, err = s.part("bench", "axis", axisOf(&n.Draft, region, snap.Catalog(), h.shop.Locale, counted, box)); err != nil {
				return s.fail(c, err)
			}
		}
	}
	if put != nil && f.State == "" {
		out.Put = &put
	}
	if m.of != nudge.Value && m.of != nudge.Distinct {
		if it, _ := stepItem(snap.Catalog(), req, &n.Draft.Ladder, region); it.Variant != nil {
			out.Item = it.Variant.SKU
		}
	}
	out.Marker = "cart " + m.show(out.At)
	if alone {
		out.Marker = "alone " + m.show(out.At)
	}
	if l := nextMissing(d, n.ID); l != nil {
		out.Lasting, out.LastingText = l, m.show(*l)+" to add"
	}
	cart := cartOf(snap.Catalog(), region, d, h.shop.Locale, alone, refused)
	if n.Draft.Built() {
		cart.Finish, cart.ThenPays = finishing(d, n.ID, func(m money.Minor) string {
			return money.Format(money.Amount{Minor: m, Currency: region.Currency}, h.shop.Locale)
		})
	}
	cart.offered(d, n.ID, func(m money.Minor) string {
		return money.Format(money.Amount{Minor: m, Currency: region.Currency}, h.shop.Locale)
	})
	if out.Cart, err = s.part("bench", "bench-cart", cart); err != nil {
		return s.fail(c, err)
	}
	if out.Lines, err = s.part("preview", "preview-lines", cart); err != nil {
		return s.fail(c, err)
	}
	out.Product = at.Product
	return c.JSON(http.StatusOK, out)
}

// stepsPart draws prices by the number of pieces, and lists them.
func (s *server) stepsPart(out *frameReply, snap *snapshot.Snapshot, req decide.Request, n *store.Nudge, region catalog.Region, locale string, box axisBox) error {
	v, err := stepsOf(snap, req, n.ID, &n.Draft, region, locale, box)
	if err != nil || v == nil {
		return err
	}
	out.Head = fmt.Sprintf("%s, %s, in %s. Click a step to have that many in the cart; drag a line to move a tier.", v.Item, v.Region, v.Currency)
	if out.Axis, err = s.part("bench", "steps", v); err != nil {
		return err
	}
	out.Table, err = s.part("bench", "steps-table", v)
	return err
}

// placesPart draws how far a set is, place by place.
func (s *server) placesPart(out *frameReply, snap *snapshot.Snapshot, req decide.Request, d decide.Decision, n *store.Nudge, region catalog.Region, locale string, box axisBox) error {
	v, err := placesOf(snap, req, d, n.ID, &n.Draft, region, locale, box)
	if err != nil {
		return err
	}
	out.Head = fmt.Sprintf("%s, in %s. Press a place to fill or empty it; drag a line to move a number.", v.Region, v.Currency)
	if out.Axis, err = s.part("bench", "places", v); err != nil {
		return err
	}
	out.Table, err = s.part("bench", "places-table", v)
	return err
}

// visitPart draws when in a visit it is met, and lists what else is.
func (s *server) visitPart(out *frameReply, snap *snapshot.Snapshot, req decide.Request, n *store.Nudge, here int, region catalog.Region, box axisBox) error {
	v, err := visitOf(snap, req, n.ID, &n.Draft, here, region, box)
	if err != nil {
		return err
	}
	out.Head = "Drag the stand to another moment, or press a moment to see the page then."
	if out.Axis, err = s.part("bench", "visit", v); err != nil {
		return err
	}
	out.Table, err = s.part("bench", "visit-table", v)
	return err
}

// shoppers are those that the workbench looks at a nudge with.
var shoppers = []choiceView{
	{Value: "", Name: "not known"},
	{Value: "new", Name: "new, not signed in"},
	{Value: "known", Name: "signed in, 3 orders"},
}

// shopperOf is what is known of one of them.
func shopperOf(which string, now time.Time) decide.Shopper {
	yes, no, none, three := true, false, int64(0), int64(3)
	nothing, spent := money.Minor(0), money.Minor(18000)
	last := now.AddDate(0, 0, -40)
	switch which {
	case "new":
		return decide.Shopper{SignedIn: &no, Groups: []string{}, Orders: &none, Lifetime: &nothing, Bought: []string{}}
	case "known":
		return decide.Shopper{SignedIn: &yes, Groups: []string{}, Orders: &three, LastOrder: &last, Lifetime: &spent, Bought: []string{}}
	}
	return decide.Shopper{}
}

// judged says of every condition of the audience whether it holds: true, false or
// not known.
func judged(snap *snapshot.Snapshot, req decide.Request, when *audience.Condition) (map[string]string, error) {
	if when == nil {
		return nil, nil
	}
	truths, err := decide.Judge(snap, req, when)
	if err != nil {
		return nil, err
	}
	out := make(map[string]string, len(truths))
	for path, t := range truths {
		out[path] = t.String()
	}
	return out, nil
}

// destinationOf is somewhere in a region: where only postcodes tell it from another,
// one of them.
func destinationOf(r catalog.Region) *decide.Destination {
	d := &decide.Destination{Country: r.Countries[0]}
	if len(r.Postcodes) > 0 {
		d.Postcode = r.Postcodes[0]
	}
	return d
}

// part renders one part of a page by itself.
func (s *server) part(page, part string, data any) (string, error) {
	var b bytes.Buffer
	err := s.pages.byName[page].ExecuteTemplate(&b, part, data)
	return b.String(), err
}

// placesOn are the placements that a page of the preview has.
var placesOn = map[nudge.Page][]nudge.Placement{
	nudge.ProductPage:    {nudge.TopBar, nudge.ProductBlock, nudge.Launcher, nudge.Dialog},
	nudge.HomePage:       {nudge.TopBar, nudge.Launcher, nudge.Dialog},
	nudge.CollectionPage: {nudge.TopBar, nudge.Launcher, nudge.Dialog},
	nudge.CartPage:       {nudge.TopBar, nudge.CartBlock, nudge.Dialog},
	nudge.CheckoutPage:   {nudge.TopBar, nudge.CheckoutBump},
	nudge.ThanksPage:     {nudge.TopBar, nudge.AfterBuy, nudge.Dialog},
	nudge.SetPage:        {nudge.TopBar, nudge.SetBuilder, nudge.Launcher},
	drawerPage:           {nudge.CartDrawer},
}

// previewSay says whether the page shows this nudge, and which it shows instead.
func previewSay(d decide.Decision, n *store.Nudge, page nudge.Page, snap *snapshot.Snapshot) string {
	var mine, others []string
	for _, p := range placesOn[page] {
		for _, sh := range d.In(p) {
			if sh.Nudge == n.ID {
				mine = append(mine, checks.PlacementName(p))
			} else if name, ok := snap.NameOf(sh.Nudge); ok {
				others = append(others, fmt.Sprintf("the %s shows “%s”", checks.PlacementName(p), name))
			}
		}
	}
	say := ""
	switch {
	case len(mine) > 0:
		say = "This nudge shows in the " + list(mine)
	default:
		say = "This nudge does not show here" + whyNot(d, n, page)
	}
	if len(others) > 0 {
		say += "; " + list(others)
	}
	return say + "."
}

// whyNot is the reason for which a nudge does not show on a page, as part of a
// sentence.
func whyNot(d decide.Decision, n *store.Nudge, page nudge.Page) string {
	for _, o := range d.Nudges {
		if o.Nudge == n.ID && o.Reason != "" {
			return ": " + decide.Explain(o.Reason)
		}
	}
	if len(n.Draft.Placements) == 0 {
		return ": it has no place yet"
	}
	if !slices.ContainsFunc(placesOn[page], func(p nudge.Placement) bool { return slices.Contains(n.Draft.Placements, p) }) {
		return ": this page has none of its places"
	}
	return ""
}

// sellable leaves out what is not sold in a region, and says so.
func sellable(cat *catalog.Catalog, r catalog.Region, lines []decide.CartLine) (out []decide.CartLine, refused []string) {
	for _, l := range lines {
		it, ok := cat.Item(l.SKU)
		if !ok || l.Quantity < 1 {
			continue
		}
		if _, sold := it.Variant.Prices[r.Currency]; !sold {
			refused = append(refused, it.Label()+" is not sold in "+r.Name+".")
			continue
		}
		out = append(out, l)
	}
	return out, refused
}

func countedBy(d decide.Decision, id string) money.Minor {
	for _, n := range d.Nudges {
		if n.Nudge == id && len(n.Rungs) > 0 {
			return n.Rungs[0].Counted
		}
	}
	return d.Goods
}

// nextMissing is what leads to the next rung: of a value the lasting addition, of
// anything else the gap.
func nextMissing(d decide.Decision, id string) *int64 {
	for _, n := range d.Nudges {
		if n.Nudge != id {
			continue
		}
		for _, r := range n.Rungs {
			switch {
			case r.State != decide.RungOpen:
			case r.Measure != nudge.Value && r.Gap > 0:
				return &r.Gap
			case r.Lasting != nil:
				return r.Lasting
			}
		}
	}
	return nil
}

// stateOf is the state of a nudge in a decision; empty: it has none.
func stateOf(d decide.Decision, id string) nudge.State {
	for _, n := range d.Nudges {
		if n.Nudge == id {
			return n.State
		}
	}
	return ""
}
