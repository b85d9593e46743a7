package catalog

import (
	"fmt"
	"slices"
	"strings"

	"agonal.dev/agonal/core/money"
)

// Region is a set of countries with one currency, one way of showing tax, and
// the shipping methods that deliver there.
type Region struct {
	ID        string   `json:"id"`
	Name      string   `json:"name"`
	Countries []string `json:"countries"` // ISO 3166-1 alpha-2
	// Postcodes limits the region to destinations whose postcode begins so; empty:
	// all of its countries.
	Postcodes []string       `json:"postcodes,omitempty"`
	Languages []string       `json:"languages"` // BCP 47, the first is the default
	Currency  money.Currency `json:"currency"`
	// TaxShown tells whether shown prices include tax.
	TaxShown bool `json:"tax_shown"`
	// Tax is the rate per tax class; the class "" is the standard rate.
	Tax         map[string]money.Rate `json:"tax"`
	ShippingTax money.Rate            `json:"shipping_tax"`
	Methods     []Method              `json:"methods"`
	// PriorPrice tells whether the law asks that a reduction is shown against the
	// lowest price of the 30 days before it.
	PriorPrice bool `json:"prior_price,omitempty"`
}

// Method is one way of delivery.
type Method struct {
	ID    string            `json:"id"`
	Names map[string]string `json:"names,omitempty"` // by language
	// ByWeight tells whether bands begin at grams; else at a value of goods.
	ByWeight bool   `json:"by_weight,omitempty"`
	Bands    []Band `json:"bands"`
	// Excludes names tags of goods that it does not carry.
	Excludes []string `json:"excludes,omitempty"`
	// Surcharges come on top of the band's fee.
	Surcharges []Surcharge `json:"surcharges,omitempty"`
	// Cost is what one parcel costs the shop, in minor units.
	Cost money.Minor `json:"cost"`
}

// Surcharge is an extra fee: for goods with a tag (once per order), or for
// destinations whose postcode begins so.
type Surcharge struct {
	Tag      string      `json:"tag,omitempty"`
	Postcode string      `json:"postcode,omitempty"`
	Fee      money.Minor `json:"fee"`
}

// Band is a fee from a lower end (which belongs to it) up to the next band.
type Band struct {
	From int64       `json:"from"` // minor units of goods, or grams
	Fee  money.Minor `json:"fee"`
}

// Name returns the method's name in a language, in English, or its id.
func (m Method) Name(language string) string {
	for _, l := range []string{language, "en"} {
		if n := m.Names[l]; n != "" {
			return n
		}
	}
	return m.ID
}

// Fee returns the list fee for goods of a value (minor units, after order
// rewards, without gifts and gift cards) and weight (grams).
func (m Method) Fee(goods money.Minor, grams int64) money.Minor {
	by := goods
	if m.ByWeight {
		by = grams
	}
	var fee money.Minor
	for _, b := range m.Bands {
		if by >= b.From {
			fee = b.Fee
		}
	}
	return fee
}

// FeeRange returns the lowest and highest list fee for goods valued anywhere from
// lo to hi.
func (m Method) FeeRange(lo, hi money.Minor, grams int64) (least, most money.Minor) {
	least = m.Fee(lo, grams)
	most = least
	if m.ByWeight {
		return least, most
	}
	for _, b := range m.Bands {
		if b.From > lo && b.From <= hi {
			least, most = min(least, b.Fee), max(most, b.Fee)
		}
	}
	return least, most
}

// Method returns the method with an id.
func (r *Region) Method(id string) (Method, bool) {
	i := slices.IndexFunc(r.Methods, func(m Method) bool { return m.ID == id })
	if i < 0 {
		return Method{}, false
	}
	return r.Methods[i], true
}

// Rate returns the tax rate of a class; classes without their own rate have the
// standard one.
func (r *Region) Rate(class string) money.Rate {
	if t, ok := r.Tax[class]; ok {
		return t
	}
	return r.Tax[""]
}

// CheckRegions refuses regions that share a country, have no id, no or an
// unknown currency, or shipping bands that do not rise from 0.
func CheckRegions(regions []Region) error {
	for i := range regions {
		r := &regions[i]
		if r.ID == "" || len(r.Countries) == 0 {
			return fmt.Errorf("regions[%d]: an id and a country are needed", i)
		}
		if _, err := money.ParseCurrency(string(r.Currency)); err != nil {
			return fmt.Errorf("region %s: %w", r.ID, err)
		}
		for _, c := range r.Countries {
			if len(c) != 2 || strings.ToUpper(c) != c {
				return fmt.Errorf("region %s: %q is not a country code such as DE", r.ID, c)
			}
		}
		for j := range regions[:i] {
			if regions[j].ID == r.ID {
				return fmt.Errorf("regions[%d]: the id %s is used twice", i, r.ID)
			}
			if why := r.Shares(&regions[j]); why != "" {
				return fmt.Errorf("region %s: %s is also in region %s", r.ID, why, regions[j].ID)
			}
		}
		for _, m := range r.Methods {
			if err := m.check(); err != nil {
				return fmt.Errorf("region %s, method %s: %w", r.ID, m.ID, err)
			}
		}
	}
	return nil
}

// Shares names a destination that two regions share: a country's code, with the
// beginning of a postcode where both have some; empty: none. A region with
// postcodes takes its part out of one without.
func (r *Region) Shares(o *Region) string {
	for _, c := range r.Countries {
		if !slices.Contains(o.Countries, c) || (len(r.Postcodes) == 0) != (len(o.Postcodes) == 0) {
			continue
		}
		if len(r.Postcodes) == 0 {
			return c
		}
		for _, a := range r.Postcodes {
			for _, b := range o.Postcodes {
				if strings.HasPrefix(a, b) || strings.HasPrefix(b, a) {
					return c + " " + a
				}
			}
		}
	}
	return ""
}

// Covers tells whether a destination lies in the region, and how closely: the
// length of the postcode prefix that says so.
func (r *Region) Covers(country, postcode string) (closeness int, ok bool) {
	if !slices.Contains(r.Countries, country) {
		return 0, false
	}
	if len(r.Postcodes) == 0 {
		return 0, true
	}
	for _, p := range r.Postcodes {
		if p != "" && strings.HasPrefix(Postcode(postcode), Postcode(p)) {
			closeness, ok = max(closeness, len(p)), true
		}
	}
	return closeness, ok
}

// Postcode is the form in which postcodes are compared: in capitals, without
// spaces and hyphens.
func Postcode(s string) string {
	return strings.NewReplacer(" ", "", "-", "").Replace(strings.ToUpper(s))
}

// Surcharge returns what comes on top of the band's fee for goods with some tags
// and a postcode.
func (m *Method) Surcharge(tags []string, postcode string) money.Minor {
	var fee money.Minor
	for _, s := range m.Surcharges {
		if s.Tag != "" && slices.Contains(tags, s.Tag) || s.Postcode != "" && strings.HasPrefix(Postcode(postcode), Postcode(s.Postcode)) {
			fee += s.Fee
		}
	}
	return fee
}

// Carries tells whether the method delivers goods with some tags.
func (m *Method) Carries(tags []string) bool { return !overlap(m.Excludes, tags) }

func (m Method) check() error {
	if m.ID == "" || len(m.Bands) == 0 || m.Bands[0].From != 0 {
		return fmt.Errorf("an id and a first band from 0 are needed")
	}
	for i, b := range m.Bands {
		if b.Fee < 0 || b.Fee > money.Most {
			return fmt.Errorf("a fee of %d is out of range", b.Fee)
		}
		if i > 0 && b.From <= m.Bands[i-1].From {
			return fmt.Errorf("bands must rise")
		}
	}
	for _, s := range m.Surcharges {
		if s.Fee < 0 || s.Fee > money.Most || (s.Tag == "") == (s.Postcode == "") {
			return fmt.Errorf("a surcharge needs a tag or a postcode, and a fee of zero or more")
		}
	}
	return nil
}
