package lindquill

import (
	"encoding/json"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
)

// giftRow is a gift as it lies in the cart.
type giftRow struct {
	Nudge, SKU, Label, Picture, ID, Say, Was, Amount string
	Takeable                                         bool
}

// giftChoice is a gift that the shopper has yet to pick, or took out.
type giftChoice struct {
	Nudge, SKU, Label, Title string
	Removed                  bool
	Items                    []giftItem
}

type giftItem struct {
	Nudge, SKU, Label, Picture, Amount string
	On                                 bool
}

// giftState is what the shopper has done with gifts in this visit.
type giftState struct {
	Removed []string            `json:"removed,omitempty"`
	Picks   map[string][]string `json:"picks,omitempty"`
}

const (
	giftCookie = "lq_gifts"
	mostGifts  = 30
)

func readGifts(c *echo.Context) (g giftState) {
	text := readCookie(c, giftCookie)
	if text == "" || !readable(text) || json.Unmarshal([]byte(text), &g) != nil || len(g.Removed) > mostGifts || len(g.Picks) > mostGifts {
		return giftState{}
	}
	return g
}

// gifts lays out what the decision says of gifts.
func (v *visit) gifts(d decide.Decision) (rows []giftRow, choices []giftChoice) {
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			item, ok := v.stock.list.Catalog().Item(it.SKU)
			if !ok {
				continue
			}
			row := giftRow{
				Nudge: g.Nudge, SKU: it.SKU, Label: it.Label, Picture: item.Product.Picture, ID: item.Product.ID, Say: v.say("a gift"),
				Was: v.money(it.Worth()), Amount: v.say("free"), Takeable: true,
			}
			if it.Quantity > 1 {
				row.Label = quantityOf(it.Quantity) + row.Label
			}
			rows = append(rows, row)
		}
		if c, any := v.choiceOf(&g); any {
			choices = append(choices, c)
		}
	}
	return rows, choices
}

// choiceOf is what a gift leaves to the shopper, if anything.
func (v *visit) choiceOf(g *decide.GiftOutcome) (giftChoice, bool) {
	c := giftChoice{Nudge: g.Nudge}
	switch g.State {
	case decide.GiftRemoved:
		c.Title, c.Removed, c.Label = v.say("You took your gift out"), true, v.say("your gift")
	case decide.GiftOutOfStock:
		c.Title = v.say("Your gift has run out just now. We are sorry.")
	case decide.GiftToPick:
		c.Title = v.say("Choose your gift")
		if g.Pick > 1 {
			c.Title = v.say("Choose %d × gifts", g.Pick)
		}
	case decide.GiftOffered:
		c.Title = v.say("For you, at a special price")
	default:
		if len(g.Choice) == 0 {
			return c, false
		}
		c.Title = v.say("Your gift, or another")
	}
	for _, it := range g.Choice {
		item, ok := v.stock.list.Catalog().Item(it.SKU)
		if !ok {
			continue
		}
		x := giftItem{Nudge: g.Nudge, SKU: it.SKU, Label: it.Label, Picture: item.Product.Picture}
		if it.Price > 0 {
			x.Amount = v.money(it.Price)
		}
		x.On = slices.ContainsFunc(g.Items, func(have decide.GiftItem) bool { return have.SKU == it.SKU })
		c.Items = append(c.Items, x)
	}
	return c, true
}

// gift takes a gift out, puts it back, or picks one.
func (s *shop) gift(c *echo.Context) error {
	v := of(c)
	id, sku := c.FormValue("nudge"), c.FormValue("sku")
	if !readable(id) || !readable(sku) || len(id) > 100 || len(sku) > 100 {
		return back(c, c.FormValue("in") == "drawer")
	}
	g := readGifts(c)
	without := slices.DeleteFunc(slices.Clone(g.Removed), func(x string) bool { return x == id })
	switch c.FormValue("do") {
	case "remove":
		g.Removed = append(without, id)
		delete(g.Picks, id)
	case "back":
		g.Removed = without
	case "pick":
		p, err := s.price(c, decide.Page{})
		if err != nil {
			return err
		}
		i := slices.IndexFunc(p.Gifts, func(o decide.GiftOutcome) bool { return o.Nudge == id })
		if i < 0 || !slices.ContainsFunc(p.Gifts[i].Choice, func(it decide.GiftItem) bool { return it.SKU == sku }) {
			tell(c, slip{Say: v.say("This gift is not to be had any more; nothing was changed.")})
			break
		}
		if p.Gifts[i].State == decide.GiftOffered {
			lines := append(slices.Clone(v.cart.Lines), decide.CartLine{SKU: sku, Quantity: 1, Origin: &decide.Origin{Kind: decide.FromGift, Nudge: id}})
			if wrong := v.fits(lines); wrong != "" {
				tell(c, slip{Say: wrong})
				break
			}
			writeCookie(c, "lq_cart", printCart(lines))
			break
		}
		if g.Picks == nil {
			g.Picks = map[string][]string{}
		}
		picks := append(slices.DeleteFunc(slices.Clone(g.Picks[id]), func(x string) bool { return x == sku }), sku)
		g.Removed, g.Picks[id] = without, picks[max(0, len(picks)-int(max(p.Gifts[i].Pick, 1))):]
	}
	b, err := json.Marshal(g)
	if err != nil {
		return err
	}
	if len(g.Removed) == 0 && len(g.Picks) == 0 {
		c.SetCookie(&http.Cookie{Name: giftCookie, Path: "/", MaxAge: -1})
	} else {
		writeCookie(c, giftCookie, string(b))
	}
	return back(c, c.FormValue("in") == "drawer")
}
