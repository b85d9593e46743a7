package nudge

import (
	"fmt"
	"slices"
	"unicode/utf8"

	"agonal.dev/agonal/core/catalog"
)

// MostSlots is how many slots a set that is put together may have.
const MostSlots = 8

// Slot is a part of a set that shoppers put together on purpose: from which of the
// ladder's goods, and from how many pieces to how many.
type Slot struct {
	// Names is what shoppers call it, by language; a missing one is said by its goods.
	Names map[string]string `json:"names,omitempty"`
	Scope catalog.Filter    `json:"scope,omitzero"`
	Least int64             `json:"least,omitempty"` // 0: it may stay empty
	Most  int64             `json:"most"`
}

// Built tells whether the nudge is about sets that shoppers put together.
func (d *Definition) Built() bool { return len(d.Ladder.Slots) > 0 }

// Run is so many pieces of a line of a set, and the slots that they may lie in.
type Run struct {
	Quantity int64
	Fits     []bool // per slot
}

// Filling is how the pieces of a set lie in its slots.
type Filling struct {
	Pieces  int64
	Stray   int64   // pieces that no slot has room for
	Have    []int64 // per slot
	Missing []int64 // per slot, to the least it asks for
	// Lies tells, run by run, how many pieces lie in which slot.
	Lies [][]int64
}

// Room is how many more pieces each slot takes.
func (f *Filling) Room(slots []Slot) []int64 {
	out := make([]int64, len(slots))
	for i := range slots {
		out[i] = max(0, slots[i].Most-f.Have[i])
	}
	return out
}

// Fill puts pieces into slots: as many as there is room for, and so that no slot stays
// below its least where any way would fill it. Runs and slots that come first are
// filled first.
func Fill(slots []Slot, runs []Run) Filling {
	f := Filling{Have: make([]int64, len(slots)), Missing: make([]int64, len(slots)), Lies: make([][]int64, len(runs))}
	left := make([]int64, len(runs))
	for i, r := range runs {
		f.Pieces += r.Quantity
		left[i] = r.Quantity
		f.Lies[i] = make([]int64, len(slots))
	}
	// First each slot's least, then its most: a slot that has been filled never loses a
	// piece again without getting another for it.
	for _, room := range []func(Slot) int64{func(s Slot) int64 { return min(s.Least, s.Most) }, func(s Slot) int64 { return s.Most }} {
		for i := range runs {
			for left[i] > 0 {
				n := f.place(slots, runs, i, left[i], room, make([]bool, len(slots)))
				if n == 0 {
					break
				}
				left[i] -= n
			}
		}
	}
	for i, s := range slots {
		f.Missing[i] = max(0, s.Least-f.Have[i])
	}
	for _, n := range left {
		f.Stray += n
	}
	return f
}

// place finds room for up to n pieces of a run, moving others to slots that they fit as
// well. It returns how many found some.
func (f *Filling) place(slots []Slot, runs []Run, run int, n int64, room func(Slot) int64, tried []bool) int64 {
	for s := range slots {
		if !runs[run].Fits[s] || tried[s] {
			continue
		}
		if free := room(slots[s]) - f.Have[s]; free > 0 {
			n = min(n, free)
			f.Have[s] += n
			f.Lies[run][s] += n
			return n
		}
	}
	for s := range slots {
		if !runs[run].Fits[s] || tried[s] {
			continue
		}
		tried[s] = true
		for other := range runs {
			there := f.Lies[other][s]
			if there == 0 || other == run {
				continue
			}
			if moved := f.place(slots, runs, other, min(n, there), room, tried); moved > 0 {
				f.Lies[other][s] -= moved
				f.Lies[run][s] += moved
				return moved
			}
		}
	}
	return 0
}

// ToGo is how many pieces are missing to a set of so many, false where adding pieces
// does not lead there.
func (f *Filling) ToGo(slots []Slot, count int64) (int64, bool) {
	var missing, most int64
	for i := range slots {
		missing += f.Missing[i]
		most += slots[i].Most
	}
	n := count - f.Pieces
	return n, f.Stray == 0 && n >= missing && count <= most
}

// Name says what shoppers call a slot, in a voice's language.
func (s *Slot) Name(v Voice) string {
	if name := s.Names[v.Language]; name != "" {
		return name
	}
	return FilterText(s.Scope, v)
}

// Text says what lies in a slot: "3 to 4 of Inks", "at most 1 of Wax".
func (s *Slot) Text(v Voice) string {
	goods := of(FilterText(s.Scope, v))
	if goods == "" {
		goods = " in all"
	}
	return s.bounds() + goods
}

func (s *Slot) bounds() string {
	switch s.Least {
	case s.Most:
		return fmt.Sprint(s.Least)
	case 0:
		return fmt.Sprintf("at most %d", s.Most)
	}
	return fmt.Sprintf("%d to %d", s.Least, s.Most)
}

// Holds tells whether a ladder is about goods: they are in its scope, and fit a slot
// where it has slots.
func (l *Ladder) Holds(goods *catalog.Facts) bool {
	return l.Scope.Matches(goods) && (len(l.Slots) == 0 || slices.ContainsFunc(l.Slots, func(s Slot) bool { return s.Scope.Matches(goods) }))
}

// validSlots tells what is impossible about a set that is put together.
func (l *Ladder) validSlots() error {
	if len(l.Slots) > MostSlots {
		return FieldError{"ladder.slots", fmt.Sprintf("at most %d slots", MostSlots)}
	}
	var least, most int64
	for i := range l.Slots {
		s := &l.Slots[i]
		at := SlotField(i)
		if err := s.Scope.Valid(); err != nil {
			return FieldError{at + ".scope", err.Error()}
		}
		if s.Least < 0 || s.Most < 1 || s.Most > MostSize || s.Least > s.Most {
			return FieldError{at + ".most", fmt.Sprintf("from %d to %d pieces cannot be; the most is from 1 to %d, the least not above it", s.Least, s.Most, MostSize)}
		}
		for language, name := range s.Names {
			if utf8.RuneCountInString(name) > MostName {
				return FieldError{at + ".names." + language, fmt.Sprintf("at most %d characters", MostName)}
			}
		}
		least, most = least+s.Least, most+s.Most
	}
	switch {
	case l.Counts() != Units:
		return FieldError{"ladder.measure", "a set that is put together counts pieces: units"}
	case l.Replacing:
		return FieldError{"ladder.replacing", "every set that is put together has the price for its own number; nothing replaces another"}
	}
	for i := range l.Rungs {
		r := &l.Rungs[i]
		at := fmt.Sprintf("ladder.rungs[%d]", i)
		switch {
		case r.Count < least || r.Count > most || r.Count > MostSize:
			return FieldError{at + ".count", fmt.Sprintf("%d pieces do not lie in the slots, which take from %d to %d", r.Count, least, min(most, MostSize))}
		case !slices.ContainsFunc(r.Rewards, func(w Reward) bool { return w.Shipments != LaterShipments }):
			return FieldError{at + ".rewards", "the first parcel needs a price too"}
		}
		for j, w := range r.Rewards {
			field := fmt.Sprintf("%s.rewards[%d]", at, j)
			switch {
			case !slices.Contains([]Kind{BuiltPrice, UnitPercent, UnitAmount}, w.Kind):
				return FieldError{field + ".kind", "a set that is put together has one price for all of it, or a percentage or an amount off each"}
			case w.On != nil || w.Cheapest > 0 || w.Dearest > 0:
				return FieldError{field + ".on", "what is put together is what becomes cheaper, all of it"}
			case w.Kind == BuiltPrice && w.Shipments == LaterShipments:
				return FieldError{field + ".shipments", "later parcels have the set's price too (every), or a percentage or an amount off each"}
			}
		}
	}
	return nil
}
