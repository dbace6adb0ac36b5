package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"filler/internal/base/value"
	"filler/internal/out/export"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// askRecords answers a SELECT, or a question that a model makes one of, from records as
// tables.
func (a *app) askRecords(ctx context.Context, o *asking, question string) error {
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
	if _, err = a.eachDecided(w, o.judged, o.run, func(n int, l record.Line, err error) error {
		switch {
		case err != nil:
			return lineFault(o.recordsFile, n, err)
		case l.Status == record.Failed:
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
	if o.statement == "" {
		return a.askInWords(ctx, o, w, e.Plan.Describe(), file, question)
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
	return nil
}

func (a *app) printAnswer(answer *export.Answer, asJSON bool) {
	t := a.newTable(answer.Columns...)
	for i, row := range answer.Rows {
		cells := make([]any, len(row))
		v := value.Obj()
		for j, text := range row {
			cells[j] = text
			if v.Set(answer.Columns[j], value.Str(text)); answer.Nulls[i][j] {
				cells[j] = field{"–", faint}
				v.Set(answer.Columns[j], value.Value{})
			}
		}
		if t.row(cells...); asJSON {
			a.printJSON(v)
		}
	}
	if !asJSON {
		t.print()
	}
	if answer.More {
		a.notef("only the first %s are shown; add LIMIT, or export the tables\n", plural(len(answer.Rows), "row"))
	}
}

// Wrong statements go back so often, and so many rows are said in words.
const (
	mostTries = 3
	mostSaid  = 50
)

// askInWords has a model write a SELECT, runs it, and has the rows said in words.
func (a *app) askInWords(ctx context.Context, o *asking, w *work, tables, file, question string) error {
	own := *w
	var err error
	var answer *export.Answer
	statement, text := "", tables
	for try := 1; ; try++ {
		if own.schema, err = schema.Statement(question); err != nil {
			return err
		}
		if statement, _, err = a.oneAnswer(ctx, o, &own, "the tables", text, schema.StatementField); err != nil {
			return err
		}
		if statement == "" {
			return errors.New("the model wrote no statement for this question; ask it otherwise, or write --sql 'SELECT …'")
		}
		a.printf("%s\n", a.paint(faint, oneLine(statement)))
		answer, err = export.Query(ctx, file, statement)
		var refused *export.Refused
		switch {
		case errors.As(err, &refused) && try < mostTries:
			a.notef("%s; asked again\n", refused.Why)
			text = tables + "\nThis statement does not do: " + oneLine(statement) + "\nBecause: " + refused.Why + "\n"
			continue
		case errors.As(err, &refused):
			return fmt.Errorf("no statement of the model could be run: %s", refused.Why)
		case err != nil:
			return err
		}
		break
	}
	a.printAnswer(answer, o.asJSON)
	if len(answer.Rows) > mostSaid || o.asJSON {
		return nil
	}
	if own.schema, err = schema.Question(question); err != nil {
		return err
	}
	words, founded, err := a.oneAnswer(ctx, o, &own, "the rows", answer.Text(), schema.AnswerField)
	if err != nil || words == "" {
		return err
	}
	a.printf("\n%s\n", a.paint(bold, oneLine(words)))
	if !founded {
		a.printf("%s\n", a.paint(bad, "! no row was found that this rests on"))
	}
	if figures := answer.Unfounded(words); len(figures) > 0 {
		a.printf("%s\n", a.paint(bad, fmt.Sprintf("! in no row: %s", strings.Join(figures, ", "))))
	}
	return nil
}

// oneAnswer asks about a text that is no document, and gives one value, and whether words of
// the text were found that it rests on.
func (a *app) oneAnswer(ctx context.Context, o *asking, w *work, name, text, of string) (answer string, founded bool, err error) {
	err = a.aside(ctx, o, w, []document.Source{{ID: name, Text: text}}, func(_ *document.Reader, l *record.Line) {
		if v := l.Record.Get(of); !v.Empty() {
			answer = v.Text
		}
		founded = evidence.PlacesFromJSON(&l.Evidence)[value.Pointer("/"+of)].Found()
	})
	return answer, founded, err
}
