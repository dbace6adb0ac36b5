package evidence

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// What was left over behind a label that one blank parts from it, where the label begins a line or a cell:
// Plombe 0088213, Surveyed 8 Sept 2026.

// mostBehindLabel is how many words stand behind such a label at most: more are a sentence.
const mostBehindLabel = 6

// behindLabels gives what stands so behind a label of a field in a stretch, and nothing came from.
func (l *leaving) behindLabels(f *schema.Field, region span) (found []leftover) {
	ix := l.w.ix
	for _, name := range l.w.labels(f) {
		for _, s := range ix.wordsIn(name, region) {
			row, start, end := ix.rowAt(ix.LineOf(s.Start))
			before := row[:max(0, s.Start-start)]
			if len(row) > longestLine || l.w.namesFields(row) {
				continue
			}
			said := between(s.End, s.End+cellEnd(ix.Source[s.End:max(s.End, end)]))
			if !beginsCell(before) { // WORK ORDER W-2849; your boat (order W-2849)
				if said.End = said.Start + numberBehind(ix.Source[said.Start:said.End]); said.End == said.Start {
					continue
				}
			}
			if comma := strings.Index(ix.Source[said.Start:said.End], ", "); comma > 0 && !l.isFree(said) { // Apiary Elder Field, 2 May 2032
				said.End = said.Start + comma
			}
			if said.End == s.End && len(cellsIn(row)) > 1 { // the label has a cell to itself
				rest := ix.Source[s.End:max(s.End, end)]
				gap := len(rest) - len(strings.TrimLeft(rest, " \t|"))
				said = between(s.End+gap-min(gap, 1), s.End+gap+cellEnd(rest[gap:]))
			}
			if text := ix.Source[said.Start:said.End]; l.saysValue(f, text) && l.isFree(said) && !l.isClaimed(s) {
				said.Start += len(text) - len(strings.TrimLeft(text, " \t|"))
				found = append(found, leftover{span: said, form: aText})
			}
		}
	}
	return found
}

// beginsCell tells whether nothing stands before a place in its cell, but for a mark.
func beginsCell(before string) bool {
	before = before[strings.LastIndexAny(before, "\t|")+1:]
	before = before[max(0, strings.LastIndex(before, "  ")):]
	return strings.Trim(before, " *-•·–#") == ""
}

// numberBehind gives how far a number goes that stands right behind a label within a line; 0 where none does.
func numberBehind(text string) int {
	const shortest = 4
	said := strings.TrimLeft(text, " ")
	word, _, _ := strings.Cut(said, " ")
	if word = strings.TrimRight(word, ".,;:)]"); len(text)-len(said) != 1 || len(word) < shortest || !isNumber(word) {
		return 0
	}
	return 1 + len(word)
}

// isNumber tells one word with figures, as documents are numbered.
func isNumber(text string) bool {
	words := strings.Fields(text)
	return len(words) == 1 && hasFigure(text) && strings.IndexFunc(text, unicode.IsLower) < 0
}

// cellEnd gives how far a cell goes on.
func cellEnd(behind string) int {
	end := len(behind)
	for _, sign := range []string{"  ", "\t", "|"} {
		if i := strings.Index(behind, sign); i >= 0 {
			end = min(end, i)
		}
	}
	return end
}

// saysValue tells whether words behind a label have the form of a field's value, and are no sentence.
func (l *leaving) saysValue(f *schema.Field, text string) bool {
	said := strings.Trim(text, " \t|")
	words := reading.Tokenize(said)
	if text == "" || strings.TrimLeft(text, " \t|") == text || len(words) == 0 || len(words) > mostBehindLabel || saysNone(said) || strings.Contains(said, ":") || strings.ContainsAny(said[:1], "(=,;–—-") {
		return false
	}
	if first := words[0].Word; !isNumber(said) && (lang.Is.Has(first) || lang.Not.Has(first) || lang.Frequent.Has(first)) {
		return false
	}
	if f.Kin().Type == schema.Text {
		r, _ := utf8.DecodeRuneInString(said)
		return letters(said) > 1 && (strings.ToLower(string(r)) != string(r) || hasFigure(said)) // a name or a number
	}
	return hasForm(f, strings.TrimRight(said, ".,;"))
}
