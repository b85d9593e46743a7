package merchant

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

type galleryView struct {
	Tokens   []string
	Phases   []string
	Findings []checks.Finding
	Axis     axisView
	Part     amountView
	Wrong    amountView
}

// gallery shows every component in every state.
func (s *server) gallery(c *echo.Context) error {
	return s.render(c, http.StatusOK, "gallery", page{Title: "Gallery", Data: galleryView{
		Tokens: []string{"paper", "sheet", "rule", "rule-soft", "ink", "ink-2", "ink-3", "open", "open-ground", "earned", "earned-ground", "loss", "loss-ground", "past"},
		Phases: []string{"draft", "scheduled", "live", "paused", "ended"},
		Findings: []checks.Finding{
			{Severity: checks.Stop, Say: "Rung 2 for Japan is in EUR, which pays in JPY."},
			{Severity: checks.Doubt, Say: "Polish has no sentence for “reached”; shoppers there read another language."},
		},
		Axis: axisView{Most: 10000, Ticks: []tickView{{46, true, "€0"}, {343, true, "€25"}, {640, true, "€50"}, {937, true, "€75"}, {1234, true, "€100"}},
			Pins: []pinView{{759, 759, 4, "€60.00", nudge.Starts()[0].Title}}},
		Part:  amountView{"home", "Home", money.Currency("EUR"), "threshold.home", "€60.00", ""},
		Wrong: amountView{"jp", "Japan", money.Currency("JPY"), "threshold.jp", "1.234,50", "“1.234,50” is not an amount; write it like ¥1,234."},
	}})
}
