package score

import (
	"sort"
	"strconv"

	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

// Field is the outcome of one field over all documents.
type Field struct {
	Path   string
	Weight float64 // 1 unless the schema says otherwise
	Counts
	Interval Interval // of its F1, where Options.Intervals asked for it
}

func weightOf(f *schema.Field) float64 {
	w, err := strconv.ParseFloat(f.Weight, 64)
	if err != nil {
		return 1
	}
	return w
}

// List is how the items of one list came out.
type List struct {
	Path string
	Items
}

// LeftOut is a document that does not count, and why.
type LeftOut struct{ Document, Why string }

// Report is the score of a set of records.
type Report struct {
	Run          int64
	Documents    int // counted
	LeftOut      []LeftOut
	Overall      Counts
	Fields       []Field // leaves, in schema order
	Lists        []List
	Edges        []Edges // of lists with `edge`
	RecordsRight int
	RecordsOf    int
	Review       Review
	F1           Interval // of the F1 over all leaves
	FewErr       bool     // so few documents hold the errors that the interval may be too narrow
	Slices       []Slice
	Confusions   []Confusion
	Evident      Evident
	TooLong      int       // lists too long for the best pairing
	Drafted      int       // counted documents whose gold the same model drafted
	Untouched    int       // counted documents whose gold is as a model drafted it
	Misfits      int       // values that have no place in the schema
	Invented     int       // counted documents that are made up, with gold that nobody reviewed
	Unseen       Unseen    // values of gold that reviewers accepted with others
	ByPeople     int       // values about which people decided in production, in no figure
	Reread       int       // counted documents whose text is read differently since review
	Split        string    // of the gold that was counted; "" is all
	Spent        *Spending // nil where it is not known
	Sampled      *Sampled  // where gold was drawn by a plan; else nil
}

// Spending is what a run cost.
type Spending struct{ CostNano int64 }

// PerRight gives the cost of one right leaf, in billionths.
func (r *Report) PerRight() (nano float64, ok bool) {
	if r.Spent == nil || r.Overall.Right == 0 {
		return 0, false
	}
	return float64(r.Spent.CostNano) / float64(r.Overall.Right), true
}

// Options say what else a score should tell.
type Options struct {
	Split     string                     // of the gold set; "" is all
	Slice     func(l record.Line) string // nil: no slices
	Confusion []string                   // paths of choice fields
	Places    bool                       // whether values stand where gold's do
	Straight  bool                       // Straight will be asked for
	Between   bool                       // Between will be asked for
	Intervals bool                       // each field has an interval
	Model     string                     // that filled the records, for the footnote on drafts
	Frozen    *gold.Frozen               // whose documents alone count; nil: all
	Counted   func(g *gold.Record)       // hears of each record that counts, one after another; may be nil
	Made      bool                       // made-up documents count beside those that people reviewed
}

// Slice is the score of the documents that share a value of their metadata.
type Slice struct {
	Name      string
	Documents int
	Counts
	F1Interval Interval
	tallies    Tallies
}

// Costliest gives the field with the most errors; false where there are none.
func (r *Report) Costliest() (most Field, ok bool) {
	for _, f := range r.Fields {
		if f.Errors() > most.Errors() {
			most, ok = f, true
		}
	}
	return most, ok
}

// Field gives the outcome of a field, or nil.
func (r *Report) Field(path string) *Field {
	for i := range r.Fields {
		if r.Fields[i].Path == path {
			return &r.Fields[i]
		}
	}
	return nil
}

// Macro gives the means of the fields' precision, recall and F1.
func (r *Report) Macro() (precision, recall, f1 Ratio) {
	var p, q, f []Ratio
	for i := range r.Fields {
		of := r.ratiosAt(i)
		p, q, f = append(p, of.Precision()), append(q, of.Recall()), append(f, of.F1())
	}
	return Mean(p), Mean(q), Mean(f)
}

// Weighted gives F1 with every outcome counted by the weight of its field, and
// whether any field has a weight of its own.
func (r *Report) Weighted() (f1 Ratio, any bool) {
	over, under := 0.0, 0.0
	for i, f := range r.Fields {
		var s Sums
		if s.add(f.Counts, 1); r.Sampled != nil {
			s = r.Sampled.Fields[i]
		}
		any = any || f.Weight != 1
		over += f.Weight * 2 * s.Right
		under += f.Weight * (2*s.Right + 2*s.Wrong + s.Extra + s.Missed)
	}
	if under == 0 {
		return Ratio{}, any
	}
	return Ratio{over / under, true}, any
}

// WorstFirst gives the fields with the lowest F1 first, those without one
// last.
func (r *Report) WorstFirst() []Field {
	fields := append([]Field(nil), r.Fields...)
	sort.SliceStable(fields, func(i, j int) bool {
		a, b := fields[i].F1(), fields[j].F1()
		if a.Exists != b.Exists {
			return a.Exists
		}
		return a.Exists && a.Value < b.Value
	})
	return fields
}
