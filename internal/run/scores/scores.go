// Package scores measures runs as a store keeps them: one run, all that compare with it,
// and what each step from reply to record was worth.
//
// Rules it keeps:
//
//   - All runs are measured with one ruler: the schema and the gold that are given.
//   - Figures of two runs compare only where they cover the same documents and fields.
package scores

import (
	"crypto/sha256"
	"fmt"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/store"
)

// Ruler is what runs are measured with.
type Ruler struct {
	Schema *schema.Schema
	Gold   *gold.Shelf
	Split  string // "" is all
}

// Run is the score of a run.
type Run struct {
	store.Run
	Score  score.Report
	Covers string // a mark of the documents that counted and the fields asked for
}

// Of measures a run; false where it is of no schema.
func (r *Ruler) Of(l store.Store, run store.Run) (Run, bool, error) {
	if fill.IsOpen(run) {
		return Run{Run: run}, false, nil
	}
	s := score.NewWith(r.Schema, r.Gold, score.Options{Split: r.Split})
	covers, err := r.cover(l, run, s)
	if err != nil {
		return Run{Run: run}, false, err
	}
	out := Run{Run: run, Score: s.Report(), Covers: covers}
	out.Score.Run = run.ID
	return out, true, nil
}

// cover scores a run, and gives a mark of the documents that counted and the fields that
// were asked for.
func (r *Ruler) cover(l store.Store, run store.Run, s *score.Scorer) (string, error) {
	hash := sha256.New()
	if source, err := l.Blob(run.SchemaHash); err == nil {
		if asked, err := schema.Parse(run.SchemaFile, source); err == nil {
			for _, f := range asked.Leaves() {
				fmt.Fprintln(hash, r.Schema.PathNow(f.Path))
			}
		}
	}
	counted := 0
	err := l.Records(run.ID, 0, func(rec store.Record) error {
		line, err := fill.ToLine(run.ID, rec, r.Schema)
		if err == nil {
			err = s.Add(line)
		}
		if err != nil {
			return err
		}
		if n := s.Counted(); n > counted {
			counted = n
			fmt.Fprintln(hash, line.Document)
		}
		return nil
	})
	return string(hash.Sum(nil)), err
}

// History gives the scores of all runs that can be measured, the oldest first. Those that were
// made aside are not of it: they are trials.
func (r *Ruler) History(l store.Store) (all []Run, err error) {
	runs, err := l.Runs()
	if err != nil {
		return nil, err
	}
	for i := len(runs) - 1; i >= 0; i-- {
		if fill.AsideOf(runs[i]) != "" {
			continue
		}
		one, ok, err := r.Of(l, runs[i])
		if err != nil {
			return nil, err
		}
		if ok && one.Score.Overall.F1().Exists {
			all = append(all, one)
		}
	}
	return all, nil
}

// Comparable gives those that compare with a run.
func Comparable(all []Run, id int64) (out []Run) {
	covers := ""
	for _, one := range all {
		if one.ID == id {
			covers = one.Covers
		}
	}
	for _, one := range all {
		if one.Covers == covers {
			out = append(out, one)
		}
	}
	return out
}

// Step is the score of the records after a step.
type Step struct {
	Name  string
	Score score.Report
}

// Steps gives the score after each step that led from the first replies of a run to its
// records: as they came, read leniently, normalized, repaired. Documents that took
// several requests are not in it, and are counted.
func (r *Ruler) Steps(l store.Store, run store.Run) (steps []Step, several int, err error) {
	names := []string{"as it came", "parsed leniently", "normalized", "repaired"}
	scorers := make([]*score.Scorer, len(names))
	for i := range scorers {
		scorers[i] = score.NewWith(r.Schema, r.Gold, score.Options{Split: r.Split})
	}
	settings, _ := fill.SettingsOf(run)
	asked := r.Schema // the names that the replies have
	if s, err := schema.Parse(run.SchemaFile, run.Schema); err == nil && asked.HasRenamed() {
		asked = s
	}
	err = l.Records(run.ID, 0, func(rec store.Record) error {
		line, err := fill.ToLine(run.ID, rec, r.Schema)
		if err != nil {
			return err
		}
		exchanges, err := l.Exchanges(run.ID, rec.N)
		if err != nil {
			return err
		}
		read, one := fill.StepsOf(asked, settings, exchanges)
		if !one {
			several++
			return nil
		}
		for i, v := range []value.Value{read.Came, read.Lenient, read.Normalized} {
			of := record.Line{Document: line.Document, Hashes: line.Hashes, Example: line.Example, Record: v}
			if v.Kind == value.Null {
				of.Status = record.Failed
			}
			of.Renew(r.Schema)
			if err := scorers[i].Add(of); err != nil {
				return err
			}
		}
		return scorers[3].Add(line)
	})
	for i, s := range scorers {
		steps = append(steps, Step{names[i], s.Report()})
	}
	return steps, several, err
}
