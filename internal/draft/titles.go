package draft

import (
	"strings"

	"filler/internal/draft/printed"
)

// title is the line that a document begins with: what it is, and the mark that it bears.
type title struct{ words, mark string }

// titlesOf takes the titles off the samples that begin with the same words and other marks than
// another sample; what begins but one sample may be anything.
func titlesOf(texts []string) (rest []string, titles []title) {
	titles, rest = make([]title, len(texts)), append(rest, texts...)
	marks := map[string]map[string]bool{}
	for i, text := range texts {
		line, _, _ := strings.Cut(strings.TrimLeft(text, " \t\r\n\ufeff"), "\n")
		words, mark := printed.Title(line)
		if words == "" {
			continue
		}
		titles[i] = title{words, mark}
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
