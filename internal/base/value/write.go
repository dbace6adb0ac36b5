package value

import (
	"unicode/utf8"
)

// JSON gives v as compact JSON. Numbers are written as they were read.
func (v *Value) JSON() []byte { return v.Append(nil) }

// String gives v as compact JSON.
func (v Value) String() string { return string(v.Append(nil)) }

// Append adds v as compact JSON to dst.
func (v *Value) Append(dst []byte) []byte { return v.write(dst, "", "") }

// Indent gives v as JSON over several lines, each level indented by two
// spaces, without a newline at the end.
func (v *Value) Indent() []byte { return v.write(nil, "\n", "  ") }

// write adds v; with a newline, every kid starts a line of its own.
func (v *Value) write(dst []byte, newline, indent string) []byte {
	if v == nil {
		return append(dst, "null"...)
	}
	switch v.Kind {
	case Null:
		return append(dst, "null"...)
	case Bool, Number:
		return append(dst, v.Text...)
	case String:
		return AppendQuoted(dst, v.Text)
	}
	open, shut := byte('['), byte(']')
	if v.Kind == Object {
		open, shut = '{', '}'
	}
	dst = append(dst, open)
	inner := newline
	if newline != "" {
		inner += indent
	}
	for i := range v.Kids {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = append(dst, inner...)
		if v.Kind == Object {
			dst = append(AppendQuoted(dst, v.Kids[i].Name), ':')
			if newline != "" {
				dst = append(dst, ' ')
			}
		}
		dst = v.Kids[i].write(dst, inner, indent)
	}
	if len(v.Kids) > 0 {
		dst = append(dst, newline...)
	}
	return append(dst, shut)
}

const hexDigits = "0123456789abcdef"

// AppendQuoted adds s as a JSON string. Bytes that are no UTF-8 become U+FFFD.
func AppendQuoted(dst []byte, s string) []byte {
	dst = append(dst, '"')
	start := 0
	for i := 0; i < len(s); {
		c := s[i]
		if c >= utf8.RuneSelf {
			r, size := utf8.DecodeRuneInString(s[i:])
			if r == utf8.RuneError && size == 1 {
				dst = append(append(dst, s[start:i]...), "\ufffd"...)
				start = i + 1
			}
			i += size
			continue
		}
		if c >= 0x20 && c != '"' && c != '\\' {
			i++
			continue
		}
		dst = append(dst, s[start:i]...)
		switch c {
		case '"', '\\':
			dst = append(dst, '\\', c)
		case '\n':
			dst = append(dst, '\\', 'n')
		case '\t':
			dst = append(dst, '\\', 't')
		case '\r':
			dst = append(dst, '\\', 'r')
		default:
			dst = append(dst, '\\', 'u', '0', '0', hexDigits[c>>4], hexDigits[c&15])
		}
		i++
		start = i
	}
	return append(append(dst, s[start:]...), '"')
}
