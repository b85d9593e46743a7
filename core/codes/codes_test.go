package codes_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/codes"
)

func source() *rand.ChaCha8 { return rand.NewChaCha8([32]byte{1}) }

func ExampleChecks() {
	made, err := codes.Generate(source(), "WINTER-", 8, 1)
	fmt.Println(codes.Checks("winter-", strings.ToLower(made[0])), codes.Checks("WINTER-", made[0][:len(made[0])-1]+"?"), err)
	// Output: true false <nil>
}

func TestGeneratedCodesDifferAndCheck(t *testing.T) {
	made, err := codes.Generate(source(), "W-", 8, 5000)
	require.NoError(t, err)
	seen := map[string]bool{}
	for _, c := range made {
		assert.False(t, seen[c])
		seen[c] = true
		assert.True(t, codes.Checks("W-", c), c)
		assert.NotContains(t, c[2:], "0")
	}
}

// Every single mistyped sign is found out, and every swap of neighbours.
func TestAMistypedSignIsFoundOut(t *testing.T) {
	made, err := codes.Generate(source(), "", 8, 200)
	require.NoError(t, err)
	for _, c := range made {
		for i := range len(c) {
			for _, s := range codes.Alphabet {
				if other := c[:i] + string(s) + c[i+1:]; other != c {
					require.False(t, codes.Checks("", other), "%s for %s", other, c)
				}
			}
			if i > 0 && c[i] != c[i-1] {
				require.False(t, codes.Checks("", c[:i-1]+string(c[i])+string(c[i-1])+c[i+1:]), "a swap in %s", c)
			}
		}
	}
}

func TestCodesComeInAndGoOutAsCSV(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, codes.WriteCSV(&b, []codes.Row{{"A1", 0}, {"B2", 1001}}))
	assert.Equal(t, "code,order\nA1,\nB2,1001\n", b.String())
	back, faults := codes.ReadCSV(&b)
	assert.Empty(t, faults)
	assert.Equal(t, []string{"A1", "B2"}, back)
	for text, want := range map[string]string{
		"":                 "line 1",
		"name\nx\n":        "no column is named code",
		"code\nA\na\n":     "line 3: A stands on line 2 already",
		"code\n=SUM(A1)\n": "line 2",
		"code\n\"A\n":      "is no CSV",
		"code\n" + strings.Repeat("x", 41) + "\n": "line 2",
	} {
		_, faults := codes.ReadCSV(strings.NewReader(text))
		require.NotEmpty(t, faults, text)
		assert.Contains(t, faults[0].Error(), want)
	}
	_, err := codes.Generate(source(), "", 3, 1)
	assert.ErrorContains(t, err, "from 6 to 20")
}

func FuzzReadCSV(f *testing.F) {
	f.Add("code\nA1\n")
	f.Fuzz(func(t *testing.T, s string) {
		got, faults := codes.ReadCSV(strings.NewReader(s))
		if len(faults) > 0 {
			return
		}
		var rows []codes.Row
		for _, c := range got {
			rows = append(rows, codes.Row{Code: c})
		}
		var b bytes.Buffer
		require.NoError(t, codes.WriteCSV(&b, rows))
		back, faults := codes.ReadCSV(&b)
		assert.Empty(t, faults)
		assert.Equal(t, got, back)
	})
}
