package evidence

import (
	"slices"
	"sort"
	"strings"

	"filler/internal/schema"
)

// Items that run over several lines, the first of which begins with what the item is called, and no
// empty line between them.

// blocksOf gives the blocks of lines of a list's items, from what each is called to the next; nil where they are no
// such blocks: each begins alike, and most have values in two lines at least.
func (w *weigher) blocksOf(h *homes) units {
	if len(h.list) < 2 {
		return nil
	}
	var starts []int
	first, like := "", true
	for i, it := range h.list {
		line, before := w.nameLine(it)
		if line < 0 {
			return nil
		}
		if i == 0 {
			first = before
		}
		starts, like = append(starts, line), like && before == first
	}
	sorted := slices.Sorted(slices.Values(starts))
	if !like || len(slices.Compact(slices.Clone(sorted))) < len(sorted) {
		return nil
	}
	last, longest := len(sorted)-1, 1
	for i := range last {
		longest = max(longest, sorted[i+1]-sorted[i])
	}
	for line := sorted[last] + 1; line < min(sorted[last]+longest, len(w.ix.Breaks)+1); line++ { // the last one ends at an empty line
		if row, _, _ := w.ix.rowAt(line); blank(row) {
			longest = line - sorted[last]
		}
	}
	in := func(at int) int {
		line := w.ix.LineOf(at)
		i := sort.SearchInts(sorted, line+1) - 1
		if i < 0 || i == last && line >= sorted[i]+longest {
			return -1
		}
		return sorted[i]
	}
	seen, several := map[int]int{}, map[int]bool{} // of each block a line with a value, and whether others have one
	for _, it := range h.list {
		it.all(1, func(l *leaf, _ float64) {
			if at := w.places[l.path]; at.Found() && !at.Basis {
				block := in(at.Start)
				if line, known := seen[block]; known && line != at.Line && block >= 0 {
					several[block] = true
				}
				seen[block] = at.Line
			}
		})
	}
	if 2*len(several) <= len(h.list) {
		return nil
	}
	return in
}

// inOwnBlocks takes their places from booleans and choices that stand in the block of another item, or nowhere, while
// their own says otherwise behind a label of theirs, pilot N, or has another option.
func (w *weigher) inOwnBlocks(h *homes) {
	in := w.blocksOf(h)
	if in == nil || !w.areApart(h, in, 1) {
		return
	}
	says := map[optionsOf]map[int]span{} // of each value the first words that say another in each block
	for _, it := range h.list {
		own, _ := w.homeBeside(it, nil, in)
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.fixed != nil || l.f.List != nil || at.Found() && (at.Basis || in(at.Start) == own) {
				continue
			}
			key := optionsOf{l.f, l.value, false}
			if says[key] == nil {
				says[key] = w.othersByBlock(l, in)
			}
			s := says[key][own]
			if s.End == 0 && l.f.Kin().Type == schema.Choice && at.Found() && in(at.Start) >= 0 { // skip, of the next one, while its own has drum
				s = w.optionIn(it, l, own, in)
			}
			if s.End > 0 {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1, Says: s}
			}
		}
	}
}

// othersByBlock gives the first words in each block that say another value of a boolean or a choice behind its label.
func (w *weigher) othersByBlock(l *leaf, in units) map[int]span {
	var others []span
	switch l.f.Kin().Type {
	case schema.Boolean:
		others = w.yesOrNo(l.f.Kin(), l.value != "true", false)
	case schema.Choice:
		others = w.optionSpans(l, false)
	}
	first := map[int]span{}
	for _, s := range others {
		if at := in(s.Start); first[at].End == 0 && w.led(l.f, s) {
			first[at] = s
		}
	}
	return first
}

// nameOf gives what an item is called, its key or its first text, where that has a place; nil for none.
func (w *weigher) nameOf(it *item) *leaf {
	for _, l := range it.leaves {
		if _, isKey := w.heads[l.f]; isKey || l.f.Kin().Type == schema.Text {
			if at := w.places[l.path]; !at.Found() || at.Basis {
				return nil
			}
			return l
		}
	}
	return nil
}

// nameLine gives the line that an item's name stands in, and the letters before it in that line, the mark or number of a
// list left out; -1 where it stands nowhere or behind another value of the item.
func (w *weigher) nameLine(it *item) (line int, before string) {
	l := w.nameOf(it)
	if l == nil {
		return -1, ""
	}
	at := w.places[l.path]
	_, start, _ := w.ix.rowAt(at.Line - 1)
	if slices.ContainsFunc(it.leaves, func(other *leaf) bool {
		there := w.places[other.path]
		return other != l && there.Found() && !there.Basis && there.Line == at.Line && there.Start < at.Start
	}) {
		return -1, ""
	}
	said := listMark.ReplaceAllString(w.ix.Source[start:max(start, at.Start)], "")
	return at.Line - 1, strings.Trim(said, " \t|*-•·–>#.()")
}
