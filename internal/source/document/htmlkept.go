package document

import (
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// pageNotes counts what of a page was left out or is shown in another way.
type pageNotes struct {
	menus, footers, hidden, frames, drawings    int
	struck, inserted, options, repeated, nested int
	covered                                     int // what a style sheet hides, and may show again
	sheets                                      int // style sheets that were too long to be read
	filled, wide                                int // cells that others reach over; cells over several columns
}

// notes puts the counts into words.
func (s *pageNotes) notes() (all []string) {
	for _, one := range []struct {
		n         int
		one, many string
	}{
		{s.menus, "a menu was left out", "%d menus were left out"},
		{s.footers, "the page's footer was left out", "%d footers of the page were left out"},
		{s.hidden, "a hidden element was left out", "%d hidden elements were left out"},
		{s.covered, "an element that the page's style sheet hides stands in the text", "%d elements that the page's style sheet hides stand in the text"},
		{s.sheets, "what its style sheet strikes out or hides was not looked up: it is too long", ""},
		{s.frames, "what an embedded frame holds is not on the page", "what %d embedded frames hold is not on the page"},
		{s.drawings, "a drawing with words was left out", "%d drawings with words were left out"},
		{s.options, "an option that is not chosen was left out", "%d options that are not chosen were left out"},
		{s.struck, "a struck-out passage stands between ~~", "%d struck-out passages stand between ~~"},
		{s.inserted, "a passage is marked as inserted", "%d passages are marked as inserted"},
		{s.repeated, "a cell that takes several rows is repeated", "%d cells that take several rows are repeated"},
		{s.wide, "a cell that takes several columns stands in its first", "%d cells that take several columns stand in their first"},
		{max(s.filled-maxRepeated, 0), "a cell that another reaches over is left empty: there are too many", "%d cells that others reach over are left empty: there are too many"},
		{s.nested, "a table within a cell stands on its line", "%d tables within cells stand on their lines"},
	} {
		if one.n > 0 {
			all = append(all, counted(one.n, one.one, one.many))
		}
	}
	return all
}

// leavesOut tells what a reader of the page would not read as its content, and
// counts it.
func (p *pageWriter) leavesOut(n *html.Node) bool {
	switch {
	case dropped[n.DataAtom]:
		return true
	case isHidden(n) || n.DataAtom == atom.Dialog && !has(n, "open"):
		count(&p.seen.hidden, n)
	case n.DataAtom == atom.Iframe || n.DataAtom == atom.Object:
		p.seen.frames++
	case n.DataAtom == atom.Svg:
		count(&p.seen.drawings, n)
	case isFooter(n) && ofPage(n):
		count(&p.seen.footers, n)
	case isMenu(n):
		count(&p.seen.menus, n)
	default:
		return false
	}
	return true
}

// count counts an element that holds words.
func count(into *int, n *html.Node) {
	if strings.TrimSpace(textOf(n)) != "" {
		*into++
	}
}

func isFooter(n *html.Node) bool {
	return n.DataAtom == atom.Footer || attribute(n, "role") == "contentinfo"
}

// ofPage tells an element that belongs to the page and not to an article or a
// section in it.
func ofPage(n *html.Node) bool {
	for at := n.Parent; at != nil; at = at.Parent {
		switch at.DataAtom {
		case atom.Article, atom.Section, atom.Main, atom.Blockquote, atom.Td, atom.Form:
			return false
		}
	}
	return true
}

// isMenu tells what leads elsewhere: by what the page calls it, and by its links.
// What is only called a menu may be what the page is about.
func isMenu(n *html.Node) bool {
	switch n.DataAtom {
	case atom.Nav:
		return ofPage(n)
	case atom.Div, atom.Ul, atom.Ol, atom.Aside, atom.Section, atom.Header:
	default:
		return false
	}
	if attribute(n, "role") == "navigation" {
		return ofPage(n)
	}
	return (attribute(n, "role") == "banner" || namesMenu(attribute(n, "class")) || namesMenu(attribute(n, "id"))) && mostlyLinks(n)
}

// mostlyLinks tells an element of whose words most are links or buttons.
func mostlyLinks(n *html.Node) bool {
	links, all := 0, 0
	for at := n.FirstChild; at != nil; at = following(at, n) {
		if at.Type != html.TextNode {
			continue
		}
		words := len(strings.TrimSpace(at.Data))
		all += words
		for up := at.Parent; up != n; up = up.Parent {
			if up.DataAtom == atom.A || up.DataAtom == atom.Button {
				links += words
				break
			}
		}
	}
	return links*5 >= all*3 && all > 0
}

// namesMenu looks for the words of menus in a class or id such as "top-menu".
func namesMenu(s string) bool {
	for _, word := range strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return strings.ContainsRune(" _-\t\n", r) }) {
		switch word {
		case "nav", "navigation", "navbar", "menu", "breadcrumb", "breadcrumbs", "cookie", "cookies", "footer", "sidebar", "banner":
			return true
		}
	}
	return false
}

func isHidden(n *html.Node) bool {
	for i := range n.Attr {
		switch a := &n.Attr[i]; a.Key {
		case "hidden":
			return true
		case "style":
			style := strings.ReplaceAll(strings.ToLower(a.Val), " ", "")
			if strings.Contains(style, "display:none") || strings.Contains(style, "visibility:hidden") {
				return true
			}
		}
	}
	return false
}

// isStruck tells what is shown as struck out: by its own style, else by a style sheet.
func (p *pageWriter) isStruck(n *html.Node) bool {
	if style := strings.ToLower(attribute(n, "style")); strings.Contains(style, "text-decoration") {
		return strings.Contains(style, "line-through")
	}
	return p.struckBy[n]
}

// struck writes a passage that is struck out between ~~, piece by piece where it
// goes over several lines.
func (p *pageWriter) struck(n *html.Node) {
	in := p.inLine()
	in.kids(n)
	text := strings.TrimSpace(strings.ReplaceAll(in.out.String(), "~~", ""))
	if text == "" {
		return
	}
	p.seen.struck++
	p.word("~~" + text + "~~")
	p.space = p.space || in.space
}

// quote writes what a page or a mail quotes with > before each of its lines.
func (p *pageWriter) quote(n *html.Node) {
	if p.inline || p.lists > 0 || len(p.indent) > 40 {
		p.kids(n)
		return
	}
	if p.out.Len() == 0 {
		p.out.WriteString("> ")
	}
	before := p.indent
	p.indent += "> "
	p.kids(n)
	p.indent = before
}

// term writes what a list explains, as a label.
func (p *pageWriter) term(n *html.Node) {
	p.kids(n)
	if text := strings.TrimSpace(textOf(n)); text != "" && !strings.ContainsAny(text[len(text)-1:], ":.?!") {
		p.space = false
		p.word(":")
	}
	p.space = true
}

// definition writes what explains a term behind it; what is said further of the same
// term stands on lines of its own.
func (p *pageWriter) definition(n *html.Node) {
	before := n.PrevSibling
	for before != nil && before.Type != html.ElementNode {
		before = before.PrevSibling
	}
	if before != nil && before.DataAtom == atom.Dd {
		p.end(1)
		p.indent += "  "
		p.kids(n)
		p.indent = p.indent[:len(p.indent)-2]
		return
	}
	p.space = true
	p.kids(n)
	p.space = true
}

// raised are figures as they stand above the line.
var raised = strings.NewReplacer("0", "⁰", "1", "¹", "2", "²", "3", "³", "4", "⁴", "5", "⁵", "6", "⁶", "7", "⁷", "8", "⁸", "9", "⁹", "-", "⁻", "−", "⁻")

// raised writes figures that stand above the line as such: 40.00 with a note 1 is
// not 40.001, and m with 2 is m²; a fraction as people type it.
func (p *pageWriter) raised(n *html.Node) {
	text := strings.TrimSpace(textOf(n))
	if _, under := fraction(n); under != nil {
		p.space = p.space || p.endsInFigure()
		p.word(text + "/" + strings.TrimSpace(textOf(under)))
		return
	}
	if text == "" || strings.Trim(text, "0123456789-−") != "" {
		p.kids(n)
		return
	}
	p.word(raised.Replace(text))
}

// fraction gives the stroke and the lower figure of one that is written with a raised and a
// lowered figure.
func fraction(over *html.Node) (stroke, under *html.Node) {
	if over.DataAtom != atom.Sup || !isFigure(textOf(over)) || over.NextSibling == nil || over.NextSibling.Type != html.TextNode {
		return nil, nil
	}
	stroke = over.NextSibling
	if sign := strings.TrimSpace(stroke.Data); sign != "/" && sign != "⁄" {
		return nil, nil
	}
	if under = stroke.NextSibling; under == nil || under.DataAtom != atom.Sub || !isFigure(textOf(under)) {
		return nil, nil
	}
	return stroke, under
}

func isFigure(s string) bool {
	s = strings.TrimSpace(s)
	return s != "" && strings.Trim(s, "0123456789") == ""
}

func (p *pageWriter) endsInFigure() bool {
	s := p.out.String()
	return s != "" && s[len(s)-1] >= '0' && s[len(s)-1] <= '9'
}

// formula writes a fraction or a power of MathML as people type it: 1/2 is not 12.
func (p *pageWriter) formula(n *html.Node) {
	var parts []*html.Node
	for kid := n.FirstChild; kid != nil; kid = kid.NextSibling {
		if kid.Type == html.ElementNode {
			parts = append(parts, kid)
		}
	}
	if len(parts) != 2 {
		p.kids(n)
		return
	}
	if n.Data == "msup" {
		p.element(parts[0])
		p.raised(parts[1])
		return
	}
	over, under := strings.TrimSpace(textOf(parts[0])), strings.TrimSpace(textOf(parts[1]))
	p.space = true // 2 1/2
	p.word(over + "/" + under)
}
