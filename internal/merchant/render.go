package merchant

import (
	"bytes"
	"fmt"
	"html/template"
	"io/fs"
	"net/url"
	"path"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/serving"
)

// page is what every page is given; Data is the page's own view model.
type page struct {
	Title   string
	Heading string // of the window
	Place   string // shop, nudges, rehearsal or results
	Section string // within the place
	CSRF    string
	Shop    string
	ShopURL string
	Town    string
	Many    bool
	Person  string
	CanEdit bool
	Clock   string
	Flash   *flash
	Steps   *app.FirstSteps // of a shop that is not ready yet
	Tabs    []tab           // of the place Shop
	Data    any
}

// tab is a section of the place Shop.
type tab struct{ Path, Section, Name string }

var shopTabs = []tab{
	{"", "products", "Products"}, {"/sales", "sales", "Sales"}, {"/regions", "regions", "Regions"}, {"/orders", "orders", "Orders"}, {"/codes", "codes", "Codes"},
	{"/connection", "connection", "Connection"}, {"/people", "people", "People"}, {"/look", "look", "Look"}, {"/settings", "settings", "Settings"},
}

type pages struct{ byName map[string]*template.Template }

// loadPages parses every page together with the layout and the parts.
func loadPages(files fs.FS, assets *serving.Assets) (*pages, error) {
	names, err := fs.Glob(files, "pages/*.html")
	if err != nil {
		return nil, err
	}
	p := &pages{map[string]*template.Template{}}
	for _, n := range names {
		t, err := template.New("").Funcs(helpers).Funcs(template.FuncMap{"asset": assets.URL}).ParseFS(files, "layout.html", "parts/*.html", n)
		if err != nil {
			return nil, fmt.Errorf("template %s: %w", n, err)
		}
		p.byName[strings.TrimSuffix(path.Base(n), ".html")] = t
	}
	return p, nil
}

var helpers = template.FuncMap{
	"amount": func(a money.Amount, locale string) string { return money.Format(a, locale) },
	"minor": func(m money.Minor, c money.Currency, locale string) string {
		return money.Format(money.Amount{Minor: m, Currency: c}, locale)
	},
	"join":      strings.Join,
	"state":     checks.StateName,
	"language":  checks.LanguageName,
	"placement": checks.PlacementName,
	"pageName":  checks.PageName,
	"add":       func(a, b int) int { return a + b },
	"args":      args,
	"upper":     upperFirst,
	"sub":       func(a, b int) int { return a - b },
	"country":   checks.CountryName,
	"path":      url.PathEscape,
	"plan":      func(id string) string { return nudge.PlanText(id, "en") },
}

// args makes a map from names and values, to hand several to a part.
func args(pairs ...any) (map[string]any, error) {
	if len(pairs)%2 != 0 {
		return nil, fmt.Errorf("args takes names and values in turn")
	}
	out := make(map[string]any, len(pairs)/2)
	for i := 0; i < len(pairs); i += 2 {
		name, ok := pairs[i].(string)
		if !ok {
			return nil, fmt.Errorf("args: %v is not a name", pairs[i])
		}
		out[name] = pairs[i+1]
	}
	return out, nil
}

func (s *server) render(c *echo.Context, status int, name string, p page) error {
	return s.renderPart(c, status, name, "layout", p)
}

// renderPart renders one named part of a page, as htmx asks for.
func (s *server) renderPart(c *echo.Context, status int, name, part string, p page) error {
	h := at(c)
	p.CSRF, _ = c.Get("csrf").(string)
	p.Person = h.account.Name
	if h.shop.ID != "" {
		p.Shop, p.ShopURL, p.Town, p.Many, p.CanEdit = h.shop.Name, "/s/"+h.shop.ID, h.shop.Town, h.many, h.shop.Role.CanEdit()
		p.Clock = s.app.Now().In(h.zone).Format("Mon 2 Jan, 15:04")
		if h.shop.Town != "" {
			p.Clock += " in " + h.shop.Town
		}
		if !h.steps.Done() {
			p.Steps = &h.steps
		}
	}
	p.Tabs, p.Heading = shopTabs, p.Title
	if p.Shop != "" {
		p.Heading += " · " + p.Shop
	}
	if part == "layout" {
		p.Flash = s.told(c)
	}
	var b bytes.Buffer
	if err := s.pages.byName[name].ExecuteTemplate(&b, part, p); err != nil {
		return fmt.Errorf("rendering %s: %w", name, err)
	}
	return c.HTMLBlob(status, bytes.TrimSpace(b.Bytes()))
}

func isHTMX(c *echo.Context) bool { return c.Request().Header.Get("HX-Request") == "true" }

// day prints a moment as people in the shop would say it: with its year, unless
// that is this one.
func (h *here) day(t time.Time) string {
	t = t.In(h.zone)
	if t.Year() != h.now.In(h.zone).Year() {
		return t.Format("Mon 2 Jan 2006 15:04")
	}
	return t.Format("Mon 2 Jan 15:04")
}

// upperFirst begins a sentence or a label with a capital.
func lowerFirst(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	if n == 0 || r == utf8.RuneError {
		return s
	}
	return string(unicode.ToLower(r)) + s[n:]
}

func upperFirst(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	if n == 0 || r == utf8.RuneError {
		return s
	}
	return string(unicode.ToUpper(r)) + s[n:]
}
