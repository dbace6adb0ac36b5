package fill

import (
	"math/rand/v2"
	"sort"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// judgedValue is a value of a record with its risk, and whether it is wrong.
type judgedValue struct {
	risk  float64
	wrong bool
}

// TestRiskOrders has the values of the trial, of both readers, in order of their
// risk, and prints the share that is wrong in each tenth beside the mean risk
// there. Nothing was fitted to them: wells and props were written when the weights
// stood. The riskiest fifth holds seven in ten of what is wrong.
func TestRiskOrders(t *testing.T) {
	for _, names := range [][]string{{"clocks", "trees"}, {"wells", "props"}} {
		var all []judgedValue
		for _, name := range names {
			s, docs := trial(t, name)
			for id, d := range docs {
				for _, reply := range []string{d.careful, d.small} {
					line, _ := fillOne(t, trialSetup(t, s, reply, new(int)), writeDoc(t, id, d.text))
					gold, err := value.Parse(strings.TrimSpace(d.gold))
					require.NoError(t, err)
					eachLeaf(s.Root, "", &line.Record, func(f *schema.Field, p value.Pointer, v *value.Value) {
						risk := line.Risk.Get(string(p))
						if risk == nil {
							return
						}
						n, err := strconv.ParseFloat(risk.Text, 64)
						require.NoError(t, err)
						want := gold.At(p)
						wrong := want.Empty() != v.Empty() || want != nil && !v.Empty() && !pair.Right(f, want, v)
						all = append(all, judgedValue{n, wrong})
					})
				}
			}
		}
		rand.New(rand.NewPCG(1, 2)).Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		sort.SliceStable(all, func(i, j int) bool { return all[i].risk < all[j].risk })
		total, top := 0, 0
		for i, j := range all {
			if j.wrong {
				total++
				if i >= len(all)*4/5 {
					top++
				}
			}
		}
		for k := range 10 {
			part := all[len(all)*k/10 : len(all)*(k+1)/10]
			wrong, risk := 0, 0.0
			for _, j := range part {
				risk += j.risk
				if j.wrong {
					wrong++
				}
			}
			t.Logf("%v, tenth %2d: risk %.3f, %2d of %d wrong (%.3f)", names, k+1, risk/float64(len(part)), wrong, len(part), float64(wrong)/float64(len(part)))
		}
		t.Logf("%v: %d of %d wrong values in the riskiest fifth of %d", names, top, total, len(all))
		assert.GreaterOrEqual(t, top*10, total*7)
	}
}
