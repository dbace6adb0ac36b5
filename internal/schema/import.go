package schema

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"filler/internal/base/place"
	"filler/internal/base/value"
)

// Kept is a keyword of an imported schema that our language has no word for.
// It stays in the schema and is enforced.
type Kept struct {
	Path    string // of the field, "" for the record
	Keyword string
}

// Import reads a JSON Schema (2020-12, or as drafts 04 to 07 spell it) and
// gives a schema that accepts and refuses the same records, and what it keeps
// without having a word for it. No reference is followed out of the file.
func Import(name string, data []byte) (*Schema, []Kept, error) {
	im := &importer{file: name}
	v, err := value.ParseBytes(data)
	if err != nil {
		f := place.Fault{File: name, Msg: "not JSON: " + err.Error(), Hint: "give a JSON Schema in JSON"}
		if se, ok := err.(*value.SyntaxError); ok {
			f.Line, f.Col, f.Msg = se.Line, se.Col, "not JSON: "+se.Msg
		}
		return nil, nil, place.Faults{f}
	}
	im.root = &v
	s := im.schema(&v)
	if err := im.faults.Err(); err != nil {
		return nil, nil, err
	}
	// What was built is read back from our own language, so that every check
	// of the loader has been passed.
	again, err := Parse(strings.TrimSuffix(name, ".json")+".yaml", s.YAML())
	if err != nil {
		return nil, nil, err
	}
	return again, im.kept, nil
}

// ImportFile is Import for a file.
func ImportFile(file string) (*Schema, []Kept, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, nil, place.Faults{{File: file, Msg: "can't be read", Hint: "check the path and that it is a file"}}
	}
	if len(data) > 4*place.MaxBytes {
		return nil, nil, place.Faults{{File: file, Msg: fmt.Sprintf("the file has %d bytes", len(data)), Hint: "schemas over 4 MB are not read"}}
	}
	return Import(file, data)
}

type importer struct {
	file   string
	root   *value.Value
	open   []string // references being followed
	kept   []Kept
	faults place.Faults
	count  int
}

func (im *importer) fault(path, msg, hint string) {
	im.faults = append(im.faults, place.Fault{File: im.file, Path: path, Msg: msg, Hint: hint})
}

func (im *importer) schema(v *value.Value) *Schema {
	s := &Schema{Name: "imported", File: im.file}
	n := im.plain(v, "")
	ours := n.Get(Annotation)
	if title := v.Get("title"); title != nil && schemaName.MatchString(strings.ReplaceAll(title.Text, " ", "-")) {
		s.Name = strings.ReplaceAll(title.Text, " ", "-")
	}
	if name := ours.Get("schema"); name != nil {
		s.Name = name.Text
	}
	if version := ours.Get("version"); version != nil {
		s.Version = version.Text
	}
	f := &Field{}
	im.field(f, &n, "", true)
	s.About, s.Root = f.About, f
	switch {
	case f.Type == List && f.Item.Type == Group:
		f.Item.About = f.About
		f.Key = textsOf(ours.Get("key"))
	case f.Type != Group:
		im.fault("", "the schema does not describe a record: no object with properties at its top", "give the schema of one record, or of an array of records")
	}
	if e := ours.Get("entity"); e != nil && f.Type != "" && len(im.faults) == 0 {
		s.Record().Entity = entityOf(e)
	}
	if len(im.faults) == 0 {
		readExamples(s.Record(), ours.Get("examples"))
		if rules := ours.Get("rules"); rules != nil {
			for i := range rules.Kids {
				r := &Rule{}
				for _, kid := range rules.Kids[i].Kids {
					switch kid.Name {
					case "holds":
						r.Holds = kid.Text
					case "say":
						r.Say = kid.Text
					case "for":
						r.For = kid.Text
					}
				}
				s.Rules = append(s.Rules, r)
			}
		}
	}
	return s
}

// annotations say nothing about what is accepted.
var annotations = []string{"$schema", "$id", "id", "$comment", "$anchor", "title", "description", "default", "examples", "example", "deprecated", "readOnly", "writeOnly", "$defs", "definitions", "discriminator", "xml", "externalDocs"}

// plain gives a subschema with references followed, null taken out of unions,
// and old spellings turned into those of 2020-12. The references stay open
// until the caller is done with what they lead to.
func (im *importer) plain(v *value.Value, path string) value.Value {
	if im.count++; im.count > 20000 || len(im.faults) > 20 {
		if len(im.faults) > 0 {
			return value.Obj()
		}
		im.fault(path, "the schema unfolds to more than 20,000 parts", "it refers to itself again and again; flatten it")
		return value.Obj()
	}
	if v.Kind == value.Bool {
		if v.Text == "false" {
			return value.Obj(value.Obj().Named("not"))
		}
		return value.Obj()
	}
	n := v.Clone().Named("")
	if ref := n.Get("$ref"); ref != nil {
		target := im.follow(ref.Text, path)
		if target == nil {
			return value.Obj()
		}
		inner := im.plain(target, path)
		n.Drop("$ref")
		return merged(inner, n)
	}
	if all := n.Get("allOf"); all != nil && len(all.Kids) == 1 {
		inner := im.plain(&all.Kids[0], path)
		n.Drop("allOf")
		n = merged(inner, n)
	}
	for _, union := range []string{"anyOf", "oneOf"} {
		n = im.union(n, union, path)
	}
	return modern(n)
}

// follow gives what a reference within the file names.
func (im *importer) follow(ref, path string) *value.Value {
	if !strings.HasPrefix(ref, "#") {
		im.fault(path, fmt.Sprintf("the reference %q points outside the file", ref), "put what it names under $defs; files and addresses are not opened")
		return nil
	}
	for _, open := range im.open {
		if open == ref {
			im.fault(path, fmt.Sprintf("the schema is recursive: %q contains itself", ref), "records have a fixed depth; write the levels out")
			return nil
		}
	}
	p := value.Pointer(strings.TrimPrefix(ref, "#"))
	target := im.root.At(p)
	if !p.Valid() || target == nil || (target.Kind != value.Object && target.Kind != value.Bool) {
		im.fault(path, fmt.Sprintf("the reference %q points to nothing", ref), "check its spelling")
		return nil
	}
	im.open = append(im.open, ref)
	return target
}

// merged adds the keywords of outer to inner; outer's description wins.
func merged(inner, outer value.Value) value.Value {
	for _, kid := range outer.Kids {
		if kid.Name == "required" && inner.Get("required") != nil {
			list := inner.Get("required")
			list.Kids = append(list.Kids, kid.Kids...)
			continue
		}
		inner.Set(kid.Name, kid)
	}
	return inner
}

// union takes apart anyOf and oneOf: one choice and null becomes the choice,
// constants become an enumeration.
func (im *importer) union(n value.Value, keyword, path string) value.Value {
	u := n.Get(keyword)
	if u == nil || u.Kind != value.Array {
		return n
	}
	null := false
	var rest []value.Value
	for i := range u.Kids {
		if t := u.Kids[i].Get("type"); t != nil && t.Text == "null" && len(u.Kids[i].Kids) == 1 {
			null = true
			continue
		}
		rest = append(rest, u.Kids[i])
	}
	switch {
	case len(rest) == 1:
		inner := im.plain(&rest[0], path)
		n.Drop(keyword)
		n = merged(inner, n)
		if null {
			n = withNull(n)
		}
	case len(rest) > 1 && allConstants(rest):
		of, abouts := value.List(), value.Obj()
		for _, r := range rest {
			c := r.Get("const")
			of.Kids = append(of.Kids, c.Named(""))
			for _, key := range []string{"description", "title"} {
				if d := r.Get(key); d != nil && abouts.Get(c.Text) == nil {
					abouts.Set(c.Text, value.Str(d.Text))
				}
			}
		}
		if null {
			of.Kids = append(of.Kids, value.Value{})
		}
		n.Drop(keyword)
		n.Set("enum", of)
		if len(abouts.Kids) > 0 {
			n.Set(optionAbouts, abouts)
		}
	}
	return n
}

// optionAbouts carries the descriptions of constants to where the choice is
// made.
const optionAbouts = "x-filler-abouts"

func allConstants(list []value.Value) bool {
	for i := range list {
		if list[i].Get("const") == nil {
			return false
		}
	}
	return true
}

func withNull(n value.Value) value.Value {
	if t := n.Get("type"); t != nil {
		types := textsOf(t)
		if !slices.Contains(types, "null") {
			n.Set("type", texts(append(types, "null")))
		}
	}
	if e := n.Get("enum"); e != nil {
		e.Kids = append(e.Kids, value.Value{})
	}
	return n
}

// modern turns the spellings of drafts 04 to 07 and of API descriptions into
// those of 2020-12.
func modern(n value.Value) value.Value {
	if nullable := n.Get("nullable"); nullable != nil {
		yes := nullable.Text == "true"
		n.Drop("nullable")
		if yes {
			n = withNull(n)
		}
	}
	if c := n.Get("const"); c != nil {
		n.Set("enum", value.List(c.Named("")))
		n.Drop("const")
	}
	for _, pair := range [][2]string{{"exclusiveMinimum", "minimum"}, {"exclusiveMaximum", "maximum"}} {
		if ex := n.Get(pair[0]); ex != nil && ex.Kind == value.Bool {
			bound := n.Get(pair[1])
			yes := ex.Text == "true" && bound != nil
			n.Drop(pair[0])
			if yes {
				number := value.Num(bound.Text)
				n.Drop(pair[1])
				n.Set(pair[0], number)
			}
		}
	}
	return n
}

// textsOf gives the texts of a list, or of one text.
func textsOf(v *value.Value) []string {
	if v == nil {
		return nil
	}
	if v.Kind == value.String {
		return []string{v.Text}
	}
	var list []string
	for i := range v.Kids {
		list = append(list, v.Kids[i].Text)
	}
	return list
}
