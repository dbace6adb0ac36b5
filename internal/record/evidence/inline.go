package evidence

import (
	"maps"
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Lists within a line: 2 front door, 3 flat, 1 letter box. What parts the items that were
// read parts those that were not.

// partings are what may part items within a line, tried in this order.
var partings = []*lazy.Regexp{lazy.New(`; ?`), lazy.New(` \| ?`), lazy.New(`, `), lazy.New(` {2,}`), lazy.New(` / `), lazy.New(` [-–] `)}

// leastInLine is how many items have to stand in a line, but for those that are what they are called,
// a colon and a value: colour: grey; load: 40 kg.
const leastInLine = 2

var namedPart = lazy.New(`^\pL[^:;|]{0,30}: \S`)

// inline gives the parts of lines in which items of a list stand that no value comes from.
func (u *unread) inline(taken map[int]bool) (lines []Line) {
	for _, n := range slices.Sorted(maps.Keys(u.claims)) {
		if taken[n] {
			continue
		}
		for _, list := range u.listsIn(n) {
			if line, ok := u.gapIn(n, list); ok {
				lines = append(lines, line)
				break
			}
		}
	}
	return lines
}

// inLine is a list's items in one line, each with where its values stand.
type inLine struct {
	at     value.Pointer
	called string
	items  []span
}

// listsIn gives the lists of which several items stand in a line, and nowhere else.
func (u *unread) listsIn(n int) (all []inLine) { return u.listsOf(n, leastInLine) }

// listsOf gives the lists of which so many items stand in a line.
func (u *unread) listsOf(n, least int) (all []inLine) {
	if u.isCrossHead(n) {
		return nil
	}
	at := map[value.Pointer]span{}
	for i, p := range u.leaves[n] {
		item := u.itemOf(p)
		if item == "" || u.homes[item] != n {
			continue
		}
		s, known := at[item]
		if c := u.claims[n][i]; !known {
			at[item] = c
		} else {
			at[item] = between(min(s.Start, c.Start), max(s.End, c.End))
		}
	}
	by := map[value.Pointer][]span{}
	for _, item := range slices.Sorted(maps.Keys(at)) {
		by[item.Parent()] = append(by[item.Parent()], at[item])
	}
	for _, list := range slices.Sorted(maps.Keys(by)) {
		if f := u.s.At(list); f != nil && f.Type == schema.List && (len(by[list]) >= least || u.areNamed(n, by[list])) {
			all = append(all, inLine{list, u.called(f), by[list]})
		}
	}
	return all
}

// areNamed tells items that each begin with what they are called and a colon.
func (u *unread) areNamed(n int, items []span) bool {
	_, _, end := u.w.ix.rowAt(n)
	return !slices.ContainsFunc(items, func(item span) bool { return !namedPart.MatchString(u.w.ix.Source[item.Start:end]) })
}

// gapIn gives the one part of a line that is like those that items were read from, and was
// not read itself.
func (u *unread) gapIn(n int, list inLine) (Line, bool) {
	text, start, _ := u.w.ix.rowAt(n)
	if len(text) > longestLine {
		return Line{}, false
	}
	named := u.areNamed(n, list.items)
	for _, parting := range partings {
		parts := partsOf(text, start, parting, named)
		held, ok := holders(parts, list.items)
		if !ok {
			continue
		}
		first, last := slices.Index(held, 1), len(held)-1
		for held[last] == 0 {
			last--
		}
		open := -1
		for k := max(0, first-1); k <= min(last+1, len(parts)-1); k++ {
			if held[k] > 0 || !u.isUnlike(n, parts[k]) || k == 0 && u.isOfLabels(n, parts[k]) {
				continue
			}
			if named && (parts[first].Start != firstOf(list.items) || !namedPart.MatchString(u.w.ix.Source[parts[k].Start:parts[k].End])) {
				return Line{}, false
			}
			if open >= 0 || !named && !alikeParts(u.w.ix.Source, parts[k], parts, held) {
				return Line{}, false
			}
			open = k
		}
		if open < 0 {
			return Line{}, false
		}
		p := parts[open]
		return Line{Start: p.Start, End: p.End, Line: n + 1, Field: list.called, Text: strings.Join(strings.Fields(u.w.ix.Source[p.Start:p.End]), " ")}, true
	}
	return Line{}, false
}

// isOfLabels tells whether the first cell of a row stands in a column of labels: of a row of as many cells right
// above or below, values were read from others and not from the first. Step  Lime  Wash, over Days  9  1.
func (u *unread) isOfLabels(n int, first span) bool {
	row, from, _ := u.w.ix.rowAt(n)
	own := cellsIn(row)
	if len(own) < fewestColumns || from+own[0][1] < first.End {
		return false
	}
	for _, other := range []int{n - 1, n + 1} {
		if other < 0 || other > len(u.w.ix.Breaks) || len(u.cellsAt(other)) != len(own) || len(u.claims[other]) < 2 {
			continue
		}
		text, start, _ := u.w.ix.rowAt(other)
		label := between(start, start+cellsIn(text)[0][1])
		if !hasFigure(u.w.ix.Source[label.Start:label.End]) && !slices.ContainsFunc(u.claims[other], func(c span) bool { return c.Start < label.End }) {
			return true
		}
	}
	return false
}

func firstOf(items []span) int {
	return slices.MinFunc(items, func(a, b span) int { return a.Start - b.Start }).Start
}

// partsOf splits a line, what leads to a list before it left out: Keys: 2 front door, ...
func partsOf(text string, start int, parting *lazy.Regexp, whole bool) (parts []span) {
	from := 0
	for _, m := range parting.FindAllStringIndex(text, -1) {
		parts = append(parts, between(start+from, start+m[0]))
		from = m[1]
	}
	parts = append(parts, between(start+from, start+len(strings.TrimRight(text, " ."))))
	if indent := len(text) - len(strings.TrimLeft(text, " \t")); whole {
		parts[0].Start += indent
		return parts
	}
	if at := strings.Index(text[:parts[0].End-start], ": "); at >= 0 {
		parts[0].Start = start + at + len(": ")
	}
	return slices.DeleteFunc(parts, func(p span) bool { return p.End <= p.Start })
}

// texts gives the texts of the record, folded: one of them may have its place elsewhere.
func (u *unread) texts() map[string]bool {
	if u.said == nil {
		u.said = map[string]bool{}
		u.record.Walk(func(_ value.Pointer, v *value.Value) bool {
			if v.Kind == value.String {
				u.said[folded(v.Text)] = true
			}
			return true
		})
	}
	return u.said
}

// isUnlike tells a part of a line that says something and that no value comes from.
func (u *unread) isUnlike(n int, p span) bool {
	said := u.w.ix.Source[p.Start:p.End]
	if letters(said) < 2 || isJSON(said) || saysNone(said) || headsSums(said) || lineMark.MatchString(strings.TrimSpace(said)) || u.texts()[folded(said)] {
		return false
	}
	return !slices.ContainsFunc(u.claims[n], func(c span) bool { return c.Start < p.End && p.Start < c.End })
}

// lineMark is what numbers a line of a list: iv., b), (12).
var lineMark = lazy.New(`^\(?(?:[ivxl]{1,6}|[IVXL]{1,6}|\d{1,3}|\pL)[.)]$`)

// alikeParts tells whether a part has figures and letters as all that were read have, is as
// long as they are, and begins with a figure or a capital as they do; the first of a line may
// have a capital for that alone.
func alikeParts(source string, p span, parts []span, held []int) bool {
	shape := func(s span) [3]bool {
		said := strings.TrimSpace(source[s.Start:s.End])
		first := []rune(said)[0]
		return [3]bool{strings.ContainsFunc(said, unicode.IsDigit), unicode.IsDigit(first), unicode.IsUpper(first)}
	}
	longest := 0
	for k, other := range parts {
		if held[k] == 0 {
			continue
		}
		theirs, own := shape(other), shape(p)
		if k == 0 || p == parts[0] {
			theirs[2], own[2] = false, false
		}
		if theirs != own {
			return false
		}
		longest = max(longest, other.End-other.Start)
	}
	return p.End-p.Start <= 2*longest
}
