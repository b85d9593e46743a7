package merchant

import (
	"encoding/json"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// benchView is one nudge on the workbench.
type benchView struct {
	N        store.Nudge
	D        nudge.Definition
	Phase    string
	Note     string // what the draft is, in words
	Region   catalog.Region
	Locale   string
	label    func(sku string) string
	Version  int
	Next     int
	Findings []checks.Finding
	Stops    int
	Doubts   int

	Regions          []choiceView // audience
	InRegions        []catalog.Region
	Rungs            []rungView
	Scope            scopeView
	Placements       []choiceView
	Pages            []choiceView
	From, To         string // as a date field has them
	ScheduleIn       string // in words
	Languages        []languageView
	States           []stateView
	Language         string
	Axis             axisView
	Cart             string // the first cart of the preview, as JSON
	Step             int64
	StoreURL         string
	Goods            []choiceView
	PlaceholderMeans map[nudge.Placeholder]string

	Err      map[string]string // by field
	Open     string            // the panel that has an error
	Typed    url.Values        // what was typed into it
	Conflict *conflictView
	CanEdit  bool
}

type conflictView struct{ By, When string }

// choiceView is a box to tick.
type choiceView struct {
	Value, Name string
	On          bool
}

type amountView struct {
	Region, Name string
	Currency     money.Currency
	Field, Value string
	Error        string
}

type rungView struct {
	Index      int
	First      bool
	Threshold  string
	Zero       bool
	Reward     string
	Kind       nudge.Kind
	Thresholds []amountView
	Amounts    []amountView
	Methods    []choiceView
	Percent    string
	Panel      string // names of its panels
	RewardPart string
}

type scopeView struct {
	Text                  string
	Collections, NotThese []choiceView
	Tags                  []choiceView
}

type languageView struct {
	Tag, Name string
	On        bool
	Missing   bool
}

type stateView struct {
	State  nudge.State
	Name   string
	Text   string
	Pieces []nudge.Piece
	Panel  string
	Error  string
}

func (s *server) bench(c *echo.Context) error {
	v, err := s.benchView(c, nil)
	if err != nil {
		return s.fail(c, err)
	}
	return s.render(c, http.StatusOK, "bench", page{Title: v.D.Name, Place: "nudges", Data: v})
}

// benchView builds the view; n is the nudge where it was just read or changed.
func (s *server) benchView(c *echo.Context, n *store.Nudge) (*benchView, error) {
	ctx, h := c.Request().Context(), at(c)
	if n == nil {
		read, err := s.app.Nudge(ctx, h.shop.ID, c.Param("nudge"))
		if err != nil {
			return nil, err
		}
		n = &read
	}
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	live, err := s.liveDefinition(c, *n)
	if err != nil {
		return nil, err
	}
	found, err := s.app.Check(ctx, h.shop.ID, n.ID, n.Draft)
	if err != nil {
		return nil, err
	}
	d := n.Draft
	v := &benchView{
		N: *n, D: d, Phase: app.Phase(*n, live, s.app.Now()), Locale: h.shop.Locale, label: snap.Catalog().Label, Version: n.DraftVersion, Next: n.LiveRevision + 1,
		Findings: found, Err: map[string]string{}, Typed: url.Values{}, CanEdit: h.shop.Role.CanEdit(), StoreURL: s.cfg.Storefront,
	}
	for _, f := range found {
		if f.Severity == checks.Stop {
			v.Stops++
		} else {
			v.Doubts++
		}
	}
	v.Note = draftNote(h, n, v.Phase)
	v.Region = chosenRegion(c, &d, snap.Regions())
	for _, r := range snap.Regions() {
		on := slices.Contains(d.Audience.Regions, r.ID)
		v.Regions = append(v.Regions, choiceView{r.ID, r.Name, on})
		if on || len(d.Audience.Regions) == 0 {
			v.InRegions = append(v.InRegions, r)
		}
	}
	for i := range d.Ladder.Rungs {
		v.Rungs = append(v.Rungs, v.rung(i))
	}
	v.Scope = scopeOf(d.Ladder.Scope, snap.Catalog())
	for _, p := range nudge.Embedded {
		v.Placements = append(v.Placements, choiceView{string(p), checks.PlacementName(p), slices.Contains(d.Placements, p)})
	}
	for _, p := range nudge.Pages {
		v.Pages = append(v.Pages, choiceView{string(p), checks.PageName(p), slices.Contains(d.Audience.Pages, p)})
	}
	v.schedule(h)
	v.wording(c.QueryParamOr("language", c.FormValue("language")))
	v.Axis = axisOf(&d, v.Region, snap.Catalog(), h.shop.Locale)
	v.Goods = goodsFor(snap.Catalog(), v.Region, h.shop.Locale)
	v.Step = stepOf(v.Region.Currency)
	v.Cart = firstCart(snap.Catalog(), v.Region.Currency)
	return v, nil
}

func draftNote(h *here, n *store.Nudge, phase string) string {
	switch {
	case n.LiveRevision == 0:
		return "Draft, not published yet"
	case n.Dirty:
		return "Draft of the next revision · revision " + itoa(n.LiveRevision) + " is " + phase
	}
	return "Revision " + itoa(n.LiveRevision) + " is " + phase + ", since " + h.day(n.StateSince)
}

func chosenRegion(c *echo.Context, d *nudge.Definition, regions []catalog.Region) catalog.Region {
	want := c.QueryParamOr("region", c.FormValue("region"))
	for _, r := range regions {
		if r.ID == want && (len(d.Audience.Regions) == 0 || slices.Contains(d.Audience.Regions, r.ID)) {
			return r
		}
	}
	return firstRegion(d, regions)
}

func (v *benchView) rung(i int) rungView {
	r := v.D.Ladder.Rungs[i]
	out := rungView{Index: i, First: i == 0, Kind: r.Rewards[0].Kind, Panel: "threshold-" + itoa(i), RewardPart: "reward-" + itoa(i)}
	out.Threshold = "an amount"
	if t, ok := r.Thresholds[v.Region.ID]; ok {
		out.Threshold, out.Zero = money.Format(t, v.Locale), t.Minor == 0
	}
	switch m := v.D.Ladder.Counts(); {
	case nudge.Repeats(r.Rewards[0].Kind) && r.Count == 0 && len(r.Thresholds) == 0:
		out.Threshold = nudge.MeasureText(nudge.Units, r.Rewards[0].Size, v.Region.Currency, "en", v.Locale) // the goal of a set is its size
	case m != nudge.Value:
		out.Threshold = nudge.MeasureText(m, r.Count, v.Region.Currency, "en", v.Locale)
	}
	out.Reward = nudge.RewardsText(r.Rewards, nudge.Voice{Region: v.Region, Language: "en", Locale: v.Locale, Label: v.label})
	out.Thresholds = v.amounts("threshold", r.Thresholds)
	w := r.Rewards[0]
	out.Amounts = v.amounts("amount", w.Amounts)
	if w.Percent != nil {
		out.Percent = w.Percent.String()
	}
	seen := map[string]bool{}
	for _, region := range v.InRegions {
		for _, m := range region.Methods {
			if !seen[m.ID] {
				seen[m.ID] = true
				out.Methods = append(out.Methods, choiceView{m.ID, m.Name("en"), slices.Contains(w.Methods, m.ID)})
			}
		}
	}
	return out
}

func (v *benchView) amounts(prefix string, a nudge.Amounts) []amountView {
	var out []amountView
	for _, r := range v.InRegions {
		f := amountView{Region: r.ID, Name: r.Name, Currency: r.Currency, Field: prefix + "." + r.ID}
		if x, ok := a[r.ID]; ok {
			f.Value = money.Format(x, v.Locale)
		}
		out = append(out, f)
	}
	return out
}

func scopeOf(f catalog.Filter, cat *catalog.Catalog) scopeView {
	v := scopeView{Text: scopeText(f)}
	for _, c := range cat.Collections() {
		v.Collections = append(v.Collections, choiceView{c, c, slices.Contains(f.Include.Collections, c)})
		v.NotThese = append(v.NotThese, choiceView{c, c, slices.Contains(f.Exclude.Collections, c)})
	}
	for _, t := range cat.Tags() {
		v.Tags = append(v.Tags, choiceView{t, t, slices.Contains(f.Exclude.Tags, t)})
	}
	return v
}

// scopeText says what is counted. Gift cards never are.
func scopeText(f catalog.Filter) string {
	in := slices.Concat(f.Include.Collections, f.Include.Products, f.Include.Tags)
	out := slices.Concat(f.Exclude.Collections, f.Exclude.Products, f.Exclude.Tags)
	switch {
	case len(in) == 0 && len(out) == 0:
		return "anything but gift cards"
	case len(in) == 0:
		return "anything but gift cards and " + list(out)
	case len(out) == 0:
		return list(in)
	}
	return list(in) + " but not " + list(out)
}

func (v *benchView) schedule(h *here) {
	s := v.D.Schedule
	const field = "2006-01-02T15:04"
	v.ScheduleIn = "from the moment it is published"
	if s.From != nil {
		v.From = s.From.In(h.zone).Format(field)
		v.ScheduleIn = "from " + h.day(*s.From)
	}
	if s.Until != nil {
		v.To = s.Until.In(h.zone).Format(field)
		v.ScheduleIn += " until " + h.day(*s.Until)
	}
}

func (v *benchView) wording(want string) {
	var tags []string
	for _, r := range v.InRegions {
		for _, l := range r.Languages {
			if !slices.Contains(tags, l) {
				tags = append(tags, l)
			}
		}
	}
	for _, l := range v.D.Wording.Languages() {
		if !slices.Contains(tags, l) {
			tags = append(tags, l)
		}
	}
	v.Language = tags[0]
	if slices.Contains(tags, want) {
		v.Language = want
	}
	for _, l := range tags {
		v.Languages = append(v.Languages, languageView{l, checks.LanguageName(l), l == v.Language, v.D.Wording.Sentence(l, nudge.NotYet) == ""})
	}
	v.PlaceholderMeans = map[nudge.Placeholder]string{}
	for _, p := range nudge.Placeholders {
		v.PlaceholderMeans[p.Name] = p.Means
	}
	for _, st := range nudge.States {
		sv := stateView{State: st, Name: checks.StateName(st), Text: v.D.Wording[v.Language][st], Panel: "say-" + string(st)}
		sv.Pieces, _ = nudge.ParseSentence(sv.Text) // stored sentences parse
		v.States = append(v.States, sv)
	}
}

func stepOf(c money.Currency) int64 {
	step := int64(1)
	for range c.Digits() {
		step *= 10
	}
	if c.Digits() == 0 {
		step = 100
	}
	return step
}

// firstCart is a believable cart to begin with: the first two goods that are
// sold in a currency and are not gift cards.
func firstCart(cat *catalog.Catalog, cur money.Currency) string {
	type line struct {
		SKU      string `json:"sku"`
		Quantity int    `json:"quantity"`
	}
	lines := []line{}
	for _, p := range cat.Products {
		if p.GiftCard || len(p.Variants) == 0 {
			continue
		}
		v := p.Variants[min(1, len(p.Variants)-1)]
		if _, sold := v.Prices[cur]; sold {
			lines = append(lines, line{v.SKU, 2 - len(lines)})
		}
		if len(lines) == 2 {
			break
		}
	}
	b, err := json.Marshal(lines)
	if err != nil {
		return "[]"
	}
	return string(b)
}

// publish puts the draft in force, or says what stands in the way.
func (s *server) publish(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	_, err := s.app.Publish(ctx, h.shop.ID, c.Param("nudge"), h.account.Name, atoi(c.FormValue("version")))
	if err == nil {
		return c.Redirect(http.StatusSeeOther, h.url("/nudges/"+c.Param("nudge")+"?published=1"))
	}
	return s.refused(c, err)
}

// refused shows the workbench as it is now with what stands in the way.
func (s *server) refused(c *echo.Context, err error) error {
	v, viewErr := s.benchView(c, nil)
	if viewErr != nil {
		return s.fail(c, viewErr)
	}
	status := http.StatusUnprocessableEntity
	if conflict, ok := asConflict(err); ok {
		status = http.StatusConflict
		v.Conflict = &conflictView{conflict.By, at(c).day(conflict.At)}
	} else if !isBlocked(err) {
		return s.fail(c, err)
	}
	if isHTMX(c) {
		return s.renderPart(c, status, "bench", "bench-changed", page{Title: v.D.Name, Place: "nudges", Data: v})
	}
	return s.render(c, status, "bench", page{Title: v.D.Name, Place: "nudges", Data: v})
}
