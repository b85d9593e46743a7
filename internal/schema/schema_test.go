package schema_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"os"
	"path/filepath"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/schema"
)

var update = flag.Bool("update", false, "write the schemas into docs/schema")

// Comments are read by paths below the project's root.
func TestMain(m *testing.M) {
	if err := os.Chdir("../.."); err != nil {
		panic(err)
	}
	os.Exit(m.Run())
}

func TestThePublishedSchemasAreThoseOfTheTypes(t *testing.T) {
	for _, d := range schema.Documents {
		b, err := d.Write(".")
		require.NoError(t, err)
		path := filepath.Join("docs", "schema", d.Name+".schema.json")
		if *update {
			require.NoError(t, os.WriteFile(path, b, 0o644))
		}
		have, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, string(b), string(have), "run go test ./internal/schema -update")
	}
}

func compiled(t require.TestingT, name string) *jsonschema.Schema {
	b, err := os.ReadFile(filepath.Join("docs", "schema", name+".schema.json"))
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(b))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource(name, doc))
	s, err := c.Compile(name)
	require.NoError(t, err)
	return s
}

func fits(t require.TestingT, s *jsonschema.Schema, b []byte) {
	v, err := jsonschema.UnmarshalJSON(bytes.NewReader(b))
	require.NoError(t, err)
	require.NoError(t, s.Validate(v), string(b))
}

func TestWhatIsPrintedFitsItsSchema(t *testing.T) {
	def, shop, req, dec := compiled(t, "nudge"), compiled(t, "shop"), compiled(t, "request"), compiled(t, "decision")
	rapid.Check(t, func(t *rapid.T) {
		s, r := decidetest.Random(t)
		for _, n := range s.Nudges {
			b, err := nudge.Print(n.Definition)
			require.NoError(t, err)
			fits(t, def, b)
		}
		b, err := snapshot.PrintShop(s)
		require.NoError(t, err)
		fits(t, shop, b)
		back, err := snapshot.ParseShop(b)
		require.NoError(t, err)
		again, err := snapshot.PrintShop(back)
		require.NoError(t, err)
		assert.Equal(t, string(b), string(again))
		b, err = json.Marshal(r)
		require.NoError(t, err)
		fits(t, req, b)
		snap, err := snapshot.Compile(s)
		require.NoError(t, err)
		d, err := decide.Decide(snap, r)
		require.NoError(t, err)
		b, err = json.Marshal(d)
		require.NoError(t, err)
		fits(t, dec, b)
	})
}

func TestExamplesFitTheirSchema(t *testing.T) {
	for _, d := range schema.Documents {
		if d.Example != "" {
			fits(t, compiled(t, d.Name), []byte(d.Example))
		}
	}
	_, err := snapshot.ParseShop([]byte(schema.Of("shop").Example))
	assert.NoError(t, err)
	_, err = nudge.Parse([]byte(schema.Of("nudge").Example))
	assert.NoError(t, err)
}
