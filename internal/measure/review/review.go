// Package review is the desk at which people look at records: what is to be decided,
// what was decided, and what comes of it. It shows nothing and reads no key.
//
// Rules it keeps:
//
//   - Every value is a decision of its own, one that is not there included. So is what
//     is said against a list or an item, and a line that no value comes from.
//   - What was decided is kept before the next decision is asked for. What another
//     wrote meanwhile is never written over.
//   - Values that were accepted with others are marked as unseen and stay so until
//     somebody looks at them.
//   - Each change can be undone, and done again, back to where the desk was opened.
//   - A value changes only by what the reviewer does to it, or to the item it is in.
package review

import (
	"fmt"
	"slices"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Verdict is what a reviewer made of a value.
type Verdict string

// The verdicts. One that is not decided has none.
const (
	Right   Verdict = "right"   // looked at, and left as it was
	Changed Verdict = "changed" // typed
	Taken   Verdict = "taken"   // from words of the source
	Unseen  Verdict = "unseen"  // accepted with others
	Unsure  Verdict = "unsure"
)

// Kind is what a decision is about.
type Kind string

// The kinds of decisions.
const (
	OfValue Kind = "value"
	OfItem  Kind = "item" // something is said against a list, or an item of one
	OfLine  Kind = "line" // no value comes from it
)

// Point is something to decide.
type Point struct {
	Kind Kind
	Path value.Pointer // of a value or an item; of a line empty
	Line int           // of a line, from 1
}

// Key names a point in a file.
func (p Point) Key() string {
	switch {
	case p.Kind == OfLine:
		return fmt.Sprintf("line %d", p.Line)
	case p.Path == "":
		return "record" // as a whole
	}
	return string(p.Path)
}

// isValue tells whether a field is decided as one: a leaf, or a list of leaves.
func isValue(f *schema.Field) bool {
	return f.IsLeaf() || f.Type == schema.List && f.Item.IsLeaf()
}

// Kept is a record as it is kept between two decisions.
type Kept struct {
	Document string
	Hashes   record.Hashes // of the document it was made from
	Record   value.Value
	Places   evidence.Places
	Risk     map[value.Pointer]float64
	Made     map[string]Verdict // by the key of a point
	Notes    map[string]string  // by the key of a point
	Reviewer string             // who signed it, or ""
	Signed   bool
	Test     bool        // it is of the test split
	Was      value.Value // the record as it was filled, where that is known
	// Rivals are what another reviewer says; with them nothing else is to be decided.
	Rivals map[value.Pointer]value.Value
}

// Keeper keeps records under review.
type Keeper interface {
	// Documents names those that there are records of, in order.
	Documents() []string
	// Open gives the record of a document.
	Open(document string) (*Kept, error)
	// Keep keeps a record as it is now, or says who changed it since it was opened.
	Keep(k *Kept) error
	// Sign marks a record as reviewed; the reason comes back where it can't be.
	Sign(k *Kept, now record.Hashes) (why string, err error)
	// Unsign takes that back.
	Unsign(k *Kept) error
}

// Meanwhile says that a record was changed by somebody else since it was opened.
type Meanwhile struct{ Where string }

func (m *Meanwhile) Error() string {
	return m.Where + " was changed by another meanwhile: it is shown as it is now, and what you decided last is not kept"
}

// Sheet is one document on the desk.
type Sheet struct {
	*Kept
	Schema   *schema.Schema
	Source   *document.Document
	Index    *evidence.Index
	Problems []record.Problem
	Unread   string // why the document could not be read, or ""

	check  *record.Validator
	lines  []evidence.Line // that no value came from when it was opened, or not all that stands there
	read   map[[2]int]bool // the places in them that values had then
	points []Point
	past   []step
	future []step
	now    *step
	passed map[string]bool // what was found unsure at this desk
}

// NewSheet puts a record beside its document.
func NewSheet(s *schema.Schema, check *record.Validator, k *Kept, source *document.Document) *Sheet {
	sh := &Sheet{Kept: k, Schema: s, Source: source, check: check}
	if sh.Record = k.Record; k.Rivals == nil {
		sh.Record = record.Arrange(s, &k.Record)
	}
	if sh.Was.Kind == value.Null {
		sh.Was = sh.Record
	}
	if source != nil {
		sh.attach(source)
		sh.Places = evidence.Full(s, &sh.Record, sh.Index, knownPlaces(k.Places, source))
		sh.lines = slices.DeleteFunc(evidence.Unread(s, &sh.Record, sh.Index, sh.Places), func(l evidence.Line) bool {
			return l.At != "" // that a value is null is decided there
		})
		sh.read = map[[2]int]bool{}
		for _, place := range sh.Places {
			if sh.inLine(place, place.Line) {
				sh.read[[2]int{place.Start, place.End}] = true
			}
		}
	}
	if sh.Places == nil {
		sh.Places = evidence.Places{}
	}
	sh.see()
	return sh
}

// attach lays the document beside the record.
func (sh *Sheet) attach(source *document.Document) {
	sh.Source, sh.Index = source, evidence.NewIndex(source.Text)
}

// detach puts the document away; the record and all that was decided stays.
func (sh *Sheet) detach() { sh.Source, sh.Index = nil, nil }

// knownPlaces are the places that still lie within the document.
func knownPlaces(all evidence.Places, source *document.Document) evidence.Places {
	known := evidence.Places{}
	for p, place := range all {
		if place.Found() && place.End <= len(source.Text) && place.Document == "" {
			known[p] = place
		}
	}
	return known
}

// see looks at the record again: its problems, and what is to be decided.
func (sh *Sheet) see() {
	sh.Problems = append(sh.check.Check(&sh.Record), record.Twins(sh.Schema, &sh.Record)...)
	record.Sort(sh.Schema, sh.Problems)
	said := map[value.Pointer]bool{}
	for _, p := range sh.Problems {
		said[p.Path] = true
	}
	sh.points = sh.points[:0]
	if sh.Rivals != nil {
		sh.Record.Walk(func(p value.Pointer, _ *value.Value) bool {
			if _, differs := sh.Rivals[p]; differs {
				sh.points = append(sh.points, Point{Kind: OfValue, Path: p})
			}
			return true
		})
		return
	}
	sh.list(sh.Schema.Root, "", &sh.Record, said)
	for _, problem := range sh.Problems {
		if problem.Code() == record.Unexpected { // a field that the schema has not: it can be removed
			sh.points = append(sh.points, Point{Kind: OfItem, Path: problem.Path})
		}
	}
	for _, l := range sh.lines {
		sh.points = append(sh.points, Point{Kind: OfLine, Line: l.Line})
	}
}

// list adds the points of a field with all below it.
func (sh *Sheet) list(f *schema.Field, p value.Pointer, v *value.Value, said map[value.Pointer]bool) {
	if v == nil {
		v = &value.Value{}
	}
	if isValue(f) {
		sh.points = append(sh.points, Point{Kind: OfValue, Path: p})
		return
	}
	if f.Type == schema.Group {
		for _, kid := range f.Fields {
			sh.list(kid, p.Key(kid.Name), v.Get(kid.Name), said)
		}
		if said[p] { // of all of it, so behind it
			sh.points = append(sh.points, Point{Kind: OfItem, Path: p})
		}
		return
	}
	if said[p] || v.Empty() { // that there is no item is a decision too
		sh.points = append(sh.points, Point{Kind: OfItem, Path: p})
	}
	for i := range v.Kids {
		sh.list(f.Item, p.Index(i), &v.Kids[i], said)
	}
}

// Points gives all that is to be decided, in the order of the record, lines last.
func (sh *Sheet) Points() []Point { return sh.points }

// Verdict gives what was decided; "" where nothing was. A line from which a value has
// been taken since is decided by that.
func (sh *Sheet) Verdict(p Point) Verdict {
	if v := sh.Made[p.Key()]; v != "" {
		return v
	}
	if p.Kind == OfLine {
		for _, place := range sh.Places {
			if place.Line == p.Line && place.Found() && !sh.read[[2]int{place.Start, place.End}] && sh.inLine(place, p.Line) {
				return Taken
			}
		}
	}
	return ""
}

// Waits tells whether a decision is to be asked for: an open one, and one that somebody
// was unsure of when the desk was laid out.
func (sh *Sheet) Waits(p Point) bool {
	v := sh.Verdict(p)
	return v == "" || v == Unsure && !sh.passed[p.Key()]
}

// inLine tells whether a place lies in what was left of a line.
func (sh *Sheet) inLine(place evidence.Place, line int) bool {
	for _, l := range sh.lines {
		if l.Line == line && place.Start < l.End && l.Start < place.End {
			return true
		}
	}
	return false
}

// LineAt gives what is known of a line that no value came from.
func (sh *Sheet) LineAt(n int) (evidence.Line, bool) {
	for _, l := range sh.lines {
		if l.Line == n {
			return l, true
		}
	}
	return evidence.Line{}, false
}

// Left counts the decisions that are open, and those that are unsure.
func (sh *Sheet) Left() (open, unsure int) {
	for _, p := range sh.points {
		switch sh.Verdict(p) {
		case "":
			open++
		case Unsure:
			unsure++
		}
	}
	return open, unsure
}

// Said gives what speaks against a value, an item or a line, in words.
func (sh *Sheet) Said(p Point) (said []string) {
	if p.Kind == OfLine {
		l, _ := sh.LineAt(p.Line)
		return []string{fmt.Sprintf("no value comes from this line, which speaks of %s", l.Field)}
	}
	if other, ok := sh.Rivals[p.Path]; ok {
		said = append(said, "the other says: "+orNone(Shown(&other)))
	}
	for _, problem := range sh.Problems {
		if problem.Path == p.Path || p.Kind == OfValue && problem.Path.Within(p.Path) {
			said = append(said, within(p.Path, problem.Path)+problem.Message())
		}
	}
	if p.Kind != OfValue || len(said) > 0 || sh.Index == nil {
		return said
	}
	for _, at := range sh.leavesAt(p.Path) {
		place, known := sh.Places[at]
		if f := sh.Schema.Holding(at); known && f != nil {
			if what := sh.Index.Doubt(f, sh.Record.At(at), place, false); what != nil {
				said = append(said, within(p.Path, at)+what.Text())
			}
		}
	}
	return said
}

// within says where in a value of any form something stands: "Zinc: ", and nothing for its own place.
func within(top, at value.Pointer) string {
	if at == top || len(at.Steps()) <= len(top.Steps()) {
		return ""
	}
	if _, isIndex := value.ArrayIndex(at.Last()); isIndex {
		return ""
	}
	return at.Last() + ": "
}

func orNone(text string) string {
	if text == "" {
		return "no value"
	}
	return text
}

// leavesAt gives the paths at which the places of a value stand: its own, those of the items of a
// list, or of what a value of any form holds.
func (sh *Sheet) leavesAt(p value.Pointer) []value.Pointer {
	v := sh.Record.At(p)
	if v == nil {
		return []value.Pointer{p}
	}
	var all []value.Pointer
	if evidence.IsWhole(sh.Schema, p, v) {
		v.Walk(func(below value.Pointer, kid *value.Value) bool {
			if evidence.IsWhole(sh.Schema, p+below, kid) {
				return true
			}
			all = append(all, p+below)
			return false
		})
		return all
	}
	if v.Kind != value.Array {
		return []value.Pointer{p}
	}
	for i := range v.Kids {
		all = append(all, p.Index(i))
	}
	return all
}

// PlacesOf gives where a value stands; several for the items of a list.
func (sh *Sheet) PlacesOf(p value.Pointer) (all []evidence.Place) {
	for _, at := range sh.leavesAt(p) {
		if place, ok := sh.Places[at]; ok && place.Found() {
			all = append(all, place)
		}
	}
	return all
}

// RiskOf gives the risk of a value; false where none is known.
func (sh *Sheet) RiskOf(p value.Pointer) (float64, bool) {
	most, known := 0.0, false
	for _, at := range append(sh.leavesAt(p), p) {
		if r, ok := sh.Risk[at]; ok {
			most, known = max(most, r), true
		}
	}
	return most, known
}
