package merchant

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

type galleryView struct {
	Tokens    []string
	Phases    []string
	Findings  []findingView
	Axis      axisView
	Part      amountView
	Wrong     amountView
	Strip     *stripView
	Countries []tokenView
}

// gallery shows every component in every state.
func (s *server) gallery(c *echo.Context) error {
	return s.render(c, http.StatusOK, "gallery", page{Title: "Gallery", Data: galleryView{
		Tokens: []string{"paper", "sheet", "rule", "rule-soft", "ink", "ink-2", "ink-3", "open", "open-ground", "earned", "earned-ground", "loss", "loss-ground", "past"},
		Phases: []string{"draft", "scheduled", "live", "paused", "ended"},
		Findings: []findingView{
			{checks.Finding{Severity: checks.Stop, Say: "Rung 2 for Japan is in EUR, which pays in JPY."}, ""},
			{checks.Finding{Severity: checks.Doubt, Say: "Polish has no sentence for “reached”; shoppers there read another language."}, ""},
		},
		Axis:  galleryAxis(),
		Strip: stripOf(catalog.Method{Bands: []catalog.Band{{From: 0, Fee: 890}, {From: 10000, Fee: 490}}}, "GBP", "en-GB"), Countries: []tokenView{{Value: "AT", Name: checks.CountryName("AT")}},
		Part:  amountView{"home", "Home", money.Currency("EUR"), "threshold.home", "€60.00", ""},
		Wrong: amountView{"jp", "Japan", money.Currency("JPY"), "threshold.jp", "1.234,50", "“1.234,50” is not an amount; write it like ¥1,234."},
	}})
}

// galleryAxis is a ladder of two rungs.
func galleryAxis() axisView {
	at := func(m money.Minor) nudge.Amounts { return nudge.Amounts{"home": {Minor: m, Currency: "EUR"}} }
	tenth := money.Rate(100_000)
	d := nudge.Definition{Ladder: nudge.Ladder{Rungs: []nudge.Rung{
		{Thresholds: at(6000), Rewards: []nudge.Reward{{Kind: nudge.FreeShipping}}}, {Thresholds: at(9500), Rewards: []nudge.Reward{{Kind: nudge.OrderPercent, Percent: &tenth}}},
	}}}
	return axisOf(&d, catalog.Region{ID: "home", Currency: "EUR"}, &catalog.Catalog{}, "en", 0, axisBox{})
}
