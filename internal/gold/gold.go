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
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"sync"
	"unicode/utf8"

	"filler/internal/place"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/value"
)

// Record is one reviewed record.
type Record struct {
	Document string
	Source   string // hash of the source text it was reviewed against, or ""
	State    string // draft, reviewed or disputed
	Record   value.Value
	File     string
	Fault    string // why it can't count, or ""

	By, On  string      // who reviewed it, and the day
	Model   string      // whose draft it was; "" for one that began empty
	Run     string      // of that draft
	Mark    string      // a short hash of the draft
	Part    string      // Tune, Test or ""
	Version string      // of the schema that it was drafted with
	Places  value.Value // of its values, as far as the draft had them

	lines *os.File // where a long file of JSON Lines is read from again; nil: Record has the record
	at    int64
	size  int
	n     int // of the line, from 1; 0 where the record has a file of its own
	of    *loader
	known bool // what else the line says was read
}

// Read gives the record: of long files it is read from the disk, with a reader
// whose values are good until it reads the next, and only then is known what else
// the line says: its state, its source, whether it breaks the schema. buf is used
// and given back. Several goroutines may read.
func (r *Record) Read(reader *value.Reader, buf *[]byte) (*value.Value, error) {
	if r.lines == nil {
		return &r.Record, nil
	}
	if cap(*buf) < r.size {
		*buf = make([]byte, r.size)
	}
	*buf = (*buf)[:r.size]
	if _, err := r.lines.ReadAt(*buf, r.at); err != nil {
		return nil, fmt.Errorf("its gold, line %d, can't be read any more", r.n)
	}
	v, err := reader.Read(*buf)
	var line record.Line
	if err == nil {
		line, err = record.LineFromJSON(&v, r.of.schema.EachEntry())
	}
	if err != nil {
		return nil, fmt.Errorf("its gold, line %d, is no record: %s", r.n, err)
	}
	r.of.mu.Lock()
	defer r.of.mu.Unlock()
	if !r.known {
		r.Source = strings.Clone(line.Source)
		r.about(&v)
		r.Fault = r.of.breaks(&line.Record)
		r.known = true
	}
	return &line.Record, nil
}

// Parts of a gold set: what is chosen on one is reported on the other.
const (
	Tune = "tune"
	Test = "test"
)

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
	info, err := os.Stat(path)
	if err != nil {
		return nil, place.Faults{{File: path, Msg: "there is no gold here", Hint: "check the path, or `gold:` in filler.yaml"}}
	}
	check, err := record.NewValidator(s)
	if err != nil {
		return nil, err
	}
	l := &loader{set: Set{}, schema: s, check: check}
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

type loader struct {
	mu     sync.Mutex // of what Read learns of records
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
	line, err := record.LineFromJSON(&v, l.schema.EachEntry())
	if err != nil {
		l.faults = append(l.faults, place.Fault{File: path, Msg: err.Error(), Hint: "a gold file is described in docs/formats.md"})
		return nil
	}
	r := &Record{Document: line.Document, Source: line.Source, State: Draft, Record: line.Record, File: path, Places: line.Evidence}
	r.about(&v)
	l.add(r, &r.Record)
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
	text("by", &r.By)
	text("on", &r.On)
	text("part", &r.Part)
	text("version", &r.Version)
	if d := v.Get("drafted"); d != nil {
		r.Model, r.Run, r.Mark = strings.Clone(d.Word("model")), strings.Clone(d.Word("run")), strings.Clone(d.Word("mark"))
	}
}

func jsonFault(path string, line int, err error) place.Fault {
	f := place.Fault{File: path, Line: line, Col: 1, Msg: err.Error(), Hint: "mend it"}
	if se, ok := err.(*value.SyntaxError); ok {
		f.Msg, f.Col = "not JSON: "+se.Msg, se.Col
		if line == 0 {
			f.Line = se.Line
		}
	}
	return f
}

// inMemory is how long a file of JSON Lines may be to be held in memory; of a
// longer one records are read again when they are needed.
const inMemory = 4 << 20

func (l *loader) lines(path string) error {
	var file *os.File
	if info, err := os.Stat(path); err == nil && info.Size() > inMemory {
		if file, err = os.Open(path); err != nil {
			return place.Faults{{File: path, Msg: "can't be read", Hint: "check its permissions"}}
		}
	}
	var reader value.Reader
	return record.ReadTexts(path, func(n int, at int64, text []byte) error {
		if id, ok := documentOf(text); ok && file != nil {
			l.add(&Record{Document: id, State: Reviewed, File: path, lines: file, at: at, size: len(text), n: n, of: l}, nil)
			return nil
		}
		v, err := reader.Read(text)
		var line record.Line
		if err == nil {
			line, err = record.LineFromJSON(&v, l.schema.EachEntry())
		}
		if err != nil {
			l.faults = append(l.faults, jsonFault(path, n, err))
			return nil
		}
		r := &Record{Document: line.Document, Source: line.Source, State: Reviewed, File: path, n: n, Record: line.Record.Detach(), Places: line.Evidence.Detach()}
		r.about(&v)
		l.add(r, &r.Record)
		return nil
	})
}

// documentOf reads the document's id at the head of a line without reading the
// line; false where it stands elsewhere.
func documentOf(text []byte) (string, bool) {
	rest, ok := bytes.CutPrefix(text, []byte(`{"document":"`))
	if !ok {
		if rest, ok = bytes.CutPrefix(text, []byte(`{"document": "`)); !ok {
			return "", false
		}
	}
	end := bytes.IndexByte(rest, '"')
	if end <= 0 || bytes.IndexByte(rest[:end], '\\') >= 0 || !utf8.Valid(rest[:end]) {
		return "", false
	}
	return string(rest[:end]), true
}

func (l *loader) add(r *Record, rec *value.Value) {
	if r.State != Draft && r.State != Reviewed && r.State != Disputed {
		l.faults = append(l.faults, place.Fault{File: r.File, Msg: fmt.Sprintf("unknown state %q", r.State), Hint: place.Suggest(r.State, []string{Draft, Reviewed, Disputed})})
	}
	if r.Part != "" && r.Part != Tune && r.Part != Test {
		l.faults = append(l.faults, place.Fault{File: r.File, Msg: fmt.Sprintf("unknown part %q", r.Part), Hint: place.Suggest(r.Part, []string{Tune, Test})})
	}
	if other := l.set[r.Document]; other != nil {
		l.faults = append(l.faults, place.Fault{File: r.File, Msg: fmt.Sprintf("a second gold record for %s (the first is in %s)", r.Document, other.File), Hint: "keep one"})
		return
	}
	if rec != nil {
		r.Fault = l.breaks(rec)
	}
	l.set[r.Document] = r
}

// breaks says how a record breaks the schema, or "". That a required value is
// missing is no fault of gold: the document may not have it.
func (l *loader) breaks(rec *value.Value) string {
	if l.check.Sound(rec) {
		return ""
	}
	for _, p := range l.check.Check(rec) {
		if p.Code != record.Missing {
			return fmt.Sprintf("%s (%s)", p, p.Code)
		}
	}
	return ""
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
