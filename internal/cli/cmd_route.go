package cli

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/process"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/run/fill"
	"filler/internal/run/job"
	"filler/internal/run/route"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/layout"
	"filler/internal/store"
)

// routing is how documents are to be routed.
type routing struct {
	ask, asJSON, score bool
	modelName, output  string
	budget             float64
	look               looking
}

func (a *app) routeCmd() *cobra.Command {
	var o routing
	cmd := &cobra.Command{Use: "route [DOC...]", Short: "Which job of the project each document is for",
		Long: `Say for each document which job of filler.yaml it is for, the cheapest way first: by the rules
under route:, by what it prints (the labels, choices and values of each job's schema), and with --ask
by a model, from what each job says under about:. What is not clear stays open; ` + "`other`" + ` is a document
that no job is for. A PDF of several documents is split at pages where stacks: says how, and its
documents are named by their pages (stack.pdf#3-5).

  route:
    - {when: 'name matches "^inv"', job: invoices}
    - {when: 'path startsWith "old/"', job: other}
  stacks: printed          # or model, or {begins: '^Report no'}

--score holds jobs and boundaries against gold: a document is for the job whose gold set has it.
` + "`filler fill`" + ` in a project with route: or stacks: fills each document by its route.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.score && o.asJSON && o.output != "" {
				a.parsed = false
				return errors.New("--score prints a table or JSON; leave out -o")
			}
			return a.route(cmd.Context(), &o, args)
		}}
	f := cmd.Flags()
	f.BoolVar(&o.ask, "ask", false, "ask a model about the documents that are open")
	f.StringVar(&o.modelName, "model", "", modelUsage)
	f.Float64Var(&o.budget, "budget", 0, "stop asking before it costs more than this `AMOUNT`")
	f.BoolVar(&o.score, "score", false, "hold jobs and boundaries against gold")
	f.BoolVar(&o.asJSON, "json", false, "print a line of JSON for each document; with --score the table as JSON")
	f.StringVarP(&o.output, "output", "o", "", "write a line of JSON for each document to this `FILE`")
	o.look.flags(cmd)
	return cmd
}

func (a *app) route(ctx context.Context, o *routing, names []string) error {
	r, err := a.router(ctx, o, names)
	if err != nil {
		return err
	}
	var lines bytes.Buffer
	for _, one := range r.routes {
		v := routeJSON(one)
		fmt.Fprintf(&lines, "%s\n", v.JSON())
	}
	switch {
	case o.score:
		return a.scoreRoutes(o, r)
	case o.output != "":
		if err := process.WriteFile(o.output, lines.Bytes(), false); err != nil {
			return &document.Error{File: o.output, Msg: "can't be written", Hint: "check that its folder is there and may be written"}
		}
	case o.asJSON || !a.term.out:
		b := bufio.NewWriter(a.out)
		_, _ = b.Write(lines.Bytes())
		if err := b.Flush(); err != nil {
			return err
		}
	}
	a.tellRoutes(o, r)
	return nil
}

// routed is a pile with the route of each of its documents.
type routed struct {
	project *project.Project
	jobs    []route.Job
	routes  []route.Route
	sources map[string]document.Source // by the names that routes have
	split   int                        // files that were split
	asked   int
	spent   int64
}

// of gives the documents of a job, in the order of the pile.
func (r *routed) of(job string) (sources []document.Source) {
	for _, one := range r.routes {
		if one.Job == job {
			sources = append(sources, r.sources[one.Document])
		}
	}
	return sources
}

// several gives the project where its documents are routed between jobs; nil where a job is named, or
// there is one alone.
func (a *app) several() *project.Project {
	p, err := project.Find(".")
	if err != nil || a.job != "" || p.Schema != "" || len(p.Jobs) < 2 {
		return nil
	}
	a.currency = p.Currency
	return p
}

// router routes the documents named, or all that the jobs share.
func (a *app) router(ctx context.Context, o *routing, names []string) (*routed, error) {
	p := a.several()
	if p == nil {
		if _, err := project.Find("."); err != nil {
			return nil, err
		}
		return nil, errors.New("documents are routed between the jobs of a project; name two or more under `jobs:` in filler.yaml, and leave out --job")
	}
	w := &work{project: p, root: p.Dir}
	if len(names) == 0 && len(p.Documents)+len(p.Tables)+len(p.Mails) == 0 {
		return nil, fmt.Errorf("%s: the jobs share no documents; name the pile beside them: `documents: [documents]`", p.File)
	}
	out := &routed{project: p, sources: map[string]document.Source{}}
	for _, name := range p.JobNames() {
		s, err := schema.Load(p.Jobs[name].Schema)
		if err != nil {
			return nil, err
		}
		out.jobs = append(out.jobs, route.Job{Name: name, About: p.Jobs[name].About, Schema: s})
	}
	sources, err := w.sources(names)
	if err != nil {
		return nil, err
	}
	a.tell(w)
	rules, err := rulesOf(p, sources)
	if err != nil {
		return nil, err
	}
	reader, done, err := a.reader(w, &o.look)
	if err != nil {
		return nil, err
	}
	defer done()
	rt := route.New(out.jobs, rules)
	last := time.Now()
	for i, s := range sources {
		if ctx.Err() != nil {
			return nil, errors.New("stopped")
		}
		if time.Since(last) >= lineEvery {
			last = time.Now()
			a.notef("%s / %s routed\n", thousands(i), thousands(len(sources)))
		}
		if err := a.routeOne(ctx, o, w, rt, reader, s, out); err != nil {
			return nil, err
		}
	}
	if o.ask {
		err = a.askRoutes(ctx, o, w, reader, out)
	}
	return out, err
}

// rulesOf compiles the rules of a project.
func rulesOf(p *project.Project, sources []document.Source) (rules []route.Rule, err error) {
	facts := make([]document.Source, len(sources))
	for i, s := range sources {
		facts[i] = s
		facts[i].Metadata = route.Facts(s)
	}
	if len(facts) == 0 {
		return nil, nil
	}
	for i, r := range p.Routes {
		c, err := document.ParseCondition(r.When, facts)
		if err != nil {
			return nil, fmt.Errorf("%s: route[%d]: %w", p.File, i, err)
		}
		rules = append(rules, route.Rule{When: c, Job: r.Job})
	}
	return rules, nil
}

// routeOne routes a document, or each of those in a stack.
func (a *app) routeOne(ctx context.Context, o *routing, w *work, rt *route.Router, reader *document.Reader, s document.Source, out *routed) error {
	add := func(r route.Route, s document.Source) {
		out.routes, out.sources[r.Document] = append(out.routes, r), s
	}
	byRule, decided, err := rt.ByRules(s)
	if err != nil {
		return fmt.Errorf("%s: route: %w", w.project.File, err)
	}
	if decided && w.project.Stacks.By == "" {
		add(byRule, s)
		return nil
	}
	d, err := a.source(ctx, reader, s)
	if err != nil {
		if ctx.Err() != nil {
			return errors.New("stopped")
		}
		if !decided {
			byRule = route.Route{Document: s.ID, Problem: err.Error()}
		}
		add(byRule, s)
		return nil
	}
	parts, texts, err := a.split(ctx, o, w, rt, reader, d)
	if err != nil {
		return err
	}
	if len(parts) > 1 {
		out.split++
	}
	for i, id := range parts {
		own := s
		if own.ID = id; len(parts) == 1 {
			own = s
		}
		r := byRule
		if r.Document = id; !decided {
			r = rt.ByText(id, texts[i])
		}
		add(r, own)
	}
	return nil
}

// split gives the documents of a file with their texts: one, but for a PDF that is a stack.
func (a *app) split(ctx context.Context, o *routing, w *work, rt *route.Router, reader *document.Reader, d *document.Document) (ids, texts []string, err error) {
	if w.project.Stacks.By == "" || d.Format != document.PDF || d.Layout == nil || len(d.Layout.Pages) < 2 || strings.Contains(d.ID, "#") {
		return []string{d.ID}, []string{d.Text}, nil
	}
	pages := make([]string, len(d.Layout.Pages))
	for i := range pages {
		pages[i] = d.Show(layout.Rendering{How: layout.Rows, Page: i + 1})
	}
	var starts []int
	switch w.project.Stacks.By {
	case "pattern":
		starts = route.Starts(pages, w.project.Stacks.Begins)
	case "printed":
		starts = rt.PrintedStarts(pages)
	default:
		if !o.ask {
			return []string{d.ID}, []string{d.Text}, nil
		}
		s, err := route.StartsQuestion(len(pages))
		if err != nil {
			return nil, nil, err
		}
		starts = []int{1}
		err = a.askAside(ctx, o, w, reader, s, []document.Source{{ID: d.ID + " (pages)", Text: route.Numbered(pages)}}, nil, func(_ string, rec *value.Value) { starts = route.AnsweredStarts(rec, len(pages)) })
		if err != nil {
			return nil, nil, err
		}
	}
	ids = route.Parts(d.ID, starts, len(pages))
	for i, from := range starts {
		to := len(pages)
		if i+1 < len(starts) {
			to = starts[i+1] - 1
		}
		texts = append(texts, strings.Join(pages[from-1:to], "\n"))
	}
	return ids, texts, nil
}

// askRoutes has a model decide on the documents that are open.
func (a *app) askRoutes(ctx context.Context, o *routing, w *work, reader *document.Reader, out *routed) error {
	var open []document.Source
	at := map[string]int{}
	for i, r := range out.routes {
		if r.By == route.Open && r.Problem == "" {
			at[r.Document] = i
			open = append(open, out.sources[r.Document])
		}
	}
	if len(open) == 0 {
		return nil
	}
	s, err := route.Question(out.jobs)
	if err != nil {
		return err
	}
	a.notef("asking about %s that %s open\n", plural(len(open), "document"), map[bool]string{true: "is", false: "are"}[len(open) == 1])
	return a.askAside(ctx, o, w, reader, s, open, out, func(id string, rec *value.Value) {
		r := &out.routes[at[id]]
		if job := route.Answer(rec); job != "" && (job == route.Other || w.project.Jobs[job] != nil) {
			r.Job, r.By = job, route.ByModel
			out.asked++
		}
	})
}

// asideOfRoute marks the runs in which the model says which job documents are for.
const asideOfRoute = "route"

// askAside asks a model for records that are none of the project's: the run is made aside.
func (a *app) askAside(ctx context.Context, o *routing, w *work, reader *document.Reader, s *schema.Schema, sources []document.Source, out *routed, each func(id string, rec *value.Value)) error {
	m, err := w.model(o.modelName)
	if err != nil {
		return err
	}
	l, err := w.openRuns()
	if err != nil {
		return err
	}
	defer l.Close()
	set := fill.Setup{Ledger: l, Schema: s, Dir: w.root, Pace: w.pace(), Reader: reader, Stdin: a.in, Model: m}
	set.Settings.Layout, set.Settings.Overlap = w.layout(o.look.layout), -1
	if w.budget(o.budget) > 0 {
		if err := set.Priced(); err != nil {
			return err
		}
	}
	f, err := fill.New(set)
	if err != nil {
		return err
	}
	defer f.Close()
	b, err := begin(f, fill.Fill{}, fill.Beginning{Scope: store.Named, Aside: asideOfRoute}, sources)
	if err != nil {
		return err
	}
	if err := b.SetBudget(b.run, w.budget(o.budget)); err != nil {
		return err
	}
	a.sends.Store(true)
	bar := a.newProgress()
	bar.run = f
	err = b.Run(ctx, b.work, b.run, fill.Hooks{Hooks: job.Hooks{Progress: bar.show}, Waiting: bar.waiting})
	bar.end()
	rerr := l.Records(b.run, 0, func(rec store.Record) error {
		v, perr := value.ParseBytes(rec.Record)
		if perr == nil && v.Kind == value.Object {
			each(rec.Document, &v)
		}
		return perr
	})
	if t, terr := l.Totals(b.run); terr == nil && out != nil {
		out.spent += t.CostNano
	}
	if err == nil {
		err = rerr
	}
	return err
}
