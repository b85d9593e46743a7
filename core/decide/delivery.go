package decide

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// delivery finds the methods that deliver this cart to its destination.
func (w *work) delivery() error {
	w.chosen = -1
	d := w.req.Cart.Destination
	if d == nil {
		return nil
	}
	usual := &w.s.Delivery[w.at]
	w.methods, w.fees = usual.Methods, usual.Fees
	if !usual.All {
		w.deliver(d)
	}
	if id := w.req.Cart.Method; id != "" {
		w.chosen = slices.IndexFunc(w.methods, func(m *catalog.Method) bool { return m.ID == id })
		if w.chosen < 0 {
			return FieldErrors{{"cart.method", "there is no such method for this cart and destination"}}
		}
	}
	return nil
}

// deliver leaves out methods that do not carry what is in the cart, and puts
// surcharges on top of the fees of the others.
func (w *work) deliver(d *Destination) {
	var tags []string
	for i := range w.lines {
		if !w.lines[i].giftCard {
			tags = append(tags, w.goods(&w.lines[i]).Tags...)
		}
	}
	w.methods, w.fees = nil, nil
	for i := range w.region.Methods {
		m := &w.region.Methods[i]
		if m.Carries(tags) {
			w.methods = append(w.methods, m)
			w.fees = append(w.fees, surcharged{m, m.Surcharge(tags, d.Postcode)})
		}
	}
}

// surcharged is a fee table with an extra on top.
type surcharged struct {
	*catalog.Method
	extra money.Minor
}

func (s surcharged) Fee(goods money.Minor, grams int64) money.Minor {
	return s.Method.Fee(goods, grams) + s.extra
}

func (s surcharged) FeeRange(lo, hi money.Minor, grams int64) (least, most money.Minor) {
	least, most = s.Method.FeeRange(lo, hi, grams)
	return least + s.extra, most + s.extra
}
