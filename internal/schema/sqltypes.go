package schema

import (
	"filler/internal/base/lazy"
	"fmt"
	"slices"
	"strings"
)

// sqlTypes are the types that columns have, by the first word of theirs.
var sqlTypes = map[Type][]string{
	Integer:  {"int", "integer", "bigint", "smallint", "tinyint", "mediumint", "int2", "int4", "int8", "serial", "bigserial", "smallserial", "year"},
	Number:   {"numeric", "decimal", "dec", "number", "float", "real", "double", "float4", "float8", "money", "smallmoney"},
	Boolean:  {"bool", "boolean", "bit"},
	Date:     {"date"},
	Time:     {"time", "timetz"},
	DateTime: {"timestamp", "timestamptz", "datetime", "datetime2", "smalldatetime", "datetimeoffset"},
	Any:      {"json", "jsonb", "xml", "hstore", "bytea", "blob", "point", "geometry", "geography"},
	Text:     {"text", "char", "character", "varchar", "varchar2", "nchar", "nvarchar", "clob", "citext", "tinytext", "mediumtext", "longtext", "uuid", "string", "name", "enum"},
}

// typed gives a field the type of a column, and what its constraints say.
func (p *sqlReader) typed(f *Field, c *sqlColumn) {
	f.Type = Text
	if len(c.kind) > 0 && c.kind[0].kind == 'w' {
		word, known := strings.ToLower(c.kind[0].text), false
		for t, words := range sqlTypes {
			if slices.Contains(words, word) {
				f.Type, known = t, true
			}
		}
		if !known && !c.kind[0].is("not", "null", "check", "primary", "references", "default", "unique") {
			p.notes = append(p.notes, fmt.Sprintf("%s: the type %s is not known; it is a text", c.name, c.kind[0].text))
		}
		if f.Type == DateTime && word != "timestamptz" && word != "datetimeoffset" && !slices.ContainsFunc(c.kind, func(k sqlToken) bool { return k.is("with") }) {
			f.Zone = NoZone
		}
		if word == "enum" {
			f.Type = Choice
			f.Of = optionsIn(bracketedIn(c.kind[1:]))
		}
		if size := bracketedIn(c.kind[1:]); f.Type == Text && word != "uuid" && len(c.kind) > 1 && c.kind[1].sign("(") && len(size) == 1 && size[0].kind == 'n' {
			f.Max = size[0].text
		}
	}
	for i, k := range c.kind {
		if k.is("not") && i+1 < len(c.kind) && c.kind[i+1].is("null") && (i == 0 || !c.kind[i-1].is("is")) {
			f.Required = true
		}
	}
	f.Required = f.Required || c.key
	for _, check := range c.checks {
		p.checked(f, c, check)
	}
	if f.Type == Choice && len(f.Of) < 2 {
		f.Type, f.Of = Text, nil
	}
	if len(c.kind) > 1 && isArray(c.kind) {
		item := *f
		item.Path, item.Name, item.Required, item.About = f.Path+"[]", "", false, "One of them."
		*f = Field{Name: f.Name, Path: f.Path, Type: List, About: f.About, Required: f.Required, Item: &item}
		item.settle()
	}
}

// isArray tells `text[]` and `text ARRAY`.
func isArray(kind []sqlToken) bool {
	for i := 1; i < len(kind); i++ {
		if kind[i].is("array") || kind[i].sign("[") && i+1 < len(kind) && (kind[i+1].sign("]") || kind[i+1].kind == 'n') {
			return true
		}
		if kind[i].kind == 'w' && !kind[i].is("varying", "precision") {
			return false
		}
	}
	return false
}

// optionsIn gives the texts of a list as choices.
func optionsIn(part []sqlToken) (all []Option) {
	for _, t := range part {
		if t.kind == 't' && !slices.ContainsFunc(all, func(o Option) bool { return o.Value == t.text }) {
			all = append(all, Option{Value: t.text})
		}
	}
	return all
}

// counted tells a key that a database counts.
func (p *sqlReader) counted(c *sqlColumn) bool {
	for _, k := range c.kind {
		if k.is("serial", "bigserial", "smallserial", "identity", "auto_increment", "autoincrement", "generated", "gen_random_uuid", "uuid_generate_v4", "nextval") {
			return true
		}
	}
	return false
}

var boundName = lazy.New(`(?i)^(length|char_length|character_length|len)$`)

// checked takes over a condition on one column: one of some values, or bounds.
func (p *sqlReader) checked(f *Field, c *sqlColumn, check []sqlToken) {
	taken := false
	for i, t := range check {
		switch {
		case t.is("in") && f.Type == Text:
			if of := optionsIn(bracketedIn(check[i+1:])); len(of) > 1 && (i == 0 || !check[i-1].is("not")) {
				f.Type, f.Of, f.Max, taken = Choice, of, "", true
			}
		case t.is("any") && f.Type == Text: // = ANY (ARRAY['a', 'b']), as dumps write it
			if of := optionsIn(check[i+1:]); len(of) > 1 {
				f.Type, f.Of, f.Max, taken = Choice, of, "", true
			}
		case t.is("between") && i+3 < len(check) && check[i+1].kind == 'n' && check[i+3].kind == 'n':
			f.Min, f.Max, taken = check[i+1].text, check[i+3].text, true
		case (t.sign(">=") || t.sign("<=") || t.sign(">") || t.sign("<")) && i+1 < len(check) && check[i+1].kind == 'n' && i > 0:
			taken = p.bounded(f, c, t.text, check[i+1].text, boundName.MatchString(check[0].text))
		}
	}
	if !taken {
		p.notes = append(p.notes, fmt.Sprintf("%s: a condition that is not taken over; write it as a rule or a pattern", c.name))
	}
}

// bounded takes over a bound; one that leaves the bound itself out only of whole numbers.
func (p *sqlReader) bounded(f *Field, c *sqlColumn, sign, bound string, length bool) bool {
	if f.Type == Text != length || f.Type != Text && f.Type != Integer && f.Type != Number {
		return false
	}
	if len(sign) == 1 && f.Type != Integer {
		p.notes = append(p.notes, fmt.Sprintf("%s: the bound %s %s is taken with the bound itself", c.name, sign, bound))
	}
	n := bound
	if len(sign) == 1 && f.Type == Integer {
		var whole int
		if _, err := fmt.Sscan(bound, &whole); err == nil {
			n = fmt.Sprint(map[string]int{">": whole + 1, "<": whole - 1}[sign])
		}
	}
	if sign[0] == '>' {
		f.Min = n
	} else {
		f.Max = n
	}
	return true
}
