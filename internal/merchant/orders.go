package merchant

import (
	"encoding/csv"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/serving"
	"agonal.dev/agonal/internal/store"
)

const ordersShown = 200

type ordersView struct {
	Orders []store.Order
	Locale string
	Day    func(store.Order) string
	On     func(time.Time) string
	One    store.Order
	Names  map[string]string
	Labels map[string]string        // of the goods of One
	Given  func(store.Order) string // the nudges that came with an order
}

func (s *server) ordersView(c *echo.Context) (ordersView, error) {
	ctx, h := c.Request().Context(), at(c)
	v := ordersView{Locale: h.shop.Locale, Day: func(o store.Order) string { return h.day(o.PlacedAt) }, On: h.day, Names: map[string]string{}}
	ns, err := s.app.Nudges(ctx, h.shop.ID)
	for _, n := range ns {
		v.Names[n.ID] = n.Draft.Name
	}
	v.Given = func(o store.Order) string {
		var names []string
		for _, r := range o.Rewards {
			if name := v.Names[r.NudgeID]; !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
		return strings.Join(names, ", ")
	}
	return v, err
}

func (s *server) orders(c *echo.Context) error {
	v, err := s.ordersView(c)
	if err == nil {
		v.Orders, err = s.app.Orders(c.Request().Context(), at(c).shop.ID, ordersShown)
	}
	if err != nil {
		return s.fail(c, err)
	}
	return s.render(c, http.StatusOK, "orders", page{Title: "Orders", Place: "shop", Section: "orders", Data: v})
}

// backWays are what may happen to rewards that what stays does not earn.
var backWays = []struct {
	way  nudge.Returns
	name string
	of   func(decide.Refunds) money.Minor
}{
	{nudge.Keep, "The shopper keeps them", func(q decide.Refunds) money.Minor { return q.Keep }},
	{nudge.Charge, "Gifts are charged at their list price", func(q decide.Refunds) money.Minor { return q.Charge }},
	{nudge.Recompute, "The order is reckoned anew", func(q decide.Refunds) money.Minor { return q.Recompute }},
}

// orderView is one order, with what came back of it and what would go back for more.
type orderView struct {
	ordersView
	R     app.Returned
	Lines []backLine
	Quote *decide.Refunds
	Ways  []backWay
	Err   map[string]string
	Seen  int
	Stays bool           // something of it is still out
	Plan  *app.PlanState // of what is bought by one
}

type backLine struct {
	I           int
	SKU, Label  string
	Stays       int64
	Typed       string
	Field, Fail string
}

type backWay struct {
	Way, Name, Amount string
	On                bool
}

// WayName says how rewards were treated.
func (v orderView) WayName(way nudge.Returns) string {
	for _, w := range backWays {
		if w.way == way {
			return strings.ToLower(w.name[:1]) + w.name[1:]
		}
	}
	return string(way)
}

func (s *server) order(c *echo.Context) error {
	v, err := s.orderView(c)
	if err != nil {
		return s.fail(c, err)
	}
	status := http.StatusOK
	if now, asked := v.typed(c); asked {
		if err := s.quoteBack(c, v, now); err != nil {
			return s.fail(c, err)
		}
		if len(v.Err) > 0 {
			status = http.StatusUnprocessableEntity
		}
	}
	return s.render(c, status, "order", page{Title: fmt.Sprintf("Order %d", v.One.Number), Place: "shop", Section: "orders", Data: v})
}

// eraseShopper takes the shopper of an order out of the shop.
func (s *server) eraseShopper(c *echo.Context) error {
	v, err := s.orderView(c)
	if err != nil {
		return s.fail(c, err)
	}
	h, page := at(c), at(c).url(fmt.Sprintf("/shop/orders/%d", v.One.Number))
	if v.One.Customer == "" { // it was done already
		return s.done(c, page, "The shopper of this order is erased.")
	}
	orders, visits, err := s.app.Erase(c.Request().Context(), h.shop.ID, v.One.Customer, "")
	if err != nil {
		return s.fail(c, err)
	}
	return s.done(c, page, fmt.Sprintf("The shopper is erased from %s and %s. What was counted stays.", plural(orders, "order", "orders"), plural(visits, "visit", "visits")))
}

func (s *server) orderView(c *echo.Context) (*orderView, error) {
	all, err := s.ordersView(c)
	if err != nil {
		return nil, err
	}
	v := &orderView{ordersView: all, Err: map[string]string{}}
	if v.R, err = s.app.ReturnedOrder(c.Request().Context(), at(c).shop.ID, int64(atoi(c.Param("number")))); err != nil {
		return nil, err
	}
	if plan, has, err := s.app.PlanOf(c.Request().Context(), &v.R.Order); err != nil {
		return nil, err
	} else if has {
		v.Plan = &plan
	}
	snap, err := s.app.Snapshots.Get(c.Request().Context(), at(c).shop.ID)
	if err != nil {
		return nil, err
	}
	v.One, v.Labels, v.Seen, v.Stays = v.R.Order, map[string]string{}, len(v.R.Returns), !v.R.AllBack()
	for i, l := range v.One.Decision.Lines {
		v.Labels[l.SKU] = snap.Catalog().Label(l.SKU)
		v.Lines = append(v.Lines, backLine{I: i, SKU: l.SKU, Label: v.Labels[l.SKU], Stays: l.Quantity - v.R.Back[i], Typed: "0", Field: fmt.Sprintf("back-%d", i)})
	}
	return v, nil
}

// typed reads how many pieces of each line came back; asked tells that it was asked.
func (v *orderView) typed(c *echo.Context) (now []int64, asked bool) {
	now = make([]int64, len(v.Lines))
	all := c.FormValue("all") != ""
	for i := range v.Lines {
		l := &v.Lines[i]
		text := strings.TrimSpace(c.FormValue(l.Field))
		if all {
			text = itoa(int(l.Stays))
		}
		if text == "" {
			continue
		}
		asked = true
		n, err := strconv.ParseInt(text, 10, 64)
		if l.Typed = text; err != nil || n < 0 || n > l.Stays {
			l.Fail = fmt.Sprintf("Write a whole number from 0 to %d.", l.Stays)
			v.Err[l.Field] = l.Fail
		}
		now[i] = n
	}
	return now, asked
}

func (s *server) quoteBack(c *echo.Context, v *orderView, now []int64) error {
	if len(v.Err) > 0 {
		return nil
	}
	q, err := s.app.QuoteReturn(c.Request().Context(), &v.R, now)
	var said app.Problem
	switch {
	case errors.As(err, &said):
		v.Err[""] = said.Say
		return nil
	case err != nil:
		return err
	}
	v.Quote = &q
	way := nudge.Returns(c.FormValue("way"))
	same := len(q.Gone) == 0 && q.Keep == q.Recompute
	for i, w := range backWays {
		on := way == w.way || way == "" && i == 0
		if w.way == nudge.Charge && len(q.Lost) == 0 && !q.All {
			continue
		}
		name := w.name + ":"
		if q.All || same {
			name = ""
		}
		v.Ways = append(v.Ways, backWay{string(w.way), name, money.Format(money.Amount{Minor: w.of(q), Currency: v.One.Currency}, v.Locale), on})
		if q.All || same {
			break // the ways come to the same
		}
	}
	return nil
}

// takeBack writes down what came back and what is paid back for it.
func (s *server) takeBack(c *echo.Context) error {
	h := at(c)
	v, err := s.orderView(c)
	if err != nil {
		return s.fail(c, err)
	}
	now, _ := v.typed(c)
	var r store.OrderReturn
	if len(v.Err) == 0 {
		r, err = s.app.Return(c.Request().Context(), h.shop.ID, v.One.Number, h.account.Name, atoi(c.FormValue("seen")), now, nudge.Returns(c.FormValue("way")), c.FormValue("restock") != "")
	}
	var said app.Problem
	switch {
	case errors.As(err, &said):
		v.Err[""] = said.Say
	case err != nil:
		return s.fail(c, err)
	case len(v.Err) == 0:
		say := "Written down: " + money.Format(money.Amount{Minor: r.Refund, Currency: v.One.Currency}, v.Locale) + " goes back."
		return s.done(c, h.url(fmt.Sprintf("/shop/orders/%d", v.One.Number)), say)
	}
	if quoteErr := s.quoteBack(c, v, now); quoteErr != nil {
		return s.fail(c, quoteErr)
	}
	return s.render(c, http.StatusUnprocessableEntity, "order", page{Title: fmt.Sprintf("Order %d", v.One.Number), Place: "shop", Section: "orders", Data: v})
}

// ordersCSV is the table of orders to take along.
func (s *server) ordersCSV(c *echo.Context) error {
	h := at(c)
	w := csv.NewWriter(c.Response())
	w.UseCRLF = true
	begun := false
	begin := func() error {
		begun = true
		serving.LongTransfer(c)
		c.Response().Header().Set("Content-Type", "text/csv; charset=utf-8")
		c.Response().Header().Set("Content-Disposition", `attachment; filename="`+h.shop.ID+`-orders.csv"`)
		return w.Write([]string{"number", "placed at", "region", "country", "currency", "goods", "off", "list fee", "fee", "tax", "to pay", "nudges"})
	}
	err := s.app.EachOrder(c.Request().Context(), h.shop.ID, func(o *store.Order) error {
		if !begun {
			if err := begin(); err != nil {
				return err
			}
		}
		var given []string
		for _, r := range o.Rewards {
			if !slices.Contains(given, r.NudgeID) {
				given = append(given, r.NudgeID)
			}
		}
		d := func(m money.Minor) string { return money.Decimal(m, o.Currency.Digits()) }
		return w.Write([]string{strconv.FormatInt(o.Number, 10), o.PlacedAt.UTC().Format("2006-01-02T15:04:05Z"), o.Region, o.Country, string(o.Currency),
			d(o.Goods), d(o.Off), d(o.ListFee), d(o.Fee), d(o.Tax), d(o.ToPay), strings.Join(given, "|")})
	})
	switch {
	case err != nil && begun:
		panic(http.ErrAbortHandler) // half a file must not look like a whole one
	case err != nil:
		return s.fail(c, err)
	case !begun:
		if err := begin(); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}
