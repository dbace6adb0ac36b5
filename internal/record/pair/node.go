package pair

import (
	"bytes"
	"slices"
	"sync"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// node is a value made ready for being compared many times: its content as one
// text, its members by field, the items of its lists in the order of their
// content.
type node struct {
	f      *schema.Field
	v      *value.Value
	text   []byte // canonical; empty where there is nothing
	kids   []node
	mark   uint64 // of an item, a hash of its text; 0 until it is asked for
	at     int32  // of an item, its place in its list
	leaves int32  // scored leaves with a value
	runes  int32  // of a text
	ascii  bool   // likewise
}

// scratch is where nodes are made. It is borrowed for one pairing.
type scratch struct {
	nodes []node
	text  []byte
	ints_ []int
	rows  [][]float64 // of tables in use, one above the other
	cells []float64
}

var scratches = sync.Pool{New: func() any { return &scratch{} }}

func borrow() *scratch { return scratches.Get().(*scratch) }

func (s *scratch) giveBack() {
	clear(s.nodes) // so that no record is kept alive
	s.nodes, s.text, s.ints_, s.rows, s.cells = s.nodes[:0], s.text[:0], s.ints_[:0], s.rows[:0], s.cells[:0]
	scratches.Put(s)
}

// marked gives the node's mark.
func (n *node) marked() uint64 {
	if n.mark == 0 {
		n.mark = mixed(hashed(offset, n.text)) | 1
	}
	return n.mark
}

// take gives n nodes. Those given before stay where they are.
func (s *scratch) take(n int) []node {
	if cap(s.nodes)-len(s.nodes) < n {
		s.nodes = make([]node, 0, max(256, 2*cap(s.nodes), n))
	}
	from := len(s.nodes)
	s.nodes = s.nodes[:from+n]
	return s.nodes[from : from+n : from+n]
}

// ints gives n figures, all set to one.
func (s *scratch) ints(n, to int) []int {
	if cap(s.ints_)-len(s.ints_) < n {
		s.ints_ = make([]int, 0, max(256, 2*cap(s.ints_), n))
	}
	from := len(s.ints_)
	s.ints_ = s.ints_[:from+n]
	out := s.ints_[from : from+n : from+n]
	for i := range out {
		out[i] = to
	}
	return out
}

// large is how many cells a table has that is not kept for the next.
const large = 1 << 16

// table gives a table of zeros; tableDone gives it back, the last first.
func (s *scratch) table(rows, columns int) [][]float64 {
	if rows*columns > large {
		return tableOf(make([][]float64, 0, rows), make([]float64, rows*columns), rows, columns)
	}
	if cap(s.cells)-len(s.cells) < rows*columns {
		s.cells = make([]float64, 0, max(256, 2*cap(s.cells), rows*columns))
	}
	if cap(s.rows)-len(s.rows) < rows {
		s.rows = make([][]float64, 0, max(64, 2*cap(s.rows), rows))
	}
	from, top := len(s.cells), len(s.rows)
	s.cells, s.rows = s.cells[:from+rows*columns], s.rows[:top+rows]
	cells := s.cells[from:]
	clear(cells)
	return tableOf(s.rows[top:top:top+rows], cells, rows, columns)
}

func tableOf(table [][]float64, cells []float64, rows, columns int) [][]float64 {
	for i := range rows {
		table = append(table, cells[i*columns:(i+1)*columns:(i+1)*columns])
	}
	return table
}

func (s *scratch) tableDone(table [][]float64) {
	if cells := len(table) * len(table[0]); cells <= large && cells <= len(s.cells) && len(table) <= len(s.rows) {
		s.cells, s.rows = s.cells[:len(s.cells)-cells], s.rows[:len(s.rows)-len(table)]
	}
}

// kept gives a text that was appended to the buffer from a place on.
func (s *scratch) kept(from int) []byte { return s.text[from:len(s.text):len(s.text)] }

// items makes the items of a list ready, in the order of their content; in their
// own, where the list has one.
func (s *scratch) items(f *schema.Field, list []value.Value) []node {
	nodes := s.take(len(list))
	for i := range list {
		s.make(&nodes[i], f.Item, &list[i])
		nodes[i].at = int32(i)
	}
	if !f.Ordered && len(nodes) > 1 {
		slices.SortStableFunc(nodes, func(a, b node) int { return bytes.Compare(a.text, b.text) })
	}
	return nodes
}

// some makes the items at some places of a list ready, as items does.
func (s *scratch) some(f *schema.Field, list []value.Value, places []int) []node {
	nodes := s.take(len(places))
	for k, i := range places {
		s.make(&nodes[k], f.Item, &list[i])
		nodes[k].at = int32(i)
	}
	slices.SortStableFunc(nodes, func(a, b node) int { return bytes.Compare(a.text, b.text) })
	return nodes
}

// make makes a value ready. The text is that of Canonical.
func (s *scratch) make(n *node, f *schema.Field, v *value.Value) {
	*n = node{f: f, v: v}
	if v.Empty() {
		return
	}
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		n.kids = s.take(len(f.Fields))
		for i, kid := range f.Fields {
			s.make(&n.kids[i], kid, v.GetAt(i, kid.Name))
			n.leaves += n.kids[i].leaves
		}
		from := len(s.text)
		s.text = append(s.text, '{')
		for i := range n.kids {
			if len(n.kids[i].text) > 0 {
				s.text = append(append(s.text, byte(i>>8), byte(i)), n.kids[i].text...)
			}
		}
		s.text = append(s.text, '}')
		n.text = s.kept(from)
	case f.Type == schema.List && v.Kind == value.Array:
		n.kids = s.items(f, v.Kids)
		from := len(s.text)
		s.text = append(s.text, '[')
		for i := range n.kids {
			n.leaves += n.kids[i].leaves
			s.text = append(append(s.text, n.kids[i].text...), 0)
		}
		s.text = append(s.text, ']')
		n.text = s.kept(from)
	default:
		from := len(s.text)
		s.text = canonical(s.text, f, v)
		n.text = s.kept(from)
		if f.IsLeaf() && f.Scored() {
			n.leaves = 1
			if v.Kind == value.Object && f.IsMap() {
				n.leaves = entriesOf(f, v)
			}
		}
		if v.Kind == value.String {
			n.runes, n.ascii = int32(utf8.RuneCountInString(v.Text)), isASCII(v.Text)
		}
	}
}

// similarity is Similarity of two nodes.
func (s *scratch) similarity(a, b *node) float64 {
	sum, leaves := s.alike(a, b)
	if leaves == 0 {
		return 1
	}
	return sum / float64(leaves)
}

func (s *scratch) alike(a, b *node) (sum float64, leaves int) {
	switch {
	case len(b.text) == 0:
		return 0, int(a.leaves)
	case len(a.text) == 0:
		return 0, int(b.leaves)
	case bytes.Equal(a.text, b.text):
		return float64(a.leaves), int(a.leaves)
	}
	switch {
	case a.f.Type == schema.Group && a.kids != nil && b.kids != nil:
		for i := range a.kids {
			x, n := s.alike(&a.kids[i], &b.kids[i])
			sum, leaves = sum+x, leaves+n
		}
		return sum, leaves
	case a.f.Type == schema.List && a.v.Kind == value.Array && b.v.Kind == value.Array:
		mark := len(s.ints_)
		partner := s.match(a.f, a.kids, b.kids)
		left := int(b.leavesOf())
		for i, j := range partner {
			if j < 0 {
				leaves += int(a.kids[i].leaves)
				continue
			}
			x, n := s.alike(&a.kids[i], &b.kids[j])
			sum, leaves, left = sum+x, leaves+n, left-int(b.kids[j].leaves)
		}
		if cap(s.ints_) >= mark && len(s.ints_) >= mark {
			s.ints_ = s.ints_[:mark]
		}
		return sum, leaves + left
	case !a.f.IsLeaf(): // what is no group or list where one belongs has no leaves
		return 0, int(a.leaves + b.leaves)
	case !a.f.Scored():
		return 0, 0
	}
	if HasEntries(a.f, a.v) || HasEntries(a.f, b.v) {
		return entriesAlike(a.f, a.v, b.v)
	}
	return leafLikeness(a, b), 1
}

// leafLikeness is likeness of two leaves whose contents are not the same.
func leafLikeness(a, b *node) float64 {
	switch {
	case a.f.Compare.Kind != "" && a.f.Compare.Kind != "exact", a.v.Kind == value.Object && b.v.Kind == value.Object:
		return likeness(a.f, a.v, b.v)
	case a.v.Kind != value.String || b.v.Kind != value.String:
		return 0
	}
	longer := max(a.runes, b.runes)
	if min(a.runes, b.runes)*2 < longer {
		return 0
	}
	x, y := apart(a.v.Text, b.v.Text)
	if similarity := 1 - float64(editsOf(x, y, a.ascii && b.ascii))/float64(longer); similarity >= 0.5 {
		return similarity / 2
	}
	return 0
}

// leavesOf gives the leaves of all items of a list.
func (n *node) leavesOf() (sum int32) {
	for i := range n.kids {
		sum += n.kids[i].leaves
	}
	return sum
}
