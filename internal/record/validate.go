package record

import (
	"encoding/json"
	"errors"
	"fmt"
	"sort"
	"strings"
	"unicode/utf8"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Validator checks records of one schema. It may be used by many goroutines.
type Validator struct {
	schema    *schema.Schema
	compiled  *jsonschema.Schema
	plain     bool                   // Sound knows it
	form      bool                   // likewise, but for links and rules
	anyMoney  bool                   // some money may be of any currency
	partDates bool                   // some date may be coarser than a day
	pointedTo map[*schema.Field]bool // fields that links point to
}

// refuse is the loader of a compiler that must never open anything.
type refuse struct{}

func (refuse) Load(url string) (any, error) {
	return nil, fmt.Errorf("a reference to %s, outside the schema; it is not followed", url)
}

// timeFormat takes a time of day without an offset, too: RFC 3339 wants one, documents have none, and
// the programs that write such schemas read either.
var timeFormat = jsonschema.Format{Name: "time", Validate: func(v any) error {
	if text, is := v.(string); is && !timeOfDay.MatchString(text) {
		return fmt.Errorf("it should be HH:MM or HH:MM:SS")
	}
	return nil
}}

var timeOfDay = lazy.New(`^(?:[01]\d|2[0-3]):[0-5]\d(?::(?:[0-5]\d|60)(?:\.\d+)?)?(?:[zZ]|[+-](?:[01]\d|2[0-3]):[0-5]\d)?$`)

// NewValidator compiles the schema's full JSON Schema.
func NewValidator(s *schema.Schema) (*Validator, error) {
	full := s.Full()
	c := jsonschema.NewCompiler()
	c.UseLoader(refuse{})
	c.AssertFormat()
	c.RegisterFormat(&timeFormat)
	if err := c.AddResource("filler:schema", native(&full)); err != nil {
		return nil, fmt.Errorf("%s: %w", s.File, notCompiled(err))
	}
	compiled, err := c.Compile("filler:schema")
	if err != nil {
		return nil, fmt.Errorf("%s: %w", s.File, notCompiled(err))
	}
	va := &Validator{schema: s, compiled: compiled, pointedTo: map[*schema.Field]bool{}}
	va.plain, va.form = isPlain(s)
	for _, f := range s.Leaves() {
		va.anyMoney = va.anyMoney || f.Type == schema.Money && f.Currency == ""
		va.partDates = va.partDates || f.Type == schema.Date && f.Precision != ""
		for _, t := range f.Targets {
			va.pointedTo[t] = true
		}
	}
	return va, nil
}

// native turns a tree into the types that the library takes.
func native(v *value.Value) any {
	switch v.Kind {
	case value.Bool:
		return v.Text == "true"
	case value.Number:
		return json.Number(v.Text)
	case value.String:
		return v.Text
	case value.Array:
		list := make([]any, len(v.Kids))
		for i := range v.Kids {
			list[i] = native(&v.Kids[i])
		}
		return list
	case value.Object:
		m := make(map[string]any, len(v.Kids))
		for i := range v.Kids {
			m[v.Kids[i].Name] = native(&v.Kids[i])
		}
		return m
	}
	return nil
}

// Check gives all problems of a record, in the order of its fields.
func (va *Validator) Check(record *value.Value) []Problem {
	isSound := va.form && sound(va.schema.Root, record, true)
	if isSound && va.plain {
		return nil
	}
	c := &collector{schema: va.schema, record: record, at: map[value.Pointer]int{}}
	if !isSound {
		va.byLibrary(c)
	}
	if va.partDates {
		c.dates(va.schema.Root, "", record)
	}
	if va.anyMoney {
		c.currencies(va.schema.Root, "", record)
	}
	if len(va.pointedTo) > 0 {
		c.links(va.schema, va.pointedTo)
	}
	c.rules(va.schema)
	Sort(va.schema, c.problems)
	return c.problems
}

// byLibrary finds what breaks the JSON Schema, and names that stand twice.
func (va *Validator) byLibrary(c *collector) {
	c.numbers(c.record)
	if len(c.problems) == 0 {
		if err := va.compiled.Validate(native(c.record)); err != nil {
			var ve *jsonschema.ValidationError
			if errors.As(err, &ve) {
				c.gather(ve)
			}
		}
	}
	c.repeats()
}

type collector struct {
	schema   *schema.Schema
	record   *value.Value
	problems []Problem
	at       map[value.Pointer]int // index of the problem of a path
}

// maxExponent bounds the numbers that the library is given: it computes with
// exact rationals, and 1e999999999 would fill the memory.
const maxExponent = 400

func (c *collector) numbers(record *value.Value) {
	if record.Scan(func(v *value.Value) bool {
		return v.Kind != value.Number || len(v.Text) < 400 && !strings.ContainsAny(v.Text, "eE")
	}) {
		return // nothing with an exponent, and nothing of that length
	}
	record.Walk(func(p value.Pointer, v *value.Value) bool {
		if v.Kind != value.Number {
			return true
		}
		canonical := value.CanonicalNumber(v.Text)
		if _, power, has := strings.Cut(canonical, "e"); has && len(strings.TrimLeft(power, "-")) >= 3 && !withinExponent(power) {
			c.add(p, Exponent{}, v)
		}
		return true
	})
}

func withinExponent(power string) bool {
	digits := strings.TrimLeft(power, "-")
	return len(digits) < 3 || (len(digits) == 3 && digits <= fmt.Sprint(maxExponent))
}

// rank orders codes where one value fails in several ways: the first is told.
var rank = map[Code]int{Missing: 0, Type: 1, Choice: 2, Format: 3, Pattern: 4, Length: 5, Range: 6}

func (c *collector) add(p value.Pointer, what What, v *value.Value) {
	problem := Problem{Path: p, What: what}
	if v != nil {
		clone := v.Clone().Named("")
		problem.Value = &clone
	}
	if i, again := c.at[p]; again {
		if rank[what.Code()] < rank[c.problems[i].Code()] {
			c.problems[i] = problem
		}
		return
	}
	c.at[p] = len(c.problems)
	c.problems = append(c.problems, problem)
}

func (c *collector) gather(e *jsonschema.ValidationError) {
	if meant := branchMeant(e); meant != nil {
		c.gather(meant)
		return
	}
	if len(e.Causes) > 0 {
		for _, cause := range e.Causes {
			c.gather(cause)
		}
		return
	}
	p := value.Pointer("")
	for _, step := range e.InstanceLocation {
		p = p.Key(step)
	}
	v, f := c.record.At(p), c.schema.At(p)
	switch k := e.ErrorKind.(type) {
	case *kind.Required:
		if f != nil && f.IsLeaf() && f.Type != schema.Any {
			c.keyword(p, v, f, e.ErrorKind)
			return
		}
		for _, name := range k.Missing {
			c.add(p.Key(name), NotThere{}, nil)
		}
	case *kind.AdditionalProperties:
		if f != nil && f.Type == schema.Any {
			c.add(p, Keyword{keywordOf(k)}, v)
			return
		}
		if f != nil && f.IsLeaf() {
			c.add(p, OfType{Want: f.Type}, v)
			return
		}
		extra := map[string]*value.Value{}
		for i := range v.Kids {
			if kid := &v.Kids[i]; extra[kid.Name] == nil {
				extra[kid.Name] = kid
			}
		}
		for _, name := range k.Properties {
			if f != nil && f.Child(name) != nil { // of another form of a union
				c.add(p.Key(name), Keyword{keywordOf(k)}, extra[name])
				continue
			}
			c.add(p.Key(name), NoField{meant(f, name)}, extra[name])
		}
	default:
		if f != nil && (f.Type == schema.Any || throughKept(e.SchemaURL)) && !(f.Required && v.Empty()) {
			c.add(p, Keyword{keywordOf(e.ErrorKind)}, v)
			return
		}
		c.keyword(p, v, f, e.ErrorKind)
	}
}

// kept are steps in the place of a keyword that lead through what an imported schema says
// beyond our words.
var kept = lazy.New(`/(allOf|anyOf|oneOf|not|if|then|else|dependentSchemas|\$defs|patternProperties|additionalProperties|unevaluated\w+|prefixItems|contains|propertyNames)(/|$)`)

func throughKept(place string) bool {
	_, at, _ := strings.Cut(place, "#")
	return kept.MatchString(at)
}

// meant gives the field of a group that a name may be meant for, or "".
func meant(group *schema.Field, name string) string {
	if group == nil {
		return ""
	}
	for _, kid := range group.Fields {
		if strings.EqualFold(strings.ReplaceAll(kid.Name, "_", ""), strings.ReplaceAll(name, "_", "")) {
			return kid.Name
		}
	}
	return ""
}

func (c *collector) keyword(p value.Pointer, v *value.Value, f *schema.Field, k jsonschema.ErrorKind) {
	if f == nil {
		c.inner(p, v, k)
		return
	}
	if f.Required && v.Empty() {
		c.add(p, NotThere{}, nil)
		return
	}
	if len(f.Extra.Kids) > 0 && isKept(f, k) {
		c.add(p, Keyword{keywordOf(k)}, v)
		return
	}
	switch k.(type) {
	case *kind.Type:
		c.add(p, OfType{f.Kin().Type, &v.Kind}, v)
	case *kind.Enum:
		c.add(p, noChoice(f, v), v)
	case *kind.Required: // an amount without its measure
		c.add(p, OfType{Want: f.Type}, v)
	case *kind.Pattern:
		if f.Pattern == nil {
			c.add(p, notWritten(f, v), v)
			return
		}
		c.add(p, NoMatch{f.Pattern.String()}, v)
	case *kind.Format:
		c.add(p, notWritten(f.Kin(), v), v)
	case *kind.Minimum:
		c.add(p, Limit{Is: v.Text, Bound: f.Min}, v)
	case *kind.Maximum:
		c.add(p, Limit{Is: v.Text, Bound: f.Max, Above: true}, v)
	case *kind.MinLength:
		c.add(p, Limit{"characters", fmt.Sprint(utf8.RuneCountInString(v.Text)), f.Min, false}, v)
	case *kind.MaxLength:
		c.add(p, Limit{"characters", fmt.Sprint(utf8.RuneCountInString(v.Text)), f.Max, true}, v)
	case *kind.MinItems:
		c.add(p, Limit{"items", fmt.Sprint(len(v.Kids)), f.Min, false}, nil)
	case *kind.MaxItems:
		c.add(p, Limit{"items", fmt.Sprint(len(v.Kids)), f.Max, true}, nil)
	default:
		c.add(p, Unfit{}, v)
	}
}

var typeWords = map[schema.Type]string{
	schema.Text: "a text", schema.Integer: "a whole number", schema.Number: "a number",
	schema.Boolean: "true or false", schema.Date: "a date", schema.Time: "a time", schema.DateTime: "a date with a time",
	schema.Money: "an amount with its currency", schema.Quantity: "an amount with its unit", schema.Choice: "one of the choices",
	schema.Any: "any value", schema.Group: "a group of fields", schema.List: "a list",
}

var kindWords = map[value.Kind]string{
	value.Null: "null", value.Bool: "true or false", value.Number: "a number",
	value.String: "a text", value.Array: "a list", value.Object: "a group of fields",
}

// noChoice tells what is to be chosen from; of a list in a file, those that the value may mean.
func noChoice(f *schema.Field, v *value.Value) NoChoice {
	if f.List == nil {
		return NoChoice{Choices: optionValues(f)}
	}
	w := NoChoice{List: f.List.File, Rows: len(f.Of)}
	named := f.List.Meant(v.Text)
	if w.Several = len(named) > 1; len(named) == 0 {
		named, _ = f.List.Candidates(v.Text)
	}
	for _, o := range named[:min(len(named), mostNear)] {
		w.Choices = append(w.Choices, o.Value)
	}
	return w
}

// mostNear is how many values of a list a message gives.
const mostNear = 5

func optionValues(f *schema.Field) []string {
	var values []string
	for _, o := range f.Of {
		values = append(values, o.Value)
	}
	return values
}

// repeats finds members that stand twice in one object: which of them counts
// would be a guess.
func (c *collector) repeats() {
	if !c.record.Repeats() {
		return
	}
	c.record.Walk(func(p value.Pointer, v *value.Value) bool {
		if v.Kind != value.Object {
			return true
		}
		seen := make(map[string]bool, len(v.Kids))
		for i := range v.Kids {
			if name := v.Kids[i].Name; seen[name] {
				c.add(p.Key(name), TwiceNamed{}, &v.Kids[i])
			} else {
				seen[name] = true
			}
		}
		return true
	})
}

// Sort puts problems in the order of the schema's fields.
func Sort(s *schema.Schema, problems []Problem) {
	keys := make(map[value.Pointer][]int, len(problems))
	for _, p := range problems {
		keys[p.Path] = order(s, p.Path)
	}
	sort.SliceStable(problems, func(i, j int) bool {
		a, b := keys[problems[i].Path], keys[problems[j].Path]
		for n := 0; n < len(a) && n < len(b); n++ {
			if a[n] != b[n] {
				return a[n] < b[n]
			}
		}
		if len(a) != len(b) {
			return len(a) < len(b)
		}
		return problems[i].Path < problems[j].Path // within a value of any form
	})
}

// order gives the place of a pointer among the schema's fields, level by level.
func order(s *schema.Schema, p value.Pointer) []int {
	var key []int
	f := s.Root
	for _, step := range p.Steps() {
		place := 1 << 30 // unknown fields stand last
		var next *schema.Field
		switch {
		case f == nil || f.Type == schema.Any:
			if i, ok := value.ArrayIndex(step); ok {
				place = i
			}
		case f.Type == schema.List:
			if i, ok := value.ArrayIndex(step); ok {
				place, next = i, f.Item
			}
		default:
			for i, kid := range f.Fields {
				if kid.Name == step {
					place, next = i, kid
				}
			}
		}
		key, f = append(key, place), next
	}
	return key
}

// Arrange gives the record with its fields in schema order: what is absent
// becomes null, an absent or null list becomes [], unknown fields stand last.
func Arrange(s *schema.Schema, record *value.Value) value.Value {
	v := arrange(s.Root, record)
	v.Name = ""
	return v
}

func arrange(f *schema.Field, v *value.Value) value.Value {
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		out := value.Value{Kind: value.Object, Name: v.Name}
		for _, kid := range f.Fields {
			at := v.Get(kid.Name)
			if kid.Type == schema.Group && !kid.Required && len(kid.Extra.Kids) > 0 && at != nil && isBlank(at) {
				at = nil // of an imported schema, which need not have the group, and may need what is in it
			}
			if at.Empty() && !kid.Required && len(kid.Extra.Kids) > 0 && kid.Type != schema.List && !kid.AllowsNull() {
				continue // an imported schema wants it left out where it is unknown
			}
			if at == nil {
				at = &value.Value{}
			}
			out.Kids = append(out.Kids, arrange(kid, at).Named(kid.Name))
		}
		for i := range v.Kids {
			if f.Child(v.Kids[i].Name) == nil {
				out.Kids = append(out.Kids, v.Kids[i].Clone())
			}
		}
		return out
	case f.Type == schema.List && v.Kind == value.Array:
		out := value.Value{Kind: value.Array, Name: v.Name}
		for i := range v.Kids {
			out.Kids = append(out.Kids, arrange(f.Item, &v.Kids[i]))
		}
		return out
	case f.Type == schema.List && v.Kind == value.Null:
		return value.Value{Kind: value.Array, Name: v.Name}
	}
	return v.Clone()
}

// isBlank tells a group in which nothing stands.
func isBlank(v *value.Value) bool {
	for i := range v.Kids {
		if kid := &v.Kids[i]; !kid.Empty() && (kid.Kind != value.Object && kid.Kind != value.Array || !isBlank(kid)) {
			return false
		}
	}
	return v.Kind == value.Object || v.Kind == value.Array
}

// notWritten says that a value is not in the form of its type; of a date that
// two formats read as different days, which days.
func notWritten(f *schema.Field, v *value.Value) What {
	if f.Type == schema.Date && v.Kind == value.String {
		if days := f.DateReadings(v.Text); len(days) > 1 {
			return TwoDays{days[0], days[1]}
		}
	}
	if f.Type == schema.Date && v.Kind == value.String && len(f.Written) == 0 {
		if formats := schema.PossibleFormats(v.Text); len(formats) > 1 {
			return TwoForms{v.Text, formats}
		} else if len(formats) == 1 {
			return OtherForm{schema.FormOf(f), formats[0]}
		}
	}
	return NotInForm{f.Type, schema.FormOf(f)}
}
