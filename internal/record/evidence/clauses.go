package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Lists in prose: several items in a paragraph, each in clauses of its own, or with what is said of it in
// brackets behind its name. Ada (cook, 8 hours) and Bo (waiter, 7 hours); the third one has failed.

// mostInClause bounds how many values of a list are looked at in prose.
const mostInClause = 4000

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

// clausesOf gives for each of some items the clauses in which a text of it stands, and nothing of another.
func (w *weigher) clausesOf(list []*item) [][]span {
	in, texts, n := map[span]map[int]bool{}, make([][]span, len(list)), 0
	for i, it := range list {
		it.all(1, func(l *leaf, _ float64) {
			at := w.places[l.path]
			if n++; !at.Found() || at.Basis || n > mostInClause {
				return
			}
			c := w.ix.clauseAt(between(at.Start, at.End))
			if in[c] == nil {
				in[c] = map[int]bool{}
			}
			in[c][i] = true
			if l.f.Kin().Type == schema.Text && l.item == it && !slices.Contains(texts[i], c) {
				texts[i] = append(texts[i], c)
			}
		})
	}
	for i := range texts {
		texts[i] = slices.DeleteFunc(texts[i], func(c span) bool { return len(in[c]) > 1 })
	}
	return texts
}

// saidInClauses notes the booleans of items in prose of which a clause of their own says otherwise, and none what
// the record does.
func (w *weigher) saidInClauses(h *homes) {
	if len(h.list) < 2 {
		return
	}
	var clauses [][]span
	for i, it := range h.list {
		if h.own(i) && w.begins(it, h.at[i]) {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.fixed != nil || l.f.Kin().Type != schema.Boolean || at.Found() || at.Opposed > 0 || l.f.Concludes {
				continue
			}
			if clauses == nil {
				clauses = w.clausesOf(h.list)
			}
			if s := w.saysOppositeIn(l, clauses[i]); s.End > 0 {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1, Says: s}
			}
		}
	}
}

// saysOppositeIn gives the one place in some clauses that says the opposite of a boolean; none where another one
// says something else of it.
func (w *weigher) saysOppositeIn(l *leaf, clauses []span) (found span) {
	for _, c := range clauses {
		s := w.saysOpposite(l, c)
		if s.End == 0 && len(w.mentions(l.f, c)) > 0 {
			return span{}
		}
		if s.End > 0 {
			found = s
		}
	}
	return found
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
	for i, it := range h.list {
		for _, l := range it.leaves {
			at := w.places[l.path]
			if behind[i].End == 0 || !at.Found() || at.Basis || l.fixed != nil {
				continue
			}
			in := func(b span) bool { return b.Start <= at.Start && at.End <= b.End }
			if in(behind[i]) || !slices.ContainsFunc(behind, in) {
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

// findClauses finds the clauses of all items: where the values of several items of one list stand, they are of
// none of them.
func (l *leaving) findClauses() {
	l.clauses = map[value.Pointer][]span{}
	in := map[span]map[value.Pointer]bool{}
	for p, at := range l.places {
		if !at.Found() || at.Basis || l.itemOf(p) == "" || len(l.places) > mostInClause {
			continue
		}
		c := l.w.ix.clauseAt(between(at.Start, at.End))
		if in[c] == nil {
			in[c] = map[value.Pointer]bool{}
		}
		in[c][l.itemOf(p)] = true
	}
	for c, items := range in {
		for item := range items {
			if len(items) == 1 {
				l.clauses[item] = append(l.clauses[item], c)
			}
		}
	}
	for _, all := range l.clauses {
		slices.SortFunc(all, func(a, b span) int { return a.Start - b.Start })
	}
}
