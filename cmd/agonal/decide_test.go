package main

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/cases"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/snapshot"
)

// first returns a case's shop document in a file, and its request.
func first(t *testing.T, name string) (shop string, request []byte) {
	all, err := cases.Load(os.DirFS("../../core/cases/data"))
	require.NoError(t, err)
	for _, c := range all {
		if c.Name == name {
			shop = filepath.Join(t.TempDir(), "shop.json")
			require.NoError(t, os.WriteFile(shop, c.Shop(), 0o600))
			return shop, c.Request
		}
	}
	t.Fatalf("there is no case %q", name)
	return "", nil
}

const worked = "worked: 8 a set, a percentage and money off"

func TestTheDecisionIsTheAPIsByteForByte(t *testing.T) {
	shop, request := first(t, worked)
	var out bytes.Buffer
	require.NoError(t, decideCmd{Shop: shop, Request: "-", Format: "json"}.run(bytes.NewReader(request), &out))
	b, err := os.ReadFile(shop)
	require.NoError(t, err)
	parsed, err := snapshot.ParseShop(b)
	require.NoError(t, err)
	s, err := snapshot.Compile(parsed)
	require.NoError(t, err)
	r, err := decide.ParseRequest(request)
	require.NoError(t, err)
	d, err := decide.Decide(s, r)
	require.NoError(t, err)
	want, err := json.Marshal(d)
	require.NoError(t, err)
	assert.Equal(t, string(want)+"\n", out.String())
}

func TestManyRequestsAreJSONLines(t *testing.T) {
	shop, request := first(t, worked)
	var line bytes.Buffer
	require.NoError(t, json.Compact(&line, request))
	in := line.String() + "\n\n" + `{"cart":{"lines":[{"sku":"unicorn","quantity":1}]}}` + "\n" + line.String() + "\n"
	var out bytes.Buffer
	err := decideCmd{Shop: shop, Request: "-", Format: "json"}.run(strings.NewReader(in), &out)
	assert.ErrorAs(t, err, &refused{})
	assert.ErrorContains(t, err, `request 2: cart.lines[0].sku: "unicorn" is not in the catalogue`)
	assert.Len(t, strings.Split(strings.TrimSpace(out.String()), "\n"), 2, "the others are decided all the same")
}

func TestATextSaysWhyAPriceCameAbout(t *testing.T) {
	shop, request := first(t, worked)
	var out bytes.Buffer
	require.NoError(t, decideCmd{Shop: shop, Request: "-", Format: "text", Trace: true}.run(bytes.NewReader(request), &out))
	for _, want := range []string{"to pay", "€52.82", "€5.00 off the order", "set of 3", "To pay: €46.92 + €5.90 = €52.82."} {
		assert.Contains(t, out.String(), want)
	}
}

func TestWhatCannotBeReadIsSaid(t *testing.T) {
	var out bytes.Buffer
	err := decideCmd{}.run(strings.NewReader(""), &out)
	assert.ErrorAs(t, err, &refused{})
	err = decideCmd{Shop: "/nowhere/shop.json", Request: "-"}.run(strings.NewReader("{}"), &out)
	assert.NotErrorIs(t, err, refused{})
	require.Error(t, err)
	err = decideCmd{Shop: "-", Request: "x"}.run(strings.NewReader(`{"version":1,"colour":1}`), &out)
	assert.ErrorContains(t, err, "colour")
	require.NoError(t, decideCmd{Cases: "../../core/cases/data"}.run(nil, &out))
	assert.Contains(t, out.String(), "as expected")
}
