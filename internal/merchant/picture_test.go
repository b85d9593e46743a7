package merchant_test

import (
	"encoding/xml"
	"errors"
	"io"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
)

// Every nudge of the demo can be taken along as a drawing, in each of its languages: it is
// well formed, says what shoppers read, and nothing stands outside it.
func TestNudgesAreDrawn(t *testing.T) {
	a, as := start(t)
	b := as(demo.Email)
	ns, err := a.Nudges(t.Context(), demo.Shop)
	require.NoError(t, err)
	drawn := 0
	for _, n := range ns {
		for _, language := range []string{"en", "de", "pl", "ja"} {
			status, body := b.get("/s/lindquill/nudges/" + n.ID + "/picture.svg?language=" + language)
			if status != 200 {
				assert.Equal(t, 422, status, "%s: %s", n.ID, body)
				continue
			}
			drawn++
			title, text, wide, high := "", "", 0, 0
			in := ""
			for d := xml.NewDecoder(strings.NewReader(body)); ; {
				tok, err := d.Token()
				if errors.Is(err, io.EOF) {
					break
				}
				require.NoError(t, err, "%s: %s", n.ID, body)
				switch x := tok.(type) {
				case xml.StartElement:
					in = x.Name.Local
					at := map[string]int{}
					for _, attr := range x.Attr {
						at[attr.Name.Local], _ = strconv.Atoi(attr.Value)
					}
					if in == "svg" {
						wide, high = at["width"], at["height"]
					}
					assert.LessOrEqual(t, at["x"], wide, n.ID)
					assert.LessOrEqual(t, at["y"], high, n.ID)
					assert.GreaterOrEqual(t, at["x"], 0, n.ID)
				case xml.CharData:
					switch in {
					case "title":
						title += strings.TrimSpace(string(x))
					case "text", "tspan":
						text += string(x)
					}
				}
			}
			flat := func(s string) string { return strings.Join(strings.Fields(s), "") }
			assert.NotEmpty(t, title, n.ID)
			assert.Contains(t, flat(text), flat(title), n.ID)
			assert.True(t, wide == 640 && high > 40 && high < 700, "%s: %d by %d", n.ID, wide, high)
		}
	}
	assert.Greater(t, drawn, 40)
}
