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

// Lists that are no tables: each item has a line that begins as those of the others do, with
// a hyphen, a number, a day, or that leads to a figure by dots.

var (
	counted  = lazy.New(`^(?:\d[\d.,]*|[½¼¾]|\d+ ?[½¼¾])(?: |\pL)`)
	labelled = lazy.New(`^\p{L}[^:\n.;]{1,40} ?: `)
	bullet   = lazy.New(`^[-*•–—▪‣·o] `)
	numbered = lazy.New(`^(?:\pL{1,10}\.? ?)?[(#]?\d[\d./-]*(?:[a-z]\b)?(?:[.):]|\b)`)
	leader   = lazy.New(`\.{3,}|…{2,}|_{3,}|(?: \.){3,}`)
)

// markOf gives how a line begins, its figures left out, and how far it is indented; "" for
// one that begins as any text may.
func markOf(line string) (mark string, indent int) {
	text := strings.TrimLeft(line, " \t>")
	indent = len(line) - len(text)
	if m := bullet.FindString(text); m != "" {
		return m, indent
	}
	if counted.MatchString(text) && !leader.MatchString(text) {
		return "# ", indent
	}
	if m := numbered.FindString(text); m != "" {
		digits := func(r rune) rune {
			if unicode.IsDigit(r) {
				return '#'
			}
			return unicode.ToLower(r)
		}
		mark = strings.Map(digits, m)
		for strings.Contains(mark, "##") {
			mark = strings.ReplaceAll(mark, "##", "#")
		}
		return mark, indent
	}
	if labelled.MatchString(text) {
		return ": ", indent
	}
	if leader.MatchString(text) {
		return "....", indent
	}
	return "", indent
}

// sameIndent is how far the indents of items may differ.
const sameIndent = 1

// marked gives the lines that begin as those of a list's items do, right beside them, and
// that no value comes from: where no more of them are unread than are read.
func (u *unread) marked(taken map[int]bool) (lines []Line) {
	lists, home := u.listsWithHomes()
	for _, list := range lists {
		done := map[int]bool{}
		for _, n := range slices.Sorted(maps.Keys(list.at)) {
			text, _, _ := u.w.ix.rowAt(n)
			mark, indent := markOf(text)
			if mark == "" || done[n] || len(cellsOf(text)) > 2 && mark == "# " {
				continue
			}
			read, others, open := 0, 0, []int(nil)
			block := u.block(n, mark, indent, 3*len(list.at))
			for _, at := range block {
				done[at] = true
				switch {
				case list.at[at]:
					read++
				case !taken[at] && !home[at] && u.isOpen(at) && !u.speaksOfSingle(at):
					open = append(open, at)
				default:
					others++
				}
			}
			most := read // of lines that are none of the list's: paragraphs have numbers, too
			if read < 2 || mark == ": " {
				most = 0
			}
			if !slices.ContainsFunc(block, func(at int) bool { return list.at[at] && u.opensWith(list.path, at) }) {
				continue // paragraphs that speak of items somewhere
			}
			if len(open) > read || others > most || mark == ": " && read < 2 || len(block) > 3*len(list.at) {
				continue
			}
			for _, at := range open {
				row, start, end := u.w.ix.rowAt(at)
				taken[at] = true
				lines = append(lines, Line{Start: start, End: end, Line: at + 1, Field: list.called, Text: strings.Join(strings.Fields(row), " ")})
			}
		}
	}
	return lines
}

// speaksOfSingle tells a line all of whose words are of the name or the description of a field that stands in no
// list and has a value: 3. Break, beside the minutes of the break.
func (u *unread) speaksOfSingle(line int) bool {
	words := wordsIn(u.w.ix.Line(line + 1))
	return len(words) > 0 && !hasFigure(listMark.ReplaceAllString(u.w.ix.Line(line+1), "")) && slices.ContainsFunc(u.s.Leaves(), func(f *schema.Field) bool {
		if strings.Contains(f.Path, "[]") || f.Kin().Type == schema.Text {
			return false
		}
		all := u.w.calledBy(f).all
		return !slices.ContainsFunc(words, func(word string) bool { return !slices.Contains(all, word) }) && !u.record.At(value.Pointer("/"+strings.ReplaceAll(f.Path, ".", "/"))).Empty()
	})
}

// soonBehind is how many bytes behind its start a line has a value of the item that it is.
const soonBehind = 32

// opensWith tells whether a value of a list stands at the beginning of a line.
func (u *unread) opensWith(list value.Pointer, line int) bool {
	_, start, _ := u.w.ix.rowAt(line)
	return slices.ContainsFunc(u.leaves[line], func(p value.Pointer) bool {
		at := u.places[p]
		return p.Within(list) && at.Found() && at.Line-1 == line && at.Start-start < soonBehind
	})
}

// listHomes is a list with the lines that its items stand in.
type listHomes struct {
	path   value.Pointer
	called string
	at     map[int]bool
}

// listsWithHomes gives the lists of the record whose items each have a line of their own, and
// the lines of all items.
func (u *unread) listsWithHomes() (all []listHomes, home map[int]bool) {
	by, items := map[value.Pointer]map[int]bool{}, map[value.Pointer]int{}
	home = map[int]bool{}
	for item, line := range u.homes {
		home[line] = true
		list := item.Parent()
		if by[list] == nil {
			by[list] = map[int]bool{}
		}
		by[list][line] = true
		items[list]++
	}
	for _, p := range slices.Sorted(maps.Keys(by)) {
		if f := u.s.At(p); f != nil && f.Type == schema.List && items[p] == len(by[p]) {
			all = append(all, listHomes{p, u.called(f), by[p]})
		}
	}
	return all, home
}

// block gives the lines around one that begin in the same way, over those that go on from
// them and over single blank ones; of more than most just so many that they are more.
func (u *unread) block(n int, mark string, indent, most int) (all []int) {
	all = []int{n}
	for _, step := range []int{-1, 1} {
		gap := 0
		for at := n + step; at >= 0 && at <= len(u.w.ix.Breaks) && gap < 4 && len(all) <= most; at += step {
			text, start, end := u.w.ix.rowAt(at)
			own, in := markOf(text)
			same := own == mark && in-indent <= sameIndent && indent-in <= sameIndent
			switch {
			case same:
				all, gap = append(all, at), 0
			case strings.TrimSpace(text) == "" && mark == ": ":
				gap = 4 // labels below a blank line are those of other things
			case strings.TrimSpace(text) == "":
				gap += 2
			case in > indent+sameIndent || u.w.ix.TokenAt(start) == u.w.ix.TokenAt(end): // goes on, or a rule
				gap++
			default:
				gap = 4
			}
		}
	}
	slices.Sort(all)
	return all
}

// longestLine is how many bytes a line has at most that is looked at as an item, or for items.
const longestLine = 2000

// leastOpen is the share of a line's letters and figures that no value comes from, where it
// is unread.
const leastOpen = 0.66

// isOpen tells whether hardly anything of a line was read.
func (u *unread) isOpen(line int) bool {
	text, start, _ := u.w.ix.rowAt(line)
	if len(text) > longestLine {
		return false
	}
	all, read := 0, 0
	for i, r := range text {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			continue
		}
		all++
		if slices.ContainsFunc(u.claims[line], func(s span) bool { return s.Start <= start+i && start+i < s.End }) {
			read++
		}
	}
	return all > 5 && float64(all-read) >= leastOpen*float64(all)
}
