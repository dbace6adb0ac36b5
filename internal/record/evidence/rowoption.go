package evidence

import (
	"slices"
	"strings"

	"filler/internal/schema"
)

// optionsOfRows notes the choices of items whose own row has a cell, or a label before its words, that is
// another option, and none that is theirs: crew for | D. Vance | PILOT |.
func (w *weigher) optionsOfRows(h *homes) {
	for i, it := range h.list {
		if !h.own(i) {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.fixed != nil || l.f.Kin().Type != schema.Choice || l.f.Concludes || at.Found() && at.Line-1 == h.at[i] || at.Opposed > 0 {
				continue
			}
			if s := w.otherInRow(it, l, h.at[i]); s.End > 0 {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: h.at[i] + 1, Says: s}
			}
		}
	}
}

// otherInRow gives the one cell of an item's line that is another option of a choice than its value, and
// that nothing else of the item was read from.
func (w *weigher) otherInRow(it *item, l *leaf, line int) (found span) {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine {
		return span{}
	}
	cells := cellsIn(row)
	if i := strings.Index(row, ": "); i > 0 && len(cells) < 2 {
		first := len(row) - len(strings.TrimLeft(row, " \t*•·–-"))
		cells = [][2]int{{min(first, i), i}}
	} else if len(cells) < 2 {
		return span{}
	}
	own := strings.Trim(l.value, `"`)
	for _, c := range cells {
		s := between(start+c[0], start+c[1])
		said := w.ix.Source[s.Start:s.End]
		option := optionCalled(l.f.Kin(), said)
		if i := strings.IndexAny(said, ",;(0123456789"); option == "" && i > 0 { // Mooring 1–30 June; berth, 5 nights
			option, s.End = optionCalled(l.f.Kin(), said[:i]), s.Start+len(strings.TrimRight(said[:i], " "))
		}
		switch {
		case option == "":
		case option == own || found.End > 0:
			return span{}
		case w.isRead(it, s):
		default:
			found = s
		}
	}
	return found
}

// isRead tells whether a value of an item was read from a place.
func (w *weigher) isRead(it *item, s span) bool {
	return slices.ContainsFunc(it.leaves, func(l *leaf) bool {
		at := w.places[l.path]
		return at.Found() && at.Start < s.End && s.Start < at.End
	})
}

// optionCalled gives the one option that some words are called by; "" for none, and for words of two letters,
// which may be of anything.
func optionCalled(f *schema.Field, said string) (option string) {
	called := folded(said)
	if letters(called) <= 2 {
		return ""
	}
	for _, o := range f.Of {
		if slices.ContainsFunc(append([]string{schema.Spoken(o.Value)}, o.Also...), func(name string) bool { return folded(name) == called }) {
			if option != "" {
				return ""
			}
			option = o.Value
		}
	}
	return option
}
