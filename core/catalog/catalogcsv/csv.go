// Package catalogcsv reads and writes a catalogue as CSV (RFC 4180, UTF-8): one
// row per variant, columns found by their header. docs/formats.md describes the
// columns for people.
package catalogcsv

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/strict"
)

// Limits of a file.
const (
	MostBytes = 32 << 20
	MostRows  = 200_000
	// MostErrors is after how many faults reading stops.
	MostErrors = 200
)

// Fixed columns, in the order they are written.
const (
	colProduct     = "product"
	colTitle       = "title"
	colDescription = "description"
	colCollections = "collections"
	colTags        = "tags"
	colPicture     = "picture"
	colGiftCard    = "gift card"
	colNeverOff    = "never discounted"
	colTaxClass    = "tax class"
	colSKU         = "sku"
	colOption      = "option %d"
	colValue       = "value %d"
	colStock       = "stock"
	colWeight      = "weight g"
	colPrice       = "price "
	colReference   = "reference price "
	colCost        = "unit cost "
)

const mostOptions = 3

// listMark separates collections and tags within a cell.
const listMark = "|"

// RowError says what is wrong with a row or with the whole file (Line 0).
type RowError struct {
	Line   int    `json:"line"`   // of the file, the header is 1
	Column string `json:"column"` // empty: the row as a whole
	Why    string `json:"why"`
}

func (e RowError) Error() string {
	switch {
	case e.Line == 0:
		return e.Why
	case e.Column == "":
		return fmt.Sprintf("line %d: %s", e.Line, e.Why)
	}
	return fmt.Sprintf("line %d, %s: %s", e.Line, e.Column, e.Why)
}

// Read reads a file. Rows with faults are left out of the products and named in
// the errors; a file that cannot be read at all gives a single error.
func Read(b []byte) ([]catalog.Product, []RowError) {
	whole := func(why string, args ...any) ([]catalog.Product, []RowError) {
		return nil, []RowError{{Why: fmt.Sprintf(why, args...)}}
	}
	if len(b) > MostBytes {
		return whole("The file has %d MB; at most %d MB can be read. Split it by product.", len(b)>>20, MostBytes>>20)
	}
	b = bytes.TrimPrefix(b, []byte("\xef\xbb\xbf"))
	if line := badLine(b); line > 0 {
		return nil, []RowError{{Line: line, Why: "This is not UTF-8, perhaps Windows-1252. Save the file as CSV UTF-8 and bring it in again."}}
	}
	r := csv.NewReader(bytes.NewReader(b))
	header, err := r.Read()
	if errors.Is(err, io.EOF) {
		return whole("The file is empty. Its first line must name the columns.")
	}
	if err != nil {
		return nil, []RowError{syntax(err)}
	}
	if sign := otherSeparator(header); sign != "" {
		return nil, []RowError{{Line: 1, Why: "The cells of this file are separated by " + sign + ", where commas are needed. Choose the comma as the separator when you save it as CSV, and bring it in again."}}
	}
	cols, errs := columns(header)
	if len(errs) > 0 {
		return nil, errs
	}
	rd := reader{cols: cols, header: header, products: map[string]int{}, skus: map[string]int{}}
	r.FieldsPerRecord = -1
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, []RowError{syntax(err)}
		}
		line, _ := r.FieldPos(0)
		if len(row) != len(header) {
			rd.fail(line, "", "the row has %d cells, the header has %d", len(row), len(header))
		} else if rd.rows++; rd.rows > MostRows {
			return whole("The file has more than %d rows. Split it by product.", MostRows)
		} else {
			rd.row(line, row)
		}
		if len(rd.errs) >= MostErrors {
			rd.errs = append(rd.errs, RowError{Line: line, Why: fmt.Sprintf("reading stopped after %d faults", MostErrors)})
			break
		}
	}
	if rd.rows == 0 && len(rd.errs) == 0 {
		return whole("The file has a header but no rows.")
	}
	return rd.out, rd.errs
}

// otherSeparator names the sign that a header of one cell is separated by in the
// place of commas; empty: none.
func otherSeparator(header []string) string {
	if len(header) != 1 {
		return ""
	}
	for sign, name := range map[string]string{";": "semicolons", "\t": "tabs"} {
		if strings.Contains(header[0], sign) {
			return name
		}
	}
	return ""
}

// badLine returns the first line that is not UTF-8, or 0.
func badLine(b []byte) int {
	if utf8.Valid(b) {
		return 0
	}
	for i, l := range bytes.Split(b, []byte("\n")) {
		if !utf8.Valid(l) {
			return i + 1
		}
	}
	return 0
}

func syntax(err error) RowError {
	var p *csv.ParseError
	if !errors.As(err, &p) {
		return RowError{Why: err.Error()}
	}
	why := "this is not CSV: " + p.Err.Error()
	if errors.Is(p.Err, csv.ErrQuote) || errors.Is(p.Err, csv.ErrBareQuote) {
		why = `a quote is not closed, or stands inside a cell; write "" for a quote within quotes`
	}
	return RowError{Line: p.Line, Why: why}
}

type reader struct {
	header   []string
	cols     map[string]int
	out      []catalog.Product
	products map[string]int
	skus     map[string]int
	rows     int
	errs     []RowError
}

// fail notes a fault; the column is named as the file names it.
func (rd *reader) fail(line int, col, why string, args ...any) {
	if i, ok := rd.cols[col]; ok {
		col = rd.header[i]
	}
	rd.errs = append(rd.errs, RowError{line, col, fmt.Sprintf(why, args...)})
}

// row reads one variant and files it under its product.
func (rd *reader) row(line int, row []string) {
	faults := len(rd.errs)
	get := func(col string) string {
		i, ok := rd.cols[col]
		if !ok {
			return ""
		}
		return row[i]
	}
	for col, i := range rd.cols {
		if formula(row[i]) && !numberColumn(col) {
			rd.fail(line, col, "%q would run as a formula in a spreadsheet; take the first sign away", clip(row[i]))
		}
		if why := strict.Text(row[i]); why != "" {
			rd.fail(line, col, "the cell %s", why)
		}
		if len(row[i]) > 5000 {
			rd.fail(line, col, "the cell has more than 5,000 bytes")
		}
	}
	v := catalog.Variant{SKU: get(colSKU), TaxClass: get(colTaxClass), Prices: rd.prices(line, row)}
	if v.SKU == "" || len(v.SKU) > 100 {
		rd.fail(line, colSKU, "a SKU of 1 to 100 characters is needed")
	}
	if first, twice := rd.skus[v.SKU]; twice {
		rd.fail(line, colSKU, "%s stands in line %d already", v.SKU, first)
	}
	rd.skus[v.SKU] = line
	for i := 1; i <= mostOptions; i++ {
		name, value := get(fmt.Sprintf(colOption, i)), get(fmt.Sprintf(colValue, i))
		if (name == "") != (value == "") {
			rd.fail(line, fmt.Sprintf(colOption, i), "an option needs both a name and a value")
		} else if name != "" {
			v.Options = append(v.Options, catalog.Option{Name: name, Value: value})
		}
	}
	if s := get(colStock); s != "" {
		n := rd.whole(line, colStock, s)
		v.Stock = &n
	}
	if w := get(colWeight); w != "" {
		v.Weight = rd.whole(line, colWeight, w)
	}
	p := catalog.Product{
		ID: get(colProduct), Title: get(colTitle), Description: get(colDescription), Picture: get(colPicture),
		Collections: list(get(colCollections)), Tags: list(get(colTags)),
		GiftCard: rd.yes(line, colGiftCard, get(colGiftCard)), NeverOff: rd.yes(line, colNeverOff, get(colNeverOff)),
	}
	if !slug(p.ID) {
		rd.fail(line, colProduct, "%q is not a product id; use a-z, 0-9 and hyphens, at most 80", clip(p.ID))
	}
	if p.Title == "" {
		rd.fail(line, colTitle, "a title is needed")
	}
	if len(rd.errs) > faults {
		return
	}
	rd.file(line, p, v)
}

func (rd *reader) file(line int, p catalog.Product, v catalog.Variant) {
	at, known := rd.products[p.ID]
	if !known {
		rd.products[p.ID] = len(rd.out)
		p.Variants = []catalog.Variant{v}
		rd.out = append(rd.out, p)
		return
	}
	first := &rd.out[at]
	if first.Title != p.Title || first.Description != p.Description || first.Picture != p.Picture ||
		!slices.Equal(first.Collections, p.Collections) || !slices.Equal(first.Tags, p.Tags) ||
		first.GiftCard != p.GiftCard || first.NeverOff != p.NeverOff {
		rd.fail(line, colProduct, "%s has other words in an earlier line; all rows of a product must agree", p.ID)
		return
	}
	first.Variants = append(first.Variants, v)
}

func (rd *reader) prices(line int, row []string) map[money.Currency]catalog.Price {
	out := map[money.Currency]catalog.Price{}
	amount := func(col string, c money.Currency) *money.Minor {
		i, ok := rd.cols[col]
		if !ok || row[i] == "" {
			return nil
		}
		m, err := money.ParseDecimal(row[i], c.Digits())
		if err == nil && m < 0 {
			err = fmt.Errorf("%s is below zero; write 0 or more", clip(row[i]))
		}
		if err != nil {
			rd.fail(line, col, "%s", err)
			return nil
		}
		return &m
	}
	for col := range rd.cols {
		c, ok := currencyOf(col)
		if !ok || !strings.HasPrefix(col, colPrice) {
			continue
		}
		code := strings.ToLower(string(c))
		price, ref, cost := amount(col, c), amount(colReference+code, c), amount(colCost+code, c)
		if price == nil {
			if ref != nil || cost != nil {
				rd.fail(line, col, "a reference price or cost stands without a price")
			}
			continue
		}
		out[c] = catalog.Price{Price: *price, Reference: ref, Cost: cost}
	}
	return out
}

func (rd *reader) whole(line int, col, s string) int64 {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil || n < 0 || n > 1_000_000_000 {
		rd.fail(line, col, "%q is not a whole number from 0 to 1000000000", clip(s))
		return 0
	}
	return n
}

func (rd *reader) yes(line int, col, s string) bool {
	switch strings.ToLower(s) {
	case "", "no":
		return false
	case "yes":
		return true
	}
	rd.fail(line, col, "%q is neither yes nor no", clip(s))
	return false
}

func slug(s string) bool {
	if s == "" || len(s) > 80 {
		return false
	}
	return strings.Trim(s, "abcdefghijklmnopqrstuvwxyz0123456789-") == ""
}

func list(cell string) []string {
	var out []string
	for _, s := range strings.Split(cell, listMark) {
		if s = strings.TrimSpace(s); s != "" && !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}

func clip(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}

func row(p *catalog.Product, v *catalog.Variant, currencies []money.Currency, options int) []string {
	yes := func(b bool) string {
		if b {
			return "yes"
		}
		return ""
	}
	out := []string{
		p.ID, p.Title, p.Description, strings.Join(p.Collections, listMark), strings.Join(p.Tags, listMark), p.Picture,
		yes(p.GiftCard), yes(p.NeverOff), v.TaxClass, v.SKU,
	}
	for i := range options {
		if i < len(v.Options) {
			out = append(out, v.Options[i].Name, v.Options[i].Value)
		} else {
			out = append(out, "", "")
		}
	}
	stock := ""
	if v.Stock != nil {
		stock = strconv.FormatInt(*v.Stock, 10)
	}
	out = append(out, stock, strconv.FormatInt(v.Weight, 10))
	for _, c := range currencies {
		price, sold := v.Prices[c]
		cell := func(m *money.Minor) string {
			if m == nil || !sold {
				return ""
			}
			return money.Decimal(*m, c.Digits())
		}
		out = append(out, cell(&price.Price), cell(price.Reference), cell(price.Cost))
	}
	return out
}
