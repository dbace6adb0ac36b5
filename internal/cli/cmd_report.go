package cli

import (
	"context"
	"errors"
	"fmt"
	"image"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/run/improve"
	"filler/internal/source/document"
	"filler/internal/view/figures"
	"filler/internal/view/report"
)

// reporting is the flags of report.
type reporting struct {
	judged
	looking
	output, split, where string
	compare              bool
	plain, sensitive     bool
}

func (a *app) reportCmd() *cobra.Command {
	var o reporting
	cmd := &cobra.Command{Use: "report [RUN] -o FILE.html|DIR", Short: "A page to look at: every document with its values, and the figures of the run", Args: cobra.MaximumNArgs(2),
		Long: `Write a page that opens in any browser, without a network, and can be mailed: every document
whole with its values in the margin at the height of their words, the record as a tree, what
is known of each value, and with gold what is right, wrong, missed or extra; before them the
figures of the run. A DIR gets an index and a page for each document.

  filler report -o report.html
  filler report 7 -o report/
  filler report --compare 6 7 -o compare.html     run 7, with what run 6 has

Values of sensitive fields are masked, and in their documents all words but those of other
values, unless --sensitive is given.

Without a project:  filler report --schema SCHEMA --records FILE -o FILE.html`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := o.check(args); err != nil {
				a.parsed = false
				return err
			}
			return a.report(cmd.Context(), &o, args)
		}}
	o.judged.flags(cmd, true)
	f := cmd.Flags()
	f.StringVarP(&o.output, "output", "o", "", "write to this `PATH`: one file if it ends with .html, else a folder")
	f.BoolVar(&o.compare, "compare", false, "two runs are named: show the second, with what the first has where they differ")
	f.StringVar(&o.split, "split", "", splitUsage)
	f.StringVar(&o.where, "where", "", "a page only for documents whose metadata meet this `CONDITION`, such as 'year > 2030'")
	f.BoolVar(&o.plain, "no-pictures", false, "write the words of pages in place of their pictures")
	f.BoolVar(&o.sensitive, "sensitive", false, sensitiveUsage)
	f.StringVar(&o.encoding, "encoding", "", "the `ENCODING` of the documents, such as windows-1250, where they do not say it")
	return cmd
}

func (o *reporting) check(args []string) error {
	switch {
	case o.output == "":
		return errors.New("-o is missing: where to write, such as -o report.html")
	case o.compare && len(args) != 2:
		return fmt.Errorf("--compare sets two runs side by side, and %d %s named; write --compare 6 7", len(args), are(len(args)))
	case !o.compare && len(args) > 1:
		return errors.New("two runs are named; --compare sets them side by side")
	case o.recordsFile != "" && len(args) > 0:
		return errors.New("a run and --records are both given; use one of the two")
	case o.split != "" && o.split != gold.Tune && o.split != gold.Test:
		return fmt.Errorf("--split is tune or test, not %q", o.split)
	}
	return nil
}

func are(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

func (a *app) report(ctx context.Context, o *reporting, args []string) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	job := &report.Job{Schema: w.schema, Name: filepath.Base(o.recordsFile), Split: o.split, Show: o.sensitive}
	if done, err := a.reported(w, o, args, job); err != nil {
		return err
	} else {
		defer done()
	}
	if o.goldPath != "" || w.hasGold() {
		if job.Gold, err = w.golds(o.goldPath); err != nil {
			return err
		}
	}
	if err := a.aboutDocuments(w, o, job); err != nil {
		return err
	}
	r, done, err := a.reader(w, &o.looking)
	if err != nil {
		return err
	}
	defer done()
	job.Source = a.sourceReader(ctx, w, r, o.recordsFile)
	if !o.plain {
		small := *r
		small.DrawPixels = report.Pixels
		job.Pictures = func(d *document.Document, first, last int) ([]image.Image, error) {
			return small.Pictures(ctx, d, w.sourceOf(d.ID, o.recordsFile), first, last)
		}
	}
	tell := &steps{a: a, began: time.Now(), last: time.Now()}
	job.Step = func(int) { tell.step() }
	made, err := job.Write(ctx, o.output)
	if ctx.Err() != nil {
		return errors.New("stopped; what stood there is as it was")
	}
	if err != nil {
		return err
	}
	unread := ""
	if made.Unread > 0 {
		unread = fmt.Sprintf(" · %s shown without their text: it can't be read, or has changed", thousands(made.Unread))
	}
	a.notef("%s: %s · %s%s\n", o.output, job.Name, plural(made.Documents, "document"), unread)
	return nil
}

// hasGold tells whether the project's gold is there: a project names it before there is
// any.
func (w *work) hasGold() bool {
	if w.project == nil || w.project.Gold == "" {
		return false
	}
	_, err := os.Stat(w.project.Gold)
	return err == nil
}

// reported finds what is to be shown. What it opens is closed by done.
func (a *app) reported(w *work, o *reporting, args []string, job *report.Job) (done func(), err error) {
	if o.recordsFile != "" {
		job.Lines = func(do func(l record.Line) error) error {
			_, err := a.each(w, o.judged, "", func(n int, l record.Line, err error) error {
				if err == nil {
					err = do(l)
				}
				if err != nil {
					return lineFault(o.recordsFile, n, err)
				}
				return nil
			})
			return err
		}
		return func() {}, nil
	}
	name := ""
	if len(args) > 0 {
		name = args[len(args)-1]
	}
	l, run, err := a.keptRun(w, name)
	if err != nil {
		return nil, err
	}
	job.Store, job.Run, job.Name = l, run, figures.RunName(run.ID, run.Name)
	if w.schema.Name != "" {
		job.Name += " · " + w.schema.Name
	}
	if o.compare {
		other, err := l.Find(args[0])
		if err == nil && other.ID == run.ID {
			err = fmt.Errorf("--compare: both are run %d; name two", run.ID)
		}
		if err != nil {
			l.Close()
			return nil, err
		}
		job.Against = &other
	}
	job.Tried, _ = improve.Load(w.improvedFile(), w.schema) // none, or of another schema
	if run.SchemaHash != w.schema.Hash() {
		a.notef("run %d was filled with another version of the schema; its records are shown and measured as the schema is now\n", run.ID)
	}
	return func() { l.Close() }, nil
}

// aboutDocuments notes what is known of documents besides their text, and which are
// wanted.
func (a *app) aboutDocuments(w *work, o *reporting, job *report.Job) error {
	job.Metadata = map[string]map[string]string{}
	if job.Store != nil {
		kept, err := job.Store.Metadata(job.Run.ID)
		if err != nil {
			return err
		}
		for id, m := range kept {
			job.Metadata[id] = m
		}
	}
	if w.project == nil {
		if o.where != "" {
			return errors.New("--where goes by metadata, which a project declares; there is none here")
		}
		return nil
	}
	sources, err := w.sources(nil)
	if err != nil {
		return err
	}
	for _, s := range sources {
		if len(job.Metadata[s.ID]) == 0 {
			job.Metadata[s.ID] = s.Metadata
		}
	}
	if o.where == "" {
		return nil
	}
	wanted, err := a.meeting(sources, o.where)
	if err != nil {
		return err
	}
	job.Wanted = func(id string) bool { return wanted[id] }
	return nil
}
