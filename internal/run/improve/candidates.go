package improve

import (
	"context"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"sort"
	"strings"

	"filler/internal/base/place"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/measure/suggest"
	"filler/internal/record"
	"filler/internal/schema"
)

// beyond is why a change is not tried where more could be.
const beyond = "beyond those that are tried at once"

// candidates gives what is to be tried, what may help most first. Those beyond what the gold
// can tell apart are not tried.
func (r *Race) candidates(ctx context.Context) ([]Candidate, error) {
	all := r.suggested(r.tune)
	if r.More != nil {
		more, err := r.More(ctx, r)
		if err != nil {
			return nil, err
		}
		all = append(all, more...)
		bestFirst(all)
	}
	most := r.Most
	for most > 0 && needed(most+1) > len(r.tune) {
		most--
	}
	seen, cover := map[string]bool{}, record.NewCover(r.Schema)
	kept := all[:0]
	open := 0
	for _, c := range all {
		if seen[key(c.Edit)] {
			continue
		}
		seen[key(c.Edit)] = true
		var err error
		if c.schema, err = r.Schema.Edited(c.Edit); err != nil {
			c.State, c.Note = Refused, oneLine(err)
		} else if r.Schema.IsSensitive(c.Field) && c.HoldsValues() {
			c.State, c.Note, c.Write = Refused, "it would put values of a sensitive field into the schema", record.Hidden
		} else if words := r.quoted.quotes(c.Write); words != "" {
			c.State, c.Note = Refused, fmt.Sprintf("it quotes a test document (%q)", words)
		} else if open++; open > most {
			c.State, c.Note = Untried, fmt.Sprintf("%d documents tell no more than %d apart", len(r.tune), most)
			if most == r.Most {
				c.Note = beyond
			}
		}
		for k := range c.Lines {
			c.Lines[k].Text = cover.Words(c.Lines[k].Text)
		}
		kept = append(kept, c)
	}
	r.tried = min(open, most) + 1 // and those too small alone, together
	return kept, nil
}

func oneLine(err error) string { return strings.Join(strings.Fields(err.Error()), " ") }

// suggested gives the changes that some documents suggest: what turns errors right without a
// model first.
func (r *Race) suggested(ids []string) (all []Candidate) {
	collector, fixer := suggest.New(r.Schema), score.NewFixer(r.Schema)
	errors := map[string]int{}
	for _, id := range ids {
		f := r.found[id]
		g := *f.Gold
		g.Split = ""
		collector.Add(suggest.Case{Gold: &g, Filled: f.Filled, Errors: f.Errors, Doc: r.docs[id]})
		fixer.Add(id, &g, f.Filled, f.Errors)
		for i := range f.Errors {
			errors[f.Errors[i].Field.Path]++
		}
	}
	for _, f := range fixer.Try().Chosen {
		if len(f.Edit.Key) > 0 {
			all = append(all, Candidate{Edit: f.Edit, Why: fmt.Sprintf("turns %d values right without a model", f.Fixed), Errors: errors[f.Field]})
		}
	}
	for _, s := range collector.Suggest() {
		if s.Errors == 0 { // gold asks for it, and nothing is in error: no figure can show it
			continue
		}
		c := Candidate{Edit: s.Edit, Errors: s.Errors, Quotes: s.Quotes, Why: s.Reason(), against: len(s.Against)}
		for _, w := range s.For {
			c.Lines = append(c.Lines, Line{w.Document, w.Line, w.Text})
		}
		all = append(all, c)
	}
	all = oneLabel(all)
	bestFirst(all)
	return all
}

// oneLabel makes one change of the labels of a field that nothing speaks against: they help or
// they don't, each on its own documents, and together that is shown sooner.
func oneLabel(all []Candidate) (out []Candidate) {
	for _, c := range all {
		i := slices.IndexFunc(out, func(o Candidate) bool { return o.Field == c.Field && o.Key[0] == "printed_as" })
		if c.Key[0] != "printed_as" || i < 0 || c.against+out[i].against > 0 {
			out = append(out, c)
			continue
		}
		out[i].Write = joined(out[i].Write, c.Write)
		out[i].Lines = append(out[i].Lines, c.Lines...)
		out[i].Why = fmt.Sprintf("stand before gold's value on %d lines", len(out[i].Lines))
	}
	return out
}

// bestFirst sorts changes by the errors that they may put right; examples, which only show what
// goes wrong, come after those that say why.
func bestFirst(all []Candidate) {
	sort.SliceStable(all, func(i, j int) bool {
		if a, b := isExample(all[i].Edit), isExample(all[j].Edit); a != b {
			return b
		}
		return all[i].Errors > all[j].Errors
	})
}

func isExample(e schema.Edit) bool { return e.Key[len(e.Key)-1] == "examples" }

// sampleSize is how many documents a change is tried on first, sampleErring how many of them at
// most have an error that it speaks of, and smallGold up to how many all are filled at once.
const (
	sampleSize   = 8
	sampleErring = 6
	smallGold    = 12
)

// sampleFor picks documents for a change: most of them with an error in its field, on a page
// that speaks for it, the others by chance, since it may break what was right.
func (r *Race) sampleFor(c *Candidate) []string {
	if len(r.tune) <= smallGold || r.unsplit() { // cross-fitting needs every change on every document
		return nil
	}
	var erring, others []string
	for _, id := range r.shuffled(c.Field + c.String()) {
		if slices.Contains(c.Quotes, id) {
			continue
		}
		if len(erring) < sampleErring && r.speaksOf(c, id) {
			erring = append(erring, id)
		} else {
			others = append(others, id)
		}
	}
	picked := append(erring, others[:min(len(others), sampleSize-len(erring))]...)
	slices.Sort(picked)
	return picked
}

// shuffled gives the tune documents in an order of chance, the same for the same words.
func (r *Race) shuffled(by string) (ids []string) {
	for _, at := range rand.New(rand.NewPCG(r.Seed, hash(by))).Perm(len(r.tune)) {
		ids = append(ids, r.tune[at])
	}
	return ids
}

// speaksOf tells whether a document has an error that a change is to put right.
func (r *Race) speaksOf(c *Candidate, id string) bool {
	if len(c.Lines) > 0 && !slices.ContainsFunc(c.Lines, func(l Line) bool { return l.Document == id }) {
		return false
	}
	return slices.ContainsFunc(r.found[id].Errors, func(e score.LeafError) bool { return e.Field.Path == c.Field })
}

func hash(text string) uint64 {
	h := fnv.New64a()
	h.Write([]byte(text))
	return h.Sum64()
}

// merged gives changes that go together: lists of one key are joined; of others the first of
// a key counts.
func merged(edits []schema.Edit) (out []schema.Edit) {
	for _, e := range edits {
		i := slices.IndexFunc(out, func(o schema.Edit) bool { return o.Field == e.Field && slices.Equal(o.Key, e.Key) })
		switch {
		case i < 0:
			out = append(out, e)
		case strings.HasPrefix(e.Write, "[") && strings.HasPrefix(out[i].Write, "["):
			out[i].Write = joined(out[i].Write, e.Write)
			if e.Remark != "" {
				out[i].Remark += "; " + e.Remark
			}
		}
	}
	return out
}

// joined joins two YAML lists.
func joined(a, b string) string {
	_, root := place.Load("", []byte("a: "+a+"\nb: "+b+"\n"))
	if root == nil {
		return a
	}
	if slices.ContainsFunc(root.Get("a").Items(), (*place.Node).IsMap) { // examples
		return strings.TrimSuffix(a, "]") + ", " + strings.TrimPrefix(b, "[")
	}
	texts := root.Get("a").Texts()
	for _, t := range root.Get("b").Texts() {
		if !slices.Contains(texts, t) {
			texts = append(texts, t)
		}
	}
	return schema.QuoteList(texts)
}

// unsplit tells whether gold has no test split.
func (r *Race) unsplit() bool {
	return len(r.test) == 0 && !slices.ContainsFunc(r.tune, func(id string) bool { return r.found[id].Gold.Split == gold.Tune })
}
