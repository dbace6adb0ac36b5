package evidence

import (
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Sentences that tell of several items, each behind its name: 2W09 was late, 2W11 was cancelled; 2W21 and 2W23 did
// not run.

// mostBeforeFirst is how many words stand before the first name of such a sentence at most.
const mostBeforeFirst = 3

// saidPart is where the name of an item stands, and what is said of it from there on.
type saidPart struct {
	i    int
	name span
	part span
}

// partsByName cuts a clause at the names of its items: nil where one of them does not begin what is said of it.
func (w *weigher) partsByName(list []*item, c span) (parts []saidPart) {
	for i, it := range list {
		l := w.nameOf(it)
		if l == nil || len(l.cands) > maxPlaces {
			continue
		}
		n := 0
		for _, at := range l.cands {
			if c.Start <= at.Start && at.End <= c.End {
				if n++; n > 1 {
					return nil
				}
				parts = append(parts, saidPart{i: i, name: at.span})
			}
		}
	}
	if len(parts) < 2 {
		return nil
	}
	slices.SortFunc(parts, func(a, b saidPart) int { return a.name.Start - b.name.Start })
	end := c.End
	for k := len(parts) - 1; k >= 0; k-- {
		from := c.Start
		if k > 0 {
			from = parts[k-1].name.End
		}
		if parts[k].name.Start < from {
			return nil
		}
		before := w.ix.Source[from:parts[k].name.Start]
		parts[k].part = between(parts[k].name.Start, end)
		switch {
		case k == 0 && len(reading.Tokenize(before)) > mostBeforeFirst, k > 0 && !joinsParts(before):
			return nil
		case strings.Trim(before, " ,&\n") != "" && !lang.ListAnd.Has(strings.Trim(before, " ,\n")): // the names share what follows else
			end = parts[k].name.Start
		}
	}
	return parts
}

// joinsParts tells whether what stands before a name ends what was said of another: a comma, and no word but "and".
func joinsParts(before string) bool {
	before = strings.TrimRight(before, " \n")
	if strings.HasSuffix(before, ",") || strings.HasSuffix(before, ";") || strings.HasSuffix(before, "&") {
		return true
	}
	return lang.ListAnd.Has(strings.ToLower(before[strings.LastIndexAny(before, " \n")+1:]))
}

// speakersOf gives the items whose names stand before a colon at the begin of clauses, as in a chat, and adds those
// clauses to theirs.
func (w *weigher) speakersOf(list []*item, clauses [][]span) map[span]int {
	of := map[span]int{}
	for i, it := range list {
		l := w.nameOf(it)
		if l == nil || len(l.cands) > maxPlaces {
			continue
		}
		for _, at := range l.cands {
			c := w.ix.clauseAt(at.span)
			if strings.HasPrefix(w.ix.Source[at.End:], ":") && !strings.ContainsFunc(w.ix.Source[c.Start:at.Start], unicode.IsLetter) {
				of[c] = i
				if !slices.Contains(clauses[i], c) {
					clauses[i] = append(clauses[i], c)
				}
			}
		}
	}
	if len(of) < 2 {
		return nil
	}
	return of
}

// textsInClauses takes their places from texts that stand in a clause of another item alone, which has another value,
// while those of their own have none.
func (w *weigher) textsInClauses(h *homes) {
	if len(h.list) < 2 {
		return
	}
	for i, it := range h.list {
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.fixed != nil || l.f.Kin().Type != schema.Text || l.f.List != nil || !at.Found() || at.Basis || at.Rivals > 0 || l == w.nameOf(it) || w.hasRow(h, i) {
				continue
			}
			of := w.ownerOf(h, between(at.Start, at.End))
			if of < 0 || of == i || len(w.clausesIn(h)[i]) == 0 {
				continue
			}
			if other := leafOf(h.list[of], l.f); other != nil && other.value != l.value {
				w.places[l.path] = Place{Kind: l.lacking, Misplaced: at.Line}
			}
		}
	}
}

// ownerOf gives the one item that has a place in a clause of its own; -1 for none or several.
func (w *weigher) ownerOf(h *homes, s span) (of int) {
	of = -1
	for k, all := range w.clausesIn(h) {
		if slices.ContainsFunc(all, func(c span) bool { return c.Start <= s.Start && s.End <= c.End }) {
			if of >= 0 {
				return -1
			}
			of = k
		}
	}
	return of
}
