package evidence

import (
	"strings"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Choices that rows have as a code in a cell, with a legend for the codes: N=new G=good F=fair, and "doormat   F".

// optionsByLegend places the choices of items by the codes in their rows that a legend explains, and tells which those
// contradict. The legend has codes of two options at least.
func (w *weigher) optionsByLegend(h *homes) {
	for _, f := range fieldsIn(h, isOneChoice) {
		if !w.explainsOptions(f) {
			continue
		}
		for i, it := range h.list {
			line := h.at[i]
			if line < 0 {
				line, _ = w.nameLine(it)
			}
			l := leafOf(it, f)
			if line < 0 || l == nil || l.fixed != nil || h.in[line] > 1 {
				continue
			}
			option, at := w.codeInLegend(f.Kin(), line)
			switch {
			case option == "" || w.places[l.path].Found() && w.places[l.path].Line-1 == line:
			case value.Str(option).String() == l.value:
				w.restate(l, at)
			default:
				w.places[l.path] = Place{Kind: l.lacking, Opposed: line + 1, Says: at}
			}
		}
	}
}

// explainsOptions tells whether a document has signs for two options of a choice at least.
func (w *weigher) explainsOptions(f *schema.Field) bool {
	seen := map[string]bool{}
	for _, legends := range w.legendsOf() {
		for _, m := range legends {
			if option := w.inLegend(f.Kin(), w.ix.Source[m[2]:m[3]]); option != "" {
				seen[option] = true
			}
		}
	}
	return len(seen) > 1
}

// codeInLegend gives the option of the one cell of a line that is such a sign, and the cell; none for none or several.
func (w *weigher) codeInLegend(f *schema.Field, line int) (option string, at span) {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine {
		return "", span{}
	}
	cells := cellsIn(row)
	for _, c := range cells {
		said := strings.Trim(row[c[0]:c[1]], " ()[].")
		if utf8.RuneCountInString(said) > mostOfLegend || len(cells) < 2 {
			continue
		}
		if is := w.inLegend(f, said); is != "" {
			if option != "" {
				return "", span{}
			}
			option, at = is, between(start+c[0], start+c[1])
		}
	}
	return option, at
}
