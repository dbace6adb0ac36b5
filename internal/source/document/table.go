package document

import (
	"fmt"
	"path/filepath"
	"strings"

	"filler/internal/base/project"
	"filler/internal/source/fetch"
)

// Table is a file in which every row is a document.
type Table struct {
	File     string   // CSV, TSV (by its name), JSON Lines, a spreadsheet or a Parquet file
	Sheet    string   // of a spreadsheet; "" is the first
	Encoding string   // of a text file, where the user states it
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

// Rows gives the rows of the table as sources, and what is to be noted of it. root is
// the folder that ids are relative to; a row's id is the file's with # and the row's
// mark behind it. With LeftOut come the rows that are sound. Where a row is what is
// kept, and not its text: that is read again when it is asked for.
func (t Table) Rows(root string) (found []Source, notes []string, err error) {
	if len(t.Text) == 0 && t.From == "" {
		return nil, nil, &Error{t.File, "no text columns are named", "add `text: [column]`, or `from: column` for one that names files or addresses"}
	}
	r := &rows{Table: t, root: root, id: IDOf(root, t.File), seen: map[string]int32{}, metadata: map[string]Metadata{}}
	needs := append([]string{}, t.Text...)
	wants := append([]string{}, t.Metadata...)
	if t.ID != "" {
		wants = append(wants, t.ID)
	}
	if t.From != "" {
		needs = append(needs, t.From)
	}
	var faults LeftOut
	n := 0
	notes, err = t.file().each(needs, wants, func(row tableCells, fault error) error {
		n++
		if fault == nil {
			fault = r.add(n, row)
		}
		if fault != nil {
			faults = append(faults, fault)
		}
		return nil
	})
	switch {
	case err != nil:
		return nil, notes, err
	case len(faults) > 0:
		return r.sources, notes, faults
	case len(r.sources) == 0:
		return nil, notes, &Error{t.File, "the table has no rows", "add one, or remove the table"}
	}
	return r.sources, notes, nil
}

// file gives what reads the table.
func (t Table) file() *tableFile {
	return &tableFile{file: t.File, sheet: t.Sheet, encoding: t.Encoding}
}

type rows struct {
	Table
	root     string
	id       string
	seen     map[string]int32    // mark → line
	metadata map[string]Metadata // rows with the same share them
	sources  []Source
}

// add takes one row in, the nth.
func (r *rows) add(n int, row tableCells) error {
	at := fmt.Sprintf("%s:%d", r.File, row.line)
	mark := fmt.Sprint(n)
	if r.ID != "" {
		m, _ := row.get(r.ID)
		if mark = strings.TrimSpace(m); mark == "" {
			return &Error{at, fmt.Sprintf("the row has nothing in the id column %q", r.ID), "fill it in, or leave `id` out"}
		}
	}
	if first, again := r.seen[mark]; again {
		return &Error{at, fmt.Sprintf("a second row with the id %q (the first is in line %d)", mark, first), "ids must differ; change one"}
	}
	s := Source{ID: r.id + "#" + mark, Metadata: r.known(row)}
	r.seen[s.ID[len(r.id)+1:]] = int32(row.line)
	if r.From != "" {
		name, _ := row.get(r.From)
		var err error
		if s.File, err = r.from(at, strings.TrimSpace(name)); err != nil {
			return err
		}
		r.sources = append(r.sources, s)
		return nil
	}
	if s.row = row.ref; s.row.table == nil {
		s.Text = textOfRow(r.Text, row.get)
	} else if s.row.table.texts == nil {
		s.row.table.texts = r.Text
	}
	r.sources = append(r.sources, s)
	return nil
}

// known gives the metadata of a row.
func (r *rows) known(row tableCells) Metadata {
	var m Metadata
	key := ""
	for _, c := range r.Metadata {
		v, _ := row.get(c)
		if v = strings.TrimSpace(v); v != "" {
			if m == nil {
				m = Metadata{}
			}
			m[c] = v
		}
		key += v + "\x00"
	}
	if same, ok := r.metadata[key]; ok {
		return same
	}
	if m != nil && len(r.metadata) < mostShared {
		r.metadata[key] = m
	}
	return m
}

// mostShared bounds how many different metadata are shared among rows.
const mostShared = 10_000

// textOfRow gives the text of a row as Parse would make it, so that the text's hash is
// the source's; of several columns each stands behind its name.
func textOfRow(columns []string, get func(string) (string, bool)) string {
	var b strings.Builder
	for _, column := range columns {
		text, _ := get(column)
		if len(columns) > 1 {
			fmt.Fprintf(&b, "%s: ", column)
		}
		text = strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)
		b.WriteString(strings.TrimSpace(text) + "\n")
	}
	return b.String()
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
