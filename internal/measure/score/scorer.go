package score

import (
	"fmt"
	"maps"
	"slices"
	"sort"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

// Scorer adds records up into a Report.
type Scorer struct {
	schema *schema.Schema
	gold   *gold.Shelf
	hand   *gold.Hand
	index  map[*schema.Field]int
	lists  map[*schema.Field]*Items
	plan   *step
	report Report
	seen   seen
	risky  []risky

	options   Options
	apart     bool         // made-up documents do not count, since people reviewed others
	judged    *gold.Record // the gold record that was judged last
	straight  straight
	tallies   Tallies
	edges     map[*schema.Field]*Edges
	byField   []Tallies // in the order of the report's fields; nil unless asked for
	slices    map[string]*Slice
	confusion map[*schema.Field]*Confusion
}

// New gives a scorer for a schema and its gold.
func New(s *schema.Schema, g *gold.Shelf) *Scorer { return NewWith(s, g, Options{}) }

// NewWith gives a scorer that tells more.
func NewWith(s *schema.Schema, g *gold.Shelf, o Options) *Scorer {
	sc := &Scorer{schema: s, gold: g, hand: g.Hand(), options: o, apart: !o.Made && g.HasPeople(), slices: map[string]*Slice{}, confusion: map[*schema.Field]*Confusion{}, index: map[*schema.Field]int{}, lists: map[*schema.Field]*Items{}}
	for _, f := range s.Leaves() {
		if !f.Scored() {
			continue
		}
		sc.index[f] = len(sc.report.Fields)
		sc.report.Fields = append(sc.report.Fields, Field{Path: f.Path, Weight: weightOf(f)})
		for _, path := range o.Confusion {
			if f.Path == path && f.Type == schema.Choice {
				sc.confusion[f] = &Confusion{Field: f.Path, counts: map[[2]string]*int{}}
			}
		}
	}
	sc.edges = map[*schema.Field]*Edges{}
	for _, f := range edgeLists(s) {
		sc.edges[f] = &Edges{Path: f.Path}
	}
	sc.report.Split = o.Split
	sc.tallies.whole = o.Between
	if o.Intervals {
		sc.byField = make([]Tallies, len(sc.report.Fields))
	}
	sc.plan = sc.planOf(s.Root)
	return sc
}

// Twice says that a document came in twice.
type Twice struct{ Document string }

func (e *Twice) Error() string {
	return fmt.Sprintf("%s has two records; keep one", e.Document)
}

// Add counts the record of one document. A document whose filling failed
// counts all gold leaves missed.
func (sc *Scorer) Add(l record.Line) error {
	if n, _, _ := sc.hand.Find(l.Document); !sc.seen.add(n, l.Document) {
		return &Twice{l.Document}
	}
	sc.measure(&l)
	return nil
}

// Has tells whether a document has gold that measures it.
func (sc *Scorer) Has(document string) bool {
	n, _, _ := sc.hand.Find(document)
	return n >= 0
}

// measure counts a record that was not seen before.
func (sc *Scorer) measure(l *record.Line) {
	g, filled, why := sc.judge(l)
	if why != "" {
		sc.leaveOut(l.Document, why)
		return
	}
	sc.report.Documents++
	if sc.options.Counted != nil {
		sc.options.Counted(g)
	}
	if g.Model != "" && g.Model == sc.options.Model {
		sc.report.Drafted++
	}
	if g.AsDrafted() {
		sc.report.Untouched++
	}
	if g.Reviewer == gold.Invented {
		sc.report.Invented++
	}
	before := sc.fieldCounts()
	if g.Weight > 0 && sc.report.Sampled == nil {
		sc.beginSampled()
	}
	if sc.report.Sampled != nil && before == nil {
		for i := range sc.report.Fields {
			before = append(before, sc.report.Fields[i].Counts)
		}
	}
	counts := sc.count(g, filled, l)
	sc.countEdges(&g.Record, filled)
	sc.tallies.Add(counts.tally())
	if s := sc.report.Sampled; s != nil {
		own := make([]Counts, len(before))
		for i := range own {
			own[i] = sc.report.Fields[i].Counts.minus(before[i])
		}
		s.add(g.Weight, counts, own)
	}
	for i := range sc.byField {
		sc.byField[i].Add(sc.report.Fields[i].Counts.minus(before[i]).tally())
	}
	if sc.options.Slice != nil {
		sc.slice(sc.options.Slice(*l), counts)
	}
}

// fieldCounts gives the counts so far, where they are wanted by document.
func (sc *Scorer) fieldCounts() (all []Counts) {
	for i := range sc.byField {
		all = append(all, sc.report.Fields[i].Counts)
	}
	return all
}

// judge gives the gold of a record, good until the next is judged, and what of
// the record counts, nil where its filling failed; or why the document does not
// count.
func (sc *Scorer) judge(l *record.Line) (g *gold.Record, filled *value.Value, why string) {
	switch {
	case l.Example == l.Document && l.Example != "":
		return nil, nil, "shown solved in the prompt"
	case l.Example != "":
		return nil, nil, "near-duplicate of " + l.Example + ", which was shown solved in the prompt"
	}
	_, g, err := sc.hand.Find(l.Document)
	switch {
	case err != nil:
		return nil, nil, err.Error()
	case g == nil:
		return nil, nil, "no gold"
	}
	sc.judged = g
	if why = sc.countable(g, l.Hashes); why != "" {
		return nil, nil, why
	}
	if l.Status == record.Failed {
		return g, nil, ""
	}
	return g, &l.Record, ""
}

// slice adds a document to those that share a value of their metadata.
func (sc *Scorer) slice(name string, c Counts) {
	s := sc.slices[name]
	if s == nil {
		s = &Slice{Name: name}
		sc.slices[name] = s
	}
	s.Documents++
	s.Counts = s.Counts.Plus(c)
	s.tallies.Add(c.tally())
}

// countable says why the gold of a document does not count, or "".
func (sc *Scorer) countable(g *gold.Record, now record.Hashes) string {
	switch {
	case g.State != gold.Reviewed:
		return "gold not reviewed (" + g.State + ")"
	case sc.apart && g.Reviewer == gold.Invented:
		return "made up, beside gold that people reviewed (--made counts both)"
	case sc.options.Split != "" && g.Split == "":
		return "in no split"
	case sc.options.Split != "" && g.Split != sc.options.Split:
		return "in the " + g.Split + " split"
	case g.Fault != "":
		return "gold breaks the schema: " + g.Fault
	case sc.options.Frozen != nil && !sc.options.Frozen.Has(g.Document):
		return "not in the frozen set " + sc.options.Frozen.Name
	}
	switch g.Hashes.Since(now) {
	case record.Changed:
		return "document changed since review"
	case record.Reread:
		sc.report.Reread++
	}
	return ""
}

// Counted gives how many documents have counted so far.
func (sc *Scorer) Counted() int { return sc.report.Documents }

func (sc *Scorer) leaveOut(document, why string) {
	sc.report.LeftOut = append(sc.report.LeftOut, LeftOut{document, why})
}

// Skip names a document that was to be filled and was not.
func (sc *Scorer) Skip(document, why string) {
	if n, _, _ := sc.hand.Find(document); sc.seen.add(n, document) {
		sc.leaveOut(document, why)
	}
}

func (sc *Scorer) count(g *gold.Record, filled *value.Value, l *record.Line) (counts Counts) {
	risks := risksOf(&l.Risk)
	places := sc.places(g, l)
	rec := &g.Record
	accepted, people := unseenOf(g), byPeople(l)
	if accepted == nil && people == nil && len(risks) == 0 && places == nil && len(sc.confusion) == 0 && isShared(rec, filled) {
		return sc.countShared(rec)
	}
	var units []unit
	exact, of := sc.walk(rec, filled, len(risks) > 0 || places != nil || accepted != nil || people != nil, func(l Leaf) {
		at := l.Own(l.FilledPath)
		if people[at] || people[at.Parent()] && at != "" {
			sc.report.ByPeople++
			return
		}
		if accepted.has(l.Own(l.GoldPath)) {
			sc.unseen(l, accepted.apart, &counts)
			return
		}
		sc.reviewed(l, risks)
		if sc.options.Straight && at != "" {
			if risk, ok := riskAt(risks, &l); ok {
				units = append(units, unit{risk: risk, ok: l.Outcome == Right || l.Outcome == Blank})
			}
		}
		sc.report.Fields[sc.index[l.Field]].Add(l.Outcome)
		counts.Add(l.Outcome)
		if places != nil {
			places.leaf(&sc.report.Evident, l)
		}
		if c := sc.confusion[l.Field]; c != nil {
			c.add(l)
		}
	}, func(list *schema.Field, inGold, inFilled bool) {
		items := sc.itemsOf(list)
		switch {
		case inGold && inFilled:
			items.Found++
		case inGold:
			items.Missed++
		default:
			items.Extra++
		}
	})
	if sc.options.Straight && len(risks) > 0 && accepted == nil && people == nil {
		sc.straightened(g, units, exact == of)
	}
	if accepted != nil && accepted.apart || people != nil {
		return counts // whether its records are exact, or would have been, is not known
	}
	sc.report.RecordsRight, sc.report.RecordsOf = sc.report.RecordsRight+exact, sc.report.RecordsOf+of
	return counts
}

// walk walks over a document's leaves and items, and counts its records: how
// many are exact, and of how many.
func (sc *Scorer) walk(g, filled *value.Value, paths bool, leaf func(l Leaf), item func(list *schema.Field, inGold, inFilled bool)) (exact, of int) {
	entries := 0
	whole := true // so far, of the record at hand
	misfit, bad := sc.misfitsOf(filled)
	sc.report.Misfits += misfit
	alone := misfit > 0 && !sc.schema.EachEntry()
	flush := func() {
		if whole {
			exact++
		}
	}
	Walk(sc.schema, g, filled, Visitor{
		Paths:   paths || bad != nil,
		TooLong: func(*schema.Field) { sc.report.TooLong++ },
		Leaf: func(l Leaf) {
			leaf(l)
			whole = whole && (l.Outcome == Right || l.Outcome == Blank) && !alone && (bad == nil || l.FilledPath == "" || !bad[l.FilledPath.Steps()[0]])
		},
		Item: func(list *schema.Field, inGold, inFilled bool) {
			if item != nil {
				item(list, inGold, inFilled)
			}
			if list == sc.schema.Root {
				if entries > 0 {
					flush()
				}
				entries++
				whole = inGold && inFilled
			}
		},
	})
	of = entries
	if !sc.schema.EachEntry() {
		of = 1
	}
	if !sc.schema.EachEntry() || entries > 0 {
		flush()
	}
	return exact, of
}

// unattempted names the gold whose document never came in.
func (sc *Scorer) unattempted() {
	for n := range sc.gold.Len() {
		if sc.seen.has(n) {
			continue
		}
		switch g, err := sc.hand.At(n); {
		case err != nil:
			sc.leaveOut("(a gold record that can't be read)", err.Error())
		case sc.apart && g.Reviewer == gold.Invented: // it would not count either
		case g.State == gold.Reviewed:
			sc.leaveOut(g.Document, "not attempted")
		}
	}
}

// Report gives the score. Gold whose document never came in is left out, by
// name.
func (sc *Scorer) Report() Report {
	sc.unattempted()
	r := sc.report
	sort.SliceStable(r.LeftOut, func(i, j int) bool { return r.LeftOut[i].Document < r.LeftOut[j].Document })
	r.Fields = slices.Clone(r.Fields)
	for i, f := range r.Fields {
		r.Overall = r.Overall.Plus(f.Counts)
		if sc.byField != nil {
			r.Fields[i].Interval = sc.byField[i].F1Interval()
		}
	}
	sc.schema.Root.Walk(func(f *schema.Field, _ int) {
		if items := sc.lists[f]; items != nil {
			path := f.Path
			if f == sc.schema.Root {
				path = schema.Wrapper
			}
			r.Lists = append(r.Lists, List{path, *items})
		}
	})
	for _, f := range edgeLists(sc.schema) {
		r.Edges = append(r.Edges, *sc.edges[f])
	}
	r.Review = review(sc.risky)
	if r.Sampled != nil {
		r.Sampled.F1 = r.Sampled.interval()
	}
	r.F1, r.FewErr = sc.tallies.F1Interval(), sc.tallies.IsFew()
	for _, name := range slices.Sorted(maps.Keys(sc.slices)) {
		s := *sc.slices[name]
		s.F1Interval = s.tallies.F1Interval()
		r.Slices = append(r.Slices, s)
	}
	for _, f := range sc.schema.Leaves() {
		if c := sc.confusion[f]; c != nil {
			c.finish(f)
			r.Confusions = append(r.Confusions, *c)
		}
	}
	return r
}
