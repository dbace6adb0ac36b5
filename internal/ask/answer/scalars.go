package answer

import (
	"strconv"
	"strings"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"

	"filler/internal/base/value"
)

// quotes are the opening quotes and what closes them.
var quotes = []struct{ open, shut string }{
	{`"""`, `"""`}, {`"`, `"`}, {"'", "'"}, {"“", "”"}, {"„", "“"}, {"‘", "’"}, {"«", "»"}, {"`", "`"},
}

// quoteAt gives the quote that closes the string at the start of s, or "".
func quoteAt(s string) string {
	for _, q := range quotes {
		if strings.HasPrefix(s, q.open) {
			if q.open == `"""` && strings.HasPrefix(s, `"""`) && !strings.Contains(s[3:], `"""`) {
				continue
			}
			if q.open == "`" && strings.HasPrefix(s, "```") {
				return ""
			}
			return q.shut
		}
	}
	return ""
}

// str reads a quoted string. A quote inside it ends it only where what
// follows fits behind a string: a colon behind a name, else a comma, a closing
// bracket or the end.
func (p *parser) str(isName bool) (string, bool) {
	start := p.pos
	shut := quoteAt(p.src[p.pos:])
	switch _, size := utf8.DecodeRuneInString(p.src[p.pos:]); {
	case shut == `"`:
		p.pos++
	case shut == `"""`:
		p.deviate(Quotes, "three quotes in place of one")
		p.pos += 3
	default:
		p.deviate(Quotes, "other quotes than double ones")
		p.pos += size
	}
	var b strings.Builder
	for !p.end() {
		rest := p.src[p.pos:]
		switch c := rest[0]; {
		case strings.HasPrefix(rest, shut) || (shut == "”" && c == '"') || shut == "“" && strings.HasPrefix(rest, "”"):
			size := len(shut)
			if !strings.HasPrefix(rest, shut) && c == '"' {
				size = 1
			}
			if p.closes(p.pos+size, isName) {
				p.pos += size
				return b.String(), true
			}
			p.deviate(RawQuote, "a quote inside a string")
			b.WriteString(rest[:size])
			p.pos += size
		case c == '\\':
			p.escape(&b, rest)
		case c < 0x20:
			p.deviate(RawLine, "a raw control character inside a string")
			b.WriteByte(c)
			p.pos++
		default:
			b.WriteByte(c)
			p.pos++
		}
	}
	p.cut = true
	p.deviateAt(start, Cut, "an incomplete string was dropped: "+shorten(b.String()))
	return "", false
}

// closes tells whether a string may end before at.
func (p *parser) closes(at int, isName bool) bool {
	rest := strings.TrimLeft(p.src[at:], " \t\r\n")
	if rest == "" {
		return true
	}
	if isName {
		return rest[0] == ':' || rest[0] == '='
	}
	switch rest[0] {
	case '}', ']', '`', '/', '#':
		return true
	case ',':
		// A comma inside the string is followed by more text and a further
		// quote that ends it properly; commas behind it by the next member.
		return nextMember(strings.TrimLeft(rest, ", \t\r\n"), p.inObject())
	case ':':
		return false
	}
	if quoteAt(rest) == "" {
		return false
	}
	// A quote before a line break, then a name: the comma is missing. On the same
	// line, only where a name or another item follows.
	if strings.HasPrefix(strings.TrimLeft(p.src[at:], " \t\r"), "\n") {
		return true
	}
	return at < len(p.src) && !isQuote(p.src[at]) && p.nextOnLine(rest)
}

func isQuote(c byte) bool { return c == '"' || c == '\'' }

// nextOnLine tells whether a quoted text is the next member or item, without a
// comma before it: a name with a colon, or a text with a comma or bracket behind
// it.
func (p *parser) nextOnLine(s string) bool {
	line, _, _ := strings.Cut(s, "\n")
	shut := quoteAt(line)
	_, size := utf8.DecodeRuneInString(line)
	i := strings.Index(line[size:], shut)
	if shut == "" || i < 0 {
		return false
	}
	behind := strings.TrimLeft(line[size+i+len(shut):], " \t")
	if behind == "" {
		return false
	}
	if p.inObject() {
		return behind[0] == ':'
	}
	return behind[0] == ',' || behind[0] == ']'
}

func (p *parser) inObject() bool { return len(p.open) > 0 && p.open[len(p.open)-1] == '}' }

// nextMember tells whether s begins like a further member or item, or a close.
func nextMember(s string, object bool) bool {
	if s == "" || s[0] == '}' || s[0] == ']' || strings.HasPrefix(s, "//") || strings.HasPrefix(s, "/*") || strings.HasPrefix(s, "...") {
		return true
	}
	if !object {
		return true
	}
	if quoteAt(s) != "" {
		return nameFollows(s, true)
	}
	i := 0
	for i < len(s) && (s[i] == '_' || s[i] == '-' || s[i] >= '0' && s[i] <= '9' || s[i]|0x20 >= 'a' && s[i]|0x20 <= 'z') {
		i++
	}
	behind := strings.TrimLeft(s[i:], " ")
	return i > 0 && behind != "" && (behind[0] == ':' || behind[0] == '=')
}

// nameFollows tells whether the quoted text at the start of s is a name: a
// colon comes behind it. Where the text ends before that can be told, the
// answer is atEnd.
func nameFollows(s string, atEnd bool) bool {
	shut := quoteAt(s)
	_, size := utf8.DecodeRuneInString(s)
	i := strings.Index(s[size:], shut)
	if i < 0 {
		return atEnd
	}
	behind := strings.TrimLeft(s[size+i+len(shut):], " \t\r\n")
	if behind == "" {
		return atEnd
	}
	return behind[0] == ':' || behind[0] == '='
}

func (p *parser) escape(b *strings.Builder, rest string) {
	if len(rest) < 2 {
		p.pos++
		return
	}
	simple := strings.IndexByte(`"\/bfnrt`, rest[1])
	switch {
	case simple >= 0:
		b.WriteByte("\"\\/\b\f\n\r\t"[simple])
		p.pos += 2
	case rest[1] == 'u' && len(rest) >= 6:
		p.unicode(b, rest)
	case rest[1] == '\'' || rest[1] == '`':
		p.deviate(Escape, "an escape that JSON does not know")
		b.WriteByte(rest[1])
		p.pos += 2
	default:
		p.deviate(Escape, "a backslash that escapes nothing")
		b.WriteByte('\\')
		p.pos++
	}
}

func (p *parser) unicode(b *strings.Builder, rest string) {
	code, err := strconv.ParseUint(rest[2:6], 16, 32)
	if err != nil {
		p.deviate(Escape, "an escape that JSON does not know")
		b.WriteByte('\\')
		p.pos++
		return
	}
	r, size := rune(code), 6
	if utf16.IsSurrogate(r) {
		whole := rune(utf8.RuneError)
		if len(rest) >= 12 && rest[6:8] == `\u` {
			if low, err := strconv.ParseUint(rest[8:12], 16, 32); err == nil {
				whole = utf16.DecodeRune(r, rune(low))
			}
		}
		if whole == utf8.RuneError {
			p.deviate(Escape, "half a surrogate pair became U+FFFD")
		} else {
			size = 12
		}
		r = whole
	}
	b.WriteRune(r)
	p.pos += size
}

var words = map[string]value.Value{
	"null": {}, "true": value.Boolean(true), "false": value.Boolean(false),
}

var foreignWords = map[string]value.Value{
	"None": {}, "Null": {}, "NULL": {}, "nil": {}, "undefined": {}, "NaN": {}, "nan": {}, "Infinity": {}, "-Infinity": {},
	"True": value.Boolean(true), "TRUE": value.Boolean(true), "False": value.Boolean(false), "FALSE": value.Boolean(false),
}

// bare reads a value without quotes: a number, a word, or text up to the next
// comma, bracket or line end.
func (p *parser) bare() (value.Value, bool) {
	start := p.pos
	for p.pos < len(p.src) && !p.endsBare(start) {
		p.pos++
	}
	text := strings.TrimSpace(p.src[start:p.pos])
	if p.pos >= len(p.src) && len(p.open) > 0 {
		p.cut = true
		p.deviateAt(start, Cut, "an incomplete value was dropped: "+shorten(text))
		return value.Value{}, false
	}
	if text == "" {
		return value.Value{}, false
	}
	if v, ok := words[text]; ok {
		return v, true
	}
	if v, ok := foreignWords[text]; ok {
		p.deviateAt(start, Word, text+" was read as "+v.String())
		return v, true
	}
	if v, err := value.Parse(text); err == nil && v.Kind == value.Number {
		return v, true
	}
	if literal, ok := looseNumber(text); ok {
		p.deviateAt(start, Number, text+" was read as "+literal)
		return value.Num(literal), true
	}
	p.deviateAt(start, Quotes, "a text without quotes")
	return value.Str(strings.TrimFunc(text, unicode.IsSpace)), true
}

// endsBare tells whether a value without quotes that began at start ends here:
// at a sign that parts values, but for the comma of a figure in an object, or
// before the name of the next member, where the comma is missing.
func (p *parser) endsBare(start int) bool {
	rest := p.src[p.pos:]
	switch c := rest[0]; {
	case c == ',':
		inFigure := p.inObject() && p.pos > start && isDigit(p.src[p.pos-1]) && len(rest) > 1 && isDigit(rest[1])
		return !inFigure
	case strings.IndexByte("}]\n{[", c) >= 0 || commentAt(rest):
		return true
	case (c == ' ' || c == '\t') && p.inObject() && p.pos > start:
		next := strings.TrimLeft(rest[:min(len(rest), longestName)], " \t")
		return quoteAt(next) != "" && nameFollows(next, false)
	}
	return false
}

// longestName bounds how far ahead the name of a next member is looked for, so
// that a long text without quotes is read in one go.
const longestName = 200

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func commentAt(s string) bool {
	return strings.HasPrefix(s, "//") || strings.HasPrefix(s, " #") || strings.HasPrefix(s, "/*")
}

// looseNumber reads +5, .5 and 5. as JSON would write them. What could mean
// something else, as 007, 1,5 or 0x1F could, stays text.
func looseNumber(text string) (string, bool) {
	literal := strings.TrimPrefix(text, "+")
	sign := ""
	if strings.HasPrefix(literal, "-") {
		sign, literal = "-", literal[1:]
	}
	if strings.HasPrefix(literal, ".") {
		literal = "0" + literal
	}
	literal = strings.TrimSuffix(literal, ".")
	v, err := value.Parse(sign + literal)
	if err != nil || v.Kind != value.Number {
		return "", false
	}
	return v.Text, true
}
