package score

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"filler/internal/base/needs"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

const manySchema = `
schema: many
fields:
  report_no: {text: Number., pattern: '^FB-\d{6}$'}
  bridge: Name.
  visited: {date: Day.}
  closed: {boolean: Closed.}
  inspector: {group: Who., fields: {name: "Name.", licence: "Licence."}}
  bays:
    list: Bays.
    fields:
      number: {integer: Number.}
      length: {quantity: Length., unit: m}
      deck: {choice: Deck., of: [timber, steel, stone, grating]}
      note: Remark.
      defects:
        list: Defects.
        fields: {kind: {choice: Kind., of: [rot, rust, scour, crack]}, grade: {integer: Grade.}, side: {choice: Side., of: [near, far]}}
`

// many writes n records as gold and as filled: nested, about 38 leaves and 800
// bytes each, with errors in some of them and items in another order.
func many(t testing.TB, dir string, n int) (goldFile, filledFile string) {
	return manyOf(t, dir, n, func(i int) int {
		if i%3 == 0 {
			return 3
		}
		return 0
	})
}

// manyOf is many with the chance, in percent, that a value of the ith record is in error.
func manyOf(t testing.TB, dir string, n int, errors func(i int) int) (goldFile, filledFile string) {
	names := []string{"Heron Plank", "Rushy Ford", "Nine Alders", "Pipit Gill", "Old Weir Bridge", "Upper Ossel Bridge"}
	decks, kinds := []string{"timber", "steel", "stone", "grating"}, []string{"rot", "rust", "scour", "crack"}
	write := func(name string, filled bool) string {
		file := filepath.Join(dir, name)
		f, err := os.Create(file)
		require.NoError(t, err)
		defer f.Close()
		w := bufio.NewWriter(f)
		for i := range n {
			r := rand.New(rand.NewPCG(uint64(i), 1))
			e := rand.New(rand.NewPCG(uint64(i), 2))
			bad := func() bool { return filled && e.IntN(100) < errors(i) }
			text := func(s string) string {
				if bad() {
					return s + "x"
				}
				return s
			}
			var bays []string
			for b := range 4 {
				var defects []string
				for d := range 2 {
					grade := r.IntN(4)
					if bad() {
						grade = (grade + 1) % 4
					}
					defects = append(defects, fmt.Sprintf(`{"kind":"%s","grade":%d,"side":"%s"}`, kinds[(r.IntN(2)+d)%4], grade, []string{"near", "far"}[d]))
				}
				bays = append(bays, fmt.Sprintf(`{"number":%d,"length":{"amount":%d.%d,"unit":"m"},"deck":"%s","note":"%s","defects":[%s]}`, b+1, 4+r.IntN(12), r.IntN(10), decks[r.IntN(4)], text("the boards were lifted and sound in bay "+fmt.Sprint(b+1)), strings.Join(defects, ",")))
			}
			if filled && i%5 == 0 {
				bays[0], bays[1] = bays[1], bays[0]
			}
			fmt.Fprintf(w, `{"document":"documents/%06d.txt","record":{"report_no":"FB-%06d","bridge":"%s","visited":"2031-%02d-%02d","closed":%t,"inspector":{"name":"%s","licence":"QL-%03d"},"bays":[%s]}}`+"\n",
				i, i, text(names[r.IntN(6)]), 1+r.IntN(12), 1+r.IntN(28), r.IntN(2) == 0, text("Sefa Thornby"), r.IntN(999), strings.Join(bays, ","))
		}
		require.NoError(t, w.Flush())
		return file
	}
	return write("gold.jsonl", false), write("filled.jsonl", true)
}

func manyFields(t testing.TB) *schema.Schema {
	s, err := schema.Parse("s.yaml", []byte(manySchema))
	require.NoError(t, err)
	return s
}

// BenchmarkMany scores 60,000 records, and reads both files without scoring.
func BenchmarkMany(b *testing.B) {
	const n = 60000
	s := manyFields(b)
	g, d := many(b, b.TempDir(), n)
	for range b.N {
		began := time.Now()
		lines := 0
		for _, file := range []string{g, d} {
			require.NoError(b, record.ReadLines(file, nil, func(int, record.Line, error) error { lines++; return nil }))
		}
		read := time.Since(began)
		runtime.GC()
		began = time.Now()
		set, err := gold.Open(g, s)
		require.NoError(b, err)
		loaded := time.Since(began)
		sc := New(s, set)
		require.NoError(b, sc.AddFile(d))
		r := sc.Report()
		took := time.Since(began)
		require.Equal(b, n, r.Documents)
		b.ReportMetric(float64(r.Overall.Right+r.Overall.Wrong+r.Overall.Missed+r.Overall.Extra), "leaves")
		b.ReportMetric(read.Seconds(), "read-s")
		b.ReportMetric(loaded.Seconds(), "gold-s")
		b.ReportMetric(took.Seconds(), "score-s")
		b.ReportMetric(took.Seconds()/read.Seconds(), "of-reading")
		began = time.Now()
		c := NewComparer(s, set, "", 2)
		require.NoError(b, c.AddFile(0, g))
		require.NoError(b, c.AddFile(1, d))
		got := c.Compare()
		require.Equal(b, r.Overall.Right, got.B.Right)
		b.ReportMetric(time.Since(began).Seconds()/took.Seconds(), "compare-of-score")
		began = time.Now()
		finder := &Finder{Schema: s, Gold: set}
		missed := 0
		require.NoError(b, finder.AddFile(d, func(f Found) error {
			missed += len(f.Errors)
			return nil
		}))
		require.Equal(b, r.Overall.Wrong+r.Overall.Missed+r.Overall.Extra, missed)
		b.ReportMetric(time.Since(began).Seconds()/took.Seconds(), "errors-of-score")
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		b.ReportMetric(float64(m.Sys)/(1<<20), "MB")
	}
}

// BenchmarkManyDiffer scores records of which one in ten is as in gold, in wall-clock and
// in processor time.
func BenchmarkManyDiffer(b *testing.B) {
	for _, n := range []int{60000, 600000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			s := manyFields(b)
			g, d := manyOf(b, b.TempDir(), n, func(i int) int {
				if i%10 == 0 {
					return 0
				}
				return 25
			})
			for b.Loop() {
				began, busy := time.Now(), needs.ProcessorTime()
				for _, file := range []string{g, d} {
					require.NoError(b, record.ReadLines(file, nil, func(int, record.Line, error) error { return nil }))
				}
				read, readBusy := time.Since(began), needs.ProcessorTime()-busy
				runtime.GC()
				began, busy = time.Now(), needs.ProcessorTime()
				set, err := gold.Open(g, s)
				require.NoError(b, err)
				sc := New(s, set)
				require.NoError(b, sc.AddFile(d))
				r := sc.Report()
				took, tookBusy := time.Since(began), needs.ProcessorTime()-busy
				require.Equal(b, n, r.Documents)
				b.ReportMetric(float64(r.RecordsRight)/float64(n), "equal")
				b.ReportMetric(read.Seconds(), "read-s")
				b.ReportMetric(took.Seconds(), "score-s")
				b.ReportMetric(took.Seconds()/read.Seconds(), "of-reading")
				b.ReportMetric(tookBusy.Seconds()/readBusy.Seconds(), "of-reading-busy")
			}
		})
	}
}

// BenchmarkMemory tells what scoring holds for each document beyond the first
// 20,000, gold and all that is known of them.
func BenchmarkMemory(b *testing.B) {
	s := manyFields(b)
	held := func(n int) float64 {
		g, d := many(b, b.TempDir(), n)
		before := liveBytes()
		shelf, err := gold.Open(g, s)
		require.NoError(b, err)
		sc := New(s, shelf)
		require.NoError(b, sc.AddFile(d))
		after := liveBytes()
		r := sc.Report()
		require.Equal(b, n, r.Documents)
		return after - before
	}
	for range b.N {
		few, lots := held(20000), held(80000)
		b.ReportMetric((lots-few)/60000, "bytes/document")
	}
}

func liveBytes() float64 {
	var m runtime.MemStats
	for range 3 { // what pools keep goes with the second
		runtime.GC()
	}
	runtime.ReadMemStats(&m)
	return float64(m.HeapAlloc)
}
