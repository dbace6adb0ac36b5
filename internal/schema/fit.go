package schema

import (
	"fmt"
	"time"

	"filler/internal/base/value"
)

// misfit says why v can't be a value of the field, or "". Fields may be left
// out, and a required value may be unknown: an example shows what its text
// says, not more.
func (f *Field) misfit(v *value.Value, path value.Pointer) string {
	at := string(path)
	if at == "" {
		at = "it"
	}
	if v.Kind == value.Null {
		return ""
	}
	kin := f.Kin()
	switch {
	case f.Type == Group && v.Kind == value.Array && path == "":
		for i := range v.Kids { // of an entry's group, several
			if why := f.misfit(&v.Kids[i], path.Index(i)); why != "" {
				return why
			}
		}
		return ""
	case f.Type == Group && v.Kind == value.Object:
		for i := range v.Kids {
			kid := f.Child(v.Kids[i].Name)
			if kid == nil {
				return fmt.Sprintf("the schema has no field %s", path.Key(v.Kids[i].Name))
			}
			if why := kid.misfit(&v.Kids[i], path.Key(kid.Name)); why != "" {
				return why
			}
		}
		return ""
	case f.Type == List && v.Kind == value.Array:
		for i := range v.Kids {
			if why := f.Item.misfit(&v.Kids[i], path.Index(i)); why != "" {
				return why
			}
		}
		return ""
	case kin.fits(v):
		return ""
	}
	return fmt.Sprintf("%s is %s, and the field is of type %s", at, v, kin.Type)
}

// fits tells whether v is written as a value of a leaf.
func (f *Field) fits(v *value.Value) bool {
	switch f.Type {
	case Text:
		return v.Kind == value.String && (f.Pattern == nil || f.Pattern.MatchString(v.Text))
	case Any:
		return true
	case Integer:
		return v.Kind == value.Number && value.IsInteger(v.Text)
	case Number:
		return v.Kind == value.Number
	case Boolean:
		return v.Kind == value.Bool
	case Date:
		return v.Kind == value.String && f.IsDate(v.Text)
	case Time:
		return v.Kind == value.String && IsTime(v.Text)
	case DateTime:
		return v.Kind == value.String && f.IsDateTime(v.Text)
	case Choice:
		for _, o := range f.Of {
			if v.Kind == value.String && o.Value == v.Text {
				return true
			}
		}
	case Money, Quantity:
		name, want := f.Measure()
		amount, measure := v.Get("amount"), v.Get(name)
		return amount != nil && amount.Kind == value.Number && measure != nil && measure.Kind == value.String && (want == "" || want == measure.Text)
	}
	return false
}

// IsDate reports whether text is a date of the precision that the field
// allows: YYYY-MM-DD, YYYY-MM or YYYY.
func (f *Field) IsDate(text string) bool {
	layouts := map[string][]string{"": {"2006-01-02"}, "day": {"2006-01-02"}, "month": {"2006-01-02", "2006-01"}, "year": {"2006-01-02", "2006-01", "2006"}}
	for _, layout := range layouts[f.Precision] {
		if _, err := time.Parse(layout, text); err == nil {
			return true
		}
	}
	return false
}

// IsTime reports whether text is HH:MM or HH:MM:SS.
func IsTime(text string) bool {
	for _, layout := range []string{"15:04", "15:04:05"} {
		if _, err := time.Parse(layout, text); err == nil && len(text) == len(layout) {
			return true
		}
	}
	return false
}
