package review

import (
	"math/rand/v2"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/store/sqlite"
)

// Whatever another filling gives: values that people have looked at stand as they
// decided, all else is the filling's; and once it stands it changes nothing more.
func TestWhatPeopleDecidedStands(t *testing.T) {
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 11))
		sh := sheet(t)
		for range 12 {
			random(sh, sh.Points()[r.IntN(len(sh.Points()))], r)
		}
		d := &Decided{Record: sh.Record, Made: sh.Made, Places: sh.Places.JSON(&sh.Record)}
		d.By, d.At, d.Run = "M. Harrow", time.UnixMilli(1_900_000_000_000), 3
		other := sheet(t)
		for range 8 {
			random(other, other.Points()[r.IntN(len(other.Points()))], r)
		}
		o := d.Over(sh.Schema, &other.Record)
		want := 0
		for key, v := range sh.Made {
			if seen(v) && sh.Schema.At(value.Pointer(key)) != nil && isValue(sh.Schema.At(value.Pointer(key))) {
				want++
			}
		}
		require.Len(t, o.Paths, want, "each value that was looked at is there: %s over %s is %s", sh.Record, other.Record, o.Record)
		again := d.Over(sh.Schema, &o.Record)
		require.Empty(t, again.Changes.Kids, "%s over %s is %s", sh.Record, other.Record, o.Record)
		require.True(t, value.Equal(&o.Record, &again.Record), "%s and %s", o.Record, again.Record)
		d.Done = true
		whole := d.Over(sh.Schema, &other.Record)
		require.Equal(t, Shown(sh.Record.Get("rows")), Shown(whole.Record.Get("rows")), "all is decided: theirs is the whole record")
	}
}

// What is decided about a run's record is kept in the store, by whom and when; another
// reviewer's decisions meanwhile are not written over.
func TestRunsAreReviewed(t *testing.T) {
	l, err := sqlite.Open(filepath.Join(t.TempDir(), "ledger.db"))
	require.NoError(t, err)
	defer l.Close()
	first := sheet(t)
	desk := func(who string, run int64) *Desk {
		k := NewRun(Run{Schema: first.Schema, Check: first.check, Reviewer: who, ID: run, Store: l, Line: func(string) (*record.Line, error) {
			return &record.Line{Document: "sheet.txt", Record: sheet(t).Record, Hashes: record.Hashes{Text: first.Source.Hash}, Status: record.Flagged}, nil
		}}, []string{"sheet.txt"})
		d, err := NewDesk(first.Schema, first.check, k, open(t, t.TempDir(), Order{}).read, Order{})
		require.NoError(t, err)
		require.NoError(t, d.Begin())
		return d
	}
	a, b := desk("M. Harrow", 1), desk("T. Brill", 1)
	require.NoError(t, a.Do(func(sh *Sheet) error { return sh.Type(at("/picked"), "9 April 2031") }))
	var other *Meanwhile
	require.ErrorAs(t, accept(b), &other)
	later := desk("T. Brill", 2)
	assert.Equal(t, "2031-04-09", later.Sheet().Record.At("/picked").Text, "the next run has it")
	assert.Equal(t, Changed, later.Sheet().Verdict(at("/picked")))
	for {
		p, ok := later.Point()
		require.True(t, ok)
		require.NoError(t, later.Do(func(sh *Sheet) error { sh.Accept(p); return nil }))
		if later.Sheet().Signed {
			break
		}
		require.NoError(t, later.Forward(true))
	}
	d, err := DecidedOf(l, first.Schema, "sheet.txt", first.Source.Hash)
	require.NoError(t, err)
	assert.Equal(t, []any{true, "T. Brill", int64(2)}, []any{d.Done, d.By, d.Run})
	line := &record.Line{Record: sheet(t).Record, Status: record.Flagged, Problems: []record.Problem{{Path: "/picked", What: record.Nowhere{}}}}
	d.Over(first.Schema, &line.Record).Into(line, d)
	assert.Equal(t, record.Repaired, line.Status)
	assert.Empty(t, line.Problems)
	require.Len(t, line.History.Kids, 1)
	assert.Equal(t, `{"path":"/picked","was":"2031-04-03","now":"2031-04-09","reviewer":"T. Brill","on":"`+d.At.UTC().Format("2006-01-02")+`","run":2}`, line.History.Kids[0].Named("").String())
}
