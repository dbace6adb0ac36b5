package fill

import (
	"cmp"
	"maps"
	"slices"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/schema"
)

// enoughInVain is how many requests in a row may leave all problems of a kind that
// they name. A model that gets nowhere with the prices of six rows gets nowhere
// with those of the hundred that follow, and each would cost a request.
const enoughInVain = 6

// problemKind is what problems have in common that one answer after another meets.
type problemKind struct {
	field string // path in the schema; "": the record
	code  record.Code
}

func (k problemKind) compare(o problemKind) int {
	return cmp.Or(cmp.Compare(k.field, o.field), cmp.Compare(k.code, o.code))
}

// inVain counts, for each kind of problem, the requests in a row that left all
// problems of it.
type inVain map[problemKind]int

func kindOf(s *schema.Schema, p *record.Problem) problemKind {
	k := problemKind{code: p.Code()}
	if f := s.At(p.Path); f != nil {
		k.field = f.Path
	}
	return k
}

// all tells whether no problem is of a kind that is still asked about.
func (v inVain) all(s *schema.Schema, problems []record.Problem) bool {
	for i := range problems {
		if v[kindOf(s, &problems[i])] < enoughInVain {
			return false
		}
	}
	return true
}

// noteEnded counts what a request has left of the problems that it named, and notes
// the kinds of which it was the last.
func (w *filling) noteEnded(vain inVain, asked []record.Problem) {
	type same struct {
		at   value.Pointer
		code record.Code
	}
	left, all := map[same]bool{}, map[problemKind]int{}
	for i := range w.problems {
		p := &w.problems[i]
		left[same{p.Path, p.Code()}] = true
		all[kindOf(w.Schema, p)]++
	}
	gone := map[problemKind]bool{}
	for i := range asked {
		p := &asked[i]
		k := kindOf(w.Schema, p)
		gone[k] = gone[k] || !left[same{p.Path, p.Code()}]
	}
	for _, k := range slices.SortedFunc(maps.Keys(gone), problemKind.compare) {
		if gone[k] {
			delete(vain, k)
			continue
		}
		if vain[k]++; vain[k] == enoughInVain && all[k] > 1 {
			w.trace.add(&trace.AskingEnded{Field: k.field, Code: k.code, Requests: enoughInVain, Left: all[k]})
		}
	}
}
