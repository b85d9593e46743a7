package nudge

import (
	"encoding/json"
	"errors"
	"slices"

	"agonal.dev/agonal/core/strict"
)

// Limits of a definition.
const (
	MostBytes = 256 << 10 // of the JSON form
	MostName  = 80        // characters
	MostDays  = 365
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
// Errors are [FieldError].
func Parse(b []byte) (Definition, error) {
	var d Definition
	if err := strict.Decode(b, &d, "definition", MostBytes); err != nil {
		var e strict.Error
		if errors.As(err, &e) {
			return Definition{}, FieldError(e)
		}
		return Definition{}, err
	}
	if err := d.Valid(); err != nil {
		return Definition{}, err
	}
	return d, nil
}

// Print writes the canonical JSON form: the same definition gives the same bytes.
func Print(d Definition) ([]byte, error) { return json.MarshalIndent(d, "", "  ") }

// Regions lists the regions with an amount, sorted.
func (a Amounts) Regions() []string {
	out := make([]string, 0, len(a))
	for r := range a {
		out = append(out, r)
	}
	slices.Sort(out)
	return out
}
