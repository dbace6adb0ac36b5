package score

import (
	"fmt"
	"hash/fnv"
	"slices"
	"sort"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// Fix is a change of the schema that turns leaves right without a model.
type Fix struct {
	Field string
	Write string      // what to write into the schema
	Edit  schema.Edit // that, as a change of the file; without a key where it is none
	// Over all documents, with the fixes before it at work: leaves that it turns
	// right, and that it turns wrong.
	Fixed, Broken int
	F1            Ratio // with this fix and those before it
}

// Ruler is a looser comparison of a field: it does not make records better, it
// measures them otherwise.
type Ruler struct {
	Field, Write string
	Fixed        int
}

// Fixes are what would turn errors right.
type Fixes struct {
	Before Ratio
	Chosen []Fix // tried in combination, the best first, until none helps
	// What the fixes are worth on documents that they were not chosen on: on the
	// test split, or without splits cross-fitted by document in five folds.
	Honest     Ratio
	HonestFrom Ratio // F1 of the same documents before
	On         string
	Rulers     []Ruler
}

// pairOf is a counted document with its gold.
type pairOf struct {
	id           string
	split        string
	gold, filled *value.Value
}

// Fixer tries fixes on records.
type Fixer struct {
	schema *schema.Schema
	docs   []pairOf
	errors map[*schema.Field][]LeafError
}

// NewFixer gives a Fixer for a schema, which it changes for as long as it tries
// something and puts right again.
func NewFixer(s *schema.Schema) *Fixer {
	return &Fixer{schema: s, errors: map[*schema.Field][]LeafError{}}
}

// Add adds a counted record, with its errors. The values must stay as they are.
func (c *Fixer) Add(id string, g *gold.Record, filled *value.Value, errors []LeafError) {
	c.docs = append(c.docs, pairOf{id, g.Split, &g.Record, filled})
	for _, m := range errors {
		c.errors[m.Field] = append(c.errors[m.Field], m)
	}
}

// trial is one change that is tried: how to make it, and to take it back.
type trial struct {
	write string
	edit  schema.Edit
	do    func() (undo func())
}

// edit makes a trial of a change of one key of a field.
func edit(f *schema.Field, text string, do func() (undo func()), key ...string) trial {
	e := schema.Edit{Field: f.Path, Key: key, Write: text}
	return trial{write: e.String(), edit: e, do: do}
}

// maxTrials bounds how many changes are tried, those of the fields with the most
// errors first.
const maxTrials = 150

// trials gives the changes that may help, by what is wrong.
func (c *Fixer) trials() []trial {
	fields := make([]*schema.Field, 0, len(c.errors))
	for f := range c.errors {
		fields = append(fields, f)
	}
	sort.Slice(fields, func(i, j int) bool {
		if a, b := len(c.errors[fields[i]]), len(c.errors[fields[j]]); a != b {
			return a > b
		}
		return fields[i].Path < fields[j].Path
	})
	all := []trial{{write: "`filler repair --no-model`: the normalizers that the schema already asks for", do: func() func() { return func() {} }}}
	for _, f := range fields {
		all = append(all, normalizerTrials(f)...)
		all = append(all, c.synonymTrials(f)...)
		all = append(all, writtenTrials(f)...)
	}
	return all[:min(len(all), maxTrials)]
}

func normalizerTrials(f *schema.Field) (all []trial) {
	if f.Kin().Type != schema.Text {
		return nil
	}
	for _, name := range schema.NormalizerNames {
		if name == "none" || slices.Contains(f.Normalize, name) {
			continue
		}
		all = append(all, edit(f, schema.QuoteList(append(slices.Clone(f.Normalize), name)), func() func() {
			was := f.Normalize
			f.Normalize = append(append([]string(nil), was...), name)
			return func() { f.Normalize = was }
		}, "normalize"))
	}
	return all
}

// synonymTrials makes words that came where a choice was asked, and always for
// the same choice of gold, other words for it.
func (c *Fixer) synonymTrials(f *schema.Field) (all []trial) {
	if f.Type != schema.Choice || f.List != nil {
		return nil
	}
	means := map[string]map[string]int{}
	for _, m := range c.errors[f] {
		if m.Outcome == Wrong && m.Filled.Kind == value.String && m.Gold.Kind == value.String && !isOption(f, m.Filled.Text) {
			if means[m.Filled.Text] == nil {
				means[m.Filled.Text] = map[string]int{}
			}
			means[m.Filled.Text][m.Gold.Text]++
		}
	}
	var words []string
	for w, golds := range means {
		if len(golds) == 1 {
			words = append(words, w)
		}
	}
	sort.Strings(words)
	for _, w := range words {
		for i := range f.Of {
			o := &f.Of[i]
			if means[w][o.Value] == 0 {
				continue
			}
			all = append(all, edit(f, schema.QuoteList(append(slices.Clone(o.Also), w)), func() func() {
				was := o.Also
				o.Also = append(append([]string(nil), was...), w)
				return func() { o.Also = was }
			}, "of", o.Value, "also"))
		}
	}
	return all
}

func isOption(f *schema.Field, text string) bool {
	for _, o := range f.Of {
		if o.Value == text {
			return true
		}
	}
	return false
}

// writtenTrials tries date formats and number signs that the schema does not
// declare.
func writtenTrials(f *schema.Field) (all []trial) {
	switch f.Kin().Type {
	case schema.Date:
		for _, text := range []string{"D.M.YYYY", "D/M/YYYY", "M/D/YYYY", "D-M-YYYY", "D. M. YYYY"} {
			format, err := schema.ParseDateFormat(text)
			if err != nil || slices.ContainsFunc(f.Written, func(w schema.DateFormat) bool { return w.Text == text }) {
				continue
			}
			names := []string{text}
			for _, w := range f.Written {
				names = append(names, w.Text)
			}
			all = append(all, edit(f, schema.QuoteList(names), func() func() {
				was := f.Written
				f.Written = append([]schema.DateFormat{format}, was...)
				return func() { f.Written = was }
			}, "written"))
		}
	case schema.Integer, schema.Number, schema.Money, schema.Quantity:
		if f.Numbers.Decimal != "" {
			return nil
		}
		for _, signs := range [][2]string{{",", "."}, {".", ","}, {",", " "}} {
			all = append(all, edit(f, fmt.Sprintf("{decimal: %q, group: %q}", signs[0], signs[1]), func() func() {
				was := f.Numbers
				f.Numbers = schema.NumberFormat{Decimal: signs[0], Group: signs[1]}
				return func() { f.Numbers = was }
			}, "written"))
		}
	}
	return all
}

// state is how the documents count with some fixes at work.
type state struct{ counts []Counts }

func (s state) sum(in func(i int) bool) (all Counts) {
	for i, c := range s.counts {
		if in(i) {
			all = all.Plus(c)
		}
	}
	return all
}

// now counts the documents as the schema normalizes them now; a document in
// which nothing changes counts as before.
func (c *Fixer) now(base state) state {
	s := state{counts: append([]Counts(nil), base.counts...)}
	for i, d := range c.docs {
		if d.filled == nil {
			continue
		}
		v := d.filled.Clone()
		if len(normalize.Record(c.schema, &v)) > 0 {
			s.counts[i] = c.count(d.gold, &v)
		}
	}
	return s
}

func (c *Fixer) count(g, filled *value.Value) (all Counts) {
	Walk(c.schema, g, filled, Visitor{Leaf: func(l Leaf) { all.Add(l.Outcome) }})
	return all
}

// Try tries all changes in combination. untouched is how the records count as
// they are.
func (c *Fixer) Try() Fixes {
	base := state{counts: make([]Counts, len(c.docs))}
	hasSplits := false
	for i, d := range c.docs {
		base.counts[i] = c.count(d.gold, d.filled)
		hasSplits = hasSplits || d.split == gold.Test
	}
	every := func(int) bool { return true }
	out := Fixes{Before: base.sum(every).F1(), Rulers: c.rulers()}
	trials := c.trials()
	states := c.tried(trials, base)
	choose := every
	if hasSplits {
		choose = func(i int) bool { return c.docs[i].split == gold.Tune }
		out.On = "the test split"
		test := func(i int) bool { return c.docs[i].split == gold.Test }
		chosen, after := c.greedy(trials, states, base, choose)
		out.Chosen = c.listed(chosen, trials, base)
		out.HonestFrom, out.Honest = base.sum(test).F1(), after.sum(test).F1()
		return out
	}
	out.On = "documents they were not chosen on (five folds)"
	var honest Counts
	for fold := range Folds {
		mine := func(i int) bool { return FoldOf(c.docs[i].id) == fold }
		_, after := c.greedy(trials, states, base, func(i int) bool { return !mine(i) })
		honest = honest.Plus(after.sum(mine))
	}
	out.HonestFrom, out.Honest = out.Before, honest.F1()
	chosen, _ := c.greedy(trials, states, base, every)
	out.Chosen = c.listed(chosen, trials, base)
	return out
}

// Folds is into how many folds documents fall where gold has no splits.
const Folds = 5

// FoldOf gives the fold that a document falls into, from 0.
func FoldOf(id string) int {
	h := fnv.New32a()
	h.Write([]byte(id))
	return int(h.Sum32() % Folds)
}

// tried gives how the documents count with each change alone; nil where it
// helps none.
func (c *Fixer) tried(trials []trial, base state) []*state {
	states := make([]*state, len(trials))
	every := func(int) bool { return true }
	before := base.sum(every).Right
	for i, t := range trials {
		undo := t.do()
		s := c.now(base)
		undo()
		now := s.sum(every).Right
		if now > before {
			states[i] = &s
		}
		if i == 0 { // what the schema asks for already is part of every other change
			before = now
		}
	}
	return states
}

// greedy takes the change that turns the most leaves right of the documents that
// it may look at, then the best on top of it, until none helps.
func (c *Fixer) greedy(trials []trial, states []*state, base state, in func(i int) bool) (chosen []int, after state) {
	after = base
	var undo []func()
	defer func() {
		for i := len(undo) - 1; i >= 0; i-- {
			undo[i]()
		}
	}()
	for {
		best, most := -1, after.sum(in).F1().Value
		var next state
		for i := range trials {
			if states[i] == nil || slices.Contains(chosen, i) {
				continue
			}
			s := *states[i]
			if len(chosen) > 0 {
				back := trials[i].do()
				s = c.now(base)
				back()
			}
			if f1 := s.sum(in).F1(); f1.Exists && f1.Value > most+1e-12 {
				best, most, next = i, f1.Value, s
			}
			if i == 0 && best == 0 {
				break // what the schema asks for already is part of every other change
			}
		}
		if best < 0 {
			return chosen, after
		}
		chosen, after = append(chosen, best), next
		undo = append(undo, trials[best].do())
	}
}

// listed says what each chosen change is worth on top of those before it: every value by
// itself, so that what is turned wrong in a document is not set off against what is turned
// right.
func (c *Fixer) listed(chosen []int, trials []trial, base state) (list []Fix) {
	var undo []func()
	for n, i := range chosen {
		fix := Fix{Field: trials[i].edit.Field, Write: trials[i].write, Edit: trials[i].edit}
		for d := range c.docs {
			before := c.rights(d, n > 0)
			back := trials[i].do()
			after := c.rights(d, true)
			back()
			for p := range after {
				if !before[p] {
					fix.Fixed++
				}
			}
			for p := range before {
				if !after[p] {
					fix.Broken++
				}
			}
		}
		undo = append(undo, trials[i].do())
		fix.F1 = c.now(base).sum(func(int) bool { return true }).F1()
		list = append(list, fix)
	}
	for i := len(undo) - 1; i >= 0; i-- {
		undo[i]()
	}
	return list
}

// rights gives the places of gold whose values a document has right, as the schema
// normalizes its record now, or as the record is.
func (c *Fixer) rights(doc int, normalized bool) map[value.Pointer]bool {
	d := c.docs[doc]
	filled := d.filled
	if filled != nil && normalized {
		v := d.filled.Clone()
		normalize.Record(c.schema, &v)
		filled = &v
	}
	right := map[value.Pointer]bool{}
	Walk(c.schema, d.gold, filled, Visitor{Paths: true, Leaf: func(l Leaf) {
		if l.Outcome == Right {
			right[l.GoldPath] = true
		}
	}})
	return right
}

// rulers says how many leaves a looser comparison would count right.
func (c *Fixer) rulers() (all []Ruler) {
	for _, f := range c.schema.Leaves() {
		errors := c.errors[f]
		if len(errors) == 0 || f.Compare.Kind != "" && f.Compare.Kind != "exact" {
			continue
		}
		for _, r := range []struct {
			kind, bound, write string
			fits               bool
		}{
			{"loose", "", "compare: loose", f.Kin().Type == schema.Text}, {"similar", "0.9", "compare: {similar: 0.9}", f.Kin().Type == schema.Text},
			{"within", "0.01", "compare: {within: 0.01}", f.Kin().Type == schema.Number || f.Kin().Type == schema.Money || f.Kin().Type == schema.Quantity},
		} {
			if !r.fits {
				continue
			}
			was := f.Compare
			f.Compare = schema.Comparison{Kind: r.kind, Bound: r.bound}
			fixed := 0
			for i := range errors {
				if m := &errors[i]; m.Outcome == Wrong && outcome(f, &m.Gold, &m.Filled) == Right {
					fixed++
				}
			}
			f.Compare = was
			if fixed > 0 {
				all = append(all, Ruler{f.Path, r.write, fixed})
			}
		}
	}
	return all
}

// JSON gives the machine form of docs/formats.md.
func (c *Fixes) JSON() value.Value {
	chosen, rulers := value.List(), value.List()
	for _, x := range c.Chosen {
		chosen.Kids = append(chosen.Kids, value.Obj(value.Str(x.Field).Named("field"), value.Str(x.Write).Named("write"), count("fixed", x.Fixed), count("broken", x.Broken), x.F1.json("f1")))
	}
	for _, r := range c.Rulers {
		rulers.Kids = append(rulers.Kids, value.Obj(value.Str(r.Field).Named("field"), value.Str(r.Write).Named("write"), count("right_then", r.Fixed)))
	}
	return value.Obj(c.Before.json("f1_before"), chosen.Named("fixes"), value.Str(c.On).Named("measured_on"), c.HonestFrom.json("f1_before_there"), c.Honest.json("f1_after_there"), rulers.Named("looser_comparisons"))
}
