package fill

import (
	"filler/internal/ledger"
	"filler/internal/record"
	"filler/internal/value"
)

// ToLine gives a kept record in its machine form.
func ToLine(run int64, r ledger.Record) (record.Line, error) {
	l := record.Line{Document: r.Document, Run: run, Status: record.Status(r.Status), Source: r.Source}
	var err error
	if l.Record, err = value.ParseBytes(r.Record); err != nil {
		return l, err
	}
	if l.Evidence, err = value.ParseBytes(r.Evidence); err != nil {
		return l, err
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
