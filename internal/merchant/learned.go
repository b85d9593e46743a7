package merchant

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// learnedView is what was learned of how a nudge is accepted.
type learnedView struct {
	Action string
	Offers bool
	Weighs bool   // whether nudges are chosen by it
	Before string // what is believed of one that was never shown
	Rows   []learnedRow
	Any    bool
}

type learnedRow struct {
	Band, Shows, Accepted, Chance string
	seen                          decide.Tally
	mean                          money.Rate
}

const perMille = money.Whole / 1000

// bandNames say how much of a threshold is missing.
var bandNames = map[string]string{"10": "up to 10 %", "20": "over 10, up to 20 %", "30": "over 20, up to 30 %", "50": "over 30, up to 50 %", "beyond": "over 50 %"}

func (v *resultOfView) learn(settings *snapshot.Settings, d *nudge.Definition, seen map[string]decide.Tally) {
	prior := settings.Believed()
	l := &learnedView{Offers: d.Offers(), Weighs: settings.Weighs(), Before: fmt.Sprintf("%d of %d", prior.Accepted, prior.Accepted+prior.Refused), Any: len(seen) > 0}
	for _, band := range decide.Bands {
		t := seen[band]
		if l.Offers && t.Shows == 0 {
			continue
		}
		mean := t.Mean(prior)
		l.Rows = append(l.Rows, learnedRow{bandNames[band], whole(t.Shows, v.locale), whole(t.Accepted, v.locale), plainShare((mean + perMille/2) / perMille * perMille), t, mean})
	}
	v.Learned = l
}

// forget begins anew what was learned of a nudge, or takes that back.
func (s *server) forget(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	n, err := s.app.Nudge(ctx, h.shop.ID, c.Param("nudge"))
	if err != nil {
		return s.fail(c, err)
	}
	page := h.url("/results/" + n.ID)
	if c.FormValue("again") != "" {
		if err := s.app.Recall(ctx, h.shop.ID, n.ID); err != nil {
			return s.fail(c, err)
		}
		s.tell(c, flash{Say: "What was learned is back.", Tone: "earned"})
		return c.Redirect(http.StatusSeeOther, page)
	}
	had, err := s.app.Forget(ctx, h.shop.ID, n.ID)
	if err != nil {
		return s.fail(c, err)
	}
	if had {
		s.tell(c, flash{Say: "What was learned is forgotten; it begins anew with the next visit.", Tone: "earned", Undo: &undo{Action: page + "/forget", Fields: map[string]string{"again": "yes"}}})
	} else {
		s.tell(c, flash{Say: "There was nothing to forget."})
	}
	return c.Redirect(http.StatusSeeOther, page)
}
