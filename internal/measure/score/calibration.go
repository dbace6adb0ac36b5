package score

import (
	"sort"

	"gonum.org/v1/gonum/mathext"
)

// Band is the values whose risk lies between two bounds: what was foretold of them, and
// what came.
type Band struct {
	From, To float64 // To is in the last band only
	Values   int
	Errors   int
	Foretold float64  // the mean of their risks
	Came     Interval // of the share in error
}

// bounds part risks into bands: narrow where most values are and thresholds are set.
var bounds = []float64{0, 0.02, 0.05, 0.1, 0.2, 0.4, 1}

// Calibration sets the risks of values beside the share of them that was in error, band
// by band; Options.Straight has to be set. Bands without values are left out. Intervals
// are those of Clopper and Pearson (1934), with the number of values divided by the
// design effect, since the values of one document err together.
func (sc *Scorer) Calibration() (bands []Band) {
	all := append([]unit(nil), sc.straight.leaves...)
	sort.SliceStable(all, func(i, j int) bool { return all[i].risk < all[j].risk })
	for i, from := range bounds[:len(bounds)-1] {
		last := i == len(bounds)-2
		b := Band{From: from, To: bounds[i+1]}
		var mine []unit
		for len(all) > 0 && (last || all[0].risk < b.To) {
			mine, all = append(mine, all[0]), all[1:]
		}
		if b.Values = len(mine); b.Values == 0 {
			continue
		}
		for _, u := range mine {
			b.Foretold += u.risk / float64(len(mine))
			if !u.ok {
				b.Errors++
			}
		}
		b.Came = shareInterval(b.Errors, b.Values, designEffect(mine))
		bands = append(bands, b)
	}
	return bands
}

// Share gives the 95 % interval of the share of units that are so, each of one of some
// documents: units of one document go together.
func Share(is []bool, document []int) Interval {
	units := make([]unit, len(is))
	k := 0
	for i := range is {
		units[i] = unit{ok: is[i], doc: document[i]}
		if is[i] {
			k++
		}
	}
	return shareInterval(k, len(is), designEffect(units))
}

// shareInterval gives the 95 % interval of a share, of units that err together.
func shareInterval(k, n int, effect float64) Interval {
	some, none := float64(k)/effect, float64(n-k)/effect
	out := Interval{High: 1, Exists: n > 0}
	if k > 0 {
		out.Low = mathext.InvRegIncBeta(some, none+1, 0.025)
	}
	if k < n {
		out.High = mathext.InvRegIncBeta(some+1, none, 0.975)
	}
	return out
}
