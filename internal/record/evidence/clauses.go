package evidence

import (
	"slices"
	"sort"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Lists in prose: several items in a paragraph, each in clauses of its own, or with what is said of it in
// brackets behind its name. Ada (cook, 8 hours) and Bo (waiter, 7 hours); the third one has failed.

// mostInClause bounds how many values of a list are looked at in prose.
const mostInClause = 1000

// mostNamed is how often a text of an item stands in a document at most of which each place counts, and how often
// the words of options do.
const (
	mostNamed   = 8
	mostOptions = 200
)

// clauseAt gives the clause around a place: its sentence, cut at semicolons outside of brackets.
func (ix *Index) clauseAt(s span) span {
	whole := ix.SentenceSpan(s.Start, s.End)
	from, depth := whole.Start, 0
	for i := whole.Start; i < whole.End; i++ {
		switch ix.Source[i] {
		case '(':
			depth++
		case ')':
			depth--
		case ';':
			if depth <= 0 && i >= s.End {
				return between(from, i)
			}
			if depth <= 0 {
				from = i + 1
			}
		}
	}
	return between(min(from, s.Start), whole.End)
}

// clausesIn gives the clauses of the items of a list, found once.
func (w *weigher) clausesIn(h *homes) [][]span {
	if h.clauses == nil {
		h.clauses = w.clausesOf(h.list)
	}
	return h.clauses
}

// hasRow tells whether an item has a row of cells to itself.
func (w *weigher) hasRow(h *homes, i int) bool {
	if !h.own(i) {
		return false
	}
	row, _, _ := w.ix.rowAt(h.at[i])
	return len(cellsIn(row)) > 1
}

// isBesideOwn tells whether a value stands in one clause with another one of its item.
func (w *weigher) isBesideOwn(it *item, l *leaf) bool {
	at := w.places[l.path]
	if !at.Found() {
		return false
	}
	c := w.ix.clauseAt(between(at.Start, at.End))
	return slices.ContainsFunc(it.leaves, func(other *leaf) bool {
		of := w.places[other.path]
		isSmall := other.f.Kin().Type == schema.Integer && of.End-of.Start < 3 // it stands somewhere by chance
		return other != l && of.Found() && !isSmall && c.Start <= of.Start && of.End <= c.End
	})
}

// clausesOf gives for each of some items the clauses in which a text of it stands, and none of another, and those
// that go on with them.
func (w *weigher) clausesOf(list []*item) [][]span {
	named, some, clauses, n := map[span]map[int]bool{}, map[span]int{}, make([][]span, len(list)), 0
	has := func(c span, i int) { // values, of that item alone or of several
		if of, is := some[c]; is && of != i {
			i = -1
		}
		some[c] = i
	}
	name := func(c span, i int) {
		if has(c, i); named[c] == nil {
			named[c] = map[int]bool{}
		}
		named[c][i] = true
	}
	for i, it := range list {
		it.all(1, func(l *leaf, _ float64) {
			at, t := w.places[l.path], l.f.Kin().Type
			if n++; !at.Found() || at.Basis || n > mostInClause || t == schema.Choice || t == schema.Boolean {
				return // what is looked at says nothing of where its item is
			}
			c := w.ix.clauseAt(between(at.Start, at.End))
			if has(c, i); t != schema.Text {
				return
			}
			for _, again := range l.cands[:min(len(l.cands), mostNamed)] { // what is said of it later is its own, too
				name(w.ix.clauseAt(again.span), i)
			}
			name(c, i)
			if l.item == it && !slices.Contains(clauses[i], c) {
				clauses[i] = append(clauses[i], c)
			}
		})
	}
	parts, speaker := map[span][]saidPart{}, w.speakersOf(list, clauses)
	for i := range clauses {
		for k, c := range clauses[i] {
			if of, is := speaker[c]; is {
				if of != i {
					clauses[i][k] = span{}
				}
				continue
			}
			if len(named[c]) < 2 {
				continue
			}
			if _, known := parts[c]; !known {
				parts[c] = w.partsByName(list, c)
			}
			clauses[i][k] = partOf(parts[c], i)
		}
		clauses[i] = slices.DeleteFunc(clauses[i], func(c span) bool { return c.End == 0 })
		for _, c := range slices.Clone(clauses[i]) {
			clauses[i] = append(clauses[i], w.ix.goOn(c, func(next span) bool {
				of, is := some[next]
				return is && (of != i || w.ix.Source[next.Start-min(next.Start, 1):next.Start] != ";")
			})...)
		}
	}
	return clauses
}

// partOf gives that of an item; an empty one for none.
func partOf(parts []saidPart, i int) span {
	for _, p := range parts {
		if p.i == i {
			return p.part
		}
	}
	return span{}
}

// mostGoingOn is how many clauses go on with what one says, at most.
const mostGoingOn = 4

// goOn gives the clauses right behind one, in its paragraph and up to one with values: it is in good condition.
func (ix *Index) goOn(c span, hasValues func(span) bool) (all []span) {
	for range mostGoingOn {
		i := ix.TokenAt(c.End)
		if i >= len(ix.Tokens) || strings.Contains(ix.Source[c.End:max(c.End, ix.Tokens[i].Start)], "\n\n") {
			break
		}
		if c = ix.clauseAt(ix.Tokens[i].Span); hasValues(c) || len(all) > 0 && c.Start <= all[len(all)-1].Start {
			break
		}
		all = append(all, c)
	}
	return all
}

// choicesInClauses notes the choices of items in prose whose own clauses have another option, while the chosen one
// stands in those of other items alone.
func (w *weigher) choicesInClauses(h *homes) {
	for i, it := range h.list {
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.fixed != nil || l.f.Kin().Type != schema.Choice || l.f.Kin().List != nil || at.Basis || at.Opposed > 0 || l.f.Concludes || len(h.list) < 2 || w.hasRow(h, i) || w.isBesideOwn(it, l) {
				continue
			}
			own, others := w.optionSpans(l, true), w.optionSpans(l, false)
			if len(own) == 0 || len(own)+len(others) > mostOptions {
				continue
			}
			clauses := w.clausesIn(h)
			in := func(s span) bool {
				return slices.ContainsFunc(clauses[i], func(c span) bool { return c.Start <= s.Start && s.End <= c.End })
			}
			said := slices.IndexFunc(others, func(s span) bool { return in(s) && !w.isRead(it, s) })
			if slices.ContainsFunc(own, in) || said < 0 {
				continue
			}
			isElsewhere := func(s span) bool {
				return !slices.ContainsFunc(clauses, func(all []span) bool {
					return slices.ContainsFunc(all, func(c span) bool { return c.Start <= s.Start && s.End <= c.End })
				})
			}
			if !slices.ContainsFunc(own, isElsewhere) {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(others[said].Start) + 1, Says: others[said]}
			}
		}
	}
}

// figuresInClauses takes their places from whole numbers that stand in a clause of another item alone, while those
// of their own have one other figure with as many digits that nobody took: the 2028 of the ram, the 2029 of the ewe.
func (w *weigher) figuresInClauses(h *homes) {
	for i, it := range h.list {
		for _, l := range it.leaves {
			at, t := w.places[l.path], l.f.Kin().Type
			if l.fixed != nil || t != schema.Integer && t != schema.Number || !at.Found() || at.Basis || len(h.list) < 2 {
				continue
			}
			if w.hasRow(h, i) {
				w.figureInLines(h, i, l)
				continue
			}
			if t != schema.Integer || w.isBesideOwn(it, l) {
				continue
			}
			clauses, others := w.clausesIn(h), 0
			for k, all := range clauses {
				if slices.ContainsFunc(all, func(c span) bool { return c.Start <= at.Start && at.End <= c.End }) {
					if others++; k == i {
						others = len(clauses) + 1
					}
				}
			}
			if others == 1 && (w.oneFreeFigure(clauses[i], at.End-at.Start) || w.saysNoneOf(l.f, clauses[i])) {
				w.places[l.path] = Place{Kind: l.lacking, Misplaced: at.Line}
			}
		}
	}
}

// figureInLines takes its place from a whole number in a line that is another item's, while a
// line of its own beside its row has one other figure that nobody took: 2 x 1.15, above OAT BISCUITS 2.30.
func (w *weigher) figureInLines(h *homes, i int, l *leaf) {
	at := w.places[l.path]
	if at.Line-1 == h.at[i] || h.in[at.Line-1] > 0 || strings.Trim(l.value, "0123456789") != "" {
		return
	}
	if h.lines == nil {
		h.lines = w.ownersOf(h)
	}
	if of, is := h.lines[at.Line-1]; is && (of == i || of < 0) || !is && !w.isInOwnersLine(h, l) {
		return
	}
	for line, of := range h.lines {
		if of == i && line != h.at[i] && (line == h.at[i]-1 || line == h.at[i]+1) && w.oneFreeNumber(line, at.End-at.Start) {
			w.places[l.path] = Place{Kind: l.lacking, Misplaced: at.Line}
			return
		}
	}
}

// isInOwnersLine tells whether the field's value of another item stands in a line that is that one's, and not its row.
func (w *weigher) isInOwnersLine(h *homes, l *leaf) bool {
	for j, other := range h.list[:min(len(h.list), mostNamed)] {
		for _, k := range other.leaves {
			at := w.places[k.path]
			if of, is := h.lines[at.Line-1]; k != l && k.f == l.f && at.Found() && is && of == j && at.Line-1 != h.at[j] {
				return true
			}
		}
	}
	return false
}

// oneFreeNumber tells whether a line has exactly one whole number of so many digits that no value was read from.
func (w *weigher) oneFreeNumber(line, digits int) bool {
	return w.onlyFigure(line, func(s span) bool {
		return s.End-s.Start == digits && strings.Trim(w.ix.Source[s.Start:s.End], "0123456789") == "" && !w.taken[s]
	}).End > 0
}

// ownersOf gives whose each line is: the one item that values in it are of which stand nowhere else, but for
// whole numbers, choices and booleans; -1 for several.
func (w *weigher) ownersOf(h *homes) map[int]int {
	lines := map[int]int{}
	for i, it := range h.list {
		for _, l := range it.leaves {
			at := w.places[l.path]
			if !at.Found() || at.Basis || at.Rivals > 0 {
				continue
			}
			switch l.f.Kin().Type {
			case schema.Boolean, schema.Choice, schema.Integer, schema.Number:
				continue
			}
			owner := i
			if of, is := lines[at.Line-1]; is && of != i {
				owner = -1
			}
			lines[at.Line-1] = owner
		}
	}
	return lines
}

// saysNoneOf tells whether some clauses say that there is none of what a field counts: aucune fissure.
func (w *weigher) saysNoneOf(f *schema.Field, clauses []span) bool {
	return slices.ContainsFunc(lang.Nought.Words(), func(word string) bool {
		return slices.ContainsFunc(w.ix.find(word), func(s span) bool {
			return slices.ContainsFunc(clauses, func(c span) bool { return c.Start <= s.Start && s.End <= c.End }) && w.saidOf(f, s)
		})
	})
}

// oneFreeFigure tells whether some clauses have exactly one figure of so many digits that no value was read from.
func (w *weigher) oneFreeFigure(clauses []span, digits int) bool {
	n := 0
	for _, c := range clauses {
		for _, t := range w.ix.Tokens[w.ix.TokenAt(c.Start):w.ix.TokenAt(c.End)] {
			if len(t.Word) == digits && strings.Trim(t.Word, "0123456789") == "" && !w.taken[t.Span] && !w.ix.InDate(t.Span) {
				n++
			}
		}
	}
	return n == 1
}

// optionSpans gives where the words for the chosen option of a choice stand, or those for the others.
func (w *weigher) optionSpans(l *leaf, chosen bool) []span {
	key := optionsOf{l.f, l.value, chosen}
	if found, known := w.options[key]; known {
		return found
	}
	var found []span
	for _, o := range l.f.Kin().Of {
		if (value.Str(o.Value).String() == l.value) == chosen {
			w.synonyms(l.f.Kin(), o.Value, func(spans []span, _ Kind, _ string) { found = append(found, spans...) })
		}
	}
	if w.options == nil {
		w.options = map[optionsOf][]span{}
	}
	w.options[key] = found
	return found
}

// optionsOf is the chosen option of a choice, or all others.
type optionsOf struct {
	f      *schema.Field
	value  string
	chosen bool
}

// inOwnBrackets moves what was read from the brackets behind another item's name to those behind the own one, and
// takes its place where it does not stand there.
func (w *weigher) inOwnBrackets(h *homes) {
	behind, some := make([]span, len(h.list)), 0
	for i, it := range h.list {
		if behind[i] = w.bracketBehind(it); behind[i].End > 0 {
			some++
		}
	}
	if some < 2 {
		return
	}
	sorted := slices.Clone(behind)
	slices.SortFunc(sorted, func(a, b span) int { return a.Start - b.Start })
	for i, it := range h.list {
		for _, l := range it.leaves {
			at := w.places[l.path]
			if behind[i].End == 0 || !at.Found() || at.Basis || l.fixed != nil {
				continue
			}
			in := func(b span) bool { return b.Start <= at.Start && at.End <= b.End }
			k := sort.Search(len(sorted), func(k int) bool { return sorted[k].Start > at.Start }) - 1
			if in(behind[i]) || k < 0 || !in(sorted[k]) {
				continue
			}
			if own := l.candidateIn(behind[i]); own != nil {
				at.Start, at.End, at.Kind, at.Line = own.Start, own.End, own.kind, w.ix.LineOf(own.Start)+1
				w.places[l.path] = at
				continue
			}
			w.places[l.path] = Place{Kind: l.lacking, Misplaced: at.Line}
		}
	}
}

func (l *leaf) candidateIn(s span) *candidate {
	i := slices.IndexFunc(l.cands, func(c candidate) bool { return s.Start <= c.Start && c.End <= s.End })
	if i < 0 {
		return nil
	}
	return &l.cands[i]
}

// bracketBehind gives the brackets right behind the name of an item, which stands there once.
func (w *weigher) bracketBehind(it *item) span {
	for _, l := range it.leaves {
		at := w.places[l.path]
		if l.f.Kin().Type != schema.Text || !at.Found() || at.Rivals > 0 || at.Basis {
			continue
		}
		rest := w.ix.Source[at.End:min(len(w.ix.Source), at.End+longestBracket)]
		open := len(rest) - len(strings.TrimLeft(rest, " \n\u00a0"))
		if end := strings.IndexByte(rest, ')'); strings.HasPrefix(rest[open:], "(") && end > open {
			return between(at.End+open, at.End+end+1)
		}
	}
	return span{}
}

// longestBracket is how long brackets are at most, in bytes.
const longestBracket = 300

// ownClauses gives the clauses of an item in prose in which values of it stand, and of no other.
func (l *leaving) ownClauses(item value.Pointer) []span {
	if l.clauses == nil {
		l.findClauses()
	}
	return l.clauses[item]
}

// findClauses finds the clauses of all items: those with values of several are of none of them.
func (l *leaving) findClauses() {
	l.clauses = map[value.Pointer][]span{}
	in, some := map[span]map[value.Pointer]bool{}, map[span]bool{}
	for p, at := range l.places {
		if !at.Found() || at.Basis || l.itemOf(p) == "" || len(l.places) > mostInClause {
			continue
		}
		c := l.w.ix.clauseAt(between(at.Start, at.End))
		if in[c] == nil {
			in[c] = map[value.Pointer]bool{}
		}
		in[c][l.itemOf(p)] = true
		if v := l.record.At(p); l.s.At(p).Kin().Type == schema.Text && v != nil {
			found := l.w.ix.find(v.Text)
			for _, again := range found[:min(len(found), mostNamed)] { // what is said of it later is its own, too
				some[l.w.ix.clauseAt(again)] = true
			}
		}
	}
	for c, items := range in {
		for item := range items {
			if len(items) == 1 {
				l.clauses[item] = append(append(l.clauses[item], c), l.w.ix.goOn(c, func(next span) bool { return some[next] || len(in[next]) > 0 })...)
			}
		}
	}
	for item, all := range l.clauses {
		l.clauses[item] = slices.DeleteFunc(all, l.w.ix.isOfRows)
		slices.SortFunc(l.clauses[item], func(a, b span) int { return a.Start - b.Start })
	}
}

// isOfRows tells what is no clause but several rows of cells.
func (ix *Index) isOfRows(c span) bool {
	rows := 0
	for n := ix.LineOf(c.Start); n <= ix.LineOf(max(c.Start, c.End-1)); n++ {
		if text, _, _ := ix.rowAt(n); len(cellsIn(text)) > 1 {
			rows++
		}
	}
	return rows > 1
}
