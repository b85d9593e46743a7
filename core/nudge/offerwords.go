package nudge

import (
	"fmt"
	"strings"
)

// OfferWords are what is said of an offer besides its sentence, in a language.
type OfferWords struct {
	more, less, same, total string
	and, saved              string
	InCart                  string             // of what companions go with and lies in the cart
	answers                 map[Kind][2]string // yes and no
}

// OfferWordsIn are those of a language; of one that has none, the English ones.
func OfferWordsIn(language string) OfferWords {
	if w, ok := offerWords[language]; ok {
		return w
	}
	return offerWords["en"]
}

var offerWords = map[string]OfferWords{
	"en": {"%s more", "%s less", "no more than now", "To pay then %s", " and ", "%s less than one by one", "in your cart", map[Kind][2]string{
		OfferBetter: {"Swap it", "Keep what I have"}, OfferAdd: {"Add it", "No, thank you"}, OfferAfter: {"Add it to my order", "No, thank you"}, OrderBump: {"Add it to my order", ""}, Companions: {"Put them in together", ""}, Notice: {"Have a look", ""},
	}},
	"de": {"%s mehr", "%s weniger", "nicht mehr als jetzt", "Dann zu zahlen: %s", " und ", "%s weniger als einzeln", "in deinem Warenkorb", map[Kind][2]string{
		OfferBetter: {"Tauschen", "So lassen"}, OfferAdd: {"Dazulegen", "Nein, danke"}, OfferAfter: {"Zur Bestellung dazu", "Nein, danke"}, OrderBump: {"Zur Bestellung dazu", ""}, Companions: {"Zusammen hineinlegen", ""}, Notice: {"Ansehen", ""},
	}},
	"pl": {"%s więcej", "%s mniej", "nie więcej niż teraz", "Wtedy do zapłaty: %s", " i ", "%s taniej niż osobno", "w twoim koszyku", map[Kind][2]string{
		OfferBetter: {"Zamień", "Zostaw, jak jest"}, OfferAdd: {"Dodaj", "Nie, dziękuję"}, OfferAfter: {"Dodaj do zamówienia", "Nie, dziękuję"}, OrderBump: {"Dodaj do zamówienia", ""}, Companions: {"Włóż razem", ""}, Notice: {"Zobacz", ""},
	}},
	"ja": {"%s多い金額", "%s少ない金額", "今と同じ金額", "お支払い合計 %s", "と", "単品より%sお得", "カートに入っています", map[Kind][2]string{
		OfferBetter: {"交換する", "このままにする"}, OfferAdd: {"追加する", "いいえ"}, OfferAfter: {"注文に追加する", "いいえ"}, OrderBump: {"注文に追加する", ""}, Companions: {"まとめてカートに入れる", ""}, Notice: {"見てみる", ""},
	}},
}

// Difference says how much more an order costs: of an amount above 0 more, below 0 less.
func (w OfferWords) Difference(sign int, amount string) string {
	switch {
	case sign > 0:
		return fmt.Sprintf(w.more, amount)
	case sign < 0:
		return fmt.Sprintf(w.less, amount)
	}
	return w.same
}

// Total says what the whole order costs then.
func (w OfferWords) Total(amount string) string { return fmt.Sprintf(w.total, amount) }

// All joins the names of goods: "Blotter and Converter".
func (w OfferWords) All(names []string) string {
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + w.and + names[len(names)-1]
}

// Saved says how much less goods cost together.
func (w OfferWords) Saved(amount string) string { return fmt.Sprintf(w.saved, amount) }

// AnswersIn are the two answers to an offer of a kind in a language: the merchant's own,
// else the usual ones.
func (d *Definition) AnswersIn(language string, k Kind) (yes, no string) {
	usual := OfferWordsIn(language).answers[k]
	return orText(d.Answers.Yes[language], usual[0]), orText(d.Answers.No[language], usual[1])
}

// NoticeAnswer is what a notice's act is called: the merchant's own word, else the usual
// one, or the code that it enters; empty where it has no act.
func (d *Definition) NoticeAnswer(language string, r *Reward) string {
	yes, _ := d.AnswersIn(language, Notice)
	switch {
	case r.Code != "" && d.Answers.Yes[language] == "":
		return r.Code
	case len(r.Items) > 0:
		own, _ := d.AnswersIn(language, OfferAdd)
		return own
	case r.Code == "" && r.Link == "":
		return ""
	}
	return yes
}

// Notices tells whether a nudge gives nothing and only says something.
func (d *Definition) Notices() bool {
	for i := range d.Ladder.Rungs {
		for _, r := range d.Ladder.Rungs[i].Rewards {
			if r.Kind != Notice {
				return false
			}
		}
	}
	return true
}

// Accompanies tells whether a nudge offers companions.
func (d *Definition) Accompanies() bool {
	for i := range d.Ladder.Rungs {
		for _, r := range d.Ladder.Rungs[i].Rewards {
			if r.Kind == Companions {
				return true
			}
		}
	}
	return false
}

// SaysBefore tells whether a nudge that only says something says something else before its
// goal is reached.
func (d *Definition) SaysBefore() bool {
	r := &d.Ladder.Rungs[0]
	goal := r.Count > 1
	for _, a := range r.Thresholds {
		goal = goal || a.Minor > 0
	}
	return goal && d.Notices()
}

// blockWording is a first wording for free words before and after a goal.
func blockWording() Wording {
	return Wording{
		"en": {NotYet: "Everything here is made by four people at the harbour.", Reached: "Thank you. Here is how what you chose is made."},
		"de": {NotYet: "Alles hier machen vier Leute am Hafen.", Reached: "Danke. So entsteht, was du ausgesucht hast."},
		"pl": {NotYet: "Wszystko tutaj robią cztery osoby w porcie.", Reached: "Dziękujemy. Oto jak powstaje to, co wybierasz."},
		"ja": {NotYet: "ここにあるものは、港の四人が作っています。", Reached: "ありがとうございます。お選びの品の作り方をご覧ください。"},
	}
}

// Offers tells whether all that a nudge gives are offers.
func (d *Definition) Offers() bool {
	for i := range d.Ladder.Rungs {
		for _, r := range d.Ladder.Rungs[i].Rewards {
			if r.Kind.Class() != UnlockClass {
				return false
			}
		}
	}
	return true
}

// InVisit tells whether what matters of a nudge is the moment of a visit at which it asks.
func (d *Definition) InVisit() bool { return d.Offers() || d.Audience.EarnedBy != "" }

// offerWording is a first wording for an offer of a kind.
func offerWording(k Kind) Wording {
	if k == Notice {
		return Wording{
			"en": {Reached: "Your {product} goes well with good paper."}, "de": {Reached: "Zu {product} passt gutes Papier."},
			"pl": {Reached: "Do {product} pasuje dobry papier."}, "ja": {Reached: "{product}には良い紙がよく合います。"},
		}
	}
	if k == Companions {
		return Wording{
			"en": {Reached: "Goes well with {product}: {offered}."}, "de": {Reached: "Passt gut zu {product}: {offered}."},
			"pl": {Reached: "Pasuje do {product}: {offered}."}, "ja": {Reached: "{product}と一緒にどうぞ：{offered}。"},
		}
	}
	out := Wording{}
	for language, text := range map[string][2]string{
		"en": {"Take {offered} instead? You pay {difference}.", "Add {offered} for {offer_price}? You pay {difference}."},
		"de": {"Stattdessen {offered}? Du zahlst {difference}.", "{offered} für {offer_price} dazu? Du zahlst {difference}."},
		"pl": {"Może zamiast tego {offered}? Zapłacisz {difference}.", "Dodać {offered} za {offer_price}? Zapłacisz {difference}."},
		"ja": {"代わりに{offered}はいかがですか。お支払いは{difference}です。", "{offered}を{offer_price}で追加しませんか。お支払いは{difference}です。"},
	} {
		t := text[1]
		if k == OfferBetter {
			t = text[0]
		}
		out[language] = map[State]string{Reached: t}
	}
	return out
}
