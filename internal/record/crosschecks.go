package record

import (
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// inner turns what is wrong inside an amount into a problem of the amount. What is wrong below
// a field otherwise is what a kept keyword says.
func (c *collector) inner(p value.Pointer, v *value.Value, k jsonschema.ErrorKind) {
	f := c.schema.At(p.Parent())
	whole := c.record.At(p.Parent())
	if f == nil || (f.Type != schema.Money && f.Type != schema.Quantity) || whole == nil {
		c.add(p, Keyword{keywordOf(k)}, v)
		return
	}
	name, want := f.Measure()
	switch {
	case p.Last() == name && v != nil && v.Kind == value.String && want != "":
		c.add(p.Parent(), OtherMeasure{Name: name, Is: v.Text, Want: want}, whole)
	case v != nil && v.Kind == value.Number:
		c.add(p.Parent(), OutOfBounds{Is: v.Text, Min: f.Min, Max: f.Max}, whole)
	default:
		c.add(p.Parent(), OfType{Want: f.Type}, whole)
	}
}

// isKept tells whether an error comes from a keyword that an imported schema
// brought along.
func isKept(f *schema.Field, k jsonschema.ErrorKind) bool {
	path := k.KeywordPath()
	return len(path) > 0 && f.Extra.Get(path[0]) != nil
}

// keywordOf names the keyword that is broken, in the library's words.
func keywordOf(k jsonschema.ErrorKind) string {
	return strings.Join(k.KeywordPath(), "/") + ", " + k.LocalizedString(message.NewPrinter(language.English))
}

// dates finds days that no calendar has, where the precision lets the JSON
// Schema check no more than digits.
func (c *collector) dates(f *schema.Field, p value.Pointer, v *value.Value) {
	switch {
	case v == nil:
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			c.dates(kid, p.Key(kid.Name), v.Get(kid.Name))
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			c.dates(f.Item, p.Index(i), &v.Kids[i])
		}
	case f.Type == schema.Date && f.Precision != "" && v.Kind == value.String && !f.IsDate(v.Text):
		if _, told := c.at[p]; !told && v.Text != "" {
			c.add(p, NoSuchDay{}, v)
		}
	}
}

// currencies finds money in what is no currency.
func (c *collector) currencies(f *schema.Field, p value.Pointer, v *value.Value) {
	switch {
	case v == nil:
	case f.Type == schema.Group && v.Kind == value.Object:
		for _, kid := range f.Fields {
			c.currencies(kid, p.Key(kid.Name), v.Get(kid.Name))
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			c.currencies(f.Item, p.Index(i), &v.Kids[i])
		}
	case f.Type == schema.Money && f.Currency == "" && v.Kind == value.Object:
		code := v.Get("currency")
		if _, told := c.at[p]; !told && code != nil && code.Kind == value.String && !(lang.Code.Has(code.Text) && code.Text == strings.ToUpper(code.Text)) {
			c.add(p, NoCurrency{code.Text}, v)
		}
	}
}

// links finds values that point to nothing. A link looks within its own
// record.
func (c *collector) links(s *schema.Schema, pointedTo map[*schema.Field]bool) {
	record := s.Record()
	walkRecords(s, c.record, func(base value.Pointer, rec *value.Value) {
		targets := map[*schema.Field]map[string]bool{}
		var gather func(f *schema.Field, v *value.Value)
		gather = func(f *schema.Field, v *value.Value) {
			switch {
			case v == nil:
			case f.Type == schema.Group:
				for _, kid := range f.Fields {
					gather(kid, v.Get(kid.Name))
				}
			case f.Type == schema.List && v.Kind == value.Array:
				for i := range v.Kids {
					gather(f.Item, &v.Kids[i])
				}
			case pointedTo[f] && !v.Empty():
				if targets[f] == nil {
					targets[f] = map[string]bool{}
				}
				targets[f][pair.Canonical(f, v)] = true
			}
		}
		gather(record, rec)
		if dangles(record, rec, targets) {
			c.follow(record, rec, base, targets)
		}
	})
}

// dangles tells whether some link points to nothing.
func dangles(f *schema.Field, v *value.Value, targets map[*schema.Field]map[string]bool) bool {
	switch {
	case v == nil:
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			if dangles(kid, v.Get(kid.Name), targets) {
				return true
			}
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			if dangles(f.Item, &v.Kids[i], targets) {
				return true
			}
		}
	case f.Type == schema.Link && !v.Empty():
		for _, t := range f.Targets {
			if targets[t][pair.Canonical(t, v)] {
				return false
			}
		}
		return true
	}
	return false
}

func (c *collector) follow(f *schema.Field, v *value.Value, p value.Pointer, targets map[*schema.Field]map[string]bool) {
	switch {
	case v == nil:
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			c.follow(kid, v.Get(kid.Name), p.Key(kid.Name), targets)
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			c.follow(f.Item, &v.Kids[i], p.Index(i), targets)
		}
	case f.Type == schema.Link && !v.Empty():
		for _, t := range f.Targets {
			if targets[t][pair.Canonical(t, v)] {
				return
			}
		}
		if _, told := c.at[p]; !told {
			c.add(p, DeadLink{f.To}, v)
		}
	}
}

// walkRecords calls do for the record, or for each entry.
func walkRecords(s *schema.Schema, v *value.Value, do func(base value.Pointer, rec *value.Value)) {
	if !s.EachEntry() {
		do("", v)
		return
	}
	if v.Kind == value.Array {
		for i := range v.Kids {
			do(value.Pointer("").Index(i), &v.Kids[i])
		}
	}
}

// rules finds the rules that do not hold.
func (c *collector) rules(s *schema.Schema) {
	if len(s.Rules) == 0 {
		return
	}
	walkRecords(s, c.record, func(base value.Pointer, rec *value.Value) {
		whole := schema.Operands(s, rec)
		for _, r := range s.Rules {
			for _, b := range r.Check(s, rec, whole, base) {
				c.problems = append(c.problems, Problem{Path: b.At, What: BrokenRule{Holds: r.Holds, Say: r.Say, Mixed: b.Mixed, Sides: b.Sides}, Fields: b.Fields})
			}
		}
	})
}
