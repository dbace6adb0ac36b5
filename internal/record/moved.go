package record

import (
	"strconv"

	"filler/internal/base/value"
)

// moves say where the parts of a record stand after a patch that takes items
// out of lists, or puts some in: indices mean the record as it was sent.
type moves map[value.Pointer]*shift

// shift is what happens to the items of one list.
type shift struct{ gone, put map[int]bool }

func (m moves) of(list value.Pointer) *shift {
	if m[list] == nil {
		m[list] = &shift{map[int]bool{}, map[int]bool{}}
	}
	return m[list]
}

// movesOf reads them off the operations. An item that is set to null goes like
// one that is removed, since a list has no empty items.
func movesOf(record *value.Value, ops []operation) moves {
	m := moves{}
	item := func(p value.Pointer) (list value.Pointer, i int, ok bool) {
		parent := record.At(p.Parent())
		if p == "" || parent == nil || parent.Kind != value.Array {
			return "", 0, false
		}
		i, ok = value.ArrayIndex(p.Last())
		return p.Parent(), i, ok
	}
	for _, o := range ops {
		if list, i, ok := item(o.path); ok {
			switch {
			case o.op == "remove" || o.op == "replace" && o.null:
				m.of(list).gone[i] = true
			case o.op == "add" || o.op == "copy" || o.op == "move":
				m.of(list).put[i] = true
			}
		}
		if list, i, ok := item(o.from); ok && o.op == "move" {
			m.of(list).gone[i] = true
		}
	}
	return m
}

// after gives where a part stands after the patch, and false where it is gone.
func (m moves) after(p value.Pointer) (value.Pointer, bool) {
	if len(m) == 0 {
		return p, true
	}
	var was, now value.Pointer
	for _, step := range p.Steps() {
		list := m[was]
		was = was.Key(step)
		if i, ok := value.ArrayIndex(step); ok && list != nil {
			if list.gone[i] {
				return "", false
			}
			at := i
			for j := range list.gone {
				if j < i {
					at--
				}
			}
			for j := range list.put {
				if j <= i {
					at++
				}
			}
			step = strconv.Itoa(at)
		}
		now = now.Key(step)
	}
	return now, true
}

// problems gives problems where they stand after the patch, without those of
// parts that are gone.
func (m moves) problems(before []Problem) []Problem {
	if len(m) == 0 {
		return before
	}
	out := make([]Problem, 0, len(before))
	for _, p := range before {
		if at, ok := m.after(p.Path); ok {
			p.Path = at
			out = append(out, p)
		}
	}
	return out
}
