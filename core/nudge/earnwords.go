package nudge

import "agonal.dev/agonal/core/audience"

// EarningActs are what a code of a pool can be earned by.
var EarningActs = []audience.Act{audience.LinkShared, audience.Leaving}

// EarnWords are what is said to who can earn a code, in a language.
type EarnWords struct {
	Share  string // the act of sharing, where the merchant has no word of their own
	Stay   string // the act of staying
	Shared string // what is written beforehand, where the merchant has no text of their own
	Gone   string // no code is left
	Yours  string // the code that was earned, at its place
}

// EarnWordsIn are those of a language; of one that has none, the English ones.
func EarnWordsIn(language string) EarnWords {
	if w, ok := earnWords[language]; ok {
		return w
	}
	return earnWords["en"]
}

var earnWords = map[string]EarnWords{
	"en": {"Share my cart", "Stay and take it", "This is what I have in my cart. What do you think?", "The last code has just been given away. We are sorry.", "Your code %s is in the cart."},
	"de": {"Warenkorb teilen", "Bleiben und nehmen", "Das liegt in meinem Warenkorb. Was meinst du?", "Der letzte Code wurde gerade vergeben. Es tut uns leid.", "Dein Code %s ist im Warenkorb."},
	"pl": {"Udostępnij koszyk", "Zostaję i biorę", "Oto, co mam w koszyku. Co o tym myślisz?", "Ostatni kod właśnie został wydany. Przykro nam.", "Twój kod %s jest w koszyku."},
	"ja": {"カートを共有する", "買い物を続けて受け取る", "カートに入れたものです。どう思いますか。", "コードはすべて配布されました。申し訳ございません。", "コード%sをカートに入れました。"},
}

// EarnAnswer is what the act is called that earns a code, in a language.
func (d *Definition) EarnAnswer(language string) string {
	w := EarnWordsIn(language)
	if d.Audience.EarnedBy == audience.LinkShared {
		return orText(d.Answers.Yes[language], w.Share)
	}
	return orText(d.Answers.Yes[language], w.Stay)
}

// ShareTextIn is what is written beforehand for who shares the cart, in a language.
func (d *Definition) ShareTextIn(language string) string {
	return orText(d.ShareText[language], EarnWordsIn(language).Shared)
}

// earnText says how a code of the pool is come by.
func (a *Audience) earnText() string {
	switch a.EarnedBy {
	case audience.LinkShared:
		return "that sharing the cart earns"
	case audience.Leaving:
		return "that staying earns, for who was about to leave"
	}
	return ""
}

// earnWording is a first wording for a code that an act earns.
func earnWording(by audience.Act) Wording {
	if by == audience.LinkShared {
		return Wording{
			"en": {NotYet: "Show your cart to somebody and pay {difference}.", Reached: "Thank you for sharing: {reward}."},
			"de": {NotYet: "Zeig jemandem deinen Warenkorb und zahl {difference}.", Reached: "Danke fürs Teilen: {reward}."},
			"pl": {NotYet: "Pokaż komuś swój koszyk i zapłać {difference}.", Reached: "Dziękujemy za udostępnienie: {reward}."},
			"ja": {NotYet: "カートを誰かに見せると、お支払いが{difference}になります。", Reached: "共有ありがとうございます。{reward}です。"},
		}
	}
	return Wording{
		"en": {NotYet: "Before you go: with this code you pay {difference}.", Reached: "Good that you stayed: {reward}."},
		"de": {NotYet: "Bevor du gehst: mit diesem Code zahlst du {difference}.", Reached: "Schön, dass du bleibst: {reward}."},
		"pl": {NotYet: "Zanim wyjdziesz: z tym kodem zapłacisz {difference}.", Reached: "Dobrze, że zostajesz: {reward}."},
		"ja": {NotYet: "お帰りの前に：このコードでお支払いが{difference}になります。", Reached: "ありがとうございます。{reward}です。"},
	}
}
