package review

import (
	"errors"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// listOf gives the list that a path lies in, the one nearest to it, and the index of
// its item; -1 for a path that is a list itself.
func (sh *Sheet) listOf(p value.Pointer) (list value.Pointer, index int, ok bool) {
	if f := sh.Schema.At(p); f != nil && f.Type == schema.List && f.Item.Type == schema.Group {
		return p, -1, true
	}
	for at := p; at != ""; at = at.Parent() {
		f := sh.Schema.At(at.Parent())
		if i, isIndex := value.ArrayIndex(at.Last()); isIndex && f != nil && f.Type == schema.List && f.Item.Type == schema.Group {
			return at.Parent(), i, true
		}
	}
	return "", 0, false
}

// ItemOf gives the item that a path lies in, the nearest; false where it lies in none.
func (sh *Sheet) ItemOf(p value.Pointer) (value.Pointer, bool) {
	list, i, ok := sh.listOf(p)
	if !ok || i < 0 {
		return "", false
	}
	return list.Index(i), true
}

var errNoItem = errors.New("this is in no list; only items of lists can be added, removed, moved, split and merged")

// empty gives a field without a value.
func empty(f *schema.Field) value.Value {
	switch f.Type {
	case schema.List:
		return value.List()
	case schema.Group:
		v := value.Obj()
		for _, kid := range f.Fields {
			v.Kids = append(v.Kids, empty(kid).Named(kid.Name))
		}
		return v
	}
	return value.Value{}
}

// Add puts an empty item behind the one that a path lies in, or at the end of a list. It
// gives the new item.
func (sh *Sheet) Add(p value.Pointer) (value.Pointer, error) {
	list, i, ok := sh.listOf(p)
	if !ok {
		return "", errNoItem
	}
	if i < 0 {
		i = sh.count(list) - 1
	}
	sh.rearrange(list, Point{Kind: OfItem, Path: list.Index(i + 1)}, func(kids []value.Value) ([]value.Value, []int) {
		kids = slices.Insert(slices.Clone(kids), i+1, empty(sh.Schema.At(list).Item))
		return kids, where(len(kids), func(old int) int {
			if old > i {
				return old + 1
			}
			return old
		})
	})
	return list.Index(i + 1), nil
}

// count gives how many items a list has.
func (sh *Sheet) count(list value.Pointer) int {
	if v := sh.Record.At(list); v != nil {
		return len(v.Kids)
	}
	return 0
}

// Remove takes out the item that a path lies in, or a field that the schema has not.
func (sh *Sheet) Remove(p value.Pointer) error {
	if at := sh.Record.At(p.Parent()); p != "" && sh.Schema.At(p) == nil && at != nil && at.Kind == value.Object {
		sh.begin(Point{Kind: OfItem, Path: p})
		left := *at
		left.Kids = slices.DeleteFunc(slices.Clone(at.Kids), func(kid value.Value) bool { return kid.Name == p.Last() })
		sh.setValue(p.Parent(), left)
		sh.setVerdict(string(p), "")
		sh.end()
		return nil
	}
	list, i, ok := sh.listOf(p)
	if !ok || i < 0 {
		return errNoItem
	}
	sh.rearrange(list, Point{Kind: OfItem, Path: list.Index(i)}, func(kids []value.Value) ([]value.Value, []int) {
		return slices.Delete(slices.Clone(kids), i, i+1), where(len(kids), func(old int) int {
			switch {
			case old == i:
				return -1
			case old > i:
				return old - 1
			}
			return old
		})
	})
	return nil
}

// Shift moves the item that a path lies in by so many places. It gives where it is now.
func (sh *Sheet) Shift(p value.Pointer, by int) (value.Pointer, error) {
	list, i, ok := sh.listOf(p)
	if !ok || i < 0 {
		return "", errNoItem
	}
	to := i + by
	if to < 0 || to >= sh.count(list) {
		return "", errors.New("there is no place for it there")
	}
	sh.rearrange(list, Point{Kind: OfItem, Path: list.Index(to)}, func(kids []value.Value) ([]value.Value, []int) {
		out := slices.Delete(slices.Clone(kids), i, i+1)
		out = slices.Insert(out, to, kids[i])
		return out, where(len(kids), func(old int) int {
			switch {
			case old == i:
				return to
			case i < to && old > i && old <= to:
				return old - 1
			case to < i && old >= to && old < i:
				return old + 1
			}
			return old
		})
	})
	return list.Index(to), nil
}

// Split makes two of the item that a path lies in: the second is the same, and all of
// both is open.
func (sh *Sheet) Split(p value.Pointer) (value.Pointer, error) {
	list, i, ok := sh.listOf(p)
	if !ok || i < 0 {
		return "", errNoItem
	}
	sh.rearrange(list, Point{Kind: OfItem, Path: list.Index(i)}, func(kids []value.Value) ([]value.Value, []int) {
		out := slices.Insert(slices.Clone(kids), i+1, kids[i].Clone())
		return out, where(len(kids), func(old int) int {
			switch {
			case old == i:
				return -1
			case old > i:
				return old + 1
			}
			return old
		})
	})
	return list.Index(i + 1), nil
}

// Merge makes one of the item that a path lies in and the next: what the first has not
// is the second's, lists are joined, and what the two say differently stays the first's
// and is open.
func (sh *Sheet) Merge(p value.Pointer) (value.Pointer, error) {
	list, i, ok := sh.listOf(p)
	if !ok || i < 0 {
		return "", errNoItem
	}
	if i+1 >= sh.count(list) {
		return "", errors.New("there is no item behind it to merge it with")
	}
	first, second := list.Index(i), list.Index(i+1)
	var differ []value.Pointer
	a, b := sh.Record.At(first), sh.Record.At(second)
	for j := range a.Kids {
		if other := b.Get(a.Kids[j].Name); other != nil && !value.Equal(&a.Kids[j], other) && !other.Empty() {
			differ = append(differ, first.Key(a.Kids[j].Name))
		}
	}
	sh.rearrange(list, Point{Kind: OfItem, Path: first}, func(kids []value.Value) ([]value.Value, []int) {
		out := slices.Delete(slices.Clone(kids), i+1, i+2)
		out[i] = merged(kids[i], kids[i+1])
		return out, where(len(kids), func(old int) int {
			switch {
			case old == i+1:
				return -1
			case old > i:
				return old - 1
			}
			return old
		})
	}, differ...)
	return first, nil
}

func merged(a, b value.Value) value.Value {
	switch {
	case a.Empty():
		return b.Named(a.Name)
	case a.Kind == value.Array && b.Kind == value.Array:
		out := a
		out.Kids = append(slices.Clone(a.Kids), b.Kids...)
		return out
	case a.Kind == value.Object && b.Kind == value.Object && a.Get("amount") == nil:
		out := a
		out.Kids = slices.Clone(a.Kids)
		for i := range out.Kids {
			if other := b.Get(out.Kids[i].Name); other != nil {
				out.Kids[i] = merged(out.Kids[i], *other)
			}
		}
		return out
	}
	return a
}

// where gives for each of n items the index that it has then; -1 for none.
func where(n int, then func(old int) int) []int {
	to := make([]int, n)
	for i := range to {
		to[i] = then(i)
	}
	return to
}

// rearrange changes the items of a list, and has verdicts, notes and places go with
// theirs. What is named as open is decided again.
func (sh *Sheet) rearrange(list value.Pointer, at Point, change func(kids []value.Value) (now []value.Value, to []int), open ...value.Pointer) {
	sh.begin(at)
	var kids []value.Value
	if v := sh.Record.At(list); v != nil {
		kids = v.Kids
	}
	items, to := change(kids)
	sh.now.list, sh.now.to = list, to
	sh.setValue(list, value.List(items...))
	moved := func(p value.Pointer) (value.Pointer, bool) { return moved(list, p, to) }
	verdicts, notes, places := map[string]Verdict{}, map[string]string{}, evidence.Places{}
	for key, v := range sh.Made {
		if now, ok := moved(value.Pointer(key)); ok && now != "" {
			verdicts[string(now)] = v
		}
		if _, ok := moved(value.Pointer(key)); ok {
			sh.setVerdict(key, "")
		}
	}
	for key, note := range sh.Notes {
		if now, ok := moved(value.Pointer(key)); ok {
			if now != "" {
				notes[string(now)] = note
			}
			sh.setNote(key, "")
		}
	}
	for p, place := range sh.Places {
		if now, ok := moved(p); ok {
			if now != "" {
				places[now] = place
			}
			sh.setPlace(p, evidence.Place{}, false)
		}
	}
	for key, v := range verdicts {
		sh.setVerdict(key, v)
	}
	for key, note := range notes {
		sh.setNote(key, note)
	}
	for p, place := range places {
		sh.setPlace(p, place, true)
	}
	for _, p := range open {
		sh.setVerdict(string(p), "")
	}
	risk := map[value.Pointer]float64{}
	for p, r := range sh.Risk {
		if now, ok := moved(p); !ok {
			risk[p] = r
		} else if now != "" {
			risk[now] = r
		}
	}
	sh.now.risk = &[2]map[value.Pointer]float64{sh.Risk, risk}
	sh.Risk = risk
	if sh.Index != nil {
		for p, place := range evidence.Full(sh.Schema, &sh.Record, sh.Index, sh.Places) {
			if _, known := sh.Places[p]; !known {
				sh.setPlace(p, place, true)
			}
		}
	}
	sh.end()
}

// moved gives where a path below a list lies after its items were moved; "" where its
// item is gone, false where it lies elsewhere.
func moved(list, p value.Pointer, to []int) (value.Pointer, bool) {
	if !p.Within(list) || p == list {
		return "", false
	}
	rest := string(p[len(list)+1:])
	step, below, deeper := strings.Cut(rest, "/")
	i, ok := value.ArrayIndex(step)
	if !ok || i >= len(to) {
		return "", false
	}
	if to[i] < 0 {
		return "", true
	}
	now := list.Index(to[i])
	if deeper {
		now += value.Pointer("/" + below)
	}
	return now, true
}
