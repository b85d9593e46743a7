package decide

import (
	"fmt"
	"slices"
	"sync"
	"time"
	_ "time/tzdata" // the shop's time zone, whatever the machine has

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
)

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

// listed is how many nudges a placement lists.
func (s *Snapshot) listed(p nudge.Placement) int { return max(1, s.shop.Settings.PerPlacement[p]) }
