package standin

import (
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/draft/printed"
	"filler/internal/schema"
)

// isStatement tells a request for a SELECT, and isQuestion one for an answer in words.
func isStatement(s *schema.Schema) bool { return s.Record().Child(schema.StatementField) != nil }
func isQuestion(s *schema.Schema) bool {
	f := s.Record()
	return len(f.Fields) == 1 && f.Fields[0].Name == schema.AnswerField
}

// statement answers with a SELECT for a simple question; a careless writer misspells a
// table now and then.
func (w *writer) statement() value.Value {
	root := w.task.schema.Record()
	text := statement(root.Child(schema.StatementField).About, readTables(w.task.document))
	if text != "" && w.chance(w.slip*5) {
		text = strings.Replace(text, " FROM ", " FROM the_", 1)
	}
	out := value.Obj()
	for _, f := range root.Fields {
		v := value.Value{}
		if f.Name == schema.StatementField && text != "" {
			v = value.Str(text)
		}
		out.Kids = append(out.Kids, v.Named(f.Name))
	}
	return out
}

var answerLine = lazy.New(`^(.*) \(documents: (\d+); `)

// said answers a question in words: from rows, from the answers of documents, or from the
// line of a document that shares most words with it.
func (w *writer) said() value.Value {
	f := w.task.schema.Record().Fields[0]
	text, basis := "", ""
	lines := strings.Split(strings.TrimSpace(w.task.document), "\n")
	switch last := lines[len(lines)-1]; {
	case strings.HasPrefix(last, "rows: "):
		text, basis = ofRows(lines, last)
	case answerLine.MatchString(last):
		var parts []string
		for _, l := range lines {
			if m := answerLine.FindStringSubmatch(l); m != nil {
				parts = append(parts, m[1]+": "+m[2])
			}
		}
		text, basis = strings.Join(parts, "; "), lines[0]
	default:
		text, basis = ofLine(f.About, w.task.document)
	}
	if text == "" || w.chance(w.dropped) {
		return value.Obj(value.Obj(value.Value{}.Named("value"), value.Value{}.Named("basis")).Named(f.Name))
	}
	return value.Obj(value.Obj(value.Str(text).Named("value"), value.Str(basis).Named("basis")).Named(f.Name))
}

// ofRows says rows: the first of them, with how many there are.
func ofRows(lines []string, last string) (text, basis string) {
	n, _ := strconv.Atoi(strings.TrimPrefix(last, "rows: "))
	if n == 0 || len(lines) < n+2 {
		return "None was found.", last
	}
	first := lines[len(lines)-1-n]
	text = strings.ReplaceAll(first, " | ", ", ") + "."
	if n > 1 {
		text = "First " + strings.TrimSuffix(text, ".") + ", of " + strconv.Itoa(n) + " rows."
	}
	return text, first
}

// small are words of questions that say nothing of what is asked.
var small = map[string]bool{"who": true, "what": true, "which": true, "where": true, "when": true, "how": true, "is": true, "are": true, "was": true, "the": true, "a": true, "an": true, "of": true, "has": true, "have": true, "doe": true, "do": true, "in": true, "on": true, "for": true, "to": true, "it": true, "many": true, "much": true, "at": true, "by": true}

// yesOrNo are words with which questions begin that ask for a yes or a no.
var yesOrNo = map[string]bool{"is": true, "are": true, "was": true, "were": true, "doe": true, "do": true, "did": true, "ha": true, "have": true, "can": true}

// ofLine gives what a document prints behind the label that shares most words with a
// question.
func ofLine(question, document string) (text, basis string) {
	ask := map[string]bool{}
	words := plainWords(question)
	if len(words) == 0 || yesOrNo[words[0]] { // nothing is printed that says so
		return "", ""
	}
	for _, word := range words {
		if !small[word] {
			ask[word] = true
		}
	}
	best := 0.0
	for _, l := range printed.Lines(document) {
		for _, p := range l.Pairs {
			words := plainWords(p.Label)
			shared := 0
			for _, word := range words {
				if ask[word] {
					shared++
				}
			}
			if score := float64(shared) / float64(len(words)+1); p.Value != "" && score > best {
				best, text, basis = score, p.Value, strings.TrimSpace(l.Body)
			}
		}
	}
	return text, basis
}

// isDocument tells a request for a text that is written from a record.
func isDocument(s *schema.Schema) bool {
	f := s.Record()
	return len(f.Fields) == 1 && f.Fields[0].Name == "text"
}

// document writes a record down, a line a value; a careless writer forgets some.
func (w *writer) document() value.Value {
	_, after, _ := strings.Cut(w.task.document, "Record:\n")
	raw, _, _ := strings.Cut(after, "\n\n")
	rec, err := value.Parse(raw)
	if err != nil {
		return value.Obj(value.Value{}.Named("text"))
	}
	var b strings.Builder
	w.down(&b, &rec, "")
	return value.Obj(value.Str(b.String()).Named("text"))
}

func (w *writer) down(b *strings.Builder, v *value.Value, indent string) {
	for i := range v.Kids {
		kid := &v.Kids[i]
		label := schema.Spoken(kid.Name)
		switch {
		case kid.Empty() || w.chance(w.dropped):
		case kid.Kind == value.Object && len(kid.Kids) == 2 && kid.Get("amount") != nil:
			b.WriteString(indent + label + ": " + kid.Kids[0].Text + " " + kid.Kids[1].Text + "\n")
		case kid.Kind == value.Object:
			w.down(b, kid, indent)
		case kid.Kind == value.Array:
			b.WriteString("\n" + indent + label + "\n")
			for k := range kid.Kids {
				if item := &kid.Kids[k]; item.Kind == value.Object {
					b.WriteString(indent + strconv.Itoa(k+1) + ".\n")
					w.down(b, item, indent+"  ")
				} else {
					b.WriteString(indent + "  " + item.Text + "\n")
				}
			}
		case kid.Kind == value.Bool:
			b.WriteString(indent + label + ": " + map[string]string{"true": "yes", "false": "no"}[kid.Text] + "\n")
		default:
			b.WriteString(indent + label + ": " + kid.Text + "\n")
		}
	}
}
