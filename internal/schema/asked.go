package schema

import (
	"fmt"
	"strings"

	"filler/internal/base/value"
)

// Asked is one field that is asked for without a schema file: a type and a
// path such as bays[].number, for a choice followed by = and its values, for a
// date perhaps by = and the format in which documents write it.
type Asked struct {
	Type Type
	Spec string
}

// FromAsked makes a schema of fields asked for one by one, nested through dots
// and [].
func FromAsked(fields []Asked) (*Schema, error) {
	root := value.Obj()
	for _, a := range fields {
		path, of, _ := strings.Cut(a.Spec, "=")
		if a.Type == Choice && of == "" {
			return nil, fmt.Errorf("--choice %s: no values to choose from; write --choice %s=dry,wet", a.Spec, path)
		}
		if strings.Contains(a.Spec, "=") && a.Type != Choice && a.Type != Date && a.Type != Money && a.Type != Quantity {
			return nil, fmt.Errorf("--%s %s: this type has no setting; write --%s %s", a.Type, a.Spec, a.Type, path)
		}
		if err := ask(&root, strings.Split(path, "."), a, of); err != nil {
			return nil, fmt.Errorf("--%s %s: %w", a.Type, a.Spec, err)
		}
	}
	file := value.Obj(value.Str("asked").Named("schema"), root.Named("fields"))
	return Parse("the fields asked for", appendYAML(nil, &file, 0))
}

func ask(fields *value.Value, steps []string, a Asked, of string) error {
	name, isList := strings.CutSuffix(steps[0], "[]")
	if !fieldName.MatchString(name) {
		return fmt.Errorf("%q is not a field name; begin with a letter, then letters, digits, `_` and `-`", name)
	}
	about := capital(Spoken(name)) + "."
	node := fields.Get(name)
	if len(steps) == 1 && !isList {
		if node != nil {
			switch {
			case node.Get("group") != nil:
				return fmt.Errorf("%q is both %s and a group; rename one", name, Article(string(a.Type)))
			case node.Get("list") != nil:
				return fmt.Errorf("%q is both %s and a list; rename one", name, Article(string(a.Type)))
			}
			return fmt.Errorf("%q is named twice; keep one", name)
		}
		fields.Set(name, askedLeaf(a.Type, about, of))
		return nil
	}
	kind := "group"
	if isList {
		kind = "list"
	}
	if node == nil {
		fields.Set(name, value.Obj(value.Str(about).Named(kind)))
		node = fields.Get(name)
	}
	if node.Get(kind) == nil {
		if node.Get("group") == nil && node.Get("list") == nil {
			return fmt.Errorf("%q is both %s and a %s; rename one", name, Article(node.Kids[0].Name), kind)
		}
		return fmt.Errorf("%s is named both with and without []; write %s or %s[] throughout", name, name, name)
	}
	if len(steps) == 1 {
		node.Set("items", askedLeaf(a.Type, "One of them.", of))
		return nil
	}
	if node.Get("fields") == nil {
		node.Set("fields", value.Obj())
	}
	return ask(node.Get("fields"), steps[1:], a, of)
}

func askedLeaf(t Type, about, of string) value.Value {
	leaf := value.Obj(value.Str(about).Named(string(t)))
	switch {
	case t == Choice:
		leaf.Set("of", texts(strings.Split(of, ",")))
	case t == Date && of != "":
		leaf.Set("written", texts([]string{of}))
	case t == Money && of != "":
		leaf.Set("currency", value.Str(of))
	case t == Quantity && of != "":
		leaf.Set("unit", value.Str(of))
	}
	return leaf
}

// Article puts "a" or "an" before a word.
func Article(word string) string {
	if strings.ContainsRune("aeiou", rune(word[0])) {
		return "an " + word
	}
	return "a " + word
}

// Only gives the part of a schema that paths name: each a field or a group or
// list with all below it.
func (s *Schema) Only(paths []string) (*Schema, error) {
	record := s.Record()
	wanted := map[string]bool{}
	for _, p := range paths {
		p = strings.TrimSuffix(p, "[]")
		if s.Find(p) == nil {
			return nil, fmt.Errorf("the schema has no field %q; `filler schema outline` shows them", p)
		}
		wanted[p] = true
	}
	out := *s
	out.Rules = nil
	part := record.only(wanted)
	if s.EachEntry() {
		root := *s.Root
		root.Item = part
		out.Root = &root
	} else {
		out.Root = part
	}
	again, err := Parse(s.File, s.with(out.YAML()))
	if err != nil {
		return nil, fmt.Errorf("these fields can't be asked for without the others: %w", err)
	}
	return again, nil
}

// Part gives the part of a schema that asks for some fields alone, each with all
// below it. It has no rules, and its links may point outside of it.
func (s *Schema) Part(paths []string) *Schema {
	wanted := map[string]bool{}
	for _, p := range paths {
		wanted[p] = true
	}
	out := *s
	out.Rules = nil
	out.Root = s.Record().only(wanted)
	if s.EachEntry() {
		root := *s.Root
		root.Item, out.Root = out.Root, &root
	}
	return &out
}

// only gives a copy of a group with the wanted fields, and the keys of lists
// on the way.
func (f *Field) only(wanted map[string]bool) *Field {
	out := *f
	out.Fields, out.Examples = nil, nil
	for _, kid := range f.Fields {
		if wanted[kid.Path] {
			out.Fields = append(out.Fields, kid)
			continue
		}
		below := false
		for p := range wanted {
			below = below || strings.HasPrefix(p, kid.Path+".") || strings.HasPrefix(p, kid.Path+"[].")
		}
		if !below {
			continue
		}
		part := *kid
		if kid.Type == Group {
			part = *kid.only(wanted)
		} else {
			also := map[string]bool{}
			for p := range wanted {
				also[p] = true
			}
			for _, key := range kid.Key {
				also[kid.Path+"[]."+key] = true
			}
			part.Item = kid.Item.only(also)
		}
		out.Fields = append(out.Fields, &part)
	}
	out.Entity = out.Entity.within(&out)
	for i, kid := range out.Fields {
		of := kid
		if kid.Type == List {
			of = kid.Item
		}
		if e := kid.Entity.within(of); e != kid.Entity {
			part := *kid
			part.Entity = e
			out.Fields[i] = &part
		}
	}
	return &out
}
