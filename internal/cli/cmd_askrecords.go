package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/out/export"
	"filler/internal/out/question"
	"filler/internal/record"
)

// askRecords answers a SELECT, or a question that a model makes one of, from records as
// tables.
func (a *app) askRecords(ctx context.Context, o *asking, text string) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	if !o.sensitive && record.NewCover(w.schema) != nil {
		return errors.New("fields of this schema are sensitive, and their values stand in the tables; --sensitive asks them")
	}
	dir, err := os.MkdirTemp("", "filler-ask-*")
	if err != nil {
		return fmt.Errorf("no temporary folder can be made: %w", err)
	}
	defer os.RemoveAll(dir)
	file := filepath.Join(dir, "records.sqlite")
	tables := &export.Job{Schema: w.schema, To: "sqlite", Path: file, All: true, Options: export.Options{Evidence: true}}
	e, err := tables.Begin(ctx)
	if err != nil {
		return err
	}
	counts := map[record.Status]int{}
	if _, err = a.eachDecided(w, o.judged, o.run, func(n int, l record.Line, err error) error {
		if err != nil {
			return lineFault(o.recordsFile, n, err)
		}
		if counts[l.Status]++; l.Status == record.Failed {
			return nil
		}
		return e.Line(&l, "")
	}); err != nil {
		e.Abandon()
		return err
	}
	if err := e.Close(); err != nil {
		return err
	}
	defer a.restsOn(counts)
	if o.statement == "" {
		return a.askInWords(ctx, o, w, e.Plan, file, text)
	}
	answer, err := export.Query(ctx, file, o.statement)
	var refused *export.Refused
	if errors.As(err, &refused) {
		var names []string
		for _, t := range e.Plan.Tables {
			names = append(names, t.Name)
		}
		return fmt.Errorf("--sql: %s; the tables are %s; `filler export -o FILE.sqlite` writes them", refused.Why, strings.Join(names, ", "))
	}
	if err != nil {
		return err
	}
	a.printAnswer(answer, o.asJSON)
	mixed, err := e.Plan.Mixed(ctx, file, o.statement)
	for _, m := range mixed {
		a.notef("warning: %s\n", m)
	}
	return err
}

// restsOn says of what records an answer is made, where not all of them are sound.
func (a *app) restsOn(counts map[record.Status]int) {
	var parts []string
	if n := counts[record.Flagged]; n > 0 {
		parts = append(parts, "with problems and in the tables: "+plural(n, "record"))
	}
	if n := counts[record.Failed]; n > 0 {
		parts = append(parts, "without a record: "+plural(n, "document"))
	}
	if len(parts) > 0 {
		a.notef("note: %s\n", strings.Join(parts, "; "))
	}
}

func (a *app) printAnswer(answer *export.Answer, asJSON bool) {
	t := a.newTable(answer.Columns...)
	for i, row := range answer.Rows {
		cells := make([]any, len(row))
		for j, text := range row {
			if cells[j] = text; answer.Nulls[i][j] {
				cells[j] = field{"–", faint}
			}
		}
		if t.row(cells...); asJSON {
			a.printJSON(rowJSON(answer, i))
		}
	}
	if !asJSON {
		t.print()
	}
	if answer.More {
		a.notef("only the first %s are shown; add LIMIT, or export the tables\n", plural(len(answer.Rows), "row"))
	}
}

// askInWords has a model write a SELECT, runs it, and has the rows said in words.
func (a *app) askInWords(ctx context.Context, o *asking, w *work, plan *export.Plan, file, text string) error {
	earlier, _, err := a.earlier(w, o, question.ToTables, nil)
	if err != nil {
		return err
	}
	answer, err := question.Records(ctx, a.asker(o, w), question.Tables{Plan: plan, File: file}, text, earlier, func(t question.Try) {
		if !o.asJSON {
			a.printf("%s\n", a.paint(faint, t.Statement))
		}
		a.notef("%s; asked again\n", t.Why)
	})
	if answer == nil {
		return err
	}
	defer a.askedFor(o, "records asked") // rows are shown, whatever becomes of the words
	if o.asJSON {
		a.printJSON(answersJSON(answer))
		return err
	}
	a.printf("%s\n\n", a.paint(faint, oneLine(answer.Statement)))
	a.printAnswer(answer.Rows, false)
	switch {
	case answer.Sources != nil && len(answer.Sources.Rows) > 0:
		a.printf("\n%s\n", a.paint(soft, "from "+documentsOf(answer.Sources)))
	case answer.SourcesWhy != "":
		a.printf("\n%s\n", a.paint(soft, "from which documents is not known: "+answer.SourcesWhy))
	}
	for _, m := range answer.Mixed {
		a.printf("%s\n", a.paint(bad, "! "+m))
	}
	if answer.Words != "" {
		a.printSentence(answer.Words, answer.Founded, answer.Unfounded, "row")
	}
	return err
}

// shownSources is how many documents are named behind an answer.
const shownSources = 8

// documentsOf names the documents of rows, with their lines.
func documentsOf(from *export.Answer) string {
	var order []string
	lines := map[string][]string{}
	for i, row := range from.Rows {
		document := ""
		for j, column := range from.Columns {
			switch {
			case from.Nulls[i][j]:
			case column == "document":
				document = row[j]
				if _, known := lines[document]; !known {
					order, lines[document] = append(order, document), nil
				}
			case strings.HasSuffix(column, "line") && !slices.Contains(lines[document], row[j]):
				lines[document] = append(lines[document], row[j])
			}
		}
	}
	var all []string
	for _, d := range order[:min(len(order), shownSources)] {
		if len(lines[d]) > 0 {
			d += " line " + strings.Join(lines[d], ", ")
		}
		all = append(all, d)
	}
	text := strings.Join(all, "; ")
	if n := len(order) - shownSources; n > 0 {
		text += fmt.Sprintf("; and %d more", n)
	}
	if from.More {
		text += "; and others"
	}
	return text
}

// answersJSON is what records answer, in the machine form.
func answersJSON(o *question.OfRecords) value.Value {
	v := value.Obj(value.Str(o.Statement).Named("statement"), rowsJSON(o.Rows).Named("rows"))
	if o.Rows.More {
		v.Set("more", value.Boolean(true))
	}
	if o.Sources != nil {
		v.Set("sources", rowsJSON(o.Sources))
	}
	if o.Words != "" {
		v.Set("answer", value.Str(o.Words))
		v.Set("founded", value.Boolean(o.Founded))
		v.Set("in_no_row", texts(o.Unfounded))
	}
	if len(o.Mixed) > 0 {
		v.Set("mixed", texts(o.Mixed))
	}
	return v
}

func rowsJSON(answer *export.Answer) value.Value {
	all := value.List()
	for i := range answer.Rows {
		all.Kids = append(all.Kids, rowJSON(answer, i))
	}
	return all
}

func rowJSON(answer *export.Answer, i int) value.Value {
	v := value.Obj()
	for j, text := range answer.Rows[i] {
		switch {
		case answer.Nulls[i][j]:
			v.Set(answer.Columns[j], value.Value{})
		case answer.Numbers[i][j]:
			v.Set(answer.Columns[j], value.Num(text))
		default:
			v.Set(answer.Columns[j], value.Str(text))
		}
	}
	return v
}
