package answer

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/value"
)

// maxDeviations bounds how many deviations of one value are listed; a reply with more is
// no JSON that went a little wrong.
const maxDeviations = 2000

// lenient reads the value that starts at start. With an error, only the end
// of what was looked at is good.
func lenient(text string, start int) (*found, error) {
	p := &parser{src: text, pos: start}
	v, ok := p.value(0)
	f := &found{v: v, start: start, end: max(p.pos, start+1), deviations: p.deviations, cut: p.cut, lastBracket: p.lastBracket}
	switch {
	case p.deep:
		return f, ErrDeep
	case !ok || p.lost:
		return f, ErrNoRecord
	}
	v.Walk(func(_ value.Pointer, v *value.Value) bool {
		if v.Kind != value.Array && v.Kind != value.Object {
			f.weight++
		}
		return true
	})
	return f, nil
}

type parser struct {
	src        string
	pos        int
	deviations []Deviation
	open       []byte // the closing brackets that are still to come
	cut        bool   // the text ended inside the value
	// The text ended where nothing but the last bracket is missing: behind a member
	// of the outermost object that has its own end.
	lastBracket bool
	deep        bool // too deep to be read
	lost        bool // this is no JSON, however leniently read
}

func (p *parser) deviate(kind, note string) { p.deviateAt(p.pos, kind, note) }

func (p *parser) deviateAt(at int, kind, note string) {
	p.deviations = append(p.deviations, Deviation{kind, at, note})
	if len(p.deviations) > maxDeviations {
		p.lost = true
	}
}

func (p *parser) end() bool { return p.pos >= len(p.src) || p.lost }

func (p *parser) peek() byte {
	if p.pos >= len(p.src) {
		return 0
	}
	return p.src[p.pos]
}

// space skips white space, comments and dots that stand for more items.
func (p *parser) space() {
	for !p.end() {
		rest := p.src[p.pos:]
		r, size := utf8.DecodeRuneInString(rest)
		switch {
		case unicode.IsSpace(r) || r == '\ufeff':
			p.pos += size
		case strings.HasPrefix(rest, "//") || strings.HasPrefix(rest, "#"):
			p.deviate(Comment, "a comment")
			p.skipTo("\n")
		case strings.HasPrefix(rest, "/*"):
			p.deviate(Comment, "a comment")
			p.skipTo("*/")
		case strings.HasPrefix(rest, "..."):
			p.deviate(Ellipsis, "three dots in place of items")
			p.pos += 3
		case r == '…':
			p.deviate(Ellipsis, "three dots in place of items")
			p.pos += size
		default:
			return
		}
	}
}

func (p *parser) skipTo(mark string) {
	i := strings.Index(p.src[p.pos:], mark)
	if i < 0 {
		p.pos = len(p.src)
		return
	}
	p.pos += i + len(mark)
}

// value reads one value; false where nothing of it can be kept.
func (p *parser) value(depth int) (value.Value, bool) {
	if depth > value.MaxDepth {
		p.lost, p.deep = true, true
		return value.Value{}, false
	}
	p.space()
	if p.end() {
		p.cut = true
		return value.Value{}, false
	}
	switch c := p.peek(); {
	case c == '{':
		return p.container(value.Object, '}', depth)
	case c == '[':
		return p.container(value.Array, ']', depth)
	case quoteAt(p.src[p.pos:]) != "":
		s, ok := p.str(false)
		return value.Str(s), ok
	}
	return p.bare()
}

// hasEnd tells whether the value that was read last shows where it ends: a number
// may go on.
func (p *parser) hasEnd() bool {
	said := strings.TrimRight(p.src[:p.pos], " \t\r\n")
	return said != "" && !unicode.IsDigit(rune(said[len(said)-1]))
}

// container reads an object or array. It ends at its own bracket, at the end
// of the text, or where a bracket comes that an outer container waits for.
func (p *parser) container(kind value.Kind, shut byte, depth int) (value.Value, bool) {
	v := value.Value{Kind: kind}
	p.pos++
	p.open = append(p.open, shut)
	defer func() { p.open = p.open[:len(p.open)-1] }()
	for comma := true; ; {
		p.space()
		switch c := p.peek(); {
		case p.end():
			p.lastBracket = !p.cut && len(p.open) == 1 && !comma && p.hasEnd()
			p.cut = true
			p.deviate(Close, "the text ends before "+string(shut))
			return v, true
		case c == shut:
			if comma && len(v.Kids) > 0 {
				p.deviate(Comma, "a comma before "+string(shut))
			}
			p.pos++
			return v, true
		case c == ',':
			if comma {
				p.deviate(Comma, "a comma too many")
			}
			comma = true
			p.pos++
			continue
		case c == '}' || c == ']':
			if p.awaited(c) {
				p.deviate(Close, string(shut)+" is missing")
				return v, true
			}
			p.deviate(Bracket, string(c)+" in place of "+string(shut))
			p.pos++
			return v, true
		case strings.HasPrefix(p.src[p.pos:], "```"):
			p.lastBracket = !p.cut && len(p.open) == 1 && !comma && p.hasEnd()
			p.cut = true
			p.deviate(Close, "the block ends before "+string(shut))
			return v, true
		}
		if kind == value.Array && p.awaited('}') && quoteAt(p.src[p.pos:]) != "" && nameFollows(p.src[p.pos:], false) {
			p.deviate(Close, string(shut)+" is missing") // a member of the object around the list
			return v, true
		}
		if !comma {
			p.deviate(Comma, "a comma is missing")
		}
		comma = false
		before := p.pos
		kid, ok := p.member(kind, depth)
		if ok {
			v.Kids = append(v.Kids, kid)
		}
		if p.pos == before {
			p.deviate(Chatter, "a stray character")
			_, size := utf8.DecodeRuneInString(p.src[p.pos:])
			p.pos += size
		}
	}
}

// awaited tells whether an outer container waits for bracket c.
func (p *parser) awaited(c byte) bool {
	for _, o := range p.open[:len(p.open)-1] {
		if o == c {
			return true
		}
	}
	return false
}

func (p *parser) member(kind value.Kind, depth int) (value.Value, bool) {
	if kind == value.Array {
		return p.value(depth + 1)
	}
	name, ok := p.name()
	if !ok {
		return value.Value{}, false
	}
	p.space()
	if !p.colon() {
		return value.Value{}, false
	}
	p.space()
	if c := p.peek(); c == ',' || c == '}' {
		p.deviate(Word, "no value here; taken as null")
		return value.Value{Name: name}, true
	}
	v, ok := p.value(depth + 1)
	v.Name = name
	return v, ok
}

func (p *parser) colon() bool {
	rest := p.src[p.pos:]
	switch {
	case rest == "":
		p.cut = true
		p.deviate(Cut, "a name without its value was dropped")
		return false
	case rest[0] == ':':
		p.pos++
	case strings.HasPrefix(rest, "=>"):
		p.deviate(Colon, "=> in place of a colon")
		p.pos += 2
	case rest[0] == '=':
		p.deviate(Colon, "= in place of a colon")
		p.pos++
	case rest[0] == ',' || rest[0] == '}':
		p.deviate(Colon, "a name without a value was dropped")
		return false
	default:
		p.deviate(Colon, "a colon is missing")
	}
	return true
}

// name reads a member's name, quoted or not.
func (p *parser) name() (string, bool) {
	if quoteAt(p.src[p.pos:]) != "" {
		return p.str(true)
	}
	start := p.pos
	for !p.end() {
		r, size := utf8.DecodeRuneInString(p.src[p.pos:])
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) && !strings.ContainsRune("_-$.", r) {
			break
		}
		p.pos += size
	}
	if p.pos == start {
		return "", false
	}
	if p.end() {
		p.cut = true
		p.deviateAt(start, Cut, "an incomplete name was dropped")
		return "", false
	}
	p.deviateAt(start, Quotes, "a name without quotes")
	return p.src[start:p.pos], true
}
