package catalogcsv

import (
	"bytes"
	"encoding/csv"

	"agonal.dev/agonal/core/catalog"
)

// Write prints products in the order given. Reading it back gives the same
// products, and writing those the same bytes.
func Write(products []catalog.Product) ([]byte, error) {
	currencies, options := shape(products)
	header := fixedColumns(options)
	for _, c := range currencies {
		header = append(header, colPrice+string(c), colReference+string(c), colCost+string(c))
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.UseCRLF = true // as RFC 4180 has it
	if err := w.Write(header); err != nil {
		return nil, err
	}
	for _, p := range products {
		for _, v := range p.Variants {
			if err := w.Write(row(&p, &v, currencies, options)); err != nil {
				return nil, err
			}
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}
