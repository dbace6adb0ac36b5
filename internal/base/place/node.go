package place

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"

	"filler/internal/base/value"
)

// Fault records that something is wrong with the node.
func (n *Node) Fault(msg, hint string) {
	line, col := n.Place()
	n.file.Faults = append(n.file.Faults, Fault{File: n.file.Name, Line: line, Col: col, Path: n.path, Msg: msg, Hint: hint})
}

// KeyFault records that something is wrong with the key of the node.
func (n *Node) KeyFault(msg, hint string) {
	y := n.key
	if y == nil {
		y = n.y
	}
	n.file.Faults = append(n.file.Faults, Fault{File: n.file.Name, Line: y.Line, Col: y.Column, Path: parentPath(n.path), Msg: msg, Hint: hint})
}

func parentPath(p string) string {
	if i := strings.LastIndexByte(p, '.'); i >= 0 {
		return p[:i]
	}
	return ""
}

// Note makes a fault of the node without recording it: advice.
func (n *Node) Note(msg, hint string) Fault {
	y := n.key
	if y == nil {
		y = n.y
	}
	return Fault{File: n.file.Name, Line: y.Line, Col: y.Column, Path: n.path, Msg: msg, Hint: hint}
}

// Place gives the node's line and column, from 1. A node with nothing in it
// stands where its key does.
func (n *Node) Place() (line, col int) {
	if n.key != nil && n.IsNull() {
		return n.key.Line, n.key.Column
	}
	return n.y.Line, n.y.Column
}

// Excerpt gives the line that the node stands in.
func (f *File) Excerpt(line int) string {
	if line < 1 || line > len(f.lines) {
		return ""
	}
	return strings.TrimRight(f.lines[line-1], "\r")
}

// Key gives the key under which the node stands, or "".
func (n *Node) Key() string {
	if n.key == nil {
		return ""
	}
	return n.key.Value
}

// KeyIsQuoted tells whether the key of the node stands in quotes.
func (n *Node) KeyIsQuoted() bool {
	return n.key != nil && n.key.Style&(yaml.SingleQuotedStyle|yaml.DoubleQuotedStyle) != 0
}

// IsMap tells whether the node holds keys and values.
func (n *Node) IsMap() bool { return n.y.Kind == yaml.MappingNode }

// IsList tells whether the node is a list.
func (n *Node) IsList() bool { return n.y.Kind == yaml.SequenceNode }

// IsNull tells whether nothing stands at the node.
func (n *Node) IsNull() bool {
	return n.IsScalar() && n.plain() && n.y.Value == ""
}

// IsScalar tells whether a single value stands at the node.
func (n *Node) IsScalar() bool { return n.y.Kind == yaml.ScalarNode }

// Pairs gives the nodes of a mapping, in order; of anything else none.
func (n *Node) Pairs() []*Node {
	if n == nil || n.y.Kind != yaml.MappingNode {
		return nil
	}
	kids := make([]*Node, 0, len(n.y.Content)/2)
	for i := 0; i+1 < len(n.y.Content); i += 2 {
		key := n.y.Content[i]
		path := key.Value
		if n.path != "" {
			path = n.path + "." + path
		}
		kids = append(kids, &Node{file: n.file, y: n.y.Content[i+1], key: key, path: path})
	}
	return kids
}

// Items gives the nodes of a list, in order; of anything else none.
func (n *Node) Items() []*Node {
	if n == nil || n.y.Kind != yaml.SequenceNode {
		return nil
	}
	kids := make([]*Node, len(n.y.Content))
	for i, y := range n.y.Content {
		kids[i] = &Node{file: n.file, y: y, path: fmt.Sprintf("%s[%d]", n.path, i)}
	}
	return kids
}

// Get gives the node under a key of a mapping, or nil.
func (n *Node) Get(key string) *Node {
	for _, kid := range n.Pairs() {
		if kid.Key() == key {
			return kid
		}
	}
	return nil
}

// unknown says what to do about an unknown key: one without a value may be a part of a text that
// has a comma.
func unknown(n *Node, known []string) string {
	const quotes = "a text with a comma in it stands in quotes"
	switch {
	case !n.IsNull():
		return Suggest(n.Key(), known)
	case strings.ContainsAny(n.Key(), " ."):
		return quotes
	}
	near := Suggest(n.Key(), known)
	if Nearest(n.Key(), known) != "" {
		return near
	}
	return near + "; " + quotes
}

// Known records a fault for every key of a mapping that is not in known.
func (n *Node) Known(known ...string) {
	for _, kid := range n.Pairs() {
		if !slices.Contains(known, kid.Key()) {
			kid.KeyFault(fmt.Sprintf("unknown key %q", kid.Key()), unknown(kid, known))
		}
	}
}

// Text gives the scalar as it is written (`007`, `no` and `1.10` stay text).
func (n *Node) Text() string {
	if n == nil {
		return ""
	}
	if n.y.Kind != yaml.ScalarNode {
		n.Fault("expected a text, not "+describe(n.y), "write one value")
		return ""
	}
	return n.y.Value
}

// Prose is Filled for a text that people read, where a ` #` is more likely
// part of it than a comment.
func (n *Node) Prose(what string) string {
	text := n.Filled(what)
	if c := n.y.LineComment; c != "" && n.plain() && text != "" && n.file.joined(n.y.Line, c) {
		n.Fault(fmt.Sprintf("%s ends before `%s`, which YAML takes for a comment", what, shorten(c)), "put the text in quotes, or set the comment apart by two spaces")
	}
	return text
}

// joined tells whether a comment stands one space behind the text before it.
// Where people mean a comment they set it apart.
func (f *File) joined(line int, comment string) bool {
	for ; line <= len(f.lines); line++ {
		if i := strings.Index(f.lines[line-1], comment); i > 1 {
			return f.lines[line-1][i-2] != ' '
		}
	}
	return false
}

// plain tells whether the scalar stands there without quotes or block sign.
func (n *Node) plain() bool {
	return n.y.Style&(yaml.SingleQuotedStyle|yaml.DoubleQuotedStyle|yaml.LiteralStyle|yaml.FoldedStyle) == 0
}

// Filled is Text for a text that must not be missing; what says what it is.
func (n *Node) Filled(what string) string {
	if n.y.Kind == yaml.ScalarNode && strings.TrimSpace(n.y.Value) == "" {
		n.Fault(what+" is missing", "write it behind the colon, in quotes if it begins with a sign")
		return ""
	}
	if n.y.Kind != yaml.ScalarNode && n.y.Kind != yaml.AliasNode {
		n.Fault("expected "+what+", not "+describe(n.y), "write it behind the colon, as one value")
		return ""
	}
	return n.Text()
}

// Bool reads `true` or `false`.
func (n *Node) Bool() bool {
	switch n.Text() {
	case "true":
		return true
	case "false":
	default:
		n.Fault("expected true or false, not "+describe(n.y), "write true or false")
	}
	return false
}

// Int reads a whole number of at least least.
func (n *Node) Int(least int) int {
	i, err := strconv.Atoi(n.Text())
	if err != nil || i < least {
		n.Fault(fmt.Sprintf("expected a whole number of at least %d, not %s", least, describe(n.y)), "write it without quotes or units")
		return least
	}
	return i
}

// Float reads a number of at least 0.
func (n *Node) Float() float64 {
	x, err := strconv.ParseFloat(n.Text(), 64)
	if err != nil || x < 0 || x > 1e300 {
		n.Fault("expected a number of at least 0, not "+describe(n.y), "write it without quotes or units")
		return 0
	}
	return x
}

// Texts reads a list of texts; a single text counts as a list of one.
func (n *Node) Texts() []string {
	if n == nil {
		return nil
	}
	if n.IsScalar() {
		return []string{n.Filled("the text")}
	}
	if !n.IsList() {
		n.Fault("expected a list of texts, not "+describe(n.y), "write [one, two]")
		return nil
	}
	var texts []string
	for _, item := range n.Items() {
		texts = append(texts, item.Filled("the text"))
	}
	return texts
}

// JSON gives the node as JSON: plain scalars as the YAML 1.2 core schema reads
// them, quoted ones as text.
func (n *Node) JSON() []byte {
	v := n.Value()
	return v.JSON()
}

// Value gives the node as a value, read as JSON does.
func (n *Node) Value() value.Value { return n.json() }

func (n *Node) json() value.Value {
	switch {
	case n.IsMap():
		v := value.Obj()
		for _, kid := range n.Pairs() {
			v.Kids = append(v.Kids, kid.json().Named(kid.Key()))
		}
		return v
	case n.IsList():
		v := value.List()
		for _, kid := range n.Items() {
			v.Kids = append(v.Kids, kid.json())
		}
		return v
	case n.plain():
		if v, err := value.Parse(n.y.Value); err == nil {
			return v
		}
		if n.IsNull() {
			return value.Value{}
		}
	}
	return value.Str(n.y.Value)
}
