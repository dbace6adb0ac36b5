package export

import (
	"archive/zip"
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
)

// Limits of the format (ECMA-376, and what programs take).
const (
	sheetRows   = 1_048_576
	cellLetters = 32_767
	sheetName   = 31
)

// XLSX writes a workbook: a sheet a table, its head frozen, and a sheet that tells
// what the columns are.
type XLSX struct {
	plan   *Plan
	file   *excelize.File
	sheets []*excelize.StreamWriter
	rows   []int
	day    int // the style of days
	path   string
	at     string // where it will stand
}

// NewXLSX begins a workbook that is written beside its place when it is closed.
func NewXLSX(p *Plan, into *File) (*XLSX, error) {
	x := &XLSX{plan: p, file: excelize.NewFile(), path: into.Temp, at: into.Path}
	bold, err := x.file.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return nil, err
	}
	format := "yyyy-mm-dd"
	if x.day, err = x.file.NewStyle(&excelize.Style{CustomNumFmt: &format}); err != nil {
		return nil, err
	}
	taken := map[string]bool{"fields": true}
	for i, t := range p.Tables {
		sheet := clippedName(t.Name, taken)
		if i == 0 {
			err = x.file.SetSheetName("Sheet1", sheet)
		} else {
			_, err = x.file.NewSheet(sheet)
		}
		if err != nil {
			return nil, err
		}
		w, err := x.file.NewStreamWriter(sheet)
		if err != nil {
			return nil, err
		}
		if err := w.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
			return nil, err
		}
		var head []any
		for k := range t.Columns {
			head = append(head, excelize.Cell{StyleID: bold, Value: t.Columns[k].Name})
		}
		if err := w.SetRow("A1", head); err != nil {
			return nil, err
		}
		x.sheets, x.rows = append(x.sheets, w), append(x.rows, 1)
	}
	return x, nil
}

// clippedName gives a name that a sheet may have and no other has.
func clippedName(name string, taken map[string]bool) string {
	for n := 1; ; n++ {
		end := ""
		if n > 1 {
			end = "_" + strconv.Itoa(n)
		}
		out := name[:min(len(name), sheetName-len(end))] + end
		if !taken[out] {
			taken[out] = true
			return out
		}
	}
}

// Row writes a row.
func (x *XLSX) Row(t int, row []Cell) error {
	if x.rows[t]++; x.rows[t] > sheetRows {
		return &Error{x.at, fmt.Sprintf("table %s has more rows than a sheet holds (%d)", x.plan.Tables[t].Name, sheetRows-1), "use --to csv or parquet"}
	}
	cells := make([]any, len(row))
	for i, c := range row {
		column := &x.plan.Tables[t].Columns[i]
		if utf8.RuneCountInString(c.Text) > cellLetters {
			return &Error{x.at, fmt.Sprintf("table %s, row %d, column %s: a cell holds at most %d letters", x.plan.Tables[t].Name, x.rows[t], column.Name, cellLetters), "use --to csv or parquet, or leave the column out with --columns"}
		}
		cells[i] = x.cell(column, c)
	}
	return x.sheets[t].SetRow("A"+strconv.Itoa(x.rows[t]), cells)
}

// exactDigits is how many digits a number of a spreadsheet has.
const exactDigits = 15

func (x *XLSX) cell(c *Column, cell Cell) any {
	switch {
	case cell.Null:
		return nil
	case c.Kind == Integer || c.Kind == Number:
		if f, err := strconv.ParseFloat(cell.Text, 64); err == nil && len(strings.Trim(cell.Text, "-0.")) <= exactDigits {
			return f
		}
	case c.Kind == Boolean:
		return cell.Text == "true"
	case c.Kind == Date:
		if day, err := time.Parse(time.DateOnly, cell.Text); err == nil && day.Year() >= 1901 {
			return excelize.Cell{StyleID: x.day, Value: day}
		}
	}
	return cell.Text
}

// Close writes the sheet of fields and the file.
func (x *XLSX) Close() error {
	for _, w := range x.sheets {
		if err := w.Flush(); err != nil {
			return err
		}
	}
	if _, err := x.file.NewSheet("fields"); err != nil {
		return err
	}
	w, err := x.file.NewStreamWriter("fields")
	if err != nil {
		return err
	}
	rows := [][]any{{"table", "column", "field", "about"}}
	for _, t := range x.plan.Tables {
		for i := range t.Columns {
			c, field := &t.Columns[i], ""
			if c.Field != nil {
				field = c.Field.Path
			}
			rows = append(rows, []any{t.Name, c.Name, field, c.About()})
		}
	}
	for i, r := range rows {
		if err := w.SetRow("A"+strconv.Itoa(i+1), r); err != nil {
			return err
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	// What the library notes of now would make other bytes of the same records.
	if err := x.file.SetDocProps(&excelize.DocProperties{Created: "2000-01-01T00:00:00Z", Modified: "2000-01-01T00:00:00Z"}); err != nil {
		return err
	}
	raw := x.path + ".zip.xlsx" // the library takes the endings of workbooks alone
	defer os.Remove(raw)
	if err := x.file.SaveAs(raw); err != nil {
		return err
	}
	if err := x.file.Close(); err != nil {
		return err
	}
	return inOneOrder(raw, x.path)
}

// inOneOrder writes an archive again with its files in the order of their names: the
// library's changes from time to time.
func inOneOrder(from, to string) error {
	r, err := zip.OpenReader(from)
	if err != nil {
		return err
	}
	defer r.Close()
	out, err := os.Create(to)
	if err != nil {
		return err
	}
	defer out.Close()
	slices.SortFunc(r.File, func(a, b *zip.File) int { return strings.Compare(a.Name, b.Name) })
	w := zip.NewWriter(out)
	for _, f := range r.File {
		if err := w.Copy(f); err != nil {
			return err
		}
	}
	return w.Close()
}
