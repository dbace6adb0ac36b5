package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Lists under headings that are the options of a choice: To begin, Mains, To finish.

// underOptionHeads places the choices of items under the heading above them that names their option, and tells where
// that names another.
func (w *weigher) underOptionHeads(h *homes) {
	for _, f := range fieldsIn(h, isOneChoice) {
		heads := w.optionHeads(f)
		if len(heads) < 2 {
			continue
		}
		of := map[*item]int{} // the heading above each item
		for i, it := range h.list {
			line := h.at[i]
			if line < 0 {
				line, _ = w.nameLine(it)
			}
			above := -1
			for k, head := range heads {
				if head.line < line {
					above = k
				}
			}
			if line < 0 || above < 0 || slices.ContainsFunc(heads, func(o optionHead) bool { return o.line == line }) {
				of = nil
				break
			}
			of[it] = above
		}
		used := map[string]bool{}
		for _, k := range of {
			used[heads[k].option] = true
		}
		if len(used) < 2 { // the others' headings may be of another list
			continue
		}
		for _, it := range h.list {
			for _, l := range it.leaves {
				if l.f != f || l.fixed != nil {
					continue
				}
				head := heads[of[it]]
				switch at := w.places[l.path]; {
				case l.value == head.json:
					w.places[l.path] = Place{Kind: Restated, Start: head.at.Start, End: head.at.End, Line: head.line + 1, Tied: true}
				case !at.Found() || slices.ContainsFunc(heads, func(o optionHead) bool { return o.line == at.Line-1 }):
					w.places[l.path] = Place{Kind: l.lacking, Opposed: head.line + 1, Says: head.at}
				}
			}
		}
	}
}

// optionHead is a line that has an option of a choice and nothing else.
type optionHead struct {
	line         int
	at           span
	option, json string
}

// mostOptionHeads bounds the headings of one choice.
const mostOptionHeads = 60

// optionHeads gives those lines for the options of a choice, found once.
func (w *weigher) optionHeads(f *schema.Field) []optionHead {
	heads, known := w.underHeads[f]
	if !known {
		if heads = w.findOptionHeads(f); w.underHeads == nil {
			w.underHeads = map[*schema.Field][]optionHead{}
		}
		w.underHeads[f] = heads
	}
	return heads
}

// findOptionHeads finds them, in their order; none where one may be two options.
func (w *weigher) findOptionHeads(f *schema.Field) (heads []optionHead) {
	of := map[int]string{}
	for _, o := range f.Kin().Of {
		both := slices.Clone(w.ix.find(o.Value))
		w.synonyms(f.Kin(), o.Value, func(spans []span, _ Kind, _ string) { both = append(both, spans...) })
		for _, s := range both {
			line := w.ix.LineOf(s.Start)
			row, start, _ := w.ix.rowAt(line)
			if len(row) > longestLine || strings.Trim(row[:max(0, s.Start-start)]+row[min(len(row), max(0, s.End-start)):], " \t|:#*=_-–—.()") != "" {
				continue
			}
			if was, known := of[line]; known {
				if was != o.Value {
					return nil
				}
				continue
			}
			of[line] = o.Value
			heads = append(heads, optionHead{line, s, o.Value, value.Str(o.Value).String()})
		}
	}
	if len(heads) > mostOptionHeads {
		return nil
	}
	slices.SortFunc(heads, func(a, b optionHead) int { return a.line - b.line })
	return heads
}

// isOneChoice tells a field with one of several options.
func isOneChoice(f *schema.Field) bool { return f.Type == schema.Choice && f.List == nil }
