package merchant

import (
	"fmt"
	"math"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// trialForm is what is asked of every trial: who is in it, and what is worth finding.
type trialForm struct {
	Share, Worth, Part string // of visitors who have B; of the margin; of all visitors
	Apart              bool
	Regions            []choiceView
	Devices, Shoppers  []choiceView
	Only               bool // some visits only
	Err                map[string]string
	Asked              app.TrialAsked
}

func trialFormOf(c *echo.Context, snap *app.ShopSnapshot) trialForm {
	f := trialForm{
		Share: formValue(c, "share", "50"), Worth: formValue(c, "worth", "20"), Part: formValue(c, "part", "100"), Apart: c.FormValue("apart") != "",
		Err: map[string]string{},
	}
	f.Asked = app.TrialAsked{
		Share: f.read("share", f.Share, app.LeastShare, money.Whole-app.LeastShare, "Write a share from 5 to 95."),
		Worth: f.read("worth", f.Worth, money.Whole/100, money.Whole, "Write a difference from 1 to 100."),
		Part:  f.read("part", f.Part, app.LeastShare, money.Whole, "Write a share from 5 to 100."), Apart: f.Apart,
	}
	typed := values(c)
	for _, r := range snap.Regions() {
		on := slices.Contains(typed["in"], r.ID)
		f.Regions = append(f.Regions, choiceView{Value: r.ID, Name: r.Name, On: on})
		if on {
			f.Asked.Who.Regions = append(f.Asked.Who.Regions, r.ID)
		}
	}
	device, shoppers := typed.Get("on"), typed.Get("by")
	f.Devices = []choiceView{{Name: "any device"}}
	for _, d := range audience.Devices {
		f.Devices = append(f.Devices, choiceView{Value: string(d), Name: "a " + string(d), On: device == string(d)})
		if device == string(d) {
			f.Asked.Who.Device = d
		}
	}
	f.Shoppers = []choiceView{{Name: "everybody"}}
	for _, s := range []struct {
		who  app.Shoppers
		name string
	}{{app.NewShoppers, "who is known not to have ordered yet"}, {app.KnownShoppers, "who has ordered before"}} {
		f.Shoppers = append(f.Shoppers, choiceView{Value: string(s.who), Name: s.name, On: shoppers == string(s.who)})
		if shoppers == string(s.who) {
			f.Asked.Who.Shoppers = s.who
		}
	}
	f.Only = f.Asked.Who.Condition() != nil
	return f
}

// values are the values of a form, whichever way it came.
func values(c *echo.Context) url.Values {
	v, err := c.FormValues()
	if err != nil {
		return url.Values{}
	}
	return v
}

func (f *trialForm) read(field, typed string, least, most money.Rate, wrong string) money.Rate {
	r, err := money.ParsePercent(strings.ReplaceAll(strings.TrimSpace(strings.TrimSuffix(typed, "%")), ",", "."))
	if err != nil || r < least || r > most {
		f.Err[field] = wrong
	}
	return r
}

// Typed is what was typed, to be asked for again.
func (f *trialForm) Typed() url.Values {
	q := url.Values{"share": {f.Share}, "worth": {f.Worth}, "part": {f.Part}}
	if f.Apart {
		q.Set("apart", "yes")
	}
	if len(f.Asked.Who.Regions) > 0 {
		q["in"] = f.Asked.Who.Regions
	}
	if d := f.Asked.Who.Device; d != "" {
		q.Set("on", string(d))
	}
	if s := f.Asked.Who.Shoppers; s != "" {
		q.Set("by", string(s))
	}
	return q
}

// planned tells how long a trial takes, from the shop's own figures; never: it can never tell.
func planned(h *here, p *app.TrialPlan, seen string) (says []string, never bool) {
	if p.PerDay == 0 {
		return []string{"Nobody could see it in the last four weeks, so it cannot be told how long this takes. It ends after 120 days, or when it is sure."}, true
	}
	amount := func(x float64) string {
		return money.Format(money.Amount{Minor: money.Minor(math.Round(x)), Currency: p.Currency}, h.shop.Locale)
	}
	says = []string{
		fmt.Sprintf("In the last four weeks %s visits a day could see %s, and 100 of them left %s of margin.", whole(int64(p.PerDay+0.5), h.shop.Locale), seen, amount(100*p.Margin)),
		fmt.Sprintf("A difference worth finding is %s per 100 visits.", amount(100*p.Margin*float64(p.Worth)/float64(money.Whole))),
	}
	if p.Who.Shoppers != "" {
		says = append(says, "How many of them have ordered before is not known beforehand: with only some shoppers it takes longer than said here.")
	}
	if p.Days > 0 {
		return append(says, fmt.Sprintf("That is found in four of five trials within %s, with %s visits; often sooner, as it ends by itself when it is sure.", plural(int64(p.Days), "day", "days"), whole(p.Visits, h.shop.Locale))), false
	}
	need := "more visits than can be counted"
	if p.Visits > 0 {
		need = whole(p.Visits, h.shop.Locale) + " visits"
	}
	return append(says, "At this pace it would take longer than 120 days: "+need+". Look for a larger difference, or try something bolder."), true
}

// onlyVisits says which visits are in a trial; empty: all.
func onlyVisits(t *store.Trial, h *here, snap *app.ShopSnapshot) string {
	if t.Who == nil {
		return ""
	}
	var of []string
	for i := range t.Who.All {
		of = append(of, nudge.ConditionText(&t.Who.All[i], nudge.Voice{Locale: h.shop.Locale, Label: snap.Catalog().Label}, snap.Regions()))
	}
	return "Only visits in which " + strings.Join(of, " and ") + "."
}
