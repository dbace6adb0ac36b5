package record

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

const text = `
schema: s
fields:
  name: {text: Name., required: true, pattern: '^A', max: 5}
  grade: {integer: Grade., min: 0, max: 3}
  length: {number: Length.}
  on: {date: Day.}
  deck: {choice: Deck., of: [oak, steel]}
  open: {boolean: Open.}
  who: {group: Who., fields: {first: {text: First., required: true}, last: Last.}}
  bays: {list: Bays., max: 2, fields: {no: {integer: No., required: true}, photos: {list: Photos., items: {integer: Photo.}}}}
`

func validator(t *testing.T) *Validator {
	t.Helper()
	s, err := schema.Parse("s.yaml", []byte(text))
	require.NoError(t, err)
	v, err := NewValidator(s)
	require.NoError(t, err)
	return v
}

func parse(t *testing.T, text string) value.Value {
	t.Helper()
	v, err := value.Parse(text)
	require.NoError(t, err, text)
	return v
}

func TestCheck(t *testing.T) {
	v := validator(t)
	for _, c := range []struct{ record, want string }{
		{`{"name":"Ash","grade":3.0,"length":1e3,"on":"2031-02-28","deck":"oak","open":true,"who":{"first":"B","last":null},"bays":[{"no":1,"photos":[1]}]}`, ``},
		{`{"name":"A"}`, ``},
		{`{"name":"A","grade":null,"who":null,"bays":null}`, ``},
		{`{}`, `/name missing`},
		{`{"name":null}`, `/name missing`},
		{`{"name":""}`, `/name missing`},
		{`{"name":"Ab","who":{}}`, `/who/first missing`},
		{`{"name":"Bxxxxxxx"}`, `/name pattern`},
		{`{"name":"Axxxxxxx"}`, `/name length`},
		{`{"name":7}`, `/name type`},
		{`{"name":"A","grade":4}`, `/grade range`},
		{`{"name":"A","grade":-1}`, `/grade range`},
		{`{"name":"A","grade":1.5}`, `/grade type`},
		{`{"name":"A","grade":"1"}`, `/grade type`},
		{`{"name":"A","length":1e99999999}`, `/length range`},
		{`{"name":"A","on":"2031-02-30"}`, `/on format`},
		{`{"name":"A","on":"3.4.2031"}`, `/on format`},
		{`{"name":"A","deck":"elm"}`, `/deck choice`},
		{`{"name":"A","deck":3}`, `/deck type`},
		{`{"name":"A","open":"yes"}`, `/open type`},
		{`{"name":"A","who":[]}`, `/who type`},
		{`{"name":"A","bays":{}}`, `/bays type`},
		{`{"name":"A","bays":[{"no":1},{"no":2},{"no":3}]}`, `/bays length`},
		{`{"name":"A","bays":[{"no":1,"photos":["x",null]}]}`, `/bays/0/photos/0 type · /bays/0/photos/1 type`},
		{`{"name":"A","colour":"red","Grade":1}`, `/colour unexpected · /Grade unexpected`},
		{`{"name":"A","grade":1,"grade":2}`, `/grade syntax`},
		{`{"zz":1,"bays":[{}],"grade":9,"name":1}`, `/name type · /grade range · /bays/0/no missing · /zz unexpected`},
		{`[1]`, ` type`},
	} {
		rec := parse(t, c.record)
		var got []string
		for _, p := range v.Check(&rec) {
			got = append(got, fmt.Sprintf("%s %s", p.Path, p.Code()))
			assert.NotEmpty(t, p.Message())
		}
		if strings.Contains(c.want, "colour") {
			assert.ElementsMatch(t, strings.Split(c.want, " · "), got)
			continue
		}
		assert.Equal(t, c.want, strings.Join(got, " · "), c.record)
	}
}

func TestArrange(t *testing.T) {
	v := validator(t)
	rec := parse(t, `{"zz":1,"bays":[{"photos":null,"no":2}],"name":"A"}`)
	got := Arrange(v.schema, &rec)
	assert.Equal(t, `{"name":"A","grade":null,"length":null,"on":null,"deck":null,"open":null,"who":null,"bays":[{"no":2,"photos":[]}],"zz":1}`, got.String())
}

// bounds judge patches with a source in which the values of seen stand.
func bounds(v *Validator, rec *value.Value, seen map[string]bool) *Bounds {
	check := func(r *value.Value) []Problem {
		problems := v.Check(r)
		r.Walk(func(p value.Pointer, n *value.Value) bool {
			if n.Kind == value.String && n.Text == "invented" {
				problems = append(problems, Problem{Path: p, What: Told{Kind: NoEvidence}})
			}
			return true
		})
		return problems
	}
	return &Bounds{Schema: v.schema, Problems: check(rec), Check: check,
		Finish: func(r *value.Value) { *r = Arrange(v.schema, r) },
		Evident: func(r *value.Value) map[value.Pointer]bool {
			m := map[value.Pointer]bool{}
			r.Walk(func(p value.Pointer, n *value.Value) bool {
				if len(n.Kids) == 0 && seen[n.String()] {
					m[p] = true
				}
				return true
			})
			return m
		}}
}

const flagged = `{"name":"A","grade":9,"length":2,"on":"3.4.2031","deck":null,"open":null,"who":{"first":null,"last":"invented"},"bays":[{"no":1,"photos":["x",7]},{"no":null,"photos":[]}],"zz":1}`

func TestPatchBounds(t *testing.T) {
	v := validator(t)
	for _, c := range []struct{ patch, refused string }{
		{`[{"op":"replace","path":"/grade","value":3}]`, ""},
		{`[{"op":"replace","path":"/grade","value":3},{"op":"replace","path":"/on","value":"2031-04-03"}]`, ""},
		{`[{"op":"add","path":"/who/first","value":"B"}]`, ""},
		{`[{"op":"remove","path":"/zz"}]`, ""},
		{`[{"op":"replace","path":"/who/last","value":null}]`, ""},
		{`[{"op":"remove","path":"/bays/0/photos/0"}]`, "removes the value"},
		{`[{"op":"replace","path":"/bays/0/photos/0","value":2}]`, ""},
		{`[{"op":"test","path":"/name","value":"A"},{"op":"replace","path":"/grade","value":3}]`, ""},
		{`[{"op":"test","path":"/name","value":"B"},{"op":"replace","path":"/grade","value":3}]`, "can't be applied"},
		{`[{"op":"replace","path":"/grade","value":null}]`, "removes the value at /grade"},
		{`[{"op":"remove","path":"/grade"}]`, "removes the value at /grade"},
		{`[{"op":"replace","path":"/grade","value":8}]`, "fixes nothing"},
		{`[{"op":"replace","path":"/grade","value":"3"}]`, "new problem"},
		{`[{"op":"replace","path":"/name","value":"Ab"}]`, "changes /name, which has no problem"},
		{`[{"op":"replace","path":"","value":{}}]`, "changes the whole record"},
		{`[{"op":"replace","path":"/bays","value":[]}]`, "changes /bays"},
		{`[{"op":"add","path":"/bays/0","value":{"no":4}}]`, "changes /bays/0"},
		{`[{"op":"replace","path":"/bays/01/no","value":4}]`, "changes"},
		{`[{"op":"replace","path":"/who/first/x","value":4}]`, "changes"},
		{`[{"op":"add","path":"/who/first/x","value":4}]`, "not a place in the record"},
		{`[{"op":"copy","from":"/name","path":"/who/first"}]`, ""},
		{`[{"op":"move","from":"/name","path":"/who/first"}]`, "takes from /name"},
		{`[{"op":"move","from":"/who","path":"/who/first"}]`, "into itself"},
		{`[{"op":"copy","from":"/nothing","path":"/who/first"}]`, "not in the record"},
		{`[{"op":"shuffle","path":"/grade"}]`, "not a JSON Patch operation"},
		{`[{"op":"replace","path":"grade","value":1}]`, "no valid path"},
		{`[{"op":"replace","path":"/grade"}]`, "no value"},
		{`[{"op":"replace","path":"/grade","value":3},{"op":"replace","path":"/name","value":"Ab"}]`, "operation 2 changes"},
		{`[]`, "no operations"},
		{`{}`, "no operations"},
	} {
		rec := parse(t, flagged)
		patch := parse(t, c.patch)
		after, err := bounds(v, &rec, map[string]bool{}).Apply(&rec, &patch)
		if c.refused == "" {
			require.NoError(t, err, c.patch)
			assert.NotEqual(t, rec.String(), after.String())
		} else {
			require.Error(t, err, c.patch)
			assert.Contains(t, err.Error(), c.refused, c.patch)
		}
		assert.Equal(t, flagged, rec.String(), "the record itself is never changed")
	}
}

func TestPatchKeepsEvidence(t *testing.T) {
	v := validator(t)
	rec := parse(t, `{"name":"A","on":"3.4.2031"}`)
	patch := parse(t, `[{"op":"replace","path":"/on","value":"2031-04-04"}]`)
	_, err := bounds(v, &rec, map[string]bool{`"3.4.2031"`: true}).Apply(&rec, &patch)
	require.Error(t, err)
	assert.Contains(t, err.Error(), "has evidence")
	_, err = bounds(v, &rec, map[string]bool{`"3.4.2031"`: true, `"2031-04-04"`: true}).Apply(&rec, &patch)
	assert.NoError(t, err)
}

// An item without evidence may go; those behind it move up, and neither their
// values, their evidence nor their problems count as gone.
func TestPatchTakesItemsOut(t *testing.T) {
	v := validator(t)
	rec := parse(t, `{"name":"A","bays":[{"no":1,"photos":[5,"invented",7,"x"]}]}`)
	for _, c := range []struct{ patch, after string }{
		{`[{"op":"remove","path":"/bays/0/photos/1"}]`, `[5,7,"x"]`},
		{`[{"op":"replace","path":"/bays/0/photos/3","value":9},{"op":"remove","path":"/bays/0/photos/1"}]`, `[5,7,9]`},
		{`[{"op":"remove","path":"/bays/0/photos/3"},{"op":"remove","path":"/bays/0/photos/1"}]`, ""}, // "x" stands in the document
		{`[{"op":"remove","path":"/bays/0/photos/1"},{"op":"replace","path":"/bays/0/photos/3","value":9}]`, ""},
	} {
		patch := parse(t, c.patch)
		b := bounds(v, &rec, map[string]bool{`5`: true, `7`: true, `"x"`: true})
		after, err := b.Apply(&rec, &patch)
		if c.after == "" {
			require.Error(t, err, c.patch)
			continue
		}
		if c.after == `[5,7,9]` {
			b.Evident = func(*value.Value) map[value.Pointer]bool { return nil }
			after, err = b.Apply(&rec, &patch)
		}
		require.NoError(t, err, c.patch)
		assert.Equal(t, c.after, after.At("/bays/0/photos").String(), c.patch)
	}
}

// Under random hostile patches nothing outside the faulty paths changes, no
// value vanishes but one that may, and the problems shrink.
func TestHostilePatches(t *testing.T) {
	v := validator(t)
	r := rand.New(rand.NewPCG(12, 13))
	paths := []string{"", "/name", "/grade", "/on", "/who", "/who/first", "/who/last", "/bays", "/bays/0", "/bays/1", "/bays/-", "/bays/0/photos", "/bays/0/photos/0", "/bays/0/photos/1", "/bays/0/photos/-", "/bays/1/no", "/zz", "/deck", "/a~2", "/bays/01"}
	values := []string{`null`, `3`, `"A"`, `"2031-04-03"`, `[]`, `{}`, `"invented"`, `{"no":1}`, `[1,2]`, `{"first":"B","last":"C"}`}
	kinds := []string{"add", "replace", "remove", "move", "copy", "test"}
	one := func(list []string) string { return list[r.IntN(len(list))] }
	taken := 0
	for range 20000 {
		var ops []string
		for range 1 + r.IntN(3) {
			ops = append(ops, fmt.Sprintf(`{"op":%q,"path":%q,"from":%q,"value":%s}`, one(kinds), one(paths), one(paths), one(values)))
		}
		patch := parse(t, "["+strings.Join(ops, ",")+"]")
		rec := parse(t, flagged)
		b := bounds(v, &rec, map[string]bool{`1`: true, `7`: true})
		after, err := b.Apply(&rec, &patch)
		if err != nil {
			continue
		}
		taken++
		require.True(t, Subset(b.Check(&after), b.Problems), patch.String())
		rec.Walk(func(p value.Pointer, n *value.Value) bool {
			faulty := false
			for _, problem := range b.Problems {
				faulty = faulty || p.Within(problem.Path)
			}
			now := after.At(p)
			if !faulty && len(n.Kids) == 0 {
				require.NotNil(t, now, "%s vanished: %s", p, patch)
				require.True(t, value.Equal(n, now), "%s changed: %s", p, patch)
			}
			if faulty && len(n.Kids) == 0 && !n.Empty() && now.Empty() {
				require.Contains(t, []value.Pointer{"/zz", "/who/last"}, p, "%s vanished: %s", p, patch)
			}
			return true
		})
	}
	assert.Greater(t, taken, 150, "some patches should be let through")
}

const linked = `
schema: s
each: entry
fields:
  from: {date: From.}
  upto: {date: Up to., precision: month}
  cost: {money: Cost., currency: EUR, min: 0}
  boxes: {list: Boxes., fields: {no: {integer: No.}}}
  lines: {list: Lines., fields: {box: {link: Box., to: 'boxes[].no'}, at: {time: At.}}}
  odd: {integer: Odd., keywords: {multipleOf: 2}}
rules:
  - {holds: upto >= from, say: It ends after it begins.}
  - {for: 'lines[]', holds: box < 9}
`

func TestCheckAcrossFields(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(linked))
	require.NoError(t, err)
	v, err := NewValidator(s)
	require.NoError(t, err)
	for _, c := range []struct{ record, want string }{
		{`[{"from":"2031-01-01","upto":"2031-02","cost":{"amount":5,"currency":"EUR"},"boxes":[{"no":1}],"lines":[{"box":1.0,"at":"09:30"}]},{}]`, ``},
		{`[{"from":"2031-03-01","upto":"2031-02"}]`, `/0 rule [/0/from /0/upto]`},
		{`[{},{"boxes":[{"no":1}],"lines":[{"box":2}]}]`, `/1/lines/0/box link`},
		{`[{"boxes":[{"no":1}]},{"lines":[{"box":1}]}]`, `/1/lines/0/box link`},
		{`[{"boxes":[{"no":12}],"lines":[{"box":12}]}]`, `/0/lines/0 rule [/0/lines/0/box]`},
		{`[{"cost":{"amount":5,"currency":"USD"}}]`, `/0/cost format`},
		{`[{"cost":{"amount":-5,"currency":"EUR"}}]`, `/0/cost range`},
		{`[{"cost":{"amount":5}}]`, `/0/cost type`},
		{`[{"cost":{"amount":"5","currency":"EUR"}}]`, `/0/cost type`},
		{`[{"cost":{"amount":5,"currency":"EUR","tax":1}}]`, `/0/cost type`},
		{`[{"cost":5}]`, `/0/cost type`},
		{`[{"upto":"2031-13"}]`, `/0/upto format`},
		{`[{"upto":"2031-02-30"}]`, `/0/upto format`},
		{`[{"upto":"2031"}]`, `/0/upto format`},
		{`[{"lines":[{"at":"9:30"},{"at":"24:00"}]}]`, `/0/lines/0/at format · /0/lines/1/at format`},
		{`[{"odd":3}]`, `/0/odd schema`},
	} {
		rec := parse(t, c.record)
		var got []string
		for _, p := range v.Check(&rec) {
			text := fmt.Sprintf("%s %s", p.Path, p.Code())
			if len(p.Fields) > 0 {
				text += fmt.Sprintf(" %v", p.Fields)
			}
			got = append(got, text)
			out := p.JSON()
			again := ProblemFromJSON(&out)
			assert.Equal(t, p.Fields, again.Fields)
		}
		assert.Equal(t, c.want, strings.Join(got, " · "), c.record)
	}
}

// A broken rule may be corrected at the fields that it names, and nowhere else.
func TestPatchForARule(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(strings.Replace(linked, "each: entry\n", "", 1)))
	require.NoError(t, err)
	v, err := NewValidator(s)
	require.NoError(t, err)
	rec := parse(t, `{"from":"2031-03-01","upto":"2031-02","odd":2}`)
	b := bounds(v, &rec, nil)
	good, bad := parse(t, `[{"op":"replace","path":"/upto","value":"2031-04"}]`), parse(t, `[{"op":"replace","path":"/odd","value":4}]`)
	_, err = b.Apply(&rec, &good)
	assert.NoError(t, err)
	_, err = b.Apply(&rec, &bad)
	assert.ErrorContains(t, err, "has no problem")
}

// A date that two declared formats read as different days is told as such, and
// one that they read alike, or not at all, is not.
func TestTwoWayDate(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  on: {date: Day., written: [DD/MM/YYYY, MM/DD/YYYY]}\n"))
	require.NoError(t, err)
	v, err := NewValidator(s)
	require.NoError(t, err)
	for text, want := range map[string]string{
		"03/04/2019": "ambiguous date: the formats under `written` read this as 2019-04-03 and as 2019-03-04; keep one of the formats",
		"04/04/2019": "not a date in the form YYYY-MM-DD",
		"25/25/2019": "not a date in the form YYYY-MM-DD",
	} {
		rec := value.Obj(value.Str(text).Named("on"))
		problems := v.Check(&rec)
		require.Len(t, problems, 1, text)
		assert.Equal(t, want, problems[0].Message(), text)
	}
}
