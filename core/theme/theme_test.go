package theme_test

import (
	"fmt"
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/theme"
)

func ExampleContrast() {
	fmt.Println(theme.Ratio(theme.Contrast("#000000", "#ffffff")), theme.Ratio(theme.Contrast("#777777", "#ffffff")))
	// Output: 21 : 1 4.47 : 1
}

func ExampleParseColour() {
	fmt.Println(theme.ParseColour(" 1B2 "))
	// Output: #11bb22 <nil>
}

// Every preset can be read, in the light and in the dark.
func TestPresetsCanBeRead(t *testing.T) {
	for _, p := range theme.Presets() {
		for name, c := range map[string]theme.Colours{"light": p.Light, "dark": p.Dark} {
			for _, pair := range c.Pairs() {
				assert.True(t, pair.Enough(), "%s, %s: %s has %s", p.Name, name, pair.Name, theme.Ratio(pair.Ratio))
			}
		}
		assert.NoError(t, theme.Theme{Light: &p.Light, Dark: &p.Dark, Scheme: theme.ByDevice}.Valid())
	}
}

// Contrast is symmetric, from 1 to 21, and grows where a grey moves away from white.
func TestContrast(t *testing.T) {
	grey := func(n int) theme.Colour { return theme.Colour(fmt.Sprintf("#%02x%02x%02x", n, n, n)) }
	for n := range 255 {
		assert.GreaterOrEqual(t, theme.Contrast(grey(n), "#ffffff"), theme.Contrast(grey(n+1), "#ffffff"))
	}
	rapid.Check(t, func(t *rapid.T) {
		c := func(name string) theme.Colour {
			return theme.Colour(fmt.Sprintf("#%06x", rapid.IntRange(0, 1<<24-1).Draw(t, name)))
		}
		a, b := c("a"), c("b")
		r := theme.Contrast(a, b)
		assert.Equal(t, r, theme.Contrast(b, a))
		assert.True(t, r >= 100 && r <= 2100)
		assert.InDelta(t, slowContrast(string(a), string(b)), float64(r)/100, 0.011)
	})
}

// slowContrast is the definition once more, with exact powers: x^2.4 is the fifth root of x^12.
func slowContrast(a, b string) float64 {
	lum := func(c string) float64 {
		sum := 0.0
		for i, w := range []float64{2126, 7152, 722} {
			var n int
			_, _ = fmt.Sscanf(c[1+2*i:3+2*i], "%02x", &n)
			v := float64(n) / 255
			if v <= 0.04045 {
				v /= 12.92
			} else {
				x := new(big.Float).SetPrec(200).SetFloat64((v + 0.055) / 1.055)
				p := big.NewFloat(1).SetPrec(200)
				for range 12 {
					p.Mul(p, x)
				}
				lo, hi := big.NewFloat(0).SetPrec(200), big.NewFloat(1).SetPrec(200)
				for range 60 {
					mid := new(big.Float).SetPrec(200).Add(lo, hi)
					mid.Quo(mid, big.NewFloat(2))
					q := big.NewFloat(1).SetPrec(200)
					for range 5 {
						q.Mul(q, mid)
					}
					if q.Cmp(p) > 0 {
						hi = mid
					} else {
						lo = mid
					}
				}
				v, _ = lo.Float64()
			}
			sum += w / 10000 * v
		}
		return sum
	}
	x, y := lum(a), lum(b)
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

func TestWhatCannotBeReadIsRefused(t *testing.T) {
	c := theme.Presets()[0].Light
	c.Text = "#44506b"
	err := theme.Theme{Light: &c}.Valid()
	var field theme.Error
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "light.text", field.Field)
	for want, bad := range map[string]theme.Theme{
		"scheme": {Light: &theme.Presets()[0].Light, Scheme: theme.AlwaysDark}, "size": {Size: 40}, "corner": {Corner: -1}, "direction": {Direction: "down"}, "spacing": {Spacing: "none"},
		"light.paper": {Light: &theme.Colours{Ground: "#000000", Text: "#ffffff", Open: "#ffffff", Done: "#ffffff"}}, "light": {Dark: &theme.Presets()[0].Dark},
	} {
		require.ErrorAs(t, bad.Valid(), &field, want)
		assert.Equal(t, want, field.Field)
	}
	for _, s := range []string{"", "12", "#12345g", "red"} {
		_, err := theme.ParseColour(s)
		assert.Error(t, err, s)
	}
}

func TestWritingRunsTheOtherWay(t *testing.T) {
	assert.True(t, theme.Theme{}.IsRightToLeft("ar-EG"))
	assert.False(t, theme.Theme{}.IsRightToLeft("de"))
	assert.True(t, theme.Theme{Direction: theme.RightToLeft}.IsRightToLeft("de"))
	assert.False(t, theme.Theme{Direction: theme.LeftToRight}.IsRightToLeft("he"))
}
