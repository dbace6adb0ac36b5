package schema

import (
	"fmt"
	"net/url"
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
	v, err := value.ParseBytes(data)
	if err != nil {
		f := place.Fault{File: name, Msg: "not JSON: " + err.Error(), Hint: "give a JSON Schema in JSON"}
		if se, ok := err.(*value.SyntaxError); ok {
			f.Line, f.Col, f.Msg = se.Line, se.Col, "not JSON: "+se.Msg
		}
		return nil, nil, place.Faults{f}
	}
	if twice := twiceIn(&v); len(twice) > 0 {
		for i := range twice {
			twice[i].File = name
		}
		return nil, nil, twice
	}
	var im *importer
	var s *Schema
	for level := deepest; level > 0; level-- {
		im = &importer{file: name, root: &v, draft: draftOf(&v), depth: level, defs: map[string]string{}, definitions: value.Obj()}
		if im.own = isOwn(&v); !im.own {
			im.settle()
		}
		if s = im.schema(&v); !im.unfolds {
			break
		}
	}
	if err := im.faults.Err(); err != nil {
		return nil, nil, err
	}
	// What was built is read back from our own language, so that every check
	// of the loader has been passed.
	if !im.own {
		s.conclude()
	}
	again, err := Parse(strings.TrimSuffix(name, ".json")+".yaml", s.YAML())
	if err != nil {
		return nil, nil, err
	}
	again.Concluded = s.Concluded
	for i := range again.Advice { // of what was built, which nobody sees
		again.Advice[i].File, again.Advice[i].Line, again.Advice[i].Col, again.Advice[i].Excerpt = name, 0, 0, ""
	}
	return again, im.kept, nil
}

// twiceIn finds keys that stand twice in one object: which of them counts would be a guess.
func twiceIn(v *value.Value) (faults place.Faults) {
	if !v.Repeats() {
		return nil
	}
	v.Walk(func(p value.Pointer, n *value.Value) bool {
		seen := map[string]bool{}
		if n.Kind == value.Object && len(faults) < 20 {
			for _, kid := range n.Kids {
				if seen[kid.Name] {
					faults = append(faults, place.Fault{Path: string(p), Msg: fmt.Sprintf("the key %q is here twice", kid.Name), Hint: "keep one"})
				}
				seen[kid.Name] = true
			}
		}
		return true
	})
	return faults
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
	file        string
	root        *value.Value
	draft       int      // that the file names; 0: none
	open        []string // references being followed
	kept        []Kept
	faults      place.Faults
	count       int
	defs        map[string]string // names of kept definitions, by their references
	definitions value.Value       // these
	depth       int               // how many levels of what contains itself are asked for
	unfolds     bool              // to too many parts
	loose       int               // levels of forms of a union that are open
	own         bool              // what our export wrote: its keywords are kept ones already
}

// mostParts is how many parts a schema may unfold to, and deepest how many levels of a
// schema that contains itself are asked for; fewer where it would unfold to more parts.
const (
	mostParts = 20000
	deepest   = 4
)

func ordinal(n int) string {
	return []string{"first", "second", "third", "fourth"}[min(max(n, 1), 4)-1]
}

func (im *importer) tooMany(path string) {
	if len(im.faults) == 0 {
		im.unfolds = true
		im.fault(path, "the schema unfolds to more than 20,000 parts", "it refers to itself again and again; flatten it")
	}
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
	if len(im.definitions.Kids) > 0 && f.Type != "" && len(im.faults) == 0 {
		im.keepDefinitions(s.Record())
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
var annotations = []string{"$schema", "$id", "id", "$comment", "$anchor", "$dynamicAnchor", "$recursiveAnchor", "$vocabulary", "title", "description", "default", "examples", "example", "deprecated", "readOnly", "writeOnly", "$defs", "definitions", "discriminator", "xml", "externalDocs"}

// plain gives a subschema as far as ours can say it: with references followed, what is put
// together by allOf put together, null taken out of unions, and old spellings turned into those
// of 2020-12. What it accepts is all that the subschema accepts, and perhaps more: then the
// exact form goes along, to be enforced. The references stay open until the caller is done
// with what they lead to.
func (im *importer) plain(v *value.Value, path string) value.Value {
	if im.count++; im.count > mostParts || len(im.faults) > 20 {
		im.tooMany(path)
		return value.Obj()
	}
	if v.Kind == value.Bool {
		if v.Text == "false" {
			return value.Obj(value.Obj().Named("not"))
		}
		return value.Obj()
	}
	if im.own {
		return v.Clone().Named("")
	}
	if im.dynamic(v, path) {
		return value.Obj()
	}
	n, whole := v.Clone().Named(""), false
	if ref := n.Get("$ref"); ref != nil && ref.Kind == value.String {
		inner, more := im.referred(ref.Text, path)
		n.Drop("$ref")
		if im.draft == draft7 {
			n = annotationsOf(n)
		}
		whole = more || !saysNothing(n)
		n = joined(inner, n, whole)
	}
	if all := n.Get("allOf"); all != nil && all.Kind == value.Array {
		parts := all.Kids
		n.Drop("allOf")
		whole = whole || len(parts) != 1 || !saysNothing(n)
		for i := range parts {
			n = joined(im.plain(&parts[i], path), n, whole)
		}
	}
	for _, union := range []string{"anyOf", "oneOf"} {
		var more bool
		n, more = im.union(n, union, path)
		whole = whole || more
	}
	n = im.respelt(n)
	if whole {
		n.Set(wholeMark, im.exact(v, path))
	}
	return n
}

// wholeMark carries the exact form of a subschema to where it is kept.
const wholeMark = "x-filler-whole"

// saysNothing tells whether a subschema has no keyword that restricts values.
func saysNothing(n value.Value) bool {
	return !slices.ContainsFunc(n.Kids, func(k value.Value) bool {
		return !slices.Contains(annotations, k.Name) && !strings.HasPrefix(k.Name, "x-")
	})
}

func annotationsOf(n value.Value) value.Value {
	n.Kids = slices.DeleteFunc(n.Kids, func(k value.Value) bool {
		return !slices.Contains(annotations, k.Name) && !strings.HasPrefix(k.Name, "x-")
	})
	return n
}

// referred gives what a reference names, as plain; more says that it is not all of it.
func (im *importer) referred(ref, path string) (n value.Value, more bool) {
	if metaschemas.MatchString(ref) {
		return value.Obj(), true
	}
	target, ok := im.target(ref, path)
	if !ok {
		return value.Obj(), false
	}
	times := 0
	for _, open := range im.open {
		if open == ref {
			times++
		}
	}
	if times >= im.depth {
		im.keepNote(path, fmt.Sprintf("levels of %q below the %s, which are enforced and not asked for one by one", ref, ordinal(im.depth)))
		return value.Obj(), true
	}
	im.open = append(im.open, ref)
	n = im.plain(target, path)
	return n, n.Get(wholeMark) != nil
}

// target finds what a reference within the file names.
func (im *importer) target(ref, path string) (*value.Value, bool) {
	if !strings.HasPrefix(ref, "#") {
		im.fault(path, fmt.Sprintf("the reference %q points outside the file", ref), "put what it names under $defs; files and addresses are not opened")
		return nil, false
	}
	name, err := url.PathUnescape(strings.TrimPrefix(ref, "#"))
	p := value.Pointer(name)
	var target *value.Value
	if err == nil && p.Valid() {
		target = im.root.At(p)
	}
	if target == nil || (target.Kind != value.Object && target.Kind != value.Bool) {
		im.fault(path, fmt.Sprintf("the reference %q points to nothing", ref), "check its spelling")
		return nil, false
	}
	return target, true
}

// besides are keywords whose meaning depends on those beside them: they don't outlive that
// their schema is joined with another. The exact form has them.
var besides = []string{"additionalProperties", "patternProperties", "unevaluatedProperties", "unevaluatedItems", "additionalItems", "prefixItems", "if", "then", "else", "contains", "minContains", "maxContains", "dependencies", "dependentSchemas", "dependentRequired", "anyOf", "oneOf"}

// joined gives what two schemas that both hold have in common, in one; of two that say the
// same otherwise the inner one counts. With whole, the exact form is kept beside it, and what
// means something else when joined is left to that.
func joined(inner, outer value.Value, whole bool) value.Value {
	if whole {
		for _, name := range besides {
			inner.Drop(name)
			if name != "anyOf" && name != "oneOf" {
				outer.Drop(name)
			}
		}
	}
	for _, kid := range outer.Kids {
		was := inner.Get(kid.Name)
		switch {
		case was == nil || slices.Contains(annotations, kid.Name) || strings.HasPrefix(kid.Name, "x-"):
			inner.Set(kid.Name, kid)
		case kid.Name == "required" && was.Kind == value.Array && kid.Kind == value.Array:
			for _, name := range kid.Kids {
				if !slices.ContainsFunc(was.Kids, func(v value.Value) bool { return value.Equal(&v, &name) }) {
					was.Kids = append(was.Kids, name)
				}
			}
		case kid.Name == "properties" && was.Kind == value.Object && kid.Kind == value.Object:
			for _, p := range kid.Kids {
				if both := was.Get(p.Name); both != nil {
					p = value.Obj(value.List(both.Named(""), p.Named("")).Named("allOf")).Named(p.Name)
				}
				was.Set(p.Name, p)
			}
		case kid.Name == "type":
			if both := commonTypes(textsOf(was), textsOf(&kid)); len(both) == 1 {
				inner.Set("type", value.Str(both[0]))
			} else {
				inner.Set("type", texts(both))
			}
		}
	}
	return inner
}

// commonTypes gives the types that two lists have in common; an integer is a number.
func commonTypes(a, b []string) (both []string) {
	for _, t := range a {
		switch {
		case slices.Contains(b, t), t == "integer" && slices.Contains(b, "number"):
			both = append(both, t)
		case t == "number" && slices.Contains(b, "integer"):
			both = append(both, "integer")
		}
	}
	if len(both) == 0 { // nothing can be both: the exact form says so
		return a
	}
	return both
}

// ofOneType are keywords that say nothing about null.
var ofOneType = []string{"type", "enum", "properties", "patternProperties", "additionalProperties", "required", "minProperties", "maxProperties", "dependentRequired", "dependentSchemas", "propertyNames",
	"items", "prefixItems", "contains", "minItems", "maxItems", "uniqueItems", "pattern", "format", "minLength", "maxLength", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf"}

// union takes apart anyOf and oneOf: one choice and null becomes the choice,
// constants become an enumeration. whole says that this is not all of it.
func (im *importer) union(n value.Value, keyword, path string) (out value.Value, whole bool) {
	u := n.Get(keyword)
	if u == nil || u.Kind != value.Array {
		return n, false
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
		whole = inner.Get(wholeMark) != nil || !saysNothing(n)
		inner.Drop(wholeMark)
		if null {
			if keyword == "oneOf" && accepts(&inner, "null") {
				whole = true
			}
			kept := inner.Kids[:0:0]
			for _, k := range inner.Kids {
				if slices.Contains(ofOneType, k.Name) || slices.Contains(annotations, k.Name) || strings.HasPrefix(k.Name, "x-") {
					kept = append(kept, k)
				} else {
					whole = true
				}
			}
			inner.Kids = kept
			if types := n.Get("type"); types == nil || slices.Contains(textsOf(types), "null") {
				inner = withNull(inner)
			}
		}
		n = joined(inner, n, whole)
	case len(rest) > 1 && allConstants(rest) && n.Get("enum") == nil && n.Get("const") == nil:
		of, abouts := value.List(), value.Obj()
		for _, r := range rest {
			c := r.Get("const")
			of.Kids = append(of.Kids, c.Named(""))
			for _, key := range []string{"description", "title"} {
				if d := r.Get(key); d != nil && abouts.Get(c.Text) == nil {
					abouts.Set(c.Text, value.Str(d.Text))
				}
			}
			whole = whole || len(annotationsOf(r.Clone()).Kids) < len(r.Kids)-1
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
	if n.Get(keyword) == nil {
		return n, whole
	}
	if inner, ok := im.branches(rest, path); ok {
		if null {
			inner = withNull(inner)
		}
		n.Drop(keyword)
		return joined(inner, n, true), true
	}
	return n, whole
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
