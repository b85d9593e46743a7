package decide_test

import (
	"bytes"
	"os"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/nudge"
)

// Every definition the core prints is one that the published schema accepts.
func TestPrintedDefinitionsFitTheSchema(t *testing.T) {
	b, err := os.ReadFile("../../docs/schema/nudge.schema.json")
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(b))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	c.DefaultDraft(jsonschema.Draft2020)
	require.NoError(t, c.AddResource("nudge.json", doc))
	schema, err := c.Compile("nudge.json")
	require.NoError(t, err)
	fits := func(t require.TestingT, d nudge.Definition) {
		b, err := nudge.Print(d)
		require.NoError(t, err)
		v, err := jsonschema.UnmarshalJSON(bytes.NewReader(b))
		require.NoError(t, err)
		require.NoError(t, schema.Validate(v))
	}
	for _, s := range nudge.Starts() {
		fits(t, s.Build(decidetest.Regions()))
	}
	rapid.Check(t, func(t *rapid.T) { fits(t, decidetest.Definition(t)) })
}
