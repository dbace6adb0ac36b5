package evidence

import (
	"slices"

	"filler/internal/schema"
	"filler/internal/source/reading"
)

// saidInClauses notes the booleans of items in prose of which a clause of their own says otherwise, and none what
// the record does.
func (w *weigher) saidInClauses(h *homes) {
	if len(h.list) < 2 {
		return
	}
	for i, it := range h.list {
		if w.hasRow(h, i) {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.fixed != nil || l.f.Kin().Type != schema.Boolean || at.Found() || at.Opposed > 0 || l.f.Concludes {
				continue
			}
			s := w.saysOppositeIn(l, w.clausesIn(h)[i])
			if s.End == 0 {
				s = w.declaredIn(l, w.clausesIn(h)[i])
			}
			if s.End > 0 {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1, Says: s}
			}
		}
	}
}

// saysOppositeIn gives the one place in some clauses that says the opposite of a boolean; none where another one
// says something else of it.
func (w *weigher) saysOppositeIn(l *leaf, clauses []span) (found span) {
	for _, c := range clauses {
		s, speaks := w.saysOpposite(l, c)
		if s.End == 0 && speaks {
			return span{}
		}
		if s.End > 0 {
			found = s
		}
	}
	return found
}

// declaredIn gives where clauses have a declared word for the opposite of a boolean, and none for what it is.
func (w *weigher) declaredIn(l *leaf, clauses []span) (found span) {
	f := l.f.Kin()
	for says, words := range map[string][]string{"true": f.Yes, "false": f.No} {
		for _, word := range words {
			for _, s := range w.ix.find(word) {
				in := func(c span) bool { return c.Start <= s.Start && s.End <= c.End }
				switch {
				case !slices.ContainsFunc(clauses, in):
				case says == l.value || w.ix.Denial(s) != reading.Said:
					return span{}
				default:
					found = s
				}
			}
		}
	}
	return found
}
