package printed

import (
	"sort"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// table finds a head whose cells fit the item's leaves, and fills one item
// from each row below it.
func table(f *schema.Field, item []*slot, lines []*line) (rows []value.Value, used []*line) {
	for i, l := range lines {
		columns, hits := headCells(l, item)
		if hits < 2 || hits*2 < len(l.cells) {
			continue
		}
		used = []*line{l}
		for _, row := range lines[i+1:] {
			if row.blank() {
				if strings.TrimSpace(row.text) == "" {
					break
				}
				used = append(used, row)
				continue
			}
			if len(row.cells) < 2 {
				break
			}
			used = append(used, row)
			v := blank(f.Item)
			for _, c := range row.cells {
				if s := columnOf(columns, l, row, c); s != nil {
					assign(&v, s, c.text)
				}
			}
			if !bare(&v) {
				rows = append(rows, v)
			}
		}
		return rows, used
	}
	return nil, nil
}

// headCells gives the slot of each cell of a head, nil where none fits.
func headCells(l *line, item []*slot) (columns []*slot, hits int) {
	if len(l.cells) < 2 {
		return nil, 0
	}
	type match struct {
		cell int
		s    *slot
		fit  float64
	}
	var all []match
	for i, c := range l.cells {
		for _, s := range item {
			if v := s.fit(words(c.text)); v >= leastFit {
				all = append(all, match{i, s, v})
			}
		}
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].fit > all[j].fit })
	columns = make([]*slot, len(l.cells))
	taken := map[*slot]bool{}
	for _, m := range all {
		if columns[m.cell] == nil && !taken[m.s] {
			columns[m.cell], taken[m.s] = m.s, true
			hits++
		}
	}
	return columns, hits
}

// columnOf gives the column of a cell: by count where the row has as many
// cells as the head, else by where it stands.
func columnOf(columns []*slot, head, row *line, c cell) *slot {
	if len(row.cells) == len(head.cells) {
		for i := range row.cells {
			if row.cells[i] == c {
				return columns[i]
			}
		}
	}
	best, most := -1, -1<<30
	for i, h := range head.cells {
		overlap := min(h.end, c.end) - max(h.start, c.start)
		if overlap > most {
			best, most = i, overlap
		}
	}
	return columns[best]
}
