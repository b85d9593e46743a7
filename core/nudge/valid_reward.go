package nudge

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
)

// fields says which fields a kind of reward has, besides kind: a field with a
// star must be set.
var fields = map[Kind]string{
	UnitPercent:  "percent* endings on cheapest dearest shipments",
	UnitAmount:   "amounts* on cheapest dearest shipments",
	UnitPrice:    "amounts* on cheapest dearest shipments",
	SetPrice:     "size* amounts*",
	BuiltPrice:   "amounts* shipments",
	NForM:        "size* pay_for*",
	Every:        "size* get* percent* endings on dearest_first",
	OrderPercent: "percent* cap",
	OrderAmount:  "amounts* cap",
	FreeShipping: "methods",
	ShippingOff:  "methods amounts",
	ShippingFlat: "methods amounts",
	Gift:         "items* percent",
	GiftPick:     "items* pick* percent",
	OfferAdd:     "items* percent amounts",
	OfferBetter:  "items in_place_of choose percent amounts",
	OrderBump:    "items* percent amounts",
	OfferAfter:   "items* in_place_of percent amounts",
	Companions:   "items choose alike most percent",
	Notice:       "link code items",
}

// RewardFields lists the fields that a kind of reward has, besides kind, and whether each
// must be set.
func RewardFields(k Kind) map[string]bool {
	out := map[string]bool{}
	for _, f := range strings.Fields(fields[k]) {
		out[strings.TrimSuffix(f, "*")] = strings.HasSuffix(f, "*")
	}
	return out
}

// Keep clears the fields of a reward that do not belong to its kind.
func (r *Reward) Keep() {
	has := RewardFields(r.Kind)
	drop := map[string]func(){
		"methods": func() { r.Methods = nil }, "amounts": func() { r.Amounts = nil }, "percent": func() { r.Percent = nil }, "cap": func() { r.Cap = nil },
		"on": func() { r.On = nil }, "size": func() { r.Size = 0 }, "pay_for": func() { r.PayFor = 0 }, "get": func() { r.Get = 0 },
		"cheapest": func() { r.Cheapest = 0 }, "dearest": func() { r.Dearest = 0 }, "dearest_first": func() { r.DearestFirst = false },
		"shipments": func() { r.Shipments = "" }, "endings": func() { r.Endings = nil }, "items": func() { r.Items = nil }, "pick": func() { r.Pick = 0 }, "in_place_of": func() { r.InPlaceOf = nil }, "choose": func() { r.Choose = "" }, "alike": func() { r.Alike = "" }, "most": func() { r.Most = 0 }, "link": func() { r.Link = "" }, "code": func() { r.Code = "" },
	}
	for f, clear := range drop {
		if _, ok := has[f]; !ok {
			clear()
		}
	}
}

// given tells which fields of a reward are set.
func (r *Reward) given() map[string]bool {
	return map[string]bool{
		"methods": len(r.Methods) > 0, "amounts": len(r.Amounts) > 0, "percent": r.Percent != nil, "cap": len(r.Cap) > 0,
		"on": r.On != nil, "size": r.Size != 0, "pay_for": r.PayFor != 0, "get": r.Get != 0, "cheapest": r.Cheapest != 0, "dearest": r.Dearest != 0,
		"dearest_first": r.DearestFirst, "shipments": r.Shipments != "", "endings": len(r.Endings) > 0, "items": len(r.Items) > 0, "pick": r.Pick != 0, "in_place_of": len(r.InPlaceOf) > 0, "choose": r.Choose != "", "alike": r.Alike != "", "most": r.Most != 0, "link": r.Link != "", "code": r.Code != "",
	}
}

func (r *Reward) valid(at string) error {
	allowed := RewardFields(r.Kind)
	given := r.given()
	names := make([]string, 0, len(given))
	for f := range given {
		names = append(names, f)
	}
	slices.Sort(names)
	for _, f := range names {
		must, may := allowed[f]
		switch {
		case given[f] && !may:
			return FieldError{at + "." + f, fmt.Sprintf("does not belong to %s", r.Kind)}
		case must && !given[f]:
			return FieldError{at + "." + f, fmt.Sprintf("is needed for %s", r.Kind)}
		}
	}
	for _, check := range []func(string) error{r.validMoney, r.validCounts, r.validItems, r.validChoice, r.validAct} {
		if err := check(at); err != nil {
			return err
		}
	}
	return nil
}

func (r *Reward) validMoney(at string) error {
	if err := validAmounts(at+".amounts", r.Amounts); err != nil {
		return err
	}
	if err := validAmounts(at+".cap", r.Cap); err != nil {
		return err
	}
	if err := validAmounts(at+".endings", r.Endings); err != nil {
		return err
	}
	for _, region := range r.Endings.Regions() {
		if r.Endings[region].Minor == 0 {
			return FieldError{at + ".endings." + region, "must be more than 0: what follows the point, such as 0.90, or what prices are a multiple of"}
		}
	}
	if r.Percent != nil && *r.Percent == 0 {
		return FieldError{at + ".percent", "must be more than 0"}
	}
	if r.Kind == UnitAmount || r.Kind == OrderAmount {
		for _, region := range r.Amounts.Regions() {
			if r.Amounts[region].Minor == 0 {
				return FieldError{at + ".amounts." + region, "must be more than 0"}
			}
		}
	}
	if r.Kind.Class() == UnlockClass && r.Percent != nil && len(r.Amounts) > 0 {
		return FieldError{at + ".amounts", "an offer has a percentage off or a price, not both"}
	}
	if r.On != nil {
		if err := r.On.Valid(); err != nil {
			return FieldError{at + ".on", err.Error()}
		}
	}
	return nil
}

func (r *Reward) validCounts(at string) error {
	ranged := func(field string, n, least, most int64) error {
		if n < least || n > most {
			return FieldError{at + "." + field, fmt.Sprintf("%d is not from %d to %d", n, least, most)}
		}
		return nil
	}
	for _, n := range []struct {
		field string
		n     int64
	}{{"cheapest", r.Cheapest}, {"dearest", r.Dearest}} {
		if n.n != 0 {
			if err := ranged(n.field, n.n, 1, MostCount); err != nil {
				return err
			}
		}
	}
	switch {
	case r.Cheapest > 0 && r.Dearest > 0:
		return FieldError{at + ".dearest", "choose the cheapest or the dearest, not both"}
	case r.Shipments != "" && !slices.Contains([]Shipments{FirstShipment, LaterShipments, EveryShipment}, r.Shipments):
		return FieldError{at + ".shipments", "must be first, later or every"}
	case r.Kind == SetPrice:
		return ranged("size", r.Size, 2, MostSize)
	case r.Kind == NForM:
		if err := ranged("size", r.Size, 2, MostSize); err != nil {
			return err
		}
		if r.PayFor < 1 || r.PayFor >= r.Size {
			return FieldError{at + ".pay_for", fmt.Sprintf("%d for the price of %d gives nothing away or everything; from 1 to %d are possible", r.Size, r.PayFor, r.Size-1)}
		}
	case r.Kind == Every:
		if err := ranged("size", r.Size, 1, MostSize); err != nil {
			return err
		}
		return ranged("get", r.Get, 1, MostSize)
	}
	return nil
}

func (r *Reward) validItems(at string) error {
	if len(r.Items) > MostItems {
		return FieldError{at + ".items", fmt.Sprintf("%d are too many; at most %d", len(r.Items), MostItems)}
	}
	for i, it := range r.Items {
		field := fmt.Sprintf("%s.items[%d]", at, i)
		switch {
		case it.SKU == "":
			return FieldError{field + ".sku", "a SKU is needed"}
		case it.Quantity < 0 || it.Quantity > 1000:
			return FieldError{field + ".quantity", fmt.Sprintf("%d is not from 1 to 1000", it.Quantity)}
		case slices.ContainsFunc(r.Items[:i], func(o Item) bool { return o.SKU == it.SKU }):
			return FieldError{field + ".sku", fmt.Sprintf("%s stands twice", it.SKU)}
		}
	}
	if r.Kind == GiftPick && (r.Pick < 1 || r.Pick > int64(len(r.Items))) {
		return FieldError{at + ".pick", fmt.Sprintf("%d of %d cannot be picked", r.Pick, len(r.Items))}
	}
	return nil
}

// validChoice checks how a better version is found: by hand or by a rule.
func (r *Reward) validChoice(at string) error {
	byHand := map[string]bool{"items": len(r.Items) > 0, "in_place_of": len(r.InPlaceOf) > 0}
	for _, f := range []string{"items", "in_place_of"} {
		switch {
		case r.Kind != OfferBetter:
		case r.Choose == "" && !byHand[f]:
			return FieldError{at + "." + f, fmt.Sprintf("is needed for %s that is chosen by hand", r.Kind)}
		case r.Choose != "" && byHand[f]:
			return FieldError{at + "." + f, "is found by the rule; leave it empty, or choose by hand"}
		}
	}
	switch {
	case r.Kind == Companions:
		return r.validCompanions(at)
	case r.Choose != "" && r.Choose != NextSize:
		return FieldError{at + ".choose", "must be next_size, or empty for what is chosen by hand"}
	}
	return nil
}

// validCompanions checks how companions are found.
func (r *Reward) validCompanions(at string) error {
	switch {
	case r.Choose != "" && !slices.Contains(Rules, r.Choose):
		return FieldError{at + ".choose", "must be same_collection, same_option, next_size or bought_together, or empty for what is chosen by hand"}
	case r.Choose == "" && len(r.Items) == 0:
		return FieldError{at + ".items", "is needed for companions that are chosen by hand"}
	case (r.Choose == SameOption) != (r.Alike != ""):
		return FieldError{at + ".alike", "names the option whose value is shared, such as Colour, and belongs to same_option"}
	case r.Most < 0 || r.Most > MostCompanions:
		return FieldError{at + ".most", fmt.Sprintf("%d is not from 1 to %d", r.Most, MostCompanions)}
	}
	return nil
}

// MostLink is the longest address that a notice leads to, in bytes.
const MostLink = 300

// validAct checks the one act of a notice.
func (r *Reward) validAct(at string) error {
	switch {
	case r.Link != "" && r.Code != "":
		return FieldError{at + ".code", "a notice leads somewhere or enters a code, not both"}
	case r.Kind == Notice && len(r.Items) > 0 && r.Link+r.Code != "":
		return FieldError{at + ".items", "a notice does one thing: it leads somewhere, enters a code, or puts goods in"}
	case len(r.Code) > 40:
		return FieldError{at + ".code", "at most 40 characters"}
	case len(r.Link) > MostLink:
		return FieldError{at + ".link", fmt.Sprintf("at most %d characters", MostLink)}
	case !leads(r.Link):
		return FieldError{at + ".link", "must be a path of the shop such as /collections/Paper, or begin with https://"}
	}
	return nil
}

// leads tells whether a text is empty, a path of the shop, or an address.
func leads(to string) bool {
	u, err := url.Parse(to)
	switch {
	case to == "":
		return true
	case err != nil:
		return false
	case u.Scheme == "":
		return strings.HasPrefix(to, "/") && !strings.HasPrefix(to, "//")
	}
	return u.Scheme == "https"
}
