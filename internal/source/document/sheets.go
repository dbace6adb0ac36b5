package document

import (
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"
	"github.com/shopspring/decimal"
	"github.com/xuri/excelize/v2"
)

// unzipped bounds what a spreadsheet may become when it is unpacked, in bytes.
const unzipped = 1 << 30

// eachInSheet reads the rows of a sheet of a spreadsheet: its first row with a text is
// the head, cells are as they show, merged ones say in each row what they say once.
func (t *tableFile) eachInSheet(needs []string, f func(row tableCells, fault error) error) ([]string, error) {
	book, err := excelize.OpenFile(t.file, excelize.Options{UnzipSizeLimit: unzipped, UnzipXMLSizeLimit: 32 << 20,
		ShortDatePattern: "yyyy-mm-dd", LongDatePattern: "yyyy-mm-dd", LongTimePattern: "hh:mm:ss"})
	if err != nil {
		return nil, &Error{t.file, "this spreadsheet can't be read", "save it again as .xlsx, without a password, or as CSV"}
	}
	defer book.Close()
	sheets := book.GetSheetList()
	sheet := t.sheet
	var notes []string
	switch {
	case len(sheets) == 0:
		return nil, &Error{t.file, "this spreadsheet has no sheet", "save it again"}
	case sheet == "":
		if sheet = sheets[0]; len(sheets) > 1 {
			notes = append(notes, fmt.Sprintf("%s: sheet %q is read, and not %s", t.file, sheet, strings.Join(sheets[1:], ", ")))
		}
	case !slices.Contains(sheets, sheet):
		return nil, &Error{t.file, fmt.Sprintf("there is no sheet %q", sheet), "it has " + strings.Join(sheets, ", ")}
	}
	merged, err := mergedCells(book, sheet)
	if err != nil {
		return nil, &Error{t.file, "its merged cells can't be read", "save it again"}
	}
	if len(merged) > 0 {
		notes = append(notes, fmt.Sprintf("%s: merged cells say in each of their rows what they say once", t.file))
	}
	rows, err := book.Rows(sheet)
	if err != nil {
		return nil, &Error{t.file, fmt.Sprintf("sheet %q can't be read", sheet), "save it again"}
	}
	defer rows.Close()
	var head []string
	for n := 1; rows.Next(); n++ {
		cells, err := rows.Columns()
		if err != nil {
			return notes, &Error{fmt.Sprintf("%s:%d", t.file, n), "this row can't be read", "save the spreadsheet again"}
		}
		for at, text := range merged[n] {
			for len(cells) <= at {
				cells = append(cells, "")
			}
			cells[at] = text
		}
		if strings.TrimSpace(strings.Join(cells, "")) == "" {
			continue
		}
		if head == nil {
			if head, err = t.heads(cells, needs); err != nil {
				return notes, err
			}
			continue
		}
		if len(cells) > len(head) {
			t.long.add(n)
		}
		if err := f(tableCells{line: n, columns: head, get: t.getter(cells)}, nil); err != nil {
			return notes, err
		}
	}
	if head == nil {
		return notes, &Error{t.file, "the table has no header row", "put the column names in its first row"}
	}
	return append(notes, t.notes()...), rows.Error()
}

// mergedCells gives what merged cells say in the rows and columns that they reach into,
// by row from 1 and column from 0.
func mergedCells(book *excelize.File, sheet string) (map[int]map[int]string, error) {
	all, err := book.GetMergeCells(sheet)
	if err != nil {
		return nil, err
	}
	found := map[int]map[int]string{}
	for _, m := range all {
		x0, y0, err := excelize.CellNameToCoordinates(m.GetStartAxis())
		if err != nil {
			return nil, err
		}
		_, y1, err := excelize.CellNameToCoordinates(m.GetEndAxis())
		if err != nil {
			return nil, err
		}
		for y := y0; y <= min(y1, y0+maxColumns); y++ { // down, and not to the right: that would be another column
			if found[y] == nil {
				found[y] = map[int]string{}
			}
			found[y][x0-1] = m.GetCellValue()
		}
	}
	return found, nil
}

// eachInParquet reads the rows of a Parquet file; a column of a column is named with a
// dot between the two.
func (t *tableFile) eachInParquet(needs []string, f func(row tableCells, fault error) error) (_ []string, err error) {
	damaged := &Error{t.file, "this Parquet file can't be read", "write it again, or save it as CSV"}
	defer func() {
		if recover() != nil { // the library does not bear every damage
			err = damaged
		}
	}()
	in, err := os.Open(t.file)
	if err != nil {
		return nil, fileError(t.file, err)
	}
	defer in.Close()
	file, err := parquet.OpenFile(in, t.size)
	if err != nil {
		return nil, damaged
	}
	var head []string
	var kinds []parquet.Type
	for _, path := range file.Schema().Columns() {
		head = append(head, strings.Join(path, "."))
		leaf, _ := file.Schema().Lookup(path...)
		kinds = append(kinds, leaf.Node.Type())
	}
	if head, err = t.heads(head, needs); err != nil {
		return nil, err
	}
	reader := parquet.NewReader(file)
	defer reader.Close()
	buffer := make([]parquet.Row, 64)
	for n := 1; ; {
		got, err := reader.ReadRows(buffer)
		for _, row := range buffer[:got] {
			cells := make([]string, len(head))
			for _, v := range row {
				if i := v.Column(); i >= 0 && i < len(cells) && !v.IsNull() {
					if cells[i] != "" {
						cells[i] += "; " // of a list
					}
					cells[i] += textOfParquet(kinds[i], v)
				}
			}
			if err := f(tableCells{line: n, columns: head, get: t.getter(cells)}, nil); err != nil {
				return nil, err
			}
			n++
		}
		if errors.Is(err, io.EOF) {
			return nil, nil
		}
		if err != nil {
			return nil, damaged
		}
	}
}

// textOfParquet writes a value as its column means it: days, times and decimals as such.
func textOfParquet(kind parquet.Type, v parquet.Value) string {
	about := kind.LogicalType()
	isInt := v.Kind() == parquet.Int32 || v.Kind() == parquet.Int64
	if about == nil || !isInt {
		return v.String()
	}
	n := v.Int64()
	if v.Kind() == parquet.Int32 {
		n = int64(v.Int32())
	}
	switch about := about.Value.(type) {
	case *format.DateType:
		return time.Unix(n*24*3600, 0).UTC().Format(time.DateOnly)
	case *format.TimestampType:
		at := time.UnixMilli(n)
		switch about.Unit.Value.(type) {
		case *format.MicroSeconds:
			at = time.UnixMicro(n)
		case *format.NanoSeconds:
			at = time.Unix(0, n)
		}
		if about.IsAdjustedToUTC {
			return at.UTC().Format(time.RFC3339Nano)
		}
		return at.UTC().Format("2006-01-02T15:04:05.999999999")
	case *format.DecimalType:
		return decimal.New(n, -about.Scale).StringFixed(about.Scale)
	}
	return v.String()
}
