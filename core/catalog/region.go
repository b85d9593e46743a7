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
	ID        string         `json:"id"`
	Name      string         `json:"name"`
	Countries []string       `json:"countries"` // ISO 3166-1 alpha-2
	Languages []string       `json:"languages"` // BCP 47, the first is the default
	Currency  money.Currency `json:"currency"`
	// TaxShown tells whether shown prices include tax.
	TaxShown bool `json:"tax_shown"`
	// Tax is the rate per tax class; the class "" is the standard rate.
	Tax         map[string]money.Rate `json:"tax"`
	ShippingTax money.Rate            `json:"shipping_tax"`
	Methods     []Method              `json:"methods"`
}

// Method is one way of delivery.
type Method struct {
	ID    string            `json:"id"`
	Names map[string]string `json:"names"` // by language
	// ByWeight tells whether bands begin at grams; else at a value of goods.
	ByWeight bool   `json:"by_weight,omitempty"`
	Bands    []Band `json:"bands"`
	// Cost is what one parcel costs the shop, in minor units.
	Cost money.Minor `json:"cost"`
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
	seen := map[string]string{}
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
			if other, twice := seen[c]; twice {
				return fmt.Errorf("region %s: %s is also in region %s", r.ID, c, other)
			}
			seen[c] = r.ID
		}
		for _, m := range r.Methods {
			if err := m.check(); err != nil {
				return fmt.Errorf("region %s, method %s: %w", r.ID, m.ID, err)
			}
		}
	}
	return nil
}

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
	return nil
}
