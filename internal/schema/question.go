package schema

import (
	"bytes"
	"fmt"
	"os"
	"regexp"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// AnswerField is what the answer to a question is called.
const AnswerField = "answer"

// Question makes a schema of one question: its answer may be concluded, and comes with the
// words that it rests on.
func Question(text string) (*Schema, error) {
	field := value.Obj(value.Str(strings.TrimSpace(text)).Named("text"))
	field.Set("evidence", value.Str("inferred"))
	field.Set("basis", value.Boolean(true))
	file := value.Obj(value.Str(questionName).Named("schema"), value.Str("The answer to one question, from the document alone; null where it does not say.").Named("about"))
	file.Set("fields", value.Obj(field.Named(AnswerField)))
	return Parse("the question", appendYAML(nil, &file, 0))
}

// Names of the schemas that a question makes.
const (
	questionName  = "question"
	statementName = "statement"
)

// IsQuestion tells a schema that Question made.
func (s *Schema) IsQuestion() bool {
	return s.Name == questionName && len(s.Record().Fields) == 1 && s.Record().Child(AnswerField) != nil
}

// IsStatement tells a schema that Statement made.
func (s *Schema) IsStatement() bool {
	return s.Name == statementName && s.Record().Child(StatementField) != nil && s.Record().Child(SourcesField) != nil
}

// StatementField is what a statement for a question to tables is called, and SourcesField
// the one that gives the documents on which its rows rest.
const (
	StatementField = "statement"
	SourcesField   = "sources"
)

// Statement makes a schema that asks for a SELECT which answers a question to tables, and
// for one that says from which documents.
func Statement(question string) (*Schema, error) {
	fields := value.Obj()
	for _, f := range [][2]string{{StatementField, strings.TrimSpace(question)}, {SourcesField, "The documents and lines that the answer rests on."}} {
		field := value.Obj(value.Str(f[1]).Named("text"))
		field.Set("evidence", value.Str("inferred"))
		fields.Set(f[0], field)
	}
	file := value.Obj(value.Str(statementName).Named("schema"), value.Str("A statement that answers a question from tables.").Named("about"))
	file.Set("fields", fields)
	return Parse("the question", appendYAML(nil, &file, 0))
}

var fieldsLine = lazy.New(`(?m)^fields:[ \t]*(#.*)?$`)

// Keep writes a question into a schema file as a field, before the others, and gives the
// file as it is then. Remarks and all else stay as they were.
func Keep(file, name, question string) ([]byte, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("%s: can't be read; check its permissions", file)
	}
	s, err := Parse(file, data)
	if err != nil {
		return nil, err
	}
	if !fieldName.MatchString(name) {
		return nil, fmt.Errorf("--keep %s: not a field name; begin with a letter, then letters, digits, `_` and `-`", name)
	}
	if s.Record().Child(name) != nil {
		return nil, fmt.Errorf("--keep %s: the schema has this field already", name)
	}
	at := fieldsLine.FindIndex(data)
	if at == nil {
		return nil, fmt.Errorf("%s: no line `fields:` to write behind; add %s: {text: …} by hand", file, name)
	}
	field := value.Obj(value.Str(strings.TrimSpace(question)).Named("text"))
	field.Set("evidence", value.Str("inferred"))
	field.Set("basis", value.Boolean(true))
	list := value.Obj(field.Named(name))
	indent := "  "
	if next := regexp.MustCompile(`^[^\S\n]+`).Find(firstField(data[at[1]:])); next != nil {
		indent = string(next)
	}
	var lines bytes.Buffer
	for line := range strings.Lines(string(appendYAML(nil, &list, 1))) {
		lines.WriteString(indent + strings.TrimPrefix(line, "  "))
	}
	end := at[1]
	if end < len(data) && data[end] == '\n' {
		end++
	}
	out := append(append(append([]byte(nil), data[:end]...), lines.Bytes()...), data[end:]...)
	if again, err := Parse(file, out); err != nil || again.Record().Child(name) == nil {
		return nil, fmt.Errorf("%s: the field can't be written into it; add %s: {text: …} by hand", file, name)
	}
	return out, nil
}

// firstField gives the first line that is not empty and no remark.
func firstField(data []byte) []byte {
	for line := range bytes.Lines(data) {
		if t := bytes.TrimSpace(line); len(t) > 0 && t[0] != '#' {
			return line
		}
	}
	return nil
}
