package merchant

import (
	"bytes"
	"encoding/csv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

func someTables() []table {
	return []table{
		{Name: "A/B: all?", Head: []string{"arm", "margin", "in words"}, Rows: [][]cell{
			{textCell("A"), moneyCell(123_456_789_012_345_678, "EUR"), textCell("=1+1, \"so\"")},
			{textCell("B"), moneyCell(-5, "JPY"), textCell("")},
		}},
		{Name: "Days", Head: []string{"day", "orders"}, Rows: [][]cell{{textCell("2026-11-27"), countCell(12)}}},
	}
}

func TestASpreadsheetHoldsEveryTableToTheDigit(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, writeXLSX(&b, someTables()))
	f, err := excelize.OpenReader(&b)
	require.NoError(t, err)
	assert.Equal(t, []string{"AB all", "Days"}, f.GetSheetList())
	rows, err := f.GetRows("AB all", excelize.Options{RawCellValue: true})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"arm", "margin", "in words"}, {"A", "1234567890123456.78", `=1+1, "so"`}, {"B", "-5"}}, rows)
	kind, err := f.GetCellType("AB all", "B2")
	require.NoError(t, err)
	assert.Equal(t, excelize.CellTypeUnset, kind, "a number")
	kind, err = f.GetCellType("AB all", "C2")
	require.NoError(t, err)
	assert.Equal(t, excelize.CellTypeSharedString, kind, "words are words, whatever they look like")
}

func TestSeveralTablesAreOneCSVOfTheirValues(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, writeCSV(&b, someTables()))
	rows, err := csv.NewReader(&b).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, [][]string{
		{"table", "row", "figure", "value"},
		{"A/B: all?", "A", "margin", "1234567890123456.78"}, {"A/B: all?", "A", "in words", `=1+1, "so"`},
		{"A/B: all?", "B", "margin", "-5"}, {"A/B: all?", "B", "in words", ""},
		{"Days", "2026-11-27", "orders", "12"},
	}, rows)
	b.Reset()
	require.NoError(t, writeCSV(&b, someTables()[1:]))
	assert.Equal(t, "day,orders\r\n2026-11-27,12\r\n", b.String())
}
