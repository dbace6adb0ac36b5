package route

import (
	"fmt"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// The fields of what a model is asked.
const (
	jobField    = "job"
	startsField = "starts"
)

// Question gives the schema of the record that a model is asked for: which job a document is for.
func Question(jobs []Job) (*schema.Schema, error) {
	var of []string
	for _, j := range jobs {
		about := j.About
		if about == "" {
			about = j.Schema.About
		}
		if about == "" {
			about = "Documents with " + strings.Join(names(j.Schema), ", ")
		}
		of = append(of, schema.Quote(j.Name)+": "+schema.Quote(about))
	}
	of = append(of, Other+": Documents that are none of these")
	return schema.Parse("route", fmt.Appendf(nil, "schema: route\nabout: What kind of document it is.\nfields:\n  %s: {choice: What kind of document this is as a whole., required: true, evidence: inferred, of: {%s}}\n", jobField, strings.Join(of, ", ")))
}

// names gives the first fields of a schema in words.
func names(s *schema.Schema) (list []string) {
	for _, f := range s.Record().Fields {
		if list = append(list, schema.Spoken(f.Name)); len(list) == 8 {
			break
		}
	}
	return list
}

// Answer gives the job that a record names; "" for none.
func Answer(rec *value.Value) string { return rec.Word(jobField) }
