package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/measure/gold"
	"filler/internal/out/export"
	"filler/internal/record"
	"filler/internal/store"
)

// exporting is the flags of export.
type exporting struct {
	judged
	to, output, since, statuses, where, rows, null string
	columns                                        []string
	wide, evidence, raw, dry, check, asJSON        bool
	newest                                         bool
	lessons                                        lessons
}

const projectsGold = "the project's"

func (a *app) exportRecordsCmd() *cobra.Command {
	var o exporting
	cmd := &cobra.Command{Use: "export [RUN] -o PATH|URL", Short: "Write records as tables, files or a database", Args: cobra.MaximumNArgs(1),
		Long: `Write the records of a run, of any file of JSON Lines, or (--gold, --gold=PATH) of gold as tables: one for
the records, one for each list. FORMAT is csv (a folder), xlsx, parquet (FILE.parquet holds records
as they are, a folder holds tables), sqlite, sql, jsonl, json; left out, the name of PATH says it.
postgres://USER@HOST/DATABASE is a database: run again, it is brought up to date. training writes
examples to tune a model with, spans texts with the places of their values, both of gold.

Where each night fills what is new (` + "`filler fill --unfilled --changed`" + `), --newest takes the newest record of
each document that is still there, over all these nights.

Without a project:  filler export --schema SCHEMA --records FILE -o PATH`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := o.settle(cmd, args); err != nil {
				a.parsed = false
				return err
			}
			if slices.Contains(export.Lessons, o.to) {
				return a.exportLessons(cmd.Context(), &o)
			}
			return a.export(cmd.Context(), &o, first(args))
		}}
	o.flags(cmd, false)
	o.lessons.flags(cmd)
	f := cmd.Flags()
	f.StringVar(&o.goldPath, "gold", "", goldUsage)
	f.Lookup("gold").NoOptDefVal = projectsGold
	f.StringVar(&o.to, "to", "", "the `FORMAT`: "+strings.Join(slices.Concat(export.Formats, export.Lessons), ", "))
	f.StringVarP(&o.output, "output", "o", "", "write to this `PATH`, or into the database at this address")
	f.StringVar(&o.statuses, "status", "", "only records of these `STATUSES`, such as unflagged,repaired")
	f.StringVar(&o.where, "where", "", "only documents whose metadata meet this `CONDITION`, such as 'year > 2030'")
	f.StringVar(&o.since, "changed-since", "", "only what differs from this `RUN`, with what happened to it")
	f.BoolVar(&o.newest, "newest", false, "the newest record of each document of the project, over all runs of its schema and prompt")
	f.BoolVar(&o.wide, "wide", false, "one flat table of the records")
	f.StringVar(&o.rows, "rows", "", "one flat table whose rows are the items of this `LIST`, such as 'bays[].defects[]'")
	f.StringSliceVar(&o.columns, "columns", nil, "only these `COLUMNS`, by their names or by the fields' paths")
	f.BoolVar(&o.evidence, "evidence", false, "kind, place, line and risk beside each value")
	f.StringVar(&o.null, "null", "", "the `TEXT` that stands for no value in csv")
	f.BoolVar(&o.raw, "raw", false, "leave cells of csv as they are that a spreadsheet takes for formulas")
	f.BoolVar(&o.dry, "dry-run", false, "say what a database would be told, and change nothing")
	f.BoolVar(&o.check, "check", false, "compare what is at PATH with the schema, and write nothing")
	f.BoolVar(&o.asJSON, "json", false, "print the manifest as JSON")
	return cmd
}

// settle says what is wrong with flags that do not go together, and finds the format.
func (o *exporting) settle(cmd *cobra.Command, args []string) error {
	set := cmd.Flags().Changed
	from := 0
	for _, given := range []bool{len(args) > 0, set("records"), set("gold"), o.newest} {
		if given {
			from++
		}
	}
	switch {
	case from > 1:
		return errors.New("a run, --newest, --records and --gold are different records; use one of them")
	case o.output == "":
		return errors.New("-o is missing: where to write")
	case o.since != "" && (set("records") || set("gold") || o.newest):
		return errors.New("--changed-since compares runs; name a run")
	case o.since != "" && (o.wide || o.rows != ""):
		return errors.New("--changed-since goes with tables, not with a flat one")
	}
	if strings.HasPrefix(o.output, "postgres://") || strings.HasPrefix(o.output, "postgresql://") {
		if o.to != "" && o.to != "postgres" {
			return fmt.Errorf("--to %s does not go with the address of a database", o.to)
		}
		o.to = "postgres"
	}
	if o.dry && o.to != "postgres" {
		return errors.New("--dry-run goes with a database")
	}
	if o.to == "" {
		if o.to = exportFormat(o.output); o.to == "" {
			return fmt.Errorf("--to is missing: %s says none of %s", o.output, strings.Join(export.Formats, ", "))
		}
	}
	own := ""
	for _, name := range lessonFlags {
		if set(name) && (own == "" || own == "split") {
			own = name
		}
	}
	switch {
	case slices.Contains(export.Lessons, o.to):
		if len(args) > 0 || set("records") {
			return fmt.Errorf("--to %s is made of the gold set; name no run and no records", o.to)
		}
		if o.to == "spans" && own != "" && own != "split" {
			return fmt.Errorf("--%s goes with --to training", own)
		}
		return nil
	case own != "":
		return fmt.Errorf("--%s goes with --to training or --to spans", own)
	}
	if o.to != "postgres" && !slices.Contains(export.Formats, o.to) {
		return fmt.Errorf("unknown format %q; it is one of %s, or the address of a PostgreSQL database stands behind -o", o.to, strings.Join(export.Formats, ", "))
	}
	if (o.raw || set("null")) && o.to != "csv" {
		return errors.New("--raw and --null go with csv")
	}
	return nil
}

// exportFormat gives the format that a name says.
func exportFormat(path string) string {
	switch ext := strings.TrimPrefix(strings.ToLower(filepath.Ext(path)), "."); ext {
	case "csv", "xlsx", "parquet", "sqlite", "sql", "jsonl", "json":
		return ext
	case "db", "sqlite3":
		return "sqlite"
	}
	return ""
}

func (a *app) export(ctx context.Context, o *exporting, runName string) error {
	w, err := a.openWithRun(o.schemaFile, runName)
	if err != nil {
		return err
	}
	job := &export.Job{Schema: w.schema, To: o.to, Path: o.output, Null: o.null, Raw: o.raw, All: true, Dry: o.dry,
		Nested:  o.to == "parquet" && strings.EqualFold(filepath.Ext(o.output), ".parquet") && !o.wide && o.rows == "" && !o.evidence && len(o.columns) == 0,
		Options: export.Options{Evidence: o.evidence, Wide: o.wide, Rows: o.rows, Columns: o.columns, Change: o.since != ""}}
	if o.check {
		return a.checkExport(ctx, job)
	}
	pick, err := a.picks(w, o)
	if err != nil {
		return err
	}
	changes, err := a.since(w, o)
	if err != nil {
		return err
	}
	if err := a.from(w, o, runName, job); err != nil {
		return err
	}
	e, err := job.Begin(ctx)
	if err != nil {
		return err
	}
	s := &sender{a: a, w: w, o: o, to: e, pick: pick, changes: changes, scored: a.measuring(w, o), steps: &steps{a: a, began: time.Now(), last: time.Now()}}
	if err := s.all(ctx, runName); err != nil {
		e.Abandon()
		return err
	}
	s.scored.tell(&job.Manifest)
	if err := e.Close(); err != nil {
		return err
	}
	if err := a.noteExport(w, o, job, s.documents); err != nil {
		return err
	}
	return a.tellExport(o, job, e)
}

// noteExport keeps what went where, for `filler forget`.
func (a *app) noteExport(w *work, o *exporting, job *export.Job, documents []string) error {
	if o.dry || w.project == nil {
		return nil
	}
	to := export.ShownAddress(o.output)
	if job.To != "postgres" {
		if abs, err := filepath.Abs(o.output); err == nil {
			to = abs
		}
		if rel, err := filepath.Rel(w.root, o.output); err == nil && filepath.IsLocal(rel) {
			to = rel
		}
	}
	err := export.Note(w.keepsIn(), export.Held{To: to, Format: job.To, At: time.Now().UTC().Truncate(time.Second), Documents: documents}, job.All || job.To != "postgres")
	if err != nil {
		return fmt.Errorf("%s: what was exported could not be kept for `filler forget`: %w", w.keepsIn(), err)
	}
	return nil
}

// sender gives records to an export.
type sender struct {
	a       *app
	w       *work
	o       *exporting
	to      *export.Export
	pick    func(*record.Line) string // why one is left out
	changes *export.Changes
	scored  *exportScore
	steps   *steps

	documents []string // that were exported
}

func (s *sender) all(ctx context.Context, runName string) error {
	do := func(n int, l record.Line, err error) error {
		if err != nil {
			return lineFault(s.o.recordsFile, n, err)
		}
		if ctx.Err() != nil {
			return errors.New("stopped; what stood there is as it was")
		}
		s.steps.step()
		return s.one(&l)
	}
	var err error
	switch {
	case s.o.goldPath != "":
		err = s.a.eachGold(s.w, s.o.goldPath, do)
	case s.o.newest:
		err = s.a.eachNewest(s.w, do, nil)
	default:
		_, err = s.a.eachDecided(s.w, s.o.judged, runName, do)
	}
	if err == nil && s.changes != nil {
		err = s.changes.Gone(s.to.Gone)
	}
	return err
}

func (s *sender) one(l *record.Line) error {
	change := ""
	if s.changes != nil {
		if change = s.changes.Of(l); change == "" && l.Status != record.Failed {
			s.to.LeaveOut("unchanged")
			return nil
		}
	}
	if why := s.pick(l); why != "" {
		s.to.LeaveOut(why)
		return nil
	}
	if err := s.scored.add(l); err != nil {
		return err
	}
	if n := len(s.documents); n == 0 || s.documents[n-1] != l.Document {
		s.documents = append(s.documents, strings.Clone(l.Document))
	}
	return s.to.Line(l, change)
}

// picks gives what tells why a record is left out; "" for one that goes in.
func (a *app) picks(w *work, o *exporting) (func(*record.Line) string, error) {
	wanted := map[string]bool{}
	for _, s := range strings.FieldsFunc(o.statuses, func(r rune) bool { return r == ',' || r == ' ' }) {
		if s != string(record.Unflagged) && s != string(record.Repaired) && s != string(record.Flagged) {
			return nil, fmt.Errorf("--status %s: it is unflagged, repaired or flagged, or several with commas between", s)
		}
		wanted[s] = true
	}
	var meets map[string]bool
	if o.where != "" {
		sources, err := w.sources(nil)
		if err == nil {
			meets, err = a.meeting(sources, o.where)
		}
		if err != nil {
			return nil, err
		}
	}
	return func(l *record.Line) string {
		switch {
		case l.Status == record.Failed:
			return "failed"
		case len(wanted) > 0 && !wanted[string(l.Status)]:
			return "status"
		case meets != nil && !meets[l.Document]:
			return "where"
		}
		return ""
	}, nil
}

// since reads the run that changes are counted from; nil where none is.
func (a *app) since(w *work, o *exporting) (*export.Changes, error) {
	if o.since == "" {
		return nil, nil
	}
	l, run, err := a.keptRun(w, o.since)
	if err != nil {
		return nil, err
	}
	defer l.Close()
	c := export.NewChanges(w.schema)
	return c, linesOf(l, run.ID, w.schema, func(l record.Line) error {
		c.Was(&l)
		return nil
	})
}

// from notes where the records come from.
func (a *app) from(w *work, o *exporting, runName string, job *export.Job) error {
	m := &job.Manifest
	m.Since = o.since
	switch {
	case o.recordsFile != "":
		m.From = filepath.Base(o.recordsFile)
		return nil
	case o.goldPath != "":
		m.From = "gold"
		return nil
	case o.newest: // documents that are gone leave the database
		m.From, job.All = "newest", o.where == "" && o.statuses == ""
		return nil
	}
	l, run, err := a.keptRun(w, runName)
	if err != nil {
		return err
	}
	defer l.Close()
	m.From, m.Run, m.Prompt, m.Model = "run", run.ID, run.PromptHash, run.Model
	if run.SchemaHash != w.schema.Hash() {
		a.notef("run %d was filled with another version of the schema; its records are written as the schema is now\n", run.ID)
	}
	if run.State != store.Done {
		a.notef("run %d is %s: its documents so far are exported\n", run.ID, run.State)
	}
	job.All = run.State == store.Done && run.Scope == store.All && o.where == "" && o.statuses == ""
	if o.since != "" {
		job.All = false
	}
	if job.To == "postgres" && !job.All && o.since == "" {
		a.notef("documents that are not in this export stay in the database\n")
	}
	return nil
}

// eachGold calls do for the reviewed records.
func (a *app) eachGold(w *work, path string, do func(n int, l record.Line, err error) error) error {
	if path == projectsGold {
		path = ""
	}
	set, err := w.goldSet(path)
	if err != nil {
		return err
	}
	for _, id := range set.Documents() {
		r := set[id]
		if r.State != gold.Reviewed {
			continue
		}
		l := record.Line{Document: id, Hashes: r.Hashes, Record: r.Record}
		if err := do(0, l, nil); err != nil {
			return err
		}
	}
	return nil
}

// checkExport compares what is at a path with the schema.
func (a *app) checkExport(ctx context.Context, job *export.Job) error {
	faults, err := job.Check(ctx)
	if err != nil {
		return err
	}
	for _, f := range faults {
		a.printf("%s\n", f)
	}
	if len(faults) > 0 {
		return exit(codeFlagged)
	}
	a.printf("as the schema says\n")
	return nil
}

func (a *app) tellExport(o *exporting, job *export.Job, e *export.Export) error {
	m := &job.Manifest
	for _, told := range e.Told() {
		a.notef("%s\n", told)
	}
	if o.dry {
		for _, s := range e.Statements() {
			a.printf("%s;\n", s)
		}
		a.notef("nothing was changed\n")
		return nil
	}
	if o.asJSON {
		data, err := json.Marshal(m)
		if err != nil {
			return err
		}
		a.printf("%s\n", data)
		return nil
	}
	line := plural(m.Documents, "document")
	if len(m.Changes) > 0 {
		line += fmt.Sprintf(" · %d added · %d changed · %d gone", m.Changes["added"], m.Changes["changed"], m.Changes["gone"])
	}
	for _, t := range tablesOf(e) {
		line += fmt.Sprintf(" · %s %d", t, m.Rows[t])
	}
	for _, why := range slices.Sorted(maps.Keys(m.LeftOut)) {
		line += fmt.Sprintf(" · %d left out: %s", m.LeftOut[why], why)
	}
	a.notef("%s: %s\n", export.ShownAddress(o.output), line)
	return nil
}

func tablesOf(e *export.Export) (all []string) {
	if e.Plan != nil {
		for _, t := range e.Plan.Tables {
			all = append(all, t.Name)
		}
	}
	return all
}

// steps tells every few seconds how far something has come whose end is not known.
type steps struct {
	a           *app
	began, last time.Time
	n           int
}

func (s *steps) step() {
	if s.n++; s.n%256 == 0 && time.Since(s.last) >= lineEvery {
		s.last = time.Now()
		s.a.notef("%s records, %.0f a second\n", thousands(s.n), float64(s.n)/time.Since(s.began).Seconds())
	}
}
