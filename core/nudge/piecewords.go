package nudge

import "fmt"

// PieceWords are what is said of prices by the number of pieces, in a language.
type PieceWords struct {
	more, add, have, each, put string
	cheaper, cheaperLess       string // add, each, was, more
	costs, costsLess           string // add, more
	nothing                    string // add
}

// PieceWordsIn are those of a language; of one that has none, the English ones.
func PieceWordsIn(language string) PieceWords {
	if w, ok := pieceWords[language]; ok {
		return w
	}
	return pieceWords["en"]
}

var pieceWords = map[string]PieceWords{
	"en": {
		"%d and more", "add %d", "you have %d", "%s each", "Add %d",
		"%d more: each %s instead of %s. You pay %s more.", "%d more: each %s instead of %s. You pay %s less.",
		"%d more: you pay only %s more.", "%d more: you pay %s less.", "%d more costs you nothing.",
	},
	"de": {
		"ab %d", "noch %d dazu", "du hast %d", "je %s", "%d dazulegen",
		"Noch %d: je %s statt %s. Du zahlst %s mehr.", "Noch %d: je %s statt %s. Du zahlst %s weniger.",
		"Noch %d: du zahlst nur %s mehr.", "Noch %d: du zahlst %s weniger.", "Noch %d kostet dich nichts.",
	},
	"pl": {
		"%d i więcej", "dodaj %d", "masz %d", "po %s", "Dodaj %d",
		"Jeszcze %d: po %s zamiast %s. Zapłacisz %s więcej.", "Jeszcze %d: po %s zamiast %s. Zapłacisz %s mniej.",
		"Jeszcze %d: zapłacisz tylko %s więcej.", "Jeszcze %d: zapłacisz %s mniej.", "Jeszcze %d nic nie kosztuje.",
	},
	"ja": {
		"%d点以上", "あと%d点", "%d点あります", "1点%s", "%d点追加",
		"あと%d点で1点%s（今は%s）。お支払いは%s増えます。", "あと%d点で1点%s（今は%s）。お支払いは%s減ります。",
		"あと%d点でお支払いは%sだけ増えます。", "あと%d点でお支払いは%s減ります。", "あと%d点は無料です。",
	},
}

// Range says from how many to how many pieces, 0 for no end: "3 – 5", "12 and more".
func (w PieceWords) Range(from, to int64) string {
	switch to {
	case 0:
		return fmt.Sprintf(w.more, from)
	case from:
		return fmt.Sprint(from)
	}
	return fmt.Sprintf("%d – %d", from, to)
}

// AddSome is the act that leads to a row: "add 1".
func (w PieceWords) AddSome(n int64) string { return fmt.Sprintf(w.add, n) }

// Have says how many there are: "you have 5".
func (w PieceWords) Have(n int64) string { return fmt.Sprintf(w.have, n) }

// Each is a price of one: "€11.40 each".
func (w PieceWords) Each(price string) string { return fmt.Sprintf(w.each, price) }

// Put is the act of a hint: "Add 1".
func (w PieceWords) Put(n int64) string { return fmt.Sprintf(w.put, n) }

// Cheaper says what n more pieces change where each becomes cheaper; less tells that the
// whole order does, too.
func (w PieceWords) Cheaper(n int64, each, was, more string, less bool) string {
	if less {
		return fmt.Sprintf(w.cheaperLess, n, each, was, more)
	}
	return fmt.Sprintf(w.cheaper, n, each, was, more)
}

// Costs says what n more pieces cost in all; free tells that it is nothing.
func (w PieceWords) Costs(n int64, more string, less, free bool) string {
	switch {
	case free:
		return fmt.Sprintf(w.nothing, n)
	case less:
		return fmt.Sprintf(w.costsLess, n, more)
	}
	return fmt.Sprintf(w.costs, n, more)
}
