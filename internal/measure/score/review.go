package score

import (
	"sort"
	"strconv"

	"filler/internal/base/value"
)

// Review says what the order by risk is worth to a reviewer: how many of the
// errors stand in the riskiest fifth of the leaves.
type Review struct {
	Leaves    int // those of counted records that have a risk, nulls included
	Errors    int
	Top       int     // a fifth of them
	TopErrors float64 // of the errors, in the riskiest fifth; ties share
}

// NeverFilled gives how many errors have no risk, since no record has a place
// for them: the leaves of items that were never filled, and of failed documents.
func (r *Report) NeverFilled() int { return r.Overall.Errors() - r.Review.Errors }

// risky is a leaf with its risk.
type risky struct {
	risk float64
	err  bool // wrong, missed or extra
}

// reviewed adds a leaf that has a risk.
func (sc *Scorer) reviewed(l Leaf, risks map[value.Pointer]float64) {
	if risk, ok := riskAt(risks, &l); ok && l.FilledPath != "" {
		sc.risky = append(sc.risky, risky{risk, l.Outcome != Right && l.Outcome != Blank})
	}
}

// riskAt gives the risk of a leaf; of an entry of a map that of the map, where no more is known.
func riskAt(risks map[value.Pointer]float64, l *Leaf) (float64, bool) {
	if risk, ok := risks[l.FilledPath]; ok {
		return risk, true
	}
	risk, ok := risks[l.Own(l.FilledPath)]
	return risk, ok
}

func risksOf(v *value.Value) map[value.Pointer]float64 {
	if len(v.Kids) == 0 {
		return nil
	}
	risks := make(map[value.Pointer]float64, len(v.Kids))
	for i := range v.Kids {
		if r, err := strconv.ParseFloat(v.Kids[i].Text, 64); err == nil {
			risks[value.Pointer(v.Kids[i].Name)] = r
		}
	}
	return risks
}

// review computes the Review. Leaves of equal risk have no order: those at the
// edge of the fifth count in proportion.
func review(leaves []risky) Review {
	r := Review{Leaves: len(leaves), Top: (len(leaves) + 4) / 5}
	sorted := append([]risky(nil), leaves...)
	sort.Slice(sorted, func(i, j int) bool { return sorted[i].risk > sorted[j].risk })
	for at := 0; at < len(sorted); {
		end, errs := at, 0
		for end < len(sorted) && sorted[end].risk == sorted[at].risk {
			if sorted[end].err {
				errs++
			}
			end++
		}
		r.Errors += errs
		if inside := min(end, r.Top) - at; inside > 0 {
			r.TopErrors += float64(errs) * float64(inside) / float64(end-at)
		}
		at = end
	}
	return r
}
