package nightly

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// Whatever a pile goes through, each night takes just what it has to: every document of the pile is
// taken, or is as it was when it was filled last; none is taken for nothing.
func TestPickTakesWhatItMust(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 8))
	for range 300 {
		now := map[string]string{} // what the files say
		s := &Seen{by: map[string]seen{}}
		for night := range 6 {
			for range r.IntN(5) {
				id := fmt.Sprintf("%02d.txt", r.IntN(12))
				switch r.IntN(4) {
				case 0:
					delete(now, id)
				case 1:
					if other := fmt.Sprintf("%02d.txt", r.IntN(12)); now[id] != "" && now[other] == "" {
						now[other] = now[id]
						delete(now, id)
					}
				default:
					now[id] = fmt.Sprintf("says %d", r.IntN(1000))
				}
			}
			var sources []document.Source
			for i := range 12 {
				if id := fmt.Sprintf("%02d.txt", i); now[id] != "" {
					sources = append(sources, document.Source{ID: id, File: id})
				}
			}
			hash := func(src document.Source) (string, error) {
				if r.IntN(40) == 0 {
					return "", errors.New("can't be read")
				}
				return now[src.ID], nil
			}
			want := Wanted{Unfilled: r.IntN(5) > 0, Changed: r.IntN(5) > 0}
			p := s.Pick(sources, want, hash)
			assert.Len(t, sources, p.New+p.Again+p.Changed+p.Left+p.Same)
			for _, src := range p.Sources {
				was, known := s.by[src.ID]
				assert.True(t, !known && want.Unfilled || was.failed && want.Unfilled || known && was.file != now[src.ID] && want.Changed, "%s for nothing", src.ID)
			}
			if want.Unfilled && want.Changed {
				for _, src := range sources {
					if was, known := s.by[src.ID]; !known || was.failed {
						assert.True(t, slices.ContainsFunc(p.Sources, func(o document.Source) bool { return o.ID == src.ID }), "%s was passed over", src.ID)
					}
				}
			}
			for id := range s.by {
				assert.Equal(t, now[id] == "", slices.Contains(p.Gone, id))
			}
			for _, src := range p.Sources {
				s.by[src.ID] = seen{run: int64(night), file: now[src.ID], failed: r.IntN(6) == 0}
			}
		}
	}
}

// Where nothing has changed but chance, at most one night in a hundred names the model; a model that
// has lost twenty points of a hundred is named in nearly all.
func TestRecheckAlarms(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields: {a: A., b: B., c: C., d: D., e: E., f: F.}\n"))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(4, 2))
	filled := func(right float64) value.Value {
		v := value.Obj()
		for _, name := range []string{"a", "b", "c", "d", "e", "f"} {
			text := "right"
			if r.Float64() > right {
				text = "wrong"
			}
			v.Set(name, value.Str(text))
		}
		return v
	}
	const nights = 600
	for _, n := range []int{FewestRechecked, 20} {
		set := gold.Set{}
		for i := range n {
			v := filled(1)
			set[fmt.Sprint(i)] = &gold.Record{Document: fmt.Sprint(i), State: gold.Reviewed, Record: v}
		}
		for _, c := range []struct {
			now         float64
			least, most int
		}{{0.9, 0, nights / 100}, {0.7, nights * 7 / 10, nights}} {
			if n == FewestRechecked && c.now < 0.9 {
				c.least = nights / 40 // so few documents show little
			}
			alarms := 0
			for range nights {
				cmp := score.NewComparer(s, set.Shelf(), "", 2)
				for i := range n {
					require.NoError(t, cmp.To(0)(record.Line{Document: fmt.Sprint(i), Record: filled(0.9)}))
					require.NoError(t, cmp.To(1)(record.Line{Document: fmt.Sprint(i), Record: filled(c.now)}))
				}
				got := cmp.Compare()
				one := Recheck{Was: got.A.F1(), Now: got.B.F1(), P: got.P}
				if one.Worse() || one.Better() {
					alarms++
				}
			}
			t.Logf("%d documents, right %.1f then, %.1f now: %d of %d nights", n, 0.9, c.now, alarms, nights)
			assert.GreaterOrEqual(t, alarms, c.least)
			assert.LessOrEqual(t, alarms, c.most)
		}
	}
}

// Runs go by all rules that are for them; the newest, those at work and the approved stay.
func TestTooOld(t *testing.T) {
	now := time.Date(2031, 6, 1, 0, 0, 0, 0, time.UTC)
	day := func(n int) time.Time { return now.AddDate(0, 0, -n) }
	runs := []store.Run{{ID: 9, Began: day(100)}, {ID: 8, Name: "march", Began: day(100)}, {ID: 7, Began: day(100), State: store.Going}, {ID: 6, Began: day(100)}, {ID: 5, Began: day(120)}, {ID: 4, Name: "old", Began: day(500)}, {ID: 3, Began: day(10)}}
	for _, c := range []struct {
		rules []project.Keep
		old   []int64
		kept  int
	}{
		{[]project.Keep{{Runs: "all", For: 90 * 24 * time.Hour}}, []int64{8, 5, 4}, 3},
		{[]project.Keep{{Runs: "unnamed", For: 90 * 24 * time.Hour}, {Runs: "named"}}, []int64{5}, 3},
		{[]project.Keep{{Runs: "named", For: 200 * 24 * time.Hour}}, []int64{4}, 0},
		{[]project.Keep{{Runs: "all", For: 90 * 24 * time.Hour, Last: 5}}, []int64{4}, 0},
		{[]project.Keep{{Runs: "all"}}, nil, 0},
	} {
		old, kept := TooOld(runs, c.rules, []int64{6}, now)
		assert.Equal(t, c.old, old, "%v", c.rules)
		assert.Equal(t, c.kept, kept, "%v", c.rules)
	}
}
