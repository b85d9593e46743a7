package nudge

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"

	"agonal.dev/agonal/core/strict"
)

// FileVersion is the version of the file in which nudges are taken along.
const FileVersion = 1

// MostFiled is how many nudges a file holds, MostFileBytes how long it is.
const (
	MostFiled     = 500
	MostFileBytes = 4 << 20
)

// File is nudges as they are taken from shop to shop.
type File struct {
	Version int     `json:"version"`
	Nudges  []Filed `json:"nudges"`
}

// Filed is a nudge of a file.
type Filed struct {
	ID         string     `json:"id"`
	Definition Definition `json:"definition"`
}

var filedID = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// ParseFile reads a file of nudges. Errors are [FieldError] and name the nudge and the
// field.
func ParseFile(b []byte) (File, error) {
	var f struct {
		Version int `json:"version"`
		Nudges  []struct {
			ID         string          `json:"id"`
			Definition json.RawMessage `json:"definition"` // read by itself: what is wrong is then named with its nudge
		} `json:"nudges"`
	}
	if err := strict.Decode(b, &f, "file", MostFileBytes); err != nil {
		var e strict.Error
		if errors.As(err, &e) {
			return File{}, FieldError(e)
		}
		return File{}, err
	}
	switch {
	case f.Version != FileVersion:
		return File{}, FieldError{"version", fmt.Sprintf("%d is not known; version %d is read", f.Version, FileVersion)}
	case len(f.Nudges) == 0:
		return File{}, FieldError{"nudges", "there are none"}
	case len(f.Nudges) > MostFiled:
		return File{}, FieldError{"nudges", fmt.Sprintf("%d are too many; at most %d", len(f.Nudges), MostFiled)}
	}
	out := File{Version: f.Version}
	first := map[string]int{}
	for i := range f.Nudges {
		n := &f.Nudges[i]
		at := fmt.Sprintf("nudges[%d].", i)
		if len(n.ID) > 50 || !filedID.MatchString(n.ID) {
			return File{}, FieldError{at + "id", fmt.Sprintf("%q is no id; an id has 1 to 50 of a-z, 0-9 and single hyphens", n.ID)}
		}
		if other, twice := first[n.ID]; twice {
			return File{}, FieldError{at + "id", fmt.Sprintf("%q is nudges[%d] already", n.ID, other)}
		}
		first[n.ID] = i
		d, err := Parse(n.Definition)
		var e FieldError
		if errors.As(err, &e) {
			return File{}, FieldError{at + "definition." + e.Field, e.Why}
		} else if err != nil {
			return File{}, err
		}
		out.Nudges = append(out.Nudges, Filed{n.ID, d})
	}
	return out, nil
}

// PrintFile writes nudges as [ParseFile] reads them; the same nudges give the same bytes.
func PrintFile(nudges []Filed) ([]byte, error) {
	return json.MarshalIndent(File{FileVersion, nudges}, "", "  ")
}
