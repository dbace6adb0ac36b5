package cli

import (
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/store"
)

func (a *app) traceCmd() *cobra.Command {
	var runName string
	var full, asJSON, sensitive bool
	cmd := &cobra.Command{Use: "trace DOC", Short: "Every step that led to one record", Args: documents(1, 1),
		Long: "Show every step that led to one record: each request and reply, what lenient parsing and\nnormalizers changed, each correction, the problems found, and the record with its evidence.",
		RunE: func(_ *cobra.Command, args []string) error {
			l, _, err := a.kept()
			if err != nil {
				return err
			}
			defer l.Close()
			var run store.Run
			if runName == "last" && a.several() != nil {
				run, err = runWith(l, args[0])
			} else {
				run, err = l.Find(runName)
			}
			if err != nil {
				return err
			}
			t, err := taskOf(l, run.ID, args[0])
			if err != nil {
				return err
			}
			return a.printTrace(l, run, t, full, asJSON, sensitive)
		}}
	cmd.Flags().StringVar(&runName, "run", "last", "the `RUN`: a number, a name, or last")
	cmd.Flags().BoolVar(&full, "full", false, "show requests and replies in full")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	cmd.Flags().BoolVar(&sensitive, "sensitive", false, sensitiveUsage)
	return cmd
}

// taskOf finds the task of a document by its id, its path, or the end of it.
func taskOf(l store.Store, run int64, name string) (store.Task, error) {
	tasks, err := l.Tasks(run)
	if err != nil {
		return store.Task{}, err
	}
	want := filepath.ToSlash(filepath.Clean(name))
	var ids []string
	var ends []store.Task
	for _, t := range tasks {
		if t.Document == want || t.File == name {
			return t, nil
		}
		stem := strings.TrimSuffix(t.Document, filepath.Ext(t.Document))
		if strings.HasSuffix(t.Document, "/"+want) || strings.HasSuffix(stem, "/"+want) || stem == want || strings.HasSuffix(want, "/"+t.Document) {
			ends = append(ends, t)
		}
		ids = append(ids, t.Document)
	}
	if len(ends) == 1 {
		return ends[0], nil
	}
	if len(ids) > 20 {
		ids = append(ids[:0:0], place.Nearest(name, ids))
	}
	return store.Task{}, fmt.Errorf("%s is not in run %d; %s", name, run, place.Suggest(name, ids))
}

func (a *app) printTrace(l store.Store, run store.Run, t store.Task, full, asJSON, sensitive bool) error {
	exchanges, err := l.Exchanges(run.ID, t.N)
	if err != nil {
		return err
	}
	rec, has, err := l.RecordAt(run.ID, t.N)
	if err != nil {
		return err
	}
	var steps trace.Steps
	if has {
		if steps, err = trace.Parse(rec.Trace); err != nil {
			return err
		}
	}
	tr := &tracer{a: a, l: l, run: run, exchanges: exchanges, full: full, shown: map[int]bool{}}
	s, err := schema.Parse(run.SchemaFile, run.Schema)
	if err != nil {
		return err
	}
	if !sensitive {
		tr.cover = record.NewCover(s)
		steps = trace.Covered(steps, tr.cover)
	}
	if asJSON {
		return tr.json(t, steps, rec, has)
	}
	a.printf("%s\n", a.paint(bold, fmt.Sprintf("%s in run %d", t.Document, run.ID)))
	for _, step := range steps {
		if err := step.Accept(tr); err != nil {
			return err
		}
	}
	if err := tr.rest(); err != nil {
		return err
	}
	if !has {
		how := fmt.Sprintf("`filler fill --resume=%d` continues the run", run.ID)
		if run.State == store.Waiting {
			how = fmt.Sprintf("the run waits for replies: `filler fill --resume=%d --replies-in FILE` takes them", run.ID)
		}
		a.printf("no record yet; %s\n", how)
		return nil
	}
	line, err := fill.ToLine(run.ID, rec, nil)
	if err != nil {
		return err
	}
	a.printf("\n")
	line = tr.cover.Line(line)
	a.printRecord(s, &line)
	return nil
}

// upTo prints the exchanges of a step.
func (t *tracer) upTo(step string) error {
	for i, x := range t.exchanges {
		if x.Step == step && !t.shown[i] {
			t.shown[i] = true
			if err := t.exchange(x); err != nil {
				return err
			}
		}
	}
	return nil
}

// rest prints what no step has claimed: attempts that came to nothing.
func (t *tracer) rest() error {
	for i, x := range t.exchanges {
		if !t.shown[i] {
			if err := t.exchange(x); err != nil {
				return err
			}
		}
	}
	return nil
}

func (t *tracer) exchange(x store.Exchange) error {
	switch {
	case x.Try == 0:
		t.line("ask", bold, "%s: from the cache, at no cost", x.Step)
	case x.Status == 0:
		paid := ""
		if x.CostNano > 0 {
			paid = fmt.Sprintf("; cost %s (estimated)", t.a.cost(x.CostNano))
		}
		t.line("ask", bad, "%s, attempt %d: no complete answer (%s)%s", x.Step, x.Try, x.Error, paid)
	default:
		guess := ""
		if x.Estimated {
			guess = " (estimated)"
		}
		t.line("ask", bold, "%s, attempt %d: %d, %s tokens in, %s out%s, cost %s, %d ms", x.Step, x.Try, x.Status, thousands(x.TokensIn), thousands(x.TokensOut), guess, t.a.cost(x.CostNano), x.Took.Milliseconds())
	}
	if t.full {
		body, err := t.l.RequestOf(x)
		if err != nil {
			return err
		}
		t.block("request", string(body))
	}
	reply := replyText(x)
	if t.full {
		t.block("reply", reply)
		return nil
	}
	t.line("reply", faint, "%s", clip(t.cover.Words(oneLine(reply)), 100))
	return nil
}

func replyText(x store.Exchange) string {
	if x.Status == 200 {
		if r, err := fill.ReadReply(x); err == nil {
			return r.Text
		}
	}
	return string(x.Reply)
}

func (t *tracer) block(kind, body string) {
	if t.cover != nil {
		t.line(kind, faint, "%s bytes, not shown: the schema has sensitive fields; --sensitive shows them", thousands(len(body)))
		return
	}
	t.line(kind, faint, "%s bytes", thousands(len(body)))
	for _, l := range strings.Split(strings.TrimRight(body, "\n"), "\n") {
		t.a.printf("            %s\n", l)
	}
}

func (t *tracer) json(task store.Task, steps trace.Steps, rec store.Record, has bool) error {
	v := value.Obj(value.Str(task.Document).Named("document"), value.Num(fmt.Sprint(t.run.ID)).Named("run"), steps.JSON().Named("steps"))
	list := value.List()
	for _, x := range t.exchanges {
		n := func(name string, n int64) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
		e := value.Obj(value.Str(x.Step).Named("step"), n("try", int64(x.Try)), n("status", int64(x.Status)), n("tokens_in", int64(x.TokensIn)),
			n("tokens_out", int64(x.TokensOut)), value.Boolean(x.Estimated).Named("estimated"), value.Num(fmt.Sprintf("%.9f", float64(x.CostNano)/1e9)).Named("cost"), n("milliseconds", x.Took.Milliseconds()))
		body, err := t.l.RequestOf(x)
		if err != nil {
			return err
		}
		if req, err := value.ParseBytes(body); err == nil {
			if t.cover != nil {
				req = value.Str(record.Hidden)
			}
			e.Kids = append(e.Kids, req.Named("request"))
		}
		e.Kids = append(e.Kids, value.Str(t.cover.Words(replyText(x))).Named("reply"))
		if x.Error != "" {
			e.Kids = append(e.Kids, value.Str(t.cover.Text(x.Error)).Named("error"))
		}
		list.Kids = append(list.Kids, e)
	}
	v.Kids = append(v.Kids, list.Named("exchanges"))
	if has {
		line, err := fill.ToLine(t.run.ID, rec, nil)
		if err != nil {
			return err
		}
		s, err := schema.Parse(t.run.SchemaFile, t.run.Schema)
		if err != nil {
			return err
		}
		line = t.cover.Line(line)
		result := line.JSON(s.EachEntry())
		v.Kids = append(v.Kids, result.Named("result"))
	}
	t.a.printJSON(v)
	return nil
}
