package score

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/mathext"
)

// passed is what of one document may skip review: how many units, and how many of these
// are wrong.
type passed struct{ n, wrong float64 }

// passes are documents that are alike in what may skip review, with how many there are.
type passes struct {
	passed
	documents float64
}

// doubt is in how many cases a lower bound, one-sided, may be wrong; and chosenDoubt the
// same where a threshold is only chosen: stricter, since what is chosen because it did
// well does a little worse on other documents.
const (
	doubt       = 0.05
	chosenDoubt = 0.1
)

// stakes are shares of the capital that are bet on every document, with the part of the
// capital that plays each: most on the greatest, which learns fastest where errors are rare.
var stakes = []struct{ bet, part float64 }{{0.99, 0.4}, {0.75, 0.15}, {0.5, 0.15}, {0.25, 0.1}, {0.1, 0.1}, {0.03, 0.05}, {0.01, 0.05}}

// usual lets no document count for more than twice the median one: a few long ones would
// else decide alone, and nothing could be shown with few documents. all are by size.
func usual(all []passes) []passes {
	documents := 0.0
	for _, one := range all {
		if one.n > 0 {
			documents += one.documents
		}
	}
	median, seen := 0.0, 0.0
	for _, one := range all {
		if one.n > 0 {
			if seen += one.documents; seen > documents/2 {
				median = one.n
				break
			}
		}
	}
	for i, one := range all {
		if most := 2 * median; one.n > most {
			all[i].passed = passed{most, one.wrong * most / one.n}
		}
	}
	return all
}

// counted puts documents together that are alike.
func counted(all []passed) []passes {
	count := map[passed]float64{}
	for _, one := range all {
		count[one]++
	}
	return inOrderOf(count)
}

// inOrderOf gives them by size, in an order that is always the same, as much as each counts.
func inOrderOf(count map[passed]float64) (out []passes) {
	for one, times := range count {
		out = append(out, passes{one, times})
	}
	slices.SortFunc(out, func(a, b passes) int { return cmp.Or(cmp.Compare(a.n, b.n), cmp.Compare(a.wrong, b.wrong)) })
	return usual(out)
}

// largest gives the most units that pass in one document.
func largest(all []passes) (most float64) {
	for _, one := range all {
		most = max(most, one.n)
	}
	return most
}

// surely tells whether documents show that of the units that pass a share of at most q is
// wrong. Each document is a bet that it is: its stake wins what its wrong units are fewer
// than q of them, and loses what they are more. Were it not so, a capital of 1 would come to
// 1/doubt in a share of doubt of all cases at most, whatever the errors of one document have to do with each other
// (Ville 1939; Waudby-Smith and Ramdas 2023, with bets that are fixed beforehand and played
// side by side).
func surely(all []passes, q, doubt float64) bool {
	most := largest(all)
	if most == 0 {
		return false
	}
	if most == 1 { // one unit a document: they are independent, and the exact bound is known
		n, wrong := 0.0, 0.0
		for _, one := range all {
			n, wrong = n+one.documents*one.n, wrong+one.documents*one.wrong
		}
		return exactLower(n, wrong, doubt) >= 1-q
	}
	capital := 0.0
	for _, s := range stakes {
		gain := math.Log(s.part)
		for _, one := range all {
			gain += one.documents * math.Log1p(-s.bet*(one.wrong-q*one.n)/most)
		}
		capital += math.Exp(min(gain, 700))
	}
	return capital >= 1/doubt
}

// exactLower is the one-sided bound of Clopper and Pearson (1934).
func exactLower(n, wrong, doubt float64) float64 {
	if n-wrong <= 0 {
		return 0
	}
	return mathext.InvRegIncBeta(n-wrong, wrong+1, doubt)
}

// rightAtLeast gives the lower bound of the share of right units among those that pass.
func rightAtLeast(all []passes) float64 {
	low, high := 0.0, 1.0 // the share of wrong ones that is shown lies above low
	if !surely(all, high, doubt) {
		return 0
	}
	for range 40 {
		if middle := (low + high) / 2; surely(all, middle, doubt) {
			high = middle
		} else {
			low = middle
		}
	}
	return 1 - high
}

// factor gives how many times as many documents, with errors as seen, would show the
// target; 0 where none would.
func factor(all []passes, target float64) float64 {
	times := func(k float64) []passes {
		more := slices.Clone(all)
		for i := range more {
			more[i].documents *= k
		}
		return more
	}
	high := 1.0
	for ; !surely(times(high), 1-target, doubt); high *= 2 {
		if high > 1e6 {
			return 0
		}
	}
	low := high / 2
	for high/low > 1.01 {
		if middle := math.Sqrt(low * high); surely(times(middle), 1-target, doubt) {
			high = middle
		} else {
			low = middle
		}
	}
	return high
}

// resamples is how often documents are drawn for how sure the number of those needed is.
const resamples = 200

// spread gives the 10th and the 90th percentile of the factor over drawn documents; 0 for
// one that no number of them would reach.
func spreadOf(docs []passed, target float64) (low, high float64) {
	r := rand.New(rand.NewPCG(bootSeed, uint64(len(docs))))
	var got []float64
	draw := make([]passed, len(docs))
	for range resamples {
		for i := range draw {
			draw[i] = docs[r.IntN(len(docs))]
		}
		k := factor(counted(draw), target)
		if k == 0 {
			k = math.Inf(1)
		}
		got = append(got, k)
	}
	slices.Sort(got)
	low, high = got[resamples/10], got[resamples-resamples/10]
	if math.IsInf(low, 1) {
		low = 0
	}
	if math.IsInf(high, 1) {
		high = 0
	}
	return low, high
}
