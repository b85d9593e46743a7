package merchant

import (
	"encoding/csv"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"
	"github.com/xuri/excelize/v2"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/serving"
)

// table is a table to take along. Its first column names the row.
type table struct {
	Name string
	Head []string
	Rows [][]cell
}

// cell is one value of a table: text, a whole number, or a decimal as exact text.
type cell struct {
	text   string
	number bool
}

func textCell(s string) cell  { return cell{text: s} }
func countCell(n int64) cell  { return cell{strconv.FormatInt(n, 10), true} }
func shareCell(x string) cell { return cell{x, x != ""} }

// moneyCell is an amount with as many digits as its currency has.
func moneyCell(m money.Minor, of money.Currency) cell {
	return cell{money.Decimal(m, of.Digits()), true}
}

// takeAlong sends tables in the format that the address asks for: one table as CSV as it is,
// several with a line for each of their values, or all of them as sheets of an XLSX file.
func takeAlong(c *echo.Context, name string, tables []table) error {
	serving.LongTransfer(c)
	h := c.Response().Header()
	if strings.HasSuffix(c.Request().URL.Path, ".xlsx") {
		h.Set("Content-Disposition", `attachment; filename="`+name+`.xlsx"`)
		h.Set("Content-Type", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
		return writeXLSX(c.Response(), tables)
	}
	h.Set("Content-Disposition", `attachment; filename="`+name+`.csv"`)
	h.Set("Content-Type", "text/csv; charset=utf-8")
	return writeCSV(c.Response(), tables)
}

func writeCSV(to io.Writer, tables []table) error {
	w := csv.NewWriter(to)
	w.UseCRLF = true
	if len(tables) == 1 {
		w.Write(tables[0].Head)
		for _, row := range tables[0].Rows {
			line := make([]string, len(row))
			for i, x := range row {
				line[i] = x.text
			}
			w.Write(line)
		}
	} else {
		w.Write([]string{"table", "row", "figure", "value"})
		for _, t := range tables {
			for _, row := range t.Rows {
				for i := 1; i < len(row); i++ {
					w.Write([]string{t.Name, row[0].text, t.Head[i], row[i].text})
				}
			}
		}
	}
	w.Flush()
	return w.Error()
}

func writeXLSX(to io.Writer, tables []table) error {
	f := excelize.NewFile()
	defer func() { _ = f.Close() }()
	head, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	for i, t := range tables {
		name := sheetName(t.Name)
		if i == 0 {
			err = f.SetSheetName(f.GetSheetName(0), name)
		} else {
			_, err = f.NewSheet(name)
		}
		if err != nil {
			return fmt.Errorf("sheet %s: %w", name, err)
		}
		put := func(row, column int, x cell) error {
			at, err := excelize.CoordinatesToCellName(column+1, row+1)
			if err != nil {
				return err
			}
			if x.number {
				return f.SetCellDefault(name, at, x.text) // the digits as they are, never through a float
			}
			return f.SetCellStr(name, at, x.text)
		}
		for k, text := range t.Head {
			if err := put(0, k, textCell(text)); err != nil {
				return err
			}
		}
		for r, row := range t.Rows {
			for k, x := range row {
				if err := put(r+1, k, x); err != nil {
					return err
				}
			}
		}
		if err := f.SetRowStyle(name, 1, 1, head); err != nil {
			return err
		}
		if err := f.SetColWidth(name, "A", "A", 32); err != nil {
			return err
		}
	}
	return f.Write(to)
}

// sheetName leaves out what the name of a sheet cannot hold.
func sheetName(s string) string {
	s = strings.Map(func(r rune) rune {
		if strings.ContainsRune(`[]:*?/\`, r) {
			return -1
		}
		return r
	}, s)
	if r := []rune(s); len(r) > excelize.MaxSheetNameLength {
		s = string(r[:excelize.MaxSheetNameLength])
	}
	return s
}

// pictureOf sends a drawing to be taken along.
func pictureOf(c *echo.Context, name string, svg []byte) error {
	// It brings its own styles, and nothing else that could run.
	c.Response().Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; sandbox")
	if c.QueryParam("take") == "yes" {
		c.Response().Header().Set("Content-Disposition", `attachment; filename="`+name+`.svg"`)
	}
	return c.Blob(http.StatusOK, "image/svg+xml; charset=utf-8", svg)
}

// takeAlongView is what can be taken along of a page.
type takeAlongView struct {
	Tables   string // address without its ending
	Query    template.URL
	Pictures []pictureView
}

type pictureView struct{ Name, At, File string }
