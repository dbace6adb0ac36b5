package evidence

import (
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Tables with what is counted in their cells, and what it is counted by in their heads and in their first column:
//
//	Job      Mon   Tue   Wed
//	J2207    8     7.5   -
//	J2215    -     1     6
//
// A record has an item for each cell, within the item of its row or with the name of the row in it. A value is that of
// its row and of its head, or it is another cell's.

// fewestCrossed is of how many items the cell has to have the value at least.
const fewestCrossed = 2

// mostAboveRows is how many lines stand between the heads of such a table and its first row at most.
const mostAboveRows = 6

// crosstab is such a table for one list and the field that its heads are values of.
type crosstab struct {
	key   *schema.Field
	head  int            // the line of the heads
	cells [][2]int       // of that line
	of    map[string]int // the cell of each value, as JSON
}

// crossed is an item of a list with the line of its row; below 0 where that is not known.
type crossed struct {
	it  *item
	row int
}

// inCrosstabs places the values of such tables, and takes their places from those that the cell contradicts.
func (w *weigher) inCrosstabs() {
	for list, items := range w.itemsByList() {
		if len(items) <= fewestCrossed {
			continue
		}
		h := &homes{list: items}
		for _, key := range fieldsIn(h, isHeading) {
			if all, first := w.rowsCrossed(list, items, key, nil); first > 0 {
				if t := w.crosstabAbove(key, all, first); t != nil {
					for _, f := range fieldsIn(h, isCounted) {
						if f != key && w.intoCells(t, f, all) && !strings.Contains(list, "[].") {
							w.atRowHeads(t, f, h, all)
						}
					}
				}
			}
			if w.inRoster(list, h, key) {
				w.byLegend(w.homesOf(items))
			} else {
				w.inGridOfNames(h, key)
			}
		}
	}
}

// itemsByList gives the items of all lists of one kind, by the path of the list.
func (w *weigher) itemsByList() map[string][]*item {
	of := map[string][]*item{}
	w.root.each(func(it *item) {
		for _, l := range it.leaves {
			path := l.f.Path[:max(0, strings.LastIndex(l.f.Path, "[]."))] // "" of entries
			of[path] = append(of[path], it)
			break
		}
	})
	return of
}

// each calls for all items below one.
func (it *item) each(call func(*item)) {
	for _, list := range it.lists {
		for _, kid := range list {
			call(kid)
			kid.each(call)
		}
	}
}

// isHeading tells a field whose values may head columns.
func isHeading(f *schema.Field) bool {
	switch f.Type {
	case schema.Choice, schema.Text, schema.Date, schema.Integer, schema.Time:
		return f.List == nil && !f.Concludes
	}
	return false
}

// isCounted tells a field whose values stand in the cells of a table.
func isCounted(f *schema.Field) bool { return isFigure(f) && f.Type != schema.Date }

// rowsCrossed gives the row of each item, and the first of them: the line of the item that it lies in, or the one line
// that all of its other names stand in but that of the cell.
func (w *weigher) rowsCrossed(list string, items []*item, key, cell *schema.Field) (all []crossed, first int) {
	within, homes := strings.Contains(list, "[]."), map[*item]int{}
	first = -1
	for _, it := range items {
		row := -1
		if within {
			home, known := homes[it.parent]
			if !known {
				if home = w.homeOf(it.parent); home < 0 {
					home, _ = w.nameLine(it.parent)
				}
				homes[it.parent] = home
			}
			row = home
		} else if row = w.rowOfNames(it, key, cell); row < 0 {
			row = w.rowBegunBy(it, key, cell)
		}
		if all = append(all, crossed{it, row}); row >= 0 && (first < 0 || row < first) {
			first = row
		}
	}
	return all, first
}

// linesOf are those that the candidates of a value stand in, in order, and those in whose first cell they do.
type linesOf struct{ all, begun []int }

// lines gives those of a value, found once.
func (w *weigher) lines(l *leaf) *linesOf {
	if of := w.linesOfLeaves[l]; of != nil {
		return of
	}
	of := &linesOf{}
	for _, c := range l.cands {
		n := w.ix.LineOf(c.Start)
		if !slices.Contains(of.all, n) {
			of.all = append(of.all, n)
		}
		if !slices.Contains(of.begun, n) && w.isInFirstCell(n, c.span) {
			of.begun = append(of.begun, n)
		}
	}
	if w.linesOfLeaves == nil {
		w.linesOfLeaves = map[*leaf]*linesOf{}
	}
	w.linesOfLeaves[l] = of
	return of
}

// rowOfNames gives the one line that all texts and choices of an item but two fields' stand in; -1 for none or several.
func (w *weigher) rowOfNames(it *item, key, cell *schema.Field) (row int) {
	var lines []int
	first := true
	for _, l := range it.leaves {
		if t := l.f.Kin().Type; l.f == key || l.f == cell || t != schema.Text && t != schema.Choice || len(l.cands) > maxPlaces || len(l.cands) == 0 && !w.places[l.path].Found() {
			continue
		}
		of, at := w.lines(l).all, w.places[l.path]
		if first {
			if lines, first = slices.Clone(of), false; at.Found() && !slices.Contains(of, at.Line-1) {
				lines = append(lines, at.Line-1)
			}
			continue
		}
		lines = slices.DeleteFunc(lines, func(n int) bool { return !slices.Contains(of, n) && !(at.Found() && at.Line-1 == n) })
	}
	if len(lines) != 1 {
		return -1
	}
	return lines[0]
}

// rowBegunBy gives the one line of several cells that has most of the values of an item in the first of them, but those
// of two fields; -1 for none or several.
func (w *weigher) rowBegunBy(it *item, key, cell *schema.Field) (row int) {
	begun := map[int]int{}
	row = -1
	for _, l := range it.leaves {
		if l.f == key || l.f == cell || len(l.cands) > maxPlaces {
			continue
		}
		for _, n := range w.lines(l).begun {
			if begun[n]++; row < 0 || begun[n] > begun[row] {
				row = n
			}
		}
	}
	for n, of := range begun {
		if n != row && of == begun[row] {
			return -1
		}
	}
	return row
}

// isInFirstCell tells whether a value stands in the first of several cells of a line.
func (w *weigher) isInFirstCell(line int, s span) bool {
	text, start, end := w.ix.rowAt(line)
	if len(text) > longestLine || s.Start < start || end < s.End {
		return false
	}
	cells := cellsIn(text)
	return len(cells) >= leastCells && s.End <= start+cells[0][1]
}

// crosstabAbove gives the line above the first row that has most of a field's values as heads; nil for none.
func (w *weigher) crosstabAbove(key *schema.Field, all []crossed, first int) (best *crosstab) {
	leaves, words := map[string]*leaf{}, map[string]string{}
	for _, c := range all {
		if l := leafOf(c.it, key); l != nil && leaves[l.value] == nil {
			v, err := value.Parse(l.value)
			if err != nil {
				return nil
			}
			leaves[l.value], words[l.value] = l, folded(v.Text)
		}
		if len(leaves) > mostCells { // more than a line has heads
			return nil
		}
	}
	var initials map[int][]string
	var order map[string]int
	for at := first - 1; at >= max(0, first-mostAboveRows) && len(leaves) >= fewestCrossed; at-- {
		row, _, _ := w.ix.rowAt(at)
		cells := cellsIn(row)
		if len(row) > longestLine || len(cells) < leastCells {
			continue
		}
		t := &crosstab{key: key, head: at, cells: cells, of: map[string]int{}}
		heads := w.headingsOf(at, cells)
		for v, l := range leaves {
			if k := w.headedBy(l, words[v], heads); k >= 0 {
				t.of[v] = k
			}
		}
		if len(t.of) < len(leaves) && runOfLetters(heads) {
			if initials == nil {
				initials, order = inOrder(leaves)
			}
			t.byInitials(heads, initials, order)
		}
		if len(t.of) >= fewestCrossed && 2*len(t.of) > len(leaves) && (best == nil || len(t.of) > len(best.of)) && t.areApart() {
			best = t
		}
	}
	return best
}

// areApart tells whether no two values have the same head.
func (t *crosstab) areApart() bool {
	seen := map[int]bool{}
	for _, k := range t.of {
		if seen[k] {
			return false
		}
		seen[k] = true
	}
	return true
}

// heading is a cell of a line that may head a column, with its words in small letters.
type heading struct {
	at          span
	said, words string
}

// levels parts the heads of several levels that pages have, as they are read: Hours / Mon.
const levels = " / "

// headingsOf gives the cells of a line as such.
func (w *weigher) headingsOf(line int, cells [][2]int) (all []heading) {
	_, start, _ := w.ix.rowAt(line)
	for _, c := range cells {
		s := between(start+c[0], start+c[1])
		said := w.ix.Source[s.Start:s.End]
		if i := strings.LastIndex(said, levels); i >= 0 {
			said = said[i+len(levels):]
		}
		said = strings.Trim(said, " .:()")
		all = append(all, heading{s, said, folded(said)})
	}
	return all
}

// headedBy gives the one heading that is a value of a field, whose words are given, but for signs; -1 for none or
// several.
func (w *weigher) headedBy(l *leaf, words string, heads []heading) (found int) {
	found = -1
	for k, h := range heads {
		is := h.words != "" && (h.words == words || isCutOf(h.words, words))
		if !is {
			o := candidateAt(l.cands, h.at)
			is = o != nil && strings.Contains(w.ix.Source[o.Start:o.End], h.said) || l.f.Kin().Type == schema.Date && headsDay(h.said, l.value) || l.f.Kin().Type == schema.Integer && headsNumber(h.said, l.value)
		}
		switch {
		case !is:
		case found >= 0:
			return -1
		default:
			found = k
		}
	}
	return found
}

// isCutOf tells whether a head is the begin of a name, or the other way about: Sept, for september.
func isCutOf(head, name string) bool {
	return min(len(head), len(name)) >= shortestCut && (strings.HasPrefix(name, head) || strings.HasPrefix(head, name)) && !strings.Contains(head+name, " ")
}

// intoCells gives the values of a field the places in their cells, and takes it from those whose cell has something
// else.
func (w *weigher) intoCells(t *crosstab, f *schema.Field, all []crossed) bool {
	var of []inCell
	right := 0
	for _, c := range all {
		l, key := leafOf(c.it, f), leafOf(c.it, t.key)
		if l == nil || key == nil || c.row <= t.head {
			continue
		}
		k, is := t.of[key.value]
		if !is {
			continue
		}
		cell, known := w.underHead(t, c.row, k)
		of = append(of, inCell{c.it, l, key, cell, known, c.row})
		if cell.End > 0 && w.isInCell(l, cell) {
			right++
		}
	}
	if right < fewestCrossed || 3*right < len(of) || t.key.Type == schema.Integer && comeAgain(t, of)*oftenAgain > len(of) {
		return false
	}
	for _, c := range of {
		switch said := w.ix.Source[c.cell.Start:c.cell.End]; {
		case c.l.fixed != nil || !c.known:
		case c.cell.End > 0 && w.isInCell(c.l, c.cell):
			w.intoCell(c.l, c.cell)
			if c.key.fixed == nil && w.places[c.key.path].Column == 0 {
				w.restate(c.key, w.headOf(t, t.of[c.key.value]))
			}
		case isNothing(c.l.value) && !hasFigure(said):
		default:
			w.inOtherCell(t, c.l, c.row, t.of[c.key.value], c.cell)
		}
	}
	w.underNoHead(t, f, all)
	w.underOneHead(t, of)
	w.markedInCells(of)
	return true
}

// oftenAgain is of how many items one may be under the head of another in its row, where heads are numbers: points that
// are by chance the numbers of races come again more often.
const oftenAgain = 8

// comeAgain counts the items that stand under the head of one before them in their row.
func comeAgain(t *crosstab, of []inCell) (n int) {
	seen := map[[2]int]bool{}
	for _, c := range of {
		at := [2]int{c.row, t.of[c.key.value]}
		if seen[at] {
			n++
		}
		seen[at] = true
	}
	return n
}

// isInCell tells whether a cell has a value: its figure, its words, one of its options, or one of its hours.
func (w *weigher) isInCell(l *leaf, cell span) bool {
	c := candidateAt(l.cands, cell)
	switch in := c != nil && cell.Start <= c.Start && c.End <= cell.End; l.f.Kin().Type {
	case schema.Text:
		return in
	case schema.Choice:
		return in || w.isIn(l, cell)
	case schema.Time:
		return in || hoursSay(w.ix.Source[cell.Start:cell.End], l.value)
	}
	return w.isIn(l, cell)
}

// isNothing tells a figure that is nought, as JSON.
func isNothing(json string) bool {
	figure, _, _ := strings.Cut(strings.TrimPrefix(json, `{"amount":`), ",")
	return strings.Trim(figure, "0.") == ""
}

// intoCell places a value in a cell. An amount whose figure alone stands there, and not its currency or unit, stays
// where it was.
func (w *weigher) intoCell(l *leaf, cell span) {
	if c := candidateAt(l.cands, cell); c != nil {
		w.places[l.path] = Place{Kind: c.kind, Start: c.Start, End: c.End, Line: w.ix.LineOf(c.Start) + 1, Tied: true}
	} else if t := l.f.Kin().Type; t != schema.Money && t != schema.Quantity {
		w.restate(l, cell)
	}
}

// underHead gives the cell of a row under a head, and whether that is known: of the same number where a sign parts
// cells, or where both lines have as many, else what stands below it alone.
func (w *weigher) underHead(t *crosstab, line, k int) (cell span, known bool) {
	row, start, _ := w.ix.rowAt(line)
	head, _, _ := w.ix.rowAt(t.head)
	sign := cellSign(head)
	if len(row) > longestLine || cellSign(row) != sign {
		return span{}, false
	}
	cells := cellsIn(row)
	column := func(text string, at int) int { return utf8.RuneCountInString(text[:at]) }
	if sign == "" && len(cells) == len(t.cells) {
		return between(start+cells[k][0], start+cells[k][1]), true
	}
	from, to := column(head, t.cells[k][0]), column(head, t.cells[k][1])
	var found []span
	for _, c := range cells {
		under := column(row, c[0]) < to+1 && column(row, c[1]) > from-1
		if sign != "" {
			under = strings.Count(row[:c[0]], sign) == strings.Count(head[:t.cells[k][0]], sign)
		}
		if under {
			found = append(found, between(start+c[0], start+c[1]))
		}
	}
	switch len(found) {
	case 0:
		return span{}, true
	case 1:
		return found[0], true
	}
	return span{}, false
}
