package correct

import (
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/record/normalize"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// grow adds an item to a list, or changes the one that it is.
func (t *turn) grow(f *schema.Field, p value.Pointer, v *value.Value) {
	var there []value.Value
	if at := t.Record.At(p); at != nil {
		there = at.Kids
	}
	n := len(there)
	candidate := t.Record.Clone()
	candidate.Put(p.Index(n), *v)
	normalize.Record(t.Schema, &candidate)
	got := candidate.At(p.Index(n))
	if got.Empty() {
		t.refuse(p.Index(n), "there is no value")
		return
	}
	for i := range there {
		if same(f, &there[i], got) || t.begun(f, p.Index(i), &there[i], got) {
			if f.Item.IsLeaf() {
				t.Confirmed++
				return
			}
			t.put(f.Item, p.Index(i), v)
			return
		}
	}
	item := t.borneOut(f.Item, p.Index(n), got)
	if item.Empty() {
		return
	}
	if p == "" && t.Schema.EachEntry() && !t.KeepNew {
		t.New = append(t.New, item.Named(""))
		return
	}
	if why := t.breaks(p.Index(n), &item); why != "" {
		t.refuse(p.Index(n), "%s", why)
		return
	}
	t.Record.Put(p.Index(n), item)
	at, _ := t.Index.Words(t.words)
	at.Document = t.Document
	t.Changes = append(t.Changes, Change{Path: p.Index(n), Now: item.Named(""), Words: t.words, Place: at})
	one := t.nested(p.Index(n), &item)
	for q, place := range evidence.Of(t.Schema, &one, t.within) {
		if q.Within(p.Index(n)) {
			if place.Document = t.Document; !place.Found() {
				place = at
			}
			t.Places[q] = place
		}
	}
}

// same tells whether an item is one that is there: by the key of the list, else
// where nothing in it differs.
func same(f *schema.Field, there, v *value.Value) bool {
	if len(f.Key) == 0 || f.Item.IsLeaf() {
		return pair.Canonical(f.Item, there) == pair.Canonical(f.Item, v)
	}
	for _, name := range f.Key {
		a, b := there.Get(name), v.Get(name)
		if a.Empty() || b.Empty() || !pair.Right(f.Item.Child(name), a, b) {
			return false
		}
	}
	return true
}

// begun tells whether an item that came of the same document, and has no key, is
// the beginning of another: all that it says the other says as well.
func (t *turn) begun(f *schema.Field, p value.Pointer, there, v *value.Value) bool {
	if len(f.Key) > 0 || f.Item.IsLeaf() {
		return false
	}
	mine := false
	there.Walk(func(q value.Pointer, n *value.Value) bool {
		mine = mine || t.Places[p+q].Document == t.Document
		return true
	})
	return mine && Holds(f.Item, there, v)
}

// Holds tells whether a value says all that another says.
func Holds(f *schema.Field, part, v *value.Value) bool {
	switch {
	case part.Empty():
		return true
	case v.Empty():
		return false
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			if a, b := part.Get(kid.Name), v.Get(kid.Name); !a.Empty() && (b == nil || !Holds(kid, a, b)) {
				return false
			}
		}
		return true
	case f.Type == schema.List:
		return pair.Canonical(f, part) == pair.Canonical(f, v)
	}
	return pair.Right(f, part, v)
}

// borneOut gives an item without the values that the words do not hold.
func (t *turn) borneOut(f *schema.Field, p value.Pointer, v *value.Value) value.Value {
	one := t.nested(p, v)
	places := evidence.Of(t.Schema, &one, t.within)
	out := t.onlyBorne(f, p, v, places)
	own := false // something that no value of the record speaks for
	for q, place := range places {
		own = own || q.Within(p) && place.Found() && !t.spokenFor(q, place) && !(f.IsLeaf() && t.taken(q, place))
	}
	if out.Empty() || !own {
		out = value.Value{}
		t.refuse(p, "the words %s do not hold it", short(t.words))
	}
	return out
}

func (t *turn) onlyBorne(f *schema.Field, p value.Pointer, v *value.Value, places evidence.Places) value.Value {
	switch {
	case f.Type == schema.Group:
		out := value.Obj()
		for _, kid := range f.Fields {
			at := v.Get(kid.Name)
			if at == nil {
				at = &value.Value{}
			}
			out.Kids = append(out.Kids, t.onlyBorne(kid, p.Key(kid.Name), at, places).Named(kid.Name))
		}
		return out
	case f.Type == schema.List:
		out := value.List()
		for i := range v.Kids {
			if item := t.onlyBorne(f.Item, p.Index(i), &v.Kids[i], places); !item.Empty() {
				out.Kids = append(out.Kids, item)
			}
		}
		return out
	case v.Empty():
		return value.Value{}
	}
	place := places[p]
	if says, _ := t.sayBoolean(f, v); says || place.Found() && place.Kind != evidence.Lookalike {
		return v.Clone().Named("")
	}
	t.refuse(p, "the words %s do not hold %s", short(t.words), v.Named(""))
	return value.Value{}
}

// remove takes back a value, or an item of a list.
func (t *turn) remove(f *schema.Field, p value.Pointer, at evidence.Place) {
	was := t.Record.At(p)
	list := t.Schema.At(p.Parent())
	isItem := list != nil && list.Type == schema.List
	switch {
	case was.Empty():
		t.refuse(p, "there is nothing to remove")
		return
	case !f.IsLeaf() && !isItem:
		t.refuse(p, "name the values or items to remove, not the whole list")
		return
	case t.decidedIn(p):
		t.refuse(p, "a reviewer has decided that it is there")
		return
	case !t.speaksOf(f, p, was):
		t.refuse(p, "the words %s do not name it", short(t.words))
		return
	case !t.takesBack(list, isItem):
		t.refuse(p, "no word of removal stands with the words %s", short(t.words))
		return
	}
	at.Document = t.Document
	t.Changes = append(t.Changes, Change{Path: p, Was: was.Clone().Named(""), Words: t.words, Place: at})
	if isItem {
		t.gone = append(t.gone, p)
		return
	}
	if delete(t.Places, p); t.Schema.At(p) == nil { // an entry of a map
		t.Record.At(p.Parent()).Drop(p.Last())
		return
	}
	*was = value.Value{Name: was.Name}
}

// decidedIn tells whether people have decided about a value, or one of an item.
func (t *turn) decidedIn(p value.Pointer) bool {
	for at := range t.Decided {
		if at.Within(p) {
			return true
		}
	}
	return false
}

// speaksOf tells whether the words hold a value of what goes or of the item it
// lies in, its number in the list, or the field's name.
func (t *turn) speaksOf(f *schema.Field, p value.Pointer, was *value.Value) bool {
	near, at := was, p
	if f.IsLeaf() && t.Record.At(p) != nil {
		if parent := t.Record.At(p.Parent()); parent != nil && parent.Kind == value.Object && p.Parent() != "" {
			near, at = parent, p.Parent()
		}
	}
	one := t.nested(at, near)
	for q, place := range evidence.Of(t.Schema, &one, t.within) {
		if q.Within(at) && place.Found() && !place.Basis {
			return true
		}
	}
	words := plainWords(t.words)
	if i, ok := value.ArrayIndex(p.Last()); ok && slices.Contains(words, strconv.Itoa(i+1)) {
		return true
	}
	names := append([]string{schema.Spoken(f.Name)}, f.PrintedAs...)
	if t.Schema.At(p) == nil {
		names = append(names, p.Last())
	}
	for _, name := range names {
		if name != "" && strings.Contains(" "+strings.Join(words, " ")+" ", " "+strings.ToLower(name)+" ") {
			return true
		}
	}
	return false
}

// takesBack tells whether the sentence of the words says that something no longer
// counts: a word of removal in any language, one that the list declares, or, of a
// value, one that denies it.
func (t *turn) takesBack(list *schema.Field, isItem bool) bool {
	sentence := t.Index.Sentence(t.span[0], t.span[1])
	words := lang.Removal.Words()
	if isItem {
		words = append(words[:len(words):len(words)], list.RemovedAs...)
	} else {
		words = append(append(words[:len(words):len(words)], lang.Not.Words()...), lang.Unstated.Words()...)
	}
	within := evidence.NewIndex(sentence)
	for _, w := range words {
		if _, stands := within.Words(w); stands {
			return true
		}
	}
	return false
}

// drop takes out the items that go, the last first, and moves the places of
// those behind them up.
func (t *turn) drop() {
	slices.SortFunc(t.gone, func(a, b value.Pointer) int {
		i, _ := value.ArrayIndex(a.Last())
		j, _ := value.ArrayIndex(b.Last())
		return j - i
	})
	for _, p := range slices.Compact(t.gone) {
		list, i := t.Record.At(p.Parent()), 0
		if i, _ = value.ArrayIndex(p.Last()); list == nil || i >= len(list.Kids) {
			continue
		}
		list.Kids = slices.Delete(list.Kids, i, i+1)
		moved := evidence.Places{}
		for q, place := range t.Places {
			if to, left := without(q, p.Parent(), i); left {
				moved[to] = place
			}
		}
		t.Places = moved
	}
}

// without gives where a path leads once an item of a list is gone; false where
// it led to that item.
func without(q, list value.Pointer, i int) (value.Pointer, bool) {
	if q == list || !q.Within(list) {
		return q, true
	}
	steps := value.Pointer(q[len(list):]).Steps()
	n, _ := value.ArrayIndex(steps[0])
	if n == i {
		return "", false
	}
	if n < i {
		return q, true
	}
	to := list.Index(n - 1)
	for _, s := range steps[1:] {
		to = to.Key(s)
	}
	return to, true
}
