package document

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"filler/internal/base/value"
)

// maxTable is the largest table that is read, in bytes, and maxRow the longest row.
const (
	maxTable = 1 << 30
	maxRow   = 16 << 20
)

// tableFile is a table on the disk. Of a text in UTF-8 the rows are not kept: each is
// read again from where it stands.
type tableFile struct {
	file     string
	sheet    string
	encoding string

	texts  []string // the columns of which a row's text is made
	comma  rune
	tabs   bool
	json   bool
	column map[string]int
	short  odd // rows with fewer cells than the head
	long   odd // and with more

	once sync.Once
	open *os.File
	size int64
	err  error
}

// odd counts rows that are not like the others, and remembers the first.
type odd struct{ n, first int }

func (c *odd) add(line int) {
	if c.n++; c.n == 1 {
		c.first = line
	}
}

// tableCells is one row.
type tableCells struct {
	line    int
	columns []string
	get     func(column string) (string, bool)
	ref     rowAt
}

// rowAt is where a row stands in its table; table is nil where it can't be read again.
type rowAt struct {
	table *tableFile
	at    int64
	n     int32
}

// each calls f with every row of a table, or with what is wrong with it: the others go
// on. The columns named in needs must be there; those in wants too where the table has
// a head. It gives what is to be noted.
func (t *tableFile) each(needs, wants []string, f func(row tableCells, fault error) error) ([]string, error) {
	info, err := os.Stat(t.file)
	if err != nil {
		return nil, fileError(t.file, err)
	}
	if info.IsDir() || info.Size() > maxTable {
		return nil, &Error{t.file, "not a readable table (a folder, or over 1 GB)", "name a CSV, TSV or JSON Lines file, a spreadsheet or a Parquet file"}
	}
	t.size = info.Size()
	switch ext := strings.ToLower(filepath.Ext(t.file)); ext {
	case ".xlsx", ".xlsm":
		return t.eachInSheet(append(needs, wants...), f)
	case ".parquet":
		return t.eachInParquet(append(needs, wants...), f)
	case ".jsonl", ".ndjson":
		t.json = true
	case ".tsv", ".tab":
		t.tabs = true
	}
	in, notes, err := t.text()
	if err != nil {
		return notes, err
	}
	if c, ok := in.(io.Closer); ok {
		defer c.Close()
	}
	if t.json {
		return notes, t.eachJSON(in, needs, f)
	}
	err = t.eachCSV(in, append(needs, wants...), f)
	return append(notes, t.notes()...), err
}

// notes says how many rows have another number of cells than the head.
func (t *tableFile) notes() (all []string) {
	if t.short.n > 0 {
		all = append(all, t.file+": "+counted(t.short.n, "a row has", "%d rows have")+fmt.Sprintf(" fewer cells than the head, the first in line %d", t.short.first))
	}
	if t.long.n > 0 {
		all = append(all, t.file+": "+counted(t.long.n, "a row has", "%d rows have")+fmt.Sprintf(" more cells than the head, the first in line %d; what has no column is not read", t.long.first))
	}
	return all
}

// text gives the table's text: the file itself where that is UTF-8, else what its bytes
// are read as.
func (t *tableFile) text() (io.ReadSeeker, []string, error) {
	file, err := os.Open(t.file)
	if err != nil {
		return nil, nil, fileError(t.file, err)
	}
	mark, plain, err := plainText(file)
	if err != nil {
		file.Close()
		return nil, nil, fileError(t.file, err)
	}
	if plain && t.encoding == "" {
		_, err = file.Seek(mark, io.SeekStart)
		return file, nil, err
	}
	defer file.Close()
	data, err := os.ReadFile(t.file)
	if err != nil {
		return nil, nil, fileError(t.file, err)
	}
	text, notes, err := decode(t.file, data, told{stated: t.encoding})
	for i := range notes {
		notes[i] = t.file + ": " + notes[i]
	}
	return strings.NewReader(text), notes, err
}

// plainText tells UTF-8 without zero bytes, and how long the mark at its start is.
func plainText(in io.ReadSeeker) (mark int64, ok bool, err error) {
	buf := make([]byte, 1<<16)
	held := 0
	for first := true; ; first = false {
		n, err := in.Read(buf[held:])
		n += held
		if first && bytes.HasPrefix(buf[:n], utf8Mark) {
			mark = int64(len(utf8Mark))
		}
		end := n
		for back := 0; back < utf8.UTFMax && end > 0 && back < end && err == nil; back++ { // a character may be cut
			if utf8.RuneStart(buf[n-1-back]) {
				if !utf8.FullRune(buf[n-1-back : n]) {
					end = n - 1 - back
				}
				break
			}
		}
		if !utf8.Valid(buf[:end]) || bytes.IndexByte(buf[:end], 0) >= 0 || bytes.Contains(buf[:end], []byte("\x1b$")) {
			return mark, false, nil
		}
		held = copy(buf, buf[end:n])
		if errors.Is(err, io.EOF) {
			return mark, held == 0, nil
		}
		if err != nil {
			return mark, false, err
		}
	}
}

// mostBroken bounds how many rows may not be CSV: each has the rest looked at again.
const mostBroken = 50

// eachCSV reads rows of cells. One that is not CSV is told, and reading goes on with
// the line below it.
func (t *tableFile) eachCSV(in io.ReadSeeker, needs []string, f func(row tableCells, fault error) error) error {
	base, err := in.Seek(0, io.SeekCurrent)
	if err != nil {
		return err
	}
	_, onDisk := in.(*os.File)
	t.comma = ','
	head, line := []string(nil), 0
	var first error
	for broken := 0; ; {
		rows, next, fault, err := t.run(in, base, line, &head, needs, onDisk, f)
		switch {
		case err != nil:
			return err
		case fault == nil:
			return nil
		case head == nil:
			return fault
		}
		first = cmp.Or(first, fault)
		if broken++; broken > mostBroken {
			var about *Error
			if errors.As(first, &about) {
				return &Error{about.File, fmt.Sprintf("%s, and so are more than %d other rows", about.Msg, mostBroken-1), "correct the quotes, or name the file .tsv if tabs part its cells"}
			}
			return first
		}
		if err := f(tableCells{}, fault); err != nil {
			return err
		}
		base, line = next, rows
		if _, err := in.Seek(base, io.SeekStart); err != nil {
			return err
		}
	}
}

// run reads rows from a place on, up to the first that is not CSV: then it gives that
// fault, and the line and the place of the line below.
func (t *tableFile) run(in io.ReadSeeker, base int64, line int, head *[]string, needs []string, onDisk bool, f func(row tableCells, fault error) error) (lines int, next int64, fault, err error) {
	buffered := bufio.NewReaderSize(in, 1<<16)
	if *head == nil {
		if t.comma = commaOf(buffered); t.tabs {
			t.comma = '\t'
		}
	}
	c := t.reader(buffered)
	for {
		from := c.InputOffset()
		cells, err := c.Read()
		var bad *csv.ParseError
		switch {
		case errors.Is(err, io.EOF) && *head == nil, errors.As(err, &bad) && *head == nil:
			return 0, 0, &Error{t.file, "the table has no header row", "put the column names in the first line"}, nil
		case errors.Is(err, io.EOF):
			return 0, 0, nil, nil
		case errors.As(err, &bad):
			place := fmt.Sprintf("%s:%d:%d", t.file, line+bad.Line, bad.Column)
			if bad.Line > bad.StartLine { // the quote that was not closed is what is wrong
				place = fmt.Sprintf("%s:%d", t.file, line+bad.StartLine)
			}
			skipped, length, serr := lineAt(in, base+from)
			return line + bad.StartLine - 1 + skipped, base + from + length, &Error{place, "not CSV: " + bad.Err.Error(), "correct the quotes in this row"}, serr
		case err != nil:
			return 0, 0, nil, err
		case *head == nil && cells[0] == "sep=": // a line for spreadsheet programs, which names the sign between cells
			continue
		case *head == nil:
			if *head, err = t.heads(cells, needs); err != nil {
				return 0, 0, nil, err
			}
			continue
		}
		at, _ := c.FieldPos(0)
		switch {
		case len(cells) < len(*head):
			t.short.add(line + at)
		case len(cells) > len(*head):
			t.long.add(line + at)
		}
		row := tableCells{line: line + at, columns: *head, get: t.getter(cells)}
		if onDisk && c.InputOffset()-from < maxRow {
			row.ref = rowAt{t, base + from, int32(c.InputOffset() - from)}
		}
		if err := f(row, nil); err != nil {
			return 0, 0, nil, err
		}
	}
}

func (t *tableFile) reader(in io.Reader) *csv.Reader {
	c := csv.NewReader(in)
	c.FieldsPerRecord, c.LazyQuotes, c.Comma, c.ReuseRecord = -1, t.tabs, t.comma, true
	return c
}

// commaOf gives the sign between cells by the first line: a comma, unless it has more of
// another one outside of quotes.
func commaOf(in *bufio.Reader) rune {
	head, _ := in.Peek(4096)
	head = bytes.TrimPrefix(head, []byte("\ufeff"))
	counts := map[rune]int{}
	quoted := false
	for _, r := range string(head) {
		switch {
		case r == '"':
			quoted = !quoted
		case quoted:
		case r == '\n' && len(counts) > 0:
			return mostOf(counts)
		case strings.ContainsRune(",;\t|", r):
			counts[r]++
		}
	}
	return mostOf(counts)
}

func mostOf(counts map[rune]int) rune {
	most := ','
	for _, r := range ";\t|" {
		if counts[r] > counts[most] {
			most = r
		}
	}
	return most
}

// lineAt gives how many lines, blank ones before it included, and how many bytes the
// first line from a place on takes.
func lineAt(in io.ReadSeeker, at int64) (lines int, length int64, err error) {
	if _, err := in.Seek(at, io.SeekStart); err != nil {
		return 0, 0, err
	}
	r := bufio.NewReader(in)
	for {
		text, err := r.ReadSlice('\n')
		length += int64(len(text))
		switch {
		case errors.Is(err, bufio.ErrBufferFull):
			continue
		case errors.Is(err, io.EOF):
			return lines + 1, length, nil
		case err != nil:
			return 0, 0, err
		}
		if lines++; len(bytes.TrimSpace(text)) > 0 {
			return lines, length, nil
		}
	}
}

// heads takes the names of the columns.
func (t *tableFile) heads(cells, needs []string) ([]string, error) {
	head := make([]string, len(cells))
	t.column = map[string]int{}
	twice := map[string]bool{}
	for i, name := range cells {
		head[i] = inOneLine(name)
		_, twice[head[i]] = t.column[head[i]]
		t.column[head[i]] = i
	}
	for _, name := range needs {
		if _, ok := t.column[inOneLine(name)]; !ok {
			return nil, &Error{t.file, fmt.Sprintf("there is no column %q", name), "the table has " + strings.Join(head, ", ")}
		}
		if twice[inOneLine(name)] {
			return nil, &Error{t.file, fmt.Sprintf("two columns are called %q", name), "give each a name of its own in the first line"}
		}
	}
	return head, nil
}

// inOneLine gives the name of a column as it is written in filler.yaml: with its line
// breaks and gaps as one space.
func inOneLine(name string) string { return strings.Join(strings.Fields(name), " ") }

func (t *tableFile) getter(cells []string) func(string) (string, bool) {
	return func(name string) (string, bool) {
		i, ok := t.column[inOneLine(name)]
		if !ok || i >= len(cells) {
			return "", ok
		}
		return cells[i], true
	}
}

// eachJSON reads an object a line.
func (t *tableFile) eachJSON(in io.ReadSeeker, needs []string, f func(row tableCells, fault error) error) error {
	at, err := in.Seek(0, io.SeekCurrent)
	if err != nil {
		return err
	}
	_, onDisk := in.(*os.File)
	r := bufio.NewReaderSize(in, 1<<16)
	for n := 1; ; n++ {
		text, err := r.ReadBytes('\n')
		if err != nil && !errors.Is(err, io.EOF) {
			return err
		}
		if len(bytes.TrimSpace(text)) > 0 {
			row, fault := t.object(n, string(text), needs)
			if onDisk && len(text) < maxRow {
				row.ref = rowAt{t, at, int32(len(text))}
			}
			if err := f(row, fault); err != nil {
				return err
			}
		}
		if at += int64(len(text)); err != nil {
			return nil
		}
	}
}

// object reads a line that is an object.
func (t *tableFile) object(n int, text string, needs []string) (tableCells, error) {
	place := fmt.Sprintf("%s:%d", t.file, n)
	v, err := value.Parse(text)
	if err != nil || v.Kind != value.Object {
		return tableCells{}, &Error{place, "this line is not a JSON object", "correct it"}
	}
	row := tableCells{line: n, get: func(name string) (string, bool) {
		kid := v.Get(name)
		switch {
		case kid == nil:
			return "", false
		case kid.Kind == value.Null:
			return "", true
		case len(kid.Kids) > 0:
			return kid.Named("").String(), true
		}
		return kid.Text, true
	}}
	for k := range v.Kids {
		row.columns = append(row.columns, v.Kids[k].Name)
	}
	for _, name := range needs {
		if !slices.Contains(row.columns, name) {
			return tableCells{}, &Error{place, fmt.Sprintf("there is no column %q", name), "the row has " + strings.Join(row.columns, ", ")}
		}
	}
	return row, nil
}

// read gives the text of a row.
func (at rowAt) read() (string, error) {
	t := at.table
	t.once.Do(func() {
		if t.open, t.err = os.Open(t.file); t.err == nil {
			var info os.FileInfo
			if info, t.err = t.open.Stat(); t.err == nil && info.Size() != t.size {
				t.err = errChanged
			}
		}
	})
	changed := &Error{t.file, "the table has changed since it was read", "begin again"}
	if t.err != nil {
		return "", changed
	}
	data := make([]byte, at.n)
	if _, err := t.open.ReadAt(data, at.at); err != nil {
		return "", changed
	}
	if t.json {
		row, err := t.object(0, string(data), nil)
		if err != nil {
			return "", changed
		}
		return textOfRow(t.texts, row.get), nil
	}
	cells, err := t.reader(bytes.NewReader(data)).Read()
	if err != nil {
		return "", changed
	}
	return textOfRow(t.texts, t.getter(cells)), nil
}

var errChanged = errors.New("changed")
