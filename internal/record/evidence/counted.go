package evidence

import (
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lang"
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
		if !strings.Contains(l.f.Path, "[]") {
			w.measuredOtherwise(l, []span{between(0, len(w.ix.Source))})
		}
		if !w.mayBeByChance(l) || strings.Contains(l.f.Path, "[]") {
			continue
		}
		s := w.otherCount(l, between(0, len(w.ix.Source)))
		if s.End == 0 {
			s = w.kinCount(l, at)
		}
		if s.End > 0 {
			w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1, Says: s}
		}
	}
}

// mayBeByChance tells a small figure that stands without its label, or behind one that has its own.
func (w *weigher) mayBeByChance(l *leaf) bool {
	at, t := w.places[l.path], l.f.Kin().Type
	return l.fixed == nil && at.Found() && !at.Basis && (t == schema.Integer || t == schema.Number) && len(l.value) <= mostCounted && !l.f.Concludes && (!at.Led || w.isSpent(l.f, at))
}

// countedInLines is countedOtherwise for the items of a list, each by its own line or clauses: 5 expected, 6 found.
func (w *weigher) countedInLines(h *homes) {
	for i, it := range h.list {
		for _, l := range it.leaves {
			var within []span
			if h.own(i) {
				within = []span{w.ix.LineSpan(h.at[i])}
				w.measuredOtherwise(l, within)
			}
			if !w.mayBeByChance(l) {
				continue
			}
			if !h.own(i) && len(h.list) > 1 {
				within = w.clausesIn(h)[i]
			}
			if s := w.countIn(l, within); s.End > 0 {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1, Says: s}
			}
		}
	}
}

// countIn gives what otherCount finds in some stretches, if only one of them has any.
func (w *weigher) countIn(l *leaf, within []span) (found span) {
	at := w.places[l.path]
	for _, stretch := range within {
		s := w.otherCount(l, stretch)
		if s.End > 0 && found.End > 0 || stretch.Start <= at.Start && at.End <= stretch.End && s.End == 0 {
			return span{}
		}
		if s.End > 0 {
			found = s
		}
	}
	return found
}

// isSpent tells whether a figure stands right beside the last label before a place: the label is that
// one's.
func (w *weigher) isSpent(f *schema.Field, at Place) bool {
	for k := w.ix.TokenAt(at.Start) - 1; k >= 0 && w.ix.LineOf(w.ix.Tokens[k].Start) == at.Line-1; k-- {
		for _, name := range w.labels(f) {
			if first := k - len(name) + 1; first >= 0 && w.ix.Reads(first, name) {
				_, before := w.countAt(first-1, first, k)
				_, behind := w.countAt(k+1, first, k)
				gap := w.ix.Source[w.ix.Tokens[k].End:at.Start]
				return letters(gap) > 0 && (before || behind) || before && strings.HasPrefix(gap, ",")
			}
		}
	}
	return false
}

// otherCount gives the one figure in a stretch that stands right before or behind the name of a field, and is
// another than its value.
func (w *weigher) otherCount(l *leaf, within span) (found span) {
	said := ""
	for _, name := range w.counted(l.f) {
		for _, named := range w.ix.wordsIn(name, within) {
			i := w.ix.TokenAt(named.Start)
			last := w.throughSum(i + len(name) - 1)
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

// counted gives the names of a field, and those of one word in the singular, too: one crack, for cracks.
func (w *weigher) counted(f *schema.Field) [][]string {
	names := w.labels(f)
	for _, name := range names {
		if one := lang.Singular(name[0]); len(name) == 1 && one != name[0] && len(one) >= shortestStem {
			names = append(slices.Clip(names), []string{one})
		}
	}
	return names
}

// throughSum steps over the words between a name and its colon that say that it is of all: Missing in all: 4.
func (w *weigher) throughSum(last int) int {
	for i := last + 1; i < len(w.ix.Tokens) && i <= last+mostSumWords; i++ {
		word := w.ix.Tokens[i].Word
		if w.ix.Source[w.ix.Tokens[i-1].End:w.ix.Tokens[i].Start] != " " || !lang.Sum.Has(word) && !lang.Frequent.Has(word) && !lang.Filler.Has(word) && word != "all" {
			return last
		}
		if strings.HasPrefix(w.ix.Source[w.ix.Tokens[i].End:], ":") {
			return i
		}
	}
	return last
}

// mostSumWords is how many such words there are at most.
const mostSumWords = 3

// countAt gives the whole number that a token is, if it stands right beside a name: 2 cylinders,
// cylinders: two.
func (w *weigher) countAt(k, first, last int) (number string, ok bool) {
	if k < 0 || k >= len(w.ix.Tokens) {
		return "", false
	}
	t := w.ix.Tokens[k]
	gap := w.ix.Source[min(t.End, w.ix.Tokens[last].End):max(t.Start, w.ix.Tokens[first].Start)]
	if k < first {
		if gap != " " && gap != "\u00a0" && (gap != ". " || w.opensLine(t.Span)) { // 2. Halbjahr
			return "", false
		}
	} else if gap != ": " {
		return "", false
	}
	if m := w.ix.MeasureOf(t.Span); k < first && m.Unit != "" { // 5 min is no least number
		return "", false
	}
	if rank := lang.Day.Meaning(t.Word); k < first && rank != "" { // second floor
		return rank, true
	}
	return w.numberAt(k)
}

// numberAt gives the small whole number that a token is.
func (w *weigher) numberAt(k int) (number string, ok bool) {
	t := w.ix.Tokens[k]
	if n, known := reading.NumberWord(t.Word); known {
		return strconv.Itoa(n), true
	}
	n, err := strconv.Atoi(t.Word)
	if err != nil || len(t.Word) > mostCounted || w.ix.InDate(t.Span) || w.isJoined(t.Span) {
		return "", false
	}
	if m := w.ix.MeasureOf(t.Span); m.Code != "" || m.Minor {
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

// kinCount gives the one figure that stands beside a word kin to the name of a field, where the field's value
// stands beside a word that is kin to another's: started 5, finished 4, for starters and finishers.
func (w *weigher) kinCount(l *leaf, at Place) (found span) {
	isOf := func(f *schema.Field, i, k int) bool { // whether word i is kin to its name, and stands right beside k
		name := f.SpokenName()
		if i < 0 || k < 0 || max(i, k) >= len(w.ix.Tokens) || strings.Contains(name, " ") || !isKin(name, w.ix.Tokens[i].Word) {
			return false
		}
		a, b := w.ix.Tokens[min(i, k)], w.ix.Tokens[max(i, k)]
		return strings.TrimLeft(w.ix.Source[a.End:b.Start], ":") == " "
	}
	own := w.ix.TokenAt(at.Start)
	isOthers := func(i int) bool {
		return slices.ContainsFunc(l.item.leaves, func(other *leaf) bool { return other.f != l.f && isOf(other.f, i, own) })
	}
	if isOf(l.f, own-1, own) || isOf(l.f, own+1, own) || !isOthers(own-1) && !isOthers(own+1) {
		return span{}
	}
	said := ""
	line := w.ix.LineSpan(at.Line - 1)
	for k := w.ix.TokenAt(line.Start); k < len(w.ix.Tokens) && w.ix.Tokens[k].Start < line.End; k++ {
		for _, i := range []int{k - 1, k + 1} {
			if !isOf(l.f, i, k) {
				continue
			}
			switch n, ok := w.numberAt(k); {
			case !ok:
			case value.EqualNumbers(n, l.value) || said != "":
				return span{}
			default:
				said, found = n, between(min(w.ix.Tokens[k].Start, w.ix.Tokens[i].Start), max(w.ix.Tokens[k].End, w.ix.Tokens[i].End))
			}
		}
	}
	return found
}
