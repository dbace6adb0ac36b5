// Package correct brings what a new document says into an existing record.
//
// The model gets the record and the new text and answers with a JSON Patch of
// which every operation names the words that it rests on. Rules the package
// keeps:
//
//   - A value changes only where an operation names it, the words named stand in
//     the new document, and they hold the new value. All others stay as they
//     are, to the last digit: the record is never rebuilt.
//   - A value that the new document still says in another place stays.
//   - An item or a value goes only where words are named that take it back, and
//     that speak of it.
//   - Lists grow: an item with the key of one that is there changes that one.
//   - What is refused is told with its reason, and nothing else suffers from it.
package correct

import (
	"fmt"
	"strconv"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/normalize"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// Preference says which value is kept where the old and the new one both have
// evidence.
type Preference string

// The preferences.
const (
	Newer   Preference = "newer"   // the new document's
	Older   Preference = "older"   // the record's
	Neither Preference = "neither" // the record's, with a problem that says so
)

// Updater brings one document into records.
type Updater struct {
	Schema   *schema.Schema
	Check    func(v *value.Value) []record.Problem
	Index    *evidence.Index // of the new document, or of the part that was shown
	Document string
	Prefer   Preference
	KeepNew  bool // entries that the records have not are added; else told
	// Decided are values about which people have decided: they stay, and a document
	// that says otherwise is a problem.
	Decided map[value.Pointer]bool
}

// Change is one value or item that is now another.
type Change struct {
	Path     value.Pointer // where it stands; of what was taken out, where it stood
	Was, Now value.Value   // Null: there was, or is, none
	Words    string        // of the new document
	Place    evidence.Place
	Conflict bool // the old value had evidence too
	Kept     bool // a conflict in which the old value was kept
}

// Refusal says why an operation, or a part of one, was not let through.
type Refusal struct {
	Op   int // from 0
	Path value.Pointer
	Why  string
}

func (r Refusal) String() string {
	return fmt.Sprintf("operation %d, %s: %s", r.Op+1, r.Path, r.Why)
}

// Result is what comes of a patch.
type Result struct {
	Record    value.Value
	Places    evidence.Places // of its values, those of the new document among them
	Changes   []Change
	Refused   []Refusal
	New       []value.Value // entries that the records have not, where they are not kept
	Confirmed int           // values that the patch says once more
	Conflicts []record.Problem
}

// Apply applies the operations of a patch to a record whose values stand at
// places. The record itself is not changed.
func (u *Updater) Apply(rec *value.Value, places evidence.Places, ops *value.Value) Result {
	t := &turn{Updater: u, Result: Result{Record: rec.Clone(), Places: evidence.Places{}}}
	for p, place := range places {
		t.Places[p] = place
	}
	t.borne = evidence.Of(u.Schema, rec, u.Index)
	t.problems = u.Check(rec)
	for i := range ops.Kids {
		t.op = i
		t.take(&ops.Kids[i])
	}
	t.drop()
	return t.Result
}

// turn is one patch at work.
type turn struct {
	*Updater
	Result
	borne    evidence.Places // of the record's values in the new document
	problems []record.Problem
	op       int
	words    string
	span     [2]int          // of the words
	within   *evidence.Index // of the words
	gone     []value.Pointer // items to take out when all else is done
}

func (t *turn) refuse(p value.Pointer, format string, args ...any) {
	t.Refused = append(t.Refused, Refusal{t.op, p, fmt.Sprintf(format, args...)})
}

// take takes one operation.
func (t *turn) take(o *value.Value) {
	p := value.Pointer(o.Word("path"))
	f := t.Schema.Holding(p)
	op, v := o.Word("op"), o.Get("value")
	switch {
	case !p.Valid() || p == "" || f == nil:
		t.refuse(p, "not a field of the schema")
		return
	case op != "add" && op != "replace" && op != "remove":
		t.refuse(p, "an update uses add, replace and remove, not %q", op)
		return
	case op != "remove" && v == nil:
		t.refuse(p, "there is no value")
		return
	}
	t.words = o.Word("quote")
	at, found := t.Index.Words(t.words)
	switch {
	case strings.TrimSpace(t.words) == "":
		t.refuse(p, "it quotes nothing from the new document")
		return
	case !found:
		t.refuse(p, "the words %s are not in the new document", short(t.words))
		return
	}
	t.span = [2]int{at.Start, at.End}
	t.within = t.Index.Within([][2]int{t.span})
	if v != nil {
		own := v.Clone()
		if v = &own; t.Schema.At(p) != nil {
			unpack(f, v)
		}
	}
	if op == "remove" || v.Kind == value.Null {
		t.remove(f, p, at)
		return
	}
	if list := t.Schema.At(p.Parent()); list != nil && list.Type == schema.List {
		n := 0
		if there := t.Record.At(p.Parent()); there != nil {
			n = len(there.Kids)
		}
		if i, ok := value.ArrayIndex(p.Last()); !ok || i >= n || op == "add" {
			t.grow(list, p.Parent(), v)
			return
		}
	}
	t.put(f, p, v)
}

func short(s string) string {
	if r := []rune(s); len(r) > 60 {
		s = string(r[:59]) + "…"
	}
	return strconv.Quote(s)
}

// put brings a value in: leaf by leaf, so that each is judged by itself.
func (t *turn) put(f *schema.Field, p value.Pointer, v *value.Value) {
	switch {
	case v.Empty():
	case f.Type == schema.Group && v.Kind == value.Object:
		for i := range v.Kids {
			if kid := f.Child(v.Kids[i].Name); kid != nil {
				t.put(kid, p.Key(kid.Name), &v.Kids[i])
			} else {
				t.refuse(p.Key(v.Kids[i].Name), "not a field of the schema")
			}
		}
	case f.Type == schema.List && v.Kind == value.Array:
		var there []value.Value
		if at := t.Record.At(p); at != nil {
			there = at.Kids
		}
		for _, both := range pair.Lists(f, there, v.Kids) {
			switch {
			case both.Filled < 0: // what the patch does not speak of stays
			case both.Gold < 0:
				t.grow(f, p, &v.Kids[both.Filled])
			default:
				t.put(f.Item, p.Index(both.Gold), &v.Kids[both.Filled])
			}
		}
	case f.Type == schema.Any && f.HasNames() && v.Kind == value.Object && !schema.IsAmount(v): // what is not named stays
		for i := range v.Kids {
			t.put(f, p.Key(v.Kids[i].Name), &v.Kids[i])
		}
	case f.IsLeaf():
		t.set(f, p, v)
	default:
		t.refuse(p, "this should be %s", map[schema.Type]string{schema.Group: "an object", schema.List: "a list"}[f.Type])
	}
}

// set gives a leaf another value.
func (t *turn) set(f *schema.Field, p value.Pointer, v *value.Value) {
	candidate := t.Record.Clone()
	candidate.Put(p, *v)
	normalize.Record(t.Schema, &candidate)
	now := candidate.At(p)
	if now.Empty() {
		return
	}
	was := t.Record.At(p)
	if !was.Empty() && pair.Right(f, was, now) {
		t.Confirmed++
		return
	}
	place, ok := t.place(f, p, now)
	if !ok {
		t.refuse(p, "the words %s do not hold %s", short(t.words), now.Named(""))
		return
	}
	if !was.Empty() && t.stillBorne(p, was) {
		t.refuse(p, "the new document still says %s, on line %d", was.Named(""), t.borne[p].Line)
		return
	}
	if why := t.breaks(p, now); why != "" {
		t.refuse(p, "%s", why)
		return
	}
	c := Change{Path: p, Now: now.Clone().Named(""), Words: t.words, Place: place}
	if was != nil {
		c.Was = was.Clone().Named("")
	}
	c.Conflict = !was.Empty() && t.Places[p].Found()
	c.Conflict = c.Conflict || t.Decided[p]
	c.Kept = c.Conflict && (t.Prefer != Newer || t.Decided[p])
	t.Changes = append(t.Changes, c)
	if c.Kept {
		if t.Prefer == Neither || t.Decided[p] {
			old := c.Was
			t.Conflicts = append(t.Conflicts, record.Problem{Path: p, What: record.DocumentsDisagree{Document: t.Document, Says: c.Now.String()}, Value: &old})
		}
		return
	}
	t.Record.Put(p, *now)
	t.Places[p] = place
}
