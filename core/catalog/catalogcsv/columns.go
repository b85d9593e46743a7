package catalogcsv

import (
	"fmt"
	"slices"
	"strings"

	"agonal.dev/agonal/core/money"
)

// columns finds each column's position by its header, case and outer spaces aside.
func columns(header []string) (map[string]int, []RowError) {
	cols := map[string]int{}
	var errs []RowError
	priced := false
	for i, h := range header {
		name := strings.ToLower(strings.Join(strings.Fields(h), " "))
		if _, twice := cols[name]; twice {
			errs = append(errs, RowError{1, h, "this column stands twice"})
		}
		if !knownColumn(name) {
			errs = append(errs, RowError{1, h, "this column is not known; docs/formats.md lists the columns. Correct its name or take it out"})
			continue
		}
		priced = priced || strings.HasPrefix(name, colPrice)
		cols[name] = i
	}
	for _, need := range []string{colProduct, colTitle, colSKU} {
		if _, ok := cols[need]; !ok {
			errs = append(errs, RowError{1, need, "this column is missing"})
		}
	}
	if !priced && len(errs) == 0 {
		errs = append(errs, RowError{1, "price EUR", "a price column is missing, such as price EUR"})
	}
	return cols, errs
}

func knownColumn(name string) bool {
	if slices.Contains(fixedColumns(mostOptions), name) {
		return true
	}
	_, ok := currencyOf(name)
	return ok
}

func fixedColumns(options int) []string {
	c := []string{colProduct, colTitle, colDescription, colCollections, colTags, colPicture, colGiftCard, colNeverOff, colTaxClass, colSKU}
	for i := range options {
		c = append(c, fmt.Sprintf(colOption, i+1), fmt.Sprintf(colValue, i+1))
	}
	return append(c, colStock, colWeight)
}

func currencyOf(name string) (money.Currency, bool) {
	for _, p := range []string{colReference, colCost, colPrice} {
		if code, ok := strings.CutPrefix(name, p); ok {
			c, err := money.ParseCurrency(strings.ToUpper(code))
			return c, err == nil
		}
	}
	return "", false
}

func numberColumn(col string) bool {
	_, money := currencyOf(col)
	return money || col == colStock || col == colWeight
}

func formula(s string) bool { return s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) }
