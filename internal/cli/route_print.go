package cli

import (
	"errors"
	"fmt"
	"maps"
	"slices"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/run/route"
)

func routeJSON(r route.Route) value.Value {
	v := value.Obj(value.Str(r.Document).Named("document"))
	set := func(name, text string) {
		if text == "" {
			v.Set(name, value.Value{})
			return
		}
		v.Set(name, value.Str(text))
	}
	set("job", r.Job)
	set("by", r.By)
	if r.By == route.ByRule {
		v.Set("rule", value.Num(fmt.Sprint(r.Rule)))
	}
	if r.By == route.ByPrinted {
		v.Set("lead", value.Num(fmt.Sprintf("%.3f", r.Sure)))
		words := value.List()
		for _, w := range r.Words {
			words.Kids = append(words.Kids, value.Str(w))
		}
		v.Set("words", words)
	}
	if r.Next != "" {
		v.Set("next", value.Str(r.Next))
	}
	if r.Problem != "" {
		v.Set("problem", value.Str(r.Problem))
	}
	return v
}

// tellRoutes sums up.
func (a *app) tellRoutes(o *routing, r *routed) {
	if a.term.out && !o.asJSON && o.output == "" {
		t := a.newTable("job", ">documents", ">by rule", ">by print", ">by model")
		count := map[string]map[string]int{}
		for _, one := range r.routes {
			if count[one.Job] == nil {
				count[one.Job] = map[string]int{}
			}
			count[one.Job][one.By]++
		}
		for _, name := range append(r.project.JobNames(), route.Other) {
			if c := count[name]; c != nil || name != route.Other {
				t.row(name, c[route.ByRule]+c[route.ByPrinted]+c[route.ByModel], dash(c[route.ByRule]), dash(c[route.ByPrinted]), dash(c[route.ByModel]))
			}
		}
		if n := count[""][""]; n > 0 {
			t.row("open", n, "·", "·", "·")
		}
		t.print()
	}
	open, bad := 0, 0
	for _, one := range r.routes {
		switch {
		case one.Problem != "":
			a.notef("not read: %s\n", one.Problem)
			bad++
		case one.By == route.Open:
			open++
		}
	}
	if r.split > 0 {
		a.notef("%s split into documents\n", plural(r.split, "file"))
	}
	if r.asked > 0 {
		a.notef("the model was asked about %s: cost %s\n", plural(r.asked, "document"), a.cost(r.spent))
	}
	if open > 0 {
		why, what := "what they print does not tell the jobs apart", "ask a model with `filler route --ask`, or add a rule under `route:`"
		if o.ask {
			why, what = "neither what they print nor the model says for which job they are", "add a rule under `route:`"
		}
		a.notef("%s open: %s; %s\n", plural(open, "document"), why, what)
	}
}

// scoreRoutes holds routes against the gold sets of the jobs.
func (a *app) scoreRoutes(o *routing, r *routed) error {
	documents := map[string][]string{}
	for _, j := range r.jobs {
		path := r.project.Jobs[j.Name].Gold
		if path == "" {
			continue
		}
		set, err := gold.Load(path, j.Schema)
		if err != nil {
			return err
		}
		for id, g := range set {
			if g.State == gold.Reviewed {
				documents[j.Name] = append(documents[j.Name], id)
			}
		}
	}
	m := route.Measure(route.NewTruth(documents), r.routes)
	if m.Of == 0 {
		return errors.New("no document has reviewed gold under a job; give each job its own `gold:` folder")
	}
	if o.asJSON {
		a.printJSON(measuredJSON(m))
		return nil
	}
	name := func(job string) string {
		if job == "" {
			return "open"
		}
		return job
	}
	heads := []string{"gold"}
	var shown []int
	for j, job := range m.Jobs {
		if slices.ContainsFunc(m.Table, func(row []int) bool { return row[j] > 0 }) || slices.Contains(slices.Collect(maps.Keys(documents)), job) {
			heads, shown = append(heads, ">"+name(job)), append(shown, j)
		}
	}
	t := a.newTable(heads...)
	for i, job := range m.Jobs {
		sum := 0
		for _, n := range m.Table[i] {
			sum += n
		}
		if sum == 0 {
			continue
		}
		cells := []any{name(job)}
		for _, j := range shown {
			cells = append(cells, dash(m.Table[i][j]))
		}
		t.row(cells...)
	}
	t.print()
	a.printf("\nrouted right: %d of %d documents with gold (%.3f)\n", m.Right, m.Of, float64(m.Right)/float64(m.Of))
	if m.Found+m.Missed+m.Extra > 0 {
		a.printf("boundaries within files: precision %s, recall %s (%d found, %d missed, %d too many)\n", shareText(m.Found, m.Found+m.Extra), shareText(m.Found, m.Found+m.Missed), m.Found, m.Missed, m.Extra)
	}
	return nil
}

func shareText(n, of int) string {
	if of == 0 {
		return "–"
	}
	return fmt.Sprintf("%.3f", float64(n)/float64(of))
}

func measuredJSON(m *route.Measured) value.Value {
	n := func(name string, x int) value.Value { return value.Num(fmt.Sprint(x)).Named(name) }
	table := value.List()
	for i, job := range m.Jobs {
		for j, got := range m.Jobs {
			if m.Table[i][j] > 0 {
				one := value.Obj(value.Str(job).Named("gold"), value.Str(got).Named("routed"), n("documents", m.Table[i][j]))
				if got == "" {
					one.Set("routed", value.Value{})
				}
				table.Kids = append(table.Kids, one)
			}
		}
	}
	return value.Obj(n("documents", m.Of), n("right", m.Right), table.Named("confusion"), value.Obj(n("found", m.Found), n("missed", m.Missed), n("extra", m.Extra)).Named("boundaries"))
}
