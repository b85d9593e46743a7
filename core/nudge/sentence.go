package nudge

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Voice is in whose words, and with which amounts, a promise is said.
type Voice struct {
	Region   catalog.Region
	Language string // en, de, pl or ja; others read English
	Locale   string // in whose manner amounts are written
	// Label names the goods of a SKU; nil: by the SKU itself.
	Label func(sku string) string
}

// RewardsText names what a rung gives, as part of a sentence.
func RewardsText(rewards []Reward, v Voice) string {
	w, ok := rewardWords[v.Language]
	if !ok {
		v.Language, w = "en", rewardWords["en"]
	}
	parts := make([]string, 0, len(rewards))
	now := slices.ContainsFunc(rewards, func(r Reward) bool { return r.Shipments != LaterShipments })
	for i := range rewards {
		if now && rewards[i].Shipments == LaterShipments {
			continue // what later parcels cost is told with the plan
		}
		parts = append(parts, rewards[i].text(v, w))
	}
	return strings.Join(parts, w.and)
}

func (r *Reward) text(v Voice, w words) string {
	amount := func(a Amounts) string {
		if m, ok := a[v.Region.ID]; ok {
			return money.Format(m, v.Locale)
		}
		return "?"
	}
	percent := func() string {
		if r.Percent == nil {
			return "?"
		}
		return strings.ReplaceAll(r.Percent.String(), ".", w.point)
	}
	n := strconv.FormatInt(r.Size, 10)
	switch r.Kind {
	case UnitPercent:
		return fmt.Sprintf(w.unitPercent, percent(), r.target(v, w))
	case UnitAmount:
		return fmt.Sprintf(w.unitAmount, amount(r.Amounts), r.target(v, w))
	case UnitPrice:
		return fmt.Sprintf(w.unitPrice, r.target(v, w), amount(r.Amounts))
	case SetPrice:
		return fmt.Sprintf(w.setPrice, n, amount(r.Amounts))
	case BuiltPrice:
		return fmt.Sprintf(w.builtPrice, amount(r.Amounts))
	case NForM:
		return fmt.Sprintf(w.nForM, n, strconv.FormatInt(r.PayFor, 10))
	case Every:
		return r.everyText(n, percent(), v, w)
	case FreeShipping:
		return fmt.Sprintf(w.free, r.method(v, w))
	case ShippingOff:
		return fmt.Sprintf(w.off, amount(r.Amounts), r.method(v, w))
	case ShippingFlat:
		return fmt.Sprintf(w.flat, r.method(v, w), amount(r.Amounts))
	case OrderPercent, OrderAmount:
		s := fmt.Sprintf(w.percent, percent())
		if r.Kind == OrderAmount {
			s = fmt.Sprintf(w.amount, amount(r.Amounts))
		}
		if len(r.Cap) > 0 {
			s += fmt.Sprintf(w.upTo, amount(r.Cap))
		}
		return s
	case Gift:
		return r.giftText(r.items(v, w.or), percent(), w)
	case GiftPick:
		return r.giftText(fmt.Sprintf(w.pick, strconv.FormatInt(r.Pick, 10), r.items(v, w.or)), percent(), w)
	}
	if r.Kind == Notice {
		return "" // it has only its own words
	}
	price := w.listPrice
	switch {
	case r.Percent != nil:
		price = fmt.Sprintf(w.unitPercent, percent(), "")
	case len(r.Amounts) > 0:
		price = amount(r.Amounts)
	}
	return fmt.Sprintf(w.offer, r.offered(v, w, w.or), strings.TrimSpace(price))
}

func (r *Reward) giftText(items, percent string, w words) string {
	if r.Free() {
		return fmt.Sprintf(w.gift, items)
	}
	return fmt.Sprintf(w.unitPercent, percent, items)
}

func (r *Reward) everyText(n, percent string, v Voice, w words) string {
	what := ""
	if r.On != nil {
		what = FilterText(*r.On, v)
	}
	get := strconv.FormatInt(r.Get, 10)
	if *r.Percent == money.Whole {
		return strings.TrimSpace(fmt.Sprintf(w.everyFree, n, get, what))
	}
	return strings.TrimSpace(fmt.Sprintf(w.every, n, get, percent, what))
}

// target says which units a unit reward is on.
func (r *Reward) target(v Voice, w words) string {
	s := ""
	if r.On != nil {
		s = FilterText(*r.On, v)
	}
	switch {
	case r.Cheapest > 0:
		s = fmt.Sprintf(w.cheapest, strconv.FormatInt(r.Cheapest, 10)) + " " + s
	case r.Dearest > 0:
		s = fmt.Sprintf(w.dearest, strconv.FormatInt(r.Dearest, 10)) + " " + s
	case s == "":
		s = w.each
	}
	return strings.TrimSpace(s)
}

func (r *Reward) method(v Voice, w words) string {
	if len(r.Methods) == 0 {
		return w.allMethods
	}
	names := make([]string, len(r.Methods))
	for i, id := range r.Methods {
		names[i] = id
		if m, ok := v.Region.Method(id); ok {
			names[i] = m.Name(v.Language)
		}
	}
	return strings.Join(names, w.and)
}

// offered names what an offer is about.
func (r *Reward) offered(v Voice, w words, or string) string {
	switch r.Choose {
	case "":
	case NextSize:
		return w.nextSize
	default:
		return w.goesWith
	}
	return r.items(v, or)
}

func (r *Reward) items(v Voice, or string) string {
	names := make([]string, len(r.Items))
	for i, it := range r.Items {
		names[i] = it.SKU
		if v.Label != nil {
			names[i] = v.Label(it.SKU)
		}
		if it.Many() > 1 {
			names[i] = fmt.Sprintf("%d × %s", it.Many(), names[i])
		}
	}
	return strings.Join(names, or)
}

// FilterText says which goods a filter is about, empty for everything.
func FilterText(f catalog.Filter, v Voice) string {
	in := selectionText(f.Include, v)
	out := selectionText(f.Exclude, v)
	switch {
	case in == "" && out == "":
		return ""
	case out == "":
		return in
	case in == "":
		return "anything but " + out
	}
	return in + " but not " + out
}

func selectionText(s catalog.Selection, v Voice) string {
	var parts []string
	either := func(names []string) {
		if len(names) > 0 {
			parts = append(parts, orList(names))
		}
	}
	either(slices.Concat(s.Collections, s.Products, s.Tags))
	label := make([]string, len(s.Variants))
	for i, sku := range s.Variants {
		label[i] = sku
		if v.Label != nil {
			label[i] = v.Label(sku)
		}
	}
	either(label)
	var values []string
	for _, o := range s.Options {
		values = append(values, o.Value)
	}
	either(values)
	if s.OnSale != nil && *s.OnSale {
		parts = append(parts, "on sale")
	} else if s.OnSale != nil {
		parts = append(parts, "not on sale")
	}
	if r, ok := s.Prices[v.Region.ID]; ok {
		switch {
		case r.From != nil && r.To != nil:
			parts = append(parts, "from "+money.Format(*r.From, v.Locale)+" to "+money.Format(*r.To, v.Locale)+" each")
		case r.From != nil:
			parts = append(parts, "from "+money.Format(*r.From, v.Locale)+" each")
		case r.To != nil:
			parts = append(parts, "up to "+money.Format(*r.To, v.Locale)+" each")
		}
	}
	if len(s.Plans) > 0 {
		names := make([]string, len(s.Plans))
		for i, p := range s.Plans {
			names[i] = PlanText(p, "en")
		}
		parts = append(parts, "bought "+orList(names))
	}
	return strings.Join(parts, " ")
}

type words struct {
	free, off, flat, percent, amount, upTo, allMethods, and, or, point string

	unitPercent, unitAmount, unitPrice, each, cheapest, dearest string
	setPrice, builtPrice, nForM, every, everyFree               string
	gift, pick, offer, listPrice, nextSize, goesWith            string
}

var rewardWords = map[string]words{
	"en": {
		"free %s", "%s off %s", "%s for at most %s", "%s %% off the order", "%s off the order", ", up to %s", "shipping", " and ", " or ", ".",
		"%s %% off %s", "%s off %s", "%s for %s apiece", "each", "the %s cheapest", "the %s dearest",
		"any %s for %s", "all of it for %s", "%s for the price of %s", "for every %s, %s more at %s %% off %s", "for every %s, %s more free %s",
		"%s as a gift", "%s of %s", "%s at %s", "its list price", "the next size of it", "what goes with it",
	},
	"de": {
		"kostenloser %s", "%s weniger für %s", "%s für höchstens %s", "%s %% auf die Bestellung", "%s weniger für die Bestellung", ", bis zu %s", "Versand", " und ", " oder ", ",",
		"%s %% auf %s", "%s weniger für %s", "%s zu je %s", "jedes Stück", "die %s günstigsten", "die %s teuersten",
		"je %s zusammen für %s", "alles zusammen für %s", "%s zum Preis von %s", "zu je %s noch %s mit %s %% Nachlass %s", "zu je %s noch %s kostenlos %s",
		"%s als Geschenk", "%s von %s", "%s für %s", "den Listenpreis", "die nächste Größe", "was dazu passt",
	},
	"pl": {
		"%s gratis", "%s taniej: %s", "%s za najwyżej %s", "%s%% taniej za całe zamówienie", "%s taniej za całe zamówienie", ", do %s", "dostawa", " i ", " lub ", ",",
		"%s%% taniej: %s", "%s taniej: %s", "%s po %s", "każda sztuka", "%s najtańsze", "%s najdroższe",
		"dowolne %s za %s", "wszystko razem za %s", "%s w cenie %s", "do każdych %s jeszcze %s o %s%% taniej %s", "do każdych %s jeszcze %s gratis %s",
		"%s w prezencie", "%s z: %s", "%s za %s", "cenę katalogową", "następny rozmiar", "to, co pasuje",
	},
	"ja": {
		"%s無料", "%s引きの%s", "%sが最大%s", "ご注文%s%%オフ", "ご注文%s引き", "（上限%s）", "配送料", "・", "または", ".",
		"%s%%オフ（%s）", "%s引き（%s）", "%sが各%s", "1点ごと", "安い%s点", "高い%s点",
		"%s点で%s", "まとめて%s", "%s点を%s点分の価格", "%s点ごとにさらに%s点が%s%%オフ%s", "%s点ごとにさらに%s点無料%s",
		"%sをプレゼント", "%s点（%s）", "%sを%sで", "定価", "ひとつ大きいサイズ", "相性の良い品",
	},
}

// MeasureText writes a number in a measure's unit: money, pieces, products or
// grams, in a language and in a locale's manner.
func MeasureText(m Measure, n int64, currency money.Currency, language, locale string) string {
	w, ok := measureWords[language]
	if !ok {
		w = measureWords["en"]
	}
	switch m {
	case Weight:
		if n >= 1000 && n%100 == 0 {
			return strings.ReplaceAll(strings.TrimSuffix(money.Decimal(n/100, 1), ".0"), ".", w.point) + " kg"
		}
		return strconv.FormatInt(n, 10) + " g"
	case Units, SameProduct, SameVariant:
		return w.count(n, w.piece)
	case Distinct:
		return w.count(n, w.product)
	}
	return money.Format(money.Amount{Minor: n, Currency: currency}, locale)
}

// counting is how a language counts things: the forms for one, a few and many,
// with a place for the number.
type counting struct {
	piece, product [3]string
	point          string
}

// count picks the plural form (Unicode CLDR: one, few, other or many).
func (c counting) count(n int64, forms [3]string) string {
	form := forms[2]
	switch few := n%10 >= 2 && n%10 <= 4 && (n%100 < 12 || n%100 > 14); {
	case n == 1:
		form = forms[0]
	case few:
		form = forms[1]
	}
	return fmt.Sprintf(form, n)
}

var measureWords = map[string]counting{
	"en": {[3]string{"%d piece", "%d pieces", "%d pieces"}, [3]string{"%d product", "%d products", "%d products"}, "."},
	"de": {[3]string{"%d Stück", "%d Stück", "%d Stück"}, [3]string{"%d Artikel", "%d Artikel", "%d Artikel"}, ","},
	"pl": {[3]string{"%d sztuka", "%d sztuki", "%d sztuk"}, [3]string{"%d produkt", "%d produkty", "%d produktów"}, ","},
	"ja": {[3]string{"%d点", "%d点", "%d点"}, [3]string{"%d種類", "%d種類", "%d種類"}, "."},
}
