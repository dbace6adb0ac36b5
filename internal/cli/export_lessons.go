package cli

import (
	"bufio"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/ask/exchange"
	"filler/internal/base/process"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/out/export"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/source/document"
)

// lessonFlags are those that go with lessons alone.
var lessonFlags = []string{"style", "model", "errors-of", "split", "pseudonymize", "price"}

// lessons are the flags of export that are for training examples alone.
type lessons struct {
	style, modelName, errorsOf, split string
	pseudonymize                      bool
	price                             float64
}

func (o *lessons) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&o.style, "style", "", "the `STYLE` in which a record is asked for: record, by-group, by-field")
	f.StringVar(&o.modelName, "model", "", modelUsage)
	f.StringVar(&o.errorsOf, "errors-of", "", "the documents that this `RUN` got most wrong first")
	f.StringVar(&o.split, "split", "", splitUsage)
	f.BoolVar(&o.pseudonymize, "pseudonymize", false, "replace sensitive values, in text and answer alike")
	f.Float64Var(&o.price, "price", 0, "say what it costs at this `PRICE` a million tokens")
}

// ofGold are the documents of the gold set that examples are made of, with what reads
// them.
type ofGold struct {
	set    gold.Set
	reader *document.Reader
	source map[string]document.Source
}

func (a *app) goldDocuments(w *work, o *exporting) (*ofGold, func(), error) {
	path := o.goldPath
	if path == projectsGold {
		path = ""
	}
	set, err := w.goldSet(path)
	if err != nil {
		return nil, nil, err
	}
	r, done, err := a.reader(w, &looking{examples: -1})
	if err != nil {
		return nil, nil, err
	}
	sources, err := w.sources(nil)
	if err != nil {
		done()
		return nil, nil, err
	}
	g := &ofGold{set, r, map[string]document.Source{}}
	for _, s := range sources {
		g.source[s.ID] = s
	}
	return g, done, nil
}

// of gives the reviewed documents of a split, in order.
func (g *ofGold) of(split string) (ids []string) {
	for _, id := range g.set.Documents() {
		if r := g.set[id]; r.State == gold.Reviewed && r.Split == split && r.Fault == "" {
			ids = append(ids, id)
		}
	}
	return ids
}

// records gives all records of the set.
func (g *ofGold) records() (all []*value.Value) {
	for _, id := range g.set.Documents() {
		all = append(all, &g.set[id].Record)
	}
	return all
}

// exportLessons writes examples for tuning a model, or texts with the places of
// their values.
func (a *app) exportLessons(ctx context.Context, o *exporting) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	g, done, err := a.goldDocuments(w, o)
	if err != nil {
		return err
	}
	defer done()
	if len(g.of(gold.Tune)) == 0 {
		return errors.New("the gold set has no split, so that nothing tells what may be trained on; `filler gold split` makes one")
	}
	out, err := process.Begin(o.output, true)
	if err != nil {
		return &document.Error{File: o.output, Msg: "can't be written", Hint: "check that its folder is there and may be written"}
	}
	buffered := bufio.NewWriter(out)
	if o.to == "spans" {
		err = a.spans(ctx, w, o, g, buffered)
	} else {
		err = a.training(ctx, w, o, g, buffered)
	}
	if err == nil {
		err = buffered.Flush()
	}
	return out.Commit(err)
}

// read gives a document of gold; its error says in one line why it can't be had.
func (g *ofGold) read(ctx context.Context, id string) (*document.Document, error) {
	source, here := g.source[id]
	if !here {
		return nil, &document.Error{File: id, Msg: notAmong}
	}
	return g.reader.Read(ctx, source)
}

const notAmong = "it is not among the documents of the project"

// tests gives what the test split holds, to keep out what is nearly that. A test
// document that can't be read is told: nothing can be compared with it.
func (a *app) tests(ctx context.Context, g *ofGold) document.Others {
	var texts []string
	for _, id := range g.of(gold.Test) {
		d, err := g.read(ctx, id)
		if err != nil {
			a.notef("not compared with: %s\n", err)
			continue
		}
		texts = append(texts, d.Text)
	}
	return document.NewOthers(texts)
}

func (a *app) spans(ctx context.Context, w *work, o *exporting, g *ofGold, to *bufio.Writer) error {
	s := export.NewSpans(w.schema, to)
	split := cmp.Or(o.lessons.split, gold.Tune)
	var tests document.Others
	if split != gold.Test {
		tests = a.tests(ctx, g)
	}
	n := 0
	for _, id := range g.of(split) {
		d, err := g.read(ctx, id)
		switch {
		case err != nil:
			a.notef("left out: %s\n", err)
			continue
		case g.set[id].Hashes.Since(record.Hashes{Text: d.Hash, File: d.FileHash}) != record.Same:
			a.notef("left out: %s: it has changed, or is read otherwise, since its review\n", id)
			continue
		case tests.HasNear(d.Text):
			a.notef("left out: %s: nearly a document of the test split\n", id)
			continue
		}
		rec := g.set[id].Record
		if err := s.Add(id, d.Text, &rec); err != nil {
			return err
		}
		n++
	}
	a.notef("%s: %s · %d values with a place, %d without\n", o.output, plural(n, "document"), s.Values, s.Lost)
	return s.Close()
}

func (a *app) training(ctx context.Context, w *work, o *exporting, g *ofGold, to *bufio.Writer) error {
	if o.lessons.split != "" && o.lessons.split != gold.Tune {
		return fmt.Errorf("--split %s: only the tune split is trained on; what is tested on would no longer test", o.lessons.split)
	}
	m, err := w.model(o.lessons.modelName)
	if err != nil {
		return err
	}
	if m.At == project.Printed {
		return errors.New("model printed asks nothing; name another with --model")
	}
	look := &looking{examples: 0, style: o.lessons.style}
	setup, err := w.setup(nil, g.reader, look)
	if err != nil {
		return err
	}
	setup.Model = m
	ids, err := a.worstFirst(w, o, g)
	if err != nil {
		return err
	}
	t := export.NewTraining(to, a.tests(ctx, g))
	teaching := fill.Teaching{Setup: setup, Shape: w.knownShape(m)}
	if o.lessons.pseudonymize {
		teaching.Hidden = fill.NewPseudonyms(w.schema, g.records())
	}
	for _, id := range ids {
		source, here := g.source[id]
		if !here {
			t.Leave(id, notAmong)
			continue
		}
		all, text, err := teaching.Lessons(ctx, source, g.set[id])
		var left fill.LeftOut
		switch {
		case errors.Is(err, fill.ErrPointer):
			return err
		case errors.As(err, &left):
			t.Leave(id, err.Error())
		case err != nil:
			t.Leave(id, "it can't be read")
		default:
			if err := t.Add(id, text, all); err != nil {
				return err
			}
		}
	}
	a.tellTraining(o, t)
	return t.Close()
}

// worstFirst gives the documents of the tune split: those that a run got most wrong
// first, where one is named.
func (a *app) worstFirst(w *work, o *exporting, g *ofGold) ([]string, error) {
	ids := g.of(gold.Tune)
	if o.lessons.errorsOf == "" {
		return ids, nil
	}
	l, run, err := a.keptRun(w, o.lessons.errorsOf)
	if err != nil {
		return nil, err
	}
	defer l.Close()
	wrong := map[string]int{}
	err = linesOf(l, run.ID, w.schema, func(line record.Line) error {
		if r := g.set[line.Document]; r != nil && line.Status != record.Failed {
			score.Walk(w.schema, &r.Record, &line.Record, score.Visitor{Leaf: func(leaf score.Leaf) {
				if leaf.Outcome != score.Right && leaf.Outcome != score.Blank {
					wrong[line.Document]++
				}
			}})
		}
		return nil
	})
	slices.SortStableFunc(ids, func(a, b string) int { return cmp.Compare(wrong[b], wrong[a]) })
	return ids, err
}

func (a *app) tellTraining(o *exporting, t *export.Training) {
	total := 0
	for _, n := range t.Tokens {
		total += n
	}
	if o.asJSON {
		data, _ := json.Marshal(map[string]any{"documents": t.Documents, "examples": t.Examples, "tokens": total, "pictures": t.Pictures, "left_out": t.LeftOut, "values_without_basis": t.Unrested})
		a.printf("%s\n", data)
		return
	}
	a.notef("%s: %s of %s · %s tokens\n", o.output, plural(t.Examples, "example"), plural(t.Documents, "document"), thousands(total))
	upTo, n := t.Histogram()
	for i := range upTo {
		a.notef("  up to %6s tokens  %4d  %s\n", thousands(upTo[i]), n[i], strings.Repeat("▪", min(n[i]*40/max(1, slices.Max(n)), 40)))
	}
	for _, why := range slices.Sorted(maps.Keys(t.LeftOut)) {
		a.notef("left out: %s: %s\n", why, strings.Join(t.LeftOut[why], ", "))
	}
	if t.Pictures > 0 {
		a.notef("%s among them, taken for about %s tokens each\n", plural(t.Pictures, "picture"), thousands(exchange.UsualPicture))
	}
	if t.Unrested > 0 {
		a.notef("%d values are answered without the words that they rest on: gold does not say them\n", t.Unrested)
	}
	if o.lessons.price > 0 {
		a.notef("cost %.4f at %g a million tokens, each time they are gone through\n", float64(total)*o.lessons.price/1e6, o.lessons.price)
	}
}
