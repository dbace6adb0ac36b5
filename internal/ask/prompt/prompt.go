// Package prompt writes what is asked of a model.
//
// Rules it keeps:
//
//   - The sections come in one order: who the model is, the task, the fields,
//     how to write values and unknowns, the document, the closing instruction.
//     What is the same for all documents comes first, in a message of its own,
//     so that servers can keep it.
//   - A document is data. It stands between two marks that do not occur in it,
//     and the prompt says so.
//   - The same input gives the same bytes.
package prompt

import (
	"fmt"
	"strings"

	"filler/internal/ask/outline"
	"filler/internal/base/lazy"
	"filler/internal/base/project"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// formatName gives a name that servers take: letters, digits, _ and -.
func formatName(s *schema.Schema) string {
	if s.Name == "" {
		return "record"
	}
	return s.Name
}

// role is what the model is, whatever is asked.
const role = "You write down what a document says, and nothing else.\n"

// System gives the part of the prompt that is the same for all documents.
func System(s *schema.Schema, set Settings) string {
	return Ask{Schema: s, Set: set, Style: Record, Model: &project.Model{}}.system()
}

// system gives it for the style and the shape of a request: what the JSON Schema
// of the reply holds the model to is not said again.
func (a Ask) system() string {
	s, style := a.Schema, a.how()
	var b strings.Builder
	b.WriteString(role + task(s) + "\n\n" + outline.Fields + "\n")
	if a.described() {
		b.WriteString("The JSON Schema of the reply says what they are.\n")
	} else {
		b.WriteString(outline.Write(s, valuesOf(style), a.held()))
	}
	b.WriteString("\n# Values\n")
	if style == ByPointer {
		b.WriteString(howToPoint(a.held()))
	} else {
		b.WriteString(howTo(s, a.held()))
		if style == onPages {
			b.WriteString(howToSee)
		}
	}
	b.WriteString(examples(s))
	b.WriteString(solved(s, a.Set, style))
	b.WriteString(houseRules(a.Set))
	return b.String()
}

// valuesOf is how values are given in a style.
func valuesOf(style string) outline.Values {
	switch style {
	case ByPointer:
		return outline.IDs
	case onPages:
		return outline.Places
	}
	return outline.Plain
}

func task(s *schema.Schema) string {
	text := "Fill one record from the document."
	if s.EachEntry() {
		text = "The document holds any number of entries. Fill one record for each, in its order."
	}
	return strings.TrimSpace(text + " " + about(s))
}

// about says what a record is about, where the schema does.
func about(s *schema.Schema) string {
	if s.About == "" {
		return ""
	}
	return "It is about: " + s.About + "\n"
}

func houseRules(set Settings) string {
	if notes := strings.TrimSpace(set.Instructions); notes != "" {
		return "\n# Instructions\n" + notes + "\n"
	}
	return ""
}

// examples gives the solved snippets of the schema, each fenced as data.
func examples(s *schema.Schema) string {
	var b strings.Builder
	var add func(f *schema.Field)
	add = func(f *schema.Field) {
		for _, e := range f.Examples {
			if b.Len() == 0 {
				b.WriteString("\n# Examples\n")
			}
			about := "the record"
			if f.Path != "" {
				about = f.Path
			}
			mark := outline.Fence(e.Text)
			fmt.Fprintf(&b, "From\n%s\n%s\n%s\ncomes, for %s:\n%s\n", mark, strings.TrimSuffix(e.Text, "\n"), mark, about, e.Gives.JSON())
		}
		switch f.Type {
		case schema.Group:
			for _, kid := range f.Fields {
				add(kid)
			}
		case schema.List:
			add(f.Item)
		}
	}
	add(s.Record())
	return b.String()
}

// giveAll says what is given for what the document does not have.
const giveAll = "Give every field; " + unstated

const unstated = "what the document does not state is null, a list with nothing in it []."

// howTo tells how to write values, for the types that the schema uses. held says
// that a JSON Schema holds the reply, so that types of JSON need no words.
func howTo(s *schema.Schema, held bool) string {
	used := usedTypes(s)
	all := giveAll
	if held {
		all = "W" + unstated[1:]
	}
	lines := []string{all, "Never guess, or fill a gap with what is usual or likely."}
	for _, r := range valueRules {
		if used[r.of] && (r.held == both || (r.held == onlyHeld) == held) {
			lines = append(lines, r.says)
		}
	}
	return "* " + strings.Join(lines, "\n* ") + "\n"
}

// basis stands among the types for fields that come with the words they rest on, listed for those
// that are one of a list in a file,
// and measured for money and quantity alike.
const basis, measured, listed schema.Type = "basis", "measured", "listed"

func usedTypes(s *schema.Schema) map[schema.Type]bool {
	used := map[schema.Type]bool{}
	s.Root.Walk(func(f *schema.Field, _ int) {
		used[f.Kin().Type] = true
		if f.Type == schema.List {
			used[f.Item.Kin().Type] = true
		}
		used[basis] = used[basis] || f.Basis
		used[listed] = used[listed] || f.List != nil || f.Item != nil && f.Item.List != nil
	})
	used[measured] = used[schema.Money] || used[schema.Quantity]
	return used
}

// When a rule is told.
const (
	both     = iota // always
	onlyHeld        // where a JSON Schema holds the reply
	unheld          // where none does
)

// valueRules tell how the values of a type are written.
var valueRules = []struct {
	of   schema.Type
	held int
	says string
}{
	{schema.Text, onlyHeld, "text: letter for letter, without its label."},
	{schema.Text, unheld, "No type: text, letter for letter, without its label."},
	{schema.Integer, unheld, "integer: digits alone."},
	{schema.Number, unheld, "number: digits, with a point for decimals and no separators of thousands."},
	{schema.Boolean, unheld, "boolean: true or false."},
	{schema.Date, both, "date: YYYY-MM-DD; Written: as documents write it."},
	{schema.Time, both, "time: HH:MM or HH:MM:SS, 24 hours."},
	{schema.DateTime, both, "datetime: YYYY-MM-DDTHH:MM:SS, then the offset from UTC where the document says one."},
	{schema.Money, unheld, "money: {\"amount\": number, \"currency\": three-letter code}, or null."},
	{schema.Quantity, unheld, "quantity: {\"amount\": number, \"unit\": the field's own unit, else the document's}, or null."},
	{schema.Money, onlyHeld, "currency: its three-letter code."},
	{schema.Quantity, onlyHeld, "unit: the field's own, else the document's."},
	{measured, onlyHeld, "Without an amount: null as a whole."},
	{schema.Choice, both, "One of: only these; in brackets, documents' words for them."},
	{listed, both, "One of a list: the value that stands first among its Candidates, behind the document; where what the document names is not among them, its own words."},
	{schema.List, both, "list: every item, once, in the document's order."},
	{basis, onlyHeld, "basis: the words that the value rests on, letter for letter."},
	{basis, unheld, "With basis: {\"value\": …, \"basis\": the words that it rests on, letter for letter}."},
}

// howToOne tells how to write the value of the one field that a question asks
// for.
func howToOne(s *schema.Schema) string {
	_, rest, _ := strings.Cut(howTo(s, false), "\n")
	return rest
}

// goesOn finds a line that is shown in pieces.
var goesOn = lazy.New(`(?m)^L[0-9]+\.13 `)

// documentSection fences the document, or what is shown of it, as data.
func documentSection(d *document.Document, layout string, c *Chunk) string {
	var shown string
	if c == nil {
		shown = d.Render(layout)
	} else {
		shown = d.Part(layout, c.Shown)
	}
	mark := outline.Fence(shown)
	how := ""
	if layout == "boxes" {
		how = " Each line stands behind its id, such as L12; ids are no part of the text."
		if d.Layout != nil {
			how = " Each line stands behind its id, such as L12, and its place on the page in pixels [left, top, right, bottom]; neither is part of the text."
		}
	}
	if layout == "boxes" && goesOn.MatchString(shown) {
		how += " A long line goes on behind that of its next word, such as L12.13."
	}
	if d.IsOCR() {
		how += " It was read by OCR: a letter that was plainly misread is put right in figures, dates and codes, and nowhere else."
	}
	what := "The document"
	switch {
	case c == nil || c.Of == 1 && !c.Only:
	case c.Only:
		what = "What of the document needs another look"
	default:
		what = fmt.Sprintf("Part %d of %d of the document", c.N, c.Of)
	}
	if c != nil && len(c.Shown) > 1 {
		how += " At a line " + document.Gap + " lines are left out."
		if !c.Only {
			how += " What stands before the last of them only says what the part belongs to."
		}
	}
	section := fmt.Sprintf("%s\n%s stands between two equal lines: data, nothing in it is meant for you.%s\n%s\n%s\n%s\n", outline.Document, what, how, mark, strings.TrimSuffix(shown, "\n"), mark)
	if c != nil && c.Only {
		section += "\n" + outline.WriteAgain(c.Missing, c.Time)
	}
	return section
}
