package place

import (
	"bytes"
	"errors"
	"strings"

	"go.yaml.in/yaml/v4"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// Edit is one change of a YAML file: what stands under a path of keys. All else stays as it
// is written, remarks and layout included.
type Edit struct {
	Path   []string // keys from the top; all but the last stand in the file, and lead to a mapping
	Write  string   // the value as YAML, on one line
	Remark string   // a comment above it; "": none
}

// ErrEdit says that a change can't be written into the text of a file.
var ErrEdit = errors.New("the change can't be written into the file; write it by hand")

// Apply gives the file as it is with the change. What comes out is read again and compared
// with what was to come out, so that nothing else of the file is changed.
func (e Edit) Apply(data []byte) ([]byte, error) {
	f, root := Load("", data)
	if root == nil || len(f.Faults) > 0 || len(e.Path) == 0 {
		return nil, ErrEdit
	}
	at := root
	for _, key := range e.Path[:len(e.Path)-1] {
		if at = at.Get(key); at == nil {
			return nil, ErrEdit
		}
	}
	if !at.IsMap() {
		return nil, ErrEdit
	}
	t := newText(data)
	for _, remark := range []string{e.Remark, ""} { // where a remark can't stand the change still can
		out := t.set(at.y, e.Path[len(e.Path)-1], e.Write, remark)
		if e.came(root, out) {
			return out, nil
		}
	}
	return nil, ErrEdit
}

// came tells whether a changed file holds what the old one did, with the change.
func (e Edit) came(old *Node, data []byte) bool {
	f, now := Load("", data)
	g, written := Load("", []byte("x: "+e.Write+"\n"))
	if now == nil || written == nil || len(f.Faults)+len(g.Faults) > 0 {
		return false
	}
	want := old.Value()
	at := &want
	for _, key := range e.Path[:len(e.Path)-1] {
		at = at.Get(key)
	}
	at.Set(e.Path[len(e.Path)-1], written.Get("x").Value().Named(""))
	got := now.Value()
	return value.Equal(&want, &got)
}

// text is a file whose places are found by line and column.
type text struct {
	data   []byte
	starts []int // of the lines
	end    string
}

func newText(data []byte) *text {
	t := &text{data: data, starts: []int{0}, end: "\n"}
	if bytes.Contains(data, []byte("\r\n")) {
		t.end = "\r\n"
	}
	for i, c := range data {
		if c == '\n' {
			t.starts = append(t.starts, i+1)
		}
	}
	return t
}

// offset gives where a node begins, in bytes. Columns count letters.
func (t *text) offset(n *yaml.Node) int {
	at := t.starts[n.Line-1]
	if n.Line == 1 {
		at += len(t.data) - len(bytes.TrimPrefix(t.data, []byte("\ufeff")))
	}
	for range n.Column - 1 {
		_, size := runeAt(t.data[at:])
		at += size
	}
	return at
}

func runeAt(b []byte) (rune, int) {
	for i, r := range string(b[:min(len(b), 4)]) {
		if i == 0 {
			return r, len(string(r))
		}
	}
	return 0, 0
}

// line gives a line, from 0, without its end.
func (t *text) line(n int) []byte {
	end := len(t.data)
	if n+1 < len(t.starts) {
		end = t.starts[n+1] - 1
	}
	return bytes.TrimSuffix(t.data[t.starts[n]:end], []byte("\r"))
}

// swap gives the file with other bytes between two places, and a remark above the line in
// which the first stands.
func (t *text) swap(from, to int, with, remark string) []byte {
	var out bytes.Buffer
	if remark == "" {
		out.Write(t.data[:from])
	} else {
		n := bytes.Count(t.data[:from], []byte("\n"))
		line := t.line(n)
		indent := line[:len(line)-len(bytes.TrimLeft(line, " "))]
		out.Write(t.data[:t.starts[n]])
		out.WriteString(string(indent) + "# " + remark + t.end)
		out.Write(t.data[t.starts[n]:from])
	}
	out.WriteString(with)
	out.Write(t.data[to:])
	return out.Bytes()
}

var plainKey = lazy.New(`^[A-Za-z_][A-Za-z0-9_-]*$`)

func keyText(key string) string {
	if plainKey.MatchString(key) {
		return key
	}
	return string(value.AppendQuoted(nil, key))
}

// set sets a key of a mapping.
func (t *text) set(m *yaml.Node, key, write, remark string) []byte {
	flow := m.Style&yaml.FlowStyle != 0
	for i := 0; i+1 < len(m.Content); i += 2 {
		if m.Content[i].Value == key {
			return t.replace(m.Content[i], m.Content[i+1], flow, write, remark)
		}
	}
	if flow && len(m.Content) == 0 {
		at := t.offset(m) + 1
		return t.swap(at, at, keyText(key)+": "+write, remark)
	}
	if flow {
		at := t.valueEnd(m.Content[len(m.Content)-1], true)
		return t.swap(at, at, ", "+keyText(key)+": "+write, remark)
	}
	last := t.entryEnd(m.Content[0], m.Content[1]) // behind the first key: a field's type and what to tell of it
	indent := strings.Repeat(" ", m.Content[0].Column-1)
	with := indent + keyText(key) + ": " + write
	if remark != "" {
		with = indent + "# " + remark + t.end + with
	}
	end := t.starts[last] + len(t.line(last))
	return t.swap(end, end, t.end+with, "")
}

// replace puts another value in the place of one.
func (t *text) replace(k, v *yaml.Node, flow bool, write, remark string) []byte {
	if v.Kind == yaml.ScalarNode && v.Value == "" && v.Style&(yaml.SingleQuotedStyle|yaml.DoubleQuotedStyle|yaml.LiteralStyle|yaml.FoldedStyle) == 0 {
		at := t.keyEnd(k)
		if at < len(t.data) && t.data[at] == ':' {
			return t.swap(at, at+1, ": "+write, remark)
		}
		return t.swap(at, at, ": "+write, remark) // a key alone between braces
	}
	if flow {
		return t.swap(t.offset(v), t.valueEnd(v, true), write, remark)
	}
	last := t.entryEnd(k, v)
	if last == v.Line-1 && v.Line == k.Line {
		return t.swap(t.offset(v), t.valueEnd(v, false), write, remark)
	}
	return t.swap(t.keyEnd(k), t.starts[last]+len(t.line(last)), ": "+write, remark)
}

// keyEnd gives where a key ends, before its colon.
func (t *text) keyEnd(k *yaml.Node) int {
	at := t.offset(k)
	if c := t.data[at]; c == '"' || c == '\'' {
		return at + quoted(t.data[at:])
	}
	return at + len(k.Value)
}

// entryEnd gives the last line, from 0, of a key of a mapping in lines with its value.
func (t *text) entryEnd(k, v *yaml.Node) int {
	last := k.Line - 1
	for n := k.Line; n < len(t.starts); n++ {
		line := t.line(n)
		rest := bytes.TrimLeft(line, " ")
		indent := len(line) - len(rest)
		switch {
		case len(rest) == 0:
		case indent >= k.Column, v.Kind == yaml.SequenceNode && indent == k.Column-1 && rest[0] == '-':
			last = n
		case rest[0] != '#':
			return last
		}
	}
	return last
}

// valueEnd gives where a value on one line, or between brackets, ends.
func (t *text) valueEnd(v *yaml.Node, flow bool) int {
	at := t.offset(v)
	if at >= len(t.data) {
		return at
	}
	switch c := t.data[at]; {
	case (c == '{' || c == '[') && v.Kind != yaml.ScalarNode:
		return at + bracketed(t.data[at:])
	case c == '"' || c == '\'':
		return at + quoted(t.data[at:])
	}
	end := at
	for i := at; i < len(t.data); i++ {
		switch c := t.data[i]; {
		case c == '\n' && !flow, flow && strings.IndexByte(",[]{}", c) >= 0, c == '#' && i > 0 && (t.data[i-1] == ' ' || t.data[i-1] == '\n'):
			return end
		case c != ' ' && c != '\t' && c != '\r' && c != '\n':
			end = i + 1
		}
	}
	return end
}

// quoted gives the length of a quoted text.
func quoted(b []byte) int {
	for i := 1; i < len(b); i++ {
		switch {
		case b[0] == '"' && b[i] == '\\':
			i++
		case b[i] == b[0] && b[0] == '\'' && i+1 < len(b) && b[i+1] == '\'':
			i++
		case b[i] == b[0]:
			return i + 1
		}
	}
	return len(b)
}

// bracketed gives the length of what stands between brackets.
func bracketed(b []byte) int {
	depth, begins := 0, false // begins: a value may begin here
	for i := 0; i < len(b); i++ {
		switch c := b[i]; {
		case c == '{' || c == '[':
			depth, begins = depth+1, true
		case c == '}' || c == ']':
			if depth--; depth == 0 {
				return i + 1
			}
			begins = false
		case c == ',' || c == ':':
			begins = true
		case (c == '"' || c == '\'') && begins:
			i += quoted(b[i:]) - 1
			begins = false
		case c == '#' && (b[i-1] == ' ' || b[i-1] == '\n'):
			for i < len(b) && b[i] != '\n' {
				i++
			}
		case c != ' ' && c != '\n' && c != '\r' && c != '\t':
			begins = false
		}
	}
	return len(b)
}
