package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Tables whose heads are called like fields: a figure belongs to the field that its column is
// headed with, and may stand in the next one as well.

// underOtherHeads moves the figures of an item that stand under the head of another field to the
// cell under their own, and takes their places where that cell has another one.
func (w *weigher) underOtherHeads(it *item) {
	for _, l := range it.leaves {
		at := w.places[l.path]
		if !at.Found() || at.Led || at.Basis || l.fixed != nil || !isFigure(l.f.Kin()) {
			continue
		}
		place := between(at.Start, at.End)
		head := w.headOver(l.f, place)
		if head == "" || w.isCalled(l.f, head) || !w.isSibling(l.f, head) {
			continue
		}
		row, start, _ := w.ix.rowAt(at.Line - 1)
		for _, m := range figuresOf(row) {
			own := between(start+m[0], start+m[1])
			if !w.isCalled(l.f, w.headOver(l.f, own)) {
				continue
			}
			if c := candidateAt(l.cands, own); c != nil {
				at.Start, at.End, at.Kind = c.Start, c.End, c.kind
			} else {
				at = Place{Kind: l.lacking, Under: head}
			}
			w.places[l.path] = at
			break
		}
	}
}

// besideOwnCells takes their places from figures that stand elsewhere, while the row of their item has another one
// in the cell under the field's own head.
func (w *weigher) besideOwnCells(h *homes) {
	for i, it := range h.list {
		if !h.own(i) {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if !at.Found() || at.Basis || l.fixed != nil || at.Line-1 == h.at[i] || !isFigure(l.f.Kin()) {
				continue
			}
			own := w.figureUnderHead(l.f, h.at[i])
			v, err := value.Parse(l.value)
			if own.End == 0 || err != nil || at.Line-1 != w.topRow(h.at[i]) && w.hasFigureIn(at.Line-1, w.ix.Source[own.Start:own.End]) { // 12, not 10
				continue
			}
			c := candidateAt(l.cands, own)
			if c == nil { // a label elsewhere leads to other places
				c = candidateAt(w.candidates(l.f, &v, false), own)
			}
			if c != nil {
				w.places[l.path] = Place{Kind: c.kind, Start: c.Start, End: c.End, Line: h.at[i] + 1, Tied: true}
			} else {
				w.places[l.path] = Place{Kind: l.lacking, Misplaced: at.Line}
			}
		}
	}
}

// hasFigureIn tells whether a line has a figure as well.
func (w *weigher) hasFigureIn(line int, said string) bool {
	row, _, _ := w.ix.rowAt(line)
	return slices.ContainsFunc(figuresOf(row), func(m [2]int) bool { return strings.TrimRight(row[m[0]:m[1]], ".,:") == said })
}

// figureUnderHead gives the one figure of a line that stands alone in its cell, under a head that is the field's.
func (w *weigher) figureUnderHead(f *schema.Field, line int) (own span) {
	row, start, _ := w.ix.rowAt(line)
	cells := cellsIn(row)
	if len(cells) < leastCells || len(row) > longestLine || w.topRow(line) < 0 {
		return span{}
	}
	for _, c := range cells {
		figures := figuresOf(row[c[0]:c[1]])
		s := between(start+c[0], start+c[1])
		if len(figures) != 1 || !w.isCalled(f, w.topOf(s)) {
			continue
		}
		if own.End > 0 {
			return span{}
		}
		own = s
	}
	return own
}

func candidateAt(cands []candidate, s span) *candidate {
	for i := range cands {
		if c := &cands[i]; c.Start < s.End && s.Start < c.End {
			return c
		}
	}
	return nil
}

// isSibling tells whether another field of the same group is called as a head says, and no field is that
// it could be as well.
func (w *weigher) isSibling(f *schema.Field, head string) bool {
	if w.all == nil {
		return false
	}
	called := folded(head)
	for _, other := range w.all.Leaves() {
		if other == f || groupOf(other) != groupOf(f) {
			continue
		}
		for _, name := range w.labels(other) {
			if strings.Join(name, " ") == called {
				return true
			}
		}
	}
	return false
}

func groupOf(f *schema.Field) string { return f.Path[:max(0, strings.LastIndexByte(f.Path, '.'))] }

// headOver gives the head of the column that a value stands in: in a table with a rule its cell in the
// row above the rule, else of a figure what stands above it.
func (w *weigher) headOver(f *schema.Field, s span) string {
	line := w.ix.LineOf(s.Start)
	row, start, _ := w.ix.rowAt(line)
	if up := w.ruleAbove(line); up > 0 {
		head, _, _ := w.ix.rowAt(up - 1)
		if cells, nth := strings.Split(head, "|"), strings.Count(row[:s.Start-start], "|"); nth < len(cells) {
			return strings.TrimSpace(cells[nth])
		}
		return ""
	}
	if isFigure(f.Kin()) {
		return w.ix.HeadOf(s)
	}
	return ""
}

// ruleAbove gives the line of the rule below the head of the table that a row is of; 0 for none.
func (w *weigher) ruleAbove(line int) int {
	var rows []int
	rule := 0
	for at := line; at > 0; at-- {
		if known, is := w.ruled[at]; is {
			rule = known
			break
		}
		row, _, _ := w.ix.rowAt(at)
		row = strings.TrimSpace(row)
		if rows = append(rows, at); !strings.HasPrefix(row, "|") {
			break
		}
		if at < line && strings.Trim(row, "|-: ") == "" {
			rule = at
			break
		}
	}
	if w.ruled == nil {
		w.ruled = map[int]int{}
	}
	for _, at := range rows {
		w.ruled[at] = rule
	}
	return rule
}
