package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/store"
)

// check says what is wrong with flags that do not go together.
func (o *filling) check(cmd *cobra.Command, args []string) error {
	set := cmd.Flags().Changed
	switch {
	case set("sample") && o.sample < 1:
		return fmt.Errorf("--sample is 1 or more, not %d", o.sample)
	case set("budget") && o.budget <= 0:
		return errors.New("--budget is an amount above 0")
	case set("again") && o.again != string(record.Flagged) && o.again != string(record.Failed):
		return fmt.Errorf("--again is flagged or failed, not %q", o.again)
	case set("again") && (len(args) > 0 || o.resume != ""):
		return errors.New("--again takes the documents of the last run; name none, and leave out --resume")
	case o.resume != "" && (o.sample > 0 || o.dry):
		return errors.New("--resume continues with all documents of its run; leave out --sample and --dry-run")
	case o.shard.Of > 0 && (o.resume != "" || o.asRun != "" || o.again != "" || o.sample > 0):
		return errors.New("--shard takes a part of all documents; leave out --resume, --as-run, --again and --sample")
	case o.dry && o.output != "":
		return errors.New("--dry-run makes no records; leave out -o")
	}
	if err := o.night.check(cmd, o, args); err != nil {
		return err
	}
	if err := o.files.check(o); err != nil {
		return err
	}
	return o.accepted.check()
}

// writeRecording keeps a run's exchanges in a file.
func writeRecording(f *fill.Filler, run int64, file string) error {
	out, err := process.Begin(file, true)
	if err == nil {
		w := bufio.NewWriter(out)
		if err = f.Record(run, w); err == nil {
			err = w.Flush()
		}
		err = out.Commit(err)
	}
	if err != nil {
		return &document.Error{File: file, Msg: "the exchanges can't be saved here", Hint: "check that its folder exists and can be written; the run itself is in the ledger"}
	}
	return nil
}

// picked keeps the documents that are meant: by their metadata, by how they ended
// in the last run, and by chance.
func (a *app) picked(o filling, l store.Store, sources []document.Source) ([]document.Source, error) {
	sources, err := a.only(sources, o.where)
	if err != nil {
		return nil, err
	}
	if o.again != "" {
		if sources, err = ended(l, sources, o.again); err != nil {
			return nil, err
		}
	}
	kept := sampled(sources, o.sample, o.seed)
	if len(kept) < len(sources) {
		a.notef("sample: %d of %s, picked with seed %d\n", len(kept), plural(len(sources), "document"), o.seed)
	}
	return kept, nil
}

// sampled picks n documents by chance, in document order as always; all where n
// is 0.
func sampled(sources []document.Source, n int, seed int64) (kept []document.Source) {
	if n == 0 || n >= len(sources) {
		return sources
	}
	r := rand.New(rand.NewPCG(uint64(seed), 7))
	places := r.Perm(len(sources))[:n]
	slices.Sort(places)
	for _, i := range places {
		kept = append(kept, sources[i])
	}
	return kept
}

// ended gives the sources that ended with a status in the last run.
func ended(l store.Store, sources []document.Source, status string) ([]document.Source, error) {
	run, err := l.Find("last")
	if err != nil {
		return nil, err
	}
	so := map[string]bool{}
	err = l.Outcomes(run.ID, func(r store.Record) error {
		so[r.Document] = r.Status == status
		return nil
	})
	if err != nil {
		return nil, err
	}
	kept := slices.DeleteFunc(slices.Clone(sources), func(s document.Source) bool { return !so[s.ID] })
	if len(kept) == 0 {
		return nil, fmt.Errorf("no document is %s in run %d; there is nothing to do", status, run.ID)
	}
	return kept, nil
}

// dryRun prices a run.
func (a *app) dryRun(ctx context.Context, o filling, w *work, l store.Store, r *document.Reader, names []string) error {
	sources, err := w.meant(&o, names)
	if err != nil {
		return err
	}
	if a.tell(w) && len(sources) == 0 {
		return exit(codeFailed)
	}
	if sources, err = a.picked(o, l, sources); err != nil {
		return err
	}
	setup, err := w.setup(l, r, &o.looking)
	if err != nil {
		return err
	}
	setup.Fresh, setup.Stdin = o.fresh, a.in
	if len(o.only) > 0 {
		if setup.Schema, err = setup.Schema.Only(o.only); err != nil {
			return err
		}
	}
	if setup.Model, err = w.model(o.modelName); err != nil {
		return err
	}
	filler, err := fill.New(setup)
	if err != nil {
		return err
	}
	defer filler.Close()
	if o.night.picks() {
		picked, err := tonight(filler, &o.night, l, r, sources)
		if err != nil {
			return err
		}
		a.notef("%s\n", pickedText(picked))
		sources = picked.Sources
	}
	p, err := filler.Price(ctx, sources, func(int) {})
	if err != nil {
		return err
	}
	if o.asJSON {
		a.printJSON(priceJSON(p, setup.Model.Entry, string(filler.First().Client.Shape()), w.budget(o.budget)))
		return nil
	}
	a.printf("%s in %s for model %s, in shape %s\n", plural(p.Documents, "document"), plural(p.Requests, "request"), setup.Model.Entry, filler.First().Client.Shape())
	if p.Known > 0 {
		a.printf("%s from the cache, at no cost\n", plural(p.Known, "request"))
	}
	if p.Unreadable > 0 {
		a.printf("%s can't be read; `filler read` says why\n", plural(p.Unreadable, "document"))
	}
	a.printf("%s in · cost %s to %s, not counting repairs and further questions\n", plural(p.TokensIn, "token"), a.cost(p.LeastNano), a.cost(p.MostNano))
	if b := w.budget(o.budget); b > 0 {
		a.printf("the budget is %s\n", a.cost(int64(b*1e9)))
	}
	return nil
}

// priceJSON gives the machine form of docs/formats.md.
func priceJSON(p fill.Priced, model, shape string, budget float64) value.Value {
	count := func(name string, n int) value.Value { return value.Num(strconv.Itoa(n)).Named(name) }
	cost := func(name string, nano int64) value.Value {
		return value.Num(fmt.Sprintf("%.9f", float64(nano)/1e9)).Named(name)
	}
	v := value.Obj(value.Str(model).Named("model"), value.Str(shape).Named("shape"), count("documents", p.Documents), count("requests", p.Requests),
		count("cached", p.Known), count("unreadable", p.Unreadable), count("tokens_in", p.TokensIn), cost("cost_at_least", p.LeastNano), cost("cost_at_most", p.MostNano))
	if budget > 0 {
		v.Kids = append(v.Kids, cost("budget", int64(budget*1e9)))
	}
	return v
}
