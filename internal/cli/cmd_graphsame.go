package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/out/graph"
	"filler/internal/source/document"
	face "filler/internal/view/screen"
)

func (a *app) graphSameCmd(o *graphing) *cobra.Command {
	var yes, no []string
	var by string
	var most int
	var decide bool
	cmd := &cobra.Command{Use: "same", Short: "Names that may mean one thing; decide which do", Args: cobra.NoArgs,
		Long: `List pairs of names that may mean one thing, the likeliest first, each with a score, a reason and
two lines. Decide on pairs by their numbers, or one by one on the screen with --decide: what you
decide is kept in same.jsonl.

  filler graph same
  filler graph same --decide --reviewer 'M. Harrow'
  filler graph same --yes 1,3 --no 2 --reviewer 'M. Harrow'`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, decided, g, err := a.graph(o)
			if err != nil {
				return err
			}
			all := slices.DeleteFunc(g.Candidates(decided), func(c graph.Candidate) bool { return o.kind != "" && g.Nodes[c.A].Kind != o.kind })
			if len(yes)+len(no) > 0 {
				return a.decideSame(o, g, all, decided, [2][]string{yes, no}, by)
			}
			said, done, err := a.saidIn(cmd.Context(), o)
			if err != nil {
				return err
			}
			defer done()
			if decide {
				return a.decideOnScreen(cmd.Context(), o, graph.NewDesk(g, all, decided, "", by), said)
			}
			for i, c := range all {
				if i == most && most > 0 {
					a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more pairs; --most 0 lists all", len(all)-i)))
					break
				}
				x, y := &g.Nodes[c.A], &g.Nodes[c.B]
				if o.asJSON {
					a.printJSON(value.Obj(value.Num(fmt.Sprint(i+1)).Named("pair"), value.Str(x.Kind).Named("kind"), value.Str(x.Name).Named("a"), value.Str(y.Name).Named("b"), value.Num(fmt.Sprintf("%.3f", c.Score)).Named("score"), value.Str(c.Why).Named("why"), value.Num(fmt.Sprint(c.Shared)).Named("shared")))
					continue
				}
				why := c.Why
				if c.Shared > 0 {
					why += fmt.Sprintf("; %s in common", plural(c.Shared, "neighbour"))
				}
				a.printf("%s  %.2f  %s  %s\n", a.paint(faint, fmt.Sprintf("%3d", i+1)), c.Score, x.Kind, a.paint(soft, why))
				for _, n := range []*graph.Node{x, y} {
					a.printf("           %s  %s\n", a.paint(bold, n.Name), a.paint(faint, said(n, 1)[0]))
				}
			}
			if len(all) == 0 {
				a.notef("no two names are alike\n")
			}
			return nil
		}}
	f := cmd.Flags()
	f.StringSliceVar(&yes, "yes", nil, "the `PAIRS` that are one thing, by their numbers")
	f.StringSliceVar(&no, "no", nil, "the `PAIRS` that are two")
	f.BoolVar(&decide, "decide", false, "decide on them one by one, on the screen")
	f.StringVar(&by, "reviewer", "", reviewerUsage)
	f.IntVar(&most, "most", 20, "show so `MANY`; 0 is all")
	return cmd
}

// saidIn gives where an entity is named, with the words of the lines: first where the line
// is known.
func (a *app) saidIn(ctx context.Context, o *graphing) (func(n *graph.Node, most int) []string, func(), error) {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return nil, nil, err
	}
	r, done, err := a.reader(w, &looking{})
	if err != nil {
		return nil, nil, err
	}
	read := a.sourceReader(ctx, w, r, o.recordsFile)
	return func(n *graph.Node, most int) (all []string) {
		mentions := slices.Clone(n.Mentions)
		slices.SortStableFunc(mentions, func(a, b graph.Mention) int { return cmp.Compare(min(b.Line, 1), min(a.Line, 1)) })
		for _, m := range mentions[:min(len(mentions), most)] {
			text := placed(m)
			if m.Line > 0 {
				if d, err := read(m.Document); err == nil && m.Line <= document.NewLines(d.Text).Len() {
					text += "  " + clip(strings.TrimSpace(document.NewLines(d.Text).Text(m.Line)), 80)
				}
			}
			all = append(all, text)
		}
		return all
	}, done, nil
}

// decideOnScreen has somebody decide on pairs one by one.
func (a *app) decideOnScreen(ctx context.Context, o *graphing, d *graph.Desk, said func(*graph.Node, int) []string) error {
	if d.By == "" {
		a.parsed = false
		return errors.New("--reviewer is missing: who decides")
	}
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	if len(d.Pairs) == 0 {
		a.notef("no two names are alike\n")
		return nil
	}
	in, to, isTerminal := a.bothEnds()
	if !isTerminal {
		return errors.New("--decide needs a terminal; without one: --yes and --no with the numbers of pairs")
	}
	d.File = a.sameFile(w, o)
	a.sends.Store(true) // a signal ends it here, with all kept
	m := face.NewNames(d, said, a.term.colour)
	_, err = tea.NewProgram(m, tea.WithInput(in), tea.WithOutput(to), tea.WithContext(ctx)).Run()
	if errors.Is(err, tea.ErrProgramKilled) && ctx.Err() != nil || errors.Is(err, tea.ErrInterrupted) {
		err = nil
	}
	one, two := d.Counts()
	a.notef("%s kept in %s, %d of them one thing; %s left\n", plural(one+two, "decision"), d.File, one, plural(len(d.Pairs)-one-two, "pair"))
	if m.Err() != nil {
		return fmt.Errorf("%s: can't be written; check its permissions", d.File)
	}
	return err
}

// decideSame keeps what was decided on pairs.
func (a *app) decideSame(o *graphing, g *graph.Graph, all []graph.Candidate, decided []graph.Decision, said [2][]string, by string) error {
	if by == "" {
		a.parsed = false
		return errors.New("--reviewer is missing: who decides")
	}
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	n := 0
	for i, list := range said {
		for _, text := range list {
			at, ok := value.ArrayIndex(text)
			if !ok || at < 1 || at > len(all) {
				a.parsed = false
				return fmt.Errorf("there is no pair %s; `filler graph same` lists %s", text, plural(len(all), "pair"))
			}
			c := all[at-1]
			decided = append(decided, graph.Decision{Kind: g.Nodes[c.A].Kind, A: g.Nodes[c.A].Name, B: g.Nodes[c.B].Name, Same: i == 0, By: by, On: time.Now().Format("2006-01-02")})
			n++
		}
	}
	file := a.sameFile(w, o)
	if err := graph.WriteDecisions(file, decided); err != nil {
		return fmt.Errorf("%s: can't be written; check its permissions", file)
	}
	a.notef("%s kept in %s\n", plural(n, "decision"), file)
	return nil
}
