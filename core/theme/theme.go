// Package theme is how a shop's nudges look: colours whose contrast is worked out, sizes,
// corners, and the direction of writing. Contrast is no price: it may use floats.
package theme

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Colour is an sRGB colour as in #1b2a4a.
type Colour string

var hex = regexp.MustCompile(`^#[0-9a-f]{6}$`)

// ParseColour reads a colour as people write it: with or without the sign, in small or
// large letters, or with three digits.
func ParseColour(s string) (Colour, error) {
	s = strings.ToLower(strings.TrimPrefix(strings.TrimSpace(s), "#"))
	if len(s) == 3 {
		s = string([]byte{s[0], s[0], s[1], s[1], s[2], s[2]})
	}
	c := Colour("#" + s)
	if !c.Valid() {
		return "", fmt.Errorf("write a colour with six digits from 0 to f, such as #1b2a4a")
	}
	return c, nil
}

// Valid tells whether it is a colour.
func (c Colour) Valid() bool { return hex.MatchString(string(c)) }

// luminance is the relative luminance of a colour (WCAG 2.2).
func (c Colour) luminance() float64 {
	var sum float64
	for i, weight := range []float64{0.2126, 0.7152, 0.0722} {
		n, _ := strconv.ParseUint(string(c[1+2*i:3+2*i]), 16, 8)
		v := float64(n) / 255
		if v <= 0.04045 {
			v /= 12.92
		} else {
			v = math.Pow((v+0.055)/1.055, 2.4)
		}
		sum += weight * v
	}
	return sum
}

// Contrast is the contrast ratio of two colours in hundredths, from 100 to 2100, rounded
// down: what is said to be enough is.
func Contrast(a, b Colour) int64 {
	x, y := a.luminance(), b.luminance()
	return int64(math.Floor((max(x, y)+0.05)/(min(x, y)+0.05)*100 + 1e-9))
}

// Least contrast, in hundredths: of words, and of what is drawn (WCAG 2.2, 1.4.3 and 1.4.11).
const (
	LeastText  = 450
	LeastDrawn = 300
)

// Colours are what nudges are drawn in. All are set, or none.
type Colours struct {
	Ground     Colour `json:"ground"` // dark, as of the bar at the top
	Text       Colour `json:"text"`
	Open       Colour `json:"open"` // what is still missing, on it
	Done       Colour `json:"done"` // what is reached, on it
	Paper      Colour `json:"paper"`
	PaperText  Colour `json:"paper_text"`
	PaperOpen  Colour `json:"paper_open"`
	PaperDone  Colour `json:"paper_done"`
	Accent     Colour `json:"accent"`
	AccentText Colour `json:"accent_text"`
}

// Part is one of the colours.
type Part struct {
	Field, Name string
	At          *Colour
}

// Parts lists the colours with their names, to be read and changed.
func (c *Colours) Parts() []Part {
	return []Part{
		{"ground", "Dark ground", &c.Ground}, {"text", "Words on it", &c.Text}, {"open", "What is missing, on it", &c.Open}, {"done", "What is reached, on it", &c.Done},
		{"paper", "Light ground", &c.Paper}, {"paper_text", "Words on it", &c.PaperText}, {"paper_open", "What is missing, on it", &c.PaperOpen}, {"paper_done", "What is reached, on it", &c.PaperDone},
		{"accent", "Accent ground", &c.Accent}, {"accent_text", "Words on it", &c.AccentText},
	}
}

// Pair is two colours of which one stands on the other.
type Pair struct {
	Field string // the colour that stands on the other
	Name  string
	Front Colour
	Back  Colour
	Ratio int64 // in hundredths
	Least int64
}

// Enough tells whether it can be read.
func (p Pair) Enough() bool { return p.Ratio >= p.Least }

// Pairs lists what stands on what, with its contrast.
func (c Colours) Pairs() []Pair {
	out := []Pair{
		{Field: "text", Name: "Words on the dark ground", Front: c.Text, Back: c.Ground, Least: LeastText},
		{Field: "open", Name: "What is missing, on the dark ground", Front: c.Open, Back: c.Ground, Least: LeastDrawn},
		{Field: "done", Name: "What is reached, on the dark ground", Front: c.Done, Back: c.Ground, Least: LeastDrawn},
		{Field: "paper_text", Name: "Words on the light ground", Front: c.PaperText, Back: c.Paper, Least: LeastText},
		{Field: "paper_open", Name: "What is missing, on the light ground", Front: c.PaperOpen, Back: c.Paper, Least: LeastDrawn},
		{Field: "paper_done", Name: "What is reached, on the light ground", Front: c.PaperDone, Back: c.Paper, Least: LeastDrawn},
		{Field: "accent_text", Name: "Words on the accent ground", Front: c.AccentText, Back: c.Accent, Least: LeastText},
		{Field: "ground", Name: "The dark ground’s buttons on the light ground", Front: c.Ground, Back: c.Paper, Least: LeastDrawn},
	}
	for i := range out {
		out[i].Ratio = Contrast(out[i].Front, out[i].Back)
	}
	return out
}

// Scheme is when the dark colours are used.
type Scheme string

// The schemes; empty: never, the light ones always.
const (
	ByDevice   Scheme = "device"
	AlwaysDark Scheme = "dark"
)

// Spacing is how close things stand.
type Spacing string

// The spacings; empty: usual.
const (
	Tight Spacing = "tight"
	Wide  Spacing = "wide"
)

// Direction is the direction of writing.
type Direction string

// The directions; empty: by the language.
const (
	LeftToRight Direction = "ltr"
	RightToLeft Direction = "rtl"
)

// Bounds of sizes, in pixels.
const (
	LeastSize, MostSize, UsualSize = 12, 22, 14
	MostCorner                     = 24
)

// Theme is how a shop's nudges look. Zero values leave it to the shop's own styles.
type Theme struct {
	Light     *Colours  `json:"light,omitempty"`
	Dark      *Colours  `json:"dark,omitempty"`
	Scheme    Scheme    `json:"scheme,omitempty"`
	Size      int       `json:"size,omitempty"`   // of words, in pixels
	Corner    int       `json:"corner,omitempty"` // its radius, in pixels
	Spacing   Spacing   `json:"spacing,omitempty"`
	Direction Direction `json:"direction,omitempty"`
}

// IsZero tells whether nothing is set.
func (t Theme) IsZero() bool { return t == Theme{} }

// Error names a field of a theme and says what is wrong with it.
type Error struct{ Field, Why string }

func (e Error) Error() string { return e.Field + ": " + e.Why }

// Valid tells what is impossible about a theme, contrast that is too low among it. Errors
// are [Error].
func (t Theme) Valid() error {
	for _, c := range []struct {
		name string
		of   *Colours
	}{{"light", t.Light}, {"dark", t.Dark}} {
		if c.of == nil {
			continue
		}
		for _, p := range c.of.Parts() {
			if !p.At.Valid() {
				return Error{c.name + "." + p.Field, "a colour such as #1b2a4a is needed"}
			}
		}
		for _, p := range c.of.Pairs() {
			if !p.Enough() {
				return Error{c.name + "." + p.Field, fmt.Sprintf("%s has a contrast of %s; at least %s are needed", p.Name, Ratio(p.Ratio), Ratio(p.Least))}
			}
		}
	}
	switch {
	case t.Dark != nil && t.Light == nil:
		return Error{"light", "dark colours stand beside light ones"}
	case !slices.Contains([]Scheme{"", ByDevice, AlwaysDark}, t.Scheme):
		return Error{"scheme", "must be device or dark"}
	case t.Scheme != "" && t.Dark == nil:
		return Error{"scheme", "there are no dark colours"}
	case t.Size != 0 && (t.Size < LeastSize || t.Size > MostSize):
		return Error{"size", fmt.Sprintf("%d is not from %d to %d", t.Size, LeastSize, MostSize)}
	case t.Corner < 0 || t.Corner > MostCorner:
		return Error{"corner", fmt.Sprintf("%d is not from 0 to %d", t.Corner, MostCorner)}
	case !slices.Contains([]Spacing{"", Tight, Wide}, t.Spacing):
		return Error{"spacing", "must be tight or wide"}
	case !slices.Contains([]Direction{"", LeftToRight, RightToLeft}, t.Direction):
		return Error{"direction", "must be ltr or rtl"}
	}
	return nil
}

// Ratio writes a contrast: "4.5 : 1".
func Ratio(hundredths int64) string {
	return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%d.%02d", hundredths/100, hundredths%100), "0"), ".") + " : 1"
}

// rightToLeft are the languages that are written from right to left.
var rightToLeft = []string{"ar", "dv", "fa", "he", "ks", "ps", "sd", "ug", "ur", "yi"}

// IsRightToLeft tells whether words of a language (BCP 47) run from right to left.
func (t Theme) IsRightToLeft(language string) bool {
	if t.Direction != "" {
		return t.Direction == RightToLeft
	}
	base, _, _ := strings.Cut(strings.ToLower(language), "-")
	return slices.Contains(rightToLeft, base)
}

// Vars are what a theme sets of the embed's style, by name without the prefix.
type Vars struct {
	Light  map[string]string `json:"light"`
	Dark   map[string]string `json:"dark,omitempty"`
	Scheme Scheme            `json:"scheme,omitempty"`
}

// Vars returns what a theme sets of the embed's style; nil: nothing.
func (t Theme) Vars() *Vars {
	v := &Vars{Light: t.Light.vars(), Dark: t.Dark.vars(), Scheme: t.Scheme}
	if v.Light == nil {
		v.Light = map[string]string{}
	}
	if t.Size > 0 {
		v.Light["size"] = fmt.Sprintf("%dpx", t.Size)
	}
	if t.Corner > 0 {
		v.Light["corner"] = fmt.Sprintf("%dpx", t.Corner)
	}
	if space := map[Spacing]string{Tight: ".7", Wide: "1.5"}[t.Spacing]; space != "" {
		v.Light["space"] = space
	}
	if len(v.Light) == 0 {
		return nil
	}
	return v
}

func (c *Colours) vars() map[string]string {
	if c == nil {
		return nil
	}
	return map[string]string{
		"ground": string(c.Ground), "text": string(c.Text), "fill": string(c.Open), "done": string(c.Done),
		"paper": string(c.Paper), "paper-text": string(c.PaperText), "fill-paper": string(c.PaperOpen), "done-paper": string(c.PaperDone),
		"accent": string(c.Accent), "accent-text": string(c.AccentText), "hint": string(c.PaperOpen), "drawer": string(c.Paper), "drawer-text": string(c.PaperText),
	}
}
