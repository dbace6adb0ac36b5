package fill

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/merge"
	"filler/internal/record/normalize"
	"filler/internal/record/pair"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Risk says how likely a leaf is in error, from 0 to 1, by what is known of how
// it came about. It is an order and no probability: docs/scoring.md has the
// weights, and `score` says how much of what is in error the riskiest fifth
// holds. Each reason takes its share of what is left: risk = 1 - Π(1 - weight).

// The weights of reasons.
const (
	riskQuoted     = 0.02
	riskRestated   = 0.04
	riskNear       = 0.35
	riskSeen       = 0.25
	riskBasis      = 0.10
	riskInferred   = 0.30
	riskNone       = 0.65
	riskRival      = 0.03 // for each other place where the value stands, up to four; none behind its label
	riskShared     = 0.12 // another field of its type in the same group stands there too
	riskEarlier    = 0.20 // it stands in an earlier message that a mail quotes
	riskNull       = 0.30
	riskNullOften  = 0.45 // null, and most other items of the list have a value
	riskMissing    = 0.45 // null, and required
	riskUnread     = 0.60 // null, and a line that speaks of the field is unread
	riskLeft       = 0.45 // null, and the document says something of its form that no value came from
	riskContested  = 0.55 // it stands nowhere, and the document says another in so many words
	riskEmptyList  = 0.15
	riskProblem    = 0.50 // at the leaf
	riskAround     = 0.06 // at something above it, or at the record
	riskRepaired   = 0.15
	riskRefused    = 0.25 // a patch for it was refused
	riskAgain      = 0.10 // it came from lines that were asked again
	riskConflict   = 0.40
	riskLenient    = 0.03 // the reply's text was not the JSON asked for
	riskNormalized = 0.02
	riskCut        = 0.10 // the reply was cut short
	riskUnsureMost = 0.50 // of the OCR engine's doubt in its words: this times 1 - confidence
)

// riskNormalizer are the weights of normalizers; any other has riskNormalized.
var riskNormalizer = map[string]float64{normalize.RuleLookalikes: 0.30, normalize.RuleSentence: 0.10, normalize.RuleUnknown: 0.10, normalize.RuleUnit: 0.06, normalize.RuleInPlace: 0.06, normalize.RuleSpaces: 0, normalize.RuleFigures: 0, normalize.RuleKey: 0}

// risks gives the risk of every leaf of the record, nulls included.
func (w *filling) risks(places evidence.Places) value.Value {
	r := &risker{w: w, places: places, left: map[value.Pointer]float64{}, whole: 1}
	r.items, r.filled = map[*schema.Field]int{}, map[*schema.Field]int{}
	w.record.Walk(func(p value.Pointer, v *value.Value) bool {
		f := w.Schema.At(p)
		if f == nil || !f.IsLeaf() {
			return true
		}
		if r.items[f]++; !v.Empty() {
			r.filled[f]++
		}
		return false
	})
	r.shared = map[spot]int{}
	for p, at := range places {
		if f := w.Schema.At(p); f != nil && at.Found() {
			r.shared[spotOf(f, p, at)]++
		}
	}
	r.fromTrace()
	r.fromProblems()
	out := value.Obj()
	r.field(w.Schema.Root, "", &w.record, &out)
	return out
}

type risker struct {
	w      *filling
	places evidence.Places
	left   map[value.Pointer]float64 // by path, what reasons have left: the product of 1 - weight
	whole  float64                   // likewise, of the whole record
	items  map[*schema.Field]int     // of fields in lists: in how many items they could stand
	filled map[*schema.Field]int     // in how many they do
	shared map[spot]int              // how many values stand where they do
}

// spot is where values of one type stand in a group.
type spot struct {
	group value.Pointer
	of    schema.Type
	start int
}

func spotOf(f *schema.Field, p value.Pointer, at evidence.Place) spot {
	return spot{p.Parent(), f.Kin().Type, at.Start}
}

func (r *risker) add(p value.Pointer, weight float64) {
	if _, ok := r.left[p]; !ok {
		r.left[p] = 1
	}
	r.left[p] *= 1 - weight
}

// fromTrace takes the reasons from the steps that led to the record.
func (r *risker) fromTrace() {
	lenient := false
	for _, step := range r.w.trace.steps {
		switch s := step.(type) {
		case *trace.Lenient:
			if s.Kind != "fence" && s.Kind != "chatter" && !lenient {
				lenient = true
				r.whole *= 1 - riskLenient
			}
		case *trace.Merged:
			switch s.What {
			case merge.Filled:
				r.add(s.Path, riskAgain)
			case merge.Conflicting:
				r.add(s.Path, riskConflict)
			}
		case *trace.Corrected:
			r.operations(s.Operations, riskRepaired)
		case *trace.CorrectionRefused:
			r.operations(s.Operations, riskRefused)
		}
	}
}

func (r *risker) operations(ops []trace.Operation, weight float64) {
	for _, op := range ops {
		r.add(op.Path, weight)
	}
}

func (r *risker) fromProblems() {
	for _, p := range r.w.problems {
		switch {
		case p.Code() == record.Truncated:
			r.whole *= 1 - riskCut
		case p.Code() == record.Uncovered:
			// it weighs on the field that is null, not on the record
		case p.Path == "":
			r.whole *= 1 - riskAround
			for _, f := range p.Fields {
				r.add(f, riskProblem/2)
			}
		default:
			r.add(p.Path, riskProblem)
			if f := r.w.Schema.Holding(p.Path); f != nil && f.Type == schema.Any && !f.IsMap() {
				for at := p.Path; r.w.Schema.At(at) == nil; at = at.Parent() {
					r.add(at.Parent(), riskProblem) // it is told as a whole
				}
			}
		}
	}
}

func (r *risker) field(f *schema.Field, p value.Pointer, v *value.Value, out *value.Value) {
	switch {
	case f.Type == schema.Group && (v == nil || v.Kind == value.Object || v.Kind == value.Null):
		for _, kid := range f.Fields {
			var at *value.Value
			if v != nil {
				at = v.Get(kid.Name)
			}
			r.field(kid, p.Key(kid.Name), at, out)
		}
	case f.Type == schema.List && v != nil && v.Kind == value.Array && len(v.Kids) > 0:
		for i := range v.Kids {
			r.field(f.Item, p.Index(i), &v.Kids[i], out)
		}
	case f.Type == schema.List:
		weight := riskEmptyList
		switch {
		case r.w.missed[f.Path]:
			weight = riskUnread
		case r.w.leftOver[p]:
			weight = riskLeft
		}
		r.give(p, weight, out)
	case v != nil && pair.HasEntries(f, v): // each is a value by itself
		pair.Entries(v, nil, func(name string, kid, _ *value.Value) {
			r.field(f, p.Key(name), kid, out)
		})
	default:
		r.give(p, r.own(f, p, v), out)
	}
}

// own is the weight of how a leaf's value stands in the source.
func (r *risker) own(f *schema.Field, p value.Pointer, v *value.Value) float64 {
	if v.Empty() {
		switch {
		case r.w.missed[f.Path]:
			return riskUnread
		case f.Required:
			return riskMissing
		case r.w.leftOver[p]:
			return riskLeft
		case 2*r.filled[f] > r.items[f]:
			return riskNullOften
		}
		return riskNull
	}
	if f.Type == schema.Any && evidence.IsWhole(r.w.Schema, p, v) {
		return r.loosest(f, p, v)
	}
	at := r.places[p]
	weight := map[evidence.Kind]float64{evidence.Quoted: riskQuoted, evidence.Restated: riskRestated, evidence.Lookalike: riskNear, evidence.Pictured: riskSeen, evidence.Inferred: riskInferred, evidence.None: riskNone}[at.Kind]
	switch {
	case at.Basis:
		weight = riskBasis
	case r.w.leftOver[p] && !at.Found():
		weight = riskContested
	}
	left := 1 - weight
	for _, rule := range r.w.normalized[trail{f.Path, at.Start, v.String()}] {
		if weight, known := riskNormalizer[rule]; known {
			left *= 1 - weight
		} else {
			left *= 1 - riskNormalized
		}
	}
	if !at.Led {
		for range min(at.Rivals, 4) {
			left *= 1 - riskRival
		}
	}
	if r.shared[spotOf(f, p, at)] > 1 && !at.Led {
		left *= 1 - riskShared
	}
	if r.w.earlier(at) {
		left *= 1 - riskEarlier
	}
	if doubt := r.w.doubt(at); doubt > 0 {
		left *= 1 - doubt*riskUnsureMost
	}
	return 1 - left
}

// loosest is the weight of a value that holds others: that of the one that stands worst.
func (r *risker) loosest(f *schema.Field, p value.Pointer, v *value.Value) float64 {
	most := 0.0
	v.Walk(func(below value.Pointer, kid *value.Value) bool {
		if at := p + below; !kid.Empty() && !evidence.IsWhole(r.w.Schema, at, kid) {
			most = max(most, r.own(f, at, kid))
			return false
		}
		return true
	})
	return most
}

// give writes the risk of a leaf, with that of what stands above it.
func (r *risker) give(p value.Pointer, own float64, out *value.Value) {
	left := (1 - own) * r.whole
	if l, ok := r.left[p]; ok {
		left *= l
	}
	for at := p; at != ""; {
		at = at.Parent()
		if _, ok := r.left[at]; ok && at != "" {
			left *= 1 - riskAround
		}
	}
	out.Kids = append(out.Kids, value.Num(fmt.Sprintf("%.3f", 1-left)).Named(string(p)))
}

// trail knows a leaf's value again after its record was merged into another, where
// paths change: by its field, where it stands, and what it says.
type trail struct {
	field string // its path in the schema
	start int    // in bytes of the source; 0 where it stands nowhere
	value string
}

// follow keeps what normalizers did to the values of a record as it came, by trails.
func (w *filling) follow(v *value.Value, places evidence.Places, changes []normalize.Change) {
	if w.normalized == nil {
		w.normalized = map[trail][]string{}
	}
	for _, c := range changes {
		f, at := w.Schema.At(c.Path), v.At(c.Path)
		if f == nil || at == nil || !f.IsLeaf() {
			continue
		}
		key := trail{f.Path, places[c.Path].Start, at.String()}
		if !slices.Contains(w.normalized[key], c.Rule) {
			w.normalized[key] = append(w.normalized[key], c.Rule)
		}
	}
}

// doubtful is the confidence of an OCR engine, in per cent, below which it is in
// doubt.
const doubtful = 70

// unsure gives what tells where the OCR engine was in doubt, or nil.
func unsure(d *document.Document) func(start, end int) bool {
	if d.Layout == nil {
		return nil
	}
	return func(start, end int) bool {
		from, to := d.Layout.Within(start, end)
		for i := from; i < to; i++ {
			if c := d.Layout.Words[i].Confidence; c >= 0 && c < doubtful {
				return true
			}
		}
		return false
	}
}

// earlier tells whether a place lies in a line of an earlier message: of a mail, and
// marked so.
func (w *filling) earlier(p evidence.Place) bool {
	if w.doc == nil || !p.Found() || p.Document != "" || p.Start > len(w.doc.Text) {
		return false
	}
	line := w.doc.Text[strings.LastIndexByte(w.doc.Text[:p.Start], '\n')+1:]
	return strings.HasPrefix(line, ">")
}

// doubt is how unsure the OCR engine was of the words under a place: 1 less its
// least confidence, from 0 to 1.
func (w *filling) doubt(p evidence.Place) float64 {
	if w.doc == nil || w.doc.Layout == nil || !p.Found() || p.Document != "" {
		return 0
	}
	least := 100
	from, to := w.doc.Layout.Within(p.Start, p.End)
	for i := from; i < to; i++ {
		if c := w.doc.Layout.Words[i].Confidence; c >= 0 {
			least = min(least, c)
		}
	}
	return float64(100-least) / 100
}
