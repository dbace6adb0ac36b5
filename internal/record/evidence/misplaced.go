package evidence

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// rowsOfOthers looks at the items of each list once all have their places: a value that
// stands in the line of another item, while its own item's line has another one at that
// place that nobody took, is the other's; and an item that was read from the same words
// as one before it is there twice.
func (w *weigher) rowsOfOthers(it *item) {
	for _, list := range it.lists {
		h := w.homesOf(list)
		w.ofOtherLines(h)
		w.inSeries(h)
		w.besideOwnUnits(h)
		w.inRowsOfEachOther(h)
		w.inOwnBrackets(h)
		w.inLinesOfOthers(h)
		w.inOwnBlocks(h)
		w.underOptionHeads(h)
		for _, kid := range list {
			w.underOtherHeads(kid)
		}
		w.oddColumns(h)
		w.inOwnEnds(h)
		w.optionsAtEnds(h)
		w.outOfOrder(h)
		w.inColumns(h)
		w.onMarks(h)
		w.besideOwnCells(h)
		w.verdictsInRows(h)
		w.saidInOwnLines(h)
		w.saidInClauses(h)
		w.choicesInClauses(h)
		w.figuresInClauses(h)
		w.textsInClauses(h)
		w.countedInLines(h)
		w.optionsOfRows(h)
		w.optionsByCode(h)
		w.optionsBySign(h)
		w.optionsByLegend(h)
		w.inGrids(h)
		w.byLegend(h)
		w.inSharedRows(h)
		w.hoursInRows(h)
		w.yesNoCells(h)
		w.underOwnHeadings(h)
		w.readTwice(h)
		w.saidTwice(list)
		for _, kid := range list {
			w.rowsOfOthers(kid)
		}
	}
}

// homes are the lines of a list's items.
type homes struct {
	list []*item
	at   []int       // of each item, see homeOf
	in   map[int]int // how many items stand in a line

	clauses [][]span    // of each item in prose, once asked for
	lines   map[int]int // whose each line is, once asked for

	inOwn map[*schema.Field]int // see inOwnLines
}

func (w *weigher) homesOf(list []*item) *homes {
	h := &homes{list: list, at: make([]int, len(list)), in: map[int]int{}}
	for i, it := range list {
		h.at[i] = w.homeOf(it)
		h.in[h.at[i]]++
	}
	return h
}

// own tells whether an item has a line to itself.
func (h *homes) own(i int) bool { return h.at[i] >= 0 && h.in[h.at[i]] == 1 }

// homeOf gives the line in which most values of an item stand, two at least; -1 for none.
func (w *weigher) homeOf(it *item) int {
	count := map[int]int{}
	for _, l := range it.leaves {
		if at := w.places[l.path]; at.Found() {
			count[w.lineOf(at)]++
		}
	}
	home, most := -1, 1
	for line, n := range count {
		switch {
		case n > most:
			home, most = line, n
		case n == most:
			home = -1 // in two lines alike
		}
	}
	if home < 0 {
		return w.lineOfName(it)
	}
	return home
}

// lineOf gives the line, from 0, of a place: that of a time below its day is its own.
func (w *weigher) lineOf(at Place) int {
	if at.End > w.ix.LineSpan(at.Line-1).End {
		if line := w.ix.LineOf(at.End - 1); w.ix.opensWithTime(line) {
			return line
		}
	}
	return at.Line - 1
}

// lineOfName gives the line that begins with what an item is called, where that stands nowhere
// else: its key, or its first text. -1 for none.
func (w *weigher) lineOfName(it *item) int {
	l := w.nameOf(it)
	if l == nil {
		return -1
	}
	at := w.places[l.path]
	if at.Rivals > 0 || at.Kind != Quoted && at.Kind != Restated {
		return -1
	}
	_, start, _ := w.ix.rowAt(at.Line - 1)
	before := rowNumber.ReplaceAllString(listMark.ReplaceAllString(w.ix.Source[start:max(start, at.Start)], ""), "")
	if strings.TrimLeft(before, " \t|-*•·") != "" && !w.isLabel(l.f, before) || !strings.ContainsFunc(w.ix.Source[at.Start:at.End], unicode.IsLetter) {
		return -1
	}
	return at.Line - 1
}

// ofOtherLines drops what is said of others: of an item only its own line speaks, where
// no other item stands.
func (w *weigher) ofOtherLines(h *homes) {
	for i, it := range h.list {
		speaks := h.own(i) && w.begins(it, h.at[i])
		for _, l := range it.leaves {
			if t := l.f.Kin().Type; t != schema.Boolean && t != schema.Choice || l.fixed != nil {
				continue
			}
			if at := w.places[l.path]; at.Opposed > 0 && at.Opposed-1 != h.at[i] || at.Opposed > 0 && !speaks && !(h.own(i) && w.answers(l, h.at[i])) {
				at.Opposed = 0
				w.places[l.path] = at
			}
		}
	}
}

// answers tells whether a line has the opposite of a boolean right behind its label: Fragile: yes.
func (w *weigher) answers(l *leaf, line int) bool {
	return l.f.Kin().Type == schema.Boolean && slices.ContainsFunc(w.yesOrNo(l.f.Kin(), l.value != "true", true), func(s span) bool {
		return w.ix.LineOf(s.Start) == line && w.led(l.f, s)
	})
}

// inLinesOfOthers takes their places from values that stand in the line of another item,
// while their own item's line says something else.
func (w *weigher) inLinesOfOthers(h *homes) {
	for i, it := range h.list {
		if !h.own(i) || len(h.list) < 2 {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if !at.Found() || l.fixed != nil || at.Line-1 == h.at[i] {
				continue
			}
			if at.Led && l.f.Kin().Type == schema.Boolean && h.in[at.Line-1] == 1 && w.linesSaying(l.f, l.value != "true", false)[h.at[i]] {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: h.at[i] + 1}
			}
			if at.Led && (h.in[at.Line-1] == 0 || !hasFigure(w.ix.Source[at.Start:at.End])) || h.in[at.Line-1] == 0 && w.isNamedIn(it, l, at.Line-1) {
				continue
			}
			switch l.f.Kin().Type {
			case schema.Boolean, schema.Choice:
				if w.begins(it, h.at[i]) && w.saysAnother(l, h.at[i]) {
					w.places[l.path] = Place{Kind: l.lacking, Opposed: h.at[i] + 1}
				}
			default:
				var own span
				if h.in[at.Line-1] > 0 {
					own = w.ownOf(it, l.f, at, h.at[i])
				} else if own = w.ownInRow(h, i, l); own.End == 0 {
					own = w.ownBesideShared(it, l, h.at[i])
				}
				if own.End == 0 {
					own = w.ownAlone(h, i, l)
				}
				switch said := w.ix.Source[own.Start:own.End]; {
				case said == "":
				case said == l.value || strings.HasPrefix(said, l.value+"/"): // the 2 of 2/8
					w.places[l.path] = Place{Kind: Restated, Start: own.Start, End: own.Start + len(l.value), Line: h.at[i] + 1, Tied: true}
				default:
					w.places[l.path] = Place{Kind: l.lacking, Misplaced: at.Line}
				}
			}
		}
	}
}

// isNamedIn tells whether a line that is no item's own has a text of an item: change by phone, lamp oil 8 instead
// of 6.
func (w *weigher) isNamedIn(it *item, l *leaf, line int) bool {
	s := w.ix.LineSpan(line)
	return slices.ContainsFunc(it.leaves, func(other *leaf) bool {
		if other == l || other.f.Kin().Type != schema.Text || len(other.cands) > mostNamed {
			return false
		}
		return slices.ContainsFunc(other.cands, func(c candidate) bool {
			return c.Start >= s.Start && c.End <= s.End && letters(w.ix.Source[c.Start:c.End]) > 2
		})
	})
}

// ownInRow is ownOf for a value that stands outside the list, while another item has its own
// in its row of cells.
func (w *weigher) ownInRow(h *homes, i int, l *leaf) span {
	here, _, _ := w.ix.rowAt(h.at[i])
	cells := len(cellsIn(here))
	if cells < 3 {
		return span{}
	}
	for j, other := range h.list {
		if j == i || !h.own(j) {
			continue
		}
		there, _, _ := w.ix.rowAt(h.at[j])
		if len(cellsIn(there)) != cells {
			continue
		}
		for _, k := range other.leaves {
			if at := w.places[k.path]; k.f == l.f && at.Found() && at.Line-1 == h.at[j] {
				return w.ownOf(h.list[i], l.f, at, h.at[i])
			}
		}
	}
	return span{}
}

// isJSON tells a line with a key of JSON.
func isJSON(row string) bool { return strings.Contains(row, `":`) }

// ownAlone gives the one figure of an item's line that nobody took, for a number that stands elsewhere, while most
// others of the list stand in the lines of their items.
func (w *weigher) ownAlone(h *homes, i int, l *leaf) span {
	if t := l.f.Kin().Type; t != schema.Integer && t != schema.Number {
		return span{}
	}
	if n := w.inOwnLines(h)[l.f]; n < leastAlike || 2*n < len(h.list)-1 {
		return span{}
	}
	return w.onlyFigure(h.at[i], func(s span) bool { return !w.ix.InDate(s) && !w.isRead(h.list[i], s) })
}

// onlyFigure gives the one figure of a line, behind the number of its entry, that is as asked for; an empty one where
// none is or several are.
func (w *weigher) onlyFigure(line int, is func(span) bool) (own span) {
	row, start, _ := w.ix.rowAt(line)
	from := start + len(listMark.FindString(row))
	for _, m := range figuresOf(row) {
		switch s := between(start+m[0], start+m[1]); {
		case s.Start < from || !is(s):
		case own.End > 0:
			return span{}
		default:
			own = s
		}
	}
	return own
}

// inOwnLines counts the items of which a field's value stands in their own line.
func (w *weigher) inOwnLines(h *homes) map[*schema.Field]int {
	if h.inOwn == nil {
		h.inOwn = map[*schema.Field]int{}
		for i, it := range h.list {
			for _, l := range it.leaves {
				if at := w.places[l.path]; h.own(i) && at.Found() && at.Line-1 == h.at[i] {
					h.inOwn[l.f]++
				}
			}
		}
	}
	return h.inOwn
}

// begins tells whether a line is an item's: it is a row of cells, or begins with a value of
// the item, but for a number or a mark before it.
func (w *weigher) begins(it *item, home int) bool {
	row, start, _ := w.ix.rowAt(home)
	if len(cellsIn(row)) > 1 || isJSON(row) {
		return true
	}
	return slices.ContainsFunc(it.leaves, func(l *leaf) bool {
		at := w.places[l.path]
		if !at.Found() || at.Line-1 != home {
			return false
		}
		before := strings.TrimSpace(w.ix.Source[start:max(start, at.Start)])
		return len(before) <= 4 || strings.HasSuffix(before, "=") && !strings.ContainsAny(before, " \t") // room=A2
	})
}

// isLabel tells whether words are a label of a field and nothing else, or end with one before an equals
// sign: Room:, room no, 04:00 room=.
func (w *weigher) isLabel(f *schema.Field, text string) bool {
	if name, is := assignedTo(text); is {
		text = name
	}
	words := wordsOf(text)
	return slices.ContainsFunc(w.labels(f), func(name []string) bool { return slices.Equal(name, words) })
}

// saysAnother tells whether a line has the words for another value of a boolean or a choice
// than the one that stands elsewhere.
func (w *weigher) saysAnother(l *leaf, line int) bool {
	f := l.f.Kin()
	if f.Type == schema.Boolean {
		return w.linesSaying(l.f, l.value != "true", true)[line]
	}
	if row, _, _ := w.ix.rowAt(line); f.List != nil || len(cellsIn(row)) < 2 && !isJSON(row) { // in prose a word is soon said of another
		return false
	}
	return slices.ContainsFunc(f.Of, func(o schema.Option) bool {
		return value.Str(o.Value).String() != l.value && w.linesSaying(l.f, o.Value, true)[line]
	})
}

// saying is a value of a boolean or a choice.
type saying struct {
	f      *schema.Field
	v      any
	surely bool // of a boolean, see yesOrNo
}

// linesSaying gives the lines that have the words for a value of a boolean or a choice.
func (w *weigher) linesSaying(own *schema.Field, v any, surely bool) map[int]bool {
	lines, known := w.saying[saying{own, v, surely}]
	if known {
		return lines
	}
	lines = map[int]bool{}
	note := func(spans []span, _ Kind, _ string) {
		for _, s := range spans {
			lines[w.ix.LineOf(s.Start)] = true
		}
	}
	switch v := v.(type) {
	case bool:
		note(w.yesOrNo(own.Kin(), v, surely), "", "")
	case string:
		w.synonyms(own.Kin(), v, note)
	}
	if w.saying == nil {
		w.saying = map[saying]map[int]bool{}
	}
	w.saying[saying{own, v, surely}] = lines
	return lines
}

// ownOf gives what the line of an item has where a value stands in the line of another, if no
// value of the item was read from it.
func (w *weigher) ownOf(it *item, f *schema.Field, at Place, home int) span {
	there, thereStart, _ := w.ix.rowAt(at.Line - 1)
	here, hereStart, _ := w.ix.rowAt(home)
	switch f.Kin().Type {
	case schema.Integer, schema.Number, schema.Money, schema.Quantity, schema.Date, schema.Time:
		theirs, ours := figuresOf(there), figuresOf(here)
		if cells, own := cellsIn(there), cellsIn(here); len(theirs) != len(ours) && len(cells) == len(own) {
			theirs, ours = cells, figureOfEach(here, own)
		}
		return w.leftOver(it, at, thereStart, theirs, hereStart, ours)
	case schema.Text:
		theirs, ours := cellStarts(there), cellStarts(here)
		if len(theirs) == 1 && len(ours) == 1 {
			theirs, ours = labelAndText(there, theirs), labelAndText(here, ours)
		}
		return w.leftOver(it, at, thereStart, theirs, hereStart, ours)
	}
	return span{}
}

// leftOver gives what stands in a row where a value stands in another, if it was read by no value
// of the item. Places in rows are counted from where the rows start.
func (w *weigher) leftOver(it *item, at Place, thereStart int, theirs [][2]int, hereStart int, ours [][2]int) span {
	for k, s := range theirs {
		if at.Start >= thereStart+s[1] || at.End <= thereStart+s[0] {
			continue
		}
		if k = alike(theirs, ours, k); k < 0 || ours[k][0] == ours[k][1] {
			return span{}
		}
		place := between(hereStart+ours[k][0], hereStart+ours[k][1])
		if r, _ := utf8.DecodeRuneInString(w.ix.Source[place.Start:]); !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return span{}
		}
		taken := slices.ContainsFunc(it.leaves, func(l *leaf) bool {
			p := w.places[l.path]
			return p.Found() && p.Start < place.End && p.End > place.Start
		})
		if taken {
			return span{}
		}
		return place
	}
	return span{}
}

// labelAndText gives, of a row that is a label with a colon and what it says, where both begin; any
// other stays as it is.
func labelAndText(row string, cells [][2]int) [][2]int {
	colon := strings.Index(row, ": ")
	if colon < 0 || colon > labelReach {
		return cells
	}
	begin := colon + 1 + len(row[colon+1:]) - len(strings.TrimLeft(row[colon+1:], " "))
	end := strings.IndexAny(row[begin:], " \t\v")
	if end < 0 {
		end = len(row) - begin
	}
	return [][2]int{{cells[0][0], colon}, {begin, begin + end}}
}

// alike gives which place of a row is that of another row: by their order, where both have
// as many, else by the column in which they begin or end; -1 for none.
func alike(theirs, ours [][2]int, k int) int {
	if len(theirs) == len(ours) {
		return k
	}
	near := func(a, b int) bool { return a-b <= mostAskew && b-a <= mostAskew }
	return slices.IndexFunc(ours, func(o [2]int) bool { return near(o[0], theirs[k][0]) || near(o[1], theirs[k][1]) })
}

// figuresOf gives where the figures of a row stand that are no part of a word.
func figuresOf(row string) (all [][2]int) {
	for _, m := range figure.FindAllStringIndex(row, mostCells) {
		before, _ := utf8.DecodeLastRuneInString(row[:m[0]])
		behind, _ := utf8.DecodeRuneInString(row[m[1]:])
		if !unicode.IsLetter(before) && (!unicode.IsLetter(behind) || m[1]-m[0] > 2) {
			all = append(all, [2]int{m[0], m[1]})
		}
	}
	return all
}

// figureOfEach gives the one figure of each cell; nothing for one that has none or several.
func figureOfEach(row string, cells [][2]int) (all [][2]int) {
	for _, c := range cells {
		in := figuresOf(row[c[0]:c[1]])
		if len(in) != 1 {
			in = [][2]int{{}}
		}
		all = append(all, [2]int{c[0] + in[0][0], c[0] + in[0][1]})
	}
	return all
}

// leavesNext tells whether a figure of an enumeration stands right beside a value, and no value of the record
// takes it: shelves 3 and 4, read as 4 and 4.
func (w *weigher) leavesNext(at Place) bool {
	if !at.Found() {
		return false
	}
	enumerates := func(gap string) bool {
		gap = strings.TrimSpace(gap)
		return gap == "," || gap == ";" || gap == "/" || gap == "&" || gap == "+" || lang.ListAnd.Has(strings.ToLower(gap))
	}
	_, figures := w.ix.NumbersIn(w.ix.LineSpan(at.Line - 1))
	for _, s := range figures {
		beside := s.End <= at.Start && enumerates(w.ix.Source[s.End:at.Start]) || s.Start >= at.End && enumerates(w.ix.Source[at.End:s.Start])
		if beside && !w.taken[s] {
			return true
		}
	}
	return false
}
