package evidence

import (
	"strconv"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// The two ends of a range in each other's fields: 400 as low and 150 as high of "150 – 400". The
// fields say by a word of their names which end each is of.

// endsOfRanges takes their places from two values of a group that stand as the ends of one range,
// the other way round than their fields are called. What has an order has to break that, too: a
// document may print a range from its upper end.
func (w *weigher) endsOfRanges() {
	groups := map[value.Pointer][]*leaf{}
	for _, l := range w.leaves {
		if endOf(l.f) != noEnd {
			groups[l.path.Parent()] = append(groups[l.path.Parent()], l)
		}
	}
	for _, group := range groups {
		for _, first := range group {
			for _, last := range group {
				if endOf(first.f) == firstEnd && endOf(last.f) == lastEnd && first.f.Kin().Type == last.f.Kin().Type && restOf(first.f) == restOf(last.f) {
					w.turned(first, last)
				}
			}
		}
	}
}

func (w *weigher) turned(first, last *leaf) {
	low, high := w.places[first.path], w.places[last.path]
	if first.fixed != nil || last.fixed != nil || !low.Found() || !high.Found() || low.Basis || high.Basis || high.End > low.Start || !after(first, last) {
		return
	}
	isDay := first.f.Kin().Type == schema.Date || first.f.Kin().Type == schema.DateTime // the text has them in order, and time goes on
	if near := w.ix.LineOf(high.Start) == w.ix.LineOf(low.End-1) && joinsEnds(w.ix.Source[high.End:low.Start]); !near && (!isDay || low.Start-high.End > mostBetweenDays || low.Rivals+high.Rivals > 0) {
		return
	}
	before := strings.Fields(folded(w.ix.Source[w.ix.LineSpan(w.ix.LineOf(high.Start)).Start:high.Start]))
	for _, word := range before { // max–min: 400–150
		if lang.RangeLast.Has(word) {
			return
		}
	}
	said := w.ix.Source[high.Start:low.End]
	w.places[first.path] = Place{Kind: first.lacking, Range: said}
	w.places[last.path] = Place{Kind: last.lacking, Range: said}
}

// mostBetweenDays is how far from the first day of a stretch of time the last one stands, in bytes.
const mostBetweenDays = 200

// beginsRange tells whether a figure is the first end of a range whose last has the unit: 30–60 cm.
func (w *weigher) beginsRange(f *schema.Field, s span, measure string) bool {
	line := w.ix.LineSpan(w.ix.LineOf(s.Start))
	_, at := w.ix.NumbersIn(between(s.End, min(line.End, s.End+mostRange)))
	return len(at) > 0 && joinsEnds(w.ix.Source[s.End:at[0].Start]) && w.ix.Beside(f, at[0], measure) != at[0]
}

// mostRange is how far from the first figure of a range the second is, in bytes.
const mostRange = 24

// joinsEnds tells whether what stands between two values makes them the ends of a range: a stroke
// or a word for "until", and units at most.
func joinsEnds(gap string) bool {
	joins := false
	for _, word := range strings.Fields(strings.ToLower(gap)) {
		word = strings.Trim(word, ".,()")
		switch {
		case word == "-", word == "–", word == "—", word == "…", word == "→", word == "->", lang.Until.Has(word):
			joins = true
		case word == "", lang.Oclock.Has(word), reading.UnitOf(word) != "":
		default:
			return false
		}
	}
	return joins || strings.Trim(gap, "-–—…") == "" && gap != ""
}

// after tells whether the value of the first end comes after that of the last, where such values
// have an order. Times have none: a shift may end in the morning.
func after(first, last *leaf) bool {
	a, err := value.Parse(first.value)
	b, berr := value.Parse(last.value)
	if err != nil || berr != nil {
		return false
	}
	switch first.f.Kin().Type {
	case schema.Integer, schema.Number:
		return asFloat(a.Text) > asFloat(b.Text)
	case schema.Money, schema.Quantity:
		name, _ := first.f.Measure()
		x, y := a.Get("amount"), b.Get("amount")
		u, v := a.Get(name), b.Get(name)
		return x != nil && y != nil && (u == nil || v == nil || u.Text == v.Text) && asFloat(x.Text) > asFloat(y.Text)
	case schema.Date, schema.DateTime:
		return a.Text > b.Text
	case schema.Time, schema.Text:
		return a.Text != b.Text
	}
	return false
}

func asFloat(text string) float64 {
	n, _ := strconv.ParseFloat(text, 64)
	return n
}

// An end of a range that a field's name says it is.
const (
	noEnd = iota
	firstEnd
	lastEnd
)

func endOf(f *schema.Field) int {
	first, last := false, false
	for _, word := range strings.Fields(folded(schema.Spoken(f.Name))) {
		first, last = first || lang.RangeFirst.Has(word), last || lang.RangeLast.Has(word)
	}
	switch {
	case first == last:
		return noEnd
	case first:
		return firstEnd
	}
	return lastEnd
}

// restOf gives the words of a field's name but for the one that says which end it is.
func restOf(f *schema.Field) string {
	var rest []string
	for _, word := range strings.Fields(folded(schema.Spoken(f.Name))) {
		if !lang.RangeFirst.Has(word) && !lang.RangeLast.Has(word) {
			rest = append(rest, word)
		}
	}
	return strings.Join(rest, " ")
}
