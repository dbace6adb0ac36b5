package scores

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"filler/internal/base/process"
	"filler/internal/measure/score"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/store"
)

// Approved is the run that later ones are held against, of one schema.
type Approved struct {
	Run int64  `json:"run"`
	On  string `json:"on"` // the day
}

// approvedIn gives the file in which approved runs are kept.
func approvedIn(dir string) string { return filepath.Join(dir, "approved.json") }

// Approve keeps a run as the one that later ones of its schema are held against. dir is the
// folder of the ledger.
func Approve(dir, schemaName string, run int64, on time.Time) error {
	all, err := readApproved(dir)
	if err != nil {
		return err
	}
	all[schemaName] = Approved{run, on.Format("2006-01-02")}
	data, err := json.MarshalIndent(all, "", "  ")
	if err != nil {
		return err
	}
	return process.WriteFile(approvedIn(dir), append(data, '\n'), false)
}

func readApproved(dir string) (map[string]Approved, error) {
	all := map[string]Approved{}
	data, err := os.ReadFile(approvedIn(dir))
	if errors.Is(err, os.ErrNotExist) {
		return all, nil
	}
	if err == nil {
		err = json.Unmarshal(data, &all)
	}
	if err != nil {
		return nil, fmt.Errorf("%s can't be read: %s; approve a run again after moving it away", approvedIn(dir), strings.TrimSpace(err.Error()))
	}
	return all, nil
}

// ErrNoneApproved says that no run is approved.
var ErrNoneApproved = errors.New("no run is approved; `filler runs approve RUN` says which one later runs are held against")

// AllApproved gives the numbers of the approved runs of all schemas.
func AllApproved(dir string) (runs []int64, err error) {
	all, err := readApproved(dir)
	for _, a := range all {
		runs = append(runs, a.Run)
	}
	return runs, err
}

// ApprovedOf gives the approved run of a schema.
func ApprovedOf(l store.Store, dir, schemaName string) (store.Run, error) {
	all, err := readApproved(dir)
	if err != nil {
		return store.Run{}, err
	}
	one, ok := all[schemaName]
	if !ok {
		return store.Run{}, ErrNoneApproved
	}
	run, err := l.Find(fmt.Sprint(one.Run))
	if err != nil {
		return store.Run{}, fmt.Errorf("the approved run %d is gone; `filler runs approve RUN` names another", one.Run)
	}
	return run, nil
}

// Drifted is a run held against the approved one.
type Drifted struct {
	store.Run
	Profile *score.Profile
	Drifts  []score.Drift
}

// Changed gives the measures that differ beyond chance.
func (d *Drifted) Changed() (all []score.Drift) {
	for _, x := range d.Drifts {
		if x.Changed() {
			all = append(all, x)
		}
	}
	return all
}

// ProfileOf reads the records of a run.
func ProfileOf(l store.Store, run store.Run, s *schema.Schema) (*score.Profile, error) {
	p := score.NewProfile(s)
	return p, l.Records(run.ID, 0, func(rec store.Record) error {
		line, err := fill.ToLine(run.ID, rec, s)
		if err == nil {
			p.Add(&line)
		}
		return err
	})
}

// Since holds the runs that came after the approved one against it, the oldest first: those
// of documents as they come, filled by this schema's name, and not those of documents named
// one by one.
func Since(l store.Store, approved store.Run, s *schema.Schema) (base *score.Profile, all []Drifted, err error) {
	if base, err = ProfileOf(l, approved, s); err != nil {
		return nil, nil, err
	}
	runs, err := l.Runs()
	if err != nil {
		return nil, nil, err
	}
	for i := len(runs) - 1; i >= 0; i-- {
		run := runs[i]
		if run.ID <= approved.ID || run.Scope == store.Named || run.Scope == store.Again || fill.IsOpen(run) || fill.MadeBy(run) != "" || fill.IsPartial(run) != fill.IsPartial(approved) {
			continue
		}
		p, err := ProfileOf(l, run, s)
		if err != nil {
			return nil, nil, err
		}
		if p.Documents > 0 {
			all = append(all, Drifted{run, p, score.DriftOf(base, p)})
		}
	}
	return base, all, nil
}
