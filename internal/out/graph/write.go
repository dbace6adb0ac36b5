package graph

import (
	"bufio"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"
)

// Formats are those in which a graph is written. csv is two files, of nodes and of edges.
var Formats = []string{"csv", "json", "graphml", "nt", "ttl"}

// ID names an entity in what is written: its kind and its folded key, or its place.
func (g *Graph) ID(i int) string {
	n := &g.Nodes[i]
	key := strings.TrimPrefix(n.Key, "\x01")
	if n.Nameless {
		key = fmt.Sprintf("unnamed-%d", i+1)
	}
	return n.Kind + ":" + key
}

// NodesCSV writes a row for each entity.
func (g *Graph) NodesCSV(to io.Writer) error {
	w := csv.NewWriter(to)
	w.Write([]string{"id", "kind", "name", "other_names", "mentions", "documents", "first_document", "first_line"})
	for i := range g.Nodes {
		n := &g.Nodes[i]
		seen := map[string]bool{}
		for _, m := range n.Mentions {
			seen[m.Document] = true
		}
		first := n.Mentions[0]
		w.Write([]string{cell(g.ID(i)), n.Kind, cell(n.Name), cell(strings.Join(n.Names, "; ")), strconv.Itoa(len(n.Mentions)), strconv.Itoa(len(seen)), cell(first.Document), lineText(first.Line)})
	}
	w.Flush()
	return w.Error()
}

// EdgesCSV writes a row for each edge, with where it stands.
func (g *Graph) EdgesCSV(to io.Writer) error {
	w := csv.NewWriter(to)
	w.Write([]string{"from", "to", "kind", "document", "path", "line"})
	for _, e := range g.Edges {
		w.Write([]string{cell(g.ID(e.From)), cell(g.ID(e.To)), cell(e.Kind), cell(e.Document), string(e.Path), lineText(e.Line)})
	}
	w.Flush()
	return w.Error()
}

// cell keeps a spreadsheet from taking a text for a formula.
func cell(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

func lineText(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// JSON writes the graph as one object.
func (g *Graph) JSON(to io.Writer) error {
	type place struct {
		Document string `json:"document"`
		Path     string `json:"path,omitempty"`
		Line     int    `json:"line,omitempty"`
	}
	type node struct {
		ID       string   `json:"id"`
		Kind     string   `json:"kind"`
		Name     string   `json:"name"`
		Names    []string `json:"other_names,omitempty"`
		Mentions []place  `json:"mentions"`
	}
	type edge struct {
		From string `json:"from"`
		To   string `json:"to"`
		Kind string `json:"kind"`
		place
	}
	b := bufio.NewWriterSize(to, 1<<16)
	lines := func(name string, n int, of func(i int) any) error {
		fmt.Fprintf(b, "%q:[\n", name)
		for i := range n {
			data, err := json.Marshal(of(i))
			if err != nil {
				return err
			}
			if i > 0 {
				b.WriteString(",\n")
			}
			b.Write(data)
		}
		b.WriteString("\n]")
		return nil
	}
	at := func(m Mention) place { return place{m.Document, string(m.Path), m.Line} }
	b.WriteByte('{')
	err := lines("nodes", len(g.Nodes), func(i int) any {
		n := node{g.ID(i), g.Nodes[i].Kind, g.Nodes[i].Name, g.Nodes[i].Names, nil}
		for _, m := range g.Nodes[i].Mentions {
			n.Mentions = append(n.Mentions, at(m))
		}
		return n
	})
	b.WriteString(",\n")
	if err == nil {
		err = lines("edges", len(g.Edges), func(i int) any {
			e := g.Edges[i]
			return edge{g.ID(e.From), g.ID(e.To), e.Kind, at(e.Mention)}
		})
	}
	b.WriteString("}\n")
	if err == nil {
		err = b.Flush()
	}
	return err
}

// GraphML writes the graph in the format of graphml.graphdrawing.org.
func (g *Graph) GraphML(to io.Writer) error {
	b := bufio.NewWriterSize(to, 1<<16)
	text := func(s string) string {
		var out strings.Builder
		xml.EscapeText(&out, []byte(s)) // what XML can't hold becomes U+FFFD
		return out.String()
	}
	b.WriteString(`<?xml version="1.0" encoding="UTF-8"?>` + "\n" + `<graphml xmlns="http://graphml.graphdrawing.org/xmlns">` + "\n")
	for _, k := range [][3]string{{"kind", "node", "string"}, {"name", "node", "string"}, {"mentions", "node", "int"}, {"how", "edge", "string"}, {"document", "edge", "string"}, {"path", "edge", "string"}, {"line", "edge", "int"}} {
		fmt.Fprintf(b, `<key id="%s" for="%s" attr.name="%s" attr.type="%s"/>`+"\n", k[0], k[1], k[0], k[2])
	}
	b.WriteString(`<graph edgedefault="directed">` + "\n")
	for i := range g.Nodes {
		n := &g.Nodes[i]
		fmt.Fprintf(b, `<node id="n%d"><data key="kind">%s</data><data key="name">%s</data><data key="mentions">%d</data></node>`+"\n", i, text(n.Kind), text(n.Name), len(n.Mentions))
	}
	for i, e := range g.Edges {
		fmt.Fprintf(b, `<edge id="e%d" source="n%d" target="n%d"><data key="how">%s</data><data key="document">%s</data><data key="path">%s</data>`, i, e.From, e.To, text(e.Kind), text(e.Document), text(string(e.Path)))
		if e.Line > 0 {
			fmt.Fprintf(b, `<data key="line">%d</data>`, e.Line)
		}
		b.WriteString("</edge>\n")
	}
	b.WriteString("</graph>\n</graphml>\n")
	return b.Flush()
}

// RDF writes triples: N-Triples, or as Turtle with prefixes. base is the address that
// names begin with.
func (g *Graph) RDF(to io.Writer, base string, turtle bool) error {
	b := bufio.NewWriterSize(to, 1<<16)
	const (
		isA   = "http://www.w3.org/1999/02/22-rdf-syntax-ns#type"
		label = "http://www.w3.org/2000/01/rdf-schema#label"
	)
	iri := func(parts ...string) string {
		for i, p := range parts {
			parts[i] = url.PathEscape(p)
		}
		return "<" + base + strings.Join(parts, "/") + ">"
	}
	node := func(i int) string {
		kind, key, _ := strings.Cut(g.ID(i), ":")
		return iri("id", kind, key)
	}
	type0, name0 := "<"+isA+">", "<"+label+">"
	if turtle {
		fmt.Fprintf(b, "@prefix rdf: <http://www.w3.org/1999/02/22-rdf-syntax-ns#> .\n@prefix rdfs: <http://www.w3.org/2000/01/rdf-schema#> .\n\n")
		type0, name0 = "a", "rdfs:label"
	}
	for i := range g.Nodes {
		n := &g.Nodes[i]
		fmt.Fprintf(b, "%s %s %s .\n", node(i), type0, iri("kind", n.Kind))
		for _, s := range append([]string{n.Name}, n.Names...) {
			fmt.Fprintf(b, "%s %s %s .\n", node(i), name0, literal(s))
		}
	}
	for i, e := range g.Edges {
		how := iri("edge", e.Kind)
		fmt.Fprintf(b, "%s %s %s .\n", node(e.From), how, node(e.To))
		about := iri("statement", strconv.Itoa(i+1)) // where it is said, as a statement about the statement
		rdf := func(name string) string { return "<http://www.w3.org/1999/02/22-rdf-syntax-ns#" + name + ">" }
		fmt.Fprintf(b, "%s %s %s .\n%s %s %s .\n%s %s %s .\n%s %s %s .\n", about, "<"+isA+">", rdf("Statement"), about, rdf("subject"), node(e.From), about, rdf("predicate"), how, about, rdf("object"), node(e.To))
		fmt.Fprintf(b, "%s %s %s .\n", about, iri("document"), literal(e.Document))
		if e.Line > 0 {
			fmt.Fprintf(b, "%s %s \"%d\"^^<http://www.w3.org/2001/XMLSchema#integer> .\n", about, iri("line"), e.Line)
		}
	}
	return b.Flush()
}

// literal writes a text as N-Triples and Turtle both read it.
func literal(s string) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, r := range s {
		switch {
		case r == '"' || r == '\\':
			b.WriteByte('\\')
			b.WriteRune(r)
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\r':
			b.WriteString(`\r`)
		case r == '\t':
			b.WriteString(`\t`)
		case r < 0x20 || r == 0x7f:
			fmt.Fprintf(&b, `\u%04X`, r)
		default:
			b.WriteRune(r)
		}
	}
	b.WriteByte('"')
	return b.String()
}
