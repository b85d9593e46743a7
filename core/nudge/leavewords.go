package nudge

import "fmt"

// leaveWords say why something of the cart does not stand, in a language: its gift is no
// longer offered, not meant for this shopper or moment, taken out, out of stock, another
// was picked, the goal is lost, so much is missing; and an offer is at its list price.
var leaveWords = map[Leave]map[string]string{
	LeftGone: {
		"en": "%s leaves the cart: its gift is no longer offered.", "de": "%s verlässt den Warenkorb: das Geschenk gibt es nicht mehr.",
		"pl": "%s znika z koszyka: tego prezentu już nie ma.", "ja": "%sがカートから外れました。このプレゼントは終了しました。",
	},
	LeftTaken: {
		"en": "%s stays out, as you wished.", "de": "%s bleibt draußen, wie du wolltest.",
		"pl": "%s pozostaje poza koszykiem, zgodnie z życzeniem.", "ja": "%sはご希望どおり外したままです。",
	},
	LeftStock: {
		"en": "%s leaves the cart: it is out of stock.", "de": "%s verlässt den Warenkorb: es ist ausverkauft.",
		"pl": "%s znika z koszyka: zabrakło.", "ja": "%sがカートから外れました。品切れです。",
	},
	LeftOther: {
		"en": "%s leaves the cart: another gift was picked.", "de": "%s verlässt den Warenkorb: ein anderes Geschenk wurde gewählt.",
		"pl": "%s znika z koszyka: wybrano inny prezent.", "ja": "%sがカートから外れました。別のプレゼントが選ばれました。",
	},
	LeftGoal: {
		"en": "%s leaves the cart: the goal for it is no longer reached.", "de": "%s verlässt den Warenkorb: das Ziel dafür ist nicht mehr erreicht.",
		"pl": "%s znika z koszyka: cel nie jest już osiągnięty.", "ja": "%sがカートから外れました。条件を満たさなくなりました。",
	},
	LeftMissing: {
		"en": "%s leaves the cart: %s are missing to it.", "de": "%s verlässt den Warenkorb: es fehlen %s.",
		"pl": "%s znika z koszyka: brakuje %s.", "ja": "%sがカートから外れました。あと%s必要です。",
	},
	LeftPrice: {
		"en": "%s is at its list price: the goal for its special price is no longer reached.", "de": "%s hat wieder den Listenpreis: das Ziel für den Sonderpreis ist nicht mehr erreicht.",
		"pl": "%s ma znowu zwykłą cenę: cel ceny specjalnej nie jest już osiągnięty.", "ja": "%sは通常価格に戻りました。特別価格の条件を満たさなくなりました。",
	},
}

// Leave is why something of the cart does not stand.
type Leave int

// The reasons.
const (
	LeftGone Leave = iota
	LeftTaken
	LeftStock
	LeftOther
	LeftGoal
	LeftMissing // with what is missing
	LeftPrice
)

// LeaveText says why goods of the cart do not stand, in a language.
func LeaveText(why Leave, language string, of ...any) string {
	text, ok := leaveWords[why][language]
	if !ok {
		text = leaveWords[why]["en"]
	}
	return fmt.Sprintf(text, of...)
}
