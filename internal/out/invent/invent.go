package invent

import (
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// Job makes documents.
type Job struct {
	*Maker
	Frames    []*Frame // made from real documents
	Templates []*Template
	Styles    []string
	Samples   []string // real texts that a model is shown
	Secrets   []string // sensitive values that may stand in no text
	Alike     float64  // texts that are more alike to one before, outside of their values, are left out; 0: none is
	Near      Alikeness
	Dropped   int      // for being too alike
	Noise     []string // kinds, of which half of the documents have one
	unfound   unfound
}

// Made is one document with its record.
type Made struct {
	N      int
	Text   string
	Record value.Value
	From   string // the document whose frame it has, or a style
	Noise  string // "" where there is none on purpose
	Places map[value.Pointer]Span
	Rest   string // the text without its values
	Found  int    // values that stand where they were written, by evidence
	There  int    // those that stand anywhere
	Values int
	at     int // which frame, template or style
}

// NoneStands is that no document could be made in many tries: a value of its record stood in
// none of them.
type NoneStands struct {
	Tries int
	Field string // that was not found most often; "" where no try came so far
	Times int
	Said  string // how its text said it once
	From  string // a document in whose way it could not be written
	Why   string // why no record was drawn, where that was it
}

func (e *NoneStands) Error() string {
	says := "no document was made in which every value of its record stands"
	switch {
	case e.Field != "" && e.Said == "":
		return fmt.Sprintf("%s: other values of %s can't be written as %s writes it, %d times in %d tries; leave --like out, or name other texts (--texts form)", says, e.Field, e.From, e.Times, e.Tries)
	case e.Field != "":
		return fmt.Sprintf("%s: %s is not found where it is written, as in %q, in %d of %d tries; say how documents write it (`written`), or leave --like out", says, e.Field, e.Said, e.Times, e.Tries)
	case e.Why != "":
		return fmt.Sprintf("%s, in %d tries: %s", says, e.Tries, e.Why)
	}
	return says
}

// unfound counts values that stood nowhere in the tries for one document.
type unfound struct {
	times map[string]int
	said  map[string]string
	from  map[string]string // the documents in whose way they could not be written
	why   string
}

// most gives the error for tries that came to nothing.
func (u *unfound) most() error {
	e := &NoneStands{Tries: mostTexts, Why: u.why}
	for _, field := range slices.Sorted(maps.Keys(u.times)) {
		if n := u.times[field]; n > e.Times {
			e.Field, e.Times, e.Said, e.From = field, n, u.said[field], u.from[field]
		}
	}
	return e
}

// mostTexts is how often a document is begun again.
const mostTexts = 40

// Make makes the document of a number, from 0.
func (j *Job) Make(n int) (*Made, error) {
	var err error
	j.unfound = unfound{times: map[string]int{}, said: map[string]string{}, from: map[string]string{}}
	for try := range mostTexts {
		r := random(j.Seed*1000003+int64(n), try)
		var made *Made
		if made, err = j.try(n, try, r); err != nil {
			return nil, err
		}
		if made == nil {
			continue
		}
		if j.Alike > 0 && j.Near.To(made.Rest) > j.Alike {
			j.Dropped++
			continue
		}
		j.Keep(&made.Record)
		j.Near.Add(made.Rest)
		return made, nil
	}
	if j.Dropped > mostTexts/2 {
		return nil, &TooAlike{j.Near.Different(), j.Alike}
	}
	return nil, j.unfound.most()
}

// TooAlike says how many texts there really are.
type TooAlike struct {
	Different int
	Alike     float64
}

func (e *TooAlike) Error() string {
	return fmt.Sprintf("no text is left that is less alike than %g to one that is there, values aside; %d are. Give more documents, templates or styles, or a higher --alike", e.Alike, e.Different)
}

// try makes a document; nil where its values do not all stand in it.
func (j *Job) try(n, try int, r *rand.Rand) (*Made, error) {
	var frame *Frame
	var held map[value.Pointer]value.Value
	j.least = nil
	at := (n + try) % (len(j.Frames) + len(j.Templates) + len(j.Styles))
	if at < len(j.Frames) {
		frame = j.Frames[at]
		held = frame.Held()
		j.least = map[string]int{}
		for _, list := range frame.Free {
			j.least[list] = 1 // its head stands in the words
		}
	}
	rec, err := j.record(n*mostTexts+try, held, r)
	var impossible *Impossible
	if frame != nil && errors.As(err, &impossible) {
		j.unfound.why = impossible.Why
		return nil, nil // another frame may do
	}
	if err != nil {
		return nil, err
	}
	made := &Made{N: n, at: at}
	noise := ""
	if len(j.Noise) > 0 && random(j.Seed, -1-n).IntN(2) == 0 { // by its number: a second try is spoilt, too
		noise = pick(r, j.Noise)
	}
	w, err := j.text(made, &rec, frame, noise, r)
	if w == nil || err != nil {
		return nil, err
	}
	for _, kind := range j.noises(noise, r) {
		if made.Noise = j.spoil(w, &rec, kind); made.Noise != "" {
			break
		}
	}
	made.Text, made.Record, made.Places, made.Rest = w.Text(), rec, w.Places, w.without()
	for _, secret := range j.Secrets {
		if wholeIndex(strings.ToLower(made.Text), strings.ToLower(secret)) >= 0 {
			return nil, nil
		}
	}
	if !j.stands(made) {
		return nil, nil
	}
	return made, nil
}

// mostEntries is how many records a document holds at most, where it may hold any number.
const mostEntries = 5

// record makes the record of a document, or its records.
func (j *Job) record(n int, held map[value.Pointer]value.Value, r *rand.Rand) (value.Value, error) {
	if !j.Schema.EachEntry() {
		return j.Record(n, held)
	}
	list := value.List()
	for i := range 1 + r.IntN(mostEntries) {
		one, err := j.Record(n*mostEntries+i, nil)
		if err != nil {
			return one, err
		}
		list.Kids = append(list.Kids, one)
	}
	return list, nil
}

// each goes through the records of a document.
func (j *Job) each(rec *value.Value, do func(one *value.Value, p value.Pointer)) {
	if !j.Schema.EachEntry() {
		do(rec, "")
		return
	}
	for i := range rec.Kids {
		do(&rec.Kids[i], value.Pointer("").Index(i))
	}
}

// noises are the kinds to try, the one that was drawn first; a text may have no place for it.
func (j *Job) noises(first string, r *rand.Rand) []string {
	if first == "" {
		return nil
	}
	all := []string{first}
	for _, i := range r.Perm(len(j.Noise)) {
		if j.Noise[i] != first {
			all = append(all, j.Noise[i])
		}
	}
	return all
}

// text writes the record's text, and takes out of the record what does not stand in it; nil
// where that breaks the schema.
func (j *Job) text(made *Made, rec *value.Value, frame *Frame, noise string, r *rand.Rand) (w *writer, err error) {
	at := made.at - len(j.Frames)
	switch {
	case frame != nil:
		made.From = frame.Document
		w = frame.fill(j.Maker, rec, r)
		for p, v := range w.kept {
			rec.Put(p, v.Named(p.Last()))
		}
		for _, p := range w.lost {
			if f := j.Schema.At(p); f != nil {
				j.unfound.times[f.Path]++
				j.unfound.from[f.Path] = frame.Document
			}
		}
		if len(w.lost) > 0 {
			return nil, nil
		}
	case at < len(j.Templates):
		made.From = j.Templates[at].File
		if w, err = j.Templates[at].fill(j.Schema, rec, r); err != nil {
			return nil, err
		}
	default:
		style := j.Styles[at-len(j.Templates)]
		made.From = style
		w = &writer{Page: newPage(), r: r, style: style, labels: map[string]string{}}
		if noise == Unlabelled && !j.Schema.EachEntry() {
			w.mute, w.hides = j.unlabelled(rec, r)
		}
		w.all(j.Schema, rec)
	}
	for _, p := range w.lost {
		rec.Put(p, value.Value{Name: p.Last()})
	}
	if !j.keeps(rec) {
		return nil, nil
	}
	return w, nil
}

// keeps tells whether a record keeps the schema.
func (j *Job) keeps(rec *value.Value) bool {
	keeps := true
	j.each(rec, func(one *value.Value, _ value.Pointer) {
		for _, r := range append(append([]*schema.Rule(nil), j.Schema.Rules...), j.Rules...) {
			keeps = keeps && len(r.Check(j.Schema, one, schema.Operands(j.Schema, one), "")) == 0
		}
		for _, r := range j.Rules {
			keeps = keeps && r.Meets(j.Schema, one)
		}
		keeps = keeps && len(j.problems(one)) == 0
	})
	return keeps && (!j.Schema.EachEntry() || len(record.Twins(j.Schema, rec)) == 0)
}

// stands tells whether every value that was written is found in the text by evidence, and
// counts those that are found where they were written.
func (j *Job) stands(m *Made) bool {
	places := evidence.Of(j.Schema, &m.Record, evidence.NewIndex(m.Text))
	all := true
	j.leaves(&m.Record, func(f *schema.Field, v *value.Value, p value.Pointer) {
		own, written := m.Places[p]
		if v.Empty() || !written {
			return
		}
		m.Values++
		place := places[p]
		if !place.Found() {
			if f.Type != schema.Boolean && f.Type != schema.Choice && f.Type != schema.Any {
				all = false
				j.unfound.times[f.Path]++
				j.unfound.said[f.Path] = m.Text[own.Start:own.End]
			}
			return
		}
		if m.There++; place.Start < own.End && own.Start < place.End {
			m.Found++
		}
	})
	for p, own := range m.Places { // within values of any form
		if j.Schema.At(p) != nil {
			continue
		}
		if m.Values++; places[p].Found() {
			if m.There++; places[p].Start < own.End && own.Start < places[p].End {
				m.Found++
			}
		}
	}
	return all
}

// leaves goes through the single values of a document's records.
func (j *Job) leaves(rec *value.Value, do func(*schema.Field, *value.Value, value.Pointer)) {
	j.each(rec, func(one *value.Value, p value.Pointer) { eachLeaf(j.Schema.Record(), one, p, do) })
}

// Name gives the name of a made document, without an ending.
func (m *Made) Name() string { return fmt.Sprintf("made-%05d", m.N+1) }
