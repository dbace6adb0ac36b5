package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/store"
)

func (a *app) goldFreezeCmd() *cobra.Command {
	var split, how, goldPath, schemaFile string
	cmd := &cobra.Command{Use: "freeze NAME", Short: "Fix a set of reviewed records by hashes", Args: one("a name for the set"),
		Long: `Write NAME.frozen beside the gold: which reviewed records there are now, each with a hash. A
figure that is given for a frozen set (` + "`filler score --frozen NAME`" + `) is for these records and no
others; where one was changed since, no figure is given. --sampled keeps how the documents were
chosen, for ` + "`filler score --statement`" + `.

  filler gold freeze spring-2031 --split test --sampled 'every tenth letter of March, by number'`,
		RunE: func(_ *cobra.Command, args []string) error {
			if split != "" && split != gold.Tune && split != gold.Test {
				a.parsed = false
				return fmt.Errorf("--split is tune or test, not %q", split)
			}
			w, err := a.open(schemaFile)
			if err != nil {
				return err
			}
			path, err := w.goldPath(goldPath)
			if err != nil {
				return err
			}
			file, err := gold.FrozenFile(path, args[0])
			if err != nil {
				a.parsed = false
				return err
			}
			set, err := gold.Load(path, w.schema)
			if err != nil {
				return err
			}
			f, err := gold.Freeze(set, w.schema, args[0], split, how, time.Now())
			if err != nil {
				return err
			}
			if err := f.Write(file); err != nil {
				return err
			}
			a.notef("%s: %s, sha256 %s; `filler score --frozen %s` counts these alone\n", relative(file), plural(len(f.Members), "gold record"), f.Mark(), f.Name)
			return nil
		}}
	cmd.Flags().StringVar(&split, "split", "", splitUsage)
	cmd.Flags().StringVar(&how, "sampled", "", "how the documents were chosen, in your words: a `TEXT`")
	cmd.Flags().StringVar(&goldPath, "gold", "", goldUsage)
	cmd.Flags().StringVar(&schemaFile, "schema", "", schemaUsage)
	return cmd
}

// thaw reads the frozen set that a score is asked for, and refuses it where gold has
// changed since.
func (w *work) thaw(o *scoring) error {
	if o.frozen == "" {
		return nil
	}
	path, err := w.goldPath(o.goldPath)
	if err != nil {
		return err
	}
	file, err := gold.FrozenFile(path, o.frozen)
	if err != nil {
		return err
	}
	if o.set, err = gold.ReadFrozen(file); err != nil {
		return err
	}
	shelf, err := w.golds(o.goldPath)
	if err != nil {
		return err
	}
	hand := shelf.Hand()
	differs := o.set.Differs(func(id string) *gold.Record {
		_, g, err := hand.Find(id)
		if err != nil {
			return nil
		}
		return g
	})
	if len(differs) > 0 {
		more := ""
		if len(differs) > 1 {
			more = fmt.Sprintf(", and %d more", len(differs)-1)
		}
		return place.Faults{{File: file, Msg: "gold is not what it was when this set was frozen: " + differs[0] + more, Hint: "put it back, or freeze another set"}}
	}
	return nil
}

// looked keeps that a gold set was looked at, in the project's own folder. What can't be
// kept is told, and the score stands.
func (a *app) looked(w *work, goldPath, command, records, split string) {
	if w.project == nil || goldPath != "" {
		return
	}
	set, held := w.shelf.Set()
	if !held {
		return // a file too long to be read twice
	}
	mark, _ := gold.TestMark(set)
	look := gold.Look{On: time.Now().UTC().Format(time.RFC3339), Command: command, Records: records, Split: split, Mark: mark}
	if err := look.Keep(w.looksFile()); err != nil {
		a.notef("that this score was looked at could not be kept: %s\n", err)
	}
}

func (w *work) looksFile() string { return filepath.Join(w.root, ".filler", "looks.jsonl") }

// nameOf says which records were measured, in a few words that stay the same.
func (w *work) nameOf(run int64, file string) string {
	if run > 0 {
		return fmt.Sprintf("run %d", run)
	}
	return file
}

// signing is a statement that is being made.
type signing struct {
	*score.Statement
	mark gold.Mark
}

// beginStatement lets the score tell what a statement needs.
func (a *app) beginStatement(o *scoring) (*signing, error) {
	if _, err := os.Stat(o.statement); err == nil {
		return nil, place.Faults{{File: o.statement, Msg: "exists already", Hint: "name a new file; nothing is overwritten"}}
	}
	s := &signing{Statement: &score.Statement{Reviewed: map[string]int{}, On: time.Now().Format("2006-01-02"), Program: Version, Frozen: o.set}}
	o.counted = func(g *gold.Record) { s.Hear(g, &s.mark) }
	return s, nil
}

func (a *app) writeStatement(w *work, o scoring, s *signing, r *score.Report) error {
	path, err := w.goldPath(o.goldPath)
	if err != nil {
		return err
	}
	s.Report, s.Gold, s.Mark = r, relative(path), s.mark.Sum()
	s.Schema, s.Hash = strings.TrimSpace(w.schema.Name+" "+w.schema.Version), gold.SchemaHash(w.schema)
	if set, held := w.shelf.Set(); held {
		mark, split := gold.TestMark(set)
		s.Split = split
		if w.project != nil && o.goldPath == "" {
			if s.Looks, err = gold.Looks(w.looksFile(), mark); err != nil {
				return err
			}
		}
		if second, err := gold.Load(path+"-second", w.schema); err == nil {
			s.Second = agreeing(w, set, second)
		}
	}
	if s.Records, err = a.measured(w, o, r); err != nil {
		return err
	}
	if err := process.WriteFile(o.statement, []byte(s.Markdown()), false); err != nil {
		return place.Faults{{File: o.statement, Msg: "can't be written", Hint: "check its folder and permissions, and that the disk is not full"}}
	}
	a.notef("statement: %s\n", o.statement)
	return nil
}

// agreeing compares what two people have signed.
func agreeing(w *work, first, second gold.Set) *score.Agreement {
	x, y := score.Records{}, score.Records{}
	for id, g := range second {
		if of := first[id]; of != nil && g.State == gold.Reviewed && of.State == gold.Reviewed && g.Reviewer != of.Reviewer {
			x[id], y[id] = &of.Record, &g.Record
		}
	}
	got := score.Agree(w.schema, x, y)
	return &got
}

// measured says what the records are and come from.
func (a *app) measured(w *work, o scoring, r *score.Report) ([][2]string, error) {
	if r.Run == 0 {
		return [][2]string{{"records", o.recordsFile + ", sha256 " + hashOfFile(o.recordsFile)}}, nil
	}
	l, err := w.keptRuns()
	if err != nil {
		return nil, err
	}
	defer l.Close()
	run, err := l.Find(fmt.Sprint(r.Run))
	if err != nil {
		return nil, err
	}
	t, err := l.Totals(run.ID)
	if err != nil {
		return nil, err
	}
	out := [][2]string{{"records", w.covered(run.ID) + ", begun " + run.Began.Local().Format("2006-01-02 15:04")}, {"model", run.Model},
		{"schema to fill by", "sha256 " + run.SchemaHash}, {"prompt", "sha256 " + run.PromptHash},
		{"documents filled", fmt.Sprintf("%d: %d unflagged, %d repaired, %d flagged, %d failed", t.Documents, t.Unflagged, t.Repaired, t.Flagged, t.Failed)}, {"cost", a.cost(t.CostNano)}}
	if run.State != store.Done {
		out = append(out, [2]string{"the run did not end", run.State})
	}
	if words := scopeWords[run.Scope]; words != "" {
		out = append(out, [2]string{"of the project's documents", words})
	}
	return out, nil
}

func hashOfFile(file string) string {
	data, err := os.ReadFile(file)
	if err != nil {
		return "not known"
	}
	return gold.HashOf(data)
}

// printFrozen lists the frozen sets, and where gold is another one now.
func (a *app) printFrozen(all []*gold.Frozen, set gold.Set) {
	for _, f := range all {
		differs := f.Differs(func(id string) *gold.Record { return set[id] })
		if len(differs) == 0 {
			a.printf("frozen set %s of %s: %s, unchanged\n", f.Name, f.On, plural(len(f.Members), "record"))
			continue
		}
		a.printf("frozen set %s of %s: %s\n", f.Name, f.On, a.paint(bad, fmt.Sprintf("%d of %s changed since: %s", len(differs), plural(len(f.Members), "record"), differs[0])))
	}
}

func frozenJSON(all []*gold.Frozen, set gold.Set) value.Value {
	list := value.List()
	for _, f := range all {
		differs := f.Differs(func(id string) *gold.Record { return set[id] })
		list.Kids = append(list.Kids, value.Obj(value.Str(f.Name).Named("name"), value.Str(f.On).Named("on"), value.Num(fmt.Sprint(len(f.Members))).Named("records"), value.Str(f.Mark()).Named("sha256"), texts(differs).Named("changed")))
	}
	return list
}
