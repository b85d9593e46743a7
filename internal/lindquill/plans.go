package lindquill

import (
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/money"
)

// mostParcels bounds how many later parcels a made-up plan sends.
const mostParcels = 60

// planEvent is what Agonal is told of an order's plan, planTold what it answers.
type planEvent struct {
	Order string `json:"order"`
	ID    string `json:"id"`
	Kind  string `json:"kind"`
}

type planTold struct {
	Paid     money.Minor    `json:"paid"`
	Currency money.Currency `json:"currency"`
	Parcels  int            `json:"parcels"`
}

// byPlan tells whether an order holds something that is bought by a plan.
func (r *record) byPlan() bool {
	for i := range r.Order.Cart.Lines {
		if r.Order.Cart.Lines[i].Plan != "" {
			return true
		}
	}
	return false
}

// plan makes time pass for an order: its next parcel is sent, or it ends. What is pressed twice
// comes once, as the parcel that the page meant is told under its number.
func (s *shop) plan(c *echo.Context) error {
	rec, ok := s.ledger.orders.get(c.Param("key"))
	if !ok || !rec.placed() || !rec.byPlan() {
		return s.missing(c)
	}
	say := func(what string, args ...any) error {
		tell(c, slip{Say: of(c).say(what, args...)})
		return c.Redirect(http.StatusSeeOther, "/thanks/"+rec.Order.Key)
	}
	n, err := strconv.Atoi(c.FormValue("parcel"))
	ends := c.FormValue("parcel") == "none"
	switch {
	case rec.PlanEnded:
		return say("This plan has ended already.")
	case rec.Number == 0:
		return say("Your order has no number yet; try again a little later.")
	case !ends && (err != nil || n < 1 || n > mostParcels || n > rec.Parcels+1):
		return say("This could not be read. Nothing was charged; try again.")
	}
	in := planEvent{Order: rec.Order.Key, ID: "parcel-" + strconv.Itoa(n), Kind: "parcel"}
	if ends {
		in.ID, in.Kind = "ended", "ended"
	}
	var told planTold
	if err := s.client.waited(c.Request().Context(), &s.client.orders, orderWithin, http.MethodPost, "/v1/orders/plan", s.client.secret, in, &told); err != nil {
		return say("Nothing could be sent at this moment. Nothing was charged; try again a little later.")
	}
	err = s.ledger.orders.change(rec.Order.Key, func(r record, _ bool) (record, bool) {
		r.PlanEnded, r.Parcels = r.PlanEnded || ends, max(r.Parcels, told.Parcels)
		return r, true
	})
	if err != nil {
		return err
	}
	if ends {
		return say("Your plan has ended. No more parcels are sent.")
	}
	return say("Parcel %d is on its way. We charged %s for it.", n+1, money.Format(money.Amount{Minor: told.Paid, Currency: told.Currency}, of(c).locale()))
}
