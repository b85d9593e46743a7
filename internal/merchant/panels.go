package merchant

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/theme"
)

// panel is a part of a definition that is edited at once.
type panel struct {
	Key      string // in the page, and in the form it sends
	Legend   string
	Note     string // below the fields
	Link, Go string // where what it is about is looked after, and how that is said
	Controls []control
	More     []control // what is seldom needed
	// Reward and Rung are where it stands, -1 for none.
	Rung, Reward int
	CanDrop      string      // what its drop button drops, "" for none
	CanAdd       bool        // whether another reward can stand beside it
	Path         string      // of a condition
	kind         *nudge.Kind // of the reward, as it is read
	// after mends what goes with the change, and says so; with anyway also where
	// something is wrong.
	after  func(*editing)
	anyway bool
}

// DropRung is the rung that its drop button is about.
func (p *panel) DropRung() int { return max(0, p.Rung) }

// MoreSet tells whether something seldom needed is set, or wrong.
func (p *panel) MoreSet() bool {
	return slices.ContainsFunc(p.More, func(c control) bool {
		set := c.Value != "" || c.On || len(c.Tokens) > 0 || c.Error != ""
		set = set || slices.ContainsFunc(c.Amounts, func(a amountView) bool { return a.Value != "" || a.Error != "" })
		return !c.Hidden && (set || c.Kind == "choice" && len(c.Choices) > 0 && !c.Choices[0].On)
	})
}

// allControls are those that are read when the panel is sent.
func (p *panel) allControls() []*control {
	var out []*control
	for _, list := range [][]control{p.Controls, p.More} {
		for i := range list {
			out = append(out, &list[i])
		}
	}
	return out
}

// panel makes the panel with a key for a definition, whose fields its controls read into;
// nil where there is none.
func (w drawer) panel(key string, d *nudge.Definition) *panel {
	p := &panel{Key: key, Rung: -1, Reward: -1}
	name, rest, _ := strings.Cut(key, "-")
	var i, j int
	switch n, _ := fmt.Sscanf(rest, "%d-%d", &i, &j); {
	case name == "goal" && n >= 1 && i < len(d.Ladder.Rungs):
		w.goal(p, d, i)
	case name == "reward" && n == 2 && i < len(d.Ladder.Rungs) && j < len(d.Ladder.Rungs[i].Rewards):
		w.reward(p, d, i, j)
	case name == "slot" && n >= 1 && i < len(d.Ladder.Slots):
		w.slot(p, d, i)
	case name == "when":
		return w.when(p, d, strings.TrimPrefix(rest, "-"))
	default:
		make, ok := map[string]func(*panel, *nudge.Definition){
			"name": w.named, "regions": w.inRegions, "places": w.places, "schedule": w.schedule, "look": w.look, "scope": w.scope, "counts": w.counts, "code": w.codes, "beside": w.beside, "limits": w.limits, "shown": w.shown, "suggest": w.suggests, "moment": w.atMoment, "answers": w.answers,
		}[key]
		if !ok {
			return nil
		}
		make(p, d)
	}
	return p
}

// hits says how many variants a filter lets through where the nudge is for, and some of
// them.
func (w drawer) hits(f *catalog.Filter) string {
	const named = 3
	if len(w.regions) == 0 {
		return ""
	}
	r := w.regions[0]
	n, some := 0, []string{}
	for i := range w.catalog.Products {
		p := &w.catalog.Products[i]
		for j := range p.Variants {
			it := catalog.Item{Product: p, Variant: &p.Variants[j]}
			price, sold := it.Variant.PriceIn(r.Currency, "", w.now)
			if facts := catalog.FactsOf(it, price, r.ID); !sold || p.GiftCard || !f.Matches(&facts) {
				continue
			}
			if n++; len(some) < named {
				some = append(some, it.Label())
			}
		}
	}
	switch {
	case n == 0:
		return "Counts nothing that is sold in " + r.Name + " today."
	case n <= named:
		return fmt.Sprintf("Counts %s in %s today.", list(some), r.Name)
	}
	return fmt.Sprintf("Counts %d variants in %s today: %s and %d more.", n, r.Name, strings.Join(some, ", "), n-named)
}

func (w drawer) named(p *panel, d *nudge.Definition) {
	p.Controls = []control{w.text("name", "Name, for yourselves", &d.Name, nudge.MostName)}
	p.after = func(e *editing) {
		if d.Name == "" {
			e.errs["name"] = "A name is needed, so that you find it again."
		}
	}
}

func (w drawer) inRegions(p *panel, d *nudge.Definition) {
	var options []choiceView
	for _, r := range w.all {
		options = append(options, choiceView{Value: r.ID, Name: r.Name})
	}
	p.Controls = []control{some("audience.regions", "Regions; none ticked means every one", &d.Audience.Regions, options)}
}

func (w drawer) places(p *panel, d *nudge.Definition) {
	var options []choiceView
	for _, x := range nudge.Placements {
		name := checks.PlacementName(x)
		if !slices.Contains(nudge.Embedded, x) {
			if !slices.Contains(d.Placements, x) {
				continue
			}
			name += ", drawn by your own shop"
		}
		options = append(options, choiceView{Value: string(x), Name: name})
	}
	p.Controls = []control{
		boxes("placements", "Where on the page", &d.Placements, options),
		w.flag("every_place", "Also in the top bar of a page that shows it nearer to the goods", &d.EveryPlace),
		some("audience.pages", "On which pages; none ticked means all. The reward stays due on the others.", &d.Audience.Pages, pageNames(asTexts(nudge.Pages))),
	}
}

func (w drawer) schedule(p *panel, d *nudge.Definition) {
	s := &d.Schedule
	p.Controls = []control{
		w.moment("schedule.from", "From; empty: from the moment it is published", &s.From),
		w.moment("schedule.until", "Until; empty: until you end it", &s.Until),
	}
	p.Note = "In the shop’s time" + orElse(", "+w.town, "") + "."
	p.after = func(e *editing) {
		if s.From != nil && s.Until != nil && !s.Until.After(*s.From) {
			e.errs["schedule.until"] = "The end must be later than the start."
		}
	}
}

func (w drawer) look(p *panel, d *nudge.Definition) {
	p.Controls = []control{
		usually("look.tone", "Colours", &d.Look.Tone, []choiceView{
			{Value: "ink", Name: "Ink: light words on the shop’s dark colour"},
			{Value: "paper", Name: "Paper: dark words on the shop’s light colour"},
			{Value: "accent", Name: "Accent: on the shop’s accent colour"},
		}),
		usually("look.bar", "Progress", &d.Look.Bar, []choiceView{
			{Value: "rule", Name: "A bar with a mark for each rung"},
			{Value: "solid", Name: "A plain bar"},
			{Value: "none", Name: "Words only"},
			{Value: "steps", Name: "A list of steps, each with its goal"},
		}),
		usually("look.goods", "Goods of a set, to choose from", &d.Look.Goods, []choiceView{
			{Value: "cards", Name: "Cards with pictures"},
			{Value: "list", Name: "A list"},
		}),
		w.flag("look.countdown", "Counts down to its end, where it has one", &d.Look.Countdown),
	}
	picture := []string{}
	if d.Look.PictureOf != "" {
		picture = []string{d.Look.PictureOf}
	}
	of := w.tokens("look.picture_of", "Beside the product page block the picture of", "products", &picture)
	p.More = append([]control{
		w.colour("look.own_ground", "A ground of its own, such as #1b2a4a; empty: its tone’s", &d.Look.OwnGround),
		w.colour("look.own_text", "And the words on it", &d.Look.OwnText),
	}, w.translated("headings", "What stands above its block", &d.Headings, nudge.MostName)...)
	p.More = append(p.More, of,
		w.text("look.picture", "Or a picture of its own: a path of the shop, or an address", &d.Look.Picture, nudge.MostLink),
		w.whole("look.marked", "Rung that the block points out; empty: none", &d.Look.Marked, 0, int64(len(d.Ladder.Rungs)), "counted from 1"))
	p.More = append(p.More, w.translated("look.picture_alt", "What its own picture shows, for those who do not see it", &d.Look.PictureAlt, nudge.MostWording)...)
	p.after = func(e *editing) {
		if d.Look.Picture == "" {
			d.Look.PictureAlt = nil
		}
		switch l := &d.Look; {
		case (l.OwnGround == "") != (l.OwnText == ""):
			e.errs["look.own_text"] = "Write both colours, or neither."
		case l.OwnGround != "" && theme.Contrast(l.OwnGround, l.OwnText) < theme.LeastText:
			e.errs["look.own_text"] = fmt.Sprintf("Its contrast on that ground is %s; words need %s.", theme.Ratio(theme.Contrast(l.OwnGround, l.OwnText)), theme.Ratio(theme.LeastText))
		}
		switch len(picture) {
		case 0:
			d.Look.PictureOf = ""
		case 1:
			d.Look.PictureOf = picture[0]
		default:
			e.errs["look.picture_of"] = "One product is enough; remove the others."
		}
	}
}

func (w drawer) scope(p *panel, d *nudge.Definition) {
	all := w.filter("ladder.scope", &d.Ladder.Scope, "Count only", "Never")
	p.Legend = "Nothing chosen counts everything. Gift cards are never counted."
	p.Note = w.hits(&d.Ladder.Scope)
	often := []string{".include.collections", ".include.products", ".exclude.collections", ".exclude.products", ".exclude.tags"}
	for _, c := range all {
		if slices.Contains(often, strings.TrimPrefix(c.Name, "ladder.scope")) {
			p.Controls = append(p.Controls, c)
		} else {
			p.More = append(p.More, c)
		}
	}
}

// measures in the merchant's words, the usual one first.
func measures() (out []choiceView) {
	for _, m := range nudge.Measures {
		out = append(out, choiceView{Value: string(m), Name: upperFirst(nudge.MeasureName(m))})
	}
	return out
}

var bases = []choiceView{
	{Value: "after_order", Name: "The goods after every discount"},
	{Value: "after_unit", Name: "The goods after price cuts, before money off the order"},
	{Value: "before_nudges", Name: "The goods at their own prices"},
}

// counts is what the goals count, and how the rungs stand to one another.
func (w drawer) counts(p *panel, d *nudge.Definition) {
	l := &d.Ladder
	was := l.Counts()
	m := was
	tax := map[bool]string{false: "shown", true: "without"}[l.WithoutTax]
	keeps := map[bool]string{false: "kept", true: "replacing"}[l.Replacing]
	p.Controls = []control{
		choice("ladder.measure", "What the goals count", &m, measures()),
		choice("ladder.basis", "Where a value is counted", &l.Basis, bases),
		choice("ladder.without_tax", "Tax", &tax, []choiceView{{Value: "shown", Name: "As prices are shown"}, {Value: "without", Name: "Without tax, also where prices include it"}}),
		choice("ladder.replacing", "Rungs", &keeps, []choiceView{{Value: "kept", Name: "Each reached rung gives what it promises"}, {Value: "replacing", Name: "Only the highest reached rung gives"}}),
	}
	p.after = func(e *editing) {
		l.WithoutTax, l.Replacing = tax == "without", keeps == "replacing"
		if l.Measure = m; m == nudge.Value {
			l.Measure = ""
		}
		for i := range l.Rungs {
			r := &l.Rungs[i]
			if !l.Replacing {
				r.Upper, r.UpperCount = nil, 0
			}
			if m != was {
				w.anew(r, m, int64(i+1))
			}
			e.fitBasis(l, i)
		}
	}
}

// anew gives a rung a goal of another measure, for the merchant to change.
func (w drawer) anew(r *nudge.Rung, m nudge.Measure, n int64) {
	sets := len(r.Rewards) == 1 && nudge.Repeats(r.Rewards[0].Kind)
	r.Thresholds, r.Count, r.Upper, r.UpperCount = nil, 0, nil, 0
	switch {
	case sets:
	case m == nudge.Value:
		r.Thresholds = nudge.SuggestAmounts(w.regions, 30*n)
	case m == nudge.Weight:
		r.Count = 500 * n
	default:
		r.Count = 1 + n
	}
}

// goal is from where a rung counts as reached.
func (w drawer) goal(p *panel, d *nudge.Definition, i int) {
	l, r := &d.Ladder, &d.Ladder.Rungs[i]
	p.Rung = i
	at := fmt.Sprintf("ladder.rungs[%d]", i)
	sets := len(r.Rewards) == 1 && nudge.Repeats(r.Rewards[0].Kind)
	unit := map[nudge.Measure]string{nudge.Weight: "g", nudge.Distinct: "products"}[l.Counts()]
	if l.Counts() == nudge.Value {
		p.Controls = append(p.Controls, w.amounts(at+".thresholds", "From what amount, in each region", &r.Thresholds, func() bool { return !sets }))
		if l.Replacing {
			p.Controls = append(p.Controls, w.amounts(at+".upper", "Up to what amount; empty: no end", &r.Upper, never))
		}
	} else {
		least := int64(1)
		if sets {
			least = 0
		}
		p.Controls = append(p.Controls, w.whole(at+".count", "How many", &r.Count, least, nudge.MostCount, orElse(unit, "pieces")))
		if l.Replacing {
			p.Controls = append(p.Controls, w.whole(at+".upper_count", "Up to how many; empty: no end", &r.UpperCount, 0, nudge.MostCount, orElse(unit, "pieces")))
		}
	}
	if !l.Replacing {
		p.More = append(p.More, choice(at+".basis", "Where this rung counts a value", &r.Basis, append([]choiceView{{Value: "", Name: "As the others"}}, bases...)))
	}
	if len(l.Rungs) > 1 {
		p.CanDrop = "rung"
	}
	p.after = func(e *editing) { e.rises(l, i) }
}

// slot is a part of a set that shoppers put together.
func (w drawer) slot(p *panel, d *nudge.Definition, i int) {
	s := &d.Ladder.Slots[i]
	at := nudge.SlotField(i)
	p.Rung = i
	p.Controls = []control{
		w.whole(at+".least", "From how many pieces; 0: it may stay empty", &s.Least, 0, nudge.MostSize, "pieces"),
		w.whole(at+".most", "To how many", &s.Most, 1, nudge.MostSize, "pieces"),
	}
	p.Note = "Of what the set counts: " + lowerFirst(w.hits(&s.Scope))
	for _, c := range w.filter(at+".scope", &s.Scope, "Only", "Never") {
		if f := strings.TrimPrefix(c.Name, at+".scope"); f == ".include.collections" || f == ".include.products" {
			p.Controls = append(p.Controls, c)
		} else {
			p.More = append(p.More, c)
		}
	}
	p.Controls = append(p.Controls, w.translated(at+".names", "What shoppers call it", &s.Names, nudge.MostName)...)
	if len(d.Ladder.Slots) > 1 {
		p.CanDrop = "slot"
	}
	p.after = func(e *editing) {
		if s.Least > s.Most {
			e.errs[at+".most"] = fmt.Sprintf("Must not be less than %d, the least.", s.Least)
		}
	}
}

// rewardKinds are the kinds in the merchant's words.
var rewardKinds = []choiceView{
	{Value: "free_shipping", Name: "Free shipping"},
	{Value: "shipping_off", Name: "An amount off shipping"},
	{Value: "shipping_flat", Name: "Shipping for at most an amount"},
	{Value: "order_percent", Name: "A percentage off the order"},
	{Value: "order_amount", Name: "An amount off the order"},
	{Value: "gift", Name: "A gift"},
	{Value: "gift_pick", Name: "A gift that the shopper picks"},
	{Value: "unit_percent", Name: "A percentage off each piece"},
	{Value: "unit_amount", Name: "An amount off each piece"},
	{Value: "unit_price", Name: "A fixed price for each piece"},
	{Value: "set_price", Name: "So many for a price"},
	{Value: "built_price", Name: "A price for all that was put together"},
	{Value: "n_for_m", Name: "So many for the price of fewer"},
	{Value: "every", Name: "For every so many, some cheaper"},
	{Value: "offer_add", Name: "An offer: an item at a special price"},
	{Value: "offer_better", Name: "An offer: a better version instead"},
	{Value: "companions", Name: "Companions: what goes with the product shown"},
	{Value: "order_bump", Name: "An offer at the checkout"},
	{Value: "offer_after", Name: "An offer after the order"},
	{Value: "notice", Name: "Nothing: something is said, with a link, a code or goods"},
}

// reward is one thing that a rung gives.
func (w drawer) reward(p *panel, d *nudge.Definition, i, j int) {
	l := &d.Ladder
	r := &l.Rungs[i].Rewards[j]
	p.Rung, p.Reward, p.kind = i, j, &r.Kind
	at := nudge.RewardField(i, j)
	was := r.Kind
	kind := choice(at+".kind", "What is given", &r.Kind, rewardKinds)
	p.Controls = append(p.Controls, kind)
	for _, c := range w.rewardFields(at, r) {
		field := strings.TrimPrefix(c.Name, at+".")
		base, _, _ := strings.Cut(field, ".")
		var kinds []string
		for _, k := range nudge.Kinds {
			if _, has := nudge.RewardFields(k)[base]; has {
				kinds = append(kinds, string(k))
			}
		}
		c.For = strings.Join(kinds, " ")
		c.hideFor(string(r.Kind))
		if seldom := strings.HasPrefix(field, "on.") && field != "on.include.collections" && field != "on.include.products" || slices.Contains([]string{"cap", "endings", "shipments", "dearest", "cheapest", "dearest_first"}, base); seldom {
			p.More = append(p.More, c)
		} else {
			p.Controls = append(p.Controls, c)
		}
	}
	if len(l.Rungs[i].Rewards) > 1 {
		p.CanDrop = "reward"
	}
	p.CanAdd = len(l.Rungs[i].Rewards) < mostRewards
	p.after = func(e *editing) {
		r.Keep()
		if r.Choose != "" && r.Kind == nudge.OfferBetter {
			r.Items, r.InPlaceOf = nil, nil // the rule finds them
		}
		if r.Choose != nudge.SameOption {
			r.Alike = ""
		}
		if r.On != nil && r.On.IsZero() {
			r.On = nil
		}
		if r.Kind != was {
			l.Rungs[i].Basis = ""
			e.fitGoal(l, i)
		}
		e.fitBasis(l, i)
	}
}

// rewardFields are the controls of every field that a reward can have.
func (w drawer) rewardFields(at string, r *nudge.Reward) []control {
	if r.On == nil {
		r.On = onEverything()
	}
	var methods []choiceView
	for _, g := range w.regions {
		for _, m := range g.Methods {
			if !slices.ContainsFunc(methods, func(c choiceView) bool { return c.Value == m.ID }) {
				methods = append(methods, choiceView{Value: m.ID, Name: m.Name("en")})
			}
		}
	}
	must := func(field string) func() bool {
		return func() bool {
			return nudge.RewardFields(r.Kind)[field] || field == "amounts" && r.Kind.Class() == nudge.ShippingClass
		}
	}
	which := "These; the first that is in stock"
	if r.Kind == nudge.Notice {
		which = "Or these are put in by a press; none: nothing is"
	}
	if r.Kind == nudge.Companions {
		which = "These, in this order; beside a rule, where it finds too few"
	}
	items := needed(w.goods(at+".items", which, &r.Items), func() bool { return len(r.Items) == 0 && r.Choose == "" && r.Kind != nudge.Notice })
	fields := []control{
		w.percent(at+".percent", "How much less", &r.Percent, must("percent")),
		w.amounts(at+".amounts", "The amount, in each region", &r.Amounts, must("amounts")),
		w.whole(at+".size", "How many make a set, or are bought for it", &r.Size, 1, nudge.MostSize, "pieces"),
		w.whole(at+".pay_for", "How many of them are paid for", &r.PayFor, 1, nudge.MostSize, "pieces"),
		w.whole(at+".get", "How many more they earn", &r.Get, 1, nudge.MostSize, "pieces"),
		choice(at+".choose", "Chosen", &r.Choose, []choiceView{
			{Value: "", Name: "By hand"}, {Value: "next_size", Name: "By rule: the next size of it"},
			{Value: "same_collection", Name: "By rule: others of its collections", For: "companions"},
			{Value: "same_option", Name: "By rule: others that share an option, such as the colour", For: "companions"},
			{Value: "bought_together", Name: "By rule: what past orders hold beside it", For: "companions"},
		}),
		w.option(at+".alike", "The option that they share, for the rule that asks for one", &r.Alike),
		items,
		w.whole(at+".most", "How many are shown at once; empty: 3", &r.Most, 0, nudge.MostCompanions, "of them"),
		w.whole(at+".pick", "How many the shopper picks", &r.Pick, 1, nudge.MostItems, "of these"),
		w.text(at+".link", "Where it leads; a path of the shop or an address; empty: nowhere", &r.Link, nudge.MostLink),
		w.code(at+".code", "The code that a press enters; empty: none", &r.Code),
		w.tokens(at+".in_place_of", "In place of these in the cart", "goods", &r.InPlaceOf),
		w.amounts(at+".endings", "Rounded down to prices that end with, such as 0.90, or to a multiple of; empty: exact", &r.Endings, never),
		boxes(at+".methods", "For these methods; none ticked means all", &r.Methods, methods),
		w.amounts(at+".cap", "At most, in each region; empty: no end", &r.Cap, never),
		w.whole(at+".cheapest", "Only so many of the cheapest; empty: all", &r.Cheapest, 0, nudge.MostCount, "pieces"),
		w.whole(at+".dearest", "Only so many of the dearest; empty: all", &r.Dearest, 0, nudge.MostCount, "pieces"),
		w.flag(at+".dearest_first", "The dearest are made cheaper, not the cheapest", &r.DearestFirst),
		choice(at+".shipments", "Of goods bought by a plan", &r.Shipments, []choiceView{
			{Value: "", Name: "The first parcel, which the order pays"}, {Value: "first", Name: "The first parcel"}, {Value: "later", Name: "Later parcels"}, {Value: "every", Name: "Every parcel"},
		}),
	}
	return append(fields, w.filter(at+".on", r.On, "On", "Not on")...)
}

// codes is whether a code is needed, and which.
func (w drawer) codes(p *panel, d *nudge.Definition) {
	p.Controls = []control{
		w.code("audience.code", "Only with this code; empty: for everybody", &d.Audience.Code),
		w.text("audience.pool", "Only with a code of this pool of single-use codes", &d.Audience.Pool, 40),
		choice("audience.earned_by", "Codes of the pool are given", &d.Audience.EarnedBy, []choiceView{
			{Value: "", Name: "By yourself: in a letter, on paper"},
			{Value: string(audience.LinkShared), Name: "To who shares the link of the cart, once a visit"},
			{Value: string(audience.Leaving), Name: "To who was about to leave and stays, once a visit"},
		}),
	}
	p.after = func(*editing) {
		if d.Audience.EarnedBy != audience.LinkShared {
			d.ShareText = nil
		}
	}
	p.More = append([]control{w.code("applies_code", "Enters this code by itself where the nudge is in its audience", &d.AppliesCode)},
		w.translated("share_text", "Written beforehand for who shares", &d.ShareText, nudge.MostWording)...)
}

func (w drawer) beside(p *panel, d *nudge.Definition) {
	var classes []choiceView
	for _, c := range []nudge.Class{nudge.UnitClass, nudge.OrderClass, nudge.ShippingClass, nudge.GiftClass, nudge.UnlockClass} {
		classes = append(classes, choiceView{Value: string(c.Name()), Name: nudge.ClassText(c.Name())})
	}
	b := &d.Beside
	p.Controls = []control{
		w.text("beside.group", "Exclusive group: of all nudges in it one is given; empty: none", &b.Group, 40),
		boxes("beside.refuses", "Does not stand beside other nudges’", &b.Refuses, classes),
		w.flag("beside.stacks", "Its price cuts go on top of other nudges’ prices", &b.Stacks),
	}
}

func (w drawer) limits(p *panel, d *nudge.Definition) {
	const most = 1_000_000_000
	l := &d.Limits
	p.Controls = []control{
		w.whole("limits.uses", "Orders in all; empty: no limit", &l.Uses, 0, most, "orders"),
		w.whole("limits.per_shopper", "Orders of one shopper", &l.PerShopper, 0, most, "orders"),
		w.whole("limits.units", "Rewarded pieces of one order", &l.Units, 0, most, "pieces"),
		w.amounts("limits.budget", "Budget in all, in each region", &l.Budget, never),
		w.percent("limits.margin", "Least margin that the goods must leave", &l.Margin, never),
		choice("limits.returns", "When goods go back and what stays no longer earns it", &l.Returns, []choiceView{
			{Value: "", Name: "As the shop does"}, {Value: "keep", Name: "It is kept"}, {Value: "charge_gift", Name: "A gift is charged at its list price"}, {Value: "recompute", Name: "The order is reckoned anew"},
		}),
	}
}

// shown is how often, and when at all, it shows.
func (w drawer) shown(p *panel, d *nudge.Definition) {
	const most = 1_000_000
	p.Controls = []control{
		w.whole("frequency.per_visit", "Times in one visit; empty: no limit", &d.Frequency.PerVisit, 0, most, "times"),
		w.whole("frequency.per_day", "Times in one day", &d.Frequency.PerDay, 0, most, "times"),
		w.whole("frequency.per_shopper", "Times for one shopper, as the device remembers", &d.Frequency.PerShopper, 0, most, "times"),
		w.whole("declined_days", "Once declined, quiet for so many days; empty: for the visit", &d.DeclinedDays, 0, nudge.MostDays, "days"),
		w.percent("holdout", "Share of visitors it is kept from, so that what it brings can be known; empty: as the shop says", &d.Holdout, never),
		w.flag("takes_turns", "Takes turns, page by page, with others that do", &d.TakesTurns),
		w.flag("hide_when_reached", "Hide it once everything is reached", &d.HideWhenReached),
		w.flag("hide_without_gain", "Hide it where showing it is not expected to earn anything", &d.HideWithoutGain),
	}
}

// moments are what a shopper has just done, in words.
func moments() []choiceView {
	out := []choiceView{{Value: "", Name: "Whenever its page shows"}}
	for _, m := range audience.Acts {
		out = append(out, choiceView{Value: string(m), Name: "When the shopper has just " + nudge.ActName(m)})
	}
	return out
}

// atMoment is what a shopper has just done when it shows.
func (w drawer) atMoment(p *panel, d *nudge.Definition) {
	p.Controls = []control{choice("moment", "It shows", &d.Moment, moments())}
}

// answers are what an offer is taken and declined with.
func (w drawer) answers(p *panel, d *nudge.Definition) {
	p.Legend = "Empty ones read as usual."
	p.Controls = append(w.translated("answers.yes", "Yes", &d.Answers.Yes, nudge.MostName), w.translated("answers.no", "No", &d.Answers.No, nudge.MostName)...)
}

func (w drawer) suggests(p *panel, d *nudge.Definition) {
	var options []choiceView
	for _, s := range []nudge.Suggest{"", nudge.MostProfit, nudge.BestCompanion, nudge.Blend} {
		options = append(options, choiceView{Value: string(s), Name: upperFirst(nudge.SuggestName(s))})
	}
	if d.Suggest == nudge.LeastOvershoot {
		options[0].Value = string(nudge.LeastOvershoot) // the same, said in full
	}
	p.Controls = []control{choice("suggest", "Goods that close the gap", &d.Suggest, options)}
}

// pageNames are kinds of page in words.
func pageNames(kinds []string) (out []choiceView) {
	for _, k := range kinds {
		out = append(out, choiceView{Value: k, Name: checks.PageName(nudge.Page(k))})
	}
	return out
}

// read reads what was typed into the definition that the panel was made for.
func (p *panel) read(e *editing) error {
	for _, c := range p.allControls() {
		if p.kind != nil && c.For != "" && !slices.Contains(strings.Fields(c.For), string(*p.kind)) {
			continue
		}
		if c.always() && !e.form.Has(c.Name) {
			continue // a form that has no such field says nothing about it
		}
		c.read(&e.reading)
	}
	if p.after != nil && (len(e.errs) == 0 || p.anyway) {
		p.after(e)
	}
	if len(e.errs) > 0 {
		return e.errs
	}
	return nil
}

// retype shows what was typed in place of what is stored, and what is wrong with it.
func (p *panel) retype(form url.Values, errs fieldErrors) {
	kind := ""
	for _, c := range p.allControls() {
		if c.retype(form, errs); strings.HasSuffix(c.Name, ".kind") {
			kind = form.Get(c.Name)
		}
		c.hideFor(kind)
	}
}
