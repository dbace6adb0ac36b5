package evidence

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// Forms without colons: a label in a cell and its value in the next, | Reported by | J. Corrigall |, or
// set apart by wide gaps, as in

//	Wind      SW 5, gusting 7
//	Pilot     G. Isbister

// labelOf is where a label of a field begins, where what it is the label of does, and where that ends; 0 where
// the next label ends it.
type labelOf struct {
	f               *schema.Field
	label, from, to int
}

// formRow gives the labels of fields in a row, each with a value in the cell behind it.
func (u *unread) formRow(n int) (found []labelOf) {
	for _, pair := range u.w.pairs(n) {
		if pair.f != nil && !u.isFilled(pair.f) && letters(u.w.ix.Source[pair.said.Start:pair.said.End]) > 0 && (pair.f.Type != schema.List || u.isEmptyList(pair.f)) {
			found = append(found, labelOf{pair.f, pair.label.Start, pair.said.Start, pair.said.End})
		}
	}
	return found
}

// isFilled tells whether a field has a value that stands behind a label of it: another one without a colon
// may be a word of the text.
func (u *unread) isFilled(f *schema.Field) bool {
	if u.filled == nil {
		u.filled = map[*schema.Field]bool{}
		for p, at := range u.places {
			if at.Found() && at.Led {
				u.filled[u.s.At(p)] = true
			}
		}
	}
	return u.filled[f]
}

func (u *unread) isEmptyList(f *schema.Field) bool {
	for _, known := range u.lists {
		if slices.ContainsFunc(known, func(other naming) bool { return other.f == f }) {
			return true
		}
	}
	return false
}

// pair is a label in a cell with what stands in the next.
type pair struct {
	label, said span
	f           *schema.Field // of which it is the label; nil for none
}

// pairs gives the pairs of a row: with the label of a field anywhere, and in a row of nothing but pairs with
// any. Rows of tables have more cells, and their heads name fields where values would stand.
func (w *weigher) pairs(n int) (all []pair) {
	text, start, _ := w.ix.rowAt(n)
	if len(text) > longestLine {
		return nil
	}
	cells := cellsIn(text)
	if len(cells) < 2 || !strings.Contains(text, "|") && !w.isOfForm() || !hasFigure(text) && w.isTableHead(n, len(cells)) {
		return nil
	}
	for k := 0; k+1 < len(cells); k++ {
		label, said := text[cells[k][0]:cells[k][1]], text[cells[k+1][0]:cells[k+1][1]]
		f := w.labelled(label)
		_, isAnswer := normalize.YesNo(said)
		if r, _ := utf8.DecodeRuneInString(label); !unicode.IsLetter(r) || strings.HasSuffix(label, ":") || len(label) > mostOfLabel || w.isName[folded(said)] && !isAnswer {
			continue // [ ] paid  [x] on account; a head; but a field may be called "no"
		}
		if f == nil && (len(cells) != 2 && len(cells) != 4 || k%2 > 0) {
			continue
		}
		all = append(all, pair{between(start+cells[k][0], start+cells[k][1]), between(start+cells[k+1][0], start+cells[k+1][1]), f})
		k++
	}
	return all
}

// isTableHead tells a row without figures that heads others: a rule stands below it and no value was read from
// it, or a row of as many cells of which none is a label.
func (w *weigher) isTableHead(n, cells int) bool {
	next := w.ix.Line(n + 2)
	if isRule(next) {
		return !w.isTouched(n)
	}
	below := cellsOf(next)
	return cells > 2 && len(below) == cells && !slices.ContainsFunc(below, func(cell string) bool { return w.labelled(cell) != nil })
}

// isTouched tells whether a value of the record was read from a line.
func (w *weigher) isTouched(n int) bool {
	if w.touched == nil {
		w.touched = map[int]bool{}
		for _, at := range w.places {
			if at.Found() {
				w.touched[at.Line-1] = true
			}
		}
	}
	return w.touched[n]
}

// pairOf gives the pair in whose value a place stands.
func (w *weigher) pairOf(s span) (pair, bool) {
	if w.all == nil {
		return pair{}, false
	}
	for _, p := range w.pairs(w.ix.LineOf(s.Start)) {
		if p.said.Start <= s.Start && s.End <= p.said.End {
			return p, true
		}
	}
	return pair{}, false
}

// isOfOther tells whether a place stands behind the label of another field in a form: Jabs  yes   Neutered  no.
func (w *weigher) isOfOther(f *schema.Field, s span) bool {
	p, is := w.pairOf(s)
	return is && p.f != nil && p.f != f
}

// mostOfLabel is how long a label is at most, in bytes.
const mostOfLabel = 32

// labelled gives the field, of none that stands in lists, of which a cell is the label.
func (w *weigher) labelled(cell string) *schema.Field {
	if w.wholly == nil {
		w.wholly, w.isName = map[string]*schema.Field{}, map[string]bool{}
		w.all.Root.Walk(func(f *schema.Field, _ int) {
			if f.Name == "" || !f.IsLeaf() && f.Type != schema.List {
				return
			}
			for _, words := range w.labels(f) {
				name := strings.Join(words, " ")
				w.isName[name] = true
				if w.wholly[name] == nil && !strings.Contains(f.Path, "[]") {
					w.wholly[name] = f
				}
			}
		})
	}
	return w.wholly[folded(cell)]
}

// leastOfForm is how many fields have their labels before wide gaps where those part labels from values:
// the head of a table has one there.
const leastOfForm = 2

// isOfForm tells whether wide gaps part labels from values in a document.
func (w *weigher) isOfForm() bool {
	if w.form == nil {
		seen := map[*schema.Field]bool{}
		for n := range len(w.ix.Breaks) + 1 {
			text, _, _ := w.ix.rowAt(n)
			if cells := cellsIn(text); len(text) <= longestLine && len(cells) > 1 {
				if f := w.labelled(text[cells[0][0]:cells[0][1]]); f != nil && w.labelled(text[cells[1][0]:cells[1][1]]) == nil {
					seen[f] = true
				}
			}
		}
		is := len(seen) >= leastOfForm
		w.form = &is
	}
	return *w.form
}

// isRule tells the line below the head of a table.
func isRule(line string) bool {
	return strings.Contains(line, "--") && strings.Trim(line, "|-:=+ ") == ""
}
