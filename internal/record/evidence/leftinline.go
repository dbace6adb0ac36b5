package evidence

import (
	"maps"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// What was left over within a line in which items of a list stand: Languages: English (native),
// French - B1. Its parts may be unlike each other, or but one of them was read, so that it is
// asked about and no problem.

// mostLeftIn is how many parts of a line may be left over: more are prose.
const mostLeftIn = 2

// inLines gives the parts of lines beside those that items of a list were read from.
func (l *leaving) inLines() (lines []Line) {
	adrift := l.adriftLists()
	by, in := map[string][]Line{}, map[string]int{} // by list, and in how many lines its items stand
	for _, n := range slices.Sorted(maps.Keys(l.claims)) {
		if l.asked[n] || l.heads[n] {
			continue
		}
		for _, list := range l.listsOf(n, 1) {
			if adrift[list.at] { // what is left over may be what that was read from
				continue
			}
			in[list.called]++
			if found := l.partsLeft(n, list); len(found) > 0 {
				by[list.called] = append(by[list.called], found...)
				break
			}
		}
	}
	for _, list := range slices.Sorted(maps.Keys(by)) {
		if len(by[list]) <= max(mostLeft, in[list]/4) { // else they are of no field: a column that nobody asked for
			lines = append(lines, by[list]...)
		}
	}
	return lines
}

// adriftLists gives the lists of which some value stands nowhere that should.
func (l *leaving) adriftLists() map[value.Pointer]bool {
	adrift := map[value.Pointer]bool{}
	for p, at := range l.places {
		if at.Kind != None {
			continue
		}
		for item := l.itemOf(p); item != ""; item = l.itemOf(item.Parent()) {
			adrift[item.Parent()] = true
		}
	}
	return adrift
}

// partsLeft gives the parts of a line that no value comes from, beside those with items.
func (l *leaving) partsLeft(n int, list inLine) (lines []Line) {
	text, start, _ := l.w.ix.rowAt(n)
	if len(text) > longestLine || strings.Contains(text, "|") && len(cellsIn(text)) == 2 { // a label, and what it is of
		return nil
	}
	if line, ok := l.lastOfAll(n, list); ok {
		return []Line{line}
	}
	for _, parting := range partings {
		parts := partsOf(text, start, parting, false)
		held, ok := holders(parts, list.items)
		if !ok || len(parts) < 2 {
			continue
		}
		longest := 0
		for k, p := range parts {
			if held[k] > 0 {
				longest = max(longest, p.End-p.Start)
			}
		}
		for k, p := range parts {
			beside := k > 0 && held[k-1] > 0 || k+1 < len(parts) && held[k+1] > 0
			if p = l.sentence(p); held[k] > 0 || !beside || p.End-p.Start > 2*longest || lang.Ongoing.Has(folded(l.w.ix.Source[p.Start:p.End])) || !l.isUnlike(n, p) || !l.beginsLike(p, parts, list.items) || !isWhole(l.w.ix.Source[p.Start:p.End]) || l.saysField(list.at, p, parts, held) {
				continue
			}
			lines = append(lines, l.part(n, p, list))
		}
		if len(lines) > mostLeftIn {
			return nil
		}
		return lines
	}
	return nil
}

func (l *leaving) part(n int, p span, list inLine) Line {
	return Line{Start: p.Start, End: p.End, Line: n + 1, Field: list.called, Text: strings.Join(strings.Fields(l.w.ix.Source[p.Start:p.End]), " "), Left: true}
}

// lastOfAll gives the last part of a list of which several stand before it, behind the word that
// says that it is the last: chicken, wheat and soy.
func (l *leaving) lastOfAll(n int, list inLine) (Line, bool) {
	text, start, _ := l.w.ix.rowAt(n)
	parts := partsOf(text, start, commaOrAnd(), false)
	held, ok := holders(parts, list.items)
	if !ok || len(list.items) < 2 {
		return Line{}, false
	}
	for k := 1; k < len(parts); k++ {
		p := l.sentence(parts[k])
		behind := strings.Fields(l.w.ix.Source[parts[k-1].End:p.Start])
		if held[k] == 0 && held[k-1] > 0 && len(behind) > 0 && lang.ListAnd.Has(behind[len(behind)-1]) && p.End-p.Start <= 2*(parts[k-1].End-parts[k-1].Start) && l.isUnlike(n, p) && l.beginsLike(p, parts, list.items) {
			return l.part(n, p, list), true
		}
	}
	return Line{}, false
}

// commaOrAnd parts a list whose last item stands behind a word: chicken, wheat and soy.
var commaOrAnd = sync.OnceValue(func() *lazy.Regexp {
	and := lang.ListAnd.Pattern()
	return lazy.New(`, (?:` + and + ` )?| ` + and + ` `)
})

// holders counts the items in each part; false where one stands in no part alone.
func holders(parts, items []span) (held []int, ok bool) {
	held = make([]int, len(parts))
	for _, item := range items {
		k := slices.IndexFunc(parts, func(p span) bool { return p.Start <= item.Start && item.End <= p.End })
		if k < 0 {
			return nil, false
		}
		if held[k]++; held[k] > 1 {
			return nil, false
		}
	}
	return held, true
}

var sentenceEnd = lazy.New(`[.;!?] +\p{Lu}`)

// sentence cuts a part where another sentence begins.
func (l *leaving) sentence(p span) span {
	if m := sentenceEnd.FindStringIndex(l.w.ix.Source[p.Start:p.End]); m != nil {
		p.End = p.Start + m[0]
	}
	return p
}

// isWhole tells a part whose brackets are whole, and that does not say in one that there is none.
func isWhole(said string) bool {
	if strings.Count(said, "(") != strings.Count(said, ")") {
		return false
	}
	_, inside, has := strings.Cut(said, "(")
	inside, _, _ = strings.Cut(inside, ")")
	return !has || !saysNone(inside)
}

// saysField tells whether a part names a field of the list's items, and no part with an item does:
// then it says more of one of them, and is no other item.
func (l *leaving) saysField(list value.Pointer, p span, parts []span, held []int) bool {
	f := l.s.At(list)
	if f == nil || f.Item == nil {
		return false
	}
	wordsOf := func(s span) []string { return strings.Fields(folded(l.w.ix.Source[s.Start:s.End])) }
	said := wordsOf(p)
	for _, kid := range f.Item.Fields {
		for _, label := range l.w.labels(kid) {
			if !slices.Contains(said, label[0]) {
				continue
			}
			other := false
			for k, part := range parts {
				other = other || held[k] > 0 && slices.Contains(wordsOf(part), label[0])
			}
			if !other {
				return true
			}
		}
	}
	return false
}

// beginsLike tells whether a part begins as an item does, with a figure, a capital or a small letter;
// what begins the line may have its capital for that alone.
func (l *leaving) beginsLike(p span, parts, items []span) bool {
	kind := func(s span) string {
		r, _ := utf8.DecodeRuneInString(strings.TrimSpace(l.w.ix.Source[s.Start:s.End]))
		switch {
		case unicode.IsDigit(r):
			return "figure"
		case unicode.IsUpper(r):
			return "capital"
		}
		return "small"
	}
	own := kind(p)
	for _, item := range items {
		theirs := kind(item)
		opens := item.Start == parts[0].Start || p.Start == parts[0].Start
		if theirs == own || opens && theirs != "figure" && own != "figure" {
			return true
		}
	}
	return false
}
