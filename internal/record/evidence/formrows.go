package evidence

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/schema"
)

// Forms without colons: a label in a cell and its value in the next, | Reported by | J. Corrigall |, or
// set apart by wide gaps, as in

//	Wind      SW 5, gusting 7
//	Pilot     G. Isbister

// labelOf is where a label of a field begins, and what it is the label of.
type labelOf struct {
	f           *schema.Field
	label, from int
}

// formRow gives the labels of a row that has nothing but labels, each with one value behind it. Rows of
// tables have more cells, and their heads name fields where values would stand.
func (u *unread) formRow(n int) (found []labelOf) {
	for _, pair := range u.pairs(n) {
		label, said := u.w.ix.Source[pair[0].Start:pair[0].End], u.w.ix.Source[pair[1].Start:pair[1].End]
		if f := u.wholeLabel(label); f != nil && letters(said) > 0 {
			found = append(found, labelOf{f, pair[0].Start, pair[1].Start})
		}
	}
	return found
}

// pairs gives the labels of such a row with what stands behind each, whatever they are labels of.
func (u *unread) pairs(n int) (all [][2]span) {
	text, start, _ := u.w.ix.rowAt(n)
	cells := cellsIn(text)
	if len(cells) != 2 && len(cells) != 4 || !strings.Contains(text, "|") && !u.isOfForm() {
		return nil
	}
	for k := 0; k < len(cells); k += 2 {
		label, said := text[cells[k][0]:cells[k][1]], text[cells[k+1][0]:cells[k+1][1]]
		if r, _ := utf8.DecodeRuneInString(label); !unicode.IsLetter(r) || strings.HasSuffix(label, ":") || len(label) > mostOfLabel || u.isField[folded(said)] || !hasFigure(said) && isRule(u.w.ix.Line(n+2)) {
			continue // [ ] paid  [x] on account; a head
		}
		all = append(all, [2]span{between(start+cells[k][0], start+cells[k][1]), between(start+cells[k+1][0], start+cells[k+1][1])})
	}
	return all
}

// mostOfLabel is how long a label is at most, in bytes.
const mostOfLabel = 32

// wholeLabel gives the field, of none that stands in lists, of which a cell is the label.
func (u *unread) wholeLabel(cell string) *schema.Field {
	words := wordsOf(cell)
	if len(words) == 0 {
		return nil
	}
	name := strings.Join(words, " ")
	for _, known := range [][]naming{u.named[words[0]], u.lists[words[0]]} {
		for _, other := range known {
			if strings.Join(other.words, " ") == name && !strings.Contains(other.f.Path, "[]") {
				return other.f
			}
		}
	}
	return nil
}

// leastOfForm is how many fields have their labels before wide gaps where those part labels from values:
// the head of a table has one there.
const leastOfForm = 2

// isOfForm tells whether wide gaps part labels from values in a document.
func (u *unread) isOfForm() bool {
	if u.isForm == nil {
		seen := map[*schema.Field]bool{}
		for n := range len(u.w.ix.Breaks) + 1 {
			text, _, _ := u.w.ix.rowAt(n)
			if cells := cellsIn(text); len(cells) == 2 || len(cells) == 4 {
				if f := u.wholeLabel(text[cells[0][0]:cells[0][1]]); f != nil {
					seen[f] = true
				}
			}
		}
		is := len(seen) >= leastOfForm
		u.isForm = &is
	}
	return *u.isForm
}

// isRule tells the line below the head of a table.
func isRule(line string) bool {
	return strings.Contains(line, "--") && strings.Trim(line, "|-:=+ ") == ""
}
