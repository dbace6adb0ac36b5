package evidence

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Cells of tables with heads, see inCrosstabs, that no value came from.

// crossedIn is a list with the line of its heads, and whether the cells have names in them, and not figures.
type crossedIn struct {
	list  string
	head  int
	names bool
}

// crossings are the cells of such tables that were read: of each line, the numbers of the heads above them.
type crossings map[crossedIn]map[int]map[int]bool

// crossings gives them, found once.
func (u *unread) crossings() crossings {
	if u.crossed != nil {
		return u.crossed
	}
	u.crossed = crossings{}
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
			named := map[int]bool{}
			for _, kid := range item.Kids {
				at, of := u.places[p.Key(kid.Name)], u.s.At(p.Key(kid.Name))
				switch {
				case k < 0 || kid.Name == key.Name || !at.Found() || of == nil || at.Line <= head.Line || at.Line > head.Line+mostCells:
				case isCounted(of.Kin()):
					u.crossed.add(crossedIn{u.called(f), head.Line - 1, false}, at.Line-1, k)
				case isName(of.Kin()) && u.standsUnder(at, head.Line-1, k):
					named[at.Line-1] = true
				}
			}
			for line := range named {
				if len(named) == 1 { // an item in a column of its own has several
					u.crossed.add(crossedIn{u.called(f), head.Line - 1, true}, line, k)
				}
			}
		}
		return true
	})
	for in, rows := range u.crossed {
		cells := 0
		for _, of := range rows {
			cells += len(of)
		}
		if heads := u.crossed.heads(in); len(heads) < fewestCrossed || len(rows) < fewestCrossed || in.names && cells <= max(len(heads), len(rows)) {
			delete(u.crossed, in)
		}
	}
	return u.crossed
}

func (c crossings) add(in crossedIn, line, head int) {
	if c[in] == nil {
		c[in] = map[int]map[int]bool{}
	}
	if c[in][line] == nil {
		c[in][line] = map[int]bool{}
	}
	c[in][line][head] = true
}

// heads gives those of a table that values were read under.
func (c crossings) heads(in crossedIn) map[int]bool {
	all := map[int]bool{}
	for _, of := range c[in] {
		maps.Copy(all, of)
	}
	return all
}

// standsUnder tells whether a value stands in the cell below one of the cells of a line.
func (u *unread) standsUnder(at Place, head, k int) bool {
	row, _, _ := u.w.ix.rowAt(head)
	cell, known := u.w.underHead(&crosstab{head: head, cells: cellsIn(row)}, at.Line-1, k)
	return known && len(u.cellsOfLine(head)) >= leastCells && cell.Start <= at.Start && at.End <= cell.End
}

// isCrossHead tells the line of the heads of such a table.
func (u *unread) isCrossHead(line int) bool {
	for in := range u.crossings() {
		if in.head == line {
			return true
		}
	}
	return false
}

// crossedCells gives the cells of such tables that have a figure, or a name, and that no value came from, in rows and
// under heads of which others did.
func (u *unread) crossedCells(taken map[int]bool) (lines []Line) {
	all, asked := u.crossings(), map[int]bool{}
	for _, in := range slices.SortedFunc(maps.Keys(all), crossedIn.compare) {
		row, _, _ := u.w.ix.rowAt(in.head)
		t := &crosstab{head: in.head, cells: cellsIn(row)}
		first, last := u.headsCrossed(t, all.heads(in))
		capitals := in.names && u.namesInCapitals(t, all[in])
		for _, line := range slices.Sorted(maps.Keys(all[in])) {
			whole, _, _ := u.w.ix.rowAt(line)
			for k := first; k <= last && !taken[line]; k++ {
				cell, _ := u.w.underHead(t, line, k)
				for _, part := range u.partsOf(cell) {
					said := u.w.ix.Source[part.Start:part.End]
					if asked[part.Start] || !hasFigure(said) && !(in.names && letters(said) > 0 && !(capitals && beginsSmall(said))) || saysNone(said) || lang.Vacant.Has(strings.TrimSpace(said)) || u.isClaimed(line, part) {
						continue
					}
					asked[part.Start] = true
					lines = append(lines, Line{Start: part.Start, End: part.End, Line: line + 1, Field: in.list, Text: said, Row: strings.Join(strings.Fields(whole), " ")})
				}
			}
		}
	}
	return lines
}

// namesInCapitals tells whether all cells that were read begin with a capital: "closed" beside them is no name.
func (u *unread) namesInCapitals(t *crosstab, rows map[int]map[int]bool) bool {
	for line, heads := range rows {
		for k := range heads {
			if cell, _ := u.w.underHead(t, line, k); beginsSmall(u.w.ix.Source[cell.Start:cell.End]) {
				return false
			}
		}
	}
	return true
}

func beginsSmall(said string) bool {
	first, _ := utf8.DecodeRuneInString(said)
	return unicode.IsLower(first)
}

// partsOf gives the parts of a cell that has several figures of one form, as 17:00 20:15; else the cell.
func (u *unread) partsOf(cell span) (parts []span) {
	said := u.w.ix.Source[cell.Start:cell.End]
	form := ""
	for from := 0; ; {
		from += len(said[from:]) - len(strings.TrimLeft(said[from:], " "))
		word, _, more := strings.Cut(said[from:], " ")
		is := asForm(word)
		if form != "" && is != form || !strings.ContainsRune(is, '0') {
			return []span{cell}
		}
		form, parts = is, append(parts, between(cell.Start+from, cell.Start+from+len(word)))
		if from += len(word); !more || strings.TrimSpace(said[from:]) == "" {
			return parts
		}
	}
}

// asForm gives a text with 0 for each of its figures.
func asForm(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsDigit(r) {
			return '0'
		}
		return r
	}, text)
}

// isClaimed tells whether a value was read in a part of a line.
func (u *unread) isClaimed(line int, part span) bool {
	return slices.ContainsFunc(u.claims[line], func(s span) bool { return s.Start < part.End && part.Start < s.End })
}

// compare orders such tables.
func (in crossedIn) compare(other crossedIn) int {
	kind := func(c crossedIn) int {
		if c.names {
			return 1
		}
		return 0
	}
	return cmp.Or(cmp.Compare(in.list, other.list), in.head-other.head, kind(in)-kind(other))
}

// headsCrossed gives the first and the last head of such a table: of those under which values were read, and of those
// beside them that are called like no field and no sum.
func (u *unread) headsCrossed(t *crosstab, read map[int]bool) (first, last int) {
	row, _, _ := u.w.ix.rowAt(t.head)
	may := func(k int) bool {
		if k < 0 || k >= len(t.cells) {
			return false
		}
		said := row[t.cells[k][0]:t.cells[k][1]]
		return !u.isField[folded(said)] && !headsSums(said) && letters(said) > 0
	}
	all := slices.Sorted(maps.Keys(read))
	first, last = all[0], all[len(all)-1]
	for may(first - 1) {
		first--
	}
	for may(last + 1) {
		last++
	}
	return first, last
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
