//go:build laws

package trial_test

import (
	"bytes"
	"encoding/json"
	"math"
	"math/big"
	"math/rand/v2"
	"os/exec"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/trial"
)

type side struct {
	Visits  int64         `json:"visits"`
	Margins []money.Minor `json:"margins"` // of the visits with orders
	Goods   []money.Minor `json:"goods"`
	Orders  []int64       `json:"orders"`
	Back    int64         `json:"back"`
}

func (s side) visits() (v results.Visits) {
	v.Visits = s.Visits
	add := func(to *big.Int, x, y int64) { to.Add(to, new(big.Int).Mul(big.NewInt(x), big.NewInt(y))) }
	for i, m := range s.Margins {
		v.Ordering++
		v.Orders += s.Orders[i]
		v.Margin += m
		v.Goods += s.Goods[i]
		add(&v.Squares, m, m)
		add(&v.GoodsSquares, s.Goods[i], s.Goods[i])
		add(&v.GoodsByOrders, s.Goods[i], s.Orders[i])
		v.OrdersSquares += s.Orders[i] * s.Orders[i]
	}
	return v
}

// Intervals and plans equal a second computation with SciPy, to four digits.
func TestIntervalsAndPlansEqualASecondComputation(t *testing.T) {
	r := rand.New(rand.NewPCG(50, 50))
	draw := func() side {
		s := side{Visits: 300 + r.Int64N(5000)}
		for range 30 + r.IntN(200) {
			s.Margins = append(s.Margins, money.Minor(math.Round(math.Exp(6+r.Float64()*2+0.8*r.NormFloat64())))-200)
			s.Orders = append(s.Orders, 1+max(0, r.Int64N(8)-6))
			s.Goods = append(s.Goods, 1000+r.Int64N(9000)*s.Orders[len(s.Orders)-1])
		}
		s.Back = 12 + r.Int64N(18)
		return s
	}
	type question struct {
		A          side    `json:"a"`
		B          side    `json:"b"`
		Planned    int64   `json:"planned"`
		Spread     float64 `json:"spread"`
		Difference float64 `json:"difference"`
		Share      float64 `json:"share"`
	}
	var all []question
	var in bytes.Buffer
	for range 50 {
		q := question{A: draw(), B: draw(), Planned: 500 + r.Int64N(50_000), Spread: math.Exp(8 + 6*r.Float64()), Difference: math.Exp(1 + 4*r.Float64()), Share: 0.05 + 0.9*r.Float64()}
		all = append(all, q)
		require.NoError(t, json.NewEncoder(&in).Encode(q))
	}
	cmd := exec.Command("/usr/bin/python3", "testdata/second.py")
	cmd.Stdin = &in
	out, err := cmd.Output()
	require.NoError(t, err, "python3-scipy is needed")
	answers := json.NewDecoder(bytes.NewReader(out))
	for i, q := range all {
		var want struct {
			Effect, Look, Conversion, Value, Returned [3]float64
			Plan                                      float64
		}
		require.NoError(t, answers.Decode(&want))
		a, b := q.A.visits(), q.B.visits()
		e := b.Against(&a, 28)
		for k, got := range []money.Minor{e.Low, e.Mid, e.High} {
			assert.InDelta(t, want.Effect[k], float64(got), 0.5+1e-4*math.Abs(want.Effect[k]), "effect of case %d", i) // rounded to a minor unit
		}
		for what, l := range map[string]struct {
			want [3]float64
			got  trial.Look
		}{
			"margin":     {want.Look, trial.At(&a, &b, q.Planned)},
			"conversion": {want.Conversion, trial.Conversion(&a, &b, q.Planned)},
			"value":      {want.Value, trial.OrderValue(&a, &b, q.Planned)},
			"returned":   {want.Returned, trial.Returned(&a, &b, q.A.Back, q.B.Back, q.Planned)},
		} {
			for k, got := range []float64{l.got.Low, l.got.Mid, l.got.High} {
				assert.InDelta(t, l.want[k], got, 1e-6*(l.want[2]-l.want[0])+1e-4*math.Abs(l.want[k]), "%s of case %d", what, i)
			}
		}
		assert.InDelta(t, want.Plan, float64(trial.Plan(q.Spread, q.Difference, q.Share)), 1+1e-4*want.Plan, "plan of case %d", i)
	}
	t.Logf("%d cases agree", len(all))
}
