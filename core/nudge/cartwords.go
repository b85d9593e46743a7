package nudge

import "fmt"

// CartWords are what a drawn cart says besides its figures, in a language.
type CartWords struct {
	Cart      string `json:"cart"`
	Close     string `json:"close"`
	Empty     string `json:"empty"`
	Quantity  string `json:"quantity"`
	Remove    string `json:"remove"`
	RemoveSet string `json:"remove_set"`
	Gift      string `json:"gift"`      // beside a gift
	Pick      string `json:"pick"`      // above gifts to choose from
	Take      string `json:"take"`      // the act on one of them
	Yours     string `json:"yours"`     // on the one that is taken
	TakenOut  string `json:"taken_out"` // of a gift that the shopper removed
	PutBack   string `json:"put_back"`
	SoldOut   string `json:"sold_out"` // of a gift that has run out
	Offered   string `json:"offered"`  // above goods at a special price
	Add       string `json:"add"`
	Code      string `json:"code"`
	Apply     string `json:"apply"`
	DeliverTo string `json:"deliver_to"`
	Postcode  string `json:"postcode"`
	Estimate  string `json:"estimate"`
	Was       string `json:"was"` // before a price that was lowered, for those who do not see it struck through
	ToPay     string `json:"to_pay"`
	Checkout  string `json:"checkout"`

	goods, tax, free, only, less, nothing string
	used, leftOut, notYet, usedUp         string
	notChecked, unknown                   string
	comes, later, closes                  string
}

// CartWordsIn are those of a language; of one that has none, the English ones.
func CartWordsIn(language string) CartWords {
	if w, ok := cartWords[language]; ok {
		return w
	}
	return cartWords["en"]
}

var cartWords = map[string]CartWords{
	"en": {
		"Cart", "Close", "Nothing in it yet.", "Quantity", "Remove", "Remove the set", "a gift", "Choose your gift", "Take this", "yours",
		"You took your gift out.", "Put it back", "Your gift has run out just now. We are sorry.", "For you, at a special price", "Add",
		"Code", "Apply", "Deliver to", "Postcode", "Estimate shipping", "was", "To pay", "Go to checkout",
		"Goods", "Tax", "free", "you pay only %s more", "you pay %s less", "it costs you nothing",
		"%s is used.", "%s is left out: without it you pay less.", "%s does not count yet for this cart.", "%s is used up.",
		"%s could not be checked just now.", "%s is not a code of ours.",
		"Comes %s.", "Later parcels %s.", "Closes the gap to %s",
	},
	"de": {
		"Warenkorb", "Schließen", "Noch nichts darin.", "Anzahl", "Entfernen", "Set entfernen", "ein Geschenk", "Such dir dein Geschenk aus", "Dieses nehmen", "deins",
		"Du hast dein Geschenk herausgenommen.", "Zurücklegen", "Dein Geschenk ist gerade ausgegangen. Es tut uns leid.", "Für dich zum Sonderpreis", "Dazulegen",
		"Code", "Einlösen", "Lieferung nach", "Postleitzahl", "Versand berechnen", "vorher", "Zu zahlen", "Zur Kasse",
		"Waren", "Steuer", "kostenlos", "du zahlst nur %s mehr", "du zahlst %s weniger", "es kostet dich nichts",
		"%s ist eingelöst.", "%s bleibt weg: ohne ihn zahlst du weniger.", "%s zählt für diesen Warenkorb noch nicht.", "%s ist aufgebraucht.",
		"%s konnte gerade nicht geprüft werden.", "%s ist kein Code von uns.",
		"Kommt %s.", "Spätere Sendungen %s.", "Damit erreichst du: %s",
	},
	"pl": {
		"Koszyk", "Zamknij", "Jeszcze nic tu nie ma.", "Ilość", "Usuń", "Usuń zestaw", "prezent", "Wybierz prezent", "Biorę ten", "twój",
		"Prezent został wyjęty.", "Włóż z powrotem", "Prezent właśnie się skończył. Przepraszamy.", "Dla ciebie w specjalnej cenie", "Dodaj",
		"Kod", "Użyj", "Dostawa do", "Kod pocztowy", "Oblicz dostawę", "wcześniej", "Do zapłaty", "Do kasy",
		"Towary", "Podatek", "gratis", "zapłacisz tylko %s więcej", "zapłacisz %s mniej", "nic nie kosztuje",
		"Kod %s działa.", "Kod %s pominięty: bez niego płacisz mniej.", "Kod %s jeszcze nie obejmuje tego koszyka.", "Kod %s jest wyczerpany.",
		"Kodu %s nie udało się teraz sprawdzić.", "%s to nie nasz kod.",
		"Przychodzi %s.", "Kolejne paczki %s.", "Wystarczy, by było: %s",
	},
	"ja": {
		"カート", "閉じる", "まだ何も入っていません。", "数量", "削除", "セットを削除", "プレゼント", "プレゼントを選ぶ", "これにする", "選択中",
		"プレゼントを外しました。", "元に戻す", "プレゼントがなくなりました。申し訳ありません。", "特別価格でどうぞ", "追加",
		"クーポン", "適用", "お届け先", "郵便番号", "送料を調べる", "変更前", "お支払い", "レジに進む",
		"商品", "税", "無料", "あと%sだけ", "%sお得に", "追加料金なし",
		"%sを使いました。", "%sは使っていません。使わない方がお得です。", "%sはこのカートではまだ使えません。", "%sは終了しました。",
		"%sを今は確認できませんでした。", "%sは当店のクーポンではありません。",
		"%sお届け。", "2回目からは%s。", "これで%s",
	},
}

// Goods, Tax and Free name a line of the sums, and a fee of nothing.
func (w CartWords) Goods() string { return w.goods }

// Tax names the tax that comes on top.
func (w CartWords) Tax() string { return w.tax }

// Free is what is said of a fee of nothing.
func (w CartWords) Free() string { return w.free }

// Net says what goods that close a gap cost in the end: below zero they lower the total.
func (w CartWords) Net(amount string, sign int) string {
	switch {
	case sign < 0:
		return fmt.Sprintf(w.less, amount)
	case sign == 0:
		return w.nothing
	}
	return fmt.Sprintf(w.only, amount)
}

// CodeText says what became of a code, by the state that a decision tells.
func (w CartWords) CodeText(state, code string) string {
	text, ok := map[string]string{"used": w.used, "left_out": w.leftOut, "not_yet": w.notYet, "used_up": w.usedUp, "not_checked": w.notChecked}[state]
	if !ok {
		text = w.unknown
	}
	return fmt.Sprintf(text, code)
}

// Comes says how often a parcel comes.
func (w CartWords) Comes(often string) string { return fmt.Sprintf(w.comes, often) }

// Later says what later parcels cost.
func (w CartWords) Later(amount string) string { return fmt.Sprintf(w.later, amount) }

// Closes stands above goods that lead to a reward.
func (w CartWords) Closes(reward string) string { return fmt.Sprintf(w.closes, reward) }
