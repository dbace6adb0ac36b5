package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/ask/model"
	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/out/question"
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
	run, modelName, keep, statement    string
	budget                             float64
	asJSON, sensitive, fresh, followUp bool

	began     time.Time
	runs      []int64
	exchanges int
	cost      int64 // in billionths
}

func (a *app) askCmd() *cobra.Command {
	var o asking
	cmd := &cobra.Command{Use: `ask DOC... "QUESTION"`, Short: "Ask documents a question; ask the records in SQL",
		Long: `Ask documents a question. The answer comes with the words it rests on, looked up in the document and
shown with their line; where none are found, that is said. "Not in the document" is an answer. Several
documents are asked one by one, and which say what is summed up at the end. A question that proves
useful becomes a field of the schema: --keep NAME.

With --run or --records the records are asked, as tables (those of ` + "`filler export -o FILE.sqlite`" + `):
the model writes one SELECT, which is shown and run, can change nothing, and whose rows are said in
words; figures that stand in no row are marked. --sql runs yours, without a model. --follow-up
tells the model the question before.

  filler ask documents/letters/FB-2031-05.txt 'Who has the key?'
  filler ask documents 'Is the bridge closed?' --keep closed_now
  filler ask --run last 'Which deck has the most defects?'
  filler ask --run last --follow-up 'And which of them is the oldest?'
  filler ask --sql 'SELECT deck, count(*) FROM bays GROUP BY deck'

Without a project:  filler ask DOC "QUESTION" --model URL`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := o.check(args); err != nil {
				a.parsed = false
				return err
			}
			o.began = time.Now()
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
	f.BoolVar(&o.followUp, "follow-up", false, "tell the model the question before; the same documents, if none are named")
	f.StringVar(&o.images, "images", "", imagesUsage)
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
	case o.statement != "" && o.followUp:
		return errors.New("--follow-up goes with a question in words, not with --sql")
	case o.ofRecords() && o.statement == "" && len(args) != 1:
		return fmt.Errorf("records are asked one question, and %d words or documents are given", len(args))
	case o.ofRecords() && o.keep != "":
		return errors.New("--keep makes a field of a question to documents")
	case o.ofRecords():
		return nil
	case o.statement == "" && len(args) == 0:
		return errors.New(`what to ask is missing: DOC "QUESTION", or --sql 'SELECT …'`)
	case o.statement == "" && len(args) == 1 && !o.followUp:
		return fmt.Errorf("the question or the document is missing: filler ask DOC \"QUESTION\", and there is only %q", args[0])
	case o.statement == "" && strings.TrimSpace(args[len(args)-1]) == "":
		return errors.New("the question is empty")
	}
	return nil
}

func (a *app) askDocuments(ctx context.Context, o *asking, names []string, text string) error {
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
		if _, err := schema.Keep(file, o.keep, text); err != nil {
			return err
		}
	}
	earlier, names, err := a.earlier(w, o, question.ToDocuments, names)
	if err != nil {
		return err
	}
	put := question.Put{Purpose: question.ToDocuments, Before: earlier.Text()}
	if put.Schema, err = schema.Question(text); err != nil {
		return err
	}
	all, err := a.answers(ctx, o, w, names, put)
	if err != nil {
		return err
	}
	sum, err := question.Sum(ctx, a.asker(o, w), text, all)
	a.printAnswers(all, sum, o.asJSON) // what is paid for is shown, whatever becomes of the summary
	a.askedFor(o, plural(len(all), "document")+" asked")
	if err != nil || o.keep == "" {
		return err
	}
	data, err := schema.Keep(file, o.keep, text)
	if err != nil {
		return err
	}
	if err := process.WriteFile(file, data, false); err != nil {
		return fmt.Errorf("%s: can't be written; check its permissions", file)
	}
	a.notef("%s: the field %s asks this now; `filler fill --only %s` fills it over all documents\n", file, o.keep, o.keep)
	return nil
}

// askedFor says what the questions cost.
func (a *app) askedFor(o *asking, what string) {
	runs := fmt.Sprintf("run %d", o.runs[0])
	if n := len(o.runs); n > 1 {
		runs = fmt.Sprintf("runs %d to %d", o.runs[0], o.runs[n-1])
	}
	a.notef("%s · %s · cost %s · %s · %s\n", what, plural(o.exchanges, "exchange"), a.cost(o.cost), seconds(time.Since(o.began)), runs)
}

// answers asks documents.
func (a *app) answers(ctx context.Context, o *asking, w *work, names []string, put question.Put) (all []question.Said, err error) {
	sources, err := w.sources(names)
	if err != nil {
		return nil, err
	}
	if a.tell(w) && len(sources) == 0 {
		return nil, exit(codeFailed)
	}
	err = a.aside(ctx, o, w, put, sources, func(r *document.Reader, l *record.Line) {
		all = append(all, a.saidBy(ctx, w, r, l))
	})
	return all, err
}

// asker has a model asked about texts that are no documents.
func (a *app) asker(o *asking, w *work) question.Asker {
	return func(ctx context.Context, put question.Put) (question.Reply, error) {
		reply := question.Reply{Values: map[string]string{}}
		err := a.aside(ctx, o, w, put, []document.Source{{ID: put.Name, Text: put.Text}}, func(_ *document.Reader, l *record.Line) {
			for i := range l.Record.Kids {
				if v := &l.Record.Kids[i]; !v.Empty() {
					reply.Values[v.Name] = v.Text
				}
			}
			reply.Founded = evidence.PlacesFromJSON(&l.Evidence)[value.Pointer("/"+schema.AnswerField)].Found()
		})
		return reply, err
	}
}

// aside fills records of a question's schema in a run of its own, which is never the last.
func (a *app) aside(ctx context.Context, o *asking, w *work, put question.Put, sources []document.Source, each func(r *document.Reader, l *record.Line)) error {
	_, l, r, done, err := a.tools(w, &o.looking, "")
	if err != nil {
		return err
	}
	defer done()
	own := *w
	own.schema = put.Schema
	setup, err := own.setup(l, r, &looking{layout: o.layout, images: o.images})
	if err != nil {
		return err
	}
	setup.Fresh, setup.Stdin = o.fresh, a.in
	set := &setup.Settings
	set.Style, set.Instructions, set.Prefill, set.Template = "record", put.Before, false, put.Template
	if put.Purpose == question.ToDocuments {
		set.Template = question.Document(set.Images == "alone")
	} else { // a sentence on rows is not corrected: what does not hold is told
		set.Images, setup.Rounds = "", 0
	}
	if setup.Model, err = w.model(o.modelName); err != nil {
		return err
	}
	filler, err := fill.New(setup)
	if err != nil {
		return err
	}
	b, err := begin(filler, fill.Fill{}, fill.Beginning{Scope: store.Named, Aside: put.Purpose}, sources)
	if err != nil {
		return err
	}
	defer b.Close()
	o.runs = append(o.runs, b.run)
	if err := a.limit(b, o, w.budget(o.budget)); err != nil {
		return err
	}
	bar := a.newProgress()
	bar.run = b.Filler
	err = b.Run(ctx, b.work, b.run, fill.Hooks{Hooks: job.Hooks{Progress: bar.show}, Waiting: bar.waiting})
	bar.end()
	var failed *model.Failure
	if errors.As(err, &failed) && failed.Budget {
		failed.Hint = "raise it with --budget and ask again: what was answered is kept"
	}
	if err != nil {
		return err
	}
	t, err := l.Totals(b.run)
	if err != nil {
		return err
	}
	o.exchanges += t.Exchanges
	o.cost += t.CostNano
	return l.Records(b.run, 0, func(rec store.Record) error {
		line, err := fill.ToLine(b.run, rec, nil)
		if err == nil {
			each(r, &line)
		}
		return err
	})
}

// limit lets what is asked of a budget cost no more than what is left of it.
func (a *app) limit(b *begun, o *asking, budget float64) error {
	if budget > 0 {
		left := budget - float64(o.cost)/1e9
		if left <= 0 {
			return fmt.Errorf("the budget of %g is spent before the question was answered; raise --budget", budget)
		}
		budget = left
	}
	return b.SetBudget(b.run, budget)
}

// notInDocument is an answer, and no fault.
const notInDocument = "not in the document"

// saidBy gives what a document answers, with the words that it rests on.
func (a *app) saidBy(ctx context.Context, w *work, r *document.Reader, l *record.Line) question.Said {
	s := question.Said{Document: l.Document}
	if l.Status == record.Failed {
		s.Why = "no answer came"
		if len(l.Problems) > 0 {
			s.Why = l.Problems[0].Message()
		}
		return s
	}
	v := l.Record.Get(schema.AnswerField)
	if v.Empty() {
		s.Why = notInDocument
		return s
	}
	s.Answer = v.Text
	place := evidence.PlacesFromJSON(&l.Evidence)[value.Pointer("/"+schema.AnswerField)]
	switch d, err := r.Read(ctx, w.sourceOf(l.Document, "")); {
	case place.Kind == evidence.Pictured && place.Page > 0:
		s.Page = place.Page
	case !place.Found():
		s.Why = "no words of the document were found that it rests on"
	case err == nil && place.End <= len(d.Text):
		s.Quote, s.Line = quoteAt(d.Text, place.Start, place.End), place.Line
	default:
		s.Line = place.Line
	}
	return s
}

// briefQuote is how long words are that say little by themselves.
const briefQuote = 24

// quoteAt gives the words of a place; of few, the line that they stand on.
func quoteAt(text string, start, end int) string {
	if end-start >= briefQuote {
		return text[start:end]
	}
	start = strings.LastIndexByte(text[:start], '\n') + 1
	if i := strings.IndexByte(text[end:], '\n'); i >= 0 {
		end += i
	} else {
		end = len(text)
	}
	return strings.TrimSpace(text[start:end])
}

// saidJSON is an answer in the machine form.
func saidJSON(s question.Said) value.Value {
	v := value.Obj(value.Str(s.Document).Named("document"), value.Value{}.Named("answer"))
	if s.Answer != "" {
		v.Set("answer", value.Str(s.Answer))
	}
	if s.Quote != "" {
		v.Set("quote", value.Str(s.Quote))
		v.Set("line", value.Num(fmt.Sprint(s.Line)))
	}
	if s.Page > 0 {
		v.Set("page", value.Num(fmt.Sprint(s.Page)))
	}
	if s.Why != "" {
		v.Set("note", value.Str(s.Why))
	}
	return v
}

func (a *app) printAnswers(all []question.Said, sum *question.Summary, asJSON bool) {
	for _, s := range all {
		if asJSON {
			a.printJSON(saidJSON(s))
			continue
		}
		a.printf("%s\n", a.paint(faint, s.Document))
		if s.Answer != "" {
			a.printf("  %s\n", a.paint(bold, oneLine(s.Answer)))
		}
		if s.Quote != "" {
			a.printf("  line %d: “%s”\n", s.Line, clip(oneLine(s.Quote), 160))
		}
		if s.Page > 0 {
			a.printf("  %s\n", a.paint(soft, fmt.Sprintf("on the picture of page %d, by the model's word", s.Page)))
		}
		switch {
		case s.Why == notInDocument:
			a.printf("  %s\n", a.paint(soft, "– "+s.Why))
		case s.Why != "":
			a.printf("  %s\n", a.paint(bad, "! "+s.Why))
		}
	}
	if asJSON && sum != nil {
		a.printJSON(value.Obj(value.Str(sum.Words).Named("summary"), value.Boolean(sum.Founded).Named("founded"), texts(sum.Unfounded).Named("in_no_answer")))
	}
	if asJSON || len(all) < 2 {
		return
	}
	a.printf("\n")
	t := a.newTable("answer", ">documents", "the first of them")
	for _, same := range question.Alike(all) {
		t.row(clip(same.Answer, 60), len(same.Documents), same.Documents[0])
	}
	t.print()
	if sum != nil {
		a.printSentence(sum.Words, sum.Founded, sum.Unfounded, "answer")
	}
}

// printSentence prints a sentence of the model's, and what of it does not hold.
func (a *app) printSentence(words string, founded bool, unfounded []string, in string) {
	a.printf("\n%s\n", a.paint(bold, oneLine(words)))
	if !founded {
		a.printf("%s\n", a.paint(bad, "! no "+in+" was found that this rests on"))
	}
	if len(unfounded) > 0 {
		a.printf("%s\n", a.paint(bad, fmt.Sprintf("! in no %s: %s", in, strings.Join(unfounded, ", "))))
	}
}

// earlier gives the question that this one follows, and the documents that it was put to,
// where none are named.
func (a *app) earlier(w *work, o *asking, purpose string, names []string) (*question.Earlier, []string, error) {
	if !o.followUp {
		return nil, names, nil
	}
	if w.project == nil {
		return nil, nil, errors.New("--follow-up needs a project, whose run database keeps the question before")
	}
	l, err := w.keptRuns()
	if err != nil {
		return nil, nil, err
	}
	defer l.Close()
	run, found, err := fill.LastAside(l, purpose)
	if err != nil {
		return nil, nil, err
	}
	if !found {
		return nil, nil, errors.New("there is no question before this one; ask it without --follow-up")
	}
	s, err := schema.Parse("the question before", run.Schema)
	if err != nil {
		return nil, nil, err
	}
	set, _ := fill.SettingsOf(run)
	e := &question.Earlier{Question: s.Record().Fields[0].About, Before: set.Instructions}
	var documents []string
	err = l.Records(run.ID, 0, func(rec store.Record) error {
		line, err := fill.ToLine(run.ID, rec, s)
		documents = append(documents, line.Document)
		if v := line.Record.Get(schema.StatementField); !v.Empty() {
			e.Statement = v.Text
		}
		return err
	})
	if len(names) == 0 {
		names = documents
	}
	return e, names, err
}
