package score

import (
	"math"
	"sort"
	"strconv"

	"gonum.org/v1/gonum/mathext"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
)

// Through is what share of leaves, or of records, may skip review.
type Through struct {
	Target    float64
	Threshold float64 // the greatest risk that may pass; exists only if Found
	Found     bool    // some threshold reaches the target where it was chosen
	// On documents that the threshold was not chosen on.
	All, Pass, Right int
	Low              float64 // the lower bound of the 95 % interval of right among those that pass
	Met              bool
	// What would show it met, with as many errors as were seen: leaves or records
	// that pass, and documents with them; 0 where no number would.
	Needed, NeededDocuments int
}

// StraightThrough are both.
type StraightThrough struct {
	Leaves, Records Through
	On              string // what the figures were measured on
	Documents       int
}

// unit is a leaf or a record, with the risk that decides.
type unit struct {
	risk float64
	ok   bool
	doc  int
}

// straight gathers what may go straight through.
type straight struct {
	leaves, records []unit
	docs            []string // ids
	parts           []string
}

// Straight tells the share that may skip review at a wanted precision. The
// threshold is chosen on the tune split and measured on the test split;
// without splits five folds of documents take turns.
func (sc *Scorer) Straight(target float64) StraightThrough {
	s := &sc.straight
	hasSplits := false
	for _, p := range s.parts {
		hasSplits = hasSplits || p == gold.Test
	}
	out := StraightThrough{Documents: len(s.docs), On: "documents the threshold was not chosen on (five folds)"}
	fold := func(doc int) (chosenOn, measuredOn func(doc int) bool) {
		return func(d int) bool { return foldOf(s.docs[d]) != doc }, func(d int) bool { return foldOf(s.docs[d]) == doc }
	}
	rounds := folds
	if hasSplits {
		out.On = "the test split"
		rounds = 1
		fold = func(int) (a, b func(doc int) bool) {
			return func(d int) bool { return s.parts[d] == gold.Tune }, func(d int) bool { return s.parts[d] == gold.Test }
		}
	}
	out.Leaves, out.Records = through(s.leaves, target, rounds, fold), through(s.records, target, rounds, fold)
	return out
}

func through(units []unit, target float64, rounds int, fold func(round int) (chosenOn, measuredOn func(doc int) bool)) Through {
	out := Through{Target: target}
	var passed []unit
	for round := range rounds {
		chosenOn, measuredOn := fold(round)
		threshold, found := choose(picked(units, chosenOn), target)
		if rounds == 1 {
			out.Threshold, out.Found = threshold, found
		}
		for _, u := range picked(units, measuredOn) {
			out.All++
			if found && u.risk <= threshold {
				passed = append(passed, u)
			}
		}
	}
	if rounds > 1 {
		out.Threshold, out.Found = choose(units, target)
	}
	out.Pass = len(passed)
	for _, u := range passed {
		if u.ok {
			out.Right++
		}
	}
	effect := designEffect(units)
	if out.Pass > 0 {
		out.Low = lower(float64(out.Pass), float64(out.Pass-out.Right), max(effect, designEffect(passed)))
		out.Met = out.Low >= target
	}
	if !out.Met {
		out.need(units, passed, target, effect)
	}
	return out
}

// need computes how much gold would show the target. Where nothing passes, it
// goes by the safest units.
func (t *Through) need(units, passed []unit, target, effect float64) {
	if len(passed) == 0 {
		sorted := append([]unit(nil), units...)
		sort.Slice(sorted, func(i, j int) bool { return sorted[i].risk < sorted[j].risk })
		for i := range sorted {
			if i > 0 && sorted[i].risk > sorted[0].risk {
				break
			}
			passed = append(passed, sorted[i])
		}
	}
	wrong, docs := 0, map[int]bool{}
	for _, u := range passed {
		docs[u.doc] = true
		if !u.ok {
			wrong++
		}
	}
	if len(passed) == 0 {
		return
	}
	share := float64(wrong) / float64(len(passed))
	if 1-share <= target {
		return
	}
	for n := float64(len(passed)); n < 1e8; n *= 1.05 {
		if lower(n, share*n, max(effect, 1)) >= target {
			t.Needed = int(math.Ceil(n))
			t.NeededDocuments = int(math.Ceil(n / (float64(len(passed)) / float64(len(docs)))))
			return
		}
	}
}

func picked(units []unit, in func(doc int) bool) (out []unit) {
	for _, u := range units {
		if in(u.doc) {
			out = append(out, u)
		}
	}
	return out
}

// choose gives the greatest threshold at which the lower bound reaches the
// target.
func choose(units []unit, target float64) (threshold float64, found bool) {
	sorted := append([]unit(nil), units...)
	sort.Slice(sorted, func(i, j int) bool { return sorted[i].risk < sorted[j].risk })
	effect := designEffect(units)
	wrong := 0
	for i, u := range sorted {
		if !u.ok {
			wrong++
		}
		if i+1 < len(sorted) && sorted[i+1].risk == u.risk {
			continue
		}
		if lower(float64(i+1), float64(wrong), effect) >= target {
			threshold, found = u.risk, true
		}
	}
	return threshold, found
}

// lower gives the lower bound of the 95 % interval of the share that is right,
// of n units of which some are wrong: that of Clopper and Pearson (1934), with n
// divided by the design effect, since the units of one document err together
// (Korn and Graubard 1998).
func lower(n, wrong, effect float64) float64 {
	n, wrong = n/effect, wrong/effect
	right := n - wrong
	if right <= 0 {
		return 0
	}
	return mathext.InvRegIncBeta(right, wrong+1, 0.025)
}

// designEffect says how much less units tell than as many independent ones:
// the variance of their share by document over that of independent units, at
// least 1.
func designEffect(units []unit) float64 {
	type tally struct{ n, wrong float64 }
	at := map[int]int{}
	var docs []tally // in the order in which they come, so that the sum is always the same
	n, wrong := 0.0, 0.0
	for _, u := range units {
		i, known := at[u.doc]
		if !known {
			i = len(docs)
			at[u.doc] = i
			docs = append(docs, tally{})
		}
		t := &docs[i]
		n, t.n = n+1, t.n+1
		if !u.ok {
			wrong, t.wrong = wrong+1, t.wrong+1
		}
	}
	if len(docs) < 2 || wrong == 0 || wrong == n {
		return 1
	}
	share := wrong / n
	sum := 0.0
	for _, t := range docs {
		d := t.wrong - share*t.n
		sum += d * d
	}
	m := float64(len(docs))
	return max(1, m/(m-1)*sum/(n*n)/(share*(1-share)/n))
}

// straightened notes the leaves of a document, and its record.
func (sc *Scorer) straightened(g *gold.Record, leaves []unit, exact bool) {
	s := &sc.straight
	doc := len(s.docs)
	s.docs, s.parts = append(s.docs, g.Document), append(s.parts, g.Split)
	most := 0.0
	for _, u := range leaves {
		u.doc = doc
		most = max(most, u.risk)
		s.leaves = append(s.leaves, u)
	}
	s.records = append(s.records, unit{most, exact, doc})
}

// JSON gives the machine form of docs/formats.md.
func (s *StraightThrough) JSON() value.Value {
	one := func(t Through) value.Value {
		v := value.Obj(count("all", t.All), count("pass", t.Pass), count("right", t.Right), figure("target", t.Target), Ratio{t.Threshold, t.Found}.json("threshold"), Ratio{t.Low, t.Pass > 0}.json("right_at_least"), value.Boolean(t.Met).Named("target_met"))
		if t.Needed > 0 {
			v.Kids = append(v.Kids, count("needed", t.Needed), count("needed_documents", t.NeededDocuments))
		}
		return v
	}
	return value.Obj(count("documents", s.Documents), value.Str(s.On).Named("measured_on"), one(s.Leaves).Named("values"), one(s.Records).Named("records"))
}

func figure(name string, x float64) value.Value {
	return value.Num(strconv.FormatFloat(x, 'f', -1, 64)).Named(name)
}
