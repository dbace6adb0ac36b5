package evidence

import (
	"slices"
	"sort"
	"strings"

	"filler/internal/schema"
)

// Values of items in each other's places: the name of one row with the prices of the next. Nothing is left over
// then; but where the rest of an item stands, another one has its value.

// units tells by numbers which places of a document belong together: those of a paragraph, of a line, or of a part of
// a list in a sentence.
type units func(at int) int

// inRowsOfEachOther takes their places from values that stand where another item has its others, while a third one,
// or that one, has its value where their own item stands.
func (w *weigher) inRowsOfEachOther(h *homes) {
	if len(h.list) < 2 {
		return
	}
	in, ofRows := w.unitsOf(h)
	if in == nil {
		return
	}
	var taken []*leaf // of all fields, before any of them loses its place: it tells where the others' items stand
	byField := map[*schema.Field][]*leaf{}
	for _, it := range h.list {
		for _, l := range it.leaves {
			if at, t := w.places[l.path], l.f.Kin().Type; at.Found() && !at.Basis && t != schema.Boolean && t != schema.Choice && l.f.List == nil {
				byField[l.f] = append(byField[l.f], l)
			}
		}
	}
	for f, all := range byField {
		home, of, held := map[*item]int{}, map[int]*item{}, map[int]int{}
		for _, it := range h.list {
			u, _ := w.homeBeside(it, f, in)
			if home[it] = u; u < 0 {
				continue
			}
			if of[u] != nil {
				of[u] = &item{} // of several
			} else {
				of[u] = it
			}
		}
		for _, l := range all {
			held[in(w.startOf(w.places[l.path]))]++
			if f.Kin().Type == schema.Text && len(l.cands) <= maxPlaces {
				for _, c := range l.cands { // a name stands among those present as well
					held[in(c.Start)]++
				}
			}
		}
		for _, l := range all {
			u, v := home[l.item], in(w.startOf(w.places[l.path]))
			if l.fixed != nil || u < 0 || v < 0 || v == u || of[u] != l.item || held[u] == 0 || w.mayStandIn(l, u, in) {
				continue
			}
			_, n := w.homeBeside(l.item, f, in)
			if of[v] != nil && home[of[v]] == v || ofRows && of[v] == nil && n > 1 {
				taken = append(taken, l)
			}
		}
	}
	for _, l := range taken {
		w.places[l.path] = Place{Kind: l.lacking, Misplaced: w.places[l.path].Line, InParts: !ofRows}
	}
}

// mayStandIn tells whether a value has another place where its item stands.
func (w *weigher) mayStandIn(l *leaf, unit int, in units) bool {
	for _, c := range l.cands {
		if in(c.Start) == unit {
			return true
		}
	}
	return false
}

// homeBeside gives where most values of an item stand besides one field's, and how many; -1 where that is not told. Its
// own values decide, and where they are divided those of its lists, too.
func (w *weigher) homeBeside(it *item, f *schema.Field, in units) (best, n int) {
	own, whole := map[int]int{}, map[int]int{}
	it.all(1, func(l *leaf, weight float64) {
		if at := w.places[l.path]; l.f != f && at.Found() && !at.Basis && tellsItsItem(l) {
			if u := in(w.startOf(at)); u >= 0 {
				if whole[u]++; weight == 1 {
					own[u]++
				}
			}
		}
	})
	if best, n = mostIn(own); best < 0 {
		best, n = mostIn(whole)
	}
	if best < 0 && len(own) > 1 { // in two alike: where its name is
		if name := w.nameOf(it); name != nil && name.f != f {
			best, n = in(w.startOf(w.places[name.path])), 1
		}
	}
	return best, n
}

// mostIn gives where most are, and how many; -1 where that is none or several.
func mostIn(count map[int]int) (best, n int) {
	tied := false
	best = -1
	for u, c := range count {
		switch {
		case c > n:
			best, n, tied = u, c, false
		case c == n:
			tied = true
		}
	}
	if tied {
		return -1, 0
	}
	return best, n
}

// startOf gives where a place stands: a time below its day in its own line.
func (w *weigher) startOf(at Place) int {
	if line := w.lineOf(at); line != at.Line-1 {
		return w.ix.LineSpan(line).Start
	}
	return at.Start
}

// tellsItsItem tells a value that says whose row it stands in: no option, yes or no, or small number, which stand in
// others as well.
func tellsItsItem(l *leaf) bool {
	switch l.f.Kin().Type {
	case schema.Boolean, schema.Choice:
		return false
	case schema.Integer, schema.Number:
		return len(l.value) > 2
	}
	return true
}

// unitsOf gives the units of a list: stretches of sections, or rows of tables side by side, or paragraphs, or blocks of lines,
// where each item stands in one of its own, else the parts of a sentence, where each does so, else lines that are rows, else sentences,
// nil for none; and whether they are neither parts nor sentences.
func (w *weigher) unitsOf(h *homes) (in units, ofRows bool) {
	for _, in := range []units{sectionsOf(h), w.sideBySide(h)} {
		if in != nil {
			return in, true
		}
	}
	lines := w.ix.LineOf
	paragraphs := w.paragraphs()
	byParagraph := func(at int) int { return paragraphs[lines(at)] }
	if w.areApart(h, byParagraph, 1) {
		return byParagraph, true
	}
	if blocks := w.blocksOf(h); blocks != nil && w.areApart(h, blocks, 1) {
		return blocks, true
	}
	areRows := w.areRows(h)
	if w.areApart(h, lines, 1) {
		if !areRows {
			return nil, false
		}
		return lines, true
	}
	for _, sign := range []byte{';', ','} {
		if parts := w.partsBy(h, sign); parts != nil && (w.areApart(h, parts, 2) || w.areAllParts(h, parts)) {
			return parts, false
		}
	}
	if areRows {
		return lines, true
	}
	if bySentence := w.sentencesFrom(h); bySentence != nil && w.areApart(h, bySentence, 2) {
		return bySentence, false
	}
	return nil, false
}

// sentencesFrom gives the sentences in which the items of a list are named, each with those behind it up to the next;
// nil where two are named in one.
func (w *weigher) sentencesFrom(h *homes) units {
	var starts []int
	for _, it := range h.list {
		named := false
		for _, l := range it.leaves {
			if at := w.places[l.path]; l.f.Kin().Type == schema.Text && at.Found() && !at.Basis {
				starts, named = append(starts, w.ix.SentenceSpan(at.Start, at.End).Start), true
				break
			}
		}
		if !named {
			return nil
		}
	}
	sort.Ints(starts)
	if len(slices.Compact(slices.Clone(starts))) < len(starts) {
		return nil
	}
	return func(at int) int { return sort.SearchInts(starts, at+1) - 1 }
}

// areRows tells whether the lines in which the items of a list stand are theirs: rows of cells, or ones that begin
// with a value of an item.
func (w *weigher) areRows(h *homes) bool {
	begin := map[int]bool{}
	for _, it := range h.list {
		for _, l := range it.leaves {
			if at := w.places[l.path]; at.Found() {
				_, start, _ := w.ix.rowAt(at.Line - 1)
				begin[at.Line-1] = begin[at.Line-1] || at.Start-start <= mostBeforeRow || strings.TrimLeft(w.ix.Source[start:at.Start], " \t|*-•·–>") == ""
			}
		}
	}
	for _, at := range h.at {
		if at >= 0 && !begin[at] {
			if row, _, _ := w.ix.rowAt(at); len(cellsIn(row)) < 2 && !isJSON(row) {
				return false
			}
		}
	}
	return true
}

// mostBeforeRow is how many letters may stand before the first value of a row: its number.
const mostBeforeRow = 4

// areApart tells whether each item of a list has most of its values, and some, in a unit of its own.
func (w *weigher) areApart(h *homes, in units, least int) bool {
	seen := map[int]bool{}
	for _, it := range h.list {
		u, n := w.homeBeside(it, nil, in)
		if u < 0 || seen[u] || n < least {
			return false
		}
		seen[u] = true
	}
	return true
}

// areAllParts tells whether three items or more each have their name in a part of their own, and no part is left over:
// very satisfied 21%; fairly satisfied 44%; neither 15%.
func (w *weigher) areAllParts(h *homes, in units) bool {
	seen := map[int]bool{}
	for _, it := range h.list {
		name := w.nameOf(it)
		if name == nil || !w.places[name.path].Found() || len(it.lists) > 0 {
			return false
		}
		u := in(w.places[name.path].Start)
		if u < 0 || u >= len(h.list) || seen[u] {
			return false
		}
		seen[u] = true
	}
	return len(seen) > 2
}

// longestParts is how long the stretch of a document is at most that has a list in parts.
const longestParts = 4000

// partsBy parts the stretch with the values of a list at a sign outside of brackets; nil where it is too long.
func (w *weigher) partsBy(h *homes, sign byte) units {
	from, to := len(w.ix.Source), 0
	for _, it := range h.list {
		for _, l := range it.leaves {
			if at := w.places[l.path]; at.Found() && !at.Basis {
				from, to = min(from, at.Start), max(to, at.End)
			}
		}
	}
	if to-from > longestParts || to <= from {
		return nil
	}
	var ends []int
	depth := 0
	for i := from; i < to; i++ {
		switch c := w.ix.Source[i]; {
		case strings.IndexByte("([", c) >= 0:
			depth++
		case strings.IndexByte(")]", c) >= 0:
			depth--
		case c == sign && depth <= 0 && (i+1 >= to || w.ix.Source[i+1] == ' ' || w.ix.Source[i+1] == '\n'):
			ends = append(ends, i)
		}
	}
	if len(ends) > 0 { // a part is no longer than its sentence
		for at := w.ix.SentenceSpan(from, from).End; at < to; at = max(at+1, w.ix.SentenceSpan(at+1, at+1).End) {
			ends = append(ends, at)
		}
		sort.Ints(ends)
	}
	return func(at int) int {
		if at < from || at >= to {
			return -1
		}
		return sort.SearchInts(ends, at)
	}
}

// paragraphs gives the number of each line's paragraph.
func (w *weigher) paragraphs() []int {
	if w.paras == nil {
		n := 0
		for line := range len(w.ix.Breaks) + 1 {
			if text, _, _ := w.ix.rowAt(line); strings.TrimSpace(text) == "" {
				n++
			}
			w.paras = append(w.paras, n)
		}
	}
	return w.paras
}
