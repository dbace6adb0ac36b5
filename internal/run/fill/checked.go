package fill

import (
	"slices"
	"sort"

	"filler/internal/base/value"
	"filler/internal/measure/review"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// What is wrong with a record, and how it is kept.

// places gives the evidence of a record: where the pieces found a value that is
// still the same, there; of others, where they stand in the source.
func (w *filling) places(v *value.Value) evidence.Places {
	if w.doc == nil {
		return nil
	}
	if w.found != nil && value.Equal(v, &w.whole) {
		return w.found
	}
	fixed := evidence.Places{}
	for p, place := range w.found {
		if at, before := v.At(p), w.whole.At(p); at != nil && before != nil && value.Equal(at, before) {
			fixed[p] = place
		}
	}
	places := evidence.With(w.Schema, v, w.index, fixed)
	for p, place := range places {
		if words, ok := w.basis[p]; ok && place.Kind != evidence.Pictured {
			places[p] = w.index.RestsOn(place, words, v.At(p))
		}
	}
	return onPages(w.doc, places)
}

// check gives all problems of a record: what the schema says, and values that
// stand nowhere in the source.
func (w *filling) check(v *value.Value) []record.Problem {
	return withSchema(w.Validator, w.Schema, v, spokenAgainst(w.Schema, v, w.index, w.places(v), len(w.pages.images) > 0))
}

// withSchema gives what the schema says of a record, and what was found against values that it allows, in order.
func withSchema(check *record.Validator, s *schema.Schema, v *value.Value, against []record.Problem) []record.Problem {
	problems := append(check.Check(v), record.Twins(s, v)...)
	at := map[value.Pointer]bool{}
	for _, p := range problems {
		at[p.Path] = p.Path != "" // lines have none, and are told beside whatever else there is
	}
	for _, p := range against {
		if !at[p.Path] {
			problems = append(problems, p)
		}
	}
	record.Sort(s, problems)
	return problems
}

// spokenAgainst gives the values of a record that stand nowhere in a text, or that it speaks
// against; pictures says that the model was shown the pages.
func spokenAgainst(s *schema.Schema, v *value.Value, ix *evidence.Index, places evidence.Places, pictures bool) (problems []record.Problem) {
	for p, place := range places {
		field := s.Holding(p)
		if field == nil {
			continue
		}
		if what := ix.Doubt(field, v.At(p), place, pictures); what != nil {
			problems = append(problems, evidenceProblem(p, v, what))
		}
	}
	return problems
}

// Judge gives all problems of a record, wherever it comes from: what the schema says, and with its
// document what that speaks against: values that stand nowhere in it or that it contradicts, and
// lines that speak of fields and of which no value came. d may be nil. concluded is how many values
// were found nowhere and need not be: a record does not keep the words that they rest on.
func Judge(check *record.Validator, s *schema.Schema, v *value.Value, d *document.Document) (problems []record.Problem, concluded int) {
	if d == nil {
		return withSchema(check, s, v, nil), 0
	}
	ix := indexOf(d)
	places := evidence.Of(s, v, ix)
	against := slices.DeleteFunc(spokenAgainst(s, v, ix, places, false), func(p record.Problem) bool {
		_, unfounded := p.What.(record.Unfounded)
		return unfounded
	})
	for _, place := range places {
		if place.Kind == evidence.Inferred {
			concluded++
		}
	}
	lines := slices.DeleteFunc(evidence.Unread(s, v, ix, places), func(l evidence.Line) bool { return l.List })
	sort.Slice(lines, func(i, j int) bool { return lines[i].Start < lines[j].Start })
	return withSchema(check, s, v, append(against, unreadProblems(s, lines)...)), concluded
}

func evidenceProblem(p value.Pointer, v *value.Value, what record.What) record.Problem {
	at := v.At(p).Clone().Named("")
	return record.Problem{Path: p, What: what, Value: &at}
}

// close makes the record; what people decided about it may be nil.
func (w *filling) close(o *review.Overlaid) store.Record {
	places := w.places(&w.record)
	if o != nil {
		heeded(o, places)
	}
	w.problems = append(w.others, w.problems...)
	record.Sort(w.Schema, w.problems)
	status := record.Unflagged
	switch {
	case len(w.problems) > 0:
		status = record.Flagged
	case w.repaired > 0 || o != nil && len(o.Changes.Kids) > 0:
		status = record.Repaired
	}
	kinds := map[evidence.Kind]int{}
	for _, p := range places {
		kinds[p.Kind]++
	}
	w.trace.add(&trace.Evidence{Quoted: kinds[evidence.Quoted], Restated: kinds[evidence.Restated], Lookalike: kinds[evidence.Lookalike], Pictured: kinds[evidence.Pictured], Inferred: kinds[evidence.Inferred], None: kinds[evidence.None]})
	if status != record.Flagged && w.record.Hollow() {
		w.empty.note(w.task.Document)
	}
	w.trace.add(&trace.Ended{Status: status, Problems: w.problems})
	proof := evidence.Wholes(w.Schema, &w.record, places).JSON(&w.record)
	rec := w.toLedger(status, w.record.JSON(), proof.JSON())
	risk := w.risks(places)
	if o != nil {
		risk = settled(o, risk)
	}
	rec.Risk = risk.JSON()
	return rec
}

// failed closes a filling that came to no record.
func (w *filling) failed(code record.Code, msg string) store.Record {
	w.problems = []record.Problem{{What: record.Failure{Kind: code, Why: msg}}}
	w.trace.add(&trace.Ended{Status: record.Failed, Problems: w.problems})
	return w.toLedger(record.Failed, []byte("null"), []byte("{}"))
}

func (w *filling) toLedger(status record.Status, rec, proof []byte) store.Record {
	problems := record.ProblemsJSON(w.problems)
	r := store.Record{N: w.task.N, Document: w.task.Document, Status: string(status), Record: rec, Problems: problems.JSON(), Evidence: proof, Trace: w.trace.json()}
	if w.doc != nil {
		r.TextHash, r.FileHash = w.doc.Hash, w.doc.FileHash
	}
	return r
}
