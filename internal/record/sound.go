package record

import (
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Sound tells, many times faster than Check, that a record has no problem but
// perhaps values that are missing. False says nothing: then Check must look. It
// knows plain schemas only: none with rules, links, or keywords of an imported
// schema.
func (va *Validator) Sound(record *value.Value) bool {
	return va.plain && sound(va.schema.Root, record, false)
}

// isPlain tells schemas that Sound knows; isForm those whose form it knows, which
// may have links and rules besides.
func isPlain(s *schema.Schema) (plain, isForm bool) {
	links := false
	isForm = true
	s.Root.Walk(func(f *schema.Field, _ int) {
		links = links || f.Type == schema.Link
		if f.Type == schema.Link && len(f.Targets) != 1 || len(f.Extra.Kids) > 0 || f.Precision != "" || f.Type == schema.List && (len(f.Item.Extra.Kids) > 0 || f.Min != "" || f.Max != "") {
			isForm = false
		}
	})
	return isForm && !links && len(s.Rules) == 0, isForm
}

// sound looks at a value; with complete, nothing that is required may be missing.
func sound(f *schema.Field, v *value.Value, complete bool) bool {
	switch f.Type {
	case schema.Group:
		if v.Kind != value.Object {
			return false
		}
		known := 0
		for i, kid := range f.Fields {
			at := v.GetAt(i, kid.Name)
			if complete && kid.Required && at.Empty() {
				return false
			}
			if at == nil {
				continue
			}
			known++
			if at.Kind == value.Null && kid.Type != schema.Group {
				continue
			}
			if !sound(kid, at, complete) {
				return false
			}
		}
		return known == len(v.Kids) // as many as there are names: no name stands there twice
	case schema.List:
		if v.Kind != value.Array {
			return false
		}
		for i := range v.Kids {
			if v.Kids[i].Kind == value.Null || !sound(f.Item, &v.Kids[i], complete) {
				return false
			}
		}
		return true
	}
	return soundLeaf(f, v)
}

func soundLeaf(f *schema.Field, v *value.Value) bool {
	switch f.Type {
	case schema.Text:
		return v.Kind == value.String && f.Min == "" && f.Max == "" && (f.Pattern == nil || f.Pattern.MatchString(v.Text)) && utf8.ValidString(v.Text)
	case schema.Integer:
		return v.Kind == value.Number && smallInteger(v.Text) && inside(f, v.Text)
	case schema.Number:
		return v.Kind == value.Number && between(f, v.Text)
	case schema.Any:
		return true
	case schema.Link:
		return soundLeaf(f.Kin(), v)
	case schema.Boolean:
		return v.Kind == value.Bool
	case schema.Date:
		return v.Kind == value.String && schema.IsISODate(v.Text)
	case schema.Choice:
		if v.Kind != value.String {
			return false
		}
		if f.List != nil {
			return f.List.Has(v.Text)
		}
		for i := range f.Of {
			if f.Of[i].Value == v.Text {
				return true
			}
		}
	case schema.Money, schema.Quantity:
		name, own := f.Measure()
		amount, measure := v.Get("amount"), v.Get(name)
		return v.Kind == value.Object && len(v.Kids) == 2 && own != "" && amount != nil && amount.Kind == value.Number &&
			between(f, amount.Text) && measure != nil && measure.Kind == value.String && measure.Text == own
	}
	return false
}

func smallInteger(literal string) bool {
	if len(literal) > 15 {
		return false
	}
	for i := 0; i < len(literal); i++ {
		if c := literal[i]; (c < '0' || c > '9') && (i > 0 || c != '-') {
			return false
		}
	}
	return true
}

// between tells whether a number of moderate length is within the field's bounds.
func between(f *schema.Field, literal string) bool {
	if len(literal) >= 300 || strings.ContainsAny(literal, "eE") {
		return false
	}
	if (f.Min == "" || f.Min == "0" && literal[0] != '-') && f.Max == "" {
		return true
	}
	n, err := decimal.NewFromString(literal)
	if err != nil {
		return false
	}
	least, lerr := decimal.NewFromString(f.Min)
	most, merr := decimal.NewFromString(f.Max)
	return (f.Min == "" || lerr == nil && n.GreaterThanOrEqual(least)) && (f.Max == "" || merr == nil && n.LessThanOrEqual(most))
}

// inside tells whether an integer is within bounds that are integers too.
func inside(f *schema.Field, literal string) bool {
	n, _ := strconv.Atoi(literal)
	if f.Min != "" {
		if least, err := strconv.Atoi(f.Min); err != nil || n < least {
			return false
		}
	}
	if f.Max != "" {
		if most, err := strconv.Atoi(f.Max); err != nil || n > most {
			return false
		}
	}
	return true
}
