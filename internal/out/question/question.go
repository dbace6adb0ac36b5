// Package question has a model answer questions in words: to documents, and to records as
// tables.
//
// Rules it keeps:
//
//   - What a model writes is held against what it was shown: an answer against the words it
//     names, a sentence against the rows, a summary against the answers. What does not hold
//     is given along, and never left out.
//   - A statement of a model changes nothing, whatever it is (export.Query); a wrong one goes
//     back with the error, at most twice.
//   - Nothing here knows how a model is asked: an Asker does.
package question

import (
	"context"
	"errors"
	"fmt"
	"sort"
	"strings"

	"filler/internal/ask/prompt"
	"filler/internal/out/export"
	"filler/internal/schema"
)

// Purposes of what is asked, as they are kept with the runs.
const (
	ToDocuments = "ask"
	ToTables    = "ask-statement"
	ToRows      = "ask-rows"
	ToAnswers   = "ask-summary"
)

// Put is one question about one text.
type Put struct {
	Purpose  string
	Name     string // of the text
	Text     string
	Schema   *schema.Schema
	Template *prompt.Template
	Before   string // what was asked before it
}

// Reply is what came back: the values of the schema's fields, "" where there is none, and
// whether the words that the first one rests on stand in the text.
type Reply struct {
	Values  map[string]string
	Founded bool
}

// Asker puts a question to a model.
type Asker func(ctx context.Context, put Put) (Reply, error)

// Wrong statements go back so often, so many rows are said in words, and so many answers
// are summed up.
const (
	mostTries   = 3
	mostSaid    = 50
	mostAnswers = 200
	mostSources = 100
)

// Try is a statement that could not be run.
type Try struct{ Statement, Why string }

// OfRecords is what records answer.
type OfRecords struct {
	Statement  string
	Tries      []Try // what was wrong before
	Rows       *export.Answer
	Sources    *export.Answer // the documents of the rows; nil where the statement names them, or none came
	SourcesWhy string         // why there are none
	Mixed      []string       // amounts that are put together over several units
	Words      string         // "" where there are too many rows
	Founded    bool           // they name rows that are there
	Unfounded  []string       // figures of theirs that stand in no row
}

// Earlier is a question that another follows.
type Earlier struct{ Question, Statement, Before string }

// Text says it to a model.
func (e *Earlier) Text() string {
	if e == nil {
		return ""
	}
	text := e.Before
	if text != "" {
		text += "\n"
	}
	text += "* " + oneLine(e.Question)
	if e.Statement != "" {
		text += "\n  " + oneLine(e.Statement)
	}
	return text
}

// Tables are the records as tables, in a file of SQLite.
type Tables struct {
	Plan *export.Plan
	File string
}

// Records has a model write a SELECT for a question to tables, runs it, and
// has the rows said in words. say is told of statements that could not be run.
func Records(ctx context.Context, ask Asker, tables Tables, text string, earlier *Earlier, say func(Try)) (*OfRecords, error) {
	out := &OfRecords{}
	s, err := schema.Statement(text)
	if err != nil {
		return nil, err
	}
	sources := ""
	described := tables.Plan.Describe()
	for shown := described; ; {
		reply, err := ask(ctx, Put{ToTables, "the tables", shown, s, ofTables(), earlier.Text()})
		if err != nil {
			return nil, err
		}
		if out.Statement, sources = reply.Values[schema.StatementField], reply.Values[schema.SourcesField]; out.Statement == "" {
			return nil, errors.New("the model wrote no statement for this question; ask it otherwise, or write --sql 'SELECT …'")
		}
		out.Rows, err = export.Query(ctx, tables.File, out.Statement)
		var refused *export.Refused
		if !errors.As(err, &refused) {
			if err != nil {
				return nil, err
			}
			break
		}
		if out.Tries = append(out.Tries, Try{oneLine(out.Statement), refused.Why}); len(out.Tries) == mostTries {
			return nil, fmt.Errorf("no statement of the model could be run: %s", refused.Why)
		}
		say(out.Tries[len(out.Tries)-1])
		shown = described + "\nThis statement does not do: " + oneLine(out.Statement) + "\nBecause: " + refused.Why + "\n"
	}
	if err := out.from(ctx, tables.File, sources); err != nil {
		return nil, err
	}
	if out.Mixed, err = tables.Plan.Mixed(ctx, tables.File, out.Statement); err != nil {
		return nil, err
	}
	return out, out.say(ctx, ask, text)
}

// from finds the documents of the rows.
func (o *OfRecords) from(ctx context.Context, file, sources string) error {
	if sources == "" || o.Rows.Has("document") {
		return nil
	}
	answer, err := export.Query(ctx, file, sources)
	var refused *export.Refused
	switch {
	case errors.As(err, &refused):
		o.SourcesWhy = refused.Why
	case err != nil:
		return err
	case !answer.Has("document"):
		o.SourcesWhy = "the model's second statement names no documents"
	default:
		answer.Cut(mostSources)
		o.Sources = answer
	}
	return nil
}

// say has the rows said in words.
func (o *OfRecords) say(ctx context.Context, ask Asker, text string) error {
	if len(o.Rows.Rows) > mostSaid {
		return nil
	}
	s, err := schema.Question(text)
	if err != nil {
		return err
	}
	reply, err := ask(ctx, Put{ToRows, "the rows", oneLine(o.Statement) + "\n\n" + o.Rows.Text(), s, ofRows(), ""})
	if err != nil {
		return err
	}
	if o.Words, o.Founded = reply.Values[schema.AnswerField], reply.Founded; o.Words != "" {
		o.Unfounded = unfounded(o.Words, text, o.Rows.Text())
	}
	return nil
}

// Said is what one document answers, or why it does not.
type Said struct {
	Document, Answer, Quote, Why string
	Line, Page                   int
}

// Same are the documents that give one answer.
type Same struct {
	Answer    string
	Documents []string
}

// Alike puts the documents with the same answer together, those of most first. What was
// not answered counts by why.
func Alike(all []Said) (out []Same) {
	at := map[string]int{}
	for _, s := range all {
		text := oneLine(s.Answer)
		if text == "" {
			text = s.Why
		}
		key := strings.ToLower(strings.TrimRight(text, "."))
		i, known := at[key]
		if !known {
			i = len(out)
			at[key] = i
			out = append(out, Same{Answer: text})
		}
		out[i].Documents = append(out[i].Documents, s.Document)
	}
	sort.SliceStable(out, func(i, j int) bool { return len(out[i].Documents) > len(out[j].Documents) })
	return out
}

// Summary is what several documents answer together.
type Summary struct {
	Words     string
	Founded   bool
	Unfounded []string // figures of it that stand in no answer, and are no number of documents
}

// Sum has what several documents answer summed up; nil where all say the same, or there
// are too many answers.
func Sum(ctx context.Context, ask Asker, text string, all []Said) (*Summary, error) {
	alike := Alike(all)
	if len(alike) < 2 || len(alike) > mostAnswers {
		return nil, nil
	}
	s, err := schema.Question(text)
	if err != nil {
		return nil, err
	}
	var b strings.Builder
	counts := []string{fmt.Sprint(len(all))}
	for _, a := range alike {
		n := len(a.Documents)
		counts = append(counts, fmt.Sprint(n))
		named := strings.Join(a.Documents[:min(n, 5)], ", ")
		if n > 5 {
			named += ", …"
		}
		fmt.Fprintf(&b, "%s (documents: %d; %s)\n", a.Answer, n, named)
	}
	reply, err := ask(ctx, Put{ToAnswers, "the answers", b.String(), s, ofTheOthers(), ""})
	if err != nil || reply.Values[schema.AnswerField] == "" {
		return nil, err
	}
	words := reply.Values[schema.AnswerField]
	return &Summary{words, reply.Founded, unfounded(words, text, b.String(), strings.Join(counts, " "))}, nil
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }
