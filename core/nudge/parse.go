package nudge

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"agonal.dev/agonal/core/money"
)

// Limits of a definition.
const (
	MostBytes = 256 << 10 // of the JSON form
	MostName  = 80        // characters
	MostRungs = 6
)

// FieldError names a field of a definition in the manner of a path
// ("ladder.rungs[1].thresholds.eu") and says what is wrong with it.
type FieldError struct {
	Field string
	Why   string
}

func (e FieldError) Error() string { return e.Field + ": " + e.Why }

// Parse reads the JSON form. Unknown fields are refused by name. The result is
// well formed; whether it may be published is a question for package checks.
func Parse(b []byte) (Definition, error) {
	var d Definition
	if len(b) > MostBytes {
		return d, FieldError{"definition", fmt.Sprintf("%d bytes are too many; at most %d", len(b), MostBytes)}
	}
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&d); err != nil {
		return Definition{}, jsonError(err)
	}
	if _, err := dec.Token(); !errors.Is(err, io.EOF) {
		return Definition{}, FieldError{"definition", "something follows after the closing brace"}
	}
	if err := d.Valid(); err != nil {
		return Definition{}, err
	}
	return d, nil
}

var unknownField = regexp.MustCompile(`unknown field "([^"]*)"`)

func jsonError(err error) error {
	var typ *json.UnmarshalTypeError
	if m := unknownField.FindStringSubmatch(err.Error()); m != nil {
		return FieldError{m[1], "this field is not known"}
	}
	if errors.As(err, &typ) {
		return FieldError{typ.Field, fmt.Sprintf("a %s does not belong here", typ.Value)}
	}
	return FieldError{"definition", strings.TrimPrefix(err.Error(), "json: ")}
}

// Print writes the canonical JSON form: the same definition gives the same bytes.
func Print(d Definition) ([]byte, error) { return json.MarshalIndent(d, "", "  ") }

// Valid tells what makes the definition impossible by itself, as the first
// [FieldError] found, or nil.
func (d Definition) Valid() error {
	if d.Version != Version {
		return FieldError{"version", fmt.Sprintf("must be %d", Version)}
	}
	if utf8.RuneCountInString(d.Name) > MostName || !utf8.ValidString(d.Name) {
		return FieldError{"name", fmt.Sprintf("at most %d characters", MostName)}
	}
	if d.Ladder.Basis != BeforeNudges && d.Ladder.Basis != AfterOrder {
		return FieldError{"ladder.basis", "must be before_nudges or after_order"}
	}
	if n := len(d.Ladder.Rungs); n == 0 || n > MostRungs {
		return FieldError{"ladder.rungs", fmt.Sprintf("from 1 to %d rungs are possible", MostRungs)}
	}
	for i, r := range d.Ladder.Rungs {
		if err := d.Ladder.validRung(fmt.Sprintf("ladder.rungs[%d]", i), r); err != nil {
			return err
		}
	}
	for i, p := range d.Audience.Pages {
		if !slices.Contains(Pages, p) {
			return FieldError{fmt.Sprintf("audience.pages[%d]", i), fmt.Sprintf("%q is not a kind of page", p)}
		}
	}
	if len(d.Audience.Code) > 40 {
		return FieldError{"audience.code", "at most 40 characters"}
	}
	for i, p := range d.Placements {
		if !slices.Contains(Placements, p) || slices.Contains(d.Placements[:i], p) {
			return FieldError{fmt.Sprintf("placements[%d]", i), fmt.Sprintf("%q is not a placement, or stands twice", p)}
		}
	}
	if s := d.Schedule; s.From != nil && s.Until != nil && !s.Until.After(*s.From) {
		return FieldError{"schedule.until", "must be later than the start, " + s.From.Format(time.RFC3339)}
	}
	return errors.Join(d.validLook(), d.validWording())
}

func (d Definition) validLook() error {
	if !slices.Contains([]Tone{"", ToneInk, TonePaper, ToneAccent}, d.Look.Tone) {
		return FieldError{"look.tone", "must be ink, paper or accent"}
	}
	if !slices.Contains([]Bar{"", BarRule, BarSolid, BarNone}, d.Look.Bar) {
		return FieldError{"look.bar", "must be rule, solid or none"}
	}
	return nil
}

func (d Definition) validWording() error {
	for _, l := range d.Wording.Languages() {
		for s, text := range d.Wording[l] {
			field := fmt.Sprintf("wording.%s.%s", l, s)
			if !slices.Contains(States, s) {
				return FieldError{field, "is not a state of a nudge"}
			}
			if _, err := ParseSentence(text); err != nil {
				return FieldError{field, err.Error()}
			}
		}
	}
	return nil
}

func (l Ladder) validRung(at string, r Rung) error {
	if err := validAmounts(at+".thresholds", r.Thresholds); err != nil {
		return err
	}
	if len(r.Rewards) == 0 || len(r.Rewards) > 4 {
		return FieldError{at + ".rewards", "from 1 to 4 rewards are possible"}
	}
	class := r.Rewards[0].Kind.Class()
	for i, w := range r.Rewards {
		field := fmt.Sprintf("%s.rewards[%d]", at, i)
		switch {
		case w.Kind.Class() == 0:
			return FieldError{field + ".kind", fmt.Sprintf("%q is not a kind of reward", w.Kind)}
		case w.Kind.Class() != class:
			return FieldError{field + ".kind", "all rewards of a rung must be of one class"}
		case class == OrderClass && i > 0:
			return FieldError{field, "one order reward is enough"}
		case class == OrderClass && l.Basis == AfterOrder:
			return FieldError{"ladder.basis", "a goal for money off the order cannot look at the value after it; count before nudges"}
		}
		if err := w.valid(field); err != nil {
			return err
		}
	}
	return nil
}

func (r Reward) valid(at string) error {
	if err := validAmounts(at+".amounts", r.Amounts); err != nil {
		return err
	}
	if err := validAmounts(at+".cap", r.Cap); err != nil {
		return err
	}
	if (r.Kind == OrderPercent) != (r.Percent != nil) {
		return FieldError{at + ".percent", "is needed for a percentage off, and only there"}
	}
	if r.Percent != nil && *r.Percent == 0 {
		return FieldError{at + ".percent", "must be more than 0"}
	}
	return nil
}

func validAmounts(at string, a Amounts) error {
	for _, region := range a.Regions() {
		v := a[region]
		if v.Minor < 0 || v.Minor > money.Most {
			return FieldError{at + "." + region, fmt.Sprintf("%s is not from 0 to %s", v, money.Amount{Minor: money.Most, Currency: v.Currency})}
		}
	}
	return nil
}

// Regions lists the regions with an amount, sorted.
func (a Amounts) Regions() []string {
	out := make([]string, 0, len(a))
	for r := range a {
		out = append(out, r)
	}
	slices.Sort(out)
	return out
}
