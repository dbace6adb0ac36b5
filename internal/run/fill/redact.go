package fill

import (
	"crypto/rand"
	"encoding/hex"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/store"
)

// Redaction says what a ledger for others keeps: records with random tokens in the
// place of sensitive values, the same for the same value within one copy, and steps
// without the words of documents and replies.
func Redaction() *store.Redo {
	tokens := map[string]string{}
	token := func(text string) string {
		if tokens[text] == "" {
			var b [6]byte
			_, _ = rand.Read(b[:]) // it never fails
			tokens[text] = "hidden-" + hex.EncodeToString(b[:])
		}
		return tokens[text]
	}
	covers := map[string]*record.Cover{}
	return &store.Redo{
		Record: func(run store.Run, r store.Record) (store.Record, error) {
			if covers[run.SchemaHash] == nil {
				s, err := schema.Parse(run.SchemaFile, run.Schema)
				if err != nil {
					return r, err
				}
				covers[run.SchemaHash] = record.NewTokens(s, token)
			}
			return redacted(covers[run.SchemaHash], run, r)
		},
		Settings: withoutExamples,
	}
}

func redacted(c *record.Cover, run store.Run, r store.Record) (store.Record, error) {
	l, err := ToLine(run.ID, r, nil)
	if err != nil {
		return r, err
	}
	steps, err := trace.Parse(r.Trace)
	if err != nil {
		return r, err
	}
	l = c.Line(l)
	problems := record.ProblemsJSON(l.Problems)
	told := trace.Covered(steps, c).JSON()
	r.Record, r.Problems, r.Trace = l.Record.JSON(), problems.JSON(), told.JSON()
	return r, nil
}

// withoutExamples takes the solved examples out of a run's settings: they hold
// documents whole.
func withoutExamples(settings []byte) ([]byte, error) {
	v, err := value.ParseBytes(settings)
	if err != nil {
		return nil, err
	}
	v.Drop("examples")
	v.Drop("shared")
	return v.JSON(), nil
}

// ShownIn gives the runs whose prompts show a document as a solved example.
func ShownIn(runs []store.Run, document string) (in []int64) {
	for _, run := range runs {
		v, err := value.ParseBytes(run.Settings)
		if err != nil {
			continue
		}
		if list := v.Get("examples"); list != nil {
			for i := range list.Kids {
				if list.Kids[i].Word("document") == document {
					in = append(in, run.ID)
				}
			}
		}
	}
	return in
}
