package storefront

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/app"
)

// forServers answers who has no secret key.
func forServers(c *echo.Context) error {
	return reply(c, problem{Status: http.StatusForbidden, Title: "A secret key is needed for this", Detail: "Orders are added to by the shop's server, with its secret key."})
}

var noOrder = problem{Status: http.StatusNotFound, Title: "There is no such order", Detail: "No order was placed under this key.", Errors: []decide.FieldError{{Field: "order", Why: "no order was placed under this key"}}}

// afterReply is what is offered after an order.
type afterReply struct {
	Decision decide.Decision `json:"decision"`
	Until    time.Time       `json:"until"`
	Added    []addedReply    `json:"added"`
}

// addedReply is what was added to an order.
type addedReply struct {
	Nudge    string      `json:"nudge"`
	SKU      string      `json:"sku"`
	Quantity int64       `json:"quantity"`
	More     money.Minor `json:"more"`
}

// afterOrder says what is offered to who placed an order.
func (s *server) afterOrder(c *echo.Context) error {
	k := callOf(c)
	if !k.secret {
		return forServers(c)
	}
	var req struct {
		Order string `json:"order"`
	}
	if ok, err := decode(c, &req); !ok {
		return err
	}
	after, err := s.app.AfterOrder(k.ctx, k.shop.Shop.ID, req.Order)
	if err != nil {
		return fail(c, err, noOrder)
	}
	out := afterReply{Decision: after.Decision, Until: after.Until.UTC(), Added: []addedReply{}}
	for _, x := range after.Added {
		out.Added = append(out.Added, addedReply{x.NudgeID, x.SKU, x.Quantity, x.More})
	}
	return c.JSON(http.StatusOK, out)
}

// planEvent stores what became of an order's plan.
func (s *server) planEvent(c *echo.Context) error {
	k := callOf(c)
	if !k.secret {
		return forServers(c)
	}
	var in app.PlanEventInput
	if ok, err := decode(c, &in); !ok {
		return err
	}
	state, err := s.app.PlanEvent(k.ctx, k.shop.Shop.ID, in)
	if err != nil {
		return fail(c, err, noOrder)
	}
	return c.JSON(http.StatusOK, state)
}

// addToOrder adds what is offered after an order to it.
func (s *server) addToOrder(c *echo.Context) error {
	k := callOf(c)
	if !k.secret {
		return forServers(c)
	}
	var req struct {
		app.AdditionRequest
		Expect *money.Minor `json:"expect_more"`
	}
	if ok, err := decode(c, &req); !ok {
		return err
	}
	if req.Expect == nil {
		return fail(c, app.Problem{Field: "expect_more", Say: "the difference that was shown to the shopper is needed"}, problem{})
	}
	req.AdditionRequest.Expect = *req.Expect
	added, o, err := s.app.AddToOrder(k.ctx, k.shop.Shop.ID, req.AdditionRequest)
	if err != nil {
		return fail(c, err, noOrder)
	}
	return c.JSON(http.StatusCreated, struct {
		orderReply
		More money.Minor `json:"more"`
	}{orderReply{o.Number, o.ToPay, string(o.Currency)}, added.More})
}
