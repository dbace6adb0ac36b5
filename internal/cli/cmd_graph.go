package cli

import (
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/out/graph"
	"filler/internal/record"
	"filler/internal/run/fill"
)

// graphing is the flags of all graph commands.
type graphing struct {
	judged
	run, where, kind, same string
	join                   float64
	asJSON, sensitive      bool
}

func (a *app) graphCmd() *cobra.Command {
	var o graphing
	cmd := &cobra.Command{Use: "graph", Short: "Entities across documents, and how they belong together", Args: noSuch,
		Long: `Join what records say of the same things. A schema says with ` + "`entity`" + ` what is one thing across
documents; nesting and links join things, and so do the items of a list with ` + "`edge`" + `. Two mentions
are one where their keys are equal but for case, accents, punctuation and titles, or where
somebody decided so (filler graph same).

  filler graph                             counts, components, what stands alone
  filler graph around 'Heron Plank'        what is next to it, with document and line
  filler graph path 'Sefa Thornby' Lirr    a shortest way between two

Read more: filler help graph.`,
		RunE: func(*cobra.Command, []string) error { return a.graphCounts(&o) }}
	f := cmd.PersistentFlags()
	f.StringVar(&o.schemaFile, "schema", "", schemaUsage)
	f.StringVar(&o.recordsFile, "records", "", recordsUsage)
	f.StringVar(&o.run, "run", "", "the `RUN`: a number, a name, or last")
	f.StringVar(&o.where, "where", "", "only documents whose metadata meet this `CONDITION`, such as 'year > 2030'")
	f.StringVar(&o.kind, "kind", "", "only entities of this `KIND`")
	f.StringVar(&o.same, "same", "", "the `FILE` of decisions on names; same.jsonl of the project if left out")
	f.Float64Var(&o.join, "join", 0, "also join what is alike with at least this `SCORE`, such as 0.97; none if left out")
	f.BoolVar(&o.sensitive, "sensitive", false, sensitiveUsage)
	f.BoolVar(&o.asJSON, "json", false, "print JSON")
	cmd.AddCommand(a.graphAroundCmd(&o), a.graphPathCmd(&o), a.graphWeightsCmd(&o), a.graphMissingCmd(&o), a.graphCheckCmd(&o), a.graphSameCmd(&o), a.graphExportCmd(&o), a.graphDrawCmd(&o))
	return cmd
}

// graph builds the graph that is asked for.
func (a *app) graph(o *graphing) (*graph.Joined, []graph.Decision, *graph.Graph, error) {
	if o.join < 0 || o.join > 1 {
		a.parsed = false
		return nil, nil, nil, fmt.Errorf("--join is a score from 0 to 1, not %g", o.join)
	}
	w, err := a.open(o.schemaFile)
	if err != nil {
		return nil, nil, nil, err
	}
	b, isOpen, err := a.graphBuilder(w, o)
	if err != nil {
		return nil, nil, nil, err
	}
	if len(w.schema.Entities()) == 0 && !isOpen {
		return nil, nil, nil, fmt.Errorf("%s: nothing in it is an entity; add `entity: true` to a text, or `entity: {key: [name]}` to a group or list", w.schema.File)
	}
	if !o.sensitive {
		for _, f := range w.schema.Entities() {
			if w.schema.IsSensitive(f.Path) && f.Path != "" {
				return nil, nil, nil, fmt.Errorf("%s is sensitive, and its names would be shown; --sensitive shows them", f.Path)
			}
		}
	}
	decided, err := graph.ReadDecisions(a.sameFile(w, o))
	if err != nil {
		return nil, nil, nil, err
	}
	pick, err := a.picks(w, &exporting{where: o.where})
	if err != nil {
		return nil, nil, nil, err
	}
	_, err = a.eachDecided(w, o.judged, o.run, func(n int, l record.Line, err error) error {
		switch {
		case err != nil:
			return lineFault(o.recordsFile, n, err)
		case l.Status != record.Failed && pick(&l) != "":
			return nil
		}
		b.Add(&l)
		return nil
	})
	if err != nil {
		return nil, nil, nil, err
	}
	plain := b.Graph()
	return plain.Join(decided, o.join), decided, plain, nil
}

// graphBuilder begins a graph: of the schema's entities, or of what a run of style open
// found.
func (a *app) graphBuilder(w *work, o *graphing) (b *graph.Builder, isOpen bool, err error) {
	if o.recordsFile != "" {
		return graph.NewBuilder(w.schema), false, nil
	}
	l, run, err := a.keptRun(w, o.run)
	if err != nil {
		return nil, false, err
	}
	defer l.Close()
	if fill.IsOpen(run) {
		return graph.NewOpenBuilder(), true, nil
	}
	return graph.NewBuilder(w.schema), false, nil
}

// sameFile is where decisions on names are.
func (a *app) sameFile(w *work, o *graphing) string {
	switch {
	case o.same != "":
		return o.same
	case w.project != nil:
		return filepath.Join(w.project.Dir, "same.jsonl")
	}
	return "same.jsonl"
}

func (a *app) graphCounts(o *graphing) error {
	g, decided, plain, err := a.graph(o)
	if err != nil {
		return err
	}
	c := g.Counts()
	open := len(plain.Candidates(decided))
	if o.asJSON {
		n := func(name string, n int) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
		kinds := func(name string, all []graph.KindCount) value.Value {
			v := value.Obj()
			for _, k := range all {
				v.Kids = append(v.Kids, n(k.Kind, k.N))
			}
			return v.Named(name)
		}
		a.printJSON(value.Obj(n("documents", g.Documents), n("failed", g.Failed), n("entities", len(g.Nodes)), kinds("by_kind", c.ByKind), n("edges", len(g.Edges)), kinds("edges_by_kind", c.Edges),
			value.Num(fmt.Sprintf("%.9f", c.Density)).Named("density"), n("components", c.Components), n("largest", c.Largest), n("isolated", c.Isolated), n("loose", c.Loose), n("faults", len(g.Faults)), n("joined_by_people", g.ByPeople), n("joined_by_score", g.ByScore), n("to_decide", open)))
		return nil
	}
	a.printf("%s and %s, of %s\n\n", a.paint(bold, plural(len(g.Nodes), "entity")), plural(len(g.Edges), "edge"), plural(g.Documents, "document"))
	for _, t := range []struct {
		head string
		of   []graph.KindCount
	}{{"entities", c.ByKind}, {"edges", c.Edges}} {
		table := a.newTable(t.head, ">number")
		for _, k := range t.of {
			table.row(k.Kind, k.N)
		}
		table.print()
		a.printf("\n")
	}
	a.printf("%s, the largest of %s; %s stand alone; %.4f of all pairs are joined\n", plural(c.Components, "component"), plural(c.Largest, "entity"), thousands(c.Isolated), c.Density)
	a.note(c.Loose, "edge has a missing end; `filler graph check` lists them", "edges have a missing end; `filler graph check` lists them")
	a.note(len(g.Faults), "value is not as the schema has it; `filler graph check` says where", "values are not as the schema has them; `filler graph check` lists them")
	a.note(g.Failed, "document has no record", "documents have no record")
	a.note(g.ByPeople, "pair of names is one as decided", "pairs of names are one as decided")
	a.note(g.ByScore, "pair of names was joined by --join", "pairs of names were joined by --join")
	a.note(open, "pair of names may be one; `filler graph same` lists them", "pairs of names may be one; `filler graph same` lists them")
	return nil
}

// note prints how many there are of something, if any.
func (a *app) note(n int, one, many string) {
	switch {
	case n == 1:
		a.printf("%s\n", a.paint(soft, "1 "+one))
	case n > 1:
		a.printf("%s\n", a.paint(soft, thousands(n)+" "+many))
	}
}

// one finds the entity that a name means.
func (a *app) one(g *graph.Graph, name, kind string) (int, error) {
	all := g.Find(name, kind)
	switch len(all) {
	case 1:
		return all[0], nil
	case 0:
		return 0, fmt.Errorf("%s: no entity is called so; `filler graph weights` lists the heaviest", name)
	}
	var names []string
	for _, i := range all[:min(len(all), 6)] {
		names = append(names, g.Nodes[i].Name+" ("+g.Nodes[i].Kind+")")
	}
	return 0, fmt.Errorf("%s: this may mean %s; write more of it, or add --kind", name, strings.Join(names, ", "))
}

// placed says where something stands.
func placed(m graph.Mention) string {
	if m.Line > 0 {
		return fmt.Sprintf("%s line %d", m.Document, m.Line)
	}
	return m.Document
}

func (a *app) graphAroundCmd(o *graphing) *cobra.Command {
	var steps int
	cmd := &cobra.Command{Use: "around NAME", Short: "What is next to an entity, and where it is said", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			g, _, _, err := a.graph(o)
			if err != nil {
				return err
			}
			n, err := a.one(g.Graph, args[0], o.kind)
			if err != nil {
				return err
			}
			edges := g.Around(n, max(steps, 1))
			if o.asJSON {
				for _, e := range edges {
					a.printJSON(edgeJSON(g.Graph, e))
				}
				return nil
			}
			node := &g.Nodes[n]
			a.printf("%s  %s, %s\n", a.paint(bold, node.Name), node.Kind, plural(len(node.Mentions), "mention"))
			if len(node.Names) > 0 {
				a.printf("%s\n", a.paint(soft, "also "+strings.Join(node.Names, "; ")))
			}
			a.printf("\n")
			t := a.newTable("from", "edge", "to", "kind", "said in")
			for _, e := range edges {
				t.row(g.Nodes[e.From].Name, e.Kind, g.Nodes[e.To].Name, g.Nodes[e.To].Kind, placed(e.Mention))
			}
			t.print()
			return nil
		}}
	cmd.Flags().IntVar(&steps, "steps", 1, "how many `STEPS` to go")
	return cmd
}

func edgeJSON(g *graph.Graph, e graph.Edge) value.Value {
	v := value.Obj(value.Str(g.ID(e.From)).Named("from"), value.Str(g.ID(e.To)).Named("to"), value.Str(e.Kind).Named("kind"), value.Str(e.Document).Named("document"), value.Str(string(e.Path)).Named("path"))
	if e.Line > 0 {
		v.Set("line", value.Num(fmt.Sprint(e.Line)))
	}
	return v
}

func (a *app) graphPathCmd(o *graphing) *cobra.Command {
	return &cobra.Command{Use: "path A B", Short: "A shortest way between two entities", Args: cobra.ExactArgs(2),
		RunE: func(_ *cobra.Command, args []string) error {
			g, _, _, err := a.graph(o)
			if err != nil {
				return err
			}
			var ends [2]int
			for i := range ends {
				if ends[i], err = a.one(g.Graph, args[i], ""); err != nil {
					return err
				}
			}
			way := g.Path(ends[0], ends[1])
			if way == nil {
				a.notef("%s and %s are not joined\n", g.Nodes[ends[0]].Name, g.Nodes[ends[1]].Name)
				return exit(codeFlagged)
			}
			for i, n := range way {
				if i > 0 {
					between := g.Between(way[i-1], n)
					if o.asJSON {
						a.printJSON(edgeJSON(g.Graph, between[0]))
						continue
					}
					more := ""
					if len(between) > 1 {
						more = fmt.Sprintf(", and %d more", len(between)-1)
					}
					a.printf("  %s  %s%s\n", a.paint(faint, "│ "+between[0].Kind), a.paint(faint, placed(between[0].Mention)), more)
				}
				if !o.asJSON {
					a.printf("%s  %s\n", a.paint(bold, g.Nodes[n].Name), a.paint(soft, g.Nodes[n].Kind))
				}
			}
			return nil
		}}
}

func (a *app) graphWeightsCmd(o *graphing) *cobra.Command {
	var most int
	cmd := &cobra.Command{Use: "weights", Short: "The entities on which most hangs: neighbours and PageRank", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			g, _, _, err := a.graph(o)
			if err != nil {
				return err
			}
			t := a.newTable("entity", "kind", ">neighbours", ">PageRank", ">mentions")
			shown := 0
			for _, w := range g.Weights() {
				n := &g.Nodes[w.Node]
				if o.kind != "" && n.Kind != o.kind {
					continue
				}
				if shown++; shown > most && most > 0 {
					break
				}
				if o.asJSON {
					a.printJSON(value.Obj(value.Str(g.ID(w.Node)).Named("id"), value.Num(fmt.Sprint(w.Degree)).Named("neighbours"), value.Num(fmt.Sprintf("%.9f", w.Rank)).Named("pagerank"), value.Num(fmt.Sprint(len(n.Mentions))).Named("mentions")))
					continue
				}
				t.row(n.Name, n.Kind, w.Degree, fmt.Sprintf("%.4f", w.Rank), len(n.Mentions))
			}
			if !o.asJSON {
				t.print()
			}
			return nil
		}}
	cmd.Flags().IntVar(&most, "most", 20, "show so `MANY`; 0 is all")
	return cmd
}

func (a *app) graphMissingCmd(o *graphing) *cobra.Command {
	var most int
	cmd := &cobra.Command{Use: "missing", Short: "Guesses: pairs that are not joined and have neighbours in common", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			g, _, _, err := a.graph(o)
			if err != nil {
				return err
			}
			t := a.newTable("guess", "and", ">score", "in common")
			for _, x := range g.Missing(most) {
				var names []string
				for _, c := range x.Common[:min(len(x.Common), 4)] {
					names = append(names, g.Nodes[c].Name)
				}
				if o.asJSON {
					a.printJSON(value.Obj(value.Str(g.ID(x.A)).Named("a"), value.Str(g.ID(x.B)).Named("b"), value.Num(fmt.Sprintf("%.4f", x.Score)).Named("score"), value.Boolean(true).Named("guess")))
					continue
				}
				t.row(g.Nodes[x.A].Name, g.Nodes[x.B].Name, fmt.Sprintf("%.2f", x.Score), strings.Join(names, ", "))
			}
			if !o.asJSON {
				t.print()
				a.printf("%s\n", a.paint(faint, "guesses by common neighbours: no document says them"))
			}
			return nil
		}}
	cmd.Flags().IntVar(&most, "most", 20, "show so `MANY`")
	return cmd
}

func (a *app) graphCheckCmd(o *graphing) *cobra.Command {
	return &cobra.Command{Use: "check", Short: "Edges with a missing end, entities without a name or a source, contradictions", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			g, _, _, err := a.graph(o)
			if err != nil {
				return err
			}
			faults := g.Check()
			for _, f := range faults {
				if o.asJSON {
					v := value.Obj(value.Str(f.Code).Named("code"), value.Str(f.Text).Named("message"), value.Str(f.Document).Named("document"), value.Str(string(f.Path)).Named("path"))
					if f.Line > 0 {
						v.Set("line", value.Num(fmt.Sprint(f.Line)))
					}
					a.printJSON(v)
					continue
				}
				at := placed(f.Mention)
				if f.Line == 0 && f.Path != "" {
					at += " " + f.Path.Words()
				}
				a.printf("%s  %s  %s\n", a.paint(bad, f.Code), f.Text, a.paint(faint, at))
			}
			if len(faults) > 0 {
				return exit(codeFlagged)
			}
			a.notef("nothing to look at\n")
			return nil
		}}
}
