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

// Regions lists the regions with an amount, sorted.
func (a Amounts) Regions() []string {
	out := make([]string, 0, len(a))
	for r := range a {
		out = append(out, r)
	}
	slices.Sort(out)
	return out
}
