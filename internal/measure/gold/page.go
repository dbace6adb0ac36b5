package gold

import (
	"bytes"
	"errors"
	"os"
	"time"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Page is a gold file that is worked on: it is written again and again, as long as
// nobody else writes it.
type Page struct {
	*Record
	Decisions value.Value // words by path, an object; what reviewers made of each value
	Notes     value.Value // texts by path, an object
	Risk      value.Value // of the draft's values, an object of figures by path

	whole value.Value // the file
	text  []byte      // as it was last read or written
}

// ErrMeanwhile says that a file is not what it was when it was last read or written.
var ErrMeanwhile = errors.New("changed meanwhile")

// OpenPage reads a gold file to work on.
func OpenPage(file string, s *schema.Schema, check *record.Validator) (*Page, error) {
	l := &loader{set: Set{}, schema: s, check: check}
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, place.Faults{{File: file, Msg: "can't be read", Hint: "check its permissions"}}
	}
	v, err := value.ParseBytes(data)
	if err != nil {
		return nil, place.Faults{jsonFault(file, 0, err)}
	}
	r, err := l.one(file, &v)
	if err != nil {
		return nil, err
	}
	l.add(r)
	if err := l.faults.Err(); err != nil {
		return nil, err
	}
	p := &Page{Record: r, whole: v, text: data}
	for name, into := range map[string]*value.Value{"decisions": &p.Decisions, "notes": &p.Notes, "risk": &p.Risk} {
		if at := v.Get(name); at != nil {
			*into = at.Named("")
		}
	}
	return p, nil
}

// NewPage begins a gold file that is not there yet, without values.
func NewPage(file string, s *schema.Schema, l *record.Line) *Page {
	whole := NewDraft(s, l, "", true)
	p := &Page{Record: &Record{Document: l.Document, Hashes: l.Hashes, State: Draft, File: file}, whole: whole}
	p.Record.Record = *whole.Get(record.Key(s.EachEntry()))
	return p
}

// Forget takes all values of a draft away, with what is known of them: nobody is led
// by them then. The file stays as it is until it is written.
func (p *Page) Forget(s *schema.Schema) {
	line := record.Line{Document: p.Document, Hashes: p.Hashes}
	blank := NewDraft(s, &line, "", true)
	p.Record.Record = *blank.Get(record.Key(s.EachEntry()))
	p.Places, p.Risk, p.Model, p.Run, p.Mark = value.Value{}, value.Value{}, "", "", ""
	for _, name := range []string{"drafted", "evidence", "risk"} {
		p.whole.Drop(name)
	}
}

// Write writes the file with these members changed; null takes one out. Where the file
// was changed by somebody else, nothing is written: ErrMeanwhile.
func (p *Page) Write(members ...value.Value) error {
	now, err := os.ReadFile(p.File)
	if p.text == nil && errors.Is(err, os.ErrNotExist) {
		err = nil
	}
	if err != nil || !bytes.Equal(now, p.text) {
		return ErrMeanwhile
	}
	whole := p.whole.Clone()
	setMembers(&whole, members)
	if err := Write(p.File, &whole); err != nil {
		return err
	}
	p.whole, p.text = whole, append(whole.Indent(), '\n')
	return nil
}

// Sign marks the page reviewed, and seals the record that was last written.
func (p *Page) Sign(by string, on time.Time) error {
	if err := p.Write(signature(p.Record, by, on)...); err != nil {
		return err
	}
	p.State, p.Reviewer = Reviewed, by
	return nil
}

// Unsign makes the page a draft again.
func (p *Page) Unsign() error {
	if err := p.Write(value.Str(Draft).Named("state"), value.Value{Name: "seal"}, value.Value{Name: "on"}, value.Value{Name: "reviewer"}); err != nil {
		return err
	}
	p.State, p.Reviewer = Draft, ""
	return nil
}

// SetRecord gives the page another record, with the fault that the schema has with it.
func (p *Page) SetRecord(s *schema.Schema, check *record.Validator, v value.Value) {
	l := &loader{schema: s, check: check}
	p.Record.Record = v
	p.Fault = l.breaks(&v)
}
