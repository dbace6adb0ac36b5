package schema

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"github.com/expr-lang/expr/file"

	"filler/internal/base/lazy"
)

// ruleSlip is a way in which rules are often written that is not ours: how it is seen, and how
// it is written here, with $1 and so on of what was seen.
type ruleSlip struct {
	seen  *lazy.Regexp
	write string
}

// ruleSlips are looked for in this order, and the first is told.
var ruleSlips = []ruleSlip{
	{lazy.New(`(?i)\b(\w+(?:\.\w+)*) (?:is not null|is not none|!= ?(?:null|none))\b`), "whether a field has a value is `stated($1)`"},
	{lazy.New(`(?i)\b(\w+(?:\.\w+)*) (?:is null|is none|== ?(?:null|none))\b`), "whether a field has no value is `not stated($1)`"},
	{lazy.New(`(?i)\b(?:exists|defined|present|has|is_?set|filled)\( ?(\w+(?:\.\w+)*) ?\)`), "whether a field has a value is `stated($1)`"},
	{lazy.New(`(?i)\bif\b(.+?)\bthen\b(.+)`), "write `not ($1) or $2`"},
	{lazy.New(`(?i)(.+?) (?:implies|=>|->) (.+)`), "write `not ($1) or $2`"},
	{lazy.New(`(?i)\b(\w+(?:\.\w+)*) between (\S+) and (\S+)`), "write `$1 >= $2 and $1 <= $3`"},
	{lazy.New(`(\S+) ?<> ?(\S+)`), "write `$1 != $2`"},
	{lazy.New(`(\S+) ?[=!]~`), "write `$1 matches \"pattern\"`"},
	{lazy.New(`\b(AND|OR|NOT|IN)\b`), "and, or, not and in are written in small letters"},
	{lazy.New(`\b(?:every|each|forall)\(`), "write `all(list, .field > 0)`"},
	{lazy.New(`\b(SUM|COUNT|MIN|MAX|LEN|ABS|ROUND|ALL|ANY|NONE)\(`), "names of functions are written in small letters"},
	{lazy.New(`\b(?:avg|mean|average)\( ?(\w+)`), "write `sum($1, .field) / len($1)`"},
	{lazy.New(`\b(?:length|size)\( ?(\w+)`), "write `len($1)`"},
	{lazy.New(`(?i)\b(?:today|now)\b`), "a rule speaks of the record alone, and knows no day of its own; write the day: `visited < \"2031-12-31\"`"},
	{lazy.New(`[=!<>]=? ?(?:yes|Yes|True|no|No|False)\b`), "a boolean is `true` or `false`, or stands alone: `rented`, `not rented`"},
	{lazy.New(`(?:^|[^=<>!~])=(?:[^=~>]|$)`), "write == for equal"},
}

// ruleRewrites turn what is often written elsewhere into what is written here, part by part.
var ruleRewrites = []ruleSlip{
	{lazy.New(`<>|≠`), "!="},
	{lazy.New(`(?i)\b(\w+(?:\.\w+)*) (?:is not null|is not none|!= ?(?:null|none))\b`), "stated($1)"},
	{lazy.New(`(?i)\b(\w+(?:\.\w+)*) (?:is null|is none|== ?(?:null|none))\b`), "not stated($1)"},
	{lazy.New(`(?i)^if\b(.+?)\bthen\b(.+)$`), "not ($1) or $2"},
	{lazy.New(`(?i)^(.+?) (?:implies|=>|->) (.+)$`), "not ($1) or $2"},
	{lazy.New(`(?i)\b(\w+(?:\.\w+)*) between (\S+) and (\S+)`), "$1 >= $2 and $1 <= $3"},
	{lazy.New(`≤`), "<="},
	{lazy.New(`≥`), ">="},
	{lazy.New(`([^=<>!~])=([^=~>])`), "$1==$2"},
	{lazy.New(`\b(?:length|size)\( ?(\w+) ?\)`), "len($1)"},
	{lazy.New(`([=!]=) ?(?:yes|Yes|True)\b`), "$1 true"},
	{lazy.New(`([=!]=) ?(?:no|No|False)\b`), "$1 false"},
}

// smallLetters are words of rules that are often written in capitals.
var smallLetters = lazy.New(`\b(?:AND|OR|NOT|IN)\b|\b(?i:sum|count|min|max|len|abs|round|all|any|none)\(`)

// quoted is a text in a rule.
var quoted = lazy.New(`"[^"]*"|'[^']*'`)

// rewritten gives a rule as it may be meant, with all that is written otherwise elsewhere changed; ""
// where that can't be read either.
func rewritten(holds string, scope *Field, reads func(string) bool) string {
	var quotes []string // what they say stays as it is
	text := quoted.Get().ReplaceAllStringFunc(holds, func(said string) string {
		quotes = append(quotes, said)
		return "§"
	})
	text = smallLetters.Get().ReplaceAllStringFunc(text, strings.ToLower)
	for _, r := range ruleRewrites {
		text = r.seen.Get().ReplaceAllString(text, r.write)
	}
	text = overLists(text, scope, "")
	text = strings.Join(strings.Fields(text), " ")
	for _, said := range quotes {
		text = strings.Replace(text, "§", said, 1)
	}
	if text == holds || !reads(text) {
		return ""
	}
	return text
}

// overLists has functions name the fields of items as they do here: sum(lines[].price) is
// sum(lines, .price).
func overLists(text string, scope *Field, before string) string {
	for _, f := range scope.Fields {
		name := before + f.Name
		switch {
		case f.Type == Group:
			text = overLists(text, f, name+".")
		case f.Type == List && f.Item.Type == Group:
			of := regexp.MustCompile(`\b(\w+)\( ?` + regexp.QuoteMeta(name) + `(?:\[\*?\])?\.(\w+) ?\)`)
			text = of.ReplaceAllStringFunc(text, func(part string) string {
				m := of.FindStringSubmatch(part)
				if f.Item.Child(m[2]) == nil {
					return part
				}
				return strings.Trim(overItems(m[1], name, m[2]), "`")
			})
		}
	}
	return text
}

// ruleHint says how a rule that can't be read may be meant: in what is written otherwise
// elsewhere, or in a field of a list's items. reads tells whether a rule can be read.
func ruleHint(holds string, scope *Field, err error, reads func(string) bool) string {
	if meant := rewritten(holds, scope, reads); meant != "" {
		return "write `" + meant + "`"
	}
	if hint := listHint(holds, scope, ""); hint != "" {
		return hint
	}
	for _, slip := range ruleSlips {
		if m := slip.seen.FindStringSubmatchIndex(holds); m != nil {
			return string(slip.seen.Get().ExpandString(nil, slip.write, holds, m))
		}
	}
	message := err.Error()
	switch {
	case figureWithUnit.MatchString(logicWords.ReplaceAllString(holds, "&")):
		return "write the figure alone: money and quantities count by their amounts, in the unit of their field"
	case strings.Contains(message, noCondition):
		return "a rule is a condition, such as `" + scope.Fields[0].Name + " > 0`; whether a field has a value is `stated(" + scope.Fields[0].Name + ")`"
	case strings.Contains(message, "types text and text)"):
		return "between days there are `days(a, b)`, between times `minutes(a, b)`"
	case strings.Contains(message, "types text and number)"), strings.Contains(message, "types number and text)"):
		return "only a text stands in quotes; between days there are `days(a, b)`, between times `minutes(a, b)`"
	}
	if m := unknownName.FindStringSubmatch(message); m != nil && quotable.MatchString(holds) {
		return "a text stands in quotes: \"" + m[1] + "\""
	}
	return ""
}

var (
	figureWithUnit = lazy.New(`[=!<>]=? ?-?\d+(?:\.\d+)? ?[\p{L}°€$£]`)
	logicWords     = lazy.New(`\b(?:and|or|not|in)\b`)
	unknownName    = lazy.New(`unknown name (\w+)`)
	quotable       = lazy.New(`(?:==|!=|\bin|contains|matches|startsWith|endsWith) ?[\[(]?\w`)
)

// overItems gives how a function speaks of a field of a list's items.
func overItems(do, list, field string) string {
	items := "(" + list + ", ." + field + ")"
	switch do = strings.ToLower(do); do {
	case "min", "max":
		return "`" + do + "(map" + items + ")`"
	case "all", "any", "none", "one", "count":
		return "`" + do + "(" + list + ", ." + field + " > 0)`"
	case "map", "filter":
		return "`" + do + items + "`"
	}
	return "`sum" + items + "`"
}

// counting are the names by which the length of a list is asked for.
var counting = map[string]bool{"count": true, "length": true, "size": true, "len": true}

// listHint says how the field of a list's items is named, where a rule names it as that of a
// group: lines.price, lines[].price or, within a function, price.
func listHint(holds string, scope *Field, before string) string {
	for _, f := range scope.Fields {
		name := before + f.Name
		switch {
		case f.Type == Group:
			if hint := listHint(holds, f, name+"."); hint != "" {
				return hint
			}
		case f.Type == List && f.Item.Type == Group:
			q := regexp.QuoteMeta(name)
			if m := regexp.MustCompile(`(?:\b(\w+)\( ?)?\b` + q + `(?:\[\*?\])?\.(\w+)`).FindStringSubmatch(holds); m != nil {
				if f.Item.Child(m[2]) == nil && counting[m[2]] {
					return "how many items there are is `len(" + name + ")`"
				}
				return name + " is a list: a field of its items is named within a function, as in " + overItems(m[1], name, m[2])
			}
			if m := regexp.MustCompile(`\b(\w+)\( ?` + q + `, ?(?:\w+ ?[=-]> ?)?(?:\w+\.)?(\w+)`).FindStringSubmatch(holds); m != nil && f.Item.Child(m[2]) != nil {
				return "a field of an item has a point before it: " + overItems(m[1], name, m[2])
			}
			if m := regexp.MustCompile(`\b(\w+)\( ?\w+\.(\w+) for \w+ in ` + q).FindStringSubmatch(holds); m != nil {
				return "write " + overItems(m[1], name, m[2])
			}
		}
	}
	return ""
}

// plainError gives the library's message without its drawing of the place, and in our words.
func plainError(err error) error {
	var fe *file.Error
	says, at := err.Error(), ""
	if errors.As(err, &fe) {
		says, at = fe.Message, fmt.Sprintf(" (at character %d)", fe.Column+1)
	}
	for _, w := range rulePlain {
		says = w.seen.Get().ReplaceAllString(says, w.write)
	}
	return errors.New(says + at)
}

const noCondition = "it is no condition"

// rulePlain are the library's words, with ours.
var rulePlain = []ruleSlip{
	{lazy.New(`^unexpected token EOF$`), "it ends too early"},
	{lazy.New(`^unexpected token \w+\((".*")\)`), "$1 is not expected"},
	{lazy.New(`^expected bool, but got (?s:.*)`), noCondition},
	{lazy.New(`^array elements can only be selected using an integer .*`), "a list has no fields, its items have"},
	{lazy.New(`\b(?:float64|int)\b`), "number"},
	{lazy.New(`\bstring\b`), "text"},
	{lazy.New(`\bbool\b`), "boolean"},
	{lazy.New(`\bmap\[.*?\]interface \{\}`), "group"},
	{lazy.New(`\[\](?:\w+|interface) ?(?:\{\})?`), "list"},
}
