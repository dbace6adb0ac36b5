// Package value holds record trees: JSON values that keep what a careful
// reader must not lose.
//
// Rules it keeps:
//
//   - A number keeps the literal it was written with; it never passes through
//     a float.
//   - The members of an object keep their order, and a repeated name stays
//     visible as a second member.
//   - The strict reader takes exactly RFC 8259, in UTF-8, up to MaxDepth
//     levels. Whatever is not JSON is an error with its place: lenient reading
//     is the business of package answer, where every deviation is recorded.
//   - A place in a tree is a JSON Pointer (RFC 6901).
package value

import (
	"strconv"
	"strings"

	"github.com/shopspring/decimal"
)

// Kind tells what a Value is.
type Kind uint8

// The kinds of JSON.
const (
	Null Kind = iota
	Bool
	Number
	String
	Array
	Object
)

var kindNames = [...]string{"null", "boolean", "number", "string", "list", "object"}

// String gives the word for the kind that messages use.
func (k Kind) String() string { return kindNames[k] }

// Value is one node of a record tree. The zero Value is null.
type Value struct {
	Kind Kind
	// Name is the member name when the value stands in an object.
	Name string
	// Text is a string's content, a number's literal, or "true"/"false".
	Text string
	// Kids are an array's items or an object's members, in order.
	Kids []Value
}

// Str makes a string value.
func Str(s string) Value { return Value{Kind: String, Text: s} }

// Num makes a number value from its JSON literal.
func Num(literal string) Value { return Value{Kind: Number, Text: literal} }

// Boolean makes a boolean value.
func Boolean(b bool) Value {
	if b {
		return Value{Kind: Bool, Text: "true"}
	}
	return Value{Kind: Bool, Text: "false"}
}

// Named gives a copy of v that carries a member name.
func (v Value) Named(name string) Value {
	v.Name = name
	return v
}

// Obj makes an object of members that carry their names.
func Obj(members ...Value) Value { return Value{Kind: Object, Kids: members} }

// List makes an array.
func List(items ...Value) Value { return Value{Kind: Array, Kids: items} }

// Hollow tells whether a value has no value within it that is not empty.
func (v *Value) Hollow() bool {
	hollow := true
	v.Walk(func(_ Pointer, node *Value) bool {
		hollow = hollow && (node.Empty() || node.Kind == Object || node.Kind == Array)
		return hollow
	})
	return hollow
}

// Empty reports whether v counts as no value: null, an empty string, an empty
// list, or an object all of whose members are empty.
func (v *Value) Empty() bool {
	if v == nil {
		return true
	}
	switch v.Kind {
	case Null:
		return true
	case String:
		return v.Text == ""
	case Array:
		return len(v.Kids) == 0
	case Object:
		for i := range v.Kids {
			if !v.Kids[i].Empty() {
				return false
			}
		}
		return true
	}
	return false
}

// Get gives the member called name, or nil. Of a repeated name it is the last.
func (v *Value) Get(name string) *Value {
	if v == nil || v.Kind != Object {
		return nil
	}
	for i := len(v.Kids) - 1; i >= 0; i-- {
		if v.Kids[i].Name == name {
			return &v.Kids[i]
		}
	}
	return nil
}

// GetAt is Get where the member most often is the one at i, as in records that
// were put in the order of their schema. A name that stands twice is for Repeats
// to find.
func (v *Value) GetAt(i int, name string) *Value {
	if v != nil && i < len(v.Kids) && v.Kind == Object && v.Kids[i].Name == name {
		return &v.Kids[i]
	}
	return v.Get(name)
}

// Word gives the text of the member called name; "" where there is none, or one
// that has no text.
func (v *Value) Word(name string) string {
	if kid := v.Get(name); kid != nil {
		return kid.Text
	}
	return ""
}

// Set replaces the member called name, or adds it at the end.
func (v *Value) Set(name string, member Value) {
	member.Name = name
	if old := v.Get(name); old != nil {
		*old = member
		return
	}
	v.Kids = append(v.Kids, member)
}

// Drop takes every member called name out of an object.
func (v *Value) Drop(name string) {
	kept := v.Kids[:0:0]
	for _, kid := range v.Kids {
		if kid.Name != name {
			kept = append(kept, kid)
		}
	}
	v.Kids = kept
}

// Clone gives a copy that shares no nodes with v.
func (v Value) Clone() Value {
	if v.Kids != nil {
		kids := make([]Value, len(v.Kids))
		for i := range v.Kids {
			kids[i] = v.Kids[i].Clone()
		}
		v.Kids = kids
	}
	return v
}

// Detach gives a copy that also shares no text with v, so that the arena or
// the bytes behind v can be used again.
func (v Value) Detach() Value {
	v.Name, v.Text = strings.Clone(v.Name), strings.Clone(v.Text)
	if v.Kids != nil {
		kids := make([]Value, len(v.Kids))
		for i := range v.Kids {
			kids[i] = v.Kids[i].Detach()
		}
		v.Kids = kids
	}
	return v
}

// Equal reports whether a and b are the same JSON value: numbers as exact
// decimals, object members in any order.
func Equal(a, b *Value) bool {
	if a == nil || b == nil {
		return a == b
	}
	if a.Kind != b.Kind {
		return false
	}
	switch a.Kind {
	case Null:
		return true
	case Number:
		return EqualNumbers(a.Text, b.Text)
	case Bool, String:
		return a.Text == b.Text
	case Array:
		return equalItems(a.Kids, b.Kids)
	default:
		return equalMembers(a, b)
	}
}

func equalItems(a, b []Value) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if !Equal(&a[i], &b[i]) {
			return false
		}
	}
	return true
}

func equalMembers(a, b *Value) bool {
	if len(a.Kids) != len(b.Kids) {
		return false
	}
	for i := range a.Kids {
		other := &b.Kids[i]
		if other.Name != a.Kids[i].Name {
			other = b.Get(a.Kids[i].Name)
		}
		if other == nil || !Equal(&a.Kids[i], other) {
			return false
		}
	}
	return true
}

// EqualNumbers compares two JSON number literals as exact decimals.
func EqualNumbers(a, b string) bool {
	if a == b {
		return true
	}
	if x, ok := pointed(a); ok {
		if y, ok := pointed(b); ok {
			return x == y
		}
	}
	return CanonicalNumber(a) == CanonicalNumber(b)
}

// pointed gives the one spelling of a literal without an exponent: no zeros at the
// end of its fraction, and no sign at zero.
func pointed(literal string) (string, bool) {
	point := -1
	for i := 0; i < len(literal); i++ {
		switch literal[i] {
		case '.':
			point = i
		case 'e', 'E':
			return "", false
		}
	}
	if point >= 0 {
		end := len(literal)
		for literal[end-1] == '0' {
			end--
		}
		if end == point+1 {
			end = point
		}
		literal = literal[:end]
	}
	if literal == "-0" {
		literal = "0"
	}
	return literal, true
}

// CanonicalNumber gives the one spelling that all literals of a number share:
// digits without leading or trailing zeros, then "e" and the exponent of the
// last digit. It is exact for any length of digits and costs no more than the
// literal is long, also for 1e999999999.
func CanonicalNumber(literal string) string { return string(AppendCanonicalNumber(nil, literal)) }

// AppendCanonicalNumber appends what CanonicalNumber gives.
func AppendCanonicalNumber(dst []byte, literal string) []byte {
	rest := strings.TrimPrefix(literal, "-")
	mantissa, power := rest, ""
	for i := 0; i < len(rest); i++ {
		if rest[i]|0x20 == 'e' {
			mantissa, power = rest[:i], strings.TrimPrefix(rest[i+1:], "+")
			break
		}
	}
	start := len(dst)
	if len(rest) < len(literal) {
		dst = append(dst, '-')
	}
	digits := 0 // from the first that is not 0
	last := 0   // as many as are left without zeros at the end
	fraction := 0
	seenPoint := false
	from := len(dst)
	for i := 0; i < len(mantissa); i++ {
		c := mantissa[i]
		if c == '.' {
			seenPoint = true
			continue
		}
		if seenPoint {
			fraction++
		}
		if c == '0' && digits == 0 {
			continue
		}
		digits++
		dst = append(dst, c)
		if c != '0' {
			last = digits
		}
	}
	if last == 0 {
		return append(dst[:start], '0')
	}
	dst = append(dst[:from+last], 'e')
	shift := digits - last - fraction
	if power == "" {
		return strconv.AppendInt(dst, int64(shift), 10)
	}
	if len(power) < 15 {
		p, _ := strconv.Atoi(power)
		return strconv.AppendInt(dst, int64(p+shift), 10)
	}
	p, err := decimal.NewFromString(power)
	if err != nil {
		p = decimal.Zero
	}
	return append(dst, p.Add(decimal.NewFromInt(int64(shift))).String()...)
}

// IsInteger reports whether a number literal has no fraction: 3, 3.0 and
// 30e-1 do not have one.
func IsInteger(literal string) bool {
	canonical := CanonicalNumber(literal)
	return !strings.Contains(canonical, "e-")
}
