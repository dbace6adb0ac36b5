package values

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"filler/internal/measure/score"
	"filler/internal/schema"
)

// Kind is what a result is made of.
type Kind string

// The kinds.
const (
	Counts  Kind = "counts"  // how often each value comes
	Shares  Kind = "shares"  // of all that are known, with intervals
	Sums    Kind = "sums"    // of figures
	Spreads Kind = "spreads" // of figures: quartiles and ends
	Table   Kind = "table"   // how often two values come together
)

// Result is what the values come to.
type Result struct {
	Kind      Kind
	Field     string // what is told of, in words
	Measure   string // of figures: their unit or currency, where all have one
	Along     string // what the rows are: values, steps of time, slices
	InTime    bool   // they are steps of time
	Apart     string // what series are, where there are several
	Rows      []Row
	Columns   []string // of a table
	Cells     [][]int  // of a table: a row of counts for each of Rows
	Values    int      // known ones
	Unknown   int
	Documents int
	Notes     []string
}

// Row is one value, step of time or slice.
type Row struct {
	Series    string // of several; "" of one
	Label     string
	N         int     // known values
	Unknown   int     // values that are not known
	Value     float64 // a count, share or sum; nothing where Has is false
	Exact     string  // a sum, as a decimal
	Has       bool
	Low, High float64 // of a share, where Bounded
	Bounded   bool
	Spread    *Spread
}

// Spread is how figures lie.
type Spread struct{ Least, Lower, Middle, Upper, Most float64 }

// The most that is shown apart; what is beyond is counted together and told.
const (
	mostWords  = 24
	mostSeries = 8
	mostSteps  = 400
)

// others stands for the values that are not shown apart.
const others = "(others)"

// Result gives what was asked for.
func (t *Tally) Result() (*Result, error) {
	r := &Result{Field: t.value.path, Documents: t.Documents}
	for i := range t.seen {
		if t.seen[i].known {
			r.Values++
		} else {
			r.Unknown++
		}
	}
	t.notes(r)
	var err error
	switch isFigure := numeric(t.value.Field); {
	case t.with != nil:
		t.table(r, func(s *seen) string { return s.word }, func(s *seen) string { return s.with }, t.with.Field)
		r.Along, r.Apart = t.value.path, t.with.path
	case isFigure && t.ask.Sum:
		t.figures(r, Sums)
	case isFigure && (t.hasOver || t.hasSlice):
		t.figures(r, Spreads)
	case isFigure:
		t.bins(r)
	case t.value.Type == schema.Boolean && (t.hasOver || t.hasSlice):
		err = t.shares(r)
	case t.hasOver && t.hasSlice:
		err = fmt.Errorf("%s is no yes or no and no figure: its values can be set apart by --over or by --slice, not by both", t.value.path)
	case t.hasOver:
		err = t.mix(r)
	case t.hasSlice:
		t.table(r, func(s *seen) string { return s.slice }, func(s *seen) string { return s.word }, t.value.Field)
		r.Along, r.Apart = t.sliceName(), t.value.path
	default:
		t.counts(r)
	}
	return r, err
}

func (t *Tally) sliceName() string {
	switch {
	case t.ask.Metadata != "":
		return t.ask.Metadata
	case t.entries && t.ask.Slice == "":
		return "name"
	}
	return t.ask.Slice
}

func (t *Tally) notes(r *Result) {
	say := func(n int, one, many string) {
		if n == 1 {
			r.Notes = append(r.Notes, "1 "+one)
		} else if n > 1 {
			r.Notes = append(r.Notes, fmt.Sprintf("%d %s", n, many))
		}
	}
	say(t.Failed, "document has no record", "documents have no record")
	say(t.Vague, "date says less than the "+t.unit, "dates say less than the "+t.unit)
	say(t.Misfits, "value is not what its field holds, and counts as unknown", "values are not what their field holds, and count as unknown")
}

// ordered gives words as the schema lists them, then the others by how often they come;
// the unknown last. Beyond so many they are one.
func ordered(counts map[string]int, f *schema.Field, most int) (words []string, as map[string]string) {
	rank := map[string]int{}
	for i, o := range f.Of {
		rank[o.Value] = i - len(f.Of)
	}
	for w := range counts {
		if w != Unknown {
			words = append(words, w)
		}
	}
	sort.Slice(words, func(i, j int) bool {
		a, b := words[i], words[j]
		switch {
		case rank[a] != rank[b]:
			return rank[a] < rank[b]
		case f.Type == schema.Date || f.Type == schema.DateTime:
			return a < b
		case counts[a] != counts[b]:
			return counts[a] > counts[b]
		}
		return a < b
	})
	as = map[string]string{Unknown: Unknown}
	if len(words) > most {
		for _, w := range words[most-1:] {
			as[w] = others
		}
		words = append(slices.Clone(words[:most-1]), others)
	}
	for _, w := range words {
		as[w] = w
	}
	if counts[Unknown] > 0 {
		words = append(words, Unknown)
	}
	return words, as
}

func tallied(all []seen, of func(*seen) string) map[string]int {
	counts := map[string]int{}
	for i := range all {
		counts[of(&all[i])]++
	}
	return counts
}

// counts counts each value; those of dates by step of time.
func (t *Tally) counts(r *Result) {
	r.Kind, r.Along = Counts, t.value.path
	word := func(s *seen) string { return s.word }
	counts := tallied(t.seen, word)
	if t.value.Type == schema.Date || t.value.Type == schema.DateTime {
		t.byTime(r, counts)
		return
	}
	words, as := ordered(counts, t.value.Field, mostWords)
	at := map[string]int{}
	for i, w := range words {
		at[w] = i
		r.Rows = append(r.Rows, Row{Label: w, Has: true})
	}
	for w, n := range counts {
		r.Rows[at[as[w]]].Value += float64(n)
	}
	for i := range r.Rows {
		r.Rows[i].N = int(r.Rows[i].Value)
	}
	if n := len(counts) - len(words); as[others] != "" && n > 0 {
		r.Notes = append(r.Notes, fmt.Sprintf("%s are %d different values", others, n+1))
	}
}

// byTime counts dates by month, or by year where there are many.
func (t *Tally) byTime(r *Result, counts map[string]int) {
	for _, unit := range []string{"month", "year"} {
		steps := map[string]int{}
		for w, n := range counts {
			if w == Unknown {
				steps[w] += n
				continue
			}
			v := valueOf(w)
			step, _ := stepOf(&v, unit)
			steps[step] += n
		}
		labels := filled(steps, unit)
		if len(labels) > 60 && unit == "month" {
			continue
		}
		r.Along, r.InTime = unit+" of "+t.value.path, true
		r.Rows = nil
		for _, l := range labels {
			r.Rows = append(r.Rows, Row{Label: l, Value: float64(steps[l]), N: steps[l], Has: true})
		}
		return
	}
}

// filled gives steps of time in order, with those between where nothing is; the unknown
// last.
func filled[V any](steps map[string]V, unit string) (labels []string) {
	for l := range steps {
		if l != Unknown {
			labels = append(labels, l)
		}
	}
	sort.Strings(labels)
	if len(labels) > 1 {
		first, ok := startOf(labels[0], unit)
		last, ok2 := startOf(labels[len(labels)-1], unit)
		var all []string
		for day := first; ok && ok2 && !day.After(last) && len(all) <= mostSteps; day = after(day, unit) {
			all = append(all, stepAt(day, unit))
		}
		if len(all) > 0 && len(all) <= mostSteps {
			labels = all
		}
	}
	if _, has := steps[Unknown]; has {
		labels = append(labels, Unknown)
	}
	return labels
}

// table counts which two values come together.
func (t *Tally) table(r *Result, row, column func(*seen) string, columns *schema.Field) {
	r.Kind = Table
	of := t.value.Field
	if t.with == nil {
		of = &schema.Field{}
		if t.slice != nil {
			of = t.slice.Field
		}
	}
	if numeric(t.value.Field) { // set beside another its figures are words
		row = func(s *seen) string {
			if !s.known {
				return Unknown
			}
			return s.figure.String()
		}
	}
	rows, asRow := ordered(tallied(t.seen, row), of, mostWords)
	cols, asColumn := ordered(tallied(t.seen, column), columns, mostWords)
	r.Columns = cols
	atRow, atColumn := map[string]int{}, map[string]int{}
	for i, w := range rows {
		atRow[w] = i
		r.Rows = append(r.Rows, Row{Label: w})
		r.Cells = append(r.Cells, make([]int, len(cols)))
	}
	for i, w := range cols {
		atColumn[w] = i
	}
	for i := range t.seen {
		a, b := atRow[asRow[row(&t.seen[i])]], atColumn[asColumn[column(&t.seen[i])]]
		r.Cells[a][b]++
		r.Rows[a].N++
	}
}

// shares gives the share of yes by step of time or slice.
func (t *Tally) shares(r *Result) error {
	r.Kind, r.Field = Shares, t.value.path
	groups, keys := t.groups(r)
	for _, k := range keys {
		row := Row{Series: k.series, Label: k.label}
		var is []bool
		var docs []int
		for _, s := range groups[k] {
			if !s.known {
				row.Unknown++
				continue
			}
			is, docs = append(is, s.word == "true"), append(docs, s.doc)
		}
		row.share(is, docs)
		r.Rows = append(r.Rows, row)
	}
	return nil
}

func (row *Row) share(is []bool, docs []int) {
	if row.N = len(is); row.N == 0 {
		return
	}
	yes := 0
	for _, b := range is {
		if b {
			yes++
		}
	}
	i := score.Share(is, docs)
	row.Value, row.Has, row.Low, row.High, row.Bounded = float64(yes)/float64(row.N), true, i.Low, i.High, i.Exists
}

// mix gives the share of each value in each step of time.
func (t *Tally) mix(r *Result) error {
	r.Kind = Shares
	r.Along, r.Apart, r.InTime = t.unit+" of "+t.over.path, t.value.path, true
	words, as := ordered(tallied(t.seen, func(s *seen) string { return s.word }), t.value.Field, mostSeries)
	steps := map[string][]*seen{}
	for i := range t.seen {
		steps[t.seen[i].when] = append(steps[t.seen[i].when], &t.seen[i])
	}
	for _, w := range words {
		if w == Unknown {
			continue
		}
		for _, step := range filled(steps, t.unit) {
			row := Row{Series: w, Label: step}
			var is []bool
			var docs []int
			for _, s := range steps[step] {
				if !s.known {
					row.Unknown++
					continue
				}
				is, docs = append(is, as[s.word] == w), append(docs, s.doc)
			}
			row.share(is, docs)
			r.Rows = append(r.Rows, row)
		}
	}
	return nil
}

// key is a step of time, or a slice, of a series.
type key struct{ series, label string }

// groups gives what is observed by series and row, in order.
func (t *Tally) groups(r *Result) (map[key][]*seen, []key) {
	var words []string
	as := map[string]string{"": ""}
	if t.hasSlice {
		f := &schema.Field{}
		if t.slice != nil {
			f = t.slice.Field
		}
		most := mostWords
		if t.hasOver {
			most = mostSeries
		}
		words, as = ordered(tallied(t.seen, func(s *seen) string { return s.slice }), f, most)
	}
	groups := map[key][]*seen{}
	steps := map[string]bool{}
	for i := range t.seen {
		s := &t.seen[i]
		k := key{label: as[s.slice]}
		switch {
		case t.hasOver && t.hasSlice:
			k = key{as[s.slice], s.when}
		case t.hasOver:
			k = key{"", s.when}
		case !t.hasSlice:
			k = key{label: "all"}
		}
		steps[s.when] = true
		groups[k] = append(groups[k], s)
	}
	var keys []key
	switch {
	case t.hasOver:
		r.Along, r.InTime = t.unit+" of "+t.over.path, true
		series := []string{""}
		if t.hasSlice {
			series, r.Apart = words, t.sliceName()
		}
		labels := filled(steps, t.unit)
		for _, s := range series {
			for _, l := range labels {
				keys = append(keys, key{s, l})
			}
		}
	case t.hasSlice:
		r.Along = t.sliceName()
		for _, w := range words {
			keys = append(keys, key{label: w})
		}
	default:
		keys = append(keys, key{label: "all"})
	}
	return t.byMeasure(r, groups, keys)
}

// byMeasure sets apart what is measured in several units or currencies.
func (t *Tally) byMeasure(r *Result, groups map[key][]*seen, keys []key) (map[key][]*seen, []key) {
	if len(t.measures) == 0 {
		return groups, keys
	}
	r.Apart = strings.TrimPrefix(r.Apart+", unit", ", ")
	r.Notes = append(r.Notes, "figures that are measured otherwise stand beside each other, and can't be compared")
	if t.value.Kin().Type == schema.Money {
		r.Apart = strings.TrimSuffix(r.Apart, "unit") + "currency"
	}
	apart := map[key][]*seen{}
	var all []key
	for i, m := range t.measures {
		for _, k := range keys {
			own := key{strings.TrimPrefix(k.series+", "+m, ", "), k.label}
			all = append(all, own)
			for _, s := range groups[k] {
				if s.known && measured(s.measure) == m || !s.known && i == 0 {
					apart[own] = append(apart[own], s)
				}
			}
		}
	}
	return apart, all
}

// measured names what a figure is measured in.
func measured(measure string) string {
	if measure == "" {
		return "no unit"
	}
	return measure
}
