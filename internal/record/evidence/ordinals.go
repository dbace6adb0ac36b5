package evidence

import (
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Counts that are said as a rank or as marks: the third floor, 4/5, ★★★★☆.

// ranked gives where a number stands as a rank in words before what the field is called: third floor.
func (w *weigher) ranked(f *schema.Field, text string) (found []span) {
	names := wordsIn(strings.Join(w.namesOf(f), " "))
	for _, word := range lang.Day.Words() {
		if lang.Day.Meaning(word) != text {
			continue
		}
		for _, s := range w.ix.find(word) {
			if next := w.ix.TokenAt(s.End); next < len(w.ix.Tokens) && slices.Contains(names, w.ix.Tokens[next].Word) && w.ix.Source[s.End:w.ix.Tokens[next].Start] == " " {
				found = append(found, s)
			}
		}
	}
	return found
}

// outOf is points with the most that there are behind a stroke: 4/5, 7.5/10.
var outOf = lazy.New(`(?:^|[^\d/.,])(\d{1,3}(?:[.,]\d)?) ?/ ?(5|6|10|20|100)(?:[^\d/.,]|[.,]?(?:\s|$))`)

// rowOfMarks is so many of so many signs.
var rowOfMarks = lazy.New(`([★⭐●■✪]+️?)([☆○□✩]*)`)

// rated gives where a number stands as points out of a usual most, or as a row of signs.
func (w *weigher) rated(text string) (found []span) {
	if strings.Contains(w.ix.Source, "/") {
		for _, m := range outOf.FindAllStringSubmatchIndex(w.ix.Source, -1) {
			of, _ := strconv.Atoi(w.ix.Source[m[4]:m[5]])
			said := strings.Replace(w.ix.Source[m[2]:m[3]], ",", ".", 1)
			if n, err := strconv.ParseFloat(said, 64); err == nil && said == text && n <= float64(of) && !w.ix.InDate(reading.Span{Start: m[2], End: m[3]}) {
				found = append(found, between(m[2], m[5]))
			}
		}
	}
	if strings.ContainsAny(w.ix.Source, "★⭐●■✪") {
		for _, m := range rowOfMarks.FindAllStringSubmatchIndex(w.ix.Source, -1) {
			if strconv.Itoa(utf8.RuneCountInString(strings.Trim(w.ix.Source[m[2]:m[3]], "\ufe0f"))) == text && (m[5] > m[4] || m[3]-m[2] > len("★")) {
				found = append(found, between(m[0], m[1]))
			}
		}
	}
	return found
}
