package improve

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sort"

	"filler/internal/base/value"
	"filler/internal/measure/score"
)

// Option is one setting that is raced, and what became of it.
type Option struct {
	Setting
	State   State // Kept: better; Dropped; Redundant; "" with a figure: not told apart
	Note    string
	Gain    score.Comparison // against the settings as they are
	F1      score.Interval
	Holm    float64
	Cost    Cost
	Sampled bool
	records Records
}

// Price gives what a document costs with it, in nano.
func (o *Option) Price() int64 { return perDocument(o.Cost) }

// Settled is what came of racing settings.
type Settled struct {
	Tune, Test int
	Now        Option // as it is, asked again in other white space
	Options    []Option
	Together   []Setting         // what is better, the best of each kind, put together
	OnTest     *score.Comparison // of that
	Cost       Cost
	Budget     bool
}

// Over races settings as changes of a schema are: a sample first, the survivors on all tune
// documents, paired, corrected for all that was tried; then the best of each kind together, once
// on the test split. What costs less and is not told apart stays in the race, since it may be
// the better choice all the same.
func Over(ctx context.Context, s Setup, all []Setting) (*Settled, error) {
	r, err := newRace(s)
	if err != nil {
		return nil, err
	}
	out := &Settled{Tune: len(r.tune), Test: len(r.test)}
	for _, one := range all {
		out.Options = append(out.Options, Option{Setting: one})
	}
	if need := needed(len(all)); len(r.tune) < need {
		return nil, &TooLittle{len(r.tune), need}
	}
	err = r.race(ctx, out)
	out.Cost = r.result.Cost
	if errors.Is(err, ErrBudget) {
		out.Budget, err = true, nil
		for i := range out.Options {
			if o := &out.Options[i]; o.State == "" && o.Gain.Documents == 0 {
				o.State, o.Note = Untried, "the budget was spent"
			}
		}
	}
	return out, err
}

func (r *Race) race(ctx context.Context, out *Settled) error {
	if err := r.again(ctx); err != nil {
		return err
	}
	out.Now = Option{Cost: r.result.Cost, records: r.control}
	out.Now.F1 = r.f1(r.control)
	same := r.compare(r.control, r.control, r.tune, nil)
	out.Now.Gain.A, out.Now.Gain.B = same.A, same.B // also where no setting comes as far as all documents
	sample := r.picked()
	for _, stage := range []func(o *Option) error{
		func(o *Option) error { return r.onSample(ctx, out, o, sample) },
		func(o *Option) error { return r.onAll(ctx, o) },
	} {
		for i := range out.Options {
			if o := &out.Options[i]; o.State == "" {
				if err := stage(o); err != nil {
					return err
				}
			}
		}
	}
	ps := make([]float64, len(out.Options))
	for i := range ps {
		if ps[i] = 1; out.Options[i].State == "" {
			ps[i] = out.Options[i].Gain.P
		}
	}
	for i, p := range score.Holm(ps) {
		o := &out.Options[i]
		if o.Holm = p; o.State == "" && p < Level {
			o.State = map[bool]State{true: Kept, false: Dropped}[o.Gain.By > 0]
			if o.State == Dropped {
				o.Note = "worse"
			}
		}
	}
	return r.settle(ctx, out)
}

// picked gives some documents by chance; nil where all are few.
func (r *Race) picked() []string {
	if len(r.tune) <= smallGold {
		return nil
	}
	return slices.Sorted(slices.Values(r.shuffled("settings")[:sampleSize]))
}

// onSample drops what is worse on the sample and not cheaper.
func (r *Race) onSample(ctx context.Context, out *Settled, o *Option, sample []string) error {
	if len(sample) == 0 {
		return nil
	}
	if err := r.fillOption(ctx, o, sample); err != nil {
		return err
	}
	cmp := r.compare(r.control, o.records, sample, nil)
	if cmp.By < 0 && o.Price() >= out.Now.Price() || cmp.By == 0 && o.Price() > out.Now.Price() {
		o.State, o.Sampled, o.Gain = Dropped, true, cmp
		o.Note = fmt.Sprintf("no better on %d documents, and not cheaper", cmp.Documents)
	}
	return nil
}

// onAll fills what is left.
func (r *Race) onAll(ctx context.Context, o *Option) error {
	if err := r.fillOption(ctx, o, o.records.without(r.tune)); err != nil {
		return err
	}
	o.Gain, o.F1 = r.compare(r.control, o.records, r.tune, nil), r.f1(o.records)
	return nil
}

// fillOption fills documents with a setting.
func (r *Race) fillOption(ctx context.Context, o *Option, ids []string) error {
	got, cost, err := r.ask(ctx, fmt.Sprintf("%s, on %d documents", o.Setting, len(ids)), Trial{Name: o.String(), Schema: r.Schema, Settings: []Setting{o.Setting}, Documents: ids})
	o.Cost.add(cost)
	o.records = o.records.with(got)
	return err
}

// f1 gives the interval of F1 on the tune documents.
func (r *Race) f1(of Records) score.Interval {
	s := score.NewWith(r.Schema, r.shelf, score.Options{Intervals: true})
	for _, id := range r.tune {
		if line, ok := of[id]; ok {
			_ = s.Add(line)
		}
	}
	return s.Report().F1
}

// settle puts the best of each kind together, as long as that gains, and measures it once on
// the test split.
func (r *Race) settle(ctx context.Context, out *Settled) error {
	var kept []*Option
	for i := range out.Options {
		if out.Options[i].State == Kept {
			kept = append(kept, &out.Options[i])
		}
	}
	if len(kept) == 0 {
		return nil
	}
	sort.SliceStable(kept, func(i, j int) bool { return kept[i].Gain.By > kept[j].Gain.By })
	now := kept[0].records
	out.Together = []Setting{kept[0].Setting}
	for _, o := range kept[1:] {
		if slices.ContainsFunc(out.Together, func(s Setting) bool { return s.Of == o.Of }) {
			continue
		}
		both := append(slices.Clone(out.Together), o.Setting)
		got, _, err := r.ask(ctx, fmt.Sprintf("%d settings together", len(both)), Trial{Name: "together", Schema: r.Schema, Settings: both, Documents: r.tune})
		if err != nil {
			return err
		}
		if r.compare(now, got, r.tune, nil).By > 0 {
			now, out.Together = got, both
		}
	}
	if len(r.test) == 0 {
		return nil
	}
	var err error
	out.OnTest, err = r.tested(ctx, Trial{Schema: r.Schema, Settings: out.Together}, nil)
	return err
}

// JSON gives the machine form of docs/formats.md.
func (s *Settled) JSON() value.Value {
	one := func(o *Option, name string) value.Value {
		v := value.Obj(value.Str(name).Named("setting"))
		if o.Of != "" {
			v.Set("of", value.Str(o.Of))
			v.Set("value", value.Str(o.Value))
		}
		if o.State != "" {
			v.Set("state", value.Str(string(o.State)))
		}
		if o.Note != "" {
			v.Set("note", value.Str(o.Note))
		}
		if o.Gain.Documents > 0 {
			v.Set("gain", comparison(&o.Gain))
			v.Kids = append(v.Kids, decimalOf("p_holm", o.Holm))
		}
		v.Kids = append(v.Kids, value.Boolean(o.Sampled).Named("sample_only"), money("thousand", 1000*o.Price()), number("requests", o.Cost.Requests), number("cached", o.Cost.Cached), money("cost", o.Cost.Nano))
		return v
	}
	list, together := value.List(), value.List()
	for i := range s.Options {
		list.Kids = append(list.Kids, one(&s.Options[i], s.Options[i].String()))
	}
	for _, t := range s.Together {
		together.Kids = append(together.Kids, value.Str(t.Write()))
	}
	v := value.Obj(number("tune", s.Tune), number("test", s.Test), one(&s.Now, "as it is").Named("now"), list.Named("settings"), together.Named("together"))
	if s.OnTest != nil {
		v.Set("on_test", comparison(s.OnTest))
	}
	v.Kids = append(v.Kids, number("requests", s.Cost.Requests), number("cached", s.Cost.Cached), money("cost", s.Cost.Nano))
	v.Set("budget_spent", value.Boolean(s.Budget))
	return v
}
