package fill

import (
	"bytes"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/source/document"
	"filler/internal/store"
)

// historyIn gives what updates have changed in a record, from its trace.
func historyIn(trace []byte) (value.Value, error) {
	if !bytes.Contains(trace, []byte(`{"step":"history"`)) {
		return value.Value{}, nil
	}
	steps, err := value.ParseBytes(trace)
	if err != nil {
		return value.Value{}, err
	}
	for i := range steps.Kids {
		if s := &steps.Kids[i]; s.Get("step").Text == "history" {
			return s.Get("changes").Named(""), nil
		}
	}
	return value.Value{}, nil
}

// exampleIn gives the solved document that a traced document is, or nearly is.
func exampleIn(trace []byte) (string, error) {
	if !bytes.Contains(trace, []byte(`{"step":"example"`)) {
		return "", nil
	}
	steps, err := value.ParseBytes(trace)
	if err != nil {
		return "", err
	}
	for i := range steps.Kids {
		if s := &steps.Kids[i]; s.Get("step").Text == "example" {
			return s.Get("document").Text, nil
		}
	}
	return "", nil
}

func hashesOf(d *document.Document) record.Hashes {
	return record.Hashes{Text: d.Hash, File: d.FileHash}
}

// ToLine gives a kept record in its machine form.
func ToLine(run int64, r store.Record) (record.Line, error) {
	l := record.Line{Document: r.Document, Run: run, Status: record.Status(r.Status), Hashes: record.Hashes{Text: r.TextHash, File: r.FileHash}}
	var err error
	if l.Example, err = exampleIn(r.Trace); err != nil {
		return l, err
	}
	if l.History, err = historyIn(r.Trace); err != nil {
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
