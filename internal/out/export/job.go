package export

import (
	"bufio"
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Formats are what --to may name, beside an address of a PostgreSQL database.
var Formats = []string{"csv", "xlsx", "parquet", "sqlite", "sql", "jsonl", "json"}

// Lessons are the formats that are made of gold and its documents.
var Lessons = []string{"training", "spans"}

// Job is one export.
type Job struct {
	Schema   *schema.Schema
	To       string // one of Formats, or postgres
	Path     string // or the address of a database
	Null     string // csv: what stands for no value
	Raw      bool   // csv: formulas stay
	Nested   bool   // parquet: records as they are, in one file
	All      bool   // postgres: documents that are not in it are gone
	Dry      bool   // postgres: undo all in the end
	Options  Options
	Manifest Manifest
}

// lines takes the lines of records.
type lines interface {
	Line(l *record.Line, change string) error
	Close() error
}

// Export writes lines of records into one target.
type Export struct {
	job    *Job
	to     lines
	rows   *Rows
	counts []int
	sink   Sink
	folder *Folder
	file   *File
	done   func(error) error // puts what was written in its place
	undo   func()
	temp   string // the file that is written, if it is one
	pg     *Postgres
	nested *Nested
	Plan   *Plan
}

// typed tells whether a format's columns have types.
func typed(format string) bool { return format != "csv" && format != "jsonl" && format != "json" }

// Begin begins an export.
func (j *Job) Begin(ctx context.Context) (*Export, error) {
	e := &Export{job: j, undo: func() {}}
	j.Manifest.MadeBy, j.Manifest.Format, j.Manifest.Schema = madeBy, j.To, j.Schema.Name
	j.Manifest.SchemaSum = j.Schema.Hash()
	j.Manifest.Statuses, j.Manifest.LeftOut = map[string]int{}, map[string]int{}
	if j.To == "jsonl" || j.To == "json" || j.To == "parquet" && j.Nested {
		return e, e.lined()
	}
	j.Options.Typed, j.Options.JSON, j.Options.Line = typed(j.To), typed(j.To) && j.To != "xlsx", j.To == "xlsx"
	plan, err := NewPlan(j.Schema, j.Options)
	if err != nil {
		return nil, err
	}
	e.Plan = plan
	if err := e.tabled(ctx); err != nil {
		e.undo()
		return nil, unwritten(j.Path, err)
	}
	e.counts = make([]int, len(plan.Tables))
	e.rows = &Rows{Plan: plan, Emit: func(t int, row []Cell) error {
		e.counts[t]++
		return e.sink.Row(t, row)
	}}
	e.to = &rowed{e}
	return e, nil
}

// rowed is lines that become rows.
type rowed struct{ e *Export }

func (r *rowed) Line(l *record.Line, change string) error { return r.e.rows.Line(l, change) }
func (r *rowed) Close() error                             { return r.e.sink.Close() }

// tabled begins a format of tables.
func (e *Export) tabled(ctx context.Context) (err error) {
	j := e.job
	single := strings.EqualFold(filepath.Ext(j.Path), ".csv") && len(e.Plan.Tables) == 1
	switch {
	case j.To == "postgres":
		if e.pg, err = NewPostgres(ctx, e.Plan, j.Path, j.Dry); err != nil {
			return err
		}
		e.pg.All = j.All
		e.sink, e.undo, e.done = e.pg, e.pg.Abandon, func(err error) error { return err }
	case j.To == "csv" && single, j.To == "sql":
		w, err := beginStream(j.Path)
		if err != nil {
			return err
		}
		e.undo, e.done, e.temp = w.Abandon, w.Commit, w.Name()
		if j.To == "sql" {
			e.sink, err = NewScript(e.Plan, w)
			return err
		}
		c, err := NewFlatCSV(e.Plan, w)
		if err == nil {
			c.Null, c.Raw, e.sink = j.Null, j.Raw, c
		}
		return err
	case j.To == "csv" || j.To == "parquet":
		if e.folder, err = BeginFolder(j.Path); err != nil {
			return err
		}
		e.undo, e.done = e.folder.Abandon, e.folder.Commit
		if j.To == "parquet" {
			e.sink, err = NewTables(e.Plan, e.folder.Dir)
			return err
		}
		c, err := NewCSV(e.Plan, e.folder.Dir)
		if err == nil {
			c.Null, c.Raw, e.sink = j.Null, j.Raw, c
		}
		return err
	default:
		if e.file, err = BeginFile(j.Path); err != nil {
			return err
		}
		e.undo, e.done, e.temp = e.file.Abandon, e.file.Commit, e.file.Temp
		if j.To == "xlsx" {
			e.sink, err = NewXLSX(e.Plan, e.file)
			return err
		}
		s, err := NewSQLite(e.Plan, e.file.Temp)
		if err == nil {
			e.sink, e.undo = s, func() { s.Abandon(); e.file.Abandon() }
		}
		return err
	}
	return nil
}

// lined begins a format that takes records as they are.
func (e *Export) lined() error {
	j := e.job
	w, err := beginStream(j.Path)
	if err != nil {
		return unwritten(j.Path, err)
	}
	e.undo, e.done, e.temp = w.Abandon, w.Commit, w.Name()
	switch j.To {
	case "parquet":
		e.nested = NewNested(j.Schema, w)
		e.to = e.nested
	default:
		e.to = &jsonLines{out: bufio.NewWriterSize(w, 1<<16), array: j.To == "json", evidence: j.Options.Evidence, each: j.Schema.EachEntry(), change: j.Options.Change}
	}
	return nil
}

// jsonLines writes records as lines of JSON, or as one array of them.
type jsonLines struct {
	out                           *bufio.Writer
	array, evidence, each, change bool
	n                             int
}

func (j *jsonLines) Line(l *record.Line, change string) error {
	own := *l
	if !j.evidence {
		own.Evidence.Kids, own.Risk.Kids, own.History.Kids = nil, nil, nil
	}
	v := own.JSON(j.each)
	if j.change && change != "" {
		v.Kids = append(v.Kids, value.Str(change).Named("change"))
	}
	if j.array {
		if j.n == 0 {
			j.out.WriteString("[\n")
		} else {
			j.out.WriteString(",\n")
		}
	}
	j.n++
	_, err := j.out.Write(v.JSON())
	if !j.array {
		j.out.WriteByte('\n')
	}
	return err
}

func (j *jsonLines) Close() error {
	if j.array {
		if j.n == 0 {
			j.out.WriteByte('[')
		}
		j.out.WriteString("\n]\n")
	}
	return j.out.Flush()
}

// Line takes a line of records. change is what happened to it, or "".
func (e *Export) Line(l *record.Line, change string) error {
	m := &e.job.Manifest
	m.Documents++
	if len(l.Reviewed.Kids) > 0 {
		m.Reviewed++
	}
	if l.Status != "" {
		m.Statuses[string(l.Status)]++
	}
	if change != "" {
		if m.Changes == nil {
			m.Changes = map[string]int{}
		}
		m.Changes[change]++
	}
	return unwritten(e.job.Path, e.to.Line(l, change))
}

// Gone notes a document that the other run has and this one has not.
func (e *Export) Gone(document string) error {
	m := &e.job.Manifest
	if m.Changes == nil {
		m.Changes = map[string]int{}
	}
	m.Changes["gone"]++
	if e.pg != nil {
		e.pg.gone = append(e.pg.gone, document)
		return nil
	}
	if j, ok := e.to.(*jsonLines); ok {
		return unwritten(e.job.Path, j.Line(&record.Line{Document: document}, "gone"))
	}
	if e.Plan == nil {
		return nil
	}
	for i, t := range e.Plan.Tables {
		if t.gone {
			e.counts[i]++
			return unwritten(e.job.Path, e.sink.Row(i, []Cell{{Text: document}}))
		}
	}
	return nil
}

// LeaveOut notes a document that is not in the export.
func (e *Export) LeaveOut(reason string) { e.job.Manifest.LeftOut[reason]++ }

// Close ends the export and puts it in its place, with its manifest beside it.
func (e *Export) Close() error {
	m := &e.job.Manifest
	err := e.to.Close()
	if e.rows != nil {
		m.Rows, m.Misfits = map[string]int{}, e.rows.Count
		for i, t := range e.Plan.Tables {
			m.Rows[t.Name] = e.counts[i]
		}
	}
	if e.nested != nil {
		m.Misfits = e.nested.Count
	}
	if err == nil && e.folder != nil {
		err = m.addFolder(e.folder.Dir)
	}
	var beside *process.Writing
	if err == nil && e.temp != "" {
		beside, err = m.beside(e.temp, e.job.Path)
	}
	if err = e.done(err); err != nil {
		e.undo()
		if beside != nil {
			beside.Abandon()
		}
		return unwritten(e.job.Path, err)
	}
	if beside != nil {
		return unwritten(e.job.Path+"."+manifestName, beside.Commit(nil))
	}
	return nil
}

// Abandon leaves what stood in the target's place.
func (e *Export) Abandon() { e.undo() }

// Told gives what is to be known of the export, a line each.
func (e *Export) Told() (all []string) {
	if e.Plan != nil {
		all = append(all, e.Plan.Notes...)
	}
	if e.rows != nil {
		if told := e.rows.Told(e.job.Schema); told != "" {
			all = append(all, told)
		}
	}
	nuls := 0
	switch to := e.sink.(type) {
	case *Postgres:
		nuls = to.nuls
	case *Script:
		nuls = to.nuls
	}
	if nuls > 0 {
		all = append(all, fmt.Sprintf("%d texts hold the character 0, which a database can't hold; it is left out of them", nuls))
	}
	if e.nested != nil {
		if told := e.nested.Told(e.job.Schema); told != "" {
			all = append(all, told)
		}
	}
	return all
}

// Statements gives the SQL that was run on a database, but for the rows.
func (e *Export) Statements() []string {
	if e.pg == nil {
		return nil
	}
	return e.pg.Statements()
}
