package merchant

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/app"
)

// settingsForm is a shop's settings as they are typed.
type settingsForm struct {
	Version                        string
	Name, Town, TimeZone, Locale   string
	Stacking, Rounding, Choice     string
	BadgeShape, BadgeShows         string
	Margin, Holdout, Grace, Quote  string
	PriorAccepted, PriorRefused    string
	CapVisit, CapDay, CapShopper   string
	Quiet                          string
	MostOff                        []amountView
	Placements                     []placementCount
	Zones                          []string
	Locales                        []tokenView
	Err                            map[string]string
	Say                            string
	Broken                         []app.Broken
	DefaultGrace, DefaultQuote     int
	DefaultAccepted, DefaultRefuse int64
}

type placementCount struct {
	Placement nudge.Placement
	Name      string
	Value     string
}

func (s *server) settings(c *echo.Context) error {
	config, err := s.app.Config(c.Request().Context(), at(c).shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	return s.showSettings(c, http.StatusOK, printSettings(config), config)
}

func (s *server) showSettings(c *echo.Context, status int, f *settingsForm, config app.ShopConfig) error {
	f.Zones, f.Locales = timeZones(), locales()
	f.DefaultGrace, f.DefaultQuote = snapshot.DefaultGraceMinutes, snapshot.DefaultQuoteMinutes
	f.DefaultAccepted, f.DefaultRefuse = snapshot.DefaultPrior.Accepted, snapshot.DefaultPrior.Refused
	for i := range f.MostOff {
		f.MostOff[i].Error = f.Err[f.MostOff[i].Field]
	}
	p := page{Title: "Settings", Place: "shop", Section: "settings", Data: f}
	if isHTMX(c) {
		return s.renderPart(c, status, "settings", "settings-form", p)
	}
	return s.render(c, status, "settings", p)
}

// embedPlacements are those that list more than one nudge where the shop says so.
var embedPlacements = nudge.Embedded

func printSettings(config app.ShopConfig) *settingsForm {
	set := config.Settings
	number := func(n int64) string {
		if n == 0 {
			return ""
		}
		return strconv.FormatInt(n, 10)
	}
	f := &settingsForm{
		Version: config.SettingsVersion(), Name: config.Name, Town: config.Town, TimeZone: config.TimeZone, Locale: config.Locale,
		Stacking: string(set.Stacking), Rounding: string(set.Rounding), Choice: string(set.Choice),
		BadgeShape: string(set.Badges.Shape), BadgeShows: string(set.Badges.Shows),
		Grace: number(int64(set.GraceMinutes)), Quote: number(int64(set.QuoteMinutes)),
		CapVisit: number(set.Frequency.PerVisit), CapDay: number(set.Frequency.PerDay), CapShopper: number(set.Frequency.PerShopper), Quiet: number(int64(set.QuietMinutes)), Err: map[string]string{},
	}
	if set.Margin != nil {
		f.Margin = set.Margin.String()
	}
	if set.Holdout != nil {
		f.Holdout = set.Holdout.String()
	}
	if !set.Prior.IsZero() {
		f.PriorAccepted, f.PriorRefused = strconv.FormatInt(set.Prior.Accepted, 10), strconv.FormatInt(set.Prior.Refused, 10)
	}
	for _, r := range config.Regions {
		v := amountView{Region: r.ID, Name: r.Name, Currency: r.Currency, Field: "most_off." + r.ID}
		if a, ok := set.MostOff[r.ID]; ok {
			v.Value = money.Format(a, config.Locale)
		}
		f.MostOff = append(f.MostOff, v)
	}
	for _, p := range embedPlacements {
		f.Placements = append(f.Placements, placementCount{p, checks.PlacementName(p), number(int64(set.PerPlacement[p]))})
	}
	return f
}

// read takes what was typed into the form.
func (f *settingsForm) read(form url.Values) {
	f.Version, f.Name, f.Town, f.TimeZone, f.Locale = form.Get("version"), form.Get("name"), form.Get("town"), form.Get("time_zone"), form.Get("locale")
	f.Stacking, f.Rounding, f.Choice = form.Get("stacking"), form.Get("rounding"), form.Get("choice")
	f.BadgeShape, f.BadgeShows = form.Get("badge_shape"), form.Get("badge_shows")
	f.Margin, f.Holdout, f.Grace, f.Quote = form.Get("margin"), form.Get("holdout"), form.Get("grace"), form.Get("quote")
	f.PriorAccepted, f.PriorRefused = form.Get("prior_accepted"), form.Get("prior_refused")
	f.CapVisit, f.CapDay, f.CapShopper, f.Quiet = form.Get("cap_visit"), form.Get("cap_day"), form.Get("cap_shopper"), form.Get("quiet")
	for i := range f.MostOff {
		f.MostOff[i].Value = form.Get(f.MostOff[i].Field)
	}
	for i := range f.Placements {
		f.Placements[i].Value = form.Get("list." + string(f.Placements[i].Placement))
	}
}

// apply puts what was typed into a configuration; what is wrong stands in Err.
func (f *settingsForm) apply(config *app.ShopConfig) bool {
	number := func(field, typed string, least, most int64) int64 {
		text := strings.TrimSpace(typed)
		if text == "" {
			return 0
		}
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil || n < least || n > most {
			f.Err[field] = fmt.Sprintf("Write a whole number from %d to %d, or leave it empty.", least, most)
		}
		return n
	}
	config.Name, config.Town = strings.Join(strings.Fields(f.Name), " "), strings.Join(strings.Fields(f.Town), " ")
	config.TimeZone, config.Locale = f.TimeZone, f.Locale
	set := &config.Settings
	set.Stacking, set.Rounding, set.Choice = snapshot.Stacking(f.Stacking), snapshot.Rounding(f.Rounding), snapshot.Choice(f.Choice)
	set.Badges = snapshot.BadgeStyle{Shape: snapshot.BadgeShape(f.BadgeShape), Shows: snapshot.BadgeShows(f.BadgeShows)}
	set.GraceMinutes = int(number("grace", f.Grace, 1, snapshot.MostMinutes))
	set.QuoteMinutes = int(number("quote", f.Quote, 1, snapshot.MostMinutes))
	set.Frequency = nudge.Frequency{PerVisit: number("cap_visit", f.CapVisit, 1, snapshot.MostCap), PerDay: number("cap_day", f.CapDay, 1, snapshot.MostCap), PerShopper: number("cap_shopper", f.CapShopper, 1, snapshot.MostCap)}
	set.QuietMinutes = int(number("quiet", f.Quiet, 1, snapshot.MostMinutes))
	set.Prior = snapshot.Prior{Accepted: number("prior_accepted", f.PriorAccepted, 0, 1_000_000), Refused: number("prior_refused", f.PriorRefused, 0, 1_000_000)}
	if (strings.TrimSpace(f.PriorAccepted) == "") != (strings.TrimSpace(f.PriorRefused) == "") {
		f.Err["prior_accepted"] = "Write both numbers, or neither."
	}
	f.margin(set)
	f.holdout(set)
	f.mostOff(config)
	set.PerPlacement = nil
	for _, p := range f.Placements {
		if n := number("list."+string(p.Placement), p.Value, 1, 10); n > 1 {
			if set.PerPlacement == nil {
				set.PerPlacement = map[nudge.Placement]int{}
			}
			set.PerPlacement[p.Placement] = int(n)
		}
	}
	return len(f.Err) == 0
}

func (f *settingsForm) margin(set *snapshot.Settings) {
	set.Margin = f.share("margin", f.Margin, money.Whole-1, "Write a share below 100, such as 20, or leave it empty.")
}

func (f *settingsForm) holdout(set *snapshot.Settings) {
	set.Holdout = f.share("holdout", f.Holdout, nudge.MostHoldout, "Write a share of at most 50, such as 10, or leave it empty.")
}

// share reads a percentage; nothing: none.
func (f *settingsForm) share(field, typed string, most money.Rate, wrong string) *money.Rate {
	text := strings.ReplaceAll(strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(typed), "%")), ",", ".")
	if text == "" {
		return nil
	}
	m, err := money.ParsePercent(strings.TrimSpace(text))
	if err != nil || m > most {
		f.Err[field] = wrong
	}
	return &m
}

func (f *settingsForm) mostOff(config *app.ShopConfig) {
	config.Settings.MostOff = nil
	for _, v := range f.MostOff {
		if strings.TrimSpace(v.Value) == "" {
			continue
		}
		m, err := money.ParseTyped(v.Value, config.Locale, v.Currency)
		if err != nil {
			f.Err[v.Field] = upperFirst(err.Error()) + "."
			continue
		}
		if config.Settings.MostOff == nil {
			config.Settings.MostOff = nudge.Amounts{}
		}
		config.Settings.MostOff[v.Region] = money.Amount{Minor: m, Currency: v.Currency}
	}
}

func (s *server) saveSettings(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	form, err := c.FormValues()
	if err != nil {
		return s.oops(c, http.StatusBadRequest, "The form could not be read; load the page again.")
	}
	config, err := s.app.Config(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	f := printSettings(config)
	f.read(form)
	err = s.app.ChangeConfig(ctx, h.shop.ID, h.account.Name, false, func(now *app.ShopConfig) error {
		if now.SettingsVersion() != f.Version {
			return app.Stale{What: "these settings"}
		}
		if !f.apply(now) {
			return errTyped
		}
		return nil
	})
	var stale app.Stale
	var said app.Problem
	switch {
	case errors.Is(err, errTyped):
		f.Say = "Not saved yet: what is marked below is needed first."
	case errors.As(err, &stale):
		f.Version = config.SettingsVersion()
		f.Say = "Not saved yet: these settings were changed in another window meanwhile. What you typed is still here; save again to put it in the place of that change."
	case errors.As(err, &said):
		f.Say = "Not saved yet: what is marked below is needed first."
		f.Err[said.Field] = said.Say
	case err != nil:
		return s.fail(c, err)
	default:
		return s.done(c, h.url("/shop/settings"), "The settings are saved.")
	}
	return s.showSettings(c, http.StatusUnprocessableEntity, f, config)
}
