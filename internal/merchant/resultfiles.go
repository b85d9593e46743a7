package merchant

import (
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/trial"
)

// resultsFile are the tables of all nudges and of the days; as CSV that of the nudges.
func (s *server) resultsFile(c *echo.Context) error {
	v, err := s.resultsView(c)
	if err != nil {
		return s.fail(c, err)
	}
	tables := []table{v.nudgesTable()}
	if strings.HasSuffix(c.Request().URL.Path, ".xlsx") {
		tables = append(tables, daysTable(v.Found.Days, v.Found.DaysBefore))
	}
	return takeAlong(c, at(c).shop.ID+"-results", tables)
}

func (v *resultsView) nudgesTable() table {
	t := table{Name: "Nudges", Head: []string{"nudge", "name", "from", "to", "currency", "visits that could see it", "visits kept from it", "visits shown", "visits reached", "orders with it", "orders after a show", "given away", "margin earned", "between", "and", "in words"}}
	d := func(m money.Minor) cell { return moneyCell(m, v.Currency) }
	for _, r := range v.Rows {
		f := r.figures
		var earned, low, high cell
		if r.Earned != "" {
			earned, low, high = d(f.Effect.Mid), d(f.Effect.Low), d(f.Effect.High)
		}
		t.Rows = append(t.Rows, []cell{
			textCell(r.ID), textCell(r.Name), textCell(v.From.Format(time.DateOnly)), textCell(v.To.Format(time.DateOnly)), textCell(string(v.Currency)),
			countCell(f.Could), countCell(f.Held), countCell(f.Shown), countCell(f.Reached), countCell(f.Used), countCell(f.AfterShow), d(f.Given), earned, low, high, textCell(r.Words),
		})
	}
	return t
}

// daysTable are days, and where they are told the same weekdays before.
func daysTable(days, before []results.Day) table {
	t := table{Name: "Days", Head: []string{"day", "orders", "orders with a nudge"}}
	if before != nil {
		t.Head = append(t.Head, "orders of the same weekday before")
	}
	for i, d := range days {
		row := []cell{textCell(d.Day.Format(time.DateOnly)), countCell(d.With + d.Without), countCell(d.With)}
		if before != nil {
			row = append(row, countCell(before[i].With+before[i].Without))
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// resultOfFile are the tables of one nudge's results, with all orders of the period in which
// it gave something.
func (s *server) resultOfFile(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	v, err := s.resultOfView(c)
	if err != nil {
		return s.fail(c, err)
	}
	orders, err := s.app.OrdersBehind(ctx, h.shop.ID, v.ID, v.Asked)
	if err != nil {
		return s.fail(c, err)
	}
	tables := []table{v.armsTable(), v.funnelTable(), daysTable(v.Found.Days, nil)}
	for _, cut := range v.Cuts {
		t := table{Name: cut.Head[0], Head: cut.Head}
		for _, r := range cut.Rows {
			t.Rows = append(t.Rows, []cell{textCell(r.Cells[0]), countCell(r.sums.shown), countCell(r.sums.after), countCell(r.sums.used), moneyCell(r.sums.given, v.Currency)})
		}
		tables = append(tables, t)
	}
	learned := table{Name: "Accepted", Head: []string{"missing of the threshold", "shown", "accepted", "chance in percent"}}
	for _, r := range v.Learned.Rows {
		learned.Rows = append(learned.Rows, []cell{textCell(r.Band), countCell(r.seen.Shows), countCell(r.seen.Accepted), shareCell(r.mean.String())})
	}
	most := table{Name: "Given most", Head: []string{"gift, goods or code", "orders"}}
	if v.Given != nil {
		for _, g := range v.Given.Rows {
			most.Rows = append(most.Rows, []cell{textCell(g.Cells[0]), countCell(g.sums.used)})
		}
	}
	behind := table{Name: "Orders", Head: []string{"order", "placed", "given away", "paid", "margin"}}
	for i := range orders {
		o := &orders[i]
		margin := textCell("not known")
		if o.Margin != nil {
			margin = moneyCell(*o.Margin, v.Currency)
		}
		behind.Rows = append(behind.Rows, []cell{countCell(o.Number), textCell(o.PlacedAt.In(h.zone).Format("2006-01-02 15:04")), moneyCell(givenBy(o, v.ID), v.Currency), moneyCell(o.ToPay, v.Currency), margin})
	}
	return takeAlong(c, h.shop.ID+"-"+v.ID, append(tables, learned, most, v.plansFile(), behind))
}

func (v *resultOfView) plansFile() table {
	p := &v.plans
	return table{Name: "Plans", Head: []string{"begun", "later parcels", "paid for what came later", "renewed", "ended", "going on"}, Rows: [][]cell{{
		countCell(p.Begun), countCell(p.Parcels), moneyCell(p.Paid, v.Currency), countCell(p.Renewed), countCell(p.Ended), countCell(p.GoingOn),
	}}}
}

func (v *resultOfView) armsTable() table {
	t := table{Name: "Visits", Head: []string{"visits that", "visits", "visits with an order", "orders", "goods", "margin"}}
	for _, a := range []struct {
		name string
		of   *results.Visits
	}{{"could see it", &v.Found.With}, {"were kept from it", &v.Found.Without}} {
		t.Rows = append(t.Rows, []cell{textCell(a.name), countCell(a.of.Visits), countCell(a.of.Ordering), countCell(a.of.Orders), moneyCell(a.of.Goods, v.Currency), moneyCell(a.of.Margin, v.Currency)})
	}
	return t
}

func (v *resultOfView) funnelTable() table {
	t := table{Name: "How far visits came", Head: []string{"step", "visits or orders"}}
	for _, f := range v.Funnel {
		t.Rows = append(t.Rows, []cell{textCell(f.Name), countCell(f.many)})
	}
	return t
}

// trialFile are the tables of a trial.
func (s *server) trialFile(c *echo.Context) error {
	v, err := s.trialView(c)
	if err != nil {
		return s.fail(c, err)
	}
	f := &v.T
	arms := table{Name: "Arms", Head: []string{"arm", "visits", "visits with an order", "orders", "orders that came back", "goods", "given away", "margin", "milliseconds until a page is to be seen"}}
	for _, a := range []struct {
		name        string
		of          *results.Visits
		back, given int64
		took        *results.Timing
	}{{"A", &f.A, f.BackA, f.GivenA, &f.SpeedA}, {"B", &f.B, f.BackB, f.GivenB, &f.SpeedB}} {
		ms, _ := a.took.Mean()
		arms.Rows = append(arms.Rows, []cell{
			textCell(a.name), countCell(a.of.Visits), countCell(a.of.Ordering), countCell(a.of.Orders), countCell(a.back),
			moneyCell(a.of.Goods, f.Currency), moneyCell(a.given, f.Currency), moneyCell(a.of.Margin, f.Currency), countCell(int64(math.Round(ms))),
		})
	}
	against := table{Name: "B against A", Head: []string{"figure", "at least", "difference", "at most"}}
	for _, x := range []struct {
		name string
		of   trial.Look
	}{{"margin per visit, in minor units", f.Look}, {"conversion rate", f.Conversion}, {"goods per order, in minor units", f.OrderValue}, {"orders that came back", f.Returned}, {"time until a page is to be seen, in milliseconds", f.Speed}} {
		if x.of.Enough {
			against.Rows = append(against.Rows, append([]cell{textCell(x.name)}, lookCells(x.of)...))
		}
	}
	days := table{Name: "Days", Head: []string{"day", "margin per visit in minor units, at least", "difference", "at most"}}
	for _, d := range f.Days {
		if d.Look.Enough {
			days.Rows = append(days.Rows, append([]cell{textCell(d.Day.Format(time.DateOnly))}, lookCells(d.Look)...))
		}
	}
	return takeAlong(c, f.ID, []table{arms, against, days})
}

func lookCells(l trial.Look) []cell {
	var out []cell
	for _, x := range []float64{l.Low, l.Mid, l.High} {
		out = append(out, shareCell(fmt.Sprintf("%.6f", x)))
	}
	return out
}

// resultsPicture is a picture of the results that is taken along: the days, or what the nudges
// gave and earned.
func (s *server) resultsPicture(c *echo.Context) error {
	v, err := s.resultsView(c)
	if err != nil {
		return s.fail(c, err)
	}
	name := "days"
	type row struct {
		Row resultRow
		Y   int
	}
	data := map[string]any{"Shop": at(c).shop.Name, "Period": v.Period, "Chart": v.Chart}
	if strings.HasSuffix(c.Request().URL.Path, "balance.svg") {
		name = "balance"
		var rows []row
		for i, r := range v.Rows {
			rows = append(rows, row{r, 66 + 72*i})
		}
		data["Rows"], data["High"] = rows, 84+72*len(rows)
	}
	svg, err := s.part("results", "picture-"+name, data)
	if err != nil {
		return err
	}
	return pictureOf(c, at(c).shop.ID+"-"+name, []byte(svg))
}

// trialPicture is the picture of a trial that is taken along.
func (s *server) trialPicture(c *echo.Context) error {
	v, err := s.trialView(c)
	if err != nil {
		return s.fail(c, err)
	}
	svg, err := s.part("trial", "picture-trial", v)
	if err != nil {
		return err
	}
	return pictureOf(c, v.T.ID, []byte(svg))
}
