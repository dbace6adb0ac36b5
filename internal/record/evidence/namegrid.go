package evidence

import (
	"slices"
	"strings"

	"filler/internal/schema"
)

// inRoster is inCrosstabs for tables with names in their cells that may come again in others, as rosters: the other
// names of an item tell its row. It tells whether there is such a table.
func (w *weigher) inRoster(list string, h *homes, key *schema.Field) (is bool) {
	for _, f := range fieldsIn(h, isInCells) {
		if f == key {
			continue
		}
		all, first := w.rowsCrossed(list, h.list, key, f)
		rows := map[int]int{}
		for _, c := range all {
			rows[c.row]++
		}
		if first < 1 || len(rows) < 2 || len(rows) == len(all) {
			continue
		}
		if t := w.crosstabAbove(key, all, first); t != nil && w.intoCells(t, f, all) {
			if is = true; !strings.Contains(list, "[].") {
				w.atRowHeads(t, f, h, all)
			}
		}
	}
	return is
}

// inGridOfNames is inCrosstabs for tables with names in their cells, as programmes of several stages: a name tells the
// row of its item, what heads it is one of its values, and what stands at the begin of the row are others.
func (w *weigher) inGridOfNames(h *homes, key *schema.Field) {
	for _, f := range fieldsIn(h, isName) {
		if f == key {
			continue
		}
		all, in := make([]crossed, len(h.list)), map[int]int{}
		first, several := -1, false
		for i, it := range h.list {
			all[i] = crossed{it, -1}
			l := leafOf(it, f)
			if l == nil || !w.places[l.path].Found() {
				continue
			}
			at := w.places[l.path]
			if cell := w.cellAround(at.Line-1, between(at.Start, at.End)); at.Rivals > 0 || cell.End == 0 || cell.Start == w.ix.LineSpan(at.Line-1).Start {
				continue
			}
			all[i].row = at.Line - 1
			in[at.Line-1]++
			several = several || in[at.Line-1] > 1
			if first < 0 || at.Line-1 < first {
				first = at.Line - 1
			}
		}
		if first < 1 || !several { // each in a row of its own is no such table
			continue
		}
		if t := w.crosstabAbove(key, all, first); t != nil && w.intoCells(t, f, all) {
			w.inRowsOfNames(h, all, map[*schema.Field]bool{f: true, key: true})
			return
		}
	}
}

// isInCells tells a field whose values cells have with others: Sopranos: Brahms 4.
func isInCells(f *schema.Field) bool {
	return isName(f) || f.Type == schema.Choice && f.List == nil && !f.Concludes
}

// isName tells a field of texts as they are printed.
func isName(f *schema.Field) bool { return f.Type == schema.Text && f.List == nil && !f.Concludes }

// inRowsOfNames takes their places from the values of other fields that stand in another row than the name of their
// item, where most stand in that.
func (w *weigher) inRowsOfNames(h *homes, all []crossed, done map[*schema.Field]bool) {
	for _, f := range fieldsIn(h, isPlain) {
		if done[f] {
			continue
		}
		var out []*leaf
		right, of := 0, 0
		for _, c := range all {
			l := leafOf(c.it, f)
			if l == nil || c.row < 0 {
				continue
			}
			of++
			k := slices.IndexFunc(l.cands, func(o candidate) bool { return w.ix.LineOf(o.Start) == c.row })
			switch at := w.places[l.path]; {
			case k >= 0:
				if right++; l.fixed == nil && at.Line-1 != c.row && !at.isContradicted() {
					w.restate(l, l.cands[k].span)
				}
			case at.Found() && l.fixed == nil:
				out = append(out, l)
			}
		}
		if right < fewestCrossed || 3*right < 2*of {
			continue
		}
		for _, l := range out {
			w.places[l.path] = Place{Kind: l.lacking, Misplaced: w.places[l.path].Line}
		}
	}
}
