package review

import (
	"time"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/store"
)

// Run keeps what people decide about the records of a run, in the store.
type Run struct {
	Schema   *schema.Schema
	Check    *record.Validator
	Reviewer string
	ID       int64
	Store    store.Reviews
	Now      func() time.Time
	// Line gives the record of a document as it was filled.
	Line func(document string) (*record.Line, error)
	// Differ are the values in which another run has others, by document: then they
	// alone are decided. Nil: all are.
	Differ map[string][]Difference

	ids []string
	at  map[string]time.Time // when the review that is on the desk was kept
}

// NewRun takes the documents of a run whose records are to be reviewed, in order.
func NewRun(r Run, documents []string) *Run {
	r.ids, r.at = documents, map[string]time.Time{}
	if r.Now == nil {
		r.Now = time.Now
	}
	return &r
}

// Documents names the documents whose records are reviewed.
func (r *Run) Documents() []string { return r.ids }

// Open gives the record of a document, with what people have decided about it before.
func (r *Run) Open(document string) (*Kept, error) {
	line, err := r.Line(document)
	if err != nil {
		return nil, err
	}
	k := &Kept{Document: document, Hashes: line.Hashes, Record: line.Record, Was: record.Arrange(r.Schema, &line.Record), Places: evidence.PlacesFromJSON(&line.Evidence),
		Risk: map[value.Pointer]float64{}, Made: map[string]Verdict{}, Notes: map[string]string{}}
	for i := range line.Risk.Kids {
		if f, ok := figure(line.Risk.Kids[i].Text); ok {
			k.Risk[value.Pointer(line.Risk.Kids[i].Name)] = f
		}
	}
	d, err := DecidedOf(r.Store, r.Schema, document, line.Hashes.Text)
	if err == nil && d != nil && d.TextHash == line.Hashes.Text {
		r.decided(k, d, line)
	}
	if differ := r.Differ[document]; differ != nil {
		k.besides(r.Schema, differ)
	}
	return k, err
}

// besides gives a record room for what another has in other words, or alone.
func (k *Kept) besides(s *schema.Schema, differ []Difference) {
	k.Rivals = map[value.Pointer]value.Value{}
	k.Record = record.Arrange(s, &k.Record)
	k.Record = k.Record.Clone()
	for _, d := range differ {
		k.Rivals[d.Path] = d.Second
		if k.Record.At(d.Path) == nil {
			k.Record.Put(d.Path, value.Value{})
		}
	}
}

// decided puts what people have decided before into a record.
func (r *Run) decided(k *Kept, d *Decided, line *record.Line) {
	r.at[k.Document] = d.At
	if d.Run == r.ID {
		k.Record, k.Places, k.Made, k.Signed, k.Reviewer = d.Record, evidence.PlacesFromJSON(&d.Places), d.Made, d.Done, d.By
	} else {
		o := d.Over(r.Schema, &line.Record)
		o.Into(line, d)
		k.Record, k.Places, k.Signed, k.Reviewer = line.Record, evidence.PlacesFromJSON(&line.Evidence), d.Done, d.By
		for key, v := range o.Made {
			if v != "" {
				k.Made[key] = v
			}
		}
	}
	if notes, err := value.ParseBytes(d.Notes); err == nil {
		for i := range notes.Kids {
			k.Notes[notes.Kids[i].Name] = notes.Kids[i].Text
		}
	}
}

// Keep keeps what was decided, by its reviewer and now.
func (r *Run) Keep(k *Kept) error { return r.save(k, false) }

func (r *Run) save(k *Kept, done bool) error {
	before, err := r.Store.ReviewOf(r.Schema.Name, k.Document, k.Hashes.Text)
	if err != nil {
		return err
	}
	if before != nil && before.TextHash != k.Hashes.Text {
		before = nil // of another text, and kept beside this one
	}
	if known := r.at[k.Document]; before != nil && !before.At.Equal(known) {
		return &Meanwhile{Where: k.Document}
	}
	now := time.UnixMilli(r.Now().UnixMilli())
	if before != nil && !now.After(before.At) {
		now = before.At.Add(time.Millisecond)
	}
	rec := k.Record
	if k.Rivals != nil { // items that only the other has, and that nobody took over, are none
		rec = gold.Adjudicate(r.Schema, rec, nil)
	}
	places := k.Places.JSON(&rec)
	decisions, notes := madeJSON(k.Made), notesJSON(k.Notes)
	err = r.Store.SaveReview(store.Review{Schema: r.Schema.Name, Document: k.Document, Run: r.ID, TextHash: k.Hashes.Text, By: r.Reviewer, At: now, Done: done,
		Record: rec.JSON(), Evidence: places.JSON(), Decisions: decisions.JSON(), Notes: notes.JSON()})
	if err == nil {
		r.at[k.Document] = now
	}
	return err
}

// Sign says that all of a record is decided. A record that breaks its schema, or whose
// document has changed since it was filled, is not.
func (r *Run) Sign(k *Kept, now record.Hashes) (why string, err error) {
	if k.Rivals != nil { // the rest of the record is not decided by that
		k.Signed, k.Reviewer = true, r.Reviewer
		return "", nil
	}
	for _, problem := range r.Check.Check(&k.Record) {
		if problem.Code() != record.Missing {
			return "it breaks the schema: " + problem.String(), nil
		}
	}
	if k.Hashes.Since(now) == record.Changed {
		return "its document has changed since it was filled; fill it again", nil
	}
	if err := r.save(k, true); err != nil {
		return "", err
	}
	k.Signed, k.Reviewer = true, r.Reviewer
	return "", nil
}

// Unsign says that something is open again.
func (r *Run) Unsign(k *Kept) error {
	k.Signed, k.Reviewer = false, ""
	if k.Rivals != nil {
		return nil
	}
	return r.save(k, false)
}
