package evidence

import (
	"maps"
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/value"
)

// Sentences that speak as others do of items, and of which no value came: "In hive B2 I counted 6 frames of brood and
// dropped 5 mites" beside "Colony B1 had 2 frames of brood and dropped 20 mites". They are asked about, and no problem.

// leastSpoken is how many values of a sentence stand between the same words as those of items, at least.
const leastSpoken = 2

// spoken is what stands right before and behind a value in its sentence, and whether it has figures.
type spoken struct {
	before, behind string
	figures        bool
}

// sentencesLeft gives the sentences without values that speak as those of a list's items do, in the paragraphs of
// these and the next ones.
func (l *leaving) sentencesLeft() (lines []Line) {
	ways, in := map[value.Pointer]map[spoken]bool{}, map[value.Pointer]map[int]bool{} // by list
	for n, claims := range l.claims {
		if !l.isProse(n) {
			continue
		}
		for i, p := range l.leaves[n] {
			item := l.itemOf(p)
			if item == "" {
				continue
			}
			list := item.Parent()
			if ways[list] == nil {
				ways[list], in[list] = map[spoken]bool{}, map[int]bool{}
			}
			in[list][n] = true
			if way, tells := l.spokenAt(claims[i]); tells {
				ways[list][way] = true
			}
		}
	}
	asked := map[span]bool{}
	for _, list := range slices.Sorted(maps.Keys(ways)) {
		if len(ways[list]) < leastSpoken {
			continue
		}
		for n := range len(l.w.ix.Breaks) + 1 {
			if !in[list][n] && !in[list][n-2] && !in[list][n+2] && !in[list][n-1] && !in[list][n+1] || !l.isProse(n) || l.asked[n] {
				continue
			}
			for _, s := range l.sentencesOf(n, list) {
				if !asked[s] && l.speaksAs(n, s, ways[list]) {
					asked[s] = true
					lines = append(lines, l.part(n, s, inLine{called: l.called(l.s.At(list))}))
				}
			}
		}
	}
	return lines
}

// isProse tells whether a line is of running text: no row of cells, and longer than a labelled line.
func (l *leaving) isProse(n int) bool {
	const shortest = 60
	if n < 0 || n > len(l.w.ix.Breaks) {
		return false
	}
	row, _, _ := l.w.ix.rowAt(n)
	return len(row) >= shortest && len(cellsIn(row)) < 2 && !isJSON(row)
}

// sentencesOf gives the sentences of a line of which no value of a list's items came, those cut at semicolons each by itself.
func (l *leaving) sentencesOf(n int, list value.Pointer) (all []span) {
	has := func(c span) bool {
		for i, s := range l.claims[n] {
			if s.Start < c.End && c.Start < s.End && strings.HasPrefix(string(l.leaves[n][i]), string(list)+"/") {
				return true
			}
		}
		return false
	}
	line := l.w.ix.LineSpan(n)
	for at := line.Start; at < line.End; {
		i := l.w.ix.TokenAt(at)
		if i >= len(l.w.ix.Tokens) || l.w.ix.Tokens[i].Start >= line.End {
			break
		}
		c := l.w.ix.clauseAt(l.w.ix.Tokens[i].Span)
		c = between(max(c.Start, at), min(c.End, line.End))
		if at = max(c.End, l.w.ix.Tokens[i].End); !has(c) {
			said := l.w.ix.Source[c.Start:c.End]
			all = append(all, between(c.Start+len(said)-len(strings.TrimLeft(said, " \n;")), c.Start+len(strings.TrimRight(said, " \n"))))
		}
	}
	return all
}

// spokenAt gives what stands beside a value; it tells something where a word does at both sides, and no figure.
func (l *leaving) spokenAt(s span) (way spoken, tells bool) {
	first, last := l.w.ix.TokenAt(s.Start), l.w.ix.TokenAt(s.End)
	whole := l.w.ix.SentenceSpan(s.Start, s.End)
	if first == 0 || last >= len(l.w.ix.Tokens) || l.w.ix.Tokens[first-1].Start < whole.Start || l.w.ix.Tokens[last].Start >= whole.End {
		return spoken{}, false
	}
	way = spoken{l.w.ix.Tokens[first-1].Word, l.w.ix.Tokens[last].Word, hasFigure(l.w.ix.Source[s.Start:s.End])}
	return way, !hasFigure(way.before) && !hasFigure(way.behind)
}

// speaksAs tells whether enough stands in a sentence between the same words, each behind the one before it.
func (l *leaving) speaksAs(line int, s span, ways map[spoken]bool) bool {
	ix := l.w.ix
	const longest = 6 // words of a value
	n, end := 0, ix.TokenAt(s.End)
	for i := ix.TokenAt(s.Start); i < end; i++ {
		for k := i + 2; k < end && k <= i+1+longest; k++ {
			at := between(ix.Tokens[i+1].Start, ix.Tokens[k-1].End)
			said := ix.Source[at.Start:at.End]
			if isRead := func(c span) bool { return c.Start < at.End && at.Start < c.End }; slices.ContainsFunc(l.claims[line], isRead) {
				break
			}
			if strings.IndexFunc(said, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) >= 0 && ways[spoken{ix.Tokens[i].Word, ix.Tokens[k].Word, hasFigure(said)}] {
				n++
				i = k - 1
				break
			}
		}
	}
	return n >= leastSpoken
}
