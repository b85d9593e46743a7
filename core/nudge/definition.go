// Package nudge holds the definition of a nudge: its types, its JSON form, what
// a definition must fulfil by itself, and the plain sentence it reads as.
package nudge

import (
	"reflect"
	"time"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/theme"
)

// Version is the version of the JSON form.
const Version = 1

// Definition is one designed promise: goals, rewards, audience, placements,
// wording and look together.
type Definition struct {
	Version    int         `json:"version"`
	Name       string      `json:"name"`
	Ladder     Ladder      `json:"ladder"`
	Audience   Audience    `json:"audience"`
	Schedule   Schedule    `json:"schedule,omitzero"`
	Beside     Beside      `json:"beside,omitzero"`
	Limits     Limits      `json:"limits,omitzero"`
	Placements []Placement `json:"placements"`
	// EveryPlace shows the nudge also in the top bar of a page that shows it in a
	// nearer place, beside the product or in the cart.
	EveryPlace      bool `json:"every_place,omitempty"`
	HideWhenReached bool `json:"hide_when_reached,omitempty"`
	// HideWithoutGain hides the nudge where showing it is not expected to earn
	// anything.
	HideWithoutGain bool      `json:"hide_without_gain,omitempty"`
	Frequency       Frequency `json:"frequency,omitzero"`
	// DeclinedDays is for how many days it stays quiet once a shopper declined it; 0: for
	// the visit.
	DeclinedDays int64 `json:"declined_days,omitempty"`
	// TakesTurns lets it take turns with others that do, page by page, in a place where
	// there is room for fewer of them.
	TakesTurns bool `json:"takes_turns,omitempty"`
	// Holdout is the share of visitors it is kept from, so that what it brings can be known;
	// absent: that of the shop.
	Holdout *money.Rate `json:"holdout,omitempty"`
	// Moment is what a shopper has just done when it shows; empty: whenever its page
	// does. The reward is due at other moments too.
	Moment audience.Act `json:"moment,omitempty"`
	// AppliesCode counts as an entered code wherever the nudge is in its audience.
	AppliesCode string  `json:"applies_code,omitempty"`
	Suggest     Suggest `json:"suggest,omitempty"`
	// Headings are what stands above it where it has a block of its own, by language.
	Headings map[string]string `json:"headings,omitempty"`
	// Answers are what an offer is taken and declined with, where not with the usual words.
	Answers Answers `json:"answers,omitzero"`
	// ShareText is what is written beforehand for who shares the link of the cart, by language.
	ShareText map[string]string `json:"share_text,omitempty"`
	Wording   Wording           `json:"wording,omitempty"`
	Look      Look              `json:"look,omitzero"`
}

// MostHoldout is the largest share of visitors that anything is kept from.
const MostHoldout = money.Whole / 2

// Answers are the two answers to an offer, by language.
type Answers struct {
	Yes map[string]string `json:"yes,omitempty"`
	No  map[string]string `json:"no,omitempty"`
}

// IsZero tells whether nothing is said.
func (a Answers) IsZero() bool { return len(a.Yes) == 0 && len(a.No) == 0 }

// Ladder is the rungs in rising order and what all of them count.
type Ladder struct {
	Scope   catalog.Filter `json:"scope,omitzero"`
	Measure Measure        `json:"measure,omitempty"` // empty: value
	Basis   Basis          `json:"basis"`
	// WithoutTax counts net values where the region shows prices with tax.
	WithoutTax bool `json:"without_tax,omitempty"`
	// Replacing gives one rung, the highest that holds, or none; else rewards of
	// lower rungs are kept.
	Replacing bool `json:"replacing,omitempty"`
	// Slots make it a set that shoppers put together on purpose: what lies in it must
	// lie in them, and each rung is the price of so many pieces, neither more nor less.
	Slots []Slot `json:"slots,omitempty"`
	Rungs []Rung `json:"rungs"`
}

// Measure is what a goal counts of the counted lines.
type Measure string

// The measures; empty means Value.
const (
	Value       Measure = "value"
	Units       Measure = "units"
	SameProduct Measure = "same_product" // pieces of one and the same product
	SameVariant Measure = "same_variant"
	Distinct    Measure = "distinct_products"
	Weight      Measure = "weight" // grams
)

// Measures lists every measure.
var Measures = []Measure{Value, Units, SameProduct, SameVariant, Distinct, Weight}

// Counts returns what the ladder counts.
func (l *Ladder) Counts() Measure {
	if l.Measure == "" {
		return Value
	}
	return l.Measure
}

// Basis says at which point of the computation a value is measured.
type Basis string

// The bases, in the order of computing.
const (
	BeforeNudges Basis = "before_nudges"
	AfterUnit    Basis = "after_unit"
	AfterOrder   Basis = "after_order"
)

// Bases lists the bases in the order of computing.
var Bases = []Basis{BeforeNudges, AfterUnit, AfterOrder}

// Amounts is an amount for each region id, in that region's currency.
type Amounts map[string]money.Amount

// Rung is a goal and what reaching it gives.
type Rung struct {
	Thresholds Amounts `json:"thresholds,omitempty"` // of a value
	Count      int64   `json:"count,omitempty"`      // of any other measure
	// Upper ends belong to replacing ladders: beyond them the rung is passed.
	Upper      Amounts  `json:"upper,omitempty"`
	UpperCount int64    `json:"upper_count,omitempty"`
	Basis      Basis    `json:"basis,omitempty"` // empty: the ladder's
	Rewards    []Reward `json:"rewards"`
	// Wording is what is said of this rung in place of what is said of all.
	Wording Wording `json:"wording,omitempty"`
}

// BasisOf returns at which point a rung measures.
func (l *Ladder) BasisOf(r *Rung) Basis {
	if r.Basis != "" {
		return r.Basis
	}
	return l.Basis
}

// Beside says how a nudge stands beside others.
type Beside struct {
	// Group names an exclusive group: of all nudges in it, one is given.
	Group string `json:"group,omitempty"`
	// Refuses lists classes of other nudges' rewards it does not stand beside.
	Refuses []ClassName `json:"refuses,omitempty"`
	// Stacks lets its unit rewards go on top of other nudges' prices.
	Stacks bool `json:"stacks,omitempty"`
}

// IsZero tells whether nothing is said.
func (b Beside) IsZero() bool { return b.Group == "" && len(b.Refuses) == 0 && !b.Stacks }

// Limits bound what a nudge may give. Zero values bind nothing.
type Limits struct {
	Uses       int64       `json:"uses,omitempty"`        // orders in total
	PerShopper int64       `json:"per_shopper,omitempty"` // orders of one shopper
	Budget     Amounts     `json:"budget,omitempty"`      // in total, for each region
	Units      int64       `json:"units,omitempty"`       // rewarded units in one order
	Margin     *money.Rate `json:"margin,omitempty"`      // least margin rate of the lines it touches
	// Returns says what happens when what stays after a return no longer earns
	// the reward; empty: keep.
	Returns Returns `json:"returns,omitempty"`
}

// IsZero tells whether nothing is bounded.
func (l Limits) IsZero() bool {
	return l.Uses == 0 && l.PerShopper == 0 && len(l.Budget) == 0 && l.Units == 0 && l.Margin == nil && l.Returns == ""
}

// Returns is what happens to a reward when goods go back.
type Returns string

// What may happen.
const (
	Keep      Returns = "keep"
	Charge    Returns = "charge_gift" // the gift's list price is charged
	Recompute Returns = "recompute"
)

// Frequency bounds how often a nudge shows. Zero values bind nothing.
type Frequency struct {
	PerVisit   int64 `json:"per_visit,omitempty"`
	PerDay     int64 `json:"per_day,omitempty"` // within a day of the first of them
	PerShopper int64 `json:"per_shopper,omitempty"`
}

// IsZero tells whether nothing is bounded.
func (f Frequency) IsZero() bool { return f == Frequency{} }

// Suggest is how suggestions that close the gap are ranked.
type Suggest string

// The rankings; empty means LeastOvershoot.
const (
	LeastOvershoot Suggest = "least_overshoot"
	MostProfit     Suggest = "most_profit"
	BestCompanion  Suggest = "best_companion"
	Blend          Suggest = "blend" // equal parts of the three ranks
)

// Audience says for whom and where a nudge may show and give. Empty lists mean
// no restriction.
type Audience struct {
	Regions []string `json:"regions,omitempty"`
	Pages   []Page   `json:"pages,omitempty"`
	// Code must have been entered by the shopper; empty: no code is needed.
	Code string `json:"code,omitempty"`
	// Pool names a pool of single-use codes, any of which counts as its code.
	Pool string `json:"pool,omitempty"`
	// EarnedBy is what a shopper does to be given a code of the pool, once a visit; empty:
	// its codes come to shoppers in another way.
	EarnedBy audience.Act `json:"earned_by,omitempty"`
	// When is who and when it is meant for; nil: everyone, always.
	When *audience.Condition `json:"when,omitempty"`
}

// Page is a kind of page of a store.
type Page string

// The kinds of page.
const (
	HomePage       Page = "home"
	CollectionPage Page = "collection"
	ProductPage    Page = "product"
	CartPage       Page = "cart"
	CheckoutPage   Page = "checkout"
	ThanksPage     Page = "thanks"
	SetPage        Page = "set" // where a set is put together
)

// Pages lists every kind of page.
var Pages = []Page{HomePage, CollectionPage, ProductPage, CartPage, CheckoutPage, ThanksPage, SetPage}

// Schedule is the time a nudge is in force, from (inclusive) until (exclusive).
type Schedule struct {
	From  *time.Time `json:"from,omitempty"`
	Until *time.Time `json:"until,omitempty"`
}

// IsZero tells whether the nudge is always in force.
func (s Schedule) IsZero() bool { return s.From == nil && s.Until == nil }

// Holds tells whether a moment lies in the schedule.
func (s Schedule) Holds(at time.Time) bool {
	return (s.From == nil || !at.Before(*s.From)) && (s.Until == nil || at.Before(*s.Until))
}

// Placement is where in the store a nudge shows.
type Placement string

// The placements.
const (
	TopBar       Placement = "top_bar"
	ProductBlock Placement = "product_block"
	CartDrawer   Placement = "cart_drawer"
	CartBlock    Placement = "cart_page"
	Dialog       Placement = "dialog"
	CheckoutBump Placement = "checkout_bump"
	AfterBuy     Placement = "after_purchase"
	Launcher     Placement = "launcher"
	CardBadge    Placement = "card_badge"
	SetBuilder   Placement = "set_builder" // the page of a set that is put together
)

// Placements lists every placement.
var Placements = []Placement{TopBar, ProductBlock, CartDrawer, CartBlock, Dialog, CheckoutBump, AfterBuy, Launcher, CardBadge, SetBuilder}

// Embedded lists the placements that the embed draws by itself; the others are for
// a store that draws them from a decision.
var Embedded = []Placement{TopBar, ProductBlock, CartDrawer, CartBlock, CheckoutBump, AfterBuy, Launcher, SetBuilder, Dialog}

// Look is how the nudge is drawn, by names that the embed knows.
type Look struct {
	Tone Tone `json:"tone,omitempty"` // empty: ink
	Bar  Bar  `json:"bar,omitempty"`  // empty: rule
	// Goods is how the goods of a set stand to be chosen; empty: cards.
	Goods Goods `json:"goods,omitempty"`
	// PictureOf is the product whose picture stands in its block; empty: none.
	PictureOf string `json:"picture_of,omitempty"`
	// Picture is one of its own in place of that: a path of the shop, or an address. What it
	// shows is said by PictureAlt, by language; without that it is an ornament.
	Picture    string            `json:"picture,omitempty"`
	PictureAlt map[string]string `json:"picture_alt,omitempty"`
	// OwnGround and OwnText are colours in place of its tone's; both, or neither.
	OwnGround theme.Colour `json:"own_ground,omitempty"`
	OwnText   theme.Colour `json:"own_text,omitempty"`
	// Marked is the rung that a block points out, from 1; 0: none.
	Marked int64 `json:"marked,omitempty"`
	// Countdown tells how long it is still to be had, to its end.
	Countdown bool `json:"countdown,omitempty"`
}

// Goods is how goods stand to be chosen.
type Goods string

// The ways.
const (
	GoodsCards Goods = "cards"
	GoodsList  Goods = "list"
)

// IsZero tells whether the look is the usual one.
func (l Look) IsZero() bool {
	alt := l.PictureAlt
	l.PictureAlt = nil
	return len(alt) == 0 && reflect.DeepEqual(l, Look{})
}

// Tone is the colouring of a nudge within the shop's theme.
type Tone string

// The tones.
const (
	ToneInk    Tone = "ink"    // light on the shop's dark colour
	TonePaper  Tone = "paper"  // dark on the shop's ground
	ToneAccent Tone = "accent" // on the shop's accent colour
)

// Bar is how progress is drawn.
type Bar string

// The bars.
const (
	BarRule  Bar = "rule"  // a ruled scale with a mark for each rung
	BarSolid Bar = "solid" // a plain bar
	BarNone  Bar = "none"  // words only
	BarSteps Bar = "steps" // a list of the rungs, each with its goal
)

// State is which sentence of the wording is due.
type State string

// The states.
const (
	NotYet  State = "not_yet"
	OneStep State = "one_step" // little is missing
	Reached State = "reached"
	Lost    State = "lost"    // reached before in this visit, and no longer
	Outdone State = "outdone" // something better for the shopper stands in its place
	Waiting State = "waiting" // reached, but the goods it gives something on are not in the cart
)

// States lists every state in the order they are written.
var States = []State{NotYet, OneStep, Reached, Lost, Outdone, Waiting}

// Wording is a sentence per language (BCP 47) and state. Sentences hold
// placeholders in braces.
type Wording map[string]map[State]string

// ByCode tells whether a code decides who is meant: it was promised elsewhere, and is kept from
// nobody so that something can be compared.
func (d *Definition) ByCode() bool {
	return d.Audience.Code != "" || d.Audience.Pool != "" || d.AppliesCode != ""
}
