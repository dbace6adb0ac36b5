package evidence

import (
	"slices"
	"strings"

	"filler/internal/schema"
)

// optionsOfRows notes the choices of items whose own row has a cell, a part between commas or a label before its
// words that is another option or a kind of it, and none that is theirs: crew for | D. Vance | PILOT |.
func (w *weigher) optionsOfRows(h *homes) {
	for i, it := range h.list {
		if !h.own(i) {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.fixed != nil || l.f.Kin().Type != schema.Choice || l.f.Concludes || at.Found() && at.Line-1 == h.at[i] || at.Opposed > 0 {
				continue
			}
			if option, s := w.shortOption(l.f, h.at[i]); option != "" {
				if option == strings.Trim(l.value, `"`) {
					w.restate(l, s)
				} else {
					w.places[l.path] = Place{Kind: l.lacking, Opposed: h.at[i] + 1, Says: s}
				}
				continue
			}
			s := w.otherInRow(it, l, h.at[i])
			if s.End == 0 {
				s = w.otherCutShort(l, h.at[i])
			}
			if s.End > 0 {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: h.at[i] + 1, Says: s}
			}
		}
	}
}

// otherCutShort gives where a line has another option of a choice by a word of it that the schema cuts off with a stop,
// and none of the value's own: tropfen for Corveton 50 mg Tbl. N3.
func (w *weigher) otherCutShort(l *leaf, line int) (found span) {
	in := func(s span) bool { return w.ix.LineOf(s.Start) == line }
	if slices.ContainsFunc(w.optionSpans(l, true), in) {
		return span{}
	}
	for _, s := range w.optionSpans(l, false) {
		if in(s) && strings.HasSuffix(w.ix.Source[s.Start:s.End], ".") && letters(w.ix.Source[s.Start:s.End]) >= shortestCut {
			if found.End > 0 {
				return span{}
			}
			found = s
		}
	}
	return found
}

// mostShort is how many letters an option has at most that is cut off.
const mostShort = 5

// shortOption gives the one option that begins with what stands in the cell of a line under the field's own head,
// and that cell: G, for good; "" for none.
func (w *weigher) shortOption(f *schema.Field, line int) (option string, at span) {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine || w.topRow(line) < 0 {
		return "", span{}
	}
	for _, c := range cellsIn(row) {
		s := between(start+c[0], start+c[1])
		said := folded(w.ix.Source[s.Start:s.End])
		if n := letters(said); n == 0 || !w.isCalled(f, w.topOf(s)) {
			continue
		} else if n > mostShort || strings.Contains(said, " ") {
			if option, at = w.cutOption(f.Kin(), s); option != "" {
				return option, at
			}
			continue
		}
		if option = w.inLegend(f.Kin(), strings.TrimSpace(w.ix.Source[s.Start:s.End])); option != "" {
			return option, s
		}
		for _, o := range f.Kin().Of {
			if slices.ContainsFunc(append([]string{schema.Spoken(o.Value)}, o.Also...), func(name string) bool { return strings.HasPrefix(folded(name), said) }) {
				if option != "" {
					return "", span{}
				}
				option, at = o.Value, s
			}
		}
		return option, at
	}
	return "", span{}
}

// cutOption gives the one option of which a stop in a cell has cut off a word: 2nd Eng., for engineer.
func (w *weigher) cutOption(f *schema.Field, cell span) (option string, at span) {
	for i := w.ix.TokenAt(cell.Start); i < len(w.ix.Tokens) && w.ix.Tokens[i].End <= cell.End; i++ {
		t := w.ix.Tokens[i]
		if len(t.Word) < shortestCut || !strings.HasPrefix(w.ix.Source[t.End:], ".") {
			continue
		}
		for _, o := range f.Of {
			if slices.ContainsFunc(append(wordsOf(schema.Spoken(o.Value)), wordsOf(strings.Join(o.Also, " "))...), func(word string) bool { return len(word) > len(t.Word) && strings.HasPrefix(word, t.Word) }) {
				if option != "" {
					return "", span{}
				}
				option, at = o.Value, t.Span
			}
		}
	}
	return option, at
}

// otherInRow gives the one cell of an item's line that is another option of a choice than its value, and
// that nothing else of the item was read from.
func (w *weigher) otherInRow(it *item, l *leaf, line int) (found span) {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine {
		return span{}
	}
	cells := cellsIn(row)
	if i := strings.Index(row, ": "); i > 0 && len(cells) < 2 {
		first := len(row) - len(strings.TrimLeft(row, " \t*•·–-"))
		cells = [][2]int{{min(first, i), i}}
	} else if len(cells) < 2 {
		cells = commaParts(row)
	}
	own := strings.Trim(l.value, `"`)
	for _, c := range cells {
		s := between(start+c[0], start+c[1])
		said := w.ix.Source[s.Start:s.End]
		option := optionCalled(l.f.Kin(), said)
		if i := strings.IndexAny(said, ",;(0123456789"); option == "" && i > 0 { // Mooring 1–30 June; berth, 5 nights
			option, s.End = optionCalled(l.f.Kin(), said[:i]), s.Start+len(strings.TrimRight(said[:i], " "))
		}
		if option == "" {
			option = optionOfPhrase(l.f.Kin(), said)
		}
		switch {
		case option == "":
		case option == own || found.End > 0:
			return span{}
		case w.isRead(it, s):
		default:
			found = s
		}
	}
	return found
}

// mostInPhrase is how many words a phrase has at most that names a thing: two-leg wire sling.
const mostInPhrase = 4

// optionOfPhrase gives the one option that a short phrase is a kind of, by its last or its first word: wire sling,
// eslinga de cadena. "" for none.
func optionOfPhrase(f *schema.Field, said string) string {
	words := strings.Fields(said)
	if len(words) < 2 || len(words) > mostInPhrase || strings.ContainsAny(said, "0123456789.,;:()!?") {
		return ""
	}
	first, last := optionCalled(f, words[0]), optionCalled(f, words[len(words)-1])
	switch {
	case first == "" || first == last:
		return last
	case last == "":
		return first
	}
	return ""
}

// commaParts gives the parts of a line that commas and semicolons part, at least three.
func commaParts(row string) (parts [][2]int) {
	from := 0
	for i := 0; i <= len(row); i++ {
		if i < len(row) && row[i] != ',' && row[i] != ';' {
			continue
		}
		part := strings.Trim(row[from:i], " \t*•·–-")
		at := from + max(0, strings.Index(row[from:i], part))
		parts, from = append(parts, [2]int{at, at + len(part)}), i+1
	}
	if len(parts) < 3 {
		return nil
	}
	return parts
}

// isRead tells whether a value of an item was read from a place in a line; one that goes on in the next line has
// what stands between its parts within its own.
func (w *weigher) isRead(it *item, s span) bool {
	return slices.ContainsFunc(it.leaves, func(l *leaf) bool {
		at := w.places[l.path]
		return at.Found() && !strings.Contains(w.ix.Source[at.Start:at.End], "\n") && at.Start < s.End && s.Start < at.End
	})
}

// optionCalled is optionNamed but for words of two letters, which may be of anything.
func optionCalled(f *schema.Field, said string) string {
	if letters(folded(said)) <= 2 {
		return ""
	}
	return optionNamed(f, said)
}

// optionNamed gives the one option that some words are called by, in however few letters; "" for none.
func optionNamed(f *schema.Field, said string) (option string) {
	for _, o := range f.Of {
		if slices.ContainsFunc(append([]string{schema.Spoken(o.Value)}, o.Also...), func(name string) bool {
			return strings.EqualFold(name, said) || folded(name) == folded(said) && folded(said) != ""
		}) {
			if option != "" {
				return ""
			}
			option = o.Value
		}
	}
	return option
}
