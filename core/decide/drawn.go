package decide

import (
	"slices"
	"strings"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// DrawnCart is the cart as it is drawn: every figure in words, so that what draws it
// computes nothing.
type DrawnCart struct {
	Language string          `json:"language"`
	RTL      bool            `json:"rtl,omitempty"`  // written from right to left
	Told     []string        `json:"told,omitempty"` // why gifts of the request's cart have left it
	Pieces   int64           `json:"pieces"`         // what the shopper put in, gifts apart
	Groups   []DrawnGroup    `json:"groups"`
	Gifts    []DrawnGift     `json:"gifts,omitempty"`
	Choices  []DrawnChoice   `json:"choices,omitempty"`
	Also     []DrawnOffer    `json:"also,omitempty"`      // goods that close a gap, where asked for
	AlsoText string          `json:"also_text,omitempty"` // which gap that is
	Codes    []DrawnCode     `json:"codes,omitempty"`
	Sums     []DrawnSum      `json:"sums"`
	Goods    string          `json:"goods"` // what they cost after every reward
	ToPay    string          `json:"to_pay"`
	Words    nudge.CartWords `json:"words"`
}

// DrawnGroup is what stands together: a line by itself, or the lines of a set.
type DrawnGroup struct {
	Build   *Build      `json:"build,omitempty"`
	Heading string      `json:"heading,omitempty"`
	Text    string      `json:"text,omitempty"`
	Plan    string      `json:"plan,omitempty"` // how often it comes, and what later parcels cost
	Next    []string    `json:"next,omitempty"` // days of the next parcels
	Was     string      `json:"was,omitempty"`
	Paid    string      `json:"paid,omitempty"`
	Lines   []DrawnLine `json:"lines"`
}

// DrawnLine is a line of the cart.
type DrawnLine struct {
	ID       string  `json:"id,omitempty"`
	SKU      string  `json:"sku"`
	Product  string  `json:"product"`
	Label    string  `json:"label"`
	Picture  string  `json:"picture,omitempty"`
	Quantity int64   `json:"quantity"`
	Origin   *Origin `json:"origin,omitempty"`
	Plan     string  `json:"plan,omitempty"`
	Was      string  `json:"was,omitempty"`
	Paid     string  `json:"paid,omitempty"`
}

// DrawnGift is a gift that lies in the cart.
type DrawnGift struct {
	Nudge   string `json:"nudge"`
	SKU     string `json:"sku"`
	Label   string `json:"label"`
	Many    int64  `json:"many"`
	Picture string `json:"picture,omitempty"`
	Was     string `json:"was"`
}

// DrawnChoice is a gift that leaves something to the shopper.
type DrawnChoice struct {
	Nudge string      `json:"nudge"`
	State GiftState   `json:"state"`
	Title string      `json:"title"`
	Pick  int64       `json:"pick,omitempty"`
	Items []DrawnItem `json:"items,omitempty"`
}

// DrawnItem is something to choose; On is what is chosen.
type DrawnItem struct {
	SKU     string `json:"sku"`
	Label   string `json:"label"`
	Picture string `json:"picture,omitempty"`
	Price   string `json:"price,omitempty"` // none: it costs nothing
	On      bool   `json:"on,omitempty"`
}

// DrawnOffer is goods that close the gap of a nudge.
type DrawnOffer struct {
	Nudge   string          `json:"nudge"`
	Items   []SuggestedItem `json:"items"`
	Label   string          `json:"label"`
	Picture string          `json:"picture,omitempty"`
	Text    string          `json:"text"` // what is paid in the end
}

// DrawnCode is what became of a code, in words.
type DrawnCode struct {
	Code  string `json:"code"`
	State string `json:"state"`
	Text  string `json:"text"`
}

// DrawnSum is a line below the goods.
type DrawnSum struct {
	Text   string `json:"text"`
	Amount string `json:"amount"`
	Was    string `json:"was,omitempty"`
}

// mostAlso is how many goods that close a gap are drawn.
const mostAlso = 2

// drawn lays out the cart where that was asked for.
func (w *work) drawn(d *Decision) {
	if !w.req.Drawn {
		return
	}
	words := nudge.CartWordsIn(w.tongue.Language)
	c := &DrawnCart{Language: w.tongue.Language, RTL: w.s.Shop.Settings.Theme.IsRightToLeft(w.tongue.Language), Words: words, Goods: w.money(d.Goods), ToPay: w.money(d.ToPay), Groups: []DrawnGroup{}}
	for i := range d.Lines {
		w.drawLine(c, d, &d.Lines[i], words)
	}
	for i := range d.Gifts {
		w.drawGift(c, &d.Gifts[i], words)
	}
	w.drawAlso(c, d, words)
	for _, o := range d.Codes {
		c.Codes = append(c.Codes, DrawnCode{o.Code, o.State, words.CodeText(o.State, o.Code)})
	}
	for _, l := range d.Left {
		c.Told = append(c.Told, l.Say)
	}
	c.Sums = append(c.Sums, DrawnSum{Text: words.Goods(), Amount: w.money(d.Before)})
	for _, g := range d.OffGoods() {
		c.Sums = append(c.Sums, DrawnSum{Text: upperFirst(g.Text), Amount: "−" + w.money(g.Amount)})
	}
	if s := d.Shipping; s != nil {
		row := DrawnSum{Text: upperFirst(s.Name), Amount: w.money(s.Fee)}
		if s.Fee == 0 {
			row.Amount = words.Free()
		}
		if s.Fee < s.ListFee {
			row.Was = w.money(s.ListFee)
		}
		c.Sums = append(c.Sums, row)
	}
	if !d.TaxShown {
		c.Sums = append(c.Sums, DrawnSum{Text: words.Tax(), Amount: w.money(d.Tax)})
	}
	d.Cart = c
}

func upperFirst(s string) string {
	for i := range s {
		if i > 0 {
			return strings.ToUpper(s[:i]) + s[i:]
		}
	}
	return strings.ToUpper(s)
}

func (w *work) drawLine(c *DrawnCart, d *Decision, l *PricedLine, words nudge.CartWords) {
	if l.SKU == "" {
		return
	}
	it, _ := w.s.Shop.Catalog.Item(l.SKU)
	c.Pieces += l.Quantity
	row := DrawnLine{ID: l.ID, SKU: l.SKU, Product: it.Product.ID, Label: it.Label(), Picture: it.Product.Picture, Quantity: l.Quantity, Origin: l.Origin, Plan: l.Plan, Paid: w.money(l.AfterUnit())}
	if l.UnitOff > 0 {
		row.Was = w.money(l.Amount)
	}
	if l.Build == nil {
		c.Groups = append(c.Groups, DrawnGroup{Lines: []DrawnLine{row}})
		return
	}
	i := slices.IndexFunc(c.Groups, func(g DrawnGroup) bool { return g.Build != nil && *g.Build == *l.Build })
	if i < 0 {
		i = len(c.Groups)
		c.Groups = append(c.Groups, w.drawSet(d, l.Build, words))
	}
	if c.Groups[i].Paid != "" {
		row.Was, row.Paid = "", "" // the set has one price
	}
	c.Groups[i].Lines = append(c.Groups[i].Lines, row)
}

func (w *work) drawSet(d *Decision, b *Build, words nudge.CartWords) DrawnGroup {
	g := DrawnGroup{Build: b}
	for _, o := range d.Builds {
		if o.ID != b.ID || o.Nudge != b.Nudge {
			continue
		}
		if g.Heading, g.Text, g.Paid = o.Heading, o.Text, w.money(o.Price); o.Price < o.Amount {
			g.Was = w.money(o.Amount)
		}
		if o.Plan != nil {
			g.Plan, g.Next = words.Comes(o.Plan.Text), o.Plan.Next
			if o.Later != nil {
				g.Plan += " " + words.Later(w.money(*o.Later))
			}
		}
	}
	return g
}

func (w *work) drawGift(c *DrawnCart, g *GiftOutcome, words nudge.CartWords) {
	picture := func(sku string) string {
		if it, ok := w.s.Shop.Catalog.Item(sku); ok {
			return it.Product.Picture
		}
		return ""
	}
	for _, it := range g.Items {
		label := it.Label
		if it.Quantity > 1 {
			label = nudge.MeasureText(nudge.Units, it.Quantity, w.region.Currency, w.tongue.Language, w.tongue.Locale) + " · " + label
		}
		c.Gifts = append(c.Gifts, DrawnGift{g.Nudge, it.SKU, label, it.Quantity, picture(it.SKU), w.money(it.Worth())})
	}
	choice := DrawnChoice{Nudge: g.Nudge, State: g.State, Pick: g.Pick}
	switch g.State {
	case GiftRemoved:
		choice.Title = words.TakenOut
	case GiftOutOfStock:
		choice.Title = words.SoldOut
	case GiftOffered:
		choice.Title = words.Offered
	default:
		if len(g.Choice) == 0 {
			return
		}
		choice.Title = words.Pick
	}
	for _, it := range g.Choice {
		x := DrawnItem{SKU: it.SKU, Label: it.Label, Picture: picture(it.SKU)}
		if it.Price > 0 {
			x.Price = w.money(it.Price)
		}
		x.On = slices.ContainsFunc(g.Items, func(have GiftItem) bool { return have.SKU == it.SKU })
		choice.Items = append(choice.Items, x)
	}
	c.Choices = append(c.Choices, choice)
}

// withinReach is the share of a threshold, in tenths, up to which goods that close a gap
// are drawn: what is farther away is no small step.
const withinReach = 3

// drawAlso lists goods that close the gap of the nudge of the drawer that is nearest to what
// it promises, and what is paid with them.
func (w *work) drawAlso(c *DrawnCart, d *Decision, words nudge.CartWords) {
	var n *NudgeOutcome
	var near *RungOutcome
	for i := range d.Nudges {
		o := &d.Nudges[i]
		if !shownIn(d, o.Nudge, nudge.CartDrawer) || len(o.Suggestions) == 0 {
			continue
		}
		at := promisedOf(o, &w.taken(o.Nudge).n.Definition)
		if at < 0 {
			continue
		}
		r := &o.Rungs[at]
		missing, _ := r.missing()
		if missing*10 > r.Threshold*withinReach && (r.Measure == nudge.Value || missing > 1) {
			continue
		}
		if near != nil {
			if was, _ := near.missing(); missing*near.Threshold >= was*r.Threshold {
				continue
			}
		}
		n, near = o, r
	}
	if n == nil {
		return
	}
	c.AlsoText = words.Closes(near.Reward)
	for _, s := range n.Suggestions[:min(len(n.Suggestions), mostAlso)] {
		o := DrawnOffer{Nudge: n.Nudge, Items: s.Items, Text: words.Net(w.money(max(s.Net, -s.Net)), sign(s.Net))}
		labels := make([]string, len(s.Items))
		for k, item := range s.Items {
			labels[k] = item.Label
			if item.Quantity > 1 {
				labels[k] = nudge.MeasureText(nudge.Units, item.Quantity, w.region.Currency, w.tongue.Language, w.tongue.Locale) + " · " + item.Label
			}
		}
		o.Label = strings.Join(labels, ", ")
		if it, ok := w.s.Shop.Catalog.Item(s.Items[0].SKU); ok {
			o.Picture = it.Product.Picture
		}
		c.Also = append(c.Also, o)
	}
}

func sign(m money.Minor) int {
	switch {
	case m < 0:
		return -1
	case m > 0:
		return 1
	}
	return 0
}
