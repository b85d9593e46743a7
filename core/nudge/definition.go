// Package nudge holds the definition of a nudge: its types, its JSON form, what
// a definition must fulfil by itself, and the plain sentence it reads as.
package nudge

import (
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Version is the version of the JSON form.
const Version = 1

// Definition is one designed promise: goals, rewards, audience, placements,
// wording and look together.
type Definition struct {
	Version         int         `json:"version"`
	Name            string      `json:"name"`
	Ladder          Ladder      `json:"ladder"`
	Audience        Audience    `json:"audience"`
	Schedule        Schedule    `json:"schedule,omitzero"`
	Placements      []Placement `json:"placements"`
	HideWhenReached bool        `json:"hide_when_reached,omitempty"`
	Wording         Wording     `json:"wording,omitempty"`
	Look            Look        `json:"look,omitzero"`
}

// Ladder is the rungs in rising order and what all of them count. Rewards of
// lower rungs are kept.
type Ladder struct {
	Scope catalog.Filter `json:"scope,omitzero"`
	Basis Basis          `json:"basis"`
	// WithoutTax counts net values where the region shows prices with tax.
	WithoutTax bool   `json:"without_tax,omitempty"`
	Rungs      []Rung `json:"rungs"`
}

// Basis says at which point of the computation a value is measured.
type Basis string

// The bases, in the order of computing.
const (
	BeforeNudges Basis = "before_nudges"
	AfterOrder   Basis = "after_order"
)

// Amounts is an amount for each region id, in that region's currency.
type Amounts map[string]money.Amount

// Rung is a goal and what reaching it gives.
type Rung struct {
	Thresholds Amounts  `json:"thresholds"`
	Rewards    []Reward `json:"rewards"`
}

// Kind is a form of reward.
type Kind string

// The forms of reward.
const (
	FreeShipping Kind = "free_shipping" // the named methods cost nothing
	ShippingOff  Kind = "shipping_off"  // an amount off the fee of the named methods
	ShippingFlat Kind = "shipping_flat" // a fee that the named methods never exceed
	OrderPercent Kind = "order_percent" // a percentage off the counted lines
)

// Class says at which stage of computing a reward is given.
type Class int

// The classes, in the order of computing.
const (
	OrderClass Class = iota + 1
	ShippingClass
)

// Class returns the kind's class, 0 for an unknown kind.
func (k Kind) Class() Class {
	switch k {
	case OrderPercent:
		return OrderClass
	case FreeShipping, ShippingOff, ShippingFlat:
		return ShippingClass
	}
	return 0
}

// Reward is what is given. Which fields count depends on Kind.
type Reward struct {
	Kind Kind `json:"kind"`
	// Methods names shipping methods; empty means all of them.
	Methods []string `json:"methods,omitempty"`
	// Amounts is the amount off or the flat fee per region.
	Amounts Amounts `json:"amounts,omitempty"`
	// Percent is the share taken off.
	Percent *money.Rate `json:"percent,omitempty"`
	// Cap is the most that a percentage takes off, per region.
	Cap Amounts `json:"cap,omitempty"`
}

// Names tells whether the reward is about a shipping method.
func (r Reward) Names(method string) bool {
	if len(r.Methods) == 0 {
		return true
	}
	for _, m := range r.Methods {
		if m == method {
			return true
		}
	}
	return false
}

// Audience says for whom and where a nudge may show and give. Empty lists mean
// no restriction.
type Audience struct {
	Regions []string `json:"regions,omitempty"`
	Pages   []Page   `json:"pages,omitempty"`
	// Code must have been entered by the shopper; empty: no code is needed.
	Code string `json:"code,omitempty"`
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
)

// Pages lists every kind of page.
var Pages = []Page{HomePage, CollectionPage, ProductPage, CartPage, CheckoutPage, ThanksPage}

// Schedule is the time a nudge is in force, from (inclusive) until (exclusive).
type Schedule struct {
	From  *time.Time `json:"from,omitempty"`
	Until *time.Time `json:"until,omitempty"`
}

// IsZero tells whether the nudge is always in force.
func (s Schedule) IsZero() bool { return s.From == nil && s.Until == nil }

// Placement is where in the store a nudge shows.
type Placement string

// The placements.
const (
	TopBar       Placement = "top_bar"
	ProductBlock Placement = "product_block"
	CartDrawer   Placement = "cart_drawer"
	CartBlock    Placement = "cart_page"
)

// Placements lists every placement.
var Placements = []Placement{TopBar, ProductBlock, CartDrawer, CartBlock}

// Look is how the nudge is drawn, by names that the embed knows.
type Look struct {
	Tone Tone `json:"tone,omitempty"` // empty: ink
	Bar  Bar  `json:"bar,omitempty"`  // empty: rule
}

// IsZero tells whether the look is the usual one.
func (l Look) IsZero() bool { return l == Look{} }

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
)

// States lists every state in the order they are written.
var States = []State{NotYet, OneStep, Reached, Lost, Outdone}

// Wording is a sentence per language (BCP 47) and state. Sentences hold
// placeholders in braces.
type Wording map[string]map[State]string
