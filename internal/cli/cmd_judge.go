package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"filler/internal/fill"
	"filler/internal/gold"
	"filler/internal/ledger"
	"filler/internal/place"
	"filler/internal/project"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/score"
	"filler/internal/value"
)

// judged is where records to judge come from: a run, or a file.
type judged struct{ schemaFile, recordsFile, goldPath string }

func (j *judged) flags(cmd *cobra.Command, withGold bool) {
	cmd.Flags().StringVar(&j.schemaFile, "schema", "", "a schema file, in place of the project's")
	cmd.Flags().StringVar(&j.recordsFile, "records", "", "a file of JSON Lines, or - for standard input, in place of a run")
	if withGold {
		cmd.Flags().StringVar(&j.goldPath, "gold", "", "gold: a folder, or a file of JSON Lines, in place of the project's")
	}
}

// each calls do for the records of a run or a file; n is the line's number,
// or 0. It gives the run's number, or 0.
func (a *app) each(w *work, j judged, runName string, do func(n int, l record.Line, err error) error) (int64, error) {
	if j.recordsFile != "" {
		if runName != "" {
			a.parsed = false
			return 0, errors.New("a run and --records are two sources; name one")
		}
		return 0, record.ReadLines(j.recordsFile, w.schema.EachEntry(), do)
	}
	l, run, err := w.keptRun(runName)
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return run.ID, l.Records(run.ID, 0, func(r ledger.Record) error {
		line, err := fill.ToLine(run.ID, r)
		return do(0, line, err)
	})
}

// lineFault says which line of a file of records is at fault.
func lineFault(file string, n int, err error) error {
	return place.Faults{{File: file, Line: n, Col: 1, Msg: err.Error(), Hint: "mend the line"}}
}

// keptRun opens the ledger and finds a run in it. The ledger is the caller's to
// close.
func (w *work) keptRun(name string) (*ledger.Ledger, ledger.Run, error) {
	l, err := w.keptRuns()
	if err != nil {
		return nil, ledger.Run{}, err
	}
	run, err := l.Find(name)
	if err != nil {
		l.Close()
		return nil, ledger.Run{}, err
	}
	return l, run, nil
}

// measured names what was measured: a run, or the records of a file.
func measured(run int64) string {
	if run > 0 {
		return fmt.Sprintf("run %d", run)
	}
	return "the records"
}

// linesOf calls do for the records of a run.
func linesOf(l *ledger.Ledger, run int64, do func(l record.Line) error) error {
	return l.Records(run, 0, func(r ledger.Record) error {
		line, err := fill.ToLine(run, r)
		if err != nil {
			return err
		}
		return do(line)
	})
}

func first(args []string) string {
	if len(args) == 0 {
		return ""
	}
	return args[0]
}

func (a *app) validateCmd() *cobra.Command {
	var j judged
	var asJSON bool
	cmd := &cobra.Command{Use: "validate [RUN]", Short: "Check records against the schema", Args: cobra.MaximumNArgs(1),
		Long: "Check the records of a run (the last if left out), or of any file of JSON Lines, against\nthe schema. Exit code 3 says that some records have problems.\n\nWithout a project:  filler validate --schema SCHEMA --records FILE",
		RunE: func(_ *cobra.Command, args []string) error {
			w, err := a.open(j.schemaFile)
			if err != nil {
				return err
			}
			check, err := record.NewValidator(w.schema)
			if err != nil {
				return err
			}
			v := &validation{a: a, asJSON: asJSON, check: check, file: j.recordsFile}
			if _, err := a.each(w, j, first(args), v.line); err != nil {
				return err
			}
			return v.end()
		}}
	j.flags(cmd, false)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the result as JSON")
	return cmd
}

type validation struct {
	a              *app
	asJSON         bool
	check          *record.Validator
	file           string
	records, valid int
	list           []value.Value
}

func (v *validation) line(n int, l record.Line, err error) error {
	v.records++
	var problems []record.Problem
	where := l.Document
	switch {
	case err != nil:
		where = fmt.Sprintf("%s:%d", v.file, n)
		problems = []record.Problem{{Code: record.Syntax, Message: err.Error()}}
	case l.Status == record.Failed:
		problems = l.Problems
	default:
		problems = v.check.Check(&l.Record)
	}
	if len(problems) == 0 {
		v.valid++
	}
	for _, p := range problems {
		if v.asJSON {
			out := p.JSON()
			out.Kids = append([]value.Value{value.Str(where).Named("document")}, out.Kids...)
			v.list = append(v.list, out.Detach())
			continue
		}
		now := ""
		if p.Value != nil {
			now = "  " + clip(p.Value.String(), 60)
		}
		path := string(p.Path)
		if path != "" {
			path += "  "
		}
		v.a.printf("%s  %s%s  %s%s\n", where, path, v.a.paint(bad, string(p.Code)), p.Message, now)
	}
	return nil
}

func (v *validation) end() error {
	if v.asJSON {
		v.a.printJSON(value.Obj(value.Num(fmt.Sprint(v.records)).Named("records"), value.Num(fmt.Sprint(v.valid)).Named("valid"), value.List(v.list...).Named("problems")))
	} else {
		v.a.notef("%d of %s valid\n", v.valid, plural(v.records, "record"))
	}
	if v.valid < v.records {
		return exit(codeFlawed)
	}
	return nil
}

func (a *app) runsCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{Use: "runs", Short: "What was run, at what cost, and how right it is", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			l, p, err := a.kept()
			if err != nil {
				return err
			}
			defer l.Close()
			runs, err := l.Runs()
			if err != nil {
				return err
			}
			return a.printRuns(l, a.ruler(p), runs, asJSON)
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the runs as JSON Lines")
	return cmd
}

// ruler is what all runs of a project are measured with: its schema and gold
// as they are now, or nothing.
type ruler struct {
	schema *schema.Schema
	set    *gold.Shelf
}

func (a *app) ruler(p *project.Project) *ruler {
	if p == nil || p.Gold == "" {
		return nil
	}
	s, err := schema.Load(p.Schema)
	if err != nil {
		return nil
	}
	set, err := gold.Open(p.Gold, s)
	if err != nil || set.Len() == 0 {
		return nil
	}
	return &ruler{s, set}
}

func (r *ruler) score(l *ledger.Ledger, run int64) score.Ratio {
	if r == nil {
		return score.Ratio{}
	}
	s := score.New(r.schema, r.set)
	if err := linesOf(l, run, s.Add); err != nil {
		return score.Ratio{}
	}
	report := s.Report()
	return report.Overall.F1()
}

func (a *app) printRuns(l *ledger.Ledger, r *ruler, runs []ledger.Run, asJSON bool) error {
	t := a.newTable(">run", "label", "model", "schema", "prompt", "state", ">documents", ">clean", ">repaired", ">flawed", ">failed", ">cost", ">F1", "began")
	for _, run := range runs {
		sum, err := l.Totals(run.ID)
		if err != nil {
			return err
		}
		f1 := score.Ratio{}
		if !fill.IsOpen(run) { // what an open filling found is no record of the schema
			f1 = r.score(l, run.ID)
		}
		if asJSON {
			a.printJSON(runJSON(run, sum, f1))
			continue
		}
		state := field{run.State, plain}
		if run.State != ledger.Done {
			state.tone = soft
		}
		t.row(run.ID, run.Label, run.Model, run.SchemaHash[:6], run.PromptHash[:6], state, sum.Documents, sum.Clean, dash(sum.Repaired), dash(sum.Flawed), dash(sum.Failed),
			money(sum.CostNano), field{ratioText(f1), bold}, run.Began.Local().Format("2006-01-02 15:04"))
	}
	if !asJSON {
		t.print()
	}
	return nil
}

func runJSON(run ledger.Run, sum ledger.Totals, f1 score.Ratio) value.Value {
	n := func(name string, n int) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
	v := value.Obj(value.Num(fmt.Sprint(run.ID)).Named("run"))
	if run.Label != "" {
		v.Set("label", value.Str(run.Label))
	}
	v.Kids = append(v.Kids, value.Str(run.Model).Named("model"), value.Str(run.SchemaHash).Named("schema"), value.Str(run.PromptHash).Named("prompt"),
		value.Str(run.State).Named("state"), value.Str(run.Began.UTC().Format("2006-01-02T15:04:05Z")).Named("began"),
		n("documents", sum.Documents), n("waiting", sum.Waiting), n("clean", sum.Clean), n("repaired", sum.Repaired), n("flawed", sum.Flawed), n("failed", sum.Failed),
		n("exchanges", sum.Exchanges), n("tokens_in", sum.TokensIn), n("tokens_out", sum.TokensOut), value.Num(fmt.Sprintf("%.9f", float64(sum.CostNano)/1e9)).Named("cost"))
	if f1.Exists {
		v.Set("f1", value.Num(fmt.Sprint(f1.Value)))
	}
	return v
}
