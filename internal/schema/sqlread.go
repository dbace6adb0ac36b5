package schema

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/lazy"
	"filler/internal/base/place"
)

// sqlToken is a word, a text, a number or a sign of a script.
type sqlToken struct {
	kind   byte // w: word, q: name in marks, t: text, n: number, s: sign, c: comment behind a line
	text   string
	line   int
	column int
}

func (t sqlToken) is(words ...string) bool {
	return t.kind == 'w' && slices.ContainsFunc(words, func(w string) bool { return strings.EqualFold(w, t.text) })
}

func (t sqlToken) sign(s string) bool { return t.kind == 's' && t.text == s }

// sqlReader reads a script.
type sqlReader struct {
	file   string
	tokens []sqlToken
	at     int
	tables []*sqlTable
	notes  []string
	faults place.Faults
}

func (p *sqlReader) fault(line int, msg, hint string) {
	p.faults = append(p.faults, place.Fault{File: p.file, Line: line, Col: 1, Msg: msg, Hint: hint})
}

// tokenize takes a script apart. Comments behind a column stay: they say what it is.
func (p *sqlReader) tokenize(text string) {
	line, start := 1, 0
	add := func(kind byte, t string, at int) {
		p.tokens = append(p.tokens, sqlToken{kind, t, line, at - start + 1})
	}
	for i := 0; i < len(text); {
		c := text[i]
		switch {
		case c == '\n':
			line, i = line+1, i+1
			start = i
		case c == ' ' || c == '\t' || c == '\r':
			i++
		case strings.HasPrefix(text[i:], "--"):
			end := len(text)
			if n := strings.IndexByte(text[i:], '\n'); n >= 0 {
				end = i + n
			}
			add('c', strings.TrimSpace(text[i+2:end]), i)
			i = end
		case strings.HasPrefix(text[i:], "/*"):
			end := strings.Index(text[i:], "*/")
			if end < 0 {
				p.fault(line, "a comment begins here and has no end", "end it with */")
				return
			}
			line += strings.Count(text[i:i+end], "\n")
			i += end + 2
		case c == '\'' || c == '"' || c == '`' || c == '[' && nameInBrackets.MatchString(text[i:]):
			shut := c
			if c == '[' {
				shut = ']'
			}
			var b strings.Builder
			from, at := line, i
			for i++; ; i++ {
				if i >= len(text) {
					p.fault(from, "a text begins here and has no end", fmt.Sprintf("end it with %c", shut))
					return
				}
				if text[i] == '\n' {
					line++
				}
				if text[i] == shut {
					if i+1 < len(text) && text[i+1] == shut && shut != ']' {
						b.WriteByte(shut)
						i++
						continue
					}
					break
				}
				b.WriteByte(text[i])
			}
			i++
			p.tokens = append(p.tokens, sqlToken{map[bool]byte{true: 't', false: 'q'}[c == '\''], b.String(), from, at - start + 1})
		case c >= '0' && c <= '9' || c == '-' && i+1 < len(text) && text[i+1] >= '0' && text[i+1] <= '9':
			end := i + 1
			for end < len(text) && (text[end] >= '0' && text[end] <= '9' || text[end] == '.') {
				end++
			}
			add('n', text[i:end], i)
			i = end
		case isWord(rune(c)) || c >= 0x80:
			end := i
			for end < len(text) && (isWord(rune(text[end])) || text[end] >= 0x80) {
				end++
			}
			add('w', text[i:end], i)
			i = end
		default:
			n := 1
			if two := text[i:min(len(text), i+2)]; slices.Contains([]string{">=", "<=", "<>", "!=", "::"}, two) {
				n = 2
			}
			add('s', text[i:i+n], i)
			i += n
		}
	}
}

// nameInBrackets tells [a name] from the brackets of an array.
var nameInBrackets = lazy.New(`^\[[A-Za-z_][^\]\n]*\]`)

func isWord(r rune) bool { return r == '_' || r == '$' || unicode.IsLetter(r) || unicode.IsDigit(r) }

func (p *sqlReader) next() sqlToken {
	if p.at >= len(p.tokens) {
		return sqlToken{}
	}
	t := p.tokens[p.at]
	p.at++
	return t
}

func (p *sqlReader) peek() sqlToken {
	for at := p.at; at < len(p.tokens); at++ {
		if p.tokens[at].kind != 'c' {
			return p.tokens[at]
		}
	}
	return sqlToken{}
}

// word takes the next token where it is one of some words.
func (p *sqlReader) word(words ...string) bool {
	if !p.peek().is(words...) {
		return false
	}
	for p.next().kind == 'c' {
	}
	return true
}

// read finds the statements that make tables, and those that describe them. Others are passed
// over.
func (p *sqlReader) read(text string) {
	if p.tokenize(text); len(p.faults) > 0 {
		return
	}
	for p.at < len(p.tokens) && len(p.faults) == 0 {
		switch {
		case p.word("create"):
			for p.word("temp", "temporary", "unlogged", "global", "local", "or", "replace") {
			}
			if p.word("table") {
				p.createTable()
			}
		case p.word("comment"):
			p.comment()
		default:
			p.next()
		}
	}
}

// name reads a name with what stands before it (`public.bays`), and gives its last part.
func (p *sqlReader) name() (name string) {
	for {
		t := p.peek()
		if t.kind != 'w' && t.kind != 'q' {
			return name
		}
		for p.next().kind == 'c' {
		}
		name = t.text
		if !p.peek().sign(".") {
			return name
		}
		for p.next().kind == 'c' {
		}
	}
}

// comment reads COMMENT ON TABLE … IS '…' and COMMENT ON COLUMN … IS '…'.
func (p *sqlReader) comment() {
	if !p.word("on") {
		return
	}
	column := p.peek().is("column")
	if !p.word("table", "column") {
		return
	}
	var parts []string
	for t := p.next(); t.kind != 0 && !t.is("is"); t = p.next() {
		if t.kind == 'w' || t.kind == 'q' {
			parts = append(parts, t.text)
		}
	}
	text := p.next()
	if text.kind != 't' || len(parts) == 0 {
		return
	}
	if !column {
		if t := p.table(parts[len(parts)-1]); t != nil {
			t.about = text.text
		}
		return
	}
	if len(parts) < 2 {
		return
	}
	if t := p.table(parts[len(parts)-2]); t != nil {
		if c := t.column(parts[len(parts)-1]); c != nil {
			c.about = text.text
		}
	}
}

// createTable reads what stands behind CREATE TABLE.
func (p *sqlReader) createTable() {
	if p.word("if") {
		p.word("not")
		p.word("exists")
	}
	at := p.peek()
	t := &sqlTable{name: p.name(), line: at.line}
	if t.name == "" || !p.peek().sign("(") {
		p.fault(max(at.line, 1), "CREATE TABLE without a name and columns", "write CREATE TABLE name (column type, …)")
		return
	}
	if p.table(t.name) != nil {
		p.fault(at.line, fmt.Sprintf("the table %q is made twice", t.name), "keep one")
		return
	}
	for p.next(); !p.tokens[p.at-1].sign("("); p.next() {
	}
	var about []string // comments that stand before a column
	for {
		part, said, more := p.part()
		if len(part) > 0 {
			p.columnOf(t, part, strings.Join(append(about, said...), " "))
			about = nil
		} else {
			about = append(about, said...)
		}
		if !more {
			break
		}
	}
	if p.word("comment") { // of the table, as MySQL has it
		if p.peek().sign("=") {
			p.next()
		}
		if text := p.peek(); text.kind == 't' {
			t.about = text.text
		}
	}
	p.tables = append(p.tables, t)
}

// part reads up to the next comma of a table, or to its end, with the comments on its lines.
func (p *sqlReader) part() (part []sqlToken, said []string, more bool) {
	depth := 0
	for {
		t := p.next()
		switch {
		case t.kind == 0:
			line := 1
			if len(p.tokens) > 0 {
				line = p.tokens[len(p.tokens)-1].line
			}
			p.fault(line, "the table has no end", "close it with )")
			return nil, nil, false
		case t.kind == 'c':
			said = append(said, t.text)
			continue
		case t.sign("("):
			depth++
		case t.sign(")"):
			if depth--; depth < 0 {
				return part, append(said, p.behind(t)...), false
			}
		case t.sign(",") && depth == 0:
			return part, append(said, p.behind(t)...), true
		}
		part = append(part, t)
	}
}

// behind gives the comment that stands on the same line behind a comma.
func (p *sqlReader) behind(t sqlToken) []string {
	if p.at < len(p.tokens) && p.tokens[p.at].kind == 'c' && p.tokens[p.at].line == t.line {
		return []string{p.next().text}
	}
	return nil
}

// columnOf reads a column, or what is said of several.
func (p *sqlReader) columnOf(t *sqlTable, part []sqlToken, said string) {
	if part[0].is("constraint") && len(part) > 2 {
		part = part[2:]
	}
	switch first := part[0]; {
	case first.is("primary"):
		t.keys = namesIn(part)
		for _, k := range t.keys {
			if c := t.column(k); c != nil {
				c.key = true
			}
		}
	case first.is("foreign"):
		from, to := splitAt(part, "references")
		names, target := namesIn(from), refersIn(to)
		if len(names) != 1 || target[0] == "" {
			p.notes = append(p.notes, fmt.Sprintf("%s: a foreign key of several columns, which are values of their own", t.name))
			return
		}
		if c := t.column(names[0]); c != nil {
			c.to = target
		}
	case first.is("check"):
		p.tableCheck(t, part)
	case first.is("unique", "key", "index", "exclude", "like", "period", "fulltext", "spatial"):
	case first.kind == 'w' || first.kind == 'q':
		p.column(t, part, said)
	default:
		p.fault(first.line, fmt.Sprintf("%q is no column", first.text), "write a name and its type")
	}
}

// namesIn gives the names between the first brackets.
func namesIn(part []sqlToken) (all []string) {
	in := false
	for _, t := range part {
		switch {
		case t.sign("("):
			in = true
		case t.sign(")"):
			return all
		case in && (t.kind == 'w' || t.kind == 'q'):
			all = append(all, t.text)
		}
	}
	return all
}

// splitAt splits tokens at a word.
func splitAt(part []sqlToken, word string) (before, behind []sqlToken) {
	for i, t := range part {
		if t.is(word) {
			return part[:i], part[i+1:]
		}
	}
	return part, nil
}

// refersIn gives the table and column behind REFERENCES.
func refersIn(part []sqlToken) (to [2]string) {
	for i, t := range part {
		if t.sign("(") {
			if names := namesIn(part[i:]); len(names) == 1 {
				to[1] = names[0]
			}
			return to
		}
		if t.kind != 'w' && t.kind != 'q' && !t.sign(".") || t.is("on", "deferrable", "not", "match") {
			return to
		}
		if t.kind != 's' {
			to[0] = t.text
		}
	}
	return to
}

// column reads one column with its constraints.
func (p *sqlReader) column(t *sqlTable, part []sqlToken, said string) {
	c := &sqlColumn{name: part[0].text, about: said, kind: part[1:], line: part[0].line}
	if t.column(c.name) != nil {
		p.fault(c.line, fmt.Sprintf("the column %q of %s is here twice", c.name, t.name), "keep one")
		return
	}
	for i, k := range c.kind {
		switch {
		case k.is("primary"):
			c.key = true
			t.keys = append(t.keys, c.name)
		case k.is("references"):
			c.to = refersIn(c.kind[i+1:])
		case k.is("comment") && i+1 < len(c.kind) && c.kind[i+1].kind == 't':
			c.about = c.kind[i+1].text
		case k.is("check"):
			c.checks = append(c.checks, bracketedIn(c.kind[i+1:]))
		}
	}
	t.columns = append(t.columns, c)
}

// bracketedIn gives what stands between the first brackets.
func bracketedIn(part []sqlToken) []sqlToken {
	depth := 0
	for i, t := range part {
		if t.sign("(") {
			depth++
		}
		if t.sign(")") {
			if depth--; depth == 0 {
				return part[1:i]
			}
		}
	}
	return nil
}

// tableCheck gives a condition of a table to the one column that it speaks of.
func (p *sqlReader) tableCheck(t *sqlTable, part []sqlToken) {
	in := bracketedIn(part[1:])
	var of *sqlColumn
	for _, k := range in {
		if k.kind != 'w' && k.kind != 'q' {
			continue
		}
		if c := t.column(k.text); c != nil && c != of {
			if of != nil {
				p.notes = append(p.notes, fmt.Sprintf("%s: a condition on several columns, which is not taken over; write it as a rule", t.name))
				return
			}
			of = c
		}
	}
	if of != nil {
		of.checks = append(of.checks, in)
	}
}
