package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/measure/review"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/run/improve"
	"filler/internal/schema"
	"filler/internal/store"
)

// judged is where records to judge come from: a run, or a file.
type judged struct{ schemaFile, recordsFile, goldPath string }

func (j *judged) flags(cmd *cobra.Command, withGold bool) {
	cmd.Flags().StringVar(&j.schemaFile, "schema", "", schemaUsage)
	cmd.Flags().StringVar(&j.recordsFile, "records", "", recordsUsage)
	if withGold {
		cmd.Flags().StringVar(&j.goldPath, "gold", "", goldUsage)
	}
}

// each calls do for the records of a run or a file; n is the line's number,
// or 0. It gives the run's number, or 0.
func (a *app) each(w *work, j judged, runName string, do func(n int, l record.Line, err error) error) (int64, error) {
	if j.recordsFile != "" {
		if runName != "" {
			a.parsed = false
			return 0, errors.New("a run and --records are both given; use one of the two")
		}
		return 0, record.ReadLines(j.recordsFile, w.schema, do)
	}
	l, run, err := a.keptRun(w, runName)
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return run.ID, l.Records(run.ID, 0, func(r store.Record) error {
		line, err := fill.ToLine(run.ID, r, w.schema)
		return do(0, line, err)
	})
}

// eachDecided is each with what people have decided about the records of a run in place
// of what was filled.
func (a *app) eachDecided(w *work, j judged, runName string, do func(n int, l record.Line, err error) error) (int64, error) {
	if j.recordsFile != "" {
		return a.each(w, j, runName, do)
	}
	l, err := w.keptRuns()
	if err != nil {
		return 0, err
	}
	defer l.Close()
	decided := map[string]bool{}
	if err := l.Reviews(w.schema.Name, func(r store.Review) error { decided[r.Document] = true; return nil }); err != nil {
		return 0, err
	}
	return a.each(w, j, runName, func(n int, line record.Line, err error) error {
		if err == nil && decided[line.Document] {
			err = heed(l, w.schema, &line)
		}
		return do(n, line, err)
	})
}

// heed puts what people decided about a record into its line, where it is of the same
// text.
func heed(l store.Reviews, s *schema.Schema, line *record.Line) error {
	d, err := review.DecidedOf(l, s, line.Document, line.Hashes.Text)
	if err != nil || d == nil || d.TextHash != line.Hashes.Text || line.Status == record.Failed {
		return err
	}
	d.Over(s, &line.Record).Into(line, d)
	return nil
}

// lineFault says which line of a file of records is at fault.
func lineFault(file string, n int, err error) error {
	return place.Faults{{File: file, Line: n, Col: 1, Msg: err.Error(), Hint: "correct the line"}}
}

// keptRun opens the ledger and finds a run in it. The ledger is the caller's to
// close.
func (a *app) keptRun(w *work, name string) (store.Store, store.Run, error) {
	l, err := w.keptRuns()
	if err != nil {
		return nil, store.Run{}, err
	}
	run, err := l.Find(name)
	if err != nil {
		l.Close()
		return nil, store.Run{}, err
	}
	if name == "" || name == "last" {
		cut, found, err := l.Unfinished(func(r store.Run) bool { return r.State == store.Interrupted && r.Scope != store.Named })
		if err == nil && found && cut.ID > run.ID {
			goOn := fmt.Sprintf("continue it with `filler fill --resume=%d`", cut.ID)
			if by := fill.MadeBy(cut); by != "" {
				goOn = fmt.Sprintf("run `filler %s` again", by)
			}
			a.notef("run %d was interrupted, so that run %d is the last; %s\n", cut.ID, run.ID, goOn)
		}
	}
	return l, run, nil
}

// linesOf calls do for the records of a run, under the names of a schema.
func linesOf(l store.Store, run int64, s *schema.Schema, do func(l record.Line) error) error {
	return l.Records(run, 0, func(r store.Record) error {
		line, err := fill.ToLine(run, r, s)
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

func (a *app) runsCmd() *cobra.Command {
	var asJSON, drift bool
	cmd := &cobra.Command{Use: "runs", Short: "The runs of the project, with cost and F1", Args: func(cmd *cobra.Command, args []string) error {
		if drift {
			return cobra.MaximumNArgs(1)(cmd, args)
		}
		return noSuch(cmd, args)
	},
		Long: "List the runs, the newest first, with model, marks of schema and prompt, cost and F1. F1 is\ngiven for runs over the same documents and fields as the last run, so that the figures can\nbe compared; `filler score RUN` measures any other. A run is going, done, stopped (by\nCtrl-C, the budget or an error), waiting (for replies in a file) or interrupted: its process\nis gone. `filler fill --resume` goes on with it.\n\n--drift is for the time when there is no gold for today's documents: it holds the runs since\nthe approved one (`filler runs approve RUN`), or the one named, against it in what can be seen\nwithout gold: values without evidence, uncovered lines, how often each field and choice comes,\nlengths of texts and lists.\n\n  filler runs approve 3\n  filler runs --drift",
		RunE: func(_ *cobra.Command, args []string) error {
			if drift {
				return a.drift(first(args), asJSON)
			}
			l, p, err := a.kept()
			if err != nil {
				return err
			}
			defer l.Close()
			runs, err := l.Runs()
			if err != nil {
				return err
			}
			return a.printRuns(l, rulersOf(p), runs, asJSON)
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the runs as JSON Lines")
	cmd.Flags().BoolVar(&drift, "drift", false, "how the runs since the approved one differ from it, without gold")
	cmd.AddCommand(a.approveCmd(), a.progressCmd(), a.workersCmd(), a.stopCmd(), a.resumeCmd())
	return cmd
}

// measured is the F1 of a run, with what it covers.
type measured struct {
	f1     score.Ratio
	covers string
}

// scopeWords say how the documents of a run were chosen.
var scopeWords = map[string]string{store.All: "", store.Named: "named", store.Sample: "sample", store.Where: "where", store.Again: "again", store.Unfilled: "unfilled", store.Shard: "shard"}

// coverage says how many documents a run covers, and of how many.
func coverage(run store.Run, documents int) string {
	if run.Of > documents {
		return fmt.Sprintf("%s of %s", thousands(documents), thousands(run.Of))
	}
	return thousands(documents)
}

// covered names what was measured: a run with the documents that it covers, or
// the records of a file.
func (w *work) covered(run int64) string {
	if run == 0 {
		return "the records"
	}
	name := fmt.Sprintf("run %d", run)
	l, err := w.keptRuns()
	if err != nil {
		return name
	}
	defer l.Close()
	r, err := l.Find(fmt.Sprint(run))
	if err != nil {
		return name
	}
	if r.Name != "" {
		name += " (" + r.Name + ")"
	}
	if sum, err := l.Totals(run); err == nil && (r.Of > sum.Documents || r.Scope != store.All) {
		name += fmt.Sprintf(", %s of the project's %s", plural(sum.Documents, "document"), thousands(max(r.Of, sum.Documents)))
		if word := scopeWords[r.Scope]; word != "" {
			name += " (" + word + ")"
		}
	}
	return name
}

func (a *app) printRuns(l store.Store, r *rulers, runs []store.Run, asJSON bool) error {
	heads := []string{">run", "name", "model", "schema", "prompt", "state", ">documents", "scope", ">unflagged", ">repaired", ">flagged", ">failed", ">cost", ">F1", "began"}
	jobs := slices.ContainsFunc(runs, func(run store.Run) bool { return fill.JobOf(run) != "" })
	if jobs {
		heads = slices.Insert(heads, 1, "job")
	}
	t := a.newTable(heads...).giveWay("schema", "prompt", "began", "scope", "repaired", "unflagged", "state", "documents", "cost")
	last, other := lastOf(runs), int64(0)
	for _, run := range runs {
		sum, err := l.Totals(run.ID)
		if err != nil {
			return err
		}
		job := fill.JobOf(run)
		ruled := r.measure(l, last[job])
		m := ruled
		if run.ID != last[job].ID {
			m = r.measure(l, run)
		}
		comparable := m.covers == ruled.covers
		if asJSON {
			a.printJSON(runJSON(run, sum, m.f1, comparable))
			continue
		}
		state := field{run.State, plain}
		if run.State != store.Done {
			state.tone = soft
		}
		f1 := field{ratioText(m.f1), bold}
		if m.f1.Exists && !comparable {
			f1, other = field{"·", faint}, last[job].ID
		}
		row := []any{run.ID, run.Name, run.Model, run.SchemaHash[:6], run.PromptHash[:6], state, coverage(run, sum.Documents), scopeOf(run), sum.Unflagged, dash(sum.Repaired), dash(sum.Flagged), dash(sum.Failed),
			money(sum.CostNano), f1, run.Began.Local().Format("2006-01-02 15:04")}
		if jobs {
			row = slices.Insert(row, 1, any(job))
		}
		t.row(row...)
	}
	if asJSON {
		return nil
	}
	t.print()
	if other > 0 {
		a.printf("%s\n", a.paint(faint, fmt.Sprintf("· other documents or fields than run %d, so that their F1 does not compare; `filler score RUN` measures them", other)))
	}
	return nil
}

// scopeOf says which part of the project a run covers, in a word or two.
func scopeOf(run store.Run) string {
	words := []string{}
	if aside := fill.AsideOf(run); aside == improve.Aside {
		words = append(words, "a trial of improve")
	} else if aside == asideOfRoute {
		words = append(words, "asked by route")
	} else if w := scopeWords[run.Scope]; w != "" {
		words = append(words, w)
	}
	if fill.IsOpen(run) {
		words = append(words, "open")
	} else if fill.IsPartial(run) {
		words = append(words, "some fields")
	}
	return strings.Join(words, ", ")
}

func runJSON(run store.Run, sum store.Totals, f1 score.Ratio, comparable bool) value.Value {
	n := func(name string, n int) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
	v := value.Obj(value.Num(fmt.Sprint(run.ID)).Named("run"))
	if run.Name != "" {
		v.Set("name", value.Str(run.Name))
	}
	if job := fill.JobOf(run); job != "" {
		v.Set("job", value.Str(job))
	}
	v.Kids = append(v.Kids, value.Str(run.Model).Named("model"), value.Str(run.SchemaHash).Named("schema"), value.Str(run.PromptHash).Named("prompt"),
		value.Str(run.State).Named("state"), value.Str(run.Began.UTC().Format("2006-01-02T15:04:05Z")).Named("began"),
		n("documents", sum.Documents), n("waiting", sum.Waiting), n("unflagged", sum.Unflagged), n("repaired", sum.Repaired), n("flagged", sum.Flagged), n("failed", sum.Failed),
		n("exchanges", sum.Exchanges), n("tokens_in", sum.TokensIn), n("tokens_out", sum.TokensOut), value.Num(fmt.Sprintf("%.9f", float64(sum.CostNano)/1e9)).Named("cost"))
	if run.Of > 0 {
		v.Set("of", value.Num(fmt.Sprint(run.Of)))
	}
	if run.Scope != "" {
		v.Set("scope", value.Str(run.Scope))
	}
	if fill.IsPartial(run) {
		v.Set("some_fields", value.Boolean(true))
	}
	if f1.Exists {
		v.Set("f1", value.Num(fmt.Sprint(f1.Value)))
		v.Set("f1_comparable", value.Boolean(comparable))
	}
	return v
}
