package lindquill

import (
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/shoppertoken"
)

// whoCookie holds who is signed in. The people are made up, and so there is no password.
const whoCookie = "lq_who"

// tokenHolds is how long the browser may say who its shopper is.
const tokenHolds = time.Hour

// person is a made-up shopper with an account.
type person struct {
	ID, Name, About string
	Street          string
	Postcode, Town  string
	Groups          []string
	Before          []earlierOrder // orders that were placed before the shop was opened
}

// earlierOrder is an order of before: so many days ago, for so much, of these goods.
type earlierOrder struct {
	DaysAgo int
	Paid    money.Minor // euro cents
	SKUs    []string
}

// people are those who have an account.
var people = []person{
	{ID: "arne", Name: "Arne Kolk", About: text("new here, no order yet"), Street: "Ufer 1", Postcode: "26723", Town: "Vessmark"},
	{
		ID: "ilsabe", Name: "Ilsabe Tern", About: text("three orders, the last three months ago"), Street: "Deichweg 12", Postcode: "26725", Town: "Vessmark",
		Before: []earlierOrder{{400, 4790, []string{"HARBLU-30", "DUNA5-D"}}, {210, 6300, []string{"BEARED-30"}}, {95, 3390, []string{"HARBLU-30"}}},
	},
	{
		ID: "jorid", Name: "Jorid Vale", About: text("one order, eighty days ago"), Street: "Am Siel 3", Postcode: "26724", Town: "Vessmark",
		Before: []earlierOrder{{80, 3390, []string{"OYSGRE-30"}}},
	},
	{
		ID: "mio", Name: "Mio Hara", About: text("of the club, five orders, the last ten days ago"), Street: "Lange Reihe 8", Postcode: "26721", Town: "Vessmark", Groups: []string{"club"},
		Before: []earlierOrder{{700, 5800, []string{"KIT-F"}}, {520, 2800, nil}, {300, 9400, nil}, {120, 4200, []string{"OYSGRE-30"}}, {10, 7100, []string{"DUNA5-P"}}},
	},
}

func personCalled(id string) (person, bool) {
	i := slices.IndexFunc(people, func(p person) bool { return p.ID == id })
	if i < 0 {
		return person{}, false
	}
	return people[i], true
}

// mine are the orders that a person has placed here, the last first.
func (s *shop) mine(p person) []record {
	out := s.ledger.orders.those(func(r record) bool { return r.Account == p.ID && r.placed() })
	slices.SortFunc(out, func(a, b record) int { return b.PlacedAt.Compare(a.PlacedAt) })
	return out
}

// shopper is what the shop knows of a person: groups, orders and what was bought. What was paid
// is not among it, as orders may be in several currencies.
func (s *shop) shopper(p person, now time.Time) decide.Shopper {
	yes, orders := true, int64(len(p.Before))
	out := decide.Shopper{SignedIn: &yes, Groups: slices.Clone(p.Groups), Orders: &orders, Bought: []string{}}
	if out.Groups == nil {
		out.Groups = []string{}
	}
	last := func(at time.Time) {
		if out.LastOrder == nil || at.After(*out.LastOrder) {
			out.LastOrder = &at
		}
	}
	for _, o := range p.Before {
		last(now.AddDate(0, 0, -o.DaysAgo).UTC().Truncate(time.Second))
		out.Bought = append(out.Bought, o.SKUs...)
	}
	for _, r := range s.mine(p) {
		orders++
		last(r.PlacedAt.UTC().Truncate(time.Second))
		for _, l := range r.Order.Cart.Lines {
			out.Bought = append(out.Bought, l.SKU)
		}
	}
	slices.Sort(out.Bought)
	out.Bought = slices.Compact(out.Bought)
	return out
}

// token says who the shopper is, for the embed to pass on; empty: nobody is signed in.
func (v *visit) token(secret string, now time.Time) string {
	if v.who.ID == "" {
		return ""
	}
	t, err := shoppertoken.Sign(shoppertoken.Fingerprint(secret), v.shopper, now.Add(tokenHolds))
	if err != nil {
		return ""
	}
	return t
}

// accountView is the page of an account, or of those one may be.
type accountView struct {
	People []person
	Who    person
	Orders []pastOrder
}

type pastOrder struct {
	Number, Day, Total, Goods string
	Key                       string // of the page that thanks for it; empty: of before
}

// labels names items one after the other.
func (v *visit) labels(skus []string) string {
	out := make([]string, len(skus))
	for i, sku := range skus {
		out[i] = v.stock.list.Catalog().Label(sku)
	}
	return strings.Join(out, ", ")
}

func (s *shop) account(c *echo.Context) error {
	v := of(c)
	view := accountView{People: people, Who: v.who}
	if v.who.ID != "" {
		for _, r := range s.mine(v.who) {
			o := pastOrder{Day: v.day(r.PlacedAt), Total: r.Total, Key: r.Order.Key, Number: v.say("written down")}
			if r.Number > 0 {
				o.Number = v.say("No. %d", r.Number)
			}
			var skus []string
			for _, l := range r.Order.Cart.Lines {
				skus = append(skus, l.SKU)
			}
			o.Goods = v.labels(skus)
			view.Orders = append(view.Orders, o)
		}
		for _, b := range slices.Backward(v.who.Before) {
			o := pastOrder{Number: v.say("earlier"), Day: v.day(time.Now().AddDate(0, 0, -b.DaysAgo)), Total: money.Format(money.Amount{Minor: b.Paid, Currency: "EUR"}, string(v.tongue))}
			o.Goods = v.labels(b.SKUs)
			view.Orders = append(view.Orders, o)
		}
	}
	return s.show(c, http.StatusOK, "account", v.say("Your account"), "", decide.Page{}, view)
}

// signIn makes the shopper one of the made-up people, or nobody again.
func (s *shop) signIn(c *echo.Context) error {
	v := of(c)
	p, known := personCalled(c.FormValue("who"))
	switch {
	case c.FormValue("who") == "":
		writeCookie(c, whoCookie, "")
		tell(c, slip{Say: v.say("You are signed out.")})
	case known:
		writeCookie(c, whoCookie, p.ID)
		tell(c, slip{Say: v.say("You are %s now.", p.Name)})
	default:
		tell(c, slip{Say: v.say("Nobody of that name has an account.")})
	}
	return c.Redirect(http.StatusSeeOther, "/account")
}
