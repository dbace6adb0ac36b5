package schema

import (
	"fmt"
	"strconv"
	"strings"

	"filler/internal/base/value"
)

// Annotation is the one keyword in which what our language says beyond JSON
// Schema travels.
const Annotation = "x-filler"

// Export gives the schema as JSON Schema 2020-12 with nothing lost: the full
// form, descriptions, and the rest under x-filler.
func (s *Schema) Export() value.Value {
	v := s.Full()
	s.annotate(s.Root, &v)
	extra := v.Get(Annotation)
	root := value.Obj()
	if extra != nil {
		root = extra.Clone().Named("")
	}
	root.Set("schema", value.Str(s.Name))
	s.head(&root)
	if s.EachEntry() {
		if examples := s.Record().examplesValue(); len(examples.Kids) > 0 {
			root.Set("examples", examples)
		}
	}
	if len(s.Rules) > 0 {
		list := value.List()
		for _, r := range s.Rules {
			rule := value.Obj(value.Str(r.Holds).Named("holds"))
			if r.Say != "" {
				rule.Set("say", value.Str(r.Say))
			}
			if r.For != "" {
				rule.Set("for", value.Str(r.For))
			}
			list.Kids = append(list.Kids, rule)
		}
		root.Set("rules", list)
	}
	v.Set(Annotation, root)
	return v
}

// head writes what stands at the top of a schema beside its name.
func (s *Schema) head(root *value.Value) {
	if s.Version != "" {
		root.Set("version", value.Str(s.Version))
	}
	if s.EachEntry() {
		root.Set("each", value.Str("entry"))
		if len(s.Root.Key) > 0 {
			root.Set("key", texts(s.Root.Key))
		}
	}
	if e := s.Record().Entity; e != nil {
		root.Set("entity", e.value())
	}
}

// annotate adds descriptions and x-filler to a compiled field and all below.
func (s *Schema) annotate(f *Field, v *value.Value) {
	if f.About != "" && (f.Path != "" || f == s.Root) {
		v.Set("description", value.Str(f.About))
	}
	if extra := f.beyond(); len(extra.Kids) > 0 {
		v.Set(Annotation, extra)
	}
	switch f.Type {
	case Group:
		properties := v.Get("properties")
		for _, kid := range f.Fields {
			s.annotate(kid, properties.Get(kid.Name))
		}
	case List:
		s.annotate(f.Item, v.Get("items"))
	}
}

// beyond gives what JSON Schema does not say of a field, in the words of our
// language.
func (f *Field) beyond() value.Value {
	v := value.Obj()
	if f.Type != Group && f.Type != List {
		v.Set("type", value.Str(string(f.Type)))
	}
	set := func(name string, list []string) {
		if len(list) > 0 {
			v.Set(name, texts(list))
		}
	}
	text := func(name, s string) {
		if s != "" {
			v.Set(name, value.Str(s))
		}
	}
	flag := func(name string, b bool) {
		if b {
			v.Set(name, value.Boolean(true))
		}
	}
	flag("required", f.Required && (f.isItem() || f.Type == Any))
	if f.Min != "" {
		v.Set("min", value.Num(f.Min))
	}
	if f.Max != "" {
		v.Set("max", value.Num(f.Max))
	}
	set("printed_as", f.PrintedAs)
	if f.Type == Choice {
		if f.List != nil {
			v.Set("of", f.List.value())
		} else {
			v.Set("of", f.optionsValue())
		}
	}
	if written := f.writtenValue(); written.Kind != value.Null {
		v.Set("written", written)
	}
	if len(f.Minus)+len(f.Plus) > 0 {
		signs := value.Obj()
		if len(f.Minus) > 0 {
			signs.Set("minus", texts(f.Minus))
		}
		if len(f.Plus) > 0 {
			signs.Set("plus", texts(f.Plus))
		}
		v.Set("signs", signs)
	}
	text("precision", f.Precision)
	text("zone", f.Zone)
	if f.Pivot > 0 {
		v.Set("pivot", value.Num(strconv.Itoa(f.Pivot)))
	}
	text("currency", f.Currency)
	also := func(words []string) value.Value { return value.Obj(texts(words).Named("also")) }
	if len(f.UnitAlso) > 0 {
		v.Set("unit", value.Obj(also(f.UnitAlso).Named(f.Unit)))
	} else {
		text("unit", f.Unit)
	}
	if len(f.Yes) > 0 {
		v.Set("true", also(f.Yes))
	}
	if len(f.No) > 0 {
		v.Set("false", also(f.No))
	}
	set("to", f.To)
	if f.Type != Group && (f.Evidence != f.defaultEvidence() || f.Concludes) || f.Type == Group && f.Evidence != "restated" {
		text("evidence", f.Evidence)
	}
	flag("basis", f.Basis)
	set("avoid", f.Avoid)
	flag("sensitive", f.Sensitive)
	text("style", f.Style)
	set("normalize", f.Normalize)
	if f.Compare.Kind != "" {
		v.Set("compare", f.Compare.value())
	}
	if f.Weight != "" {
		v.Set("weight", value.Num(f.Weight))
	}
	set("key", f.Key)
	flag("ordered", f.Ordered)
	set("removed_as", f.RemovedAs)
	var was []string
	for _, o := range f.Was {
		was = append(was, o.Text)
	}
	set("was", was)
	if f.Entity != nil {
		v.Set("entity", f.Entity.value())
	}
	if f.Edge != nil {
		v.Set("edge", f.Edge.value())
	}
	if examples := f.examplesValue(); len(examples.Kids) > 0 && (f.Path != "" && !f.isItem()) {
		v.Set("examples", examples)
	} else if len(examples.Kids) > 0 && f.Path == "" && f.Type == Group {
		v.Set("examples", examples)
	}
	return v
}

func (f *Field) optionsValue() value.Value {
	of := value.Obj()
	for _, o := range f.Of {
		v := value.Obj()
		if len(o.Also) > 0 {
			v.Set("also", texts(o.Also))
		}
		if o.About != "" {
			v.Set("about", value.Str(o.About))
		}
		of.Kids = append(of.Kids, v.Named(o.Value))
	}
	return of
}

func (f *Field) writtenValue() value.Value {
	if len(f.Written) > 0 {
		var list []string
		for _, w := range f.Written {
			list = append(list, w.Text)
		}
		return texts(list)
	}
	if f.Numbers.Decimal != "" {
		v := value.Obj(value.Str(f.Numbers.Decimal).Named("decimal"))
		if f.Numbers.Group != "" {
			v.Set("group", value.Str(f.Numbers.Group))
		}
		return v
	}
	return value.Value{}
}

func (c Comparison) value() value.Value {
	if c.Bound == "" {
		return value.Str(c.Kind)
	}
	return value.Obj(value.Num(c.Bound).Named(c.Kind))
}

func (f *Field) examplesValue() value.Value {
	list := value.List()
	for _, e := range f.Examples {
		list.Kids = append(list.Kids, value.Obj(value.Str(e.Text).Named("text"), e.Gives.Named("gives")))
	}
	return list
}

// YAML writes the schema in our own language. Parts are written out where they
// are used.
func (s *Schema) YAML() []byte {
	root := value.Obj(value.Str(s.Name).Named("schema"))
	if s.About != "" {
		root.Set("about", value.Str(s.About))
	}
	s.head(&root)
	record := s.Record()
	if len(record.Extra.Kids) > 0 {
		root.Set("keywords", record.Extra)
	}
	if examples := record.examplesValue(); len(examples.Kids) > 0 {
		root.Set("examples", examples)
	}
	root.Set("fields", record.fieldsValue())
	exported := s.Export()
	if rules := exported.At("/" + Annotation + "/rules"); rules != nil {
		root.Set("rules", *rules)
	}
	return appendYAML(nil, &root, 0)
}

func (f *Field) fieldsValue() value.Value {
	v := value.Obj()
	for _, kid := range f.Fields {
		v.Kids = append(v.Kids, kid.languageValue().Named(kid.Name))
	}
	return v
}

// languageValue gives a field as it stands in a schema file.
func (f *Field) languageValue() value.Value {
	v := value.Obj(value.Str(f.About).Named(string(f.Type)))
	if f.Required {
		v.Set("required", value.Boolean(true))
	}
	for _, extra := range f.beyond().Kids {
		if extra.Name != "type" {
			v.Set(extra.Name, extra)
		}
	}
	if f.Pattern != nil {
		v.Set("pattern", value.Str(f.Pattern.String()))
	}
	f.bounds(&v, "min", "max")
	if len(f.Extra.Kids) > 0 {
		v.Set("keywords", f.Extra)
	}
	switch {
	case f.Type == Group:
		v.Set("fields", f.fieldsValue())
	case f.Type == List && f.Item.Type == Group:
		if len(f.Item.Extra.Kids) > 0 {
			v.Set("item_keywords", f.Item.Extra)
		}
		v.Set("fields", f.Item.fieldsValue())
	case f.Type == List:
		v.Set("items", f.Item.languageValue())
	}
	return v
}

// appendYAML writes a value as block YAML; what fits a short line stands in
// one.
func appendYAML(b []byte, v *value.Value, level int) []byte {
	pad := fmt.Sprintf("%*s", 2*level, "")
	for i := range v.Kids {
		kid := &v.Kids[i]
		b = append(b, pad...)
		if v.Kind == value.Array {
			b = append(b, '-')
		} else {
			b = append(append(b, yamlText(kid.Name)...), ':')
		}
		flow := yamlFlow(kid)
		if len(kid.Kids) == 0 || len(flow)+len(pad)+len(kid.Name) < 100 && depthOf(kid) < 3 && level > 0 {
			b = append(append(append(b, ' '), flow...), '\n')
			continue
		}
		b = appendYAML(append(b, '\n'), kid, level+1)
	}
	return b
}

func depthOf(v *value.Value) int {
	deepest := 0
	for i := range v.Kids {
		deepest = max(deepest, depthOf(&v.Kids[i]))
	}
	if len(v.Kids) == 0 {
		return 0
	}
	return deepest + 1
}

// yamlFlow writes a value in one line.
func yamlFlow(v *value.Value) string {
	switch v.Kind {
	case value.String:
		return yamlText(v.Text)
	case value.Array, value.Object:
		signs := "[]"
		if v.Kind == value.Object {
			signs = "{}"
		}
		var b strings.Builder
		b.WriteByte(signs[0])
		for i := range v.Kids {
			if i > 0 {
				b.WriteString(", ")
			}
			if v.Kind == value.Object {
				b.WriteString(yamlText(v.Kids[i].Name) + ": ")
			}
			b.WriteString(yamlFlow(&v.Kids[i]))
		}
		b.WriteByte(signs[1])
		return b.String()
	case value.Null:
		return "null"
	}
	return v.Text
}
