package score

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

// Values that err as often as their risk says fall into bands whose intervals hold what
// was foretold; every value is in one band; and each field's interval is that of a score
// of this field alone.
func TestCalibrationAndFieldIntervals(t *testing.T) {
	both, err := schema.Parse("s.yaml", []byte("schema: s\nabout: S.\nfields:\n  a: {integer: A.}\n  b: {integer: B.}\n"))
	require.NoError(t, err)
	only, err := schema.Parse("s.yaml", []byte("schema: s\nabout: S.\nfields:\n  a: {integer: A.}\n"))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(3, 4))
	set := gold.Set{}
	var lines []record.Line
	for n := range 400 {
		id, rec, truth, risks := fmt.Sprintf("d%03d", n), value.Obj(), value.Obj(), value.Obj()
		for _, name := range []string{"a", "b"} {
			risk := r.Float64() * r.Float64()
			truth.Set(name, value.Num("1"))
			rec.Set(name, value.Num("1"))
			if r.Float64() < risk {
				rec.Set(name, value.Num("2"))
			}
			risks.Set("/"+name, value.Num(fmt.Sprintf("%.6f", risk)))
		}
		set[id] = &gold.Record{Document: id, State: gold.Reviewed, Record: truth}
		lines = append(lines, record.Line{Document: id, Status: record.Unflagged, Record: rec, Risk: risks})
	}
	sc, one := NewWith(both, set.Shelf(), Options{Straight: true, Intervals: true}), New(only, set.Shelf())
	for _, l := range lines {
		require.NoError(t, sc.Add(l))
		require.NoError(t, one.Add(l))
	}
	held, values, errors := 0, 0, 0
	bands := sc.Calibration()
	for _, b := range bands {
		values, errors = values+b.Values, errors+b.Errors
		assert.True(t, b.From <= b.Foretold && b.Foretold <= b.To, b)
		if b.Came.Low <= b.Foretold && b.Foretold <= b.Came.High {
			held++
		}
	}
	full := sc.Report()
	assert.Equal(t, 800, values)
	assert.Equal(t, full.Overall.Errors(), errors)
	assert.GreaterOrEqual(t, held, len(bands)-1, "%+v", bands)
	alone := one.Report()
	assert.Equal(t, alone.F1, full.Field("a").Interval)
	assert.NotEqual(t, full.Field("a").Interval, full.Field("b").Interval)
}
