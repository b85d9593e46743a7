package merchant

import (
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
)

type cartView struct {
	Lines    []cartLineView
	Gifts    []cartLineView
	Goods    string
	Rewards  []rewardLine
	Shipping string
	Fee, Tax string
	TaxShown bool
	ToPay    string
	Added    string
	Alone    bool
	Refused  []string
	Region   string
	Finish   string // the cheapest way to finish a set that lies in it
	ThenPays string
	// IfTaken is what is paid, and earned, if what the nudge offers is taken.
	IfTaken *takenView
}

type takenView struct{ ToPay, Earns, Loses string }

// rewardLine is what one reward takes off the goods.
type rewardLine struct{ Text, Amount string }

type cartLineView struct {
	SKU, Name, Option, Full, Picture, Unit string
	Was, Paid                              string // of the line before and after unit rewards
	Quantity                               int64
}

// cartOf lays a decided cart out.
func cartOf(cat *catalog.Catalog, region catalog.Region, d decide.Decision, locale string, alone bool, refused []string) cartView {
	show := func(m money.Minor) string {
		return money.Format(money.Amount{Minor: m, Currency: region.Currency}, locale)
	}
	v := cartView{Goods: show(d.Before), TaxShown: d.TaxShown, Tax: show(d.Tax), ToPay: show(d.ToPay), Alone: alone, Refused: refused, Region: region.Name}
	if d.Shipping != nil {
		v.Shipping, v.Fee = d.Shipping.Name, show(d.Shipping.Fee)
	}
	for _, l := range d.Lines {
		if l.SKU == "" {
			v.Added = show(l.Unit)
			continue
		}
		it, _ := cat.Item(l.SKU)
		line := cartLineView{SKU: l.SKU, Name: it.Product.Title, Full: it.Label(), Picture: it.Product.Picture, Unit: show(l.Unit), Quantity: l.Quantity, Paid: show(l.AfterUnit())}
		if l.UnitOff > 0 {
			line.Was = show(l.Amount)
		}
		for _, o := range it.Variant.Options {
			line.Option += o.Value + " · "
		}
		v.Lines = append(v.Lines, line)
	}
	for _, g := range d.OffGoods() {
		v.Rewards = append(v.Rewards, rewardLine{upperFirst(g.Text), "−" + show(g.Amount)})
	}
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			item, _ := cat.Item(it.SKU)
			v.Gifts = append(v.Gifts, cartLineView{SKU: it.SKU, Full: it.Label, Picture: item.Product.Picture, Quantity: it.Quantity, Was: show(it.Worth()), Paid: "free"})
		}
	}
	return v
}

// offered says what follows if what a nudge offers first is taken.
func (v *cartView) offered(d decide.Decision, id string, show func(money.Minor) string) {
	for _, o := range d.Offers {
		for _, it := range o.Items {
			if o.Nudge != id || it.ToPay == nil || v.IfTaken != nil {
				continue
			}
			v.IfTaken = &takenView{ToPay: show(*it.ToPay)}
			switch {
			case it.Profit == nil:
			case *it.Profit < 0:
				v.IfTaken.Loses = show(-*it.Profit)
			default:
				v.IfTaken.Earns = show(*it.Profit)
			}
		}
	}
}
