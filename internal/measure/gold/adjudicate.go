package gold

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Choice is how a leaf in which two reviewers differ was adjudicated.
type Choice struct {
	Document string
	Path     value.Pointer
	Value    value.Value // Null: none
}

// Choices are how leaves were adjudicated, by document.
type Choices map[string][]Choice

// Has tells whether a leaf was adjudicated.
func (c Choices) Has(document string, p value.Pointer) bool {
	return slices.ContainsFunc(c[document], func(x Choice) bool { return x.Path == p })
}

// ReadChoices reads a file of choices, one a line; no file is none. All faulty
// lines are named.
func ReadChoices(file string) (Choices, error) {
	all := Choices{}
	if file == "" {
		return all, nil
	}
	var faults place.Faults
	err := record.ReadValues(file, func(n int, v *value.Value, err error) error {
		var c Choice
		made := false
		if err == nil {
			c, made, err = choiceFrom(v)
		}
		if err != nil {
			faults = append(faults, place.Fault{File: file, Line: n, Col: 1, Msg: err.Error(), Hint: "correct the line"})
		} else if made {
			all[c.Document] = append(all[c.Document], c)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return all, faults.Err()
}

// NotAdjudicable says why no gold can be made of two reviewers' records, or "": what a
// reviewer has not signed is nobody's word. b may be nil.
func NotAdjudicable(a, b *Record) string {
	switch {
	case b == nil:
		return "only A has it"
	case a.State == Draft:
		return "A's record is a draft; sign it"
	case b.State == Draft:
		return "B's record is a draft; sign it"
	}
	return ""
}

// NewAdjudicated makes the gold file of a record that two reviewers' came to.
func NewAdjudicated(s *schema.Schema, a, b *Record, choices []Choice, by string, on time.Time) value.Value {
	v := value.Obj(value.Str(a.Document).Named("document"))
	keep := func(name, text string) {
		if text != "" {
			v.Set(name, value.Str(text))
		}
	}
	keep("text_sha256", a.Hashes.Text)
	keep("file_sha256", a.Hashes.File)
	keep("version", a.Version)
	keep("state", Reviewed)
	keep("split", a.Split)
	if a.Weight > 0 {
		v.Set("weight", value.Num(strconv.FormatFloat(a.Weight, 'f', -1, 64)))
	}
	v.Set("reviewer", value.Str(by))
	keep("on", on.Format(dayForm))
	leaves := value.List()
	for _, c := range choices {
		leaves.Kids = append(leaves.Kids, value.Obj(value.Str(string(c.Path)).Named("path"), c.Value.Named("value")))
	}
	v.Set("adjudicated", value.Obj(value.Str(a.Reviewer).Named("first"), value.Str(b.Reviewer).Named("second"), leaves.Named("values")))
	name := "record"
	if s.EachEntry() {
		name = schema.Wrapper
	}
	v.Set(name, Adjudicate(s, a.Record, choices))
	return v
}

// choiceFrom reads a line of choices: `choose` is "first", "second", or with
// "value" another value altogether. One that is null is open yet: false.
func choiceFrom(v *value.Value) (c Choice, made bool, err error) {
	c = Choice{Document: strings.Clone(v.Word("document")), Path: value.Pointer(strings.Clone(v.Word("path")))}
	if c.Document == "" || c.Path == "" || !c.Path.Valid() {
		return c, false, errors.New("a choice needs `document` and `path`")
	}
	choose := v.Get("choose")
	switch {
	case choose == nil || choose.Kind == value.Null:
		return c, false, nil
	case choose.Kind == value.String && (choose.Text == "first" || choose.Text == "second"):
		if kid := v.Get(choose.Text); kid != nil {
			c.Value = kid.Named("").Detach()
		}
	case choose.Kind == value.String && choose.Text == "value" && v.Get("value") != nil:
		c.Value = v.Get("value").Named("").Detach()
	default:
		return c, false, fmt.Errorf("%s %s: `choose` is \"first\", \"second\", or \"value\" with a member `value`", c.Document, c.Path)
	}
	return c, true, nil
}

// Adjudicate gives the first reviewer's record with the choices put in. A place that
// the record has not yet is made; an item all of whose values are decided to be empty
// goes.
func Adjudicate(s *schema.Schema, rec value.Value, choices []Choice) value.Value {
	out := rec.Clone()
	for _, c := range choices {
		out.Put(c.Path, c.Value)
	}
	prune(s.Root, &out)
	return out
}

// prune takes items without any value out of lists.
func prune(f *schema.Field, v *value.Value) {
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		for _, kid := range f.Fields {
			if at := v.Get(kid.Name); at != nil {
				prune(kid, at)
			}
		}
	case f.Type == schema.List && v.Kind == value.Array:
		v.Kids = slices.DeleteFunc(v.Kids, func(item value.Value) bool { return hollow(&item) })
		for i := range v.Kids {
			prune(f.Item, &v.Kids[i])
		}
	}
}

func hollow(v *value.Value) bool {
	if v.Kind != value.Object && v.Kind != value.Array {
		return v.Empty()
	}
	for i := range v.Kids {
		if !hollow(&v.Kids[i]) {
			return false
		}
	}
	return true
}
