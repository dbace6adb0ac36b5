package values

import (
	"fmt"
	"math"
	"sort"

	"github.com/shopspring/decimal"

	"filler/internal/measure/score"
	"filler/internal/schema"
)

// measuresOf gives what measures the figures: one unit or currency, "" for none, or
// several in words.
func (t *Tally) measuresOf() []string {
	counts := map[string]int{}
	for i := range t.seen {
		if t.seen[i].known {
			counts[t.seen[i].measure]++
		}
	}
	words, _ := ordered(counts, &schema.Field{}, math.MaxInt)
	if len(words) == 0 {
		return []string{""}
	}
	if len(words) > 1 {
		for i, w := range words {
			words[i] = measured(w)
		}
	}
	return words
}

// figures gives sums or spreads.
func (t *Tally) figures(r *Result, kind Kind) {
	r.Kind = kind
	if m := t.measuresOf(); len(m) == 1 {
		r.Measure = m[0]
	} else {
		t.measures = m
	}
	groups, keys := t.groups(r)
	for _, k := range keys {
		row := Row{Series: k.series, Label: k.label}
		var all []float64
		sum := decimal.Zero
		for _, s := range groups[k] {
			if !s.known {
				row.Unknown++
				continue
			}
			row.N++
			sum = sum.Add(s.figure)
			all = append(all, s.figure.InexactFloat64())
		}
		switch {
		case kind == Sums:
			row.Value, row.Exact, row.Has = sum.InexactFloat64(), sum.String(), true
		case len(all) > 0:
			row.Spread, row.Has = spreadOf(all), true
			row.Value = row.Spread.Middle
		}
		if row.N+row.Unknown > 0 || t.hasOver || len(t.measures) == 0 {
			r.Rows = append(r.Rows, row)
		}
	}
}

// spreadOf gives the ends and the quartiles of figures.
func spreadOf(all []float64) *Spread {
	sort.Float64s(all)
	return &Spread{all[0], score.Quantile(all, 0.25), score.Quantile(all, 0.5), score.Quantile(all, 0.75), all[len(all)-1]}
}

// bins counts figures in bins of a round width, those of each measure by themselves.
func (t *Tally) bins(r *Result) {
	r.Kind, r.Along = Counts, t.value.path
	measures := t.measuresOf()
	several := len(measures) > 1
	if several {
		r.Apart = "unit"
	} else {
		r.Measure = measures[0]
	}
	for _, m := range measures {
		var all []float64
		for i := range t.seen {
			if s := &t.seen[i]; s.known && (!several || measured(s.measure) == m) {
				all = append(all, s.figure.InexactFloat64())
			}
		}
		series := ""
		if several {
			series = m
		}
		r.Rows = append(r.Rows, binned(all, t.value.Kin().Type == schema.Integer, series)...)
	}
	if r.Unknown > 0 {
		r.Rows = append(r.Rows, Row{Label: Unknown, Value: float64(r.Unknown), N: r.Unknown, Has: true})
	}
}

func binned(all []float64, integers bool, series string) (rows []Row) {
	if len(all) == 0 {
		return nil
	}
	sort.Float64s(all)
	width := roundWidth(all[len(all)-1]-all[0], len(all))
	if integers {
		width = math.Max(width, 1)
	}
	first := math.Floor(all[0] / width)
	for b := 0; len(all) > 0 && b < mostSteps; b++ {
		low, high := (first+float64(b))*width, (first+float64(b)+1)*width
		n := sort.Search(len(all), func(i int) bool { return all[i] >= high })
		if b == mostSteps-1 {
			n = len(all)
		}
		label := fmt.Sprintf("%s to %s", short(low), short(high))
		if integers && width == 1 {
			label = short(low)
		}
		rows = append(rows, Row{Series: series, Label: label, Value: float64(n), N: n, Has: true})
		all = all[n:]
	}
	return rows
}

func short(x float64) string { return decimal.NewFromFloat(x).Round(9).String() }

// roundWidth gives a width of 1, 2 or 5 by a power of ten: about as many bins as Sturges
// (1926) wants.
func roundWidth(spread float64, n int) float64 {
	if spread <= 0 {
		return 1
	}
	want := spread / (1 + math.Log2(float64(n)))
	ten := math.Pow(10, math.Floor(math.Log10(want)))
	for _, f := range []float64{1, 2, 5} {
		if f*ten >= want {
			return f * ten
		}
	}
	return 10 * ten
}
