package place

import (
	"bytes"
	"errors"
	"filler/internal/base/lazy"
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v4"
)

// MaxBytes is the largest YAML file that Load takes.
const MaxBytes = 1 << 20

// maxDepth is how many levels of nesting, and maxFlow how many opening
// brackets, a file may have: the YAML parser's own cost grows much faster than
// the file where brackets are piled up.
const (
	maxDepth = 100
	maxFlow  = 20000
)

// Node is a place in a YAML file together with what stands there.
type Node struct {
	file *File
	y    *yaml.Node
	key  *yaml.Node // the key it stands under, if any
	path string
}

// File is one loaded YAML file. Faults found while it is used gather in it.
type File struct {
	Name   string
	lines  []string
	Faults Faults
}

// Load reads a YAML file whose top is a mapping. The faults are in
// File.Faults; the root is nil when nothing can be made of the file.
func Load(name string, data []byte) (*File, *Node) {
	f := &File{Name: name}
	if len(data) > MaxBytes {
		f.add(0, 0, fmt.Sprintf("the file has %d bytes", len(data)), fmt.Sprintf("YAML files over %d bytes are not read", MaxBytes))
		return f, nil
	}
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	if !utf8.Valid(data) {
		f.add(0, 0, "the file is not UTF-8", "save it as UTF-8")
		return f, nil
	}
	f.lines = strings.Split(string(data), "\n")
	if !f.sane() {
		return f, nil
	}
	var docs []*yaml.Node
	dec := yaml.NewDecoder(bytes.NewReader(data))
	for len(docs) < 2 {
		var n yaml.Node
		if err := dec.Decode(&n); err != nil {
			if err.Error() != "EOF" {
				f.parseFault(err)
			}
			break
		}
		docs = append(docs, &n)
	}
	if len(f.Faults) > 0 {
		return f, nil
	}
	return f, f.root(docs)
}

func (f *File) root(docs []*yaml.Node) *Node {
	if len(docs) == 0 || len(docs[0].Content) == 0 {
		f.add(0, 0, "the file is empty", "write keys and values into it")
		return nil
	}
	if len(docs) > 1 {
		f.add(docs[1].Line, docs[1].Column, "a second YAML document starts here", "keep one document a file, without a line of ---")
	}
	top := docs[0].Content[0]
	root := &Node{file: f, y: top}
	if top.Kind != yaml.MappingNode {
		f.add(top.Line, top.Column, "the file should hold keys and values, not "+describe(top), "start with a key such as `schema:`")
		return nil
	}
	f.checkTree(root, 0)
	return root
}

var bracket = lazy.New(`[\[{]`)

// sane refuses what would cost the parser too much.
func (f *File) sane() bool {
	opening := 0
	for i, line := range f.lines {
		opening += len(bracket.FindAllStringIndex(line, -1))
		if opening > maxFlow {
			f.add(i+1, 1, "too many opening brackets", "write the file in indented lines")
			return false
		}
		trimmed := strings.TrimLeft(line, " ")
		if strings.HasPrefix(trimmed, "\t") && strings.TrimSpace(trimmed) != "" {
			f.add(i+1, len(line)-len(trimmed)+1, "a tab in the indentation", "indent with spaces")
		}
		if (len(line)-len(trimmed)) > 4*maxDepth || strings.Count(trimmed, "- ") > 4*maxDepth || maxRun(line) > maxDepth {
			f.add(i+1, 1, fmt.Sprintf("nested deeper than %d levels", maxDepth), "flatten it")
			return false
		}
	}
	return len(f.Faults) == 0
}

// maxRun gives how deep the brackets of a line go.
func maxRun(line string) int {
	depth, most := 0, 0
	for _, c := range line {
		switch c {
		case '[', '{':
			depth++
			most = max(most, depth)
		case ']', '}':
			depth--
		}
	}
	return most
}

var lineInError = lazy.New(`line (\d+)(?:, column (\d+))?:? ?`)

func (f *File) parseFault(err error) {
	text := err.Error()
	var all *yaml.LoadErrors
	if errors.As(err, &all) && len(all.Errors) > 0 {
		text = all.Errors[0].Error()
	}
	line, col := 0, 1
	if m := lineInError.FindStringSubmatch(text); m != nil {
		line, _ = strconv.Atoi(m[1])
		if m[2] != "" {
			col, _ = strconv.Atoi(m[2])
		}
	}
	msg := lineInError.ReplaceAllString(text, "")
	for _, prefix := range []string{"yaml: ", "go-yaml load error: ", "load error: ", "while parsing a block mapping at ", "while scanning a simple key at ", "while parsing a block collection at "} {
		msg = strings.TrimPrefix(msg, prefix)
	}
	hint := "look at this line and the one above it"
	switch {
	case strings.Contains(text, "mapping values are not allowed"):
		msg, hint = "a second `: ` on one line", "put the text in quotes"
	case strings.Contains(text, "could not find expected ':'"):
		msg, hint = "neither `key: value` nor a continuation of the text above", "write `key: value`, or put text over several lines in quotes"
	case strings.Contains(text, "unknown anchor"):
		msg, hint = "a text starts with `*`, which YAML takes for an alias", "put the text in quotes"
	case strings.Contains(text, "expected comment or line break"):
		msg, hint = "a text starts with `>` or `|`, which YAML takes for the start of a block", "put the text in quotes"
	case strings.Contains(text, "did not find expected key") && f.quoteIn(line):
		msg, hint = "a quote inside a quoted text ends it too early", "write '' for an apostrophe in single quotes, or use double quotes around the text"
	case strings.Contains(text, "did not find expected key"):
		msg, hint = "the indentation does not fit the lines above", "indent keys of one mapping by the same number of spaces"
	case strings.Contains(text, "cannot start any token"):
		msg, hint = "a text starts with a character that YAML reserves", "put the text in quotes"
	}
	f.add(line, col, "not YAML: "+strings.TrimSpace(msg), hint)
}

// quoteIn tells whether a line, or the one above it, holds a text in single
// quotes with a further one in it.
func (f *File) quoteIn(line int) bool {
	for _, n := range []int{line, line - 1} {
		if l := f.Excerpt(n); strings.Count(l, "'") >= 3 || strings.Count(l, "\"") >= 3 {
			return true
		}
	}
	return false
}

func (f *File) add(line, col int, msg, hint string) {
	f.Faults = append(f.Faults, Fault{File: f.Name, Line: line, Col: col, Msg: msg, Hint: hint})
}

// checkTree looks for the YAML that surprises people.
func (f *File) checkTree(n *Node, depth int) {
	if depth > maxDepth {
		n.Fault(fmt.Sprintf("nested deeper than %d levels", maxDepth), "flatten it")
		return
	}
	switch {
	case n.y.Kind == yaml.AliasNode:
		n.Fault("an alias (`*name`)", "write the value out")
		return
	case n.y.Anchor != "":
		n.Fault("an anchor (`&name`)", "write the value out where it is needed, or put the text in quotes")
	case n.y.Style&yaml.TaggedStyle != 0 && strings.HasPrefix(n.y.Tag, "!"):
		n.Fault("a tag ("+n.y.Tag+"): a leading `!` is YAML's own", "put the text in quotes")
	}
	if n.y.Kind == yaml.ScalarNode && n.y.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0 && strings.TrimSpace(n.y.Value) == "" {
		n.Fault("a leading `>` or `|` starts a block of text, and none follows", "put the text in quotes")
	}
	seen := map[string]int{}
	for _, kid := range n.Pairs() {
		if first, again := seen[kid.Key()]; again {
			kid.KeyFault(fmt.Sprintf("the key %q is here twice (first in line %d)", kid.Key(), first), "keep one")
		}
		seen[kid.Key()] = kid.key.Line
		f.checkTree(kid, depth+1)
	}
	for _, kid := range n.Items() {
		f.checkTree(kid, depth+1)
	}
}

func shorten(s string) string {
	if r := []rune(s); len(r) > 30 {
		return string(r[:29]) + "…"
	}
	return s
}

func describe(y *yaml.Node) string {
	switch y.Kind {
	case yaml.MappingNode:
		return "keys and values"
	case yaml.SequenceNode:
		return "a list"
	case yaml.ScalarNode:
		if y.ShortTag() == "!!null" {
			return "nothing"
		}
		return "`" + shorten(y.Value) + "`"
	}
	return "something else"
}
