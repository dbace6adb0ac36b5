// Package suggest says what a schema could say otherwise, going by the errors of a run and by
// the lines of the documents that they come from. No model is asked.
//
// Rules it keeps:
//
//   - Each suggestion names the documents and lines that speak for it, and those that speak
//     against it; one that has no more for it than against it is not made.
//   - It rests on the tune split alone where gold is split: nothing of a test document goes
//     into a schema.
//   - It is a guess about what the model would make of it: only filling again tells.
package suggest

import (
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"
	"unicode"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Where is a line of a document that speaks for something, or against it.
type Where struct {
	Document string
	Line     int // from 1; 0: the record as a whole
	Text     string
}

// Suggestion is one change of a schema.
type Suggestion struct {
	schema.Edit // as it would go into the schema
	For         []Where
	Against     []Where
	Errors      int      // of the field that it may put right
	Quotes      []string // documents whose words it would put into the schema
}

// Reason says in a few words what speaks for it.
func (s *Suggestion) Reason() string {
	n, against := len(s.For), len(s.Against)
	lines := func(what string) string {
		text := fmt.Sprintf("%s on %d lines", what, n)
		if against > 0 {
			text += fmt.Sprintf(", otherwise on %d", against)
		}
		return text
	}
	switch s.Key[len(s.Key)-1] {
	case "printed_as":
		return lines("stands before gold's value")
	case "also":
		return lines("stands where this choice is meant")
	case "written":
		return lines("so written")
	case "signs":
		return lines("says the sign")
	case "avoid":
		return fmt.Sprintf("such values were filled %d times", n)
	case "examples":
		return fmt.Sprintf("goes wrong on %d such lines", n)
	case "min", "max", "pattern":
		return fmt.Sprintf("gold keeps it, and %d filled values do not", n)
	}
	return fmt.Sprintf("%d documents for it, %d against", documentsIn(s.For), documentsIn(s.Against))
}

// write makes a suggestion of one key of a field.
func write(f *schema.Field, text string, key ...string) Suggestion {
	return Suggestion{Edit: schema.Edit{Field: f.Path, Key: key, Write: text}}
}

// longer gives a list of texts with one more, as it goes into a schema.
func longer(texts []string, more string) string {
	return schema.QuoteList(append(slices.Clone(texts), more))
}

// Case is a document with its gold, what was filled, and its errors.
type Case struct {
	Gold   *gold.Record
	Filled *value.Value // nil where the filling failed
	Errors []score.LeafError
	Doc    *document.Document
}

// mostRead is of how many records the documents are read where nothing is in error in them:
// they tell how often a label stands there.
const mostRead = 300

// CaseOf makes a case of what was found in a record, the nth, and of its document. One that
// can't be read tells of values only; nor can any where source is nil.
func CaseOf(f *score.Found, n int, source func(id string) (*document.Document, error)) Case {
	c := Case{Gold: f.Gold, Filled: f.Filled, Errors: f.Errors}
	if source != nil && (n < mostRead || len(f.Errors) > 0) {
		if doc, err := source(f.Document); err == nil {
			c.Doc = doc
		}
	}
	return c
}

// Collector gathers cases.
type Collector struct {
	schema *schema.Schema
	cases  []gathered
	split  bool // some case is of a test split
}

type gathered struct {
	Case
	gold   evidence.Places
	places []value.Pointer // of gold, sorted
}

// New begins a collection.
func New(s *schema.Schema) *Collector { return &Collector{schema: s} }

// Add adds a case; one without a document tells only of values.
func (c *Collector) Add(one Case) {
	g := gathered{Case: one}
	if one.Doc != nil {
		g.gold = evidence.Full(c.schema, &one.Gold.Record, evidence.NewIndex(one.Doc.Text), nil)
		g.places = slices.Sorted(maps.Keys(g.gold))
	}
	c.split = c.split || one.Gold.Split == gold.Test
	c.cases = append(c.cases, g)
}

// least is how many documents have to speak for a suggestion.
const least = 2

// Suggest gives the suggestions, those that may put the most right first.
func (c *Collector) Suggest() []Suggestion {
	if c.split {
		c.cases = slices.DeleteFunc(c.cases, func(g gathered) bool { return g.Gold.Split != gold.Tune })
	}
	errors := map[*schema.Field]int{}
	for i := range c.cases {
		for j := range c.cases[i].Errors {
			errors[c.cases[i].Errors[j].Field]++
		}
	}
	var all []Suggestion
	add := func(f *schema.Field, list ...Suggestion) {
		for _, s := range list {
			if documentsIn(s.For) >= least && documentsIn(s.For) > documentsIn(s.Against) {
				s.Errors = errors[f]
				all = append(all, s)
			}
		}
	}
	for _, f := range c.schema.Leaves() {
		if errors[f] == 0 && !f.Required {
			continue
		}
		add(f, c.labels(f)...)
		add(f, c.words(f)...)
		add(f, c.swaps(f)...)
		add(f, c.optional(f)...)
		add(f, c.shape(f)...)
		add(f, c.formats(f)...)
		add(f, c.signs(f)...)
		add(f, c.bounds(f)...)
	}
	c.schema.Record().Walk(func(f *schema.Field, _ int) {
		if f.Type == schema.List && len(f.Key) == 0 && !f.Ordered {
			keys := []Suggestion(nil)
			if f.Item.Type == schema.Group {
				keys = c.keys(f)
			}
			if add(f, keys...); len(keys) == 0 {
				add(f, c.ordered(f)...)
			}
		}
	})
	all = append(all, c.examples(errors, all)...)
	sort.SliceStable(all, func(i, j int) bool {
		if a, b := all[i].Errors > 0, all[j].Errors > 0; a != b {
			return a
		}
		if a, b := len(all[i].For)-2*len(all[i].Against), len(all[j].For)-2*len(all[j].Against); a != b {
			return a > b
		}
		return all[i].Field+all[i].String() < all[j].Field+all[j].String()
	})
	return all
}

func documentsIn(list []Where) int {
	seen := map[string]bool{}
	for _, w := range list {
		seen[w.Document] = true
	}
	return len(seen)
}

// words suggests other words for a choice: what stands behind the field's label where the
// choice was meant and not given.
func (c *Collector) words(f *schema.Field) (out []Suggestion) {
	if f.Type != schema.Choice {
		return nil
	}
	type seen struct {
		where []Where
		means map[string]int
	}
	found := map[string]*seen{}
	for i := range c.cases {
		g := &c.cases[i]
		if g.Doc == nil {
			continue
		}
		for j := range g.Errors {
			e := &g.Errors[j]
			if e.Field != f || e.Outcome == score.Extra || e.Gold.Kind != value.String {
				continue
			}
			for n, line := range strings.Split(g.Doc.Text, "\n") {
				word := behindLabel(f, line)
				if word == "" || isOption(f, word) {
					continue
				}
				if found[word] == nil {
					found[word] = &seen{means: map[string]int{}}
				}
				found[word].where = append(found[word].where, Where{g.Gold.Document, n + 1, strings.TrimSpace(line)})
				found[word].means[e.Gold.Text]++
			}
		}
	}
	if len(found) == 0 {
		return c.tellingWords(f)
	}
	for _, word := range sortedKeys(found) {
		s := found[word]
		if len(s.means) != 1 { // it would be a guess which
			continue
		}
		for _, o := range f.Of {
			if f.List != nil { // its words stand in the list
				break
			}
			if s.means[o.Value] > 0 {
				one := write(f, longer(o.Also, word), "of", o.Value, "also")
				one.For = s.where
				out = append(out, one)
			}
		}
	}
	return out
}

// behindLabel gives the one to three words behind a label of the field, to the end of
// the line.
func behindLabel(f *schema.Field, line string) string {
	for _, name := range append([]string{schema.Spoken(f.Name)}, f.PrintedAs...) {
		i := strings.Index(strings.ToLower(line), strings.ToLower(name))
		if i < 0 {
			continue
		}
		rest := strings.TrimLeft(line[min(len(line), i+len(name)):], " .:=\t|")
		if rest == line[min(len(line), i+len(name)):] {
			continue
		}
		rest = strings.ToLower(strings.TrimRightFunc(rest, func(r rune) bool { return unicode.IsSpace(r) || unicode.IsPunct(r) }))
		if n := len(strings.Fields(rest)); n >= 1 && n <= 3 && !strings.ContainsAny(rest, ",;:|") {
			return rest
		}
	}
	return ""
}

func isOption(f *schema.Field, word string) bool {
	for _, o := range f.Of {
		if strings.EqualFold(o.Value, word) || slices.ContainsFunc(o.Also, func(a string) bool { return strings.EqualFold(a, word) }) {
			return true
		}
	}
	return false
}

// swaps suggests what does not belong in a field: the values of another that stand in it.
func (c *Collector) swaps(f *schema.Field) (out []Suggestion) {
	by := map[string][]Where{}
	for i := range c.cases {
		for j := range c.cases[i].Errors {
			e := &c.cases[i].Errors[j]
			if e.Field == f && e.Type == score.Swapped && e.Detail != "" {
				of := c.schema.At(value.Pointer(e.Detail))
				if of == nil || of == f { // another item's own
					continue
				}
				by[of.Path] = append(by[of.Path], Where{e.Document, e.FilledLine.N, strings.TrimSpace(e.FilledLine.Text)})
			}
		}
	}
	for _, of := range sortedKeys(by) {
		other := c.schema.Find(of)
		if other == nil {
			continue
		}
		words := strings.ToLower(schema.Spoken(other.Name))
		if other.Name == f.Name {
			words = strings.ToLower(strings.NewReplacer("[]", "", ".", " ", "_", " ").Replace(other.Path))
		}
		if slices.Contains(f.Avoid, words) {
			continue
		}
		s := write(f, longer(f.Avoid, words), "avoid")
		s.For = by[of]
		out = append(out, s)
	}
	return out
}

// optional suggests that a field is not required, where documents don't have it.
func (c *Collector) optional(f *schema.Field) []Suggestion {
	if !f.Required {
		return nil
	}
	s := write(f, "false", "required")
	for i := range c.cases {
		g := &c.cases[i]
		empty := false
		eachLeaf(c.schema, &g.Gold.Record, func(at *schema.Field, v *value.Value) {
			if at == f && v.Empty() {
				empty = true
			}
		})
		if empty {
			s.For = append(s.For, Where{Document: g.Gold.Document})
		}
	}
	return []Suggestion{s}
}

// eachLeaf calls do for every leaf of a record, those without a value included.
func eachLeaf(s *schema.Schema, rec *value.Value, do func(f *schema.Field, v *value.Value)) {
	score.Walk(s, rec, nil, score.Visitor{Leaf: func(l score.Leaf) { do(l.Field, l.Gold) }})
}

// lineOf gives the line of an offset, where it begins, and its text.
func (g *gathered) lineOf(at int) (n, start int, text string) {
	start = strings.LastIndexByte(g.Doc.Text[:at], '\n') + 1
	end := len(g.Doc.Text)
	if i := strings.IndexByte(g.Doc.Text[at:], '\n'); i >= 0 {
		end = at + i
	}
	return 1 + strings.Count(g.Doc.Text[:start], "\n"), start, g.Doc.Text[start:end]
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

func order(list []Where) {
	sort.SliceStable(list, func(i, j int) bool {
		return list[i].Document < list[j].Document || list[i].Document == list[j].Document && list[i].Line < list[j].Line
	})
}
