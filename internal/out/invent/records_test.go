package invent

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

const invoice = `schema: invoice
about: An invoice of a ropewalk.
entity: {key: [number], called: invoice}
fields:
  number: {text: Number., pattern: '^RW-\d{4}$', required: true}
  issued: {date: Day of issue., written: [D.M.YYYY], required: true}
  due: {date: Day by which it is to be paid., written: [D.M.YYYY]}
  customer: {text: Name of the customer., sensitive: true}
  paid: {boolean: Whether it is paid.}
  lines:
    list: Lines.
    key: [pos]
    min: 1
    max: 5
    fields:
      pos: {integer: Position., min: 1}
      what: What was bought.
      amount: {money: Amount., currency: EUR, written: {decimal: ",", group: "."}, min: 1, max: 900}
  notes: {list: Notes., fields: {line: {link: The line., to: 'lines[].pos'}, kind: {choice: Kind., of: [late, short, wet]}}}
  total: {money: Sum., currency: EUR, written: {decimal: ",", group: "."}}
rules:
  - holds: due > issued
  - holds: total == sum(lines, .amount)
  - holds: not paid or all(notes, .kind != "short")
`

func maker(t *testing.T, text string, seed int64) *Maker {
	t.Helper()
	s, err := schema.Parse("s.yaml", []byte(text))
	require.NoError(t, err)
	m, err := NewMaker(s, seed)
	require.NoError(t, err)
	return m
}

// sound checks that a record keeps its schema and its rules.
func sound(t *testing.T, m *Maker, v *value.Value) {
	t.Helper()
	check, err := record.NewValidator(m.Schema)
	require.NoError(t, err)
	for _, p := range append(check.Check(v), record.Twins(m.Schema, v)...) {
		require.Fail(t, p.Path.Words()+": "+p.Message(), v.String())
	}
}

// Every record keeps its schema, the same seed makes the same ones, and numbers that name
// a record come once.
func TestRecordsAreSound(t *testing.T) {
	for _, rare := range []bool{false, true} {
		m, again := maker(t, invoice, 7), maker(t, invoice, 7)
		m.Rare, again.Rare = rare, rare
		seen := map[string]bool{}
		empty, full := 0, 0
		for n := range 300 {
			v, err := m.Record(n, nil)
			require.NoError(t, err)
			w, err := again.Record(n, nil)
			require.NoError(t, err)
			require.Equal(t, v.String(), w.String())
			m.Keep(&v)
			again.Keep(&w)
			sound(t, m, &v)
			number := v.Get("number").Text
			assert.False(t, seen[number], number)
			seen[number] = true
			for _, list := range []string{"lines", "notes"} {
				for i := range v.Get(list).Kids {
					require.True(t, saysSomething(&v.Get(list).Kids[i], m.Schema.Find(list).Key), v.String())
				}
			}
			if v.Get("notes") == nil || len(v.Get("notes").Kids) == 0 {
				empty++
			}
			if len(v.Get("lines").Kids) == 5 {
				full++
			}
		}
		assert.Greater(t, empty, 10)
		if rare {
			assert.Greater(t, full, 10)
		}
	}
}

// What people wrote schemas for: all of the repository's, and conditions on top.
func TestRecordsOfManySchemas(t *testing.T) {
	files, err := filepath.Glob("../../run/fill/testdata/replies/*.yaml")
	require.NoError(t, err)
	more, err := filepath.Glob("../../demo/project/schemas/*.yaml")
	require.NoError(t, err)
	files = append(files, more...)
	require.Greater(t, len(files), 20)
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		s, err := schema.Parse(file, text)
		require.NoError(t, err, file)
		m, err := NewMaker(s, 3)
		require.NoError(t, err)
		for n := range 40 {
			v, err := m.Record(n, nil)
			require.NoError(t, err, file)
			sound(t, m, &v)
		}
	}
	m := maker(t, invoice, 1)
	where, err := m.Schema.Condition("issued > 2032")
	require.NoError(t, err)
	m.Rules = append(m.Rules, where)
	for n := range 30 {
		v, err := m.Record(n, nil)
		require.NoError(t, err)
		assert.Greater(t, v.Get("issued").Text, "2032-12-31")
	}
}

// A schema that nothing keeps says which of its rules it is.
func TestImpossible(t *testing.T) {
	m := maker(t, "schema: s\nfields:\n  a: {date: A., required: true}\n  b: {date: B., required: true}\nrules:\n  - holds: a > b\n  - holds: b > a\n", 1)
	_, err := m.Record(0, nil)
	var impossible *Impossible
	require.ErrorAs(t, err, &impossible)
	assert.Regexp(t, "the rule `(a > b|b > a)`", impossible.Why)
	m = maker(t, "schema: s\nfields:\n  a: {text: A., pattern: '\\bx\\B', required: true}\n", 1)
	_, err = m.Record(0, nil)
	assert.ErrorContains(t, err, "a text can't be drawn from this pattern")
}

// Records that look like others have their ranges and what comes together, and none of
// their sensitive values.
func TestRecordsLookLikeOthers(t *testing.T) {
	m := maker(t, invoice, 5)
	var like []*value.Value
	for i := range 20 {
		v, err := value.Parse(fmt.Sprintf(`{"number":"RW-%04d","issued":"2031-03-%02d","due":"2031-04-%02d","customer":"Wilma Grasshopper","paid":true,"lines":[{"pos":1,"what":"hemp rope","amount":{"amount":%d.50,"currency":"EUR"}}],"notes":[{"line":1,"kind":"late"}],"total":{"amount":%d.50,"currency":"EUR"}}`, i, i+1, i+1, 20+i, 20+i))
		require.NoError(t, err)
		like = append(like, &v)
	}
	m.Like(like)
	kinds := map[string]int{}
	for n := range 100 {
		v, err := m.Record(n, nil)
		require.NoError(t, err)
		sound(t, m, &v)
		assert.NotContains(t, v.String(), "Grasshopper")
		assert.Len(t, v.Get("lines").Kids, 1)
		for _, note := range v.Get("notes").Kids {
			kinds[note.Get("kind").Text]++
		}
	}
	assert.Greater(t, kinds["late"], 4*(kinds["short"]+kinds["wet"]))
}

// Whatever is drawn from a pattern matches it.
func FuzzPattern(f *testing.F) {
	for _, p := range []string{`^FB-\d{4}-\d{2}$`, `^[A-Z]{2}[0-9]+$`, `(a|b)*c?`, `\bx`, `^.{3,}$`, `[^a-z]{2}`, `(?i)abc`, `^$`} {
		f.Add(p, int64(1))
	}
	f.Fuzz(func(t *testing.T, pattern string, seed int64) {
		re, err := regexp.Compile(pattern)
		if err != nil || strings.Count(pattern, "{") > 3 || len(pattern) > 60 {
			return
		}
		text, err := fromPattern(re, random(seed, 0))
		if err == nil && !re.MatchString(text) {
			t.Fatalf("%q does not match %q", text, pattern)
		}
	})
}
