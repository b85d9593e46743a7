package merchant_test

import (
	"fmt"
	"html"
	"maps"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/trial"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
)

// noon is noon in Vessmark, a Thursday.
var noon = time.Date(2026, 11, 26, 11, 0, 0, 0, time.UTC)

func publish(t *testing.T, a *app.App, id, ladder, rest string, places ...nudge.Placement) {
	t.Helper()
	d, err := nudge.Parse([]byte(`{"version":1,"name":"` + id + `","ladder":` + ladder + `,"audience":{"regions":["home"]` + rest + `},"placements":["top_bar"],"wording":{"en":{"not_yet":"Add {to_add}: {reward}.","reached":"{reward}."}}}`))
	require.NoError(t, err)
	if len(places) > 0 {
		d.Placements = places
	}
	_, _, err = a.PublishDefinition(t.Context(), demo.Shop, id, "Test", d)
	require.NoError(t, err)
}

// setting is a field of a shop, region or method: how its page changes it, and what
// of a decision tells that it did.
type setting struct {
	field  string // as the documents call it
	page   string
	typed  url.Values // over what the page's form holds
	before func(t *testing.T, a *app.App)
	see    func(d decide.Decision, s *app.ShopSnapshot) any
	req    func(r *decide.Request)
	// asIs is for what no decision depends on: it is read from the shop.
	was, is any
}

func ladder(t *testing.T, a *app.App) {
	publish(t, a, "five-off", `{"basis":"before_nudges","rungs":[{"thresholds":{"home":"30.00 EUR"},"rewards":[{"kind":"order_percent","percent":"5"}]}]}`, "")
	publish(t, a, "free", `{"basis":"after_order","rungs":[{"thresholds":{"home":"42.00 EUR"},"rewards":[{"kind":"free_shipping","methods":["standard"]}]}]}`, "")
}

func thirds(t *testing.T, a *app.App) {
	publish(t, a, "third-off", `{"basis":"before_nudges","rungs":[{"thresholds":{"home":"0.00 EUR"},"rewards":[{"kind":"unit_percent","percent":"33.33"}]}]}`, "")
}

func near(t *testing.T, a *app.App) {
	publish(t, a, "far", `{"basis":"before_nudges","rungs":[{"thresholds":{"home":"50.00 EUR"},"rewards":[{"kind":"order_percent","percent":"5"}]}]}`, "")
	publish(t, a, "near", `{"basis":"before_nudges","rungs":[{"thresholds":{"home":"45.00 EUR"},"rewards":[{"kind":"order_percent","percent":"1"}]}]}`, "")
}

func toPay(d decide.Decision, _ *app.ShopSnapshot) any { return d.ToPay }

func in(country string) func(*decide.Request) {
	return func(r *decide.Request) { r.Cart.Destination = &decide.Destination{Country: country} }
}

// keptFrom makes the visitor one of the half that a nudge is kept from.
func keptFrom(id string) func(*decide.Request) {
	return func(r *decide.Request) {
		r.Visit.Visitor = "visitor"
		for n := 0; !trial.Within(id, r.Visit.Visitor, money.Whole/2); n++ {
			r.Visit.Visitor = fmt.Sprint("visitor-", n)
		}
	}
}

var settings = []setting{
	{field: "settings.stacking", page: "settings", typed: url.Values{"stacking": {"by_priority"}}, before: ladder, see: toPay, was: int64(4200), is: int64(4580)}, // 42.00 with shipping free; 39.90 and 5.90
	{field: "settings.rounding", page: "settings", typed: url.Values{"rounding": {"per_line"}}, before: thirds, see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Goods }, was: int64(2799), is: int64(2800)},
	{field: "settings.margin", page: "settings", typed: url.Values{"margin": {"60 %"}}, before: thirds, see: func(d decide.Decision, _ *app.ShopSnapshot) any { return len(d.Rewards) }, was: 1, is: 0},
	{field: "settings.holdout", page: "settings", typed: url.Values{"holdout": {"50 %"}}, before: thirds, req: keptFrom("third-off"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return len(d.Rewards) }, was: 1, is: 0},
	{field: "settings.most_off", page: "settings", typed: url.Values{"most_off.home": {"€1.00"}}, before: func(t *testing.T, a *app.App) {
		publish(t, a, "five-off", `{"basis":"before_nudges","rungs":[{"thresholds":{"home":"30.00 EUR"},"rewards":[{"kind":"order_percent","percent":"5"}]}]}`, "")
	}, see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Off }, was: int64(210), is: int64(100)},
	{field: "settings.grace_minutes", page: "settings", typed: url.Values{"grace": {"5"}}, before: func(t *testing.T, a *app.App) {
		thirds(t, a)
		a.Now = func() time.Time { return noon.Add(-10 * time.Minute) }
		_, err := a.SetState(t.Context(), demo.Shop, "third-off", "Test", "", "ended")
		require.NoError(t, err)
		a.Now = func() time.Time { return noon }
	}, req: func(r *decide.Request) { r.Visit.Shown = []decide.ShownRef{{Nudge: "third-off", Revision: 1}} },
		see: func(d decide.Decision, _ *app.ShopSnapshot) any { return len(d.Rewards) }, was: 1, is: 0},
	{field: "settings.time_zone", page: "settings", typed: url.Values{"time_zone": {"Asia/Tokyo"}}, before: func(t *testing.T, a *app.App) {
		publish(t, a, "at-noon", `{"basis":"before_nudges","rungs":[{"thresholds":{"home":"0.00 EUR"},"rewards":[{"kind":"order_percent","percent":"5"}]}]}`, `,"when":{"hours":{"from":"11:00","until":"13:00"}}`)
	}, see: func(d decide.Decision, _ *app.ShopSnapshot) any { return len(d.Rewards) }, was: 1, is: 0},
	{field: "settings.choice", page: "settings", typed: url.Values{"choice": {"merchant_order"}}, before: func(t *testing.T, a *app.App) {
		publish(t, a, "far", `{"basis":"before_nudges","rungs":[{"thresholds":{"home":"90000.00 EUR"},"rewards":[{"kind":"order_percent","percent":"5"}]}]}`, "")
		publish(t, a, "near", `{"basis":"before_nudges","rungs":[{"thresholds":{"home":"45.00 EUR"},"rewards":[{"kind":"order_percent","percent":"1"}]}]}`, "")
	}, see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.In(nudge.TopBar)[0].Nudge }, was: "near", is: "far"},
	{field: "settings.prior", page: "settings", typed: url.Values{"prior_accepted": {"3"}, "prior_refused": {"7"}}, before: near, see: func(d decide.Decision, _ *app.ShopSnapshot) any {
		for _, n := range d.Nudges {
			if n.Gain != nil {
				return fmt.Sprintf("%d of %d", n.Gain.Accepted, n.Gain.Shows)
			}
		}
		return "none"
	}, was: "1 of 20", is: "3 of 10"},
	{field: "settings.per_placement", page: "settings", typed: url.Values{"list.top_bar": {"2"}}, before: near, see: func(d decide.Decision, _ *app.ShopSnapshot) any { return len(d.In(nudge.TopBar)) }, was: 1, is: 2},
	{field: "settings.frequency", page: "settings", typed: url.Values{"cap_visit": {"1"}, "cap_shopper": {"9"}}, before: func(t *testing.T, a *app.App) { thirds(t, a) },
		req: func(r *decide.Request) { r.Visit.Shows = map[string]int64{"third-off": 1} }, see: func(d decide.Decision, _ *app.ShopSnapshot) any {
			i := slices.IndexFunc(d.Nudges, func(o decide.NudgeOutcome) bool { return o.Nudge == "third-off" })
			return d.Nudges[i].Reason
		}, was: decide.Reason(""), is: decide.ShownEnough},
	{field: "settings.quiet_minutes", page: "settings", typed: url.Values{"quiet": {"10"}}, before: func(t *testing.T, a *app.App) {
		publish(t, a, "asks", `{"basis":"before_nudges","measure":"units","rungs":[{"count":1,"rewards":[{"kind":"notice","link":"/"}]}]}`, "", nudge.Dialog)
	}, req: func(r *decide.Request) { r.Visit.SinceDialog = new(int64(599)) }, see: func(d decide.Decision, _ *app.ShopSnapshot) any {
		return d.Nudges[slices.IndexFunc(d.Nudges, func(o decide.NudgeOutcome) bool { return o.Nudge == "asks" })].Reason
	}, was: decide.Reason(""), is: decide.Quiet},
	{field: "settings.badges", page: "settings", typed: url.Values{"badge_shape": {"seal"}, "badge_shows": {"amount"}}, see: func(_ decide.Decision, s *app.ShopSnapshot) any { return s.Shop.Settings.Badges }, was: snapshot.BadgeStyle{}, is: snapshot.BadgeStyle{Shape: snapshot.BadgeSeal, Shows: snapshot.ShowsAmount}},
	{field: "settings.theme", page: "look", typed: url.Values{"preset": {"moss"}}, see: func(d decide.Decision, _ *app.ShopSnapshot) any {
		if d.Theme == nil {
			return ""
		}
		return d.Theme.Light["ground"]
	}, was: "", is: "#223a2c"},
	{field: "settings.quote_minutes", page: "settings", typed: url.Values{"quote": {"40"}}, see: func(_ decide.Decision, s *app.ShopSnapshot) any { return s.Shop.Settings.Quote() }, was: 15 * time.Minute, is: 40 * time.Minute},
	{field: "shop.name", page: "settings", typed: url.Values{"name": {"Quill & Co"}}, see: func(_ decide.Decision, s *app.ShopSnapshot) any { return s.Shop.Name }, was: "Lindquill", is: "Quill & Co"},
	{field: "shop.town", page: "settings", typed: url.Values{"town": {"Ostend"}}, see: func(_ decide.Decision, s *app.ShopSnapshot) any { return s.Shop.Town }, was: "Vessmark", is: "Ostend"},
	{field: "shop.locale", page: "settings", typed: url.Values{"locale": {"de"}}, see: func(_ decide.Decision, s *app.ShopSnapshot) any { return s.Shop.Locale }, was: "en", is: "de"},
	{field: "shop.origins", page: "connection", typed: url.Values{"origins": {"https://shop.example/inks\nhttp://b.example:8080"}}, see: func(_ decide.Decision, s *app.ShopSnapshot) any { return strings.Join(s.Shop.Origins, " ") }, was: "http://shop.example", is: "https://shop.example http://b.example:8080"},

	{field: "region.name", page: "regions/eu", typed: url.Values{"name": {"Union"}}, see: func(_ decide.Decision, s *app.ShopSnapshot) any { return s.Regions()[1].Name }, was: "EU", is: "Union"},
	{field: "region.countries", page: "regions/eu", typed: url.Values{"country": {"AT", "GR"}}, req: in("GR"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Region }, was: "", is: "eu"},
	{field: "region.postcodes", page: "regions/eu", typed: url.Values{"postcodes": {"10, 20 30"}}, req: in("AT"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Region }, was: "eu", is: ""},
	{field: "region.languages", page: "regions/eu", typed: url.Values{"language": {"pl", "en"}}, req: in("AT"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Locale }, was: "en", is: "pl"},
	{field: "region.currency", page: "regions/eu", typed: url.Values{"currency": {"GBP"}, "do": {"save-pausing"}, "m.0.cost": {"£7"}, "m.0.b.0.fee": {"8"}, "m.0.b.1.fee": {"9"}, "m.0.b.2.fee": {"9"}, "m.1.cost": {"9"}, "m.1.b.0.fee": {"19"}}, req: in("AT"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return string(d.Currency) }, was: "EUR", is: "GBP"},
	{field: "region.tax_shown", page: "regions/eu", typed: url.Values{"tax_shown": {"no"}}, req: in("AT"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.TaxShown }, was: true, is: false},
	{field: "region.tax", page: "regions/eu", typed: url.Values{"t.0.rate": {"50"}}, req: in("AT"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Tax }, was: int64(883), is: int64(1554)}, // 42.00 · 21/121 = 7.29 and 8.90 · 21/121 = 1.54; 42.00 / 3 and 1.54
	{field: "region.shipping_tax", page: "regions/eu", typed: url.Values{"shipping_tax": {"0"}}, req: in("AT"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Tax }, was: int64(883), is: int64(729)},
	{field: "region.prior_price", page: "regions/eu", typed: url.Values{"prior": {"yes"}}, see: func(_ decide.Decision, s *app.ShopSnapshot) any { return s.Regions()[1].PriorPrice }, was: false, is: true},
	{field: "region.methods", page: "regions/uk", typed: url.Values{"m": {"0", "1"}, "m.1.name.en": {"Courier"}, "m.1.by": {"value"}, "m.1.b": {"0"}, "m.1.b.0.from": {"0"}, "m.1.b.0.fee": {"3.00"}}, req: in("GB"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Shipping.Name }, was: "standard shipping", is: "Courier"},
	{field: "method.names", page: "regions/uk", typed: url.Values{"m.0.name.en": {"Royal parcel"}}, req: in("GB"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Shipping.Name }, was: "standard shipping", is: "Royal parcel"},
	{field: "method.by_weight", page: "regions/uk", typed: url.Values{"m.0.by": {"weight"}, "m.0.b.1.from": {"100"}}, req: in("GB"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Shipping.Fee }, was: int64(890), is: int64(490)},
	{field: "method.bands", page: "regions/uk", typed: url.Values{"m.0.b.0.fee": {"£7.77"}}, req: in("GB"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Shipping.Fee }, was: int64(890), is: int64(777)},
	{field: "method.excludes", page: "regions/home", typed: url.Values{"m.1.excludes": {"ink"}}, see: func(d decide.Decision, _ *app.ShopSnapshot) any { return len(d.Shipping.Methods) }, was: 2, is: 1},
	{field: "method.surcharges", page: "regions/uk", typed: url.Values{"m.0.s": {"0"}, "m.0.s.0.on": {"tag"}, "m.0.s.0.what": {"ink"}, "m.0.s.0.fee": {"1.10"}}, req: in("GB"), see: func(d decide.Decision, _ *app.ShopSnapshot) any { return d.Shipping.Fee }, was: int64(890), is: int64(1000)},
	{field: "method.cost", page: "regions/uk", typed: url.Values{"m.0.cost": {"1.23"}}, see: func(_ decide.Decision, s *app.ShopSnapshot) any { return s.Regions()[2].Methods[0].Cost }, was: int64(760), is: int64(123)},
}

// Every setting is changed through its page, and the change decides.
func TestEverySettingIsChangedOnAPageAndDecides(t *testing.T) {
	forms := map[string]string{"settings": "settings-form", "connection": "origins-form", "look": "look-form"}
	for _, x := range settings {
		t.Run(x.field, func(t *testing.T) {
			a, as := start(t)
			a.Now = func() time.Time { return noon }
			for _, id := range []string{"winter-ladder", "harbour-code"} {
				if !strings.HasPrefix(x.field, "region.currency") {
					_, err := a.SetState(t.Context(), demo.Shop, id, "Test", "", "paused")
					require.NoError(t, err)
				}
			}
			if x.before != nil {
				x.before(t, a)
			}
			see := func() any {
				s, err := a.Snapshots.Get(t.Context(), demo.Shop)
				require.NoError(t, err)
				req := decide.Request{Cart: decide.Cart{Lines: []decide.CartLine{{SKU: "HARBLU-30", Quantity: 3}}, Destination: &decide.Destination{Country: "DE"}}, Moment: decide.Moment{At: noon}}
				if x.req != nil {
					x.req(&req)
				}
				d, err := decide.Decide(s.Snapshot, req)
				if err != nil {
					d = decide.Decision{}
				}
				return x.see(d, s)
			}
			assert.Equal(t, x.was, see(), "before")
			b := as(demo.Email)
			path := "/s/lindquill/shop/" + x.page
			id := forms[x.page]
			if id == "" {
				id = "region-form"
			}
			form := b.form(path, id)
			form.Set("do", "save")
			maps.Copy(form, x.typed)
			status, body := b.post(path, form)
			require.Equal(t, 200, status)
			assert.Contains(t, body, "saved.", errorsIn(body))
			assert.Equal(t, x.is, see(), "after")
			// What was saved stands on the page; saving it again changes nothing.
			version := b.form(path, id)
			again := b.form(path, id)
			again.Set("do", "save")
			status, _ = b.post(path, again)
			require.Equal(t, 200, status)
			assert.Equal(t, version, b.form(path, id))
			assert.Equal(t, x.is, see())
		})
	}
}

func errorsIn(body string) string {
	var out []string
	for _, part := range strings.Split(body, `class="error"`)[1:] {
		out = append(out, clipped(part))
	}
	return strings.Join(out, "\n")
}

func clipped(s string) string { return s[:min(len(s), 160)] }

// No field of the documents is forgotten.
func TestEverySettingOfTheDocumentsIsInTheTable(t *testing.T) {
	var have []string
	for _, s := range settings {
		have = append(have, s.field)
	}
	for prefix, of := range map[string]reflect.Type{"settings": reflect.TypeFor[snapshot.Settings](), "region": reflect.TypeFor[catalog.Region](), "method": reflect.TypeFor[catalog.Method]()} {
		for i := range of.NumField() {
			name, _, _ := strings.Cut(of.Field(i).Tag.Get("json"), ",")
			if name != "id" { // made from the name, and never changed
				assert.True(t, slices.Contains(have, prefix+"."+name), "%s.%s has no row", prefix, name)
			}
		}
	}
}

func TestARegionThatCannotBeSaysWhereAndKeepsWhatWasTyped(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	path := "/s/lindquill/shop/regions/uk"
	for want, typed := range map[string]url.Values{
		"Give the region a name":                       {"name": {" "}},
		"Another region has this name":                 {"name": {"home"}},
		"Germany is in the region Home already":        {"country": {"GB", "DE"}},
		"Choose at least one country":                  {"country": {""}},
		"\"XX\" is not a country":                      {"country": {"XX"}},
		"is not the beginning of a postcode":           {"postcodes": {"AB_1"}},
		"Choose a currency":                            {"currency": {"ABC"}},
		"Choose at least one language":                 {"language": {""}},
		"Write a rate from 0 to 100":                   {"t.0.rate": {"many"}},
		"Name the tax class":                           {"t": {"0", "1"}, "t.1.rate": {"5"}},
		"\"five\" is not an amount":                    {"m.0.b.0.fee": {"five"}},
		"This must be more than the line before it":    {"m.0.b.1.from": {"0"}},
		"Name the method as shoppers should read it":   {"m.0.name.en": {""}},
		"Write the tag of the goods":                   {"m.0.s": {"0"}, "m.0.s.0.fee": {"1"}},
		"Not saved yet: this would break what is live": {},
		"was changed in another window":                {"version": {"other"}},
	} {
		form := b.form(path, "region-form")
		form.Set("do", "save")
		if len(typed) == 0 {
			path, form = "/s/lindquill/shop/regions/home", b.form("/s/lindquill/shop/regions/home", "region-form")
			form.Set("do", "save")
			form["m"] = []string{"0"}
		}
		maps.Copy(form, typed)
		status, body := b.post(path, form)
		path = "/s/lindquill/shop/regions/uk"
		assert.Equal(t, 422, status, want)
		assert.Contains(t, html.UnescapeString(body), want, want)
		again := formIn(b, body, "region-form")
		for k, v := range typed {
			if k != "version" && v[0] != "" && k != "currency" {
				assert.Equal(t, v, again[k], "%s: %s is still there", want, k)
			}
		}
	}
}

// Rows are added, moved and removed without saving anything, and nothing typed is lost.
func TestRowsOfARegionAreAddedMovedAndRemoved(t *testing.T) {
	a, as := start(t)
	b := as(demo.Email)
	path := "/s/lindquill/shop/regions/home"
	form := b.form(path, "region-form")
	form.Set("name", "Half typed")
	act := func(do string) {
		form.Set("do", do)
		status, body := b.post(path, form)
		require.Equal(t, 200, status)
		form = formIn(b, body, "region-form")
		assert.Equal(t, "Half typed", form.Get("name"))
	}
	act("add-method")
	assert.Equal(t, []string{"0", "1", "2"}, form["m"])
	form.Set("m.2.name.en", "Bicycle")
	act("up-method:2")
	assert.Equal(t, []string{"0", "2", "1"}, form["m"])
	act("down-method:0")
	assert.Equal(t, []string{"2", "0", "1"}, form["m"])
	act("add-band:0")
	assert.Equal(t, []string{"0", "1"}, form["m.0.b"])
	act("drop-band:0:1")
	assert.Equal(t, []string{"0"}, form["m.0.b"])
	act("add-surcharge:1")
	act("drop-surcharge:1:0")
	assert.Empty(t, form["m.1.s"])
	act("add-tax")
	assert.Len(t, form["t"], 3)
	act("drop-tax:2")
	assert.Len(t, form["t"], 2)
	assert.Equal(t, "Bicycle", form.Get("m.2.name.en"))
	act("drop-method:2")
	assert.Equal(t, []string{"0", "1"}, form["m"])
	config, err := a.Config(t.Context(), demo.Shop)
	require.NoError(t, err)
	assert.Equal(t, "Home", config.Regions[0].Name, "nothing was saved")
}

// A viewer reads every page of the shop and finds nothing to press.
func TestAViewerReadsOnly(t *testing.T) {
	_, as := start(t)
	v := as("vera@lindquill.example")
	for _, p := range []string{"nudges", "nudges/winter-ladder", "nudges/winter-ladder/revisions", "shop", "shop/import", "shop/regions", "shop/regions/home", "shop/settings", "shop/connection", "shop/people"} {
		status, body := v.get("/s/lindquill/" + p)
		assert.Equal(t, 200, status, p)
		for _, word := range []string{">Save<", ">Delete", ">Publish revision", ">Pause<", ">Add a region", ">Add a shipping", ">Make", ">Remove", ">Import<"} {
			assert.NotContains(t, body, word, p)
		}
	}
	form := v.form("/s/lindquill/shop/settings", "settings-form")
	status, body := v.post("/s/lindquill/shop/settings", form)
	assert.Equal(t, 403, status)
	assert.Contains(t, body, "Ask an owner to make you an editor")
	editor := as("tam@lindquill.example")
	status, _ = editor.post("/s/lindquill/shop/people", url.Values{"role": {"owner"}})
	assert.Equal(t, 403, status, "people are an owner's")
}
