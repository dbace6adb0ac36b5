package score

import (
	"fmt"
	"sort"
	"strings"
	"unicode"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// LeafError is a leaf that is in error, and why.
type LeafError struct {
	Document             string
	Field                *schema.Field
	GoldPath, FilledPath value.Pointer
	Gold, Filled         value.Value // Null: none
	Outcome              Outcome
	Type                 ErrorType
	Detail               string // of Swapped: whose value it is
	GoldLine, FilledLine Line   // where they stand in the source, if they do
	GoldSpan             [2]int // the bytes of the source that gold's value stands on
}

// Path gives the place of the leaf: gold's, or the record's where gold has none.
func (m *LeafError) Path() value.Pointer {
	if m.GoldPath != "" {
		return m.GoldPath
	}
	return m.FilledPath
}

// Line is a line of a source text; N is 0 where there is none.
type Line struct {
	N    int
	Text string
}

// Finder finds the errors of records.
type Finder struct {
	Schema *schema.Schema
	Gold   *gold.Shelf
	Split  string
	// Source reads the document of a record; nil, or an error, where it can't be
	// had: then causes that need it are not told apart.
	Source func(id string) (*document.Document, error)

	Keep bool // what was measured is wanted too

	scorer *Scorer
}

// Found is what was found in a record.
type Found struct {
	Document string
	Errors   []LeafError
	// Where the record counted and Keep asks for them: copies of what it was measured
	// by and of itself, which is nil where its filling failed.
	Gold   *gold.Record
	Filled *value.Value
}

// Add gives the errors of one record. Which records count is for the same rules
// as in a score; LeftOut names the others.
func (f *Finder) Add(l record.Line) (Found, error) {
	sc := f.counted()
	before := sc.report.Documents
	if err := sc.Add(l); err != nil {
		return Found{}, err
	}
	return f.found(sc, &l, sc.report.Documents > before), nil
}

// AddFile finds the errors of a file of JSON Lines, several lines at a time; each
// hears of its records in their order. Source is called by several goroutines. An
// error of a line is a *LineError.
func (f *Finder) AddFile(path string, each func(Found) error) error {
	type result struct {
		*part
		found []Found
	}
	sc := f.counted()
	return inHands(path, func() func(b *batch) result {
		r := &lines{hand: sc.gold.Hand()}
		return func(b *batch) (out result) {
			out.part = sc.measureAll(b, r, func(s *Scorer, l *record.Line, counted bool) {
				out.found = append(out.found, f.found(s, l, counted))
			})
			return out
		}
	}, func(r result) error {
		if err := sc.merge(r.part); err != nil {
			return err
		}
		for _, found := range r.found {
			if err := each(found); err != nil {
				return err
			}
		}
		return nil
	})
}

func (f *Finder) counted() *Scorer {
	if f.scorer == nil {
		f.scorer = NewWith(f.Schema, f.Gold, Options{Split: f.Split})
	}
	return f.scorer
}

// found looks at the record that a scorer counted last.
func (f *Finder) found(sc *Scorer, l *record.Line, counted bool) Found {
	out := Found{Document: l.Document}
	if !counted {
		return out
	}
	filled := &l.Record
	if l.Status == record.Failed {
		filled = nil
	}
	if t := sc.tallies.last; t.Wrong+t.Missed+t.Extra > 0 {
		out.Errors = f.errors(sc.judged, filled, l.Document)
	}
	if f.Keep {
		g := *sc.judged
		g.Record = g.Record.Detach()
		out.Gold = &g
		if filled != nil {
			kept := filled.Detach()
			out.Filled = &kept
		}
	}
	return out
}

// Report gives the score of all that was added.
func (f *Finder) Report() Report { return f.counted().Report() }

func (f *Finder) errors(g *gold.Record, filled *value.Value, id string) []LeafError {
	rec := &g.Record
	var leaves []Leaf
	Walk(f.Schema, rec, filled, Visitor{Paths: true, Leaf: func(l Leaf) {
		leaves = append(leaves, l)
	}})
	x := &explainer{leaves: leaves}
	if f.Source != nil {
		if doc, err := f.Source(id); err == nil && g.Hashes.Since(record.Hashes{Text: doc.Hash, File: doc.FileHash}) != record.Changed {
			x.doc, x.lines = doc, document.NewLines(doc.Text)
			index := evidence.NewIndex(doc.Text)
			x.gold = evidence.Full(f.Schema, rec, index, nil)
			if filled != nil {
				x.filled = evidence.Full(f.Schema, filled, index, nil)
			}
		}
	}
	var all []LeafError
	for _, l := range leaves {
		if l.Outcome == Right || l.Outcome == Blank {
			continue
		}
		m := LeafError{Document: id, Field: l.Field, GoldPath: l.GoldPath, FilledPath: l.FilledPath, Outcome: l.Outcome}
		if !l.Gold.Empty() {
			m.Gold = l.Gold.Named("").Detach() // records are good for a while only
		}
		if !l.Filled.Empty() {
			m.Filled = l.Filled.Named("").Detach()
		}
		m.GoldLine, m.FilledLine = x.line(x.gold[l.GoldPath]), x.line(x.filled[l.FilledPath])
		if at := x.gold[l.GoldPath]; at.Found() {
			m.GoldSpan = [2]int{at.Start, at.End}
		}
		m.Type, m.Detail = x.errorType(l)
		all = append(all, m)
	}
	return all
}

// explainer knows one document with its two records.
type explainer struct {
	doc          *document.Document
	lines        *document.Lines
	gold, filled evidence.Places
	leaves       []Leaf
}

func (x *explainer) line(p evidence.Place) Line {
	if x.doc == nil || !p.Found() {
		return Line{}
	}
	return Line{p.Line, x.lines.Text(p.Line)}
}

// cause tells why a leaf is in error.
func (x *explainer) errorType(l Leaf) (ErrorType, string) {
	inGold, inFilled := standing(x.gold[l.GoldPath]), standing(x.filled[l.FilledPath])
	switch l.Outcome {
	case Missed:
		switch {
		case l.Lone:
			return ItemMissed, ""
		case x.doc != nil && !inGold && !concluded(l.Field):
			return Unstated, ""
		case x.doc != nil && !inGold:
			return NotInferred, ""
		}
		return NotFound, ""
	case Extra:
		if l.Lone {
			return ItemExtra, ""
		}
		if whose := x.whose(l); whose != "" {
			return Swapped, whose
		}
		if x.doc != nil && !inFilled && !concluded(l.Field) {
			return Unsupported, ""
		}
		return NotInGold, ""
	}
	if c := alikeBut(l.Field, l.Gold, l.Filled); c != "" {
		return c, ""
	}
	if x.doc != nil && inFilled && !inGold && !concluded(l.Field) {
		return Suspect, ""
	}
	if whose := x.whose(l); whose != "" {
		return Swapped, whose
	}
	g, d := textOf(l.Gold), textOf(l.Filled)
	switch {
	case l.Field.Type == schema.Choice || l.Field.Type == schema.Boolean || numeric(l.Gold) || ofTime(l):
	case withinText(d, g):
		return PartOf, ""
	case withinText(g, d):
		return MoreThan, ""
	case misspelled(g, d):
		return Spelling, ""
	}
	if x.doc != nil && !inFilled && !concluded(l.Field) {
		return Unsupported, ""
	}
	return Another, ""
}

// ofTime tells two days or times of day: one figure more or less makes another of them.
func ofTime(l Leaf) bool {
	switch l.Field.Kin().Type {
	case schema.Date, schema.Time, schema.DateTime:
		return !strings.ContainsFunc(textOf(l.Gold)+textOf(l.Filled), func(r rune) bool { return unicode.IsLetter(r) && r != 'T' && r != 'Z' })
	}
	return false
}

// standing tells whether a value stands in the source, itself and not the words
// that it is concluded from.
func standing(p evidence.Place) bool {
	return p.Found() && !p.Basis && p.Kind != evidence.Lookalike
}

// concluded tells fields whose values need not stand in the source.
func concluded(f *schema.Field) bool { return f.Evidence == "inferred" || f.Basis }

// whose finds the gold leaf that a filled value is the value of: of the same
// field in another item first, then of another field of the same type. A short
// value stands in many places and tells nothing.
func (x *explainer) whose(l Leaf) string {
	if len([]rune(textOf(l.Filled))) < 2 {
		return ""
	}
	other := ""
	for _, o := range x.leaves {
		if o.GoldPath == "" || o.GoldPath == l.GoldPath || o.Gold.Empty() || o.Field.Kin().Type != l.Field.Kin().Type || !value.Equal(o.Gold, l.Filled) {
			continue
		}
		if o.Outcome == Right && o.Field != l.Field && o.Field.Type != schema.Text && o.Field.Type != schema.Date {
			continue
		}
		if o.Field == l.Field {
			return string(o.GoldPath)
		}
		if other == "" {
			other = string(o.GoldPath)
		}
	}
	return other
}

// Grouped is how often a cause came in a field.
type Grouped struct {
	Field string
	Type  ErrorType
	Times int
}

// Group counts errors by field and cause, the most frequent first.
func Group(all []LeafError) []Grouped {
	at := map[[2]string]int{}
	var groups []Grouped
	for _, m := range all {
		key := [2]string{m.Field.Path, string(m.Type)}
		n, ok := at[key]
		if !ok {
			n = len(groups)
			at[key] = n
			groups = append(groups, Grouped{m.Field.Path, m.Type, 0})
		}
		groups[n].Times++
	}
	sort.SliceStable(groups, func(i, j int) bool { return groups[i].Times > groups[j].Times })
	return groups
}

// JSON gives the machine form of docs/formats.md.
func (m *LeafError) JSON() value.Value {
	v := value.Obj(value.Str(m.Document).Named("document"), value.Str(string(m.Path())).Named("path"), value.Str(m.Field.Path).Named("field"),
		value.Str(m.Outcome.String()).Named("outcome"), value.Str(string(m.Type)).Named("type"), m.Gold.Named("gold"), m.Filled.Named("filled"))
	if m.Detail != "" {
		v.Set("detail", value.Str(m.Detail))
	}
	if m.FilledPath != "" && m.FilledPath != m.Path() {
		v.Set("filled_path", value.Str(string(m.FilledPath)))
	}
	line := func(name string, l Line) {
		if l.N > 0 {
			v.Set(name, value.Obj(value.Num(fmt.Sprint(l.N)).Named("line"), value.Str(l.Text).Named("text")))
		}
	}
	line("gold_stands", m.GoldLine)
	line("filled_stands", m.FilledLine)
	return v
}
