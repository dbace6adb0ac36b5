// Package schema holds what a record may hold: it loads, checks and compiles
// schemas.
//
// A schema is YAML in which a field's type is the key and what to tell the
// model is its value:
//
//	schema: footbridge-inspection
//	about: One visit to one footbridge.
//	fields:
//	  report_no: {text: Number at the top of the report., required: true}
//	  bays:
//	    list: The bays, in the order of the report.
//	    key: [number]
//	    fields:
//	      number: {integer: Bay number.}
//	      length: "Clear length, as printed."
//
// Rules it keeps:
//
//   - All faults of a file come at once, each with its place and the nearest
//     known word.
//   - A schema compiles to JSON Schema twice: Full says all that we check,
//     Wire says only what servers that constrain decoding commonly take, with
//     every property required and unknown as null.
//   - The root is a field like any other: a group, or with `each: entry` a
//     list of groups, so that nothing else needs to know the difference.
package schema

import (
	"crypto/sha256"
	"encoding/hex"
	"regexp"
	"strings"

	"filler/internal/base/place"
	"filler/internal/base/value"
)

// Type is the type of a field.
type Type string

// The types. Group and List hold other fields; all others are leaves.
const (
	Text     Type = "text"
	Integer  Type = "integer"
	Number   Type = "number"
	Boolean  Type = "boolean"
	Date     Type = "date"
	Time     Type = "time"
	DateTime Type = "datetime"
	Choice   Type = "choice"
	Money    Type = "money"
	Quantity Type = "quantity"
	Link     Type = "link"
	Any      Type = "any" // whatever JSON holds; keywords of a JSON Schema may say what
	Group    Type = "group"
	List     Type = "list"
)

// Types are all types, as messages list them.
var Types = []string{"text", "integer", "number", "boolean", "date", "time", "datetime", "choice", "money", "quantity", "link", "any", "group", "list"}

// Field is a node of a schema.
type Field struct {
	Name      string
	Path      string // bays[].number; "" for the record itself
	Type      Type
	About     string // what the model is told
	Required  bool
	PrintedAs []string // what documents print before the value
	Pattern   *regexp.Regexp
	Min       string // a decimal, or ""
	Max       string
	Written   []DateFormat
	Numbers   NumberFormat // how documents write its figures
	Pivot     int          // of a date, the first of the hundred years that two digits mean; 0: none
	Precision string       // of a date, the coarsest that is allowed: day, month or year
	Zone      string       // of a datetime that is printed without one: a name, an offset, or NoZone
	Currency  string       // of money: the one it must have, or ""
	Unit      string       // of a quantity, likewise
	To        []string     // of a link: paths of the fields it may point to
	Targets   []*Field     // these fields
	Evidence  string       // the loosest kind allowed: quoted, restated or inferred
	Concludes bool         // the schema itself says that it may be inferred, and not the type's default
	Basis     bool         // an inferred value must come with the words it rests on
	Avoid     []string     // what does not belong in it
	Minus     []string     // words beside a figure that say that it is below 0
	Plus      []string     // and those that say that it is above
	Yes       []string     // of a boolean: words that say that it is true
	No        []string     // and that it is false
	UnitAlso  []string     // of a quantity: other words for its unit
	Sensitive bool         // masked wherever people look on
	Style     string       // how the field is asked for, where it is not as the rest: one of AskStyles
	Normalize []string     // further normalizers, or "none"
	Compare   Comparison
	Weight    string // a decimal, or "" for 1
	Examples  []Example
	Extra     value.Value // keywords of an imported JSON Schema that have no word here, an object
	Of        []Option    // of a choice
	List      *Reference  // of a choice: the file whose rows these are; nil: the schema names them
	Key       []string    // of a list: names of leaves of its item
	RemovedAs []string    // of a list: what documents say of an item that no longer counts
	Ordered   bool        // of a list: its order counts
	Was       []Older     // its older names
	Entity    *Entity     // what it holds is one thing across documents; nil: not so
	Edge      *Edge       // of a list: its items join two things; nil: they do not
	Fields    []*Field    // of a group
	Item      *Field      // of a list: a group, or a leaf
	byName    bool        // what IsMap tells
	decimal   bool        // of a number: its schema lets it come as a text too
	hidden    bool        // it is sensitive, or what it lies in
	holdsAny  bool        // it is of any form, or a field below it
	inside    *Inner      // what is known of a value of any form
	inner     []*Field    // of a map what its values are, of a tuple what stands at each place
}

// NumberFormat is how documents write figures: the sign before decimals and
// the one between groups of three digits. The zero value is a point and none.
type NumberFormat struct{ Decimal, Group string }

// Comparison says when a filled value counts as gold's. The zero value is
// `exact`.
type Comparison struct {
	Kind  string // "", exact, loose, within, similar, set or none
	Bound string // of within and similar, a decimal
}

// Example is a solved snippet that is shown to the model.
type Example struct {
	Text  string
	Gives value.Value
}

// Option is one choice.
type Option struct {
	Value string
	About string
	Also  []string // synonyms
}

// Schema is a loaded schema.
type Schema struct {
	Name      string
	About     string
	Version   string
	Root      *Field
	Rules     []*Rule
	Concluded []string // paths of fields of an imported schema that no document prints, which may be inferred
	renamed   bool     // some field has an older name
	File      string
	Source    []byte // the file as it was read
	// Advice is what is no fault and may still go wrong.
	Advice place.Faults
}

// Kin gives the field whose type a value has: of a link the field it points
// to, else the field itself.
func (f *Field) Kin() *Field {
	if f.Type == Link && len(f.Targets) > 0 {
		return f.Targets[0]
	}
	return f
}

// Scored reports whether the field's leaves count in a score.
func (f *Field) Scored() bool { return f.Compare.Kind != "none" }

// AllowsInferred reports whether a value may stand in the record with evidence no
// tighter than inferred, that is, without a place in the source.
func (f *Field) AllowsInferred() bool { return f.Evidence == "inferred" }

// IsLeaf reports whether the field holds a value.
func (f *Field) IsLeaf() bool { return f.Type != Group && f.Type != List }

// Child gives the field called name of a group, or nil.
func (f *Field) Child(name string) *Field {
	for _, kid := range f.Fields {
		if kid.Name == name {
			return kid
		}
	}
	return nil
}

// Walk calls visit for f and all fields below it, parents first, with the
// level of each. An item group of a list is passed over, its fields are not.
func (f *Field) Walk(visit func(f *Field, level int)) { f.walk(visit, 0) }

func (f *Field) walk(visit func(*Field, int), level int) {
	visit(f, level)
	for _, kid := range f.below() {
		kid.walk(visit, level+1)
	}
}

// below gives the fields one level down; a list's item group is no level.
func (f *Field) below() []*Field {
	switch {
	case f.Type == Group:
		return f.Fields
	case f.Type == List && f.Item.Type == Group:
		return f.Item.Fields
	}
	return nil
}

// Leaves gives all places that hold a value, in schema order. A plain item of
// a list is one, with the path of the list and `[]`.
func (s *Schema) Leaves() []*Field {
	var leaves []*Field
	var add func(f *Field)
	add = func(f *Field) {
		switch f.Type {
		case Group:
			for _, kid := range f.Fields {
				add(kid)
			}
		case List:
			add(f.Item)
		default:
			leaves = append(leaves, f)
		}
	}
	add(s.Root)
	return leaves
}

// Record gives the field of one record: the root, or with `each: entry` the
// root's item.
func (s *Schema) Record() *Field {
	if s.EachEntry() {
		return s.Root.Item
	}
	return s.Root
}

// EachEntry reports whether a document holds any number of records. Without a schema it
// holds one.
func (s *Schema) EachEntry() bool { return s != nil && s.Root.Type == List }

// At gives the field of the place that p names, or nil.
func (s *Schema) At(p value.Pointer) *Field {
	f := s.Root
	for _, step := range p.Steps() {
		switch f.Type {
		case Group:
			f = f.Child(step)
		case List:
			if _, ok := value.ArrayIndex(step); !ok && step != "-" {
				return nil
			}
			f = f.Item
		default:
			return nil
		}
		if f == nil {
			return nil
		}
	}
	return f
}

// Find gives the field with the given path, or nil.
func (s *Schema) Find(path string) *Field {
	var found *Field
	s.Root.Walk(func(f *Field, _ int) {
		if f.Path == path {
			found = f
		}
		if f.Type == List && f.Item.Path == path && f.Item.IsLeaf() {
			found = f.Item
		}
	})
	return found
}

// IsSensitive tells whether the field of a path is sensitive, or what it lies in.
func (s *Schema) IsSensitive(path string) bool {
	sensitive := false
	s.Root.Walk(func(f *Field, _ int) {
		within := path == f.Path || strings.HasPrefix(path, f.Path+".") || strings.HasPrefix(path, f.Path+"[]")
		sensitive = sensitive || within && f.Path != "" && (f.Sensitive || f.Item != nil && f.Item.Sensitive)
	})
	return sensitive
}

// Hash gives the hash of the schema's source, by which a run keeps it.
func (s *Schema) Hash() string {
	sum := sha256.Sum256(s.Source)
	return hex.EncodeToString(sum[:])
}

// Spoken gives a field name as words: `report_no` as "report no".
func Spoken(name string) string {
	var b strings.Builder
	for i, r := range name {
		switch {
		case r == '_':
			b.WriteByte(' ')
		case r >= 'A' && r <= 'Z' && i > 0 && name[i-1] >= 'a' && name[i-1] <= 'z':
			b.WriteByte(' ')
			b.WriteRune(r - 'A' + 'a')
		case r >= 'A' && r <= 'Z':
			b.WriteRune(r - 'A' + 'a')
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}
