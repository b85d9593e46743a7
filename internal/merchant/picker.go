package merchant

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
)

// picksShown is how many results a picker lists at once.
const picksShown = 30

// pickView is what a search found.
type pickView struct {
	Found []pickOption
	More  int // beyond those listed
	ID    string
}

// pickOption is something that can be chosen.
type pickOption struct {
	Value, Name, About, Picture string
	Off                         bool // it cannot be chosen, About says why
}

// pick answers a picker's search: goods, products, collections, tags, countries
// or languages.
func (s *server) pick(c *echo.Context) error {
	h := at(c)
	snap, err := s.app.Snapshots.Get(c.Request().Context(), h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	q := fold(c.QueryParam("q"))
	v := pickView{ID: c.QueryParam("id")}
	switch cat := snap.Catalog(); c.QueryParam("kind") {
	case "goods":
		v.goods(cat, regionOr(snap.Regions(), c.QueryParam("region")), q, h.shop.Locale)
	case "products":
		for i := range cat.Products {
			p := &cat.Products[i]
			v.offer(q, pickOption{Value: p.ID, Name: p.Title, About: p.ID, Picture: p.Picture})
		}
	case "collections":
		for _, n := range cat.Collections() {
			v.offer(q, pickOption{Value: n, Name: n, About: products(countIn(cat, func(p *catalog.Product) bool { return slices.Contains(p.Collections, n) }))})
		}
	case "tags":
		for _, n := range cat.Tags() {
			v.offer(q, pickOption{Value: n, Name: n, About: products(countIn(cat, func(p *catalog.Product) bool { return slices.Contains(p.Tags, n) }))})
		}
	case "countries":
		for _, code := range checks.Countries() {
			v.offer(q, pickOption{Value: code, Name: checks.CountryName(code), About: code})
		}
	case "languages":
		for _, tag := range languageTags {
			v.offer(q, pickOption{Value: tag, Name: checks.LanguageName(tag), About: display.Self.Name(language.MustParse(tag)) + " · " + tag})
		}
	default:
		return s.oops(c, http.StatusUnprocessableEntity, "There is nothing of this kind to search.")
	}
	return s.renderPart(c, http.StatusOK, "pick", "pick-options", page{Data: v})
}

// languageTags are the languages that can be chosen for a region.
var languageTags = []string{"ar", "bg", "ca", "cs", "da", "de", "el", "en", "en-GB", "en-US", "es", "et", "fi", "fr", "ga", "he", "hr", "hu", "is", "it", "ja", "ko", "lt", "lv", "mt", "nb", "nl", "pl", "pt", "pt-BR", "ro", "sk", "sl", "sv", "th", "tr", "uk", "vi", "zh-Hans", "zh-Hant"}

// fold makes words comparable: in small letters, without outer spaces.
func fold(s string) string { return strings.ToLower(strings.TrimSpace(s)) }

// offer lists something that fits a search by its name or value.
func (v *pickView) offer(q string, o pickOption) {
	if q != "" && !strings.Contains(fold(o.Name), q) && !strings.Contains(fold(o.Value), q) {
		return
	}
	v.list(o)
}

func (v *pickView) list(o pickOption) {
	if len(v.Found) >= picksShown {
		v.More++
		return
	}
	v.Found = append(v.Found, o)
}

// goods finds variants by every word of a search, in the label or the SKU.
func (v *pickView) goods(cat *catalog.Catalog, region catalog.Region, q, locale string) {
	words := strings.Fields(q)
	for i := range cat.Products {
		p := &cat.Products[i]
		title := fold(p.Title)
		for j := range p.Variants {
			x := &p.Variants[j]
			if !fits(title, x, words) {
				continue
			}
			if len(v.Found) >= picksShown {
				v.More++
				continue
			}
			o := pickOption{Value: x.SKU, Name: catalog.Item{Product: p, Variant: x}.Label(), Picture: p.Picture}
			price, sold := x.Prices[region.Currency]
			switch {
			case !sold:
				o.About, o.Off = "not sold in "+region.Name, true
			case x.Stock == nil:
				o.About = money.Format(money.Amount{Minor: price.Price, Currency: region.Currency}, locale) + " · always in stock"
			default:
				o.About = fmt.Sprintf("%s · %d in stock", money.Format(money.Amount{Minor: price.Price, Currency: region.Currency}, locale), *x.Stock)
			}
			v.Found = append(v.Found, o)
		}
	}
}

func fits(title string, v *catalog.Variant, words []string) bool {
	for _, w := range words {
		if strings.Contains(title, w) || strings.Contains(fold(v.SKU), w) {
			continue
		}
		if !slices.ContainsFunc(v.Options, func(o catalog.Option) bool { return strings.Contains(fold(o.Value), w) }) {
			return false
		}
	}
	return true
}

func countIn(cat *catalog.Catalog, in func(*catalog.Product) bool) int {
	n := 0
	for i := range cat.Products {
		if in(&cat.Products[i]) {
			n++
		}
	}
	return n
}

func products(n int) string {
	if n == 1 {
		return "1 product"
	}
	return fmt.Sprintf("%d products", n)
}
