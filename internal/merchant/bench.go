package merchant

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/audience"
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
	Version  int
	Next     int
	Findings []findingView
	Stops    int
	Doubts   int
	View     switchesView

	Sentence   []sentencePart
	InRegions  []catalog.Region
	Rungs      []rungView
	Panels     map[string]*panel
	Counts     string // what the goals count, in words
	CountsNote string // rungs that count otherwise
	Goals      []partView
	When       []conditionRow
	WhenAll    string // who it is for, where nothing is asked
	Rows       []rowView
	Also       []partView // rows at their defaults
	Shows      string     // where it shows, in words
	ScheduleIn string     // in words
	LookIn     string     // in words
	Languages  []languageView
	States     []stateView
	Of         int          // the rung whose words are shown, from 1; 0: those of all
	Ofs        []choiceView // to choose from
	Language   string
	Slots      []slotView
	Axis       axisView
	OnAxis     bool   // whether its goals are drawn on an axis
	Values     bool   // whether they are values
	Built      bool   // whether shoppers put it together
	Offers     bool   // whether all that it gives are offers
	InVisit    bool   // whether what matters of it is the moment of a visit
	ByPiece    bool   // whether it is about prices by the number of pieces
	Cart       string // the first cart of the preview, as JSON

	Err      map[string]string // by field
	Open     string            // the panel that has an error
	Conflict string
	CanEdit  bool

	label func(sku string) string
}

// switchesView is from where and how the workbench looks at the shop.
type switchesView struct {
	Page      string
	Width     string // desktop or phone
	Wide      bool
	Regions   []choiceView
	Languages []choiceView
	Pages     []choiceView
}

// sentencePart is a run of the promise; one with a panel can be edited.
type sentencePart struct {
	Text, Key, Label string
	Missing          bool
}

// partView is a value with the panel that changes it.
type partView struct{ Key, Label, Text string }

// rowView is a row below the sentence.
type rowView struct {
	Name  string
	Parts []partView
}

type findingView struct {
	checks.Finding
	Part string // the part that mends it; may be empty
}

// choiceView is a box to tick.
type choiceView struct {
	Value, Name string
	On          bool
	For         string // the kind of reward it is for; empty: any
	Hidden      bool   // for another kind than the one that is chosen
}

type amountView struct {
	Region, Name string
	Currency     money.Currency
	Field, Value string
	Error        string
}

type rungView struct {
	Counts     bool // pieces or grams, not a value
	Count      string
	Reward     string
	Thresholds []amountView
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
	Pieces []pieceView
	Panel  string
	Error  string
	Quiet  string // what is said where nothing is written
	Forms  []formView
}

// formView is the field of a sentence for some numbers only.
type formView struct {
	Field, Numbers, Text, Error string
}

// pieceView is a run of a sentence; a slot shows a sample value.
type pieceView struct {
	Text string
	Slot bool
}

// slotView is a placeholder that can be put into a sentence.
type slotView struct{ Name, Means, Sample string }

func (s *server) bench(c *echo.Context) error {
	v, err := s.benchView(c, nil)
	if err != nil {
		return s.fail(c, err)
	}
	if isHTMX(c) {
		return s.renderPart(c, http.StatusOK, "bench", "bench-changed", page{Title: v.D.Name, Place: "nudges", Data: v})
	}
	return s.render(c, http.StatusOK, "bench", page{Title: v.D.Name, Place: "nudges", Data: v})
}

// toNudge leads from the address of an act to the nudge it is about.
func (s *server) toNudge(c *echo.Context) error {
	return c.Redirect(http.StatusSeeOther, at(c).url("/nudges/"+url.PathEscape(c.Param("nudge"))))
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
	found = append(found, stillOld(n)...)
	if err != nil {
		return nil, err
	}
	d := n.Draft
	v := &benchView{
		N: *n, D: d, Phase: app.Phase(*n, live, s.app.Now()), Locale: h.shop.Locale, label: snap.Catalog().Label, Version: n.DraftVersion, Next: n.LiveRevision + 1,
		Err: map[string]string{}, CanEdit: h.shop.Role.CanEdit(),
		LookIn: d.LookText(), ByPiece: d.ByPiece(), Built: d.Built(), Offers: d.Offers(), InVisit: d.InVisit(), OnAxis: !d.ByPiece() && !d.Built() && !d.InVisit(), Values: d.Ladder.Counts() == nudge.Value && !d.ByPiece(),
	}
	v.findings(found)
	v.Note = draftNote(h, n, v.Phase)
	v.Region = chosenRegion(c, &d, snap.Regions())
	for _, r := range snap.Regions() {
		on := slices.Contains(d.Audience.Regions, r.ID)
		if on || len(d.Audience.Regions) == 0 {
			v.InRegions = append(v.InRegions, r)
		}
	}
	for i := range d.Ladder.Rungs {
		v.Rungs = append(v.Rungs, v.rung(i))
	}
	v.counts()
	v.sentence(snap.Regions())
	v.rows(drawerFor(h, &d, snap), snap.Regions())
	if err := s.poolLeft(c, v); err != nil {
		return nil, err
	}
	v.places()
	v.schedule(h)
	if v.Of = atoi(asked(c, "of")); v.Of < 1 || v.Of > len(d.Ladder.Rungs) {
		v.Of = 0
	}
	v.wording(asked(c, "language"))
	v.samples(s, n, snap)
	v.switches(asked(c, "page"), asked(c, "width"))
	v.Axis = axisOf(&d, v.Region, snap.Catalog(), h.shop.Locale, 0, axisBox{})
	v.Cart = firstCart(snap.Catalog(), &v.D, v.Region, s.app.Now())
	return v, nil
}

// stillOld is what a copy that was never published still says of what it was copied from.
func stillOld(n *store.Nudge) []checks.Finding {
	if n.CopyOf == nil || n.LiveRevision > 0 {
		return nil
	}
	return checks.Copied(n.Draft, *n.CopyOf)
}

// asked is a value of the address or the form.
func asked(c *echo.Context, name string) string { return orElse(c.QueryParam(name), c.FormValue(name)) }

func (v *benchView) findings(found []checks.Finding) {
	for _, f := range found {
		v.Findings = append(v.Findings, findingView{f, partOf(f.Field)})
		if f.Severity == checks.Stop {
			v.Stops++
		} else {
			v.Doubts++
		}
	}
}

// partOf names the part of the workbench that a field of the definition is edited
// in; empty where there is none.
func partOf(field string) string {
	var rung, reward int
	switch n, _ := fmt.Sscanf(field, "ladder.rungs[%d].rewards[%d]", &rung, &reward); {
	case n == 2, n == 1 && strings.Contains(field, "].rewards"):
		return fmt.Sprintf("reward-%d-%d", rung, reward)
	case n == 1:
		return "goal-" + itoa(rung)
	}
	if n, _ := fmt.Sscanf(field, "ladder.slots[%d]", &rung); n == 1 {
		return "slot-" + itoa(rung)
	}
	for prefix, part := range map[string]string{
		"audience.regions": "regions", "audience.code": "code", "audience.pool": "code", "applies_code": "code", "audience.pages": "places", "audience.when": "when",
		"ladder.scope": "scope", "ladder.basis": "counts", "ladder.measure": "counts", "ladder.replacing": "counts", "beside": "beside", "limits": "limits",
		"frequency": "shown", "hide": "shown", "suggest": "suggest", "placements": "places", "every_place": "places", "schedule": "schedule", "look": "look", "name": "name", "moment": "moment", "answers": "answers",
	} {
		if strings.HasPrefix(field, prefix) {
			return part
		}
	}
	if parts := strings.Split(field, "."); parts[0] == "wording" && len(parts) == 3 {
		return "say-" + parts[2]
	}
	return ""
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
	want := asked(c, "region")
	for _, r := range regions {
		if r.ID == want && (len(d.Audience.Regions) == 0 || slices.Contains(d.Audience.Regions, r.ID)) {
			return r
		}
	}
	if r := d.FirstRegion(regions); r.ID != "" {
		return r
	}
	return regionOr(nil, "")
}

func (v *benchView) voice() nudge.Voice {
	return nudge.Voice{Region: v.Region, Language: "en", Locale: v.Locale, Label: v.label}
}

func (v *benchView) rung(i int) rungView {
	r := v.D.Ladder.Rungs[i]
	out := rungView{Counts: v.D.Ladder.Counts() != nudge.Value, Reward: nudge.RewardsText(r.Rewards, v.voice()), Thresholds: v.amounts("threshold", r.Thresholds)}
	if out.Counts && r.Count > 0 {
		out.Count = fmt.Sprint(r.Count)
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

// sentence lays the promise out in parts, each with its panel.
func (v *benchView) sentence(regions []catalog.Region) {
	for _, p := range v.D.Tell(v.voice(), regions) {
		out := sentencePart{Text: p.Text, Missing: p.Missing}
		if p.Field != "" {
			out.Key = partOf(p.Field)
		}
		var rung, reward int
		switch n, _ := fmt.Sscanf(p.Field, "ladder.rungs[%d].rewards[%d]", &rung, &reward); {
		case n == 2:
			out.Label = fmt.Sprintf("Reward of rung %d: %s", rung+1, p.Text)
			if rewards := len(v.D.Ladder.Rungs[rung].Rewards); rewards > 1 {
				out.Label = fmt.Sprintf("Reward %d of rung %d: %s", reward+1, rung+1, p.Text)
			}
		case n == 1:
			out.Label = fmt.Sprintf("Goal of rung %d: %s", rung+1, p.Text)
		case strings.HasPrefix(out.Key, "slot-"):
			out.Label = "Slot: " + p.Text
		case p.Field != "":
			out.Label = map[string]string{"regions": "Regions", "code": "Code", "scope": "What counts", "moment": "Moment"}[out.Key] + ": " + p.Text
		}
		v.Sentence = append(v.Sentence, out)
	}
}

// momentName says when a nudge shows.
func momentName(m audience.Act) string {
	if m == "" {
		return "whenever its page shows"
	}
	return "when the shopper has just " + nudge.ActName(m)
}

// mostRewards is how many rewards a rung can be given here.
const mostRewards = 3

// noGoal says what a rung without a goal in the sentence asks for.
func noGoal(r *nudge.Rung) string {
	if len(r.Thresholds) > 0 {
		return "with every order"
	}
	return "no goal but the set itself"
}

// drawerFor makes the controls of a nudge's panels.
func drawerFor(h *here, d *nudge.Definition, snap *app.ShopSnapshot) drawer {
	w := drawer{all: snap.Regions(), locale: h.shop.Locale, zone: h.zone, town: h.shop.Town, catalog: snap.Catalog(), now: h.now}
	for _, r := range w.all {
		if len(d.Audience.Regions) == 0 || slices.Contains(d.Audience.Regions, r.ID) {
			w.regions = append(w.regions, r)
		}
	}
	return w
}

// rows lays out what the sentence does not say, with the panels of everything; rows that
// say nothing of their own stand together.
func (v *benchView) rows(w drawer, regions []catalog.Region) {
	d := &v.D
	v.Panels = map[string]*panel{}
	put := func(key string) {
		own := d.Clone() // a panel's controls read into what they were made for
		if p := w.panel(key, &own); p != nil {
			v.Panels[key] = p
		}
	}
	v.When = conditionRows(d.Audience.When, "", 0, v.voice(), regions)
	for _, r := range v.When {
		put(r.Key)
	}
	for i := range d.Ladder.Slots {
		put("slot-" + itoa(i))
	}
	for i := range d.Ladder.Rungs {
		put("goal-" + itoa(i))
		for j := range d.Ladder.Rungs[i].Rewards {
			put(fmt.Sprintf("reward-%d-%d", i, j))
		}
		if key := "goal-" + itoa(i); !slices.ContainsFunc(v.Sentence, func(p sentencePart) bool { return p.Key == key }) {
			v.Goals = append(v.Goals, partView{key, fmt.Sprintf("Goal of rung %d: none", i+1), noGoal(&d.Ladder.Rungs[i])})
		}
	}
	for _, key := range []string{"name", "regions", "places", "schedule", "look", "scope", "counts", "code", "beside", "limits", "shown", "suggest", "moment", "answers"} {
		put(key)
	}
	row := func(name, key, label, text string, usual bool) {
		if usual {
			v.Also = append(v.Also, partView{key, label + ": " + text, strings.ToLower(label)})
			return
		}
		v.Rows = append(v.Rows, rowView{name, []partView{{key, label + ": " + text, text}}})
	}
	row("Moment", "moment", "Moment", "shows "+momentName(d.Moment), d.Moment == "")
	row("Answers", "answers", "Answers", d.AnswersText(), !d.InVisit())
	row("Beside", "beside", "Beside others", d.Beside.Text(), d.Beside.IsZero())
	row("Limits", "limits", "Limits", d.Limits.Text(v.voice()), d.Limits.IsZero())
	row("How often", "shown", "How often", "shows "+d.ShowsText(), d.Frequency.IsZero() && !d.HideWhenReached && !d.HideWithoutGain && !d.TakesTurns && d.DeclinedDays == 0 && d.Holdout == nil)
	if d.Ladder.Counts() == nudge.Value {
		row("Suggests", "suggest", "Suggestions", "suggests "+nudge.SuggestName(d.Suggest), d.Suggest == "")
	} else {
		delete(v.Panels, "suggest")
		if d.Suggest != "" {
			put("suggest")
			row("Suggests", "suggest", "Suggestions", "suggests "+nudge.SuggestName(d.Suggest), false)
		}
	}
}

// Shoppers are those that one can look with.
func (v *benchView) Shoppers() []choiceView { return shoppers }

// Code says whether a code is needed; the sentence says which.
func (v *benchView) Code() string {
	switch a := &v.D.Audience; {
	case a.Code != "":
		return ""
	case a.Pool != "":
		return "" // the sentence says it
	case v.D.AppliesCode != "":
		return "no code needed, enters " + v.D.AppliesCode
	}
	return "no code needed"
}

// valueCounted says at which point a value is counted.
func valueCounted(b nudge.Basis) string {
	switch b {
	case nudge.BeforeNudges:
		return "goods at their own prices"
	case nudge.AfterUnit:
		return "goods after price cuts"
	}
	return "goods after every discount"
}

// counts says what the goals count.
func (v *benchView) counts() {
	l := &v.D.Ladder
	if v.Counts = nudge.MeasureName(l.Counts()); v.Values {
		v.Counts = valueCounted(l.Basis) + map[bool]string{false: ", as prices are shown", true: ", without tax"}[l.WithoutTax]
	}
	if v.ByPiece && l.Counts() == nudge.Value {
		v.Counts = "pieces, set by set"
	}
	if l.Replacing && len(l.Rungs) > 1 {
		v.Counts += "; only the highest rung gives"
	}
	for i := range l.Rungs {
		if b := l.Rungs[i].Basis; v.Values && b != "" && b != l.Basis {
			v.CountsNote = strings.TrimSpace(fmt.Sprintf("%s Rung %d counts %s, since a goal cannot look at what its own reward changes.", v.CountsNote, i+1, valueCounted(b)))
		}
	}
}

func (v *benchView) places() {
	v.Shows = placementList(v.D.Placements)
	switch {
	case len(v.D.Placements) == 0:
	case len(v.D.Audience.Pages) == 0:
		v.Shows += " on every page that has one"
	default:
		names := make([]string, len(v.D.Audience.Pages))
		for i, p := range v.D.Audience.Pages {
			names[i] = checks.PageName(p)
		}
		v.Shows += " on " + list(names)
	}
}

const dateField = "2006-01-02T15:04"

func (v *benchView) schedule(h *here) {
	s := v.D.Schedule
	v.ScheduleIn = "from the moment it is published"
	if s.From != nil {
		v.ScheduleIn = "from " + h.day(*s.From)
	}
	if s.Until != nil {
		v.ScheduleIn += " until " + h.day(*s.Until)
	}
}

// previewPages are the pages that the preview has.
var previewPages = []choiceView{
	{Value: "product", Name: "Product"}, {Value: "home", Name: "Home"}, {Value: "collection", Name: "Shelf"}, {Value: "cart", Name: "Cart"}, {Value: drawerPage, Name: "Cart drawer"}, {Value: "checkout", Name: "Checkout"}, {Value: "thanks", Name: "Order placed"}, {Value: "set", Name: "Set"},
}

// drawerPage is the cart drawer, which lies over a page.
const drawerPage = "drawer"

func (v *benchView) switches(want, width string) {
	v.View.Wide, v.View.Width = width != "phone", "desktop"
	if !v.View.Wide {
		v.View.Width = "phone"
	}
	v.View.Page = string(v.firstPage())
	for _, p := range previewPages {
		if p.Value == want {
			v.View.Page = want
		}
	}
	for _, p := range previewPages {
		if p.Value == string(nudge.SetPage) && !v.Built {
			continue
		}
		v.View.Pages = append(v.View.Pages, choiceView{Value: p.Value, Name: p.Name, On: p.Value == v.View.Page})
	}
	for _, r := range v.InRegions {
		v.View.Regions = append(v.View.Regions, choiceView{Value: r.ID, Name: r.Name, On: r.ID == v.Region.ID})
	}
	for _, l := range v.Languages {
		v.View.Languages = append(v.View.Languages, choiceView{Value: l.Tag, Name: l.Name, On: l.On})
	}
}

// firstPage is a page on which the nudge shows: the one that is nearest to the goods.
func (v *benchView) firstPage() nudge.Page {
	if v.InVisit {
		return stations[stationOf(&v.D)].Page
	}
	for _, page := range []nudge.Page{nudge.SetPage, nudge.ProductPage, nudge.CartPage, nudge.HomePage, drawerPage} {
		fits := len(v.D.Audience.Pages) == 0 || page == drawerPage || slices.Contains(v.D.Audience.Pages, page)
		if fits && slices.ContainsFunc(placesOn[page], func(p nudge.Placement) bool { return slices.Contains(v.D.Placements, p) }) {
			return page
		}
	}
	return nudge.ProductPage
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

// firstCart is a believable cart to begin with: some goods that the nudge counts, and
// not yet enough of them.
func firstCart(cat *catalog.Catalog, d *nudge.Definition, r catalog.Region, now time.Time) string {
	type line struct {
		SKU      string `json:"sku"`
		Quantity int64  `json:"quantity"`
	}
	lines := []line{}
	most, first := 2, int64(2)
	if rung := &d.Ladder.Rungs[0]; d.Built() {
		most, first = int(max(rung.Count-1, 1)), 1
	} else if d.InVisit() {
		most, first = 1, max(rung.Count, 1)
	} else if d.ByPiece() {
		most, first = 1, max(rung.Count, rung.Rewards[0].Size, 2)-1
	}
	for i := range cat.Products {
		p := &cat.Products[i]
		j := firstIn(p, &d.Ladder, r, now)
		if j < 0 {
			continue
		}
		if next := min(1, len(p.Variants)-1); j < next {
			it := catalog.Item{Product: p, Variant: &p.Variants[next]}
			price, sold := it.Variant.PriceIn(r.Currency, "", now)
			if facts := catalog.FactsOf(it, price, r.ID); sold && d.Ladder.Holds(&facts) {
				j = next // the size that is bought most
			}
		}
		lines = append(lines, line{p.Variants[j].SKU, max(first-int64(len(lines)), 1)})
		if len(lines) == most {
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
	id := c.Param("nudge")
	back := h.url("/nudges/"+id) + keptView(c)
	if c.FormValue("anyway") == "" {
		kept, err := s.keptVisits(c, id)
		if err != nil {
			return s.fail(c, err)
		}
		if kept.Differ > 0 && kept.CanPublish {
			return goTo(c, h.url("/rehearsal/kept?with="+url.QueryEscape(id)))
		}
	}
	n, err := s.app.Publish(ctx, h.shop.ID, id, h.account.Name, atoi(c.FormValue("version")))
	var blocked app.Blocked
	conflict, moved := asConflict(err)
	switch {
	case err == nil:
		s.tell(c, flash{Say: publishedSay(h, n), Tone: "earned"})
	case moved:
		s.tell(c, flash{Say: "Not published: " + changedBy(h, conflict) + " Look at the draft as it is now, then publish it.", Tone: "loss"})
	case asBlocked(err, &blocked):
		s.tell(c, flash{Say: "Not published: " + blocked.Error(), Tone: "loss", Link: "#checks", Go: "See what stops it"})
	default:
		return s.fail(c, err)
	}
	return goTo(c, back)
}

// publishedSay says what will happen now.
func publishedSay(h *here, n store.Nudge) string {
	say := fmt.Sprintf("Revision %d is published.", n.LiveRevision)
	from, until := n.Draft.Schedule.From, n.Draft.Schedule.Until
	switch {
	case from != nil && from.After(h.now):
		say += " Shoppers will see it from " + h.day(*from)
	default:
		say += " Shoppers see it from now on"
	}
	if until != nil {
		say += ", until " + h.day(*until)
	}
	return say + "."
}

// keptView is the part of the address that says from where one looks.
func keptView(c *echo.Context) string {
	q := url.Values{}
	for _, name := range []string{"region", "language", "page", "width", "of"} {
		if x := c.FormValue(name); x != "" {
			q.Set(name, x)
		}
	}
	if len(q) == 0 {
		return ""
	}
	return "?" + q.Encode()
}

// changedBy says who changed a draft meanwhile.
func changedBy(h *here, x app.Conflict) string {
	if x.By == h.account.Name {
		return "you changed this draft in another window at " + h.day(x.At) + "."
	}
	return orElse(x.By, "somebody") + " changed this draft at " + h.day(x.At) + "."
}
