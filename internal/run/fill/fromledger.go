package fill

import (
	"bytes"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// keptIn puts into a line what its trace tells of the record: what updates and people
// changed, and the solved document that its own is, or nearly is. A trace without them
// is not read.
func keptIn(steps []byte, l *record.Line) error {
	if !bytes.Contains(steps, []byte(`{"step":"history"`)) && !bytes.Contains(steps, []byte(`{"step":"example"`)) && !bytes.Contains(steps, []byte(`{"step":"reviewed"`)) {
		return nil
	}
	all, err := trace.Parse(steps)
	for _, step := range all {
		switch s := step.(type) {
		case *trace.History:
			l.History = s.Changes
		case *trace.Example:
			l.Example = s.Document
		case *trace.Reviewed:
			mark, changes := reviewedIn(s)
			l.Reviewed = mark
			l.History = value.List(append(append([]value.Value(nil), l.History.Kids...), changes...)...)
		}
	}
	return err
}

func hashesOf(d *document.Document) record.Hashes {
	return record.Hashes{Text: d.Hash, File: d.FileHash}
}

// ToLine gives a kept record in its machine form, under the names that the schema gives
// its fields now; with none, under those that it was filled with.
func ToLine(run int64, r store.Record, s *schema.Schema) (record.Line, error) {
	l := record.Line{Document: r.Document, Run: run, Status: record.Status(r.Status), Hashes: record.Hashes{Text: r.TextHash, File: r.FileHash}}
	err := keptIn(r.Trace, &l)
	if err != nil {
		return l, err
	}
	if l.Record, err = value.ParseBytes(r.Record); err != nil {
		return l, err
	}
	if l.Evidence, err = value.ParseBytes(r.Evidence); err != nil {
		return l, err
	}
	if len(r.Risk) > 0 {
		if l.Risk, err = value.ParseBytes(r.Risk); err != nil {
			return l, err
		}
	}
	problems, err := value.ParseBytes(r.Problems)
	if err != nil {
		return l, err
	}
	for i := range problems.Kids {
		l.Problems = append(l.Problems, record.ProblemFromJSON(&problems.Kids[i]))
	}
	l.Renew(s)
	return l, nil
}
