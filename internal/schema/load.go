package schema

import (
	"fmt"
	"os"
	"regexp"
	"strings"

	"github.com/shopspring/decimal"

	"filler/internal/place"
)

// Load reads and checks a schema file. Its faults come back as place.Faults.
func Load(file string) (*Schema, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		msg, hint := "can't be read", "check its permissions"
		if os.IsNotExist(err) {
			msg, hint = "there is no such file", "check the path of the schema"
		} else if info, serr := os.Stat(file); serr == nil && info.IsDir() {
			msg, hint = "this is a folder", "name the schema file in it"
		}
		return nil, place.Faults{{File: file, Msg: msg, Hint: hint}}
	}
	return Parse(file, data)
}

// Parse is Load for bytes; name stands for the file in faults.
func Parse(name string, data []byte) (*Schema, error) {
	f, root := place.Load(name, data)
	s := &Schema{File: name, Source: data}
	if root != nil {
		s.read(root)
	}
	if err := f.Faults.Err(); err != nil {
		return nil, err
	}
	return s, nil
}

func (s *Schema) read(root *place.Node) {
	root.Known("schema", "about", "each", "fields")
	record := &Field{Type: Group}
	s.Root = record
	for _, n := range root.Pairs() {
		switch n.Key() {
		case "schema":
			s.Name = n.Filled("the schema's name")
			if s.Name != "" && !schemaName.MatchString(s.Name) {
				n.Fault(fmt.Sprintf("%q is no name for a schema", s.Name), "use letters, digits, `-` and `_`, at most 60")
			}
		case "about":
			s.About = n.Prose("what a record is about")
		case "each":
			switch n.Text() {
			case "document":
			case "entry":
				s.Root = &Field{Type: List, Item: record}
			default:
				n.Fault(fmt.Sprintf("each is `document` or `entry`, not %q", n.Text()), "write `each: document` for one record a document")
			}
		case "fields":
			readFields(n, record)
		}
	}
	if root.Get("schema") == nil {
		root.Fault("the key \"schema\" is missing", "give the schema a name: `schema: my-records`")
	}
	if root.Get("fields") == nil {
		root.Fault("the schema has no fields", "add `fields:` with at least one field")
	}
	record.About, s.Root.About = s.About, s.About
}

var (
	schemaName = regexp.MustCompile(`^[A-Za-z0-9_-]{1,60}$`)
	fieldName  = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_]{0,59}$`)
)

func readFields(n *place.Node, parent *Field) {
	if !n.IsMap() || len(n.Pairs()) == 0 {
		n.Fault("no fields stand here", "write one line a field: `name: {text: What it is.}`")
		return
	}
	folded := map[string]string{}
	for _, kid := range n.Pairs() {
		name := kid.Key()
		if !fieldName.MatchString(name) {
			kid.KeyFault(fmt.Sprintf("%q is no field name", name), "begin with a letter, then letters, digits and `_`")
			continue
		}
		if other, clash := folded[fold(name)]; clash && other != name {
			kid.KeyFault(fmt.Sprintf("the names %q and %q differ in case or `_` only", other, name), "models mix such names up; rename one")
		}
		folded[fold(name)] = name
		path := name
		if parent.Path != "" {
			path = parent.Path + "." + name
		}
		parent.Fields = append(parent.Fields, readField(kid, name, path))
	}
}

func fold(name string) string { return strings.ToLower(strings.ReplaceAll(name, "_", "")) }

// commonKeys may stand in every field, the others only with their types.
var commonKeys = []string{"required", "labels", "evidence"}

// evidenceKinds are the values of `evidence`.
var evidenceKinds = []string{"quoted", "restated", "inferred"}

var typeKeys = map[Type][]string{
	Text:    {"pattern", "least", "most"},
	Integer: {"least", "most"},
	Number:  {"least", "most"},
	Boolean: {},
	Date:    {"written"},
	Choice:  {"of"},
	Group:   {"fields"},
	List:    {"fields", "items", "key", "ordered", "least", "most"},
}

func readField(n *place.Node, name, path string) *Field {
	f := &Field{Name: name, Path: path, Type: Text}
	if n.IsScalar() {
		f.Evidence = defaultEvidence(Text)
		f.About = n.Prose("what to tell the model about this field")
		return f
	}
	if !n.IsMap() {
		n.Fault("a field should stand here, not a list", "write `name: {text: What it is.}`")
		return f
	}
	if !readType(n, f) {
		return f
	}
	n.Known(append(append([]string{string(f.Type)}, commonKeys...), typeKeys[f.Type]...)...)
	for _, kid := range n.Pairs() {
		f.readKey(kid)
	}
	f.checkWhole(n)
	return f
}

// readType finds the one type key of a field and its description.
func readType(n *place.Node, f *Field) bool {
	var types []string
	for _, kid := range n.Pairs() {
		if isType(kid.Key()) {
			types = append(types, kid.Key())
			f.Type = Type(kid.Key())
			f.About = kid.Prose("what to tell the model about this field")
		}
	}
	switch len(types) {
	case 1:
		return true
	case 0:
		hint := "one key of a field is its type: " + strings.Join(Types, ", ")
		for _, kid := range n.Pairs() {
			if near := place.Nearest(kid.Key(), Types); near != "" {
				hint = fmt.Sprintf("did you mean %q for %q?", near, kid.Key())
			}
		}
		n.KeyFault(fmt.Sprintf("the field %q has no type", f.Name), hint)
	default:
		n.KeyFault(fmt.Sprintf("the field %q has %d types (%s)", f.Name, len(types), strings.Join(types, ", ")), "keep one")
	}
	return false
}

func isType(key string) bool {
	for _, t := range Types {
		if key == t {
			return true
		}
	}
	return false
}

func (f *Field) readKey(n *place.Node) {
	switch n.Key() {
	case "required":
		f.Required = n.Bool()
	case "labels":
		f.Labels = n.Texts()
	case "evidence":
		if f.Evidence = n.Text(); place.Nearest(f.Evidence, evidenceKinds) != f.Evidence {
			n.Fault(fmt.Sprintf("unknown kind of evidence %q", f.Evidence), place.Suggest(f.Evidence, evidenceKinds))
		}
	case "pattern":
		text := n.Filled("the pattern")
		re, err := regexp.Compile(text)
		if err != nil {
			n.Fault(fmt.Sprintf("the pattern does not compile: %s", patternError(err)), "patterns are RE2: no look-around, no back-references")
		}
		f.Pattern = re
	case "least":
		f.Least = f.readBound(n)
	case "most":
		f.Most = f.readBound(n)
	case "written":
		for _, text := range n.Texts() {
			format, err := ParseDateFormat(text)
			if err != nil {
				n.Fault(fmt.Sprintf("%q: %s", text, err), "known signs: D, DD, M, MM, MMM, MMMM, YYYY")
			}
			f.Written = append(f.Written, format)
		}
	case "of":
		f.readOptions(n)
	case "key":
		f.Key = n.Texts()
	case "ordered":
		f.Ordered = n.Bool()
	case "fields":
		if f.Type == List {
			f.Item = &Field{Type: Group, Path: f.Path + "[]"}
			readFields(n, f.Item)
		} else {
			readFields(n, f)
		}
	case "items":
		f.Item = readField(n, "", f.Path+"[]")
		if !f.Item.IsLeaf() {
			n.Fault("items are plain values", "for items with fields write `fields:`")
		}
	}
}

func patternError(err error) string {
	return strings.TrimPrefix(err.Error(), "error parsing regexp: ")
}

// readBound reads a number; of texts and lists it bounds the length.
func (f *Field) readBound(n *place.Node) string {
	d, err := decimal.NewFromString(n.Text())
	if err != nil || len(n.Text()) > 40 || d.Exponent() > 40 {
		n.Fault(fmt.Sprintf("%q is no number", n.Text()), "write it in digits, without a unit")
		return ""
	}
	if (f.Type == Text || f.Type == List) && (!d.IsInteger() || d.IsNegative()) {
		n.Fault("a length is a whole number from 0", "of texts and lists, least and most bound the length")
		return ""
	}
	return d.String()
}

func (f *Field) readOptions(n *place.Node) {
	switch {
	case n.IsList():
		for _, text := range n.Texts() {
			f.Of = append(f.Of, Option{Value: text})
		}
	case n.IsMap():
		for _, kid := range n.Pairs() {
			f.Of = append(f.Of, readOption(kid))
		}
	default:
		n.Fault("the choices should stand here", "write `of: [dry, wet]`, or one line a choice")
		return
	}
	seen := map[string]bool{}
	for _, o := range f.Of {
		if seen[o.Value] {
			n.Fault(fmt.Sprintf("the choice %q stands here twice", o.Value), "keep one")
		}
		seen[o.Value] = true
	}
	if len(f.Of) < 2 {
		n.Fault("a choice needs at least two values to choose from", "add the others, or make the field a text")
	}
}

func readOption(n *place.Node) Option {
	o := Option{Value: n.Key()}
	switch {
	case n.IsNull():
	case n.IsScalar():
		o.About = n.Prose("what the choice means")
	case n.IsMap():
		n.Known("also", "about")
		o.Also = n.Get("also").Texts()
		if about := n.Get("about"); about != nil {
			o.About = about.Prose("what the choice means")
		}
	default:
		n.Fault("a choice holds `also` and `about`", "write `{also: [one, other]}`")
	}
	return o
}

// defaultEvidence is the loosest kind that a type allows unless the field says
// otherwise: choices and booleans are conclusions, all else should be written
// somewhere.
func defaultEvidence(t Type) string {
	if t == Choice || t == Boolean {
		return "inferred"
	}
	return "restated"
}

// checkWhole finds faults that lie between keys.
func (f *Field) checkWhole(n *place.Node) {
	if f.Evidence == "" {
		f.Evidence = defaultEvidence(f.Type)
	}
	switch f.Type {
	case Choice:
		if n.Get("of") == nil {
			n.KeyFault(fmt.Sprintf("the choice %q does not say what to choose from", f.Name), "add `of: [one, other]`")
		}
	case Group:
		if n.Get("fields") == nil {
			n.KeyFault(fmt.Sprintf("the group %q has no fields", f.Name), "add `fields:`")
		}
	case List:
		f.checkList(n)
	}
	if f.Least != "" && f.Most != "" {
		least, most := decimal.RequireFromString(f.Least), decimal.RequireFromString(f.Most)
		if least.GreaterThan(most) {
			n.Get("least").Fault(fmt.Sprintf("least (%s) is above most (%s)", f.Least, f.Most), "swap or mend them")
		}
	}
}

func (f *Field) checkList(n *place.Node) {
	if (n.Get("fields") == nil) == (n.Get("items") == nil) {
		n.KeyFault(fmt.Sprintf("the list %q should say what its items are, once", f.Name), "add `fields:` for items with fields, or `items: {text: What one item is.}`")
	}
	if f.Item == nil {
		f.Item = &Field{Type: Text, Path: f.Path + "[]"}
	}
	for _, key := range f.Key {
		kid := f.Item.Child(key)
		if kid == nil || !kid.IsLeaf() {
			var names []string
			for _, c := range f.Item.Fields {
				if c.IsLeaf() {
					names = append(names, c.Name)
				}
			}
			n.Get("key").Fault(fmt.Sprintf("the key names %q, which is no value of an item", key), place.Suggest(key, names))
		}
	}
}
