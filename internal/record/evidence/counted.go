package evidence

import (
	"strconv"
	"strings"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Small figures stand anywhere by chance: the 3 of "task 3" is no number of cylinders where the
// document says "2 cylinders".

// mostCounted is how many digits a figure has at most that stands somewhere by chance.
const mostCounted = 3

// countedOtherwise takes their places from small figures of the record itself that stand without
// their label, while another figure stands right beside their field's name, and no other does.
func (w *weigher) countedOtherwise() {
	if w.all.EachEntry() {
		return // what another entry counts says nothing of this one
	}
	for _, l := range w.leaves {
		at := w.places[l.path]
		t := l.f.Kin().Type
		if l.fixed != nil || !at.Found() || at.Basis || t != schema.Integer && t != schema.Number || len(l.value) > mostCounted || strings.Contains(l.f.Path, "[]") || l.f.Concludes || at.Led && !w.isSpent(l.f, at) {
			continue
		}
		if s := w.otherCount(l); s.End > 0 {
			w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1, Says: s}
		}
	}
}

// isSpent tells whether a figure stands right beside the last label before a place: the label is that
// one's.
func (w *weigher) isSpent(f *schema.Field, at Place) bool {
	for k := w.ix.TokenAt(at.Start) - 1; k >= 0 && w.ix.LineOf(w.ix.Tokens[k].Start) == at.Line-1; k-- {
		for _, name := range w.labels(f) {
			if first := k - len(name) + 1; first >= 0 && w.ix.Reads(first, name) {
				_, before := w.countAt(first-1, first, k)
				_, behind := w.countAt(k+1, first, k)
				return letters(w.ix.Source[w.ix.Tokens[k].End:at.Start]) > 0 && (before || behind)
			}
		}
	}
	return false
}

// otherCount gives the one figure that stands right before or behind the name of a field, and is another
// than its value.
func (w *weigher) otherCount(l *leaf) (found span) {
	said := ""
	for _, name := range w.labels(l.f) {
		for _, i := range w.ix.ByWord[name[0]] {
			last := i + len(name) - 1
			if !w.ix.Reads(i, name) || last >= len(w.ix.Tokens) {
				continue
			}
			for _, k := range []int{i - 1, last + 1} {
				n, ok := w.countAt(k, i, last)
				switch {
				case !ok || n == said:
				case value.EqualNumbers(n, l.value) || said != "":
					return span{}
				default:
					said, found = n, between(min(w.ix.Tokens[k].Start, w.ix.Tokens[i].Start), max(w.ix.Tokens[k].End, w.ix.Tokens[last].End))
				}
			}
		}
	}
	return found
}

// countAt gives the whole number that a token is, if it stands right beside a name: 2 cylinders,
// cylinders: two.
func (w *weigher) countAt(k, first, last int) (number string, ok bool) {
	if k < 0 || k >= len(w.ix.Tokens) {
		return "", false
	}
	t := w.ix.Tokens[k]
	gap := w.ix.Source[min(t.End, w.ix.Tokens[last].End):max(t.Start, w.ix.Tokens[first].Start)]
	if k < first {
		if gap != " " && gap != "\u00a0" {
			return "", false
		}
	} else if gap != ": " {
		return "", false
	}
	if n, known := reading.NumberWord(t.Word); known {
		return strconv.Itoa(n), true
	}
	n, err := strconv.Atoi(t.Word)
	if err != nil || len(t.Word) > mostCounted || w.ix.InDate(t.Span) || w.isJoined(t.Span) {
		return "", false
	}
	if m := w.ix.MeasureOf(t.Span); m.Code != "" || m.Minor || k < first && m.Unit != "" { // 5 min is no least number
		return "", false
	}
	return strconv.Itoa(n), true
}

// isJoined tells whether a figure is a part of a longer one, a range or a mark: 1.5, 2-3, A/2.
func (w *weigher) isJoined(s span) bool {
	const joins = "-–/.,:#+~"
	before, _ := utf8.DecodeLastRuneInString(w.ix.Source[:s.Start])
	behind, size := utf8.DecodeRuneInString(w.ix.Source[s.End:])
	next := w.ix.Source[s.End+size:]
	return strings.ContainsRune(joins, before) || strings.ContainsRune(joins, behind) && next != "" && next[0] != ' ' && next[0] != '\n'
}
