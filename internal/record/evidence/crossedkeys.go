package evidence

import (
	"maps"
	"slices"

	"filler/internal/schema"
)

// Values that head the columns of tables, see inCrosstabs, and that the cells of their rows contradict.

// inCell is a value with the cell that the head of its item leads to.
type inCell struct {
	it     *item
	l, key *leaf
	cell   span
	known  bool
	row    int
}

// headOf gives where one of the heads stands.
func (w *weigher) headOf(t *crosstab, k int) span {
	_, start, _ := w.ix.rowAt(t.head)
	return between(start+t.cells[k][0], start+t.cells[k][1])
}

// inOtherCell takes a value its place for what a row has under a head.
func (w *weigher) inOtherCell(t *crosstab, l *leaf, row, k int, cell span) {
	head := w.headOf(t, k)
	w.places[l.path] = Place{Kind: l.lacking, Column: row + 1, Says: cell, Under: w.ix.Source[head.Start:head.End]}
}

// underNoHead takes their places from keys that are said nowhere, or numbers that head no column, where the row has the
// value under another head.
func (w *weigher) underNoHead(t *crosstab, f *schema.Field, all []crossed) {
	for _, c := range all {
		l, key := leafOf(c.it, f), leafOf(c.it, t.key)
		if l == nil || key == nil || c.row <= t.head || key.fixed != nil || t.key.Type != schema.Integer && (len(key.cands) > 0 || w.places[key.path].Found()) {
			continue
		}
		if _, is := t.of[key.value]; is {
			continue
		}
		for _, k := range append(slices.Sorted(maps.Values(t.of)), w.headsOfOptions(t)...) {
			if cell, known := w.underHead(t, c.row, k); known && cell.End > 0 && w.isInCell(l, cell) {
				w.inOtherCell(t, key, c.row, k, cell)
				break
			}
		}
	}
}

// headsOfOptions gives the heads that are options of the field that heads columns, whether a value has them or not.
func (w *weigher) headsOfOptions(t *crosstab) (all []int) {
	for k, h := range w.headingsOf(t.head, t.cells) {
		if slices.ContainsFunc(t.key.Of, func(o schema.Option) bool { return h.words == folded(schema.Spoken(o.Value)) }) {
			all = append(all, k)
		}
	}
	return all
}

// underOneHead takes its place from the key of one of several items that have one value in one cell, where the row has
// the same under another head of which there is no such item: of the first where that is before them, else of the last.
func (w *weigher) underOneHead(t *crosstab, of []inCell) {
	type place struct {
		row, k int
		value  string
	}
	in := map[place][]inCell{}
	for _, c := range of {
		if c.known {
			at := place{c.row, t.of[c.key.value], c.l.value}
			in[at] = append(in[at], c)
		}
	}
	for at, items := range in {
		for _, k := range slices.Sorted(maps.Values(t.of)) {
			c := items[len(items)-1]
			if k < at.k {
				c = items[0]
			}
			if len(items) < 2 || len(in[place{at.row, k, at.value}]) > 0 || c.key.fixed != nil {
				continue
			}
			if cell, known := w.underHead(t, at.row, k); known && cell.End > 0 && w.isInCell(c.l, cell) {
				w.inOtherCell(t, c.key, at.row, k, cell)
				break
			}
		}
	}
}
