package score

import (
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
)

// Unseen counts the values of gold that reviewers accepted with others and did not look
// at. Such gold says that a value looked right in passing; it proves nothing. It counts
// in no figure of the test split, of straight-through or of evidence.
type Unseen struct {
	Counted int // in the figures
	Apart   int // of the test split, in none
}

// accepted are the unseen values of one document.
type accepted struct {
	paths map[value.Pointer]bool
	apart bool // they do not count at all
}

// unseenOf gives the unseen values of gold; nil for none.
func unseenOf(g *gold.Record) *accepted {
	if len(g.Unseen) == 0 {
		return nil
	}
	a := &accepted{paths: map[value.Pointer]bool{}, apart: g.Split == gold.Test}
	for _, p := range g.Unseen {
		a.paths[p] = true
	}
	return a
}

// has tells whether a value is unseen: itself, or the list whose item it is.
func (a *accepted) has(p value.Pointer) bool {
	return a != nil && p != "" && (a.paths[p] || a.paths[p.Parent()])
}

// unseen counts an unseen leaf where it counts.
func (sc *Scorer) unseen(l Leaf, apart bool, counts *Counts) {
	if apart {
		sc.report.Unseen.Apart++
		return
	}
	sc.report.Unseen.Counted++
	sc.report.Fields[sc.index[l.Field]].Add(l.Outcome)
	counts.Add(l.Outcome)
}

// byPeople gives the values of a record about which people have decided in production:
// they say nothing of what filled the rest, and count in no figure.
func byPeople(l *record.Line) map[value.Pointer]bool {
	values := l.Reviewed.Get("values")
	if values == nil || len(values.Kids) == 0 {
		return nil
	}
	paths := map[value.Pointer]bool{}
	for i := range values.Kids {
		paths[value.Pointer(values.Kids[i].Text)] = true
	}
	return paths
}
