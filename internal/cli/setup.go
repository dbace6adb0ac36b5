package cli

import (
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"filler/internal/ask/model"
	"filler/internal/base/place"
	"filler/internal/base/project"
	"filler/internal/base/secret"
	"filler/internal/measure/gold"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/fetch"
	"filler/internal/store"
)

// work is what a command works with: a project, or what flags say in place of
// one.
type work struct {
	project *project.Project // nil without one
	schema  *schema.Schema
	root    string          // the folder that document ids are relative to
	notes   []string        // what is to be known of tables
	leftOut []error         // rows, tables and links that can't be documents
	typed   map[string]bool // addresses that the command line names
	shelf   *gold.Shelf     // the gold that was opened last
}

// find gives the project at hand, at the job that is meant.
func (a *app) find() (*project.Project, error) {
	p, err := project.Find(".")
	if err != nil {
		var none *project.NotFound
		if errors.As(err, &none) && a.job != "" {
			return nil, fmt.Errorf("--job %s: there is no project here; go to one", a.job)
		}
		return nil, err
	}
	a.currency = p.Currency
	return p, p.Choose(a.job)
}

// findAny is find where no schema is needed: of several jobs none need be
// named.
func (a *app) findAny() (*project.Project, error) {
	if p, err := project.Find("."); err == nil && a.job == "" && p.Schema == "" && len(p.Jobs) > 1 {
		a.currency = p.Currency
		return p, nil
	}
	return a.find()
}

// open finds the project and loads the schema. A schema named by flag makes
// the project dispensable.
func (a *app) open(schemaFile string) (*work, error) {
	w := &work{root: "."}
	p, err := a.find()
	var none *project.NotFound
	switch {
	case err == nil:
		w.project, w.root = p, p.Dir
		a.warnOpenKeys(p.Dir)
		if schemaFile == "" {
			schemaFile = p.Schema
		}
	case !errors.As(err, &none) || schemaFile == "":
		return nil, err
	}
	w.schema, err = schema.Load(schemaFile)
	return w, err
}

// openWithRun is open where a run will do for a project: its schema is the one that it was begun
// with.
func (a *app) openWithRun(schemaFile, runName string) (*work, error) {
	w, err := a.open(schemaFile)
	var none *project.NotFound
	if !errors.As(err, &none) || a.job != "" {
		return w, err
	}
	w = &work{root: "."}
	l, kerr := w.keptRuns()
	if kerr != nil {
		return nil, err
	}
	defer l.Close()
	run, err := l.Find(runName)
	if err == nil {
		w.schema, err = schema.Parse(run.SchemaFile, run.Schema)
	}
	return w, err
}

// anywhere gives the project at hand, or a place to work without one. No schema
// is loaded.
func (a *app) anywhere() (*work, error) {
	w := &work{root: "."}
	p, err := a.findAny()
	var none *project.NotFound
	switch {
	case err == nil:
		w.project, w.root = p, p.Dir
		a.warnOpenKeys(p.Dir)
	case !errors.As(err, &none):
		return nil, err
	}
	return w, nil
}

// warnOpenKeys says if others than the user can read or change the keys of a
// project.
func (a *app) warnOpenKeys(dir string) {
	file := filepath.Join(dir, ".env")
	info, err := os.Stat(file)
	if err != nil || runtime.GOOS == "windows" {
		return
	}
	switch mode := info.Mode().Perm(); {
	case mode&0o022 != 0:
		a.notef("warning: %s: others can change the keys in it; `chmod 600 %s`\n", file, file)
	case mode&0o044 != 0:
		a.notef("warning: %s: others can read the keys in it; `chmod 600 %s`\n", file, file)
	}
}

// model gives the model that a flag or the project names.
func (w *work) model(name string) (*project.Model, error) {
	if w.project != nil {
		return w.project.Model(name)
	}
	if name == "" {
		return nil, errors.New("no model is named; add --model URL, such as --model http://127.0.0.1:8000/v1 or --model standin:steady")
	}
	return project.AtAddress(name)
}

// knownShape gives the shape that a model's server is known to take: what
// `auto` would ask in.
func (w *work) knownShape(m *project.Model) string {
	l, err := w.keptRuns()
	if err != nil {
		return project.Shapes[1]
	}
	defer l.Close()
	if shape, err := l.Shape(model.Identity(m)); err == nil && shape != "" {
		return shape
	}
	return project.Shapes[1]
}

func (w *work) pace() project.Pace {
	if w.project != nil {
		return w.project.Pace
	}
	return project.DefaultPace
}

// budget gives what a run may cost: as the flag says, or the project.
func (w *work) budget(flag float64) float64 {
	if flag == 0 && w.project != nil {
		return w.project.Budget
	}
	return flag
}

func (w *work) rounds() int {
	if w.project != nil {
		return w.project.Rounds
	}
	return project.DefaultRounds
}

// chosen opens the project with the model and the documents that are named.
func (a *app) chosen(schemaFile, modelName string, names []string) (*work, *project.Model, []document.Source, error) {
	w, err := a.open(schemaFile)
	if err != nil {
		return nil, nil, nil, err
	}
	m, err := w.model(modelName)
	if err != nil {
		return nil, nil, nil, err
	}
	sources, err := w.sources(names)
	return w, m, sources, err
}

// sources gives the documents that names stand for, or all of the project, with
// their metadata.
func (w *work) sources(names []string) ([]document.Source, error) {
	found, err := w.named(names)
	if err != nil || w.project == nil || w.project.Metadata == "" {
		return found, err
	}
	metadata, err := document.LoadMetadata(w.project.Metadata)
	if err != nil {
		return nil, err
	}
	metadata.Add(found)
	return found, nil
}

func (w *work) named(names []string) ([]document.Source, error) {
	if len(names) == 1 && names[0] == "-" {
		return []document.Source{{ID: "-", File: "-"}}, nil
	}
	if len(names) == 0 {
		if w.project == nil {
			return nil, errors.New("no document is named; add its path, or - for standard input")
		}
		if len(w.project.Documents)+len(w.project.Tables)+len(w.project.Mails) == 0 {
			return nil, fmt.Errorf("%s: no documents are named; add `documents: [documents]`", w.project.File)
		}
		mails, err := w.mails()
		if err != nil {
			return nil, err
		}
		rows := append(mails, w.rows()...)
		if len(w.project.Documents) == 0 {
			return rows, nil
		}
		found, err := w.find(w.project.Documents)
		return append(found, rows...), err
	}
	var found []document.Source
	for _, name := range names {
		more, err := w.one(name)
		if err != nil {
			return nil, err
		}
		found = append(found, more...)
	}
	return found, nil
}

// one gives the documents that one name stands for: a file, a folder, an
// address, a table of the project with all its rows, or a row.
func (w *work) one(name string) ([]document.Source, error) {
	if document.IsAddress(name) {
		if w.typed == nil {
			w.typed = map[string]bool{}
		}
		w.typed[fetch.Shown(name)] = true
	}
	at := w.locate(name)
	if t := w.tableAt(at); t != nil {
		return w.rowsOf(t), nil
	}
	if document.IsAddress(name) || !strings.Contains(name, "#") || exists(at) {
		found, err := w.find([]string{at})
		return found, w.perhaps(name, err)
	}
	if part, ok := document.OfPart(w.root, at); ok && exists(part.File) && w.tableAt(part.File) == nil {
		return []document.Source{part}, nil
	}
	row, err := rowNamed(w.rows(), name)
	return []document.Source{row}, err
}

// perhaps names the document of the project that a name without its folder or its ending may mean,
// where there is no such file.
func (w *work) perhaps(name string, err error) error {
	var missing *document.Error
	if !errors.As(err, &missing) || exists(name) || w.project == nil || strings.ContainsAny(name, "*?[") {
		return err
	}
	all, findErr := document.Find(w.root, w.project.Documents)
	if findErr != nil {
		return err
	}
	var near []string
	for _, s := range all {
		if base := path.Base(s.ID); base == name || strings.TrimSuffix(base, path.Ext(base)) == name {
			near = append(near, s.ID)
		}
	}
	if len(near) != 1 {
		return err
	}
	return &document.Error{File: name, Msg: missing.Msg, Hint: fmt.Sprintf("did you mean %q?", near[0])}
}

// mails gives the e-mails that the project names as such, and what is attached to
// them where it asks for that.
func (w *work) mails() (all []document.Source, err error) {
	for _, m := range w.project.Mails {
		found, err := w.find([]string{m.Path})
		if err != nil {
			return nil, err
		}
		for _, s := range found {
			isMail := strings.ToLower(filepath.Ext(s.File)) == ".eml"
			if isMail || document.IsMailbox(s.File) {
				all = append(all, s)
			}
			if !isMail || !m.Attachments {
				continue
			}
			data, err := os.ReadFile(s.File)
			if err != nil {
				return nil, &document.Error{File: s.File, Msg: "can't be read", Hint: "check the file"}
			}
			all = append(all, document.Attached(s, data)...)
		}
	}
	return all, nil
}

// find gives the documents that paths stand for. What is wrong with single ones is
// told when the sources are known, and the others go on.
func (w *work) find(names []string) ([]document.Source, error) {
	found, err := document.Find(w.root, names)
	var faults document.LeftOut
	if errors.As(err, &faults) {
		w.leftOut, err = append(w.leftOut, faults...), nil
	}
	return found, err
}

// byID gives the document that data names: a row of the project's tables, a file of
// the project, or what filler.yaml names. Without a project it lies in the folder
// of the file that names it.
func (w *work) byID(id, from string) document.Source {
	if w.project == nil {
		return document.Named(id, filepath.Dir(from))
	}
	if strings.Contains(id, "#") && !document.IsAddress(id) {
		if row, err := rowNamed(w.rows(), id); err == nil {
			return row
		}
	}
	if document.IsAddress(id) && strings.Contains(id, secret.Mark) { // known again, once the project's addresses are
		was := w.leftOut
		_, _ = w.named(nil)
		w.leftOut = was
	}
	return document.Named(id, append([]string{w.root}, w.project.Documents...)...)
}

// userNamed tells whether the user named an address, on the command line or in
// filler.yaml.
func (w *work) userNamed(address string) bool {
	return w.typed[address] || w.project != nil && slices.ContainsFunc(w.project.Documents, func(d string) bool {
		return document.IsAddress(d) && fetch.Shown(d) == address
	})
}

// tableAt gives the project's table that a path names, or nil.
func (w *work) tableAt(path string) *document.Table {
	if w.project == nil {
		return nil
	}
	for _, t := range w.project.Tables {
		if filepath.Clean(t.File) == filepath.Clean(path) || sameFile(t.File, path) {
			return w.tableOf(t)
		}
	}
	return nil
}

func sameFile(a, b string) bool {
	x, err := os.Stat(a)
	if err != nil {
		return false
	}
	y, err := os.Stat(b)
	return err == nil && os.SameFile(x, y)
}

func (w *work) tableOf(t project.Table) *document.Table {
	return &document.Table{File: t.File, Sheet: t.Sheet, Encoding: w.encodingOf(t.File), ID: t.ID, Text: t.Text, From: t.From, Metadata: t.Metadata}
}

func exists(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

// rows gives the rows of the project's tables, each a document.
func (w *work) rows() []document.Source {
	var all []document.Source
	if w.project == nil {
		return nil
	}
	for _, t := range w.project.Tables {
		all = append(all, w.rowsOf(w.tableOf(t))...)
	}
	return all
}

// rowsOf gives the sound rows of a table. What is wrong with the others is told
// when the sources are known, and the other documents go on.
func (w *work) rowsOf(t *document.Table) []document.Source {
	rows, notes, err := t.Rows(w.root)
	w.notes = append(w.notes, notes...)
	var faults document.LeftOut
	switch {
	case errors.As(err, &faults):
		w.leftOut = append(w.leftOut, faults...)
	case err != nil:
		w.leftOut = append(w.leftOut, err)
	}
	return rows
}

// mostLeftOut bounds how many rows are told one by one.
const mostLeftOut = 20

// encodingOf gives the character set that the project states for a file.
func (w *work) encodingOf(file string) string {
	if w.project == nil {
		return ""
	}
	r := document.Reader{}
	for _, e := range w.project.Reading.Encodings {
		r.Encodings = append(r.Encodings, document.Encoding(e))
	}
	return r.Stated(document.IDOf(w.root, file))
}

// tell says which rows and tables are left out, and whether there are any.
func (a *app) tell(w *work) bool {
	for _, note := range w.notes {
		a.notef("note: %s\n", note)
	}
	for i, err := range w.leftOut {
		if i == mostLeftOut {
			a.notef("left out: %s more\n", thousands(len(w.leftOut)-i))
			break
		}
		a.notef("left out: %s\n", err)
	}
	return len(w.leftOut) > 0
}

// rowNamed finds a row by its id, or the end of it.
func rowNamed(rows []document.Source, name string) (document.Source, error) {
	var ids []string
	for _, r := range rows {
		if r.ID == name || strings.HasSuffix(r.ID, "/"+name) {
			return r, nil
		}
		ids = append(ids, r.ID)
	}
	hint := "no table is named in filler.yaml"
	if near := place.Nearest(name, ids); near != "" {
		hint = fmt.Sprintf("did you mean %q?", near)
	}
	return document.Source{}, &document.Error{File: name, Msg: "there is no such file, and no such row of a table", Hint: hint}
}

// locate lets a document be named by its id as well as by its path.
func (w *work) locate(name string) string {
	if _, err := os.Stat(name); err != nil {
		if at := filepath.Join(w.root, filepath.FromSlash(name)); at != name {
			if _, err := os.Stat(at); err == nil {
				return at
			}
		}
	}
	return name
}

// kept opens the ledger to read, with the project at hand if there is one.
func (a *app) kept() (store.Store, *project.Project, error) {
	p, err := a.findAny()
	var none *project.NotFound
	if err != nil && !errors.As(err, &none) {
		return nil, nil, err
	}
	w := &work{project: p}
	l, err := w.keptRuns()
	if errors.Is(err, store.ErrNone) && p == nil {
		return nil, nil, errors.New("no project and no runs are here; go to a project, or fill something first")
	}
	return l, p, err
}
