package fill

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"filler/internal/base/project"
	"filler/internal/base/secret"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// Sharing is how a run is shared with workers that have no project.
type Sharing struct {
	By       ReadBy
	Currency string
	Copy     bool // what is in documents is kept in the ledger
}

// order is what a worker needs beside the schema and the settings of the prompt. It is kept with
// the run, without keys: those come from each worker's own environment.
type order struct {
	Model, Then, OCR *project.Model
	Pace             project.Pace
	Reading          project.Reading
	Named            []string `json:",omitempty"` // addresses that the user names, and data may not
	Currency         string   `json:",omitempty"`
	Fresh            bool     `json:",omitempty"`
	Own              []string `json:",omitempty"` // models of which more is needed than can be kept
}

// withoutSecrets gives a model as it may be kept, and what of it may not.
func withoutSecrets(m *project.Model) (*project.Model, []string) {
	if m == nil {
		return nil, nil
	}
	c := *m
	var missing []string
	if len(c.Headers) > 0 {
		missing = append(missing, "headers "+strings.Join(slices.Sorted(maps.Keys(c.Headers)), ", "))
		c.Headers = nil
	}
	if shown := secret.Address(c.At); shown != c.At {
		c.At, missing = shown, append(missing, "a key in its address")
	}
	if c.CAFile != "" || c.CertFile != "" {
		c.CAFile, c.CertFile, c.CertKey = "", "", ""
		missing = append(missing, "certificates")
	}
	return &c, missing
}

// order gives what workers need of this filling; nil where it is not shared.
func (f *Filler) order(sources []document.Source) *order {
	if f.share == nil {
		return nil
	}
	o := &order{Pace: f.Pace, Reading: f.share.By.About, Currency: f.share.Currency, Fresh: f.First().Client.Fresh}
	models := []*project.Model{f.First().Model, nil, nil}
	if len(f.Models) > 1 {
		models[1] = f.Models[1].Model
	}
	if o.Reading.OCR.Model != "" {
		models[2] = f.share.By.Model
	}
	for i, into := range []**project.Model{&o.Model, &o.Then, &o.OCR} {
		kept, missing := withoutSecrets(models[i])
		if *into = kept; len(missing) > 0 {
			o.Own = append(o.Own, kept.Entry+": "+strings.Join(missing, ", "))
		}
	}
	if named := f.share.By.Named; named != nil {
		for _, s := range sources {
			if document.IsAddress(s.File) && named(s.File) && secret.Address(s.File) == s.File {
				o.Named = append(o.Named, s.File)
			}
		}
	}
	return o
}

// Here is what a machine has that works on a run of others.
type Here struct {
	Ledger  store.Store
	Dir     string           // where .env lies
	Keep    string           // the folder in which results of OCR and web pages are kept
	Project *project.Project // what is not kept with the run is taken from it; nil where none is here
}

// ErrNotShared says that a run can't be worked on from elsewhere.
var ErrNotShared = errors.New("it was not begun for workers")

// Shared gives what a run of others is filled with, and what ends it. The currency is that of its
// prices.
func (h Here) Shared(run store.Run) (s Setup, currency string, done func(), err error) {
	done = func() {}
	v, err := value.ParseBytes(run.Settings)
	if err != nil || v.Get("shared") == nil {
		return s, "", done, ErrNotShared
	}
	var o order
	if err := json.Unmarshal(v.Get("shared").JSON(), &o); err != nil {
		return s, "", done, fmt.Errorf("run %d: what workers need of it can't be read (%w); use the version of filler that began it", run.ID, err)
	}
	if s.Schema, err = schema.Parse(run.SchemaFile, run.Schema); err != nil {
		return s, "", done, err
	}
	for _, m := range []*project.Model{o.Model, o.Then, o.OCR} {
		if err := h.complete(m, o.Own); err != nil {
			return s, "", done, fmt.Errorf("run %d: %w", run.ID, err)
		}
	}
	s.Settings, _ = SettingsOf(run)
	s.Ledger, s.Dir, s.Model, s.Then, s.Pace, s.Rounds, s.Fresh, s.Job = h.Ledger, h.Dir, o.Model, o.Then, o.Pace, run.Rounds, o.Fresh, v.Word("job")
	s.Reader, done, err = NewReader(ReadBy{About: o.Reading, Dir: h.Dir, Keep: h.Keep, Model: o.OCR, Pace: o.Pace,
		Named: func(address string) bool { return slices.Contains(o.Named, address) },
		Open:  func() (store.Store, func(), error) { return h.Ledger, func() {}, nil }})
	return s, o.Currency, done, err
}

// complete adds to a model what is not kept with runs, from the project here.
func (h Here) complete(m *project.Model, own []string) error {
	if m == nil {
		return nil
	}
	for _, what := range own {
		name, missing, _ := strings.Cut(what, ": ")
		if name != m.Entry {
			continue
		}
		var has *project.Model
		if h.Project != nil {
			has = h.Project.Models[name]
		}
		if has == nil {
			return fmt.Errorf("model %s needs what a ledger does not keep (%s); start the worker in a folder whose filler.yaml has this model", name, missing)
		}
		m.At, m.Headers, m.CAFile, m.CertFile, m.CertKey = has.At, has.Headers, has.CAFile, has.CertFile, has.CertKey
	}
	return nil
}
