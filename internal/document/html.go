package document

import (
	"bytes"
	"regexp"
	"strings"

	"github.com/JohannesKaufmann/html-to-markdown/v2/converter"
	"github.com/JohannesKaufmann/html-to-markdown/v2/plugin/base"
	"github.com/JohannesKaufmann/html-to-markdown/v2/plugin/commonmark"
	"github.com/JohannesKaufmann/html-to-markdown/v2/plugin/table"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// maxNesting is how deep a page's elements may be nested; what lies deeper is
// taken as plain text.
const maxNesting = 400

// fromHTML gives the text of a web page as Markdown: scripts, styles, menus and
// footers go, tables stay tables, and form fields show what is filled in.
// Links keep their words and lose their targets.
func fromHTML(text string) (string, error) {
	root, err := html.Parse(strings.NewReader(text))
	if err != nil {
		return "", err
	}
	clean(root, 0)
	conv := converter.NewConverter(converter.WithPlugins(base.NewBasePlugin(),
		commonmark.NewCommonmarkPlugin(commonmark.WithEmDelimiter(""), commonmark.WithStrongDelimiter("")),
		table.NewTablePlugin(table.WithHeaderPromotion(true))))
	out, err := conv.ConvertNode(root)
	if err != nil {
		return "", err
	}
	return tidyMarkdown(string(out)), nil
}

// dropped elements hold nothing that a reader of the page would read.
var dropped = map[atom.Atom]bool{atom.Script: true, atom.Style: true, atom.Noscript: true, atom.Template: true, atom.Nav: true, atom.Footer: true,
	atom.Svg: true, atom.Iframe: true, atom.Object: true, atom.Head: true, atom.Dialog: true, atom.Canvas: true, atom.Audio: true, atom.Video: true, atom.Datalist: true}

// menuWords are what pages call their menus and the like, in role, class or id.
var menuWords = regexp.MustCompile(`(?i)(?:^|[\s_-])(?:nav|navigation|navbar|menu|breadcrumbs?|cookie|footer|sidebar|banner)(?:$|[\s_-])`)

func clean(n *html.Node, depth int) {
	if depth > maxNesting {
		flatten(n)
		return
	}
	for kid := n.FirstChild; kid != nil; {
		next := kid.NextSibling
		switch {
		case kid.Type == html.CommentNode || kid.Type == html.ElementNode && (dropped[kid.DataAtom] || isMenu(kid) || isHidden(kid)):
			n.RemoveChild(kid)
		case kid.Type == html.ElementNode:
			clean(kid, depth+1)
			element(kid)
		}
		kid = next
	}
}

func attribute(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

func has(n *html.Node, key string) bool {
	for _, a := range n.Attr {
		if a.Key == key {
			return true
		}
	}
	return false
}

func isMenu(n *html.Node) bool {
	switch n.DataAtom {
	case atom.Div, atom.Ul, atom.Ol, atom.Aside, atom.Section, atom.Header:
		role := attribute(n, "role")
		return role == "navigation" || role == "banner" || role == "contentinfo" || menuWords.MatchString(attribute(n, "class")) || menuWords.MatchString(attribute(n, "id"))
	}
	return false
}

func isHidden(n *html.Node) bool {
	style := strings.ReplaceAll(strings.ToLower(attribute(n, "style")), " ", "")
	return has(n, "hidden") || strings.Contains(style, "display:none") || strings.Contains(style, "visibility:hidden")
}

// element puts the text of what shows without being text in its place.
func element(n *html.Node) {
	switch n.DataAtom {
	case atom.A, atom.B, atom.Strong, atom.I, atom.Em, atom.U, atom.S, atom.Del, atom.Code:
		n.DataAtom, n.Data, n.Attr = atom.Span, "span", nil
	case atom.Img:
		replace(n, attribute(n, "alt"))
	case atom.Input:
		replace(n, inputText(n))
	case atom.Select:
		replace(n, selected(n)+" ")
	case atom.Textarea:
		replace(n, textOf(n)+" ")
	case atom.Button:
		replace(n, "")
	case atom.Label, atom.Dt:
		// A label and its field are read as one line.
		n.AppendChild(&html.Node{Type: html.TextNode, Data: " "})
	}
}

func inputText(n *html.Node) string {
	switch strings.ToLower(attribute(n, "type")) {
	case "hidden", "submit", "button", "reset", "image", "password", "file":
		return ""
	case "checkbox":
		if has(n, "checked") {
			return "[x] "
		}
		return "[ ] "
	case "radio":
		if has(n, "checked") {
			return "(x) "
		}
		return "( ) "
	}
	return attribute(n, "value") + " "
}

// selected gives the options that are chosen; the first where none is marked.
func selected(n *html.Node) string {
	var chosen []string
	first := ""
	var walk func(n *html.Node)
	walk = func(n *html.Node) {
		for kid := n.FirstChild; kid != nil; kid = kid.NextSibling {
			if kid.DataAtom == atom.Option {
				text := strings.TrimSpace(textOf(kid))
				if first == "" {
					first = text
				}
				if has(kid, "selected") {
					chosen = append(chosen, text)
				}
				continue
			}
			walk(kid)
		}
	}
	walk(n)
	if len(chosen) == 0 && !has(n, "multiple") {
		return first
	}
	return strings.Join(chosen, ", ")
}

// replace puts a text in the place of an element.
func replace(n *html.Node, text string) {
	if n.Parent != nil {
		n.Type, n.DataAtom, n.Data, n.Attr, n.FirstChild, n.LastChild = html.TextNode, 0, text, nil, nil, nil
	}
}

// flatten makes one text of all that lies below a node, without recursion.
func flatten(n *html.Node) {
	text := textOf(n)
	n.FirstChild, n.LastChild = nil, nil
	if n.Type == html.ElementNode {
		n.AppendChild(&html.Node{Type: html.TextNode, Data: text})
	}
}

// textOf gives the text below a node, however deep.
func textOf(n *html.Node) string {
	var b bytes.Buffer
	for at := n.FirstChild; at != nil; {
		if at.Type == html.TextNode {
			b.WriteString(at.Data)
		}
		if at.FirstChild != nil && !dropped[at.DataAtom] {
			at = at.FirstChild
			continue
		}
		for at != n && at.NextSibling == nil {
			at = at.Parent
		}
		if at == n {
			break
		}
		at = at.NextSibling
	}
	return b.String()
}

var (
	manyLines = regexp.MustCompile(`\n{3,}`)
	escaped   = regexp.MustCompile(`\\([\\_*\[\](){}#+.!|<>~-])`)
)

// tidyMarkdown takes the escapes out, which a model and the evidence would
// both stumble over, and runs of empty lines.
func tidyMarkdown(s string) string {
	lines := strings.Split(escaped.ReplaceAllString(s, "$1"), "\n")
	for i, l := range lines {
		lines[i] = strings.TrimRight(strings.ReplaceAll(l, "\u00a0", " "), " ")
	}
	return strings.TrimSpace(manyLines.ReplaceAllString(strings.Join(lines, "\n"), "\n\n")) + "\n"
}
