package nudge

import (
	"fmt"

	"agonal.dev/agonal/core/catalog"
)

// planWords say how often a parcel comes: once, every month, every so many, every week,
// every so many, and by a plan with a name of its own.
var planWords = map[string][6]string{
	"en": {"once", "every month", "every %d months", "every week", "every %d weeks", "by %s"},
	"de": {"einmal", "jeden Monat", "alle %d Monate", "jede Woche", "alle %d Wochen", "mit %s"},
	"pl": {"jednorazowo", "co miesiąc", "co %d mies.", "co tydzień", "co %d tyg.", "w planie %s"},
	"ja": {"1回だけ", "毎月", "%dか月ごと", "毎週", "%d週間ごと", "%sで"},
}

// PlanText says how often goods come by a plan, in a language.
func PlanText(plan, language string) string {
	w, ok := planWords[language]
	if !ok {
		w = planWords["en"]
	}
	if plan == "" || plan == catalog.Once {
		return w[0]
	}
	i, ok := catalog.IntervalOf(plan)
	if !ok {
		return fmt.Sprintf(w[5], plan)
	}
	at := map[string]int{"month": 1, "week": 3}[i.Unit]
	if i.Every == 1 {
		return w[at]
	}
	return fmt.Sprintf(w[at+1], i.Every)
}
