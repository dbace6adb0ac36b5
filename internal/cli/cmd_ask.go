package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/run/fill"
	"filler/internal/run/job"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// asking is the flags of ask.
type asking struct {
	judged
	looking
	run, modelName, keep, statement string
	budget                          float64
	asJSON, sensitive, fresh        bool
}

func (a *app) askCmd() *cobra.Command {
	var o asking
	cmd := &cobra.Command{Use: `ask DOC... "QUESTION"`, Short: "Ask documents a question; ask the records in SQL",
		Long: `Ask documents a question. The answer comes with the words it rests on, looked up in the document and
shown with their line; where none are found, that is said. "Not in the document" is an answer. Several
documents are asked one by one, and which say what stands at the end. A question that proves
useful becomes a field of the schema: --keep NAME.

With --run or --records the records are asked, as tables (those of ` + "`filler export -o FILE.sqlite`" + `):
the model writes one SELECT, which is shown and run, can change nothing, and whose rows are said in
words; figures that stand in no row are marked. --sql runs yours, without a model.

  filler ask documents/letters/FB-2031-05.txt 'Who has the key?'
  filler ask documents 'Is the bridge closed?' --keep closed_now
  filler ask --run last 'Which deck has the most defects?'
  filler ask --sql 'SELECT deck, count(*) FROM bays GROUP BY deck'

Without a project:  filler ask DOC "QUESTION" --model URL`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := o.check(args); err != nil {
				a.parsed = false
				return err
			}
			if o.statement != "" || o.ofRecords() {
				return a.askRecords(cmd.Context(), &o, first(args))
			}
			return a.askDocuments(cmd.Context(), &o, args[:len(args)-1], args[len(args)-1])
		}}
	o.judged.flags(cmd, false)
	o.looking.flags(cmd)
	f := cmd.Flags()
	f.StringVar(&o.modelName, "model", "", modelUsage)
	f.StringVar(&o.run, "run", "", "the `RUN` whose records are asked: a number, a name, or last")
	f.StringVar(&o.statement, "sql", "", "ask the records this `SELECT`")
	f.StringVar(&o.keep, "keep", "", "write the question into the project's schema, as a field of this `NAME`")
	f.Float64Var(&o.budget, "budget", 0, "stop before this costs more than `AMOUNT`")
	f.BoolVar(&o.fresh, "fresh", false, "ask again what is answered already")
	f.BoolVar(&o.sensitive, "sensitive", false, sensitiveUsage)
	f.BoolVar(&o.asJSON, "json", false, "print JSON")
	return cmd
}

// ofRecords tells whether records are asked, and not documents.
func (o *asking) ofRecords() bool { return o.run != "" || o.recordsFile != "" }

func (o *asking) check(args []string) error {
	switch {
	case o.statement != "" && len(args) > 0:
		return errors.New("--sql asks the records: leave out documents and question, and write --run RUN for another run than the last")
	case o.statement != "" && o.keep != "":
		return errors.New("--keep makes a field of a question in words, not of --sql")
	case o.ofRecords() && o.statement == "" && len(args) != 1:
		return fmt.Errorf("records are asked one question, and %d words or documents are given", len(args))
	case o.ofRecords() && o.keep != "":
		return errors.New("--keep makes a field of a question to documents")
	case o.ofRecords():
		return nil
	case o.statement == "" && len(args) == 0:
		return errors.New(`what to ask is missing: DOC "QUESTION", or --sql 'SELECT …'`)
	case o.statement == "" && len(args) == 1:
		return fmt.Errorf("the question or the document is missing: filler ask DOC \"QUESTION\", and there is only %q", args[0])
	case o.statement == "" && strings.TrimSpace(args[len(args)-1]) == "":
		return errors.New("the question is empty")
	}
	return nil
}

// said is what one document answers.
type said struct {
	document, answer, quote, why string
	line                         int
}

func (a *app) askDocuments(ctx context.Context, o *asking, names []string, question string) error {
	w, err := a.anywhere()
	if err != nil {
		return err
	}
	file := ""
	if w.project != nil {
		file = w.project.Schema
	}
	if o.keep != "" {
		if file == "" {
			return errors.New("--keep writes into a project's schema; there is none here")
		}
		if _, err := schema.Keep(file, o.keep, question); err != nil {
			return err
		}
	}
	if w.schema, err = schema.Question(question); err != nil {
		return err
	}
	all, err := a.answers(ctx, o, w, names)
	if err != nil {
		return err
	}
	a.printAnswers(all, o.asJSON)
	if o.keep == "" {
		return nil
	}
	data, err := schema.Keep(file, o.keep, question)
	if err != nil {
		return err
	}
	if err := process.WriteFile(file, data, false); err != nil {
		return fmt.Errorf("%s: can't be written; check its permissions", file)
	}
	a.notef("%s: the field %s asks this now; `filler fill --only %s` fills it over all documents\n", file, o.keep, o.keep)
	return nil
}

// answers asks documents.
func (a *app) answers(ctx context.Context, o *asking, w *work, names []string) (all []said, err error) {
	sources, err := w.sources(names)
	if err != nil {
		return nil, err
	}
	if a.tell(w) && len(sources) == 0 {
		return nil, exit(codeFailed)
	}
	err = a.aside(ctx, o, w, sources, func(r *document.Reader, l *record.Line) {
		all = append(all, a.saidBy(ctx, w, r, l))
	})
	return all, err
}

// aside fills records by the work's schema in a run of its own, which is never the last.
func (a *app) aside(ctx context.Context, o *asking, w *work, sources []document.Source, each func(r *document.Reader, l *record.Line)) error {
	_, l, r, done, err := a.tools(w, &o.looking, "")
	if err != nil {
		return err
	}
	defer done()
	setup, err := w.setup(l, r, &looking{layout: o.layout})
	if err != nil {
		return err
	}
	setup.Fresh, setup.Stdin = o.fresh, a.in
	setup.Settings.Style, setup.Settings.Instructions = "record", ""
	if w.schema.Name == schema.StatementSchema {
		setup.Settings.Instructions = "The document describes tables. The statement is yours to write: it need not stand in the document, and only tables and columns have to. Write null only if the tables can't answer."
	}
	if setup.Model, err = w.model(o.modelName); err != nil {
		return err
	}
	filler, err := fill.New(setup)
	if err != nil {
		return err
	}
	b, err := begin(filler, fill.Fill{}, fill.Beginning{Scope: store.Named, Aside: "ask"}, sources)
	if err != nil {
		return err
	}
	defer b.Close()
	if err := b.SetBudget(b.run, w.budget(o.budget)); err != nil {
		return err
	}
	began := time.Now()
	bar := a.newProgress()
	bar.run = b.Filler
	err = b.Run(ctx, b.work, b.run, fill.Hooks{Hooks: job.Hooks{Progress: bar.show}, Waiting: bar.waiting})
	if bar.end(); err != nil {
		return err
	}
	if err := l.Records(b.run, 0, func(rec store.Record) error {
		line, err := fill.ToLine(b.run, rec)
		if err == nil {
			each(r, &line)
		}
		return err
	}); err != nil {
		return err
	}
	t, err := l.Totals(b.run)
	if err == nil {
		a.notef("%s asked · %s · cost %s · %s · run %d\n", plural(t.Documents, "document"), plural(t.Exchanges, "exchange"), a.cost(t.CostNano), seconds(time.Since(began)), b.run)
	}
	return err
}

// saidBy gives what a document answers, with the words that it rests on.
func (a *app) saidBy(ctx context.Context, w *work, r *document.Reader, l *record.Line) said {
	s := said{document: l.Document}
	if l.Status == record.Failed {
		s.why = "no answer came"
		if len(l.Problems) > 0 {
			s.why = l.Problems[0].Message()
		}
		return s
	}
	v := l.Record.Get(schema.AnswerField)
	if v.Empty() {
		s.why = "not in the document"
		return s
	}
	s.answer = v.Text
	place := evidence.PlacesFromJSON(&l.Evidence)[value.Pointer("/"+schema.AnswerField)]
	d, err := r.Read(ctx, w.sourceOf(l.Document, ""))
	switch {
	case !place.Found():
		s.why = "no words of the document were found that it rests on"
	case err == nil && place.End <= len(d.Text):
		s.quote, s.line = d.Text[place.Start:place.End], place.Line
	default:
		s.line = place.Line
	}
	return s
}

func (a *app) printAnswers(all []said, asJSON bool) {
	var order []string
	by := map[string][]string{}
	for _, s := range all {
		key := s.answer
		if key == "" {
			key = s.why
		}
		if by[key] == nil {
			order = append(order, key)
		}
		by[key] = append(by[key], s.document)
		if asJSON {
			v := value.Obj(value.Str(s.document).Named("document"), value.Value{}.Named("answer"))
			if s.answer != "" {
				v.Set("answer", value.Str(s.answer))
			}
			if s.quote != "" {
				v.Set("quote", value.Str(s.quote))
				v.Set("line", value.Num(fmt.Sprint(s.line)))
			}
			if s.why != "" {
				v.Set("note", value.Str(s.why))
			}
			a.printJSON(v)
			continue
		}
		a.printf("%s\n", a.paint(faint, s.document))
		if s.answer != "" {
			a.printf("  %s\n", a.paint(bold, oneLine(s.answer)))
		}
		if s.quote != "" {
			a.printf("  %s\n", a.paint(soft, fmt.Sprintf("line %d: “%s”", s.line, clip(oneLine(s.quote), 160))))
		}
		if s.why != "" {
			a.printf("  %s\n", a.paint(bad, "! "+s.why))
		}
	}
	if asJSON || len(all) < 2 {
		return
	}
	a.printf("\n")
	t := a.newTable("answer", ">documents", "the first of them")
	for _, key := range order {
		t.row(clip(oneLine(key), 60), len(by[key]), by[key][0])
	}
	t.print()
}
