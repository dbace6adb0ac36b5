package evidence

import (
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// Tables that are ticked off: each row has one mark, and what heads the mark's column is the answer. The heads are
// the options of a choice, or a yes and a no; what heads another boolean's own column is its name, and a row without
// a mark there says no.

// gridMarks are the signs that a row is marked with.
const gridMarks = "xX✓✔✅☑☒✗✘●•×*"

// mostHeadLines is how many lines the heads of such a table may take, one above the other.
const mostHeadLines = 3

// mostOfMark is how far, in letters, a mark may stand from the head that it is under.
const mostOfMark = 6

// grid is such a table for one field.
type grid struct {
	sign    string // that parts its cells; "" where wide gaps do
	columns []gridColumn
}

// gridColumn is a column with what its mark says.
type gridColumn struct {
	from, to int // in letters from the start of a line, or the number of the cell twice
	says     string
}

// inGrids places what the marks of such tables say, and tells which values they contradict.
func (w *weigher) inGrids(h *homes) {
	at, in := make([]int, len(h.list)), map[int]int{}
	first := -1
	for i, it := range h.list {
		if at[i] = w.lineOfWords(it); at[i] < 0 {
			at[i] = h.at[i] // what it is called may stand in the head as well
		}
		if in[at[i]]++; at[i] >= 0 && (first < 0 || at[i] < first) {
			first = at[i]
		}
	}
	if first < 1 {
		return
	}
	w.underOwnMarks(h, at, first)
	for i, it := range h.list {
		if at[i] < 0 || in[at[i]] > 1 {
			continue
		}
		for _, l := range it.leaves {
			if t := l.f.Kin().Type; l.fixed != nil || l.f.Concludes || t != schema.Choice && t != schema.Boolean {
				continue
			}
			switch says, mark := w.markedAs(l.f, first, at[i]); {
			case mark.End == 0:
			case says == strings.Trim(l.value, `"`):
				w.restate(l, mark)
			default:
				w.places[l.path] = Place{Kind: l.lacking, Opposed: at[i] + 1}
			}
		}
	}
}

// underOwnMarks places the booleans of items by the column that is called like them, if that has marks and empty cells
// alone: an empty one says no.
func (w *weigher) underOwnMarks(h *homes, at []int, first int) {
	if slices.Contains(at, -1) {
		return
	}
	for _, f := range fieldsIn(h, isBoolean) {
		column, sign := w.ownColumn(f, first)
		if column == nil {
			continue
		}
		marks, known, mark := map[int]span{}, true, ""
		for i := range h.list {
			s, is := w.cellUnder(at[i], *column, sign)
			if known = known && is; s.End > 0 {
				said := strings.ToLower(w.ix.Source[s.Start:s.End])
				known = known && (mark == "" || mark == said) && !strings.Contains("✗✘", said) // which may say no
				marks[i], mark = s, said
			}
		}
		if known && len(marks) > 0 {
			w.byMarks(h, f, marks, at, legend{whole: true})
		}
	}
}

// byMarks places a boolean of items by the marks in their lines, -1 for an item without one, and tells what those
// contradict; a line without a mark says no where all that are so have one.
func (w *weigher) byMarks(h *homes, f *schema.Field, marks map[int]span, at []int, says legend) {
	marked, other := "true", "false"
	if says.denies {
		marked, other = other, marked
	}
	for i, it := range h.list {
		l := leafOf(it, f)
		if l == nil || l.fixed != nil || at[i] < 0 {
			continue
		}
		mark, is := marks[i]
		switch {
		case is && l.value == other, !is && says.whole && l.value == marked:
			w.places[l.path] = Place{Kind: l.lacking, Opposed: at[i] + 1}
		case is:
			w.restate(l, mark)
		}
	}
}

// ownColumn gives the column over a line whose head is called like a field.
func (w *weigher) ownColumn(f *schema.Field, first int) (*gridColumn, string) {
	row, _, _ := w.ix.rowAt(first)
	sign := cellSign(row)
	for at := first - 1; at >= max(0, first-mostHeadLines); at-- {
		head, _, _ := w.ix.rowAt(at)
		if isRule(head) {
			continue
		}
		if len(head) > longestLine || blank(head) || cellSign(head) != sign {
			return nil, ""
		}
		for _, c := range columnsOver([]string{head}, sign) {
			if w.isCalled(f, c.says) || len(c.says) >= shortestCut && strings.HasPrefix(folded(schema.Spoken(f.Name)), folded(c.says)) {
				return &c, sign
			}
		}
	}
	return nil, ""
}

// cellUnder gives the mark that a row has in a column, an empty place where it has nothing there, and whether it has
// no more than that.
func (w *weigher) cellUnder(line int, column gridColumn, sign string) (at span, is bool) {
	cell, is := w.wordsUnder(line, column, sign)
	if said := w.ix.Source[cell.Start:cell.End]; cell.End > 0 && (utf8.RuneCountInString(said) != 1 || !strings.Contains(gridMarks, said)) {
		return span{}, false
	}
	return cell, is
}

// wordsUnder gives the cell that a row has in a column, an empty place where it has nothing there; false for a row of
// another form.
func (w *weigher) wordsUnder(line int, column gridColumn, sign string) (cell span, is bool) {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine || cellSign(row) != sign {
		return span{}, false
	}
	for _, c := range cellsIn(row) {
		from, to := utf8.RuneCountInString(row[:c[0]]), utf8.RuneCountInString(row[:c[1]])
		if sign != "" {
			from = strings.Count(row[:c[0]], sign)
			to = from + 1
		}
		if from < max(column.to, column.from+1) && to > column.from {
			return between(start+c[0], start+c[1]), true
		}
	}
	return span{}, true
}

// lineOfWords gives the line that begins with the first text of an item, but for a number; -1 for none.
func (w *weigher) lineOfWords(it *item) int {
	for _, l := range it.leaves {
		if at := w.places[l.path]; l.f.Kin().Type == schema.Text && at.Found() && !at.Basis && at.Rivals == 0 {
			_, start, _ := w.ix.rowAt(at.Line - 1)
			if strings.TrimLeft(w.ix.Source[start:max(start, at.Start)], " \t|*•·–-0123456789.)") == "" {
				return at.Line - 1
			}
			return -1
		}
	}
	return -1
}

// markedAs gives what the mark in a line of a table says of a field, where the table's first row is another line or
// that one.
func (w *weigher) markedAs(f *schema.Field, first, line int) (says string, at span) {
	key := gridOf{f, first}
	g, known := w.grids[key]
	if !known {
		g = w.gridAbove(f, first)
		if w.grids == nil {
			w.grids = map[gridOf]*grid{}
		}
		w.grids[key] = g
	}
	if g == nil {
		return "", span{}
	}
	return w.markUnder(g, line)
}

// gridOf is the field that a table answers, and its first row.
type gridOf struct {
	f     *schema.Field
	first int
}

// gridAbove reads the heads over a line: those that give the most answers to a field, two at least.
func (w *weigher) gridAbove(f *schema.Field, first int) (best *grid) {
	row, _, _ := w.ix.rowAt(first)
	var heads []string
	for at := first - 1; at >= 0 && len(heads) < mostHeadLines; at-- {
		head, _, _ := w.ix.rowAt(at)
		switch {
		case isRule(head):
			continue
		case blank(head) && len(heads) == 0:
			continue
		case blank(head) || len(head) > longestLine || cellSign(head) != cellSign(row):
			return best
		}
		heads = append([]string{head}, heads...)
		g := &grid{sign: cellSign(row)}
		seen := map[string]bool{}
		for _, c := range columnsOver(heads, g.sign) {
			if c.says = w.answer(f, c.says); c.says != "" {
				g.columns = append(g.columns, c)
				seen[c.says] = true
			}
		}
		if len(seen) > 1 && len(seen) == len(g.columns) && (best == nil || len(g.columns) > len(best.columns)) {
			best = g
		}
	}
	return best
}

// columnsOver gives the columns of heads that stand one above the other, with their words.
func columnsOver(heads []string, sign string) (all []gridColumn) {
	for _, head := range heads {
		if sign != "" {
			for k, cell := range strings.Split(head, sign) {
				for len(all) <= k {
					all = append(all, gridColumn{from: len(all), to: len(all)})
				}
				all[k].says = strings.TrimSpace(all[k].says + " " + strings.TrimSpace(cell))
			}
			continue
		}
		for _, c := range cellsIn(head) {
			from, to := utf8.RuneCountInString(head[:c[0]]), utf8.RuneCountInString(head[:c[1]])
			k := slices.IndexFunc(all, func(o gridColumn) bool { return o.from < to && from < o.to })
			if k < 0 {
				all = append(all, gridColumn{from, to, head[c[0]:c[1]]})
				continue
			}
			all[k] = gridColumn{min(all[k].from, from), max(all[k].to, to), all[k].says + " " + head[c[0]:c[1]]}
		}
	}
	return all
}

// answer gives which answer a head is to a field; "" for none.
func (w *weigher) answer(f *schema.Field, head string) string {
	head = strings.Trim(head, " .:")
	if head == "" {
		return ""
	}
	if f.Kin().Type == schema.Boolean {
		switch yes, known := normalize.YesNo(head); {
		case !known:
			return ""
		case yes:
			return "true"
		}
		return "false"
	}
	if option := optionNamed(f.Kin(), head); option != "" {
		return option
	}
	if utf8.RuneCountInString(head) > mostOfLegend {
		return ""
	}
	return w.inLegend(f.Kin(), head)
}

// markUnder gives what the one mark in a row says, and where it stands.
func (w *weigher) markUnder(g *grid, line int) (says string, at span) {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine || cellSign(row) != g.sign {
		return "", span{}
	}
	for _, c := range cellsIn(row) {
		if mark := row[c[0]:c[1]]; utf8.RuneCountInString(mark) != 1 || !strings.Contains(gridMarks, mark) {
			continue
		}
		column := utf8.RuneCountInString(row[:c[0]])
		if g.sign != "" {
			column = strings.Count(row[:c[0]], g.sign)
		}
		said := g.under(column)
		if said == "" {
			continue
		}
		if at.End > 0 {
			return "", span{}
		}
		says, at = said, between(start+c[0], start+c[1])
	}
	return says, at
}

// under gives what a mark in a column says: that of the head over it, or of the one that stands nearest.
func (g *grid) under(column int) string {
	best, next, says := mostOfMark+1, mostOfMark+1, ""
	for _, c := range g.columns {
		away := max(c.from-column, column-max(c.from, c.to-1), 0)
		if g.sign != "" && away > 0 {
			continue
		}
		switch {
		case away < best:
			best, next, says = away, best, c.says
		case away < next:
			next = away
		}
	}
	if best > mostOfMark || best == next {
		return ""
	}
	return says
}

// gridLeft gives the mark in an item's row of a table that is ticked off, for a field without a value.
func (l *leaving) gridLeft(f *schema.Field, item value.Pointer) (found []leftover) {
	if t := f.Kin().Type; item == "" || t != schema.Choice && t != schema.Boolean {
		return nil
	}
	own := l.ownLine(item)
	if own < 0 {
		return nil
	}
	list := item.Parent()
	first, known := l.firstOf[list]
	if !known {
		first = own
		if items := l.record.At(list); items != nil {
			for i := range items.Kids {
				if at := l.ownLine(list.Index(i)); at >= 0 && at < first {
					first = at
				}
			}
		}
		if l.firstOf == nil {
			l.firstOf = map[value.Pointer]int{}
		}
		l.firstOf[list] = first
	}
	if says, mark := l.w.markedAs(f, first, own); mark.End > 0 && l.isFree(mark) {
		found = append(found, leftover{span: mark, form: aChoice, option: says})
	}
	return found
}
