package document

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// The rows of a spreadsheet are documents: days as days, what is merged in each of its
// rows, other sheets by their names.
func TestSpreadsheets(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "hire.xlsx")
	book := excelize.NewFile()
	style, err := book.NewStyle(&excelize.Style{NumFmt: 14})
	require.NoError(t, err)
	for cell, v := range map[string]any{"A2": "tool", "B2": "note", "C2": "from", "A3": "Saw", "B3": "two\nlines", "C3": time.Date(2032, 5, 3, 0, 0, 0, 0, time.UTC), "B4": "again", "C4": 1250.5, "A5": "Drill", "D5": "no head"} {
		require.NoError(t, book.SetCellValue("Sheet1", cell, v))
	}
	require.NoError(t, book.SetCellStyle("Sheet1", "C3", "C3", style))
	require.NoError(t, book.MergeCell("Sheet1", "A3", "A4"))
	_, err = book.NewSheet("old")
	require.NoError(t, err)
	require.NoError(t, book.SetCellValue("old", "A1", "note"))
	require.NoError(t, book.SetCellValue("old", "A2", "from before"))
	require.NoError(t, book.SaveAs(file))

	found, notes, err := Table{File: file, Text: []string{"tool", "note", "from"}}.Rows(dir)
	require.NoError(t, err)
	require.Len(t, found, 3)
	assert.Equal(t, "hire.xlsx#1", found[0].ID)
	assert.Equal(t, []string{"tool: Saw\nnote: two\nlines\nfrom: 2032-05-03\n", "tool: Saw\nnote: again\nfrom: 1250.5\n", "tool: Drill\nnote: \nfrom: \n"}, []string{wholeOf(t, found[0]), wholeOf(t, found[1]), wholeOf(t, found[2])})
	said := strings.Join(notes, " ")
	for _, part := range []string{`sheet "Sheet1" is read, and not old`, "merged cells say", "a row has more cells than the head, the first in line 5"} {
		assert.Contains(t, said, part)
	}
	found, _, err = Table{File: file, Sheet: "old", Text: []string{"note"}}.Rows(dir)
	require.NoError(t, err)
	assert.Equal(t, "from before\n", wholeOf(t, found[0]))
	_, _, err = Table{File: file, Sheet: "new", Text: []string{"note"}}.Rows(dir)
	assert.ErrorContains(t, err, `there is no sheet "new"; it has Sheet1, old`)
	require.NoError(t, os.WriteFile(file, []byte("PK\x03\x04 no sheet"), 0o600))
	_, _, err = Table{File: file, Text: []string{"note"}}.Rows(dir)
	assert.ErrorContains(t, err, "this spreadsheet can't be read")
}

// The rows of a Parquet file are documents: days, times, decimals and lists as such.
func TestParquetFiles(t *testing.T) {
	type part struct {
		Name string `parquet:"name"`
	}
	type row struct {
		Note  string    `parquet:"note"`
		Day   int32     `parquet:"day,date"`
		At    time.Time `parquet:"at,timestamp(microsecond)"`
		Price int64     `parquet:"price,decimal(2:10)"`
		Parts []part    `parquet:"parts,list"`
		None  *string   `parquet:"none,optional"`
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "hire.parquet")
	var rows []row
	for i := range 200 {
		rows = append(rows, row{Note: fmt.Sprintf("note %d", i), Day: int32(i), At: time.Date(2032, 5, 3, 10, 0, i%60, 0, time.UTC), Price: int64(100*i + 5), Parts: []part{{"deck"}, {"rail"}}})
	}
	require.NoError(t, parquet.WriteFile(file, rows))
	found, _, err := Table{File: file, ID: "day", Text: []string{"note", "day", "at", "price", "parts.list.element.name", "none"}}.Rows(dir)
	require.NoError(t, err)
	require.Len(t, found, 200)
	assert.Equal(t, "hire.parquet#1970-01-08", found[7].ID)
	assert.Equal(t, "note: note 7\nday: 1970-01-08\nat: 2032-05-03T10:00:07Z\nprice: 7.05\nparts.list.element.name: deck; rail\nnone: \n", wholeOf(t, found[7]))
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	for _, cut := range []int{len(data) / 2, 20} {
		require.NoError(t, os.WriteFile(file, data[:cut], 0o600))
		_, _, err = Table{File: file, Text: []string{"note"}}.Rows(dir)
		assert.ErrorContains(t, err, "this Parquet file can't be read")
	}
	for i := range 300 { // damaged in one place
		bad := append([]byte{}, data...)
		bad[i*len(bad)/300] ^= 0x55
		require.NoError(t, os.WriteFile(file, bad, 0o600))
		_, _, _ = Table{File: file, Text: []string{"note"}}.Rows(dir)
	}
}
