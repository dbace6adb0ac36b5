package trace

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
)

var someTexts = []string{"", "a", "fill 2/3", "é \"x\"\n", "/bays/0/number", "unflagged"}

// anything sets every field that v reaches to some value, so that a member that
// is not kept shows.
func anything(r *rand.Rand, v reflect.Value) {
	switch v.Interface().(type) {
	case value.Value:
		v.Set(reflect.ValueOf([]value.Value{value.Str("x"), value.Num("1.50"), {}, value.Obj(value.Str("y").Named("a")), value.List(value.Num("2"))}[r.IntN(5)]))
		return
	case *value.Value:
		if r.IntN(2) == 0 {
			own := value.Num(fmt.Sprint(r.IntN(90)))
			v.Set(reflect.ValueOf(&own))
		}
		return
	case []record.Problem:
		for range r.IntN(3) {
			own := value.Str("was")
			v.Set(reflect.Append(v, reflect.ValueOf(record.Problem{Path: "/a/0", What: record.Told{Kind: record.Type, Says: "m"}, Value: &own, Fields: []value.Pointer{"/b"}})))
		}
		return
	}
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			anything(r, v.Field(i))
		}
	case reflect.Slice:
		for range r.IntN(3) {
			item := reflect.New(v.Type().Elem()).Elem()
			anything(r, item)
			v.Set(reflect.Append(v, item))
		}
	case reflect.String:
		v.SetString(someTexts[r.IntN(len(someTexts))])
	case reflect.Int:
		v.SetInt(int64(r.IntN(2000)))
	case reflect.Bool:
		v.SetBool(r.IntN(2) == 0)
	}
}

// What is noted in a step is what is kept of it, and what is read again, for
// every kind and every field.
func TestRoundTrip(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for name, empty := range kinds {
		for range 40 {
			step := empty()
			assert.Equal(t, name, step.name())
			anything(r, reflect.ValueOf(step).Elem())
			if plan, ok := step.(*Plan); ok {
				for i := range plan.Pieces { // one that is no cut has no place
					if p := &plan.Pieces[i]; !p.Cut {
						*p = Piece{Request: p.Request}
					}
				}
			}
			kept := Steps{step}.JSON()
			back, err := Parse(kept.JSON())
			require.NoError(t, err)
			require.Len(t, back, 1)
			again := back.JSON()
			assert.Equal(t, kept.String(), again.String())
			assert.Equal(t, fmt.Sprintf("%+v", plain(step)), fmt.Sprintf("%+v", plain(back[0])), name)
		}
	}
}

// plain gives the fields of a step with nil lists as empty ones and pointers
// followed, so that two of them can be compared as text.
func plain(s Step) string {
	var write func(v reflect.Value) string
	write = func(v reflect.Value) string {
		switch x := v.Interface().(type) {
		case value.Value:
			return x.String()
		case *value.Value:
			if x == nil {
				return "–"
			}
			return x.String()
		}
		switch v.Kind() {
		case reflect.Struct:
			out := "{"
			for i := range v.NumField() {
				out += v.Type().Field(i).Name + ":" + write(v.Field(i)) + " "
			}
			return out + "}"
		case reflect.Slice:
			out := "["
			for i := range v.Len() {
				out += write(v.Index(i)) + " "
			}
			return out + "]"
		}
		return fmt.Sprintf("%#v", v.Interface())
	}
	return write(reflect.ValueOf(s).Elem())
}

// A step of a kind that is not known is kept as it was.
func TestOther(t *testing.T) {
	const kept = `[{"step":"read","document":"a","format":"text","notes":"","bytes":1,"text_sha256":"0"},{"step":"weighed","grams":12.50}]`
	steps, err := Parse([]byte(kept))
	require.NoError(t, err)
	assert.Equal(t, "weighed", steps[1].(*Other).Step)
	got := steps.JSON()
	assert.Equal(t, kept, got.String())
	_, err = Parse([]byte("[{"))
	assert.ErrorContains(t, err, "the trace can't be read")
}

// The operations of a patch are taken over with all that they say.
func TestOperations(t *testing.T) {
	patch, err := value.Parse(`[{"op":"replace","path":"/a","value":null,"quote":"a is gone"},{"op":"remove","path":"/b/0"}]`)
	require.NoError(t, err)
	ops := OperationsOf(&patch)
	null := value.Value{}
	assert.Equal(t, []Operation{{Do: "replace", Path: "/a", Value: &null, Quote: "a is gone"}, {Do: "remove", Path: "/b/0"}}, ops)
}
