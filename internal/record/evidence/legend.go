package evidence

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Signs in the rows of a list that a legend below it explains: 1,204 E with "E = elected", Rust* with
// "* treated". A row without the sign is not so.

var (
	legendEquals = lazy.New(`(?m)(?:^|[\s(;,·|])([^\s\d(;,·|=]{1,3}) ?= ?([^,;.()|\n]{2,60})`)
	legendNote   = lazy.New(`(?m)^[ \t]*([*†‡§#°+]{1,3}|\(\*\)) ?(\pL[^\n.;]{1,60})`)
)

// mostLegend bounds how many explanations of a document are looked at.
const mostLegend = 100

// byLegend places the booleans of items by the signs in their rows, and tells which they contradict.
func (w *weigher) byLegend(h *homes) {
	if len(h.list) < 2 {
		return
	}
	for _, f := range booleansIn(h) {
		sign, at, whole := w.legendOf(f)
		if sign == "" {
			continue
		}
		marks, lines := map[int]span{}, make([]int, len(h.list))
		for i := range h.list {
			if lines[i] = -1; !h.own(i) {
				continue
			}
			lines[i] = h.at[i]
			if h.at[i] != w.ix.LineOf(at.Start) {
				if s := w.signIn(h.at[i], sign); s.End > 0 {
					marks[i] = s
				}
			}
		}
		if len(marks) > 0 {
			w.byMarks(h, f, marks, lines, whole)
		}
	}
}

// booleansIn gives the booleans of a list's items that are not concluded.
func booleansIn(h *homes) (all []*schema.Field) {
	for _, it := range h.list {
		for _, l := range it.leaves {
			if l.f.Kin().Type == schema.Boolean && !l.f.Concludes && !slices.Contains(all, l.f) {
				all = append(all, l.f)
			}
		}
	}
	return all
}

// legendsOf gives the legends of a text, in either form, found once.
func (w *weigher) legendsOf() [][][]int {
	if w.legends == nil {
		for _, form := range []*lazy.Regexp{legendEquals, legendNote} {
			w.legends = append(w.legends, form.FindAllStringSubmatchIndex(w.ix.Source, mostLegend))
		}
		w.legends = append(w.legends, w.legendLines())
	}
	return w.legends
}

// legendOf gives the one sign that a document explains by the name of a field, where it does, and whether by nothing
// more: what has no sign with "* paid in cash" may be paid as well.
func (w *weigher) legendOf(f *schema.Field) (sign string, at span, whole bool) {
	for _, legends := range w.legendsOf() {
		for _, m := range legends {
			words := wordsOf(w.ix.Source[m[4]:m[5]])
			inAbout := len(words) > 1 && placeOf(words, wordsOf(f.About), sameNoun) >= 0 // contains nuts, of "Whether it contains nuts."
			if slices.ContainsFunc(words, lang.Not.Has) || !slices.ContainsFunc(w.labels(f), func(name []string) bool {
				at := placeOf(name, words, sameNoun)
				return at == 0 || at > 0 && inAbout
			}) {
				continue
			}
			if sign != "" && sign != w.ix.Source[m[2]:m[3]] {
				return "", span{}, false
			}
			sign, at = w.ix.Source[m[2]:m[3]], between(m[2], m[5])
			whole = inAbout || slices.ContainsFunc(w.labels(f), func(name []string) bool { return len(name) == len(words) })
		}
		if sign != "" {
			return sign, at, whole
		}
	}
	return "", span{}, false
}

// signIn gives where a row has a sign: letters by themselves, others also right behind a word.
func (w *weigher) signIn(line int, sign string) span {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine {
		return span{}
	}
	for from := 0; ; {
		i := strings.Index(row[from:], sign)
		if i < 0 {
			return span{}
		}
		i += from
		before, _ := utf8.DecodeLastRuneInString(row[:i])
		behind, _ := utf8.DecodeRuneInString(row[i+len(sign):])
		first, _ := utf8.DecodeRuneInString(sign)
		isWord := func(r rune) bool { return r != utf8.RuneError && (unicode.IsLetter(r) || unicode.IsDigit(r)) }
		isInitial := behind == '.' && unicode.IsLetter(first)
		if !isWord(behind) && !isInitial && (!isWord(before) || !unicode.IsLetter(first)) && (i > 0 || !unicode.IsLetter(first)) {
			return between(start+i, start+i+len(sign))
		}
		from = i + len(sign)
	}
}

// mostOfLegend is how many letters a sign has at most that a legend explains: ++, fair.
const mostOfLegend = 3

// inLegend gives the option that a document explains a sign by: ++ strongly agree, + = agree.
func (w *weigher) inLegend(f *schema.Field, sign string) string {
	source := w.ix.Source
	for at, tries := 0, 0; tries < mostCells; tries++ {
		i := strings.Index(source[at:], sign)
		if i < 0 {
			return ""
		}
		start, end := at+i, at+i+len(sign)
		at = end
		before := strings.TrimRight(source[max(0, start-2):start], " ")
		if before != "" && !strings.ContainsAny(before[len(before)-1:], "(,;:\n") {
			continue
		}
		rest := strings.TrimLeft(source[end:min(len(source), end+labelReach)], " \u00a0")
		if len(rest) == len(source[end:min(len(source), end+labelReach)]) && !strings.HasPrefix(rest, "=") && !strings.HasPrefix(rest, ":") {
			continue
		}
		rest = strings.TrimLeft(rest, "=:–- ")
		if stop := strings.IndexAny(rest, ",;).\n"); stop >= 0 {
			rest = rest[:stop]
		}
		if option := optionNamed(f, strings.TrimSpace(rest)); option != "" {
			return option
		}
	}
	return ""
}
