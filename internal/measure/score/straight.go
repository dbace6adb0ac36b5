package score

import (
	"math"
	"sort"
	"strconv"

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
	Missed           int     // right ones that may not skip it
	Low              float64 // right among those that pass are at least so many, at 95 %, one-sided
	Met              bool
	Documents        int // measured on, also those of which nothing passes
	// Documents that would show it met, with errors as seen, and between how many that
	// lies in eight of ten cases; 0 where no number would.
	NeededDocuments, NeededFrom, NeededTo int
}

// StraightThrough are both.
type StraightThrough struct {
	Leaves, Records Through
	On              string // what the figures were measured on
	Documents       int
	Unfilled        int // errors that have no risk, of items and documents that were never filled; set from a report
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
		return func(d int) bool { return FoldOf(s.docs[d]) != doc }, func(d int) bool { return FoldOf(s.docs[d]) == doc }
	}
	rounds := Folds
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
	var through []unit
	var measured []int // documents
	for round := range rounds {
		chosenOn, measuredOn := fold(round)
		threshold, found := choose(picked(units, chosenOn), target)
		if rounds == 1 {
			out.Threshold, out.Found = threshold, found
		}
		for _, u := range picked(units, measuredOn) {
			if out.All++; len(measured) == 0 || measured[len(measured)-1] != u.doc {
				measured = append(measured, u.doc)
			}
			switch {
			case found && u.risk <= threshold:
				through = append(through, u)
			case u.ok:
				out.Missed++
			}
		}
	}
	if rounds > 1 {
		out.Threshold, out.Found = choose(units, target)
	}
	docs := map[int]*passed{}
	for _, d := range measured {
		docs[d] = &passed{}
	}
	for _, u := range through {
		out.Pass++
		docs[u.doc].n++
		if u.ok {
			out.Right++
		} else {
			docs[u.doc].wrong++
		}
	}
	all := make([]passed, 0, len(measured))
	for _, d := range measured {
		all = append(all, *docs[d])
	}
	out.Documents = len(all)
	if out.Pass > 0 {
		out.Low = min(rightAtLeast(counted(all)), float64(out.Right)/float64(out.Pass))
		out.Met = out.Low >= target
	}
	if !out.Met {
		out.need(units, all, target)
	}
	return out
}

// need computes how much gold would show the target. Where nothing passes, it
// goes by the safest units.
func (t *Through) need(units []unit, all []passed, target float64) {
	if t.Pass == 0 {
		least := math.Inf(1)
		for _, u := range units {
			least = min(least, u.risk)
		}
		docs := map[int]*passed{}
		var order []int
		for _, u := range units {
			if docs[u.doc] == nil {
				docs[u.doc] = &passed{}
				order = append(order, u.doc)
			}
			if u.risk == least {
				docs[u.doc].n++
				if !u.ok {
					docs[u.doc].wrong++
				}
			}
		}
		all = nil
		for _, d := range order {
			all = append(all, *docs[d])
		}
	}
	if len(all) == 0 {
		return
	}
	documents := float64(len(all))
	t.NeededDocuments = int(math.Ceil(documents * factor(counted(all), target)))
	if t.NeededDocuments > 0 {
		low, high := spreadOf(all, target)
		t.NeededFrom, t.NeededTo = int(math.Ceil(documents*low)), int(math.Ceil(documents*high))
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

// choose gives the greatest threshold at which a lower bound reaches the target: only to
// choose, and no claim, which is made on other documents.
func choose(units []unit, target float64) (threshold float64, found bool) {
	sorted := append([]unit(nil), units...)
	sort.Slice(sorted, func(i, j int) bool { return sorted[i].risk < sorted[j].risk })
	docs := map[int]passed{}
	for _, u := range units {
		docs[u.doc] = passed{}
	}
	alike := map[passed]float64{{}: float64(len(docs))}
	for i, u := range sorted {
		was := docs[u.doc]
		now := passed{was.n + 1, was.wrong}
		if !u.ok {
			now.wrong++
		}
		if alike[was]--; alike[was] == 0 {
			delete(alike, was)
		}
		docs[u.doc] = now
		alike[now]++
		if i+1 < len(sorted) && sorted[i+1].risk == u.risk {
			continue
		}
		if surely(inOrderOf(alike), 1-target, chosenDoubt) {
			threshold, found = u.risk, true
		}
	}
	return threshold, found
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
		v := value.Obj(count("all", t.All), count("pass", t.Pass), count("right", t.Right), count("right_and_held_back", t.Missed), count("documents", t.Documents), figure("target", t.Target), Ratio{t.Threshold, t.Found}.json("threshold"), Ratio{t.Low, t.Pass > 0}.json("right_at_least"), value.Boolean(t.Met).Named("target_met"))
		if t.NeededDocuments > 0 {
			v.Kids = append(v.Kids, count("needed_documents", t.NeededDocuments), count("needed_documents_from", t.NeededFrom))
			if t.NeededTo > 0 {
				v.Kids = append(v.Kids, count("needed_documents_to", t.NeededTo))
			}
		}
		return v
	}
	return value.Obj(count("documents", s.Documents), count("never_filled", s.Unfilled), value.Str(s.On).Named("measured_on"), one(s.Leaves).Named("values"), one(s.Records).Named("records"))
}

func figure(name string, x float64) value.Value {
	return value.Num(strconv.FormatFloat(x, 'f', -1, 64)).Named(name)
}
