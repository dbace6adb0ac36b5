package fill

import (
	"filler/internal/ask/answer"
	"filler/internal/record/normalize"
	"filler/internal/record/trace"
)

// log gathers the steps that lead to one record.
type log struct{ steps trace.Steps }

func (l *log) add(s trace.Step) { l.steps = append(l.steps, s) }

func (l *log) lenient(deviations []answer.Deviation) {
	for _, m := range deviations {
		l.add(&trace.Lenient{Kind: m.Kind, Offset: m.Offset, Note: m.Note})
	}
}

func (l *log) normalizers(changes []normalize.Change) {
	for _, c := range changes {
		l.add(&trace.Normalized{Path: c.Path, Rule: c.Rule, From: c.From, To: c.To})
	}
}

func (l *log) json() []byte {
	v := l.steps.JSON()
	return v.JSON()
}
