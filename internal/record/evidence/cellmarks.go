package evidence

import "strings"

// Booleans that the cells of a table say by a mark: (10) for a result that is discarded, 21:00* for one that is sold out.

// leastMarked is how many items with a mark, and without one, a boolean agrees with at least, and disagreeOf of how many
// one may have it wrong.
const (
	leastMarked = 2
	disagreeOf  = 6
)

// cellMarks are the signs that mark a cell, with what closes them.
var cellMarks = [][2]string{{"(", ")"}, {"[", "]"}, {"", "*"}, {"", "†"}, {"", "+"}, {"*", ""}, {"", "!"}}

// markedInCells holds booleans against the marks of their cells, where nearly all are so in all with a mark, and not so in
// the others; or the other way about.
func (w *weigher) markedInCells(of []inCell) {
	if len(of) < 2*leastMarked {
		return
	}
	for _, g := range of[0].it.leaves {
		if !isBoolean(g.f.Kin()) || g.f.Concludes {
			continue
		}
		for _, mark := range cellMarks {
			w.byCellMark(of, g, mark)
		}
	}
}

func (w *weigher) byCellMark(of []inCell, g *leaf, mark [2]string) {
	agree := map[[2]bool][]*leaf{} // marked, and so
	has := map[*leaf]inCell{}
	for _, c := range of {
		l := leafOf(c.it, g.f)
		if l == nil || c.cell.End == 0 || l.value != "true" && l.value != "false" {
			continue
		}
		said := strings.TrimSpace(w.ix.Source[c.cell.Start:c.cell.End])
		key := [2]bool{strings.HasPrefix(said, mark[0]) && strings.HasSuffix(said, mark[1]), l.value == "true"}
		agree[key] = append(agree[key], l)
		has[l] = c
	}
	yes, no := [2]bool{true, true}, [2]bool{false, false}
	out := append(agree[[2]bool{true, false}], agree[[2]bool{false, true}]...)
	if len(agree[yes]) < leastMarked || len(agree[no]) < leastMarked || disagreeOf*len(out) > len(has) {
		return
	}
	for _, l := range agree[yes] {
		if l.fixed == nil {
			w.restate(l, has[l].cell)
		}
	}
	for _, l := range out {
		if l.fixed == nil {
			w.places[l.path] = Place{Kind: l.lacking, Opposed: has[l].row + 1}
		}
	}
}
