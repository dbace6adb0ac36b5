package project

import (
	"fmt"
	"regexp"

	"filler/internal/base/place"
)

// Routing sends the documents that a condition holds of to a job.
type Routing struct {
	When string // over metadata, `name` and `path`
	Job  string // one of the jobs, or "other"
}

// Stacks says how files of several documents are split at pages.
type Stacks struct {
	By     string         // "": not at all; printed, model, or pattern
	Begins *regexp.Regexp // of pattern: what a page prints that begins a document
}

// OtherJob stands for no job.
const OtherJob = "other"

func (p *Project) readRoutes(root *place.Node) {
	p.Routed = root.Get("route") != nil || root.Get("stacks") != nil
	if p.Routed && p.Jobs[OtherJob] != nil {
		root.Get("jobs").Get(OtherJob).KeyFault("`other` stands for documents that no job is for", "give the job another name")
	}
	if n := root.Get("route"); n != nil {
		if len(p.Jobs) < 2 {
			n.KeyFault("documents are routed between jobs, and there are fewer than two", "add `jobs:`")
			return
		}
		names := append(p.JobNames(), OtherJob)
		for _, item := range n.Items() {
			item.Known("when", "job")
			when, job := item.Get("when"), item.Get("job")
			if when == nil || job == nil {
				item.Fault("a route says when, and to which job", "write `{when: 'name matches \"^inv\"', job: invoices}`")
				continue
			}
			if j := job.Text(); p.Jobs[j] == nil && j != OtherJob {
				job.Fault(fmt.Sprintf("there is no job %q", j), place.Suggest(j, names))
			}
			p.Routes = append(p.Routes, Routing{when.Filled("the condition"), job.Text()})
		}
	}
	if n := root.Get("stacks"); n != nil {
		p.readStacks(n)
	}
}

func (p *Project) readStacks(n *place.Node) {
	if n.IsScalar() {
		switch p.Stacks.By = n.Text(); p.Stacks.By {
		case "printed", "model":
		default:
			n.Fault(fmt.Sprintf("stacks are split by what is printed or by the model, not by %q", p.Stacks.By), "write `stacks: printed`, `stacks: model`, or `stacks: {begins: '^Report no'}`")
		}
		return
	}
	n.Known("begins")
	b := n.Get("begins")
	if b == nil {
		n.Fault("what begins a document is missing", "write `stacks: {begins: '^Report no'}`")
		return
	}
	re, err := regexp.Compile("(?m)" + b.Text())
	if err != nil || b.Text() == "" {
		b.Fault(fmt.Sprintf("%q is not a pattern", b.Text()), "write a regular expression (RE2)")
		return
	}
	p.Stacks = Stacks{By: "pattern", Begins: re}
}
