package merchant

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/app"
)

// salesView plans sales of many goods at once, and lists those there are.
type salesView struct {
	Running         []saleRow
	Scope, Seldom   []control // which goods
	Percent         control
	Endings         []amountView
	From, Until     control
	Planned         bool
	Line            *priceLine
	Outcomes        []saleOutcomeRow
	Reduced, LeftBy int
	More            int    // outcomes that are not listed
	Losses          int    // below what they cost
	Far             int    // reduced by twice as much as was asked for, by their ending
	Query           string // what was planned, as the form that keeps it sends it
	Fields          []field
	Err             map[string]string
}

type field struct{ Name, Value string }

type saleRow struct {
	When, What, Off string
	From, Until     string
	Begun           bool
}

type saleOutcomeRow struct {
	Label, Usual, Sale, Percent, Why string
	Loss, Far                        bool
}

// mostOutcomes is how many outcomes are listed.
const mostOutcomes = 300

// planned is the plan that a form describes, and the controls that it was read by.
func (s *server) planned(c *echo.Context, form url.Values) (catalog.SalePlan, *salesView, error) {
	ctx, h := c.Request().Context(), at(c)
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return catalog.SalePlan{}, nil, err
	}
	w := drawer{regions: snap.Regions(), all: snap.Regions(), locale: h.shop.Locale, zone: h.zone, town: h.shop.Town, catalog: snap.Catalog(), now: h.now}
	var plan catalog.SalePlan
	var percent *money.Rate
	var from, until *time.Time
	r := &reading{form: form, locale: h.shop.Locale, zone: h.zone, now: h.now, errs: fieldErrors{}}
	asked := len(form) > 0
	read := func(c control) control {
		if asked {
			c.read(r)
			c.retype(form, r.errs)
		}
		return c
	}
	v := &salesView{Planned: asked, Err: r.errs}
	for _, c := range w.filter("scope", &plan.Scope, "Reduce only", "Never") {
		short := strings.TrimPrefix(c.Name, "scope.")
		switch c = read(c); short {
		case "include.collections", "include.products", "exclude.collections", "exclude.products", "exclude.tags":
			c.Tokens = named(w, c)
			v.Scope = append(v.Scope, c)
		default:
			c.Tokens = named(w, c)
			v.Seldom = append(v.Seldom, c)
		}
	}
	v.Percent = read(w.percent("percent", "How much less", &percent, func() bool { return true }))
	v.From, v.Until = read(w.moment("from", "From", &from)), read(w.moment("until", "Until", &until))
	plan.Endings = map[money.Currency]money.Ending{}
	seen := map[money.Currency]bool{}
	for _, g := range w.all {
		if seen[g.Currency] {
			continue
		}
		seen[g.Currency] = true
		f := amountView{Region: string(g.Currency), Name: "Prices in", Currency: g.Currency, Field: "ending." + string(g.Currency), Value: form.Get("ending." + string(g.Currency))}
		if strings.TrimSpace(f.Value) != "" {
			m, err := money.ParseTyped(f.Value, h.shop.Locale, g.Currency)
			if err != nil {
				r.errs[f.Field] = upperFirst(err.Error()) + "."
				f.Error = r.errs[f.Field]
			}
			plan.Endings[g.Currency] = money.EndingOf(money.Amount{Minor: m, Currency: g.Currency})
		}
		v.Endings = append(v.Endings, f)
	}
	if percent != nil {
		plan.Percent = *percent
	}
	if from != nil {
		plan.From = *from
	}
	if until != nil {
		plan.Until = *until
	}
	return plan, v, nil
}

// named gives tokens the names that a reader knows.
func named(w drawer, c control) []tokenView {
	for i := range c.Tokens {
		c.Tokens[i].Name = w.nameOf(c.Of, c.Tokens[i].Value)
	}
	return c.Tokens
}

func (s *server) sales(c *echo.Context) error {
	q := c.QueryParams()
	delete(q, "kept")
	return s.showSales(c, http.StatusOK, q)
}

func (s *server) showSales(c *echo.Context, status int, form url.Values) error {
	ctx, h := c.Request().Context(), at(c)
	plan, v, err := s.planned(c, form)
	if err != nil {
		return s.fail(c, err)
	}
	running, err := s.app.Sales(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	for _, r := range running {
		v.Running = append(v.Running, saleRowOf(h, r))
	}
	if v.Planned && len(v.Err) == 0 {
		outcomes, err := s.app.PlanSale(ctx, h.shop.ID, plan)
		if !v.refused(err) && err != nil {
			return s.fail(c, err)
		}
		v.list(h, plan, outcomes)
		if len(v.Err) == 0 {
			snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
			if err != nil {
				return s.fail(c, err)
			}
			v.Line = priceLineOf(h, plan, outcomes, form.Get("line"), snap.Regions())
		}
	}
	if len(v.Err) > 0 {
		v.Planned = false
		status = http.StatusUnprocessableEntity
	}
	for name, values := range form {
		for _, x := range values {
			if name != "csrf" && name != "do" && name != "line" {
				v.Fields = append(v.Fields, field{name, x})
			}
		}
	}
	return s.render(c, status, "sales", page{Title: "Sale prices", Place: "shop", Section: "sales", Data: v})
}

// refused takes what is wrong with a plan to its field.
func (v *salesView) refused(err error) bool {
	var wrong app.Problem
	if !errors.As(err, &wrong) {
		return false
	}
	v.Err[wrong.Field] = wrong.Say
	for _, c := range []*control{&v.Percent, &v.From, &v.Until} {
		if c.Name == wrong.Field {
			c.Error = wrong.Say
		}
	}
	return true
}

func (v *salesView) list(h *here, plan catalog.SalePlan, outcomes []catalog.SaleOutcome) {
	for _, o := range outcomes {
		if o.Why != "" {
			v.LeftBy++
		} else {
			v.Reduced++
		}
		if o.Loss {
			v.Losses++
		}
		far := o.Why == "" && plan.TwiceAsMuch(o)
		if far {
			v.Far++
		}
		if len(v.Outcomes) == mostOutcomes {
			v.More++
			continue
		}
		show := func(m money.Minor) string {
			return money.Format(money.Amount{Minor: m, Currency: o.Currency}, h.shop.Locale)
		}
		row := saleOutcomeRow{Label: o.Item.Label(), Usual: show(o.Usual), Sale: show(o.Sale), Why: o.Why, Loss: o.Loss, Far: far}
		if o.Why == "" {
			row.Percent = fmt.Sprintf("−%d %%", o.Percent)
		}
		v.Outcomes = append(v.Outcomes, row)
	}
}

func saleRowOf(h *here, r app.RunningSale) saleRow {
	row := saleRow{
		When: h.day(r.From) + " until " + h.day(r.Until), From: strconv.FormatInt(r.From.UnixNano(), 10), Until: strconv.FormatInt(r.Until.UnixNano(), 10), Begun: !h.now.Before(r.From),
		What: fmt.Sprintf("%d variants, such as %s", r.Variants, r.Sample), Off: fmt.Sprintf("%d to %d %% off", r.Least, r.Most),
	}
	if r.Variants == 1 {
		row.What = r.Sample
	}
	if r.Least == r.Most {
		row.Off = fmt.Sprintf("%d %% off", r.Most)
	}
	return row
}

// keepSale puts a planned sale into the prices, or ends one.
func (s *server) keepSale(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	form, err := c.FormValues()
	if err != nil {
		return s.oops(c, http.StatusBadRequest, "The form could not be read; load the page again.")
	}
	if form.Get("do") == "end" {
		from, _ := strconv.ParseInt(form.Get("sale-from"), 10, 64)
		until, _ := strconv.ParseInt(form.Get("sale-until"), 10, 64)
		n, err := s.app.EndSale(ctx, h.shop.ID, time.Unix(0, from), time.Unix(0, until))
		if err != nil {
			return s.fail(c, err)
		}
		if n == 0 {
			return s.done(c, h.url("/shop/sales"), "This sale is over already; nothing was changed.")
		}
		return s.done(c, h.url("/shop/sales"), variants(n)+" back at the usual price.")
	}
	delete(form, "csrf")
	delete(form, "do")
	plan, v, err := s.planned(c, form)
	if err != nil {
		return s.fail(c, err)
	}
	if len(v.Err) > 0 {
		return s.showSales(c, http.StatusUnprocessableEntity, form)
	}
	n, err := s.app.KeepSale(ctx, h.shop.ID, plan)
	if v.refused(err) {
		return s.showSales(c, http.StatusUnprocessableEntity, form)
	}
	switch {
	case err != nil:
		return s.fail(c, err)
	case n == 0:
		return s.done(c, h.url("/shop/sales"), "Nothing is reduced by this any more: another sale runs then, or the prices have changed.")
	}
	return s.done(c, h.url("/shop/sales"), variants(n)+" reduced from "+h.day(plan.From)+" until "+h.day(plan.Until)+".")
}

// variants begins a sentence with so many of them.
func variants(n int) string {
	if n == 1 {
		return "1 variant is"
	}
	return strconv.Itoa(n) + " variants are"
}
