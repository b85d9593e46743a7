package bounds

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/pricing/pricingtest"
)

func TestMain(m *testing.M) { os.Exit(pricingtest.Main(m, "2000")) }

// What sets save is worked out without the sets: it is what the sets save.
func TestWhatSetsSaveIsWhatTheSetsSave(t *testing.T) {
	some := 0
	rapid.Check(t, func(t *rapid.T) {
		p := pricingtest.Eight.Draw(t)
		free := make([]int64, len(p.Lines))
		for i, l := range p.Lines {
			free[i] = rapid.Int64Range(0, l.Quantity).Draw(t, "free")
		}
		for i := range p.Units {
			if !p.Units[i].WholeSets() {
				continue
			}
			pk := pricing.Pick{Unit: i, Kind: -1}
			want := MostSets(p, pk, free, pricing.AnyUnits).Saved()
			if want > 0 {
				some++
			}
			assert.Equal(t, want, setsSaved(p, pk, free))
		}
	})
	assert.Greater(t, some, 50)
}
