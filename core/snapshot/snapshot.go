// Package snapshot is what a shop becomes when it is published: everything that can be
// laid out before a visit comes. Every variant as a region sells it, every nudge as a
// region has it (its goals, its rewards as pricing knows them, its sentences), and what
// touches what, by number. A [Snapshot] never changes, so any number of decisions are
// made on it at once; package decide makes them.
package snapshot

import (
	"fmt"
	"slices"
	"time"
	_ "time/tzdata" // the shop's time zone, whatever the machine has

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/theme"
	"agonal.dev/agonal/core/trial"
)

// Snapshot is a shop with its indexes built. It is never changed but for what it
// remembers of its own goods.
type Snapshot struct {
	Shop     Shop
	ByRegion map[string]int
	byID     map[string]int // positions in nudges
	Zone     *time.Location
	Nudges   []Compiled // in order of priority, then id
	Retired  []retired
	Index    []Index // per region
	shelving *shelving
	Delivery []deliveries // per region
	Names    numbers
	Leaves   int  // conditions that audiences share
	Goods    bool // whether an audience asks what goods are in the cart
	Theme    *theme.Vars
}

type retired struct {
	Compiled
	At time.Time
}

// Compiled is a nudge made ready. What every decision that it touches reads of it
// comes first and lies together.
type Compiled struct {
	Gates      gates
	Keyed      bool             // it is found by what it counts
	Only       bool             // and counts all that is found so, save gift cards
	All        bool             // it counts everything, save gift cards
	Lone       bool             // it has no order rewards and nothing binds it to other nudges
	Kept       money.Rate       // the share of visitors that it is kept from; 0 where a code decides
	Place      trial.Comparison // of visitors whom it is kept from
	When       *audience.Tree
	Blueprints []Blueprint   // per region
	Names      []int32       // the numbers of the collections and tags in its scope
	sentences  [][]sentences // by rung; one for all of them where they say the same
	Items      []nudge.Item  // its gifts and offers, if it gives nothing else
	Trial      *Tried        // that it is an arm of
	Live
	Scope   catalog.Filter
	Shelf   string          // names the goods in its scope
	Carried catalog.Facts   // of a made-up unit in its scope
	Caps    nudge.Frequency // how often it may show
}

// gates tell what, besides its conditions, may keep a nudge from taking part or from
// showing.
type gates uint8

const (
	Scheduled gates = 1 << iota
	Regional
	Coded
	Limited
	Paged
	Capped
	Applying // it applies a code
	InTrial
)

func gatesOf(d *nudge.Definition, caps nudge.Frequency) gates {
	var g gates
	for gate, is := range map[gates]bool{
		Scheduled: d.Schedule.From != nil || d.Schedule.Until != nil,
		Regional:  len(d.Audience.Regions) > 0,
		Coded:     d.Audience.Code != "" || d.Audience.Pool != "",
		Limited:   d.Limits.Uses > 0 || d.Limits.PerShopper > 0 || len(d.Limits.Budget) > 0,
		Paged:     len(d.Audience.Pages) > 0,
		Capped:    !caps.IsZero(),
		Applying:  d.AppliesCode != "",
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
	s := &Snapshot{Shop: shop, ByRegion: map[string]int{}, Zone: zone, Theme: shop.Settings.Theme.Vars(), shelving: shelve(shop.Catalog, len(shop.Regions))}
	for i, r := range shop.Regions {
		s.ByRegion[r.ID] = i
		s.Delivery = append(s.Delivery, deliveriesOf(&shop.Regions[i]))
	}
	var audiences audience.Shared
	for _, l := range shop.Nudges {
		c, err := compile(l, &shop, &audiences)
		if err != nil {
			return nil, fmt.Errorf("nudge %s: %w", l.ID, err)
		}
		s.Nudges = append(s.Nudges, c)
	}
	for _, t := range shop.Trials {
		i := slices.IndexFunc(s.Nudges, func(c Compiled) bool { return c.ID == t.Nudge })
		if i < 0 {
			continue
		}
		when, err := audiences.Compile(t.When)
		if err != nil {
			return nil, fmt.Errorf("trial %s: %w", t.ID, err)
		}
		tried := &Tried{ID: t.ID, Place: trial.Named(trial.Name(t.ID)), Among: t.Among, When: when, Share: t.Share, Set: t.Set, OnlyB: t.OnlyB, Begun: t.Begun}
		s.Nudges[i].Gates |= InTrial
		s.Nudges[i].Trial = tried
		if t.Without || t.Set {
			continue
		}
		b, err := compile(t.B, &shop, &audiences)
		if err != nil {
			return nil, fmt.Errorf("trial %s: %w", t.ID, err)
		}
		b.Gates |= InTrial
		b.Trial, tried.B = tried, &b
	}
	for _, r := range shop.Retired {
		c, err := compile(r.Live, &shop, &audiences)
		if err != nil {
			return nil, fmt.Errorf("nudge %s, revision %d: %w", r.ID, r.Revision, err)
		}
		s.Retired = append(s.Retired, retired{c, r.At})
	}
	s.Leaves = audiences.Count()
	s.buildIndex()
	return s, nil
}

func compile(l Live, shop *Shop, audiences *audience.Shared) (Compiled, error) {
	c := Compiled{Live: l, Scope: l.Definition.Ladder.Scope}
	if err := l.Definition.Valid(); err != nil {
		return c, err
	}
	tree, err := audiences.Compile(l.Definition.Audience.When)
	if err != nil {
		return c, err
	}
	c.When = tree
	c.Carried = c.Scope.Carried()
	c.Shelf = c.Scope.Key()
	c.All = c.Scope.IsEverything()
	c.Caps = shop.Settings.caps(l.Definition.Frequency)
	c.Gates = gatesOf(&l.Definition, c.Caps)
	c.Lone = lone(&l.Definition)
	c.Place = trial.Named(l.ID)
	if !l.Definition.ByCode() {
		if c.Kept = shop.Settings.HeldOut(); l.Definition.Holdout != nil {
			c.Kept = *l.Definition.Holdout
		}
	}
	c.Blueprints = blueprints(&l, shop)
	c.Items = onlyItems(&l.Definition.Ladder)
	n := 1 // all rungs say the same, unless one has words of its own
	if slices.ContainsFunc(l.Definition.Ladder.Rungs, func(r nudge.Rung) bool { return len(r.Wording) > 0 }) {
		n = len(l.Definition.Ladder.Rungs)
	}
	for rung := range n {
		var all []sentences
		for _, language := range l.Definition.AllLanguages() {
			in := sentences{language: spoken(shop.Regions, language), of: make([][]nudge.Piece, len(nudge.States)), forms: make([]map[nudge.Form][]nudge.Piece, len(nudge.States))}
			for i, st := range nudge.States {
				if in.of[i], err = nudge.ParseSentence(l.Definition.SentenceOf(rung, language, st)); err != nil {
					return c, err
				}
				if in.forms[i], err = formsOf(&l.Definition, rung, language, st); err != nil {
					return c, err
				}
			}
			all = append(all, in)
		}
		c.sentences = append(c.sentences, all)
	}
	return c, nil
}

// formsOf are the sentences of a rung's state that are for some numbers only; nil: none.
func formsOf(d *nudge.Definition, rung int, language string, st nudge.State) (map[nudge.Form][]nudge.Piece, error) {
	var out map[nudge.Form][]nudge.Piece
	for _, f := range nudge.FormsOf(language) {
		text := d.SentenceOf(rung, language, st.With(f))
		if text == "" {
			continue
		}
		pieces, err := nudge.ParseSentence(text)
		if err != nil {
			return nil, err
		}
		if out == nil {
			out = map[nudge.Form][]nudge.Piece{}
		}
		out[f] = pieces
	}
	return out, nil
}

// With returns a snapshot in which some nudges are put in, or put in the place
// of those with the same id: a rehearsal of drafts among what is live.
func (s *Snapshot) With(drafts ...Live) (*Snapshot, error) {
	out := *s
	out.Nudges = slices.Clone(s.Nudges)
	for _, d := range drafts {
		c, err := compile(d, &s.Shop, nil)
		if err != nil {
			return nil, fmt.Errorf("nudge %s: %w", d.ID, err)
		}
		at := slices.IndexFunc(out.Nudges, func(x Compiled) bool { return x.ID == d.ID })
		if at >= 0 {
			out.Nudges[at] = c
		} else {
			out.Nudges = append(out.Nudges, c)
		}
	}
	out.buildIndex()
	return &out, nil
}

// Find returns the position of a nudge, none where it is not there.
func (s *Snapshot) Find(id string) []int32 {
	if i, ok := s.byID[id]; ok {
		return []int32{int32(i)}
	}
	return nil
}

// NameOf returns the name of a nudge.
func (s *Snapshot) NameOf(id string) (string, bool) {
	if i, ok := s.byID[id]; ok {
		return s.Nudges[i].Definition.Name, true
	}
	return "", false
}

// Regions lists the shop's regions.
func (s *Snapshot) Regions() []catalog.Region { return s.Shop.Regions }

// Catalog returns what the shop sells.
func (s *Snapshot) Catalog() *catalog.Catalog { return s.Shop.Catalog }

func (s *Snapshot) Mode() pricing.Mode {
	if s.Shop.Settings.Stacking == ByPriority {
		return pricing.ByPriority
	}
	return pricing.BestForShopper
}

// Listed is how many nudges a placement lists.
func (s *Snapshot) Listed(p nudge.Placement) int { return max(1, s.Shop.Settings.PerPlacement[p]) }
