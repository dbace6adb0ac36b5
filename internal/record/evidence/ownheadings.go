package evidence

import "filler/internal/schema"

// Values that stand in headings above the rows of items, as a court's room and judge do: each item has those of the
// nearest heading above it.

// oddUnder is how many times as many items have the value of the nearest heading above them as have that of another.
const oddUnder = 3

// underOwnHeadings takes their places from values of another heading than the nearest one above the row of their item.
func (w *weigher) underOwnHeadings(h *homes) {
	for _, f := range fieldsIn(h, func(f *schema.Field) bool { return isName(f) || f.Type == schema.Date }) {
		heads, of := map[int]string{}, map[string]int{}
		alone := true
		for i, it := range h.list {
			l := leafOf(it, f)
			if l == nil || !h.own(i) || !w.places[l.path].Found() {
				continue
			}
			line := w.places[l.path].Line - 1
			if was, known := of[l.value]; h.in[line] > 0 || known && was != line || heads[line] != "" && heads[line] != l.value {
				alone = false
				break
			}
			heads[line], of[l.value] = l.value, line
		}
		if !alone || len(heads) < 2 {
			continue
		}
		right, odd := 0, map[*leaf]int{}
		for i, it := range h.list {
			l := leafOf(it, f)
			if l == nil || !h.own(i) || !w.places[l.path].Found() {
				continue
			}
			nearest := -1
			for line := range heads {
				if line < h.at[i] && line > nearest {
					nearest = line
				}
			}
			if nearest == w.places[l.path].Line-1 {
				right++
			} else if nearest >= 0 && l.fixed == nil {
				odd[l] = nearest
			}
		}
		if right < oddUnder*len(odd) {
			continue
		}
		for l, line := range odd {
			s := w.ix.LineSpan(line)
			w.places[l.path] = Place{Kind: l.lacking, Opposed: line + 1, Says: s}
		}
	}
}
