package strict_test

import (
	"encoding/json"
	"fmt"
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

func FuzzTexts(f *testing.F) {
	f.Add([]byte(`{"a":["b","\u0000\ud800"]}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		err := strict.Texts(b)
		var v any
		if json.Unmarshal(b, &v) != nil {
			return
		}
		if err == nil {
			assert.NotContains(t, fmt.Sprintf("%q", v), `\x00`)
		}
	})
}
