package evidence

import (
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Numbers that stand right beside the names of their items, as shirts and counts do: 5 Osei, chairs (4), Adeyi x3.

var (
	figureBefore = lazy.New(`(?:^|[\s(,;:|])(\d{1,4})[.)]? ?$`)
	figureBehind = lazy.New(`^ ?(?:\(?[x×*] ?|\()(\d{1,4})(?:\)|[\s,;.]|$)`)
)

// mostBeside is how far from a name such a figure is looked for, in bytes.
const mostBeside = 8

// fewestBeside is of how many items of a list the number stands beside the name at least, and oddBeside how many times as
// many as those of which another does.
const (
	fewestBeside = 3
	oddBeside    = 3
)

// besideNames places such numbers, and those behind an initial, and takes their places from those of the items that have another figure
// there.
func (w *weigher) besideNames() {
	by := w.itemsByList()
	for _, list := range slices.Sorted(maps.Keys(by)) {
		if len(by[list]) < fewestBeside {
			continue
		}
		for _, f := range fieldsIn(&homes{list: by[list]}, func(f *schema.Field) bool { return f.Type == schema.Integer && f.List == nil }) {
			for _, behind := range []bool{false, true} {
				w.standsAt(by[list], f, func(it *item) span {
					name := w.nameOf(it)
					if name == nil || w.places[name.path].Rivals > 0 {
						return span{}
					}
					return w.figureBeside(w.places[name.path], behind)
				})
			}
			if at := w.itemsAtHome(by[list]); len(at) >= fewestBeside {
				w.standsAt(by[list], f, func(it *item) span { return w.numberedIn(f, at[it]) })
			}
		}
	}
}

// itemsAtHome gives the items that have a line to themselves, with it, from 1.
func (w *weigher) itemsAtHome(items []*item) map[*item]int {
	h, at := w.homesOf(items), map[*item]int{}
	for i, it := range items {
		if h.own(i) {
			at[it] = h.at[i] + 1
		}
	}
	return at
}

// numberedIn gives the number of the one word of a line, from 1, that is the first letter of a field's name with a number
// behind it, as T4; an empty place for none or several.
func (w *weigher) numberedIn(f *schema.Field, line int) (found span) {
	if line < 1 {
		return span{}
	}
	row := w.ix.LineSpan(line - 1)
	initials := initialsOf(f)
	for i := w.ix.TokenAt(row.Start); i < len(w.ix.Tokens) && w.ix.Tokens[i].End <= row.End; i++ {
		t := w.ix.Tokens[i].Span
		first, size := utf8.DecodeRuneInString(w.ix.Source[t.Start:t.End])
		number := w.ix.Source[t.Start+size : t.End]
		if number == "" || strings.Trim(number, "0123456789") != "" || !unicode.IsUpper(first) || !slices.Contains(initials, string(unicode.ToLower(first))) {
			continue
		}
		if found.End > 0 {
			return span{}
		}
		found = between(t.Start+size, t.End)
	}
	return found
}

// standsAt holds the numbers of items against the figures in their places, where most are those.
func (w *weigher) standsAt(items []*item, f *schema.Field, at func(*item) span) {
	right, odd := map[*leaf]span{}, map[*leaf]span{}
	for _, it := range items {
		l := leafOf(it, f)
		if l == nil {
			continue
		}
		s := at(it)
		if s.End == 0 {
			continue
		}
		if value.EqualNumbers(w.ix.Source[s.Start:s.End], l.value) {
			right[l] = s
		} else {
			odd[l] = s
		}
	}
	if len(right) < fewestBeside || len(right) < oddBeside*len(odd) {
		return
	}
	for l, s := range right {
		if l.fixed == nil {
			w.restate(l, s)
		}
	}
	for l, s := range odd {
		if l.fixed == nil {
			w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1, Says: s}
		}
	}
}

// figureBeside gives the figure right before or behind a name; an empty place for none.
func (w *weigher) figureBeside(name Place, behind bool) span {
	source := w.ix.Source
	if !behind {
		from := max(0, name.Start-mostBeside)
		if m := figureBefore.FindStringSubmatchIndex(source[from:name.Start]); m != nil {
			return between(from+m[2], from+m[3])
		}
		return span{}
	}
	if m := figureBehind.FindStringSubmatchIndex(source[name.End:min(len(source), name.End+mostBeside)]); m != nil {
		return between(name.End+m[2], name.End+m[3])
	}
	return span{}
}
