// Package codes makes and checks single-use codes: from an alphabet without signs
// that look alike, with a last sign that tells a mistyped code from an unknown one.
package codes

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
)

// Alphabet is the signs of a generated code: no 0, O, 1, I, L, 5, S, 2, Z, 8, B, U
// or V, which are mistaken for one another.
const Alphabet = "3467ACDEFGHJKMNPQRTWXY9"

// Limits of codes.
const (
	MostLength = 40
	LeastSigns = 6 // of the part that is drawn, for codes that cannot be guessed
	MostSigns  = 20
	MostAtOnce = 100_000
)

// Normal is the form in which codes are compared: in capitals, without spaces
// around them.
func Normal(code string) string { return strings.ToUpper(strings.TrimSpace(code)) }

// checkSign returns the sign that makes a body add up: the sum of its signs, each
// times its own weight, is a multiple of the alphabet's length. That is a prime
// number, and all weights differ, so that one wrong sign, or two that changed
// places, always change the sum.
func checkSign(body string) byte {
	n := len(Alphabet)
	sum := 0
	for i := range len(body) {
		sum += (i + 2) * strings.IndexByte(Alphabet, body[i])
	}
	return Alphabet[(n-sum%n)%n]
}

// Checks tells whether a generated code's signs add up: one wrong sign, or two
// that changed places, never do. prefix is what stands before the signs.
func Checks(prefix, code string) bool {
	body, ok := strings.CutPrefix(Normal(code), Normal(prefix))
	if !ok || len(body) < 2 {
		return false
	}
	for i := range len(body) {
		if strings.IndexByte(Alphabet, body[i]) < 0 {
			return false
		}
	}
	return checkSign(body[:len(body)-1]) == body[len(body)-1]
}

// Wrong says which of the things that codes are made by cannot be used, and why.
type Wrong struct{ Field, Why string }

func (w Wrong) Error() string { return w.Why }

// Generate draws n different codes of so many signs behind a prefix, the last of
// them the check. The random source is the caller's. Errors: Wrong, and those of the
// source.
func Generate(random io.Reader, prefix string, signs, n int) ([]string, error) {
	switch {
	case !plain(prefix):
		return nil, Wrong{"prefix", "a prefix has letters, digits and hyphens"}
	case signs < LeastSigns || signs > MostSigns || len(prefix)+signs > MostLength:
		return nil, Wrong{"signs", fmt.Sprintf("a code needs from %d to %d signs, and at most %d with its prefix", LeastSigns, MostSigns, MostLength)}
	case n < 1 || n > MostAtOnce:
		return nil, Wrong{"count", fmt.Sprintf("%d codes cannot be made at once; from 1 to %d can", n, MostAtOnce)}
	}
	seen := make(map[string]bool, n)
	out := make([]string, 0, n)
	for len(out) < n {
		body := make([]byte, signs-1)
		for i := range body {
			k, err := draw(random)
			if err != nil {
				return nil, err
			}
			body[i] = Alphabet[k]
		}
		code := Normal(prefix) + string(body) + string(checkSign(string(body)))
		if !seen[code] {
			seen[code] = true
			out = append(out, code)
		}
	}
	return out, nil
}

// draw takes one sign, each as likely as any other.
func draw(random io.Reader) (int, error) {
	var b [1]byte
	limit := 256 - 256%len(Alphabet)
	for {
		if _, err := io.ReadFull(random, b[:]); err != nil {
			return 0, err
		}
		if int(b[0]) < limit {
			return int(b[0]) % len(Alphabet), nil
		}
	}
}

func plain(s string) bool {
	for _, r := range s {
		if (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && (r < '0' || r > '9') && r != '-' {
			return false
		}
	}
	return true
}

// Fault is a line of a file that cannot be read, and why.
type Fault struct {
	Line int
	Why  string
}

func (f Fault) Error() string { return fmt.Sprintf("line %d: %s", f.Line, f.Why) }

// ReadCSV reads codes from a file (RFC 4180) whose first line names the column
// "code"; other columns are let be. It returns every fault, and no code where there
// is one.
func ReadCSV(r io.Reader) ([]string, []Fault) {
	in := csv.NewReader(r)
	in.FieldsPerRecord = -1
	head, err := in.Read()
	if err != nil {
		return nil, []Fault{{1, "the file is empty or no CSV; its first line must name the column code"}}
	}
	at := -1
	for i, h := range head {
		if strings.EqualFold(strings.TrimSpace(strings.TrimPrefix(h, "\ufeff")), "code") {
			at = i
		}
	}
	if at < 0 {
		return nil, []Fault{{1, "no column is named code"}}
	}
	var out []string
	var faults []Fault
	seen := map[string]int{}
	for {
		rec, err := in.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			var at *csv.ParseError
			line := 0
			if errors.As(err, &at) {
				line = at.StartLine
			}
			faults = append(faults, Fault{line, "is no CSV: " + err.Error()})
			break
		}
		line, _ := in.FieldPos(0)
		code := ""
		if at < len(rec) {
			code = Normal(rec[at])
		}
		first, twice := seen[code]
		switch {
		case code == "" || len(code) > MostLength || !plain(code):
			faults = append(faults, Fault{line, fmt.Sprintf("%q is not a code of 1 to %d letters, digits and hyphens", code, MostLength)})
		case twice:
			faults = append(faults, Fault{line, fmt.Sprintf("%s stands on line %d already", code, first)})
		default:
			seen[code] = line
			out = append(out, code)
		}
		if len(faults) >= 100 {
			break
		}
	}
	if len(faults) > 0 {
		return nil, faults
	}
	return out, nil
}

// Row is a code as it is written out.
type Row struct {
	Code  string
	Order int64 // 0: unused
}

// WriteCSV writes codes so that ReadCSV reads them again.
func WriteCSV(w io.Writer, rows []Row) error {
	out := csv.NewWriter(w)
	if err := out.Write([]string{"code", "order"}); err != nil {
		return err
	}
	for _, r := range rows {
		order := ""
		if r.Order != 0 {
			order = fmt.Sprint(r.Order)
		}
		if err := out.Write([]string{r.Code, order}); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}
