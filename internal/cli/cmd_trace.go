package cli

import (
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
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
			run, err := l.Find(runName)
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
	cmd.Flags().BoolVar(&sensitive, "sensitive", false, "show the values of sensitive fields")
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
	steps := value.List()
	if has {
		if steps, err = value.ParseBytes(rec.Trace); err != nil {
			return err
		}
	}
	tr := &tracer{a: a, l: l, run: run, exchanges: exchanges, full: full, shown: map[int]bool{}}
	s, err := schema.Parse(run.SchemaFile, run.Schema)
	if err != nil {
		return err
	}
	if has && !sensitive {
		if whole, err := value.ParseBytes(rec.Record); err == nil {
			tr.mask = newMask(s, &whole, &steps)
		}
	}
	if asJSON {
		return tr.json(t, steps, rec, has)
	}
	a.printf("%s\n", a.paint(bold, fmt.Sprintf("%s in run %d", t.Document, run.ID)))
	for i := range steps.Kids {
		if err := tr.step(&steps.Kids[i]); err != nil {
			return err
		}
	}
	if err := tr.rest(); err != nil {
		return err
	}
	if !has {
		a.printf("no record yet; `filler fill --resume=%d` continues the run\n", run.ID)
		return nil
	}
	line, err := fill.ToLine(run.ID, rec)
	if err != nil {
		return err
	}
	a.printf("\n")
	a.printRecord(s, &line, sensitive)
	return nil
}

// tracer prints the steps of a record between the exchanges that they came
// from.
type tracer struct {
	a         *app
	l         store.Store
	run       store.Run
	exchanges []store.Exchange
	shown     map[int]bool // those that a step has claimed
	full      bool
	mask      *mask
}

func (t *tracer) line(kind string, tn tone, format string, args ...any) {
	t.a.printf("  %s  %s\n", t.a.paint(tn, fmt.Sprintf("%-9s", kind)), t.mask.hide(fmt.Sprintf(format, args...)))
}

func (t *tracer) step(s *value.Value) error {
	switch s.Word("step") {
	case "read":
		note := ""
		if n := s.Word("notes"); n != "" {
			note = ", " + n
		}
		t.line("read", faint, "%s, %s bytes%s, text %.12s", s.Word("format"), s.Word("bytes"), note, s.Word("text_sha256"))
	case "shape":
		t.line("shape", soft, "shape %s did not work (%s); asked again in a weaker one", s.Word("refused"), s.Word("note"))
	case "then":
		t.line("then", bold, "model %s takes over", s.Word("model"))
	case "plan":
		t.line("plan", faint, "%s%s", requestsOf(s), inParts(s))
	case "ask":
		return t.upTo(s.Word("request"))
	case "split":
		t.line("split", soft, "%s: %s; asked again in %s chunks", s.Word("request"), s.Word("note"), s.Word("chunks"))
	case "unsplit":
		t.line("split", soft, "%s: the chunks did no better (%s); the complete values of the first reply are kept", s.Word("request"), s.Word("note"))
	case "pointer":
		if why := s.Word("refused"); why != "" {
			t.line("pointer", bad, "%s  %s: %s", s.Word("path"), s.Word("said"), why)
		} else {
			t.line("pointer", faint, "%s  %s → %s", s.Word("path"), s.Word("said"), value.Str(s.Word("copied")).String())
		}
	case "merge":
		was := ""
		if v := s.Get("was"); v != nil {
			was = "  " + clip(v.Named("").String(), 60)
		}
		t.line("merge", soft, "%s  %s: %s%s", orRecord(s.Word("path")), s.Word("what"), s.Word("note"), was)
	case "uncovered":
		for i := range s.Get("lines").Kids {
			l := &s.Get("lines").Kids[i]
			t.line("uncovered", soft, "L%s, %s: %s", l.Word("line"), l.Word("field"), clip(l.Word("text"), 80))
		}
	case "lenient":
		t.line("lenient", soft, "%s at byte %s: %s", s.Word("kind"), s.Word("offset"), s.Word("note"))
	case "unused":
		if v := s.Get("chatter"); v != nil && v.Text == "true" {
			return nil // its step `lenient` tells of it
		}
		t.line("unused", soft, "line %s of the reply: %s  %s", s.Word("line"), s.Word("reason"), clip(s.Word("text"), 80))
	case "normalize":
		t.line("normalize", soft, "%s  %s → %s  (%s)", s.Word("path"), s.Get("from").String(), s.Get("to").String(), s.Word("rule"))
	case "check":
		t.checked("check", s.Get("problems"))
	case "patch":
		return t.patch(s)
	case "new document", "update", "kept", "same", "changed", "history":
		return t.updated(s)
	case "evidence":
		loose := ""
		if n := s.Word("lookalike"); n != "" && n != "0" {
			loose = n + " lookalike, "
		}
		if n := s.Word("pictured"); n != "" && n != "0" {
			loose += n + " pictured, "
		}
		t.line("evidence", faint, "%s quoted, %s restated, %s%s inferred, %s none", s.Word("quoted"), s.Word("restated"), loose, s.Word("inferred"), s.Word("none"))
	case "end":
		t.line("end", bold, "%s", s.Word("status"))
	}
	return nil
}

func (t *tracer) checked(kind string, problems *value.Value) {
	if problems == nil || len(problems.Kids) == 0 {
		t.line(kind, good, "no problems")
		return
	}
	for i := range problems.Kids {
		p := &problems.Kids[i]
		now := ""
		if v := p.Get("value"); v != nil {
			now = "  " + clip(v.Named("").String(), 60)
		}
		t.line(kind, bad, "%s  %s  %s%s", p.Word("path"), p.Word("code"), p.Word("message"), now)
	}
}

func (t *tracer) patch(s *value.Value) error {
	if err := t.upTo(s.Word("request")); err != nil {
		return err
	}
	t.operations(s)
	if why := s.Word("refused"); why != "" {
		t.line("refused", bad, "%s", why)
		return nil
	}
	if note := s.Word("note"); note != "" {
		t.line("note", plain, "%s", note)
		return nil
	}
	t.line("taken", good, "all corrections")
	t.checked("remain", s.Get("left"))
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

// requestsOf says how many requests were planned.
func requestsOf(s *value.Value) string {
	if n := s.Word("requests"); n != "1" {
		return n + " requests"
	}
	return "1 request"
}

// inParts says into how many parts the record was divided, and into how many
// chunks the document.
func inParts(s *value.Value) string {
	chunks, inside := 0, 0
	if list := s.Get("pieces"); list != nil {
		for i := range list.Kids {
			if at := list.Kids[i].Get("inside"); at != nil {
				chunks++
				if at.Text == "true" {
					inside++
				}
			}
		}
	}
	said := ""
	if parts := s.Word("parts"); parts != "1" {
		said = ", the record in " + parts + " parts"
	}
	if chunks > 0 {
		said += fmt.Sprintf(", the document in %d chunks, of which %d begin within an entry", chunks, inside)
	}
	return said
}

func orRecord(path string) string {
	if path == "" {
		return "the record"
	}
	return path
}

func (t *tracer) exchange(x store.Exchange) error {
	switch {
	case x.Try == 0:
		t.line("ask", bold, "%s: from the cache, at no cost", x.Step)
	case x.Status == 0:
		t.line("ask", bad, "%s, attempt %d: no complete answer (%s)", x.Step, x.Try, x.Error)
	default:
		guess := ""
		if x.Estimated {
			guess = " (estimated)"
		}
		t.line("ask", bold, "%s, attempt %d: %d, %s tokens in, %s out%s, cost %s, %d ms", x.Step, x.Try, x.Status, thousands(x.TokensIn), thousands(x.TokensOut), guess, money(x.CostNano), x.Took.Milliseconds())
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
	t.line("reply", faint, "%s", clip(strings.Join(strings.Fields(reply), " "), 100))
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
	t.line(kind, faint, "%s bytes", thousands(len(body)))
	for _, l := range strings.Split(strings.TrimRight(t.mask.hide(body), "\n"), "\n") {
		t.a.printf("            %s\n", l)
	}
}

func (t *tracer) json(task store.Task, steps value.Value, rec store.Record, has bool) error {
	v := value.Obj(value.Str(task.Document).Named("document"), value.Num(fmt.Sprint(t.run.ID)).Named("run"), steps.Named("steps"))
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
			e.Kids = append(e.Kids, req.Named("request"))
		}
		e.Kids = append(e.Kids, value.Str(replyText(x)).Named("reply"))
		if x.Error != "" {
			e.Kids = append(e.Kids, value.Str(x.Error).Named("error"))
		}
		list.Kids = append(list.Kids, e)
	}
	v.Kids = append(v.Kids, list.Named("exchanges"))
	if has {
		line, err := fill.ToLine(t.run.ID, rec)
		if err != nil {
			return err
		}
		s, err := schema.Parse(t.run.SchemaFile, t.run.Schema)
		if err != nil {
			return err
		}
		result := line.JSON(s.EachEntry())
		v.Kids = append(v.Kids, result.Named("result"))
	}
	t.a.printf("%s\n", t.mask.hide(string(v.JSON())))
	return nil
}
