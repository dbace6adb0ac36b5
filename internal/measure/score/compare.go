package score

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sort"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

// Comparison is two sets of records against one gold set, on the documents
// counted in both.
type Comparison struct {
	Documents  int
	Differing  int       // of them, those with other counts
	Apart      []LeftOut // documents that were not comparable, and why
	A, B       Counts
	Fields     []FieldPair
	Fixed      int // gold leaves that A has wrong and B right
	Broken     int
	BothRight  int
	BothWrong  int
	Difference Interval // of F1, B's less A's; exists only from two documents on
	By         float64
	P          float64 // of no difference, by flipping signs; 1 where there is none to test
	Needed     int     // documents that would show such a difference four times in five; 0 where there is none, or it is shown
	RecordsA   int     // fully correct records
	RecordsB   int
	RecordsOf  int
	McNemar    float64 // p of whole records
	OnlyA      int     // fully correct records of one run only
	OnlyB      int
	Leaves     []LeafPair // that are right in one alone
}

// FieldPair is one field in both.
type FieldPair struct {
	Path                                string
	A, B                                Counts
	Fixed, Broken, BothRight, BothWrong int
}

// LeafPair is a gold leaf that one has right and the other has not.
type LeafPair struct {
	Document   string
	Path       value.Pointer
	Field      string
	Gold, A, B value.Value
	Fixed      bool
}

// Comparer compares two sets of records.
type Comparer struct {
	schema *schema.Schema
	gate   *Scorer // knows which records count
	index  map[*schema.Field]int
	fields []string
	sets   []map[string]*side // the records of each set
	order  []string
}

// side is how one set's record of a document came out. Leaves of gold are told in
// the order of gold, whatever they are paired with, so that a bit each is enough.
type side struct {
	tallies []Tally // by field
	all     Tally
	right   []uint64
	others  []other // of gold leaves that are in error, in their order
	exact   int     // of its records
	of      int
	leftOut string
}

// other is what stands in place of a gold leaf.
type other struct {
	leaf int32
	v    value.Value
}

// NewComparer compares a number of sets by one schema: the ruler for all.
func NewComparer(s *schema.Schema, g *gold.Shelf, part string, sets int) *Comparer {
	c := &Comparer{schema: s, gate: NewWith(s, g, Options{Split: part}), index: map[*schema.Field]int{}}
	for range sets {
		c.sets = append(c.sets, map[string]*side{})
	}
	for _, f := range s.Leaves() {
		if f.Scored() {
			c.index[f] = len(c.fields)
			c.fields = append(c.fields, f.Path)
		}
	}
	return c
}

// To gives what adds a record to a set, from 0.
func (c *Comparer) To(set int) func(l record.Line) error {
	return func(l record.Line) error { return c.put(set, l.Document, c.side(c.gate, &l)) }
}

func (c *Comparer) put(set int, id string, s *side) error {
	if c.sets[set][id] != nil {
		return &Twice{id}
	}
	if !slices.ContainsFunc(c.sets, func(m map[string]*side) bool { return m[id] != nil }) {
		c.order = append(c.order, id)
	}
	c.sets[set][id] = s
	return nil
}

// side measures a record by itself.
func (c *Comparer) side(gate *Scorer, l *record.Line) *side {
	s := &side{}
	g, filled, why := gate.judge(l)
	if why != "" {
		s.leftOut = why
		return s
	}
	s.tallies = make([]Tally, len(c.fields))
	n := int32(0)
	s.exact, s.of = gate.walk(&g.Record, filled, false, func(leaf Leaf) {
		s.tallies[c.index[leaf.Field]].add(leaf.Outcome)
		s.all.add(leaf.Outcome)
		if leaf.Gold.Empty() {
			return
		}
		if int(n)%64 == 0 {
			s.right = append(s.right, 0)
		}
		if leaf.Outcome == Right {
			s.right[n/64] |= 1 << (n % 64)
		} else if !leaf.Filled.Empty() {
			s.others = append(s.others, other{n, leaf.Filled.Named("").Detach()})
		}
		n++
	}, nil)
	return s
}

func (t *Tally) add(o Outcome) {
	switch o {
	case Right:
		t.Right++
	case Wrong:
		t.Wrong++
	case Missed:
		t.Missed++
	case Extra:
		t.Extra++
	}
}

func (t Tally) counts() Counts {
	return Counts{Right: int(t.Right), Wrong: int(t.Wrong), Missed: int(t.Missed), Extra: int(t.Extra)}
}

func (s *side) isRight(leaf int32) bool { return s.right[leaf/64]>>(leaf%64)&1 == 1 }

func (s *side) other(leaf int32) value.Value {
	i, found := slices.BinarySearchFunc(s.others, leaf, func(o other, leaf int32) int { return int(o.leaf - leaf) })
	if !found {
		return value.Value{}
	}
	return s.others[i].v
}

// Compare gives the comparison of the first two sets.
func (c *Comparer) Compare() Comparison { return c.pair(c.sets[0], c.sets[1], nil, 1) }

// pair compares two sets, of all documents or of some alone; it is one of so many
// comparisons.
func (c *Comparer) pair(first, second map[string]*side, only map[string]bool, comparisons int) Comparison {
	out := Comparison{P: 1, McNemar: 1}
	fields := make([]FieldPair, len(c.fields))
	for i, path := range c.fields {
		fields[i].Path = path
	}
	var as, bs []Tally
	sort.Strings(c.order)
	for _, id := range c.order {
		a, b := first[id], second[id]
		if only != nil && !only[id] {
			continue
		}
		if why := apart(a, b); why != "" {
			out.Apart = append(out.Apart, LeftOut{id, why})
			continue
		}
		out.Documents++
		for i := range fields {
			fields[i].A, fields[i].B = fields[i].A.Plus(a.tallies[i].counts()), fields[i].B.Plus(b.tallies[i].counts())
		}
		as, bs = append(as, a.all), append(bs, b.all)
		if a.all != b.all {
			out.Differing++
		}
		out.A, out.B = out.A.Plus(a.all.counts()), out.B.Plus(b.all.counts())
		c.leaves(id, a, b, fields, &out)
		out.RecordsA, out.RecordsB, out.RecordsOf = out.RecordsA+a.exact, out.RecordsB+b.exact, out.RecordsOf+max(a.of, b.of)
		if a.of == 1 && b.of == 1 && a.exact != b.exact {
			if a.exact > b.exact {
				out.OnlyA++
			} else {
				out.OnlyB++
			}
		}
	}
	for _, f := range fields {
		out.Fixed, out.Broken, out.BothRight, out.BothWrong = out.Fixed+f.Fixed, out.Broken+f.Broken, out.BothRight+f.BothRight, out.BothWrong+f.BothWrong
	}
	out.Fields = fields
	if a, b := out.A.F1(), out.B.F1(); a.Exists && b.Exists {
		out.By = b.Value - a.Value
	}
	out.Difference = differenceInterval(as, bs)
	out.P = flipped(as, bs)
	out.Needed = needed(as, bs, &out, 0.05/float64(comparisons))
	out.McNemar = mcNemar(out.OnlyA, out.OnlyB)
	return out
}

// apart says why a document is not comparable, or "".
func apart(a, b *side) string {
	if why := alone(a != nil, b != nil); why != "" {
		return why
	}
	switch {
	case a.leftOut != "" && b.leftOut != "" && a.leftOut != b.leftOut:
		return "in the first " + a.leftOut + ", in the second " + b.leftOut
	case a.leftOut != "":
		return a.leftOut
	case b.leftOut != "":
		return b.leftOut
	}
	return ""
}

// alone says which of two sets alone has a document, or "".
func alone(inA, inB bool) string {
	switch {
	case !inA:
		return "only B has it"
	case !inB:
		return "only A has it"
	}
	return ""
}

// leaves pairs the gold leaves of a document.
func (c *Comparer) leaves(id string, a, b *side, fields []FieldPair, out *Comparison) {
	if slices.Equal(a.right, b.right) {
		for i := range fields {
			fields[i].BothRight += int(a.tallies[i].Right)
			fields[i].BothWrong += int(a.tallies[i].Wrong + a.tallies[i].Missed)
		}
		return
	}
	n := int32(-1)
	_, g, err := c.gate.hand.Find(id)
	if err != nil || g == nil {
		return
	}
	Walk(c.schema, &g.Record, nil, Visitor{Paths: true, Leaf: func(l Leaf) {
		if l.Gold.Empty() {
			return
		}
		n++
		f := &fields[c.index[l.Field]]
		switch x, y := a.isRight(n), b.isRight(n); {
		case x && y:
			f.BothRight++
		case x:
			f.Broken++
			out.Leaves = append(out.Leaves, LeafPair{id, l.GoldPath, l.Field.Path, l.Gold.Named("").Detach(), l.Gold.Named("").Detach(), b.other(n), false})
		case y:
			f.Fixed++
			out.Leaves = append(out.Leaves, LeafPair{id, l.GoldPath, l.Field.Path, l.Gold.Named("").Detach(), a.other(n), l.Gold.Named("").Detach(), true})
		default:
			f.BothWrong++
		}
	}})
}

// twoSided is a document in both sets.
type twoSided struct{ a, b Tally }

// differenceInterval gives the 95 % interval of the difference in F1 by the
// bootstrap over documents, both sets of a document drawn together. Where all documents differ
// alike no draw differs from another, which proves nothing of the next document: then the interval
// has room for as many documents of no difference, or twice the difference, as so few can hide.
func differenceInterval(as, bs []Tally) Interval {
	if len(as) < 2 {
		return Interval{}
	}
	rng := rand.New(rand.NewPCG(bootSeed, uint64(len(as))))
	both := make([]twoSided, len(as))
	for i := range as {
		both[i] = twoSided{as[i], bs[i]}
	}
	kinds, times := pairsOf(both)
	got := make([]float64, 0, draws)
	for range draws {
		var a, b [4]float64
		if len(as) > manyDocs {
			for i, k := range kinds {
				w := poisson(rng, times[i])
				a, b = plus(a, k.a, w), plus(b, k.b, w)
			}
		} else {
			for range as {
				i := rng.IntN(len(as))
				a, b = plus(a, as[i], 1), plus(b, bs[i], 1)
			}
		}
		if d := f1Of(b) - f1Of(a); !math.IsNaN(d) {
			got = append(got, d)
		}
	}
	i := percentiles(got)
	if i.Exists && i.High-i.Low < 1e-12 && i.Low != 0 {
		room := math.Abs(i.Low) * (1 - exactLower(float64(len(as)), 0, 0.025))
		i.Low, i.High = i.Low-room, i.High+room
	}
	return i
}

// Between gives the interval of the difference in F1, the second less the first,
// of two scorers that were given as many documents in the same order: each
// document and its changed self are drawn together.
func Between(a, b *Scorer) Interval {
	if len(a.tallies.each) != len(b.tallies.each) {
		return Interval{}
	}
	return differenceInterval(a.tallies.each, b.tallies.each)
}

// pairsOf gives the different pairs of tallies, in order, and how often each
// comes.
func pairsOf(both []twoSided) (kinds []twoSided, times []float64) {
	at := map[twoSided]int{}
	for _, k := range both {
		i, known := at[k]
		if !known {
			i = len(kinds)
			at[k] = i
			kinds, times = append(kinds, k), append(times, 0)
		}
		times[i]++
	}
	return kinds, times
}

// flips is how often signs are flipped.
const flips = 10000

// flipped gives the two-sided p of no difference: under it the two records of a
// document may as well have changed places (the sign-flipping, or paired
// permutation, test; Fisher 1935). What is compared is the difference in F1 of
// the sums. With few documents all ways are tried.
func flipped(as, bs []Tally) float64 {
	var differing []twoSided
	var sameA, sameB [4]float64
	for i := range as {
		if as[i] == bs[i] {
			sameA, sameB = plus(sameA, as[i], 1), plus(sameB, bs[i], 1)
			continue
		}
		differing = append(differing, twoSided{as[i], bs[i]})
	}
	if len(differing) == 0 {
		return 1
	}
	with := func(flip func(i int) bool) float64 {
		a, b := sameA, sameB
		for i, d := range differing {
			if flip(i) {
				a, b = plus(a, d.b, 1), plus(b, d.a, 1)
			} else {
				a, b = plus(a, d.a, 1), plus(b, d.b, 1)
			}
		}
		return math.Abs(f1Of(b) - f1Of(a))
	}
	seen := with(func(int) bool { return false })
	if n := len(differing); n <= 13 { // 8,192 ways: all of them
		as := 0
		for mask := range 1 << n {
			if with(func(i int) bool { return mask>>i&1 == 1 }) >= seen-1e-12 {
				as++
			}
		}
		return float64(as) / float64(int(1)<<n)
	}
	return flippedByChance(differing, sameA, sameB, seen)
}

// flippedByChance flips at random. Documents with the same pair of tallies are
// flipped together: how many of them is drawn at once.
func flippedByChance(differing []twoSided, sameA, sameB [4]float64, seen float64) float64 {
	rng := rand.New(rand.NewPCG(bootSeed, uint64(len(differing))))
	kinds, times := pairsOf(differing)
	as := 1 // the way that was seen
	for range flips {
		a, b := sameA, sameB
		for i, k := range kinds {
			f := float64(binomialHalf(rng, int(times[i])))
			a, b = plus(plus(a, k.a, times[i]-f), k.b, f), plus(plus(b, k.b, times[i]-f), k.a, f)
		}
		if math.Abs(f1Of(b)-f1Of(a)) >= seen-1e-12 {
			as++
		}
	}
	return float64(as) / (flips + 1)
}

// binomialHalf draws how many of n coins fall heads.
func binomialHalf(rng *rand.Rand, n int) int {
	if n > 1000 {
		return int(min(float64(n), max(0, math.Round(float64(n)/2+math.Sqrt(float64(n))/2*rng.NormFloat64()))))
	}
	heads := 0
	for n > 0 {
		bits := min(n, 64)
		x := rng.Uint64() >> (64 - bits)
		for ; x != 0; x &= x - 1 {
			heads++
		}
		n -= bits
	}
	return heads
}

// mcNemar gives the exact two-sided p of McNemar's test: of the records that are
// exact in one set alone, as many should be in either (McNemar 1947; the
// binomial form).
func mcNemar(onlyA, onlyB int) float64 {
	n, k := onlyA+onlyB, min(onlyA, onlyB)
	if n == 0 {
		return 1
	}
	sum, logHalf := 0.0, float64(n)*math.Log(0.5)
	for i := 0; i <= k; i++ {
		a, _ := math.Lgamma(float64(n + 1))
		b, _ := math.Lgamma(float64(i + 1))
		c, _ := math.Lgamma(float64(n - i + 1))
		sum += math.Exp(a - b - c + logHalf)
	}
	return min(1, 2*sum)
}

// fewDiffer is how many documents must differ before flipping signs can prove
// anything: with five, even all of them better comes by chance once in 16.
const fewDiffer = 6

// Words says the comparison in one sentence.
func (c *Comparison) Words(a, b string) string {
	points := fmt.Sprintf("%+.1f points", 100*c.By)
	bounds := ""
	if c.Difference.Exists {
		bounds = fmt.Sprintf(" (95 %% interval %+.1f to %+.1f)", 100*c.Difference.Low, 100*c.Difference.High)
	}
	counts := fmt.Sprintf("; %d values fixed, %d broken", c.Fixed, c.Broken)
	switch {
	case c.Documents == 0:
		return "nothing to compare: no document counts in both"
	case c.A == c.B && c.Fixed+c.Broken == 0:
		return fmt.Sprintf("%s and %s are the same, value by value", a, b)
	case c.Documents < 2:
		return fmt.Sprintf("%s: %s in F1 on one document, too few to tell%s", b, points, counts)
	case c.P < 0.05 && c.By > 0:
		return b + " is better: " + points + " in F1" + bounds + counts
	case c.P < 0.05 && c.By < 0:
		return b + " is worse: " + points + " in F1" + bounds + counts
	}
	few := ""
	if c.Differing < fewDiffer {
		few = fmt.Sprintf("; only %d documents differ", c.Differing)
	}
	return fmt.Sprintf("no significant difference (p = %.2f%s): %s %s in F1%s%s", c.P, few, b, points, bounds, counts)
}
