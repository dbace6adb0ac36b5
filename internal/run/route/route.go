// Package route says which job of a project each document is for, the cheapest way first: by a rule
// over its name and metadata, by what it prints, or by what a model makes of it.
//
// Rules it keeps:
//
//   - The first rule that holds decides, and is named.
//   - What is printed decides only where it speaks for one job clearly more than for any other;
//     else the document is open, and asked about or left, never guessed.
//   - `other` is an answer: a document that no job is for is not filled.
package route

import (
	"math"
	"slices"
	"sort"
	"strings"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/draft/printed"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Other is the job of documents that none is for.
const Other = "other"

// Job is one that documents may be for.
type Job struct {
	Name   string
	About  string // what its documents are, in a sentence
	Schema *schema.Schema
}

// Rule sends the documents that a condition holds of to a job, or to Other.
type Rule struct {
	When *document.Condition
	Job  string
}

// How a document was routed.
const (
	ByRule    = "rule"
	ByPrinted = "printed"
	ByModel   = "model"
	Open      = "" // nobody has decided
)

// Route is what became of one document.
type Route struct {
	Document string
	Job      string // "" where it is open
	By       string
	Rule     int     // of ByRule, from 1
	Sure     float64 // of ByPrinted, how far it leads before the next, from 0 to 1
	Next     string  // of ByPrinted and Open, the job that comes next
	Words    []string
	Problem  string // it could not be read
}

// Router routes documents.
type Router struct {
	jobs  []Job
	rules []Rule
	words map[string][]spoken
	size  []float64 // of each job's vocabulary
}

// spoken is a job that a word speaks for, and how much.
type spoken struct {
	job    int
	weight float64
}

// weights of words by where a schema has them.
const (
	ofLabel  = 3.0
	ofOption = 1.5
	ofName   = 2.0 // of the schema, of lists and groups
	ofAbout  = 0.5
	ofSums   = 1.0  // words of sums, which any bill has
	ofFilled = 0.35 // a value that stands behind the field's own label, or in its column
)

// New makes a router.
func New(jobs []Job, rules []Rule) *Router {
	r := &Router{jobs: jobs, rules: rules, words: map[string][]spoken{}, size: make([]float64, len(jobs))}
	vocabularies := make([]map[string]float64, len(jobs))
	has := map[string]int{}
	for i := range jobs {
		vocabularies[i] = vocabulary(&jobs[i])
		for w := range vocabularies[i] {
			has[w]++
		}
	}
	for i, v := range vocabularies {
		for w, weight := range v {
			rare := math.Log(1 + float64(len(jobs))/float64(has[w]))
			if has[w] == len(jobs) && len(jobs) > 1 {
				continue // it tells nothing
			}
			r.words[w] = append(r.words[w], spoken{i, weight * rare})
			r.size[i] += weight * weight * rare * rare
		}
		r.size[i] = math.Sqrt(r.size[i])
	}
	return r
}

func vocabulary(j *Job) map[string]float64 {
	v := map[string]float64{}
	put := func(text string, weight float64) {
		for _, w := range wordsIn(text) {
			switch {
			case ofAnyBill(w):
				v[w] = max(v[w], min(weight, ofSums))
			case len(w) > 1 && !lang.Frequent.Has(w) || weight == ofLabel && len(w) > 2:
				v[w] = max(v[w], weight)
			}
		}
	}
	put(schema.Spoken(strings.ReplaceAll(j.Schema.Name, "-", " ")), ofName)
	put(j.Name, ofName)
	put(j.About, ofName)
	put(j.Schema.About, ofAbout)
	j.Schema.Root.Walk(func(f *schema.Field, _ int) {
		weight := ofLabel
		if !f.IsLeaf() {
			weight = ofName
		}
		put(schema.Spoken(f.Name), weight)
		for _, l := range f.PrintedAs {
			put(l, weight)
		}
		put(f.About, ofAbout)
		if f.List != nil {
			return
		}
		for _, o := range f.Kin().Of {
			put(o.Value, ofOption)
			for _, a := range o.Also {
				put(a, ofOption)
			}
		}
	})
	return v
}

// ofAnyBill tells whether a word is of sums and what is taken off them: no bill goes without.
func ofAnyBill(word string) bool { return lang.Sum.Has(word) || lang.Deduction.Has(word) }

// wordsIn gives the words of a text as they are compared: in small letters, in the singular.
func wordsIn(text string) (words []string) {
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsMark(r) }) {
		if !lang.Frequent.Has(w) { // "was" is no plural
			w = lang.Singular(w)
		}
		words = append(words, w)
	}
	return words
}

// Least is how much has to be printed, Lead how far the first job has to lead before the second, and
// fewest how many of its words and values have to stand there, for what is printed to decide.
const (
	Least  = 0.10
	Lead   = 0.20
	fewest = 2
)

// ByRules gives the route that the rules give, if one holds.
func (r *Router) ByRules(s document.Source) (Route, bool, error) {
	facts := Facts(s)
	for i, rule := range r.rules {
		holds, known, err := rule.When.Holds(facts)
		if err != nil {
			return Route{}, false, err
		}
		if holds && known {
			return Route{Document: s.ID, Job: rule.Job, By: ByRule, Rule: i + 1}, true, nil
		}
	}
	return Route{}, false, nil
}

// Facts gives what rules speak of: the metadata of a document, and its name and path.
func Facts(s document.Source) document.Metadata {
	facts := document.Metadata{"path": s.ID, "name": s.ID[strings.LastIndexByte(s.ID, '/')+1:]}
	for name, v := range s.Metadata {
		facts[name] = v
	}
	return facts
}

// withoutCourtesy gives a text without the lines that close a letter: the kind of "kind regards" is none.
func withoutCourtesy(text string) string {
	var b strings.Builder
	for line := range strings.Lines(text) {
		if !lang.Courtesy.Has(strings.Trim(line, " \t\r\n.,!")) {
			b.WriteString(line)
		}
	}
	return b.String()
}

// Score gives how much of what a text prints speaks for each job.
func (r *Router) Score(text string) []float64 {
	hit := make([]float64, len(r.jobs))
	seen := map[string]bool{}
	labels := labelWords(text)
	for _, w := range wordsIn(text) {
		if seen[w] {
			continue
		}
		seen[w] = true
		if lang.Frequent.Has(w) && !labels[w] {
			continue // "from" counts as a label alone
		}
		for _, s := range r.words[w] {
			weight := s.weight * s.weight
			if labels[w] { // it stands where labels stand
				weight *= 2
			}
			hit[s.job] += weight
		}
	}
	for i := range hit {
		if r.size[i] > 0 {
			hit[i] = math.Sqrt(hit[i]) / math.Pow(r.size[i], 0.7)
		}
		hit[i] += ofFilled * math.Sqrt(float64(min(r.filled(i, text), 12)))
	}
	return hit
}

// filled counts the values that a text prints beyond doubt for a job.
func (r *Router) filled(job int, text string) (n int) {
	rec := printed.Sure(r.jobs[job].Schema, text)
	rec.Scan(func(v *value.Value) bool {
		if v.Kind != value.Object && v.Kind != value.Array && !v.Empty() {
			n++
		}
		return true
	})
	return n
}

// labelWords gives the words that stand before a colon, in the first column, or in a line of few words.
func labelWords(text string) map[string]bool {
	labels := map[string]bool{}
	for line := range strings.Lines(text) {
		head, _, colon := strings.Cut(line, ":")
		if !colon || len(head) > 40 {
			if head, _, colon = strings.Cut(strings.TrimSpace(line), "  "); !colon && len(strings.Fields(head)) > 4 {
				continue
			}
		}
		if name := strings.TrimSpace(head); lang.MailFrom.Has(name) || lang.MailSubject.Has(name) {
			continue // of any message
		}
		for _, w := range wordsIn(head) {
			labels[w] = true
		}
	}
	return labels
}

// ByText gives the route by what a text prints; an open one where that is not clear.
func (r *Router) ByText(id, text string) Route {
	text = withoutCourtesy(text)
	out := Route{Document: id}
	scores := r.Score(text)
	order := make([]int, len(scores))
	for i := range order {
		order[i] = i
	}
	sort.SliceStable(order, func(a, b int) bool { return scores[order[a]] > scores[order[b]] })
	if len(order) == 0 {
		return out
	}
	first, second := scores[order[0]], 0.0
	if len(order) > 1 {
		second = scores[order[1]]
		out.Next = r.jobs[order[1]].Name
	}
	if first == 0 {
		out.Next = ""
		return out
	}
	out.Sure = (first - second) / first
	if first < Least || out.Sure < Lead || r.hits(order[0], text)+r.filled(order[0], text) < fewest {
		out.Next = r.jobs[order[0]].Name
		return out
	}
	out.Job, out.By, out.Words = r.jobs[order[0]].Name, ByPrinted, r.telling(order[0], text)
	return out
}

// hits counts the words of a job that a text has, but for those that other papers have, too.
func (r *Router) hits(job int, text string) (n int) {
	seen := map[string]bool{}
	for _, w := range wordsIn(text) {
		if !seen[w] && !ofAnyBill(w) && !lang.Frequent.Has(w) && slices.ContainsFunc(r.words[w], func(s spoken) bool { return s.job == job }) {
			n++
		}
		seen[w] = true
	}
	return n
}

// telling gives the words of a text that speak most for a job.
func (r *Router) telling(job int, text string) []string {
	type told struct {
		word   string
		weight float64
	}
	var all []told
	seen := map[string]bool{}
	for _, w := range wordsIn(text) {
		if seen[w] {
			continue
		}
		seen[w] = true
		for _, s := range r.words[w] {
			if s.job == job && len(r.words[w]) == 1 {
				all = append(all, told{w, s.weight})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b told) int {
		switch {
		case a.weight > b.weight:
			return -1
		case a.weight < b.weight:
			return 1
		}
		return strings.Compare(a.word, b.word)
	})
	var words []string
	for _, t := range all[:min(4, len(all))] {
		words = append(words, t.word)
	}
	return words
}
