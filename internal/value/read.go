package value

import (
	"fmt"
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
	stack   []Value
	slab    []Value // the nodes in use; its spare capacity is what is left
	slabs   [][]Value
	used    int // slabs in use
	scratch []byte
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
func (r *Reader) ReadString(text string) (Value, error) {
	r.src, r.pos, r.depth = text, 0, 0
	r.stack = r.stack[:0]
	r.used = 0
	r.slab = nil
	r.scratch = nil
	if !utf8.ValidString(text) {
		return Value{}, r.fail(invalidAt(text), "this is not UTF-8")
	}
	r.space()
	v, err := r.value()
	if err != nil {
		return Value{}, err
	}
	r.space()
	if r.pos < len(r.src) {
		return Value{}, r.fail(r.pos, fmt.Sprintf("%q after the end of the value", r.peekRune()))
	}
	return v, nil
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

func (r *Reader) fail(at int, msg string) error {
	before := r.src[:min(at, len(r.src))]
	line := strings.Count(before, "\n") + 1
	col := len(before) - (strings.LastIndexByte(before, '\n') + 1) + 1
	return &SyntaxError{Offset: at, Line: line, Col: col, Msg: msg}
}

func (r *Reader) peekRune() rune {
	c, _ := utf8.DecodeRuneInString(r.src[r.pos:])
	return c
}

func (r *Reader) space() {
	for r.pos < len(r.src) {
		switch r.src[r.pos] {
		case ' ', '\n', '\t', '\r':
			r.pos++
		default:
			return
		}
	}
}

func (r *Reader) value() (Value, error) {
	if r.pos >= len(r.src) {
		return Value{}, r.fail(r.pos, "the text ends where a value should stand")
	}
	switch c := r.src[r.pos]; {
	case c == '"':
		s, err := r.str()
		return Value{Kind: String, Text: s}, err
	case c == '{':
		return r.container(Object, '}')
	case c == '[':
		return r.container(Array, ']')
	case c == '-' || (c >= '0' && c <= '9'):
		return r.number()
	default:
		return r.word()
	}
}

func (r *Reader) word() (Value, error) {
	rest := r.src[r.pos:]
	switch {
	case strings.HasPrefix(rest, "null"):
		r.pos += 4
		return Value{}, nil
	case strings.HasPrefix(rest, "true"):
		r.pos += 4
		return Boolean(true), nil
	case strings.HasPrefix(rest, "false"):
		r.pos += 5
		return Boolean(false), nil
	}
	return Value{}, r.fail(r.pos, fmt.Sprintf("%q where a value should stand", r.peekRune()))
}

// number takes the number grammar of RFC 8259, section 6.
func (r *Reader) number() (Value, error) {
	start := r.pos
	if r.src[r.pos] == '-' {
		r.pos++
	}
	switch {
	case r.pos < len(r.src) && r.src[r.pos] == '0':
		r.pos++
	case r.digits() == 0:
		return Value{}, r.fail(start, "a number without digits")
	}
	if r.pos < len(r.src) && r.src[r.pos] == '.' {
		r.pos++
		if r.digits() == 0 {
			return Value{}, r.fail(start, "a number with no digit after the point")
		}
	}
	if r.pos < len(r.src) && (r.src[r.pos] == 'e' || r.src[r.pos] == 'E') {
		r.pos++
		if r.pos < len(r.src) && (r.src[r.pos] == '+' || r.src[r.pos] == '-') {
			r.pos++
		}
		if r.digits() == 0 {
			return Value{}, r.fail(start, "a number with an empty exponent")
		}
	}
	if r.pos < len(r.src) && (r.src[r.pos] >= '0' && r.src[r.pos] <= '9') {
		return Value{}, r.fail(start, "a number with a leading zero")
	}
	return Value{Kind: Number, Text: r.src[start:r.pos]}, nil
}

func (r *Reader) digits() int {
	start := r.pos
	for r.pos < len(r.src) && r.src[r.pos] >= '0' && r.src[r.pos] <= '9' {
		r.pos++
	}
	return r.pos - start
}

func (r *Reader) str() (string, error) {
	start := r.pos
	r.pos++
	for i := r.pos; i < len(r.src); i++ {
		switch c := r.src[i]; {
		case c == '"':
			s := r.src[r.pos:i]
			r.pos = i + 1
			return s, nil
		case c == '\\':
			return r.escaped(start, i)
		case c < 0x20:
			return "", r.fail(i, "a raw control character inside a string")
		}
	}
	return "", r.fail(start, "a string that does not end")
}

// escaped finishes a string whose first escape stands at i.
func (r *Reader) escaped(start, i int) (string, error) {
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
			return unsafe.String(unsafe.SliceData(buf[from:]), len(buf)-from), nil
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
func (r *Reader) container(kind Kind, shut byte) (Value, error) {
	if r.depth++; r.depth > MaxDepth {
		return Value{}, r.fail(r.pos, fmt.Sprintf("more than %d levels of nesting", MaxDepth))
	}
	start := r.pos
	r.pos++
	base := len(r.stack)
	r.space()
	if r.pos < len(r.src) && r.src[r.pos] == shut {
		r.pos++
		r.depth--
		return Value{Kind: kind}, nil
	}
	for {
		kid, err := r.member(kind)
		if err != nil {
			return Value{}, err
		}
		r.stack = append(r.stack, kid)
		r.space()
		if r.pos >= len(r.src) {
			return Value{}, r.fail(r.pos, fmt.Sprintf("the text ends inside the %s that starts at byte %d", kind, start))
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
			return Value{Kind: kind, Kids: kids}, nil
		default:
			return Value{}, r.fail(r.pos, fmt.Sprintf("%q where a comma or %q should stand", r.peekRune(), shut))
		}
	}
}

func (r *Reader) member(kind Kind) (Value, error) {
	if kind == Array {
		return r.value()
	}
	if r.pos >= len(r.src) || r.src[r.pos] != '"' {
		return Value{}, r.fail(r.pos, "a member name in double quotes should stand here")
	}
	name, err := r.str()
	if err != nil {
		return Value{}, err
	}
	r.space()
	if r.pos >= len(r.src) || r.src[r.pos] != ':' {
		return Value{}, r.fail(r.pos, "a colon should stand here")
	}
	r.pos++
	r.space()
	v, err := r.value()
	v.Name = name
	return v, err
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
