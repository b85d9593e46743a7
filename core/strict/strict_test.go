package strict_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/strict"
)

func ExampleDecode() {
	var v struct {
		Units int64 `json:"units"`
	}
	fmt.Println(strict.Decode([]byte(`{"units": 3}`), &v, "request", 1<<10), v.Units)
	fmt.Println(strict.Decode([]byte(`{"unit": 3}`), &v, "request", 1<<10))
	// Output:
	// <nil> 3
	// unit: this field is not known
}

func TestTextsThatCannotBeStoredAreNamed(t *testing.T) {
	for doc, want := range map[string]string{
		`{"a":"fine","b":[1,true,null,"\ud83d\ude00 \\u0000"]}`: "",
		`{"customer":"a\u0000b"}`:                               "customer: holds a NUL character, which cannot be stored",
		`{"cart":{"lines":[{"sku":"x"},{"sku":"\u0000"}]}}`:     "cart.lines[1].sku: holds a NUL character, which cannot be stored",
		`{"cart":{"codes":["A","\ud800"]}}`:                     "cart.codes[1]: holds half of a surrogate pair, which is no character",
		`{"visit":{"id":"\udc00"}}`:                             "visit.id: holds half of a surrogate pair, which is no character",
		`{"visit":{"id":"\ud800\ud800"}}`:                       "visit.id: holds half of a surrogate pair, which is no character",
		`{"visit":{"id":"\ud800x"}}`:                            "visit.id: holds half of a surrogate pair, which is no character",
		"{\"customer\":\"\xff\"}":                               "customer: holds bytes that are no UTF-8 text",
		`{"\u0000":1}`:                                          "body: holds a NUL character, which cannot be stored",
		`"\u0000"`:                                              "body: holds a NUL character, which cannot be stored",
		`{"a":`:                                                 "",
		`{"a":"`:                                                "",
		`nonsense`:                                              "",
	} {
		err := strict.Texts([]byte(doc))
		if want == "" {
			assert.NoError(t, err, doc)
			continue
		}
		assert.EqualError(t, err, want, doc)
	}
}

func TestBoundsAreKeptToTheCharacter(t *testing.T) {
	most := strict.Bounds{Text: 3, Entries: 2}
	for doc, want := range map[string]string{
		`{"a":"abc","b":["x","y"]}`:         "",
		`{"a":"äöü"}`:                       "",
		`{"a":"\u00e4\n\ud83d\ude00"}`:      "",
		`{"a":"abcd"}`:                      "a: is longer than 3 characters",
		`{"a":"\u00e4\n\ud83d\ude00\""}`:    "a: is longer than 3 characters",
		`{"a":[1,2,3]}`:                     "a: has more than 2 entries",
		`{"a":{"b":1,"c":2,"d":3}}`:         "a: has more than 2 entries",
		`{"a":[{"b":"x"},{"b":"long"}]}`:    "a[1].b: is longer than 3 characters",
		`{"abcd":1}`:                        "body: is longer than 3 characters",
		`[[1],[1,2,"x"]]`:                   "[1]: has more than 2 entries",
		`{"a":"a\u0000aaaaa"}`:              "a: holds a NUL character, which cannot be stored",
		`{"a":"breaks off before it is too`: "",
	} {
		err := strict.Within([]byte(doc), most)
		if want == "" {
			assert.NoError(t, err, doc)
			continue
		}
		assert.EqualError(t, err, want, doc)
	}
}

func TestAValueIsFoundByItsPlace(t *testing.T) {
	doc := `{"cart": {"lines": [{"sku": "A"}, {"sku": "B", "quantity": "three"}]}, "at": [1]}`
	for at, want := range map[string]string{`three"`: "cart.lines[1].quantity", `[{"sku": "A"`: "cart.lines", `{"sku": "B"`: "cart.lines[1]", `1]}`: "at[0]", `{"cart"`: ""} {
		assert.Equal(t, want, strict.PathAt([]byte(doc), strings.Index(doc, at)+1), at)
	}
}

func TestAMemberThatIsNoTextIsFound(t *testing.T) {
	assert.Equal(t, "a[0].at", strict.NotText([]byte(`{"when":"x","at":null,"a":[{"at":{"at":1}}]}`), "at", "when"))
	assert.Empty(t, strict.NotText([]byte(`{"at":"x","a":["at"]}`), "at"))
}

func FuzzTexts(f *testing.F) {
	f.Add([]byte(`{"a":["b","\u0000\ud800"]}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		err := strict.Texts(b)
		_ = strict.Within(b, strict.Bounds{Text: 1, Entries: 1})
		_ = strict.PathAt(b, len(b)/2)
		_ = strict.NotText(b, "a")
		var v any
		if json.Unmarshal(b, &v) != nil {
			return
		}
		if err == nil {
			assert.NotContains(t, fmt.Sprintf("%q", v), `\x00`)
		}
	})
}
