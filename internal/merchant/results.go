package merchant

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// The period that is shown first, and the longest there is, in days.
const (
	usualDays = 7 * 8
	mostDays  = 366
)

// asking is what Results are asked for, as it stands in the address and in the form.
type asking struct {
	app.Asked
	Where   string // a currency, or a region
	Wheres  []choiceView
	Devices []choiceView
	Tongues []choiceView
	Wrong   string // with the period that was asked for
	Period  string // in words
	Against string // the period it is held against, in words
	Typed   [2]string
	locale  string
}

// Query is the address's part after the question mark.
func (q *asking) Query() template.URL {
	v := url.Values{"from": {q.From.Format(time.DateOnly)}, "to": {q.To.Format(time.DateOnly)}, "where": {q.Where}}
	if q.Device != "" {
		v.Set("device", q.Device)
	}
	if q.Language != "" {
		v.Set("language", q.Language)
	}
	return template.URL(v.Encode()) //nolint:gosec // all of it is escaped
}

// money writes an amount of the currency that is looked at.
func (q *asking) money(m money.Minor) string {
	return money.Format(money.Amount{Minor: m, Currency: q.Currency}, q.locale)
}

// signed is money with its sign.
func (q *asking) signed(m money.Minor) string {
	switch {
	case m > 0:
		return "+" + joiner + q.money(m)
	case m < 0:
		return "−" + joiner + q.money(-m)
	}
	return q.money(0)
}

// joiner keeps a line from ending after a sign.
const joiner = "\u2060"

// unsigned takes the sign off an amount that has one.
func unsigned(amount string) string { return strings.TrimLeft(amount, "+−"+joiner) }

// ask reads what is asked for. What cannot be is said, and the usual shown in its place.
func (s *server) ask(c *echo.Context, regions []catalog.Region) *asking {
	h := at(c)
	y, m, d := h.now.In(h.zone).Date()
	today := time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
	q := &asking{Where: c.QueryParam("where"), locale: h.shop.Locale}
	q.To, q.From = today, today.AddDate(0, 0, 1-usualDays)
	q.Typed = [2]string{c.QueryParam("from"), c.QueryParam("to")}
	from, err1 := time.Parse(time.DateOnly, q.Typed[0])
	to, err2 := time.Parse(time.DateOnly, q.Typed[1])
	switch {
	case q.Typed == [2]string{}:
	case err1 != nil || err2 != nil:
		q.Wrong = "Choose the first and the last day of the period, such as 2026-11-02."
	case to.Before(from):
		q.Wrong = "The period ends before it begins; choose a later last day."
	case to.Sub(from) > mostDays*24*time.Hour:
		q.Wrong = fmt.Sprintf("At most %d days are looked at together; choose a shorter period.", mostDays)
	default:
		q.From, q.To = from, to
	}
	if q.Wrong == "" {
		q.Typed = [2]string{q.From.Format(time.DateOnly), q.To.Format(time.DateOnly)}
	}
	q.places(regions)
	q.kinds(c.QueryParam("device"), c.QueryParam("language"), regions)
	q.periods(today)
	return q
}

// periods says in words what is looked at, and what it is held against.
func (q *asking) periods(today time.Time) {
	q.Period = days(q.From, q.To, today)
	before, until := results.WeeksBefore(q.From, q.To)
	q.Against = days(before, until, today)
}

// places lists currencies and regions, and finds which is asked for.
func (q *asking) places(regions []catalog.Region) {
	for _, r := range regions {
		if !slices.ContainsFunc(q.Wheres, func(w choiceView) bool { return w.Value == string(r.Currency) }) {
			q.Wheres = append(q.Wheres, choiceView{Value: string(r.Currency), Name: "every region that pays in " + string(r.Currency)})
		}
	}
	for _, r := range regions {
		q.Wheres = append(q.Wheres, choiceView{Value: "region:" + r.ID, Name: r.Name + ", in " + string(r.Currency)})
	}
	if len(q.Wheres) > 0 && !slices.ContainsFunc(q.Wheres, func(w choiceView) bool { return w.Value == q.Where }) {
		q.Where = q.Wheres[0].Value
	}
	q.Currency = money.Currency(q.Where)
	if id, is := strings.CutPrefix(q.Where, "region:"); is {
		for _, r := range regions {
			if r.ID == id {
				q.Currency, q.Regions = r.Currency, []string{id}
			}
		}
	}
}

// kinds lists devices and languages.
func (q *asking) kinds(device, language string, regions []catalog.Region) {
	q.Devices = []choiceView{{Value: "", Name: "every device"}}
	for _, d := range audience.Devices {
		q.Devices = append(q.Devices, choiceView{Value: string(d), Name: string(d)})
		if device == string(d) {
			q.Device = device
		}
	}
	q.Tongues = []choiceView{{Value: "", Name: "every language"}}
	for _, r := range regions {
		for _, l := range r.Languages {
			if !slices.ContainsFunc(q.Tongues, func(t choiceView) bool { return t.Value == l }) {
				q.Tongues = append(q.Tongues, choiceView{Value: l, Name: checks.LanguageName(l)})
			}
			if language == l {
				q.Language = l
			}
		}
	}
}

// days writes a period; its year where that is not this one.
func days(from, to, today time.Time) string {
	year := ""
	if to.Year() != today.Year() || from.Year() != to.Year() {
		year = " 2006"
	}
	if from.Equal(to) {
		return from.Format("2 Jan" + year)
	}
	return from.Format("2 Jan"+year) + " – " + to.Format("2 Jan"+year)
}

// resultsView is the page of all results.
type resultsView struct {
	*asking
	Found   app.Found
	Cards   []figureCard
	Chart   dayChart
	Rows    []resultRow
	Balance balanceScale
	Any     bool // whether there is anything yet
	Tenth   string
	Trials  []trialRow
	Take    takeAlongView
	Weekly  bool // whether the reader has a report each Monday
}

// figureCard is one figure of the whole shop.
type figureCard struct{ Figure, Text, More, Tone string }

// resultRow is one nudge among the results.
type resultRow struct {
	ID, Name, Sentence   string
	Shown, Reached, Used string
	Given, Earned        string
	Words, Tone          string
	Bar                  balanceBar
	Low, High            string
	figures              *results.Figures
}

func (s *server) results(c *echo.Context) error {
	v, err := s.resultsView(c)
	if err != nil {
		return s.fail(c, err)
	}
	status := http.StatusOK
	if v.Wrong != "" {
		status = http.StatusUnprocessableEntity
	}
	return s.render(c, status, "results", page{Title: "Results", Place: "results", Data: v})
}

func (s *server) resultsView(c *echo.Context) (*resultsView, error) {
	ctx, h := c.Request().Context(), at(c)
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	q := s.ask(c, snap.Regions())
	v, err := s.resultsAbout(ctx, h, snap, q)
	if err != nil {
		return nil, err
	}
	v.Weekly, err = s.app.Reports(ctx, h.shop.ID, h.account.ID)
	return v, err
}

// resultsAbout are a shop's results, as they are asked for.
func (s *server) resultsAbout(ctx context.Context, h *here, snap *app.ShopSnapshot, q *asking) (*resultsView, error) {
	v := &resultsView{asking: q}
	var err error
	if v.Found, err = s.app.Results(ctx, h.shop.ID, v.Asked); err != nil {
		return nil, err
	}
	ns, err := s.app.Nudges(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	inForce, err := s.app.Store.LastInForce(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	for _, n := range ns {
		f := v.Found.Nudges[n.ID]
		if f == nil || f.Could+f.Held+f.Shown+f.Used == 0 {
			continue
		}
		row, d := v.row(n.ID, f), n.Draft
		if r, ok := inForce[n.ID]; ok {
			d = r.Definition
		}
		row.coded(&d)
		row.Name, row.Sentence = d.Name, d.Say(nudge.Voice{Region: d.FirstRegion(snap.Regions()), Locale: h.shop.Locale, Label: snap.Catalog().Label})
		v.Rows = append(v.Rows, row)
	}
	slices.SortStableFunc(v.Rows, func(a, b resultRow) int { return a.figures.Before(b.figures) })
	v.Balance.fit(v.Rows)
	for i := range v.Rows {
		v.Rows[i].Bar = v.Balance.bar(v.Rows[i].figures)
	}
	v.Chart = chartOf(v.Found.Days, v.Found.DaysBefore, v.Found.Published, s.names(ns), h.zone)
	if v.Trials, err = s.trialRows(ctx, h, s.names(ns)); err != nil {
		return nil, err
	}
	v.Take = takeAlongView{Tables: h.url("/results"), Query: v.Query(), Pictures: []pictureView{
		{"The days", h.url("/results/days"), h.shop.ID + "-days"}, {"Given and earned", h.url("/results/balance"), h.shop.ID + "-balance"},
	}}
	v.Any = v.Found.Total.Orders+v.Found.Total.Visits.Visits > 0 || len(v.Rows) > 0
	v.cards()
	v.Tenth = "Nobody is kept from nudges, so what they bring cannot be known; Settings says how many are."
	if share := snap.Shop.Settings.HeldOut(); share > 0 {
		v.Tenth = "Of all visitors " + share.String() + " % see no nudge, and each nudge by itself is kept from as many others, so that what they bring can be known. Before and after is a comparison, and never called an effect."
	}
	return v, nil
}

// names are the names of nudges by their id.
func (s *server) names(ns []store.Nudge) map[string]string {
	out := make(map[string]string, len(ns))
	for _, n := range ns {
		out[n.ID] = n.Draft.Name
	}
	return out
}

// row lays out the figures of a nudge.
func (q *asking) row(id string, f *results.Figures) resultRow {
	r := resultRow{ID: id, figures: f, Shown: whole(f.Shown, q.locale), Used: whole(f.Used, q.locale), Reached: "–", Given: q.money(f.Given)}
	if f.Could > 0 {
		r.Reached = percent(f.Reached, f.Could)
	}
	r.Words, r.Tone = q.words(f)
	if e := f.Effect; e.State == results.Earns || e.State == results.Loses || e.State == results.Open {
		r.Earned, r.Low, r.High = q.signed(e.Mid), q.signed(e.Low), q.signed(e.High)
	}
	return r
}

// coded says of a nudge with a code why nothing is known.
func (r *resultRow) coded(d *nudge.Definition) {
	if d.ByCode() {
		r.Words = "not known: a code is kept from nobody"
	}
}

// words says what a nudge brings.
func (q *asking) words(f *results.Figures) (text, tone string) {
	each := func() string {
		if f.Given <= 0 {
			return q.signed(f.Effect.Mid)
		}
		unit := money.Minor(1)
		for range q.Currency.Digits() {
			unit *= 10
		}
		return q.signed(results.ForEach(f.Effect.Mid, f.Given, unit)) + " for each " + q.money(unit) + " given"
	}
	e := f.Effect
	switch e.State {
	case results.Earns:
		return "earns " + unsigned(each()), "earned"
	case results.Loses:
		return "costs more than it brings: " + each(), "loss"
	case results.Open:
		if e.Days > 0 {
			return "too close to call: about " + plural(int64(e.Days), "day", "days") + " more at this pace", ""
		}
		return "too close to call, and for three years more at this pace", ""
	case results.TooFew:
		if e.Days > 0 {
			return "not known yet: about " + plural(int64(e.Days), "day", "days") + " more at this pace", ""
		}
		return "not known yet: no order of those who are kept from it", ""
	}
	return "not known: nobody was kept from it", ""
}

// cards lays out the figures of the whole shop.
func (v *resultsView) cards() {
	t, b := &v.Found.Total, &v.Found.Before
	orders := figureCard{Figure: whole(t.Orders, v.locale), Text: "orders"}
	held := results.Comparable(v.Found.DaysBefore)
	if held {
		orders.More = "against " + whole(b.Orders, v.locale) + " before"
	}
	v.Cards = append(v.Cards, orders)
	if avg, ok := t.AverageOrder(); ok {
		card := figureCard{Figure: v.money(avg), Text: "an order’s goods on average"}
		if was, ok := b.AverageOrder(); ok && held {
			card.More = v.signed(avg-was) + " against before"
		}
		v.Cards = append(v.Cards, card)
	}
	if t.Visits.Visits > 0 {
		share, half := t.Visits.Conversion()
		v.Cards = append(v.Cards, figureCard{Figure: fmt.Sprintf("%.1f %%", 100*share), Text: "of visits order", More: fmt.Sprintf("±%.1f", 100*half)})
	}
	v.Cards = append(v.Cards, figureCard{Figure: v.money(t.Given), Text: "given away"})
	switch e := t.Effect; e.State {
	case results.NoHoldout:
		v.Cards = append(v.Cards, figureCard{Figure: "–", Text: "earned by nudges", More: "not known: nobody is kept from them"})
	case results.TooFew:
		v.Cards = append(v.Cards, figureCard{Figure: "–", Text: "earned by nudges", More: "not known yet"})
	default:
		tone := map[results.EffectState]string{results.Earns: "earned", results.Loses: "loss"}[e.State]
		v.Cards = append(v.Cards, figureCard{Figure: v.signed(e.Mid), Text: "margin earned", More: "between " + v.signed(e.Low) + " and " + v.signed(e.High), Tone: tone})
	}
}

// whole writes a number with its thousands apart.
func whole(n int64, locale string) string {
	return message.NewPrinter(language.Make(locale)).Sprintf("%d", n)
}

// percent is a share, rounded to a whole number; one above nothing is not said to be nothing.
func percent(part, of int64) string {
	if of == 0 {
		return "–"
	}
	rounded := (200*part + of) / (2 * of)
	if rounded == 0 && part > 0 {
		return "< 1 %"
	}
	return strconv.FormatInt(rounded, 10) + " %"
}
