package outline

import (
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

var fieldLine = lazy.New(`^( *)- ([A-Za-z][A-Za-z0-9_]*)(?: \((list of [a-z]+|[a-z]+)\))?: ?(.*)$`)

// Read gives the fields of a text as a group: of the stretch of field lines below
// the heading of fields, or of the longest stretch where there is no such heading;
// a group without fields where there is none. Types that the lines do not say are
// those of the JSON Schema that goes along, if one does.
func Read(text string, wire *value.Value) *schema.Field {
	types := &schema.Field{}
	if wire != nil {
		types = FromWire(wire)
	}
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		if l == Fields || l == InLines || l == OneField {
			return readFields(stretch(lines[i+1:]), types)
		}
	}
	var longest [][]string
	for i := 0; i < len(lines); i++ {
		found := stretch(lines[i:])
		if len(found) > len(longest) {
			longest = found
		}
		i += len(found)
	}
	return readFields(longest, types)
}

// stretch gives the field lines that a text begins with, taken apart. The line on
// ids may stand before them.
func stretch(lines []string) (all [][]string) {
	if len(lines) > 0 && lines[0] == ByIDs {
		lines = lines[1:]
	}
	for _, l := range lines {
		m := fieldLine.FindStringSubmatch(l)
		if m == nil {
			break
		}
		all = append(all, m)
	}
	return all
}

func readFields(lines [][]string, types *schema.Field) *schema.Field {
	root := &schema.Field{Type: schema.Group}
	stack, held := []*schema.Field{root}, []*schema.Field{types}
	for i, m := range lines {
		level := len(m[1]) / 2
		if level >= len(stack) {
			level = len(stack) - 1
		}
		kind := m[3]
		of := kid(held[level], m[2])
		as := fieldsAs.FindStringSubmatch(m[4])
		switch {
		case kind != "":
		case of != nil && wireKind(of) != string(schema.Text):
			kind = wireKind(of)
		case as != nil || i+1 < len(lines) && len(lines[i+1][1])/2 > level:
			kind = string(schema.Group)
		case strings.Contains(m[4], oneOf):
			kind = string(schema.Choice)
		default:
			kind = string(schema.Text)
		}
		below := attach(stack[level], newField(m[2], kind, m[4]))
		if as != nil {
			if of := (&schema.Schema{Root: root}).Find(as[1]); of != nil && of.Type == schema.List {
				again(below, of.Item.Fields)
			} else if of != nil {
				again(below, of.Fields)
			}
		}
		stack, held = append(stack[:level+1], below), append(held[:level+1], of)
	}
	return root
}

// kid gives the field of a name in a group, or in the items of a list.
func kid(f *schema.Field, name string) *schema.Field {
	if f != nil && f.Type == schema.List {
		f = f.Item
	}
	if f == nil {
		return nil
	}
	i := slices.IndexFunc(f.Fields, func(k *schema.Field) bool { return k.Name == name })
	if i < 0 {
		return nil
	}
	return f.Fields[i]
}

// wireKind names the type of a field that was read from a JSON Schema.
func wireKind(f *schema.Field) string {
	if f.Type == schema.List && f.Item.Type != schema.Group {
		return "list of " + string(f.Item.Type)
	}
	return string(f.Type)
}

// again gives a group the fields of another.
func again(group *schema.Field, fields []*schema.Field) {
	for _, f := range fields {
		own := *f
		own.Fields = nil
		if f.Item != nil {
			item := *f.Item
			own.Item, item.Fields = &item, nil
		}
		below := attach(group, &own)
		switch {
		case f.Type == schema.Group:
			again(below, f.Fields)
		case f.Type == schema.List && f.Item.Type == schema.Group:
			again(below, f.Item.Fields)
		}
	}
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

// oneOf is what stands before the values of a choice.
const oneOf = "One of: "

var (
	onePer    = lazy.New(`One item per ([^.]*)\.`)
	pivotIs   = lazy.New(`Years of two digits: (\d{4}) to`)
	writtenAs = lazy.New(`(?:^|[.?!] )Written: (.*?)\.(?: [A-Z]|$)`)
	measureIs = lazy.New(`(?:^|[.?!] )In (\S+)\.(?: [A-Z]|$)`)
	signsAre  = lazy.New(`Written like 1([., '’]?)234([.,])5\.`)
	fieldsAs  = lazy.New(`Fields as (\S+)\.$`)
	quoted    = lazy.New(`^"(?:[^"\\]|\\.)*"`)
)

// newField gives the field that a line tells of.
func newField(name, kind, says string) *schema.Field {
	f := &schema.Field{Name: name, Type: schema.Type(kind), About: says}
	if item, ok := strings.CutPrefix(kind, "list of "); ok {
		f.Type = schema.List
		f.Item = newField("", item, says)
	}
	if m := onePer.FindStringSubmatch(says); m != nil && f.Type == schema.List {
		f.Key = strings.Split(m[1], " and ")
	}
	f.Basis = strings.Contains(says, "With basis.")
	if about, facts, ok := strings.Cut(says, oneOf); ok && f.Type == schema.Choice {
		f.Of, f.About = readOptions(facts), about
	}
	if m := measureIs.FindStringSubmatch(says); m != nil {
		switch f.Type {
		case schema.Money:
			f.Currency = m[1]
		case schema.Quantity:
			f.Unit = m[1]
		}
	}
	if m := signsAre.FindStringSubmatch(says); m != nil {
		f.Numbers = schema.NumberFormat{Decimal: m[2], Group: m[1]}
	}
	if _, facts, ok := strings.Cut(says, "Printed as: "); ok {
		f.PrintedAs, _ = quotedTexts(facts)
	}
	for lead, words := range map[string]*[]string{"Unit also": &f.UnitAlso, "Below 0 with": &f.Minus, "True with": &f.Yes, "False with": &f.No} {
		if _, facts, ok := strings.Cut(says, lead+": "); ok {
			*words, _ = quotedTexts(facts)
		}
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
		if also, ok := strings.CutPrefix(rest, " ("); ok {
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
var afterAbout = lazy.New(`; |\.(?: [A-Z]|$)`)

// quotedTexts reads texts as shownText gives them, with a comma and a blank
// between them, and gives what stands behind them.
func quotedTexts(text string) (all []string, rest string) {
	for {
		m := bareText.FindString(text)
		said := m
		if m == "" {
			m = quoted.FindString(text)
			v, err := value.Parse(m)
			if m == "" || err != nil {
				return all, text
			}
			said = v.Text
		}
		all, text = append(all, said), text[len(m):]
		if next, more := strings.CutPrefix(text, ", "); more {
			text = next
			continue
		}
		return all, text
	}
}
