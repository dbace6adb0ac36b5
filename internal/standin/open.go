package standin

import (
	"fmt"
	"strings"

	"filler/internal/ask/outline"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/draft/printed"
	"filler/internal/schema"
)

// isOpen tells a request for whatever the document states: lists of values with
// their names, and of things.
func isOpen(s *schema.Schema) bool {
	values := s.Record().Child("values")
	return values != nil && values.Type == schema.List && values.Item.Child("name") != nil && values.Item.Child("value") != nil
}

var (
	itemHead = lazy.New(`^\s*(?:[-*•]\s*)?([A-Z]\pL+ \d{1,3})\s*:?\s*$`)
	named    = lazy.New(`\p{Lu}[\pL'’-]+(?: \p{Lu}[\pL'’-]+)+`)
)

// open answers with what is labelled, and with the names of several words.
func (w *writer) open() value.Value {
	values, things, relations := value.List(), value.List(), value.List()
	of, subject := "", ""
	seen := map[string]bool{}
	for _, l := range printed.Lines(w.task.document) {
		if m := itemHead.FindStringSubmatch(l.Body); m != nil {
			of = m[1]
			continue
		}
		for _, p := range l.Pairs {
			if p.Value == "" || w.chance(w.dropped) {
				continue
			}
			belongs := value.Value{}
			if of != "" {
				belongs = value.Str(of)
			}
			values.Kids = append(values.Kids, value.Obj(belongs.Named("of"), value.Str(p.Label).Named("name"), value.Str(p.Value).Named("value")))
			if named.FindString(p.Value) == p.Value && !seen[p.Value] {
				seen[p.Value] = true
				things.Kids = append(things.Kids, value.Obj(value.Str(p.Value).Named("name"), value.Str(strings.ToLower(p.Label)).Named("kind")))
				if subject == "" {
					subject = p.Value
				} else {
					relations.Kids = append(relations.Kids, value.Obj(value.Str(subject).Named("from"), value.Str(strings.ToLower(p.Label)).Named("says"), value.Str(p.Value).Named("to")))
				}
			}
		}
	}
	return value.Obj(values.Named("values"), things.Named("things"), relations.Named("relations"))
}

// short answers a question for one field with its value alone, or says that it
// is not stated.
func (w *writer) short() string {
	raw := printed.Fill(w.task.schema, w.task.document)
	text := w.one(w.task.schema.Leaves()[0], &raw)
	if text != outline.NotStated && w.chance(w.mess/4) {
		text = schema.Spoken(w.task.schema.Leaves()[0].Name) + ": " + text
	}
	return text
}

// inLines answers with a line for each field.
func (w *writer) inLines() string {
	raw := printed.Fill(w.task.schema, w.task.document)
	var b strings.Builder
	for _, leaf := range w.task.schema.Leaves() {
		fmt.Fprintf(&b, "%s: %s\n", leaf.Path, w.one(leaf, &raw))
	}
	return b.String()
}

// one gives the value of a field in words.
func (w *writer) one(leaf *schema.Field, raw *value.Value) string {
	at := raw
	for _, name := range strings.Split(leaf.Path, ".") {
		at = at.Get(name)
	}
	v := w.leaf(leaf, at)
	if v.Kind == value.Null {
		return outline.NotStated
	}
	if leaf.Basis {
		basis := value.Value{}
		if at != nil && at.Text != "" {
			basis = value.Str(at.Text)
		}
		both := value.Obj(v.Named("value"), basis.Named("basis"))
		return string(both.JSON())
	}
	text := v.Text
	if amount := v.Get("amount"); amount != nil {
		name, _ := leaf.Measure()
		text = amount.Text
		if m := v.Get(name); m != nil {
			text += " " + m.Text
		}
	}
	return text
}

// points puts the ids of words in place of the values that stand in the
// document, near the line of the value before.
func (w *writer) points(f *schema.Field, v *value.Value, last *int) {
	switch {
	case v.Kind == value.Object && f.Type == schema.Group:
		for i := range v.Kids {
			if kid := f.Child(v.Kids[i].Name); kid != nil {
				w.points(kid, &v.Kids[i], last)
			}
		}
	case v.Kind == value.Array && f.Type == schema.List:
		for i := range v.Kids {
			w.points(f.Item, &v.Kids[i], last)
		}
	case v.Kind == value.String && outline.ByID(f):
		*v = w.pointAt(v.Text, last).Named(v.Name)
	}
}

// pointAt gives the id of the words of a text: in the lines from the last one
// on, else in any before.
func (w *writer) pointAt(text string, last *int) value.Value {
	want := strings.Fields(text)
	lines := w.task.lines
	for n := range lines {
		i := (*last + n) % len(lines)
		words := strings.Fields(lines[i].Text)
		for at := 0; at+len(want) <= len(words); at++ {
			if !sameWords(words[at:at+len(want)], want) {
				continue
			}
			*last = i
			from, to := at+1, at+len(want)
			if w.chance(w.slip) && to < len(words) {
				to++
			}
			if w.chance(w.asPrinted / 4) {
				return value.Str(lines[i].ID)
			}
			return value.Str(pointerTo(lines[i].ID, from, to))
		}
	}
	return value.Value{}
}

// pointerTo writes the id of words: L3.2, L3.2-4.
func pointerTo(line string, from, to int) string {
	if from == to {
		return fmt.Sprintf("%s.%d", line, from)
	}
	return fmt.Sprintf("%s.%d-%d", line, from, to)
}

func sameWords(words, want []string) bool {
	for i := range want {
		if strings.Trim(words[i], ".,;:()") != strings.Trim(want[i], ".,;:()") {
			return false
		}
	}
	return true
}
