package strict

import (
	"fmt"
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

// Texts tells which string of a JSON document cannot be stored: one with a NUL character,
// half of a surrogate pair, or bytes that are no UTF-8. The error names its path
// (cart.lines[0].sku). Of a document that is no JSON nothing is said.
func Texts(b []byte) error {
	t := texts{b: b}
	if t.value("") {
		return nil
	}
	if t.fault.Field != "" {
		return t.fault
	}
	return nil
}

// Where returns the path of the first string of a document that is a text, "" where there
// is none.
func Where(b []byte, text string) string {
	t := texts{b: b, look: &text}
	t.value("")
	return t.found
}

// texts walks through a document; value and its kin return false where it breaks off.
type texts struct {
	b     []byte
	at    int
	depth int
	fault Error
	look  *string // the text that is looked for, if one is
	found string
}

// mostDepth is how deep documents are looked into; deeper ones are no documents of ours.
const mostDepth = 200

func (t *texts) space() {
	for t.at < len(t.b) && strings.IndexByte(" \t\r\n", t.b[t.at]) >= 0 {
		t.at++
	}
}

// next takes a byte if it comes next.
func (t *texts) next(c byte) bool {
	t.space()
	if t.at < len(t.b) && t.b[t.at] == c {
		t.at++
		return true
	}
	return false
}

func (t *texts) value(path string) bool {
	if t.depth++; t.depth > mostDepth {
		return false
	}
	defer func() { t.depth-- }()
	t.space()
	if t.at >= len(t.b) {
		return false
	}
	switch t.b[t.at] {
	case '{':
		return t.members(path)
	case '[':
		return t.elements(path)
	case '"':
		s, ok := t.text(path)
		if ok && t.look != nil && t.found == "" && s == *t.look {
			t.found = path
		}
		return ok
	}
	from := t.at
	for t.at < len(t.b) && strings.IndexByte(" \t\r\n,]}", t.b[t.at]) < 0 {
		t.at++
	}
	return t.at > from
}

func (t *texts) members(path string) bool {
	t.at++
	if t.next('}') {
		return true
	}
	for {
		t.space()
		name, ok := t.text(path)
		if !ok || !t.next(':') {
			return false
		}
		at := name
		if path != "" {
			at = path + "." + name
		}
		if !t.value(at) {
			return false
		}
		if t.next('}') {
			return true
		}
		if !t.next(',') {
			return false
		}
	}
}

func (t *texts) elements(path string) bool {
	t.at++
	if t.next(']') {
		return true
	}
	for i := 0; ; i++ {
		if !t.value(fmt.Sprintf("%s[%d]", path, i)) {
			return false
		}
		if t.next(']') {
			return true
		}
		if !t.next(',') {
			return false
		}
	}
}

// text reads a string and returns it as it is written, without its escapes resolved.
func (t *texts) text(path string) (string, bool) {
	if !t.next('"') {
		return "", false
	}
	from, high := t.at, false // high: the first half of a surrogate pair has just been read
	wrong := func(why string) (string, bool) {
		if path == "" {
			path = "body"
		}
		t.fault = Error{path, why}
		return "", false
	}
	for ; t.at < len(t.b); t.at++ {
		c := t.b[t.at]
		if c == '\\' && t.at+5 < len(t.b) && t.b[t.at+1] == 'u' {
			unit, ok := hex(t.b[t.at+2 : t.at+6])
			low := ok && unit >= 0xDC00 && unit <= 0xDFFF
			switch {
			case ok && unit == 0:
				return wrong("holds a NUL character, which cannot be stored")
			case high != low:
				return wrong("holds half of a surrogate pair, which is no character")
			}
			high = ok && unit >= 0xD800 && unit <= 0xDBFF
			t.at += 5
			continue
		}
		if high {
			return wrong("holds half of a surrogate pair, which is no character")
		}
		switch c {
		case '\\':
			t.at++
		case '"':
			s := string(t.b[from:t.at])
			t.at++
			if why := Text(s); why != "" {
				return wrong(why)
			}
			return s, true
		}
	}
	return "", false
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
