package cases_test

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/cases"
	"agonal.dev/agonal/core/snapshot"
)

func TestEveryCaseComesOutAsWritten(t *testing.T) {
	all, err := cases.Load(os.DirFS("data"))
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(all), 150)
	for _, c := range all {
		t.Run(c.Name, func(t *testing.T) {
			assert.Empty(t, c.Run(), c.Why)
			assert.True(t, c.Refused != "" || len(c.Expect) > 0, "a case that expects nothing cannot fail")
		})
	}
}

// A case that expects something else is found out.
func TestACaseCanFail(t *testing.T) {
	all, err := cases.Load(os.DirFS("data"))
	require.NoError(t, err)
	for _, c := range all {
		if c.Refused == "" {
			c.Expect["to_pay"] = []byte("123456789")
			assert.NotEmpty(t, c.Run(), c.Name)
		}
	}
}

// A shop written as a document is read as the same shop.
func TestAShopAndItsDocumentSayTheSame(t *testing.T) {
	all, err := cases.Load(os.DirFS("data"))
	require.NoError(t, err)
	for _, c := range all {
		shop, err := snapshot.ParseShop(c.Shop())
		if err != nil {
			continue
		}
		b, err := json.Marshal(shop.Document())
		require.NoError(t, err, c.Name)
		again, err := snapshot.ParseShop(b)
		require.NoError(t, err, c.Name)
		assert.Equal(t, shop, again, c.Name)
	}
}
