package fill

import (
	"bytes"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/source/document"
	"filler/internal/store"
)

// keptIn gives the steps of a trace that its record tells of: what updates changed,
// and the solved document that its own is, or nearly is. A trace without them
// is not read.
func keptIn(steps []byte) (history value.Value, example string, err error) {
	if !bytes.Contains(steps, []byte(`{"step":"history"`)) && !bytes.Contains(steps, []byte(`{"step":"example"`)) {
		return history, example, nil
	}
	all, err := trace.Parse(steps)
	for _, step := range all {
		switch s := step.(type) {
		case *trace.History:
			history = s.Changes
		case *trace.Example:
			example = s.Document
		}
	}
	return history, example, err
}

func hashesOf(d *document.Document) record.Hashes {
	return record.Hashes{Text: d.Hash, File: d.FileHash}
}

// ToLine gives a kept record in its machine form.
func ToLine(run int64, r store.Record) (record.Line, error) {
	l := record.Line{Document: r.Document, Run: run, Status: record.Status(r.Status), Hashes: record.Hashes{Text: r.TextHash, File: r.FileHash}}
	var err error
	if l.History, l.Example, err = keptIn(r.Trace); err != nil {
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
	return l, nil
}
