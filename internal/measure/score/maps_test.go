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

const crates = `schema: crates
fields:
  no: Number.
  marks: {map: Marks on the crate., values: {number: One mark.}}
  terms: {any: What was agreed., keywords: {type: object, additionalProperties: true}}
  loose: {any: Anything.}
`

// flat lists what an object says by name, down to what is no object; the two measures of an
// amount stay together.
func flat(at string, v any, into map[string]string) {
	o, is := v.(obj)
	if !is || len(o) == 2 && o["amount"] != nil && o["currency"] != nil {
		if v != nil && v != "" && fmt.Sprint(v) != "[]" {
			into[at] = fmt.Sprint(v)
		}
		return
	}
	for name, kid := range o {
		flat(at+"/"+name, kid, into)
	}
}

// randomMap gives an object of random names, some with objects under them.
func randomMap(r *rand.Rand, deep int) obj {
	out := obj{}
	for range r.IntN(5) {
		name := string(rune('a' + r.IntN(3)))
		switch n := r.IntN(8); {
		case n == 0 && deep > 0:
			out[name] = randomMap(r, deep-1)
		case n == 1:
			out[name] = obj{"amount": float64(r.IntN(3)), "currency": "EUR"}
		case n == 2:
			out[name] = nil
		case n == 3:
			out[name] = []any{float64(r.IntN(2))}
		default:
			out[name] = float64(r.IntN(2))
		}
	}
	return out
}

// What a map holds counts name by name: the same as a count of flattened objects, whatever the
// order of names; and a record that is gold itself is right throughout.
func TestMapsCountNameByName(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(crates))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(11, 1))
	sum := Counts{}
	for range 2000 {
		g, d := randomMap(r, 2), randomMap(r, 2)
		want, x, y := Counts{}, map[string]string{}, map[string]string{}
		flat("", g, x)
		flat("", d, y)
		for at, v := range x {
			switch w, has := y[at]; {
			case !has:
				want.Missed++
			case v == w:
				want.Right++
			default:
				want.Wrong++
			}
		}
		for at := range y {
			if _, has := x[at]; !has {
				want.Extra++
			}
		}
		got := Counts{}
		Walk(s, parse(t, obj{"terms": g}), parse(t, obj{"terms": d}), Visitor{Leaf: func(l Leaf) {
			if l.Field.Path == "terms" && l.Outcome != Blank {
				got.Add(l.Outcome)
			}
		}})
		require.Equal(t, want, got, "%v\n%v", g, d)
		sum = sum.Plus(got)

		rec := parse(t, obj{"terms": g, "marks": obj{"x": 1.0}, "loose": obj{"a": 1.0, "b": 2.0}})
		var shared, apart Counts
		for _, other := range []*value.Value{rec, func() *value.Value { v := rec.Clone(); return &v }()} {
			sc := New(s, gold.Set{"d": {Document: "d", State: gold.Reviewed, Record: *rec}}.Shelf())
			require.NoError(t, sc.Add(record.Line{Document: "d", Record: *other}))
			shared, apart = sc.Report().Overall, shared
		}
		require.Equal(t, shared, apart)
		require.Equal(t, len(x)+2, shared.Right, "a value of any form is one leaf, a map has its own")
	}
	for _, n := range []int{sum.Right, sum.Wrong, sum.Missed, sum.Extra} {
		assert.Greater(t, n, 100)
	}
}

// Where one side has a map and the other has not, all of it is missed or extra, and what
// stands there instead counts as well.
func TestNoMapWhereOneBelongs(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(crates))
	require.NoError(t, err)
	m := obj{"x": 1.0, "y": 2.0}
	for name, c := range map[string]struct {
		gold, filled any
		want         string
		misfit       int
	}{
		"nothing filled": {m, nil, "[/marks/x missed /marks/y missed]", 0},
		"nothing there":  {nil, m, "[/marks/x extra /marks/y extra]", 0},
		"no map":         {m, "x 1", "[/marks/x missed /marks/y missed /marks extra]", 1},
		"neither":        {nil, obj{}, "[]", 0},
	} {
		t.Run(name, func(t *testing.T) {
			var got []string
			filled := parse(t, obj{"marks": c.filled})
			Walk(s, parse(t, obj{"marks": c.gold}), filled, Visitor{Paths: true, Leaf: func(l Leaf) {
				at := l.GoldPath
				if l.Outcome == Extra {
					at = l.FilledPath
				}
				if l.Outcome != Blank {
					got = append(got, string(at)+" "+l.Outcome.String())
					assert.Equal(t, value.Pointer("/marks"), l.Own(at))
				}
			}})
			assert.Equal(t, c.want, fmt.Sprint(got))
			assert.Equal(t, c.misfit, misfits(s.Root, filled))
		})
	}
}

// The names of a sensitive map may be what is sensitive: it is one value, and stands in no place.
func TestSensitiveMapIsOneValue(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  guests: {map: Rooms by guest., values: {integer: Room.}, sensitive: true}\n  house:\n    list: Parts.\n    sensitive: true\n    fields: {at: {map: Who is there., values: {text: Room.}}, n: Name.}\n"))
	require.NoError(t, err)
	var got []string
	Walk(s, parse(t, obj{"guests": obj{"Ada Brade": 3.0}, "house": []any{obj{"n": "x", "at": obj{"Ada": "7"}}}}), parse(t, obj{"house": []any{obj{"n": "x", "at": obj{"Ida": "7"}}}}), Visitor{Paths: true, Leaf: func(l Leaf) {
		got = append(got, string(l.GoldPath))
	}})
	assert.Equal(t, []string{"/guests", "/house/0/at", "/house/0/n"}, got)
	shown := record.NewCover(s).Value("", parse(t, obj{"guests": obj{"Ada Brade": 3.0}, "house": []any{obj{"at": obj{"Ada": []any{obj{"Ida": 1.0}}}}}}))
	assert.NotRegexp(t, "Ada|Ida|3", shown.String())
}
