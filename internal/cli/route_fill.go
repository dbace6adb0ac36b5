package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"filler/internal/base/project"
	"filler/internal/run/nightly"
	"filler/internal/run/route"
)

// fillRouted fills each document of a project with several jobs by its route: a run for each job.
func (a *app) fillRouted(ctx context.Context, o filling, names []string) error {
	switch {
	case o.night.watch != "":
		a.parsed = false
		return errors.New("--watch fills by one schema; name a job with --job")
	case o.output != "" && !strings.Contains(o.output, "{job}"):
		a.parsed = false
		return errors.New("each job has records of its own: write {job} in the name, such as -o 'records-{job}.jsonl', or name one with --job")
	case o.night.summary != "" && !strings.Contains(o.night.summary, "{job}"):
		a.parsed = false
		return errors.New("each job has a summary of its own: write {job} in the name, such as --summary 'night-{job}.md', or name one with --job")
	case o.night.metrics != "" && !strings.Contains(o.night.metrics, "{job}"):
		a.parsed = false
		return errors.New("each job has figures of its own: write {job} in the name, such as --metrics 'night-{job}.prom', or name one with --job")
	}
	if o.night.log != "" {
		done, err := a.logTo(o.night.log)
		if err != nil {
			return err
		}
		defer done()
	}
	ro := routing{ask: !o.dry && !o.files.is(), modelName: o.modelName, budget: o.budget, look: o.looking}
	began := time.Now()
	r, err := a.router(ctx, &ro, names)
	if err != nil {
		if p := a.several(); p != nil && a.parsed && o.night.is() && !o.dry {
			for _, name := range p.JobNames() {
				one := o.ofJob(name)
				a.job = name
				a.neverBegan(&one, began, err)
				a.job = ""
			}
		}
		return err
	}
	worst, pile := error(nil), pileOf(r)
	a.tellRoutes(&routing{ask: ro.ask, asJSON: true}, r)
	jobs := r.project.JobNames()
	for i, name := range jobs {
		one, own := o.ofJob(name), r.of(name)
		one.pile = pile
		if len(own) == 0 && !o.night.picks() {
			a.notef("%s: no documents\n", name)
			if o.night.is() && !o.dry {
				a.noneOf(&one, r.project, name, began)
			}
			continue
		}
		a.notef("%s: %s\n", name, plural(len(own), "document"))
		a.job = name
		one.routed, one.isRouted = own, true
		err := a.fill(ctx, one, nil)
		a.job = ""
		if codeOf(err) != codeDone && (worst == nil || codeOf(worst) == codeFlagged) {
			worst = err
		}
		if err != nil && codeOf(err) == codeFailed || ctx.Err() != nil {
			for _, left := range jobs[i+1:] {
				if one := o.ofJob(left); o.night.is() && !o.dry {
					a.job = left
					a.neverBegan(&one, began, fmt.Errorf("the job %s was not begun: %s ended before it", left, name))
					a.job = ""
				}
			}
			return err
		}
	}
	if worst == nil && (len(pile.Open) > 0 || len(pile.NotRead) > 0) {
		return exit(codeFlagged)
	}
	return worst
}

// pileOf gives what a summary says of the pile that the documents of a job come from.
func pileOf(r *routed) *nightly.Pile {
	p := &nightly.Pile{Spent: r.spent}
	for _, one := range r.routes {
		switch {
		case one.Problem != "":
			p.NotRead = append(p.NotRead, one.Document)
		case one.By == route.Open:
			p.Open = append(p.Open, one.Document)
		}
	}
	return p
}

// noneOf writes what a night leaves of a job that no document was for.
func (a *app) noneOf(o *filling, p *project.Project, job string, began time.Time) {
	a.job = job
	defer func() { a.job = "" }()
	if err := a.closeNight(o, p, a.newNight(p, began), nil); err != nil {
		a.notef("%s\n", err)
	}
}

// ofJob gives what is asked for with the files of one job.
func (o filling) ofJob(name string) filling {
	for _, file := range []*string{&o.output, &o.night.summary, &o.night.metrics} {
		*file = strings.ReplaceAll(*file, "{job}", name)
	}
	return o
}
