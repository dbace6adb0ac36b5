package review

import (
	"maps"
	"slices"

	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// Difference is a value in which two reviewers differ; Null where one has none.
type Difference struct {
	Document      string
	Path          value.Pointer
	First, Second value.Value
}

// Pairs keeps what is chosen where two reviewers differ: in a file of choices, one a
// line, that `gold adjudicate` reads.
type Pairs struct {
	Schema *schema.Schema
	First  gold.Set
	File   string

	differ map[string][]Difference
	chosen map[string]map[value.Pointer]choice
}

// choice is how one difference was decided.
type choice struct {
	word  string // first, second or value
	value value.Value
}

// NewPairs lays out the differences of two reviewers; those that were decided before
// are known by their choices.
func NewPairs(s *schema.Schema, first gold.Set, differ []Difference, made gold.Choices, file string) *Pairs {
	p := &Pairs{Schema: s, First: first, File: file, differ: map[string][]Difference{}, chosen: map[string]map[value.Pointer]choice{}}
	for _, d := range differ {
		p.differ[d.Document] = append(p.differ[d.Document], d)
		if p.chosen[d.Document] == nil {
			p.chosen[d.Document] = map[value.Pointer]choice{}
		}
		for _, c := range made[d.Document] {
			if c.Path == d.Path {
				p.chosen[d.Document][d.Path] = d.choose(c.Value)
			}
		}
	}
	return p
}

// choose says whose value a value is.
func (d *Difference) choose(v value.Value) choice {
	switch {
	case same(&v, &d.First):
		return choice{word: "first", value: d.First}
	case same(&v, &d.Second):
		return choice{word: "second", value: d.Second}
	}
	return choice{word: "value", value: v}
}

// Documents names the documents in which the reviewers differ, in order.
func (p *Pairs) Documents() []string { return slices.Sorted(maps.Keys(p.differ)) }

// Open gives the first reviewer's record, with room for what only the second has, and
// what the second says otherwise.
func (p *Pairs) Open(document string) (*Kept, error) {
	g := p.First[document]
	k := &Kept{Document: document, Hashes: g.Hashes, Record: record.Arrange(p.Schema, &g.Record), Places: evidence.PlacesFromJSON(&g.Places), Made: map[string]Verdict{}, Notes: map[string]string{}, Rivals: map[value.Pointer]value.Value{}, Was: g.Record}
	k.Record = k.Record.Clone()
	for _, d := range p.differ[document] {
		k.Rivals[d.Path] = d.Second
		v := d.First
		if c, ok := p.chosen[document][d.Path]; ok {
			v = c.value
			k.Made[string(d.Path)] = Changed
			if c.word == "first" {
				k.Made[string(d.Path)] = Right
			}
		}
		k.Record.Put(d.Path, v)
	}
	return k, nil
}

// Keep writes all choices that are made.
func (p *Pairs) Keep(k *Kept) error {
	for _, d := range p.differ[k.Document] {
		if !seen(k.Made[string(d.Path)]) {
			delete(p.chosen[k.Document], d.Path)
			continue
		}
		p.chosen[k.Document][d.Path] = d.choose(orNull(k.Record.At(d.Path)))
	}
	var lines []byte
	for _, id := range p.Documents() {
		for _, d := range p.differ[id] {
			v := value.Obj(value.Str(id).Named("document"), value.Str(string(d.Path)).Named("path"), d.First.Named("first"), d.Second.Named("second"))
			c, made := p.chosen[id][d.Path]
			choose := value.Value{}
			if made {
				choose = value.Str(c.word)
			}
			v.Kids = append(v.Kids, choose.Named("choose"))
			if c.word == "value" {
				v.Kids = append(v.Kids, c.value.Named("value"))
			}
			lines = append(append(lines, v.JSON()...), '\n')
		}
	}
	return process.WriteFile(p.File, lines, false)
}

// Sign says that all differences of a document are decided; the gold is written of all
// documents together.
func (p *Pairs) Sign(k *Kept, _ record.Hashes) (string, error) {
	k.Signed = true
	return "", nil
}

// Unsign says that one is open again.
func (p *Pairs) Unsign(k *Kept) error {
	k.Signed = false
	return nil
}

// TakeOther makes the other reviewer's value the value; false where nobody else has
// decided about it.
func (sh *Sheet) TakeOther(p Point) bool {
	other, ok := sh.Rivals[p.Path]
	if ok {
		sh.change(p, other, Changed, nil)
	}
	return ok
}
