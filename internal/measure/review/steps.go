package review

import (
	"slices"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
)

// step is one decision with what it changed, so that it can be undone. Trees share
// what they have in common: a thousand steps cost little more than one.
type step struct {
	at      Point
	was, is value.Value
	marks   []mark
	places  []placed
	risk    *[2]map[value.Pointer]float64 // before and after, of a step that moves items
	list    value.Pointer                 // whose items it moves
	to      []int                         // where each of them is then; -1 for gone
}

type mark struct {
	key     string
	was, is string
	note    bool // of a note, else of a verdict
}

type placed struct {
	at      value.Pointer
	was, is evidence.Place
	had     bool
	has     bool
}

// begin opens a step.
func (sh *Sheet) begin(at Point) { sh.now = &step{at: at, was: sh.Record} }

// end closes a step, looks at the record again where it changed, and keeps it for undo.
func (sh *Sheet) end() {
	s := sh.now
	sh.now = nil
	s.is = sh.Record
	if !value.Equal(&s.was, &s.is) {
		sh.see()
	}
	sh.past, sh.future = append(sh.past, *s), nil
}

func (sh *Sheet) setVerdict(key string, v Verdict) {
	sh.now.marks = append(sh.now.marks, mark{key: key, was: string(sh.Made[key]), is: string(v)})
	putOrDrop(&sh.Made, key, v)
}

func (sh *Sheet) setNote(key, note string) {
	sh.now.marks = append(sh.now.marks, mark{key: key, note: true, was: sh.Notes[key], is: note})
	putOrDrop(&sh.Notes, key, note)
}

// put writes a mark down as it was, or is.
func (sh *Sheet) put(m mark, text string) {
	if m.note {
		putOrDrop(&sh.Notes, m.key, text)
		return
	}
	putOrDrop(&sh.Made, m.key, Verdict(text))
}

// putOrDrop puts a text under a key; an empty one drops the key.
func putOrDrop[T ~string](all *map[string]T, key string, text T) {
	switch {
	case text == "":
		delete(*all, key)
	case *all == nil:
		*all = map[string]T{key: text}
	default:
		(*all)[key] = text
	}
}

func (sh *Sheet) setPlace(at value.Pointer, place evidence.Place, has bool) {
	was, had := sh.Places[at]
	sh.now.places = append(sh.now.places, placed{at: at, was: was, is: place, had: had, has: has})
	sh.putPlace(at, place, has)
}

func (sh *Sheet) putPlace(at value.Pointer, place evidence.Place, has bool) {
	if !has {
		delete(sh.Places, at)
		return
	}
	sh.Places[at] = place
}

// setValue puts a value into the record; what is not on the way stays as it is, shared
// with the record before.
func (sh *Sheet) setValue(p value.Pointer, to value.Value) {
	sh.Record = with(sh.Record, p.Steps(), to)
}

// with gives a tree with another value in one place.
func with(v value.Value, steps []string, to value.Value) value.Value {
	if len(steps) == 0 {
		return to.Named(v.Name)
	}
	out := v
	out.Kids = slices.Clone(v.Kids)
	if i, ok := value.ArrayIndex(steps[0]); ok && v.Kind == value.Array && i < len(out.Kids) {
		out.Kids[i] = with(out.Kids[i], steps[1:], to)
		return out
	}
	if out.Kind != value.Object {
		out = value.Obj().Named(v.Name)
	}
	for i := range out.Kids {
		if out.Kids[i].Name == steps[0] {
			out.Kids[i] = with(out.Kids[i], steps[1:], to)
			return out
		}
	}
	out.Kids = append(out.Kids, with(value.Value{Name: steps[0]}, steps[1:], to))
	return out
}

// Undo takes the last decision back, and says what it was about; false where there is
// none.
func (sh *Sheet) Undo() (Point, bool) {
	if len(sh.past) == 0 {
		return Point{}, false
	}
	s := sh.past[len(sh.past)-1]
	sh.past, sh.future = sh.past[:len(sh.past)-1], append(sh.future, s)
	for _, m := range slices.Backward(s.marks) {
		sh.put(m, m.was)
	}
	for _, p := range slices.Backward(s.places) {
		sh.putPlace(p.at, p.was, p.had)
	}
	if s.risk != nil {
		sh.Risk = s.risk[0]
	}
	sh.Record = s.was
	sh.see()
	return s.at, true
}

// Redo makes the decision again that was undone last.
func (sh *Sheet) Redo() (Point, bool) {
	if len(sh.future) == 0 {
		return Point{}, false
	}
	s := sh.future[len(sh.future)-1]
	sh.past, sh.future = append(sh.past, s), sh.future[:len(sh.future)-1]
	for _, m := range s.marks {
		sh.put(m, m.is)
	}
	for _, p := range s.places {
		sh.putPlace(p.at, p.is, p.has)
	}
	if s.risk != nil {
		sh.Risk = s.risk[1]
	}
	sh.Record = s.is
	sh.see()
	return s.at, true
}
