package evidence

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/schema"
)

// rowsOfOthers looks at the items of each list once all have their places: a value that
// stands in the line of another item, while its own item's line has another one at that
// place that nobody took, is the other's; and an item that was read from the same words
// as one before it is there twice.
func (w *weigher) rowsOfOthers(it *item) {
	for _, list := range it.lists {
		w.ofOtherLines(list)
		w.inLinesOfOthers(list)
		w.readTwice(list)
		for _, kid := range list {
			w.rowsOfOthers(kid)
		}
	}
}

// homeOf gives the line in which most values of an item stand, two at least; -1 for none.
func (w *weigher) homeOf(it *item) int {
	count := map[int]int{}
	for _, l := range it.leaves {
		if at := w.places[l.path]; at.Found() {
			count[at.Line-1]++
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
	return home
}

// ofOtherLines drops what is said of others: of an item only its own line speaks, where
// no other item stands.
func (w *weigher) ofOtherLines(list []*item) {
	in := map[int]int{}
	for _, it := range list {
		in[w.homeOf(it)]++
	}
	for _, it := range list {
		home := w.homeOf(it)
		if home >= 0 && (in[home] > 1 || !w.begins(it, home)) {
			home = -1
		}
		for _, l := range it.leaves {
			if at := w.places[l.path]; at.Opposed > 0 && at.Opposed-1 != home {
				at.Opposed = 0
				w.places[l.path] = at
			}
		}
	}
}

func (w *weigher) inLinesOfOthers(list []*item) {
	if len(list) < 2 {
		return
	}
	homes := make([]int, len(list))
	owner := map[int]int{}
	looked := 0
	for i, it := range list {
		homes[i] = w.homeOf(it)
		if _, taken := owner[homes[i]]; taken {
			delete(owner, homes[i]) // two items of one line
			continue
		}
		owner[homes[i]] = i
	}
	delete(owner, -1)
	for i, it := range list {
		if own, sure := owner[homes[i]]; !sure || own != i {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if !at.Found() || at.Led || l.fixed != nil || at.Line-1 == homes[i] {
				continue
			}
			if t := l.f.Kin().Type; t == schema.Boolean || t == schema.Choice {
				if looked++; looked < mostLooked && w.begins(it, homes[i]) && w.saysAnother(l, at, homes[i]) {
					w.places[l.path] = Place{Kind: l.lacking, Opposed: homes[i] + 1}
				}
				continue
			}
			if _, others := owner[at.Line-1]; others && w.hasOwn(it, l.f, at, homes[i]) {
				w.places[l.path] = Place{Kind: l.lacking, Misplaced: at.Line}
			}
		}
	}
}

// mostLooked bounds for how many booleans and choices of a list the whole text is looked
// through again.
const mostLooked = 200

// begins tells whether a line is an item's: it is a row of cells, or begins with a value of
// the item, but for a number or a mark before it.
func (w *weigher) begins(it *item, home int) bool {
	row, start, _ := w.ix.rowAt(home)
	if len(cellsIn(row)) > 1 {
		return true
	}
	return slices.ContainsFunc(it.leaves, func(l *leaf) bool {
		at := w.places[l.path]
		return at.Found() && at.Line-1 == home && len(strings.TrimSpace(w.ix.Source[start:max(start, at.Start)])) <= 4
	})
}

// saysAnother tells whether an item's line has the words for the opposite of a boolean
// that stands in another line, or for another option of a choice.
func (w *weigher) saysAnother(l *leaf, at Place, home int) bool {
	f := l.f.Kin()
	here := func(s span) bool { return w.ix.LineOf(s.Start) == home }
	if f.Type == schema.Boolean {
		yes := w.yesOrNo(f, true, w.ledBy)
		isYes := slices.ContainsFunc(yes, func(s span) bool { return s.Start == at.Start })
		return slices.ContainsFunc(w.yesOrNo(f, !isYes, w.ledBy), here)
	}
	if row, _, _ := w.ix.rowAt(home); f.List != nil || len(cellsIn(row)) < 2 { // in prose a word is soon said of another
		return false
	}
	said := map[string]bool{}
	for _, o := range f.Of {
		w.synonyms(f, o.Value, func(spans []span, _ Kind, _ string) {
			said[o.Value] = said[o.Value] || slices.ContainsFunc(spans, here) // the words stand in the item's own line
		})
	}
	return len(said) > 0 && slices.ContainsFunc(f.Of, func(o schema.Option) bool { return said[o.Value] })
}

// hasOwn tells whether the line of an item has, where a value stands in the line of
// another, something that no value of the item was read from.
func (w *weigher) hasOwn(it *item, f *schema.Field, at Place, home int) bool {
	there, thereStart, _ := w.ix.rowAt(at.Line - 1)
	here, hereStart, _ := w.ix.rowAt(home)
	switch f.Kin().Type {
	case schema.Integer, schema.Number, schema.Money, schema.Quantity, schema.Date, schema.Time:
		theirs, ours := figuresOf(there), figuresOf(here)
		if cells, own := cellsIn(there), cellsIn(here); len(theirs) != len(ours) && len(cells) == len(own) {
			theirs, ours = cells, figureOfEach(here, own)
		}
		return w.isFree(it, at, thereStart, theirs, hereStart, ours)
	case schema.Text:
		return w.isFree(it, at, thereStart, cellStarts(there), hereStart, cellStarts(here))
	}
	return false
}

// isFree tells whether what stands in a row where a value stands in another was read by no
// value of the item. Places in rows are counted from where the rows start.
func (w *weigher) isFree(it *item, at Place, thereStart int, theirs [][2]int, hereStart int, ours [][2]int) bool {
	for k, s := range theirs {
		if at.Start >= thereStart+s[1] || at.End <= thereStart+s[0] {
			continue
		}
		if k = alike(theirs, ours, k); k < 0 || ours[k][0] == ours[k][1] {
			return false
		}
		place := between(hereStart+ours[k][0], hereStart+ours[k][1])
		if r, _ := utf8.DecodeRuneInString(w.ix.Source[place.Start:]); !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return false
		}
		return !slices.ContainsFunc(it.leaves, func(l *leaf) bool {
			p := w.places[l.path]
			return p.Found() && p.Start < place.End && p.End > place.Start
		})
	}
	return false
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

// cellsIn gives where the cells of a row stand.
func cellsIn(row string) (all [][2]int) {
	starts := cellStarts(row)
	for k, s := range starts {
		end := len(row)
		if k+1 < len(starts) {
			end = starts[k+1][0]
		}
		all = append(all, [2]int{s[0], s[0] + len(strings.TrimRight(row[s[0]:end], " \t|"))})
	}
	return all
}

// cellStarts gives the first word of each cell of a row.
func cellStarts(row string) (all [][2]int) {
	open := true
	for i := 0; i < len(row) && len(all) < mostCells; {
		gap := len(row[i:]) - len(strings.TrimLeft(row[i:], " \t|"))
		if gap > 1 || strings.ContainsAny(row[i:i+gap], "\t|") {
			open = true
		}
		i += gap
		end := i
		for end < len(row) && !strings.ContainsRune(" \t|", rune(row[end])) {
			end++
		}
		if open && end > i {
			all = append(all, [2]int{i, end})
		}
		open, i = false, end
	}
	return all
}

// readTwice notes an item of a list without a key that says what one before it says, and
// comes from the same line, which says it once.
func (w *weigher) readTwice(list []*item) {
	in := map[int][]*item{} // by the line
	for _, it := range list {
		home := w.homeOf(it)
		if home < 0 || len(it.lists) > 0 || len(in[home]) == mostInLine {
			continue
		}
		for _, other := range in[home] {
			if !w.sayTheSame(it, other) {
				continue
			}
			for _, l := range it.leaves {
				if at := w.places[l.path]; at.Found() {
					at.Again = other.leaves[0].path.Parent()
					w.places[l.path] = at
					break
				}
			}
			break
		}
		in[home] = append(in[home], it)
	}
}

// mostInLine bounds how many items of one line are compared.
const mostInLine = 20

// sayTheSame tells whether two items without a key have the same values: then they have
// the same candidates, which are looked for once.
func (w *weigher) sayTheSame(a, b *item) bool {
	if len(a.leaves) != len(b.leaves) {
		return false
	}
	for k, l := range a.leaves {
		o := b.leaves[k]
		if _, isKey := w.heads[l.f]; isKey || l.f != o.f || len(l.cands) != len(o.cands) || len(l.cands) > 0 && &l.cands[0] != &o.cands[0] {
			return false
		}
	}
	return true
}
