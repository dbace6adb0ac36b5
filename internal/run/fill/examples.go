package fill

import (
	"context"
	"errors"
	"filler/internal/record"
	"fmt"
	"sort"
	"strings"

	"filler/internal/ask/prompt"
	"filler/internal/base/place"
	"filler/internal/base/tokens"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// maxExample is how many tokens a solved document may have to be shown.
const maxExample = 3000

// Examples picks solved documents for prompts from reviewed gold: those named,
// or so many that together show as many fields, choices and empty lists as can
// be. The same set is shown for every document of a run. sources say where the
// documents of the gold are.
func Examples(ctx context.Context, s Setup, set gold.Set, sources []document.Source, n int, names []string) ([]prompt.Solved, error) {
	at := map[string]document.Source{}
	for _, src := range sources {
		at[src.ID] = src
	}
	all := set.Documents()
	if len(names) > 0 {
		all = names
	}
	var found []*candidate
	for _, id := range all {
		c, err := s.candidate(ctx, set[id], at, id)
		switch {
		case err == nil:
			found = append(found, c)
		case len(names) > 0:
			return nil, fmt.Errorf("%s can't be a solved example: %w", id, err)
		}
	}
	if len(names) == 0 {
		found = cover(found, n)
	}
	if len(found) == 0 {
		return nil, errors.New("no reviewed gold record can be shown as an example; review some, or leave prompt.examples out")
	}
	var solved []prompt.Solved
	for _, c := range found {
		solved = append(solved, c.Solved)
	}
	return solved, nil
}

// candidate is a document that may be shown solved.
type candidate struct {
	prompt.Solved
	shows  map[string]bool // fields with a value, choices, lists without an item
	tokens int
}

func (s Setup) candidate(ctx context.Context, g *gold.Record, at map[string]document.Source, id string) (*candidate, error) {
	src, here := at[id]
	switch {
	case g == nil:
		return nil, errors.New("it has no gold; name a reviewed document")
	case g.State != gold.Reviewed:
		return nil, fmt.Errorf("its gold is not reviewed (state %s)", g.State)
	case g.Fault != "":
		return nil, fmt.Errorf("its gold breaks the schema: %s", g.Fault)
	case !here:
		return nil, errors.New("it is not among the documents of the project")
	}
	d, err := s.Reader.Read(ctx, src)
	if err != nil {
		return nil, err
	}
	if g.Hashes.Since(hashesOf(d)) == record.Changed {
		return nil, errors.New("it has changed since review")
	}
	shown := d.Render(s.Settings.Layout)
	n := tokens.Estimate(shown)
	if n > maxExample {
		return nil, fmt.Errorf("it has about %d tokens; the limit for an example is %d", n, maxExample)
	}
	ix := evidence.NewIndex(d.Text)
	places := placesOfGold(s.Schema, g, ix)
	came := inReplyForm(s.Schema.Root, "", &g.Record, places, d.Text)
	return &candidate{Solved: prompt.Solved{Document: id, Text: shown, Record: string(came.JSON())}, shows: showing(s.Schema, &g.Record), tokens: n}, nil
}

// showing gives what a record shows of a schema.
func showing(s *schema.Schema, rec *value.Value) map[string]bool {
	shows := map[string]bool{}
	rec.Walk(func(p value.Pointer, v *value.Value) bool {
		f := s.At(p)
		switch {
		case f == nil:
		case f.Type == schema.List && len(v.Kids) == 0:
			shows[f.Path+" empty"] = true
		case f.IsLeaf() && v.Empty():
			shows[f.Path+" null"] = true
		case f.Type == schema.Choice:
			shows[f.Path+"="+v.Text] = true
		case f.IsLeaf():
			shows[f.Path] = true
		}
		return f == nil || !f.IsLeaf()
	})
	return shows
}

// cover picks at most n candidates, each the one that shows most that those
// before it do not; of equals the shorter.
func cover(all []*candidate, n int) []*candidate {
	shown := map[string]bool{}
	var picked []*candidate
	for len(picked) < n && len(all) > 0 {
		news := func(c *candidate) int {
			k := 0
			for what := range c.shows {
				if !shown[what] {
					k++
				}
			}
			return k
		}
		sort.SliceStable(all, func(i, j int) bool {
			a, b := news(all[i]), news(all[j])
			if a != b {
				return a > b
			}
			if all[i].tokens != all[j].tokens {
				return all[i].tokens < all[j].tokens
			}
			return all[i].Document < all[j].Document
		})
		best := all[0]
		all = all[1:]
		for what := range best.shows {
			shown[what] = true
		}
		picked = append(picked, best)
	}
	return picked
}

// placesOfGold gives where the values of reviewed gold stand. One with a basis that
// is not found itself rests on what its draft rested on, or on the line with its
// label, if the document has that once.
func placesOfGold(s *schema.Schema, g *gold.Record, ix *evidence.Index) evidence.Places {
	places := evidence.Of(s, &g.Record, ix)
	drafted := evidence.PlacesFromJSON(&g.Places)
	g.Record.Walk(func(p value.Pointer, v *value.Value) bool {
		f := s.At(p)
		if f == nil || !f.Basis || v.Empty() || places[p].Found() {
			return true
		}
		if was := drafted[p]; was.Basis && was.Document == "" && was.Start < was.End && was.End <= len(ix.Source) {
			places[p] = was
			return true
		}
		if strings.Contains(f.Path, "[]") {
			return true
		}
		for _, label := range append([]string{schema.Spoken(f.Name)}, f.PrintedAs...) {
			at, ok := ix.Words(label)
			if said := behind(ix.Source, at.End); ok && at.Rivals == 0 && said > at.End {
				at.End = said
				places[p] = at
				break
			}
		}
		return true
	})
	return places
}

// behind gives where the words end that stand behind a label in its line, over a gap
// and up to the next; from where there are none.
func behind(text string, from int) int {
	line, _, _ := strings.Cut(text[from:], "\n")
	start := len(line) - len(strings.TrimLeft(line, " .:|\t\u00a0"))
	if words, _, _ := strings.Cut(line[start:], "  "); strings.TrimSpace(words) != "" {
		return from + start + len(strings.TrimRight(words, " |\t\r"))
	}
	return from
}

// inReplyForm gives a record as a model should answer: fields with a basis with
// the words that they rest on, where they stand in the document.
func inReplyForm(f *schema.Field, p value.Pointer, v *value.Value, places evidence.Places, text string) value.Value {
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		out := value.Obj()
		for _, kid := range f.Fields {
			if at := v.Get(kid.Name); at != nil {
				got := inReplyForm(kid, p.Key(kid.Name), at, places, text)
				out.Kids = append(out.Kids, got.Named(kid.Name))
			}
		}
		return out
	case f.Type == schema.List && v.Kind == value.Array:
		out := value.List()
		for i := range v.Kids {
			got := inReplyForm(f.Item, p.Index(i), &v.Kids[i], places, text)
			out.Kids = append(out.Kids, got)
		}
		return out
	}
	own := v.Clone().Named("")
	if !f.Basis {
		return own
	}
	basis := value.Value{}
	if at := places[p]; at.Found() {
		basis = value.Str(lineAround(text, at.Start, at.End))
	}
	return value.Obj(own.Named("value"), basis.Named("basis"))
}

// lineAround gives the words of the line around a place, as far as they belong
// to it: from the gap before to the gap behind.
func lineAround(text string, start, end int) string {
	from := strings.LastIndexByte(text[:start], '\n') + 1
	to := len(text)
	if i := strings.IndexByte(text[end:], '\n'); i >= 0 {
		to = end + i
	}
	if i := strings.LastIndex(text[from:start], "  "); i >= 0 {
		from += i
	}
	if i := strings.Index(text[end:to], "  "); i >= 0 {
		to = end + i
	}
	return strings.Join(strings.Fields(text[from:to]), " ")
}

// exampleOf gives the solved document that a document is, or nearly is; "" for
// none.
func (f *Filler) exampleOf(d *document.Document) string {
	if len(f.Settings.Solved) == 0 {
		return ""
	}
	own := document.NewShingles(d.Render(f.Settings.Layout))
	for i, e := range f.Settings.Solved {
		if e.Document == d.ID || own.Likeness(f.shingles[i]) >= document.NearDuplicate {
			return e.Document
		}
	}
	return ""
}

// CheckExamples says what is wrong with names of examples.
func CheckExamples(set gold.Set, names []string) error {
	for _, id := range names {
		if set[id] == nil {
			return fmt.Errorf("%s has no gold, so it can't be a solved example; %s", id, place.Suggest(id, set.Documents()))
		}
	}
	return nil
}
