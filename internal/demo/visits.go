package demo

import (
	"time"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
)

// visit is a made-up visit of the last days, with or without an order.
type visit struct {
	country, customer string
	ordered           bool
	req               app.OrderRequest
}

func demoOrders() []visit {
	line := func(sku string, n int64) decide.CartLine { return decide.CartLine{SKU: sku, Quantity: n} }
	v := func(country, customer string, ordered bool, lines ...decide.CartLine) visit {
		return visit{country, customer, ordered, app.OrderRequest{Cart: decide.Cart{Lines: lines}}}
	}
	return []visit{
		v("DE", "Marta Quill", true, line("HARBLU-30", 2), line("DUNA5-D", 1)),
		v("DE", "Jonas Reet", true, line("KIT-F", 1), line("OYSCON", 1)),
		v("PL", "Ola Morska", true, line("CUR-M", 1), line("BRI-30", 1)),
		v("DE", "Ada Fehn", false, line("WAXSTIRED-5", 1)),
		v("GB", "Rhys Calder", true, line("KITNIG-M", 1), line("LOGBOOA4-L", 1)),
		v("JP", "Mori Haruka", true, line("LEDBLU-100", 2), line("DUNA5-P", 3)),
		v("DE", "Pia Sander", true, line("DUNA5-L", 5)),
		v("FR", "Loïc Armel", false, line("BEARED-30", 1)),
		v("DE", "Enno Tiarks", true, line("BOX-FIRST", 1), line("HARBLU-100", 1)),
		v("DE", "Nele Voss", true, line("SET-QUAY", 1), line("BLOPAP-A5", 2)),
	}
}

func requestOf(c decide.Cart, at time.Time) decide.Request {
	return decide.Request{Cart: c, Moment: decide.Moment{At: at, Page: decide.Page{Kind: nudge.CartPage}}}
}

// seen is what the embed would have reported for a decision.
func seen(d decide.Decision) []app.EventInput {
	var out []app.EventInput
	for _, p := range nudge.Placements {
		for _, s := range d.In(p) {
			out = append(out, app.EventInput{Kind: results.Shown, Nudge: s.Nudge, Revision: s.Revision, Rung: s.Rung})
		}
	}
	for _, n := range d.Nudges {
		for _, r := range n.Rungs {
			if r.State == decide.RungReached {
				out = append(out, app.EventInput{Kind: results.Reached, Nudge: n.Nudge, Revision: n.Revision, Rung: r.Rung})
			}
		}
	}
	return out
}
