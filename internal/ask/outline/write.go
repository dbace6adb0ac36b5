// Package outline is the part of a prompt that is a format and no wording: the
// fields, the form of the reply, the headings of what is data, the document
// between its marks and the problems of a record. It is written and read here,
// so that what reads prompts (the simulated server) needs no other sentence of
// them, and sentences can be changed at will.
//
// The fields stand one a line, indented by two blanks a level, in one stretch:
//
//   - NAME (TYPE[, required]): What it is. FACTS
//   - bays (list, required): The bays of the bridge. Items are told apart by number.
//   - number (integer): Printed as: "Bay", "Feld".
//   - finding (choice): One of: "rot" (also written "decay"); "rust" = of iron.
//
// TYPE is a type of the schema, or "list of TYPE" where the items are values.
// FACTS are sentences of a fixed form, each only where the schema has it:
//
//	One of: VALUE [(also written WORD, …)] [= what it means]; ….
//	Its currency is CODE.   Its unit is UNIT.
//	It is the value of PATH that is meant, or null.
//	Printed as: LABEL, ….
//	The documents write it as: FORMAT; ….
//	Years of two digits are those from YEAR to YEAR.
//	The documents write a SIGN before decimals [and a SIGN between thousands].
//	Does not belong here: WHAT; ….
//	Give it as {"value": …, "basis": …}, …
//	It matches the regular expression PATTERN
//	From MIN to MAX.   At least MIN.   At most MAX.
//	Items are told apart by FIELD [and FIELD].
//
// Values, words and labels are JSON strings. The form of a reply (Form) is one
// line, JSON with the type of each value between < and >. Where the form goes
// along as a JSON Schema, it is read from there (FromWire).
package outline

import (
	"fmt"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Write gives the fields of a record, one line a field, indented by level.
func Write(s *schema.Schema) string {
	var b strings.Builder
	lines(&b, s.Record().Fields, 0)
	return b.String()
}

func lines(b *strings.Builder, fields []*schema.Field, level int) {
	for _, f := range fields {
		fmt.Fprintf(b, "%s- %s (%s): %s\n", strings.Repeat("  ", level), f.Name, kind(f), says(f))
		switch {
		case f.Type == schema.Group:
			lines(b, f.Fields, level+1)
		case f.Type == schema.List && f.Item.Type == schema.Group:
			lines(b, f.Item.Fields, level+1)
		}
	}
}

func kind(f *schema.Field) string {
	k := string(f.Kin().Type)
	if f.Type == schema.List && f.Item.IsLeaf() {
		k = "list of " + string(f.Item.Kin().Type)
	}
	if f.Required {
		k += ", required"
	}
	return k
}

// says gives all that the schema tells about a field, in sentences.
func says(f *schema.Field) string {
	var parts []string
	if about := sentence(f.About); about != "" {
		parts = append(parts, about)
	}
	add := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	if f.Type == schema.List && f.Item.IsLeaf() {
		parts = append(parts, says(f.Item))
	}
	if len(f.Of) > 0 {
		add("One of: %s.", options(f))
	}
	if name, want := f.Measure(); want != "" && (f.Type == schema.Money || f.Type == schema.Quantity) {
		add("Its %s is %s.", name, want)
	}
	if len(f.To) > 0 {
		add("It is the value of %s that is meant, or null.", strings.Join(f.To, " or "))
	}
	if len(f.PrintedAs) > 0 {
		add("Printed as: %s.", quotedList(f.PrintedAs))
	}
	if len(f.Written) > 0 {
		var formats []string
		for _, w := range f.Written {
			formats = append(formats, w.Text)
		}
		add("The documents write it as: %s.", strings.Join(formats, "; "))
		if f.Pivot > 0 {
			add("Years of two digits are those from %d to %d.", f.Pivot, f.Pivot+99)
		}
	}
	if f.Numbers.Decimal != "" {
		add("The documents write %s before decimals%s.", signName[f.Numbers.Decimal], groupName(f.Numbers.Group))
	}
	if len(f.Avoid) > 0 {
		add("Does not belong here: %s.", strings.TrimSuffix(strings.Join(f.Avoid, "; "), "."))
	}
	if f.Basis {
		add("Give it as {\"value\": …, \"basis\": …}, with the words of the document that it rests on, letter for letter.")
	}
	if f.Pattern != nil {
		add("It matches the regular expression %s", f.Pattern)
	}
	if bounds := bounds(f); bounds != "" {
		add("%s", bounds)
	}
	if len(f.Key) > 0 {
		add("Items are told apart by %s.", strings.Join(f.Key, " and "))
	}
	return strings.Join(parts, " ")
}

var signName = map[string]string{".": "a point", ",": "a comma", " ": "a space", "'": "an apostrophe", "’": "an apostrophe"}

func groupName(sign string) string {
	if sign == "" {
		return ""
	}
	return " and " + signName[sign] + " between thousands"
}

func sentence(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if s == "" || strings.HasSuffix(s, ".") || strings.HasSuffix(s, "?") || strings.HasSuffix(s, "!") {
		return s
	}
	return s + "."
}

func quotedList(list []string) string {
	var q []string
	for _, l := range list {
		q = append(q, string(value.AppendQuoted(nil, l)))
	}
	return strings.Join(q, ", ")
}

func options(f *schema.Field) string {
	var all []string
	for _, o := range f.Of {
		text := string(value.AppendQuoted(nil, o.Value))
		if len(o.Also) > 0 {
			text += " (also written " + quotedList(o.Also) + ")"
		}
		if o.About != "" {
			text += " = " + strings.TrimSuffix(o.About, ".")
		}
		all = append(all, text)
	}
	return strings.Join(all, "; ")
}

func bounds(f *schema.Field) string {
	what := ""
	switch f.Type {
	case schema.Text:
		what = " characters"
	case schema.List:
		what = " items"
	}
	switch {
	case f.Min != "" && f.Max != "":
		return fmt.Sprintf("From %s to %s%s.", f.Min, f.Max, what)
	case f.Min != "":
		return fmt.Sprintf("At least %s%s.", f.Min, what)
	case f.Max != "":
		return fmt.Sprintf("At most %s%s.", f.Max, what)
	}
	return ""
}
