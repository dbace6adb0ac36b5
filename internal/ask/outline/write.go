// Package outline is the part of a prompt that is a format and no wording: the
// fields, the form of the reply, the headings of what is data, the document
// between its marks and the problems of a record. It is written and read here,
// so that what reads prompts (the simulated server) needs no other sentence of
// them, and sentences can be changed at will.
//
// The fields stand one a line, indented by two blanks a level, in one stretch:
//
//   - NAME[ (TYPE)]: What it is. FACTS
//   - bays (list): The bays of the bridge. One item per number.
//   - number (integer): Printed as: Bay, Feld.
//   - finding: One of: rot (decay); rust = of iron.
//   - builder: Who built it. Fields as owner.
//
// TYPE is a type of the schema, or "list of TYPE" where the items are values. A
// line without one is of the type that the JSON Schema beside it gives, or a
// choice where it has values to choose from, a group where it has fields, and
// else a text. Where values are given by the ids of their
// words, a line before the first field says so (ByIDs). That a field is required
// is not said: a model that reads it invents. FACTS are sentences of a fixed
// form, each only where the schema has it:
//
//	One of: VALUE [(WORD, …)] [= what it means]; ….     WORD is another word for VALUE
//	One of a list.                     a choice of too many; Candidates follow the document
//	In UNIT.                           the unit or the currency of its amount
//	Refers to PATH [or PATH].          a link
//	Printed as: LABEL, ….
//	As FORM.                           a date that may go no further than month or year; any value
//	JSON that fits: SCHEMA             any value, to the end of the line
//	Written: FORMAT; ….                dates, as documents write them in figures
//	Years of two digits: YEAR to YEAR.
//	Written like NUMBER.               the signs that documents write numbers with
//	Below 0 with: WORD, ….             words that say so
//	Unit also: WORD, ….                other words for the unit
//	True with: WORD, ….                words that say that it is
//	False with: WORD, ….               and that it is not
//	Not: WHAT; ….
//	With basis.                        as {"value": …, "basis": …}
//	Pattern: PATTERN                   to the end of the line, or to two blanks
//	From MIN to MAX.   At least MIN.   At most MAX.
//	One item per FIELD [and FIELD].    a list
//	Fields as PATH.                    a group or list with the fields of another
//
// Values, words and labels stand as they are where they are words of letters,
// and as JSON strings elsewhere; numbers, true, false and null are themselves,
// where an imported schema has them. The form of a reply (Form) is one line,
// JSON with the type of each value between < and >. Where the form goes along as
// a JSON Schema, it is read from there (FromWire).
package outline

import (
	"fmt"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Write gives the fields of a record, one line a field, indented by level. how
// says how their values are given; held that a JSON Schema goes along, whose
// types need no words.
func Write(s *schema.Schema, how Values, held bool) string {
	w := &writer{how: how, held: held && how == Plain, seen: map[string]string{}}
	if how == IDs {
		w.WriteString(ByIDs + "\n")
	}
	w.fields(s.Record().Fields, 0, "")
	w.definitions(s.Record())
	return w.String()
}

// OneOfList says that a choice is one of a list that is not told.
const OneOfList = "One of a list."

// ByIDs is the line before the fields whose values are given by the ids of their
// words: all but those that ByID excepts.
const ByIDs = "Every value is the id of its words, but for booleans, choices and what comes with a basis."

type writer struct {
	strings.Builder
	how  Values
	held bool
	seen map[string]string // blocks of fields, and where they stood first
}

// leastAgain is how many bytes of fields are worth saying "as" in their place.
const leastAgain = 60

func (w *writer) fields(fields []*schema.Field, level int, path string) {
	for _, f := range fields {
		at := path + f.Name
		fmt.Fprintf(w, "%s- %s%s: %s", strings.Repeat("  ", level), f.Name, w.kind(f), said(f, w.how))
		inner, below := f, at+"."
		if f.Type == schema.List {
			inner, below = f.Item, at+"[]."
		}
		if inner.Type != schema.Group {
			w.WriteByte('\n')
			continue
		}
		block := &writer{how: w.how, held: w.held, seen: map[string]string{}}
		block.fields(inner.Fields, 0, "")
		if as, again := w.seen[block.String()]; again && block.Len() >= leastAgain {
			fmt.Fprintf(w, " Fields as %s.\n", as)
			continue
		}
		w.seen[block.String()] = at
		w.WriteByte('\n')
		w.fields(inner.Fields, level+1, below)
	}
}

// kind names the type of a field, or of the values of a list.
func kind(f *schema.Field) string {
	if f.Type == schema.List && f.Item.IsLeaf() {
		return "list of " + string(f.Item.Kin().Type)
	}
	return string(f.Kin().Type)
}

// kind is it behind a name: nothing where the rest of the line says it, or the
// JSON Schema does.
func (w *writer) kind(f *schema.Field) string {
	k := kind(f)
	switch schema.Type(k) {
	case schema.Text:
		if w.held || !strings.Contains(Says(f), oneOf) {
			return ""
		}
	case schema.Group:
		if len(f.Fields) > 0 {
			return ""
		}
	case schema.Choice:
		if len(f.Of) > 0 && f.List == nil {
			return ""
		}
	case schema.Date, schema.Time, schema.DateTime: // texts, for JSON
		return " (" + k + ")"
	}
	if w.held && !writtenAsText(f) {
		return ""
	}
	return " (" + k + ")"
}

// writtenAsText tells whether a list holds what JSON Schema has no type for.
func writtenAsText(f *schema.Field) bool {
	if f.Type != schema.List || !f.Item.IsLeaf() {
		return false
	}
	switch f.Item.Kin().Type {
	case schema.Date, schema.Time, schema.DateTime, schema.Choice:
		return true
	}
	return false
}

// Says gives all that the schema tells about a field, in sentences.
func Says(f *schema.Field) string { return said(f, Plain) }

// said is it for a way of giving values: who points at words need not know how
// they are written and read.
func said(f *schema.Field, how Values) string {
	var parts []string
	written := how != IDs || !ByID(f)
	add := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	if about := sentence(f.About); about != "" {
		add("%s", about)
	}
	if f.Type == schema.List && f.Item.IsLeaf() {
		if of := said(f.Item, how); of != "" && of != sentence(f.About) {
			add("%s", of)
		}
	}
	if all := options(f); all != "" {
		add(oneOf+"%s.", all)
	}
	if f.List != nil {
		add(OneOfList)
	}
	if _, want := f.Measure(); want != "" && written && (f.Type == schema.Money || f.Type == schema.Quantity) {
		add("In %s.", want)
	}
	if len(f.To) > 0 {
		add("Refers to %s.", strings.Join(f.To, " or "))
	}
	if len(f.PrintedAs) > 0 {
		add("Printed as: %s.", quotedList(f.PrintedAs))
	}
	if f.Type == schema.Date && written && f.Precision != "" || f.Type == schema.Any && schema.FormOf(f) != "" {
		add("As %s.", schema.FormOf(f))
	}
	if len(f.Written) > 0 && written {
		var formats []string
		for _, w := range f.Written {
			if !strings.Contains(w.Text, "MMM") { // the name of a month can be read one way alone
				formats = append(formats, w.Text)
			}
		}
		if len(formats) > 0 {
			add("Written: %s.", strings.Join(formats, "; "))
		}
		if f.Pivot > 0 {
			add("Years of two digits: %d to %d.", f.Pivot, f.Pivot+99)
		}
	}
	if f.Numbers.Decimal != "" && written {
		add("Written like 1%s234%s5.", f.Numbers.Group, f.Numbers.Decimal)
	}
	for _, words := range []struct {
		lead string
		are  []string
	}{{"Unit also", f.UnitAlso}, {"Below 0 with", f.Minus}, {"True with", f.Yes}, {"False with", f.No}} {
		if len(words.are) > 0 {
			add("%s: %s.", words.lead, quotedList(words.are))
		}
	}
	if len(f.Avoid) > 0 {
		add("Not: %s.", strings.TrimSuffix(strings.Join(f.Avoid, "; "), "."))
	}
	if f.Basis {
		add("With basis.")
	}
	if bounds := bounds(f); bounds != "" && (written || f.Type == schema.List) {
		add("%s", bounds)
	}
	if len(f.Key) > 0 {
		add("One item per %s.", strings.Join(f.Key, " and "))
	}
	if schema := fits(f); schema != "" {
		add("JSON that fits: %s", schema)
	}
	if f.Pattern != nil { // last, since it may hold anything
		add("Pattern: %s ", f.Pattern)
	}
	return strings.TrimSuffix(strings.Join(parts, " "), " ")
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
		q = append(q, shownText(l))
	}
	return strings.Join(q, ", ")
}

// bareText is what needs no quotes: words of letters, which end before whatever
// may stand behind them.
var bareText = lazy.New(`^\pL[\pL\pM\pN_-]*(?: [\pL\pN][\pL\pM\pN_-]*)*`)

// shownText gives a text as it stands in a list: quoted where it could be taken
// for more, or for less, or for a value that is no text.
func shownText(s string) string {
	if bareText.FindString(s) == s && s != "" && s != "true" && s != "false" && s != "null" {
		return s
	}
	return string(value.AppendQuoted(nil, s))
}

// optionText gives one choice with its other words and what it means.
func optionText(o *schema.Option) string {
	text := shownText(o.Value)
	if len(o.Also) > 0 {
		text += " (" + quotedList(o.Also) + ")"
	}
	if o.About != "" {
		text += " = " + strings.TrimSuffix(strings.ReplaceAll(o.About, "; ", ", "), ".")
	}
	return text
}

// options gives what a value may be: the choices, or what an imported schema
// lists or fixes.
func options(f *schema.Field) string {
	var all []string
	for i := range f.Of {
		if f.List != nil {
			break
		}
		all = append(all, optionText(&f.Of[i]))
	}
	if f.List != nil {
		return ""
	}
	if len(f.Of) > 0 {
		return strings.Join(all, "; ")
	}
	if list := f.Extra.Get("enum"); list != nil {
		for i := range list.Kids {
			all = append(all, list.Kids[i].Clone().Named("").String())
		}
	}
	if only := f.Extra.Get("const"); only != nil {
		all = append(all, only.Clone().Named("").String())
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
