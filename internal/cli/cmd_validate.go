package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/source/document"
)

func (a *app) validateCmd() *cobra.Command {
	var j judged
	var asJSON, sensitive, evidence bool
	var o looking
	cmd := &cobra.Command{Use: "validate [RUN]", Short: "Check records against the schema, and against their documents", Args: cobra.MaximumNArgs(1),
		Long: "Check the records of a run, or of any file of JSON Lines, against the schema. Exit code 3:\nsome records have problems.\n\n--evidence looks every value up in its document, too, wherever the records come from: another\nprogram, a table typed by hand, an older model. It tells values that stand nowhere or that the\ndocument contradicts, and lines of which no value came. No model is asked.\n\nWithout a project:  filler validate --schema SCHEMA --records FILE --evidence",
		RunE: func(cmd *cobra.Command, args []string) error {
			w, err := a.open(j.schemaFile)
			if err != nil {
				return err
			}
			check, err := record.NewValidator(w.schema)
			if err != nil {
				return err
			}
			v := &validation{a: a, asJSON: asJSON, check: check, schema: w.schema, file: j.recordsFile}
			if !sensitive {
				v.cover = record.NewCover(w.schema)
			}
			if evidence {
				r, done, err := a.reader(w, &o)
				if err != nil {
					return err
				}
				defer done()
				v.source = a.sourceReader(cmd.Context(), w, r, j.recordsFile)
			}
			if _, err := a.each(w, j, first(args), v.line); err != nil {
				return err
			}
			return v.end()
		}}
	j.flags(cmd, false)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the result as JSON")
	cmd.Flags().BoolVar(&evidence, "evidence", false, "look each value up in its document, too")
	o.flags(cmd)
	cmd.Flags().BoolVar(&sensitive, "sensitive", false, sensitiveUsage)
	return cmd
}

type validation struct {
	a              *app
	asJSON         bool
	check          *record.Validator
	schema         *schema.Schema
	file           string
	cover          *record.Cover
	source         func(id string) (*document.Document, error) // nil: documents are not looked at
	concluded      int                                         // values that were found nowhere, and need not be
	unlooked       int                                         // records whose documents can't be read
	records, valid int
	unread         int // lines that are no record
	list           []value.Value
}

// mostUnread is how many lines that are no record are told one by one: a file may be something
// else altogether.
const mostUnread = 20

func (v *validation) line(n int, l record.Line, err error) error {
	v.records++
	var problems []record.Problem
	where := l.Document
	switch {
	case err != nil:
		where = fmt.Sprintf("%s:%d", v.file, n)
		problems = []record.Problem{{What: record.Failure{Kind: record.Syntax, Why: err.Error()}}}
		if v.unread++; v.unread > mostUnread && !v.asJSON {
			return nil
		}
	case l.Status == record.Failed:
		problems = l.Problems
	default:
		problems = v.judged(&l)
	}
	if len(problems) == 0 {
		v.valid++
	}
	for _, p := range v.cover.Problems(problems) {
		if v.asJSON {
			out := p.JSON()
			out.Kids = append([]value.Value{value.Str(where).Named("document")}, out.Kids...)
			v.list = append(v.list, out.Detach())
			continue
		}
		now := ""
		if p.Value != nil {
			now = "  " + clip(p.Value.String(), 60)
		}
		path := string(p.Path)
		if path != "" {
			path += "  "
		}
		v.a.printf("%s  %s%s  %s%s\n", where, path, v.a.paint(bad, string(p.Code())), p.Message(), now)
	}
	return nil
}

// judged gives the problems of a record, by the schema and where that is wanted by its document.
func (v *validation) judged(l *record.Line) []record.Problem {
	var d *document.Document
	var failed []record.Problem
	if v.source != nil {
		var err error
		if d, err = v.source(l.Document); err == nil && l.Hashes.Text != "" && l.Hashes.Text != d.Hash {
			err = errors.New("its text is another now than when its record was made; fill it again")
		}
		if err != nil {
			v.unlooked++
			d, failed = nil, []record.Problem{{What: record.Failure{Kind: record.Unreadable, Why: err.Error()}}}
		}
	}
	problems, concluded := fill.Judge(v.check, v.schema, &l.Record, d)
	v.concluded += concluded
	return append(failed, problems...)
}

func (v *validation) end() error {
	if v.asJSON {
		n := func(name string, n int) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
		out := value.Obj(n("records", v.records), n("valid", v.valid))
		if v.source != nil {
			out.Kids = append(out.Kids, n("not_looked_up", v.unlooked), n("concluded", v.concluded))
		}
		out.Kids = append(out.Kids, value.List(v.list...).Named("problems"))
		v.a.printJSON(out)
	} else {
		if v.unread > mostUnread {
			v.a.printf("%s more lines can't be read as records\n", thousands(v.unread-mostUnread))
		}
		v.a.notef("%s\n", v.sum())
	}
	if v.valid < v.records {
		return exit(codeFlagged)
	}
	return nil
}

// sum says how many records have no problem, and what they were held against.
func (v *validation) sum() string {
	of := fmt.Sprintf("%s of %s valid", thousands(v.valid), plural(v.records, "record"))
	if v.source == nil {
		return of + " by the schema; --evidence holds them against their documents, too"
	}
	if of += " by the schema and by their documents"; v.unlooked > 0 {
		of += fmt.Sprintf(", of which %s can't be read or changed since", thousands(v.unlooked))
	}
	if v.concluded > 0 {
		of += "; found nowhere, and may be concluded: " + plural(v.concluded, "value")
	}
	return of
}
