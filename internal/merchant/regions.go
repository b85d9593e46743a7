package merchant

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/app"
)

type regionsView struct {
	Regions []regionRow
	Locale  string
	Say     string // what is wrong with a file
	Verb    string // what the reader may do with a region
	Broken  []app.Broken
}

type regionRow struct {
	catalog.Region
	CountryNames, LanguageNames, Taxes string
	Methods                            []methodRow
	Number                             int
	First, Last                        bool
}

type methodRow struct {
	Name, Cost string
	Extra      string // exclusions and surcharges, in words
	Bands      []bandForm
	Strip      *stripView
}

func (s *server) regions(c *echo.Context) error { return s.showRegions(c, http.StatusOK, "", nil) }

func (s *server) showRegions(c *echo.Context, status int, say string, broken []app.Broken) error {
	h := at(c)
	config, err := s.app.Config(c.Request().Context(), h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	v := regionsView{Locale: h.shop.Locale, Say: say, Broken: broken, Verb: "See"}
	if h.shop.Role.CanEdit() {
		v.Verb = "Edit"
	}
	for i, r := range config.Regions {
		v.Regions = append(v.Regions, rowOfRegion(r, i, len(config.Regions), h.shop.Locale))
	}
	return s.render(c, status, "regions", page{Title: "Regions", Place: "shop", Section: "regions", Data: v})
}

func rowOfRegion(r catalog.Region, i, all int, locale string) regionRow {
	names := make([]string, len(r.Countries))
	for j, c := range r.Countries {
		names[j] = checks.CountryName(c)
	}
	slices.Sort(names)
	row := regionRow{Region: r, CountryNames: list(names), Number: i + 1, First: i == 0, Last: i == all-1}
	if len(r.Postcodes) > 0 {
		row.CountryNames += ", postcodes " + list(r.Postcodes)
	}
	languages := make([]string, len(r.Languages))
	for j, l := range r.Languages {
		languages[j] = checks.LanguageName(l)
	}
	row.LanguageNames = list(languages)
	taxes := []string{"tax " + r.Tax[""].String() + " %"}
	for _, class := range sortedKeys(r.Tax) {
		if class != "" {
			taxes = append(taxes, r.Tax[class].String()+" % for "+class)
		}
	}
	row.Taxes = list(taxes)
	for _, m := range r.Methods {
		f := printRegion(catalog.Region{Currency: r.Currency, Methods: []catalog.Method{m}}, "", locale).Methods[0]
		row.Methods = append(row.Methods, methodRow{upperFirst(m.Name("en")), f.Cost, extras(m, r.Currency, locale), f.Bands, stripOf(m, r.Currency, locale)})
	}
	return row
}

// extras says what a method does not carry, and what comes on top of its fee.
func extras(m catalog.Method, cur money.Currency, locale string) string {
	var out []string
	if len(m.Excludes) > 0 {
		out = append(out, "not for "+list(m.Excludes))
	}
	for _, x := range m.Surcharges {
		fee := money.Format(money.Amount{Minor: x.Fee, Currency: cur}, locale)
		if x.Tag != "" {
			out = append(out, fee+" more with "+x.Tag)
		} else {
			out = append(out, fee+" more for postcodes "+x.Postcode)
		}
	}
	return strings.Join(out, "; ")
}

// regionPage shows a region to read or to change.
func (s *server) regionPage(c *echo.Context) error {
	h := at(c)
	config, err := s.app.Config(c.Request().Context(), h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	id := c.Param("region")
	i := slices.IndexFunc(config.Regions, func(r catalog.Region) bool { return r.ID == id })
	var f *regionForm
	switch {
	case id == "new":
		f = newRegion(config, h.shop.Locale)
	case i < 0:
		return s.fail(c, app.ErrNotFound)
	default:
		f = printRegion(config.Regions[i], config.RegionVersion(id), h.shop.Locale)
	}
	return s.showRegion(c, http.StatusOK, f)
}

// newRegion begins a region: it takes over what the first one has, where there is one.
func newRegion(config app.ShopConfig, locale string) *regionForm {
	r := catalog.Region{Currency: "EUR", TaxShown: true, Languages: []string{"en"}}
	if len(config.Regions) > 0 {
		first := config.Regions[0]
		r.Currency, r.TaxShown, r.Languages = first.Currency, first.TaxShown, first.Languages
	}
	f := printRegion(r, "new", locale)
	f.ShippingTax, f.Taxes[0].Rate = "", ""
	f.change("add-method")
	f.Focus = ""
	return f
}

func (s *server) showRegion(c *echo.Context, status int, f *regionForm) error {
	f.Currencies = money.Currencies()
	f.CanEdit = at(c).shop.Role.CanEdit()
	f.IsNew = c.Param("region") == "new"
	cur, err := money.ParseCurrency(f.Currency)
	for i := range f.Methods {
		m := &f.Methods[i]
		m.First, m.Last = i == 0, i == len(f.Methods)-1
		if err == nil {
			m.Strip = f.strip(m, cur)
		}
	}
	f.Title = orElse(f.Name, "A region")
	if f.IsNew {
		f.Title = "A new region"
	}
	p := page{Title: f.Title, Place: "shop", Section: "regions", Data: f}
	if isHTMX(c) {
		return s.renderPart(c, status, "region", "region-form", p)
	}
	return s.render(c, status, "region", p)
}

// strip draws a method as far as it can be read.
func (f *regionForm) strip(m *methodForm, cur money.Currency) *stripView {
	try := *f
	try.Err = map[string]string{}
	tm := *m
	out, _ := try.method(&tm, cur)
	good := out.Bands[:0:0]
	for i, b := range out.Bands {
		field := fmt.Sprintf("m.%d.b.%d.", m.N, m.Bands[i].N)
		if try.Err[field+"from"] == "" && try.Err[field+"fee"] == "" {
			good = append(good, b)
		}
	}
	out.Bands = good
	return stripOf(out, cur, f.Locale)
}

// saveRegion keeps what was typed, or changes the form's rows.
func (s *server) saveRegion(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	form, err := c.FormValues()
	if err != nil {
		return s.oops(c, http.StatusBadRequest, "The form could not be read; load the page again.")
	}
	id := c.Param("region")
	f := readRegion(form, h.shop.Locale)
	if id != "new" {
		f.ID = id // where it is sent again
	}
	do := form.Get("do")
	if do != "save" && do != "save-pausing" {
		if !f.change(do) {
			f.Say = "This row is not there any more."
		}
		return s.showRegion(c, http.StatusOK, f)
	}
	saved := id
	err = s.app.ChangeConfig(ctx, h.shop.ID, h.account.Name, do == "save-pausing", func(config *app.ShopConfig) error {
		if id == "new" && slices.ContainsFunc(config.Regions, func(r catalog.Region) bool { return r.Name == strings.TrimSpace(f.Name) }) && form.Get("once") != "" && s.justMade(c, form.Get("once")) {
			return errTwice
		}
		if config.RegionVersion(id) != f.Version {
			return app.Stale{What: "this region"}
		}
		i := slices.IndexFunc(config.Regions, func(r catalog.Region) bool { return r.ID == id })
		others := slices.Clone(config.Regions)
		if i >= 0 {
			others = slices.Delete(others, i, i+1)
		} else {
			saved = config.RegionID(f.Name)
		}
		r, ok := f.region(saved, others)
		if !ok {
			return errTyped
		}
		if i < 0 {
			config.Regions = append(config.Regions, r)
		} else {
			config.Regions[i] = r
		}
		return nil
	})
	var breaks app.Breaks
	var stale app.Stale
	var said app.Problem
	switch {
	case errors.Is(err, errTwice):
		return goTo(c, h.url("/shop/regions"))
	case errors.Is(err, errTyped):
		f.Say = "Not saved yet: what is marked below is needed first."
	case errors.As(err, &breaks):
		f.Broken = breaks.Nudges
	case errors.As(err, &stale):
		config, err := s.app.Config(ctx, h.shop.ID)
		if err != nil {
			return s.fail(c, err)
		}
		f.Version = config.RegionVersion(id)
		f.Say = "Not saved yet: this region was changed in another window meanwhile. What you typed is still here; save again to put it in the place of that change."
	case errors.As(err, &said):
		f.Say = said.Say
	case err != nil:
		return s.fail(c, err)
	default:
		if once := form.Get("once"); once != "" {
			s.sessions.Put(ctx, "made", once)
		}
		return s.done(c, h.url("/shop/regions"), fmt.Sprintf("The region %s is saved.", strings.TrimSpace(f.Name)))
	}
	return s.showRegion(c, http.StatusUnprocessableEntity, f)
}

var (
	errTyped = errors.New("what was typed is not right yet")
	errTwice = errors.New("this form was sent before")
)

// justMade tells whether a form was the last to make something.
func (s *server) justMade(c *echo.Context, once string) bool {
	return s.sessions.GetString(c.Request().Context(), "made") == once
}

// deleteRegion takes a region out; the flash puts it back.
func (s *server) deleteRegion(c *echo.Context) error {
	h := at(c)
	id, name := c.Param("region"), ""
	err := s.app.ChangeConfig(c.Request().Context(), h.shop.ID, h.account.Name, c.FormValue("do") == "pausing", func(config *app.ShopConfig) error {
		i := slices.IndexFunc(config.Regions, func(r catalog.Region) bool { return r.ID == id })
		if i < 0 {
			return nil // somebody else was quicker
		}
		name = config.Regions[i].Name
		config.Regions = slices.Delete(config.Regions, i, i+1)
		return nil
	})
	var breaks app.Breaks
	switch {
	case errors.As(err, &breaks):
		config, err := s.app.Config(c.Request().Context(), h.shop.ID)
		if err != nil {
			return s.fail(c, err)
		}
		i := slices.IndexFunc(config.Regions, func(r catalog.Region) bool { return r.ID == id })
		if i < 0 {
			return goTo(c, h.url("/shop/regions"))
		}
		f := printRegion(config.Regions[i], config.RegionVersion(id), h.shop.Locale)
		f.Broken, f.Own = breaks.Nudges, true
		return s.showRegion(c, http.StatusUnprocessableEntity, f)
	case err != nil:
		return s.fail(c, err)
	case name == "":
		return goTo(c, h.url("/shop/regions"))
	}
	return s.done(c, h.url("/shop/regions"), fmt.Sprintf("The region %s is deleted.", name))
}

// orderRegions moves a region up or down among the others.
func (s *server) orderRegions(c *echo.Context) error {
	h := at(c)
	form, err := c.FormValues()
	if err != nil {
		return s.fail(c, err)
	}
	id, by := form.Get("region"), atoi(form.Get("by"))
	err = s.app.ChangeConfig(c.Request().Context(), h.shop.ID, h.account.Name, false, func(config *app.ShopConfig) error {
		if ids := form["id"]; len(ids) > 0 {
			slices.SortStableFunc(config.Regions, func(a, b catalog.Region) int { return slices.Index(ids, a.ID) - slices.Index(ids, b.ID) })
			return nil
		}
		i := slices.IndexFunc(config.Regions, func(r catalog.Region) bool { return r.ID == id })
		if to := i + by; i >= 0 && to >= 0 && to < len(config.Regions) {
			config.Regions[i], config.Regions[to] = config.Regions[to], config.Regions[i]
		}
		return nil
	})
	if err != nil {
		return s.fail(c, err)
	}
	return goTo(c, h.url("/shop/regions"))
}

// exportConfig is the shop's settings and regions to take along.
func (s *server) exportConfig(c *echo.Context) error {
	h := at(c)
	config, err := s.app.Config(c.Request().Context(), h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	b, err := app.PrintConfig(config)
	if err != nil {
		return s.fail(c, err)
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="`+h.shop.ID+`-regions.json"`)
	return c.Blob(http.StatusOK, "application/json", append(b, '\n'))
}

// importConfig puts settings and regions of a file in the place of the shop's own.
func (s *server) importConfig(c *echo.Context) error {
	h := at(c)
	header, err := c.FormFile("file")
	if err != nil {
		return s.showRegions(c, http.StatusUnprocessableEntity, "Choose a JSON file first.", nil)
	}
	file, err := header.Open()
	if err != nil {
		return s.fail(c, err)
	}
	defer func() { _ = file.Close() }()
	b, err := io.ReadAll(io.LimitReader(file, app.MostConfigBytes+1))
	if err != nil {
		return s.showRegions(c, http.StatusBadRequest, "The file did not arrive whole; choose it again.", nil)
	}
	err = s.app.ChangeConfig(c.Request().Context(), h.shop.ID, h.account.Name, c.FormValue("pause") == "yes", func(config *app.ShopConfig) error {
		return app.ReadConfig(b, config)
	})
	var breaks app.Breaks
	var said app.Problem
	switch {
	case errors.As(err, &breaks):
		return s.showRegions(c, http.StatusUnprocessableEntity, "", breaks.Nudges)
	case errors.As(err, &said):
		return s.showRegions(c, http.StatusUnprocessableEntity, header.Filename+": "+said.Say, nil)
	case err != nil:
		return s.fail(c, err)
	}
	return s.done(c, h.url("/shop/regions"), "Settings and regions are those of "+header.Filename+".")
}
