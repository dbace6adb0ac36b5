package value

import (
	"encoding/binary"
	"fmt"
	"math/bits"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
	"unsafe"
)

// MaxDepth is how many levels of nesting the reader takes.
const MaxDepth = 512

// SyntaxError says where a text stops being JSON.
type SyntaxError struct {
	Offset    int // in bytes, from 0
	Line, Col int // from 1, the column in bytes
	Msg       string
}

func (e *SyntaxError) Error() string {
	return fmt.Sprintf("line %d, column %d: %s", e.Line, e.Col, e.Msg)
}

// Reader reads JSON texts, one after the other, into nodes that it owns. What
// Read gives is good until the next Read; Detach makes it last.
// The zero Reader is ready.
type Reader struct {
	src     string
	pos     int
	depth   int
	err     error
	stack   []Value
	slab    []Value // the nodes in use; its spare capacity is what is left
	slabs   [][]Value
	used    int // slabs in use
	scratch []byte
	known   Known
	outer   []Value // the objects and arrays in the outermost object, by name, with their texts
}

// Known is a value that was read before, with its text: where a member of the
// outermost object has the same text, it is taken and not read again.
type Known struct {
	Text  string // of an object or an array; "": nothing is known
	Value *Value
}

// Parse reads one JSON text that nothing but white space may follow.
func Parse(text string) (Value, error) {
	var r Reader
	return r.ReadString(text)
}

// ParseBytes is Parse for bytes, which must not change while the value is used.
func ParseBytes(text []byte) (Value, error) {
	return Parse(unsafe.String(unsafe.SliceData(text), len(text)))
}

// Read reads text, which must not change until the next Read.
func (r *Reader) Read(text []byte) (Value, error) {
	return r.ReadString(unsafe.String(unsafe.SliceData(text), len(text)))
}

// ReadString reads text. Strings without escapes share its memory.
func (r *Reader) ReadString(text string) (Value, error) { return r.ReadKnowing(text, Known{}) }

// ReadKnowing is ReadString where a part of the text may have been read before.
// What it gives shares the nodes of what is known.
func (r *Reader) ReadKnowing(text string, known Known) (Value, error) {
	r.src, r.pos, r.depth, r.err = text, 0, 0, nil
	r.stack = append(r.stack[:0], Value{})
	r.used = 0
	r.slab = nil
	r.scratch = nil
	r.known = known
	r.outer = r.outer[:0]
	if !utf8.ValidString(text) {
		r.fail(invalidAt(text), "not UTF-8")
		return Value{}, r.err
	}
	r.space()
	if !r.value(0) {
		return Value{}, r.err
	}
	r.space()
	if r.pos < len(r.src) {
		r.fail(r.pos, fmt.Sprintf("%q after the end of the value", r.peekRune()))
		return Value{}, r.err
	}
	return r.stack[0], nil
}

// TextOf gives the text of a member of the outermost object, as it was read, if
// it is an object or an array; else "".
func (r *Reader) TextOf(name string) string {
	for i := len(r.outer) - 1; i >= 0; i-- {
		if r.outer[i].Name == name {
			return r.outer[i].Text
		}
	}
	return ""
}

func invalidAt(s string) int {
	for i, c := range s {
		if c == utf8.RuneError {
			if _, size := utf8.DecodeRuneInString(s[i:]); size == 1 {
				return i
			}
		}
	}
	return len(s)
}

// fail notes what is wrong, and gives false.
func (r *Reader) fail(at int, msg string) bool {
	before := r.src[:min(at, len(r.src))]
	line := strings.Count(before, "\n") + 1
	col := len(before) - (strings.LastIndexByte(before, '\n') + 1) + 1
	r.err = &SyntaxError{Offset: at, Line: line, Col: col, Msg: msg}
	return false
}

func (r *Reader) peekRune() rune {
	c, _ := utf8.DecodeRuneInString(r.src[r.pos:])
	return c
}

func (r *Reader) space() {
	for r.pos < len(r.src) && r.src[r.pos] <= ' ' {
		switch r.src[r.pos] {
		case ' ', '\n', '\t', '\r':
			r.pos++
		default:
			return
		}
	}
}

// value reads the value at pos into a place of the stack, which may move while
// a container is read.
func (r *Reader) value(at int) bool {
	if r.pos >= len(r.src) {
		return r.fail(r.pos, "the text ends in place of a value")
	}
	switch c := r.src[r.pos]; {
	case c == '"':
		text, ok := r.str()
		v := &r.stack[at]
		v.Kind, v.Text = String, text
		return ok
	case c == '{' || c == '[':
		kind, shut := Object, byte('}')
		if c == '[' {
			kind, shut = Array, ']'
		}
		start := r.pos
		if r.depth == 1 && r.known.Text != "" && strings.HasPrefix(r.src[start:], r.known.Text) {
			r.pos += len(r.known.Text)
			r.stack[at].Kind, r.stack[at].Kids = kind, r.known.Value.Kids
			return true
		}
		kids, ok := r.container(kind, shut)
		v := &r.stack[at]
		v.Kind, v.Kids = kind, kids
		if ok && r.depth == 1 {
			r.outer = append(r.outer, Value{Name: v.Name, Text: r.src[start:r.pos]})
		}
		return ok
	case c == '-' || (c >= '0' && c <= '9'):
		text, ok := r.number()
		v := &r.stack[at]
		v.Kind, v.Text = Number, text
		return ok
	default:
		return r.word(&r.stack[at])
	}
}

func (r *Reader) word(v *Value) bool {
	rest := r.src[r.pos:]
	switch {
	case strings.HasPrefix(rest, "null"):
		r.pos += 4
		return true
	case strings.HasPrefix(rest, "true"):
		r.pos += 4
		v.Kind, v.Text = Bool, "true"
		return true
	case strings.HasPrefix(rest, "false"):
		r.pos += 5
		v.Kind, v.Text = Bool, "false"
		return true
	}
	return r.fail(r.pos, fmt.Sprintf("%q in place of a value", r.peekRune()))
}

// maxNumber is the most signs of a number: exact arithmetic costs more than the
// square of its digits.
const maxNumber = 10000

// number takes the number grammar of RFC 8259, section 6.
func (r *Reader) number() (string, bool) {
	start := r.pos
	if r.src[r.pos] == '-' {
		r.pos++
	}
	switch {
	case r.pos < len(r.src) && r.src[r.pos] == '0':
		r.pos++
	case r.digits() == 0:
		return "", r.fail(start, "a number without digits")
	}
	if r.pos < len(r.src) && r.src[r.pos] == '.' {
		r.pos++
		if r.digits() == 0 {
			return "", r.fail(start, "a number with no digit after the point")
		}
	}
	if r.pos < len(r.src) && (r.src[r.pos] == 'e' || r.src[r.pos] == 'E') {
		r.pos++
		if r.pos < len(r.src) && (r.src[r.pos] == '+' || r.src[r.pos] == '-') {
			r.pos++
		}
		if r.digits() == 0 {
			return "", r.fail(start, "a number with an empty exponent")
		}
	}
	if r.pos < len(r.src) && (r.src[r.pos] >= '0' && r.src[r.pos] <= '9') {
		return "", r.fail(start, "a number with a leading zero")
	}
	if r.pos-start > maxNumber {
		return "", r.fail(start, fmt.Sprintf("a number of %d signs, and at most %d are read", r.pos-start, maxNumber))
	}
	return r.src[start:r.pos], true
}

func (r *Reader) digits() int {
	start := r.pos
	for r.pos < len(r.src) && r.src[r.pos] >= '0' && r.src[r.pos] <= '9' {
		r.pos++
	}
	return r.pos - start
}

// The bytes of a word of eight, for looking at eight letters at once.
const (
	ones  = 0x0101010101010101
	highs = 0x8080808080808080
)

func (r *Reader) str() (string, bool) {
	start := r.pos
	r.pos++
	i := r.pos
	for ; i+8 <= len(r.src); i += 8 {
		x := binary.LittleEndian.Uint64(unsafe.Slice(unsafe.StringData(r.src[i:]), 8))
		quote, slash := x^('"'*ones), x^('\\'*ones)
		if stops := ((quote-ones)&^quote | (slash-ones)&^slash | (x-' '*ones)&^x) & highs; stops != 0 {
			i += bits.TrailingZeros64(stops) / 8 // the lowest is exact; above it a borrow may have run on
			break
		}
	}
	for ; i < len(r.src); i++ {
		switch c := r.src[i]; {
		case c == '"':
			s := r.src[r.pos:i]
			r.pos = i + 1
			return s, true
		case c == '\\':
			return r.escaped(start, i)
		case c < 0x20:
			return "", r.fail(i, "a raw control character inside a string")
		}
	}
	return "", r.fail(start, "a string that does not end")
}

// escaped finishes a string whose first escape stands at i.
func (r *Reader) escaped(start, i int) (string, bool) {
	buf := append(r.scratch, r.src[start+1:i]...)
	from := len(r.scratch)
	for i < len(r.src) {
		c := r.src[i]
		switch {
		case c == '"':
			r.pos = i + 1
			r.scratch = buf
			if cap(buf)-len(buf) < 64 {
				r.scratch = nil // the filled block stays with the strings in it
			}
			return unsafe.String(unsafe.SliceData(buf[from:]), len(buf)-from), true
		case c < 0x20:
			return "", r.fail(i, "a raw control character inside a string")
		case c != '\\':
			buf = append(buf, c)
			i++
			continue
		}
		var size int
		var ok bool
		if buf, size, ok = unescape(buf, r.src[i:]); !ok {
			return "", r.fail(i, "an escape that JSON does not know")
		}
		i += size
	}
	return "", r.fail(start, "a string that does not end")
}

// unescape adds the character that the escape at the start of s stands for,
// and gives the escape's length.
func unescape(buf []byte, s string) ([]byte, int, bool) {
	if len(s) < 2 {
		return buf, 0, false
	}
	switch s[1] {
	case '"', '\\', '/':
		return append(buf, s[1]), 2, true
	case 'b':
		return append(buf, '\b'), 2, true
	case 'f':
		return append(buf, '\f'), 2, true
	case 'n':
		return append(buf, '\n'), 2, true
	case 'r':
		return append(buf, '\r'), 2, true
	case 't':
		return append(buf, '\t'), 2, true
	case 'u':
		c, ok := hex4(s[2:])
		if !ok {
			return buf, 0, false
		}
		if !utf16.IsSurrogate(c) {
			return utf8.AppendRune(buf, c), 6, true
		}
		if len(s) >= 12 && s[6] == '\\' && s[7] == 'u' {
			if low, ok := hex4(s[8:]); ok {
				if whole := utf16.DecodeRune(c, low); whole != utf8.RuneError {
					return utf8.AppendRune(buf, whole), 12, true
				}
			}
		}
	}
	return buf, 0, false // also half a surrogate pair: no UTF-8 text can hold it
}

func hex4(s string) (rune, bool) {
	if len(s) < 4 {
		return 0, false
	}
	var n rune
	for i := 0; i < 4; i++ {
		switch c := s[i]; {
		case c >= '0' && c <= '9':
			n = n<<4 | rune(c-'0')
		case c >= 'a' && c <= 'f':
			n = n<<4 | rune(c-'a'+10)
		case c >= 'A' && c <= 'F':
			n = n<<4 | rune(c-'A'+10)
		default:
			return 0, false
		}
	}
	return n, true
}

// container reads an array or object whose bracket stands at pos. Its kids
// gather on the stack and move to the slab when the bracket closes, so that
// they lie side by side.
func (r *Reader) container(kind Kind, shut byte) ([]Value, bool) {
	if r.depth++; r.depth > MaxDepth {
		return nil, r.fail(r.pos, fmt.Sprintf("more than %d levels of nesting", MaxDepth))
	}
	start := r.pos
	r.pos++
	base := len(r.stack)
	r.space()
	if r.pos < len(r.src) && r.src[r.pos] == shut {
		r.pos++
		r.depth--
		return nil, true
	}
	for {
		at := len(r.stack)
		r.stack = append(r.stack, Value{})
		if kind == Object && !r.name(at) || !r.value(at) {
			return nil, false
		}
		r.space()
		if r.pos >= len(r.src) {
			return nil, r.fail(r.pos, fmt.Sprintf("the text ends inside the %s that starts at byte %d", kind, start))
		}
		switch r.src[r.pos] {
		case ',':
			r.pos++
			r.space()
		case shut:
			r.pos++
			r.depth--
			kids := r.take(len(r.stack) - base)
			copy(kids, r.stack[base:])
			r.stack = r.stack[:base]
			return kids, true
		default:
			return nil, r.fail(r.pos, fmt.Sprintf("%q in place of a comma or %q", r.peekRune(), shut))
		}
	}
}

// name reads the name of a member, up to its value.
func (r *Reader) name(at int) bool {
	if r.pos >= len(r.src) || r.src[r.pos] != '"' {
		return r.fail(r.pos, "expected a member name in double quotes")
	}
	name, ok := r.str()
	if !ok {
		return false
	}
	r.stack[at].Name = name
	r.space()
	if r.pos >= len(r.src) || r.src[r.pos] != ':' {
		return r.fail(r.pos, "expected a colon")
	}
	r.pos++
	r.space()
	return true
}

// take gives n nodes that lie side by side.
func (r *Reader) take(n int) []Value {
	if cap(r.slab)-len(r.slab) < n {
		if r.used == len(r.slabs) {
			r.slabs = append(r.slabs, make([]Value, 0, max(n, 16<<min(r.used, 8))))
		} else if cap(r.slabs[r.used]) < n {
			r.slabs[r.used] = make([]Value, 0, n)
		}
		r.slab = r.slabs[r.used][:0]
		r.used++
	}
	from := len(r.slab)
	r.slab = r.slab[:from+n]
	return r.slab[from : from+n : from+n]
}
