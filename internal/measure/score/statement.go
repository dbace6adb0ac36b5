package score

import (
	"fmt"
	"sort"
	"strings"

	"filler/internal/measure/gold"
	"filler/internal/record"
)

// Statement is what a person can sign: a score with all that it rests on.
type Statement struct {
	Report   *Report
	On       string // the day
	Program  string
	Records  [][2]string // what was measured: names and values
	Gold     string      // the folder or file
	Mark     string      // of the gold that counted
	Schema   string
	Hash     string // of the schema
	Frozen   *gold.Frozen
	Split    bool           // gold is split
	Reviewed map[string]int // counted documents by reviewer; "" for none named
	Second   *Agreement     // of two reviewers on documents that both have; nil where there is no second
	Looks    []gold.Look
}

// Hear notes a counted record for a statement.
func (t *Statement) Hear(g *gold.Record, mark *gold.Mark) {
	t.Reviewed[strings.Clone(g.Reviewer)]++
	own := *g
	own.Document, own.Record = strings.Clone(g.Document), g.Record.Detach()
	own.Hashes = record.Hashes{Text: strings.Clone(g.Hashes.Text)}
	mark.Add(&own)
}

// Markdown writes the statement.
func (t *Statement) Markdown() string {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	r := t.Report
	line("# Field accuracy: a statement\n")
	line("On %s, by Filler %s. %s.\n", t.On, t.Program, t.headline())
	line("## What was measured\n")
	for _, m := range t.Records {
		line("- %s: %s", m[0], m[1])
	}
	line("- schema to measure by: %s, sha256 %s", t.Schema, t.Hash)
	line("\n## What it was measured against\n")
	line("- gold: %s, %s counted, sha256 of these %s", t.Gold, documents(r.Documents), t.Mark)
	t.sampled(line)
	t.reviewers(line)
	t.cautions(line)
	line("\n## How often it was looked at\n")
	t.looked(line)
	line("\n## The figures\n")
	t.figures(&b)
	line("\n## Left out\n")
	t.leftOut(line)
	line("\n## How to read this\n")
	line("Every figure is defined in Filler's docs/scoring.md. Counts are of values (leaves). 95 %% intervals are by document and say")
	line("what may be expected of other documents like these, chosen as these were; they say nothing of documents of another kind.")
	line("Whoever has the gold and the records can compute the figures again: `filler score`.\n")
	line("Signed: ______________________________   Day: ______________")
	return b.String()
}

func (t *Statement) headline() string {
	r := t.Report
	f := r.RatiosOf("").F1()
	if !f.Exists {
		return "Nothing could be measured"
	}
	bounds := ""
	if i := r.Bounds(); i.Exists {
		bounds = fmt.Sprintf(" (95 %% interval %.3f to %.3f)", i.Low, i.High)
	}
	return fmt.Sprintf("F1 over all values is %.3f%s on %s with %d values of gold", f.Value, bounds, documents(r.Documents), r.Overall.Right+r.Overall.Wrong+r.Overall.Missed)
}

func documents(n int) string {
	if n == 1 {
		return "1 document"
	}
	return fmt.Sprintf("%d documents", n)
}

func (t *Statement) sampled(line func(string, ...any)) {
	if f := t.Frozen; f != nil {
		line("- frozen set: %s of %s, %s, sha256 %s", f.Name, f.On, documents(len(f.Members)), f.Mark())
		if f.Hash != t.Hash {
			line("- the schema was another one when the set was frozen (%s, sha256 %s)", f.Schema, f.Hash)
		}
	} else {
		line("- not a frozen set: the gold can be changed (`filler gold freeze`)")
	}
	how := "not stated (`filler gold freeze NAME --sampled TEXT` keeps it)"
	if t.Frozen != nil && t.Frozen.How != "" {
		how = t.Frozen.How
	}
	line("- how its documents were chosen: %s", how)
	if s := t.Report.Sampled; s != nil {
		line("- %s were drawn at random within strata (`filler gold plan`); with the others they stand for %.0f, and the ratios below are weighted so", documents(s.Documents), s.StandFor)
	}
	switch {
	case t.Report.Split != "":
		line("- counted: the %s split", t.Report.Split)
	case t.Split:
		line("- counted: both splits; what was chosen on the tune split flatters the figures of these documents")
	default:
		line("- gold is not split: prompts, schema and thresholds may have been chosen on these very documents")
	}
}

func (t *Statement) reviewers(line func(string, ...any)) {
	var names []string
	for name := range t.Reviewed {
		names = append(names, name)
	}
	sort.Strings(names)
	var parts []string
	for _, name := range names {
		shown := name
		if shown == "" {
			shown = "nobody named"
		}
		parts = append(parts, fmt.Sprintf("%s (%s)", shown, documents(t.Reviewed[name])))
	}
	line("- reviewed by: %s", strings.Join(parts, ", "))
	switch s := t.Second; {
	case s == nil || s.Documents == 0:
		line("- no document was reviewed by a second person independently: how far people agree is not known")
	default:
		kappas := ""
		for _, f := range s.Fields {
			if f.HasKappa {
				kappas += fmt.Sprintf("; kappa of %s %.2f", f.Path, f.Kappa)
			}
		}
		line("- reviewed twice: %s; the two agree on %d of %d values%s; %d values stand in items that only one has", documents(s.Documents), s.Same, s.Same+s.Differ, kappas, s.Lone)
	}
}

// cautions are what makes the figures say less.
func (t *Statement) cautions(line func(string, ...any)) {
	r := t.Report
	for _, c := range []struct {
		n    int
		says string
	}{
		{r.Misfits, "values have no place in the schema; they are in no figure of a field, and no record with one is fully correct"},
		{r.Drafted, "documents have gold that the same model drafted, which flatters it"},
		{r.Untouched, "documents have gold that is as a model drafted it, with no value changed"},
		{r.Invented, "documents are made up, with gold that nobody reviewed"},
		{r.Unseen.Counted, "values were accepted with others, and nobody looked at them"},
		{r.Reread, "documents are read differently now than when they were reviewed"},
		{r.ByPeople, "values were decided by people in production and are in no figure"},
		{r.TooLong, "lists were paired on candidates, being too long for a table of all similarities"},
	} {
		if c.n > 0 {
			line("- %d %s", c.n, c.says)
		}
	}
	if r.FewErr {
		line("- fewer than %d documents hold all errors: the intervals may be too narrow", few)
	}
}

func (t *Statement) looked(line func(string, ...any)) {
	what := "this gold"
	if t.Split {
		what = "this test split"
	}
	if len(t.Looks) == 0 {
		line("No score against %s is known in this project's folder but this one.", what)
		return
	}
	times, sets := fmt.Sprintf("%d times", len(t.Looks)), "different runs or files of records"
	if len(t.Looks) == 1 {
		times = "once"
	}
	records := map[string]bool{}
	for _, l := range t.Looks {
		records[l.Records] = true
	}
	if len(records) == 1 {
		sets = "run or file of records"
	}
	line("As far as this project's folder knows, %s was looked at %s before, since %s, with %d %s.", what, times, t.Looks[0].On[:min(10, len(t.Looks[0].On))], len(records), sets)
	line("The more often one looks and changes something, the more the figures flatter.")
}

func (t *Statement) figures(b *strings.Builder) {
	r := t.Report
	row := func(cells ...string) { fmt.Fprintf(b, "| %s |\n", strings.Join(cells, " | ")) }
	row("field", "right", "wrong", "missed", "extra", "precision", "recall", "F1", "95 % of F1")
	row("---", "---:", "---:", "---:", "---:", "---:", "---:", "---:", "---")
	of := func(name string, c Counts, of Ratios, i Interval) {
		row(name, fmt.Sprint(c.Right), fmt.Sprint(c.Wrong), fmt.Sprint(c.Missed), fmt.Sprint(c.Extra), of.Precision().text(), of.Recall().text(), of.F1().text(), i.text())
	}
	for i, f := range r.Fields {
		if r.Sampled != nil {
			f.Interval = Interval{} // it is that of the counts
		}
		of("`"+f.Path+"`", f.Counts, r.ratiosAt(i), f.Interval)
	}
	of("all values", r.Overall, r.RatiosOf(""), r.Bounds())
	if r.RecordsOf > 0 {
		n, right := float64(r.RecordsOf), float64(r.RecordsRight)
		fmt.Fprintf(b, "\nFully correct records: %d of %d, %.3f (95 %% interval %.3f to %.3f, Clopper and Pearson).\n", r.RecordsRight, r.RecordsOf, right/n, exactLower(n, n-right, 0.025), 1-exactLower(n, right, 0.025))
	}
}

func (r Ratio) text() string {
	if !r.Exists {
		return "–"
	}
	return fmt.Sprintf("%.3f", r.Value)
}

func (i Interval) text() string {
	if !i.Exists {
		return "–"
	}
	return fmt.Sprintf("%.3f to %.3f", i.Low, i.High)
}

func (t *Statement) leftOut(line func(string, ...any)) {
	if len(t.Report.LeftOut) == 0 {
		line("No document.")
	}
	by := map[string][]string{}
	var whys []string
	for _, l := range t.Report.LeftOut {
		if by[l.Why] == nil {
			whys = append(whys, l.Why)
		}
		by[l.Why] = append(by[l.Why], l.Document)
	}
	for _, why := range whys {
		line("- %s: %s: %s", why, documents(len(by[why])), strings.Join(by[why], ", "))
	}
}
