package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"filler/internal/base/place"
	"filler/internal/measure/review"
	"filler/internal/record"
	face "filler/internal/view/screen"
)

// reviewing is what a review was asked for.
type reviewing struct {
	reviewer      string
	order         string
	asked         review.Order
	blind, second bool
	below         float64
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

Read more: docs/reviewing.md.`,
		RunE: func(cmd *cobra.Command, args []string) error { return a.goldReview(cmd.Context(), &o, args) }}
	f := cmd.Flags()
	f.StringVar(&o.reviewer, "reviewer", "", reviewerUsage)
	f.StringVar(&o.order, "order", "documents", "the `ORDER` of decisions: documents, or risk (the riskiest of all first)")
	f.StringVar(&o.asked.Field, "field", "", "only this `FIELD`, over all documents, such as 'bays[].number'")
	f.IntVar(&o.asked.Values, "values", 0, "only `N` values drawn at random, to estimate the accuracy of all")
	f.Int64Var(&o.asked.Seed, "seed", 1, "`SEED` of the draw of --values")
	f.StringVar(&o.asked.Show, "show", "", "only `WHAT`: problems, uncovered (lines), or changed (values)")
	f.BoolVar(&o.blind, "blind", false, "show no filled values")
	f.BoolVar(&o.second, "second", false, "review again, blind, what another reviewer has signed")
	f.Float64Var(&o.below, "accept-below", 0.1, "the `RISK` below which what is quoted can be accepted at once")
	return cmd
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
	folder.Blind = o.blind || o.second
	if err := a.onlyNamed(folder, names); err != nil {
		return err
	}
	r, done, err := a.reader(w, &looking{})
	if err != nil {
		return err
	}
	defer done()
	desk, err := review.NewDesk(w.schema, check, folder, a.sourceReader(ctx, w, r, dir), o.asked)
	if err != nil {
		a.parsed = false
		return err
	}
	return a.onScreen(ctx, w, desk, o)
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

// onScreen shows a review until the reviewer stops.
func (a *app) onScreen(ctx context.Context, w *work, desk *review.Desk, o *reviewing) error {
	keys, err := reviewKeys(w)
	if err != nil {
		return err
	}
	in, isFile := a.in.(*os.File)
	out, _ := a.screens()
	to, isOut := out.to.(*os.File)
	if !isFile || !isOut || !term.IsTerminal(int(in.Fd())) || !term.IsTerminal(int(to.Fd())) {
		return errors.New("a review needs a terminal; `filler gold draft` and an editor do without")
	}
	if err := desk.Begin(); err != nil {
		return err
	}
	if desk.Sheet() == nil {
		a.notef("nothing is left to review; `filler gold status` shows what there is\n")
		return nil
	}
	m := face.New(face.Setup{Desk: desk, Keys: keys, Reviewer: o.reviewer, Below: o.below, Colour: a.term.colour, Blind: o.blind || o.second})
	_, err = tea.NewProgram(m, tea.WithInput(in), tea.WithOutput(to), tea.WithContext(ctx)).Run()
	if errors.Is(err, tea.ErrProgramKilled) && ctx.Err() != nil || errors.Is(err, tea.ErrInterrupted) {
		err = nil
	}
	a.tellReview(m, desk)
	return err
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
