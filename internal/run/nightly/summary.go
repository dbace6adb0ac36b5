package nightly

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/store"
)

// Night is what one call did.
type Night struct {
	Project  string
	Job      string // "" where a project has one alone
	Schema   string
	Began    time.Time
	Took     time.Duration
	Run      int64 // 0: nothing was to be filled
	Model    string
	Picks    bool // documents were picked by what earlier runs have; else Picked says nothing
	Picked   Picked
	Totals   store.Totals
	Look     []Look // documents to look at, at most MostLooks
	MoreLook int
	Approved int64 // the run that drift is held against; 0: none is approved
	Drifts   []score.Drift
	Recheck  *Recheck
	Skipped  string // why no recheck was made, where one was asked for
	Spent    int64  // in billionths, the recheck among it
	// RecheckSpent is what of it the recheck cost.
	RecheckSpent int64
	Currency     string
	Ended        string // "" well; else what ended it: the budget, a signal, an error
	Exit         int
	Unbegun      bool // it failed before it looked at the pile
	Pile         *Pile
}

// Pile is what became of the pile that the documents of several jobs come from, but for what was
// filled: each job's summary says it, for it may be the only one that is read.
type Pile struct {
	Open    []string // nobody said which job they are for
	NotRead []string
	Spent   int64 // on asking a model, in billionths
}

// Look is a document to look at: how it ended, and the codes of what is wrong. Values stand in no
// summary: it goes to others.
type Look struct {
	Document, Status string
	Codes            []string
}

// MostLooks is how many documents a summary names.
const MostLooks = 20

// LookAt gathers the flagged and failed documents of a run, the failed first.
func (n *Night) LookAt(l store.Store, run int64, s *schema.Schema) error {
	var failed, flagged []Look
	err := l.Records(run, 0, func(r store.Record) error {
		if r.Status != string(record.Failed) && r.Status != string(record.Flagged) {
			return nil
		}
		line, err := fill.ToLine(run, r, s)
		if err != nil {
			return err
		}
		one := Look{Document: r.Document, Status: r.Status}
		for _, p := range line.Problems {
			if c := string(p.Code()); len(one.Codes) == 0 || one.Codes[len(one.Codes)-1] != c {
				one.Codes = append(one.Codes, c)
			}
		}
		if r.Status == string(record.Failed) {
			failed = append(failed, one)
		} else {
			flagged = append(flagged, one)
		}
		return nil
	})
	all := append(failed, flagged...)
	n.Look = all[:min(len(all), MostLooks)]
	n.MoreLook = len(all) - len(n.Look)
	return err
}

// Changed gives the measures that differ from the approved run beyond chance.
func (n *Night) Changed() (all []score.Drift) {
	for _, d := range n.Drifts {
		if d.Changed() {
			all = append(all, d)
		}
	}
	return all
}

func several(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// Verdict says in a line how the night was.
func (n *Night) Verdict() string {
	var parts []string
	if n.Ended != "" {
		parts = append(parts, "stopped: "+n.Ended)
	}
	if r := n.Recheck; r != nil && r.Worse() {
		parts = append(parts, fmt.Sprintf("model %s is worse than when run %d was approved", r.Model, r.Approved))
	} else if r != nil && r.Better() {
		parts = append(parts, fmt.Sprintf("model %s is another than when run %d was approved", r.Model, r.Approved))
	}
	if t := n.Totals; t.Failed > 0 || t.Flagged > 0 {
		parts = append(parts, fmt.Sprintf("%d flagged, %d failed", t.Flagged, t.Failed))
	}
	if len(n.Changed()) > 0 {
		parts = append(parts, fmt.Sprintf("%s drifted", several(len(n.Changed()), "measure")))
	}
	if p := n.Pile; p != nil && len(p.Open) > 0 {
		parts = append(parts, several(len(p.Open), "document")+" of the pile for no job")
	}
	if p := n.Pile; p != nil && len(p.NotRead) > 0 {
		parts = append(parts, several(len(p.NotRead), "document")+" of the pile not read")
	}
	switch {
	case len(parts) > 0:
		return strings.Join(parts, " · ")
	case n.Run == 0:
		return "nothing to fill"
	}
	return "nothing to look at"
}

// JSON gives the same as data; docs/formats.md says its form.
func (n *Night) JSON() value.Value {
	num := func(name string, x int64) value.Value { return value.Num(strconv.FormatInt(x, 10)).Named(name) }
	float := func(name string, x float64) value.Value {
		return value.Num(strconv.FormatFloat(x, 'f', 6, 64)).Named(name)
	}
	text := func(name, s string) value.Value { return value.Str(s).Named(name) }
	p, t := n.Picked, n.Totals
	gone, renamed, look := value.List(), value.List(), value.List()
	for _, id := range p.Gone {
		gone.Kids = append(gone.Kids, value.Str(id))
	}
	for _, r := range p.Renamed {
		renamed.Kids = append(renamed.Kids, value.Obj(text("was", r[0]), text("is", r[1])))
	}
	for _, l := range n.Look {
		codes := value.List()
		for _, c := range l.Codes {
			codes.Kids = append(codes.Kids, value.Str(c))
		}
		look.Kids = append(look.Kids, value.Obj(text("document", l.Document), text("status", l.Status), codes.Named("problems")))
	}
	out := value.Obj(text("verdict", n.Verdict()), text("project", n.Project), text("schema", n.Schema), text("began", n.Began.UTC().Format(time.RFC3339)), float("seconds", n.Took.Seconds()), num("exit", int64(n.Exit)),
		num("run", n.Run), text("model", n.Model),
		value.Obj(num("new", int64(p.New)), num("failed_before", int64(p.Again)), num("changed", int64(p.Changed)), num("as_they_were", int64(p.Same)), num("changed_not_asked_for", int64(p.Left)), gone.Named("gone"), renamed.Named("renamed")).Named("documents"),
		value.Obj(num("documents", int64(t.Documents)), num("unflagged", int64(t.Unflagged)), num("repaired", int64(t.Repaired)), num("flagged", int64(t.Flagged)), num("failed", int64(t.Failed)), num("not_reached", int64(t.Waiting)), num("exchanges", int64(t.Exchanges)), num("from_cache", int64(t.Cached)), num("tokens_in", int64(t.TokensIn)), num("tokens_out", int64(t.TokensOut))).Named("filled"),
		value.Num(fmt.Sprintf("%.9f", float64(n.Spent)/1e9)).Named("spent"), look.Named("look_at"), num("more_to_look_at", int64(n.MoreLook)))
	out.Set("spent_by_recheck", value.Num(fmt.Sprintf("%.9f", float64(n.RecheckSpent)/1e9)))
	if n.Job != "" {
		out.Set("job", value.Str(n.Job))
	}
	if p := n.Pile; p != nil {
		names := func(ids []string) value.Value {
			list := value.List()
			for _, id := range ids {
				list.Kids = append(list.Kids, value.Str(id))
			}
			return list
		}
		out.Set("pile", value.Obj(names(p.Open).Named("open"), names(p.NotRead).Named("not_read"), value.Num(fmt.Sprintf("%.9f", float64(p.Spent)/1e9)).Named("spent")))
	}
	if n.Currency != "" {
		out.Set("currency", value.Str(n.Currency))
	}
	if n.Ended != "" {
		out.Set("ended", value.Str(n.Ended))
	}
	if r := n.Recheck; r != nil {
		v := value.Obj(num("run", r.Run), num("approved_run", r.Approved), text("model", r.Model), num("documents", int64(r.Documents)), float("f1_then", r.Was.Value), float("f1_now", r.Now.Value), float("p", r.P), num("values_gained", int64(r.Fixed)), num("values_lost", int64(r.Broken)), value.Boolean(r.Worse()).Named("worse"))
		if r.HasInterval {
			v.Kids = append(v.Kids, float("difference_low", r.Low), float("difference_high", r.High))
		}
		out.Set("recheck", v)
	} else if n.Skipped != "" {
		out.Set("recheck_skipped", value.Str(n.Skipped))
	}
	if n.Approved > 0 {
		list := value.List()
		for _, d := range n.Changed() {
			list.Kids = append(list.Kids, value.Obj(text("measure", d.Measure), float("then", d.Was), float("now", d.Now), float("p_holm", d.P)))
		}
		out.Set("drift", value.Obj(num("approved_run", n.Approved), num("measures", int64(len(n.Drifts))), list.Named("changed")))
	}
	return out
}
