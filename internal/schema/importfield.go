package schema

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/place"
	"filler/internal/base/value"
)

// field makes a field of a plain subschema.
func (im *importer) field(f *Field, n *value.Value, path string, root bool) {
	f.Path = path
	if n.Get(looseMark) != nil {
		im.loose++
		defer func() { im.loose-- }()
	}
	if d := n.Get("description"); d != nil && d.Kind == value.String {
		f.About = strings.Join(strings.Fields(d.Text), " ")
	} else if d := n.Get("title"); d != nil && d.Kind == value.String && !root {
		f.About = d.Text
	}
	ours := n.Get(Annotation)
	if f.Type == "" {
		im.types(n, path)
		f.Type = typeOf(n, ours)
	}
	if f.Type == Group {
		im.unaskable(f, n)
	}
	switch f.Type {
	case Group:
		im.group(f, n)
	case List:
		im.list(f, n)
	default:
		im.leaf(f, n)
	}
	f.settle()
	if ours != nil {
		im.words(f, ours)
	}
	if !root {
		f.told(n)
	}
	if f.About == "" && !root {
		f.About = capital(Spoken(f.Name)) + "."
	}
	im.keep(f, n, ours != nil)
}

// told adds what a schema shows of a value beside its description: examples, and the default as
// one. It is never filled in.
func (f *Field) told(n *value.Value) {
	if !f.IsLeaf() || f.Type == Any {
		return
	}
	var shown []string
	all := value.List()
	if e := n.Get("examples"); e != nil {
		all.Kids = append(all.Kids, e.Kids...)
	}
	for _, name := range []string{"example", "default"} {
		if e := n.Get(name); e != nil {
			all.Kids = append(all.Kids, *e)
		}
	}
	for _, e := range all.Kids {
		if (e.Kind == value.String || e.Kind == value.Number) && e.Text != "" && len(e.Text) < 60 && !slices.Contains(shown, e.Text) && len(shown) < 3 && !strings.Contains(f.About, e.Text) {
			shown = append(shown, strings.Join(strings.Fields(e.Text), " "))
		}
	}
	if len(shown) > 0 {
		if f.About == "" {
			f.About = capital(Spoken(f.Name))
		}
		f.About = strings.TrimRight(f.About, ". ") + ", such as " + strings.Join(shown, ", ") + "."
	}
	if how := formats[n.Word("format")]; how != "" && f.Type == Text {
		if f.About == "" {
			f.About = capital(Spoken(f.Name))
		}
		f.About = strings.TrimRight(f.About, ". ") + ", " + how + "."
	}
	if d := n.Get("deprecated"); d != nil && d.Text == "true" {
		f.About = strings.TrimRight(f.About, ". ") + "; no longer used."
	}
}

// types checks the names of types.
func (im *importer) types(n *value.Value, path string) {
	for _, t := range textsOf(n.Get("type")) {
		if !slices.Contains(typeNames, t) {
			im.fault(path, fmt.Sprintf("%q is no type of JSON Schema", t), place.Suggest(strings.ToLower(t), typeNames))
		}
	}
}

// typeNames are the types of JSON Schema.
var typeNames = []string{"array", "boolean", "integer", "null", "number", "object", "string"}

func capital(s string) string {
	if s == "" {
		return "One value"
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// typeOf finds the type of ours that is closest.
func typeOf(n, ours *value.Value) Type {
	if t := ours.Get("type"); t != nil && isType(t.Text) {
		return Type(t.Text)
	}
	var types []string
	for _, t := range textsOf(n.Get("type")) {
		if t != "null" {
			types = append(types, t)
		}
	}
	if len(types) == 0 && n.Get("properties") != nil {
		types = []string{"object"}
	}
	if len(types) == 0 && n.Get("items") != nil {
		types = []string{"array"}
	}
	if len(types) == 0 && n.Get("enum") != nil && len(textOptions(n.Get("enum"))) == len(n.Get("enum").Kids) {
		types = []string{"string"}
	}
	if len(types) == 0 && isDecimal(n) {
		return Number
	}
	if len(types) != 1 {
		return Any
	}
	switch types[0] {
	case "object":
		if p := n.Get("properties"); p != nil && len(p.Kids) > 0 {
			return Group
		}
	case "array":
		if items := n.Get("items"); items != nil && items.Kind == value.Object && n.Get("prefixItems") == nil {
			return List
		}
	case "integer":
		return Integer
	case "number":
		return Number
	case "boolean":
		return Boolean
	case "string":
		format := n.Get("format")
		switch {
		case len(textOptions(n.Get("enum"))) >= 2:
			return Choice
		case format != nil && format.Text == "date":
			return Date
		case format != nil && format.Text == "date-time":
			return DateTime
		}
		return Text
	}
	return Any
}

// unaskable takes properties out of a group whose names are no field's: they are enforced and
// not asked for. A group below the record whose records need one is asked for as whatever it
// is; the record itself can't be.
func (im *importer) unaskable(f *Field, n *value.Value) {
	properties, required := n.Get("properties"), textsOf(n.Get("required"))
	if properties == nil {
		return
	}
	folded := map[string]string{}
	kept, odd := value.Obj(), value.Obj()
	whole := n.Clone()
	for _, p := range properties.Kids {
		other, clash := folded[fold(p.Name)]
		if r := p.Get("readOnly"); r != nil && r.Text == "true" && !slices.Contains(required, p.Name) && len(properties.Kids) > 1 {
			odd.Kids = append(odd.Kids, p)
			im.keepNote(pathOf(f, p.Name), "property, which is enforced and not asked for: it is read only")
			continue
		}
		if fieldName.MatchString(p.Name) && !clash {
			folded[fold(p.Name)] = p.Name
			kept.Kids = append(kept.Kids, p)
			continue
		}
		needed := slices.Contains(required, p.Name)
		switch {
		case needed && f.Path != "":
			f.Type = Any
			return
		case needed && clash:
			im.fault(pathOf(f, p.Name), fmt.Sprintf("the names %q and %q differ in case, `_` or `-` only", other, p.Name), "models mix such names up; rename one")
		case needed:
			im.fault(pathOf(f, p.Name), fmt.Sprintf("%q is not a field name", p.Name), "rename the property: begin with a letter, then letters, digits, `_` and `-`")
		default:
			odd.Kids = append(odd.Kids, p)
			im.keepNote(pathOf(f, p.Name), "property, which is enforced and not asked for: its name is not a field's")
		}
	}
	switch {
	case len(kept.Kids) == len(properties.Kids):
		return
	case len(kept.Kids) == 0 && f.Path != "":
		f.Type = Any
		return
	case len(kept.Kids) == 0:
		if len(im.faults) > 0 {
			return
		}
		im.fault("", "no property of it can be asked for", "give properties with names of letters, digits, `_` and `-` that are not read only")
		return
	}
	n.Set("properties", kept)
	if n.Get(wholeMark) != nil {
		return // it has them
	}
	if !slices.ContainsFunc(n.Kids, func(k value.Value) bool { return slices.Contains(besides, k.Name) }) {
		rest := value.Obj(odd.Named("properties"))
		n.Set(wholeMark, im.exact(&rest, f.Path))
		return
	}
	n.Set(wholeMark, im.exact(&whole, f.Path))
	for _, name := range besides {
		n.Drop(name)
	}
}

func pathOf(f *Field, name string) string {
	if f.Path == "" {
		return name
	}
	return f.Path + "." + name
}

// textOptions gives the distinct texts and nulls of an enumeration, if it holds
// nothing else; the nulls are left out.
func textOptions(enum *value.Value) []string {
	if enum == nil {
		return nil
	}
	var list []string
	for i := range enum.Kids {
		switch enum.Kids[i].Kind {
		case value.String:
			if !slices.Contains(list, enum.Kids[i].Text) {
				list = append(list, enum.Kids[i].Text)
			}
		case value.Null:
		default:
			return nil
		}
	}
	return list
}

func (im *importer) group(f *Field, n *value.Value) {
	required := textsOf(n.Get("required"))
	properties := n.Get("properties")
	for _, name := range required {
		if properties.Get(name) == nil && n.Get(wholeMark) == nil {
			im.keepNote(pathOf(f, name), "required, and no property: it is not asked for, and each record without it is refused")
		}
	}
	for i := range properties.Kids {
		p := &properties.Kids[i]
		kid, path := &Field{Name: p.Name}, pathOf(f, p.Name)
		open := len(im.open)
		plain := im.plain(p, path)
		kid.Required = slices.Contains(required, p.Name) && !accepts(&plain, "null") && im.loose == 0 && plain.Get(looseMark) == nil
		im.field(kid, &plain, path, false)
		im.open = im.open[:open]
		f.Fields = append(f.Fields, kid)
	}
}

// accepts tells whether a subschema's type lets a kind of value through.
func accepts(n *value.Value, kind string) bool {
	types := textsOf(n.Get("type"))
	if kind == "null" && len(types) > 0 {
		return slices.Contains(types, "null")
	}
	if e := n.Get("enum"); e != nil && kind == "null" {
		for i := range e.Kids {
			if e.Kids[i].Kind == value.Null {
				return true
			}
		}
		return false
	}
	return len(types) == 0 || slices.Contains(types, kind)
}

func (im *importer) list(f *Field, n *value.Value) {
	f.Item = &Field{}
	path := f.Path + "[]"
	if f.Path == "" {
		path = ""
	}
	open := len(im.open)
	plain := im.plain(n.Get("items"), path)
	if typeOf(&plain, plain.Get(Annotation)) == List { // a list of lists
		f.Item.Type = Any
	}
	im.field(f.Item, &plain, path, f.Path == "")
	im.open = im.open[:open]
	f.Min, f.Max = literal(n.Get("minItems")), literal(n.Get("maxItems"))
	if f.Required && f.Min == "1" {
		f.Min = ""
	}
}

func literal(v *value.Value) string {
	if v == nil || v.Kind != value.Number {
		return ""
	}
	return plainDecimal(v.Text)
}

func (im *importer) leaf(f *Field, n *value.Value) {
	switch f.Type {
	case Text:
		f.Min, f.Max = literal(n.Get("minLength")), literal(n.Get("maxLength"))
		if f.Required && f.Min == "1" {
			f.Min = ""
		}
		if p := n.Get("pattern"); p != nil && p.Kind == value.String {
			if im.compiles(p.Text, f.Path) {
				f.Pattern = regexp.MustCompile(p.Text)
			}
		}
	case Integer, Number:
		f.Min, f.Max = literal(n.Get("minimum")), literal(n.Get("maximum"))
	case Choice:
		abouts := n.Get(optionAbouts)
		for _, text := range textOptions(n.Get("enum")) {
			o := Option{Value: text}
			if about := abouts.Get(text); about != nil {
				o.About = about.Text
			}
			f.Of = append(f.Of, o)
		}
	}
}

// words takes over what x-filler says.
func (im *importer) words(f *Field, ours *value.Value) {
	if f.Type != Text || ours.Get("type") != nil {
		f.Min, f.Max = "", ""
	}
	for i := range ours.Kids {
		k := &ours.Kids[i]
		switch k.Name {
		case "required":
			f.Required = true
		case "min":
			f.Min = k.Text
		case "max":
			f.Max = k.Text
		case "printed_as":
			f.PrintedAs = textsOf(k)
		case "of":
			if file := k.Get("file"); file != nil && file.Kind == value.String {
				f.List = &Reference{File: file.Text, Value: k.Word("value"), Also: textsOf(k.Get("also")), About: k.Word("about")}
				continue
			}
			f.Of = nil
			for j := range k.Kids {
				o := Option{Value: k.Kids[j].Name, Also: textsOf(k.Kids[j].Get("also"))}
				if about := k.Kids[j].Get("about"); about != nil {
					o.About = about.Text
				}
				f.Of = append(f.Of, o)
			}
		case "written":
			readWrittenValue(f, k)
		case "signs":
			if words := k.Get("minus"); words != nil {
				f.Minus = textsOf(words)
			}
			if words := k.Get("plus"); words != nil {
				f.Plus = textsOf(words)
			}
		case "zone":
			f.Zone = k.Text
		case "precision":
			f.Precision = k.Text
		case "pivot":
			f.Pivot, _ = strconv.Atoi(k.Text)
		case "currency":
			f.Currency = k.Text
		case "unit":
			f.Unit = k.Text
			if k.Kind == value.Object && len(k.Kids) == 1 {
				f.Unit, f.UnitAlso = k.Kids[0].Name, textsOf(k.Kids[0].Get("also"))
			}
		case "true":
			f.Yes = textsOf(k.Get("also"))
		case "false":
			f.No = textsOf(k.Get("also"))
		case "to":
			f.To = textsOf(k)
		case "evidence":
			f.Evidence = k.Text
			f.Concludes = f.AllowsInferred()
		case "basis":
			f.Basis = true
		case "avoid":
			f.Avoid = textsOf(k)
		case "sensitive":
			f.Sensitive = true
		case "style":
			if slices.Contains(AskStyles, k.Text) {
				f.Style = k.Text
			}
		case "normalize":
			f.Normalize = textsOf(k)
		case "compare":
			f.Compare = Comparison{Kind: k.Text}
			if len(k.Kids) == 1 {
				f.Compare = Comparison{Kind: k.Kids[0].Name, Bound: k.Kids[0].Text}
			}
		case "weight":
			f.Weight = k.Text
		case "key":
			f.Key = textsOf(k)
		case "removed_as":
			f.RemovedAs = textsOf(k)
		case "ordered":
			f.Ordered = true
		case "was":
			for _, name := range textsOf(k) {
				f.Was = append(f.Was, Older{Text: name})
			}
		case "entity":
			f.Entity = entityOf(k)
		case "edge":
			f.Edge = &Edge{From: k.Word("from"), To: k.Word("to"), Kind: k.Word("kind")}
		case "examples":
			readExamples(f, k)
		}
	}
	for i := range f.Written {
		f.Written[i].Pivot = f.Pivot
	}
}

func readWrittenValue(f *Field, v *value.Value) {
	if v.Kind == value.Object {
		if d := v.Get("decimal"); d != nil {
			f.Numbers.Decimal = d.Text
		}
		if g := v.Get("group"); g != nil {
			f.Numbers.Group = g.Text
		}
		return
	}
	for _, text := range textsOf(v) {
		if format, err := ParseDateFormat(text); err == nil {
			f.Written = append(f.Written, format)
		}
	}
}

func readExamples(f *Field, v *value.Value) {
	if v == nil {
		return
	}
	f.Examples = nil
	for i := range v.Kids {
		text, gives := v.Kids[i].Get("text"), v.Kids[i].Get("gives")
		if text != nil && gives != nil {
			f.Examples = append(f.Examples, Example{Text: text.Text, Gives: gives.Named("")})
		}
	}
}
