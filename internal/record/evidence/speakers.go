package evidence

import (
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Talks written down, line by line behind the name of who speaks: "customer:" stands before what a
// customer says, and is no label of the field that has a customer's name.

// fewestLines is how many lines each of two speakers has at least.
const fewestLines = 3

// spokenLine is a line behind a name, also with the time before it and a role in brackets.
var spokenLine = lazy.New(`^[ \t>*-]*(?:[\[(]?\d[\d:.,/ T-]*(?:[ap]m)?[\])]?[ \t,–-]*)?(\pL[\pL .'’-]{0,30}?)[ \t]*(?:\(([\pL .-]{1,20})\))?[ \t]*: \S`)

// speakers gives the names, folded, of those who speak in a talk; none for another document.
func (w *weigher) speakers() map[string]bool {
	if w.talk != nil {
		return w.talk
	}
	w.talk = map[string]bool{}
	count := map[string]int{}
	for n := range len(w.ix.Breaks) + 1 {
		at := w.ix.LineSpan(n)
		if m := spokenLine.FindStringSubmatch(w.ix.Source[at.Start:at.End]); m != nil {
			count[folded(m[1])]++
			if m[2] != "" {
				count[folded(m[2])]++
			}
		}
	}
	often := 0
	for name, n := range count {
		if n >= fewestLines && name != "" {
			often++
			w.talk[name] = true
		}
	}
	if often < 2 {
		w.talk = map[string]bool{}
	}
	return w.talk
}

// isSpeaker tells whether a label is the name of who speaks, and of a field that a document has
// once: items of lists may well have each their label.
func (w *weigher) isSpeaker(f *schema.Field, label string) bool {
	if strings.Contains(f.Path, "[]") || w.all != nil && w.all.EachEntry() {
		return false
	}
	name, _, _ := strings.Cut(label, ":")
	return w.speakers()[folded(name)]
}
