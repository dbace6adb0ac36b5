package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"filler/internal/base/value"
	"filler/internal/out/invent"
	"filler/internal/out/question"
	"filler/internal/record"
	"filler/internal/source/document"
)

// mostRewrites is how often a text that is not right is asked for again.
const mostRewrites = 2

// writing is a document that a model is to write.
type writing struct {
	rec    value.Value
	look   string
	sample string
	text   string
	faults []string
	made   *invent.Made
}

// writtenByModel has a model write documents for records; those that are not right after
// two more tries are left out, and told.
func (a *app) writtenByModel(ctx context.Context, w *work, o *inventing, job *invent.Job) ([]*invent.Made, error) {
	if job.Alike == 0 {
		job.Alike = 0.6
	}
	looks := o.texts
	if len(looks) == 0 {
		looks = invent.WrittenStyles
		if len(job.Samples) > 0 {
			looks = []string{"as the sample"}
		}
	}
	drafts := make([]*writing, o.n)
	for i := range drafts {
		rec, err := job.Record(i, nil)
		if err != nil {
			return nil, err
		}
		job.Keep(&rec)
		drafts[i] = &writing{rec: rec, look: looks[i%len(looks)]}
		if len(job.Samples) > 0 {
			drafts[i].sample = job.Samples[i%len(job.Samples)]
		}
	}
	put := question.Put{Purpose: invent.Purpose, Template: invent.TextTemplate(), Before: invent.Told(w.schema)}
	var err error
	if put.Schema, err = invent.TextSchema(); err != nil {
		return nil, err
	}
	asked := &asking{modelName: o.modelName, budget: o.budget, began: time.Now()}
	for try := 0; try <= mostRewrites; try++ {
		if err := a.rewrite(ctx, w, asked, put, job, drafts); err != nil {
			return nil, err
		}
	}
	var all []*invent.Made
	why := map[string]int{}
	for _, d := range drafts {
		if d.made != nil {
			d.made.N = len(all)
			all = append(all, d.made)
		} else if len(d.faults) > 0 {
			kind, _, _ := strings.Cut(d.faults[0], ":")
			why[kind]++
		}
	}
	a.askedFor(asked, plural(o.n, "document")+" asked for")
	if left := o.n - len(all); left > 0 {
		most, n := "", 0
		for kind, k := range why {
			if k > n || k == n && kind < most {
				most, n = kind, k
			}
		}
		a.notef("left out: %s, since the text was not right after %d tries; most often: %s\n", plural(left, "document"), mostRewrites+1, most)
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("the model wrote no text in which its record stands; try another model, or leave --model out")
	}
	return all, nil
}

// rewrite asks for the texts that are not there yet, or not right.
func (a *app) rewrite(ctx context.Context, w *work, asked *asking, put question.Put, job *invent.Job, drafts []*writing) error {
	var sources []document.Source
	of := map[string]*writing{}
	for i, d := range drafts {
		if d.made == nil {
			id := fmt.Sprintf("made-%05d", i+1)
			of[id] = d
			sources = append(sources, document.Source{ID: id, Text: invent.Request(&d.rec, d.look, d.sample, d.text, d.faults)})
		}
	}
	if len(sources) == 0 {
		return nil
	}
	return a.aside(ctx, asked, w, put, sources, func(_ *document.Reader, l *record.Line) {
		d := of[l.Document]
		d.text, d.faults = "", []string{"no text came"}
		if v := l.Record.Get(invent.TextField); l.Status != record.Failed && !v.Empty() {
			d.text = strings.TrimSpace(v.Text) + "\n"
			if d.faults = job.Judge(&d.rec, d.text); len(d.faults) == 0 {
				if d.made = job.Taken(&d.rec, d.look, d.text); d.made == nil {
					d.faults = []string{"it is too much like another text: other words, another order"}
				}
			}
		}
	})
}
