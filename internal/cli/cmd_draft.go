package cli

import (
	"context"
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/draft"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/store"
)

func (a *app) draftCmd() *cobra.Command {
	var records, output, fromRun string
	cmd := &cobra.Command{Use: "draft [DOC...]", Short: "A first draft of a schema, from samples",
		Long: "Write a first draft of a schema from sample documents, by the labels, tables and\nnumbered headings that they print, or from records with --records FILE. No model is\nasked. A comment behind each field says in how many samples it occurs, with one value.\n\nThe records of a file all fit their draft as they stand: \"12.5\" in quotes is a text, and the\ncomment says what it reads as.",
		RunE: func(cmd *cobra.Command, args []string) error {
			var d *draft.Result
			var err error
			switch {
			case records != "" && len(args) > 0:
				a.parsed = false
				return errors.New("documents and --records are both given; use one of the two")
			case fromRun != "" && (records != "" || len(args) > 0):
				a.parsed = false
				return errors.New("--from-run drafts from the records of a run; leave out documents and --records")
			case fromRun != "":
				d, err = a.draftOfRun(fromRun)
			case records != "":
				d, err = a.draftOfRecords(records)
			case len(args) == 0:
				a.parsed = false
				return errors.New("no samples are named; add the paths of documents, or --records FILE")
			default:
				d, err = a.draftOfDocuments(cmd.Context(), args)
			}
			if err != nil {
				return err
			}
			if output == "" {
				a.printf("%s", d.YAML)
			} else if err := writeNew(output, d.YAML); err != nil {
				return err
			}
			a.notef("%s from %s; next: `filler schema check`, then write the descriptions\n", plural(len(d.Schema.Leaves()), "field"), plural(d.Samples, "sample"))
			return nil
		}}
	cmd.Flags().StringVar(&records, "records", "", "draft from this `FILE` of JSON Lines, or - for standard input")
	cmd.Flags().StringVar(&fromRun, "from-run", "", "draft from the records of this `RUN`")
	cmd.Flags().StringVarP(&output, "output", "o", "", "write the draft to this `FILE`, which must not exist yet")
	return cmd
}

func (a *app) draftOfDocuments(ctx context.Context, names []string) (*draft.Result, error) {
	w, err := a.anywhere()
	if err != nil {
		return nil, err
	}
	sources, err := w.sources(names)
	if err != nil {
		return nil, err
	}
	r, done, err := a.reader(w, &looking{})
	if err != nil {
		return nil, err
	}
	defer done()
	var texts []string
	for _, s := range sources {
		d, err := r.Read(ctx, s)
		if err != nil {
			a.notef("left out: %s\n", err)
			continue
		}
		texts = append(texts, d.Render(w.layout("")))
	}
	if len(texts) == 0 {
		return nil, errors.New("none of the samples could be read")
	}
	return draft.FromTexts(texts)
}

// draftOfRun takes the records of a run. Those of style open are read as what
// they list: labels with their values.
func (a *app) draftOfRun(name string) (*draft.Result, error) {
	l, _, err := a.kept()
	if err != nil {
		return nil, err
	}
	defer l.Close()
	run, err := l.Find(name)
	if err != nil {
		return nil, err
	}
	s, err := schema.Parse(run.SchemaFile, run.Schema)
	if err != nil {
		return nil, err
	}
	c := draft.NewCollector()
	var open []value.Value
	err = l.Records(run.ID, 0, func(r store.Record) error {
		line, err := fill.ToLine(run.ID, r, s)
		if err != nil || line.Record.Kind == value.Null {
			return err
		}
		kept := line.Record.Detach()
		if s.IsOpen() {
			open = append(open, kept)
			return nil
		}
		return c.Add(&kept)
	})
	switch {
	case err != nil:
		return nil, err
	case s.IsOpen() && len(open) > 0:
		return draft.FromOpen(open)
	case s.IsOpen():
		return nil, fmt.Errorf("run %d has no records to draft from", run.ID)
	}
	return c.Result()
}

// draftOfRecords takes records in the form of docs/formats.md, or bare.
func (a *app) draftOfRecords(file string) (*draft.Result, error) {
	c := draft.NewCollector()
	err := record.ReadValues(file, func(n int, v *value.Value, err error) error {
		if err == nil {
			for _, key := range []string{"record", "records"} {
				if inner := v.Get(key); inner != nil && v.Get("document") != nil {
					v = inner
				}
			}
			kept := v.Detach()
			err = c.Add(&kept)
		}
		if err != nil {
			return lineFault(file, n, err)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return c.Result()
}
