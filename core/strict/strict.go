// Package strict reads JSON documents that hold exactly what is known: unknown
// fields, a second document, and values of the wrong type are refused by name.
package strict

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
)

// Error names a field as a path and says what is wrong with it.
type Error struct {
	Field string
	Why   string
}

func (e Error) Error() string { return e.Field + ": " + e.Why }

var unknownField = regexp.MustCompile(`unknown field "([^"]*)"`)

// Decode reads one document of at most so many bytes into v, which is a pointer.
// what names the document in errors that belong to no field. Errors are [Error].
func Decode(b []byte, v any, what string, most int) error {
	if len(b) > most {
		return Error{what, fmt.Sprintf("%d bytes are too many; at most %d", len(b), most)}
	}
	if err := Texts(b); err != nil {
		return err
	}
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.DisallowUnknownFields()
	if err := dec.Decode(v); err != nil {
		return fault(err, b, what)
	}
	if _, err := dec.Token(); !errors.Is(err, io.EOF) {
		return Error{what, "something follows after the closing brace"}
	}
	return nil
}

func fault(err error, b []byte, what string) Error {
	var typ *json.UnmarshalTypeError
	if m := unknownField.FindStringSubmatch(err.Error()); m != nil {
		return Error{m[1], "this field is not known"}
	}
	if errors.As(err, &typ) && typ.Field != "" {
		return Error{cmp.Or(PathAt(b, int(typ.Offset)), typ.Field), fmt.Sprintf("a %s does not belong here", typ.Value)}
	}
	return Error{what, strings.TrimPrefix(err.Error(), "json: ")}
}
