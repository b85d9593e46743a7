package decide

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"sync"
	"time"
	_ "time/tzdata" // the shop's time zone, whatever the machine has

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
)

// Settings are a shop's choices that decisions depend on.
type Settings struct {
	Stacking Stacking `json:"stacking,omitempty"`
	// GraceMinutes is how long a visit keeps what it was shown after that has
	// ended or changed; 0 means 15.
	GraceMinutes int `json:"grace_minutes,omitempty"`
	// TimeZone is an IANA name, in which weekdays and hours are judged; empty: UTC.
	TimeZone string `json:"time_zone,omitempty"`
	// Rounding says whether a percentage off units is rounded for each unit or once
	// for each nudge and line; empty: PerUnit.
	Rounding Rounding `json:"rounding,omitempty"`
	// Margin is the least margin rate of every line a reward touches.
	Margin *money.Rate `json:"margin,omitempty"`
	// MostOff is the most that may be taken off one order's goods, for each region.
	MostOff nudge.Amounts `json:"most_off,omitempty"`
	// Choice is how the nudge a placement shows is chosen; empty: ExpectedGain.
	Choice Choice `json:"choice,omitempty"`
	// Prior is what is believed of a nudge before it has been shown: so many
	// acceptances and refusals. Zero: 1 and 19.
	Prior Prior `json:"prior,omitzero"`
	// PerPlacement is how many nudges a placement lists; absent: one.
	PerPlacement map[nudge.Placement]int `json:"per_placement,omitempty"`
}

// Rounding is how percentages off units are rounded.
type Rounding string

// The ways of rounding.
const (
	PerUnit Rounding = "per_unit"
	PerLine Rounding = "per_line"
)

// Choice is how nudges are chosen for a placement.
type Choice string

// The ways of choosing.
const (
	ExpectedGain  Choice = "expected_gain"
	MerchantOrder Choice = "merchant_order"
)

// Prior is a Beta prior.
type Prior struct {
	Accepted int64 `json:"accepted"`
	Refused  int64 `json:"refused"`
}

// IsZero tells whether nothing is set.
func (p Prior) IsZero() bool { return p == Prior{} }

func (s Settings) check() error {
	switch {
	case s.Stacking != "" && s.Stacking != BestForShopper && s.Stacking != ByPriority:
		return fmt.Errorf("settings.stacking: must be best_for_shopper or by_priority")
	case s.Rounding != "" && s.Rounding != PerUnit && s.Rounding != PerLine:
		return fmt.Errorf("settings.rounding: must be per_unit or per_line")
	case s.Choice != "" && s.Choice != ExpectedGain && s.Choice != MerchantOrder:
		return fmt.Errorf("settings.choice: must be expected_gain or merchant_order")
	case s.GraceMinutes < 0 || s.GraceMinutes > 24*60:
		return fmt.Errorf("settings.grace_minutes: %d is not from 0 to 1440", s.GraceMinutes)
	case s.Margin != nil && *s.Margin >= money.Whole:
		return fmt.Errorf("settings.margin: must be below 100")
	case s.Prior.Accepted < 0 || s.Prior.Refused < 0 || s.Prior.Accepted > 1_000_000 || s.Prior.Refused > 1_000_000:
		return fmt.Errorf("settings.prior: numbers from 0 to 1000000 are possible")
	}
	for p, n := range s.PerPlacement {
		if !slices.Contains(nudge.Placements, p) || n < 1 || n > 10 {
			return fmt.Errorf("settings.per_placement.%s: a placement with a number from 1 to 10 is needed", p)
		}
	}
	return nil
}

func (s Settings) grace() time.Duration {
	if s.GraceMinutes == 0 {
		return 15 * time.Minute
	}
	return time.Duration(s.GraceMinutes) * time.Minute
}

// Stacking is how rewards that cannot all be given are chosen.
type Stacking string

// The stacking modes; empty means BestForShopper.
const (
	BestForShopper Stacking = "best_for_shopper"
	ByPriority     Stacking = "by_priority"
)

// Live is a revision of a nudge that is in force, or a draft that is tried.
type Live struct {
	ID         string
	Revision   int
	Priority   int // 1 is first
	Definition nudge.Definition
}

// Shop is everything decisions are made from.
type Shop struct {
	Settings Settings
	Catalog  *catalog.Catalog
	Regions  []catalog.Region
	Nudges   []Live
	// Retired are revisions that were in force lately and no longer are.
	Retired []Retired
	// Companions is how much likelier one product is in orders that hold another:
	// the lift, in thousandths, by product id and product id.
	Companions map[string]map[string]int64
}

// Retired is a revision that was ended, or replaced by a later one, at a moment.
type Retired struct {
	Live
	At time.Time
}

// Snapshot is a shop with its indexes built. It is never changed but for what it
// remembers of its own goods, so any number
// of decisions may be made on it at once.
type Snapshot struct {
	shop     Shop
	byRegion map[string]int
	byID     map[string]int // positions in nudges
	zone     *time.Location
	nudges   []compiled // in order of priority, then id
	retired  []retired
	index    []index   // per region
	shelves  *sync.Map // shelfKey to []good, filled as it is asked for
}

type retired struct {
	compiled
	at time.Time
}

type compiled struct {
	Live
	scope     catalog.Filter
	carried   catalog.Facts // of a made-up unit in its scope
	shelf     string        // the one collection that is its scope, if it is as simple as that
	when      *audience.Tree
	sentences map[string]map[nudge.State][]nudge.Piece
	offers    [][]offer // per region, its rungs
	texts     *sync.Map // what its rungs give, as texts: textKey to []string
	// lone tells that it has no order rewards and nothing binds it to other nudges.
	lone bool
}

// index finds the nudges that can matter to a cart, as positions in
// Snapshot.nudges.
type index struct {
	broad        []int // those that count goods of any kind
	byProduct    map[string][]int
	byCollection map[string][]int
	byTag        map[string][]int
	byCode       map[string][]int
	byPool       map[string][]int
	all          []int
}

// Compile checks a shop and builds its snapshot.
func Compile(shop Shop) (*Snapshot, error) {
	if len(shop.Regions) == 0 {
		return nil, fmt.Errorf("a shop needs a region")
	}
	if err := catalog.CheckRegions(shop.Regions); err != nil {
		return nil, err
	}
	if err := shop.Settings.check(); err != nil {
		return nil, err
	}
	zone, err := time.LoadLocation(shop.Settings.TimeZone)
	if err != nil {
		return nil, fmt.Errorf("settings.time_zone: %q is not an IANA time zone such as Europe/Berlin", shop.Settings.TimeZone)
	}
	s := &Snapshot{shop: shop, byRegion: map[string]int{}, zone: zone, shelves: &sync.Map{}}
	for i, r := range shop.Regions {
		s.byRegion[r.ID] = i
	}
	for _, l := range shop.Nudges {
		c, err := compile(l, shop.Regions)
		if err != nil {
			return nil, fmt.Errorf("nudge %s: %w", l.ID, err)
		}
		s.nudges = append(s.nudges, c)
	}
	for _, r := range shop.Retired {
		c, err := compile(r.Live, shop.Regions)
		if err != nil {
			return nil, fmt.Errorf("nudge %s, revision %d: %w", r.ID, r.Revision, err)
		}
		s.retired = append(s.retired, retired{c, r.At})
	}
	s.buildIndex()
	return s, nil
}

func compile(l Live, regions []catalog.Region) (compiled, error) {
	c := compiled{Live: l, scope: l.Definition.Ladder.Scope, sentences: map[string]map[nudge.State][]nudge.Piece{}, texts: &sync.Map{}}
	if err := l.Definition.Valid(); err != nil {
		return c, err
	}
	tree, err := audience.Compile(l.Definition.Audience.When)
	if err != nil {
		return c, err
	}
	c.when = tree
	c.carried = c.scope.Carried()
	if in := c.scope.Include.Collections; len(in) == 1 && reflect.DeepEqual(c.scope, catalog.Filter{Include: catalog.Selection{Collections: in}}) {
		c.shelf = in[0]
	}
	c.lone = lone(&l.Definition)
	c.offers = offers(&l.Definition.Ladder, regions)
	for lang := range l.Definition.Wording {
		c.sentences[lang] = map[nudge.State][]nudge.Piece{}
		for _, st := range nudge.States {
			pieces, err := nudge.ParseSentence(l.Definition.Wording.Sentence(lang, st))
			if err != nil {
				return c, err
			}
			if len(pieces) > 0 {
				c.sentences[lang][st] = pieces
			}
		}
	}
	return c, nil
}

func lone(d *nudge.Definition) bool {
	if d.Beside.Group != "" || len(d.Beside.Refuses) > 0 {
		return false
	}
	for i := range d.Ladder.Rungs {
		for j := range d.Ladder.Rungs[i].Rewards {
			if d.Ladder.Rungs[i].Rewards[j].Kind.Class() == nudge.OrderClass {
				return false
			}
		}
	}
	return true
}

// With returns a snapshot in which some nudges are put in, or put in the place
// of those with the same id: a rehearsal of drafts among what is live.
func (s *Snapshot) With(drafts ...Live) (*Snapshot, error) {
	out := *s
	out.shelves = &sync.Map{}
	out.nudges = slices.Clone(s.nudges)
	for _, d := range drafts {
		c, err := compile(d, s.shop.Regions)
		if err != nil {
			return nil, fmt.Errorf("nudge %s: %w", d.ID, err)
		}
		at := slices.IndexFunc(out.nudges, func(x compiled) bool { return x.ID == d.ID })
		if at >= 0 {
			out.nudges[at] = c
		} else {
			out.nudges = append(out.nudges, c)
		}
	}
	out.buildIndex()
	return &out, nil
}

func (s *Snapshot) buildIndex() {
	slices.SortFunc(s.nudges, func(a, b compiled) int {
		return cmp.Or(cmp.Compare(a.Priority, b.Priority), cmp.Compare(a.ID, b.ID))
	})
	s.byID = make(map[string]int, len(s.nudges))
	for i := range s.nudges {
		s.byID[s.nudges[i].ID] = i
	}
	s.index = make([]index, len(s.shop.Regions))
	for r := range s.index {
		x := index{byProduct: map[string][]int{}, byCollection: map[string][]int{}, byTag: map[string][]int{}, byCode: map[string][]int{}, byPool: map[string][]int{}}
		for i := range s.nudges {
			x.put(i, &s.nudges[i], s.shop.Regions[r].ID)
		}
		s.index[r] = x
	}
}

func (x *index) put(i int, n *compiled, region string) {
	x.all = append(x.all, i)
	d := &n.Definition
	if len(d.Audience.Regions) > 0 && !slices.Contains(d.Audience.Regions, region) {
		return
	}
	in := d.Ladder.Scope.Include
	switch {
	case d.Audience.Code != "":
		key := codes.Normal(d.Audience.Code)
		x.byCode[key] = append(x.byCode[key], i)
	case d.Audience.Pool != "":
		x.byPool[d.Audience.Pool] = append(x.byPool[d.Audience.Pool], i)
	case elsewhere(d):
		x.broad = append(x.broad, i)
	case len(in.Products) > 0:
		for _, p := range in.Products {
			x.byProduct[p] = append(x.byProduct[p], i)
		}
	case len(in.Collections) > 0:
		for _, c := range in.Collections {
			x.byCollection[c] = append(x.byCollection[c], i)
		}
	case len(in.Tags) > 0:
		for _, t := range in.Tags {
			x.byTag[t] = append(x.byTag[t], i)
		}
	default:
		x.broad = append(x.broad, i)
	}
}

// elsewhere tells whether a nudge may matter to carts that hold none of the goods
// it counts.
func elsewhere(d *nudge.Definition) bool { return d.AppliesCode != "" }

// candidates returns the nudges that can matter to a cart or page, in order. Among
// them are quiet ones, which only what is added for the others can touch.
func (s *Snapshot) candidates(region int, lines []line, req *Request) (all []int, quiet map[string]bool) {
	x := &s.index[region]
	if req.Every {
		return x.all, nil
	}
	found := slices.Clone(x.broad)
	touch := func(product string, collections, tags []string) {
		found = append(found, x.byProduct[product]...)
		for _, c := range collections {
			found = append(found, x.byCollection[c]...)
		}
		for _, t := range tags {
			found = append(found, x.byTag[t]...)
		}
	}
	for i := range lines {
		touch(lines[i].facts.Product, lines[i].facts.Collections, lines[i].facts.Tags)
	}
	for _, c := range req.Cart.Codes {
		found = append(found, x.byCode[codes.Normal(c)]...)
		if pool, ok := req.Cart.PoolCodes[c]; ok {
			found = append(found, x.byPool[pool]...)
		}
	}
	for _, l := range req.Cart.Lines {
		if l.Origin != nil {
			found = append(found, s.find(l.Origin.Nudge)...)
		}
	}
	for _, i := range found {
		if code := s.nudges[i].Definition.AppliesCode; code != "" {
			found = append(found, x.byCode[codes.Normal(code)]...)
		}
	}
	page := req.Moment.Page
	if p, ok := s.shop.Catalog.Product(page.Product); ok {
		touch(p.ID, p.Collections, p.Tags)
	}
	if page.Collection != "" {
		touch("", []string{page.Collection}, nil)
	}
	if req.Added != nil {
		found = append(found, s.find(req.Added.Nudge)...)
	}
	slices.Sort(found)
	found = slices.Compact(found)
	all = found
	for _, i := range found {
		// An added unit is of the collections and tags that the asking scope includes.
		in := &s.nudges[i].scope.Include
		for _, c := range in.Collections {
			all = append(all, x.byCollection[c]...)
		}
		for _, t := range in.Tags {
			all = append(all, x.byTag[t]...)
		}
	}
	if len(all) == len(found) {
		return found, nil
	}
	known := found
	all = slices.Clone(all)
	slices.Sort(all)
	all = slices.Compact(all)
	if len(all) == len(known) {
		return all, nil
	}
	quiet = map[string]bool{}
	for _, i := range all {
		if _, is := slices.BinarySearch(known, i); !is {
			quiet[s.nudges[i].ID] = true
		}
	}
	return all, quiet
}

// find returns the position of a nudge, none where it is not there.
func (s *Snapshot) find(id string) []int {
	if i, ok := s.byID[id]; ok {
		return []int{i}
	}
	return nil
}

// Regions lists the shop's regions.
func (s *Snapshot) Regions() []catalog.Region { return s.shop.Regions }

// Catalog returns what the shop sells.
func (s *Snapshot) Catalog() *catalog.Catalog { return s.shop.Catalog }

func (s *Snapshot) mode() pricing.Mode {
	if s.shop.Settings.Stacking == ByPriority {
		return pricing.ByPriority
	}
	return pricing.BestForShopper
}
