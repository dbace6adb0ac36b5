package evidence

import (
	"maps"
	"slices"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// What contests a choice or a boolean of an item by the others of its kind: in the lines of all of
// which it is true stands one mark, (hand) or PB, that stands in none of the others' lines, and
// with this one it is the other way.

// fewestMarked is of how many items at least a mark has to be there, and of how many not.
const fewestMarked = 2

// mostItems is how many items are held against each other.
const mostItems = 300

// marked are the items that have one field, with what their lines say that no value came from.
type marked struct {
	items  []value.Pointer
	values []string
	marks  []map[string]span // by the word
	all    []string          // the words, in order
}

// markedBy gives the items of a field.
func (l *leaving) markedBy(f *schema.Field) *marked {
	if m, known := l.marked[f]; known {
		return m
	}
	m := &marked{}
	l.leavesOf(l.s.Root, "", l.record, func(of *schema.Field, p value.Pointer, v *value.Value) {
		if of != f || v == nil || v.Kind == value.Null || len(m.items) > mostItems {
			return
		}
		item := l.itemOf(p)
		if item == "" {
			return
		}
		m.items, m.values = append(m.items, p), append(m.values, v.Text)
		m.marks = append(m.marks, l.marksOf(item))
	})
	if len(m.items) > mostItems {
		m = &marked{}
	}
	if l.marked == nil {
		l.marked = map[*schema.Field]*marked{}
	}
	l.marked[f] = m
	return m
}

// marksOf gives the words in the lines of an item that no value came from.
func (l *leaving) marksOf(item value.Pointer) map[string]span {
	found := map[string]span{}
	ix := l.w.ix
	for _, region := range l.regions(item) {
		for i := ix.TokenAt(region.Start); i < len(ix.Tokens) && ix.Tokens[i].Start < region.End; i++ {
			t := ix.Tokens[i]
			if _, known := found[t.Word]; !known && letters(t.Word) > 0 && !l.isClaimed(t.Span) {
				found[t.Word] = t.Span
			}
		}
	}
	return found
}

// unlikeOthers gives where an item has the mark of those that have another value, or, of a boolean,
// the line that lacks the mark of its own value; nothing where some mark goes with what it says.
func (l *leaving) unlikeOthers(f *schema.Field, p value.Pointer, v *value.Value) (found []leftover, says string) {
	m := l.markedBy(f)
	own := slices.Index(m.items, p)
	if own < 0 || len(m.items) < 2*fewestMarked+1 {
		return nil, ""
	}
	if regions := l.regions(l.itemOf(p)); f.Type == schema.Boolean && len(regions) > 0 && l.isSaidOfOthers(m, own) {
		return []leftover{{span: regions[0]}}, map[string]string{"true": "false", "false": "true"}[v.Text]
	}
	values := slices.Clone(m.values)
	slices.Sort(values)
	lacks := false
	for _, of := range slices.Compact(values) {
		for _, word := range m.words() {
			is, fits := m.tells(word, of, own)
			at, has := m.marks[own][word]
			switch {
			case is && fits && (of == v.Text || f.Type == schema.Boolean):
				return nil, ""
			case is && has && !fits && found == nil:
				found, says = []leftover{{span: at}}, of
			case is && !has && !fits:
				lacks = true
			}
		}
	}
	if regions := l.regions(l.itemOf(p)); found == nil && lacks && f.Type == schema.Boolean && len(regions) > 0 {
		return []leftover{{span: regions[0]}}, map[string]string{"true": "false", "false": "true"}[v.Text]
	}
	return found, says
}

// isSaidOfOthers tells whether the lines of all other items of which the same is true say so, and those of the rest
// say nothing: "not insured" where it is so.
func (l *leaving) isSaidOfOthers(m *marked, own int) bool {
	said, silent := 0, 0
	for i, p := range m.items {
		switch {
		case i == own:
		case l.places[p].Found() != (m.values[i] == m.values[own]):
			return false
		case l.places[p].Found():
			said++
		default:
			silent++
		}
	}
	return said >= fewestMarked && silent >= fewestMarked
}

// words gives the words that some items have and others have not, in order.
func (m *marked) words() []string {
	if m.all == nil {
		count := map[string]int{}
		for _, marks := range m.marks {
			for word := range marks {
				count[word]++
			}
		}
		m.all = []string{}
		for _, word := range slices.Sorted(maps.Keys(count)) {
			if n := count[word]; n >= fewestMarked && n <= len(m.items)-fewestMarked+1 {
				m.all = append(m.all, word)
			}
		}
	}
	return m.all
}

// tells tells whether a word stands in the lines of all other items with a value and in those of no
// other, and whether it does so with the one item, too.
func (m *marked) tells(word, of string, own int) (is, fits bool) {
	with, without := 0, 0
	for i := range m.items {
		if i == own {
			continue
		}
		_, has := m.marks[i][word]
		if has != (m.values[i] == of) {
			return false, false
		}
		if has {
			with++
		} else {
			without++
		}
	}
	_, has := m.marks[own][word]
	return with >= fewestMarked && without >= fewestMarked, has == (m.values[own] == of)
}
