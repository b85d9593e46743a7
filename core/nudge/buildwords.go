package nudge

import "fmt"

// BuildWords are what is said of a set that shoppers put together, in a language.
type BuildWords struct {
	Choose  string `json:"choose"`   // the act on goods that are not in it yet
	More    string `json:"more"`     // one more of them
	Fewer   string `json:"fewer"`    // one fewer
	SoldOut string `json:"sold_out"` // in place of an act
	Place   string `json:"place"`    // in an empty place
	Spare   string `json:"spare"`    // in one that may stay empty
	Put     string `json:"put"`      // the act on the whole set
	Clear   string `json:"clear"`    // take everything out again
	Once    string `json:"once"`     // bought once, no plan

	toGo, soFar, instead, same, stray, exactly, between, atMost, left string
}

// BuildWordsIn are those of a language; of one that has none, the English ones.
func BuildWordsIn(language string) BuildWords {
	if w, ok := buildWords[language]; ok {
		return w
	}
	return buildWords["en"]
}

var buildWords = map[string]BuildWords{
	"en": {
		"choose", "one more", "one fewer", "sold out", "choose", "may stay empty", "Add the set to the cart", "Begin again", "once",
		"%d to go, then %s.", "So far %s, one by one.", "%s for all of it instead of %s.", "It is complete, but costs no less together: %s.", "There is no room for %s.",
		"%d", "%d to %d", "at most %d", "%s left",
	},
	"de": {
		"wählen", "noch eins", "eins weniger", "ausverkauft", "wählen", "darf leer bleiben", "Set in den Warenkorb", "Neu beginnen", "einmal",
		"Noch %d, dann %s.", "Bisher %s, einzeln.", "%s für alles statt %s.", "Vollständig, aber zusammen nicht günstiger: %s.", "Für %s ist kein Platz.",
		"%d", "%d bis %d", "höchstens %d", "noch %s",
	},
	"pl": {
		"wybierz", "jeszcze jedna", "jedna mniej", "wyprzedane", "wybierz", "może zostać puste", "Dodaj zestaw do koszyka", "Zacznij od nowa", "jednorazowo",
		"Jeszcze %d, a potem %s.", "Na razie %s, osobno.", "%s za całość zamiast %s.", "Komplet, ale razem nie taniej: %s.", "Nie ma miejsca na: %s.",
		"%d", "od %d do %d", "najwyżej %d", "jeszcze %s",
	},
	"ja": {
		"選ぶ", "もう1点", "1点減らす", "売り切れ", "選ぶ", "空のままでも可", "セットをカートに入れる", "はじめから", "1回だけ",
		"あと%d点で、%s。", "ここまで単品で%s。", "まとめて%s（単品では%s）。", "揃いましたが、まとめてもお値段は同じです：%s。", "%sの入る場所がありません。",
		"%d点", "%d〜%d点", "%d点まで", "残り%s",
	},
}

// ToGo says how many are missing to what reward.
func (w BuildWords) ToGo(n int64, reward string) string { return fmt.Sprintf(w.toGo, n, reward) }

// SoFar says what the goods cost as they are.
func (w BuildWords) SoFar(amount string) string { return fmt.Sprintf(w.soFar, amount) }

// Instead says what a complete set costs, and what its goods would cost.
func (w BuildWords) Instead(price, amount string) string {
	return fmt.Sprintf(w.instead, price, amount)
}

// Same says that a complete set costs what its goods cost.
func (w BuildWords) Same(amount string) string { return fmt.Sprintf(w.same, amount) }

// Stray says that goods lie in no slot.
func (w BuildWords) Stray(label string) string { return fmt.Sprintf(w.stray, label) }

// Bounds says how many pieces a slot takes.
func (w BuildWords) Bounds(least, most int64) string {
	switch least {
	case most:
		return fmt.Sprintf(w.exactly, least)
	case 0:
		return fmt.Sprintf(w.atMost, most)
	}
	return fmt.Sprintf(w.between, least, most)
}

// Left says for how long something is left to be had.
func (w BuildWords) Left(time string) string { return fmt.Sprintf(w.left, time) }
