package snapshot

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/theme"
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
	// QuietMinutes is how long after a dialog no other opens; 0: no time at all.
	QuietMinutes int `json:"quiet_minutes,omitempty"`
	// Badges is how sale badges look; shops draw them.
	Badges BadgeStyle `json:"badges,omitzero"`
	// Theme is how nudges look.
	Theme theme.Theme `json:"theme,omitzero"`
	// Holdout is the share of visitors who see none of the nudges, so that what they bring
	// can be known, and the share that each nudge by itself is kept from unless it has one of
	// its own; absent: none.
	Holdout *money.Rate `json:"holdout,omitempty"`
}

// HeldOut is the share of visitors who see none of the nudges.
func (s Settings) HeldOut() money.Rate {
	if s.Holdout == nil {
		return 0
	}
	return *s.Holdout
}

// BadgeStyle is how a sale badge looks.
type BadgeStyle struct {
	Shape BadgeShape `json:"shape,omitempty"` // empty: a strip with a notch
	Shows BadgeShows `json:"shows,omitempty"` // empty: the percentage
}

// BadgeShape is the form of a badge.
type BadgeShape string

// The forms.
const (
	BadgeLabel BadgeShape = "label" // a strip with straight ends
	BadgeSeal  BadgeShape = "seal"  // a round one, as of wax
)

// BadgeShows is what a badge says.
type BadgeShows string

// What it may say.
const (
	ShowsPercent BadgeShows = "percent"
	ShowsAmount  BadgeShows = "amount"
)

// What settings mean that are not set.
const (
	DefaultGraceMinutes = 15
	DefaultQuoteMinutes = 15
	MostMinutes         = 24 * 60 // of each
	MostCap             = 1_000_000
)

// DefaultPrior is what is believed of a nudge that nothing is known of.
var DefaultPrior = Prior{Accepted: 1, Refused: 19}

// Weighs tells whether nudges are chosen by what they are expected to earn.
func (s Settings) Weighs() bool { return s.Choice != MerchantOrder }

// Believed is what is believed of a nudge before anything is seen of it.
func (s Settings) Believed() Prior {
	if s.Prior.IsZero() {
		return DefaultPrior
	}
	return s.Prior
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
	case !slices.Contains([]BadgeShape{"", BadgeLabel, BadgeSeal}, s.Badges.Shape):
		return fmt.Errorf("settings.badges.shape: must be label or seal")
	case !slices.Contains([]BadgeShows{"", ShowsPercent, ShowsAmount}, s.Badges.Shows):
		return fmt.Errorf("settings.badges.shows: must be percent or amount")
	case s.GraceMinutes < 0 || s.GraceMinutes > MostMinutes:
		return fmt.Errorf("settings.grace_minutes: %d is not from 0 to %d", s.GraceMinutes, MostMinutes)
	case s.QuoteMinutes < 0 || s.QuoteMinutes > MostMinutes:
		return fmt.Errorf("settings.quote_minutes: %d is not from 0 to %d", s.QuoteMinutes, MostMinutes)
	case s.QuietMinutes < 0 || s.QuietMinutes > MostMinutes:
		return fmt.Errorf("settings.quiet_minutes: %d is not from 0 to %d", s.QuietMinutes, MostMinutes)
	case min(s.Frequency.PerVisit, s.Frequency.PerDay, s.Frequency.PerShopper) < 0 || max(s.Frequency.PerVisit, s.Frequency.PerDay, s.Frequency.PerShopper) > MostCap:
		return fmt.Errorf("settings.frequency: numbers from 0 (no bound) to %d are possible", MostCap)
	case s.Margin != nil && *s.Margin >= money.Whole:
		return fmt.Errorf("settings.margin: must be below 100")
	case s.Holdout != nil && *s.Holdout > nudge.MostHoldout:
		return fmt.Errorf("settings.holdout: must be at most 50")
	case s.Prior.Accepted < 0 || s.Prior.Refused < 0 || s.Prior.Accepted > 1_000_000 || s.Prior.Refused > 1_000_000:
		return fmt.Errorf("settings.prior: numbers from 0 to 1000000 are possible")
	}
	if err := s.Theme.Valid(); err != nil {
		return fmt.Errorf("settings.theme.%w", err)
	}
	for p, n := range s.PerPlacement {
		if !slices.Contains(nudge.Placements, p) || n < 1 || n > 10 {
			return fmt.Errorf("settings.per_placement.%s: a placement with a number from 1 to 10 is needed", p)
		}
	}
	return nil
}

func (s Settings) Grace() time.Duration {
	return time.Duration(cmp.Or(s.GraceMinutes, DefaultGraceMinutes)) * time.Minute
}

// Quote is how long a checkout's total is held.
func (s Settings) Quote() time.Duration {
	return time.Duration(cmp.Or(s.QuoteMinutes, DefaultQuoteMinutes)) * time.Minute
}

// caps are the bounds on how often a nudge shows: its own, else the shop's.
func (s *Settings) caps(own nudge.Frequency) nudge.Frequency {
	return nudge.Frequency{PerVisit: cmp.Or(own.PerVisit, s.Frequency.PerVisit), PerDay: cmp.Or(own.PerDay, s.Frequency.PerDay), PerShopper: cmp.Or(own.PerShopper, s.Frequency.PerShopper)}
}

// IsZero tells whether all settings are the usual ones.
func (s Settings) IsZero() bool {
	return s.Stacking == "" && s.GraceMinutes == 0 && s.TimeZone == "" && s.Rounding == "" && s.Margin == nil && len(s.MostOff) == 0 &&
		s.Choice == "" && s.Prior.IsZero() && len(s.PerPlacement) == 0 && s.Frequency.IsZero() && s.QuoteMinutes == 0 && s.QuietMinutes == 0 && s.Badges == BadgeStyle{} && s.Theme.IsZero()
}

// Stacking is how rewards that cannot all be given are chosen.
type Stacking string

// The stacking modes; empty means BestForShopper.
const (
	BestForShopper Stacking = "best_for_shopper"
	ByPriority     Stacking = "by_priority"
)
