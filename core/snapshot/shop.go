package snapshot

import (
	"time"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/trial"
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
	// Trials compare a live nudge with another revision of it, or with doing without, or sets of
	// nudges; a nudge is in one at most.
	Trials []Trial
	// Companions is how much likelier one product is in orders that hold another:
	// the lift, in thousandths, by product id and product id.
	Companions map[string]map[string]int64
}

// Trial lets a share of visitors have another revision of a live nudge in its place, which
// counts the same goods, in the same regions; or do without the nudge. Where one set of nudges
// is compared with another, there is one of these for each nudge of both, under one ID.
type Trial struct {
	ID      string
	Name    string // of one that compares sets
	Nudge   string
	Share   money.Rate          // of visitors in it who have B
	Among   trial.Part          // of all visitors who are in it; the zero value: all of them
	When    *audience.Condition // of all visits that are in it; nil: all of them
	B       Live
	Without bool // B is doing without
	Set     bool // the nudge is of one set that is compared with another: one arm has it
	OnlyB   bool // that arm is B
	Begun   bool // the nudge is there for the trial: who is not in it does not have it
}

// Arm names an arm of it: of those who are in it without the nudge, held.
func (t *Tried) Arm(b, held bool) string {
	switch {
	case t.Set && held:
		return results.ArmWithout(trial.Arm(t.ID, b))
	case held:
		return results.ArmWithout(t.ID)
	}
	return trial.Arm(t.ID, b)
}

// Tried is a trial made ready.
type Tried struct {
	ID    string
	Place trial.Comparison // of visitors in it
	Among trial.Part
	When  *audience.Tree
	Share money.Rate
	B     *Compiled // nil: doing without
	Set   bool
	OnlyB bool
	Begun bool
}

// Retired is a revision that was ended, or replaced by a later one, at a moment.
type Retired struct {
	Live
	At time.Time
}

// onlyItems lists the gifts and offers of a ladder that gives nothing else.
func onlyItems(l *nudge.Ladder) []nudge.Item {
	var out []nudge.Item
	for i := range l.Rungs {
		for j := range l.Rungs[i].Rewards {
			r := &l.Rungs[i].Rewards[j]
			if c := r.Kind.Class(); c != nudge.GiftClass && c != nudge.UnlockClass {
				return nil
			}
			if r.Choose != "" {
				return nil // there may be others
			}
			out = append(out, r.Items...)
		}
	}
	return out
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
