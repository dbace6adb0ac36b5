package graph

import (
	"encoding/xml"
	"fmt"
	"io"
	"sort"
	"strings"
)

// mostDrawn is how many entities one side of a drawing has.
const mostDrawn = 60

// shapes tell kinds apart, with their first letters in them: not by colour alone.
var shapes = []string{
	`<circle cx="%d" cy="%d" r="10"/>`,
	`<rect x="-10" y="-10" width="20" height="20" transform="translate(%d %d)"/>`,
	`<path d="M0 -12L12 0L0 12L-12 0Z" transform="translate(%d %d)"/>`,
	`<path d="M-11 9L0 -11L11 9Z" transform="translate(%d %d)"/>`,
	`<path d="M-11 -4L0 -12L11 -4L7 10L-7 10Z" transform="translate(%d %d)"/>`,
	`<path d="M-6 -10L6 -10L12 0L6 10L-6 10L-12 0Z" transform="translate(%d %d)"/>`,
}

// placedNode is an entity of a drawing.
type placedNode struct {
	node, x, y, side int
}

// Draw draws what is around an entity as SVG: it stands in the middle, what leads to it at
// the left, what it leads to at the right, each in a row of its own, so that no label lies
// on another. left is how many do not fit.
func (g *Graph) Draw(to io.Writer, n int) (left int, err error) {
	var sides [2][]int
	how := map[int][]string{}
	for _, e := range g.Edges {
		other, side := e.To, 1
		switch n {
		case e.From:
		case e.To:
			other, side = e.From, 0
		default:
			continue
		}
		if how[other] == nil {
			sides[side] = append(sides[side], other)
		}
		if !containsText(how[other], e.Kind) {
			how[other] = append(how[other], e.Kind)
		}
	}
	if len(sides[0]) == 0 { // all lead one way: both sides are used
		half := len(sides[1]) / 2
		if half > 8 {
			sides[0], sides[1] = sides[1][:half], sides[1][half:]
		}
	} else if len(sides[1]) == 0 && len(sides[0]) > 16 {
		half := len(sides[0]) / 2
		sides[1], sides[0] = sides[0][:half], sides[0][half:]
	}
	const row, width, top = 30, 980, 60
	rows := 1
	var all []placedNode
	for side, list := range sides {
		sort.SliceStable(list, func(i, j int) bool {
			a, b := &g.Nodes[list[i]], &g.Nodes[list[j]]
			return a.Kind < b.Kind || a.Kind == b.Kind && a.Name < b.Name
		})
		if len(list) > mostDrawn {
			left += len(list) - mostDrawn
			list = list[:mostDrawn]
		}
		rows = max(rows, len(list))
		for i, other := range list {
			all = append(all, placedNode{other, []int{270, width - 270}[side], i, side})
		}
	}
	high := top + rows*row + 60
	middle := placedNode{n, width / 2, top + rows*row/2, 1}
	for i := range all {
		count := min(len(sides[all[i].side]), mostDrawn)
		all[i].y = top + (rows-count)*row/2 + all[i].y*row + row/2
	}
	var b strings.Builder
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 %d %d" font-family="Arial,Helvetica,sans-serif" font-size="13">`+"\n", width, high, width, high)
	fmt.Fprintf(&b, `<rect width="%d" height="%d" fill="#fff"/>`+"\n<g fill=\"none\" stroke=\"#a9b3ae\">\n", width, high)
	for _, p := range all {
		bend := (p.x + middle.x) / 2
		fmt.Fprintf(&b, `<path d="M%d %dC%d %d %d %d %d %d"/>`+"\n", middle.x, middle.y, bend, middle.y, bend, p.y, p.x, p.y)
	}
	b.WriteString("</g>\n")
	kinds := g.kindsOf(append(all, middle))
	for _, p := range append(all, middle) {
		g.drawn(&b, p, kinds, how[p.node], p.node == n)
	}
	x := 20
	for i, k := range kinds {
		fmt.Fprintf(&b, `<g fill="#fff" stroke="#1c2321">`+shapes[i%len(shapes)]+"</g>", x+10, high-24)
		fmt.Fprintf(&b, `<text x="%d" y="%d" text-anchor="middle" font-size="11">%s</text><text x="%d" y="%d" fill="#5d6763">%s</text>`+"\n", x+10, high-20, letter(k), x+28, high-19, escaped(k))
		x += 50 + 8*len([]rune(k))
	}
	b.WriteString("</svg>\n")
	_, err = io.WriteString(to, b.String())
	return left, err
}

func containsText(all []string, text string) bool {
	for _, t := range all {
		if t == text {
			return true
		}
	}
	return false
}

func (g *Graph) kindsOf(all []placedNode) (kinds []string) {
	seen := map[string]bool{}
	for _, p := range all {
		if k := g.Nodes[p.node].Kind; !seen[k] {
			seen[k] = true
			kinds = append(kinds, k)
		}
	}
	sort.Strings(kinds)
	return kinds
}

// drawn draws an entity with its name and how it is joined.
func (g *Graph) drawn(b *strings.Builder, p placedNode, kinds, how []string, isMiddle bool) {
	node := &g.Nodes[p.node]
	shape := shapes[indexOf(kinds, node.Kind)%len(shapes)]
	fill := "#fff"
	if isMiddle {
		fill = "#ffe9a8"
	}
	fmt.Fprintf(b, `<g fill="%s" stroke="#1c2321">`+shape+"</g>", fill, p.x, p.y)
	fmt.Fprintf(b, `<text x="%d" y="%d" text-anchor="middle" font-size="11">%s</text>`, p.x, p.y+4, letter(node.Kind))
	switch {
	case isMiddle:
		fmt.Fprintf(b, `<text x="%d" y="24" text-anchor="middle" font-size="16" font-weight="bold">%s</text>`+"\n", p.x, escaped(cut(node.Name, 60)))
	case p.x < 400:
		fmt.Fprintf(b, `<text x="%d" y="%d" text-anchor="end">%s</text><text x="%d" y="%d" font-size="10" fill="#5d6763">%s</text>`+"\n", p.x-18, p.y+4, escaped(cut(node.Name, 34)), p.x+16, p.y-3, escaped(cut(strings.Join(how, ", "), 18)))
	default:
		fmt.Fprintf(b, `<text x="%d" y="%d">%s</text><text x="%d" y="%d" text-anchor="end" font-size="10" fill="#5d6763">%s</text>`+"\n", p.x+18, p.y+4, escaped(cut(node.Name, 34)), p.x-16, p.y-3, escaped(cut(strings.Join(how, ", "), 18)))
	}
}

func indexOf(all []string, text string) int {
	for i, t := range all {
		if t == text {
			return i
		}
	}
	return 0
}

func letter(kind string) string {
	for _, r := range kind {
		return escaped(strings.ToUpper(string(r)))
	}
	return ""
}

func cut(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

func escaped(s string) string {
	var b strings.Builder
	xml.EscapeText(&b, []byte(s))
	return b.String()
}
