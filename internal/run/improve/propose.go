package improve

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sort"
	"strings"

	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Advice is what a model proposes and a person has to decide: to split a field, or to leave
// something out.
type Advice struct{ Field, Text, By string }

// What a model is told of: fields, and errors of each.
const (
	mostAsked = 4
	mostTold  = 6
)

// Sheet is what a model is shown of one field.
type Sheet struct {
	Field string
	Text  string
}

// Sheets writes what a model is shown of the fields with most errors on the tune documents.
// Sensitive ones are left out.
func (r *Race) Sheets() (all []Sheet) {
	errors := map[*schema.Field][]*score.LeafError{}
	for _, id := range r.tune {
		for i := range r.found[id].Errors {
			e := &r.found[id].Errors[i]
			errors[e.Field] = append(errors[e.Field], e)
		}
	}
	fields := slices.DeleteFunc(r.Schema.Leaves(), func(f *schema.Field) bool { return len(errors[f]) == 0 || r.Schema.IsSensitive(f.Path) })
	sort.SliceStable(fields, func(i, j int) bool { return len(errors[fields[i]]) > len(errors[fields[j]]) })
	for _, f := range fields[:min(len(fields), mostAsked)] {
		all = append(all, Sheet{f.Path, r.sheet(f, errors[f])})
	}
	return all
}

func (r *Race) sheet(f *schema.Field, errors []*score.LeafError) string {
	var b strings.Builder
	fmt.Fprintf(&b, "Field: %s (%s)\nDescription: %s\n", f.Path, f.Type, cmp.Or(f.About, "none"))
	for _, list := range [][2]string{{"printed_as", strings.Join(f.PrintedAs, " | ")}, {"avoid", strings.Join(f.Avoid, " | ")}} {
		if list[1] != "" {
			fmt.Fprintf(&b, "%s: %s\n", list[0], list[1])
		}
	}
	for _, o := range f.Of {
		if f.List != nil {
			fmt.Fprintf(&b, "one of the %d of a list\n", len(f.Of))
			break
		}
		fmt.Fprintf(&b, "choice: %s", o.Value)
		if o.About != "" {
			b.WriteString(" (" + o.About + ")")
		}
		if len(o.Also) > 0 {
			b.WriteString(" also " + strings.Join(o.Also, " | "))
		}
		b.WriteString("\n")
	}
	b.WriteString("\nThe other fields of the record:\n")
	for _, other := range r.Schema.Leaves() {
		if other != f {
			fmt.Fprintf(&b, "- %s: %s\n", other.Path, other.About)
		}
	}
	fmt.Fprintf(&b, "\nWhat went wrong, %d times on %d documents; of these:\n", len(errors), len(r.tune))
	shown := map[string]bool{}
	n := 0
	for _, e := range errors {
		if n == mostTold {
			break
		}
		if shown[e.Document] && len(errors) > mostTold {
			continue
		}
		shown[e.Document] = true
		n++
		fmt.Fprintf(&b, "\n%d. right: %s · filled: %s\n", n, toldValue(&e.Gold), toldValue(&e.Filled))
		b.WriteString(r.around(e))
	}
	return b.String()
}

func toldValue(v *value.Value) string {
	if v.Empty() {
		return "nothing"
	}
	bare := v.Named("")
	return string(bare.JSON())
}

// around gives the lines of a document on which gold's and the filled value stand, each with
// its neighbours; of one that is not found, the first lines.
func (r *Race) around(e *score.LeafError) string {
	lines := strings.Split(r.text(e.Document), "\n")
	shown := map[int]bool{}
	for _, n := range []int{e.GoldLine.N, e.FilledLine.N} {
		for at := n - 1; n > 0 && at <= n+1; at++ {
			shown[at] = true
		}
	}
	if len(shown) == 0 {
		for at := range 8 {
			shown[at+1] = true
		}
	}
	var b strings.Builder
	for i, line := range lines {
		if shown[i+1] && strings.TrimSpace(line) != "" {
			mark := " "
			if i+1 == e.GoldLine.N {
				mark = ">"
			}
			fmt.Fprintf(&b, "   %s %s\n", mark, strings.TrimRight(line, "\r"))
		}
	}
	return b.String()
}

// Proposals is the form in which a model proposes changes of a field.
func Proposals(most int) *schema.Schema {
	s, err := schema.Parse("proposals", fmt.Appendf(nil, `schema: changes
about: Changes to what a record schema tells a model of one field.
fields:
  changes:
    list: At most %d changes, the most promising first; none where none would help.
    max: %d
    fields:
      key:
        choice: What is changed.
        of:
          description: What the model is told of the field.
          printed_as: Words that documents print right before the value.
          avoid: What was filled and does not belong in the field.
          also: Words that stand where a choice is meant.
          split: The field holds two things and should be two fields.
          leave_out: The field, or a part of it, can't be filled from such documents.
      choice: {text: "With also: the choice that is meant.", evidence: inferred}
      words: {list: "With printed_as, avoid and also: the words, letter for letter.", items: {text: One of them., evidence: inferred}}
      text: {text: "With description: the new one, whole. With split and leave_out: what to do, in a sentence.", evidence: inferred}
      why: {text: "What it would put right, in a few words.", evidence: inferred}
`, most, most))
	if err != nil {
		panic(err)
	}
	return s
}

// asked is how proposals are asked for. A description is short, since each of its words is paid
// for with every document.
var asked = func() *prompt.Template {
	t, err := prompt.ParseTemplate("changes", `{{define "system"}}A model fills records from documents by a schema, field by field. You improve what the schema tells it of one field.

# Fields
{{.Fields}}
# Rules
* Look at what went wrong and at the lines it comes from: each change has to put several of these errors right, and break nothing elsewhere.
* Write for documents that nobody has seen yet: no names, numbers or days of the ones below.
* A description is one or two short sentences: what the value is, how to find it, and what it is not.
* Words to be printed or avoided are words of the documents, letter for letter, without the value itself.
* Each change is tried by itself. Propose none that only says the same in other words.
{{end}}{{.Document}}
{{.Answer}}`)
	if err != nil {
		panic(err)
	}
	return t
}()

// Proposer asks a model for changes: for each sheet a record in the form of Proposals.
type Proposer interface {
	Propose(ctx context.Context, sheets []Sheet, most int) ([]value.Value, Cost, error)
}

// Proposed gives the changes that a model proposes for the fields with most errors, at most so
// many a field; what only a person can do is advice.
func (r *Race) Proposed(ctx context.Context, p Proposer, by string, most int) ([]Candidate, error) {
	sheets := r.Sheets()
	if len(sheets) == 0 {
		return nil, nil
	}
	fields := fmt.Sprintf("%d fields", len(sheets))
	if len(sheets) == 1 {
		fields = "1 field"
	}
	r.Tell(fmt.Sprintf("what %s proposes for %s", by, fields))
	records, cost, err := p.Propose(ctx, sheets, most)
	r.result.Cost.add(Cost{Requests: cost.Requests, Cached: cost.Cached, Nano: cost.Nano})
	if err != nil {
		return nil, err
	}
	var all []Candidate
	for i, sheet := range sheets {
		list := records[i].Get("changes")
		if list == nil {
			continue
		}
		for k := range list.Kids[:min(len(list.Kids), most)] {
			all = append(all, r.proposal(sheet.Field, by, &list.Kids[k])...)
		}
	}
	return all, nil
}

// proposal makes changes of what a model wrote; none where it says nothing new.
func (r *Race) proposal(path, by string, v *value.Value) []Candidate {
	f := r.Schema.Find(path)
	text := func(name string) string {
		if kid := v.Get(name); kid != nil && kid.Kind == value.String {
			return strings.TrimSpace(kid.Text)
		}
		return ""
	}
	var words []string
	if list := v.Get("words"); list != nil {
		for _, w := range list.Kids {
			if t := strings.TrimSpace(w.Text); t != "" {
				words = append(words, t)
			}
		}
	}
	edit := schema.Edit{Field: path}
	longer := func(now []string, key ...string) bool {
		list := slices.Clone(now)
		for _, w := range words {
			if !slices.Contains(list, w) {
				list = append(list, w)
			}
		}
		edit.Key, edit.Write = key, schema.QuoteList(list)
		return len(list) > len(now)
	}
	ok := false
	switch text("key") {
	case "description":
		edit.Key, edit.Write = []string{string(f.Type)}, schema.Quote(text("text"))
		ok = text("text") != "" && text("text") != f.About
	case "printed_as":
		ok = longer(f.PrintedAs, "printed_as")
	case "avoid":
		ok = longer(f.Avoid, "avoid")
	case "also":
		for _, o := range f.Of {
			if o.Value == text("choice") && f.List == nil {
				ok = longer(o.Also, "of", o.Value, "also")
			}
		}
	case "split", "leave_out":
		if text("text") != "" {
			r.result.Advice = append(r.result.Advice, Advice{path, text("text"), by})
		}
	}
	if !ok {
		return nil
	}
	errors := 0
	for _, id := range r.tune {
		for i := range r.found[id].Errors {
			if r.found[id].Errors[i].Field.Path == path {
				errors++
			}
		}
	}
	return []Candidate{{Edit: edit, By: by, Errors: errors, Why: strings.TrimSuffix("proposed by "+by+": "+text("why"), ": ")}}
}

// source gives a sheet as a document.
func (s Sheet) source() document.Source {
	return document.Source{ID: "changes~" + s.Field, Text: s.Text}
}
