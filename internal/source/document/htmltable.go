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
	rows := rowsOf(n)
	if p.inline || isFrame(rows) {
		for _, r := range rows {
			for _, c := range r {
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
	var cells [][]string
	var widths []int
	for _, r := range rows {
		cells = append(cells, p.cells(r))
		for i, c := range cells[len(cells)-1] {
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

// cells writes each cell of a row on one line. A cell that takes several
// columns leaves the others empty.
func (p *pageWriter) cells(row []*html.Node) []string {
	var found []string
	for _, c := range row {
		found = append(found, p.cell(c))
		span, _ := strconv.Atoi(attribute(c, "colspan"))
		for i := 1; i < min(span, maxSpan); i++ {
			found = append(found, "")
		}
	}
	return found
}

// cell writes one cell. Most hold a text and nothing else.
func (p *pageWriter) cell(n *html.Node) string {
	if only := n.FirstChild; only == nil {
		return ""
	} else if only.NextSibling == nil && only.Type == html.TextNode && !strings.ContainsAny(only.Data, " \n\t\r\f\u00a0") {
		return only.Data
	}
	in := &pageWriter{links: p.links, inline: true}
	in.kids(n)
	return strings.TrimSpace(in.out.String())
}

// rowsOf gives the cells of each row, without those of tables within.
func rowsOf(table *html.Node) [][]*html.Node {
	var rows [][]*html.Node
	each := func(n *html.Node, f func(*html.Node)) {
		for kid := n.FirstChild; kid != nil; kid = kid.NextSibling {
			if kid.Type == html.ElementNode && !isHidden(kid) {
				f(kid)
			}
		}
	}
	row := func(n *html.Node) {
		var cells []*html.Node
		each(n, func(c *html.Node) {
			if c.DataAtom == atom.Td || c.DataAtom == atom.Th {
				cells = append(cells, c)
			}
		})
		if len(cells) > 0 {
			rows = append(rows, cells)
		}
	}
	each(table, func(n *html.Node) {
		switch n.DataAtom {
		case atom.Tr:
			row(n)
		case atom.Thead, atom.Tbody, atom.Tfoot:
			each(n, func(r *html.Node) {
				if r.DataAtom == atom.Tr {
					row(r)
				}
			})
		}
	})
	return rows
}

func caption(table *html.Node) *html.Node {
	for kid := table.FirstChild; kid != nil; kid = kid.NextSibling {
		if kid.DataAtom == atom.Caption {
			return kid
		}
	}
	return nil
}

// isFrame tells a table that is there for the looks.
func isFrame(rows [][]*html.Node) bool {
	most := 0
	for _, r := range rows {
		most = max(most, len(r))
		for _, c := range r {
			for at := c.FirstChild; at != nil; at = following(at, c) {
				if at.DataAtom == atom.Table {
					return true
				}
			}
		}
	}
	return most < 2
}
