package strict

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// Text tells what keeps a text from being stored: a NUL character, or bytes that are no
// UTF-8. It returns "" where nothing does.
func Text(s string) string {
	switch {
	case strings.IndexByte(s, 0) >= 0:
		return "holds a NUL character, which cannot be stored"
	case !utf8.ValidString(s):
		return "holds bytes that are no UTF-8 text"
	}
	return ""
}

// Bounds are the most characters a text of a document may have, and the most entries a
// list or an object of it; 0 is any number.
type Bounds struct{ Text, Entries int }

// Texts tells which string of a JSON document cannot be stored: one with a NUL character,
// half of a surrogate pair, or bytes that are no UTF-8. The error names its path
// (cart.lines[0].sku). Of a document that is no JSON nothing is said.
func Texts(b []byte) error { return Within(b, Bounds{}) }

// Within is Texts for a document whose texts, lists and objects are bounded.
func Within(b []byte, most Bounds) error {
	w := walk{b: b, most: most}
	if w.value() || w.fault.Field == "" {
		return nil
	}
	return w.fault
}

// Where returns the path of the first string of a document that is a text, "" where there
// is none.
func Where(b []byte, text string) string {
	w := walk{b: b, look: &text}
	w.value()
	return w.found
}

// PathAt returns the path of the innermost value around a byte of a document, "" for the
// whole of it.
func PathAt(b []byte, offset int) string {
	w := walk{b: b, around: offset}
	w.value()
	return w.found
}

// NotText returns the path of the first member with one of some names whose value is there
// and no string, "" where there is none.
func NotText(b []byte, names ...string) string {
	w := walk{b: b, texts: names}
	w.value()
	return w.found
}

// walk goes through a document; value and its kin return false where it breaks off.
type walk struct {
	b      []byte
	at     int
	path   []step
	most   Bounds
	fault  Error
	look   *string  // the text that is looked for, if one is
	texts  []string // the names of members that are looked for where they are no text
	around int      // the byte around which a value is looked for, if one is
	found  string
}

// step leads into a member or an element.
type step struct {
	name  []byte
	place int // of an element; name is nil
}

// mostDepth is how deep documents are looked into; deeper ones are no documents of ours.
const mostDepth = 200

func (w *walk) where() string {
	var out strings.Builder
	for _, s := range w.path {
		switch {
		case s.name == nil:
			fmt.Fprintf(&out, "[%d]", s.place)
			continue
		case out.Len() > 0:
			out.WriteByte('.')
		}
		out.Write(s.name)
	}
	return out.String()
}

func (w *walk) wrong(why string, args ...any) bool {
	w.fault = Error{cmp.Or(w.where(), "body"), fmt.Sprintf(why, args...)}
	return false
}

func (w *walk) space() {
	for w.at < len(w.b) && strings.IndexByte(" \t\r\n", w.b[w.at]) >= 0 {
		w.at++
	}
}

// next takes a byte if it comes next.
func (w *walk) next(c byte) bool {
	w.space()
	if w.at < len(w.b) && w.b[w.at] == c {
		w.at++
		return true
	}
	return false
}

func (w *walk) value() bool {
	if w.space(); w.at >= len(w.b) || len(w.path) > mostDepth {
		return false
	}
	from := w.at
	if n := len(w.path); w.texts != nil && n > 0 && w.found == "" && w.b[w.at] != '"' && w.b[w.at] != 'n' && slices.Contains(w.texts, string(w.path[n-1].name)) {
		w.found = w.where()
	}
	ok := w.whole()
	if w.around > from && w.around <= w.at && w.found == "" {
		w.found = w.where()
	}
	return ok
}

func (w *walk) whole() bool {
	switch w.b[w.at] {
	case '{':
		return w.members()
	case '[':
		return w.elements()
	case '"':
		s, ok := w.text()
		if ok && w.look != nil && w.found == "" && string(s) == *w.look {
			w.found = w.where()
		}
		return ok
	}
	from := w.at
	for w.at < len(w.b) && strings.IndexByte(" \t\r\n,]}", w.b[w.at]) < 0 {
		w.at++
	}
	return w.at > from
}

func (w *walk) members() bool {
	w.at++
	if w.next('}') {
		return true
	}
	for n := 1; ; n++ {
		if w.most.Entries > 0 && n > w.most.Entries {
			return w.wrong("has more than %d entries", w.most.Entries)
		}
		w.space()
		name, ok := w.text()
		if !ok || !w.next(':') {
			return false
		}
		w.path = append(w.path, step{name: name})
		if !w.value() {
			return false
		}
		w.path = w.path[:len(w.path)-1]
		if w.next('}') {
			return true
		}
		if !w.next(',') {
			return false
		}
	}
}

func (w *walk) elements() bool {
	w.at++
	if w.next(']') {
		return true
	}
	for n := 0; ; n++ {
		if w.most.Entries > 0 && n == w.most.Entries {
			return w.wrong("has more than %d entries", w.most.Entries)
		}
		w.path = append(w.path, step{place: n})
		if !w.value() {
			return false
		}
		w.path = w.path[:len(w.path)-1]
		if w.next(']') {
			return true
		}
		if !w.next(',') {
			return false
		}
	}
}

// text reads a string and returns it as it is written, without its escapes resolved.
func (w *walk) text() ([]byte, bool) {
	if !w.next('"') {
		return nil, false
	}
	from, high, escapes := w.at, false, 0 // high: the first half of a surrogate pair has just been read
	for ; w.at < len(w.b); w.at++ {
		c := w.b[w.at]
		if c == '\\' && w.at+5 < len(w.b) && w.b[w.at+1] == 'u' {
			unit, ok := hex(w.b[w.at+2 : w.at+6])
			low := ok && unit >= 0xDC00 && unit <= 0xDFFF
			switch {
			case ok && unit == 0:
				return nil, w.wrong("holds a NUL character, which cannot be stored")
			case high != low:
				return nil, w.wrong("holds half of a surrogate pair, which is no character")
			}
			high = ok && unit >= 0xD800 && unit <= 0xDBFF
			w.at += 5
			if escapes += 5; low {
				escapes++
			}
			continue
		}
		if high {
			return nil, w.wrong("holds half of a surrogate pair, which is no character")
		}
		switch c {
		case '\\':
			w.at++
			escapes++
		case '"':
			s := w.b[from:w.at]
			w.at++
			switch {
			case bytes.IndexByte(s, 0) >= 0:
				return nil, w.wrong("holds a NUL character, which cannot be stored")
			case !utf8.Valid(s):
				return nil, w.wrong("holds bytes that are no UTF-8 text")
			case w.most.Text > 0 && len(s)-escapes > w.most.Text && utf8.RuneCount(s)-escapes > w.most.Text:
				return nil, w.wrong("is longer than %d characters", w.most.Text)
			}
			return s, true
		}
	}
	return nil, false
}

// hex reads four hexadecimal digits.
func hex(b []byte) (n int, ok bool) {
	for _, c := range b {
		switch {
		case c >= '0' && c <= '9':
			n = n<<4 | int(c-'0')
		case c|0x20 >= 'a' && c|0x20 <= 'f':
			n = n<<4 | int(c|0x20-'a'+10)
		default:
			return 0, false
		}
	}
	return n, true
}
