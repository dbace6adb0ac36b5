package report

import (
	"fmt"
	"image"
	"sort"
	"strconv"

	"filler/internal/base/value"
	"filler/internal/measure/review"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/pair"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/view/signs"
)

// Given is what is known of one document.
type Given struct {
	Line     record.Line
	Steps    trace.Steps        // that led to its record; nil where they are not known
	Source   *document.Document // nil where it can't be read: then Unread says why
	Unread   string
	Metadata map[string]string
	Judged   bool // it counts in the score, and Errors are all of its errors
	Errors   []score.LeafError
	LeftOut  string      // why it does not count in the score
	Decided  value.Value // a list of what people changed since, as records have their history
	// Other is what another run has where the two differ, by path.
	Other map[value.Pointer]Other
	// Pictures draws pages of the document, from 1; nil where it has none.
	Pictures func(first, last int) ([]image.Image, error)
}

// Other is what another run has in the place of a value.
type Other struct{ Name, Value, Verdict string }

// Sheet is one document as a report shows it.
type Sheet struct {
	ID        string // of the document, as it is shown
	Anchor    string // the document's id as it stands in links
	Status    string
	Unread    string
	LeftOut   string
	Judged    bool
	Blocked   bool // words of the source are blocked out
	Metadata  [][2]string
	Tree      *Node
	Said      []string // against the record as a whole
	Earlier   []string // what led to the record as a whole
	Values    []*Value
	Lines     []Line
	Pages     []Page
	Text      string // of pages, for whoever does not see them
	Cut       int    // bytes of the text that are left out
	Uncovered int
	Problems  int
	Errors    int
	Right     int
	Filled    int
	Risk      string   // the greatest of a value
	Fields    []string // that have problems or errors
	Types     []string // of errors
}

// Node is a part of the record.
type Node struct {
	Name  string
	ID    string
	Value *Value // of a leaf
	Kids  []*Node
	Said  []string
	Gone  bool // only gold has it
	None  bool // a list or group in which nothing is
}

// Value is one value of the record, or one that only gold has.
type Value struct {
	N       int    // from 0; marks of the source name it
	ID      string // the end of its link: document and path
	Path    string
	Field   string
	Name    string
	Shown   string // "" is no value
	Class   string // right, wrong, missed, extra, against, plain or none
	Sign    string
	Kind    string // of its evidence, or ""
	Line    int
	Page    int
	Risk    string
	Said    []string
	Gold    string // what gold has, where that differs
	Outcome string
	Type    string // of the error
	Fix     string // that is suggested for its field
	OfGold  int    // the line in which gold's value stands; 0 where it is not known
	Earlier []string
	Other   *Other
	Placed  bool
	spans   [][2]int
	order   int // where it stands in the source, to put the margin in order
}

// letters are those of the kinds of evidence.
var letters = map[evidence.Kind]string{evidence.Quoted: "q", evidence.Restated: "r", evidence.Lookalike: "l", evidence.Pictured: "p", evidence.Inferred: "i", evidence.None: "?"}

// Maker makes sheets for a schema.
type Maker struct {
	Schema *schema.Schema
	Cover  *record.Cover     // nil shows everything
	fixes  map[string]string // what to write into the schema, by field
}

// Suggest has errors show the fixes that are suggested for their fields.
func (m *Maker) Suggest(fixes *score.Fixes) {
	m.fixes = map[string]string{}
	for _, x := range fixes.Chosen {
		if was := m.fixes[x.Field]; was != "" {
			m.fixes[x.Field] = was + "; "
		}
		m.fixes[x.Field] += fmt.Sprintf("%s (turns %d right in all)", x.Write, x.Fixed)
	}
}

// builder makes one sheet.
type builder struct {
	*Maker
	given   *Given
	sheet   *Sheet
	places  evidence.Places
	index   *evidence.Index // of the source; nil where there is none
	errors  map[value.Pointer]*score.LeafError
	said    map[value.Pointer][]string
	earlier map[value.Pointer][]string
	open    [][2]int // words that may be shown where the others are not
	shut    [][2]int // words that may not
	fields  map[string]bool
	types   map[string]bool
	risk    float64
}

// noStatus stands for that of records from elsewhere: they have none.
const noStatus = "–"

// Sheet makes the sheet of a document.
func (m *Maker) Sheet(g *Given) *Sheet {
	b := &builder{Maker: m, given: g, places: evidence.PlacesFromJSON(&g.Line.Evidence), errors: map[value.Pointer]*score.LeafError{}, fields: map[string]bool{}, types: map[string]bool{}, risk: -1}
	if g.Source != nil {
		b.index = evidence.NewIndex(g.Source.Text)
		if len(b.places) == 0 { // records from elsewhere do not say where their values stand
			b.places = evidence.Full(m.Schema, &g.Line.Record, b.index, nil)
		}
	}
	line := m.Cover.Line(g.Line)
	s := &Sheet{ID: signs.Visible(g.Line.Document), Anchor: g.Line.Document, Status: string(line.Status), Unread: g.Unread, Judged: g.Judged, LeftOut: g.LeftOut, Blocked: m.Cover != nil && g.Source != nil}
	b.sheet = s
	if s.Status == "" {
		s.Status = noStatus
	}
	for _, name := range sorted(g.Metadata) {
		s.Metadata = append(s.Metadata, [2]string{signs.Visible(name), signs.Visible(g.Metadata[name])})
	}
	for i := range g.Errors {
		if p := g.Errors[i].FilledPath; p != "" {
			b.errors[p] = &g.Errors[i]
		}
	}
	b.says(line.Problems)
	b.tells(trace.Covered(g.Steps, m.Cover), line.History)
	rec := record.Arrange(m.Schema, &line.Record)
	s.Tree = b.node(m.Schema.Root, "", "", &rec)
	b.goldOnly()
	s.Said, s.Earlier = b.said[""], b.earlier[""]
	s.Fields, s.Types = sorted(b.fields), sorted(b.types)
	if b.risk >= 0 {
		s.Risk = fmt.Sprintf("%.2f", b.risk)
	}
	if g.Source != nil {
		b.source(g.Source)
	}
	return s
}

func sorted[V any](m map[string]V) (names []string) {
	for name := range m {
		names = append(names, name)
	}
	sort.Strings(names)
	return names
}

// says notes the problems by their places.
func (b *builder) says(problems []record.Problem) {
	b.said = map[value.Pointer][]string{}
	for _, p := range problems {
		b.sheet.Problems++
		b.said[p.Path] = append(b.said[p.Path], string(p.Code())+": "+signs.Visible(p.Message()))
		if f := b.Schema.At(p.Path); f != nil && p.Path != "" {
			b.fields[f.Path] = true
		}
	}
}

// node makes the part of the tree at a place.
func (b *builder) node(f *schema.Field, p value.Pointer, name string, v *value.Value) *Node {
	n := &Node{Name: signs.Visible(name), ID: b.id(p)}
	if f != nil && !f.IsLeaf() && (v.Kind == value.Object || v.Kind == value.Array || v.Kind == value.Null) {
		n.Said = b.said[p]
		if p == "" {
			n.Said = nil // the sheet has them
		}
		n.None = len(v.Kids) == 0
		for i := range v.Kids {
			kid := &v.Kids[i]
			if f.Type == schema.List {
				n.Kids = append(n.Kids, b.node(f.Item, p.Index(i), fmt.Sprint(i+1), kid))
			} else {
				n.Kids = append(n.Kids, b.node(f.Child(kid.Name), p.Key(kid.Name), kid.Name, kid))
			}
		}
		return n
	}
	if f != nil && pair.HasEntries(f, v) {
		n.Said = b.said[p]
		pair.Entries(v, nil, func(name string, kid, _ *value.Value) {
			n.Kids = append(n.Kids, b.node(f, p.Key(name), name, kid))
		})
		return n
	}
	n.Value = b.value(f, p, v)
	return n
}

func (b *builder) id(p value.Pointer) string { return b.given.Line.Document + string(p) }

// value makes the value at a place.
func (b *builder) value(f *schema.Field, p value.Pointer, v *value.Value) *Value {
	s := b.sheet
	out := &Value{N: len(s.Values), ID: b.id(p), Path: string(p), Name: signs.Visible(p.Words()), Shown: signs.Visible(review.Shown(v)), Said: b.said[p], Earlier: b.earlier[p]}
	if f != nil {
		out.Field = f.Path
	}
	if v.Kind == value.Object || v.Kind == value.Array { // problems of its parts are its own
		for at, said := range b.said {
			if at != p && at.Within(p) {
				out.Said = append(out.Said, said...)
			}
		}
		sort.Strings(out.Said)
	}
	if out.Shown != "" {
		s.Filled++
	}
	if place, known := b.places[p]; known {
		out.Kind, out.Line, out.Page = string(place.Kind), place.Line, place.Page
		out.Sign = letters[place.Kind]
		if place.Found() && place.Document == "" {
			out.spans = append(out.spans, [2]int{place.Start, place.End})
			if b.Cover.Hides(p) {
				b.shut = append(b.shut, out.spans[0])
			} else {
				b.open = append(b.open, out.spans[0])
			}
		}
		if place.Document != "" {
			out.Earlier = append(out.Earlier, "it stands in "+signs.Visible(place.Document))
		}
	}
	if r := b.given.Line.Risk.Get(string(p)); r != nil {
		if figure, err := strconv.ParseFloat(r.Text, 64); err == nil {
			out.Risk = fmt.Sprintf("%.2f", figure)
			b.risk = max(b.risk, figure)
		}
	}
	if o, differs := b.given.Other[p]; differs {
		out.Other = &o
		b.fields[out.Field] = true
	}
	b.judge(f, out, p)
	s.Values = append(s.Values, out)
	return out
}

// judge says how a value stands against gold, or against the checks where there is none.
func (b *builder) judge(f *schema.Field, out *Value, p value.Pointer) {
	switch e := b.errors[p]; {
	case e != nil:
		b.err(out, e)
		delete(b.errors, p) // shown
	case b.given.Judged && out.Shown != "" && f != nil && f.Scored():
		out.Class, out.Sign, out.Outcome = "right", "✓", score.Right.String()
		b.sheet.Right++
	case len(out.Said) > 0:
		out.Class, out.Sign = "against", "!"
	case out.Shown == "":
		out.Class, out.Sign = "none", "·"
	default:
		out.Class = "plain"
		if out.Sign == "" {
			out.Sign = "·"
		}
	}
}

// outcomeSigns set the outcomes apart without colour.
var outcomeSigns = map[score.Outcome]string{score.Wrong: "≠", score.Missed: "−", score.Extra: "+"}

func (b *builder) err(out *Value, e *score.LeafError) {
	b.sheet.Errors++
	out.Outcome, out.Class, out.Sign, out.Type = e.Outcome.String(), e.Outcome.String(), outcomeSigns[e.Outcome], string(e.Type)
	if e.Detail != "" {
		out.Type += " with " + signs.Visible(e.Detail)
	}
	if !b.Cover.Hides(e.FilledPath) {
		out.Fix = b.fixes[e.Field.Path]
	}
	at := e.GoldPath
	if at == "" {
		at = e.FilledPath
	}
	if !e.Gold.Empty() {
		out.Gold = signs.Visible(review.Shown(b.Cover.Value(at, &e.Gold)))
	}
	out.OfGold = e.GoldLine.N
	b.fields[e.Field.Path], b.types[string(e.Type)] = true, true
	if e.GoldSpan[1] > e.GoldSpan[0] {
		if b.Cover.Hides(at) {
			b.shut = append(b.shut, e.GoldSpan)
		} else {
			b.open = append(b.open, e.GoldSpan)
		}
		if len(out.spans) == 0 {
			out.spans = append(out.spans, e.GoldSpan)
		}
	}
}

// goldOnly adds what only gold has and the record has no place for.
func (b *builder) goldOnly() {
	var gone *Node
	for i := range b.given.Errors {
		e := &b.given.Errors[i]
		if e.FilledPath != "" && b.errors[e.FilledPath] != e {
			continue
		}
		if gone == nil {
			gone = &Node{Name: "only in gold", Gone: true}
		}
		out := &Value{N: len(b.sheet.Values), ID: b.given.Line.Document + "#gold" + string(e.GoldPath), Path: string(e.GoldPath), Field: e.Field.Path, Name: signs.Visible(e.GoldPath.Words())}
		b.err(out, e)
		b.sheet.Values = append(b.sheet.Values, out)
		gone.Kids = append(gone.Kids, &Node{Name: signs.Visible(e.GoldPath.Words()), ID: out.ID, Value: out, Gone: true})
	}
	if gone != nil {
		b.sheet.Tree.Kids = append(b.sheet.Tree.Kids, gone)
	}
}
