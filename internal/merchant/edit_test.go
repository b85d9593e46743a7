package merchant_test

import (
	"encoding/json"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/demo"
)

// panel is a form that a panel sends, with names and values in turn.
func panel(key string, pairs ...string) url.Values {
	f := url.Values{"do": {"panel"}, "panel": {key}}
	for i := 0; i+1 < len(pairs); i += 2 {
		f.Add(pairs[i], pairs[i+1])
	}
	return f
}

// Every panel of the workbench changes what it says it changes.
func TestEveryPanelChangesTheDraft(t *testing.T) {
	a, as := start(t)
	a.Now = func() time.Time { return noon }
	b := as(demo.Email)
	draft := func() (nudge.Definition, string) {
		n, err := a.Nudge(t.Context(), demo.Shop, "parcels-to-japan")
		require.NoError(t, err)
		return n.Draft, strconv.Itoa(n.DraftVersion)
	}
	edit := func(form url.Values) (nudge.Definition, string) {
		t.Helper()
		_, version := draft()
		status, body := b.edit(version, form.Get("panel"), form)
		require.Equal(t, 200, status, body)
		d, _ := draft()
		return d, body
	}
	d, _ := edit(panel("regions", "audience.regions", "home", "audience.regions", "jp"))
	assert.Equal(t, []string{"home", "jp"}, d.Audience.Regions)

	d, _ = edit(panel("goal-0", "ladder.rungs[0].thresholds.home", "€45.00", "ladder.rungs[0].thresholds.jp", "8,000"))
	assert.Equal(t, "45.00 EUR", d.Ladder.Rungs[0].Thresholds["home"].String())
	assert.Equal(t, "8000 JPY", d.Ladder.Rungs[0].Thresholds["jp"].String())

	d, _ = edit(url.Values{"do": {"add-rung"}, "rung": {"0"}})
	require.Len(t, d.Ladder.Rungs, 2)
	assert.Equal(t, "67.50 EUR", d.Ladder.Rungs[1].Thresholds["home"].String(), "half as much again")

	d, body := edit(panel("reward-1-0", "ladder.rungs[1].rewards[0].kind", "shipping_flat", "ladder.rungs[1].rewards[0].methods", "standard", "ladder.rungs[1].rewards[0].amounts.home", "2.90", "ladder.rungs[1].rewards[0].amounts.jp", "500"))
	assert.Equal(t, nudge.ShippingFlat, d.Ladder.Rungs[1].Rewards[0].Kind)
	assert.Contains(t, body, "standard shipping for at most €2.90")

	d, _ = edit(panel("scope", "ladder.scope.include.collections", "Inks", "ladder.scope.include.collections", "Paper", "ladder.scope.exclude.collections", "Gifts", "ladder.scope.exclude.tags", "heavy", "ladder.scope.include.on_sale", "", "ladder.scope.exclude.on_sale", ""))
	assert.Equal(t, []string{"Inks", "Paper"}, d.Ladder.Scope.Include.Collections)
	assert.Equal(t, []string{"heavy"}, d.Ladder.Scope.Exclude.Tags)

	d, _ = edit(panel("counts", "ladder.measure", "value", "ladder.basis", "before_nudges", "ladder.without_tax", "without", "ladder.replacing", "kept"))
	assert.Equal(t, nudge.BeforeNudges, d.Ladder.Basis)
	assert.True(t, d.Ladder.WithoutTax)

	d, _ = edit(panel("places", "placements", "cart_page", "placements", "top_bar", "audience.pages", "cart", "audience.pages", "product"))
	assert.Equal(t, []nudge.Placement{nudge.TopBar, nudge.CartBlock}, d.Placements)
	assert.Equal(t, []nudge.Page{nudge.ProductPage, nudge.CartPage}, d.Audience.Pages)

	d, body = edit(panel("schedule", "schedule.from", "2026-11-27T09:00", "schedule.until", "2027-01-03T00:00"))
	assert.Equal(t, "2026-11-27T08:00:00Z", d.Schedule.From.Format("2006-01-02T15:04:05Z07:00"), "nine o'clock in Vessmark")
	assert.Contains(t, body, "from Fri 27 Nov 09:00 until Sun 3 Jan 2027 00:00")

	d, _ = edit(panel("code", "audience.code", " winter5 "))
	assert.Equal(t, "WINTER5", d.Audience.Code)
	d, _ = edit(panel("look", "look.tone", "paper", "look.bar", "solid"))
	assert.Equal(t, nudge.Look{Tone: nudge.TonePaper, Bar: nudge.BarSolid}, d.Look)
	d, _ = edit(url.Values{"do": {"wording"}, "language": {"de"}, "state": {"lost"}, "text": {"Wieder  weg: {to_add}"}})
	assert.Equal(t, "Wieder weg: {to_add}", d.Wording["de"][nudge.Lost])
	d, _ = edit(url.Values{"do": {"wording"}, "language": {"de"}, "state": {"lost"}, "text": {""}})
	assert.NotContains(t, d.Wording["de"], nudge.Lost)
	d, _ = edit(url.Values{"do": {"drop-rung"}, "rung": {"1"}})
	assert.Len(t, d.Ladder.Rungs, 1)
	d, _ = edit(panel("reward-0-0", "ladder.rungs[0].rewards[0].kind", "order_percent", "ladder.rungs[0].rewards[0].percent", "12,5 %"))
	assert.Equal(t, "12.5", d.Ladder.Rungs[0].Rewards[0].Percent.String())
	d, _ = edit(panel("name", "name", "  Pakete nach Japan "))
	assert.Equal(t, "Pakete nach Japan", d.Name)
}

func TestPanelsSayWhatIsWrong(t *testing.T) {
	a, as := start(t)
	a.Now = func() time.Time { return noon }
	b := as(demo.Email)
	for want, form := range map[string]url.Values{
		"A name is needed":                     panel("name", "name", "  "),
		"At most 80 characters":                panel("name", "name", strings.Repeat("x", 81)),
		"more than 100 %":                      panel("reward-0-0", "ladder.rungs[0].rewards[0].kind", "order_percent", "ladder.rungs[0].rewards[0].percent", "150"),
		"A share of more than 0":               panel("reward-0-0", "ladder.rungs[0].rewards[0].kind", "order_percent", "ladder.rungs[0].rewards[0].percent", "0"),
		"is not a percentage":                  panel("reward-0-0", "ladder.rungs[0].rewards[0].kind", "order_percent", "ladder.rungs[0].rewards[0].percent", "ten"),
		"An amount is needed here":             panel("reward-0-0", "ladder.rungs[0].rewards[0].kind", "shipping_off", "ladder.rungs[0].rewards[0].amounts.jp", ""),
		"Choose one of these":                  panel("reward-0-0", "ladder.rungs[0].rewards[0].kind", "free_lunch"),
		"The end must be later than the start": panel("schedule", "schedule.from", "2026-12-02T00:00", "schedule.until", "2026-12-01T00:00"),
		"Write a day and time":                 panel("schedule", "schedule.from", "soon"),
		"A code has at most 40":                panel("code", "audience.code", "two words"),
		"A nudge needs at least one rung":      {"do": {"drop-rung"}},
		"This rung is not there any more":      {"do": {"add-reward"}, "rung": {"7"}},
		"This part is not there any more":      panel("goal-7"),
		"There is no such change":              {"do": {"explode"}},
		"Is not a state of a nudge":            {"do": {"wording"}, "language": {"en"}, "state": {"asleep"}, "text": {"x"}},
	} {
		open := form.Get("panel")
		if open == "" {
			open = form.Get("do")
		}
		status, body := b.edit("1", open, form)
		assert.Equal(t, 422, status, want)
		assert.Contains(t, strings.ReplaceAll(body, "&#39;", "'"), want, want)
	}
}

func TestRungsMustRiseWhereTheyAreTyped(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	form := func(rung, home string) url.Values {
		f := panel("goal-"+rung, "csrf", b.csrf, "version", "1", "ladder.rungs["+rung+"].thresholds.home", home)
		return f
	}
	status, body := b.post("/s/lindquill/nudges/winter-ladder/edit", form("0", "95"))
	assert.Equal(t, 422, status)
	assert.Contains(t, body, "Must be less than the next rung, €95.00.")
	status, body = b.post("/s/lindquill/nudges/winter-ladder/edit", form("1", "60"))
	assert.Equal(t, 422, status)
	assert.Contains(t, body, "Must be more than the rung before it, €60.00.")
	status, body = b.post("/s/lindquill/nudges/winter-ladder/edit", form("0", "0"))
	assert.Equal(t, 422, status)
	assert.Contains(t, body, "with every order")
}

// frame asks for one state of the workbench.
func (b *browser) frame(body string) (int, map[string]any) { return b.frameOf("winter-ladder", body) }

func (b *browser) frameOf(id, body string) (int, map[string]any) {
	r, err := http.NewRequest(http.MethodPost, b.base+"/s/lindquill/nudges/"+id+"/frame", strings.NewReader(body))
	require.NoError(b.t, err)
	r.Header.Set("X-CSRF-Token", b.csrf)
	status, text := b.read(b.http.Do(r))
	var out map[string]any
	require.NoError(b.t, json.Unmarshal([]byte(text), &out))
	return status, out
}

func TestTheMarkerMeansTheCartAndMoreOrThatAlone(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	b.get("/s/lindquill/nudges/winter-ladder")
	cart := `{"lines":[{"sku":"HARBLU-30","quantity":3}],"region":"home","page":"product","language":"en","at":`
	for at, want := range map[string]struct {
		marker string
		toPay  float64
	}{
		"null":    {"cart €42.00", 4790},
		"4200":    {"cart €42.00", 4790},
		"6000":    {"cart €60.00", 6000},  // the cart and 18.00 more: shipping is free
		"5999":    {"cart €59.99", 6589},  // one cent less is not
		"1000":    {"alone €10.00", 1590}, // a made-up piece of 10.00 and nothing else
		"0":       {"alone €0.00", 0},
		"9999999": {"cart €99,999.99", 9999999},
	} {
		status, f := b.frame(cart + at + "}")
		require.Equal(t, 200, status)
		assert.Equal(t, want.marker, f["marker"], at)
		assert.InDelta(t, want.toPay, f["decision"].(map[string]any)["to_pay"], 0, at)
	}
	status, _ := b.frame(`{"lines":`)
	assert.Equal(t, 400, status)
	status, f := b.frame(`{"lines":[{"sku":"GIFT-25","quantity":1},{"sku":"gone","quantity":1}],"region":"uk","page":"cart","language":"en","at":null}`)
	assert.Equal(t, 200, status)
	assert.Contains(t, f["cart"], "Gift card, 25 is not sold in UK.")
}

func TestARehearsalIsAllInItsAddress(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	_, body := b.get("/s/lindquill/rehearsal?region=jp&sku=HARBLU-30&qty.HARBLU-30=2&put=KIT-AU&draft=parcels-to-japan&code=HARBOUR10")
	assert.Contains(t, body, "Kittiwake, gold, fine")
	assert.Contains(t, body, "Parcels to Japan")
	assert.Contains(t, body, "It is not meant for this region")
	assert.Regexp(t, `Code HARBOUR10:\s+<span class="earned">used`, body)
	_, body = b.get("/s/lindquill/rehearsal?sku=HARBLU-30&qty.HARBLU-30=0&at=yesterday")
	assert.Contains(t, body, "Empty so far.")
	assert.Contains(t, body, "The moment could not be read")
	_, body = b.get("/s/lindquill/rehearsal?region=jp&sku=GIFT-25")
	assert.Contains(t, body, "Gift card, 25 is not sold in Japan.")
}

func TestRevisionsAreComparedAndBroughtBack(t *testing.T) {
	a, as := start(t)
	b := as(demo.Email)
	page := "/s/lindquill/nudges/winter-ladder"
	b.post(page+"/edit", panel("goal-0", "version", "1", "ladder.rungs[0].thresholds.home", "50"))
	_, body := b.get(page + "/revisions?with=1")
	assert.Contains(t, body, "Rung 1, from, Home", "fields are called as the merchant knows them")
	assert.Contains(t, body, "€60.00")
	assert.Contains(t, body, "€50.00")
	status, body := b.post(page+"/publish", url.Values{"version": {"2"}})
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "Revision 2 is live")
	status, body = b.post(page+"/restore", url.Values{"number": {"1"}})
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "Publish revision 3")
	status, _ = b.post(page+"/delete", url.Values{"back": {"bench"}})
	assert.Equal(t, 200, status)
	n, err := a.Nudge(t.Context(), demo.Shop, "winter-ladder")
	require.NoError(t, err)
	assert.False(t, n.Dirty, "the draft's changes are thrown away")
	status, body = b.post("/s/lindquill/nudges/parcels-to-japan/delete", url.Values{})
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "The draft “Parcels to Japan” is deleted.")
	assert.NotContains(t, body, `aria-label="Parcels to Japan"`)
	version := regexp.MustCompile(`name="version" value="(\d+)"`).FindStringSubmatch(body)
	require.NotNil(t, version, "it can be taken back")
	status, body = b.post("/s/lindquill/nudges/parcels-to-japan/undelete", url.Values{"version": {version[1]}})
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "It is back as it was.")
	status, body = b.post(page+"/copy", url.Values{})
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "Winter ladder (copy)")
}

func TestPublishingWhatCannotBeKeptSaysWhy(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	page := "/s/lindquill/nudges/parcels-to-japan"
	b.post(page+"/edit", url.Values{"do": {"panel"}, "panel": {"regions"}, "version": {"1"}, "audience.regions": {"uk", "jp"}})
	status, body := b.post(page+"/publish", url.Values{"version": {"2"}})
	assert.Equal(t, 200, status, "back on the workbench, under its own address")
	assert.Contains(t, body, "Not published: Rung 1 has no threshold for UK; write one in GBP.")
	assert.Contains(t, body, `href="#checks"`)
	_, body = b.post(page+"/publish", url.Values{"version": {"1"}})
	assert.Contains(t, body, "Not published: you changed this draft in another window")
}

func TestReasonsAreWords(t *testing.T) {
	for _, r := range []decide.Reason{decide.OutsideSchedule, decide.OutsideRegion, decide.CodeMissing, decide.OutsidePage, decide.NoThreshold, decide.Dismissed, decide.HiddenReached, decide.BetterInPlace, decide.NoWords, decide.AnotherShows, decide.NoPlace, decide.NothingToAdd} {
		assert.Contains(t, decide.Explain(r), " ", r)
	}
}

// The workbench finds a cart for each state that a nudge can have, and decides it.
func TestTheWorkbenchFindsACartForEachState(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	for _, id := range []string{"winter-ladder", "ten-percent-from-ninety", "notebooks-by-the-stack", "five-colours-for-a-grey-week", "three-colours-one-parcel", "paper-by-the-kilo", "a-letter-a-week"} {
		for _, state := range []nudge.State{nudge.NotYet, nudge.OneStep, nudge.Reached, nudge.Lost} {
			if id == "paper-by-the-kilo" && state == nudge.OneStep {
				continue // a sheet of paper is heavier than the last step
			}
			status, reply := b.frameOf(id, `{"lines":[{"sku":"HARBLU-30","quantity":1}],"region":"home","page":"cart","language":"en","state":"`+string(state)+`"}`)
			require.Equal(t, 200, status, id)
			for _, n := range reply["decision"].(map[string]any)["nudges"].([]any) {
				if o := n.(map[string]any); o["nudge"] == id {
					assert.Equal(t, string(state), o["state"], id)
				}
			}
			assert.NotContains(t, reply["say"], "No such cart was found", id)
		}
	}
}

// A code of another nudge that costs the shopper less stands in a reward's place.
func TestTheWorkbenchFindsACartInWhichSomethingBetterIsGiven(t *testing.T) {
	a, as := start(t)
	b := as(demo.Email)
	tenth, half := money.Rate(100_000), money.Rate(500_000)
	off := func(name string, percent *money.Rate) nudge.Definition {
		return nudge.Definition{
			Version: 1, Name: name, Placements: []nudge.Placement{nudge.TopBar}, Wording: nudge.DefaultWording(), Beside: nudge.Beside{Group: "one"}, Audience: nudge.Audience{Regions: []string{"home"}},
			Ladder: nudge.Ladder{Basis: nudge.BeforeNudges, Rungs: []nudge.Rung{{Thresholds: nudge.Amounts{"home": {Minor: 2000, Currency: "EUR"}}, Rewards: []nudge.Reward{{Kind: nudge.OrderPercent, Percent: percent}}}}},
		}
	}
	better := off("Half with a code", &half)
	better.Audience.Code = "HALF"
	_, _, err := a.PublishDefinition(t.Context(), demo.Shop, "half", "Ilse", better)
	require.NoError(t, err)
	n, err := a.Create(t.Context(), demo.Shop, "Ilse", off("A tenth", &tenth))
	require.NoError(t, err)
	status, reply := b.frameOf(n.ID, `{"lines":[],"region":"home","page":"cart","language":"en","state":"outdone"}`)
	require.Equal(t, 200, status)
	assert.NotContains(t, reply["say"], "No such cart was found")
	for _, x := range reply["decision"].(map[string]any)["nudges"].([]any) {
		if o := x.(map[string]any); o["nudge"] == n.ID {
			assert.Equal(t, "outdone", o["rungs"].([]any)[0].(map[string]any)["state"])
		}
	}
}

// Of a set: places that are filled and open, what each number costs at least and at most,
// and how it is finished; a press fills or empties a place.
func TestTheWorkbenchDrawsThePlacesOfASet(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	status, reply := b.frameOf("a-letter-a-week", `{"lines":[{"sku":"HARBLU-4","quantity":1},{"sku":"WAXSTIRED-1","quantity":1},{"sku":"DUNA5-P","quantity":1}],"region":"home","page":"set","language":"en"}`)
	require.Equal(t, 200, status)
	axis, table := reply["axis"].(string), reply["table"].(string)
	assert.Equal(t, 2, strings.Count(axis, `class="place filled"`), "the notebook is no part of it")
	assert.Equal(t, 2, strings.Count(axis, `class="place open"`), "two inks make it four")
	assert.Contains(t, axis, `data-take="HARBLU-4"`)
	assert.Contains(t, axis, "4: all of it for €11.00")
	// The cheapest three inks cost 9.60; four pieces at least 12.80, and with wax at most 13.40.
	for _, want := range []string{"€9.60 → €8.00", "€12.80 → €11.00", "€13.40 → €11.00", "€1.80 to €2.40"} {
		assert.Contains(t, table, want)
	}
	assert.Contains(t, reply["cart"], "The cheapest way to finish")
	assert.Contains(t, reply["say"], "This nudge shows in the set’s own page")
}

// A rehearsal puts goods together as a shopper would: three small inks as a set cost 8.00.
func TestARehearsalPutsGoodsTogether(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	const visit = "/s/lindquill/rehearsal?sku=HARBLU-4&qty.HARBLU-4=2&sku=KELGRE-4&page=set"
	_, loose := b.get(visit)
	assert.Contains(t, loose, "What fits it is put together as a set of")
	assert.NotContains(t, loose, "for all of it")
	_, set := b.get(visit + "&set=a-letter-a-week")
	assert.Contains(t, set, "€8.00 for all of it instead of €9.60.")
	assert.Contains(t, set, "all of it for €8.00")
}

func TestKeptVisitsAreTriedWithADraft(t *testing.T) {
	_, as := start(t)
	b := as(demo.Email)
	const visit = "sku=HARBLU-30&qty.HARBLU-30=2&page=cart"
	b.post("/s/lindquill/rehearsal/kept", url.Values{"visit": {visit}, "name": {"Two bottles"}})
	_, body := b.get("/s/lindquill/rehearsal/kept")
	assert.Contains(t, body, "All as expected")
	b.post("/s/lindquill/nudges/start", url.Values{"start": {"free-shipping"}})
	_, body = b.get("/s/lindquill/rehearsal/kept?with=free-shipping")
	assert.Contains(t, body, "1 of 1 visit would not be as expected")
	_, body = b.post("/s/lindquill/nudges/free-shipping/publish", url.Values{"version": {"1"}})
	assert.Contains(t, body, "Nothing is published yet.")
	_, body = b.post("/s/lindquill/nudges/free-shipping/publish", url.Values{"version": {"1"}, "anyway": {"yes"}})
	assert.Contains(t, body, "Revision 1 is published.")
}
