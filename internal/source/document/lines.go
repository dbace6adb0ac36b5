package document

import (
	"sort"
	"strings"
)

// Lines gives the lines of a text by their offsets.
type Lines struct {
	text   string
	starts []int
}

// NewLines indexes the lines of text.
func NewLines(text string) *Lines {
	l := &Lines{text: text, starts: make([]int, 1, 1+strings.Count(text, "\n"))}
	for i := 0; i < len(text); i++ {
		if text[i] == '\n' && i+1 < len(text) {
			l.starts = append(l.starts, i+1)
		}
	}
	return l
}

// Len gives how many lines there are.
func (l *Lines) Len() int { return len(l.starts) }

// Of gives the number, from 1, of the line that holds offset.
func (l *Lines) Of(offset int) int {
	return sort.SearchInts(l.starts, offset+1)
}

// Text gives line n, from 1, without its line end.
func (l *Lines) Text(n int) string {
	start := l.starts[n-1]
	end := len(l.text)
	if n < len(l.starts) {
		end = l.starts[n] - 1
	}
	return strings.TrimSuffix(l.text[start:end], "\n")
}
