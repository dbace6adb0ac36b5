package document

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"filler/internal/value"
)

// Table is a file in which every row is a document.
type Table struct {
	File string   // CSV, TSV (by its name) or JSON Lines
	ID   string   // the column whose values tell rows apart; "" counts rows
	Text []string // the columns that hold the text; with several each stands behind its name
}

// Rows gives the rows of the table as sources. root is the folder that ids are
// relative to; a row's id is the file's with # and the row's mark behind it.
func (t Table) Rows(root string) ([]Source, error) {
	data, err := os.ReadFile(t.File)
	if err != nil {
		return nil, fileError(t.File, err)
	}
	text, _, err := decode(t.File, data)
	if err != nil {
		return nil, err
	}
	if len(t.Text) == 0 {
		return nil, &Error{t.File, "the table does not say which columns hold the text", "add `text: [column]`"}
	}
	r := &rows{Table: t, id: idOf(root, t.File), seen: map[string]int{}}
	if ext := strings.ToLower(filepath.Ext(t.File)); ext == ".jsonl" || ext == ".ndjson" {
		err = r.json(text)
	} else {
		err = r.csv(text, ext == ".tsv" || ext == ".tab")
	}
	if err == nil && len(r.sources) == 0 {
		err = &Error{t.File, "the table has no rows", "put one in, or take the table out"}
	}
	return r.sources, err
}

type rows struct {
	Table
	id      string
	seen    map[string]int // mark → row
	sources []Source
}

// add takes one row in; get gives the text of a column.
func (r *rows) add(line int, get func(column string) (string, bool)) error {
	mark := fmt.Sprint(len(r.sources) + 1)
	if r.ID != "" {
		m, ok := get(r.ID)
		if mark = strings.TrimSpace(m); !ok || mark == "" {
			return &Error{fmt.Sprintf("%s:%d", r.File, line), fmt.Sprintf("the row has nothing in the column %q, which tells rows apart", r.ID), "fill it in, or leave `id` out"}
		}
	}
	if first, again := r.seen[mark]; again {
		return &Error{fmt.Sprintf("%s:%d", r.File, line), fmt.Sprintf("a second row with the mark %q (the first is in line %d)", mark, first), "marks tell rows apart; mend one"}
	}
	r.seen[mark] = line
	var b strings.Builder
	for _, column := range r.Text {
		text, ok := get(column)
		if !ok {
			return &Error{fmt.Sprintf("%s:%d", r.File, line), fmt.Sprintf("there is no column %q", column), "check the names under `text`"}
		}
		if len(r.Text) > 1 {
			fmt.Fprintf(&b, "%s: ", column)
		}
		// As Parse would make it, so that the text's hash is the source's.
		text = strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)
		b.WriteString(strings.TrimSpace(text) + "\n")
	}
	r.sources = append(r.sources, Source{ID: r.id + "#" + mark, Text: b.String()})
	return nil
}

func (r *rows) csv(text string, tabs bool) error {
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
		return &Error{r.File, "the table has no head with the names of its columns", "put one in the first line"}
	}
	column := map[string]int{}
	for i, name := range head {
		column[strings.TrimSpace(name)] = i
	}
	for _, name := range append([]string{r.ID}, r.Text...) {
		if _, ok := column[name]; !ok && name != "" {
			return &Error{r.File, fmt.Sprintf("there is no column %q", name), "the table has " + strings.Join(head, ", ")}
		}
	}
	for {
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		var bad *csv.ParseError
		if errors.As(err, &bad) {
			return &Error{fmt.Sprintf("%s:%d:%d", r.File, bad.Line, bad.Column), "not CSV: " + bad.Err.Error(), "mend the quotes in this row"}
		}
		if err != nil {
			return err
		}
		line, _ := in.FieldPos(0)
		err = r.add(line, func(name string) (string, bool) {
			i := column[name]
			if i >= len(row) {
				return "", true
			}
			return row[i], true
		})
		if err != nil {
			return err
		}
	}
}

func (r *rows) json(text string) error {
	for i, l := range strings.Split(text, "\n") {
		if strings.TrimSpace(l) == "" {
			continue
		}
		v, err := value.Parse(l)
		if err != nil || v.Kind != value.Object {
			return &Error{fmt.Sprintf("%s:%d", r.File, i+1), "this line is no JSON object", "mend it"}
		}
		err = r.add(i+1, func(name string) (string, bool) {
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
