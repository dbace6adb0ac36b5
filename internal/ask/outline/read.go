package outline

import (
	"regexp"
	"strconv"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

var fieldLine = regexp.MustCompile(`^( *)- ([A-Za-z][A-Za-z0-9_]*) \((list of [a-z]+|[a-z]+)(, required)?\): ?(.*)$`)

// Read gives the fields of the first stretch of field lines in a text, as a
// group; one without fields where there is none.
func Read(text string) *schema.Field {
	root := &schema.Field{Type: schema.Group}
	stack := []*schema.Field{root}
	for _, l := range strings.Split(text, "\n") {
		m := fieldLine.FindStringSubmatch(l)
		if m == nil && len(root.Fields) > 0 {
			break
		}
		if m == nil {
			continue
		}
		level := len(m[1]) / 2
		if level >= len(stack) {
			level = len(stack) - 1
		}
		f := newField(m[2], m[3], m[5])
		f.Required = m[4] != ""
		stack = append(stack[:level+1], attach(stack[level], f))
	}
	return root
}

// attach puts a field below its parent and gives the group that its own
// fields go to.
func attach(parent, f *schema.Field) *schema.Field {
	f.Path = f.Name
	if parent.Path != "" {
		f.Path = parent.Path + "." + f.Name
	}
	parent.Fields = append(parent.Fields, f)
	if f.Type == schema.List {
		if f.Item == nil {
			f.Item = &schema.Field{Type: schema.Group}
		}
		f.Item.Path = f.Path + "[]"
		return f.Item
	}
	return f
}

var (
	toldApart = regexp.MustCompile(`Items are told apart by ([^.]*)\.`)
	pivotIs   = regexp.MustCompile(`Years of two digits are those from (\d{4})`)
	writtenAs = regexp.MustCompile(`write it as: (.*?)\.(?: [A-Z]|$)`)
	measureIs = regexp.MustCompile(`Its (?:currency|unit) is (\S+?)\.(?: [A-Z]|$)`)
	signsAre  = regexp.MustCompile(`write an? (\w+) before decimals(?: and an? (\w+) between thousands)?`)
	signOf    = map[string]string{"point": ".", "comma": ",", "space": " ", "apostrophe": "'"}
	quoted    = regexp.MustCompile(`^"(?:[^"\\]|\\.)*"`)
)

// newField gives the field that a line tells of.
func newField(name, kind, says string) *schema.Field {
	f := &schema.Field{Name: name, Type: schema.Type(kind), About: says}
	if item, ok := strings.CutPrefix(kind, "list of "); ok {
		f.Type = schema.List
		f.Item = newField("", item, says)
	}
	if m := toldApart.FindStringSubmatch(says); m != nil && f.Type == schema.List {
		f.Key = strings.Split(m[1], " and ")
	}
	f.Basis = strings.Contains(says, `{"value": …, "basis": …}`)
	if about, facts, ok := strings.Cut(says, "One of: \""); ok && f.Type == schema.Choice {
		f.Of, f.About = readOptions(`"`+facts), about
	}
	if m := measureIs.FindStringSubmatch(says); m != nil {
		f.Currency, f.Unit = m[1], m[1]
	}
	if m := signsAre.FindStringSubmatch(says); m != nil {
		f.Numbers = schema.NumberFormat{Decimal: signOf[m[1]], Group: signOf[m[2]]}
	}
	if _, facts, ok := strings.Cut(says, "Printed as: \""); ok {
		f.PrintedAs, _ = quotedTexts(`"` + facts)
	}
	if m := writtenAs.FindStringSubmatch(says); m != nil {
		for _, text := range strings.Split(m[1], "; ") {
			if format, err := schema.ParseDateFormat(text); err == nil {
				f.Written = append(f.Written, format)
			}
		}
	}
	if m := pivotIs.FindStringSubmatch(says); m != nil {
		f.Pivot, _ = strconv.Atoi(m[1])
		for i := range f.Written {
			f.Written[i].Pivot = f.Pivot
		}
	}
	return f
}

// readOptions reads the options of a choice, as far as they go.
func readOptions(text string) (options []schema.Option) {
	for {
		values, rest := quotedTexts(text)
		if len(values) != 1 {
			return options
		}
		o := schema.Option{Value: values[0]}
		if also, ok := strings.CutPrefix(rest, " (also written "); ok {
			o.Also, rest = quotedTexts(also)
			rest = strings.TrimPrefix(rest, ")")
		}
		if about, ok := strings.CutPrefix(rest, " = "); ok {
			end := len(about)
			if m := afterAbout.FindStringIndex(about); m != nil {
				end = m[0]
			}
			o.About, rest = about[:end], about[end:]
		}
		options = append(options, o)
		var more bool
		if text, more = strings.CutPrefix(rest, "; "); !more {
			return options
		}
	}
}

// afterAbout is what stands behind the meaning of an option: a further one, or
// a further fact.
var afterAbout = regexp.MustCompile(`; "|\.(?: [A-Z]|$)`)

// quotedTexts reads JSON strings with a comma and a blank between them, and
// gives what stands behind them.
func quotedTexts(text string) (all []string, rest string) {
	for {
		m := quoted.FindString(text)
		v, err := value.Parse(m)
		if m == "" || err != nil {
			return all, text
		}
		all, text = append(all, v.Text), text[len(m):]
		if !strings.HasPrefix(text, `, "`) {
			return all, text
		}
		text = text[2:]
	}
}
