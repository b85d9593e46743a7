package merchant

import (
	"slices"
	"strings"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// station is a moment of a visit: the page that a shopper is on, and what has just
// happened there.
type station struct {
	ID, Name string
	Page     nudge.Page
	Act      audience.Act
	// places are where a nudge is put that is moved there.
	places []nudge.Placement
}

// stations are the moments of a visit in their order.
var stations = []station{
	{"home", "Home", nudge.HomePage, "", []nudge.Placement{nudge.TopBar}},
	{"shelf", "Shelf", nudge.CollectionPage, "", []nudge.Placement{nudge.TopBar}},
	{"product", "Product", nudge.ProductPage, "", []nudge.Placement{nudge.ProductBlock}},
	{"added", "Item added", nudge.ProductPage, audience.ItemAdded, []nudge.Placement{nudge.Dialog}},
	{"cart", "Cart", drawerPage, audience.CartOpened, []nudge.Placement{nudge.CartDrawer, nudge.CartBlock}},
	{"checkout", "Checkout", nudge.CheckoutPage, audience.CheckoutBegun, []nudge.Placement{nudge.CheckoutBump}},
	{"placed", "Order placed", nudge.ThanksPage, audience.OrderPlaced, []nudge.Placement{nudge.AfterBuy}},
	{"leaving", "About to leave", nudge.ProductPage, audience.Leaving, []nudge.Placement{nudge.Dialog}},
}

// stationCalled is the station with an id, -1: none.
func stationCalled(id string) int {
	return slices.IndexFunc(stations, func(s station) bool { return s.ID == id })
}

// stationOf is the station at which a nudge stands: the one it waits for, else the last
// that has one of its places, since there it is nearest to the end.
func stationOf(d *nudge.Definition) int {
	at := 2
	if d.Moment == "" && d.Accompanies() && slices.Contains(d.Placements, nudge.ProductBlock) {
		return at // beside what it goes with
	}
	for i, s := range stations {
		if d.Moment != "" && s.Act == d.Moment {
			return i
		}
		if d.Moment == "" && s.Act != audience.ItemAdded && s.Act != audience.Leaving && slices.Contains(d.Placements, s.places[0]) && (i > 1 || i == 0) {
			at = i
		}
	}
	return at
}

// visitView is the line of a visit: what a shopper with the cart beside it meets at each
// of its moments, as decided.
type visitView struct {
	Wide, High, Base, Left, Right, Scale int
	Ticks                                []int
	Stations                             []stationView
	At                                   int // where the nudge stands
	Most                                 int // the last one
	Name                                 string
	Flag                                 flagView
	Region                               string
}

type stationView struct {
	ID, Name   string
	Page       nudge.Page
	X          int
	Mine, Here bool   // whether the nudge shows there, and whether it is looked at
	Says       string // what shows there, as far as there is room
	Why        string // why the nudge does not
	Full       []string
}

// flagView is the nudge's stand on the line.
type flagView struct{ X, BoxX, Wide, TextX, Top, Tall int }

func visitOf(snap *snapshot.Snapshot, req decide.Request, id string, def *nudge.Definition, here int, r catalog.Region, box axisBox) (*visitView, error) {
	box = box.fit()
	v := &visitView{
		Wide: box.Wide, High: box.of(132), Base: box.of(70), Left: box.of(14), Right: box.Wide - box.of(14), Scale: box.Scale,
		At: stationOf(def), Most: len(stations) - 1, Name: clip(def.Name, 32), Region: r.Name,
	}
	pitch := (v.Right - v.Left) / len(stations)
	for x := v.Left; x <= v.Right; x += max(4, pitch/8) {
		v.Ticks = append(v.Ticks, x)
	}
	for i := range stations {
		s := &stations[i]
		d, err := decide.Decide(snap, s.request(req))
		if err != nil {
			return nil, err
		}
		x := stationView{ID: s.ID, Name: s.Name, Page: s.Page, X: v.Left + pitch/2 + i*pitch, Here: i == here}
		for _, p := range placesOn[s.Page] {
			for _, said := range d.In(p) {
				name, _ := snap.NameOf(said.Nudge)
				if said.Nudge == id && !x.Mine {
					x.Mine = true
					x.Full = slices.Insert(x.Full, 0, "this one")
				}
				if said.Nudge != id && !slices.Contains(x.Full, name) {
					x.Full = append(x.Full, name)
				}
			}
		}
		x.Says, x.Why = "nothing", "the cart holds nothing that it is about"
		if len(x.Full) > 0 {
			x.Says = strings.Join(x.Full, ", ")
		}
		for _, o := range d.Nudges {
			if o.Nudge == id && !x.Mine {
				x.Why = decide.Explain(o.Reason)
			}
		}
		x.Says = clip(x.Says, max(3, pitch/box.of(7)))
		v.Stations = append(v.Stations, x)
	}
	f := &v.Flag
	f.X, f.Top, f.Tall, f.Wide = v.Stations[v.At].X, box.of(6), box.of(38), min(box.of(230), v.Right-v.Left)
	f.BoxX = min(f.X, v.Right-f.Wide)
	f.TextX = f.BoxX + box.of(10)
	return v, nil
}

// request is a request at a moment of a visit: with what the shopper has just done, and
// what that was about.
func (s *station) request(req decide.Request) decide.Request {
	kind := s.Page
	if kind == drawerPage {
		kind = nudge.ProductPage // what the drawer lies over
	}
	req.Suggest, req.Drawn = false, false
	req.Moment.Page = decide.Page{Kind: kind, Product: req.Moment.Page.Product}
	if kind != nudge.ProductPage {
		req.Moment.Page.Product = ""
	}
	req.Moment.Placements = placesOn[s.Page]
	req.Visit.Acts = nil
	if s.Act != "" {
		req.Visit.Acts = []audience.Act{s.Act}
	}
	return req
}

// moveMoment puts the nudge at another moment of a visit.
func (e *editing) moveMoment(d *nudge.Definition) error {
	i := stationCalled(e.form.Get("station"))
	if i < 0 {
		return fieldErrors{"": "There is no such moment; choose another."}
	}
	s := &stations[i]
	d.Moment = ""
	if s.Act == audience.ItemAdded || s.Act == audience.Leaving {
		d.Moment = s.Act // there is nothing to stand in while it lasts
	}
	d.Placements = slices.Clone(s.places)
	d.Audience.Pages = nil
	return nil
}
