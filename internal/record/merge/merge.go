// Package merge puts the records of the parts of a document together.
//
// A long document is asked about in parts, and what one part says of an entry
// another may say again, or go on with. Rules it keeps:
//
//   - Two items of a list are one only where their evidence overlaps: values of
//     the same fields that stand at the same places. Where the list has a key,
//     equal keys make them one as well, and so does an entry that the document
//     itself sets apart and in which both stand, where no field has places in
//     both that differ. Near-equal wording never does. What fills gaps may name a
//     cell alone: it is the item that the other values of its line are of.
//   - A place that several items of one part share, such as a date above them
//     all, tells nothing.
//   - What two parts show of the same lines is one vote.
//   - Of two values for one field the one with evidence wins, that behind its
//     label before others, then the one with more votes; else the first is kept
//     and the conflict told.
//   - A part that only fills gaps never changes what other parts say.
//   - Same input, same output: nothing depends on which reply came first.
package merge

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/layout"
)

// Part is the record of one part of a document, normalized.
type Part struct {
	Record value.Value
	Places evidence.Places
	Inside bool // it begins within an entry
	// Gaps says that the part only fills what others left out, and Asked which
	// lines they left out.
	Gaps  bool
	Asked []layout.Span
	// Contested has the paths of values that stand nowhere and that lines contest which other
	// parts were asked for, with what they say: what these have from there takes their place.
	Contested map[value.Pointer]string
}

// Conflict is a field for which parts have values with equal right.
type Conflict struct {
	Path   value.Pointer
	Values []value.Value // the first is the one that was kept
}

// What merging decides.
const (
	Joined      = "joined"   // an item of several chunks
	Dropped     = "dropped"  // an item
	Filled      = "filled"   // a gap
	Picked      = "picked"   // one of several values, by its evidence
	Conflicting = "conflict" // several values, of which none is better
)

// Decision is one thing that merging decided, for the trace.
type Decision struct {
	What string // one of these
	Path value.Pointer
	Note string
	Was  value.Value // with dropped: what was taken out
}

// Result is what comes of merging.
type Result struct {
	Record    value.Value
	Places    evidence.Places // of the values that were kept
	Conflicts []Conflict
	Decisions []Decision
}

// Parts merges the records of parts, which are given in document order. starts
// are the offsets at which the entries of the document begin, as far as its
// lines tell.
func Parts(s *schema.Schema, parts []Part, starts []int) Result {
	m := &merger{schema: s, parts: parts, starts: starts, places: evidence.Places{}}
	var nodes []node
	for i := range parts {
		nodes = append(nodes, node{i, "", &parts[i].Record})
	}
	record := m.field(s.Root, nodes, "")
	return Result{record, m.places, m.conflicts, m.decisions}
}

type merger struct {
	schema    *schema.Schema
	parts     []Part
	starts    []int
	places    evidence.Places
	conflicts []Conflict
	decisions []Decision
	fresh     bool // within an item that only parts which fill gaps know
}

// node is a value in the record of a part.
type node struct {
	part int
	at   value.Pointer
	v    *value.Value
}

func (m *merger) tell(what string, p value.Pointer, format string, args ...any) {
	m.decisions = append(m.decisions, Decision{What: what, Path: p, Note: fmt.Sprintf(format, args...)})
}

// field merges the values that parts have for one field, into the place p.
func (m *merger) field(f *schema.Field, nodes []node, p value.Pointer) value.Value {
	kept := nodes[:0:0]
	for _, n := range nodes {
		if n.v != nil && n.v.Kind != value.Null {
			kept = append(kept, n)
		}
	}
	nodes = kept
	if len(nodes) == 0 {
		if f.Type == schema.List {
			return value.List()
		}
		return value.Value{}
	}
	switch {
	case f.Type == schema.Group && all(nodes, value.Object):
		return m.group(f, nodes, p)
	case f.Type == schema.List && all(nodes, value.Array):
		return m.list(f, nodes, p)
	case f.Type == schema.Any && f.HasNames() && all(nodes, value.Object):
		return m.entries(nodes, p)
	case f.Type == schema.Any && !f.IsTuple() && len(nodes) > 1 && all(nodes, value.Array):
		return m.elements(nodes, p)
	}
	return m.leaf(nodes, p)
}

func all(nodes []node, kind value.Kind) bool {
	for _, n := range nodes {
		if n.v.Kind != kind {
			return false
		}
	}
	return true
}

func (m *merger) group(f *schema.Field, nodes []node, p value.Pointer) value.Value {
	out := value.Obj()
	for _, kid := range f.Fields {
		var below []node
		for _, n := range nodes {
			if v := n.v.Get(kid.Name); v != nil {
				below = append(below, node{n.part, n.at.Key(kid.Name), v})
			}
		}
		if len(below) == 0 {
			continue
		}
		got := m.field(kid, below, p.Key(kid.Name))
		out.Kids = append(out.Kids, got.Named(kid.Name))
	}
	for _, n := range nodes { // what the schema does not know is a problem, and kept
		if m.parts[n.part].Gaps {
			continue
		}
		for i := range n.v.Kids {
			if name := n.v.Kids[i].Name; f.Child(name) == nil && out.Get(name) == nil {
				out.Kids = append(out.Kids, n.v.Kids[i].Clone())
			}
		}
	}
	return out
}

// reading is one value that parts give for a field.
type reading struct {
	v     *value.Value
	at    node           // where a part has it
	rank  int            // how well it stands in the source
	place evidence.Place // the best
	spans []layout.Span
	votes int
	times int // in how many parts
	gaps  bool
}

// leaf picks the value of a field.
func (m *merger) leaf(nodes []node, p value.Pointer) value.Value {
	var readings []*reading
	says := ""
	for _, n := range nodes {
		says = cmp.Or(says, m.parts[n.part].Contested[n.at])
	}
	for _, n := range nodes {
		place := m.place(n)
		if m.parts[n.part].Gaps && !m.asked(n.part, place) && !m.fresh && (says == "" || n.v.Text != says) {
			continue
		}
		var r *reading
		for _, other := range readings {
			if value.Equal(other.v, n.v) && other.gaps == m.parts[n.part].Gaps {
				r = other
			}
		}
		if r == nil {
			r = &reading{v: n.v, at: n, rank: -1, gaps: m.parts[n.part].Gaps}
			readings = append(readings, r)
		}
		r.times++
		r.vote(place)
	}
	readings = m.withoutContested(readings)
	if len(readings) == 0 {
		return value.Value{}
	}
	slices.SortStableFunc(readings, func(a, b *reading) int {
		switch {
		case a.gaps != b.gaps:
			if a.gaps {
				return 1
			}
			return -1
		case a.rank != b.rank:
			return b.rank - a.rank
		}
		if a.votes != b.votes || !a.meets(b) {
			return b.votes - a.votes
		}
		return b.times - a.times
	})
	best := readings[0]
	if m.carry(best.at, p) {
		m.places[p] = best.place
	}
	if best.gaps {
		m.tell(Filled, p, "from lines that were asked again")
	}
	if len(readings) > 1 && !readings[1].gaps && !best.gaps {
		next := readings[1]
		if next.rank == best.rank && next.votes == best.votes && !(next.meets(best) && next.times < best.times) {
			c := Conflict{Path: p}
			var texts []string
			for _, r := range readings {
				if r.rank == best.rank && !r.gaps {
					c.Values = append(c.Values, r.v.Clone().Named(""))
					texts = append(texts, clean(r.v))
				}
			}
			m.conflicts = append(m.conflicts, c)
			m.tell(Conflicting, p, "chunks say %s; the first is kept", strings.Join(texts, " and "))
		} else {
			m.tell(Picked, p, "%s over %s, by its evidence", clean(best.v), clean(next.v))
		}
	}
	return best.v.Clone().Named("")
}

// withoutContested leaves out a value that stands nowhere, where another was asked for that stands
// in the lines that contest it; and any that is contested, where another is what these lines say.
func (m *merger) withoutContested(readings []*reading) []*reading {
	return slices.DeleteFunc(slices.Clone(readings), func(r *reading) bool {
		says, contested := m.parts[r.at.part].Contested[r.at.at]
		return contested && slices.ContainsFunc(readings, func(other *reading) bool {
			return other.gaps && (r.rank == 0 && other.rank > 0 || says != "" && other.v.Text == says)
		})
	})
}

// meets tells whether two readings are of one place: then how many parts read
// it so may decide.
func (r *reading) meets(other *reading) bool {
	for _, a := range r.spans {
		for _, b := range other.spans {
			if overlap(a, b) {
				return true
			}
		}
	}
	return false
}

func clean(v *value.Value) string {
	own := v.Clone().Named("")
	return own.String()
}

// vote counts a place, once for all that overlap.
func (r *reading) vote(p evidence.Place) {
	rank := 0
	switch {
	case p.Kind == evidence.Lookalike:
		rank = 1
	case p.Found() && p.Led:
		rank = 3
	case p.Found() && !p.Basis:
		rank = 2
	case p.Found():
		rank = 1
	}
	if rank > r.rank {
		r.rank, r.place = rank, p
	}
	s := layout.Span{Start: p.Start, End: p.End}
	for _, other := range r.spans {
		if overlap(s, other) || s == other {
			return
		}
	}
	r.spans = append(r.spans, s)
	r.votes++
}

func overlap(a, b layout.Span) bool { return a.Start < b.End && b.Start < a.End }

// asked tells whether a place lies in the lines that a part was asked for.
func (m *merger) asked(part int, p evidence.Place) bool {
	for _, s := range m.parts[part].Asked {
		if p.Found() && overlap(s, layout.Span{Start: p.Start, End: p.End}) {
			return true
		}
	}
	return false
}
