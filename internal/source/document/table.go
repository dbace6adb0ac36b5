package document

import (
	"encoding/csv"
	"errors"
	"filler/internal/base/project"
	"filler/internal/source/fetch"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"filler/internal/base/value"
)

// Table is a file in which every row is a document.
type Table struct {
	File     string   // CSV, TSV (by its name) or JSON Lines
	ID       string   // the column whose values tell rows apart; "" counts rows
	Text     []string // the columns that hold the text; with several each stands behind its name
	From     string   // or the column that names a file (beside the table) or an address
	Metadata []string // columns that are metadata of the documents
}

// LeftOut are the faults of single sources; the others are fine.
type LeftOut []error

func (f LeftOut) Error() string {
	if len(f) == 1 {
		return f[0].Error()
	}
	return fmt.Sprintf("%s (and %d more)", f[0], len(f)-1)
}

// Rows gives the rows of the table as sources. root is the folder that ids are
// relative to; a row's id is the file's with # and the row's mark behind it.
// With LeftOut come the rows that are sound.
func (t Table) Rows(root string) ([]Source, error) {
	if len(t.Text) == 0 && t.From == "" {
		return nil, &Error{t.File, "no text columns are named", "add `text: [column]`, or `from: column` for one that names files or addresses"}
	}
	r := &rows{Table: t, root: root, id: idOf(root, t.File), seen: map[string]int{}}
	needs := append([]string{}, t.Text...)
	wants := append([]string{}, t.Metadata...)
	if t.ID != "" {
		wants = append(wants, t.ID)
	}
	if t.From != "" {
		needs = append(needs, t.From)
	}
	var faults LeftOut
	err := eachRow(t.File, needs, wants, func(line int, _ []string, get func(string) (string, bool)) error {
		if err := r.add(line, get); err != nil {
			faults = append(faults, err)
		}
		return nil
	})
	switch {
	case err != nil:
		return nil, err
	case len(faults) > 0:
		return r.sources, faults
	case len(r.sources) == 0:
		return nil, &Error{t.File, "the table has no rows", "add one, or remove the table"}
	}
	return r.sources, nil
}

// maxTable is the largest table that is read, in bytes.
const maxTable = 1 << 30

// eachRow calls f with every row of a table. The columns named in needs must be
// there; those in wants too where the table has a head.
func eachRow(file string, needs, wants []string, f func(line int, columns []string, get func(column string) (string, bool)) error) error {
	info, err := os.Stat(file)
	if err != nil {
		return fileError(file, err)
	}
	if info.IsDir() || info.Size() > maxTable {
		return &Error{file, "not a readable table (a folder, or over 1 GB)", "name a CSV, TSV or JSON Lines file"}
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return fileError(file, err)
	}
	text, _, err := decode(file, data, told{})
	if err != nil {
		return err
	}
	ext := strings.ToLower(filepath.Ext(file))
	if ext == ".jsonl" || ext == ".ndjson" {
		return eachJSON(file, text, needs, f)
	}
	return eachCSV(file, text, ext == ".tsv" || ext == ".tab", append(needs, wants...), f)
}

type rows struct {
	Table
	root    string
	id      string
	seen    map[string]int // mark → row
	sources []Source
}

// add takes one row in; get gives the text of a column.
func (r *rows) add(line int, get func(column string) (string, bool)) error {
	at := fmt.Sprintf("%s:%d", r.File, line)
	mark := fmt.Sprint(len(r.sources) + 1)
	if r.ID != "" {
		m, _ := get(r.ID)
		if mark = strings.TrimSpace(m); mark == "" {
			return &Error{at, fmt.Sprintf("the row has nothing in the id column %q", r.ID), "fill it in, or leave `id` out"}
		}
	}
	if first, again := r.seen[mark]; again {
		return &Error{at, fmt.Sprintf("a second row with the id %q (the first is in line %d)", mark, first), "ids must differ; change one"}
	}
	r.seen[mark] = line
	s := Source{ID: r.id + "#" + mark}
	for _, c := range r.Metadata {
		if v, _ := get(c); strings.TrimSpace(v) != "" {
			if s.Metadata == nil {
				s.Metadata = Metadata{}
			}
			s.Metadata[c] = strings.TrimSpace(v)
		}
	}
	if r.From != "" {
		name, _ := get(r.From)
		var err error
		if s.File, err = r.from(at, strings.TrimSpace(name)); err != nil {
			return err
		}
		r.sources = append(r.sources, s)
		return nil
	}
	var b strings.Builder
	for _, column := range r.Text {
		text, _ := get(column)
		if len(r.Text) > 1 {
			fmt.Fprintf(&b, "%s: ", column)
		}
		// As Parse would make it, so that the text's hash is the source's.
		text = strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)
		b.WriteString(strings.TrimSpace(text) + "\n")
	}
	s.Text = b.String()
	r.sources = append(r.sources, s)
	return nil
}

// from gives the file or address that a row names. A file must lie in the
// project, or beside the table or below it: a table that came from elsewhere
// must not be able to send any file of this machine to a model.
func (r *rows) from(at, name string) (string, error) {
	switch {
	case name == "":
		return "", &Error{at, fmt.Sprintf("the row has nothing in the column %q, which names what to read", r.From), "fill it in, or remove the row"}
	case IsAddress(name):
		return fetch.Shown(name), nil
	case strings.Contains(name, "://"):
		return "", &Error{at, fmt.Sprintf("%s is not an address that can be fetched", project.OneLine(name)), "addresses begin with http:// or https://"}
	}
	file := filepath.FromSlash(name)
	if !filepath.IsAbs(file) {
		file = filepath.Join(filepath.Dir(r.File), file)
	}
	if !within(r.root, file) && !within(filepath.Dir(r.File), file) {
		return "", &Error{at, fmt.Sprintf("%s lies outside the project", project.OneLine(name)), "move the file into it"}
	}
	return file, nil
}

func eachCSV(file, text string, tabs bool, needs []string, f func(int, []string, func(string) (string, bool)) error) error {
	in := csv.NewReader(strings.NewReader(text))
	in.FieldsPerRecord = -1
	in.LazyQuotes = tabs
	if tabs {
		in.Comma = '\t'
	} else if head, _, _ := strings.Cut(text, "\n"); strings.Count(head, ";") > strings.Count(head, ",") {
		in.Comma = ';'
	}
	head, err := in.Read()
	if err != nil {
		return &Error{file, "the table has no header row", "put the column names in the first line"}
	}
	column := map[string]int{}
	for i, name := range head {
		head[i] = strings.TrimSpace(name)
		column[head[i]] = i
	}
	for _, name := range needs {
		if _, ok := column[name]; !ok {
			return &Error{file, fmt.Sprintf("there is no column %q", name), "the table has " + strings.Join(head, ", ")}
		}
	}
	for {
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		var bad *csv.ParseError
		if errors.As(err, &bad) {
			return &Error{fmt.Sprintf("%s:%d:%d", file, bad.Line, bad.Column), "not CSV: " + bad.Err.Error(), "correct the quotes in this row"}
		}
		if err != nil {
			return err
		}
		line, _ := in.FieldPos(0)
		err = f(line, head, func(name string) (string, bool) {
			i, ok := column[name]
			if !ok || i >= len(row) {
				return "", ok
			}
			return row[i], true
		})
		if err != nil {
			return err
		}
	}
}

func eachJSON(file, text string, needs []string, f func(int, []string, func(string) (string, bool)) error) error {
	for i, l := range strings.Split(text, "\n") {
		if strings.TrimSpace(l) == "" {
			continue
		}
		v, err := value.Parse(l)
		if err != nil || v.Kind != value.Object {
			return &Error{fmt.Sprintf("%s:%d", file, i+1), "this line is not a JSON object", "correct it"}
		}
		var columns []string
		for k := range v.Kids {
			columns = append(columns, v.Kids[k].Name)
		}
		for _, name := range needs {
			if !slices.Contains(columns, name) {
				return &Error{fmt.Sprintf("%s:%d", file, i+1), fmt.Sprintf("there is no column %q", name), "the row has " + strings.Join(columns, ", ")}
			}
		}
		err = f(i+1, columns, func(name string) (string, bool) {
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
		})
		if err != nil {
			return err
		}
	}
	return nil
}
