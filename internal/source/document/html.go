package document

import (
	"bytes"
	"cmp"
	"strconv"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// maxNesting is how deep a page's elements may be nested; the tags that lie
// deeper are taken out, and their text stays.
const maxNesting = 200

// fromHTML gives the text of a web page in the manner of Markdown: scripts,
// styles, and the page's menus and footer go, tables stay tables, and form fields
// show what is filled in. Links keep their words, and their targets where links is
// set. What is left out or changed is noted, with a count.
func fromHTML(text string, links bool) (string, []string, error) {
	root, err := html.Parse(strings.NewReader(text))
	if err != nil { // the parser refuses what is nested too deep
		if root, err = html.Parse(strings.NewReader(flatter(text))); err != nil {
			return "", nil, err
		}
	}
	p := &pageWriter{links: links, seen: &pageNotes{}}
	read := false
	if p.struckBy, p.hiddenBy, read = styledBy(root); !read {
		p.seen.sheets++
	}
	p.kids(root)
	return strings.TrimSpace(p.out.String()) + "\n", p.seen.notes(), nil
}

// flatter takes the tags out that lie too deep.
func flatter(text string) string {
	z := html.NewTokenizer(strings.NewReader(text))
	var b strings.Builder
	for depth := 0; ; {
		kind := z.Next()
		switch kind {
		case html.ErrorToken:
			return b.String()
		case html.StartTagToken:
			name, _ := z.TagName()
			if void[atom.Lookup(name)] {
				break
			}
			if depth++; depth > maxNesting {
				b.WriteByte(' ')
				continue
			}
		case html.EndTagToken:
			if depth--; depth >= maxNesting {
				continue
			}
			depth = max(depth, 0)
		}
		b.Write(z.Raw())
	}
}

var void = atoms(atom.Br, atom.Img, atom.Input, atom.Hr, atom.Meta, atom.Link, atom.Col, atom.Wbr, atom.Area, atom.Base, atom.Embed, atom.Source, atom.Track)

func atoms(all ...atom.Atom) map[atom.Atom]bool {
	m := map[atom.Atom]bool{}
	for _, a := range all {
		m[a] = true
	}
	return m
}

// dropped elements hold nothing that a reader of the page would read.
var dropped = atoms(atom.Script, atom.Style, atom.Noscript, atom.Template, atom.Head, atom.Canvas, atom.Audio, atom.Video, atom.Datalist, atom.Button)

// blocks begin on a line of their own; those that are true have a blank line
// around them.
var blocks = map[atom.Atom]bool{atom.P: true, atom.H1: true, atom.H2: true, atom.H3: true, atom.H4: true, atom.H5: true, atom.H6: true, atom.Table: true,
	atom.Ul: true, atom.Ol: true, atom.Dl: true, atom.Pre: true, atom.Blockquote: true, atom.Fieldset: true, atom.Form: true, atom.Section: true, atom.Article: true,
	atom.Main: true, atom.Header: true, atom.Footer: true, atom.Nav: true, atom.Dialog: true, atom.Figure: true, atom.Hr: true, atom.Address: true, atom.Aside: true,
	atom.Div: false, atom.Li: false, atom.Dt: false, atom.Legend: false, atom.Figcaption: false, atom.Tr: false, atom.Caption: false, atom.Details: false, atom.Summary: false}

// pageWriter writes the tree of a page as text.
type pageWriter struct {
	out   strings.Builder
	links bool
	seen  *pageNotes

	struckBy, hiddenBy map[*html.Node]bool // by the page's style sheets

	inline bool   // within a cell: one line only
	indent string // of the list item at hand
	breaks int    // line ends that are owed before the next word
	space  bool   // a space is owed before the next word
	start  bool   // something stands on the current line
	pre    int
	lists  int
}

func attribute(n *html.Node, key string) string {
	for i := range n.Attr {
		if n.Attr[i].Key == key {
			return n.Attr[i].Val
		}
	}
	return ""
}

func has(n *html.Node, key string) bool {
	for i := range n.Attr {
		if n.Attr[i].Key == key {
			return true
		}
	}
	return false
}

// inLine gives a writer for what stands within a line.
func (p *pageWriter) inLine() *pageWriter {
	return &pageWriter{links: p.links, inline: true, seen: p.seen, struckBy: p.struckBy, hiddenBy: p.hiddenBy}
}

func (p *pageWriter) kids(n *html.Node) {
	for kid := n.FirstChild; kid != nil; kid = kid.NextSibling {
		if stroke, under := fraction(kid); under != nil {
			p.raised(kid)
			kid = stroke.NextSibling
			continue
		}
		switch kid.Type {
		case html.TextNode:
			p.text(kid.Data)
		case html.ElementNode:
			if !p.leavesOut(kid) {
				if p.hiddenBy[kid] {
					count(&p.seen.covered, kid)
				}
				p.element(kid)
			}
		case html.DocumentNode:
			p.kids(kid)
		}
	}
}

// end owes line ends: 1 for a new line, 2 for a blank one.
func (p *pageWriter) end(lines int) {
	if p.inline {
		p.space = p.space || p.start
		return
	}
	if p.start || p.out.Len() > 0 {
		p.breaks = max(p.breaks, lines)
	}
}

// word writes what stands together, after the white that is owed.
func (p *pageWriter) word(s string) {
	switch {
	case p.breaks > 0 && p.out.Len() > 0:
		p.out.WriteString("\n\n"[:min(p.breaks, 2)])
		p.out.WriteString(p.indent)
	case p.space && p.start:
		p.out.WriteByte(' ')
	}
	p.breaks, p.space, p.start = 0, false, true
	p.out.WriteString(s)
}

// text writes a text with its runs of white taken as one space each, and without the hyphens
// that show at the end of a line alone.
func (p *pageWriter) text(s string) {
	if strings.Contains(s, "\u00ad") {
		s = strings.ReplaceAll(s, "\u00ad", "")
	}
	if p.pre > 0 && !p.inline {
		for i, l := range strings.Split(s, "\n") {
			if i > 0 {
				p.breaks++
			}
			if l != "" {
				if p.breaks > 2 {
					p.breaks = 2
				}
				p.word(strings.ReplaceAll(l, "\u00a0", " "))
			}
		}
		return
	}
	from := -1
	for i := 0; i < len(s); i++ {
		white := 0
		switch s[i] {
		case ' ', '\n', '\t', '\r', '\f':
			white = 1
		case 0xc2:
			if i+1 < len(s) && s[i+1] == 0xa0 {
				white = 2
			}
		}
		if white == 0 {
			if from < 0 {
				from = i
			}
			continue
		}
		if from >= 0 {
			p.word(s[from:i])
			from = -1
		}
		p.space = true
		i += white - 1
	}
	if from >= 0 {
		p.word(s[from:])
	}
}

func (p *pageWriter) element(n *html.Node) {
	blank, isBlock := blocks[n.DataAtom]
	lines := 1
	if blank && p.lists == 0 {
		lines = 2
	}
	if isBlock {
		p.end(lines)
	}
	switch n.DataAtom {
	case atom.Br:
		p.end(1)
	case atom.Img:
		p.text(attribute(n, "alt"))
	case atom.Input:
		p.aside(inputText(n))
	case atom.Select:
		p.aside(p.selected(n))
	case atom.Textarea:
		p.aside(textOf(n))
	case atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6:
		p.heading(n)
	case atom.Ul, atom.Ol:
		p.list(n)
	case atom.Li:
		p.item(n, "-")
	case atom.Table:
		p.table(n)
	case atom.Dt:
		p.term(n)
	case atom.Dd:
		p.definition(n)
	case atom.Del, atom.S, atom.Strike:
		p.struck(n)
	case atom.Ins:
		p.seen.inserted++
		p.kids(n)
	case atom.Sup:
		p.raised(n)
	case atom.Rt:
		p.word("(" + strings.TrimSpace(textOf(n)) + ")")
	case atom.Rp: // the brackets around it
	case atom.Label:
		p.space = true
		p.kids(n)
		p.space = true
	case atom.Blockquote:
		p.quote(n)
	case atom.Pre:
		p.pre++
		p.kids(n)
		p.pre--
	case atom.A:
		p.link(n)
	default:
		switch {
		case p.isStruck(n):
			p.struck(n)
		case n.Data == "mfrac" || n.Data == "msup":
			p.formula(n)
		default:
			p.kids(n)
		}
	}
	if isBlock && n.DataAtom != atom.Dt {
		p.end(lines)
	}
}

// aside writes what a form field shows, with room around it.
func (p *pageWriter) aside(s string) {
	p.space = true
	p.text(s)
	p.space = true
}

func (p *pageWriter) heading(n *html.Node) {
	if p.inline || p.lists > 0 {
		p.kids(n)
		return
	}
	level := int(n.Data[1] - '0')
	if strings.TrimSpace(textOf(n)) != "" {
		p.word(strings.Repeat("#", level))
		p.space = true
		p.kids(n)
	}
}

func (p *pageWriter) link(n *html.Node) {
	href := attribute(n, "href")
	if !p.links || href == "" || strings.HasPrefix(href, "#") || strings.HasPrefix(strings.ToLower(href), "javascript:") {
		p.kids(n)
		return
	}
	p.word("[")
	p.start = false
	p.kids(n)
	p.start, p.space = true, false
	p.word("](" + strings.Join(strings.Fields(href), "%20") + ")")
}

func (p *pageWriter) list(n *html.Node) {
	p.lists++
	number := 0
	if start, err := strconv.Atoi(attribute(n, "start")); err == nil {
		number = start - 1
	}
	for kid := n.FirstChild; kid != nil; kid = kid.NextSibling {
		switch {
		case kid.Type != html.ElementNode || p.leavesOut(kid):
		case kid.DataAtom == atom.Li && n.DataAtom == atom.Ol:
			number++
			if set, err := strconv.Atoi(attribute(kid, "value")); err == nil {
				number = set
			}
			p.item(kid, numbered(number, attribute(n, "type"))+".")
		case kid.DataAtom == atom.Li:
			p.item(kid, cmp.Or(attribute(kid, wordMark), "-"))
		case kid.DataAtom == atom.Ul || kid.DataAtom == atom.Ol:
			before := p.indent
			p.indent += "  "
			p.element(kid)
			p.indent = before
		default:
			p.element(kid)
		}
	}
	p.lists--
}

func (p *pageWriter) item(n *html.Node, mark string) {
	p.end(1)
	p.word(mark)
	p.space = true
	before := p.indent
	if len(p.indent) < 40 {
		p.indent += strings.Repeat(" ", len(mark)+1)
	}
	p.kids(n)
	p.indent = before
	p.end(1)
}

func inputText(n *html.Node) string {
	switch strings.ToLower(attribute(n, "type")) {
	case "hidden", "submit", "button", "reset", "image", "password", "file":
		return ""
	case "checkbox":
		if has(n, "checked") {
			return "[x]"
		}
		return "[ ]"
	case "radio":
		if has(n, "checked") {
			return "(x)"
		}
		return "( )"
	}
	return attribute(n, "value")
}

// selected gives the options that are chosen; the first where none is marked.
func (p *pageWriter) selected(n *html.Node) string {
	var chosen []string
	first, all := "", 0
	for at := n.FirstChild; at != nil; at = following(at, n) {
		if at.DataAtom != atom.Option {
			continue
		}
		all++
		text := strings.TrimSpace(textOf(at))
		if first == "" {
			first = text
		}
		if has(at, "selected") {
			chosen = append(chosen, text)
		}
	}
	if len(chosen) == 0 && !has(n, "multiple") && first != "" {
		chosen = []string{first}
	}
	p.seen.options += all - len(chosen)
	return strings.Join(chosen, ", ")
}

// following gives the node after at, in the order of the page, below top.
func following(at, top *html.Node) *html.Node {
	if at.FirstChild != nil {
		return at.FirstChild
	}
	for at != top && at.NextSibling == nil {
		at = at.Parent
	}
	if at == top {
		return nil
	}
	return at.NextSibling
}

// textOf gives the text below a node, however deep.
func textOf(n *html.Node) string {
	var b bytes.Buffer
	for at := n.FirstChild; at != nil; at = following(at, n) {
		if at.Type == html.TextNode {
			b.WriteString(at.Data)
		}
	}
	return b.String()
}
