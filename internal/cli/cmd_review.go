package cli

import (
	"context"
	"errors"
	"fmt"
	"image"
	"net"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"filler/internal/base/place"
	"filler/internal/measure/gold"
	"filler/internal/measure/review"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/store"
	"filler/internal/view/browser"
	face "filler/internal/view/screen"
)

// reviewing is what a review was asked for.
type reviewing struct {
	reviewer      string
	order         string
	asked         review.Order
	blind, second bool
	below, above  float64
	browser       bool
	against       string
}

func (a *app) goldReviewCmd() *cobra.Command {
	var o reviewing
	cmd := &cobra.Command{Use: "review [DOC...]", Short: "Review drafts on the screen, value by value",
		Long: `Review the drafts of the gold set, or those named, on the screen: the record as a tree at
the left, the source at the right with the place of the value at hand, and what speaks against
it below. Each value is a decision: right, changed, taken from the source, empty, unsure. It is
kept before the next one comes. A document of which all is decided is signed with your name.

A right value takes one key (enter). ? shows all keys; ` + "`review: {keys: …}`" + ` in filler.yaml
sets them otherwise.

  filler gold review --reviewer 'M. Harrow'
  filler gold review --reviewer 'M. Harrow' --order risk
  filler gold review --reviewer 'M. Harrow' --field 'bays[].number'

Read more: filler help reviewing.`,
		RunE: func(cmd *cobra.Command, args []string) error { return a.goldReview(cmd.Context(), &o, args) }}
	o.flags(cmd)
	f := cmd.Flags()
	f.BoolVar(&o.blind, "blind", false, "show no filled values")
	f.BoolVar(&o.second, "second", false, "review again, blind, what another reviewer has signed")
	return cmd
}

func (o *reviewing) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&o.reviewer, "reviewer", "", reviewerUsage)
	f.StringVar(&o.order, "order", "documents", "the `ORDER` of decisions: documents, or risk (the riskiest of all first)")
	f.StringVar(&o.asked.Field, "field", "", "only this `FIELD`, over all documents, such as 'bays[].number'")
	f.IntVar(&o.asked.Values, "values", 0, "only `N` values drawn at random, to estimate the accuracy of all")
	f.Int64Var(&o.asked.Seed, "seed", 1, "`SEED` of the draw of --values")
	f.StringVar(&o.asked.Show, "show", "", "only `WHAT`: problems, uncovered (lines), or changed (values)")
	f.BoolVar(&o.browser, "browser", false, "review in a browser, on a page of this machine alone")
	f.Float64Var(&o.below, "accept-below", 0.1, "the `RISK` below which what is quoted can be accepted at once")
}

func (a *app) reviewCmd() *cobra.Command {
	var o reviewing
	cmd := &cobra.Command{Use: "review [RUN] [DOC...]", Short: "Put records of a run right on the screen",
		Long: `Review records of a run on the screen of ` + "`filler gold review`" + `: those that are flagged, or with
--above also those with a value above a risk, or the documents named. What you decide is kept
in the ledger with your name and the time. ` + "`filler export`" + ` gives the records as decided, with
what was changed; later fills, repairs and updates of the same text keep it. It is no gold
unless you make it: ` + "`filler gold draft --from-review`" + `.

  filler review --reviewer 'M. Harrow'
  filler review 7 --reviewer 'M. Harrow' --above 0.3
  filler review --reviewer 'M. Harrow' --values 80     # how right is this run?
  filler review 7 --against 6 --reviewer 'M. Harrow'   # only where two runs differ

Read more: filler help reviewing.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			run := ""
			if len(args) > 0 && !strings.ContainsAny(args[0], "./#") {
				run, args = args[0], args[1:]
			}
			return a.review(cmd.Context(), &o, run, args)
		}}
	o.flags(cmd)
	cmd.Flags().StringVar(&o.against, "against", "", "only the values in which another `RUN` has others")
	cmd.Flags().Float64Var(&o.above, "above", 1, "also records with a value above this `RISK`")
	return cmd
}

func (a *app) review(ctx context.Context, o *reviewing, runName string, names []string) error {
	if err := o.check(); err != nil {
		a.parsed = false
		return err
	}
	w, err := a.open("")
	if err != nil {
		return err
	}
	read, run, err := a.keptRun(w, runName)
	if err != nil {
		return err
	}
	read.Close()
	l, err := w.openRuns()
	if err != nil {
		return err
	}
	defer l.Close()
	check, err := record.NewValidator(w.schema)
	if err != nil {
		return err
	}
	documents, numbers, err := a.toReview(l, run, o, names)
	if err != nil {
		return err
	}
	differ, err := a.against(w, l, run, o)
	if err != nil {
		return err
	}
	if differ != nil {
		documents = slices.DeleteFunc(documents, func(id string) bool { return differ[id] == nil })
	}
	o.asked.Signed = len(names) > 0
	keeper := review.NewRun(review.Run{Differ: differ, Schema: w.schema, Check: check, Reviewer: o.reviewer, ID: run.ID, Store: l, Line: func(document string) (*record.Line, error) {
		kept, ok, err := l.RecordAt(run.ID, numbers[document])
		if err != nil || !ok {
			return nil, fmt.Errorf("%s: run %d has no record of it any more: %w", document, run.ID, err)
		}
		line, err := fill.ToLine(run.ID, kept, w.schema)
		return &line, err
	}}, documents)
	return a.atDesk(ctx, w, o, laid{check, keeper, ""})
}

// against gives the values in which another run has others; nil where none is named.
func (a *app) against(w *work, l store.Store, run store.Run, o *reviewing) (map[string][]review.Difference, error) {
	if o.against == "" {
		return nil, nil
	}
	other, err := l.Find(o.against)
	if err != nil {
		return nil, err
	}
	if other.ID == run.ID {
		return nil, fmt.Errorf("--against %s: this is run %d itself; name another", o.against, run.ID)
	}
	var both [2]score.Records
	for i, id := range []int64{run.ID, other.ID} {
		both[i] = score.Records{}
		if err := linesOf(l, id, w.schema, func(line record.Line) error {
			if line.Status != record.Failed {
				both[i][line.Document] = &line.Record
			}
			return nil
		}); err != nil {
			return nil, err
		}
	}
	differ := map[string][]review.Difference{}
	got := score.Agree(w.schema, both[0], both[1])
	for _, d := range got.Leaves {
		differ[d.Document] = append(differ[d.Document], review.Difference{Document: d.Document, Path: d.Path, First: d.A, Second: d.B})
	}
	a.notef("%s of %s are the same in runs %d and %d\n", thousands(got.Same), plural(got.Same+got.Differ, "value"), run.ID, other.ID)
	return differ, nil
}

// toReview lists the documents of a run whose records are to be reviewed, with their
// numbers: flagged ones, those with a value above a risk, or those named.
func (a *app) toReview(l store.Store, run store.Run, o *reviewing, names []string) (documents []string, numbers map[string]int, err error) {
	numbers, found := map[string]int{}, map[string]bool{}
	all := len(names) > 0 || o.against != "" || o.asked.Values > 0 || o.asked.Field != ""
	err = l.Records(run.ID, 0, func(r store.Record) error {
		line, err := fill.ToLine(run.ID, r, nil)
		if err != nil {
			return err
		}
		wanted := line.Status == record.Flagged || all && len(names) == 0
		for i := range line.Risk.Kids {
			risk, err := strconv.ParseFloat(line.Risk.Kids[i].Text, 64)
			wanted = wanted || err == nil && risk > o.above
		}
		if len(names) > 0 {
			wanted = false
			for _, n := range names {
				if isMeant(line.Document, n) {
					found[n], wanted = true, true
				}
			}
		}
		if wanted && line.Status != record.Failed {
			documents = append(documents, line.Document)
			numbers[line.Document] = r.N
		}
		return nil
	})
	for _, n := range names {
		if err == nil && !found[n] {
			err = fmt.Errorf("%s: run %d has no record of it; `filler runs` lists the runs", n, run.ID)
		}
	}
	return documents, numbers, err
}

// check says what is wrong with what was asked for.
func (o *reviewing) check() error {
	switch {
	case strings.TrimSpace(o.reviewer) == "":
		return errors.New("no reviewer is named; add --reviewer NAME")
	case o.order != "documents" && o.order != "risk":
		return fmt.Errorf("--order is documents or risk, not %q", o.order)
	case o.asked.Show != "" && !slices.Contains(review.Shows, o.asked.Show):
		return fmt.Errorf("--show is %s, not %q", strings.Join(review.Shows, ", "), o.asked.Show)
	case o.asked.Values < 0:
		return fmt.Errorf("--values is how many values to draw, not %d", o.asked.Values)
	case o.below < 0 || o.below > 1:
		return fmt.Errorf("--accept-below is a risk from 0 to 1, not %g", o.below)
	}
	o.asked.ByRisk = o.order == "risk"
	return nil
}

func (a *app) goldReview(ctx context.Context, o *reviewing, names []string) error {
	if err := o.check(); err != nil {
		a.parsed = false
		return err
	}
	w, err := a.open("")
	if err != nil {
		return err
	}
	dir, err := w.goldFolder()
	if err != nil {
		return err
	}
	check, err := record.NewValidator(w.schema)
	if err != nil {
		return err
	}
	if _, err := os.Stat(dir); err != nil {
		return place.Faults{{File: dir, Msg: "there is no gold here", Hint: "`filler gold draft` writes drafts from the records of a run"}}
	}
	folder, err := review.OpenFolder(dir, w.schema, check, o.reviewer)
	if err != nil {
		return err
	}
	if o.second {
		if folder, err = folder.Second(secondFolder(dir)); err != nil {
			return err
		}
	}
	folder.Blind, folder.Time = o.blind || o.second, w.project != nil && w.project.ReviewTime
	if err := a.onlyNamed(folder, names); err != nil {
		return err
	}
	o.asked.Signed = len(names) > 0
	return a.atDesk(ctx, w, o, laid{check, folder, dir})
}

// secondFolder is where the records of second reviewers are: beside the first.
func secondFolder(dir string) string { return strings.TrimRight(dir, "/") + "-second" }

// onlyNamed leaves the documents that were named, each by a document, a file, or the end
// of a path.
func (a *app) onlyNamed(folder *review.Folder, names []string) error {
	if len(names) == 0 {
		return nil
	}
	found := map[string]bool{}
	folder.Only(func(id, file string) bool {
		meant := false
		for _, n := range names {
			if isMeant(id, n) || isMeant(file, n) {
				found[n], meant = true, true
			}
		}
		return meant
	})
	for _, n := range names {
		if !found[n] {
			return fmt.Errorf("%s: there is no gold record for it; `filler gold status` shows what there is, `filler gold draft` writes drafts", n)
		}
	}
	return nil
}

// laid is what is reviewed, and the folder beside which its documents are; "" for the
// project's.
type laid struct {
	check  *record.Validator
	keeper review.Keeper
	from   string
}

// atDesk shows a review on the screen, or in a browser.
func (a *app) atDesk(ctx context.Context, w *work, o *reviewing, what laid) error {
	keys, err := reviewKeys(w)
	if err != nil {
		return err
	}
	r, done, err := a.reader(w, &looking{})
	if err != nil {
		return err
	}
	defer done()
	desk, err := review.NewDesk(w.schema, what.check, what.keeper, a.sourceReader(ctx, w, r, what.from), o.asked)
	if err != nil {
		a.parsed = false
		return err
	}
	in, to, isTerminal := a.bothEnds()
	if !o.browser && !isTerminal {
		return errors.New("a review needs a terminal, or --browser; `filler gold draft` and an editor do without")
	}
	if err := desk.Begin(); err != nil {
		return err
	}
	if desk.Sheet() == nil {
		a.notef("nothing is left to review\n")
		return nil
	}
	a.sends.Store(true) // a signal ends it here, with all kept
	blind := o.blind || o.second
	if o.browser {
		return a.onPage(ctx, browser.Setup{Desk: desk, Keys: keys, Below: o.below, Blind: blind, Picture: pictures(ctx, w, r, what.from)})
	}
	m := face.New(face.Setup{Desk: desk, Keys: keys, Reviewer: o.reviewer, Below: o.below, Colour: a.term.colour, Blind: blind})
	_, err = tea.NewProgram(m, tea.WithInput(in), tea.WithOutput(to), tea.WithContext(ctx)).Run()
	if errors.Is(err, tea.ErrProgramKilled) && ctx.Err() != nil || errors.Is(err, tea.ErrInterrupted) {
		err = nil
	}
	a.tellReview(m, desk)
	return err
}

// bothEnds gives what keys come from and what the screen is drawn on; false where either
// is no terminal.
func (a *app) bothEnds() (in, out *os.File, isTerminal bool) {
	in, isFile := a.in.(*os.File)
	to, _ := a.screens()
	out, isOut := to.to.(*os.File)
	return in, out, isFile && isOut && term.IsTerminal(int(in.Fd())) && term.IsTerminal(int(out.Fd()))
}

// pictures draws the pages of documents.
func pictures(ctx context.Context, w *work, r *document.Reader, from string) func(id string, page int) (image.Image, error) {
	return func(id string, page int) (image.Image, error) {
		source := w.sourceOf(id, from)
		d, err := r.Read(ctx, source)
		if err != nil {
			return nil, err
		}
		return r.Picture(ctx, d, source, page)
	}
}

// onPage serves a review to a browser until the program is told to stop.
func (a *app) onPage(ctx context.Context, s browser.Setup) error {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return fmt.Errorf("no port of this machine can be opened: %w", err)
	}
	page := browser.New(s, listener.Addr())
	server := &http.Server{Handler: page, ReadHeaderTimeout: 10 * time.Second}
	ended := make(chan error, 1)
	go func() { ended <- server.Serve(listener) }()
	a.printf("%s\n", page.Address())
	a.notef("open this address in a browser of this machine; Ctrl-C ends the review, all is kept\n")
	select {
	case <-ctx.Done():
		server.Close()
		return nil
	case err := <-ended:
		return err
	}
}

func (a *app) tellReview(m *face.Model, desk *review.Desk) {
	pressed, decided := m.Pressed()
	a.notef("%s with %s; all is kept\n", plural(decided, "decision"), plural(pressed, "key"))
	if e, ok := desk.Estimate(); ok && e.Seen > 0 {
		a.notef("%s, of %s looked at\n", face.EstimateText(e), plural(e.Seen, "value"))
	}
}

// reviewKeys gives the keys of the screen, as filler.yaml sets them.
func reviewKeys(w *work) (face.Keys, error) {
	set := map[string]string{}
	var node *place.Node
	if w.project != nil && w.project.ReviewKeys != nil {
		node = w.project.ReviewKeys
		for _, kid := range node.Pairs() {
			set[kid.Key()] = strings.Join(kid.Texts(), " ")
		}
	}
	keys, err := face.NewKeys(set)
	if err != nil && node != nil {
		line, col := node.Place()
		return nil, place.Faults{{File: w.project.File, Line: line, Col: col, Msg: err.Error(), Hint: "`?` on the screen shows the keys"}}
	}
	return keys, err
}

// goldFromReview writes drafts of the records that people have decided in production.
func (a *app) goldFromReview(documents []string) error {
	w, dir, set, err := a.draftsGoTo()
	if err != nil {
		return err
	}
	l, err := w.keptRuns()
	if err != nil {
		return err
	}
	defer l.Close()
	written, there, unfinished := 0, 0, 0
	err = l.Reviews(w.schema.Name, func(r store.Review) error {
		file := gold.FileOf(dir, r.Document)
		_, stat := os.Stat(file)
		switch {
		case len(documents) > 0 && !slices.ContainsFunc(documents, func(n string) bool { return isMeant(r.Document, n) }):
			return nil
		case !r.Done:
			unfinished++
			return nil
		case stat == nil || set[r.Document] != nil:
			there++
			return nil
		}
		d, err := review.ReadDecided(r)
		if err != nil {
			return err
		}
		v := d.Draft(w.schema)
		written++
		return gold.Write(file, &v)
	})
	a.notef("%s from reviews written below %s, %d there already, %d not decided to the end\n", plural(written, "draft"), dir, there, unfinished)
	if err == nil && written > 0 {
		a.notef("`filler gold review --reviewer NAME` or `filler gold sign DOC... --reviewer NAME` signs them\n")
	}
	return err
}
