// Package demo is the made-up shop Lindquill of the harbour town Vessmark: its
// goods, where it delivers, and its first nudges. All names are invented.
package demo

import (
	"fmt"
	"strings"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// piece is what one variant is made of, before prices are worked out.
type piece struct {
	sku    string
	opts   []catalog.Option
	cents  money.Minor // euro cents
	cost   int64       // per cent of the price without tax
	grams  int64
	stock  int64 // below 0: unlimited
	was    money.Minor
	only   string // currencies it is sold in, all if empty
	taxcls string
	plans  map[string]money.Minor // what one parcel costs by a plan, in euro cents
}

// pounds and yen are set the way a shopkeeper does: rounded to a pretty price.
func pounds(cents money.Minor) money.Minor { return max(50, (cents*88/100+25)/50*50) }
func yen(cents money.Minor) money.Minor    { return max(100, (cents*158/100+25)/50*50) }

func (p piece) variant() catalog.Variant {
	v := catalog.Variant{SKU: p.sku, Options: p.opts, Weight: p.grams, TaxClass: p.taxcls, Prices: map[money.Currency]catalog.Price{}}
	if p.stock >= 0 {
		s := p.stock
		v.Stock = &s
	}
	for cur, of := range map[money.Currency]func(money.Minor) money.Minor{
		"EUR": func(m money.Minor) money.Minor { return m }, "GBP": pounds, "JPY": yen,
	} {
		if p.only != "" && !strings.Contains(p.only, string(cur)) {
			continue
		}
		price := catalog.Price{Price: of(p.cents)}
		cost := of(p.cents) * 100 / 119 * p.cost / 100
		price.Cost = &cost
		if p.was > 0 {
			was := of(p.was)
			price.Reference = &was
		}
		v.Prices[cur] = price
		for plan, cents := range p.plans {
			if v.Plans == nil {
				v.Plans = map[string]map[money.Currency]catalog.Price{}
			}
			if v.Plans[plan] == nil {
				v.Plans[plan] = map[money.Currency]catalog.Price{}
			}
			v.Plans[plan][cur] = catalog.Price{Price: of(cents), Cost: &cost}
		}
	}
	return v
}

func opt(name, value string) []catalog.Option {
	return []catalog.Option{{Name: name, Value: value}}
}

func product(id, title, about, picture string, collections, tags []string, pieces ...piece) catalog.Product {
	p := catalog.Product{ID: id, Title: title, Description: about, Picture: "/pictures/" + picture + ".svg", Collections: collections, Tags: tags}
	for _, x := range pieces {
		p.Variants = append(p.Variants, x.variant())
	}
	return p
}

func id(title string) string {
	return strings.Trim(strings.Join(strings.FieldsFunc(strings.ToLower(title), func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') }), "-"), "-")
}

func code(title string) string {
	var b strings.Builder
	for _, w := range strings.Fields(title) {
		b.WriteString(strings.ToUpper(w[:min(3, len(w))]))
	}
	return b.String()
}

// Goods returns the catalogue: always the same.
func Goods() []catalog.Product {
	var out []catalog.Product
	out = append(out, inks()...)
	out = append(out, pens()...)
	out = append(out, nibs()...)
	out = append(out, notebooks()...)
	out = append(out, paper()...)
	out = append(out, waxAndSeals()...)
	out = append(out, desk()...)
	return append(out, gifts()...)
}

func inks() []catalog.Product {
	colours := []struct{ title, hex, about string }{
		{"Harbour Blue", "27407a", "The blue of the outer basin at noon. Dries in six seconds, washes out of linen."},
		{"Oyster Grey", "7d8489", "A soft grey with a pearly lilt, dark enough for letters."},
		{"Beacon Red", "a3322c", "The red of the north mole light. For corrections that mean it."},
		{"Tar Black", "22242b", "A dense, permanent black that stands on cheap paper."},
		{"Kelp Green", "2f6b52", "Brown-green, shades from moss to bottle glass."},
		{"Dusk Violet", "57478a", "Between blue and plum, with a slow red sheen."},
		{"Rope Brown", "8a6236", "Warm as old cordage; a favourite for sketches."},
		{"Foghorn", "5f6d7a", "A cool slate that reads as black from across the table."},
		{"Marram", "7b8a3c", "Dune grass in late summer."},
		{"Lantern Amber", "c98a1c", "Golden and legible, best in a broad nib."},
		{"Gull White Ash", "9aa0a0", "The palest we make, for ruling and margins."},
		{"Copper Roof", "3f8476", "Verdigris over brown, uneven on purpose."},
		{"Sailcloth", "b59b6a", "Unbleached linen, for drawing."},
		{"Brine", "1f6f8b", "A clear turquoise with a salt edge."},
		{"Chart Ink", "34507c", "Waterproof pigment ink, the one our pilots use."},
		{"Ledger Blue", "1d3266", "Iron-gall blue that turns black overnight."},
		{"Currant", "7c2347", "Dark fruit, dries with a faint gold."},
		{"Rust Bucket", "a5522a", "Orange-brown with strong shading."},
		{"Winter Quay", "49586f", "Released each November, gone by March."},
		{"Sea Pink", "c66a86", "The thrift on the cliffs in May."},
		{"Nettle", "4d7a2d", "A sharp green for lists."},
		{"Midnight Pilot", "16233f", "Blue-black, nearly no sheen."},
		{"Lichen", "98a05a", "Grey-yellow, at home on cream paper."},
		{"Tide Table", "2c7a7b", "A clean teal that behaves in every pen."},
	}
	var out []catalog.Product
	for i, c := range colours {
		tags := []string{"ink"}
		if i%6 == 3 || c.title == "Chart Ink" {
			tags = append(tags, "permanent")
		}
		large := piece{sku: code(c.title) + "-100", opts: opt("size", "100 ml"), cents: 3200, cost: 38, grams: 310, stock: int64(14 + i*7%40)}
		if i%5 == 2 {
			large.was, large.cents = 3200, 2700
			tags = append(tags, "sale")
		}
		out = append(out, product(id(c.title), c.title, c.about, "bottle-"+c.hex, []string{"Inks"}, tags,
			piece{sku: code(c.title) + "-4", opts: opt("size", "4 ml"), cents: 320, cost: 42, grams: 14, stock: int64(60 + i*11%90), plans: map[string]money.Minor{"1 month": 300, "2 months": 310}},
			piece{sku: code(c.title) + "-30", opts: opt("size", "30 ml"), cents: 1400, cost: 36, grams: 96, stock: int64(140 + i*13%60)},
			large))
	}
	return out
}

func pens() []catalog.Product {
	models := []struct {
		title, hex, about string
		cents             money.Minor
		gold              bool
	}{
		{"Kittiwake", "31456b", "Our everyday pen: light, resin, screw cap, takes a converter.", 5800, true},
		{"Kittiwake Night", "20222c", "The Kittiwake in black with a smoked ring.", 6200, true},
		{"Plover", "9a6a3a", "A short pocket pen that posts to full length.", 3900, false},
		{"Curlew", "2f6b52", "Slim and long, made for small hands and long letters.", 7400, true},
		{"Harbour Master", "5b2b2b", "Turned ebonite, ink window, the one on our counter.", 16800, true},
		{"Deckhand", "b8552f", "The beginner’s pen, sturdy and honest.", 1900, false},
		{"Bosun", "4b536b", "Metal barrel, heavy, will outlive its owner.", 8900, true},
		{"Lightkeeper", "c9a35a", "Brass, unlacquered, darkens with use.", 9900, false},
		{"Tern", "d8dde0", "White resin with a steel clip.", 4900, false},
		{"Captain’s Table", "1d3266", "Piston filler, two millilitres, a fortnight of letters.", 21900, true},
	}
	var out []catalog.Product
	for i, m := range models {
		sku := code(strings.ReplaceAll(m.title, "’", ""))
		var ps []piece
		for j, w := range []string{"extra fine", "fine", "medium", "broad"} {
			ps = append(ps, piece{sku: fmt.Sprintf("%s-%s", sku, []string{"EF", "F", "M", "B"}[j]), opts: opt("nib", w), cents: m.cents, cost: 44, grams: 120 + int64(i)*6, stock: int64(3 + (i*5+j*7)%18)})
		}
		if m.gold {
			ps = append(ps, piece{sku: sku + "-AU", opts: opt("nib", "gold, fine"), cents: m.cents + 9900, cost: 58, grams: 124 + int64(i)*6, stock: int64(1 + i%4), only: "EUR JPY"})
		}
		out = append(out, product(id(m.title), m.title, m.about, "pen-"+m.hex, []string{"Fountain pens"}, []string{"pen"}, ps...))
	}
	return out
}

func nibs() []catalog.Product {
	var out []catalog.Product
	for i, n := range []struct {
		title, hex string
		cents      money.Minor
	}{
		{"Steel nib unit", "aeb6bd", 1200}, {"Stub nib unit", "b9b2a2", 1650}, {"Flex nib unit", "c2bda6", 2400},
		{"Gold nib unit", "c9a35a", 9900}, {"Left-hand nib unit", "a8aeb4", 1650}, {"Music nib", "b5a98c", 3800},
	} {
		var ps []piece
		for j, w := range []string{"fine", "medium", "broad"} {
			ps = append(ps, piece{sku: fmt.Sprintf("%s-%s", code(n.title), []string{"F", "M", "B"}[j]), opts: opt("width", w), cents: n.cents, cost: 40 + int64(i), grams: 9, stock: int64(4 + (i*7+j*3)%25)})
		}
		out = append(out, product(id(n.title), n.title, "Fits every Lindquill pen with a screw-in section.", "nib-"+n.hex, []string{"Nibs"}, []string{"part"}, ps...))
	}
	return out
}

func notebooks() []catalog.Product {
	var out []catalog.Product
	for i, n := range []struct {
		title, hex string
		cents      money.Minor
		grams      int64
	}{
		{"Dunlin A5", "b5652a", 1290, 240}, {"Dunlin A6", "a8472f", 890, 130}, {"Log book A4", "27407a", 2490, 720},
		{"Pilot’s pad", "2f6b52", 690, 160}, {"Sketch book square", "57478a", 1790, 410}, {"Week on the quay", "5f6d7a", 2190, 330},
		{"Pocket set of three", "c98a1c", 1490, 150}, {"Guest book", "7c2347", 3400, 880}, {"Tide diary", "2c7a7b", 1890, 290}, {"Clothbound A5", "49586f", 2290, 360},
	} {
		var ps []piece
		for j, r := range []string{"plain", "lined", "dotted"} {
			ps = append(ps, piece{sku: fmt.Sprintf("%s-%s", code(strings.ReplaceAll(n.title, "’", "")), []string{"P", "L", "D"}[j]), opts: opt("ruling", r), cents: n.cents, cost: 46, grams: n.grams, stock: int64(12 + (i*17+j*23)%80)})
		}
		out = append(out, product(id(n.title), n.title, "Sewn in Vessmark on 90 g paper that takes fountain pen ink without feathering.", "notebook-"+n.hex, []string{"Notebooks"}, []string{"paper"}, ps...))
	}
	return out
}

func paper() []catalog.Product {
	var out []catalog.Product
	for i, n := range []struct {
		title, hex string
		cents      money.Minor
		grams      int64
	}{
		{"Laid writing paper", "8a6236", 1100, 540}, {"Wove writing paper", "49586f", 1000, 520}, {"Airmail sheets", "1f6f8b", 750, 190},
		{"Envelopes, lined", "7c2347", 900, 310}, {"Correspondence cards", "57478a", 1250, 280}, {"Practice sheets", "2f6b52", 1600, 1250},
		{"Blotting paper", "c66a86", 450, 120}, {"Copy paper, 500 sheets", "22242b", 1350, 2500},
	} {
		out = append(out, product(id(n.title), n.title, "Made of cotton and hemp, cut to size on our own guillotine.", "paper-"+n.hex, []string{"Paper"}, []string{"paper", "heavy"},
			piece{sku: code(n.title) + "-A5", opts: opt("format", "A5"), cents: n.cents, cost: 48, grams: n.grams, stock: int64(18 + i*9%50)},
			piece{sku: code(n.title) + "-A4", opts: opt("format", "A4"), cents: n.cents * 17 / 10 / 10 * 10, cost: 48, grams: n.grams * 2, stock: int64(9 + i*13%40)}))
	}
	return out
}

func waxAndSeals() []catalog.Product {
	var out []catalog.Product
	for i, n := range []struct{ title, hex string }{
		{"Wax stick red", "a3322c"}, {"Wax stick midnight", "16233f"}, {"Wax stick moss", "4d7a2d"}, {"Wax stick bronze", "8a6236"},
		{"Wax stick pearl", "c9c3b4"}, {"Wax stick plum", "7c2347"},
	} {
		out = append(out, product(id(n.title), n.title, "Supple sealing wax that survives the sorting machine.", "wax-"+n.hex, []string{"Wax and seals"}, []string{"wax"},
			piece{sku: code(n.title) + "-1", opts: opt("pack", "one"), cents: 380, cost: 34, grams: 24, stock: int64(40 + i*7)},
			piece{sku: code(n.title) + "-5", opts: opt("pack", "five"), cents: 1600, cost: 34, grams: 118, stock: int64(15 + i*5)}))
	}
	for i, n := range []struct{ title, hex string }{{"Seal anchor", "27407a"}, {"Seal quill", "a3322c"}, {"Seal lighthouse", "c98a1c"}, {"Seal initials", "57478a"}} {
		out = append(out, product(id(n.title), n.title, "Brass, deep engraving, pear-wood handle.", "seal-"+n.hex, []string{"Wax and seals"}, []string{"seal"},
			piece{sku: code(n.title), opts: nil, cents: 2200, cost: 41, grams: 85, stock: int64(6 + i*3), only: "EUR GBP"}))
	}
	return out
}

func desk() []catalog.Product {
	one := func(title, hex, shape, about string, cents money.Minor, grams, stock int64) catalog.Product {
		return product(id(title), title, about, shape+"-"+hex, []string{"Desk"}, []string{"desk"},
			piece{sku: code(title), cents: cents, cost: 37, grams: grams, stock: stock})
	}
	return []catalog.Product{
		one("Oyster converter", "27407a", "converter", "Screws into every Lindquill pen but the Captain’s Table.", 580, 8, 140),
		one("Rocker blotter", "c66a86", "blotter", "Beech, with four spare sheets.", 700, 260, 44),
		one("Pen case for two", "8a6236", "case", "Waxed canvas, felt inside.", 2900, 140, 21),
		one("Pen case for six", "31456b", "case", "Opens flat on the desk.", 5400, 320, 9),
		one("Ink syringe", "7d8489", "converter", "Blunt, for filling cartridges and cleaning.", 290, 6, 200),
		one("Brass ruler", "c9a35a", "nib", "Twenty centimetres, etched.", 1450, 95, 33),
		one("Desk tray", "5b2b2b", "box", "Oak, holds three bottles and a pen.", 4600, 1350, 7),
		one("Cleaning cloth", "9aa0a0", "paper", "Lint-free, three in a set.", 480, 30, -1),
	}
}

func gifts() []catalog.Product {
	card := product("gift-card", "Gift card", "Sent by e-mail, good for everything in the shop.", "card-57478a", []string{"Gifts"}, []string{"gift"},
		piece{sku: "GIFT-25", opts: opt("value", "25"), cents: 2500, cost: 100, stock: -1, only: "EUR"},
		piece{sku: "GIFT-50", opts: opt("value", "50"), cents: 5000, cost: 100, stock: -1, only: "EUR"},
		piece{sku: "GIFT-100", opts: opt("value", "100"), cents: 10000, cost: 100, stock: -1, only: "EUR"})
	card.GiftCard = true
	box := product("first-letter-box", "First letter box", "Deckhand pen, Harbour Blue, paper and a stick of wax.", "box-27407a", []string{"Gifts", "Samplers"}, []string{"gift"},
		piece{sku: "BOX-FIRST", cents: 4400, cost: 45, grams: 690, stock: 18})
	set := product("sampler-quay", "Sampler, along the quay", "Six colours of 4 ml in a card folder.", "box-1f6f8b", []string{"Samplers", "Inks"}, []string{"ink", "gift"},
		piece{sku: "SET-QUAY", cents: 1750, cost: 43, grams: 110, stock: 36})
	dark := product("sampler-night", "Sampler, night watch", "Six dark colours of 4 ml in a card folder.", "box-16233f", []string{"Samplers", "Inks"}, []string{"ink", "gift"},
		piece{sku: "SET-NIGHT", cents: 1750, cost: 43, grams: 110, stock: 29})
	waxes := product("sampler-wax", "Sampler, six waxes", "One stick of each, with a wick melter.", "box-a3322c", []string{"Samplers", "Wax and seals"}, []string{"wax", "gift"},
		piece{sku: "SET-WAX", cents: 2350, cost: 40, grams: 210, stock: 22})
	return []catalog.Product{card, box, set, dark, waxes}
}
