package review

import (
	"slices"
	"strconv"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// HomeOf gives the line of the source, from 0, around which a value is looked for: where
// it stands, or the other values of its item do.
func (sh *Sheet) HomeOf(p value.Pointer) int {
	return min(sh.home(p), len(sh.Index.Breaks)) // a draft may know places of a longer text
}

func (sh *Sheet) home(p value.Pointer) int {
	if places := sh.PlacesOf(p); len(places) > 0 {
		return places[0].Line - 1
	}
	for at := p; at != ""; at = at.Parent() {
		if line, found := sh.beside(at); found {
			return line
		}
	}
	return 0
}

// isPlaced tells whether a value of an item that was looked at stands in a line.
func (sh *Sheet) isPlaced(item value.Pointer, line int) bool {
	for at, place := range sh.Places {
		if at.Within(item) && place.Found() && place.Line-1 == line {
			if v := sh.Made[string(at)]; v != "" && v != Unsure {
				return true
			}
		}
	}
	return false
}

// beside gives the line of what stands nearest to a field or an item in the order of its
// group or list: documents mostly follow it.
func (sh *Sheet) beside(p value.Pointer) (line int, found bool) {
	top := p.Parent()
	f := sh.Schema.At(top)
	if f == nil {
		return 0, false
	}
	var names []string
	switch f.Type {
	case schema.Group:
		for _, kid := range f.Fields {
			names = append(names, kid.Name)
		}
	case schema.List:
		for i := range sh.count(top) {
			names = append(names, strconv.Itoa(i))
		}
	}
	own := slices.Index(names, p.Last())
	for by := 1; by < len(names); by++ {
		if i := own - by; i >= 0 {
			if _, last, found := sh.linesOf(top.Key(names[i])); found {
				return last, true
			}
		}
		if i := own + by; i < len(names) {
			if first, _, found := sh.linesOf(top.Key(names[i])); found {
				return first, true
			}
		}
	}
	return 0, false
}

// linesOf gives the first and the last line, from 0, in which a value below a path
// stands.
func (sh *Sheet) linesOf(top value.Pointer) (first, last int, found bool) {
	for at, place := range sh.Places {
		if !place.Found() || !at.Within(top) {
			continue
		}
		if !found || place.Line-1 < first {
			first = place.Line - 1
		}
		last, found = max(last, place.Line-1), true
	}
	return first, last, found
}
