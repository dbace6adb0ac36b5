package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/project"
	"filler/internal/measure/gold"
	"filler/internal/run/fill"
	"filler/internal/run/scores"
	"filler/internal/schema"
	"filler/internal/store"
)

// Where a project has several jobs, a run or a document that a command names says which is meant.

// jobOfRun takes the job of the runs that a command names, where none is named itself.
func (a *app) jobOfRun(cmd *cobra.Command, args []string) error {
	if !strings.Contains(cmd.Use, "RUN") && cmd.Name() != "compare" && cmd.Flags().Lookup("run") == nil {
		return nil
	}
	p := a.several()
	if p == nil {
		return nil
	}
	l, err := (&work{project: p}).keptRuns()
	if err != nil {
		return nil // the command says what is wrong
	}
	defer l.Close()
	if f := cmd.Flags().Lookup("run"); f != nil && f.Changed {
		args = append([]string{f.Value.String()}, args...)
	}
	first := ""
	for _, name := range args {
		if name == "last" || name == "" {
			continue
		}
		run, err := l.Find(name)
		job := fill.JobOf(run)
		switch {
		case err != nil || job == "":
		case a.job == "":
			a.job, first = job, name
		case job != a.job:
			return fmt.Errorf("run %s is of the job %s, and run %s of %s; name runs of one job", first, a.job, name, job)
		}
	}
	return nil
}

// runWith gives the newest run that has a document, whichever job it is of.
func runWith(l store.Store, document string) (store.Run, error) {
	runs, err := l.Runs()
	if err != nil {
		return store.Run{}, err
	}
	if len(runs) == 0 {
		return store.Run{}, store.ErrNone
	}
	for _, run := range runs {
		if fill.AsideOf(run) != "" {
			continue
		}
		if _, err := taskOf(l, run.ID, document); err == nil {
			return l.Find(strconv.FormatInt(run.ID, 10)) // a list of runs leaves their schemas out
		}
	}
	return store.Run{}, fmt.Errorf("%s is in no run of any job; `filler runs` lists them", document)
}

// rulers are what the runs of a project are measured with: those of each job with its own gold.
type rulers struct {
	project *project.Project
	byJob   map[string]*scores.Ruler
	done    map[int64]measured
}

func rulersOf(p *project.Project) *rulers {
	return &rulers{p, map[string]*scores.Ruler{}, map[int64]measured{}}
}

func (r *rulers) of(run store.Run) *scores.Ruler {
	if r.project == nil {
		return nil
	}
	job := fill.JobOf(run)
	if ruler, ok := r.byJob[job]; ok {
		return ruler
	}
	p := *r.project
	if job != "" && job != p.Job && p.Choose(job) != nil {
		return nil // it is none of the project's any more
	}
	r.byJob[job] = rulerOf(&p)
	return r.byJob[job]
}

// measure gives the F1 of a run by what its job is measured with; each run is measured once.
func (r *rulers) measure(l store.Store, run store.Run) measured {
	if m, ok := r.done[run.ID]; ok {
		return m
	}
	m := measured{}
	if ruler := r.of(run); ruler != nil && run.ID > 0 {
		if of, ok, err := ruler.Of(l, run); err == nil && ok {
			m = measured{of.Score.Overall.F1(), of.Covers}
		}
	}
	r.done[run.ID] = m
	return m
}

// lastOf gives of each job the run that "last" means, as the ledger does: the newest that was not made
// aside, not interrupted, and not begun for documents named one by one, but where all were.
func lastOf(runs []store.Run) map[string]store.Run {
	last := map[string]store.Run{}
	for _, named := range []bool{false, true} {
		for _, run := range runs {
			job := fill.JobOf(run)
			if _, has := last[job]; !has && fill.AsideOf(run) == "" && run.State != store.Interrupted && (run.Scope == store.Named) == named {
				last[job] = run
			}
		}
	}
	return last
}

// rulerOf gives the schema and the gold of a project as they are now; nil where there are none.
func rulerOf(p *project.Project) *scores.Ruler {
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
	return &scores.Ruler{Schema: s, Gold: set}
}
