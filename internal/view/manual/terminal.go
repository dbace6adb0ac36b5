package manual

import (
	"fmt"
	"slices"
	"strings"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/yuin/goldmark/ast"
	tables "github.com/yuin/goldmark/extension/ast"

	"filler/internal/view/tones"
)

// Terminal gives a page as lines of at most width cells; paint stresses.
func (p Page) Terminal(width int, paint func(tones.Tone, string) string) string {
	t := &terminal{page: p, paint: paint}
	return strings.Trim(t.blocks(p.parse(), max(width, 20)), "\n") + "\n"
}

type terminal struct {
	page  Page
	paint func(tones.Tone, string) string
}

// blocks gives what stands in a node one below the other.
func (t *terminal) blocks(parent ast.Node, width int) string {
	var parts []string
	for n := parent.FirstChild(); n != nil; n = n.NextSibling() {
		if part := t.block(n, width); part != "" {
			parts = append(parts, part)
		}
	}
	between := "\n\n"
	if list, is := parent.(*ast.List); is && list.IsTight || isTight(parent) {
		between = "\n"
	}
	return strings.Join(parts, between)
}

func isTight(item ast.Node) bool {
	list, is := item.Parent().(*ast.List)
	return is && list.IsTight
}

func (t *terminal) block(n ast.Node, width int) string {
	switch n := n.(type) {
	case *ast.Heading:
		title := wrap(t.inline(n), width)
		if n.Level == 1 {
			title += "\n" + strings.Repeat("=", min(ansi.StringWidth(title), width))
		}
		return t.paint(tones.Bold, title)
	case *ast.List:
		return t.list(n, width)
	case *ast.FencedCodeBlock:
		lines := strings.TrimRight(string(n.Lines().Value(t.page.text)), "\n")
		if string(n.Language(t.page.text)) == "text" { // what commands print
			lines = t.paint(tones.Faint, lines)
		}
		return indented(lines, "    ", "    ")
	case *ast.CodeBlock:
		return indented(strings.TrimRight(string(n.Lines().Value(t.page.text)), "\n"), "    ", "    ")
	case *tables.Table:
		return t.table(n, width)
	case *ast.HTMLBlock, *ast.ThematicBreak:
		return ""
	case *ast.Blockquote:
		return indented(t.blocks(n, width-2), "  ", "  ")
	}
	return wrap(t.inline(n), width)
}

func (t *terminal) list(n *ast.List, width int) string {
	between, items, number := "\n", []string(nil), n.Start
	if !n.IsTight {
		between = "\n\n"
	}
	for item := n.FirstChild(); item != nil; item = item.NextSibling() {
		sign := "- "
		if n.IsOrdered() {
			sign = fmt.Sprintf("%d. ", number)
			number++
		}
		items = append(items, indented(t.blocks(item, max(width-len(sign), 12)), sign, strings.Repeat(" ", len(sign))))
	}
	return strings.Join(items, between)
}

// gap is what stands between two columns.
const gap = 2

// table draws columns, with a rule below the head.
func (t *terminal) table(n *tables.Table, width int) string {
	var rows [][]string
	for row := n.FirstChild(); row != nil; row = row.NextSibling() {
		var cells []string
		for cell := row.FirstChild(); cell != nil; cell = cell.NextSibling() {
			cells = append(cells, t.inline(cell))
		}
		rows = append(rows, cells)
	}
	widths := columns(rows, width)
	var lines []string
	for i, row := range rows {
		lines = append(lines, beside(row, widths)...)
		if i == 0 {
			all := gap * (len(widths) - 1)
			for _, w := range widths {
				all += w
			}
			if strings.TrimSpace(strings.Join(lines, "")) == "" {
				lines = nil // a table without a head
			} else {
				lines = append(lines, t.paint(tones.Faint, strings.Repeat("─", all)))
			}
		}
	}
	return trimmed(strings.Join(lines, "\n"))
}

// columns gives each column its width: what it needs if there is room, else the widest give way, but
// no column becomes narrower than its longest word while another can.
func columns(rows [][]string, width int) []int {
	widths, words := make([]int, len(rows[0])), make([]int, len(rows[0]))
	total := gap * (len(widths) - 1)
	for i := range widths {
		for _, row := range rows {
			widths[i] = max(widths[i], ansi.StringWidth(row[i]))
			for _, word := range strings.Fields(row[i]) {
				words[i] = max(words[i], ansi.StringWidth(word))
			}
		}
		total += widths[i]
	}
	for least := words; total > width; total-- {
		widest := -1
		for i, w := range widths {
			if w > max(least[i], 1) && (widest < 0 || w > widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			if slices.Max(least) == 0 {
				break
			}
			least = make([]int, len(widths)) // words are broken, since nothing else helps
			total++
			continue
		}
		widths[widest]--
	}
	return widths
}

// beside sets the cells of a row side by side, each wrapped.
func beside(row []string, widths []int) (lines []string) {
	for i, left := 0, 0; i < len(row); left, i = left+widths[i]+gap, i+1 {
		for j, part := range strings.Split(wrap(row[i], widths[i]), "\n") {
			if j == len(lines) {
				lines = append(lines, "")
			}
			lines[j] += strings.Repeat(" ", left-ansi.StringWidth(lines[j])) + part
		}
	}
	return lines
}

// inline gives the text of a node with its stresses, in one line.
func (t *terminal) inline(parent ast.Node) string {
	var b strings.Builder
	for n := parent.FirstChild(); n != nil; n = n.NextSibling() {
		switch n := n.(type) {
		case *ast.Text:
			b.Write(n.Segment.Value(t.page.text))
			if n.SoftLineBreak() || n.HardLineBreak() {
				b.WriteByte(' ')
			}
		case *ast.CodeSpan:
			b.WriteString("`" + t.inline(n) + "`")
		case *ast.Emphasis:
			b.WriteString(t.paint(tones.Bold, t.inline(n)))
		case *ast.AutoLink:
			b.Write(n.URL(t.page.text))
		case *ast.Link:
			b.WriteString(t.link(n))
		case *ast.RawHTML:
			if tag := string(n.Segments.Value(t.page.text)); strings.HasPrefix(tag, "<br") {
				b.WriteByte(' ')
			}
		case *ast.String:
			b.Write(n.Value)
		default:
			b.WriteString(t.inline(n))
		}
	}
	return unescaped.Replace(b.String())
}

var unescaped = strings.NewReplacer(`\|`, "|", `\*`, "*", `\_`, "_", `\<`, "<", "&lt;", "<", "&gt;", ">", "&amp;", "&")

// link gives the words of a link, and the topic that it leads to behind them.
func (t *terminal) link(n *ast.Link) string {
	words, to := t.inline(n), target(string(n.Destination))
	if strings.HasPrefix(to, "[#") {
		page, _, _ := strings.Cut(t.page.Name, "#")
		to = "[" + page + to[1:]
	}
	if to == "" || strings.Trim(to, "[]<>") == strings.TrimSuffix(words, ".md") {
		return words
	}
	return words + " " + t.paint(tones.Faint, to)
}

// wrap breaks text into lines.
func wrap(text string, width int) string {
	for tight := width; ; tight-- { // a hyphen at the end of a line may stand beyond it
		wrapped := trimmed(ansi.Wrap(text, tight, ""))
		if lipgloss.Width(wrapped) <= width || tight < 8 {
			return wrapped
		}
	}
}

// trimmed takes off the spaces at the ends of lines.
func trimmed(text string) string {
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		lines[i] = strings.TrimRight(line, " ")
	}
	return strings.Join(lines, "\n")
}

// indented puts first before the first line, and others before all others.
func indented(text, first, others string) string {
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		switch {
		case i == 0:
			lines[i] = first + line
		case line != "":
			lines[i] = others + line
		}
	}
	return strings.Join(lines, "\n")
}
