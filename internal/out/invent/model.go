package invent

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// WrittenStyles are the looks that a model can be asked to give a text.
var WrittenStyles = []string{"letter", "form", "mail", "notes", "table", "register"}

// Purpose is what runs are kept for in which a model writes documents.
const Purpose = "invent"

// TextField is what a written document is called in the model's answer.
const TextField = "text"

// mostRun is how many words in a row a text may share with a sample.
const mostRun = 8

// TextSchema is the schema of a written document.
func TextSchema() (*schema.Schema, error) {
	return schema.Parse("the document", []byte("schema: document\nabout: A document that somebody could have written.\nfields:\n  "+TextField+": {text: \"The whole document, with its line breaks.\", evidence: inferred, normalize: [none]}\n"))
}

// TextTemplate is what a model is told.
func TextTemplate() *prompt.Template { return writing }

var writing = func() *prompt.Template {
	t, err := prompt.ParseTemplate("document", `{{define "system"}}You write documents for a test: each as somebody in the trade would have written it who had this record in mind. The document below is no document but the record, with the look that the text has to have.

# Fields
{{.Fields}}
# The text
* Every value of the record that is not null stands in it once, as such documents write it: names, numbers and codes letter for letter; days, amounts and choices in one of the ways that the fields below allow.
* Of what is null or [] it says nothing at all, and gives nothing else for it.
* No other day, amount, number, code or name that could be taken for the value of a field. What stands around the values is yours, and plain.
* The items of a list in the record's order, each so that its values can be told from the next one's.
* No field names with underscores, no JSON, no remark on the task. Words of a sample are not taken over; its tone and its order may be.

# What the record's fields are
{{.Instructions}}
{{end}}{{.Document}}
{{.Answer}}`)
	if err != nil {
		panic(err)
	}
	return t
}()

// Told says what a record's fields are, as a model is told it.
func Told(s *schema.Schema) string { return strings.TrimSpace(outline.Write(s, outline.Plain, false)) }

// Request is the text from which a model writes a document: the record, the look, a sample,
// and what was wrong with the text before.
func Request(rec *value.Value, look, sample, before string, faults []string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "Look: %s\n\nRecord:\n%s\n", look, rec.Indent())
	if sample != "" {
		fmt.Fprintf(&b, "\nA sample of the look, of another record:\n%s\n", strings.TrimSpace(sample))
	}
	if len(faults) > 0 {
		fmt.Fprintf(&b, "\nThis text does not do:\n%s\n\nBecause:\n- %s\n", strings.TrimSpace(before), strings.Join(faults, "\n- "))
	}
	return b.String()
}

// Judge says what is wrong with a text that a model wrote for a record: values that do not
// stand in it, lines that give a value of a field that the record has not, sensitive values
// of the records that it is like, and words taken from a sample.
func (j *Job) Judge(rec *value.Value, text string) (faults []string) {
	ix := evidence.NewIndex(text)
	places := evidence.Of(j.Schema, rec, ix)
	eachLeaf(j.Schema.Record(), rec, "", func(f *schema.Field, v *value.Value, p value.Pointer) {
		if !v.Empty() && !places[p].Found() && f.Type != schema.Boolean {
			faults = append(faults, fmt.Sprintf("%s is not in it: %s", p.Words(), shown(v)))
		}
	})
	for _, l := range evidence.Unread(j.Schema, rec, ix, places) {
		if f := j.Schema.Find(l.Field); f == nil || !f.IsLeaf() { // a row may be of several items
			continue
		}
		faults = append(faults, fmt.Sprintf("the line %q gives %s, which is not in the record", clipped(l.Text), l.Field))
	}
	low := strings.ToLower(text)
	for _, secret := range j.Secrets {
		if wholeIndex(low, strings.ToLower(secret)) >= 0 {
			faults = append(faults, "a sensitive value of a sample is in it")
			break
		}
	}
	if run := sharedRun(text, j.Samples); run != "" {
		faults = append(faults, fmt.Sprintf("it takes %q from the sample", run))
	}
	return faults
}

func shown(v *value.Value) string {
	if v.Kind == value.Object {
		var parts []string
		for i := range v.Kids {
			parts = append(parts, v.Kids[i].Text)
		}
		return strings.Join(parts, " ")
	}
	return v.Text
}

func clipped(text string) string {
	if r := []rune(strings.TrimSpace(text)); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return strings.TrimSpace(text)
}

// sharedRun gives words that a text has in a row in common with a sample; "" for fewer than
// mostRun.
func sharedRun(text string, samples []string) string {
	runs := map[string]bool{}
	for _, s := range samples {
		words := wordPart.FindAllString(strings.ToLower(s), -1)
		for i := 0; i+mostRun <= len(words); i++ {
			runs[strings.Join(words[i:i+mostRun], " ")] = true
		}
	}
	words := wordPart.FindAllString(strings.ToLower(text), -1)
	for i := 0; i+mostRun <= len(words); i++ {
		if run := strings.Join(words[i:i+mostRun], " "); runs[run] {
			return run
		}
	}
	return ""
}

// Taken makes a document of a text that a model wrote; nil where it is more alike to one
// before, or to a real one, than is allowed.
func (j *Job) Taken(rec *value.Value, look, text string) *Made {
	made := &Made{Text: text, Record: *rec, From: look, Places: map[value.Pointer]Span{}}
	for p, place := range evidence.Of(j.Schema, rec, evidence.NewIndex(text)) {
		if place.Found() {
			made.Places[p] = Span{place.Start, place.End}
		}
	}
	page := &Page{Places: made.Places}
	page.write(text)
	made.Rest = page.without()
	n := len(made.Places)
	made.Values, made.Found, made.There = n, n, n
	tooAlike := j.Alike > 0 && (j.Near.To(made.Rest) > j.Alike || slices.ContainsFunc(j.Samples, func(s string) bool {
		var one Alikeness
		one.Add(s)
		return one.To(made.Rest) > j.Alike
	}))
	if tooAlike {
		j.Dropped++
		return nil
	}
	j.Near.Add(made.Rest)
	return made
}
