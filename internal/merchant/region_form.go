package merchant

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/text/language"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/app"
)

// regionForm is a region as it is typed: nothing of it need be right. Rows of
// taxes, methods, bands and surcharges come in the order they stand on the page.
type regionForm struct {
	ID, Version         string // of the region as it was read; "new" for a new one
	Title               string // of the page
	Name                string
	Countries           []tokenView
	Postcodes           string
	Currency            string
	TaxShown, Prior     bool
	Languages           []tokenView
	Taxes               []taxForm
	ShippingTax         string
	Methods             []methodForm
	Err                 map[string]string // by field name
	Say                 string            // of the form as a whole
	Broken              []app.Broken      // live nudges that saving would break
	Currencies          []money.Currency
	Locale              string
	Focus               string // the field that was just added
	CanEdit, IsNew, Own bool
}

// tokenView is a value that was chosen in a picker.
type tokenView struct {
	Value, Name string
	Many        int64 // how many of it, where that is asked for
}

type taxForm struct {
	N           int
	Class, Rate string
	Standard    bool
}

type methodForm struct {
	N          int
	ID         string
	Names      []nameForm
	ByWeight   bool
	Cost       string
	Excludes   []tokenView
	Bands      []bandForm
	Surcharges []surchargeForm
	Strip      *stripView
	First      bool
	Last       bool
}

type nameForm struct{ Language, Label, Value string }

type bandForm struct {
	N         int
	From, Fee string
	First     bool
}

type surchargeForm struct {
	N         int
	Postcode  bool
	What, Fee string
}

// printRegion is the form of a region.
func printRegion(r catalog.Region, version, locale string) *regionForm {
	f := &regionForm{
		ID: r.ID, Version: version, Name: r.Name, Postcodes: strings.Join(r.Postcodes, ", "), Currency: string(r.Currency),
		TaxShown: r.TaxShown, Prior: r.PriorPrice, ShippingTax: r.ShippingTax.String(), Locale: locale, Err: map[string]string{},
	}
	for _, c := range r.Countries {
		f.Countries = append(f.Countries, tokenView{Value: c, Name: checks.CountryName(c)})
	}
	for _, l := range r.Languages {
		f.Languages = append(f.Languages, tokenView{Value: l, Name: checks.LanguageName(l)})
	}
	f.Taxes = []taxForm{{Rate: r.Tax[""].String(), Standard: true}}
	for _, class := range sortedKeys(r.Tax) {
		if class != "" {
			f.Taxes = append(f.Taxes, taxForm{N: len(f.Taxes), Class: class, Rate: r.Tax[class].String()})
		}
	}
	amount := func(m money.Minor) string {
		return money.Format(money.Amount{Minor: m, Currency: r.Currency}, locale)
	}
	for i, m := range r.Methods {
		x := methodForm{N: i, ID: m.ID, ByWeight: m.ByWeight, Cost: amount(m.Cost)}
		for _, l := range r.Languages {
			x.Names = append(x.Names, nameForm{l, checks.LanguageName(l), m.Names[l]})
		}
		for _, t := range m.Excludes {
			x.Excludes = append(x.Excludes, tokenView{Value: t, Name: t})
		}
		for j, b := range m.Bands {
			from := amount(b.From)
			if m.ByWeight {
				from = strconv.FormatInt(b.From, 10)
			}
			x.Bands = append(x.Bands, bandForm{N: j, From: from, Fee: amount(b.Fee), First: j == 0})
		}
		for j, s := range m.Surcharges {
			x.Surcharges = append(x.Surcharges, surchargeForm{N: j, Postcode: s.Postcode != "", What: s.Tag + s.Postcode, Fee: amount(s.Fee)})
		}
		f.Methods = append(f.Methods, x)
	}
	return f
}

func sortedKeys[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// rows are the numbers of a list's rows, in the order of the page.
func rows(form url.Values, name string) []int {
	var out []int
	for _, v := range form[name] {
		if n, err := strconv.Atoi(v); err == nil && n >= 0 && n < 1000 && !slices.Contains(out, n) && len(out) < mostRows {
			out = append(out, n)
		}
	}
	return out
}

// mostRows bounds each list of a form.
const mostRows = 40

// readRegion reads what was typed, as it was typed.
func readRegion(form url.Values, locale string) *regionForm {
	f := &regionForm{
		Version: form.Get("version"), Name: form.Get("name"), Postcodes: form.Get("postcodes"), Currency: form.Get("currency"),
		TaxShown: form.Get("tax_shown") == "yes", Prior: form.Get("prior") == "yes", ShippingTax: form.Get("shipping_tax"), Locale: locale, Err: map[string]string{},
	}
	for _, c := range unique(form["country"]) {
		f.Countries = append(f.Countries, tokenView{Value: c, Name: checks.CountryName(c)})
	}
	for _, l := range unique(form["language"]) {
		f.Languages = append(f.Languages, tokenView{Value: l, Name: checks.LanguageName(l)})
	}
	for _, n := range rows(form, "t") {
		at := fmt.Sprintf("t.%d.", n)
		f.Taxes = append(f.Taxes, taxForm{N: n, Class: form.Get(at + "class"), Rate: form.Get(at + "rate"), Standard: len(f.Taxes) == 0})
	}
	for _, n := range rows(form, "m") {
		at := fmt.Sprintf("m.%d.", n)
		m := methodForm{N: n, ID: form.Get(at + "id"), ByWeight: form.Get(at+"by") == "weight", Cost: form.Get(at + "cost")}
		for _, l := range f.Languages {
			m.Names = append(m.Names, nameForm{l.Value, l.Name, form.Get(at + "name." + l.Value)})
		}
		for _, t := range unique(form[at+"excludes"]) {
			m.Excludes = append(m.Excludes, tokenView{Value: t, Name: t})
		}
		for _, k := range rows(form, at+"b") {
			b := fmt.Sprintf("%sb.%d.", at, k)
			m.Bands = append(m.Bands, bandForm{N: k, From: form.Get(b + "from"), Fee: form.Get(b + "fee"), First: len(m.Bands) == 0})
		}
		for _, k := range rows(form, at+"s") {
			b := fmt.Sprintf("%ss.%d.", at, k)
			m.Surcharges = append(m.Surcharges, surchargeForm{N: k, Postcode: form.Get(b+"on") == "postcode", What: form.Get(b + "what"), Fee: form.Get(b + "fee")})
		}
		f.Methods = append(f.Methods, m)
	}
	return f
}

func unique(in []string) []string {
	var out []string
	for _, s := range in {
		if s = strings.TrimSpace(s); s != "" && !slices.Contains(out, s) && len(out) < 300 {
			out = append(out, s)
		}
	}
	return out
}

// change adds, drops or moves a row; it returns false for an act that is none.
func (f *regionForm) change(act string) bool {
	what, rest, _ := strings.Cut(act, ":")
	first, second, _ := strings.Cut(rest, ":")
	at := slices.IndexFunc(f.Methods, func(m methodForm) bool { return strconv.Itoa(m.N) == first })
	switch what {
	case "add-tax":
		n := nextRow(f.Taxes, func(t taxForm) int { return t.N })
		f.Taxes = append(f.Taxes, taxForm{N: n})
		f.Focus = fmt.Sprintf("t.%d.class", n)
		return true
	case "drop-tax":
		f.Taxes = slices.DeleteFunc(f.Taxes, func(t taxForm) bool { return !t.Standard && strconv.Itoa(t.N) == first })
		f.Focus = "add-tax"
		return true
	case "add-method":
		n := nextRow(f.Methods, func(m methodForm) int { return m.N })
		m := methodForm{N: n, Bands: []bandForm{{First: true}}}
		for _, l := range f.Languages {
			m.Names = append(m.Names, nameForm{l.Value, l.Name, ""})
		}
		f.Methods = append(f.Methods, m)
		f.Focus = fmt.Sprintf("m.%d.name.%s", n, firstToken(f.Languages))
		return true
	case "languages", "draw":
		return true
	}
	if at < 0 {
		return false
	}
	m := &f.Methods[at]
	switch what {
	case "drop-method":
		f.Methods = slices.Delete(f.Methods, at, at+1)
		f.Focus = "add-method"
	case "up-method", "down-method":
		to := at - 1
		if what == "down-method" {
			to = at + 1
		}
		if to >= 0 && to < len(f.Methods) {
			f.Methods[at], f.Methods[to] = f.Methods[to], f.Methods[at]
		}
		f.Focus = what + ":" + first
	case "add-band":
		n := nextRow(m.Bands, func(b bandForm) int { return b.N })
		m.Bands = append(m.Bands, bandForm{N: n, First: len(m.Bands) == 0})
		f.Focus = fmt.Sprintf("m.%d.b.%d.from", m.N, n)
	case "drop-band":
		m.Bands = slices.DeleteFunc(m.Bands, func(b bandForm) bool { return !b.First && strconv.Itoa(b.N) == second })
		f.Focus = "add-band:" + first
	case "add-surcharge":
		n := nextRow(m.Surcharges, func(s surchargeForm) int { return s.N })
		m.Surcharges = append(m.Surcharges, surchargeForm{N: n})
		f.Focus = fmt.Sprintf("m.%d.s.%d.what", m.N, n)
	case "drop-surcharge":
		m.Surcharges = slices.DeleteFunc(m.Surcharges, func(s surchargeForm) bool { return strconv.Itoa(s.N) == second })
		f.Focus = "add-surcharge:" + first
	default:
		return false
	}
	return true
}

func nextRow[T any](list []T, n func(T) int) int {
	next := 0
	for _, x := range list {
		next = max(next, n(x)+1)
	}
	return next
}

func firstToken(ts []tokenView) string {
	if len(ts) == 0 {
		return ""
	}
	return ts[0].Value
}

// region reads the form into a region; what is wrong stands in Err, by field.
// others are the shop's other regions.
func (f *regionForm) region(id string, others []catalog.Region) (catalog.Region, bool) {
	r := catalog.Region{ID: id, Name: strings.Join(strings.Fields(f.Name), " "), TaxShown: f.TaxShown, PriorPrice: f.Prior, Tax: map[string]money.Rate{}}
	if r.Name == "" || len([]rune(r.Name)) > 40 {
		f.Err["name"] = "Give the region a name of at most 40 characters."
	}
	for _, o := range others {
		if strings.EqualFold(o.Name, r.Name) {
			f.Err["name"] = "Another region has this name."
		}
	}
	f.places(&r, others)
	cur, err := money.ParseCurrency(f.Currency)
	if err != nil {
		f.Err["currency"] = "Choose a currency."
	}
	r.Currency = cur
	for _, l := range f.Languages {
		if t, err := language.Parse(l.Value); err != nil || t.String() != l.Value {
			f.Err["language"] = fmt.Sprintf("%q is not a language that is known.", l.Value)
			continue
		}
		r.Languages = append(r.Languages, l.Value)
	}
	if len(r.Languages) == 0 && f.Err["language"] == "" {
		f.Err["language"] = "Choose at least one language."
	}
	f.taxes(&r)
	for i := range f.Methods {
		if m, ok := f.method(&f.Methods[i], cur); ok {
			if slices.ContainsFunc(r.Methods, func(o catalog.Method) bool { return o.ID == m.ID }) {
				f.Err[fmt.Sprintf("m.%d.name.%s", f.Methods[i].N, firstToken(f.Languages))] = "Another method has this name."
			}
			r.Methods = append(r.Methods, m)
		}
	}
	return r, len(f.Err) == 0
}

// places reads countries and postcodes, and refuses what another region has.
func (f *regionForm) places(r *catalog.Region, others []catalog.Region) {
	for _, p := range strings.FieldsFunc(f.Postcodes, func(r rune) bool { return r == ',' || r == ';' || r == '\n' || r == '\r' }) {
		if p = catalog.Postcode(strings.TrimSpace(p)); p == "" {
			continue
		}
		if len(p) > 12 || strings.Trim(p, "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789") != "" {
			f.Err["postcodes"] = fmt.Sprintf("%q is not the beginning of a postcode; it has letters and digits only.", p)
			continue
		}
		r.Postcodes = append(r.Postcodes, p)
	}
	for _, c := range f.Countries {
		if !checks.KnownCountry(c.Value) {
			f.Err["country"] = fmt.Sprintf("%q is not a country that is known.", c.Value)
			continue
		}
		r.Countries = append(r.Countries, c.Value)
	}
	if len(r.Countries) == 0 && f.Err["country"] == "" {
		f.Err["country"] = "Choose at least one country."
	}
	for i := range others {
		if where := others[i].Shares(r); where != "" {
			code, _, _ := strings.Cut(where, " ")
			f.Err["country"] = fmt.Sprintf("%s is in the region %s already. Take it out there first, or name the postcodes that belong here.", strings.Replace(where, code, checks.CountryName(code), 1), others[i].Name)
		}
	}
}

func (f *regionForm) rate(field, typed string) money.Rate {
	text := strings.ReplaceAll(strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(typed), "%")), ",", ".")
	r, err := money.ParsePercent(strings.TrimSpace(text))
	if err != nil {
		f.Err[field] = "Write a rate from 0 to 100, such as 19 or 5.5."
	}
	return r
}

func (f *regionForm) taxes(r *catalog.Region) {
	for _, t := range f.Taxes {
		at := fmt.Sprintf("t.%d.", t.N)
		class := strings.TrimSpace(t.Class)
		_, twice := r.Tax[class]
		switch {
		case t.Standard:
			class = ""
		case class == "" || len(class) > 40:
			f.Err[at+"class"] = "Name the tax class as the catalogue does."
		case twice:
			f.Err[at+"class"] = "This class stands here twice."
		}
		r.Tax[class] = f.rate(at+"rate", t.Rate)
	}
	if len(f.Taxes) == 0 {
		f.Err["shipping_tax"] = "The standard rate is missing; load the page again."
	}
	r.ShippingTax = f.rate("shipping_tax", f.ShippingTax)
}

func (f *regionForm) amount(field, typed string, cur money.Currency) money.Minor {
	if cur == "" {
		return 0 // the currency is what is wrong
	}
	m, err := money.ParseTyped(typed, f.Locale, cur)
	if err != nil {
		f.Err[field] = upperFirst(err.Error()) + "."
	}
	return m
}

// method reads one shipping method; false where something of it is wrong.
func (f *regionForm) method(m *methodForm, cur money.Currency) (catalog.Method, bool) {
	faults := len(f.Err)
	at := fmt.Sprintf("m.%d.", m.N)
	out := catalog.Method{ID: m.ID, Names: map[string]string{}, ByWeight: m.ByWeight}
	first := ""
	for _, n := range m.Names {
		name := strings.Join(strings.Fields(n.Value), " ")
		if len([]rune(name)) > 60 {
			f.Err[at+"name."+n.Language] = "At most 60 characters."
		}
		if name != "" {
			out.Names[n.Language] = name
			if first == "" {
				first = name
			}
		}
	}
	if first == "" {
		f.Err[at+"name."+firstToken(f.Languages)] = "Name the method as shoppers should read it, such as standard shipping."
	}
	if out.ID == "" {
		out.ID = f.methodID(first)
		m.ID = "" // it gets its id when it is saved
	}
	for _, e := range m.Excludes {
		out.Excludes = append(out.Excludes, e.Value)
	}
	if strings.TrimSpace(m.Cost) != "" {
		out.Cost = f.amount(at+"cost", m.Cost, cur)
	}
	for i, b := range m.Bands {
		field := fmt.Sprintf("%sb.%d.", at, b.N)
		band := catalog.Band{Fee: f.amount(field+"fee", b.Fee, cur)}
		switch {
		case i == 0: // the first begins at nothing
		case m.ByWeight:
			n, err := strconv.ParseInt(strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(b.From), "g")), 10, 64)
			if err != nil || n < 0 || n > 1_000_000_000 {
				f.Err[field+"from"] = "Write a whole number of grams, such as 2000."
			}
			band.From = n
		default:
			band.From = f.amount(field+"from", b.From, cur)
		}
		if i > 0 && f.Err[field+"from"] == "" && band.From <= out.Bands[i-1].From {
			f.Err[field+"from"] = "This must be more than the line before it."
		}
		out.Bands = append(out.Bands, band)
	}
	for _, s := range m.Surcharges {
		field := fmt.Sprintf("%ss.%d.", at, s.N)
		x := catalog.Surcharge{Fee: f.amount(field+"fee", s.Fee, cur)}
		what := strings.TrimSpace(s.What)
		switch {
		case what == "" || len(what) > 60:
			f.Err[field+"what"] = "Write the tag of the goods, or how the postcodes begin."
		case s.Postcode:
			x.Postcode = catalog.Postcode(what)
		default:
			x.Tag = what
		}
		out.Surcharges = append(out.Surcharges, x)
	}
	return out, len(f.Err) == faults
}

// methodID makes an id of a method's name that no other method of the form has.
func (f *regionForm) methodID(name string) string {
	ids := make([]string, len(f.Methods))
	for i, m := range f.Methods {
		ids[i] = m.ID
	}
	return app.IDFrom(name, ids)
}
