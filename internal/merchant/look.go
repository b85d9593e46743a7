package merchant

import (
	"cmp"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/theme"
	"agonal.dev/agonal/internal/app"
)

// lookForm is how a shop's nudges look, as it is typed.
type lookForm struct {
	Version                                  string
	Preset                                   string // its id; own: colours of one's own; empty: the shop's own styles
	Presets                                  []presetView
	Light, Dark                              []colourView
	LightPairs, DarkPairs                    []pairView
	Scheme, Size, Corner, Spacing, Direction string
	Sample                                   decide.Decision // about nudges made up for it
	Err                                      map[string]string
	Say                                      string
}

type presetView struct {
	ID, Name string
	On       bool
	Swatches []theme.Colour
}

type colourView struct {
	Field, Name, Value, Error string
}

type pairView struct {
	Name, Ratio, Least string
	Front, Back        theme.Colour
	Enough             bool
}

// ownColours are those that no preset has.
const ownColours = "own"

func (s *server) look(c *echo.Context) error {
	config, err := s.app.Config(c.Request().Context(), at(c).shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	return s.showLook(c, http.StatusOK, printLook(config), config.Settings.Theme)
}

func printLook(config app.ShopConfig) *lookForm {
	t := config.Settings.Theme
	number := func(n int) string {
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	f := &lookForm{
		Version: config.SettingsVersion(), Scheme: string(t.Scheme), Size: number(t.Size), Corner: number(t.Corner),
		Spacing: string(t.Spacing), Direction: string(t.Direction), Err: map[string]string{},
	}
	f.colours(t)
	return f
}

// colours prints the colours of a theme; where it has none, those of the first preset.
func (f *lookForm) colours(t theme.Theme) {
	first := theme.Presets()[0]
	light, dark := first.Light, first.Dark
	if f.Preset = ""; t.Light != nil {
		light, f.Preset = *t.Light, ownColours
	}
	if t.Dark != nil {
		dark = *t.Dark
	}
	for _, p := range theme.Presets() {
		if t.Light != nil && p.Light == light && p.Dark == dark {
			f.Preset = p.ID
		}
	}
	f.Light, f.Dark = colourViews("light", &light), colourViews("dark", &dark)
}

func colourViews(name string, c *theme.Colours) (out []colourView) {
	for _, p := range c.Parts() {
		out = append(out, colourView{Field: name + "." + p.Field, Name: p.Name, Value: string(*p.At)})
	}
	return out
}

// read takes what was typed; a preset that was just pressed replaces the colours.
func (f *lookForm) read(form url.Values) {
	f.Version, f.Scheme, f.Size, f.Corner = form.Get("version"), form.Get("scheme"), form.Get("size"), form.Get("corner")
	f.Spacing, f.Direction, f.Preset = form.Get("spacing"), form.Get("direction"), form.Get("preset")
	if i := slices.IndexFunc(theme.Presets(), func(p theme.Preset) bool { return p.ID == f.Preset }); i >= 0 {
		p := theme.Presets()[i]
		f.Light, f.Dark = colourViews("light", &p.Light), colourViews("dark", &p.Dark)
		return
	}
	for _, list := range [][]colourView{f.Light, f.Dark} {
		for i := range list {
			list[i].Value = form.Get(list[i].Field)
		}
	}
}

// theme makes what was typed a theme; what is wrong stands in Err.
func (f *lookForm) theme() theme.Theme {
	t := theme.Theme{Scheme: theme.Scheme(f.Scheme), Spacing: theme.Spacing(f.Spacing), Direction: theme.Direction(f.Direction)}
	number := func(field, typed string, least, most int) int {
		text := strings.TrimSpace(typed)
		n, err := strconv.Atoi(text)
		if text != "" && (err != nil || n < least || n > most) {
			f.Err[field] = "Write a whole number from " + strconv.Itoa(least) + " to " + strconv.Itoa(most) + ", or leave it empty."
		}
		return n
	}
	t.Size, t.Corner = number("size", f.Size, theme.LeastSize, theme.MostSize), number("corner", f.Corner, 0, theme.MostCorner)
	if f.Preset == "" {
		t.Scheme = ""
		return t
	}
	t.Light, t.Dark = &theme.Colours{}, &theme.Colours{}
	f.LightPairs, f.DarkPairs = f.into(t.Light, f.Light), f.into(t.Dark, f.Dark)
	return t
}

// into reads colours and tells how each pair of them can be read.
func (f *lookForm) into(c *theme.Colours, typed []colourView) (out []pairView) {
	whole := true
	for i, p := range c.Parts() {
		colour, err := theme.ParseColour(typed[i].Value)
		if err != nil {
			f.Err[typed[i].Field], whole = upperFirst(err.Error())+".", false
		}
		*p.At = colour
	}
	if !whole {
		return nil
	}
	name, _, _ := strings.Cut(typed[0].Field, ".")
	for _, p := range c.Pairs() {
		out = append(out, pairView{p.Name, theme.Ratio(p.Ratio), theme.Ratio(p.Least), p.Front, p.Back, p.Enough()})
		if !p.Enough() {
			f.Err[name+"."+p.Field] = p.Name + ": " + theme.Ratio(p.Ratio) + ", and at least " + theme.Ratio(p.Least) + " are needed."
		}
	}
	return out
}

// showLook shows the form, with a sample that is decided with a theme.
func (s *server) showLook(c *echo.Context, status int, f *lookForm, t theme.Theme) error {
	if f.LightPairs == nil && f.DarkPairs == nil && f.Preset != "" {
		f.theme()
	}
	for _, p := range theme.Presets() {
		f.Presets = append(f.Presets, presetView{p.ID, p.Name, p.ID == f.Preset, []theme.Colour{p.Light.Ground, p.Light.Open, p.Light.Done, p.Light.Paper, p.Light.Accent}})
	}
	for _, list := range [][]colourView{f.Light, f.Dark} {
		for i := range list {
			list[i].Error = f.Err[list[i].Field]
		}
	}
	var err error
	if f.Sample, err = s.sample(c, t); err != nil {
		return s.fail(c, err)
	}
	p := page{Title: "Look", Place: "shop", Section: "look", Data: f}
	if isHTMX(c) {
		return s.renderPart(c, status, "look", "look-form", p)
	}
	return s.render(c, status, "look", p)
}

// sample decides about nudges made up for the look, in each tone, with a theme.
func (s *server) sample(c *echo.Context, t theme.Theme) (decide.Decision, error) {
	snap, err := s.app.Snapshots.Get(c.Request().Context(), at(c).shop.ID)
	if err != nil || len(snap.Regions()) == 0 {
		return decide.Decision{Says: []decide.Said{}, Shown: map[nudge.Placement][]string{}, Theme: t.Vars()}, err
	}
	cat, regions := snap.Catalog(), snap.Regions()
	var live []snapshot.Live
	for i, id := range []string{"two-steps", "notice", "companions"} {
		for _, start := range nudge.Starts() {
			if start.ID != id {
				continue
			}
			d := start.Build(regions, cat)
			d.Look.Tone = []nudge.Tone{nudge.ToneInk, nudge.ToneAccent, nudge.TonePaper}[i]
			d.Placements = [][]nudge.Placement{{nudge.TopBar, nudge.Launcher}, {nudge.ProductBlock}, {nudge.ProductBlock}}[i]
			live = append(live, snapshot.Live{ID: id, Revision: 1, Priority: i + 1, Definition: d})
		}
	}
	shop := snapshot.Shop{Catalog: cat, Regions: regions, Nudges: live}
	shop.Settings.Choice, shop.Settings.PerPlacement = snapshot.MerchantOrder, map[nudge.Placement]int{nudge.ProductBlock: 2}
	if t.Valid() == nil {
		shop.Settings.Theme = t
	}
	made, err := snapshot.Compile(shop)
	if err != nil {
		return decide.Decision{}, err
	}
	goods := previewGoods(cat, &live[2].Definition.Ladder, regions[0], s.app.Now())
	req := decide.Request{Cart: decide.Cart{Destination: destinationOf(regions[0])}, Moment: decide.Moment{At: s.app.Now(), Page: decide.Page{Kind: nudge.ProductPage, Product: goods.First.ID}}}
	if sku := firstSKU(&goods.First, regions[0]); sku != "" {
		req.Cart.Lines = []decide.CartLine{{SKU: sku, Quantity: 1}}
	}
	return decide.Decide(made, req)
}

// drawnAs is how a preview is drawn.
type drawnAs string

// The ways; empty: as shoppers see it.
const (
	asTwice   drawnAs = "twice" // with letters twice as large
	asRTL     drawnAs = "rtl"
	asDark    drawnAs = "dark"
	asLongest drawnAs = "longest" // in the language with the longest words
)

// of draws a decision another way.
func (as drawnAs) of(d decide.Decision, t theme.Theme) decide.Decision {
	switch as {
	case asTwice:
		t.Size = 2 * cmp.Or(t.Size, theme.UsualSize)
		d.Theme = t.Vars()
	case asDark:
		if t.Dark == nil {
			first := theme.Presets()[0]
			t.Light, t.Dark = cmp.Or(t.Light, &first.Light), &first.Dark
		}
		t.Scheme = theme.AlwaysDark
		d.Theme = t.Vars()
	case asRTL:
		d.Says = slices.Clone(d.Says)
		for i := range d.Says {
			d.Says[i].RTL = true
		}
	}
	return d
}

// longestOf is the one of a region's languages in which a nudge has the most to say; the one
// at hand where it says nothing.
func longestOf(d *nudge.Definition, languages []string, now string) string {
	longest := 0
	for _, l := range languages {
		n := 0
		for _, st := range nudge.States {
			n = max(n, utf8.RuneCountInString(d.SentenceOf(0, l, st)))
		}
		if n > longest {
			longest, now = n, l
		}
	}
	return now
}

// firstSKU is the first variant of a product that a region sells.
func firstSKU(p *catalog.Product, r catalog.Region) string {
	for i := range p.Variants {
		if _, sold := p.Variants[i].Prices[r.Currency]; sold {
			return p.Variants[i].SKU
		}
	}
	return ""
}

// lookFrame is the page that the sample is drawn in.
func (s *server) lookFrame(c *echo.Context) error {
	snap, err := s.app.Snapshots.Get(c.Request().Context(), at(c).shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	var v previewView
	if len(snap.Regions()) > 0 {
		v = previewGoods(snap.Catalog(), &nudge.Ladder{}, snap.Regions()[0], s.app.Now())
	}
	return s.renderPart(c, http.StatusOK, "preview", "preview", page{Title: "Preview", Data: previewPage{v, string(nudge.ProductPage)}})
}

// saveLook keeps the look, or shows what it would be like.
func (s *server) saveLook(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	form, err := c.FormValues()
	if err != nil {
		return s.oops(c, http.StatusBadRequest, "The form could not be read; load the page again.")
	}
	config, err := s.app.Config(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	f := printLook(config)
	f.read(form)
	t := f.theme()
	if form.Get("do") != "save" {
		return s.showLook(c, http.StatusOK, f, t)
	}
	if len(f.Err) > 0 {
		f.Say = "Not saved yet: what is marked below is needed first."
		return s.showLook(c, http.StatusUnprocessableEntity, f, t)
	}
	err = s.app.ChangeConfig(ctx, h.shop.ID, h.account.Name, false, func(now *app.ShopConfig) error {
		if now.SettingsVersion() != f.Version {
			return app.Stale{What: "these settings"}
		}
		now.Settings.Theme = t
		return nil
	})
	var stale app.Stale
	var said app.Problem
	switch {
	case errors.As(err, &stale):
		f.Version = config.SettingsVersion()
		f.Say = "Not saved yet: the settings were changed in another window meanwhile. What you chose is still here; save again to put it in place."
	case errors.As(err, &said):
		f.Say = "Not saved yet: " + said.Say
	case err != nil:
		return s.fail(c, err)
	default:
		return s.done(c, h.url("/shop/look"), "The look is saved. Shoppers see it with the next page.")
	}
	return s.showLook(c, http.StatusUnprocessableEntity, f, t)
}
