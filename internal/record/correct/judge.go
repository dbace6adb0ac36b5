package correct

import (
	"strings"
	"unicode"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// place finds a new value in the words that its operation names. What the
// schema lets the model conclude rests on the words themselves, where they speak
// of the field or its item and do not say the old value.
func (t *turn) place(f *schema.Field, p value.Pointer, v *value.Value) (evidence.Place, bool) {
	one := t.nested(p, v)
	place := evidence.Full(t.Schema, &one, t.within, nil)[p]
	place.Document = t.Document
	if place.Found() && !place.Basis && place.Kind != evidence.Lookalike {
		if led, said := t.sayOld(f, p); said && led && !place.Led && weight(v) < 3 {
			return place, false // a stray figure beside the value that still stands there
		}
		return place, !t.spokenFor(p, place)
	}
	if _, said := t.sayOld(f, p); said || f.Evidence != "inferred" && !f.Basis {
		return place, false
	}
	says, other := t.sayBoolean(f, v)
	if other || !says && !t.speaksOf(f, p, v) {
		return place, false
	}
	at, _ := t.Index.Words(t.words)
	at.Document = t.Document
	return at, true
}

// spokenFor tells whether a place in the new document is the only one, and that of
// a value which the record has for another field.
func (t *turn) spokenFor(p value.Pointer, place evidence.Place) bool {
	if place.Rivals > 0 {
		return false
	}
	for other, at := range t.borne {
		if of := t.Record.At(other); t.Schema.At(other) != t.Schema.At(p) && at.Found() && !at.Basis && of != nil && (at.Led || weight(of) >= 4) && at.Start < place.End && place.Start < at.End {
			return true
		}
	}
	return false
}

// taken tells whether a place in the new document is that of a plain item which
// another item of the record has: of the same field, and with other values of its
// own in the same line.
func (t *turn) taken(p value.Pointer, place evidence.Place) bool {
	f := t.Schema.At(p)
	for other, at := range t.borne {
		if other == p || !at.Found() || at.Start != place.Start || t.Schema.At(other) != f {
			continue
		}
		whose := other.Parent().Parent() // the item that has the list
		for near, by := range t.borne {
			if near.Within(whose) && !near.Within(other.Parent()) && by.Found() && by.Line == at.Line && whose != "" {
				return true
			}
		}
	}
	return false
}

// sayOld tells whether the words hold the value that the record has, and whether
// behind its label.
func (t *turn) sayOld(f *schema.Field, p value.Pointer) (led, said bool) {
	was := t.Record.At(p)
	if was.Empty() || f.Type == schema.Boolean {
		return false, false
	}
	one := t.nested(p, was)
	at := evidence.Of(t.Schema, &one, t.within)[p]
	return at.Led, at.Found() && !at.Basis
}

// sayBoolean tells whether a word among those named says a value for true or
// false, and whether one says the other and none says it.
func (t *turn) sayBoolean(f *schema.Field, v *value.Value) (says, other bool) {
	if f.Type != schema.Boolean {
		return false, false
	}
	for _, w := range plainWords(t.words) {
		if b, known := normalize.Says(f, w); known {
			says = says || b == (v.Text == "true")
			other = other || b != (v.Text == "true")
		}
	}
	return says, other && !says
}

func plainWords(text string) []string {
	return strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// stillBorne tells whether the new document says an old value as well, and not
// in the words of which the operation speaks.
func (t *turn) stillBorne(p value.Pointer, was *value.Value) bool {
	at := t.borne[p]
	if !at.Found() || at.Kind == evidence.Lookalike || at.Basis || at.Start >= t.span[0] && at.End <= t.span[1] {
		return false
	}
	for other, place := range t.borne {
		if other != p && place.Found() && place.Start == at.Start && weight(was) < 4 {
			return false // it is another value that stands there
		}
	}
	if !inList(p) && (at.Led || weight(was) >= 4) {
		return true
	}
	if who := t.identity(p); who >= 0 && who <= t.span[0] && t.span[1] <= at.Start {
		return false // the words stand nearer to what tells the item from others
	}
	// A short value stands in many places, and that of an item may be another
	// item's: company tells.
	reach := 0
	if at.Led || weight(was) >= 4 {
		reach = company
	}
	for other, place := range t.borne {
		if other != p && other.Parent() == p.Parent() && place.Found() && max(place.Line-at.Line, at.Line-place.Line) <= reach {
			return true
		}
	}
	return false
}

// identity gives where a value stands in the new document that tells the item of
// p from others: the first of some weight, in one place alone; -1 for none.
func (t *turn) identity(p value.Pointer) int {
	first := -1
	for other, place := range t.borne {
		if of := t.Record.At(other); other != p && other.Parent() == p.Parent() && place.Found() && place.Rivals == 0 && of != nil && weight(of) >= 4 && (first < 0 || place.Start < first) {
			first = place.Start
		}
	}
	return first
}

// company is how many lines off another value of an item may stand.
const company = 3

func inList(p value.Pointer) bool {
	for _, step := range p.Steps() {
		if _, ok := value.ArrayIndex(step); ok {
			return true
		}
	}
	return false
}

// weight counts the letters and figures of a value.
func weight(v *value.Value) (n int) {
	v.Scan(func(v *value.Value) bool {
		for _, r := range v.Text {
			if unicode.IsLetter(r) || unicode.IsDigit(r) {
				n++
			}
		}
		return true
	})
	return n
}

// breaks says how a value breaks the schema where the record did not, or "". A
// rule it may break: what several fields say together is for the record's
// problems to tell.
func (t *turn) breaks(p value.Pointer, v *value.Value) string {
	after := t.Record.Clone()
	after.Put(p, *v)
	for _, problem := range record.Beyond(t.Check(&after), t.problems) {
		switch problem.Code() {
		case record.Rule, record.Link, record.Missing:
		default:
			if problem.Path.Within(p) || p.Within(problem.Path) {
				return problem.Message()
			}
		}
	}
	return ""
}
