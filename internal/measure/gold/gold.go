// Package gold holds the reviewed set that filled records are measured
// against.
//
// Rules it keeps:
//
//   - Only records in state `reviewed` count. A record whose document has
//     changed since, or that breaks its schema, is left out by name and reason.
//   - Gold that breaks its schema is a fault of the gold set, told with its
//     file and path, never silently scored.
package gold

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Record is one reviewed record.
type Record struct {
	Document string
	Hashes   record.Hashes // of the document that it was reviewed against
	State    string        // draft, reviewed or disputed
	Record   value.Value
	File     string
	Fault    string // why it can't count, or ""

	Reviewer, On string          // who reviewed it, and the day
	Model        string          // whose draft it was; "" for one that began empty
	Run          string          // of that draft
	Mark         string          // a short hash of the draft
	Seal         string          // of the record as it was signed; "" for one that never was, or by an older version
	Split        string          // Tune, Test or ""
	Version      string          // of the schema that it was drafted with
	Places       value.Value     // of its values, as far as the draft had them
	Weight       float64         // how many documents it stands for (gold plan); 0: for itself
	Seconds      float64         // that its review took; 0 where that is not kept
	Decided      int             // decisions that reviewers have made in it
	Unseen       []value.Pointer // values that were accepted with others, and that nobody looked at

	n int // of the line that it was read from, from 1; 0 where the record has a file of its own
}

// Splits of a gold set: what is chosen on one is reported on the other.
const (
	Tune = "tune"
	Test = "test"
)

// Accepted is the decision on a value that was accepted with others.
const Accepted = "unseen"

// Invented stands as the reviewer of records that documents were made from: nobody
// reviewed them.
const Invented = "invent"

// States of a gold record.
const (
	Draft    = "draft"
	Reviewed = "reviewed"
	Disputed = "disputed"
)

// Set is the gold of one schema, by document.
type Set map[string]*Record

// Load reads gold: a folder with one JSON file a document, or a file of JSON
// Lines in the form of docs/formats.md, whose records all count as reviewed.
func Load(path string, s *schema.Schema) (Set, error) {
	info, l, err := begin(path, s)
	if err != nil {
		return nil, err
	}
	if info.IsDir() {
		err = filepath.WalkDir(path, l.file)
	} else {
		err = l.lines(path)
	}
	if err != nil {
		return nil, err
	}
	return l.set, l.faults.Err()
}

// begin looks at what is to be loaded.
func begin(path string, s *schema.Schema) (os.FileInfo, *loader, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, nil, place.Faults{{File: path, Msg: "there is no gold here", Hint: "check the path, or `gold:` in filler.yaml"}}
	}
	check, err := record.NewValidator(s)
	return info, &loader{set: Set{}, schema: s, check: check}, err
}

type loader struct {
	set    Set
	schema *schema.Schema
	check  *record.Validator
	faults place.Faults
}

func (l *loader) file(path string, entry fs.DirEntry, err error) error {
	if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".json") {
		return err
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	v, err := value.ParseBytes(data)
	if err != nil {
		l.faults = append(l.faults, jsonFault(path, 0, err))
		return nil
	}
	r, err := l.one(path, &v)
	if err != nil {
		l.faults = append(l.faults, err.(place.Faults)...)
		return nil
	}
	l.add(r)
	return nil
}

// one reads what a gold file holds.
func (l *loader) one(file string, v *value.Value) (*Record, error) {
	renew(l.schema, v, nil)
	line, err := record.LineFromJSON(v, l.schema)
	if err == nil {
		err = oldForm(v)
	}
	if err != nil {
		return nil, place.Faults{{File: file, Msg: err.Error(), Hint: "a gold file is described in `filler help formats`"}}
	}
	r := &Record{Document: line.Document, Hashes: line.Hashes, State: Draft, Record: line.Record, File: file, Places: line.Evidence}
	r.about(v)
	return r, nil
}

// oldForm refuses a gold file in a form that this version does not read.
func oldForm(v *value.Value) error {
	for _, key := range []string{"by", "part", "settled"} {
		if v.Get(key) != nil {
			return fmt.Errorf("this gold file has a form that this version does not read (key `%s`)", key)
		}
	}
	return nil
}

// about reads what a gold record says of itself.
func (r *Record) about(v *value.Value) {
	text := func(name string, into *string) {
		if kid := v.Get(name); kid != nil && kid.Kind != value.Object {
			*into = strings.Clone(kid.Text)
		}
	}
	text("state", &r.State)
	text("reviewer", &r.Reviewer)
	text("on", &r.On)
	text("split", &r.Split)
	text("seal", &r.Seal)
	text("version", &r.Version)
	if at := v.Get("seconds"); at != nil {
		r.Seconds, _ = strconv.ParseFloat(at.Text, 64)
	}
	if at := v.Get("weight"); at != nil {
		r.Weight, _ = strconv.ParseFloat(at.Text, 64)
	}
	if d := v.Get("decisions"); d != nil {
		r.Decided = len(d.Kids)
		for i := range d.Kids {
			if d.Kids[i].Text == Accepted {
				r.Unseen = append(r.Unseen, value.Pointer(strings.Clone(d.Kids[i].Name)))
			}
		}
	}
	if d := v.Get("drafted"); d != nil {
		r.Model, r.Run, r.Mark = strings.Clone(d.Word("model")), strings.Clone(d.Word("run")), strings.Clone(d.Word("mark"))
	}
}

func jsonFault(path string, line int, err error) place.Fault {
	f := place.Fault{File: path, Line: line, Col: 1, Msg: err.Error(), Hint: "correct it"}
	if se, ok := err.(*value.SyntaxError); ok {
		f.Msg, f.Col = "not JSON: "+se.Msg, se.Col
		if line == 0 {
			f.Line = se.Line
		}
	}
	return f
}

func (l *loader) lines(path string) error {
	var reader value.Reader
	return record.ReadTexts(path, func(n int, _ int64, text []byte) error {
		r, err := l.line(&reader, text)
		if err != nil {
			l.faults = append(l.faults, jsonFault(path, n, err))
			return nil
		}
		r.File, r.n = path, n
		r.Record, r.Places = r.Record.Detach(), r.Places.Detach()
		l.add(&r)
		return nil
	})
}

// line reads one line; its values are those of the reader.
func (l *loader) line(reader *value.Reader, text []byte) (Record, error) {
	v, err := reader.Read(text)
	var line record.Line
	if err == nil {
		renew(l.schema, &v, nil)
		line, err = record.LineFromJSON(&v, l.schema)
	}
	if err != nil {
		return Record{}, err
	}
	r := Record{Document: line.Document, Hashes: line.Hashes, State: Reviewed, Record: line.Record, Places: line.Evidence}
	r.about(&v)
	return r, nil
}

func (l *loader) add(r *Record) {
	l.faults = append(l.faults, r.words()...)
	if other := l.set[r.Document]; other != nil {
		l.second(r.Document, r.File, r.n, other.File)
		return
	}
	r.Fault = l.breaks(&r.Record)
	l.set[r.Document] = r
}

func (l *loader) second(id, file string, line int, first string) {
	l.faults = append(l.faults, twice(id, file, line, first))
}

func twice(id, file string, line int, first string) place.Fault {
	return place.Fault{File: file, Line: line, Msg: fmt.Sprintf("a second gold record for %s (the first is in %s)", id, first), Hint: "keep one"}
}

// Twice is the fault of a file with a second record of a document.
func Twice(id, file, first string) error { return place.Faults{twice(id, file, 0, first)} }

// words finds what a record says of itself in words that there are not.
func (r *Record) words() (faults place.Faults) {
	if r.State != Draft && r.State != Reviewed && r.State != Disputed {
		faults = append(faults, place.Fault{File: r.File, Line: r.n, Col: min(1, r.n), Msg: fmt.Sprintf("unknown state %q", r.State), Hint: place.Suggest(r.State, []string{Draft, Reviewed, Disputed})})
	}
	if r.Weight != 0 && !(r.Weight >= 1 && r.Weight < 1e9) {
		faults = append(faults, place.Fault{File: r.File, Line: r.n, Col: min(1, r.n), Msg: "the weight is how many documents the record stands for, a number from 1 on", Hint: "take it from the plan (`filler gold plan`), or leave it out"})
	}
	if r.Split != "" && r.Split != Tune && r.Split != Test {
		faults = append(faults, place.Fault{File: r.File, Line: r.n, Col: min(1, r.n), Msg: fmt.Sprintf("unknown split %q", r.Split), Hint: place.Suggest(r.Split, []string{Tune, Test})})
	}
	return faults
}

// breaks says how a record breaks the schema, or "". That a required value is
// missing is no fault of gold.
func (l *loader) breaks(rec *value.Value) string {
	if l.check.Sound(rec) {
		return ""
	}
	for _, p := range l.check.Check(rec) {
		if !isNone(rec, &p) {
			return fmt.Sprintf("%s (%s)", p, p.Code())
		}
	}
	return ""
}

// isNone tells whether a problem is only that there is no value: the document may not
// have it, and an empty text is none.
func isNone(rec *value.Value, p *record.Problem) bool {
	if p.Code() == record.Missing {
		return true
	}
	v := rec.At(p.Path)
	return v != nil && v.Kind == value.String && v.Text == ""
}

// Documents gives the documents of the set, sorted.
func (s Set) Documents() []string {
	var ids []string
	for id := range s {
		ids = append(ids, id)
	}
	sort.Strings(ids)
	return ids
}
