package document

import (
	"strconv"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// maxSpan bounds how many columns one cell may take, and maxCellPad how far
// cells are filled up so that columns line up.
const (
	maxSpan    = 200
	maxCellPad = 32
)

// table writes a table as rows of cells between bars. A table that only puts
// things in their place (one column, or tables within) is read cell by cell.
func (p *pageWriter) table(n *html.Node) {
	rows := p.rowsOf(n)
	switch {
	case p.inline:
		p.within(rows)
		return
	case isFrame(n, rows):
		for _, r := range rows {
			for _, c := range r.cells {
				p.end(1)
				p.kids(c)
			}
			p.end(1)
		}
		return
	}
	if c := caption(n); c != nil {
		p.end(2)
		p.kids(c)
		p.end(1)
	}
	cells, heads := p.grid(rows)
	for len(heads) > 0 && len(heads) < len(cells) && isTitle(heads[0]) { // a line over the table
		p.end(1)
		p.word(heads[0][0])
		heads, cells = heads[1:], cells[1:]
		p.end(1)
	}
	if len(heads) > 1 {
		cells = append([][]string{joinedHeads(heads)}, cells[len(heads):]...)
	}
	var widths []int
	for _, r := range cells {
		for i, c := range r {
			if i == len(widths) {
				widths = append(widths, 3)
			}
			if w := utf8.RuneCountInString(c); w <= maxCellPad {
				widths[i] = max(widths[i], w)
			}
		}
	}
	for i, r := range cells {
		p.end(1)
		p.word("|")
		for c, width := range widths {
			text := ""
			if c < len(r) {
				text = r[c]
			}
			p.out.WriteByte(' ')
			p.out.WriteString(text)
			p.out.WriteString(spaces[:max(width-utf8.RuneCountInString(text), 0)])
			p.out.WriteString(" |")
		}
		if i > 0 {
			continue
		}
		p.end(1)
		p.word("|")
		for _, width := range widths {
			p.out.WriteString(strings.Repeat("-", width+2) + "|")
		}
	}
}

var spaces = strings.Repeat(" ", maxCellPad)

// within writes a table that stands in a cell on the cell's line: its rows with
// semicolons between them.
func (p *pageWriter) within(rows []tableRow) {
	p.seen.nested++
	for _, r := range rows {
		if text := strings.Join(strings.Fields(strings.Join(p.texts(r), " ")), " "); text != "" {
			if p.start {
				p.space = false
				p.word("; ")
			}
			p.word(text)
		}
	}
	p.space = true
}

// texts writes each cell of a row on one line.
func (p *pageWriter) texts(r tableRow) (all []string) {
	for _, c := range r.cells {
		all = append(all, p.cell(c))
	}
	return all
}

// grid puts the cells of a table where they stand: one that takes several rows is
// repeated, one that takes several columns leaves the others empty, but in the head,
// whose rows are heads.
func (p *pageWriter) grid(rows []tableRow) (cells, heads [][]string) {
	type below struct {
		text string
		rows int
	}
	over := map[int]below{} // what reaches into the row at hand from above, by column
	for _, r := range rows {
		var line []string
		reach := func() {
			for len(line) < maxColumns {
				b := over[len(line)]
				if b.rows == 0 {
					return
				}
				if p.seen.filled++; p.seen.filled > maxRepeated {
					b.text = ""
				}
				if over[len(line)] = (below{b.text, b.rows - 1}); b.rows == 1 {
					delete(over, len(line))
				}
				line = append(line, b.text)
			}
		}
		for _, c := range r.cells {
			reach()
			text := p.cell(c)
			wide, high := spanOf(c, "colspan", maxSpan), spanOf(c, "rowspan", r.left)
			if high > 1 && text != "" {
				p.seen.repeated++
			}
			if wide > 1 && text != "" && !r.head && len(r.cells) > 1 {
				p.seen.wide++
			}
			for j := range wide {
				if j > 0 && !r.head {
					text = ""
				}
				if high > 1 {
					over[len(line)] = below{text, high - 1}
				}
				if line = append(line, text); len(line) >= maxColumns {
					break
				}
			}
		}
		reach()
		for at := range over { // beyond the row's last cell, with a gap before it
			for at >= len(line) && len(line) < maxColumns {
				line = append(line, "")
				reach()
			}
		}
		if len(line) == 0 {
			continue
		}
		if cells = append(cells, line); r.head {
			heads = append(heads, line)
		}
	}
	return cells, heads
}

// maxColumns bounds how wide a table may become.
const maxColumns = 500

// maxRepeated bounds how many cells of a page are filled by what others reach over:
// spans of thousands of rows would make little text into very much.
const maxRepeated = 100_000

// spanOf gives how many columns or rows a cell takes, at most so many.
func spanOf(c *html.Node, key string, most int) int {
	span, err := strconv.Atoi(strings.TrimSpace(attribute(c, key)))
	if err == nil && span == 0 && key == "rowspan" { // to the end of the group
		return most
	}
	return max(min(span, most), 1)
}

// isTitle tells a row of the head that is one cell over the table.
func isTitle(row []string) bool {
	for _, c := range row {
		if c != row[0] {
			return false
		}
	}
	return len(row) > 1 && row[0] != ""
}

// joinedHeads makes one head row of several: what stands over a column, from top to
// bottom.
func joinedHeads(heads [][]string) []string {
	var out []string
	for _, row := range heads {
		for len(out) < len(row) {
			out = append(out, "")
		}
		for i, text := range row {
			switch {
			case text == "" || out[i] == text || strings.HasSuffix(out[i], " / "+text):
			case out[i] == "":
				out[i] = text
			default:
				out[i] += " / " + text
			}
		}
	}
	return out
}

// cell writes one cell. Most hold a text and nothing else.
func (p *pageWriter) cell(n *html.Node) string {
	if only := n.FirstChild; only == nil {
		return ""
	} else if only.NextSibling == nil && only.Type == html.TextNode && !strings.ContainsAny(only.Data, " \n\t\r\f\u00a0") {
		return only.Data
	}
	in := p.inLine()
	in.kids(n)
	return strings.TrimSpace(in.out.String())
}

// tableRow is a row of a table.
type tableRow struct {
	cells []*html.Node
	head  bool
	left  int // rows of its group from this one on
}

// rowsOf gives the rows, without those of tables within. Rows of the head are those
// of thead, or else the first ones of which all cells are heads.
func (p *pageWriter) rowsOf(table *html.Node) []tableRow {
	var rows []tableRow
	hasHead, group := false, 0
	each := func(n *html.Node, f func(*html.Node)) {
		for kid := n.FirstChild; kid != nil; kid = kid.NextSibling {
			switch {
			case kid.Type != html.ElementNode:
			case isHidden(kid):
				count(&p.seen.hidden, kid)
			default:
				f(kid)
			}
		}
	}
	row := func(n *html.Node, head bool) {
		r := tableRow{head: head}
		each(n, func(c *html.Node) {
			if c.DataAtom == atom.Td || c.DataAtom == atom.Th {
				r.cells = append(r.cells, c)
			}
		})
		rows = append(rows, r)
	}
	ends := func() { // a cell reaches no further than its group
		for i := group; i < len(rows); i++ {
			rows[i].left = len(rows) - i
		}
		group = len(rows)
	}
	each(table, func(n *html.Node) {
		switch n.DataAtom {
		case atom.Tr:
			row(n, false)
		case atom.Thead, atom.Tbody, atom.Tfoot:
			ends()
			each(n, func(r *html.Node) {
				if r.DataAtom == atom.Tr {
					row(r, n.DataAtom == atom.Thead)
					hasHead = hasHead || n.DataAtom == atom.Thead
				}
			})
			ends()
		}
	})
	ends()
	for i := 0; !hasHead && i < len(rows) && allHeads(rows[i].cells); i++ {
		rows[i].head = true
	}
	return rows
}

func allHeads(cells []*html.Node) bool {
	for _, c := range cells {
		if c.DataAtom != atom.Th {
			return false
		}
	}
	return len(cells) > 0
}

func caption(table *html.Node) *html.Node {
	for kid := table.FirstChild; kid != nil; kid = kid.NextSibling {
		if kid.DataAtom == atom.Caption {
			return kid
		}
	}
	return nil
}

// isFrame tells a table that is there for the looks: one that says so, has one
// column, or holds tables and no two rows of texts beside them.
func isFrame(table *html.Node, rows []tableRow) bool {
	if role := attribute(table, "role"); role == "presentation" || role == "none" {
		return true
	}
	most, frames, cells, plain := 0, 0, 0, 0
	heads := caption(table) != nil
	for _, r := range rows {
		most = max(most, len(r.cells))
		texts := 0
		for _, c := range r.cells {
			cells++
			heads = heads || c.DataAtom == atom.Th
			if holdsTable(c) {
				frames++
			} else if strings.TrimSpace(textOf(c)) != "" {
				texts++
			}
		}
		if texts > 0 && len(r.cells) > 1 {
			plain++
		}
	}
	if most < 2 {
		return true
	}
	return frames > 0 && !heads && (plain < 2 || frames*2 > cells)
}

func holdsTable(n *html.Node) bool {
	for at := n.FirstChild; at != nil; at = following(at, n) {
		if at.DataAtom == atom.Table {
			return true
		}
	}
	return false
}
