package draft

import (
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/draft/printed"
)

// title is the line that a document begins with: what it is, and the mark that it bears.
type title struct{ words, mark string }

// titleLine is words with a figure or a code behind them: DELIVERY NOTE DN-401, Invoice no. 2031/7.
var titleLine = lazy.New(`^\s*[#*=_]*\s*((?:\pL[\pL.'’-]+ ){1,4}?)(?:(?:[Nn]o|[Nn]r|[Nn]um|NO|NR)\.?:? *|[Nn]umber:? |[#№:] *)?([A-Z]{0,5}[-/. ]?\d[\dA-Z/.-]{0,14})\s*[*=_]*\s*$`)

// titlesOf takes the titles off the samples that begin with the same words and other marks than
// another sample; what begins but one sample may be anything.
func titlesOf(texts []string) (rest []string, titles []title) {
	titles, rest = make([]title, len(texts)), append(rest, texts...)
	marks := map[string]map[string]bool{}
	for i, text := range texts {
		line, _, _ := strings.Cut(strings.TrimLeft(text, " \t\r\n\ufeff"), "\n")
		cells := printed.Lines(line)[0].Cells // a letterhead may stand before it
		if len(cells) == 0 {
			continue
		}
		m := titleLine.FindStringSubmatch(cells[len(cells)-1])
		if m == nil {
			continue
		}
		words := strings.ToLower(strings.TrimSpace(m[1]))
		titles[i] = title{words, strings.TrimSpace(m[2])}
		if marks[words] == nil {
			marks[words] = map[string]bool{}
		}
		marks[words][titles[i].mark] = true
	}
	for i, t := range titles {
		if len(marks[t.words]) < 2 {
			titles[i] = title{}
			continue
		}
		_, rest[i], _ = strings.Cut(strings.TrimLeft(texts[i], " \t\r\n\ufeff"), "\n")
	}
	return rest, titles
}
