package merchant

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

const productsPerPage = 40

type productsView struct {
	Query, Collection    string
	Collections          []choiceView
	Rows                 []productRow
	Shown, All, Variants int
	Page, Pages          int
	Prev, Next           int
	Currency             money.Currency
	Tried                int // products that were put in to try
}

type productRow struct {
	Product                      catalog.Product
	About, Price, Stock, Regions string
	Variants                     int
}

func (s *server) products(c *echo.Context) error {
	h := at(c)
	snap, err := s.app.Snapshots.Get(c.Request().Context(), h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	home := regionOr(snap.Regions(), "")
	v := productsView{Query: c.QueryParam("q"), Collection: c.QueryParam("collection"), Page: max(1, atoi(c.QueryParam("page"))), Currency: home.Currency}
	for _, name := range snap.Catalog().Collections() {
		v.Collections = append(v.Collections, choiceView{Value: name, Name: name, On: name == v.Collection})
	}
	var rows []productRow
	for _, p := range snap.Catalog().Products {
		v.All++
		if slices.Contains(p.Tags, app.TriedTag) {
			v.Tried++
		}
		v.Variants += len(p.Variants)
		if matches(p, v.Query, v.Collection) {
			rows = append(rows, rowOf(p, snap.Regions(), h.shop.Locale))
		}
	}
	v.Shown = len(rows)
	v.Pages = max(1, (len(rows)+productsPerPage-1)/productsPerPage)
	v.Page = min(v.Page, v.Pages)
	v.Rows = rows[(v.Page-1)*productsPerPage : min(len(rows), v.Page*productsPerPage)]
	v.Prev, v.Next = v.Page-1, v.Page+1
	return s.render(c, http.StatusOK, "products", page{Title: "Products", Place: "shop", Section: "products", Data: v})
}

// dropTried takes the goods out that were put in to try.
func (s *server) dropTried(c *echo.Context) error {
	h := at(c)
	n, err := s.app.DropTried(c.Request().Context(), h.shop.ID)
	var said app.Problem
	if errors.As(err, &said) {
		s.tell(c, flash{Say: said.Say, Tone: "loss"})
		return goTo(c, h.url("/shop"))
	}
	if err != nil {
		return s.fail(c, err)
	}
	return s.done(c, h.url("/shop"), fmt.Sprintf("The %d products to try are out.", n))
}

func matches(p catalog.Product, query, collection string) bool {
	if collection != "" {
		in := false
		for _, c := range p.Collections {
			in = in || c == collection
		}
		if !in {
			return false
		}
	}
	if query == "" {
		return true
	}
	q := strings.ToLower(query)
	if strings.Contains(strings.ToLower(p.Title), q) {
		return true
	}
	for _, v := range p.Variants {
		if strings.Contains(strings.ToLower(v.SKU), q) {
			return true
		}
	}
	return false
}

// rowOf sums a product up: its price range where it is sold first, its stock.
func rowOf(p catalog.Product, regions []catalog.Region, locale string) productRow {
	r := productRow{Product: p, Variants: len(p.Variants), About: p.ID}
	if p.GiftCard {
		r.About += " · gift card"
	}
	if p.NeverOff {
		r.About += " · never discounted"
	}
	var least, most money.Minor
	var stock int64
	unlimited, priced := false, false
	cur := regionOr(regions, "").Currency
	var missing []string
	for _, v := range p.Variants {
		if price, ok := v.Prices[cur]; ok {
			if !priced || price.Price < least {
				least = price.Price
			}
			most, priced = max(most, price.Price), true
		}
		if v.Stock == nil {
			unlimited = true
		} else {
			stock += *v.Stock
		}
	}
	for _, region := range regions {
		sold := false
		for _, v := range p.Variants {
			_, has := v.Prices[region.Currency]
			sold = sold || has
		}
		if !sold {
			missing = append(missing, region.Name)
		}
	}
	if priced {
		r.Price = money.Format(money.Amount{Minor: least, Currency: cur}, locale)
		if most > least {
			r.Price += " – " + money.Format(money.Amount{Minor: most, Currency: cur}, locale)
		}
	}
	r.Stock = strconv.FormatInt(stock, 10)
	if unlimited {
		r.Stock = "unlimited"
	}
	if len(missing) > 0 {
		r.Regions = "not sold in " + list(missing)
	}
	return r
}

func (s *server) exportCatalogue(c *echo.Context) error {
	h := at(c)
	b, err := s.app.ExportCatalogue(c.Request().Context(), h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="`+h.shop.ID+`-catalogue.csv"`)
	return c.Blob(http.StatusOK, "text/csv; charset=utf-8", b)
}

type importView struct {
	Error   string
	I       *store.Import
	Refused bool
	Share   int
	Button  string
	// NewNames lists the first new SKUs.
	NewNames string
}

func (s *server) importPage(c *echo.Context) error {
	return s.render(c, http.StatusOK, "import", page{Title: "Import a catalogue", Place: "shop", Section: "products", Data: importView{}})
}

// upload reads a file and shows what it would change.
func (s *server) upload(c *echo.Context) error {
	h := at(c)
	again := func(status int, say string) error {
		return s.render(c, status, "import", page{Title: "Import a catalogue", Place: "shop", Section: "products", Data: importView{Error: say}})
	}
	header, err := c.FormFile("file")
	if err != nil {
		return again(http.StatusUnprocessableEntity, "Choose a CSV file first.")
	}
	f, err := header.Open()
	if err != nil {
		return s.fail(c, err)
	}
	defer func() { _ = f.Close() }()
	b, err := io.ReadAll(f)
	if err != nil {
		return again(http.StatusBadRequest, "The file did not arrive whole; choose it again.")
	}
	im, err := s.app.PreviewImport(c.Request().Context(), h.shop.ID, h.account.Name, header.Filename, b)
	if err != nil {
		return s.fail(c, err)
	}
	return goTo(c, h.url("/shop/import/"+im.ID.String()))
}

func (s *server) importOf(c *echo.Context) (store.Import, error) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		return store.Import{}, fmt.Errorf("%w: no such import", errNotHere)
	}
	return s.app.Import(c.Request().Context(), at(c).shop.ID, id)
}

var errNotHere = errors.New("not here")

func (s *server) importShow(c *echo.Context) error {
	im, err := s.importOf(c)
	if err != nil {
		return s.oops(c, http.StatusNotFound, "There is no such file here any more. Choose it again.")
	}
	v := importView{I: &im, Refused: im.Summary.RefusedInAll > 0, Button: importButton(im.Summary), NewNames: strings.Join(im.Summary.NewNames, ", ")}
	if im.Summary.New > len(im.Summary.NewNames) {
		v.NewNames += " and more"
	}
	if im.Total > 0 {
		v.Share = 100 * im.Done / im.Total
	}
	p := page{Title: "Import " + im.FileName, Place: "shop", Section: "products", Data: v}
	if isHTMX(c) {
		return s.renderPart(c, http.StatusOK, "import", "import-state", p)
	}
	return s.render(c, http.StatusOK, "import", p)
}

// importButton says what importing does: "Import 2 new and 1 changed variant".
func importButton(s store.ImportSummary) string {
	var parts []string
	if s.New > 0 {
		parts = append(parts, fmt.Sprintf("%d new", s.New))
	}
	if s.Changed > 0 {
		parts = append(parts, fmt.Sprintf("%d changed", s.Changed))
	}
	if len(parts) == 0 {
		return ""
	}
	if s.New+s.Changed == 1 {
		return "Import " + list(parts) + " variant"
	}
	return "Import " + list(parts) + " variants"
}

func (s *server) importStart(c *echo.Context) error {
	im, err := s.importOf(c)
	if err != nil {
		return s.oops(c, http.StatusNotFound, "There is no such file here any more. Choose it again.")
	}
	if c.FormValue("do") == "cancel" {
		if err := s.app.CancelImport(c.Request().Context(), im.ShopID, im.ID); err != nil {
			return s.fail(c, err)
		}
		return s.done(c, at(c).url("/shop"), "The import of "+im.FileName+" is cancelled; nothing was changed.")
	}
	if err := s.app.StartImport(c.Request().Context(), im.ShopID, im.ID); err != nil {
		return s.fail(c, err)
	}
	return goTo(c, at(c).url("/shop/import/"+im.ID.String()))
}
