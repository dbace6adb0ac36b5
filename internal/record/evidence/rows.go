package evidence

import (
	"maps"
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// rows gives the rows of tables that nothing comes from, beside rows of which
// at least two values of one item come.
func (u *unread) rows(labelled []Line) []Line {
	ix := u.w.ix
	taken := map[int]bool{}
	for _, l := range labelled {
		taken[l.Line-1] = true
	}
	var lines []Line
	for _, n := range slices.Sorted(maps.Keys(u.claims)) {
		list, cells := u.rowOf(n)
		if list == "" {
			continue
		}
		for _, step := range []int{-1, 1} {
			for at := n + step; at >= 0 && at <= len(ix.Breaks) && !taken[at]; at += step {
				text, start, end := ix.rowAt(at)
				own := cellsOf(text)
				if step > 0 && u.littleOf(at, list) {
					continue
				}
				if u.isRead(at, own) || u.isReadLike(at, n, list) || step < 0 && u.headsColumns(at, n) || len(own) < 2 || len(own) < cells-1 || len(own) > cells+1 || u.isHead(own) || step < 0 && (u.opensTable(at, own) || u.namedIn(own) > 1 || !strings.ContainsFunc(text, unicode.IsLetter) && strings.ContainsFunc(u.w.ix.Line(n+1), unicode.IsLetter)) || headsSums(own[0]) || headsFigures(own, u.cellsAt(n)) && (step < 0 || u.goesOn(at, cells) || !u.hasTexts(list)) || strings.Contains(text+" ", ": ") || ix.TokenAt(start) == ix.TokenAt(end) {
					break
				}
				taken[at] = true
				lines = append(lines, Line{Start: start, End: end, Line: at + 1, Field: list, Text: strings.Join(strings.Fields(text), " ")})
			}
		}
	}
	lines = append(lines, u.headed(taken)...)
	lines = append(lines, u.marked(taken)...)
	lines = append(lines, u.inline(taken)...)
	lines = append(lines, u.columns(taken)...)
	lines = append(lines, u.crossedCells(taken)...)
	lines = append(lines, u.likeCells(taken)...)
	return append(lines, u.gaps(taken)...)
}

func (u *unread) cellsAt(n int) []string {
	text, _, _ := u.w.ix.rowAt(n)
	return cellsOf(text)
}

// headsSums tells a cell that begins with a word for a sum: Subtotal, Zwischensumme netto.
func headsSums(cell string) bool {
	words := reading.Tokenize(cell)
	return len(words) > 0 && lang.Sum.Has(words[0].Word)
}

// headsFigures tells a row without any figure beside one that has some in two of its cells
// or in half of them: it heads them.
func headsFigures(row, read []string) bool {
	with := 0
	for _, c := range read {
		if hasFigure(c) {
			with++
		}
	}
	return (with > 1 || with*2 >= len(read)) && !slices.ContainsFunc(row, func(cell string) bool { return hasFigure(cell) && !isFormula(cell) })
}

// isFormula tells one word that begins with letters and ends in a figure, as heads of columns do: SpO2, PM10.
func isFormula(cell string) bool {
	cell = strings.TrimSpace(cell)
	letters := strings.TrimRight(cell, "0123456789")
	return letters != "" && len(cell)-len(letters) <= 2 && !strings.ContainsFunc(letters, func(r rune) bool { return !unicode.IsLetter(r) }) && strings.ContainsFunc(letters, unicode.IsLower)
}

// goesOn tells whether a row of as many cells follows a line, which may be its head.
func (u *unread) goesOn(line, cells int) bool {
	return line < len(u.w.ix.Breaks) && len(u.cellsAt(line+1)) >= max(2, cells-1)
}

// hasTexts tells whether the items of a list hold texts beside what they are called.
func (u *unread) hasTexts(list string) bool {
	f := u.s.Find(list)
	if f == nil || f.Item == nil {
		return false
	}
	texts := 0
	for _, kid := range f.Item.Fields {
		if kid.Type == schema.Text {
			texts++
		}
	}
	return texts > 1
}

// inBrackets is what a head has in brackets behind a name: P (mg/100 g).
var inBrackets = lazy.New(`(\pL[\pL .\-]*)[(\[][^()\[\]]*\pL[^()\[\]]*[)\]]`)

// hasFigure tells whether a cell has a figure, but for those in units: m3, P (mg/100 g).
func hasFigure(cell string) bool {
	cell = inBrackets.ReplaceAllString(cell, "$1")
	return slices.ContainsFunc(strings.Fields(cell), func(word string) bool {
		return strings.ContainsFunc(word, unicode.IsDigit) && reading.UnitOf(strings.Trim(word, "()[].,")) == ""
	})
}

// rowOf gives the list that a line is a row of, and its cells; "" for none.
func (u *unread) rowOf(n int) (string, int) {
	count := map[value.Pointer]int{}
	for _, p := range u.leaves[n] {
		count[p.Parent()]++
	}
	cells := len(u.cellsAt(n))
	if cells < 2 {
		return "", 0
	}
	for _, at := range slices.Sorted(maps.Keys(count)) {
		f := u.s.At(at.Parent())
		if count[at] >= 2 && f != nil && f.Type == schema.List && !(at.Parent() == "" && u.isSpread(at, count[at])) && !tellsOfSeveral(count, at, cells) {
			return u.called(f), cells
		}
	}
	return "", 0
}

// tellsOfSeveral tells whether several items of a list have more values in a line than it has cells: it tells
// of them in running text. count has how many values each item has there.
func tellsOfSeveral(count map[value.Pointer]int, at value.Pointer, cells int) bool {
	values := 0
	for other, n := range count {
		if other.Parent() == at.Parent() {
			values += n
		}
	}
	return values > cells && values > count[at]
}

// littleOf tells whether one value of an item of a list stands in a row, as its name does where the others are
// wrong: the table goes on behind it.
func (u *unread) littleOf(n int, list string) bool {
	of := u.leaves[n]
	if len(of) != 1 || len(u.cellsAt(n)) < 2 {
		return false
	}
	f := u.s.At(of[0].Parent().Parent())
	return f != nil && f.Type == schema.List && u.called(f) == list
}

// isSpread tells whether less than half of the own values of an entry stand in one line:
// then its lines are no rows of entries.
func (u *unread) isSpread(entry value.Pointer, inLine int) bool {
	if u.own == nil {
		u.own = map[value.Pointer]int{}
		for p, place := range u.places {
			if place.Found() {
				u.own[p.Parent()]++
			}
		}
	}
	return inLine*2 < u.own[entry]
}

// isRead tells whether a row was read: values of one item come from half of its
// cells at least, but those that say there is none. Those of several items may
// all be other rows', which say the same in places; and an item reads the row
// that most of its values stand in, or one that goes on in the next line, and
// none besides.
func (u *unread) isRead(line int, cells []string) bool {
	full := 0
	for _, c := range cells {
		if !blank(c) && !u.isField[folded(c)] { // the name of a field is its label
			full++
		}
	}
	if u.isSum(line) {
		return true
	}
	most, of := 0, map[value.Pointer]int{}
	for _, p := range u.leaves[line] {
		item := u.itemOf(p)
		if home, ok := u.homes[item]; ok && item != "" && (line < home-1 || line > home+1) && !u.isSure(p) { // a second table may have more of it
			continue
		}
		of[item]++
		most = max(most, of[item])
	}
	return most*2 >= full && most > 0
}

// isSure tells a value that stands in one place alone, and is no small number, which may stand there by chance.
func (u *unread) isSure(p value.Pointer) bool {
	at := u.places[p]
	return at.Rivals == 0 && at.End-at.Start > mostCounted
}

// isReadLike tells whether an item of a list has as many of its values in a line as its items
// have in another row: where two tables stand side by side, half of the cells are of neither.
func (u *unread) isReadLike(line, row int, list string) bool {
	if len(u.leaves[line]) == 0 {
		return false
	}
	have := u.mostOf(row, list)
	return u.isHomeOf(line, list) || u.holdsWhole(line, list) || have > 1 && u.mostOf(line, list) >= have || u.isEmptyUnder(line, row, list)
}

// isHomeOf tells whether two values or more of an item of a list stand in a line, a text among them, and no
// more in any other: what else the row says is a matter of its single cells.
func (u *unread) isHomeOf(line int, list string) bool {
	of, named := map[value.Pointer]int{}, map[value.Pointer]bool{}
	for _, p := range u.leaves[line] {
		if item := p.Parent(); u.isOf(item, list) && u.homes[item] == line {
			of[item]++
			named[item] = named[item] || u.s.At(p).Kin().Type == schema.Text
		}
	}
	for item, n := range of {
		if _, known := u.homes[item]; known && n > 1 && named[item] {
			return true
		}
	}
	return false
}

// isOf tells whether a place is an item of a list that is called so.
func (u *unread) isOf(item value.Pointer, list string) bool {
	f := u.s.At(item.Parent())
	return f != nil && f.Type == schema.List && u.called(f) == list
}

// mostOf gives how many values an item of a list has at most in a line that is its own.
func (u *unread) mostOf(n int, list string) (most int) {
	of := map[value.Pointer]int{}
	for _, p := range u.leaves[n] {
		item := p.Parent()
		if !u.isOf(item, list) {
			continue
		}
		if home, ok := u.homes[item]; !ok || n >= home-1 && n <= home+1 {
			of[item]++
			most = max(most, of[item])
		}
	}
	return most
}

// holdsWhole tells whether a line begins with a value of an item of a list, and the item has two or
// more there and all of them: what else the row says is in no field.
func (u *unread) holdsWhole(line int, list string) bool {
	of, first := map[value.Pointer]int{}, value.Pointer("")
	_, start, _ := u.w.ix.rowAt(line)
	for i, p := range u.leaves[line] {
		item := p.Parent()
		if !u.isOf(item, list) {
			continue
		}
		of[item]++
		if at := u.claims[line][i].Start; strings.TrimSpace(u.w.ix.Source[start:max(start, at)]) == "" {
			first = item
		}
	}
	return first != "" && of[first] > 1 && u.onlyLine(first) == line
}

// onlyLine gives the line in which all values right below an item stand; -1 where they stand in
// several.
func (u *unread) onlyLine(item value.Pointer) int {
	if u.lineOf == nil {
		u.lineOf = map[value.Pointer]int{}
		for p, at := range u.places {
			if !at.Found() {
				continue
			}
			n := u.w.ix.LineOf(at.Start)
			if before, known := u.lineOf[p.Parent()]; known && before != n {
				n = -1
			}
			u.lineOf[p.Parent()] = n
		}
	}
	if n, known := u.lineOf[item]; known {
		return n
	}
	return -1
}

// headsColumns tells whether a line above a row that was read has no figure, and nothing in the
// column in which that row begins: it names the other columns.
func (u *unread) headsColumns(line, row int) bool {
	above, below := u.wholeLine(line), u.wholeLine(row)
	if hasFigure(above) || strings.Contains(above, "|") {
		return false
	}
	indent := func(s string) int { return len(s) - len(strings.TrimLeft(s, " ")) }
	cells := cellsIn(below)
	return len(cells) > 2 && indent(above) > indent(below)+2 && indent(above) >= cells[0][1]
}

// wholeLine gives a line with the blanks before it, by which its columns are told.
func (u *unread) wholeLine(n int) string {
	at := u.w.ix.LineSpan(n)
	return u.w.ix.Source[at.Start:at.End]
}

// isEmptyUnder tells whether a line has no figure in the columns in which items of a list have
// theirs in another row: Holiday - -, beside a row of another table.
func (u *unread) isEmptyUnder(line, row int, list string) bool {
	start := u.w.ix.LineSpan(row).Start
	from, to := 1<<30, 0
	for i, p := range u.leaves[row] {
		if u.isOf(p.Parent(), list) {
			from, to = min(from, u.claims[row][i].Start-start), max(to, u.claims[row][i].End-start)
		}
	}
	there, here := u.wholeLine(row), u.wholeLine(line)
	if from < 0 || to > len(there) || from >= min(to, len(here)) || !hasFigure(there[from:to]) {
		return false
	}
	return !hasFigure(here[from:min(to, len(here))])
}

// isSum tells a row whose figures are all values of the record itself, and of no
// item: a total below the rows.
func (u *unread) isSum(line int) bool {
	own := map[span]bool{}
	for i, p := range u.leaves[line] {
		if u.itemOf(p) == "" {
			own[u.claims[line][i]] = true
		}
	}
	if len(own) == 0 {
		return false
	}
	row, start, _ := u.w.ix.rowAt(line)
	for _, m := range figure.FindAllStringIndex(row, mostCells) {
		held := false
		for s := range own {
			held = held || s.Start <= start+m[0] && s.End >= start+m[1]
		}
		if !held {
			return false
		}
	}
	return true
}

// headed gives the rows below the heads of tables that no value comes from: also
// of tables of which no row was read.
func (u *unread) headed(taken map[int]bool) []Line {
	ix := u.w.ix
	var lines []Line
	for n := 0; n < len(ix.Breaks); n++ {
		text, _, _ := ix.rowAt(n)
		head := cellsOf(text)
		if len(head) < 2 || strings.Contains(text+" ", ": ") || len(u.claims[n]) > 0 || !u.isHead(head) {
			continue
		}
		list := u.listOf(head)
		if list == "" {
			continue
		}
		like := n
		for at := n + 1; at <= len(ix.Breaks); at++ {
			row, start, end := ix.rowAt(at)
			cells := cellsOf(row)
			switch {
			case ix.TokenAt(start) == ix.TokenAt(end) && strings.TrimSpace(row) != "", len(cells) > 1 && headsSums(cells[0]): // a rule, or a sum
				continue
			case len(cells) < 2 || len(cells) < len(head)-1 || len(cells) > len(head)+1 || strings.Contains(row, ": "):
				at = len(ix.Breaks) + 1
				continue
			case !u.isRead(at, cells) && !u.isReadLike(at, like, list) && !taken[at]:
				taken[at] = true
				lines = append(lines, Line{Start: start, End: end, Line: at + 1, Field: list, Text: strings.Join(strings.Fields(row), " ")})
			}
			if u.mostOf(at, list) > 1 {
				like = at
			}
		}
	}
	return lines
}

// listOf gives the list whose fields the cells of a head name; "" where they
// name none, or fields of no list.
func (u *unread) listOf(head []string) string {
	for _, cell := range head {
		for _, name := range u.named[first(folded(cell))] {
			if strings.Join(name.words, " ") != folded(cell) {
				continue
			}
			if at := strings.LastIndex(name.f.Path, "[]"); at >= 0 {
				return name.f.Path[:at]
			}
			if u.s.EachEntry() {
				return schema.Wrapper
			}
		}
	}
	return ""
}

func first(words string) string {
	word, _, _ := strings.Cut(words, " ")
	return word
}

// opensTable tells a row without figures below a blank line of which a cell is called like a field: the
// head of a table in another language than the schema's, Item Situação Observação.
func (u *unread) opensTable(line int, cells []string) bool {
	return (line == 0 || strings.Trim(u.w.ix.Line(line), " \t;|") == "") && !slices.ContainsFunc(cells, hasFigure) && slices.ContainsFunc(cells, func(c string) bool { return u.isField[folded(c)] })
}

// isHead tells the head of a table: most cells are called like fields.
func (u *unread) isHead(cells []string) bool {
	return u.namedIn(cells)*2 >= len(cells)
}

// namedIn counts the cells that are called like fields, those with the same words once: no head has them twice.
func (u *unread) namedIn(cells []string) (n int) {
	for i, c := range cells {
		if u.isField[folded(c)] && !slices.ContainsFunc(cells[:i], func(other string) bool { return folded(other) == folded(c) }) {
			n++
		}
	}
	return n
}
