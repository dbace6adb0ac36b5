package schema

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/place"
	"filler/internal/base/value"
)

// Load reads and checks a schema file, or takes in a JSON Schema (.json). Its faults come back
// as place.Faults.
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
	if strings.EqualFold(filepath.Ext(file), ".json") && isJSONSchema(data) { // what import makes of it
		s, _, err := ImportFile(file)
		if err == nil {
			s.File = file
		}
		return s, err
	}
	return Parse(file, data)
}

// isJSONSchema tells a JSON Schema from a schema of ours in JSON.
func isJSONSchema(data []byte) bool {
	v, err := value.ParseBytes(data)
	return err != nil || v.Get("fields") == nil || v.Get("properties") != nil || v.Get("$schema") != nil
}

// Parse is Load for bytes; name stands for the file in faults.
func Parse(name string, data []byte) (*Schema, error) {
	own, lists, err := splitKept(data)
	if err != nil {
		return nil, place.Faults{{File: name, Msg: err.Error(), Hint: "take it from another copy"}}
	}
	f, root := place.Load(name, own)
	s := &Schema{File: name, Source: own}
	if root != nil {
		l := &loader{s: s, shared: map[string]*place.Node{}, lists: lists, kept: lists != nil}
		l.root(root)
		s.keep(l.lists)
		if len(f.Faults) == 0 {
			l.advise(f)
		}
	}
	f.Faults = f.Faults.Unique()
	for i := range f.Faults {
		f.Faults[i].Excerpt = f.Excerpt(f.Faults[i].Line)
	}
	if err := f.Faults.Err(); err != nil {
		return nil, err
	}
	return s, nil
}

// RootKeys are the keys at the top of a schema.
var RootKeys = []string{"schema", "about", "version", "each", "key", "fields", "shared", "rules", "examples", "entity", "keywords"}

// loader reads one schema file.
type loader struct {
	s      *Schema
	shared map[string]*place.Node
	open   []string // the shared groups that are being taken in
	later  []func() // what needs the whole schema
	nodes  map[*Field]*place.Node
	lists  map[string][]byte // those in files, by the names that the schema gives
	kept   bool              // they came with the schema
}

var (
	schemaName = lazy.New(`^[A-Za-z0-9_-]{1,60}$`)
	fieldName  = lazy.New(`^[A-Za-z_][A-Za-z0-9_-]{0,59}$`)
)

func (l *loader) root(root *place.Node) {
	l.nodes = map[*Field]*place.Node{}
	if root.Get("fields") == nil && (root.Get("properties") != nil || root.Get("$schema") != nil) {
		root.Fault("this is a JSON Schema, not a schema of ours", "`filler schema import FILE` makes one of it")
		return
	}
	root.Known(RootKeys...)
	record := &Field{Type: Group}
	l.s.Root = record
	l.readShared(root.Get("shared"))
	for _, n := range root.Pairs() {
		switch n.Key() {
		case "schema":
			l.s.Name = n.Filled("the schema's name")
			if l.s.Name != "" && !schemaName.MatchString(l.s.Name) {
				n.Fault(fmt.Sprintf("%q is not a schema name", l.s.Name), "use letters, digits, `-` and `_`, at most 60")
			}
		case "about":
			l.s.About = n.Prose("what a record is about")
		case "version":
			l.s.Version = n.Filled("the version")
		case "each":
			switch n.Text() {
			case "document":
			case "entry":
				l.s.Root = &Field{Type: List, Item: record}
			default:
				n.Fault(fmt.Sprintf("each is `document` or `entry`, not %q", n.Text()), "write `each: document` for one record a document")
			}
		case "fields":
			l.fields(n, record)
		case "examples":
			l.examples(n, record)
		case "entity":
			l.key(n, record)
		case "keywords":
			record.Extra = n.Value()
		}
	}
	l.needed(root)
	record.About, l.s.Root.About = l.s.About, l.s.About
	if key := root.Get("key"); key != nil {
		l.rootKey(key, record)
	}
	for _, do := range l.later {
		do()
	}
	if rules := root.Get("rules"); rules != nil {
		l.rules(rules)
	}
	l.s.settleAny()
}

func (l *loader) needed(root *place.Node) {
	if root.Get("schema") == nil {
		root.Fault("the key \"schema\" is missing", "give the schema a name: `schema: my-records`")
	}
	if root.Get("fields") == nil {
		root.Fault("the schema has no fields", "add `fields:` with at least one field")
	}
}

func (l *loader) rootKey(n *place.Node, record *Field) {
	if l.s.Root.Type != List {
		n.Fault("a key tells entries apart, and this schema has one record a document", "add `each: entry`, or put the key into a list")
		return
	}
	l.s.Root.Key = n.Texts()
	checkKey(n, record, l.s.Root.Key)
}

// readShared finds the shared groups and checks each by itself.
func (l *loader) readShared(n *place.Node) {
	for _, kid := range n.Pairs() {
		l.shared[kid.Key()] = kid
	}
	for _, kid := range n.Pairs() {
		probe := &Field{Type: Group, Name: kid.Key(), Path: kid.Key()}
		later := l.later
		l.uses(kid, kid.Key(), probe)
		l.later = later // links of a shared group are resolved where it is taken in
	}
}

// uses reads the shared group called name into f. at is the node that asks.
func (l *loader) uses(at *place.Node, name string, f *Field) {
	n := l.shared[name]
	if n == nil {
		at.Fault(fmt.Sprintf("no shared group is called %q", name), place.Suggest(name, l.sharedNames()))
		return
	}
	for _, open := range l.open {
		if open == name {
			at.Fault(fmt.Sprintf("the shared group %q contains itself (%s)", name, strings.Join(append(l.open, name), " → ")), "break the loop")
			return
		}
	}
	l.open = append(l.open, name)
	defer func() { l.open = l.open[:len(l.open)-1] }()
	n.Known("group", "fields", "entity")
	if e := n.Get("entity"); e != nil && f.Type == Group && f.Entity == nil {
		if l.key(e, f); f.Entity != nil && f.Entity.Called == "" {
			f.Entity.Called = name // one kind, wherever it is taken in
		}
	}
	if about := n.Get("group"); about != nil && f.About == "" {
		f.About = about.Prose("what the group is about")
	}
	fields := n.Get("fields")
	if fields == nil {
		n.Fault(fmt.Sprintf("the shared group %q has no fields", name), "add `fields:`")
		return
	}
	l.fields(fields, f)
}

func (l *loader) sharedNames() []string {
	var names []string
	for name := range l.shared {
		names = append(names, name)
	}
	if len(names) == 0 {
		return []string{"none; add `shared:` at the top"}
	}
	return names
}

func (l *loader) fields(n *place.Node, parent *Field) {
	if !n.IsMap() || len(n.Pairs()) == 0 {
		n.Fault("no fields are here", "write one line a field: `name: {text: What it is.}`")
		return
	}
	folded := map[string]string{}
	for _, kid := range n.Pairs() {
		name := kid.Key()
		if !fieldName.MatchString(name) {
			hint := "begin with a letter, then letters, digits, `_` and `-`"
			if plain := strings.Join(strings.Fields(name), "_"); fieldName.MatchString(plain) {
				hint = fmt.Sprintf("write %q", plain)
			}
			kid.KeyFault(fmt.Sprintf("%q is not a field name", name), hint)
			continue
		}
		if other, clash := folded[fold(name)]; clash && other != name {
			kid.KeyFault(fmt.Sprintf("the names %q and %q differ in case, `_` or `-` only", other, name), "models mix such names up; rename one")
		}
		folded[fold(name)] = name
		path := name
		if parent.Path != "" {
			path = parent.Path + "." + name
		}
		f := &Field{Name: name, Path: path, Type: Text}
		l.field(kid, f)
		parent.Fields = append(parent.Fields, f)
	}
}

func fold(name string) string { return strings.ToLower(separators.Replace(name)) }

var separators = strings.NewReplacer("_", "", "-", "")

// CommonKeys may stand in every field, TypeKeys only with their types.
var CommonKeys = []string{"required", "printed_as", "evidence", "avoid", "sensitive", "style", "examples", "was", "keywords"}

// leafKeys may stand in every field that holds a value.
var leafKeys = []string{"basis", "normalize", "compare", "weight"}

// TypeKeys are the keys that a type has of its own.
var TypeKeys = map[Type][]string{
	Text:     {"pattern", "min", "max", "entity"},
	Integer:  {"min", "max", "written", "signs"},
	Number:   {"min", "max", "written", "signs"},
	Boolean:  {"true", "false"},
	Date:     {"written", "precision", "pivot"},
	Time:     {},
	DateTime: {"written", "pivot", "zone"},
	Choice:   {"of"},
	Money:    {"currency", "min", "max", "written", "signs"},
	Quantity: {"unit", "min", "max", "written", "signs"},
	Link:     {"to"},
	Any:      {},
	Group:    {"fields", "entity"},
	List:     {"fields", "items", "uses", "key", "ordered", "removed_as", "entity", "edge", "min", "max", "item_keywords"},
}

// KeysOf gives all keys that a field of a type may have.
func KeysOf(t Type) []string {
	keys := append([]string{string(t)}, CommonKeys...)
	if t != Group && t != List {
		keys = append(keys, leafKeys...)
	}
	return append(keys, TypeKeys[t]...)
}

func (l *loader) field(n *place.Node, f *Field) {
	l.nodes[f] = n
	defer f.settle()
	if n.IsScalar() {
		f.About = n.Prose("what to tell the model about this field")
		return
	}
	if !n.IsMap() {
		n.Fault("expected a field, not a list", "write `name: {text: What it is.}`")
		return
	}
	if uses := n.Get("uses"); uses != nil && n.Get("list") == nil {
		f.Type = Group
		n.Known("uses", "about", "required", "printed_as", "entity", "was")
		if about := n.Get("about"); about != nil {
			f.About = about.Prose("what to tell the model about this field")
		}
		l.uses(uses, uses.Text(), f)
		for _, key := range []string{"required", "printed_as", "entity", "was"} {
			if kid := n.Get(key); kid != nil {
				l.key(kid, f)
			}
		}
		return
	}
	if !readType(n, f) {
		return
	}
	form := formIn(n)
	known := KeysOf(f.Type)
	if form != "" {
		known = keysOfForm(form)
	}
	for _, kid := range n.Pairs() {
		if types := typesWith(kid.Key()); len(types) > 0 && !slices.Contains(known, kid.Key()) && !isType(kid.Key()) {
			kid.KeyFault(fmt.Sprintf("the type %s has no key %q", f.Type, kid.Key()), "it goes with "+strings.Join(types, ", "))
			known = append(known, kid.Key())
		}
	}
	n.Known(known...)
	for _, kid := range n.Pairs() {
		if !slices.Contains(FormKeys[form], kid.Key()) {
			l.key(kid, f)
		}
	}
	if form != "" {
		l.form(n, f, form)
		return
	}
	l.whole(n, f)
}

// settle fills in what a field does not say.
func (f *Field) settle() {
	if f.Evidence == "" {
		f.Evidence = f.defaultEvidence()
	}
}

// DefaultEvidence is the loosest kind that a type allows unless the field says
// otherwise: choices and booleans are conclusions, all else should be written
// somewhere.
func DefaultEvidence(t Type) string {
	if t == Choice || t == Boolean {
		return "inferred"
	}
	return "restated"
}

// defaultEvidence gives it for a field: what is one of a list of thousands is named where it is meant.
func (f *Field) defaultEvidence() string {
	if f.List != nil {
		return "lookalike"
	}
	return DefaultEvidence(f.Type)
}

// readType finds the one type key of a field and its description.
func readType(n *place.Node, f *Field) bool {
	var types []string
	for _, kid := range n.Pairs() {
		if isType(kid.Key()) || slices.Contains(Forms, kid.Key()) {
			types = append(types, kid.Key())
			switch f.Type = Type(kid.Key()); kid.Key() {
			case "map", "tuple":
				f.Type = Any
			case "one of":
				f.Type = Group
			}
			f.About = kid.Prose("what to tell the model about this field")
		}
	}
	switch len(types) {
	case 1:
		return true
	case 0:
		hint := "one key of a field is its type: " + strings.Join(Types, ", ") + ", " + strings.Join(Forms, ", ")
		for _, kid := range n.Pairs() {
			if near := place.Nearest(kid.Key(), Types); near != "" && len(typesWith(kid.Key())) == 0 {
				hint = fmt.Sprintf("did you mean %q for %q?", near, kid.Key())
			}
			called := kid.Key()
			if called == "type" && kid.IsScalar() {
				called = kid.Text()
			}
			if here := typeCalled(f.Name, called); here != "" && len(typesWith(called)) == 0 {
				hint = here
				break
			}
			if kid.Key() == "type" && kid.IsScalar() && isType(kid.Text()) {
				hint = fmt.Sprintf("the type is a key, and what to tell the model its value: `%s: {%s: What it is.}`", f.Name, kid.Text())
				break
			}
		}
		n.KeyFault(fmt.Sprintf("the field %q has no type", f.Name), hint)
	default:
		n.KeyFault(fmt.Sprintf("the field %q has %d types (%s)", f.Name, len(types), strings.Join(types, ", ")), "keep one")
	}
	return false
}

// calledElsewhere is what types are called in other languages, with their names here.
var calledElsewhere = map[string]string{
	"string": "text", "str": "text", "char": "text", "email": "text", "url": "text", "uuid": "text", "int": "integer", "long": "integer", "count": "integer",
	"float": "number", "double": "number", "decimal": "number", "real": "number", "bool": "boolean", "flag": "boolean", "enum": "choice", "options": "choice", "literal": "choice",
	"object": "group", "struct": "group", "record": "group", "array": "list", "currency": "money", "price": "money", "amount": "money", "timestamp": "datetime", "instant": "datetime",
	"dict": "map", "dictionary": "map", "union": "one of", "day": "date", "hour": "time", "clock": "time", "phone": "text", "address": "text", "code": "text",
	"category": "choice", "set": "list", "table": "list", "rows": "list", "reference": "link", "ref": "link", "measure": "quantity", "dimension": "quantity", "length": "quantity", "weight": "quantity", "mass": "quantity", "volume": "quantity",
}

// typeCalled says how a type is written here that is called otherwise elsewhere; "" for none.
func typeCalled(name, elsewhere string) string {
	switch called := strings.ToLower(elsewhere); called {
	case "duration", "interval", "timedelta":
		return fmt.Sprintf("a length of time is a quantity: `%s: {quantity: How long it lasts., unit: h}`", name)
	case "percent", "percentage":
		return fmt.Sprintf("a percentage is a quantity: `%s: {quantity: What share it is., unit: \"%%\"}`", name)
	case "month":
		return fmt.Sprintf("a month is a date: `%s: {date: The month., precision: month}`", name)
	case "year":
		return fmt.Sprintf("a year is a date or an integer: `%s: {date: The year., precision: year}`", name)
	default:
		if here := calledElsewhere[called]; here != "" {
			more := map[string]string{"choice": ", of: [one, another]", "group": ", fields: {name: Its name.}", "list": ", items: {text: One.}", "link": ", to: 'LIST[].KEY'", "quantity": ", unit: m"}[here]
			return fmt.Sprintf("%q is called %q here: `%s: {%s: What it is.%s}`", elsewhere, here, name, here, more)
		}
	}
	return ""
}

// typesWith names the types whose fields may have a key.
func typesWith(key string) (types []string) {
	for _, t := range Types {
		if slices.Contains(KeysOf(Type(t)), key) {
			types = append(types, t)
		}
	}
	return types
}

func isType(key string) bool {
	for _, t := range Types {
		if key == t {
			return true
		}
	}
	return false
}
