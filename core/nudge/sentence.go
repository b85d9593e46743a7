package nudge

import (
	"fmt"
	"strings"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Say returns the promise as one plain sentence for the merchant, in one
// region's amounts: "From €60.00 free standard shipping, from €95.00 10 % off
// the order."
func (d Definition) Say(region catalog.Region, locale string) string {
	parts := make([]string, 0, len(d.Ladder.Rungs))
	for _, r := range d.Ladder.Rungs {
		t, ok := r.Thresholds[region.ID]
		at := "from an amount not yet set"
		if ok {
			at = "from " + money.Format(t, locale)
			if t.Minor == 0 {
				at = "with every order"
			}
			if t.Minor == 0 && d.Audience.Code != "" {
				at = ""
			}
		}
		parts = append(parts, strings.TrimSpace(at+" "+RewardsText(r.Rewards, region, "en", locale)))
	}
	s := strings.Join(parts, ", ")
	if d.Audience.Code != "" {
		s = "with the code " + d.Audience.Code + ": " + s
	}
	return strings.ToUpper(s[:1]) + s[1:] + "."
}

// RewardsText names what a rung gives, as part of a sentence in a language
// (en, de, pl or ja; others read English), with amounts in a locale's manner.
func RewardsText(rewards []Reward, region catalog.Region, language, locale string) string {
	w, ok := rewardWords[language]
	if !ok {
		language, w = "en", rewardWords["en"]
	}
	parts := make([]string, 0, len(rewards))
	for _, r := range rewards {
		amount := func(a Amounts) string {
			if v, ok := a[region.ID]; ok {
				return money.Format(v, locale)
			}
			return "?"
		}
		method := w.allMethods
		if len(r.Methods) > 0 {
			names := make([]string, len(r.Methods))
			for i, id := range r.Methods {
				names[i] = id
				if m, ok := region.Method(id); ok {
					names[i] = m.Name(language)
				}
			}
			method = strings.Join(names, w.and)
		}
		switch r.Kind {
		case FreeShipping:
			parts = append(parts, fmt.Sprintf(w.free, method))
		case ShippingOff:
			parts = append(parts, fmt.Sprintf(w.off, amount(r.Amounts), method))
		case ShippingFlat:
			parts = append(parts, fmt.Sprintf(w.flat, method, amount(r.Amounts)))
		case OrderPercent:
			s := fmt.Sprintf(w.percent, strings.ReplaceAll(r.Percent.String(), ".", w.point))
			if len(r.Cap) > 0 {
				s += fmt.Sprintf(w.upTo, amount(r.Cap))
			}
			parts = append(parts, s)
		}
	}
	return strings.Join(parts, w.and)
}

type words struct {
	free, off, flat, percent, upTo, allMethods, and, point string
}

var rewardWords = map[string]words{
	"en": {"free %s", "%s off %s", "%s for at most %s", "%s %% off the order", ", up to %s", "shipping", " and ", "."},
	"de": {"kostenloser %s", "%s weniger für %s", "%s für höchstens %s", "%s %% auf die Bestellung", ", bis zu %s", "Versand", " und ", ","},
	"pl": {"%s gratis", "%s taniej: %s", "%s za najwyżej %s", "%s%% taniej za całe zamówienie", ", do %s", "dostawa", " i ", ","},
	"ja": {"%s無料", "%s引きの%s", "%sが最大%s", "ご注文%s%%オフ", "（上限%s）", "配送料", "・", "."},
}
