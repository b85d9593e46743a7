package decide

import (
	"cmp"
	"fmt"
	"slices"
	"sync"
	"time"
	_ "time/tzdata" // the shop's time zone, whatever the machine has

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
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
	// Frequency bounds how often any nudge shows that has no bound of its own.
	Frequency nudge.Frequency `json:"frequency,omitzero"`
	// QuoteMinutes is how long a checkout's total is held; 0 means 15.
	QuoteMinutes int `json:"quote_minutes,omitempty"`
}

// What settings mean that are not set.
const (
	DefaultGraceMinutes = 15
	DefaultQuoteMinutes = 15
	MostMinutes         = 24 * 60 // of either
	MostCap             = 1_000_000
)

// DefaultPrior is what is believed of a nudge that nothing is known of.
var DefaultPrior = Prior{Accepted: 1, Refused: 19}

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
	case s.GraceMinutes < 0 || s.GraceMinutes > MostMinutes:
		return fmt.Errorf("settings.grace_minutes: %d is not from 0 to %d", s.GraceMinutes, MostMinutes)
	case s.QuoteMinutes < 0 || s.QuoteMinutes > MostMinutes:
		return fmt.Errorf("settings.quote_minutes: %d is not from 0 to %d", s.QuoteMinutes, MostMinutes)
	case min(s.Frequency.PerVisit, s.Frequency.PerShopper) < 0 || max(s.Frequency.PerVisit, s.Frequency.PerShopper) > MostCap:
		return fmt.Errorf("settings.frequency: numbers from 0 (no bound) to %d are possible", MostCap)
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
	return time.Duration(cmp.Or(s.GraceMinutes, DefaultGraceMinutes)) * time.Minute
}

// Quote is how long a checkout's total is held.
func (s Settings) Quote() time.Duration {
	return time.Duration(cmp.Or(s.QuoteMinutes, DefaultQuoteMinutes)) * time.Minute
}

// caps are the bounds on how often a nudge shows: its own, else the shop's.
func (s *Settings) caps(own nudge.Frequency) nudge.Frequency {
	return nudge.Frequency{PerVisit: cmp.Or(own.PerVisit, s.Frequency.PerVisit), PerShopper: cmp.Or(own.PerShopper, s.Frequency.PerShopper)}
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
	shelving *shelving
	delivery []deliveries // per region
	names    numbers
	leaves   int  // conditions that audiences share
	goods    bool // whether an audience asks what goods are in the cart
}

type retired struct {
	compiled
	at time.Time
}

// compiled is a nudge made ready. What every decision that it touches reads of it
// comes first and lies together.
type compiled struct {
	gates      gates
	keyed      bool // it is found by what it counts
	only       bool // and counts all that is found so, save gift cards
	all        bool // it counts everything, save gift cards
	lone       bool // it has no order rewards and nothing binds it to other nudges
	when       *audience.Tree
	blueprints []blueprint  // per region
	names      []int32      // the numbers of the collections and tags in its scope
	sentences  []sentences  // per language of its wording
	items      []nudge.Item // its gifts and offers, if it gives nothing else
	Live
	scope   catalog.Filter
	carried catalog.Facts   // of a made-up unit in its scope
	caps    nudge.Frequency // how often it may show
}

// gates tell what, besides its conditions, may keep a nudge from taking part or from
// showing.
type gates uint8

const (
	scheduled gates = 1 << iota
	regional
	coded
	limited
	paged
	capped
	applying // it applies a code
)

func gatesOf(d *nudge.Definition, caps nudge.Frequency) gates {
	var g gates
	for gate, is := range map[gates]bool{
		scheduled: d.Schedule.From != nil || d.Schedule.Until != nil,
		regional:  len(d.Audience.Regions) > 0,
		coded:     d.Audience.Code != "" || d.Audience.Pool != "",
		limited:   d.Limits.Uses > 0 || d.Limits.PerShopper > 0 || len(d.Limits.Budget) > 0,
		paged:     len(d.Audience.Pages) > 0,
		capped:    !caps.IsZero(),
		applying:  d.AppliesCode != "",
	} {
		if is {
			g |= gate
		}
	}
	return g
}

// sentences are what a nudge says in a language: per state, in the order of
// nudge.States; empty where it has no words for it.
type sentences struct {
	language string
	of       [][]nudge.Piece
}

// Compile checks a shop and builds its snapshot. A shop that has no region yet
// decides nothing.
func Compile(shop Shop) (*Snapshot, error) {
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
	s := &Snapshot{shop: shop, byRegion: map[string]int{}, zone: zone, shelves: &sync.Map{}, shelving: shelve(shop.Catalog, len(shop.Regions))}
	for i, r := range shop.Regions {
		s.byRegion[r.ID] = i
		s.delivery = append(s.delivery, deliveriesOf(&shop.Regions[i]))
	}
	var audiences audience.Shared
	for _, l := range shop.Nudges {
		c, err := compile(l, &shop, &audiences)
		if err != nil {
			return nil, fmt.Errorf("nudge %s: %w", l.ID, err)
		}
		s.nudges = append(s.nudges, c)
	}
	for _, r := range shop.Retired {
		c, err := compile(r.Live, &shop, &audiences)
		if err != nil {
			return nil, fmt.Errorf("nudge %s, revision %d: %w", r.ID, r.Revision, err)
		}
		s.retired = append(s.retired, retired{c, r.At})
	}
	s.leaves = audiences.Count()
	s.buildIndex()
	return s, nil
}

func compile(l Live, shop *Shop, audiences *audience.Shared) (compiled, error) {
	c := compiled{Live: l, scope: l.Definition.Ladder.Scope}
	if err := l.Definition.Valid(); err != nil {
		return c, err
	}
	tree, err := audiences.Compile(l.Definition.Audience.When)
	if err != nil {
		return c, err
	}
	c.when = tree
	c.carried = c.scope.Carried()
	c.all = c.scope.IsEverything()
	c.caps = shop.Settings.caps(l.Definition.Frequency)
	c.gates = gatesOf(&l.Definition, c.caps)
	c.lone = lone(&l.Definition)
	c.blueprints = blueprints(&l, shop)
	c.items = onlyItems(&l.Definition.Ladder)
	for _, language := range l.Definition.Wording.Languages() {
		in := sentences{language: spoken(shop.Regions, language), of: make([][]nudge.Piece, len(nudge.States))}
		for i, st := range nudge.States {
			if in.of[i], err = nudge.ParseSentence(l.Definition.Wording.Sentence(language, st)); err != nil {
				return c, err
			}
		}
		c.sentences = append(c.sentences, in)
	}
	return c, nil
}

// spoken returns a language, where a region speaks it as that region's own text, so that
// comparing the two is quick.
func spoken(regions []catalog.Region, language string) string {
	for i := range regions {
		if at := slices.Index(regions[i].Languages, language); at >= 0 {
			return regions[i].Languages[at]
		}
	}
	return language
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
		c, err := compile(d, &s.shop, nil)
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

// find returns the position of a nudge, none where it is not there.
func (s *Snapshot) find(id string) []int32 {
	if i, ok := s.byID[id]; ok {
		return []int32{int32(i)}
	}
	return nil
}

// NameOf returns the name of a nudge.
func (s *Snapshot) NameOf(id string) (string, bool) {
	if i, ok := s.byID[id]; ok {
		return s.nudges[i].Definition.Name, true
	}
	return "", false
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
