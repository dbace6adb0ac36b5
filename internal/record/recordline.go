package record

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Status says how the filling of a document ended.
type Status string

// The statuses.
const (
	Unflagged Status = "unflagged"
	Repaired  Status = "repaired"
	Flagged   Status = "flagged"
	Failed    Status = "failed"
)

// Line is a document's record in its machine form, one line of JSON.
type Line struct {
	Document string
	Run      int64
	Status   Status
	Hashes   Hashes      // of the document
	Example  string      // the solved document of the prompt that this one is, or nearly is
	Record   value.Value // an array where the schema says `each: entry`
	Problems []Problem
	Evidence value.Value // an object of places by path
	Risk     value.Value // an object of figures from 0 to 1 by path, nulls included
	History  value.Value // a list of what updates and people have changed
	Reviewed value.Value // who decided about which values in production; null for nobody
}

// JSON gives the line. Keys that have nothing to say are left out.
func (l *Line) JSON(eachEntry bool) value.Value {
	v := value.Obj(value.Str(l.Document).Named("document"))
	if l.Run > 0 {
		v.Set("run", value.Num(fmt.Sprint(l.Run)))
	}
	if l.Status != "" {
		v.Set("status", value.Str(string(l.Status)))
	}
	if l.Hashes.Text != "" {
		v.Set("text_sha256", value.Str(l.Hashes.Text))
	}
	if l.Hashes.File != "" {
		v.Set("file_sha256", value.Str(l.Hashes.File))
	}
	if l.Example != "" {
		v.Set("example", value.Str(l.Example))
	}
	if l.Record.Kind != value.Null {
		v.Set(Key(eachEntry), l.Record)
	}
	if len(l.Problems) > 0 {
		list := value.List()
		for _, p := range l.Problems {
			list.Kids = append(list.Kids, p.JSON())
		}
		v.Set("problems", list)
	}
	if len(l.Evidence.Kids) > 0 {
		v.Set("evidence", l.Evidence)
	}
	if len(l.Risk.Kids) > 0 {
		v.Set("risk", l.Risk)
	}
	if len(l.History.Kids) > 0 {
		v.Set("history", l.History)
	}
	if len(l.Reviewed.Kids) > 0 {
		v.Set("reviewed", l.Reviewed)
	}
	return v
}

// Key gives the name of the member that holds the record, or records.
func Key(eachEntry bool) string {
	if eachEntry {
		return "records"
	}
	return "record"
}

// LineFromJSON reads a line. A missing record is an error except where the
// status says that the filling failed. Values under older names of their fields come
// under those of now.
func LineFromJSON(v *value.Value, s *schema.Schema) (Line, error) {
	var l Line
	eachEntry := s.EachEntry()
	if v.Kind != value.Object {
		return l, fmt.Errorf("expected an object with `document` and `%s`, not %s", Key(eachEntry), kindWords[v.Kind])
	}
	doc := v.Get("document")
	if doc == nil || doc.Kind != value.String || doc.Text == "" {
		return l, fmt.Errorf("the key `document` (the document's id) is missing")
	}
	l.Document = strings.Clone(doc.Text)
	if s := v.Get("status"); s != nil {
		l.Status = Status(strings.Clone(s.Text))
	}
	if old := v.Get("source"); old != nil && len(old.Text) == 64 {
		return l, fmt.Errorf("this record has a form that this version does not read (key `source`); fill it again")
	}
	if s := v.Get("text_sha256"); s != nil {
		l.Hashes.Text = strings.Clone(s.Text)
	}
	if s := v.Get("file_sha256"); s != nil {
		l.Hashes.File = strings.Clone(s.Text)
	}
	if s := v.Get("example"); s != nil {
		l.Example = strings.Clone(s.Text)
	}
	rec := v.Get(Key(eachEntry))
	if (rec == nil || rec.Kind == value.Null) && l.Status != Failed {
		switch {
		case eachEntry && v.Get("record") != nil:
			return l, fmt.Errorf("the schema says `each: entry`: a line has `records`, the list of all records of the document, and not `record`")
		case !eachEntry && v.Get("records") != nil:
			return l, fmt.Errorf("the schema does not say `each: entry`: a line has `record`, an object, and not `records`")
		}
		return l, fmt.Errorf("the key `%s` is missing", Key(eachEntry))
	}
	if rec != nil {
		l.Record = rec.Named("")
	}
	if e := v.Get("evidence"); e != nil {
		l.Evidence = e.Named("")
	}
	if r := v.Get("risk"); r != nil {
		l.Risk = r.Named("")
	}
	if h := v.Get("history"); h != nil {
		l.History = h.Named("")
	}
	if r := v.Get("reviewed"); r != nil {
		l.Reviewed = r.Named("")
	}
	if ps := v.Get("problems"); ps != nil {
		for i := range ps.Kids {
			l.Problems = append(l.Problems, ProblemFromJSON(&ps.Kids[i]))
		}
	}
	l.Renew(s)
	return l, nil
}

// DocumentOf reads the document's id at the head of a line without reading the
// line; false where it stands elsewhere.
func DocumentOf(text []byte) (string, bool) {
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
