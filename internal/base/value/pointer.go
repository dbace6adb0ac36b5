package value

import (
	"strconv"
	"strings"
)

// Pointer is a JSON Pointer (RFC 6901): "" is the whole value.
type Pointer string

var pointerEscape = strings.NewReplacer("~", "~0", "/", "~1")
var pointerUnescape = strings.NewReplacer("~1", "/", "~0", "~")

// Key gives the pointer to a member below p.
func (p Pointer) Key(name string) Pointer {
	if strings.ContainsAny(name, "~/") {
		name = pointerEscape.Replace(name)
	}
	return p + Pointer("/"+name)
}

// Index gives the pointer to an item below p.
func (p Pointer) Index(i int) Pointer { return p + Pointer("/"+strconv.Itoa(i)) }

// Steps gives the unescaped reference tokens of p.
func (p Pointer) Steps() []string {
	if p == "" {
		return nil
	}
	steps := strings.Split(string(p[1:]), "/")
	for i, s := range steps {
		if strings.Contains(s, "~") {
			steps[i] = pointerUnescape.Replace(s)
		}
	}
	return steps
}

// Words writes p as people read it: bays 2 · defects 1 · kind.
func (p Pointer) Words() string {
	var parts []string
	for _, step := range p.Steps() {
		if i, ok := ArrayIndex(step); ok {
			if len(parts) == 0 {
				parts = append(parts, "entry")
			}
			parts[len(parts)-1] += " " + strconv.Itoa(i+1)
			continue
		}
		parts = append(parts, step)
	}
	return strings.Join(parts, " · ")
}

// Parent gives the pointer one step up; of "" it is "".
func (p Pointer) Parent() Pointer {
	i := strings.LastIndexByte(string(p), '/')
	if i < 0 {
		return ""
	}
	return p[:i]
}

// Last gives the last reference token of p, unescaped.
func (p Pointer) Last() string {
	i := strings.LastIndexByte(string(p), '/')
	if i < 0 {
		return ""
	}
	return pointerUnescape.Replace(string(p[i+1:]))
}

// Within reports whether p is at or below top.
func (p Pointer) Within(top Pointer) bool {
	return p == top || strings.HasPrefix(string(p), string(top)+"/")
}

// Valid reports whether p is written as RFC 6901 asks.
func (p Pointer) Valid() bool {
	if p == "" {
		return true
	}
	if p[0] != '/' {
		return false
	}
	for i := 0; i < len(p); i++ {
		if p[i] == '~' && (i+1 == len(p) || (p[i+1] != '0' && p[i+1] != '1')) {
			return false
		}
	}
	return true
}

// ArrayIndex reads a reference token as RFC 6901 writes indices: digits
// without a leading zero.
func ArrayIndex(token string) (int, bool) {
	if token == "" || len(token) > 9 || (len(token) > 1 && token[0] == '0') {
		return 0, false
	}
	n := 0
	for i := 0; i < len(token); i++ {
		if token[i] < '0' || token[i] > '9' {
			return 0, false
		}
		n = n*10 + int(token[i]-'0')
	}
	return n, true
}

// At gives the node that p names, or nil.
func (v *Value) At(p Pointer) *Value {
	node := v
	for _, step := range p.Steps() {
		switch {
		case node == nil:
			return nil
		case node.Kind == Object:
			node = node.Get(step)
		case node.Kind == Array:
			i, ok := ArrayIndex(step)
			if !ok || i >= len(node.Kids) {
				return nil
			}
			node = &node.Kids[i]
		default:
			return nil
		}
	}
	return node
}

// Put puts a value where p says, and makes the objects and arrays on the way
// where they are missing; what is no object or array there gives way to one. An
// array grows by nulls up to the index.
func (v *Value) Put(p Pointer, to Value) {
	for _, step := range p.Steps() {
		if i, ok := ArrayIndex(step); ok && (v.Kind == Array || v.Kind == Null) {
			if v.Kind == Null {
				*v = List().Named(v.Name)
			}
			for len(v.Kids) <= i {
				v.Kids = append(v.Kids, Value{})
			}
			v = &v.Kids[i]
			continue
		}
		if v.Kind != Object {
			*v = Obj().Named(v.Name)
		}
		if v.Get(step) == nil {
			v.Kids = append(v.Kids, Value{Name: step})
		}
		v = v.Get(step)
	}
	*v = to.Clone().Named(v.Name)
}

// Walk calls visit for v and all nodes below it, parents first. Where visit
// gives false the nodes below are passed over.
func (v *Value) Walk(visit func(p Pointer, node *Value) bool) { v.walk("", visit) }

func (v *Value) walk(p Pointer, visit func(Pointer, *Value) bool) {
	if !visit(p, v) {
		return
	}
	for i := range v.Kids {
		if v.Kind == Array {
			v.Kids[i].walk(p.Index(i), visit)
		} else {
			v.Kids[i].walk(p.Key(v.Kids[i].Name), visit)
		}
	}
}

// EachItem tells whether p names a list of v with items, and the paths hold each of them.
func (p Pointer) EachItem(v *Value, paths map[Pointer]bool) bool {
	list := v.At(p)
	if list == nil || list.Kind != Array || len(list.Kids) == 0 {
		return false
	}
	for i := range list.Kids {
		if !paths[p.Index(i)] {
			return false
		}
	}
	return true
}
