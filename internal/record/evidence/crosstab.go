package evidence

import (
	"cmp"
	"iter"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lang"
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
			all, first := w.rowsCrossed(list, items, key)
			if first < 1 {
				continue
			}
			if t := w.crosstabAbove(key, all, first); t != nil {
				for _, f := range fieldsIn(h, isCounted) {
					if f != key {
						w.intoCells(t, f, all)
					}
				}
			}
		}
	}
}

// itemsByList gives the items of all lists of one kind, by the path of the list.
func (w *weigher) itemsByList() map[string][]*item {
	of := map[string][]*item{}
	w.root.each(func(it *item) {
		for _, l := range it.leaves {
			if at := strings.LastIndex(l.f.Path, "[]."); at >= 0 {
				of[l.f.Path[:at]] = append(of[l.f.Path[:at]], it)
				break
			}
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

// rowsCrossed gives the row of each item, and the first of them: the line of the item that it lies in, or of another
// value of its own that begins it.
func (w *weigher) rowsCrossed(list string, items []*item, key *schema.Field) (all []crossed, first int) {
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
		} else {
			for _, l := range it.leaves {
				at := w.places[l.path]
				if l.f == key || !at.Found() || isCounted(l.f.Kin()) {
					continue
				}
				if start := w.ix.LineSpan(at.Line - 1).Start; strings.TrimLeft(w.ix.Source[start:max(start, at.Start)], " \t|") == "" {
					row = at.Line - 1
					break
				}
			}
		}
		if all = append(all, crossed{it, row}); row >= 0 && (first < 0 || row < first) {
			first = row
		}
	}
	return all, first
}

// crosstabAbove gives the line above the first row that has most of a field's values as heads; nil for none.
func (w *weigher) crosstabAbove(key *schema.Field, all []crossed, first int) (best *crosstab) {
	leaves := map[string]*leaf{}
	for _, c := range all {
		if l := leafOf(c.it, key); l != nil {
			leaves[l.value] = l
		}
	}
	for at := first - 1; at >= max(0, first-mostAboveRows); at-- {
		row, _, _ := w.ix.rowAt(at)
		cells := cellsIn(row)
		if len(row) > longestLine || len(cells) < leastCells {
			continue
		}
		t := &crosstab{key: key, head: at, cells: cells, of: map[string]int{}}
		for v, l := range leaves {
			if k := w.headedBy(l, at, cells); k >= 0 {
				t.of[v] = k
			}
		}
		if len(t.of) < len(leaves) {
			t.byInitials(row, leaves)
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

// headedBy gives the one cell of a line that a value fills, but for signs; -1 for none or several.
func (w *weigher) headedBy(l *leaf, line int, cells [][2]int) (found int) {
	_, start, _ := w.ix.rowAt(line)
	found = -1
	v, err := value.Parse(l.value)
	if err != nil {
		return -1
	}
	cands := l.cands
	if len(cands) == 0 || cands[0].led { // a label elsewhere leads to other places
		cands = w.candidates(l.f, &v, false)
	}
	for k, c := range cells {
		s := between(start+c[0], start+c[1])
		said := strings.Trim(w.ix.Source[s.Start:s.End], " .:()")
		is := folded(said) != "" && (folded(said) == folded(v.Text) || isCutOf(folded(said), folded(v.Text)))
		if o := candidateAt(cands, s); !is && o != nil {
			is = strings.Contains(w.ix.Source[o.Start:o.End], said)
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

// byInitials finds the heads that are the first letters of the days of a week or of the months, in their order.
func (t *crosstab) byInitials(row string, leaves map[string]*leaf) {
	for _, kind := range []lang.Kind{lang.Weekday, lang.Month} {
		names := map[int][]string{} // by their number in the order
		for _, word := range kind.Words() {
			if n := numberOf(kind, word); n > 0 {
				names[n] = append(names[n], word)
			}
		}
		of := map[string]int{}
		from := t.runOf(row, names)
		for v := range leaves {
			parsed, err := value.Parse(v)
			if n := numberOf(kind, schema.Spoken(parsed.Text)); err == nil && n > 0 && from >= 0 && from+n-1 < len(t.cells) {
				of[v] = from + n - 1
			}
		}
		if len(of) == len(leaves) {
			t.of = of
			return
		}
	}
}

// numberOf gives the place of a day or a month in their order; 0 for other words.
func numberOf(kind lang.Kind, word string) int {
	n, err := strconv.Atoi(kind.Meaning(word))
	if err != nil {
		return 0
	}
	return n
}

// fewestInitials is how many heads in a row are letters of days or months at least.
const fewestInitials = 5

// runOf gives the first of the cells that are one or two letters each with which all names begin, in their order; -1
// where there are none.
func (t *crosstab) runOf(row string, names map[int][]string) int {
	for from := range t.cells {
		n := 0
		for from+n < len(t.cells) && n < len(names) {
			said := strings.ToLower(strings.Trim(row[t.cells[from+n][0]:t.cells[from+n][1]], "."))
			if said == "" || utf8.RuneCountInString(said) > 2 || !slices.ContainsFunc(names[n+1], func(name string) bool { return strings.HasPrefix(name, said) }) {
				break
			}
			n++
		}
		if n >= fewestInitials {
			return from
		}
	}
	return -1
}

// intoCells gives the values of a field the places in their cells, and takes it from those whose cell has something
// else.
func (w *weigher) intoCells(t *crosstab, f *schema.Field, all []crossed) {
	type inCell struct {
		l, key *leaf
		cell   span
		known  bool
		row    int
	}
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
		of = append(of, inCell{l, key, cell, known, c.row})
		if cell.End > 0 && w.isIn(l, cell) {
			right++
		}
	}
	if right < fewestCrossed || 3*right < len(of) {
		return
	}
	_, start, _ := w.ix.rowAt(t.head)
	for _, c := range of {
		head := t.cells[t.of[c.key.value]]
		if c.l.fixed != nil || !c.known {
			continue
		}
		switch said := w.ix.Source[c.cell.Start:c.cell.End]; {
		case c.cell.End > 0 && w.isIn(c.l, c.cell):
			w.intoCell(c.l, c.cell)
			if c.key.fixed == nil {
				w.restate(c.key, between(start+head[0], start+head[1]))
			}
		case isNothing(c.l.value) && !hasFigure(said):
		default:
			w.places[c.l.path] = Place{Kind: c.l.lacking, Column: c.row + 1, Says: c.cell, Under: w.ix.Source[start+head[0] : start+head[1]]}
		}
	}
}

// isNothing tells a figure that is nought, as JSON.
func isNothing(json string) bool {
	figure, _, _ := strings.Cut(strings.TrimPrefix(json, `{"amount":`), ",")
	return strings.Trim(figure, "0.") == ""
}

// intoCell places a value in a cell.
func (w *weigher) intoCell(l *leaf, cell span) {
	if c := candidateAt(l.cands, cell); c != nil {
		w.places[l.path] = Place{Kind: c.kind, Start: c.Start, End: c.End, Line: w.ix.LineOf(c.Start) + 1, Tied: true}
		return
	}
	w.restate(l, cell)
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

// crossedIn is a list with the line of its heads.
type crossedIn struct {
	list string
	head int
}

// crossings are such tables that were read: under which heads, and in which rows.
type crossings struct{ heads, rows map[crossedIn]map[int]bool }

// crossings gives them, found once.
func (u *unread) crossings() *crossings {
	if u.crossed != nil {
		return u.crossed
	}
	u.crossed = &crossings{map[crossedIn]map[int]bool{}, map[crossedIn]map[int]bool{}}
	heads, rows := u.crossed.heads, u.crossed.rows
	u.record.Walk(func(p value.Pointer, item *value.Value) bool {
		f := u.s.At(p.Parent())
		if item.Kind != value.Object || p == "" || f == nil || f.Type != schema.List {
			return true
		}
		for _, key := range item.Kids {
			head := u.places[p.Key(key.Name)]
			if !head.Found() {
				continue
			}
			k := slices.IndexFunc(u.cellsOfLine(head.Line-1), func(c span) bool { return c.Start <= head.Start && head.End <= c.End })
			for _, kid := range item.Kids {
				at, of := u.places[p.Key(kid.Name)], u.s.At(p.Key(kid.Name))
				if k < 0 || kid.Name == key.Name || !at.Found() || of == nil || !isCounted(of.Kin()) || at.Line <= head.Line || at.Line > head.Line+mostCells {
					continue
				}
				in := crossedIn{u.called(f), head.Line - 1}
				if heads[in] == nil {
					heads[in], rows[in] = map[int]bool{}, map[int]bool{}
				}
				heads[in][k] = true
				rows[in][at.Line-1] = true
			}
		}
		return true
	})
	for in := range heads {
		if len(heads[in]) < fewestCrossed || len(rows[in]) < fewestCrossed {
			delete(heads, in)
		}
	}
	return u.crossed
}

// isCrossHead tells the line of the heads of such a table.
func (u *unread) isCrossHead(line int) bool {
	for in := range u.crossings().heads {
		if in.head == line {
			return true
		}
	}
	return false
}

// crossedCells gives the cells of such tables that have a figure and that no value came from, in rows and under heads
// of which others did.
func (u *unread) crossedCells(taken map[int]bool) (lines []Line) {
	heads, rows := u.crossings().heads, u.crossings().rows
	for _, in := range slices.SortedFunc(maps.Keys(heads), func(a, b crossedIn) int { return cmp.Or(cmp.Compare(a.list, b.list), a.head-b.head) }) {
		row, _, _ := u.w.ix.rowAt(in.head)
		t := &crosstab{head: in.head, cells: cellsIn(row)}
		for _, line := range slices.Sorted(maps.Keys(rows[in])) {
			whole, _, _ := u.w.ix.rowAt(line)
			for k := range u.headsCrossed(t, heads[in]) {
				cell, _ := u.w.underHead(t, line, k)
				said := u.w.ix.Source[cell.Start:cell.End]
				if cell.End == 0 || taken[line] || !hasFigure(said) || saysNone(said) || slices.ContainsFunc(u.claims[line], func(s span) bool { return s.Start < cell.End && cell.Start < s.End }) {
					continue
				}
				lines = append(lines, Line{Start: cell.Start, End: cell.End, Line: line + 1, Field: in.list, Text: said, Row: strings.Join(strings.Fields(whole), " ")})
			}
		}
	}
	return lines
}

// headsCrossed gives the heads of such a table: from the first to the last under which values were read, and those
// beside them that are called like no field and no sum.
func (u *unread) headsCrossed(t *crosstab, read map[int]bool) iter.Seq[int] {
	row, _, _ := u.w.ix.rowAt(t.head)
	may := func(k int) bool {
		if k < 0 || k >= len(t.cells) {
			return false
		}
		said := row[t.cells[k][0]:t.cells[k][1]]
		return !u.isField[folded(said)] && !headsSums(said) && letters(said) > 0
	}
	all := slices.Sorted(maps.Keys(read))
	first, last := all[0], all[len(all)-1]
	for may(first - 1) {
		first--
	}
	for may(last + 1) {
		last++
	}
	return func(yield func(int) bool) {
		for k := first; k <= last && yield(k); k++ {
		}
	}
}

// cellsOfLine gives the cells of a line, by their places in the source.
func (u *unread) cellsOfLine(line int) (all []span) {
	row, start, _ := u.w.ix.rowAt(line)
	if len(row) > longestLine {
		return nil
	}
	for _, c := range cellsIn(row) {
		all = append(all, between(start+c[0], start+c[1]))
	}
	return all
}
